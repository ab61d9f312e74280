"""True peak: how far the waveform reaches between the samples. Source: ITU-R BS.1770-5, annex 2, with longer filters."""

from __future__ import annotations

import functools
from collections.abc import Iterator

import numpy as np

from oskren.core.measure.levels import loudest, peak
from oskren.core.types import AnyArray, Floats, Samples

HALF = 512
"""Frames on either side that find the point half way between two frames: flat to 0.99 of what the rate can hold."""

REACH = HALF + 8
"""Frames on either side that the waveform between two frames depends on."""

CHUNK = 8192
"""Frames transformed at a time."""

_RUN = 16
"""Frames whose waveform is found by one product of matrices."""

_FINE = 16
"""Points, two to a frame, that find those between them."""


@functools.lru_cache(maxsize=1)
def _half_way() -> Floats:
    """The point after frame ``HALF - 1`` out of 2 HALF frames: a windowed sinc, far longer than that of BS.1770 annex 2."""
    x = np.arange(-HALF + 1, HALF + 1) - 0.5
    taps = np.sinc(x) * np.i0(6.0 * np.sqrt(1 - (x / HALF) ** 2))
    return np.asarray(taps / taps.sum())


@functools.lru_cache(maxsize=16)
def _half_way_spectrum(size: int) -> AnyArray:
    """Its spectrum, for correlation in chunks of ``size`` frames."""
    return np.asarray(np.conj(np.fft.rfft(_half_way(), size)), dtype=np.complex64)


