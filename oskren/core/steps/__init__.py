"""Steps: one process each, registered once. Importing this package registers them all."""

from oskren.core.steps import dynamics, edges, equaliser, level, noise, pitch, repair, room, space
from oskren.core.steps.base import REGISTRY, Context, StepKind, describe, kind_of

__all__ = ["REGISTRY", "Context", "StepKind", "describe", "dynamics", "edges", "equaliser", "kind_of", "level", "noise", "pitch", "repair", "room", "space"]
