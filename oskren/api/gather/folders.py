"""Gather over HTTP: watched folders, pinned ones, the folder for handing over, and backups."""

from __future__ import annotations

import asyncio
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio, Started, started
from oskren.api.doors import whole_path
from oskren.api.gather.files import hand_over
from oskren.api.gather.keeping import Counted
from oskren.store.describe import keeping
from oskren.work.gather import backup, importing, watching

router = APIRouter(prefix="/lib/{library}", tags=["keeping"])


class WatchedView(BaseModel):
    """A watched folder, which folders in it are left out, and what the last scan found."""

    path: str
    left_out: list[str] = []
    scanned: str = ""
    found: dict[str, int] = {}
    there: bool = True


class NewWatched(BaseModel):
    path: str = Field(min_length=1, max_length=4000)


class FolderSettings(BaseModel):
    """Pinned folders stand first among the folders; the hand-over folder is watched by another program."""

    pinned: list[str] = []
    hand_over: str = ""


class Backup(BaseModel):
    """Where to write a backup of the library."""

    folder: str = Field(min_length=1, max_length=4000)


@router.get("/watched")
def watched(library: InLibrary) -> list[WatchedView]:
    """Watched folders."""
    rows = keeping.watched(library)
    return [WatchedView(path=row.path, left_out=row.left_out, scanned=row.scanned, found=row.found, there=Path(row.path).is_dir()) for row in rows]


@router.post("/watched")
def watch(studio: InStudio, library: InLibrary, new: NewWatched) -> Started:
    """Watch a folder and scan it, as a job."""
    path = whole_path(new.path, "the folder to watch")
    watching.watch(library, path)
    return rescan(studio, library, str(path.resolve()))


@router.patch("/watched")
def change_watched(library: InLibrary, change: WatchedView) -> WatchedView:
    """Say which folders inside a watched one are left out."""
    watching.leave_out(library, change.path, change.left_out)
    return change


@router.delete("/watched")
def unwatch(library: InLibrary, path: Annotated[str, Query()]) -> Counted:
    """Stop watching a folder; its sounds stay."""
    watching.unwatch(library, path)
    return Counted(count=1)


@router.post("/watched/rescan")
def rescan(studio: InStudio, library: InLibrary, path: Annotated[str, Query()]) -> Started:
    """Find what is new, missing or moved in a watched folder, as a job."""
    return started(studio.jobs.start(watching.RESCAN, library, f"Scanning {Path(path).name}", watching.Scanning(path=path)))


@router.get("/settings")
def settings(studio: InStudio, library: InLibrary) -> FolderSettings:
    """Pinned folders and the hand-over folder."""
    return FolderSettings(pinned=keeping.setting(library, "pinned").get("folders", []), hand_over=hand_over(studio, library))


@router.put("/settings")
def keep_settings(studio: InStudio, library: InLibrary, wanted: FolderSettings) -> FolderSettings:
    """Pin folders; choose the hand-over folder (empty: one in Oskren's own folder)."""
    folder = str(whole_path(wanted.hand_over, "the hand-over folder")) if wanted.hand_over else ""
    keeping.keep_setting(library, "pinned", {"folders": wanted.pinned})
    keeping.keep_setting(library, "hand over", {"folder": folder})
    return settings(studio, library)


@router.post("/backup")
def back_up(studio: InStudio, library: InLibrary, wanted: Backup) -> Started:
    """Write the whole library into one file of a folder, as a job."""
    folder = whole_path(wanted.folder, "the folder for the backup")
    return started(studio.jobs.start(backup.BACK_UP, library, f"Backing up {library.name}", backup.BackingUp(folder=str(folder))))


async def rescan_all(studio: Any) -> None:
    """At start: look at every watched folder that is there, and go on with measures an earlier run left."""
    await asyncio.sleep(0.5)
    for name in studio.home.names():
        library = studio.home.library(name)
        paths = [row.path for row in keeping.watched(library) if Path(row.path).is_dir()]
        for path in paths:
            rescan(studio, library, path)
        if not paths:
            importing.begin_follow_up(studio, library)
