"""Slice: find, correct and finish slices."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio, Started, changed, started
from oskren.api.documents.factory import Kept, Kind, serve
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Node
from oskren.core.slice import plan as planning
from oskren.core.slice.detect import Inside, SliceSettings, detect, drawn, inside
from oskren.core.slice.finish import SliceLoop
from oskren.core.slice.kits import KitSettings
from oskren.core.slice.plan import Plan
from oskren.core.words.names import ONE_SHOT_TOKENS, check_template
from oskren.store import Library
from oskren.store.documents import designs
from oskren.store.documents import plans as kept
from oskren.store.documents.plans import PlanHead
from oskren.work.engine.studio import Studio
from oskren.work.slice import kitting, making, measuring, newer
from oskren.work.slice import plans as slices
from oskren.work.slice.measuring import MeasuredSlice

router = APIRouter(prefix="/lib/{library}", tags=["slice"])


class PlanView(BaseModel):
    """A plan with what it stands on: the floor, and whether it is visible.

    ``floors_dbfs`` is the floor where it is followed: at most 600 values, from the begin of the sound to its end. ``inside`` says what
    attacks inside sounds were taken for. ``lost`` is how many corrections lie outside the sound as it is now.
    """

    sound: int
    name: str
    seconds: float
    node: Node
    plan: Plan
    floor_dbfs: float
    floor_visible: bool
    floors_dbfs: list[float] | None
    inside: Inside | None
    revision: int
    lost: int = 0


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


class Stems(BaseModel):
    sounds: list[int] = Field(max_length=64)


class Stacked(BaseModel):
    design: int
    name: str


class MeasuredView(BaseModel):
    """The slices that are measured, and how many are left."""

    rows: list[MeasuredSlice]
    left: int


class OlderOneShot(BaseModel):
    """A one-shot of an older state of the sound it was cut from."""

    id: int
    name: str


class OlderView(BaseModel):
    """Whether a sound was mended or given another chain since its slices were found, and what was cut from an older state of it."""

    changed: bool
    one_shots: list[OlderOneShot]


class Move(BaseModel):
    """Move edges of a slice to moments, or by so much from where they are now; ``by_s`` moves the start."""

    do: Literal["move"]
    id: int
    start_s: float | None = None
    end_s: float | None = None
    by_s: float | None = Field(None, ge=-3600, le=3600)


class Split(BaseModel):
    do: Literal["split"]
    id: int
    at_s: float


class Merge(BaseModel):
    do: Literal["merge"]
    id: int


class Drop(BaseModel):
    do: Literal["drop"]
    id: int
    dropped: bool = True


class Add(BaseModel):
    do: Literal["add"]
    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)


class Snap(BaseModel):
    """Put both edges of some slices on the zero crossings nearest to them."""

    do: Literal["snap"]
    ids: list[int] = Field(max_length=20_000)


class Lock(BaseModel):
    do: Literal["lock"]
    ids: list[int] = Field(max_length=20_000)
    locked: bool = True


class LoopEdit(BaseModel):
    """Give a slice a loop, the ``best`` there is, or take its loop away."""

    do: Literal["loop"]
    id: int
    loop: SliceLoop | None = None
    best: bool = False


Edit = Annotated[Move | Split | Merge | Drop | Add | Snap | Lock | LoopEdit, Field(discriminator="do")]


class Edited(BaseModel):
    edit: Edit


@router.get("/plans")
def plans(library: InLibrary) -> list[PlanHead]:
    """Sounds that have slice plans."""
    return kept.heads(library)


def _view(studio: Studio, library: Library, id: int, node: Node, plan: Plan) -> PlanView:
    levels = slices.levels(studio, library, id, node)
    return PlanView(
        sound=id,
        name=library.sound(id).name,
        seconds=levels.seconds,
        node=node,
        plan=plan,
        floor_dbfs=levels.floor_dbfs,
        floor_visible=levels.floor_visible,
        floors_dbfs=drawn(levels.standing.floor_db) if plan.settings.by == "sounds" else None,
        inside=inside(levels, plan.settings),
        revision=slices.revision_of(library, id),
    )


def _keep(studio: Studio, library: Library, id: int, wanted: Plan, based_on: int | None) -> Kept:
    node, _ = slices.plan_of(studio, library, id)
    return Kept(slices.save(library, id, node, wanted, based_on))


PLAN: Kind[Plan] = Kind(
    name="plan",
    body=Plan,
    shown=PlanView,
    read=lambda studio, library, id: slices.plan_of(studio, library, id)[1],
    keep=_keep,
    view=lambda studio, library, id, _: _view(studio, library, id, *slices.plan_of(studio, library, id)),
)
"""The plan of a sound; a first one is found when there is none."""

serve(router, "/plans/{id}", PLAN)


def _changed(studio: Studio, library: Library, page: str, id: int, how: Callable[[Plan], Plan]) -> PlanView:
    """Change the plan as it is when its turn comes, keep it, and tell the other pages."""
    with slices.turn(library, id):
        node, before = slices.plan_of(studio, library, id)
        after = how(before)
        slices.save(library, id, node, after)
    changed(studio, library, page, "plan", id)
    return _view(studio, library, id, node, after)


@router.post("/plans/{id}/find")
def find_slices(studio: InStudio, library: InLibrary, page: InPage, id: int, settings: SliceSettings) -> PlanView:
    """Find anew with other settings; what was corrected by hand stays."""
    node, _ = slices.plan_of(studio, library, id)
    levels = slices.levels(studio, library, id, node)  # measured outside the turn: it may take a while
    return _changed(studio, library, page, id, lambda plan: planning.refound(plan, settings, detect(levels, settings)))


@router.post("/plans/{id}/edit")
def edit_plan(studio: InStudio, library: InLibrary, page: InPage, id: int, wanted: Edited) -> PlanView:
    """Correct one slice of the plan as it is now: edits that come at once are made in turn."""
    node, _ = slices.plan_of(studio, library, id)
    seconds = slices.levels(studio, library, id, node).seconds
    edit = wanted.edit
    crossed = slices.crossings(studio, library, id, edit.ids) if isinstance(edit, Snap) else {}
    best = slices.best_loop(studio, library, id, edit.id) if isinstance(edit, LoopEdit) and edit.best else None

    def corrected(plan: Plan) -> Plan:
        match edit:
            case Move():
                return planning.move(plan, edit.id, planning.moved_start(plan, edit.id, edit.start_s, edit.by_s), edit.end_s, seconds)
            case Split():
                return planning.split(plan, edit.id, edit.at_s)
            case Merge():
                return planning.merge(plan, edit.id)
            case Drop():
                return planning.drop(plan, edit.id, edit.dropped)
            case Add():
                return planning.add(plan, edit.start_s, min(edit.end_s, seconds))
            case Snap():
                return planning.snapped(plan, crossed, seconds)
            case Lock():
                return planning.locked(plan, edit.ids, edit.locked)
            case LoopEdit():
                return planning.looped(plan, edit.id, best or edit.loop)

    return _changed(studio, library, page, id, corrected)


@router.post("/plans/{id}/newer")
def take_newer(studio: InStudio, library: InLibrary, page: InPage, id: int) -> PlanView:
    """Find the slices in the sound as it is now; what was corrected by hand stays at its moments."""
    lost = newer.take(studio, library, id)
    changed(studio, library, page, "plan", id)
    return _view(studio, library, id, *slices.plan_of(studio, library, id)).model_copy(update={"lost": lost})


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


@router.post("/plans/{id}/stems")
def slice_along(studio: InStudio, library: InLibrary, page: InPage, id: int, wanted: Stems) -> PlanView:
    """Which sounds are sliced along with a sound, at the same moments: recorded together with it, each through its own chain."""
    stems = tuple(dict.fromkeys(one for one in wanted.sounds if one != id))
    for stem in stems:
        library.sound(stem)
    slices.plan_of(studio, library, id)  # a first one is found outside the turn
    return _changed(studio, library, page, id, lambda plan: plan.model_copy(update={"stems": stems}))


@router.post("/plans/{id}/kits")
def deal_kits(studio: InStudio, library: InLibrary, page: InPage, id: int, settings: KitSettings) -> PlanView:
    """Deal the kept slices into kits."""
    node, plan = slices.plan_of(studio, library, id)
    found = kitting.kits_of(studio, node, plan, settings)
    return _changed(studio, library, page, id, lambda plan: plan.model_copy(update={"kitting": settings, "kits": found}))


@router.get("/plans/{id}/measured")
def measured_slices(studio: InStudio, library: InLibrary, id: int) -> MeasuredView:
    """What is measured of the slices of a sound so far, and which of them sound alike."""
    rows, left = measuring.measured(studio, *slices.plan_of(studio, library, id))
    return MeasuredView(rows=rows, left=left)


@router.post("/plans/{id}/measure")
def measure_slices(studio: InStudio, library: InLibrary, id: int) -> Started:
    """Measure the slices that are not measured yet, as a job."""
    job = studio.jobs.start(measuring.MEASURE, library, f"Measuring slices of {library.sound(id).name}", measuring.Measuring(sound=id))
    return started(job)


@router.post("/plans/{id}/make")
def make_one_shots(studio: InStudio, library: InLibrary, id: int) -> Started:
    """Make the kept slices one-shots of the library, as a job."""
    node, plan = slices.plan_of(studio, library, id)
    check_template(plan.names, ONE_SHOT_TOKENS)
    asked = making.Cutting(sound=id, node=node, plan=plan)
    return started(studio.jobs.start(making.CUT, library, f"One-shots of {library.sound(id).name}", asked))
