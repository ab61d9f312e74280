"""Slice plans: slices found, corrected, measured and dealt into kits."""

from __future__ import annotations

from collections.abc import Callable

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio, Started, changed, started
from oskren.api.documents.factory import Kept, Kind, serve
from oskren.core.nodes.model import Node
from oskren.core.slice import plan as planning
from oskren.core.slice.detect import Inside, SliceSettings, detect, drawn, inside
from oskren.core.slice.edits import Edit, LoopEdit, Snap, edited
from oskren.core.slice.kits import KitSettings
from oskren.core.slice.plan import Plan
from oskren.store import Library
from oskren.store.documents import plans as kept
from oskren.store.documents.plans import PlanHead
from oskren.work.engine.studio import Studio
from oskren.work.slice import kitting, measuring, newer
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


class Stems(BaseModel):
    sounds: list[int] = Field(max_length=64)


class MeasuredView(BaseModel):
    """The slices that are measured, and how many are left."""

    rows: list[MeasuredSlice]
    left: int


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
    return _changed(studio, library, page, id, lambda plan: edited(plan, edit, seconds, crossed, best))


@router.post("/plans/{id}/newer")
def take_newer(studio: InStudio, library: InLibrary, page: InPage, id: int) -> PlanView:
    """Find the slices in the sound as it is now; what was corrected by hand stays at its moments."""
    lost = newer.take(studio, library, id)
    changed(studio, library, page, "plan", id)
    return _view(studio, library, id, *slices.plan_of(studio, library, id)).model_copy(update={"lost": lost})


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
