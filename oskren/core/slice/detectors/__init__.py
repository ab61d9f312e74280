"""Ways to find slices: one module each; docs/detectors.md adds one."""

# in the order people are offered them
# isort: off
from oskren.core.slice.detectors import sounds, level, markers, grid  # noqa: F401
# isort: on

from oskren.core.slice.detectors.base import DETECTORS, Detector, Inside, detector_of

__all__ = ["DETECTORS", "Detector", "Inside", "detector_of"]
