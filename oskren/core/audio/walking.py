"""Files of folders, as somebody means them who names a folder."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterator
from pathlib import Path

from oskren.core.audio.replacing import TEMPORARY


def _hidden(name: str) -> str:
    """Why a hidden file was passed over."""
    if name.startswith(TEMPORARY):
        return "was being written by Oskren and was not finished; it can be deleted"
    if name.startswith("._"):
        return "is what another system notes of the file beside it, no sound"
    return "is hidden, since its name begins with a dot; rename it if it is to be taken in"


def find_audio(paths: list[Path], skipped: Callable[[Path, str], None], leave: Collection[Path] = ()) -> Iterator[Path]:
    """Walk files and folders in a stable order; hidden ones and the folders ``leave`` are passed over, and all but those folders are reported."""
    for path in paths:
        if path.is_dir():
            for folder, names, files in os.walk(path):
                for name in sorted(name for name in names if name.startswith(".")):
                    skipped(Path(folder) / name, "is a hidden folder; import it by its own path if it is to be taken in")
                names[:] = sorted(name for name in names if not name.startswith(".") and (Path(folder) / name).resolve() not in leave)
                for name in sorted(files):
                    if name.startswith("."):
                        skipped(Path(folder) / name, _hidden(name))
                    elif (Path(folder) / name).exists():
                        yield Path(folder) / name
                    else:
                        skipped(Path(folder) / name, "is a link to a file that is not there; put that file back or remove the link")
        elif path.exists():
            yield path
        else:
            skipped(path, "there is no such file or folder; check the path")
