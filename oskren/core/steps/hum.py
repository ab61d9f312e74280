"""Mains hum is found and taken out at its own frequency."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.controls import choice, number
from oskren.core.measure.hum import BESIDE_HZ, FRAME_S, HOP_S, LEVEL_RATE, find_hum, hum_levels, lines
from oskren.core.measure.levels import amplitude
from oskren.core.steps.base import GLANCED_PARTS, GLANCED_S, Context, Params, Read, Simple, StepKind, Stream, Summary, register
from oskren.core.types import AnyArray, Floats, Samples

FOLLOWED_ROUNDS, UNSURE = 4, 2.0
"""How often frames that stray are weighed anew, and how far over its own uncertainty a harmonic stands to be taken off whole."""


MOST_HARMONICS = 40
LOUDER = 1.5
"""A harmonic is taken off at most so much louder than it is in general: what is louder is a note on it."""


class HumParams(Params):
    mains: str = choice("as found", ["as found", "50", "60"], "Mains, Hz")
    reduction_db: float = number(40.0, 0, 60, "dB", "Reduction")
    harmonics: float = number(16.0, 1, MOST_HARMONICS, "", "Harmonics up to", digits=0)
    width_hz: float = number(1.5, 0.3, 10, "Hz", "Width of each", "log", digits=1)


class Tracked:
    """A stream without hum: each harmonic's amplitude and phase are followed, and just that is taken off.

    Harmonics are measured in frames on a grid fixed to the sound's first frame. Each is averaged over some frames, those most
    where the sound itself is quiet and those least that stray (iteratively reweighted least squares); what is no surer than the
    sound around it is left. So a tone beside a harmonic stays, where a notch would take both.
    """

    def __init__(self, hz: float, levels: Floats, reach: int, share: float, at: Context, position: int):
        places = np.flatnonzero(levels) + 1
        self._most = LOUDER * levels[places - 1][:, None]
        self._hop, self._reach, self._share = round(HOP_S * at.rate), reach, share
        self._count, self._turn = len(places), 2 * np.pi * hz * places * self._hop / at.rate
        every = np.concatenate([hz * places, *(hz * places + by for by in BESIDE_HZ)])
        self._lines = lines(every, at.rate)
        self._size = self._lines.shape[1]
        into = np.arange(self._hop) / at.rate
        basis = np.exp(2j * np.pi * hz * places[:, None] * into)
        self._basis = np.concatenate([basis, basis * np.arange(self._hop) / self._hop]).astype(np.complex64)
        self._place = position // self._hop
        """Grid place where the next stretch that is given begins."""
        self._begins = position
        self._held: Samples = np.zeros((0, at.channels), np.float32)
        self._given = position
        self._known: dict[int, tuple[AnyArray, Floats]] = {}

    def push(self, block: Samples) -> Samples:
        self._held = np.concatenate([self._held, block])
        ahead = (self._reach + 1) * self._hop + self._size // 2
        return self._give((self._begins + len(self._held) - ahead) // self._hop)

    def flush(self) -> Samples:
        return self._give(-(-(self._begins + len(self._held)) // self._hop))

    def _give(self, until: int) -> Samples:
        """Stretches between grid places, as far as the one named."""
        count = until - self._place
        if count <= 0:
            return self._held[:0]
        amplitudes = self._followed(self._place, count + 1)
        here = np.exp(1j * self._turn * np.arange(count)[:, None])[:, :, None]
        both = np.concatenate([amplitudes[:-1] * here, np.diff(amplitudes, axis=0) * here], axis=1)
        hum = np.einsum("skc,kh->shc", both, self._basis, optimize=True).real.reshape(count * self._hop, -1)
        first, last = self._given, min(until * self._hop, self._begins + len(self._held))
        out = self._held[first - self._begins : last - self._begins] - self._share * hum[first - self._place * self._hop : last - self._place * self._hop]
        self._place, self._given = until, last
        spare = max(0, (until - self._reach - 1) * self._hop - self._size - self._begins)
        self._held, self._begins = self._held[spare:], self._begins + min(spare, len(self._held))
        for place in [one for one in self._known if one < until - self._reach - 1]:
            del self._known[place]
        return np.asarray(out, dtype=np.float32)

    def _followed(self, first: int, count: int) -> AnyArray:
        """Amplitudes at so many grid places, turned back to the first of them: shape (places, harmonics, channels)."""
        span = range(first - self._reach, first + count + self._reach)
        self._measure([place for place in span if place not in self._known])
        measured, own = (np.stack([self._known[place][part] for place in span]) for part in (0, 1))
        # turned to where the first place is, hum stands still
        measured = measured * np.exp(-1j * self._turn * (np.arange(len(span)) - self._reach)[:, None])[:, :, None]
        windows = np.lib.stride_tricks.sliding_window_view
        near, noise = windows(measured, 2 * self._reach + 1, axis=0), windows(own, 2 * self._reach + 1, axis=0)
        taper = np.hanning(2 * self._reach + 3)[1:-1]
        weights = taper / noise
        mean = np.zeros(near.shape[:3], complex)
        for _ in range(FOLLOWED_ROUNDS):
            total = np.maximum(weights.sum(axis=-1), 1e-30)
            mean = (weights * near).sum(axis=-1) / total
            weights = taper / (noise + np.square(np.abs(near - mean[..., None])))
        unsure = 1 / np.maximum(weights.sum(axis=-1), 1e-30)
        mean *= np.maximum(0.0, 1 - UNSURE * unsure / np.maximum(np.square(np.abs(mean)), 1e-30))
        mean *= np.minimum(1.0, self._most / np.maximum(np.abs(mean), 1e-30))
        return mean

    def _measure(self, places: list[int]) -> None:
        """Measure harmonics, and what is beside them, at grid places; where no whole frame lies nothing is known."""
        count, lanes = self._count, self._held.shape[1]
        begins = np.array(places, np.int64) * self._hop - self._size // 2
        whole = (begins >= self._begins) & (begins + self._size <= self._begins + len(self._held))
        known = np.zeros((len(places), len(self._lines), lanes), complex)
        if whole.any():
            at = begins[whole, None] - self._begins + np.arange(self._size)
            for lane in range(lanes):
                frames = self._held[at, lane]
                known[whole, :, lane] = frames @ self._lines.real.T + 1j * (frames @ self._lines.imag.T)
        own = _around_lines(known[:, count:].reshape(len(places), len(BESIDE_HZ), count, lanes))
        own[~whole] = 1e30
        for row, place in enumerate(places):
            self._known[place] = known[row, :count], own[row]


def _around_lines(beside: AnyArray) -> Floats:
    """Power of the sound itself at lines, from amplitudes at the places beside each, shape (frames, places beside, ...).

    The second least of four: a tone beside a line is not taken for noise. Of noise it is (1/4 + 1/3) of the mean (order
    statistics of exponential values), so it is divided by that.
    """
    return np.asarray(np.partition(np.square(np.abs(beside)), 1, axis=1)[:, 1] / (1 / 4 + 1 / 3) + 1e-16)


def _lows(blocks: Iterator[Samples], at: Context) -> tuple[Samples, int]:
    """What of a sound hum can be heard in, at a low rate (Hz), so that hours need little room."""
    if at.rate <= LEVEL_RATE:
        return np.concatenate(list(blocks)), at.rate
    import soxr

    stream = soxr.ResampleStream(at.rate, LEVEL_RATE, at.channels, dtype="float32", quality="HQ")
    parts = [stream.resample_chunk(np.ascontiguousarray(block, np.float32)) for block in blocks]
    parts.append(stream.resample_chunk(np.zeros((0, at.channels), np.float32), last=True))
    return np.concatenate([part.reshape(-1, at.channels) for part in parts]), LEVEL_RATE


@register
class HumAway(StepKind):
    """Follows mains hum and its harmonics and takes just them off. Without hum it does nothing."""

    key, label, family, params, analyses = "hum", "Hum away", "Clean", HumParams, True
    version = 2
    words = "cleaner mains buzz 50 60 hum"
    learns_by = ("mains",)
    portable = True

    def analyse(self, params: HumParams, blocks: Iterator[Samples], at: Context) -> Summary:
        low, rate = _lows(blocks, at)
        found = find_hum(low.mean(axis=1), rate, None if params.mains == "as found" else float(params.mains))
        levels = hum_levels(low, rate, found.frequency_hz, MOST_HARMONICS) if found else np.zeros(MOST_HARMONICS)
        return {"frequency": np.array(found.frequency_hz if found else np.nan), "levels": levels}

    def glance(self, params: HumParams, read: Read, at: Context) -> Summary:
        """From one stretch in the middle: parts side by side would break the hum's phase."""
        count = min(at.frames, round(GLANCED_PARTS * GLANCED_S * at.rate))
        return self.analyse(params, iter([read((at.frames - count) // 2, count)]), at)

    def found(self, summary: Summary) -> str:
        mains = float(summary["frequency"])
        return "no hum found" if np.isnan(mains) else f"hum at {mains:.2f} Hz"

    def lead(self, params: HumParams, at: Context) -> int:
        return (self._reach(params) + 2) * round(HOP_S * at.rate) + round(FRAME_S * at.rate)

    def _reach(self, params: HumParams) -> int:
        """Frames on either side that an amplitude is averaged over: as long as hum must be the same to be so narrow."""
        return max(1, round(1.5 / params.width_hz / HOP_S))

    def stream(self, params: HumParams, summary: Summary, at: Context, position: int) -> Stream:
        mains = float(summary["frequency"])
        if np.isnan(mains) or not summary["levels"].any():
            return Simple(lambda block: block, at.channels)
        count = min(round(params.harmonics), int(0.45 * at.rate / mains))
        return Tracked(mains, summary["levels"][:count], self._reach(params), 1 - amplitude(-params.reduction_db), at, position)
