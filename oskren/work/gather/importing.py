"""Import: files and folders become sounds of a library; bad files are listed and harm nothing."""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Sequence
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, Field
from sqlalchemy import select, text

from oskren.core.audio.metadata import Metadata
from oskren.core.audio.walking import find_audio
from oskren.core.errors import OskrenError
from oskren.core.measure.sameness import alike_outlines
from oskren.core.nodes.examined import Examined
from oskren.core.types import Failed
from oskren.store import Library
from oskren.store.describe import describing
from oskren.store.describe.tree import vocabulary
from oskren.store.search.words import keep_in_step
from oskren.store.tables import Arrival, Sound
from oskren.work.engine.jobs import NOTHING, Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather import tasks as examining

LENGTHS_APART_S = 0.15
"""Coders may lengthen a file by this much."""

FOLLOWED_AT_ONCE = 12
ASKED = 2
"""So few files, as a take that was ended just now, are waited for; more are work behind everything else."""

Coding = tuple[str, int, int | None, int]
"""Format, rate, bits and channels of a file."""


class Imported(BaseModel):
    """What came of an import. ``formats`` counts files that are another format of a sound already there; ``sounds`` are those the files became,
    ``displaced`` those whose only file holds another sound now."""

    kind: Literal["import", "upload"] = "import"
    arrival: int = 0
    sounds: list[int] = Field(default_factory=list, exclude=True)
    imported: int = 0
    already_there: int = 0
    formats: int = 0
    skipped: list[Failed] = []
    displaced: list[int] = []


class Recordings:
    """Finds the sound of a library that a file may be another format of: as long, as loud, the same small waveform."""

    def __init__(self, library: Library):
        self._library = library
        self._by_length: dict[int, list[tuple[int, float, Coding, float | None]]] = defaultdict(list)
        self._sounds: dict[str, int] = {}
        query = "SELECT id, audio, frames * 1.0 / rate, format, rate, bits, channels, json_extract(measures, '$.integrated_lufs') FROM sounds WHERE audio != ''"
        with library.reading() as session:
            for id, audio, seconds, format_, rate, bits, channels, loud in session.execute(text(query + " AND trashed IS NULL")):
                self._sounds[audio] = id
                self._note(id, seconds, (format_, rate, bits, channels), loud)
            for audio, id in session.execute(text("SELECT audio, sound_id FROM paths WHERE audio != ''")):
                self._sounds.setdefault(audio, id)

    def _note(self, id: int, seconds: float, kind: Coding, loud: float | None) -> None:
        self._by_length[int(seconds / LENGTHS_APART_S)].append((id, seconds, kind, loud))

    def add(self, id: int, found: Examined) -> None:
        """Note a sound that came in."""
        self._sounds[found.audio] = id
        self._note(id, found.frames / found.rate, _kind(found), found.measures.get("integrated_lufs"))

    def of(self, studio: Studio, found: Examined) -> int | None:
        """The sound whose recording a file holds in another format; None when there is none, or when the very audio is known."""
        loud = found.measures.get("integrated_lufs")
        if found.audio in self._sounds or loud is None:
            return None
        seconds, kind = found.frames / found.rate, _kind(found)
        place = int(seconds / LENGTHS_APART_S)
        for at in (place - 1, place, place + 1):
            for id, other, its_kind, its_loud in self._by_length.get(at, ()):
                near = abs(other - seconds) <= LENGTHS_APART_S and its_loud is not None and abs(its_loud - loud) <= 1.0
                if near and its_kind != kind and its_kind[3] == kind[3] and self._surely(studio, found, id):
                    return id
        return None

    def _surely(self, studio: Studio, found: Examined, id: int) -> bool:
        try:
            sound = self._library.sound(id)
            if not alike_outlines(found.outline, sound.outline):
                return False
            path = str(self._library.media(sound.audio))
        except OskrenError:
            return False
        return bool(studio.workers.submit("batch", examining.same, found.path, path, found.bits is None or sound.bits is None).result())


def _kind(found: Examined) -> Coding:
    return found.format, found.rate, found.bits, found.channels


