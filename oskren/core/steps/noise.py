"""Noise reduction with a profile learned from a part of the sound."""

from __future__ import annotations

import functools
import math
from collections.abc import Iterator

import numpy as np

from oskren.core.errors import OskrenError
from oskren.core.measure import noise as floors
from oskren.core.steps.base import Context, Params, StepKind, Stream, Summary, moment, number, register
from oskren.core.types import Floats, Samples

FRAMES_AROUND = 4
"""Spectral frames looked at before and after the one whose gain is sought."""

BANDS = 48


class NoiseParams(Params):
    reduction_db: float = number(6.0, 0, 40, "dB", "Reduction")
    start_s: float | None = moment("Profile from")
    end_s: float | None = moment("Profile to")
    low_bias_db: float = number(3.0, 0, 12, "dB", "More in the lows")
    high_bias_db: float = number(3.0, 0, 12, "dB", "More in the highs")
    smoothing: float = number(0.6, 0, 1, "", "Smoothing")


def frame_size(rate: int) -> int:
    """Length of a spectral frame: about 43 ms, a power of two."""
    return 1 << max(8, round(math.log2(rate * 0.0427)))


@functools.lru_cache(maxsize=4)
def _window(size: int) -> Samples:
    """Square root of a periodic Hann window: used before and after, four overlapped squares sum to 2."""
    return np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size)).astype(np.float32)


