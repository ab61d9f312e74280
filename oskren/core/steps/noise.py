"""Noise reduction: a statistical estimate of the sound under noise whose spectrum is learned from parts of it.

The gain of every cell of the short-time spectrum is the one that is right in the mean for the logarithm of the level
(Ephraim, Malah 1985, log-spectral amplitude), weighted by how likely a sound is present at all (Cohen 2002, optimally
modified log-spectral amplitude). The ratio of sound to noise it needs is estimated from a neighbourhood that reaches
as far forward as back (Cohen 2004, noncausal a priori ratio), over two sizes: a close one for tones and strikes, a wide one
for faint breath-like sounds. Formulas from memory of the papers; checked by what comes out, see bench/corpus.py.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from pydantic import Field, model_validator

from oskren.core.controls import choice, number
from oskren.core.errors import OskrenError
from oskren.core.measure import noise as floors
from oskren.core.steps.base import Context, Params, Read, StepKind, Stream, Summary, register, spread
from oskren.core.steps.spectral import Spectral, even, frame_size, lifted, power_of, spectra, window
from oskren.core.types import AnyArray, Floats, Samples

FRAMES_AROUND = 8
"""Spectral frames looked at before and after the one whose gain is sought."""

BANDS = 48
"""Bands the transient guard looks at."""

FOLLOWED = 24
"""Bands in which slowly changing noise is followed, log-spaced from 50 Hz."""

FOLLOW_HOP_S = 0.05
FOLLOW_LIMIT = 10 ** (15 / 10)
BIAS_HZ = (100.0, 400.0, 1500.0, 4500.0, 10_000.0)

UNSTEADY = 1.2
SURER = 10 ** (0.5 / 10)
"""What is called noise: its mean power, more by this factor, and by so many of its slow standard deviations."""


class NoiseParams(Params):
    reduction_db: float = number(6.0, 0, 40, "dB", "Reduction")
    sensitivity_db: float = number(0.0, -10, 10, "dB", "Sensitivity")
    parts: tuple[tuple[float, float], ...] = Field((), max_length=32, title="Profile from", json_schema_extra={"control": "parts", "unit": "s"})
    low_bias_db: float = number(3.0, -12, 12, "dB", "More below 150 Hz")
    low_mid_bias_db: float = number(0.0, -12, 12, "dB", "More at 400 Hz")
    mid_bias_db: float = number(0.0, -12, 12, "dB", "More at 1.5 kHz")
    high_mid_bias_db: float = number(0.0, -12, 12, "dB", "More at 4.5 kHz")
    high_bias_db: float = number(3.0, -12, 12, "dB", "More above 9 kHz")
    smoothing: float = number(0.5, 0, 1, "", "Smoothing in time")
    smoothing_hz: float = number(0.5, 0, 1, "", "Smoothing in frequency")
    guard: float = number(1.0, 0, 1, "", "Attacks kept")
    follow: str = choice("no", ["no", "slowly", "quickly"], "Follows changing noise")

    @model_validator(mode="before")
    @classmethod
    def _one_part(cls, values: Any) -> Any:
        """Chains kept before profiles could have several parts state one by its two ends."""
        if isinstance(values, dict) and ("start_s" in values or "end_s" in values):
            values = dict(values)
            start, end = values.pop("start_s", None), values.pop("end_s", None)
            if start is not None and end is not None and not values.get("parts"):
                values["parts"] = ((start, end),)
        return values


def learn(samples: Samples | Sequence[Samples], rate: int) -> tuple[Floats, Floats]:
    """Noise from parts that hold nothing else: mean power, and how unsteady it is, each of shape (bins, channels).

    Unsteadiness is the standard deviation over the mean of the power, averaged over 0.1 s and 5 bins.

    Raises
    ------
    OskrenError
        When a part is shorter than two spectral frames.
    """
    from scipy.ndimage import uniform_filter1d

    size = frame_size(rate)
    parts = [samples] if isinstance(samples, np.ndarray) else list(samples)
    powers, slow = [], []
    for part in parts:
        if len(part) < 2 * size:
            raise OskrenError(f"The part for the noise profile is {len(part) / rate:.3f} s long; mark at least {2 * size / rate:.2f} s.")
        power = power_of(spectra(part, size)).astype(np.float64)
        powers.append(power)
        even = uniform_filter1d(uniform_filter1d(uniform_filter1d(power, 9, axis=0), 5, axis=2), 5, axis=2)
        slow.append(even)
    mean = np.concatenate(powers).mean(axis=0)
    unsteady = np.concatenate(slow).std(axis=0) / np.maximum(mean, 1e-20)
    # neighbouring bins are averaged: the profile is a smooth curve, not one frame's ripple
    kernel = np.array([0.25, 0.5, 0.25])
    smooth = np.apply_along_axis(lambda row: np.convolve(np.pad(row, 1, mode="edge"), kernel, mode="valid"), 1, mean)
    return np.asarray(smooth.T), np.asarray(unsteady.T)


def bias_curve(params: NoiseParams, hz: AnyArray) -> Floats:
    """dB more at every frequency: the five bands, straight lines between them over the logarithm of frequency."""
    bands = (params.low_bias_db, params.low_mid_bias_db, params.mid_bias_db, params.high_mid_bias_db, params.high_bias_db)
    return np.asarray(np.interp(np.log(np.maximum(hz, 1.0)), np.log(BIAS_HZ), bands))


def _floor_gain(params: NoiseParams, rate: int, size: int) -> Floats:
    """Least gain per bin: the reduction and the bias; none where nothing is to be reduced."""
    hz = np.fft.rfftfreq(size, 1 / rate)
    wanted = params.reduction_db + bias_curve(params, hz) if params.reduction_db > 0 else np.zeros(len(hz))
    return np.asarray(10.0 ** (-np.clip(wanted, 0, 60) / 20))


def gains(over: Samples, least: Samples, params: NoiseParams) -> Samples:
    """Gain of every bin of every frame but ``FRAMES_AROUND`` at each end.

    Parameters
    ----------
    over : array, shape (frames, bins)
        Power of the spectral frames over what is called noise.
    least : array, shape (bins,)
        Gain of what is noise only.
    """
    span_t, span_f = 2 * round(4 * params.smoothing) + 1, 2 * round(4 * params.smoothing_hz) + 1
    # a mean over N cells of noise varies by 1/sqrt(N): ask for that much more before calling it sound
    close = np.maximum(even(over, span_t, span_f) - np.float32(1 + 1.6 / math.sqrt(span_t * span_f)), 0)
    wide = np.maximum(even(np.minimum(over, np.float32(4)), 9, 9) - np.float32(1 + 2 / 9), 0)
    first = np.maximum(close, wide)
    first /= first + 1
    first *= first
    first *= over
    ratio = np.maximum(even(even(first, 3, 3), 3, 3), wide)
    present = np.log(np.maximum(even(even(ratio, 3, 9), 3, 9), np.float32(1e-6)))
    present = np.clip((present - np.float32(math.log(0.05))) / np.float32(math.log(10)), np.float32(1e-3), 1)
    np.maximum(ratio, np.float32(10**-2.5), out=ratio)
    wiener = ratio / (ratio + 1)
    heard = wiener * over
    place = (np.log2(np.maximum(heard, np.float32(2**-12))) + 12) * 64
    gain = wiener * lifted()[np.minimum(place, 17 * 64).astype(np.int32)]
    np.minimum(gain, 1, out=gain)
    likely = 1 / (1 + (1 - present) / present * (1 + ratio) * np.exp(-np.minimum(heard, 50)))
    low = np.log(least)
    gain = np.exp(likely * (np.log(np.maximum(gain, np.float32(1e-4))) - low) + low)
    if params.guard > 0:
        # an attack: the geometric mean over wide bands stands clear of the noise; then each cell is judged by itself
        bands = over[:, : over.shape[1] // BANDS * BANDS].reshape(len(over), BANDS, -1).mean(axis=2)
        struck = np.log(np.maximum(bands, np.float32(1e-6))).mean(axis=1) > math.log(4.0)
        gain[struck] = np.maximum(gain[struck], np.float32(params.guard) * over[struck] / (over[struck] + 2))
    return np.asarray(np.maximum(gain, least)[FRAMES_AROUND:-FRAMES_AROUND])


def _bands_of(bins: int, rate: int) -> AnyArray:
    """Band of every bin in which changing noise is followed."""
    hz = np.linspace(0, rate / 2, bins)
    return np.asarray(np.clip(np.floor(np.log(np.maximum(hz, 1) / 50) / np.log(rate / 2 / 50) * FOLLOWED), 0, FOLLOWED - 1), dtype=int)


def follow_noise(samples: Samples, rate: int, profile: Floats, window_s: float) -> Floats:
    """How the noise's level changes, as a factor on the profile's power; shape (moments FOLLOW_HOP_S apart, FOLLOWED, channels).

    In each band the level that a fifth of the time within the window stays under, beside what steady noise would
    give there; at most 15 dB up or down. A sound that lasts for most of the window is taken for noise.
    """
    from scipy.ndimage import percentile_filter, uniform_filter1d

    size, hop = frame_size(rate), round(FOLLOW_HOP_S * rate)
    padded = np.concatenate([samples, np.zeros((size, samples.shape[1]), np.float32)])
    frames = np.lib.stride_tricks.sliding_window_view(padded, size, axis=0)[::hop]
    band, count = _bands_of(len(profile), rate), np.zeros(FOLLOWED)
    np.add.at(count, band, 1)
    levels = np.zeros((len(frames), FOLLOWED, samples.shape[1]))
    for first in range(0, len(frames), 256):
        power = power_of(np.fft.rfft(frames[first : first + 256] * window(size), axis=2))
        over = power / np.maximum(profile.T, 1e-20)
        for place in range(FOLLOWED):
            if count[place]:
                levels[first : first + 256, place] = over[:, :, band == place].mean(axis=2)
    levels = uniform_filter1d(levels, 3, axis=0, mode="nearest")
    span = max(3, round(window_s / FOLLOW_HOP_S))
    low = percentile_filter(levels, 20, size=(span, 1, 1), mode="nearest")
    # the mean of 3 frames of K bins of steady noise varies by 1/sqrt(3 K / 2); a fifth of it lies 0.84 deviations lower
    steady = 1 - 0.84 / np.sqrt(np.maximum(1.5 * count, 1.0))
    track = np.clip(low / np.maximum(steady, 0.2)[None, :, None], 1 / FOLLOW_LIMIT, FOLLOW_LIMIT)
    for place in np.flatnonzero(count == 0).tolist():  # a band too narrow for a bin goes with its neighbour
        track[:, place] = track[:, max(0, place - 1)]
    return np.asarray(uniform_filter1d(track, max(3, span // 3), axis=0, mode="nearest"))


class Reducing:
    """The gain of noise reduction: power over what is called noise, which is the same all the time or as it was followed."""

    def __init__(self, params: NoiseParams, summary: Summary, rate: int):
        self._params, self._rate = params, rate
        noise = summary["profile"] * (1 + UNSTEADY * summary["unsteady"]) * SURER * 10 ** (params.sensitivity_db / 10)
        self._noise = np.maximum(noise, 1e-20).astype(np.float32)
        self._track = summary.get("track")
        self._band = _bands_of(len(noise), rate)
        self._least = _floor_gain(params, rate, frame_size(rate)).astype(np.float32)

    def __call__(self, power: Samples, channel: int, begins: AnyArray) -> Samples:
        return gains(power / self._noise_of(channel, begins), self._least, self._params)

    def _noise_of(self, channel: int, begins: AnyArray) -> Samples:
        steady = self._noise[:, channel]
        if self._track is None or not len(self._track):
            return steady
        place = np.clip(begins / (FOLLOW_HOP_S * self._rate), 0, len(self._track) - 1)
        low = np.floor(place).astype(int)
        high, share = np.minimum(low + 1, len(self._track) - 1), (place - low)[:, None]
        track = self._track[:, :, channel]
        return np.asarray((track[low] * (1 - share) + track[high] * share).astype(np.float32)[:, self._band] * steady)


def moved_profile(learned: Summary, at: Context) -> Summary:
    """A profile learned at another rate or on other channels, as it would be here: the same noise per Hz; channels by their mean where counts differ."""
    rate, size, moved = int(learned["rate"]), frame_size(at.rate), {}
    for name in ("profile", "unsteady"):
        rows = learned[name]
        if rate != at.rate:
            here, there = np.linspace(0, at.rate / 2, size // 2 + 1), np.linspace(0, rate / 2, len(rows))
            scale = at.rate * size / (rate * 2 * (len(rows) - 1)) if name == "profile" else 1.0
            rows = np.stack([np.interp(here, there, lane) for lane in rows.T], axis=1) * scale
        if rows.shape[1] != at.channels:
            rows = np.repeat(rows.mean(axis=1, keepdims=True), at.channels, axis=1)
        moved[name] = np.asarray(rows)
    return moved


CLEAR_DB = 8.0

LOOKED_FOR_QUIET = 48
"""Parts of a long sound that are looked at for its quietest one: a pause is seldom met by a few."""


@register
class NoiseReduction(StepKind):
    """Reduces noise by a stated amount at most. What stands out of the noise profile stays."""

    key, label, family, params, analyses, version = "noise_reduction", "Noise reduction", "Clean", NoiseParams, True, 2
    words = "cleaner noise hiss wind background less denoise"
    settings = {"barely": {"reduction_db": 3.0}, "gentle": {}, "firm": {"reduction_db": 10.0, "smoothing": 0.7}}
    learns_by = ("parts", "follow")
    portable = True

    def parts(self, params: NoiseParams, whole: Samples, at: Context) -> list[tuple[int, int]]:
        """The profile's parts (frames of the step's input); the quietest stretch when none is marked."""
        if params.parts:
            return [at.part(*part) for part in params.parts]
        found = floors.quietest_part(floors.frame_powers(whole, at.rate))
        if found is None:
            raise OskrenError("No quiet part to learn the noise from was found (the sound is silent or too short); mark one.")
        first, last = (round(end * at.rate) for end in found)
        return [(first, last)]

    def analyse(self, params: NoiseParams, blocks: Iterator[Samples], at: Context) -> Summary:
        whole = np.concatenate(list(blocks))
        parts = self.parts(params, whole, at)
        profile, unsteady = learn([whole[first:last] for first, last in parts], at.rate)
        quiet = np.concatenate([whole[first:last] for first, last in parts])
        noise = float(np.mean(np.square(quiet, dtype=np.float64)))
        powers = floors.frame_powers(whole, at.rate)
        loud = float(np.percentile(powers, 95)) if len(powers) else noise
        told = {
            "profile": profile,
            "unsteady": unsteady,
            "parts": np.array(parts) / at.rate,
            "rate": np.array(at.rate),
            "noise_db": np.array(10 * np.log10(max(noise, 1e-20))),
            "clear_db": np.array(10 * np.log10(max(loud / max(noise, 1e-20) - 1, 1e-3))),
        }
        return told | self._followed(params, whole, profile, at)

    def _followed(self, params: NoiseParams, whole: Samples, profile: Floats, at: Context) -> Summary:
        window = {"slowly": 3.0, "quickly": 1.2}.get(params.follow)
        return {} if window is None else {"track": follow_noise(whole, at.rate, profile, window)}

    def glance(self, params: NoiseParams, read: Read, at: Context) -> Summary:
        """The profile from the marked parts or the quietest of those looked at, the same all the time."""
        still = params.model_copy(update={"follow": "no"})
        if not params.parts:
            return self.analyse(still, spread(read, at, LOOKED_FOR_QUIET), at)
        marked = [at.part(*part) for part in params.parts]
        profile, unsteady = learn([read(first, last - first) for first, last in marked], at.rate)
        looked = self.analyse(still.model_copy(update={"parts": ()}), spread(read, at), at)
        return looked | {"profile": profile, "unsteady": unsteady, "parts": np.array(marked) / at.rate}

    def localise(self, params: NoiseParams, learned: Summary, blocks: Iterator[Samples], at: Context) -> Summary:
        own = {name: value for name, value in learned.items() if name != "track"} | moved_profile(learned, at)
        return own if params.follow == "no" else own | self._followed(params, np.concatenate(list(blocks)), own["profile"], at)

    def found(self, summary: Summary) -> str:
        noise, clear = float(summary["noise_db"]), float(summary["clear_db"])
        said = f"noise at {noise:.0f} dBFS, sound {max(0.0, clear):.0f} dB over it"
        return f"{said}: too noisy for more than {max(3, round(clear)):.0f} dB" if clear < CLEAR_DB else said

    def lead(self, params: NoiseParams, at: Context) -> int:
        return Spectral.lead(FRAMES_AROUND, at.rate)

    def stream(self, params: NoiseParams, summary: Summary, at: Context, position: int) -> Stream:
        return Spectral(Reducing(params, summary, at.rate), FRAMES_AROUND, FRAMES_AROUND, at, position)
