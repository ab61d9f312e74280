"""The models whose controls the interface draws: it states no range, default, unit or choice of its own."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, ValidationError

from oskren.core.controls import Control, controls_of, number
from oskren.core.mend.reel import Reel
from oskren.core.nodes.heard import Heard
from oskren.core.nodes.model import Group, Member, Mix, Step
from oskren.core.picture.handed import Handing
from oskren.core.picture.scene import Balancing, Cue, Grouping, Place, Scene
from oskren.core.picture.tapping import Tapping
from oskren.core.picture.tonal import TonalBed
from oskren.core.ship.rules import Rules
from oskren.core.ship.sheet import Beside
from oskren.core.ship.target import Target
from oskren.core.slice.detect import SliceSettings
from oskren.core.slice.finish import Finish
from oskren.core.slice.kits import KitSettings
from oskren.core.stack.beds import Bed
from oskren.core.stack.perform import Performance, Playing, Shift, Slot
from oskren.core.timecode import ProjectSettings
from oskren.core.vary.guards import Guards
from oskren.core.vary.near import Copies, Counted
from oskren.core.vary.recipe import Freedom, Recipe, RecipeDraft
from oskren.core.vary.repetition import Repetition


class Listening(BaseModel):
    """How loud everything is heard; it is part of nothing that is kept."""

    model_config = ConfigDict(frozen=True)

    volume_db: float = number(-3.0, -60, 0, "dB", "Volume", digits=0, step=1)


class Published(BaseModel):
    """A model as the interface knows it: its controls, and its values when nothing is set (where it has such)."""

    controls: list[Control]
    defaults: dict[str, Any]


MODELS: tuple[type[BaseModel], ...] = (
    Member, Group, Mix, Step, Bed, Heard, Listening, Performance, Playing, Slot, Shift, SliceSettings, Finish, KitSettings, Target, Rules, Beside, Reel,
    Recipe, RecipeDraft, Freedom, Guards, Repetition, Copies, Counted, ProjectSettings, Cue, Place, Scene, Grouping, Balancing, Tapping, TonalBed,
    Handing,
)  # fmt: skip


def published() -> dict[str, Published]:
    """Every published model by name."""
    return {model.__name__: Published(controls=controls_of(model), defaults=_defaults(model)) for model in MODELS}


def _defaults(model: type[BaseModel]) -> dict[str, Any]:
    try:
        return model().model_dump(mode="json")
    except ValidationError:  # it needs something that has no usual value
        return {name: field.get_default(call_default_factory=True) for name, field in model.model_fields.items() if not field.is_required()}