def learn(samples: Samples, rate: int) -> Floats:
    """Noise power per bin and channel, shape (bins, channels), from samples that hold noise only.

    Raises
    ------
    OskrenError
        When the part is shorter than two spectral frames.
    """
    size = frame_size(rate)
    if len(samples) < 2 * size:
        raise OskrenError(f"The part for the noise profile is {len(samples) / rate:.3f} s long; mark at least {2 * size / rate:.2f} s.")
    frames = np.lib.stride_tricks.sliding_window_view(samples, size, axis=0)[:: size // 4]
    spectra = np.fft.rfft(frames * _window(size), axis=2)
    power: Floats = np.mean(np.square(np.abs(spectra)), axis=0, dtype=np.float64)
    # neighbouring bins are averaged: the profile is a smooth curve, not one frame's ripple
    kernel = np.array([0.25, 0.5, 0.25])
    smooth = np.apply_along_axis(lambda row: np.convolve(np.pad(row, 1, mode="edge"), kernel, mode="valid"), 1, power)
    return np.asarray(smooth.T)


def _floor_gain(params: NoiseParams, rate: int, size: int) -> Floats:
    """Least gain per bin: the reduction, and more below 150 Hz and above 6 kHz (moved over an octave)."""
    octaves = np.log2(np.maximum(np.fft.rfftfreq(size, 1 / rate), 1.0))
    low = np.clip(np.log2(300.0) - octaves, 0, 1) * params.low_bias_db
    high = np.clip(octaves - np.log2(6000.0), 0, 1) * params.high_bias_db
    return np.asarray(10.0 ** (-(params.reduction_db + low + high) / 20))


def gains(power: Floats, profile: Floats, least: Floats, smoothing: float) -> Floats:
    """Gain of every bin of every frame but ``FRAMES_AROUND`` at each end.

    Parameters
    ----------
    power : array, shape (frames, bins)
        Power of the spectral frames.
    profile, least : array, shape (bins,)

    The power over the profile is averaged over neighbours in time and frequency (more with ``smoothing``), a first
    Wiener gain cleans the estimate, a second gives the result. Since both averages look as far forward as back, an
    attack is not late, and a frame that stands far above the noise over a wide band is judged by itself alone.
    """
    from scipy.ndimage import uniform_filter1d

    over = power / np.maximum(profile, 1e-20)
    around = FRAMES_AROUND // 2
    span_t, span_f = 2 * round(around * smoothing) + 1, 2 * round(2 * smoothing) + 1
    local = uniform_filter1d(uniform_filter1d(over, span_t, axis=0, mode="nearest"), span_f, axis=1, mode="nearest")
    # noise averaged over N cells varies by 1/sqrt(N): ask for that much more before calling it sound
    wobble = 1.0 + 1.6 / np.sqrt(span_t * span_f)
    first = np.maximum(local - wobble, 0.0)
    first = first / (first + 1.0)
    second = uniform_filter1d(uniform_filter1d(first * first * over, span_t, axis=0, mode="nearest"), 3, axis=1, mode="nearest")
    gain = second / (second + 1.0)
    # transient guard: the geometric mean over wide bands stands clear of the noise
    wide = over[:, : over.shape[1] // BANDS * BANDS].reshape(len(over), BANDS, -1).mean(axis=2)
    struck = (np.log(np.maximum(wide, 1e-6)).mean(axis=1) > np.log(4.0))[:, None]
    gain = np.where(struck, np.maximum(gain, over / (over + 2.0)), gain)
    return np.asarray(np.maximum(gain, least)[FRAMES_AROUND:-FRAMES_AROUND])


class Reducing:
    """Short-time spectra on a grid fixed to the sound's first frame, gained and overlapped again."""

    def __init__(self, params: NoiseParams, profile: Floats, at: Context, position: int):
        self._size = frame_size(at.rate)
        self._hop = self._size // 4
        self._params, self._profile, self._channels = params, profile, at.channels
        self._least = _floor_gain(params, at.rate, self._size)
        self._start = position
        first = position // self._hop * self._hop
        # spectral frames start a whole frame early, and the gain looks FRAMES_AROUND hops further back
        early = self._size - self._hop + FRAMES_AROUND * self._hop + (position - first)
        self._held: Samples = np.zeros((early, at.channels), np.float32)
        self._overlap: Samples = np.zeros((self._size - self._hop, at.channels), np.float32)
        self._discard = position - first + self._size - self._hop
        self._due = 0

    def push(self, block: Samples) -> Samples:
        self._held = np.concatenate([self._held, block])
        self._due += len(block)
        return self._give()

    def flush(self) -> Samples:
        self._held = np.concatenate([self._held, np.zeros((self._size + (FRAMES_AROUND + 1) * self._hop, self._channels), np.float32)])
        return self._give()[: self._due]

    def _give(self) -> Samples:
        size, hop = self._size, self._hop
        count = (len(self._held) - size) // hop + 1 - 2 * FRAMES_AROUND
        if count <= 0:
            return np.zeros((0, self._channels), np.float32)
        from scipy.fft import irfft, rfft

        total = count + 2 * FRAMES_AROUND
        frames = np.lib.stride_tricks.sliding_window_view(self._held[: size + (total - 1) * hop], size, axis=0)[::hop]
        spectra = rfft(frames * _window(size), axis=2)
        middle = spectra[FRAMES_AROUND:-FRAMES_AROUND]
        for channel in range(self._channels):
            power = np.square(spectra[:, channel].real) + np.square(spectra[:, channel].imag)
            middle[:, channel] *= gains(power, self._profile[:, channel].astype(np.float32), self._least.astype(np.float32), self._params.smoothing)
        parts = irfft(middle, size, axis=2) * (_window(size) * np.float32(0.5))
        out = np.zeros((size + (count - 1) * hop, self._channels), np.float32)
        out[: size - hop] = self._overlap
        rows = out.reshape(-1, hop, self._channels)
        for quarter in range(4):
            rows[quarter : quarter + count] += parts[:, :, quarter * hop : (quarter + 1) * hop].transpose(0, 2, 1)
        self._overlap = out[count * hop :]
        self._held = self._held[count * hop :]
        given = out[: count * hop]
        drop = min(self._discard, len(given))
        self._discard -= drop
        given = given[drop:]
        self._due -= len(given)
        return given


@register
class NoiseReduction(StepKind):
    """Takes down steady noise by a stated amount at most; what stands above the profile stays."""

    key, label, family, params, analyses, version = "noise_reduction", "Noise reduction", "Clean", NoiseParams, True, 1

    def part(self, params: NoiseParams, blocks: Iterator[Samples], at: Context) -> tuple[tuple[float, float], Samples]:
        """The profile's part (s of the step's input) and its samples; the quietest stretch when none is marked."""
        whole = np.concatenate(list(blocks))
        if params.start_s is not None and params.end_s is not None:
            first, last = at.part(params.start_s, params.end_s)
        else:
            found = floors.quietest_part(floors.frame_powers(whole, at.rate))
            if found is None:
                raise OskrenError("No quiet part to learn the noise from was found (the sound is silent or too short); mark one.")
            first, last = (round(end * at.rate) for end in found)
        return (first / at.rate, last / at.rate), whole[first:last]

    def analyse(self, params: NoiseParams, blocks: Iterator[Samples], at: Context) -> Summary:
        (start, end), samples = self.part(params, blocks, at)
        return {"profile": learn(samples, at.rate), "part": np.array([start, end])}

    def lead(self, params: NoiseParams, at: Context) -> int:
        return 2 * frame_size(at.rate) + (FRAMES_AROUND + 1) * frame_size(at.rate) // 4

    def stream(self, params: NoiseParams, summary: Summary, at: Context, position: int) -> Stream:
        return Reducing(params, summary["profile"], at, position)
