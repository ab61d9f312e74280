"""Time maps: which moment of an input a moment of an output comes from."""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np

from oskren.core.types import Floats


@dataclass(frozen=True)
class TimeMap:
    """Piecewise-linear map between output and input time (s), extended linearly at both ends.

    ``outputs`` rises strictly; ``inputs`` rises or (for reversed sound) falls strictly.
    """

    outputs: tuple[float, ...]
    inputs: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.outputs) == 2 == len(self.inputs) and self.outputs[0] < self.outputs[1] and self.inputs[0] != self.inputs[1]:
            return
        steps = np.diff(self.inputs)
        if (
            len(self.outputs) < 2
            or len(self.outputs) != len(self.inputs)
            or not (np.diff(self.outputs) > 0).all()
            or not ((steps > 0).all() or (steps < 0).all())
        ):
            raise ValueError("a time map needs two or more knots, strictly monotone on both sides")

    @staticmethod
    def identity() -> TimeMap:
        return TimeMap((0.0, 1.0), (0.0, 1.0))

    @staticmethod
    def affine(scale: float, offset: float) -> TimeMap:
        """input = scale * output + offset; scale -1 reverses."""
        return TimeMap((0.0, 1.0), (offset, offset + scale))

    @functools.cached_property
    def _knots(self) -> tuple[Floats, Floats]:
        return np.array(self.outputs), np.array(self.inputs)

    def inputs_at(self, outputs_s: Floats) -> Floats:
        """Input moments of many output moments (s)."""
        return _through(outputs_s, *self._knots)

    def outputs_at(self, inputs_s: Floats) -> Floats:
        """Output moments of many input moments (s)."""
        outputs, inputs = self._knots
        return _through(inputs_s, inputs, outputs) if inputs[0] < inputs[-1] else _through(inputs_s, inputs[::-1], outputs[::-1])

    def to_input(self, output_s: float) -> float:
        if len(self.outputs) == 2:
            return _straight(output_s, self.outputs, self.inputs)
        return float(self.inputs_at(np.array([output_s]))[0])

    def to_output(self, input_s: float) -> float:
        if len(self.outputs) == 2:
            return _straight(input_s, self.inputs, self.outputs)
        return float(self.outputs_at(np.array([input_s]))[0])

    def then(self, later: TimeMap) -> TimeMap:
        """The map of this step followed by ``later``."""
        if len(self.outputs) == 2 == len(later.outputs):
            a, b = later.outputs
            return TimeMap((a, b), (self.to_input(later.inputs[0]), self.to_input(later.inputs[1])))
        knots = np.unique(np.concatenate([later._knots[0], later.outputs_at(self._knots[0])]))
        kept = knots[np.concatenate([[True], np.diff(knots) > 1e-12])]
        return TimeMap(tuple(kept.tolist()), tuple(self.inputs_at(later.inputs_at(kept)).tolist()))


def _straight(value: float, xs: tuple[float, ...], ys: tuple[float, ...]) -> float:
    return ys[0] + (value - xs[0]) * (ys[1] - ys[0]) / (xs[1] - xs[0])


def _through(values: Floats, xs: Floats, ys: Floats) -> Floats:
    i = np.clip(np.searchsorted(xs, values) - 1, 0, len(xs) - 2)
    return np.asarray(ys[i] + (values - xs[i]) * (ys[i + 1] - ys[i]) / (xs[i + 1] - xs[i]))
