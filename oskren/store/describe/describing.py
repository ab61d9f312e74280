"""Describing many sounds at once, with undo; the trash."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence
from typing import Any

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from oskren.core.audio.layouts import possible
from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import NodeAdapter, Source
from oskren.core.words.categories import clean, with_parents
from oskren.core.words.conditions import number as parse_number
from oskren.core.words.names import SOUND_TOKENS, filled
from oskren.core.words.propose import lessons
from oskren.store.describe.undoing import note
from oskren.store.library import Library
from oskren.store.search.words import keep_in_step
from oskren.store.tables import Arrival, CategoryRow, Edit, FieldRow, Media, Sound, SoundPath, Use, now

MARKS = ("glass", "amber", "coral", "plum", "sky")
MOST_TOLD = 200
"""Sounds that are looked up one by one when they are put into the trash."""

MOST_AT_ONCE = 250_000

WORKED_OUT = {"confirm", "naming", "numbered_from", "add_tags", "remove_tags", "anchor_s", "anchor_kind", "fields", "trashed", "layout"}
"""Parts of a change that are no column of a sound as they stand."""


class Change(BaseModel):
    """What to change of sounds; what is left out stays. ``add_tags`` and ``remove_tags`` keep a sound's other tags.

    ``naming`` is a template for the names of many, numbered in the order given.
    """

    model_config = ConfigDict(extra="forbid")

    name: str | None = Field(None, min_length=1, max_length=400)
    naming: str | None = Field(None, min_length=1, max_length=400)
    numbered_from: int = Field(1, ge=0, le=1_000_000)
    category: str | None = Field(None, max_length=300)
    confirm: bool = False
    tags: str | None = Field(None, max_length=1000)
    add_tags: str | None = Field(None, max_length=1000)
    remove_tags: str | None = Field(None, max_length=1000)
    rating: int | None = Field(None, ge=0, le=5)
    mark: str | None = Field(None, max_length=8)
    notes: str | None = Field(None, max_length=20_000)
    rights: str | None = Field(None, max_length=2000)
    strength: int | None = Field(None, ge=0, le=5)
    layout: str | None = Field(None, max_length=16)
    anchor_s: float | None = Field(None, ge=0)
    anchor_kind: str | None = Field(None, pattern="^(hit|top|end|start)$")
    fields: dict[str, str | float | None] | None = None
    trashed: bool | None = None


def _values(session: Session, sound: Sound, change: Change, place: int) -> dict[str, Any]:
    """Columns of one sound, the n-th of those changed, that a change really changes."""
    given = change.model_dump(exclude_none=True, exclude=WORKED_OUT)
    if change.naming is not None:
        arrival = session.get(Arrival, sound.arrival_id) if sound.arrival_id is not None else None
        said = {
            "name": sound.name,
            "number": change.numbered_from + place,
            "category": sound.category.split("/")[-1],
            "place": (arrival.notes or {}).get("place", "") if arrival is not None else "",
            "date": (sound.recorded or sound.created)[:10],
        }
        given["name"] = filled(change.naming, said, SOUND_TOKENS)[:400] or sound.name
    if "category" in given:
        given["category"] = clean(given["category"]) if given["category"].strip() else ""
        given["category_sure"] = 1.0
    elif change.confirm and sound.category:
        given["category_sure"] = 1.0
    if change.add_tags or change.remove_tags:
        gone = set((change.remove_tags or "").split())
        held = [tag for tag in (given.get("tags", sound.tags)).split() if tag not in gone]
        given["tags"] = " ".join(dict.fromkeys([*held, *(change.add_tags or "").split()]))
    if change.strength == 0:
        given["strength"] = None
    if change.mark is not None and change.mark not in ("", *MARKS):
        raise OskrenError(f"There is no mark '{change.mark}'; there are {', '.join(MARKS)}.")
    if change.anchor_s is not None or change.anchor_kind is not None:
        if change.anchor_s is not None and change.anchor_s > sound.frames / sound.rate:
            raise OskrenError(f"{sound.name} is {sound.frames / sound.rate:.3f} s long; its anchor must lie inside it.")
        moved = {"anchor_s": change.anchor_s, "anchor_kind": change.anchor_kind}
        given["measures"] = {**sound.measures, **{name: value for name, value in moved.items() if value is not None}}
    if change.fields is not None:
        given["fields"] = {name: value for name, value in {**(sound.fields or {}), **_checked(session, change.fields)}.items() if value not in (None, "")}
    if change.trashed is not None and bool(sound.trashed) != change.trashed:
        given["trashed"] = now() if change.trashed else None
    if change.layout is not None:
        given |= _laid_out(sound, change.layout)
    return {name: value for name, value in given.items() if getattr(sound, name) != value}


def _laid_out(sound: Sound, layout: str) -> dict[str, Any]:
    if layout not in possible(sound.channels):
        raise OskrenError(f"{sound.name} has {sound.channels} channels, which cannot be {layout}; choose one of {', '.join(possible(sound.channels))}.")
    node = NodeAdapter.validate_python(sound.node)
    if not isinstance(node, Source):
        raise OskrenError(f"{sound.name} was made in Oskren and has the layout it was made with; set that of its originals.")
    changed = node.model_copy(update={"layout": layout})
    return {"layout": layout, "node": changed.model_dump(mode="json"), "digest": node_hash(changed)}


def _checked(session: Session, fields: dict[str, Any]) -> dict[str, Any]:
    """Values of own fields, each checked by its kind."""
    known = {row.name: row for row in session.scalars(select(FieldRow))}
    answer: dict[str, Any] = {}
    for name, value in fields.items():
        if name not in known:
            raise NotFound(f"There is no field called '{name}'; add it first.")
        row = known[name]
        if value in (None, ""):
            answer[name] = None
        elif row.kind == "number":
            answer[name] = parse_number(str(value), "")
        elif row.kind == "choice" and str(value) not in row.options:
            raise OskrenError(f"'{value}' is no choice of {name}; there are {', '.join(row.options)}.")
        elif row.kind == "date" and not (len(str(value)) >= 4 and str(value)[:4].isdigit()):
            raise OskrenError(f"'{value}' is no date; write 2026-11-23, 2026-11 or 2026.")
        else:
            answer[name] = str(value)
    return answer


def edit(library: Library, ids: Sequence[int], change: Change, title: str = "", told: Callable[[int, int], None] | None = None, actor: str = "") -> int:
    """Change sounds in one transaction and keep what they were; the id of the edit, 0 when nothing was changed.

    A category given or confirmed by hand teaches the proposals. ``told`` may raise to cancel: then nothing is changed.
    """
    if change.name is not None and len(ids) > 1:
        raise OskrenError("Several sounds cannot have one name; rename them one by one.")
    if len(ids) > MOST_AT_ONCE:
        raise OskrenError(f"At most {MOST_AT_ONCE} sounds can be changed at once; narrow the choice.")
    before: dict[str, dict[str, Any]] = {}
    after: dict[str, dict[str, Any]] = {}
    taught: Counter[tuple[str, str]] = Counter()
    with library.writing() as session:
        for at in range(0, len(ids), 500):
            found = {sound.id: sound for sound in session.scalars(select(Sound).where(Sound.id.in_(ids[at : at + 500])))}
            for place, id in enumerate(ids[at : at + 500], at):
                if id not in found:
                    raise NotFound(f"There is no sound {id} in this library; it may have been removed.")
                sound = found[id]
                values = _values(session, sound, change, place)
                if not values:
                    continue
                before[str(id)] = {name: getattr(sound, name) for name in values}
                after[str(id)] = values
                for name, value in values.items():
                    setattr(sound, name, value)
                keep_in_step(session, sound)
                if "category_sure" in values or "category" in values:
                    path = f"{sound.folder}/{sound.name}" if sound.folder else sound.name
                    taught.update((word, sound.category) for word in lessons(path) if sound.category)
            if told:
                told(min(len(ids), at + 500), len(ids))
            session.flush()
        if not before:
            return 0
        _teach(session, taught)
        if change.category:
            for path in with_parents([clean(change.category)]):
                if session.get(CategoryRow, path) is None:
                    session.add(CategoryRow(path=path))
        id = note(session, title or _said(change, len(before)), before, after, actor)
    library.columns.touch(*(int(one) for one in before))
    return id


def set_anchors(library: Library, found: dict[int, tuple[float, str]], actor: str = "") -> int:
    """Set anchors (seconds, kind) of many sounds as one edit; how many really moved."""
    before: dict[str, dict[str, Any]] = {}
    after: dict[str, dict[str, Any]] = {}
    with library.writing() as session:
        for id, (seconds, kind) in found.items():
            sound = session.get(Sound, id)
            if sound is None or (sound.measures.get("anchor_s"), sound.measures.get("anchor_kind")) == (seconds, kind):
                continue
            before[str(id)] = {"measures": sound.measures}
            sound.measures = {**sound.measures, "anchor_s": seconds, "anchor_kind": kind}
            keep_in_step(session, sound)
            after[str(id)] = {"measures": sound.measures}
        if before:
            note(session, f"anchors of {len(before)} {'sound' if len(before) == 1 else 'sounds'}", before, after, actor)
    library.columns.touch(*(int(id) for id in before))
    return len(before)


def _said(change: Change, count: int) -> str:
    what = [name.replace("_", " ") for name in change.model_dump(exclude_none=True, exclude_defaults=True)]
    return f"{', '.join(what)} of {count} {'sound' if count == 1 else 'sounds'}"


def _teach(session: Session, taught: Counter[tuple[str, str]]) -> None:
    """Remember that words of the changed sounds' paths stand for their category."""
    for (word, category), count in taught.items():
        session.execute(
            text(
                "INSERT INTO lessons (word, category, count) VALUES (:word, :category, :count) "
                "ON CONFLICT (word, category) DO UPDATE SET count = count + excluded.count"
            ),
            {"word": word, "category": category, "count": count},
        )


