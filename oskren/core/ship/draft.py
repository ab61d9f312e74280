"""The sheet as it is put together, before it is run: a document of a project."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from oskren.core.nodes.heard import Heard
from oskren.core.ship.sheet import Beside, Given
from oskren.core.ship.target import Target

KINDS = ("sounds", "designs", "draws", "versions")
"""What a sheet holds, in this order."""

MOST = 20_000
"""So many of each kind fit on a sheet."""


class OnSheet(BaseModel):
    """What is on a sheet, by ids, in this order: sounds, with how those were heard that leave as heard (the others leave dry); designs as they are
    when it runs; variations of spreads; kept versions of designs. ``counted`` holds where each was counted when it was shipped, from 0, by
    kind and id ("sounds/12") and by counter: its numbers stay its own."""

    sounds: list[int] = Field([], max_length=MOST)
    heard: dict[int, Heard] = {}
    designs: list[int] = Field([], max_length=MOST)
    draws: list[int] = Field([], max_length=MOST)
    versions: list[int] = Field([], max_length=MOST)
    counted: dict[str, dict[str, int]] = {}

    @property
    def count(self) -> int:
        """How many things are on it."""
        return len(self.keys)

    @property
    def keys(self) -> list[str]:
        """Everything on it by kind and id, in its order."""
        return [f"{kind}/{id}" for kind in KINDS for id in getattr(self, kind)]

    @property
    def numbers(self) -> list[dict[str, int]]:
        """Where everything on it was counted when it was shipped, in its order."""
        return [self.counted.get(key, {}) for key in self.keys]

    def with_more(self, more: OnSheet) -> OnSheet:
        """With others behind those of their kind; a sound that is there already is taken as it was heard now."""
        heard = {number: so for number, so in self.heard.items() if number not in set(more.sounds)}
        return self.model_copy(
            update={
                **{kind: list(dict.fromkeys([*getattr(self, kind), *getattr(more, kind)])) for kind in KINDS},
                "heard": heard | {number: so for number, so in more.heard.items() if not so.dry},
            }
        )


class SheetDraft(OnSheet):
    """A sheet: what is on it, its targets, where to, which files of others may be written over, and what is put beside the files."""

    name: str = Field("One-shots", max_length=120)
    targets: list[Target] = Field([Target(name="wav 24", template="{category}/{name}")], min_length=1, max_length=8)
    folder: str = Field("", max_length=4000)
    allowed: list[str] = Field([], max_length=20_000)
    beside: Beside = Beside()
    given: Given = Given()


class ReadySheet(BaseModel):
    """A sheet without what is on it, as it is kept by name and handed on as a file: targets with their names and limits, what is put beside the
    files, what they say where their sounds say nothing."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)

    format: Literal["oskren-sheet"] = "oskren-sheet"
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=120)
    targets: list[Target] = Field(min_length=1, max_length=8)
    beside: Beside = Beside()
    given: Given = Given()
