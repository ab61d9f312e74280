"""Tables of a library. Rows hold descriptions; audio lies in files named by hash.

``digest`` is the hash of a node (:mod:`oskren.core.nodes.digest`) and ``outline`` the small waveform of a table's row; their columns are called
``key`` and ``row`` in the file.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, Boolean, Float, ForeignKey, Integer, LargeBinary, String, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


def now() -> str:
    """The present moment in UTC, to the second."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


class Base(DeclarativeBase):
    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON}


class Document(Base):
    """What people make, name and can put into the trash: ``trashed`` says when (``at``), and what bringing it back mends; None while it is in use."""

    __abstract__ = True
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    trashed: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))


class Media(Base):
    """An audio file: in the library's media folder, or referred to where it lies."""

    __tablename__ = "media"
    audio: Mapped[str] = mapped_column(String(40), primary_key=True)
    path: Mapped[str] = mapped_column(Text)
    referred: Mapped[bool] = mapped_column(Boolean, default=False)


class Arrival(Base):
    """Everything that came in with one import, recording or print; ``notes`` say where and how it was recorded, ``photos`` are files beside the media."""

    __tablename__ = "arrivals"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    created: Mapped[str] = mapped_column(String(20), default=now)
    skipped: Mapped[list[Any]] = mapped_column(default=list)
    notes: Mapped[dict[str, Any]] = mapped_column(default=dict)
    photos: Mapped[list[Any]] = mapped_column(default=list)


class Sound(Base):
    """A sound, take, print, variation or one-shot: one row of Gather."""

    __tablename__ = "sounds"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    kind: Mapped[str] = mapped_column(String(12))
    arrival_id: Mapped[int | None] = mapped_column(ForeignKey("arrivals.id"), index=True)
    created: Mapped[str] = mapped_column(String(20), default=now)
    digest: Mapped[str] = mapped_column("key", String(40), index=True)
    audio: Mapped[str] = mapped_column(String(40), default="", index=True)
    node: Mapped[dict[str, Any]] = mapped_column()
    chain: Mapped[list[Any]] = mapped_column(default=list)
    rate: Mapped[int] = mapped_column(Integer)
    channels: Mapped[int] = mapped_column(Integer)
    bits: Mapped[int | None] = mapped_column(Integer)
    format: Mapped[str] = mapped_column(String(8))
    frames: Mapped[int] = mapped_column(Integer)
    category: Mapped[str] = mapped_column(Text, default="")
    category_sure: Mapped[float] = mapped_column(Float, default=1.0)
    tags: Mapped[str] = mapped_column(Text, default="")
    rating: Mapped[int] = mapped_column(Integer, default=0)
    notes: Mapped[str] = mapped_column(Text, default="")
    layout: Mapped[str] = mapped_column(String(16), default="")
    mark: Mapped[str] = mapped_column(String(8), default="")
    rights: Mapped[str] = mapped_column(Text, default="")
    strength: Mapped[int | None] = mapped_column(Integer)
    recorded: Mapped[str] = mapped_column(String(20), default="")
    fields: Mapped[dict[str, Any]] = mapped_column(default=dict)
    said: Mapped[dict[str, Any]] = mapped_column(default=dict)
    folder: Mapped[str] = mapped_column(Text, default="")
    trashed: Mapped[str | None] = mapped_column(String(20))
    missing: Mapped[bool] = mapped_column(Boolean, default=False)
    followed: Mapped[bool] = mapped_column(Boolean, default=False)
    cut_from: Mapped[int | None] = mapped_column(Integer, index=True)
    follows: Mapped[int | None] = mapped_column(Integer, index=True)
    states: Mapped[list[Any]] = mapped_column(default=list)
    revision: Mapped[int] = mapped_column(Integer, default=0)
    measures: Mapped[dict[str, Any]] = mapped_column(default=dict)
    outline: Mapped[bytes] = mapped_column("row", LargeBinary, default=b"")
    vector: Mapped[bytes] = mapped_column(LargeBinary, default=b"")


