"""The application: routers, errors as one JSON shape, host and origin checks, and the built front end."""

from __future__ import annotations

import asyncio
import hmac
import re
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.routing import APIRoute
from fastapi.staticfiles import StaticFiles
from pydantic import BaseModel
from starlette.exceptions import HTTPException

import oskren
from oskren.api import arrivals, chains, designs, gather, keeping, listen, mend, plugins, recording, reels, ship, slice_, stack, state, steps, vary, wanting
from oskren.core.errors import OskrenError
from oskren.core.plugins import shelf
from oskren.devices.recorder import Running
from oskren.store import Home
from oskren.work.shipments import mark_interrupted
from oskren.work.studio import Studio
from oskren.work.takes import Takes

WEB = Path(__file__).parents[2] / "web" / "dist"


class Problem(BaseModel):
    """The one shape of every error: a sentence that says what happened, to what, and what can be done."""

    sentence: str


def _problem(status: int, sentence: str) -> JSONResponse:
    return JSONResponse({"sentence": sentence}, status_code=status)


def _guard(host: str, token: str) -> Callable[[Request, Callable[[Request], Awaitable[Response]]], Awaitable[Response]]:
    """Refuse other hosts (DNS rebinding), other origins (cross-site use), and, beyond loopback, calls without the token."""
    loopback = {"127.0.0.1", "localhost", "[::1]", "testserver"}

    async def guard(request: Request, call: Callable[[Request], Awaitable[Response]]) -> Response:
        named = request.headers.get("host", "")
        bare = re.sub(r":\d+$", "", named)
        if not token and bare not in loopback:
            return _problem(403, f"Oskren answers to this machine only, not to the host '{bare}'; open it under 127.0.0.1.")
        origin = request.headers.get("origin")
        if origin and re.sub(r"^https?://", "", origin) != named:
            return _problem(403, "Another site may not use Oskren; open its own address.")
        if request.headers.get("sec-fetch-site") == "cross-site" and request.url.path.startswith("/api"):
            return _problem(403, "Another site may not use Oskren; open its own address.")
        if token:
            given = request.query_params.get("token") or request.cookies.get("oskren") or ""
            if not hmac.compare_digest(given, token):
                return _problem(401, "This address needs the token that Oskren printed when it started.")
        with shelf.as_it_is():  # plug-ins stand as they do for the whole of an answer
            response = await call(request)
        if token and request.query_params.get("token"):
            response.set_cookie("oskren", token, httponly=True, samesite="strict")
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        response.headers["Content-Security-Policy"] = (
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; media-src 'self' blob:; worker-src 'self' blob:"
        )
        return response

    return guard


def make_app(home: Path, *, token: str = "", host: str = "127.0.0.1", studio: Studio | None = None) -> FastAPI:
    """The application over a home folder."""
    running = studio or Studio(Home(home))

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        for name in running.home.names() or ["library"]:
            mark_interrupted(running.home.library(name, create=True))
        behind = [asyncio.create_task(keeping.rescan_all(running)), asyncio.create_task(recording.recover_takes(running, app.state.takes))]
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
    app.state.recorder = Running(running.home.folder / "card")
    app.middleware("http")(_guard(host, token))

    @app.exception_handler(OskrenError)
    async def refused(_: Request, error: OskrenError) -> JSONResponse:
        return _problem(404 if str(error).startswith("There is no") else 422, str(error))

    @app.exception_handler(RequestValidationError)
    async def malformed(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
        return _problem(422, f"{where + ': ' if where else ''}{first['msg']}.")

    @app.exception_handler(HTTPException)
    async def missing(_: Request, error: HTTPException) -> JSONResponse:
        return _problem(error.status_code, str(error.detail) if error.status_code != 404 else "There is nothing at this address.")

    for module in (state, listen, gather, arrivals, recording, wanting, keeping, chains, mend, reels, designs, steps, plugins, stack, vary, slice_, ship):
        app.include_router(module.router, prefix="/api")

    if WEB.exists():
        app.mount("/assets", StaticFiles(directory=WEB / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        def page(path: str) -> Response:
            if path.startswith("api/"):
                raise HTTPException(404)
            file = (WEB / path).resolve()
            if path and file.is_relative_to(WEB) and file.is_file():
                return FileResponse(file)
            return FileResponse(WEB / "index.html", headers={"Cache-Control": "no-cache"})

    return app
