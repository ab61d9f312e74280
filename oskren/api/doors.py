"""What stands at the door of the API: paths people type, and faults of any kind told as one sentence."""

from __future__ import annotations

import errno
import logging
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import DBAPIError
from starlette.exceptions import HTTPException

from oskren.core.errors import OskrenError

LONGEST_PATH, LONGEST_PART = 4000, 255
"""Bytes of a path and of one name in it that common file systems take."""

log = logging.getLogger("oskren")


class Problem(BaseModel):
    """The one shape of every error: a sentence that says what happened, to what, and what can be done."""

    sentence: str


def problem(status: int, sentence: str) -> JSONResponse:
    """An error as it is answered."""
    return JSONResponse({"sentence": sentence}, status_code=status)


def whole_path(text: str, what: str) -> Path:
    """A path as people type it, from the root of the disk or from ``~``; OskrenError when it cannot be one. ``what`` says what it is of."""
    text = text.strip()
    if "\0" in text or len(text.encode()) > LONGEST_PATH or any(len(part.encode()) > LONGEST_PART for part in text.split("/")):
        raise OskrenError(f"{text[:60]!r} ...: is no path this machine can have; give a shorter one for {what}.")
    try:
        path = Path(text).expanduser()
    except RuntimeError as error:
        raise OskrenError(f"{text}: there is no such user on this machine; give the whole path of {what}.") from error
    if not path.is_absolute():
        raise OskrenError(f"{text}: give the whole path of {what}, from the root of the disk.")
    return path


def _of_disk(error: OSError) -> str:
    where = f"{error.filename}: " if error.filename else ""
    match error.errno:
        case errno.ENOSPC | errno.EDQUOT:
            return f"{where}the disk is full; free some space and try again. What was being written was taken back."
        case errno.EROFS | errno.EACCES | errno.EPERM:
            return f"{where}cannot be written or read with the rights Oskren has; change them or choose another folder. Nothing was changed there."
        case errno.ENAMETOOLONG:
            return f"{where[:80]} ...: the name is too long for this disk; choose a shorter one."
    return f"{where}the disk refused ({error.strerror or error}); nothing was changed there."


def _of_database(error: DBAPIError) -> str:
    said = str(error.orig).lower()
    if "locked" in said or "busy" in said:
        return "Another program holds this library's database; close it and try again. Nothing was changed."
    if "full" in said:
        return "The disk that holds this library is full; free some space and try again. Nothing was changed."
    if "readonly" in said or "unable to open" in said:
        return "This library's folder cannot be written; change its rights or move the library. Nothing was changed."
    return "The library's database refused this; nothing was changed. The log tells more."


def tell_faults(app: FastAPI) -> None:
    """Answer every fault of an application in the one shape."""

    @app.exception_handler(OskrenError)
    async def refused(_: Request, error: OskrenError) -> JSONResponse:
        return problem(error.status, str(error))

    @app.exception_handler(RequestValidationError)
    async def malformed(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        own = first["msg"].removeprefix("Value error, ")
        if first["type"] == "value_error" and own[:1].isupper() and own.endswith("."):
            return problem(422, own)  # a rule of ours, a sentence already
        where = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
        return problem(422, f"{where + ': ' if where else ''}{first['msg']}.")

    @app.exception_handler(HTTPException)
    async def missing(_: Request, error: HTTPException) -> JSONResponse:
        return problem(error.status_code, str(error.detail) if error.status_code != 404 else "There is nothing at this address.")

    @app.exception_handler(OverflowError)
    async def too_large(_: Request, error: OverflowError) -> JSONResponse:
        return problem(422, "A number in this request is larger than Oskren can hold; give a smaller one. Nothing was changed.")

    @app.exception_handler(OSError)
    async def disk(_: Request, error: OSError) -> JSONResponse:
        return problem(422, _of_disk(error))

    @app.exception_handler(DBAPIError)
    async def database(request: Request, error: DBAPIError) -> JSONResponse:
        log.warning("%s %s: %s", request.method, request.url.path, error.orig)
        return problem(423, _of_database(error))

    @app.exception_handler(UnicodeError)
    async def text(_: Request, error: UnicodeError) -> JSONResponse:
        return problem(422, "A text in this request holds signs that cannot be stored; write it without them. Nothing was changed.")

    @app.exception_handler(RecursionError)
    async def nested(_: Request, error: RecursionError) -> JSONResponse:
        return problem(422, "This holds more levels inside each other than Oskren follows; print an inner design and use the print.")

    @app.exception_handler(Exception)
    async def unexpected(request: Request, error: Exception) -> JSONResponse:
        return problem(
            500,
            f"Something went wrong inside Oskren ({type(error).__name__}) while it answered {request.method} {request.url.path}. "
            "What was saved before stays; whether this one change was made, a reload shows. The log tells more.",
        )