def import_paths(
    studio: Studio,
    library: Library,
    paths: list[Path],
    name: str,
    *,
    refer: bool = False,
    progress: Progress = ALONE,
    names: dict[str, str] | None = None,
    kind: str = "original",
    leave: Sequence[Path] = (),
    sent: Path | None = None,
    arrival: int = 0,
    quiet: bool = False,
    move: bool = False,
) -> Imported:
    """Import files and folders; every file is its own transaction, so what is in stays in when the rest is cancelled.

    After a restart it goes on in the arrival it noted, and counts what came in before.

    Parameters
    ----------
    names : dict, optional
        Names to give instead of the file's own, by path.
    leave : sequence of Path
        Folders inside ``paths`` that are not looked at.
    sent : Path, optional
        The temporary folder files were sent to by a browser: their paths are noted from there on.
    arrival : int
        An arrival the sounds join, instead of one of their own called ``name``.
    quiet : bool
        Keep no arrival that brings no sound, whatever was passed over: a watched folder is looked through again and again.
    move : bool
        Take the files themselves into the library: they were made for it.
    """
    result = Imported()
    passed = {studio.home.folder, *(folder.resolve() for folder in leave)}
    wanted = list(find_audio(paths, lambda path, reason: result.skipped.append({"path": str(path), "reason": reason}), leave=passed))
    with library.reading() as session:
        query = "SELECT p.path, p.size, p.modified, s.id, s.arrival_id FROM paths p JOIN sounds s ON s.id = p.sound_id"
        rows = session.execute(text(f"{query} WHERE s.trashed IS NULL AND NOT p.missing"))
        known = {path: ((size, modified), id, its_arrival) for path, size, modified, id, its_arrival in rows}
    noted = arrival or there(library, progress.noted("arrival") or 0)
    seen: set[int] = set()

    def count(id: int, its_arrival: int | None, fresh: bool) -> None:
        """Count a file: as imported, also when that was before a restart, or as known."""
        if id not in seen and (fresh or (noted and its_arrival == noted)):
            result.imported += 1
        else:
            result.already_there += 1
        if id not in seen:
            seen.add(id)
            result.sounds.append(id)

    fresh = []
    for path in wanted:
        try:
            facts = path.stat()
        except OSError as error:  # gone since it was listed
            result.skipped.append({"path": str(path), "reason": f"cannot be read ({error.strerror}); import it again when it is there"})
            continue
        its_facts, id, its_arrival = known.get(str(path.resolve()), (None, 0, None))
        if its_facts == (facts.st_size, facts.st_mtime):
            if noted and its_arrival == noted:
                count(id, its_arrival, fresh=False)
            else:
                result.already_there += 1
        else:
            fresh.append(path)
    result.arrival = noted or library.arrival(name)
    progress.note("arrival", result.arrival)
    place = studio.place()
    words = vocabulary(library)
    recordings = Recordings(library)

    def take(found: Examined) -> None:
        title = (names or {}).get(found.path)
        same = recordings.of(studio, found) if kind == "original" else None
        if same is not None:
            library.add_format(found, same, refer=refer, sent=sent)
            result.formats += 1
            return
        said = Metadata.model_validate(found.said)
        told_path = str(Path(found.path).relative_to(sent)) if sent else found.path
        proposal = words.propose(title or told_path, (said.category, said.title, *said.keywords, said.description[:200]))
        added = library.add_original(found, result.arrival, proposal, refer=refer, kind=kind, name=title, sent=sent, move=move)
        result.displaced += added.displaced
        count(added.id, None if added.fresh else library.sound(added.id).arrival_id, added.fresh)
        if added.fresh:
            recordings.add(added.id, found)

    try:
        for _, found in studio.batch([(examining.examine, place, str(path)) for path in fresh], progress, asked=len(fresh) <= ASKED):
            if not isinstance(found, Examined):
                result.skipped.append({"path": found[0], "reason": found[1]})
                continue
            try:
                take(found)
            except (OskrenError, OSError, ValueError) as error:  # a fault with one file is that file's alone
                reason = str(error).removeprefix(f"{found.path}: ")
                result.skipped.append({"path": found.path, "reason": f"cannot be taken in ({reason})"})
    finally:
        with library.writing() as session:
            row = session.get(Arrival, result.arrival)
            if row is not None:
                skipped = {one["path"]: one for one in (*row.skipped, *result.skipped)}
                row.skipped = [skipped[path] for path in sorted(skipped)]
                if not arrival and not result.imported and (quiet or not result.skipped):
                    session.delete(row)
    return result


def there(library: Library, arrival: int) -> int:
    """An arrival's id if it is there, else 0: one goes with its last sound."""
    with library.reading() as session:
        return arrival if arrival and session.get(Arrival, arrival) is not None else 0


