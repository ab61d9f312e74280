"""Hard ranges of numbers as the models state them: what a typed value may be, wherever it is typed."""

from __future__ import annotations

from annotated_types import Ge, Gt, Le, Lt
from pydantic import BaseModel

from oskren.core.mend.reel import Reel
from oskren.core.nodes.heard import Heard
from oskren.core.nodes.model import Group, Member, Step
from oskren.core.ship.sheet import Target
from oskren.core.slice.detect import SliceSettings
from oskren.core.slice.plan import Finish

RANGED: tuple[type[BaseModel], ...] = (Member, Group, Step, Heard, SliceSettings, Finish, Target, Reel)
"""Models whose numbers are typed by people."""


def ranges() -> dict[str, dict[str, tuple[float | None, float | None]]]:
    """Lowest and highest value of every number of every model that is typed by people; None where the model states no end.

    >>> ranges()["Member"]["pitch_st"], ranges()["Member"]["anchor_s"]
    ((-48.0, 36.0), (None, None))
    """
    found: dict[str, dict[str, tuple[float | None, float | None]]] = {}
    for model in RANGED:
        for name, field in model.model_fields.items():
            low = next((float(one.ge if isinstance(one, Ge) else one.gt) for one in field.metadata if isinstance(one, Ge | Gt)), None)  # type: ignore[arg-type]
            high = next((float(one.le if isinstance(one, Le) else one.lt) for one in field.metadata if isinstance(one, Le | Lt)), None)  # type: ignore[arg-type]
            if low is not None or high is not None or field.annotation in (float, float | None):
                found.setdefault(model.__name__, {})[name] = (low, high)
    return found
