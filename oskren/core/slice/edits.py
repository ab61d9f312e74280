"""Corrections of a slice plan as they are asked for, and what each makes of the plan."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from oskren.core.slice import kits
from oskren.core.slice import plan as planning
from oskren.core.slice.finish import SliceLoop
from oskren.core.slice.plan import Plan


class Move(BaseModel):
    """Move edges of a slice to moments, or by so much from where they are now; ``by_s`` moves the start."""

    do: Literal["move"]
    id: int
    start_s: float | None = None
    end_s: float | None = None
    by_s: float | None = Field(None, ge=-3600, le=3600)


class Split(BaseModel):
    """Cut a slice in two at a moment of the sound."""

    do: Literal["split"]
    id: int
    at_s: float


class Merge(BaseModel):
    """Join a slice with the next one."""

    do: Literal["merge"]
    id: int


class Drop(BaseModel):
    """Leave a slice out of what is made, or take it back in."""

    do: Literal["drop"]
    id: int
    dropped: bool = True


class Add(BaseModel):
    """Add a slice by hand, from and to moments of the sound."""

    do: Literal["add"]
    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)


class Snap(BaseModel):
    """Put both edges of some slices on the zero crossings nearest to them."""

    do: Literal["snap"]
    ids: list[int] = Field(max_length=20_000)


class Lock(BaseModel):
    """Keep slices as they are when the plan is worked out anew, or let them go again."""

    do: Literal["lock"]
    ids: list[int] = Field(max_length=20_000)
    locked: bool = True


class LoopEdit(BaseModel):
    """Give a slice a loop, the ``best`` there is, or take its loop away."""

    do: Literal["loop"]
    id: int
    loop: SliceLoop | None = None
    best: bool = False


class ToKit(BaseModel):
    """Put slices into a kit, counted from 0; without one into a new kit."""

    do: Literal["to kit"]
    kit: int | None
    ids: list[int] = Field(min_length=1, max_length=20_000)


class FromKits(BaseModel):
    """Take slices out of the kits they are in."""

    do: Literal["from kits"]
    ids: list[int] = Field(max_length=20_000)


class NameKit(BaseModel):
    """Give a kit, counted from 0, another name."""

    do: Literal["name kit"]
    kit: int
    name: str = Field(min_length=1, max_length=80)


Edit = Annotated[Move | Split | Merge | Drop | Add | Snap | Lock | LoopEdit | ToKit | FromKits | NameKit, Field(discriminator="do")]


def edited(plan: Plan, edit: Edit, seconds: float, crossed: Mapping[int, tuple[float, float]], best: SliceLoop | None) -> Plan:
    """A plan after a correction.

    Parameters
    ----------
    plan : Plan
    edit : Edit
    seconds : float
        Length of the sound.
    crossed : dict
        Zero crossings nearest to the edges of slices (s), by id, for ``snap``.
    best : SliceLoop or None
        The best loop of the slice, for ``loop``.

    Raises
    ------
    OskrenError
        When the correction cannot be: what it is of is locked or gone, or there is no room.
    """
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
        case ToKit():
            return plan.model_copy(update={"kits": kits.with_slices(plan.kits, edit.kit, [piece.id for piece in plan.of(edit.ids)])})
        case FromKits():
            return plan.model_copy(update={"kits": kits.without_slices(plan.kits, edit.ids)})
        case NameKit():
            return plan.model_copy(update={"kits": kits.renamed(plan.kits, edit.kit, edit.name)})
