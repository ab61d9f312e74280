"""The built front end: its page, and assets that are named by their content, so that browsers keep them for good."""

from __future__ import annotations

import mimetypes
from pathlib import Path

from fastapi import FastAPI, Response
from fastapi.responses import FileResponse, HTMLResponse
from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.types import Scope

WEB = Path(__file__).parents[2] / "web" / "dist"
DOCS = Path(__file__).parents[2] / "docs"


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


GUIDE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Oskren: the guide</title>
<style>
:root {{ color-scheme: light dark; }}
body {{ font: 16px/1.6 system-ui, sans-serif; max-width: 860px; margin: 40px auto; padding: 0 20px; }}
img {{ display: block; width: 100%; border-radius: 8px; margin: 18px 0; }}
code {{ font-size: 14px; padding: 1px 6px; border: 1px solid; border-radius: 4px; }}
</style></head><body><main>{told}</main></body></html>"""


def serve_guide(app: FastAPI) -> None:
    """Give the guide with its pictures: docs/guide.md as a page."""

    @app.get("/guide", include_in_schema=False)
    def guide() -> Response:
        path = DOCS / "guide.md"
        if not path.is_file():
            raise HTTPException(404)
        from markdown_it import MarkdownIt

        told = MarkdownIt().render(path.read_text(encoding="utf-8")).replace('src="screenshots/', 'src="/guide/')
        return HTMLResponse(GUIDE.format(told=told))

    @app.get("/guide/{name}", include_in_schema=False)
    def picture(name: str) -> Response:
        pictures = {path.name: path for path in (DOCS / "screenshots").glob("*.png")}
        if name not in pictures:
            raise HTTPException(404)
        return FileResponse(pictures[name])


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
