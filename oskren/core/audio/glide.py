"""Varispeed that moves: a speed that follows an envelope, by integration to positions and windowed-sinc interpolation."""

from __future__ import annotations

import functools
import math

import numpy as np

from oskren.core.timemap import TimeMap
from oskren.core.types import AnyArray, Floats, Samples

HALF = 8
"""Taps of the kernel on either side, at twice the rate."""

PHASES = 1024
BETA = 12.3
"""Kaiser window of the kernel: images about 120 dB down."""

SLOPE = 0.94
"""Share of the highest frequency kept from which on the lowered cut-off falls."""

BLOCK = 1 << 14
MOST_KNOTS_ST = 0.02
"""A time map's straight pieces change the speed by no more semitones than this each."""


class Glide:
    """Positions of a varispeed whose semitones are straight pieces over the input's time.

    With semitones a + b s the output time of an input moment is the integral of 2^(-(a + b s)/12), which has a closed form
    on every piece, and so has its inverse.

    Parameters
    ----------
    times : array, shape (n,)
        Input moments (s), rising.
    semitones : array, shape (n,)
        Shift at these moments; constant before the first and after the last.
    seconds : float
        Length of the input.
    stretch : float
        Further factor on the length, as of a tape played slower.
    """

    def __init__(self, times: Floats, semitones: Floats, seconds: float, stretch: float = 1.0):
        edges = np.unique(np.concatenate([[0.0, seconds], times[(times > 0) & (times < seconds)]]))
        at = np.interp(edges, times, semitones) - 12 * math.log2(stretch)
        self._inputs = edges
        self._rates = 2.0 ** (at / 12)
        spans = np.diff(edges)
        self._bends = np.log(self._rates[1:] / self._rates[:-1]) / spans
        """Growth of the logarithm of the speed (1/s) on every piece."""
        small = np.abs(self._bends * spans) < 1e-9
        bends = np.where(small, 1.0, self._bends)
        lengths = np.where(small, spans / self._rates[:-1], (1 / self._rates[:-1] - 1 / self._rates[1:]) / bends)
        self._outputs = np.concatenate([[0.0], np.cumsum(lengths)])

    @property
    def seconds(self) -> float:
        """Length of the output."""
        return float(self._outputs[-1])

    def inputs_at(self, outputs_s: Floats) -> Floats:
        """Input moments of output moments (s)."""
        i = np.clip(np.searchsorted(self._outputs, outputs_s, side="right") - 1, 0, len(self._bends) - 1)
        since, rate, bend = outputs_s - self._outputs[i], self._rates[i], self._bends[i]
        turned = 1 - bend * rate * since
        straight = (np.abs(bend) < 1e-9) | (turned <= 0)
        safe = np.where(straight, 1.0, bend)
        return np.asarray(self._inputs[i] + np.where(straight, rate * since, -np.log(np.where(straight, 1.0, turned)) / safe))

    def outputs_at(self, inputs_s: Floats) -> Floats:
        """Output moments of input moments (s)."""
        i = np.clip(np.searchsorted(self._inputs, inputs_s, side="right") - 1, 0, len(self._bends) - 1)
        since, rate, bend = inputs_s - self._inputs[i], self._rates[i], self._bends[i]
        flat = np.abs(bend) < 1e-9
        return np.asarray(self._outputs[i] + np.where(flat, since, (1 - np.exp(-bend * since)) / np.where(flat, 1.0, bend)) / rate)

    def rates_at(self, inputs_s: Floats) -> Floats:
        """Speed at input moments; the ends' speed beyond them."""
        i = np.clip(np.searchsorted(self._inputs, inputs_s, side="right") - 1, 0, len(self._bends) - 1)
        within = np.clip(inputs_s, self._inputs[0], self._inputs[-1]) - self._inputs[i]
        return np.asarray(self._rates[i] * np.exp(self._bends[i] * within))

    def time_map(self) -> TimeMap:
        """The same as straight pieces fine enough for moments to be carried by."""
        counts = np.clip(np.ceil(np.abs(np.diff(np.log2(self._rates))) * 12 / MOST_KNOTS_ST), 1, 64).astype(int)
        inputs = np.concatenate([np.linspace(a, b, n, endpoint=False) for a, b, n in zip(self._inputs[:-1], self._inputs[1:], counts, strict=True)])
        inputs = np.append(inputs, self._inputs[-1])
        return TimeMap(tuple(self.outputs_at(inputs).tolist()), tuple(inputs.tolist()))


