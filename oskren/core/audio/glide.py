"""Varispeed that moves: a speed that follows an envelope, by integration to positions and windowed-sinc interpolation."""

from __future__ import annotations

import functools
import itertools
import math
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from oskren.core.timemap import TimeMap
from oskren.core.types import Floats, Samples

HALF = 8
"""Taps of the kernel on either side, at twice the rate."""

PHASES = 1024
BETA = 12.3
"""Kaiser window of the kernel: images about 120 dB down."""

SLOPE = 0.94
"""Share of the highest frequency kept from which on the lowered cut-off falls."""

BAND_ST = 2
"""Semitones from one lowered cut-off to the next."""

BLOCK = 1 << 14
MOST_KNOTS_ST = 0.02
"""A time map's straight pieces change the speed by no more semitones than this each."""


STRAIGHT = 1e-12
"""Growth of the speed (1/s) that counts as none."""


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
        flat = np.abs(self._bends) < STRAIGHT
        lengths = np.where(flat, spans, -np.expm1(-self._bends * spans) / np.where(flat, 1.0, self._bends)) / self._rates[:-1]
        self._outputs = np.concatenate([[0.0], np.cumsum(lengths)])

    @property
    def seconds(self) -> float:
        """Length of the output."""
        return float(self._outputs[-1])

    def inputs_at(self, outputs_s: Floats) -> Floats:
        """Input moments of output moments (s)."""
        i = np.clip(np.searchsorted(self._outputs, outputs_s, side="right") - 1, 0, len(self._bends) - 1)
        since, rate, bend = outputs_s - self._outputs[i], self._rates[i], self._bends[i]
        turned = bend * rate * since
        straight = (np.abs(bend) < STRAIGHT) | (turned >= 1)
        safe = np.where(straight, 1.0, bend)
        return np.asarray(self._inputs[i] + np.where(straight, rate * since, -np.log1p(-np.where(straight, 0.0, turned)) / safe))

    def places(self, frames: int, rate: int) -> Floats:
        """Input moments (s) of the first ``frames`` frames of the output: as ``inputs_at``, piece by piece."""
        edges = np.clip(np.ceil(self._outputs * rate).astype(np.int64), 0, frames)
        edges[0], edges[-1] = 0, frames
        if len(edges) > 512:
            return self.inputs_at(np.arange(frames) / rate)
        out = np.empty(frames)
        for i, (first, last) in enumerate(itertools.pairwise(edges.tolist())):
            if last > first:
                since, bend, speed = np.arange(first, last) / rate - self._outputs[i], float(self._bends[i]), float(self._rates[i])
                if abs(bend) < STRAIGHT or 1 - bend * speed * since[-1] <= 0:
                    out[first:last] = self._inputs[i] + speed * since
                else:
                    out[first:last] = self._inputs[i] - np.log1p(-bend * speed * since) / bend
        return out

    def outputs_at(self, inputs_s: Floats) -> Floats:
        """Output moments of input moments (s)."""
        i = np.clip(np.searchsorted(self._inputs, inputs_s, side="right") - 1, 0, len(self._bends) - 1)
        since, rate, bend = inputs_s - self._inputs[i], self._rates[i], self._bends[i]
        flat = np.abs(bend) < STRAIGHT
        return np.asarray(self._outputs[i] + np.where(flat, since, -np.expm1(-bend * since) / np.where(flat, 1.0, bend)) / rate)

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
    """Windowed sinc for positions from one sample to the next, each beside its difference to the next position; shape (PHASES + 1, 2, 2 * HALF)."""
    distance = np.arange(-HALF + 1, HALF + 1)[None, :] - (np.arange(PHASES + 2) / PHASES)[:, None]
    window = np.i0(BETA * np.sqrt(np.maximum(0.0, 1 - (distance / HALF) ** 2))) / np.i0(BETA)
    kernels = np.sinc(distance) * window
    kernels /= kernels.sum(axis=1, keepdims=True)
    return np.ascontiguousarray(np.stack([kernels[:-1], np.diff(kernels, axis=0)], axis=1), np.float32)


MARGIN = 2048
"""Frames around a stretch that the filters' ringing needs."""


