"""Timbre: where a sound lies among others by its colour over time, for finding what is like it.

Bands of the sound after its first attack, how they move and how long they last are turned by a matrix that was built on
recordings labelled by kind (``bench/likeness.py`` builds it on one half of them and judges it on the other), so that what
differs between two recordings of one kind counts little and what tells kinds apart counts much: linear discriminant
analysis after the within-class covariance was made white.
Sources: Fisher, "The use of multiple measurements in taxonomic problems", Annals of Eugenics 7, 1936; Hatch, Kajarekar and
Stolcke, "Within-class covariance normalization", Interspeech 2006.
"""

from __future__ import annotations

import functools
import itertools
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oskren.core.measure import spectrum
from oskren.core.types import Floats, Samples

NUMBERS = 24
"""So many numbers place a sound."""

BANDS, LOW_HZ, HIGH_HZ = 32, 40.0, 16_000.0
"""Bands of equal width on the mel scale."""

STRETCHES_S = (0.0, 0.02, 0.05, 0.1, 0.2, 0.4, 0.8, 1.6)
"""Edges of the stretches of time after the first attack whose bands are compared."""

SHARES = (0.1, 0.25, 0.5, 0.75, 0.9, 0.95)
"""Shares of the energy whose moments are compared."""

HEARD_S = 6.0
"""So much of a sound is looked at, from its first attack on; its length counts besides."""

ONSET, LEAST = 1e-2, 1e-7
"""The first attack is where the power comes within 20 dB of its greatest; what lies 70 dB under the loudest frame is silence."""

CEPSTRUM = 20
BUILT = Path(__file__).with_name("timbre.npz")


@functools.lru_cache(maxsize=8)
def _bank(rate: int, size: int) -> Samples:
    """Triangles of equal width on the mel scale of O'Shaughnessy (1987), shape (BANDS, size // 2 + 1); none over half the rate."""
    lowest, highest = (2595.0 * np.log10(1.0 + hz / 700.0) for hz in (LOW_HZ, HIGH_HZ))
    edges = 700.0 * (10.0 ** (np.linspace(lowest, highest, BANDS + 2) / 2595.0) - 1.0)
    hz = np.fft.rfftfreq(size, 1 / rate)
    rising = (hz - edges[:-2, None]) / (edges[1:-1] - edges[:-2])[:, None]
    falling = (edges[2:, None] - hz) / (edges[2:] - edges[1:-1])[:, None]
    return np.maximum(0.0, np.minimum(rising, falling)).astype(np.float32)


def _db(power: Floats) -> Floats:
    return np.asarray(10.0 * np.log10(np.maximum(power, LEAST)))


def _bands(mono: Samples, rate: int) -> tuple[Floats, float] | None:
    """Power of the bands, shape (BANDS, frames), the loudest frame being 1, from the first attack on; and seconds a frame."""
    hop = max(1, round(rate * 0.005))
    rough = np.square(mono[: len(mono) // hop * hop].reshape(-1, hop)).mean(axis=1) if len(mono) >= hop else np.square(mono)
    if not len(rough) or rough.max() <= 1e-18:
        return None
    first = max(0, int(np.argmax(rough > ONSET * rough.max())) - 2) * hop
    size = 1 << max(6, round(np.log2(rate * 0.023)))
    mags = spectrum.magnitudes(mono[first : first + round(HEARD_S * rate)], size, size // 4)
    power = (_bank(rate, size) @ np.square(mags).T).astype(np.float64)
    loudest = power.sum(axis=0).max()
    if loudest <= 0:
        return None
    power /= loudest
    start = max(0, int(np.argmax(power.sum(axis=0) > ONSET)) - 1)
    return power[:, start:], size / 4 / rate


def features(mono: Samples, rate: int, seconds: float) -> Floats | None:
    """What timbre is told from, shape (347,); None for silence.

    Parameters
    ----------
    mono : array, shape (n,)
        The sound or its first minute.
    rate : int
        Hz.
    seconds : float
        How long the whole sound is.
    """
    found = _bands(mono, rate)
    if found is None:
        return None
    power, step = found
    stretches = []
    for start, end in itertools.pairwise(STRETCHES_S):
        first = round(start / step)
        part = power[:, first : max(first + 1, round(end / step))]
        stretches.append(part.mean(axis=1) if part.shape[1] else np.zeros(BANDS))
    over = np.array(stretches)
    each = _db(power)
    energy = power.sum(axis=0)
    reached = np.searchsorted(np.cumsum(energy) / energy.sum(), SHARES)
    mean = power.mean(axis=1)
    moved = (np.abs(np.diff(one, axis=-1)).mean() if one.shape[-1] > 1 else 0.0 for one in (each, _db(energy)))
    from scipy.fft import dct

    cepstrum = dct(each, axis=0, norm="ortho")[:CEPSTRUM]
    return np.concatenate(
        [
            _db(over).ravel(),
            _db(mean / mean.sum()),
            _db(over.sum(axis=1)),
            _db(over.max(axis=1)) - _db(over).mean(axis=1),
            each.std(axis=1),
            np.log2(np.maximum(step, step * reached)),
            [np.log2(max(0.01, seconds)), *moved],
            cepstrum.mean(axis=1),
            cepstrum.std(axis=1),
        ]
    )


@dataclass(frozen=True, eq=False)
class Turn:
    """From features to a place: less ``middle`` of shape (features,), times ``matrix`` of shape (features, NUMBERS), as a direction."""

    middle: Samples
    matrix: Samples

    def place(self, one: Floats) -> Floats:
        """The direction of one sound's features, or of many in rows; of length 1."""
        turned = (one - self.middle) @ self.matrix
        return np.asarray(turned / np.maximum(np.linalg.norm(turned, axis=-1, keepdims=True), 1e-12))


@functools.lru_cache(maxsize=1)
def built() -> Turn:
    """The turn that ships with Oskren."""
    with np.load(BUILT, allow_pickle=False) as file:
        return Turn(file["middle"], file["matrix"])


def timbre(mono: Samples, rate: int, seconds: float) -> tuple[float, ...]:
    """The place of a sound among others: a direction in 24 numbers, none for silence.

    Parameters and units are those of :func:`features`. The angle between two places says how unlike two sounds are; level
    does not count.
    """
    found = features(mono, rate, seconds)
    return () if found is None else tuple(np.round(built().place(found), 4).tolist())
