"""The application: routers, errors as one JSON shape, host and origin checks, and the built front end."""

from __future__ import annotations

import asyncio
import hmac
import re
import threading
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from functools import partial
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.routing import APIRoute
from sqlalchemy.exc import SQLAlchemyError

import oskren
from oskren.api import listening, models, state
from oskren.api.documents import drafts, histories, named
from oskren.api.doors import Problem, log, problem, tell_faults
from oskren.api.gather import arrivals, categories, files, folders, keeping, recording, sounds, wanted
from oskren.api.mend import chain, plugins, reels, saved, steps
from oskren.api.page import serve_guide, serve_page
from oskren.api.picture import films, placing, scenes
from oskren.api.picture import versions as scene_versions
from oskren.api.ship import ready, sheets
from oskren.api.slice import one_shots, plans
from oskren.api.stack import beds, designs, layers, meters, prints, told
from oskren.api.vary import comparing, recipes, spreads
from oskren.core.plugins import shelf
from oskren.devices.recorder import Running
from oskren.store import Home
from oskren.work.engine.studio import Studio
from oskren.work.gather.finishing import recover
from oskren.work.gather.takes import Takes
from oskren.work.gather.uploads import Uploads
from oskren.work.recovery import take_up
from oskren.work.ship.shipments import mark_interrupted


def _guard(host: str, token: str) -> Callable[[Request, Callable[[Request], Awaitable[Response]]], Awaitable[Response]]:
    """Refuse other hosts (DNS rebinding), other origins (cross-site use), and, beyond loopback, calls without the token."""
    loopback = {"127.0.0.1", "localhost", "[::1]", "testserver"}

    async def guard(request: Request, call: Callable[[Request], Awaitable[Response]]) -> Response:
        named = request.headers.get("host", "")
        bare = re.sub(r":\d+$", "", named)
        if not token and bare not in loopback:
            return problem(403, f"Oskren answers to this machine only, not to the host '{bare}'; open it under 127.0.0.1.")
        origin = request.headers.get("origin")
        if origin and re.sub(r"^https?://", "", origin) != named:
            return problem(403, "Another site may not use Oskren; open its own address.")
        if request.headers.get("sec-fetch-site") == "cross-site" and request.url.path.startswith("/api"):
            return problem(403, "Another site may not use Oskren; open its own address.")
        if token:
            given = request.query_params.get("token") or request.cookies.get("oskren") or ""
            if not hmac.compare_digest(given.encode(errors="replace"), token.encode()):
                return problem(401, "This address needs the token that Oskren printed when it started.")
        with shelf.as_it_is():  # plug-ins stand as they do for the whole of an answer
            response = await call(request)
        if token and request.query_params.get("token"):
            response.set_cookie("oskren", token, httponly=True, samesite="strict")
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        response.headers["Content-Security-Policy"] = (
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; media-src 'self' blob:; worker-src 'self' blob:; "
            "frame-ancestors 'none'"
        )
        response.headers["Referrer-Policy"] = "no-referrer"
        return response

    return guard


async def recovering(recover: Callable[[], object], quiet_s: float) -> None:
    """As long as the server runs: takes and uploads whose page is gone come into their library. A fault is logged, and it is tried again."""
    while True:
        await asyncio.sleep(min(2.0, quiet_s))
        try:
            await asyncio.to_thread(recover)
        except Exception:
            log.exception("what a page left behind cannot be recovered now; it is tried again")


def make_app(home: Path, *, token: str = "", host: str = "127.0.0.1", studio: Studio | None = None) -> FastAPI:
    """The application over a home folder."""
    running = studio or Studio(Home(home))

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        for name in running.home.names() or ["library"]:
            try:
                mark_interrupted(running.home.library(name, create=True))
            except (OSError, SQLAlchemyError) as error:  # one library that cannot be opened leaves the others
                log.warning("%s: cannot be opened (%s)", name, error)
        running.taking_up = threading.Thread(target=take_up, args=(running,), daemon=True, name="taking up")
        running.taking_up.start()
        app.state.uploads.recover(running, older_s=0.0)
        behind = [
            asyncio.create_task(folders.rescan_all(running)),
            asyncio.create_task(recovering(partial(recover, running, app.state.takes), app.state.takes.quiet_s)),
            asyncio.create_task(recovering(partial(app.state.uploads.recover, running), app.state.uploads.quiet_s)),
        ]
        yield
        for task in behind:
            task.cancel()
        app.state.recorder.switch(False)
        running.close()

    def operation(route: APIRoute) -> str:
        return route.name

    app = FastAPI(
        title="Oskren",
        version=oskren.__version__,
        lifespan=lifespan,
        generate_unique_id_function=operation,
        separate_input_output_schemas=False,
        responses={422: {"model": Problem}, 404: {"model": Problem}},
    )
    app.state.studio = running
    app.state.takes = Takes(running.home.folder / "takes")
    app.state.uploads = Uploads(running.home.folder / "run")
    app.state.recorder = Running(running.home.folder / "card")
    app.middleware("http")(_guard(host, token))

    tell_faults(app)

    for module in (
        state,
        models,
        listening,
        sounds,
        files,
        arrivals,
        recording,
        wanted,
        keeping,
        categories,
        folders,
        drafts,
        histories,
        named,
        saved,
        chain,
        reels,
        designs,
        steps,
        plugins,
        told,
        layers,
        beds,
        meters,
        prints,
        spreads,
        recipes,
        comparing,
        plans,
        one_shots,
        ready,
        sheets,
        films,
        scenes,
        scene_versions,
        placing,
    ):
        app.include_router(module.router, prefix="/api")

    serve_guide(app)
    serve_page(app)
    return app
