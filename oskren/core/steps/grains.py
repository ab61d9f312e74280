"""A sound stretched in grains."""

from __future__ import annotations

import numpy as np

from oskren.core.controls import choice, number
from oskren.core.steps.base import Context, Params, StepKind, register
from oskren.core.timemap import TimeMap
from oskren.core.types import Samples


class GrainParams(Params):
    stretch: float = number(3.0, 0.25, 20, "×", "Longer by", "log", 2)
    grain_ms: float = number(80.0, 10, 500, "ms", "Grains of", "log", 0)
    scatter_ms: float = number(15.0, 0, 500, "ms", "Taken from around", digits=0)
    pitch_st: float = number(0.0, -24, 24, "st", "Pitch")
    pitch_scatter_st: float = number(0.0, 0, 12, "st", "Pitch scatters by")
    density: str = choice("4", ["2", "4", "8", "16"], "Grains at a time")
    seed: float = number(1.0, 1, 999, "", "Seed", digits=0)


@register
class Grains(StepKind):
    """Cuts the sound into short grains and spreads them over more or less time, as a cloud of the sound."""

    key, label, family, params, whole, keeps_time = "grains", "Granular stretch", "Length", GrainParams, True, False
    words = "longer cloud texture bed drone swarm shimmer stretch slow granular"
    settings = {
        "cloud": {"stretch": 6.0, "grain_ms": 120.0, "scatter_ms": 60.0, "density": "8"},
        "swarm": {"stretch": 2.0, "grain_ms": 40.0, "scatter_ms": 120.0, "pitch_scatter_st": 5.0, "density": "8"},
        "stutter": {"stretch": 2.0, "grain_ms": 60.0, "scatter_ms": 0.0, "density": "2"},
    }

    def out_frames(self, params: GrainParams, at: Context) -> int:
        return max(1, round(at.frames * params.stretch))

    def time_map(self, params: GrainParams, at: Context) -> TimeMap:
        return TimeMap.affine(1 / params.stretch, 0.0)

    def run(self, params: GrainParams, samples: Samples, at: Context) -> Samples:
        frames = self.out_frames(params, at)
        size = max(16, round(params.grain_ms / 1000 * at.rate))
        density = int(params.density)
        window = 0.5 - 0.5 * np.cos(2 * np.pi * (np.arange(size) + 0.5) / size)
        begins = np.arange(-size, frames, max(1, size // density))
        random = np.random.Generator(np.random.PCG64(int(params.seed)))
        scatter = random.uniform(-1, 1, len(begins)) * params.scatter_ms / 1000 * at.rate
        ratio = 2.0 ** ((params.pitch_st + random.uniform(-1, 1, len(begins)) * params.pitch_scatter_st) / 12)
        out, weight = np.zeros((frames + 2 * size, at.channels)), np.zeros(frames + 2 * size)
        known = np.concatenate([samples, np.zeros((1, at.channels), np.float32)])
        for begin, moved, speed in zip(begins, scatter, ratio, strict=True):
            middle = (begin + size / 2) / params.stretch + moved
            # without stretch, scatter and pitch every grain is laid where it was taken
            places = middle - size / 2 * speed + np.arange(size) * speed
            if params.stretch == 1 and moved == 0 and speed == 1:
                places = begin + np.arange(size, dtype=np.float64)
            whole = np.floor(places).astype(np.int64)
            part = (places - whole)[:, None]
            inside = (whole >= 0) & (whole < len(samples))
            whole = np.clip(whole, 0, len(samples) - 1)
            grain = (known[whole] * (1 - part) + known[whole + 1] * part) * inside[:, None]
            out[begin + size : begin + 2 * size] += grain * window[:, None]
            weight[begin + size : begin + 2 * size] += window
        body = out[size : size + frames] / np.maximum(weight[size : size + frames], 1e-3)[:, None]
        # grains that differ add as powers, grains that are alike as amplitudes: the level of the whole is kept
        before, after = (float(np.sqrt(np.mean(np.square(part, dtype=np.float64)))) for part in (samples, body))
        return np.asarray(body * (before / after if after > 1e-9 else 1.0), np.float32)