class SoundPath(Base):
    """A path a sound was found under, and what lies there; one sound may have several, also of other formats."""

    __tablename__ = "paths"
    path: Mapped[str] = mapped_column(Text, primary_key=True)
    sound_id: Mapped[int] = mapped_column(ForeignKey("sounds.id", ondelete="CASCADE"), index=True)
    size: Mapped[int] = mapped_column(Integer, default=0)
    modified: Mapped[float] = mapped_column(Float, default=0.0)
    audio: Mapped[str] = mapped_column(String(40), default="", index=True)
    format: Mapped[str] = mapped_column(String(24), default="")
    missing: Mapped[bool] = mapped_column(Boolean, default=False)


class CategoryRow(Base):
    """One category of the tree its user owns."""

    __tablename__ = "categories"
    path: Mapped[str] = mapped_column(Text, primary_key=True)
    code: Mapped[str] = mapped_column(Text, default="")
    words: Mapped[str] = mapped_column(Text, default="")


class Lesson(Base):
    """How often a user gave a category to a sound with a word in its path."""

    __tablename__ = "lessons"
    word: Mapped[str] = mapped_column(Text, primary_key=True)
    category: Mapped[str] = mapped_column(Text, primary_key=True)
    count: Mapped[int] = mapped_column(Integer, default=0)


class SavedSearch(Base):
    """A search kept by name, as text."""

    __tablename__ = "searches"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    asked: Mapped[dict[str, Any]] = mapped_column()


class SoundSet(Base):
    """An ordered, named collection of sounds."""

    __tablename__ = "sets"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)


class SetMember(Base):
    """A sound's place in a set."""

    __tablename__ = "set_members"
    set_id: Mapped[int] = mapped_column(ForeignKey("sets.id", ondelete="CASCADE"), primary_key=True)
    sound_id: Mapped[int] = mapped_column(ForeignKey("sounds.id", ondelete="CASCADE"), primary_key=True, index=True)
    place: Mapped[int] = mapped_column(Integer)


class FieldRow(Base):
    """A field of the user's own: text, number, date or choice."""

    __tablename__ = "fields"
    name: Mapped[str] = mapped_column(Text, primary_key=True)
    kind: Mapped[str] = mapped_column(String(8))
    options: Mapped[list[Any]] = mapped_column(default=list)


class Edit(Base):
    """Something done in a library, kept so that it can be undone by whoever did it (``actor``: the page).

    ``before`` and ``after`` are values of every changed sound; for other kinds (set, tree) what was there before and after.
    """

    __tablename__ = "edits"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    title: Mapped[str] = mapped_column(Text)
    created: Mapped[str] = mapped_column(String(20), default=now)
    before: Mapped[dict[str, Any]] = mapped_column()
    after: Mapped[dict[str, Any]] = mapped_column()
    undone: Mapped[bool] = mapped_column(Boolean, default=False)
    actor: Mapped[str] = mapped_column(String(40), default="")
    kind: Mapped[str] = mapped_column(String(12), default="sounds")


class Watched(Base):
    """A folder whose files are referred to where they lie and rescanned; ``left_out`` folders in it are not looked at."""

    __tablename__ = "watched"
    path: Mapped[str] = mapped_column(Text, primary_key=True)
    left_out: Mapped[list[Any]] = mapped_column(default=list)
    scanned: Mapped[str] = mapped_column(String(20), default="")
    found: Mapped[dict[str, Any]] = mapped_column(default=dict)


class SavedChain(Document):
    """A chain kept by name, with what it does in words, to be put on other sounds."""

    __tablename__ = "chains"
    told: Mapped[str] = mapped_column(Text, default="")
    chain: Mapped[list[Any]] = mapped_column()


class ReelRow(Document):
    """A review reel: raw takes in a row with what was marked on them."""

    __tablename__ = "reels"
    project: Mapped[int] = mapped_column(Integer, default=1)
    reel: Mapped[dict[str, Any]] = mapped_column()
    revision: Mapped[int] = mapped_column(Integer, default=0)
    created: Mapped[str] = mapped_column(String(20), default=now)


class Setting(Base):
    """What a library remembers of how it is used: pinned folders, the hand-over folder."""

    __tablename__ = "settings"
    name: Mapped[str] = mapped_column(Text, primary_key=True)
    value: Mapped[dict[str, Any]] = mapped_column()


