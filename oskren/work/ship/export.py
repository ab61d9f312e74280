"""Files out of the table: sounds or a marked part, to a folder, to the hand-over folder, or dragged out of the browser."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Literal

from pydantic import BaseModel

from oskren.core.audio.formats import format_of
from oskren.core.ship.items import Item
from oskren.core.ship.target import Target
from oskren.core.ship.write import File
from oskren.core.types import Failed
from oskren.store import Library
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.journal import writing_to
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.ship.folders import free_name, usable_folder
from oskren.work.ship.run import write
from oskren.work.ship.sheets import as_present


def export(studio: Studio, library: Library, items: Sequence[Item], target: Target, folder: Path, progress: Progress = ALONE) -> Exported:
    """Write items to a folder, each read back and checked; files that lie there are never written over."""
    usable_folder(folder, "what is written")
    items = as_present(library, items)
    taken: set[str] = set()
    names = [free_name(folder, item.name, format_of(target.format).suffix, taken) for item in items]
    place = studio.place(library, *(item.node for item in items), flag=progress.flag)
    with writing_to(studio.home.folder, folder):
        written = write(studio, place, [File(item, target, folder / name, name) for item, name in zip(items, names, strict=True)], progress)
    return Exported(
        files=sorted(str(folder / report.path) for report in written.good),
        failed=written.failed,
        over=[int(sound) for sound in written.over if sound],
        said=written.said,
        folder=str(folder),
    )


class Exporting(Arguments):
    """Write items to a folder."""

    items: list[Item]
    target: Target
    folder: str


class Exported(BaseModel):
    """What was written. ``over`` are sounds not written because they go over full scale, ``said`` is what was done to what was written."""

    kind: Literal["export"] = "export"
    files: list[str]
    failed: list[Failed]
    over: list[int]
    said: list[str]
    folder: str


def _export(studio: Studio, library: Library, wanted: Exporting, progress: Progress) -> Exported:
    return export(studio, library, wanted.items, wanted.target, Path(wanted.folder), progress)


EXPORT = Kind("export", Exporting, _export, left="The files that were written are whole; export the others again.", pauses=True)