@functools.lru_cache(maxsize=1)
def _kernels() -> Samples:
    """Windowed sinc for PHASES + 1 positions between two samples; shape (PHASES + 1, 2 * HALF)."""
    distance = np.arange(-HALF + 1, HALF + 1)[None, :] - (np.arange(PHASES + 1) / PHASES)[:, None]
    window = np.i0(BETA * np.sqrt(np.maximum(0.0, 1 - (distance / HALF) ** 2))) / np.i0(BETA)
    kernels = np.sinc(distance) * window
    return np.asarray(kernels / kernels.sum(axis=1, keepdims=True), np.float32)


def _doubled(spectrum: AnyArray, size: int, frames: int, speed: float) -> Samples:
    """A sound at twice its rate from its spectrum, cut off so that nothing folds when it is read ``speed`` times as fast."""
    from scipy.fft import irfft

    bins = np.arange(len(spectrum)) / (len(spectrum) - 1)
    fall = np.clip((bins * speed - SLOPE) / (1 - SLOPE), 0, 1)
    spectrum = spectrum * ((1 + np.cos(np.pi * fall)) / 2).astype(np.float32)
    doubled = np.zeros(size + 1, spectrum.dtype)
    doubled[: len(spectrum)] = spectrum * 2
    return np.asarray(irfft(doubled, 2 * size)[: 2 * frames], np.float32)


def _read(doubled: Samples, positions: Floats) -> Samples:
    """A sound of shape (n,) at twice the rate, read at fractional positions of it; silence beyond its ends."""
    padded = np.pad(doubled, (HALF + 1, HALF + 2))
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * HALF)
    table, out = _kernels(), np.empty(len(positions), np.float32)
    for begin in range(0, len(positions), BLOCK):
        where = np.clip(positions[begin : begin + BLOCK], -1.0, len(doubled))
        whole = np.floor(where).astype(np.int64)
        phase = (where - whole) * PHASES
        low = phase.astype(np.int64)
        weights = table[low]
        weights += (table[np.minimum(low + 1, PHASES)] - weights) * (phase - low).astype(np.float32)[:, None]
        out[begin : begin + BLOCK] = np.einsum("nt,nt->n", windows[whole + 2], weights)
    return out


def interpolated(samples: Samples, positions: Floats, speeds: Floats) -> Samples:
    """Samples at fractional positions (frames), silence beyond both ends; shape (len(positions), channels).

    The sound is brought to twice its rate first, so that a short kernel is exact. Where it is read faster than it is, copies
    are cut off lower, one for every semitone, and crossfaded as the speed moves from one to the next: nothing folds, and at most the
    two highest semitones are lost.

    Parameters
    ----------
    positions, speeds : array, shape (n,)
        Where to read, and how fast.
    """
    from scipy.fft import next_fast_len, rfft

    size = next_fast_len(len(samples) + 4096, real=True)
    size += size % 2
    semitones = np.maximum(0.0, 12 * np.log2(speeds))
    lower = np.ceil(semitones - 1e-9).astype(np.int64)
    blend = np.where(lower > 0, semitones - (lower - 1), 0.0).astype(np.float32)
    out: Samples = np.zeros((len(positions), samples.shape[1]), np.float32)
    bands = range(int(lower.min()), int(lower.max()) + 2)
    for lane in range(samples.shape[1]):
        spectrum = rfft(np.ascontiguousarray(samples[:, lane]), size)
        for band in bands:
            # at speeds between two semitones the copy for the upper one fades into the copy for the next
            gain = np.where(lower == band, 1 - blend, 0) + np.where((lower == band - 1) & (lower > 0), blend, 0)
            used = slice(None) if gain.all() else np.flatnonzero(gain)
            if gain.any():
                doubled = _doubled(spectrum, size, len(samples), 2.0 ** (band / 12))
                out[used, lane] += _read(doubled, positions[used] * 2) * gain[used].astype(np.float32)
    return out


def glided(samples: Samples, glide: Glide, rate: int, frames: int) -> Samples:
    """Samples of shape (frames, channels) through a moving varispeed; the result has ``frames`` frames."""
    inputs = glide.inputs_at(np.arange(frames) / rate)
    return interpolated(samples, inputs * rate, glide.rates_at(inputs))
