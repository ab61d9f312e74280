"""Time maps: which moment of an input a moment of an output comes from."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class TimeMap:
    """Piecewise-linear map between output and input time (s), extended linearly at both ends.

    ``outputs`` rises strictly; ``inputs`` rises or (for reversed sound) falls strictly.
    """

    outputs: tuple[float, ...]
    inputs: tuple[float, ...]

    def __post_init__(self) -> None:
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

    def to_input(self, output_s: float) -> float:
        return _through(output_s, self.outputs, self.inputs)

    def to_output(self, input_s: float) -> float:
        if self.inputs[0] < self.inputs[-1]:
            return _through(input_s, self.inputs, self.outputs)
        return _through(input_s, self.inputs[::-1], self.outputs[::-1])

    def then(self, later: TimeMap) -> TimeMap:
        """The map of this step followed by ``later``."""
        knots = sorted(set(later.outputs) | {later.to_output(out) for out in self.outputs})
        kept = [knots[0]]
        for knot in knots[1:]:
            if knot - kept[-1] > 1e-12:
                kept.append(knot)
        return TimeMap(tuple(kept), tuple(self.to_input(later.to_input(knot)) for knot in kept))


def _through(value: float, xs: tuple[float, ...], ys: tuple[float, ...]) -> float:
    i = int(np.clip(np.searchsorted(xs, value) - 1, 0, len(xs) - 2))
    return ys[i] + (value - xs[i]) * (ys[i + 1] - ys[i]) / (xs[i + 1] - xs[i])
