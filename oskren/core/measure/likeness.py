"""Likeness: how far two sounds are apart by what is measured of them."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oskren.core.measure import spectrum, timbre
from oskren.core.types import AnyArray, Floats, Samples

BANDS_HZ = (60.0, 120.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 16000.0)
"""Edges of the eight octaves whose levels are compared."""

LOWEST_DB = -60.0
NAMES = ("length", "attack", "brightness", "flatness", "loudness", *(f"{low:.0f} Hz" for low in BANDS_HZ[:-1]))
WEIGHTS = np.array([1.0, 1.0, 1.2, 1.0, 0.5, *([0.45] * 8)])
"""Own weights: shape in time and colour count alike, loudness less, the eight bands together as three descriptors."""

HEARD = np.array([0.25, 0.25, 0.25, 0.05, 1.5, *([1.5] * 8)], np.float32)
"""What of each is heard as different: a quarter of an octave, 0.05 of flatness, 1.5 dB (common practice, no source)."""

BESIDE = 0.1
"""Weight of the descriptors beside timbre: enough that level and length still tell copies apart (bench/likeness.py)."""

NEAR = 0.01


def bin_powers(mags: Samples) -> Floats:
    """Power of every bin over all frames, shape (bins,), of magnitudes (:func:`oskren.core.measure.spectrum.magnitudes`) of shape (frames, bins)."""
    return np.asarray(np.einsum("ij,ij->j", mags, mags, dtype=np.float64))


def band_levels(power: Floats, rate: int) -> tuple[float, ...]:
    """Level of eight octaves from 60 Hz on, dB under the whole, -60 at least.

    Parameters
    ----------
    power : array, shape (bins,)
        See :func:`bin_powers`.
    """
    total = float(power.sum())
    if total <= 0:
        return (LOWEST_DB,) * (len(BANDS_HZ) - 1)
    edges = np.searchsorted(spectrum.bins_hz(rate, len(power)), BANDS_HZ)
    return tuple(round(max(LOWEST_DB, 10 * math.log10(max(float(power[a:b].sum()) / total, 1e-9))), 2) for a, b in itertools.pairwise(edges))


def low_share(power: Floats, rate: int, below_hz: float = 200.0) -> float:
    """Share 0..1 of the power (:func:`bin_powers`) below a frequency."""
    last = int(np.searchsorted(spectrum.bins_hz(rate, len(power)), below_hz))
    return float(power[:last].sum() / max(float(power.sum()), 1e-20))


def describe(measures: Mapping[str, Any], seconds: float) -> Floats | None:
    """Descriptor vector, shape (13,), from stored measures and the length (s); None for silence or what is not measured yet.

    Length, attack and brightness are logarithmic, as they are heard.
    """
    bright, bands, loud = measures.get("brightness_hz"), measures.get("bands_db"), measures.get("integrated_lufs")
    if not bright or not bands or loud is None:
        return None
    attack = max(0.001, float(measures.get("attack_s") or 0.001))
    flat = float(measures.get("flatness") or 0.0)
    return np.array([math.log2(max(seconds, 0.01)), math.log2(attack), math.log2(bright), math.sqrt(flat), float(loud), *bands])


def scaled(descriptors: AnyArray) -> NDArray[np.float32]:
    """Descriptors of a library, shape (n, 13), divided by their spread and weighted: distances are plain ones between rows then.

    Spreads are not taken smaller than what is heard as different (:data:`HEARD`), so that a
    library of near-identical sounds is not blown up. Rows with NaN are left out of the spread and stay NaN.
    """
    known = descriptors[~np.isnan(descriptors).any(axis=1)]
    spread = np.maximum(known.std(axis=0), HEARD) if len(known) else HEARD
    return np.asarray(descriptors * (WEIGHTS / spread), dtype=np.float32)


def table(descriptors: AnyArray, timbres: AnyArray) -> NDArray[np.float32]:
    """Rows of a library to be compared: the 24 numbers of timbre, then the descriptors as :func:`scaled`, which weigh a tenth.

    Parameters
    ----------
    descriptors : array, shape (n, 13)
        NaN where a sound is silent or not measured.
    timbres : array, shape (n, 24)
        NaN where timbre was not measured yet.
    """
    return np.concatenate([np.asarray(timbres, np.float32), scaled(descriptors) * np.float32(BESIDE)], axis=1)


def distances(rows: AnyArray, one: AnyArray) -> NDArray[np.float32]:
    """Distance of every row of :func:`table`, or of one of its parts, to one row; NaN where a row is not measured.

    0 for identical sounds; grows with every difference.
    """
    apart = rows - one
    return np.asarray(np.sqrt(np.einsum("ij,ij->i", apart, apart)), dtype=np.float32)


@dataclass(frozen=True, eq=False)
class Compared:
    """A library's rows of :func:`table` and the square of each one's length, kept so that a question is one pass over them."""

    rows: NDArray[np.float32]
    squares: NDArray[np.float32]

    @classmethod
    def of(cls, descriptors: AnyArray, timbres: AnyArray) -> Compared:
        rows = table(descriptors, timbres)
        return cls(rows, np.asarray(np.einsum("ij,ij->i", rows, rows), np.float32))

    def ranked(self, place: int) -> NDArray[np.float32]:
        """Distance of every row to that at ``place``, whether or not both have a timbre.

        Where one of the two has none, the descriptors alone speak, in the scale of all; NaN where those are not known either.
        """
        one = self.rows[place]
        apart: NDArray[np.float32] = self.rows @ one
        apart *= -2
        apart += self.squares + self.squares[place]
        # near zero the difference of squares is rounding: there it is taken apart
        near = np.flatnonzero(apart < NEAR * self.squares[place])
        np.sqrt(apart, out=apart, where=apart > 0)
        apart[near] = distances(self.rows[near], one)
        lacking = np.isnan(apart)
        if lacking.any():
            plain = distances(self.rows[:, timbre.NUMBERS :], one[timbre.NUMBERS :])
            both = ~lacking & (plain > 0)
            apart[lacking] = plain[lacking] * (np.median(apart[both] / plain[both]) if both.any() else 1 / BESIDE)
        return apart
