"""Whether two files hold the same recording in different formats (a WAV and its MP3)."""

from __future__ import annotations

import itertools
from pathlib import Path

import numpy as np

from oskren.core.audio import files
from oskren.core.audio.layouts import to_mono
from oskren.core.audio.resample import convert_rate
from oskren.core.types import AnyArray, Floats

RATE = 16_000
LOOKED_AT_S = 12.0
SHIFT_S = 0.08
"""Coders may put up to this much silence in front."""

BANDS_HZ = (200.0, 400.0, 800.0, 1600.0, 3200.0, 6400.0)
APART_DB = 0.6
LOSSY_RESIDUAL_DB = -9.0
LOSSLESS_RESIDUAL_DB = -35.0
"""What may remain after one is taken from the other (own rule): a coder's noise, or the rounding and filters of a conversion."""


def alike_outlines(one: bytes, other: bytes) -> bool:
    """Whether two small waveforms (see :meth:`oskren.core.measure.peaks.Peaks.outline`) could be of the same recording."""
    a, b = (np.frombuffer(outline, np.int8).astype(np.float64) for outline in (one, other))
    if len(a) != len(b) or not len(a):
        return False
    size = np.linalg.norm(a) * np.linalg.norm(b)
    return bool(size > 0 and float(a @ b) / size > 0.9 and 0.7 < (np.linalg.norm(a) + 1) / (np.linalg.norm(b) + 1) < 1.43)


def _head(path: Path) -> Floats:
    info = files.probe(path)
    samples, rate = files.read(path, 0, round(LOOKED_AT_S * info.rate))
    return np.asarray(convert_rate(to_mono(samples), rate, RATE)[:, 0], dtype=np.float64)


def _band_powers(samples: AnyArray) -> Floats:
    spectrum = np.abs(np.fft.rfft(samples)) ** 2
    edges = np.searchsorted(np.fft.rfftfreq(len(samples), 1 / RATE), BANDS_HZ)
    return np.array([spectrum[a:b].sum() for a, b in itertools.pairwise(edges)]) + 1e-12


def same_recording(one: Path, other: Path, *, lossy: bool) -> bool:
    """Whether two files hold the same recording, by the waveform itself.

    Their first 12 s, as mono at 16 kHz, are laid over each other at the best shift within 80 ms. Between 200 Hz and
    6.4 kHz every octave must have the same level within 0.6 dB, and what remains after subtraction must be as small as
    a coder (``lossy``) or a conversion of rate and bits leaves it. An equalised, pitched or otherwise processed copy fails.

    Parameters
    ----------
    one, other : Path
        Two files, of any formats and rates.
    lossy : bool
        Whether a lossy coder lies between them.

    Returns
    -------
    bool

    Raises
    ------
    AudioFileError
        When one of them cannot be read.
    """
    a, b = _head(one), _head(other)
    count = min(len(a), len(b))
    if count < RATE // 50 or abs(len(a) - len(b)) > RATE * 0.15:
        return False
    size = 1 << int(np.ceil(np.log2(2 * max(len(a), len(b)))))
    cross = np.fft.irfft(np.fft.rfft(a, size) * np.conj(np.fft.rfft(b, size)), size)
    reach = min(int(SHIFT_S * RATE), size // 2 - 1)
    lags = np.concatenate([np.arange(0, reach + 1), np.arange(size - reach, size)])
    lag = int(lags[np.argmax(cross[lags])])
    lag = lag - size if lag > size // 2 else lag
    a, b = (a[lag:], b) if lag > 0 else (a, b[-lag:])
    count = min(len(a), len(b))
    if count < RATE // 100:
        return False
    a, b = a[:count], b[:count]
    power_a, power_b = _band_powers(a), _band_powers(b)
    loud = power_a > power_a.max() * 1e-3
    if np.any(np.abs(10 * np.log10(power_a[loud] / power_b[loud])) > APART_DB):
        return False
    left = 10 * np.log10(_band_powers(a - b)[loud].sum() / power_a[loud].sum())
    return bool(left < (LOSSY_RESIDUAL_DB if lossy else LOSSLESS_RESIDUAL_DB))
