"""One-shots of a slice plan: heard and stacked before they are made, made, and made anew from a newer state of their sound."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio, Started, started
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Node
from oskren.core.words.names import ONE_SHOT_TOKENS, check_template
from oskren.store.documents import designs
from oskren.work.slice import making, newer
from oskren.work.slice import plans as slices

router = APIRouter(prefix="/lib/{library}", tags=["slice"])


class OneShotNode(BaseModel):
    """A slice as its one-shot will be: what it is made of, its attack and where it repeats from (s of it; None where it does not)."""

    id: int
    node: Node
    anchor_s: float
    loops_from_s: float | None


class SlicesAsked(BaseModel):
    """Slices of a plan, by id."""

    ids: list[int] = Field(max_length=2000)


class Stacking(BaseModel):
    """Slices that become layers of a new design of a project."""

    ids: list[int] = Field(min_length=1, max_length=128)
    project: int = 1


class Stacked(BaseModel):
    design: int
    name: str


class OlderOneShot(BaseModel):
    """A one-shot of an older state of the sound it was cut from."""

    id: int
    name: str


class OlderView(BaseModel):
    """Whether a sound was mended or given another chain since its slices were found, and what was cut from an older state of it."""

    changed: bool
    one_shots: list[OlderOneShot]


@router.get("/plans/{id}/older")
def older_state(studio: InStudio, library: InLibrary, id: int) -> OlderView:
    """Whether a sound has changed since it was sliced, and the one-shots that were cut from an older state of it."""
    one_shots = [OlderOneShot(id=one, name=name) for one, name, _ in newer.older_one_shots(library, id)]
    return OlderView(changed=newer.is_older(library, id, slices.plan_of(studio, library, id)[0]), one_shots=one_shots)


@router.post("/plans/{id}/remake")
def remake_one_shots(studio: InStudio, library: InLibrary, id: int) -> Started:
    """Make the one-shots of an older state of a sound anew, as a job."""
    return started(studio.jobs.start(newer.REMAKE, library, f"Remaking one-shots of {library.sound(id).name}", newer.Remaking(sound=id)))


@router.post("/plans/{id}/one-shots")
def one_shots(studio: InStudio, library: InLibrary, id: int, wanted: SlicesAsked) -> list[OneShotNode]:
    """What the one-shots of some slices are made of, as the plan finishes them: to be heard, played on keys or stacked before any is made."""
    node, plan = slices.plan_of(studio, library, id)
    made = making.one_shots_of(studio, library, id, node, plan, plan.of(wanted.ids))
    return [OneShotNode(id=one.slice.id, node=one.node, anchor_s=one.anchor_s, loops_from_s=one.loop and one.loop[0]) for one in made]


@router.post("/plans/{id}/stack")
def stack_slices(studio: InStudio, library: InLibrary, id: int, wanted: Stacking) -> Stacked:
    """A new design with slices as its layers, finished, their attacks on the strike line."""
    node, plan = slices.plan_of(studio, library, id)
    made = making.one_shots_of(studio, library, id, node, plan, plan.of(wanted.ids))
    if not made:
        raise OskrenError("Choose slices of the plan to stack them.")
    name = library.sound(id).name
    row = designs.add(library, f"Slices of {name}", making.mix_of(name, plan, made), wanted.project)
    return Stacked(design=row.id, name=row.name)


@router.post("/plans/{id}/make")
def make_one_shots(studio: InStudio, library: InLibrary, id: int) -> Started:
    """Make the kept slices one-shots of the library, as a job."""
    node, plan = slices.plan_of(studio, library, id)
    check_template(plan.names, ONE_SHOT_TOKENS)
    asked = making.Cutting(sound=id, node=node, plan=plan)
    return started(studio.jobs.start(making.CUT, library, f"One-shots of {library.sound(id).name}", asked))
