"""JSON Patches (RFC 6902) as they cross the wire."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from pydantic import BaseModel, Field


class PatchOp(BaseModel):
    """One operation of a JSON Patch (RFC 6902)."""

    op: Literal["add", "remove", "replace", "move", "copy", "test"]
    path: str = Field(max_length=2000)
    from_: str | None = Field(None, alias="from", max_length=2000)
    value: Any = None


def plain(patch: Sequence[PatchOp]) -> list[dict[str, Any]]:
    """A patch as plain data."""
    return [one.model_dump(mode="json", by_alias=True, exclude_unset=True) for one in patch]
