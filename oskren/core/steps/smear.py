"""A sound smeared in time."""

from __future__ import annotations

import numpy as np

from oskren.core.controls import number
from oskren.core.steps.base import Context, Params, StepKind, register
from oskren.core.steps.spectral import put_together, spectra_of
from oskren.core.types import Samples


class SmearParams(Params):
    size_ms: float = number(250.0, 20, 3000, "ms", "Smeared over", "log", 0)
    amount: float = number(1.0, 0, 1, "", "Amount")
    mix: float = number(1.0, 0, 1, "", "Mix")


@register
class Smear(StepKind):
    """Blurs the sound in time: attacks dissolve while pitch and colour stay."""

    key, label, family, params, whole = "smear", "Spectral smear", "Length", SmearParams, True
    words = "blur wash softer dissolve further away ghost bed texture smooth"
    settings = {
        "soft edges": {"size_ms": 60.0, "amount": 0.6},
        "fog over the island": {"size_ms": 1200.0},
        "ghost beside it": {"size_ms": 500.0, "mix": 0.4},
    }

    def out_frames(self, params: SmearParams, at: Context) -> int:
        return at.frames + self._size(params, at)

    def _size(self, params: SmearParams, at: Context) -> int:
        return max(64, round(params.size_ms / 1000 * at.rate / 4) * 4)

    def run(self, params: SmearParams, samples: Samples, at: Context) -> Samples:
        from scipy.fft import next_fast_len

        size = next_fast_len(self._size(params, at), real=True)
        size += -size % 4
        hop, frames = size // 4, self.out_frames(params, at)
        wet = np.empty((frames, at.channels))
        for lane in range(at.channels):
            padded = np.concatenate([np.zeros(size), samples[:, lane], np.zeros(2 * size + hop)])
            spectra = spectra_of(padded, size, hop)
            random = np.random.Generator(np.random.PCG64(313 + lane))
            phases = random.uniform(-np.pi, np.pi, spectra.shape) * params.amount
            phases[:, 0] = 0.0
            out = put_together(spectra * np.exp(1j * phases), size, hop)[size : size + frames]
            wet[:, lane] = np.concatenate([out, np.zeros(frames - len(out))])
        dry = np.concatenate([samples, np.zeros((frames - len(samples), at.channels), np.float32)])
        # drawn phases add as powers: as loud as it was
        before, after = (float(np.sqrt(np.sum(np.square(part, dtype=np.float64)))) for part in (dry, wet))
        wet *= before / after if after > 1e-9 else 1.0
        return np.asarray(dry + params.mix * (wet - dry), np.float32)
