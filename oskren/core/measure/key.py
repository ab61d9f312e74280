"""Musical key: which notes a sound holds, the key they suggest, and whether a sound agrees with a key."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oskren.core.types import Floats, Samples

NOTES = ("C", "C#", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B")
MAJOR = (0, 2, 4, 5, 7, 9, 11)
MINOR = (0, 2, 3, 5, 7, 8, 10)
KEYS = tuple(f"{note} {mode}" for mode in ("major", "minor") for note in NOTES)

_MAJOR_PROFILE = np.array([6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88])
_MINOR_PROFILE = np.array([6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17])

SIZE = 16384
LOWEST_HZ, HIGHEST_HZ = 110.0, 2000.0
STANDS_OUT = 8.0
"""A peak counts when its power is this many times the mean of its third of an octave (9 dB)."""


@dataclass(frozen=True)
class Key:
    """A key ("A minor"), how sure it is (0..1), and the notes that are heard, as twelve bits with C lowest."""

    name: str
    confidence: float
    notes: int


def chroma(mono: Samples, rate: int) -> tuple[Floats, float]:
    """Strength of the twelve pitch classes, shape (12,), and the share 0..1 of the power between 110 and 2000 Hz that is in tones.

    ``mono`` has shape (n,). Only spectral peaks that stand out count, so noise has no notes. At most 60 frames are looked at.
    """
    from scipy.fft import rfft
    from scipy.ndimage import maximum_filter1d, uniform_filter1d

    while rate > 50_000:
        even = len(mono) // 2 * 2
        mono, rate = (mono[0:even:2] + mono[1:even:2]) * np.float32(0.5), rate // 2
    size = SIZE if rate > 24_000 else SIZE // 2
    if len(mono) < size // 8 or not np.any(mono):
        return np.zeros(12), 0.0
    mono = np.pad(mono, (0, max(0, size - len(mono))))
    starts = np.linspace(0, len(mono) - size, min(60, 1 + (len(mono) - size) // (size // 2))).astype(int)
    window = np.hanning(size).astype(np.float32)
    power = np.zeros(size // 2 + 1)
    for start in starts:
        spectrum = rfft(mono[start : start + size] * window)
        power += spectrum.real.astype(np.float64) ** 2 + spectrum.imag.astype(np.float64) ** 2
    hz = np.arange(len(power)) * rate / size
    band = (hz >= LOWEST_HZ) & (hz <= HIGHEST_HZ)
    total = power[band].sum()
    if total <= 0:
        return np.zeros(12), 0.0
    around = np.asarray(uniform_filter1d(power, 61))
    peaks = band & (power >= np.asarray(maximum_filter1d(power, 7))) & (power > STANDS_OUT * around * 61 / 121) & (power > power[band].max() * 1e-4)
    bins = np.flatnonzero(peaks)
    if not len(bins):
        return np.zeros(12), 0.0
    # the top of the parabola through three bins, in dB
    left, here, right = (10 * np.log10(power[bins + d] + 1e-30) for d in (-1, 0, 1))
    exact = (bins + 0.5 * (left - right) / np.minimum(left - 2 * here + right, -1e-9)) * rate / size
    strength = sum(power[bins + d] for d in (-2, -1, 0, 1, 2))
    place = 69 + 12 * np.log2(exact / 440.0)
    result = np.zeros(12)
    # loud partials count less than in proportion, so that one strong note does not hide a chord
    np.add.at(result, np.round(place).astype(int) % 12, np.sqrt(strength))
    return result, float(min(1.0, np.sum(strength) / total))


def estimate(mono: Samples, rate: int) -> Key | None:
    """Key of a sound of shape (n,), or None when it holds too little tone to say.

    The pitch classes are correlated with the profiles of the 24 keys.
    Source: Krumhansl, "Cognitive Foundations of Musical Pitch", 1990 (profile values from memory).

    Parameters
    ----------
    mono : array, shape (n,)
    rate : int
        Sample rate in Hz.

    Returns
    -------
    Key or None

    Examples
    --------
    >>> import numpy as np
    >>> t = np.arange(48_000) / 48_000
    >>> chord = sum(np.sin(2 * np.pi * hz * t) for hz in (220.0, 261.63, 329.63, 440.0)).astype(np.float32) / 4
    >>> estimate(chord, 48_000).name
    'A minor'
    """
    classes, tonal = chroma(mono, rate)
    if tonal < 0.3 or classes.max() <= 0:
        return None
    notes = sum(1 << i for i in range(12) if classes[i] >= 0.25 * classes.max())
    scores = []
    for profile in (_MAJOR_PROFILE, _MINOR_PROFILE):
        scores += [float(np.corrcoef(np.roll(profile, tonic), classes)[0, 1]) for tonic in range(12)]
    order = np.argsort(scores)[::-1]
    best, second = scores[order[0]], scores[order[1]]
    return Key(KEYS[order[0]], round(float(np.clip(best, 0, 1) * np.clip(0.5 + 2.5 * (best - second), 0, 1) * tonal), 3), notes)


def scale(name: str) -> int:
    """The notes of a key as twelve bits; ValueError when there is no such key.

    >>> scale("C major") == scale("A minor")
    True
    """
    tonic, _, mode = name.partition(" ")
    steps = {"major": MAJOR, "minor": MINOR}[mode] if mode in ("major", "minor") else ()
    if tonic not in NOTES or not steps:
        raise ValueError(f"there is no key '{name}'")
    return sum(1 << (NOTES.index(tonic) + step) % 12 for step in steps)


def agrees(notes: int, name: str) -> bool:
    """Whether all notes of a sound belong to a key; a sound without notes agrees with none."""
    return notes != 0 and notes & ~scale(name) == 0
