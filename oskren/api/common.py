"""What all routers share: the studio, the library of a path, and the shapes of sounds and jobs."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Depends, Header, Path, Query, Request
from pydantic import BaseModel, Field

from oskren.core.audio.layouts import layout_of, possible
from oskren.core.audio.metadata import Metadata
from oskren.core.nodes.model import Node, Step
from oskren.store import Library
from oskren.store.describe.arrivals import ArrivalNotes, notes_of
from oskren.store.library import node_of
from oskren.store.search.rows import small
from oskren.store.search.vector import SURE_PITCH
from oskren.store.tables import Sound
from oskren.work.engine import job as one_job
from oskren.work.engine.job import Job
from oskren.work.engine.studio import Studio
from oskren.work.gather.takes import Takes
from oskren.work.gather.uploads import Uploads
from oskren.work.kinds import Result


def get_studio(request: Request) -> Studio:
    """The running studio."""
    studio: Studio = request.app.state.studio
    return studio


def get_takes(request: Request) -> Takes:
    """The takes in progress."""
    takes: Takes = request.app.state.takes
    return takes


def get_uploads(request: Request) -> Uploads:
    """What browsers are sending."""
    uploads: Uploads = request.app.state.uploads
    return uploads


InUploads = Annotated[Uploads, Depends(get_uploads)]
InStudio = Annotated[Studio, Depends(get_studio)]
InTakes = Annotated[Takes, Depends(get_takes)]


def get_library(studio: InStudio, library: Annotated[str, Path(description="folder name of the library")]) -> Library:
    """The library named in the path."""
    return studio.home.library(library)


InLibrary = Annotated[Library, Depends(get_library)]


def get_page(x_oskren_page: Annotated[str, Header(max_length=40)] = "") -> str:
    """Which page (browser tab) asks: undo belongs to who acted, and a page need not be told of what it did itself."""
    return x_oskren_page


InPage = Annotated[str, Depends(get_page)]
BasedOn = Annotated[int | None, Query(ge=0, description="revision this change is based on; refused when there is a newer one")]


def changed(studio: Studio, library: Library, page: str, what: str, id: int) -> None:
    """Tell every other page that something people edit has changed."""
    studio.jobs.announce("changed", {"library": library.folder.name, "what": what, "id": id, "page": page})


class SoundRow(BaseModel):
    """A sound as a table row; ``row`` holds its small waveform (base64 of signed bytes: lows, then highs)."""

    id: int
    name: str
    kind: str
    category: str
    category_sure: float
    tags: str
    rating: int
    mark: str
    strength: int | None
    layout: str
    missing: bool
    trashed: bool
    created: str
    recorded: str
    folder: str
    bandwidth: float | None
    pitch: float | None
    key: str | None
    fields: dict[str, str | float]
    seconds: float
    rate: int
    channels: int
    bits: int | None
    format: str
    peak: float | None
    loudness: float | None
    brightness: float | None
    anchor_s: float
    anchor_kind: str
    mended: bool
    outline: str


class PathView(BaseModel):
    """A file a sound is found in: its path, what lies there, and whether it is missing."""

    path: str
    format: str
    missing: bool


class SoundState(BaseModel):
    """A chain kept to compare with."""

    name: str = Field(max_length=80)
    chain: list[Step] = Field(max_length=64)


class SoundFacts(SoundRow):
    """A sound with everything known of it."""

    node: Node
    now: Node
    now_digest: str
    chain: list[Step]
    measures: dict[str, Any]
    paths: list[PathView]
    notes: str
    rights: str
    strength_given: bool
    said: Metadata
    layouts: list[str]
    made_from: list[str]
    arrival: int | None
    noted: ArrivalNotes
    cut_from: int | None
    follows: int | None
    states: list[SoundState]
    revision: int


class JobView(one_job.JobView):
    """A job as it stands, with what it gave once it is done."""

    result: Result | None


class Started(BaseModel):
    """A job was started."""

    job: int
    id: int | None = None


def started(job: Job, id: int | None = None) -> Started:
    return Started(job=job.id, id=id)


def row_of(sound: Sound, strength: int | None = None) -> SoundRow:
    """A sound's row; its strength is given by hand, else the proposed one."""
    return SoundRow(**_row(sound, strength))


def _row(sound: Sound, strength: int | None) -> dict[str, Any]:
    facts = sound.measures
    return {
        "id": sound.id,
        "name": sound.name,
        "kind": sound.kind,
        "category": sound.category,
        "category_sure": sound.category_sure,
        "tags": sound.tags,
        "rating": sound.rating,
        "mark": sound.mark,
        "strength": sound.strength or strength,
        "layout": sound.layout or layout_of(sound.channels),
        "missing": sound.missing,
        "trashed": sound.trashed is not None,
        "created": sound.created,
        "recorded": sound.recorded,
        "folder": sound.folder,
        "bandwidth": facts.get("bandwidth_hz"),
        "pitch": facts.get("pitch_hz") if (facts.get("pitch_confidence") or 0.0) >= SURE_PITCH else None,
        "key": facts.get("key"),
        "fields": sound.fields or {},
        "seconds": sound.frames / sound.rate,
        "rate": sound.rate,
        "channels": sound.channels,
        "bits": sound.bits,
        "format": sound.format,
        "peak": facts.get("sample_peak_dbfs"),
        "loudness": facts.get("integrated_lufs"),
        "brightness": facts.get("brightness_hz"),
        "anchor_s": facts.get("anchor_s") or 0.0,
        "anchor_kind": facts.get("anchor_kind") or "start",
        "mended": bool(sound.chain),
        "outline": small(sound.outline),
    }


def facts_of(library: Library, sound: Sound) -> SoundFacts:
    """Everything known of a sound."""
    from oskren.core.nodes.digest import node_hash
    from oskren.core.nodes.model import NodeAdapter
    from oskren.core.nodes.walk import leaves

    now = node_of(sound)
    with library.reading() as session:
        library.columns.refresh(session)
    return SoundFacts(
        **_row(sound, library.columns.strength_of([sound.id])[0]),
        node=NodeAdapter.validate_python(sound.node),
        now=now,
        now_digest=node_hash(now),
        chain=[Step.model_validate(one) for one in sound.chain or []],
        measures=sound.measures,
        paths=[PathView(path=path, format=format_, missing=missing) for path, format_, missing in library.paths(sound.id)],
        notes=sound.notes,
        rights=sound.rights,
        strength_given=sound.strength is not None,
        said=Metadata.model_validate(sound.said or {}),
        layouts=possible(sound.channels),
        made_from=[leaf.audio for leaf in leaves(now)],
        arrival=sound.arrival_id,
        noted=notes_of(library, sound.arrival_id),
        cut_from=sound.cut_from,
        follows=sound.follows,
        states=[SoundState.model_validate(one) for one in sound.states or []],
        revision=sound.revision or 0,
    )
