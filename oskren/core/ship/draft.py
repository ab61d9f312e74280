"""The sheet as it is put together, before it is run: a document of a project."""

from __future__ import annotations

from pydantic import BaseModel, Field

from oskren.core.nodes.heard import Heard
from oskren.core.ship.sheet import Beside, Target

MOST = 20_000
"""So many of each kind fit on a sheet."""


class OnSheet(BaseModel):
    """What is on a sheet, by ids, in this order: sounds, with how those were heard that leave as heard (the others leave dry); designs as they are
    when it runs; variations of spreads."""

    sounds: list[int] = Field([], max_length=MOST)
    heard: dict[int, Heard] = {}
    designs: list[int] = Field([], max_length=MOST)
    draws: list[int] = Field([], max_length=MOST)

    @property
    def count(self) -> int:
        """How many things are on it."""
        return len(self.sounds) + len(self.designs) + len(self.draws)

    def with_more(self, more: OnSheet) -> OnSheet:
        """With others behind those of their kind; a sound that is there already is taken as it was heard now."""
        heard = {number: so for number, so in self.heard.items() if number not in set(more.sounds)}
        return self.model_copy(
            update={
                "sounds": list(dict.fromkeys([*self.sounds, *more.sounds])),
                "designs": list(dict.fromkeys([*self.designs, *more.designs])),
                "draws": list(dict.fromkeys([*self.draws, *more.draws])),
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