# ---- trash


def used_in(library: Library, ids: Sequence[int]) -> dict[str, list[str]]:
    """Names of what uses sounds, by the sound's name: what is told when they are put into the trash."""
    found: dict[str, list[str]] = {}
    for id in ids[:MOST_TOLD]:
        uses = uses_of(library, id)
        if uses:
            found[library.sound(id).name] = list(dict.fromkeys(f"{use['what']} {use['name']}" for use in uses))
    return found


def uses_of(library: Library, id: int) -> list[dict[str, Any]]:
    """Where a sound is used: what, which, its name and its project."""
    names = {"design": "designs", "spread": "spreads", "plan": "plans", "shipment": "shipments", "reel": "reels", "scene": "scenes"}
    with library.reading() as session:
        digest = session.scalar(select(Sound.digest).where(Sound.id == id))
        found = []
        for use in session.scalars(select(Use).where(Use.digest == digest).order_by(Use.what, Use.item)):
            if use.what == "plan":
                query = "SELECT s.name FROM plans p JOIN sounds s ON s.id = p.sound_id WHERE p.id = :id"
            else:
                named = "name || iif(trashed IS NULL, '', ' (in the trash)')" if use.what in ("design", "reel", "scene") else "name"
                query = f"SELECT {named} FROM {names[use.what]} WHERE id = :id"
            name = session.execute(text(query), {"id": use.item}).scalar()
            project = session.execute(text("SELECT name FROM projects WHERE id = :id"), {"id": use.project}).scalar()
            if name is not None:
                found.append({"what": use.what, "item": use.item, "name": name, "project": project or ""})
    return found


