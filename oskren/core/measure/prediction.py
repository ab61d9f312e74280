"""Linear prediction: what a sample should be by the ones around it; gaps are filled by it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oskren.core.types import Floats

ORDER = 40
LONGEST_GAP = 4096
SETTLES = 3
"""Rounds of estimating the model from the filled gap and filling it again."""


def model(samples: Floats, order: int = ORDER) -> Floats:
    """Coefficients (1, a1, ... a_order) of the prediction error filter, by the autocorrelation method (Levinson, Durbin).

    Silence gives (1, 0, ...).
    """
    from scipy.linalg import solve_toeplitz

    order = min(order, max(1, len(samples) // 3))
    size = 1 << (2 * len(samples) - 1).bit_length()
    spectrum = np.fft.rfft(samples * np.hanning(len(samples) + 2)[1:-1], size)
    lags = np.fft.irfft(np.square(np.abs(spectrum)), size)[: order + 1]
    if lags[0] <= 1e-20:
        return np.concatenate([[1.0], np.zeros(order)])
    lags[0] *= 1 + 1e-9
    return np.concatenate([[1.0], solve_toeplitz(lags[:-1], -lags[1:])])


def residual(samples: Floats, coefficients: Floats) -> Floats:
    """What the model does not predict."""
    return np.convolve(samples, coefficients)[: len(samples)]


def fill(samples: Floats, missing: NDArray[np.bool_], order: int = ORDER, settles: int = SETTLES) -> Floats:
    """Fill missing samples so that the whole is as predictable as can be.

    Least squares for the gap by an autoregressive model, which is estimated anew from the filled signal (Janssen, Veldhuis,
    Vries 1986: Adaptive interpolation of discrete-time signals that can be modeled as autoregressive processes).

    Parameters
    ----------
    samples : array, shape (frames,)
        With context on both sides of the gap, best ten times its length; values that are missing do not count.
    missing : array of bool, shape (frames,)
    """
    from scipy.linalg import solve

    out = np.array(samples, np.float64)
    at = np.flatnonzero(missing)
    if not len(at) or len(at) > LONGEST_GAP or missing.all():
        return out
    known = np.flatnonzero(~missing)
    out[at] = np.interp(at, known, out[known])
    for _ in range(settles):
        coefficients = model(out, min(order + len(at) // 4, max(4, len(known) // 4), 160))
        lags = np.correlate(coefficients, coefficients, "full")[len(coefficients) - 1 :]
        apart = np.abs(at[:, None] - at[None, :])
        matrix = np.where(apart < len(lags), lags[np.minimum(apart, len(lags) - 1)], 0.0)
        bare = out.copy()
        bare[at] = 0.0
        error = np.convolve(bare, coefficients)
        wanted = -np.convolve(error, coefficients[::-1])[len(coefficients) - 1 :][at]
        out[at] = solve(matrix + 1e-9 * lags[0] * np.eye(len(at)), wanted, assume_a="pos")
    return out