def follow_up(studio: Studio, library: Library, progress: Progress = ALONE) -> int:
    """Measure what an import left for later: pitch, bandwidth, key. Goes on where a kill ended it. How many sounds were measured."""
    with library.reading() as session:
        rows = session.execute(select(Sound.id, Sound.audio, Sound.layout).where(Sound.followed.is_(False), Sound.audio != "")).all()
    todo: list[tuple[int, str, str]] = []
    for id, audio, layout in rows:
        try:
            todo.append((id, str(library.media(audio)), layout))
        except OskrenError:
            continue  # the file is away; it is measured when it is back
    chunks = [todo[at : at + FOLLOWED_AT_ONCE] for at in range(0, len(todo), FOLLOWED_AT_ONCE)]
    done = 0
    for _, answers in studio.batch([(examining.follow_up, chunk) for chunk in chunks], progress, counts=False):
        with library.writing() as session:
            for id, measured in answers:
                sound = session.get(Sound, id)
                if sound is None:
                    continue
                sound.followed = True
                if measured is not None:
                    sound.measures = {**sound.measures, **measured}
                    keep_in_step(session, sound)
        library.columns.touch(*(id for id, _ in answers))
        done += len(answers)
        progress.at(done, len(todo))
    return done


class FollowingUp(Arguments):
    """Measure what an import left for later."""


class FollowedUp(BaseModel):
    """How many sounds were measured."""

    kind: Literal["follow"] = "follow"
    measured: int


FOLLOW = Kind("follow", FollowingUp, lambda studio, library, _, progress: FollowedUp(measured=follow_up(studio, library, progress)), behind=True)
_following = threading.Lock()


def begin_follow_up(studio: Studio, library: Library) -> None:
    """Start measuring what is left, as a job behind everything else; one at a time for a library."""
    with _following:
        if studio.jobs.running(FOLLOW, library):
            return
        with library.reading() as session:
            left = session.scalar(select(Sound.id).where(Sound.followed.is_(False), Sound.audio != "").limit(1))
        if left is not None:
            studio.jobs.start(FOLLOW, library, "Pitch, key and bandwidth", FollowingUp())


def propose_anchors(
    studio: Studio, library: Library, ids: list[int], kind: str, progress: Progress = ALONE
) -> tuple[dict[int, tuple[float, str]], list[Failed]]:
    """Anchors proposed anew for originals: (seconds, kind) by sound, and what was left with its reason. Sounds made in Oskren keep theirs."""
    with library.reading() as session:
        rows = [row for at in range(0, len(ids), 500) for row in session.execute(select(Sound.id, Sound.audio).where(Sound.id.in_(ids[at : at + 500])))]
    items: list[tuple[int, str]] = []
    left: list[Failed] = []
    for id, audio in rows:
        try:
            if audio:
                items.append((id, str(library.media(audio))))
        except OskrenError as error:
            left.append({"path": library.sound(id).name, "reason": str(error)})
    chunks = [items[at : at + FOLLOWED_AT_ONCE] for at in range(0, len(items), FOLLOWED_AT_ONCE)]
    found: dict[int, tuple[float, str]] = {}
    for place, (_, answers) in enumerate(studio.batch([(examining.anchors, chunk, kind) for chunk in chunks]), 1):
        found |= {id: (seconds, said) for id, seconds, said in answers}
        progress.at(min(place * FOLLOWED_AT_ONCE, len(items)), len(items))
    return found, left


class Importing(Arguments):
    """Import files and folders of this machine as one arrival."""

    paths: list[str]
    name: str
    refer: bool = False


def _import(studio: Studio, library: Library, wanted: Importing, progress: Progress) -> Imported:
    try:
        return import_paths(studio, library, [Path(path) for path in wanted.paths], wanted.name, refer=wanted.refer, progress=progress)
    finally:
        begin_follow_up(studio, library)


IMPORT = Kind("import", Importing, _import)


class Anchoring(Arguments):
    """Propose the anchors of sounds anew, for the page that asked."""

    sounds: list[int]
    anchor: str
    page: str = ""


class Anchored(BaseModel):
    """How many anchors moved, and which sounds were left, with the reason."""

    kind: Literal["anchors"] = "anchors"
    changed: int
    failed: list[Failed]


def _anchor(studio: Studio, library: Library, wanted: Anchoring, progress: Progress) -> Anchored:
    found, left = propose_anchors(studio, library, wanted.sounds, wanted.anchor, progress)
    return Anchored(changed=describing.set_anchors(library, found, wanted.page), failed=left)


ANCHOR = Kind("anchors", Anchoring, _anchor, left=NOTHING)