class Draft(Base):
    """What is being put together in a project and is not run yet: the sheet of Ship, the recipe of a design."""

    __tablename__ = "drafts"
    project: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    revision: Mapped[int] = mapped_column(Integer, default=0)
    body: Mapped[dict[str, Any]] = mapped_column()


class History(Base):
    """What can be undone and done again in an editor; forgotten with what it is of."""

    __tablename__ = "histories"
    what: Mapped[str] = mapped_column(String(12), primary_key=True)
    item: Mapped[int] = mapped_column(Integer, primary_key=True)
    version: Mapped[int] = mapped_column(Integer, default=0)
    past: Mapped[list[Any]] = mapped_column(default=list)
    future: Mapped[list[Any]] = mapped_column(default=list)


class Project(Base):
    """Designs, spreads, slice plans and shipments made for one purpose; its frame rate is one of ``core.timecode.FRAME_RATES``."""

    __tablename__ = "projects"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    frame_rate: Mapped[str] = mapped_column(Text, default="25")


class WantedSound(Base):
    """A sound a project needs."""

    __tablename__ = "wanted"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    project: Mapped[int] = mapped_column(Integer, default=1, index=True)
    what: Mapped[str] = mapped_column(Text)
    how_many: Mapped[int] = mapped_column(Integer, default=1)
    priority: Mapped[int] = mapped_column(Integer, default=2)
    notes: Mapped[str] = mapped_column(Text, default="")
    state: Mapped[str] = mapped_column(String(12), default="wanted")
    created: Mapped[str] = mapped_column(String(20), default=now)


class WantedAnswer(Base):
    """A sound or design that answers an entry of the wanted list."""

    __tablename__ = "wanted_answers"
    wanted_id: Mapped[int] = mapped_column(ForeignKey("wanted.id", ondelete="CASCADE"), primary_key=True)
    kind: Mapped[str] = mapped_column(String(8), primary_key=True)
    item: Mapped[int] = mapped_column(Integer, primary_key=True)


class Use(Base):
    """That something made of sounds holds a node with this hash."""

    __tablename__ = "uses"
    digest: Mapped[str] = mapped_column("key", String(40), primary_key=True)
    what: Mapped[str] = mapped_column(String(10), primary_key=True)
    item: Mapped[int] = mapped_column(Integer, primary_key=True)
    project: Mapped[int] = mapped_column(Integer, default=1)


class Design(Document):
    """A designed effect: a mix with a name."""

    __tablename__ = "designs"
    mix: Mapped[dict[str, Any]] = mapped_column()
    created: Mapped[str] = mapped_column(String(20), default=now)
    project: Mapped[int] = mapped_column(Integer, default=1)
    revision: Mapped[int] = mapped_column(Integer, default=0)


class Version(Document):
    """A state of a design kept by name; ``facts`` hold its loudness and length, ``outline`` its small waveform."""

    __tablename__ = "versions"
    design_id: Mapped[int] = mapped_column(ForeignKey("designs.id", ondelete="CASCADE"), index=True)
    notes: Mapped[str] = mapped_column(Text, default="")
    mix: Mapped[dict[str, Any]] = mapped_column()
    facts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    outline: Mapped[bytes] = mapped_column("row", LargeBinary, default=b"")
    created: Mapped[str] = mapped_column(String(20), default=now)


class PrintRow(Base):
    """That a sound is the print of a design, and the hash of what was printed."""

    __tablename__ = "prints"
    sound_id: Mapped[int] = mapped_column(ForeignKey("sounds.id", ondelete="CASCADE"), primary_key=True)
    design_id: Mapped[int] = mapped_column(ForeignKey("designs.id", ondelete="CASCADE"), index=True)
    digest: Mapped[str] = mapped_column("key", String(40))