_HOLDING = {
    "designs": ("mix",),
    "versions": ("mix",),
    "spreads": ("mix",),
    "draws": ("mix",),
    "scenes": ("scene",),
    "scene_versions": ("scene",),
    "films": ("guide",),
    "plans": ("node",),
    "reels": ("reel",),
    "recipes": ("saved",),
    "chains": ("chain",),
    "drafts": ("body",),
    "settings": ("value",),
    "histories": ("past", "future"),
    "sounds": ("node", "chain", "states"),
}
"""Columns that may name audio, by table: what is named there stays on the disk when the sound it came with goes, also where the sound has changed since."""

_HASH = re.compile(r"\b[0-9a-f]{40}\b")


def _held(session: Session, audios: set[str]) -> set[str]:
    """Those of some audio (by hash) that are named anywhere: every column is read once, however many there are."""
    found: set[str] = set()
    for table, columns in _HOLDING.items() if audios else ():
        for values in session.execute(text(f"SELECT {', '.join(columns)} FROM {table}")):
            for value in values:
                found |= audios.intersection(_HASH.findall(value or ""))
    return found


def empty_trash(library: Library) -> tuple[int, list[str]]:
    """Delete what lies in the trash for good: how many went, and sentences on what stays because it is used.

    Files Oskren copied go with their sound; files that are referred to stay where they lie.
    """
    stays: list[str] = []
    gone: list[int] = []
    files: list[str] = []
    audios: set[str] = set()
    with library.writing() as session:
        for sound in session.scalars(select(Sound).where(Sound.trashed.is_not(None))).all():
            used = session.scalar(select(func.count()).select_from(Use).where(Use.digest == sound.digest)) or 0
            if used:
                stays.append(f"{sound.name} is used in {used} {'place' if used == 1 else 'places'} and stays in the trash.")
                continue
            audios |= {sound.audio, *session.scalars(select(SoundPath.audio).where(SoundPath.sound_id == sound.id))} - {""}
            gone.append(sound.id)
            session.execute(text("DELETE FROM sound_words WHERE rowid = :id"), {"id": sound.id})
            session.delete(sound)
        session.flush()
        for audio in audios - _held(session, audios):
            media = session.get(Media, audio)
            if media is not None:
                if not media.referred:
                    files.append(media.path)
                session.delete(media)
        for row in session.scalars(select(Edit).where(Edit.kind == "sounds")).all():
            if {int(id) for id in row.before} & set(gone):
                session.delete(row)
    for path in files:
        (library.folder / path).unlink(missing_ok=True)
    library.columns.touch(*gone)
    return len(gone), stays
