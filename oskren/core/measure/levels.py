"""Sample levels: peak, RMS, offset, clipping."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.types import Floats, Samples

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


def loudest(samples: Samples) -> Samples:
    """Largest magnitude over the channels at each frame, shape (frames,)."""
    result: Samples = np.abs(samples[:, 0])
    for lane in range(1, samples.shape[1]):
        np.maximum(result, np.abs(samples[:, lane]), out=result)
    return result


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