def _copy(samples: Samples, positions: Floats, speed: float) -> Samples:
    """Channels read at positions (frames), cut off so that nothing folds when that is done ``speed`` times as fast; shape (channels, n)."""
    from scipy.fft import irfft, next_fast_len, rfft

    first = int(np.clip(positions.min() - MARGIN, 0, len(samples)))
    last = int(np.clip(positions.max() + MARGIN, first, len(samples)))
    part = samples[first:last]
    size = next_fast_len(len(part) + 2 * MARGIN, real=True)
    size += size % 2
    spectra = rfft(np.ascontiguousarray(part.T), size, axis=1, workers=2)
    bins = np.arange(spectra.shape[1]) / (spectra.shape[1] - 1)
    fall = np.clip((bins * speed - SLOPE) / (1 - SLOPE), 0, 1)
    doubled = np.zeros((len(spectra), size + 1), spectra.dtype)
    doubled[:, : spectra.shape[1]] = spectra * (1 + np.cos(np.pi * fall)).astype(np.float32)
    return _read(irfft(doubled, 2 * size, axis=1, workers=2)[:, : 2 * len(part)], (positions - first) * 2)


def _read(doubled: Samples, positions: Floats) -> Samples:
    """Channels at twice the rate, read at fractional positions of them; silence beyond their ends; shape (channels, len(positions))."""
    padded = np.pad(doubled, ((0, 0), (HALF + 1, HALF + 2)))
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * HALF, axis=1)
    table, out = _kernels(), np.empty((len(doubled), len(positions)), np.float32)

    def stretch(begin: int) -> None:
        where = np.clip(positions[begin : begin + BLOCK], -1.0, doubled.shape[1])
        whole = np.floor(where)
        phase = (where - whole) * PHASES
        low = phase.astype(np.int32)
        start = whole.astype(np.int32) + 2
        both = table[low]
        weights = both[:, 0] + both[:, 1] * (phase - low).astype(np.float32)[:, None]
        for lane in range(len(doubled)):
            out[lane, begin : begin + BLOCK] = np.einsum("nt,nt->n", windows[lane, start], weights)

    # numpy lets go of the interpreter in here: two stretches at a time
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(stretch, range(0, len(positions), BLOCK)))
    return out


def interpolated(samples: Samples, positions: Floats, speeds: Floats) -> Samples:
    """Samples at fractional positions (frames), silence beyond both ends; shape (len(positions), channels).

    The sound is brought to twice its rate first, so that a short kernel is exact. Where it is read faster than it is, copies
    are cut off lower, one for every two semitones, and crossfaded as the speed moves from one to the next: nothing folds, and at most the
    four highest semitones are lost.

    Parameters
    ----------
    positions : array, shape (n,)
        Where to read.
    speeds : array, shape (m,)
        How fast, at m moments spread evenly over the positions; near enough, since the cut-off has room.
    """
    semitones = np.maximum(0.0, 12 * np.log2(speeds))
    if not semitones.any():
        return np.ascontiguousarray(_copy(samples, positions, 1.0).T)
    bands = np.interp(np.linspace(0, 1, len(positions)), np.linspace(0, 1, len(speeds)), semitones / BAND_ST)
    lower = np.ceil(bands - 1e-9).astype(np.int32)
    blend = np.where(lower > 0, bands - (lower - 1), 0.0).astype(np.float32)
    out: Samples = np.zeros((samples.shape[1], len(positions)), np.float32)
    for band in range(int(lower.min()), int(lower.max()) + 2):
        # at speeds between two bands the copy for the upper one fades into the copy for the next
        used = np.flatnonzero((lower == band) | ((lower == band - 1) & (lower > 0)))
        if len(used):
            gain = np.where(lower[used] == band, 1 - blend[used], blend[used])
            out[:, used] += _copy(samples, positions[used], 2.0 ** (BAND_ST * band / 12)) * gain
    return np.ascontiguousarray(out.T)


EVERY = 64
"""Frames between two looks at the speed."""


def glided(samples: Samples, glide: Glide, rate: int, frames: int) -> Samples:
    """Samples of shape (frames, channels) through a moving varispeed; the result has ``frames`` frames."""
    positions = glide.places(frames, rate)
    looks = positions[np.unique(np.linspace(0, frames - 1, max(2, frames // EVERY)).round().astype(int))] if frames > 1 else positions
    return interpolated(samples, positions * rate, glide.rates_at(looks))
