"""Beds over HTTP: layers that go on for as long as wanted, made longer and shorter."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio
from oskren.api.stack.told import AMix, mix_of
from oskren.core.nodes.model import Member
from oskren.core.stack.beds import Bed
from oskren.work.stack import beds

router = APIRouter(prefix="/lib/{library}/stack", tags=["stack"])


class ToBed(BaseModel):
    """A layer of a mix, how it is to go on, and what draws the order of its stretches."""

    mix: AMix
    id: str = Field(min_length=1, max_length=60)
    bed: Bed
    seed: int = Field(0, ge=0, lt=2**32)


class ToLengthen(BaseModel):
    """Beds of a mix, and by how much they are to be longer (s; shorter where negative)."""

    mix: AMix
    ids: list[str] = Field(min_length=1, max_length=2000)
    by_s: float = Field(ge=-86_400, le=86_400)


class Lengthened(BaseModel):
    """Beds as they are then."""

    members: list[Member]


@router.post("/bed")
def bed_of_layer(studio: InStudio, library: InLibrary, wanted: ToBed) -> Member:
    """The layer, going on as asked; with no length, as long as its sound again."""
    return beds.as_bed(studio, library, mix_of(studio, wanted.mix), wanted.id, wanted.bed, wanted.seed)


@router.post("/lengthen")
def lengthen(studio: InStudio, library: InLibrary, wanted: ToLengthen) -> Lengthened:
    """Beds longer or shorter."""
    return Lengthened(members=beds.lengthened(studio, library, mix_of(studio, wanted.mix), wanted.ids, wanted.by_s))
