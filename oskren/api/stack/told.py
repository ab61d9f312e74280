"""A mix is sent once, as a change of the one before; what is asked about it afterwards names its digest."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends
from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from oskren.api.common import InStudio
from oskren.api.documents.patches import PatchOp, plain
from oskren.core.nodes.model import Mix
from oskren.work.engine.studio import Studio

router = APIRouter(tags=["stack"])


class ByDigest(BaseModel):
    """A mix that was told, by its digest."""

    model_config = ConfigDict(extra="forbid")

    digest: str = Field(max_length=40)


AMix = Mix | ByDigest
"""A mix, whole or by its digest."""


class Telling(BaseModel):
    """A mix: whole, or what changed of the one with the digest ``base``."""

    mix: dict[str, Any] | None = None
    base: str = Field("", max_length=40)
    patch: list[PatchOp] = Field([], max_length=20_000)


def mix_of(studio: Studio, wanted: AMix) -> Mix:
    """The mix that is meant; NotFound when it is known by its digest no more."""
    return studio.told.mix(wanted.digest) if isinstance(wanted, ByDigest) else wanted


def _mix(studio: InStudio, mix: AMix) -> Mix:
    return mix_of(studio, mix)


TheMix = Annotated[Mix, Depends(_mix)]
"""The body of a question about a mix."""


@router.post("/stack/told")
def tell(studio: InStudio, wanted: Telling) -> ByDigest:
    """Tell of a mix as it is now, so that everything that is asked about it need not send it; its digest."""
    try:
        if wanted.mix is not None:
            return ByDigest(digest=studio.told.whole(wanted.mix))
        return ByDigest(digest=studio.told.changed(wanted.base, plain(wanted.patch)))
    except ValidationError as error:
        raise RequestValidationError(error.errors()) from error
