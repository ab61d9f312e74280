"""Dither for reduced bit depths."""

from __future__ import annotations

import numpy as np

from oskren.core.types import Samples


def tpdf(samples: Samples, bits: int, seed: int = 0) -> Samples:
    """Add triangular dither of 2 LSB peak to peak and round to ``bits``.

    The total error has power LSB²/4 and is not correlated with the signal.

    Parameters
    ----------
    samples : array, shape (frames, channels)
    bits : int
        Target bit depth; one LSB is ``2 ** (1 - bits)``.
    seed : int
        The same seed gives the same dither, so that a file can be rendered again bit for bit.

    Source: Lipshitz, Wannamaker, Vanderkooy, "Quantization and Dither: A Theoretical Survey", JAES 40, 1992.
    """
    lsb = 2.0 ** (1 - bits)
    random = np.random.Generator(np.random.PCG64(seed))
    noise = random.random(samples.shape) - random.random(samples.shape)
    rounded = np.rint(samples.astype(np.float64) / lsb + noise) * lsb
    return np.clip(rounded, -1.0, 1.0 - lsb).astype(np.float32)
