"""The built front end: its page, and assets that are named by their content, so that browsers keep them for good."""

from __future__ import annotations

import mimetypes
from pathlib import Path

from fastapi import FastAPI, Response
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.types import Scope

WEB = Path(__file__).parents[2] / "web" / "dist"


class Assets(StaticFiles):
    """Scripts, styles and fonts; where the build left a compressed twin and the browser takes it, that is what crosses the wire."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        packed = f"{path}.gz"
        takes = "gzip" in Headers(scope=scope).get("accept-encoding", "")
        twin = takes and self.lookup_path(packed)[1] is not None
        response = await super().get_response(packed if twin else path, scope)
        if response.status_code == 200:
            response.headers["cache-control"] = "public, max-age=31536000, immutable"
        response.headers["vary"] = "accept-encoding"
        if twin:
            response.headers["content-encoding"] = "gzip"
            kind = mimetypes.guess_type(path)[0] or "application/octet-stream"
            response.headers["content-type"] = f"{kind}; charset=utf-8" if kind.startswith("text/") else kind
        return response


def serve_page(app: FastAPI) -> None:
    """Give the built page for every address that is not the API's; nothing when there is none."""
    if not WEB.exists():
        return
    app.mount("/assets", Assets(directory=WEB / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        if path.startswith("api/"):
            raise HTTPException(404)
        file = (WEB / path).resolve()
        if path and file.is_relative_to(WEB) and file.is_file():
            return FileResponse(file)
        return FileResponse(WEB / "index.html", headers={"Cache-Control": "no-cache"})
