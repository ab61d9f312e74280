"""Slice plans as they are kept."""

from __future__ import annotations

from pydantic import BaseModel
from sqlalchemy import select

from oskren.store.library import Library
from oskren.store.tables import SlicePlan, Sound


class PlanHead(BaseModel):
    """A sound with a plan: how many slices it has, and how many of those are dropped."""

    sound: int
    name: str
    slices: int
    dropped: int


def heads(library: Library) -> list[PlanHead]:
    """All plans, the newest first."""
    query = select(SlicePlan.sound_id, Sound.name, SlicePlan.plan).join(Sound, Sound.id == SlicePlan.sound_id).order_by(SlicePlan.id.desc())
    with library.reading() as session:
        rows = session.execute(query).all()
    return [
        PlanHead(sound=sound, name=name, slices=len(plan.get("slices", [])), dropped=sum(1 for one in plan.get("slices", []) if one.get("dropped")))
        for sound, name, plan in rows
    ]
