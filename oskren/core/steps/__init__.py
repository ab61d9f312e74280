"""Steps: one process each, registered once. Importing this package registers them all."""

from oskren.core.steps import (  # noqa: F401
    compress,
    delays,
    drive,
    dynamics,
    edges,
    equaliser,
    headphones,
    lengthen,
    level,
    motion,
    noise,
    pitch,
    plugin,
    repair,
    room,
    space,
    tilt,
)
from oskren.core.steps.base import REGISTRY, Context, StepKind, describe, kind_of

__all__ = ["REGISTRY", "Context", "StepKind", "describe", "kind_of"]
