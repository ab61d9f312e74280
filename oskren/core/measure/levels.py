"""Sample levels: peak, true peak, RMS, offset, clipping."""

from __future__ import annotations

import functools
import math

import numpy as np

from oskren.core.types import AnyArray, Floats, Samples

SILENT_DB = -200.0
"""Level given to digital silence inside computations; reports give null instead."""

CLIPPED_AT = 0.99993
"""Samples at or over this magnitude count as clipped (the largest 16-bit code is 0.99997)."""


def db(amplitude: float) -> float:
    """20 log10 of an amplitude; digital silence gives -200.

    >>> round(db(0.5), 2)
    -6.02
    """
    return 20.0 * math.log10(amplitude) if amplitude > 1e-10 else SILENT_DB


def amplitude(level_db: float) -> float:
    """Linear gain of a level in dB."""
    return float(10.0 ** (level_db / 20.0))


def peak(samples: Samples) -> float:
    """Largest magnitude.

    Parameters
    ----------
    samples : array of any shape
        Amplitudes, 1.0 at full scale.

    Returns
    -------
    float
        0 for no samples.

    Examples
    --------
    >>> peak(np.array([[0.25, -0.5]], np.float32))
    0.5
    """
    return float(max(samples.max(), -samples.min())) if samples.size else 0.0


def rms(samples: Samples) -> float:
    """Root mean square over all channels."""
    flat = samples.reshape(-1)
    return math.sqrt(float(np.dot(flat, flat)) / flat.size) if flat.size else 0.0


HALF = 512
"""Taps on either side of what finds the waveform between the samples: flat to 0.99 of what the rate can hold."""

CHUNK = 8192
"""Frames transformed at a time."""


@functools.lru_cache(maxsize=4)
def _interpolator(factor: int) -> Floats:
    """Polyphase windowed-sinc phases, shape (factor - 1, 2 HALF): the in-between points of BS.1770 annex 2, with a far longer filter."""
    taps = np.arange(-HALF + 1, HALF + 1)
    phases = []
    for p in range(1, factor):
        x = taps - p / factor
        phases.append(np.sinc(x) * np.i0(6.0 * np.sqrt(np.maximum(0.0, 1 - (x / HALF) ** 2))))
    return np.array([phase / phase.sum() for phase in phases])


@functools.lru_cache(maxsize=4)
def _spectra(factor: int) -> AnyArray:
    """Spectra of the phases, for correlation in chunks."""
    return np.asarray(np.conj(np.fft.rfft(_interpolator(factor), CHUNK, axis=1)), dtype=np.complex64)


def oversampling(rate: int) -> int:
    """8 times below 96 kHz, 4 times from there on; BS.1770-5 annex 2 asks for half as much, which reads 0.7 dB low at the highest frequencies."""
    return 8 if rate < 96_000 else 4


