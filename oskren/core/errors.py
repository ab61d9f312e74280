"""Errors of the core: each is one human sentence that names the thing and the remedy."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pydantic import ValidationError


class OskrenError(Exception):
    """Something asked for cannot be done; the message says what, to which thing, and what can be done.

    ``status`` is what a server answers with (HTTP).
    """

    status = 422


class NotFound(OskrenError):
    """What was asked for is not there, or not any more."""

    status = 404


class Conflict(OskrenError):
    """What was to be changed has been changed by somebody else since it was read."""

    status = 409


class AudioFileError(OskrenError):
    """A file cannot be read as audio.

    Parameters
    ----------
    path : str
        The file as the user named it.
    reason : str
        Why it cannot be used, as part of a sentence.
    """

    def __init__(self, path: object, reason: str):
        super().__init__(f"{path}: {reason}")
        self.path = str(path)
        self.reason = reason

    def __reduce__(self) -> tuple[type, tuple[str, str]]:
        return AudioFileError, (self.path, self.reason)


class Cancelled(OskrenError):
    """The work was cancelled by its user."""


def first_wrong(error: ValidationError) -> str:
    """Where the first thing lies that a model refuses, and why."""
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    return f"{where + ': ' if where else ''}{first['msg']}"
