"""Mend: review reels, what is suggested for their takes, names, and the selects made of them."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio, Started, started
from oskren.api.documents.factory import Kept, Kind, serve
from oskren.api.gather.sounds import Among, ids_of
from oskren.core.errors import OskrenError
from oskren.core.mend import reel as rules
from oskren.core.mend.reel import Reel, Usable
from oskren.core.mend.suggest import Suggestions
from oskren.core.nodes.model import Node
from oskren.core.words.names import SELECT_TOKENS
from oskren.store import Library
from oskren.store.describe.naming import known, named, offered
from oskren.store.describe.tree import vocabulary
from oskren.work.mend import reels

router = APIRouter(prefix="/lib/{library}", tags=["mend"])


class ReelHead(BaseModel):
    id: int
    name: str
    takes: int
    marks: int
    kept: int


class NewReel(Among):
    """Takes for a new reel, in their order."""

    name: str = Field("", max_length=200)
    project: int = 1


class TakeView(BaseModel):
    """A take on a reel and where it begins on the strip (s)."""

    id: int
    name: str
    start_s: float
    seconds: float
    node: Node
    category: str
    channels: int
    rate: int


class MarkName(BaseModel):
    """The name a mark's select would have, and what is wrong with it."""

    id: int
    name: str
    wrong: list[str]


class ReelView(BaseModel):
    """A reel with what it sounds like: ``raw`` without its chain, ``now`` through it; and what it gives."""

    id: int
    name: str
    reel: Reel
    takes: list[TakeView]
    seconds: float
    raw: Node
    now: Node
    usable: Usable
    names: list[MarkName]
    revision: int
    refused: str = ""
    """Why steps of the last save were not kept; the marks were."""


class Typed(BaseModel):
    """Words typed for a name."""

    template: str = Field(max_length=200)
    values: dict[str, str] = {}


class Judged(BaseModel):
    """The name that would come of it, what is wrong with it, and which of its words the library does not say yet."""

    name: str
    wrong: list[str]
    new_words: list[str]


def _view(library: Library, id: int, refused: str = "") -> ReelView:
    name, reel = reels.load(library, id)
    if not reel.takes:
        raise OskrenError(f"{name} has no takes left; put it into the trash and review them on a new reel.")
    takes = reels.takes(library, reel)
    lengths = {take.sound.id: take.seconds for take in takes}
    nodes = {take.sound.id: take.node for take in takes}
    begins = rules.starts(reel, lengths)
    kept = [mark for mark in reel.marks if mark.kind in ("keep", "material")]
    return ReelView(
        id=id,
        name=name,
        reel=reel,
        takes=[
            TakeView(
                id=take.sound.id,
                name=take.sound.name,
                start_s=start,
                seconds=take.seconds,
                node=take.node,
                category=take.sound.category,
                channels=take.sound.channels,
                rate=take.sound.rate,
            )
            for take, start in zip(takes, begins, strict=True)
        ],
        seconds=begins[-1] + takes[-1].seconds,
        raw=rules.node_of(reel, nodes, raw=True),
        now=rules.node_of(reel, nodes),
        usable=rules.usable(reel),
        revision=reels.revision_of(library, id),
        refused=refused,
        names=[MarkName(id=mark.id, name=one, wrong=wrong) for mark, (one, wrong) in zip(kept, reels.names(library, reel, kept), strict=True)],
    )


@router.get("/reels")
def all_reels(library: InLibrary) -> list[ReelHead]:
    """Review reels, the newest first."""
    return [
        ReelHead(id=id, name=name, takes=len(reel.takes), marks=len(reel.marks), kept=sum(mark.kind == "keep" for mark in reel.marks))
        for id, name, reel in reels.heads(library)
    ]


@router.post("/reels")
def begin_reel(library: InLibrary, new: NewReel) -> ReelView:
    """Put takes on a new reel."""
    return _view(library, reels.begin(library, new.name, ids_of(library, new), new.project))


REEL: Kind[Reel] = Kind(
    name="reel",
    body=Reel,
    shown=ReelView,
    read=lambda _, library, id: reels.load(library, id)[1],
    keep=lambda _, library, id, reel, based_on: Kept(*reels.save(library, id, reel, based_on)),
    view=lambda _, library, id, refused: _view(library, id, refused),
)
"""A review reel: a step that would move marks is left out when it is kept, and said; the marks are kept."""

serve(router, "/reels/{id}", REEL)


@router.get("/suggestions/{id}")
def take_suggestions(studio: InStudio, library: InLibrary, id: int) -> Suggestions:
    """What was found in a take: quiet stretches, bumps, clipped parts, hum, events. The first time it takes a while."""
    return reels.suggestions(studio, library, id)


@router.post("/reels/{id}/selects")
def make_selects(studio: InStudio, library: InLibrary, id: int) -> Started:
    """Make what is kept selects of the library, as a job."""
    name, _ = reels.load(library, id)
    return started(studio.jobs.start(reels.SELECT, library, f"Selects of {name}", reels.Selecting(reel=id)))


@router.get("/words")
def words(library: InLibrary, start: Annotated[str, Query(max_length=60)]) -> list[str]:
    """Words the library says that begin so, the most used first."""
    return offered(library, start)


@router.post("/names/check")
def check_name(library: InLibrary, typed: Typed) -> Judged:
    """The name that would come of a template, checked."""
    values: dict[str, object] = {name: typed.values.get(name, "") for name in SELECT_TOKENS if name != "number"}
    name, wrong = named(library, typed.template, [values])[0]
    vocabulary_ = vocabulary(library)
    fresh = [word for word in typed.values.get("words", "").lower().split() if not known(library, word.strip(",.;"), vocabulary_)]
    return Judged(name=name, wrong=wrong, new_words=fresh)
