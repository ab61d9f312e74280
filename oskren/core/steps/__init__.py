"""Steps: one process each, registered once. Importing this package registers them all."""

from oskren.core.steps import (  # noqa: F401
    bumps,
    clicks,
    clipped,
    compress,
    delays,
    drive,
    dynamics,
    edges,
    equaliser,
    grains,
    headphones,
    hold,
    hum,
    impulse,
    lead_in,
    level,
    loop_seam,
    mirror,
    motion,
    noise,
    offset,
    pitch,
    plugin,
    room,
    smear,
    space,
    tilt,
)
from oskren.core.steps.base import REGISTRY, Context, StepKind, describe, kind_of

__all__ = ["REGISTRY", "Context", "StepKind", "describe", "kind_of"]