def true_peak_envelope(samples: Samples, rate: int) -> Samples:
    """Largest magnitude at and just after each frame, between the samples too; shape (frames,)."""
    from scipy.fft import irfft, rfft

    result = loudest(samples)
    if not len(result):
        return result
    step = CHUNK - 2 * HALF
    count = -(-len(result) // step)
    for lane in samples.T:
        padded = np.zeros(count * step + 2 * HALF, np.float32)
        padded[HALF : HALF + len(lane)] = lane
        spectra = rfft(np.lib.stride_tricks.sliding_window_view(padded, CHUNK)[::step], axis=1)
        for phase in _spectra(oversampling(rate)):
            # tap HALF - 1 lies on the frame itself
            between = irfft(spectra * phase, n=CHUNK, axis=1)[:, 1 : step + 1].reshape(-1)[: len(lane)]
            np.maximum(result, np.abs(between), out=result)
    return result


def loudest(samples: Samples) -> Samples:
    """Largest magnitude over the channels at each frame, shape (frames,)."""
    result: Samples = np.abs(samples[:, 0])
    for lane in range(1, samples.shape[1]):
        np.maximum(result, np.abs(samples[:, lane]), out=result)
    return result


_NEAR = HALF


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
        Linear; :func:`db` gives dBTP.

    Examples
    --------
    A tone at a quarter of the rate whose samples all lie at 0.707 of its crests:

    >>> tone = np.sin(2 * np.pi * 0.25 * np.arange(4800) + np.pi / 4).astype(np.float32)[:, None]
    >>> tone *= np.hanning(4800).astype(np.float32)[:, None]
    >>> round(db(peak(tone)), 1), round(abs(db(true_peak(tone, 48_000))), 1)
    (-3.0, 0.0)
    """
    stop = len(samples) - trail
    best = max(peak(samples[lead:stop]), so_far)
    if best == 0.0 or stop <= lead:
        return best
    bound = float(np.abs(_interpolator(oversampling(rate))).sum(axis=1).max())
    span = 4096
    starts = np.arange(lead, stop, span)
    magnitudes = loudest(samples)
    highest = np.maximum.reduceat(magnitudes[:stop], starts)
    beside = [float(part.max()) if len(part) else 0.0 for part in (magnitudes[:lead], magnitudes[stop:])]
    around = np.maximum(highest, np.maximum(np.append(highest[1:], beside[1]), np.append(beside[0], highest[:-1])))
    padded = np.pad(samples, ((_NEAR, _NEAR + span), (0, 0)))

    def envelope(places: AnyArray) -> float:
        """True peak of some stretches; the context on both sides only feeds the filter, since its own edges would ring."""
        rows = np.concatenate([padded[starts[place] : starts[place] + span + 2 * _NEAR] for place in places])
        found = true_peak_envelope(rows, rate).reshape(len(places), -1)[:, _NEAR : _NEAR + span]
        found[starts[places][:, None] + np.arange(span) >= stop] = 0.0
        return float(found.max())

    # the loudest stretch first: it rules out most of the others
    if float(around.max()) * bound <= best:
        return best
    best = max(best, envelope(np.array([int(np.argmax(highest))])))
    left = np.flatnonzero(around * bound > best)
    for at in range(0, len(left), 256):
        best = max(best, envelope(left[at : at + 256]))
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
        counted = max(self._lead, len(samples) - _NEAR)
        if counted > self._lead:
            self._best = true_peak(samples, self._rate, self._best, lead=self._lead, trail=len(samples) - counted)
        kept = max(0, counted - _NEAR)
        self._held, self._lead = samples[kept:].copy(), counted - kept

    def value(self) -> float:
        """Linear; nothing follows."""
        return self._best if self._held is None else true_peak(self._held, self._rate, self._best, lead=self._lead)


def dc_offset(samples: Samples) -> float:
    """Largest mean of any channel."""
    means = samples.mean(axis=0, dtype=np.float64)
    return float(means[np.argmax(np.abs(means))]) if len(samples) else 0.0


def pair_products(samples: Samples) -> Floats:
    """Sums of left squared, right squared and left times right of two channels (frames, 2): add those of blocks for :func:`correlation_of`."""
    left, right = np.ascontiguousarray(samples.T)
    return np.array([np.dot(left, left), np.dot(right, right), np.dot(left, right)], np.float64)


def correlation_of(products: Floats) -> float | None:
    """How two channels agree, -1 to 1, from sums of their products; None where one of them is silent.

    >>> tone = np.sin(np.arange(100, dtype=np.float32))
    >>> round(correlation_of(pair_products(np.stack([tone, -tone], 1))), 3)
    -1.0
    """
    both = math.sqrt(float(products[0] * products[1]))
    return float(products[2]) / both if both > 1e-9 else None


def clipped_samples(samples: Samples) -> int:
    """Samples in runs of two or more at full scale; a single full-scale sample is a normalised peak, not clipping."""
    over = np.abs(samples) >= CLIPPED_AT
    runs = over[1:] & over[:-1]
    either = np.zeros_like(over)
    either[1:] |= runs
    either[:-1] |= runs
    return int(either.sum())