class Spread(Base):
    """Variations drawn from a design by a recipe and a seed; it keeps the design as it was then."""

    __tablename__ = "spreads"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    design_id: Mapped[int | None] = mapped_column(ForeignKey("designs.id", ondelete="SET NULL"))
    name: Mapped[str] = mapped_column(Text)
    seed: Mapped[int] = mapped_column(Integer)
    mix: Mapped[dict[str, Any]] = mapped_column()
    recipe: Mapped[dict[str, Any]] = mapped_column()
    made_with: Mapped[str] = mapped_column(Text, default="")
    created: Mapped[str] = mapped_column(String(20), default=now)
    project: Mapped[int] = mapped_column(Integer, default=1)
    revision: Mapped[int] = mapped_column(Integer, default=0)
    """Of what is said of its variations."""
    facts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """What its variations are matched to, and which numbers were replaced, by what and why."""
    sound_id: Mapped[int | None] = mapped_column(Integer)
    """The sound it was drawn from, where that is no design."""


class RecipeRow(Document):
    """A recipe kept by name, with what names the layers and steps it frees."""

    __tablename__ = "recipes"
    saved: Mapped[dict[str, Any]] = mapped_column()


class ReadySheetRow(Document):
    """Targets, names and words of a sheet, kept by name."""

    __tablename__ = "ready_sheets"
    saved: Mapped[dict[str, Any]] = mapped_column()


class FilmRow(Base):
    """A video file that sounds are put to: where it lies, what it holds, where its shots begin, and its own sound as a node.

    ``state`` is "opening" while the copy that is played is made, then "ready", or "failed" with the reason in ``message``.
    """

    __tablename__ = "films"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    path: Mapped[str] = mapped_column(Text)
    film: Mapped[dict[str, Any]] = mapped_column()
    state: Mapped[str] = mapped_column(String(12), default="opening")
    message: Mapped[str] = mapped_column(Text, default="")
    shots: Mapped[list[Any]] = mapped_column(default=list)
    guide: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    created: Mapped[str] = mapped_column(String(20), default=now)


class SceneRow(Document):
    """A film with its cues and placements."""

    __tablename__ = "scenes"
    film_id: Mapped[int] = mapped_column(Integer, index=True)
    scene: Mapped[dict[str, Any]] = mapped_column()
    created: Mapped[str] = mapped_column(String(20), default=now)
    project: Mapped[int] = mapped_column(Integer, default=1)
    revision: Mapped[int] = mapped_column(Integer, default=0)


class SceneVersion(Document):
    """A state of a scene kept by name."""

    __tablename__ = "scene_versions"
    scene_id: Mapped[int] = mapped_column(ForeignKey("scenes.id", ondelete="CASCADE"), index=True)
    notes: Mapped[str] = mapped_column(Text, default="")
    scene: Mapped[dict[str, Any]] = mapped_column()
    created: Mapped[str] = mapped_column(String(20), default=now)


class Draw(Base):
    """One variation of a spread; ``facts`` holds what was measured of it once it is rendered."""

    __tablename__ = "draws"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    spread_id: Mapped[int] = mapped_column(ForeignKey("spreads.id", ondelete="CASCADE"), index=True)
    number: Mapped[int] = mapped_column(Integer)
    digest: Mapped[str] = mapped_column("key", String(40))
    mix: Mapped[dict[str, Any]] = mapped_column()
    state: Mapped[str] = mapped_column(String(8), default="unheard")
    facts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    outline: Mapped[bytes] = mapped_column("row", LargeBinary, default=b"")


class SlicePlan(Base):
    """The slices of a sound."""

    __tablename__ = "plans"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    sound_id: Mapped[int] = mapped_column(ForeignKey("sounds.id", ondelete="CASCADE"), unique=True)
    node: Mapped[dict[str, Any]] = mapped_column()
    plan: Mapped[dict[str, Any]] = mapped_column()
    revision: Mapped[int] = mapped_column(Integer, default=0)
    project: Mapped[int] = mapped_column(Integer, default=1)


class Shipment(Base):
    """One run of a sheet: where its files went and what was read back."""

    __tablename__ = "shipments"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    folder: Mapped[str] = mapped_column(Text)
    sheet: Mapped[dict[str, Any]] = mapped_column()
    state: Mapped[str] = mapped_column(String(12), default="running")
    created: Mapped[str] = mapped_column(String(20), default=now)
    reports: Mapped[list[Any]] = mapped_column(default=list)
    failed: Mapped[list[Any]] = mapped_column(default=list)
    unchanged: Mapped[list[Any]] = mapped_column(default=list)
    project: Mapped[int] = mapped_column(Integer, default=1)
