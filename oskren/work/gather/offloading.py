"""Offloading a card: every take is copied, the copy compared with what was read, named by a template, and imported as one arrival.

Nothing on the card is changed. A card is any folder with recordings in it.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import uuid
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Literal

from pydantic import BaseModel
from sqlalchemy import select

from oskren.core.audio.replacing import replacing
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.types import Failed
from oskren.core.words.names import legal
from oskren.store import Library
from oskren.store.describe import arrivals
from oskren.store.describe.arrivals import ArrivalNotes
from oskren.store.tables import Sound, SoundPath
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.journal import writing_to
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather.card import TEMPLATE, CardTake, CardView, known_as, look
from oskren.work.gather.importing import begin_follow_up, import_paths, there
from oskren.work.ship.folders import free_name, usable_folder

CHUNK = 1 << 20
STAGED = "offload-"
"""Folders of copies that are not in the library yet begin so."""


class Offloaded(BaseModel):
    """What came of it. ``verified`` copies are the same, byte for byte, as what was read from the card."""

    kind: Literal["offload"] = "offload"
    arrival: int = 0
    copied: int = 0
    verified: int = 0
    already_there: int = 0
    second_copies: int = 0
    sounds: list[int] = []
    failed: list[Failed] = []
    skipped: list[Failed] = []


def copied(source: Path, target: Path) -> str:
    """Copy a file and give the hash of what was read; on disk when it returns."""
    digest = hashlib.sha256()
    with open(source, "rb") as from_, open(target, "wb") as to:
        while block := from_.read(CHUNK):
            digest.update(block)
            to.write(block)
        to.flush()
        os.fsync(to.fileno())
    return digest.hexdigest()


def _holds(path: Path, digest: str) -> bool:
    """Whether a file is there and holds what was read."""
    if not path.is_file():
        return False
    with open(path, "rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest() == digest


def verify(path: Path, digest: str, source: Path) -> None:
    """Read a copy back; OskrenError when it is not what was read from the card."""
    with open(path, "rb") as stream:
        found = hashlib.file_digest(stream, "sha256").hexdigest()
    if found != digest:
        raise OskrenError(f"{source}: its copy is not what was read; try another card reader or cable. The take is still on the card.")


def offload(
    studio: Studio,
    library: Library,
    card: Path,
    *,
    template: str = TEMPLATE,
    notes: ArrivalNotes | None = None,
    project: int = 1,
    second: Path | None = None,
    only: Sequence[str] = (),
    progress: Progress = ALONE,
) -> Offloaded:
    """Copy, compare, name and import the takes of a card as one arrival with its notes.

    Parameters
    ----------
    second : Path, optional
        A folder that gets a second copy of every take under its new name, compared too.
    only : sequence of str
        Paths within the card to take; all when empty. Takes that were offloaded before are left.
    """
    notes = notes or ArrivalNotes()
    begun = progress.noted("begun")
    try:
        view = look(library, card, template, notes.place, project)
    except OskrenError:
        if not begun:
            raise
        view = CardView()  # the card is away since: what was copied comes in, the other takes are named
    result = Offloaded(skipped=view.skipped)
    unknown = sorted(set(only) - {take.path for take in view.takes})
    if unknown and not begun:
        raise OskrenError(f"{card / unknown[0]}: is no longer on the card; look at the card again.")
    todo = [CardTake.model_validate(take) for take in begun["takes"]] if begun else [t for t in view.takes if (not only or t.path in only) and not t.known]
    ours = {take.path for take in todo}
    result.already_there = sum(1 for take in view.takes if take.known and take.path not in ours and (not only or take.path in only))
    if second is not None:
        usable_folder(second, "the second copies")
    if not todo:
        return result
    if begun:
        result.arrival = there(library, begun["arrival"])
    if not result.arrival:
        result.arrival = library.arrival(f"Offloaded {datetime.now():%Y-%m-%d %H:%M}{f': {notes.place}' if notes.place else f' from {card.name}'}")
        arrivals.describe(library, result.arrival, notes)
    staging = studio.home.folder / "run" / (begun["staging"] if begun else f"{STAGED}{uuid.uuid4().hex}")
    progress.note("begun", {"takes": [take.model_dump() for take in todo], "arrival": result.arrival, "staging": staging.name})
    staging.mkdir(parents=True, exist_ok=True)
    copying = _Copying(card, staging, second, result, progress)
    cancelled: Cancelled | None = None
    try:
        inside = _sounds_of(library, result.arrival)
        with writing_to(studio.home.folder, second or staging):
            for place, take in enumerate(todo, 1):
                if not progress.wanted:
                    break
                copying.take(place, take, take.name in inside)
                progress.at(place, len(todo))
    except Cancelled as error:  # what is copied is taken in all the same
        cancelled = error
    except BaseException:
        shutil.rmtree(staging, ignore_errors=True)
        raise
    try:
        _import(studio, library, result, copying, staging)
    finally:
        shutil.rmtree(staging, ignore_errors=True)
    if cancelled is not None:
        raise cancelled
    return result


class _Copying:
    """Takes copied from a card to a folder beside the library, each compared with what was read; what is noted as copied is not copied again."""

    def __init__(self, card: Path, staging: Path, second: Path | None, result: Offloaded, progress: Progress):
        self._card, self._staging, self._second = card, staging, second
        self._result, self._progress = result, progress
        self._taken: set[str] = set()
        self.names: dict[str, str] = {}
        self.origins: dict[str, str] = {}

    def take(self, place: int, take: CardTake, inside: bool) -> None:
        """Copy a take and compare it; ``inside`` says that a sound of its name is in the arrival already."""
        source, result = self._card / take.path, self._result
        target = self._staging / f"{place:05d}{source.suffix.lower()}"
        noted = self._progress.noted(f"take {place}")
        if not (noted and (inside or target.exists())):
            try:
                digest = copied(source, target)
                verify(target, digest, source)
                if self._second is not None:
                    self._copy_again(target, take.name, digest, source)
            except (OSError, OskrenError) as error:
                target.unlink(missing_ok=True)
                reason = str(error).removeprefix(f"{source}: ") if isinstance(error, OskrenError) else f"cannot be read ({error.strerror}); try another reader"
                result.failed.append({"path": str(source), "reason": reason})
                return
            noted = known_as(source, take.size)
            self._progress.note(f"take {place}", noted)
        result.copied += 1
        result.verified += 1
        result.second_copies += self._second is not None
        self.names[str(target)] = take.name
        self.origins[str(target)] = noted

    def _copy_again(self, target: Path, name: str, digest: str, source: Path) -> None:
        assert self._second is not None
        ending = source.suffix.lower()
        if _holds(self._second / f"{legal(name, 200)}{ending}", digest):  # it was copied before the server was ended
            return
        with replacing(self._second / free_name(self._second, legal(name), ending, self._taken)) as temporary:
            copied(target, temporary)
            verify(temporary, digest, source)


def _sounds_of(library: Library, arrival: int) -> dict[str, int]:
    """Sounds of an arrival by name."""
    with library.reading() as session:
        return dict(session.execute(select(Sound.name, Sound.id).where(Sound.arrival_id == arrival)).all())


def _import(studio: Studio, library: Library, result: Offloaded, copying: _Copying, staging: Path) -> None:
    names = copying.names
    waiting = [Path(path) for path in names if Path(path).exists()]
    before = _sounds_of(library, result.arrival)
    came = import_paths(studio, library, waiting, "", names=names, kind="take", sent=staging.parent, arrival=result.arrival, move=True)
    result.sounds = sorted({*came.sounds, *(before[name] for path, name in names.items() if name in before and not Path(path).exists())})
    result.already_there += came.already_there
    # unreadable ones are named as on the card, not as in the temporary folder
    result.failed += [{"path": names[one["path"]], "reason": one["reason"]} for one in came.skipped]
    with library.writing() as session:
        for path, origin in copying.origins.items():
            row = session.get(SoundPath, f"sent/{staging.name}/{Path(path).name}")
            if row is None:
                continue
            held = session.get(SoundPath, origin)
            if held is None:
                row.path = origin
            else:
                session.delete(row)


class Offloading(Arguments):
    """Copy, compare, name and import the takes of a card."""

    card: str
    template: str
    notes: ArrivalNotes
    project: int
    second: str
    only: list[str]


def _offload(studio: Studio, library: Library, wanted: Offloading, progress: Progress) -> Offloaded:
    try:
        return offload(
            studio,
            library,
            Path(wanted.card),
            template=wanted.template,
            notes=wanted.notes,
            project=wanted.project,
            second=Path(wanted.second) if wanted.second else None,
            only=wanted.only,
            progress=progress,
        )
    finally:
        begin_follow_up(studio, library)


OFFLOAD = Kind("offload", Offloading, _offload)
