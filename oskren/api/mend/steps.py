"""Steps: what kinds there are, what they do with their settings, drawn, and which of them, or of the chains kept by name, answer a wish."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio
from oskren.core.controls import Control
from oskren.core.nodes.model import Node
from oskren.core.nodes.walk import leaves
from oskren.core.steps import describe, finding
from oskren.core.steps.base import Picture, checked
from oskren.store.describe import following
from oskren.work.mend import tasks as mending

router = APIRouter(tags=["steps"])


class StepView(BaseModel):
    """A kind of step: its parameters, what it does in a sentence, words it is found by, named settings that ship with it, what another sound
    is to it (an impulse response) if anything, and whether it can be drawn."""

    key: str
    label: str
    family: str
    keeps_time: bool
    whole: bool
    controls: list[Control]
    told: str
    words: str
    settings: dict[str, dict[str, Any]]
    beside: str
    drawn: bool


class Drawn(BaseModel):
    """A step to draw, at the rate (Hz) of what goes through it."""

    kind: str = Field(max_length=60)
    params: dict[str, Any] = {}
    rate: int = Field(48_000, ge=1000, le=768_000)


class FoundStep(BaseModel):
    """A step that answers a wish, with the named setting that answers it best (or nothing)."""

    kind: str
    setting: str


class FoundChain(BaseModel):
    """A saved chain that answers a wish."""

    id: int
    name: str
    told: str


class Finding(BaseModel):
    steps: list[FoundStep]
    chains: list[FoundChain]


@router.get("/steps")
def steps() -> list[StepView]:
    """Every kind of step with its parameters: the interface builds its controls from this."""
    return [StepView.model_validate(one) for one in describe()]


@router.post("/steps/picture")
def draw_step(studio: InStudio, wanted: Drawn) -> Picture | None:
    """What a step does with its settings, drawn; null where a picture says nothing."""
    checked(wanted.kind, wanted.params)
    found = studio.workers.submit("question", mending.picture, wanted.kind, wanted.params, wanted.rate).result()
    return None if found is None else Picture.model_validate(found)


class Behind(BaseModel):
    node: Node


@router.post("/lib/{library}/steps/behind")
def sounds_behind(library: InLibrary, wanted: Behind) -> list[str]:
    """Names of the library's sounds that a node is made of (an impulse response, a profile); for what is not in the library, nothing."""
    return library.names_of([leaf.audio for leaf in leaves(wanted.node)])


@router.get("/lib/{library}/steps/find")
def find_steps(library: InLibrary, wish: Annotated[str, Query(max_length=200)] = "") -> Finding:
    """Steps and saved chains by what they do to a sound, the best first; every chain for an empty wish."""
    found = [FoundStep(kind=match.key, setting=match.setting) for match in finding.find(wish)]
    return Finding(steps=found, chains=[FoundChain(id=id, name=name, told=told) for id, name, told in following.found(library, wish)])
