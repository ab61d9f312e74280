"""Undo and redo that outlast a page: every editor keeps its steps here."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from oskren.api.common import BasedOn, InLibrary
from oskren.api.documents.patches import PatchOp
from oskren.store.documents import histories

router = APIRouter(prefix="/lib/{library}", tags=["histories"])
What = Literal["design", "reel", "chain", "plan", "sheet", "recipe", "spread", "scene"]
Item = Annotated[int, Path(ge=1, le=2**53)]


class StepBack(BaseModel):
    """One step of an editor, as the patches that take it back and do it again."""

    back: list[PatchOp] = Field(max_length=20_000)
    forth: list[PatchOp] = Field(max_length=20_000)
    at: float = Field(0.0, ge=0)
    """When it was made (ms since 1970), so that an editor of two documents takes back what was done last."""


class HistoryView(BaseModel):
    """What can be undone and done again, oldest first; the version counts what was kept."""

    version: int
    past: list[StepBack]
    future: list[StepBack]


class HistoryChange(BaseModel):
    """What changed since a version: the oldest undo steps that go, those after them that stay, redo steps that stay, and what comes behind each."""

    drop: int = Field(0, ge=0, le=1000)
    stay: int = Field(0, ge=0, le=1000)
    again: int = Field(0, ge=0, le=1000)
    past: list[StepBack] = Field([], max_length=histories.MOST_STEPS)
    future: list[StepBack] = Field([], max_length=histories.MOST_STEPS)


class HistoryKept(BaseModel):
    """The new version, and how many steps are kept: the oldest of very large ones go."""

    version: int
    past: int
    future: int


def _dumped(steps: list[StepBack]) -> list[dict[str, Any]]:
    return [step.model_dump(mode="json", by_alias=True, exclude_unset=True) for step in steps]


@router.get("/history/{what}/{item}", response_model_exclude_unset=True)
def history(library: InLibrary, what: What, item: Item) -> HistoryView:
    """The steps of an editor's document."""
    version, past, future = histories.history(library, what, item)
    return HistoryView.model_validate({"version": version, "past": past, "future": future})


@router.put("/history/{what}/{item}")
def keep_history(library: InLibrary, what: What, item: Item, change: HistoryChange, based_on: BasedOn = None) -> HistoryKept:
    """Keep what changed of them; refused when another window kept something since. Without a version all of it is written anew."""
    left = (change.drop, change.stay, change.again)
    version, past, future = histories.keep(library, what, item, based_on, _dumped(change.past), _dumped(change.future), left)
    return HistoryKept(version=version, past=past, future=future)
