"""Stack over HTTP: prints, what is stale and made anew, and performances kept as designs."""

from __future__ import annotations

from dataclasses import asdict
from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio, SoundFacts, Started, changed, facts_of, started
from oskren.api.stack.designs import DesignView
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Member, Mix, Step
from oskren.core.stack.perform import Performance, Shift, laid_out
from oskren.store.describe import wanted as wanting
from oskren.store.documents import designs as kept
from oskren.work.stack import designs as work
from oskren.work.stack import sources

router = APIRouter(prefix="/lib/{library}", tags=["stack"])


class Printing(BaseModel):
    """What to print: ``design`` is the one it is a print of, ``wanted`` an entry of the wanted list it answers."""

    mix: Mix
    name: str = Field(min_length=1, max_length=200)
    category: str = ""
    design: int | None = None
    wanted: int | None = None


class Shifting(Shift):
    """Print, and take the print as a layer that is pitched and goes through a chain."""

    mix: Mix
    name: str = Field(min_length=1, max_length=200)
    design: int | None = None
    chain: list[Step] = []


class Shifted(BaseModel):
    sound: SoundFacts
    member: Member


class Replacing(BaseModel):
    """Put the sound ``by`` in place of ``sound`` in every design."""

    sound: int
    by: int
    keep_length: bool = False


class Replaced(BaseModel):
    """A design or scene in which a sound was replaced, in how many layers or placements."""

    kind: Literal["design", "scene"]
    id: int
    name: str
    layers: int


class StaleThing(BaseModel):
    kind: Literal["design", "print", "scene"]
    id: int
    name: str
    why: str


@router.post("/stack/replace")
def replace(studio: InStudio, library: InLibrary, page: InPage, wanted: Replacing) -> list[Replaced]:
    """Put another sound in place of one in every design and scene; what is locked stays."""
    found = sources.replace_everywhere(studio, library, wanted.sound, wanted.by, keep_length=wanted.keep_length)
    for kind, id, _, _ in found:
        changed(studio, library, page, kind, id)
    return [Replaced(kind=kind, id=id, name=name, layers=count) for kind, id, name, count in found]


@router.get("/stack/stale")
def stale(library: InLibrary) -> list[StaleThing]:
    """Designs, prints and scenes made of what has changed since."""
    return [StaleThing(**asdict(one)) for one in work.stale(library)]


@router.post("/stack/rebuild")
def rebuild(studio: InStudio, library: InLibrary) -> Started:
    """Bring all of that up to date."""
    return started(studio.jobs.start(work.REBUILD, library, "Rebuilding what is stale", work.Rebuilding()))


@router.get("/designs/{id}/print")
def propose_print(library: InLibrary, id: int) -> work.PrintProposal:
    """A name that no sound of the library has, and the category the words of the design propose."""
    return work.proposed_print(library, id)


@router.post("/stack/print")
def print_mix(studio: InStudio, library: InLibrary, wanted: Printing) -> SoundFacts:
    """Print a design to the library: audio of its own, with its lineage."""
    id = work.print_design(studio, library, wanted.mix, wanted.name, wanted.category, wanted.design)
    if wanted.wanted is not None:
        wanting.answer(library, wanted.wanted, "sound", [id])
    return facts_of(library, library.sound(id))


@router.post("/stack/print-and-shift")
def print_and_shift(studio: InStudio, library: InLibrary, wanted: Shifting) -> Shifted:
    """Print, and give the print back as a layer, pitched and through a chain, on the same strike line."""
    id = work.print_design(studio, library, wanted.mix, wanted.name, design=wanted.design)
    layer = work.layer_of_sound(library, id)
    values = {"pitch_st": wanted.semitones, "keep_length": wanted.keep_length, "chain": tuple(wanted.chain)}
    return Shifted(sound=facts_of(library, library.sound(id)), member=layer.model_copy(update=values))


@router.post("/stack/perform")
def perform(library: InLibrary, performance: Performance) -> Mix:
    """What was played, as a mix: one layer for every key that was pressed."""
    return laid_out(performance)


class NewPerformance(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    performance: Performance
    project: int = 1


@router.post("/stack/performances")
def keep_performance(library: InLibrary, new: NewPerformance) -> DesignView:
    """Keep a performance as a design, whose placements can be edited and printed."""
    if not new.performance.played:
        raise OskrenError("Nothing was played yet; press keys while it records.")
    row = kept.add(library, new.name, laid_out(new.performance), new.project)
    return DesignView(id=row.id, name=row.name, mix=Mix.model_validate(row.mix), created=row.created, project=row.project)