@functools.lru_cache(maxsize=2)
def _between(factor: int) -> AnyArray:
    """Points between those that stand two to a frame, shape (factor / 2 - 1, _FINE): they hold nothing over half of what they could, so that few are enough."""
    taps, half = np.arange(-_FINE // 2 + 1, _FINE // 2 + 1), _FINE / 2
    x = taps - np.arange(1, factor // 2)[:, None] / (factor // 2)
    found = np.sinc(x) * np.i0(10.0 * np.sqrt(np.maximum(0.0, 1 - (x / half) ** 2)))
    return np.asarray(found / found.sum(axis=1, keepdims=True))


@functools.lru_cache(maxsize=2)
def _runs(factor: int) -> Samples:
    """What makes of the points around _RUN frames all those between, those of one place in a frame side by side.

    Shape ((factor - 2) _RUN, 2 _RUN + _FINE - 1).
    """
    fine = _between(factor)
    matrix = np.zeros((2, len(fine), _RUN, 2 * _RUN + _FINE - 1), np.float32)
    for frame in range(_RUN):
        for second in (0, 1):
            matrix[second, :, frame, 2 * frame + second : 2 * frame + second + _FINE] = fine
    return matrix.reshape(-1, matrix.shape[-1])


@functools.lru_cache(maxsize=2)
def _bounds(factor: int) -> tuple[float, float]:
    """How far the waveform can exceed the largest frame around, and the largest of the points two to a frame."""
    half, fine = _half_way(), _between(factor)
    impulse = np.zeros(4 * HALF)
    impulse[0::2][HALF], impulse[1::2] = 1.0, half[::-1]
    sums = [np.abs(half).sum()]
    for taps in fine:
        points = np.abs(np.convolve(impulse, taps))
        sums += [points[0::2].sum(), points[1::2].sum()]
    return float(max(sums)), float(np.abs(fine).sum(axis=1).max())


def oversampling(rate: int) -> int:
    """8 times below 96 kHz, 4 times from there on; BS.1770-5 annex 2 asks for half as much, which reads 0.7 dB low at the highest frequencies."""
    return 8 if rate < 96_000 else 4


def _overlapping(values: Samples, count: int, size: int, step: int) -> Samples:
    """Stretches of an array that begin ``step`` apart, without a copy, shape (count, size)."""
    return np.lib.stride_tricks.as_strided(values, (count, size), (step * values.itemsize, values.itemsize), writeable=False)


def _double(lane: Samples, rate: int, over: float, into: Samples) -> None:
    """A lane and the points half way to its next frames, in turn, into an array twice as long; 0 between frames where nothing near can exceed ``over``."""
    from scipy.fft import irfft, next_fast_len, rfft

    into[::2], into[1::2] = lane, 0.0
    count, (bound, _) = len(lane), _bounds(oversampling(rate))
    size = CHUNK if count > 2 * CHUNK else next_fast_len(count + 2 * HALF, real=True)
    step = size - 2 * HALF
    chunks = -(-count // step)
    padded = np.zeros(chunks * step + 2 * HALF, np.float32)
    padded[HALF : HALF + count] = lane
    cut = _overlapping(padded, chunks, size, step)
    near = np.flatnonzero(np.maximum(cut.max(axis=1), -cut.min(axis=1)) * bound > over)
    if len(near):
        spectra = rfft(cut[near], axis=1)
        spectra *= _half_way_spectrum(size)
        # tap HALF - 1 lies on the frame itself
        for place, part in zip(near * step, irfft(spectra, n=size, axis=1, overwrite_x=True)[:, 1 : step + 1], strict=True):
            part = part[: count - place]
            into[2 * place + 1 : 2 * (place + len(part)) : 2] = part


def _between_points(points: Samples, runs: AnyArray, rate: int) -> Iterator[tuple[AnyArray, Samples]]:
    """Largest magnitudes between the points after each frame of some runs, shape (n, _RUN), a few runs at a time.

    One run more of points stands on either side of those there are.
    """
    matrix = _runs(oversampling(rate))
    windows = _overlapping(points[2 * _RUN - _FINE // 2 + 1 :], len(points) // (2 * _RUN) - 2, matrix.shape[1], 2 * _RUN)
    for first in range(0, len(runs), 512):
        some = runs[first : first + 512]
        yield some, np.abs(matrix @ windows[some].T).reshape(-1, _RUN, len(some)).max(axis=0).T


def true_peak_envelope(samples: Samples, rate: int, over: float = 0.0) -> Samples:
    """Largest magnitude at and just after each frame, between the samples too.

    First the points half way between frames are found, by a long filter; then those between, by a short one.

    Parameters
    ----------
    samples : array, shape (frames, channels)
        Amplitudes, 1.0 at full scale.
    rate : int
        Sample rate in Hz.
    over : float
        Where the waveform cannot exceed this, the magnitude may be a lower one: it is not looked for between the samples.

    Returns
    -------
    array, shape (frames,)
    """
    if not len(samples):
        return np.zeros(0, np.float32)
    # what rings beyond the ends takes part
    samples = np.pad(samples, ((_FINE // 2, _FINE // 2), (0, 0)))
    count = len(samples)
    result = np.zeros((-(-count // _RUN), _RUN), np.float32)
    flat = result.reshape(-1)[:count]
    flat[:] = loudest(samples)
    bound = _bounds(oversampling(rate))[1]
    points = np.zeros(2 * _RUN * (len(result) + 2), np.float32)
    for lane in samples.T:
        # one run on either side
        at = points[2 * _RUN : 2 * (_RUN + count)]
        _double(lane, rate, over, at)
        np.maximum(flat, np.abs(at[1::2]), out=flat)
        highest = np.abs(points).reshape(-1, 2 * _RUN)
        while highest.shape[1] > 1:  # several times faster than a maximum along so short an axis
            highest = np.maximum(highest[:, ::2], highest[:, 1::2])
        around = np.maximum(highest[1:-1, 0], np.maximum(highest[:-2, 0], highest[2:, 0]))
        for some, between in _between_points(points, np.flatnonzero(around * bound > over), rate):
            result[some] = np.maximum(result[some], between)
    return flat[_FINE // 2 : -(_FINE // 2)]


_BESIDE = 0.7
"""A point, two to a frame, lies so near to the highest of the waveform: within half a point of it, and it cannot fall faster than a cosine of the highest
frequency there is, a quarter of the points' rate (0.707; Duffin and Schaeffer, 1938, from memory)."""


def _highest(lane: Samples, counted: AnyArray, rate: int, best: float) -> float:
    """Largest magnitude at and just after the frames that are counted (shape (runs, _RUN)), or ``best`` if it is not above that."""
    points = np.zeros(2 * (len(lane) + 2 * _RUN), np.float32)
    at = points[2 * _RUN : -2 * _RUN]
    _double(lane, rate, best, at)
    magnitudes = np.abs(points)[2 * _RUN : 1 - 2 * _RUN]
    best = max(best, float(np.maximum(magnitudes[:-1:2], magnitudes[1::2]).max(where=counted.reshape(-1), initial=0.0)))
    near = np.maximum(np.maximum(magnitudes[:-1:2], magnitudes[1::2]), magnitudes[2::2]) > _BESIDE * best
    for some, between in _between_points(points, np.flatnonzero((near.reshape(-1, _RUN) & counted).any(axis=1)), rate):
        best = max(best, float(between.max(where=counted[some], initial=0.0)))
    return best


def true_peak(samples: Samples, rate: int, so_far: float = 0.0, *, lead: int = 0, trail: int = 0) -> float:
    """Largest magnitude of the band-limited waveform, or ``so_far`` if it is not above that.

    Only stretches whose samples could reach the maximum are oversampled: the filter's gain cannot exceed the sum of
    its magnitudes, so quiet stretches are left out without changing the result.

    Source: ITU-R BS.1770-5, annex 2.

    Parameters
    ----------
    samples : array, shape (frames, channels)
        Amplitudes, 1.0 at full scale.
    rate : int
        Sample rate in Hz.
    so_far : float
        The largest magnitude found before, in a sound that comes in blocks.
    lead, trail : int
        Frames at the beginning and the end that only feed the filter: what lies beside a block.

    Returns
    -------
    float
        Linear; :func:`~oskren.core.measure.levels.db` gives dBTP.

    Examples
    --------
    A tone at a quarter of the rate whose samples all lie at 0.707 of its crests:

    >>> from oskren.core.measure.levels import db
    >>> tone = np.sin(2 * np.pi * 0.25 * np.arange(4800) + np.pi / 4).astype(np.float32)[:, None]
    >>> tone *= np.hanning(4800).astype(np.float32)[:, None]
    >>> round(db(peak(tone)), 1), round(abs(db(true_peak(tone, 48_000))), 1)
    (-3.0, 0.0)
    """
    stop = len(samples) - trail
    best = max(peak(samples[lead:stop]), so_far)
    if best == 0.0 or stop <= lead:
        return best
    bound = _bounds(oversampling(rate))[0]
    span = 4096
    starts = np.arange(lead, stop, span)
    magnitudes = loudest(samples)
    highest = np.maximum.reduceat(magnitudes[:stop], starts)
    beside = [float(part.max()) if len(part) else 0.0 for part in (magnitudes[:lead], magnitudes[stop:])]
    around = np.maximum(highest, np.maximum(np.append(highest[1:], beside[1]), np.append(beside[0], highest[:-1])))
    silence = np.zeros((REACH + span, samples.shape[1]), samples.dtype)
    padded = np.concatenate([silence[:REACH], samples, silence])

    def highest_of(places: AnyArray, best: float) -> float:
        """True peak of some stretches, or ``best``; the context on both sides only feeds the filters, since its own edges would ring."""
        rows = np.concatenate([padded[starts[place] : starts[place] + span + 2 * REACH] for place in places])
        counted = np.zeros((len(places), span + 2 * REACH), bool)
        counted[:, REACH:-REACH] = starts[places][:, None] + np.arange(span) < stop
        for lane in rows.T:
            best = _highest(lane, counted.reshape(-1, _RUN), rate, best)
        return best

    # the loudest stretch first: it rules out most of the others
    if float(around.max()) * bound <= best:
        return best
    best = highest_of(np.array([int(np.argmax(highest))]), best)
    left = np.flatnonzero(around * bound > best)
    for at in range(0, len(left), 256):
        best = highest_of(left[at : at + 256], best)
    return best


class TruePeak:
    """True peak of a sound that comes in blocks of shape (frames, channels): each is filtered with its neighbours, wherever blocks begin."""

    def __init__(self, rate: int):
        self._rate = rate
        self._best = 0.0
        self._held: Samples | None = None
        self._lead = 0

    def add(self, block: Samples) -> None:
        """Take the next block; its last frames are counted once what follows them is known."""
        samples = block if self._held is None else np.concatenate([self._held, block])
        counted = max(self._lead, len(samples) - REACH)
        if counted > self._lead:
            self._best = true_peak(samples, self._rate, self._best, lead=self._lead, trail=len(samples) - counted)
        kept = max(0, counted - REACH)
        self._held, self._lead = samples[kept:].copy(), counted - kept

    def value(self) -> float:
        """Linear; nothing follows."""
        return self._best if self._held is None else true_peak(self._held, self._rate, self._best, lead=self._lead)
