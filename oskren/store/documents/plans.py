"""Slice plans as they are kept."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel
from sqlalchemy import Text, cast, select

from oskren.core.errors import NotFound
from oskren.core.nodes.model import Node
from oskren.core.slice.finish import Finish
from oskren.core.slice.plan import Plan
from oskren.store.describe.keeping import note_uses
from oskren.store.documents.revisions import step_on
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


def finish_of(library: Library, sound: int) -> Finish:
    """How the slices of a sound are finished; the usual way where it has no plan."""
    with library.reading() as session:
        plan = session.scalar(select(SlicePlan.plan).where(SlicePlan.sound_id == sound))
    return Finish() if plan is None else Finish.model_validate(plan.get("finish", {}))


def take_node(library: Library, sound: int, node: Node, plan: Plan) -> None:
    """Keep the plan of a sound as it is in another state of that sound."""
    with library.writing() as session:
        row = session.scalar(select(SlicePlan).where(SlicePlan.sound_id == sound))
        if row is None:
            raise NotFound("This sound has no plan any more; open it in Slice again.")
        step_on(row, None, "The plan")
        row.node, row.plan = node.model_dump(mode="json"), plan.model_dump(mode="json")
        note_uses(session, "plan", row.id, [node], row.project)
    library.columns.touch_uses()


def one_shots(library: Library, audio: str) -> list[tuple[int, str, dict[str, Any]]]:
    """One-shots that are made of some audio: id, name, and what each is made of; all of them where no audio is given."""
    query = select(Sound.id, Sound.name, Sound.node).where(Sound.kind == "one-shot", Sound.trashed.is_(None)).order_by(Sound.id)
    if audio:
        query = query.where(cast(Sound.node, Text).contains(audio))
    with library.reading() as session:
        return [(id, name, node) for id, name, node in session.execute(query)]
