"""Folders of the user's that something is written to, and names that are free in them."""

from __future__ import annotations

from pathlib import Path

from oskren.core.errors import OskrenError
from oskren.core.words.names import legal


def usable_folder(folder: Path, what: str) -> None:
    """Make a folder that something is written to, if need be; OskrenError when it cannot be one."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OskrenError(f"{folder}: cannot be used for {what} ({error.strerror}); choose another.") from error


def free_name(folder: Path, name: str, extension: str, taken: set[str]) -> str:
    """A legal file name that neither lies in a folder yet nor is taken: a number is put behind it."""
    stem = legal(name, 200)
    for number in range(1, 100_000):
        shown = f"{stem}{extension}" if number == 1 else f"{stem} ({number}){extension}"
        if shown.casefold() not in taken and not (folder / shown).exists():
            taken.add(shown.casefold())
            return shown
    raise OskrenError(f"{folder / stem}: holds too many files of this name; choose another folder.")
