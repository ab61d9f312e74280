"""Linear prediction: what a sample should be by the ones around it; clicks stand out of it, gaps are filled by it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oskren.core.types import Floats

BLOCK = 4096
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


def clicks(samples: Floats, rate: int, threshold_db: float, longest_s: float) -> list[tuple[int, int]]:
    """Clicks of one channel: (first frame, frame after the last), found where prediction fails for a moment only.

    Parameters
    ----------
    threshold_db : float
        How far the prediction error stands over its median.
    longest_s : float
        What lasts longer is no click.

    A click leaves the sound as it was; where the error stays higher afterwards than it was before, something was struck.
    """
    found: list[tuple[int, int]] = []
    factor = 10 ** (threshold_db / 20)
    join, around = max(4, round(0.0004 * rate)), max(32, round(0.004 * rate))
    longest = max(1, round(longest_s * rate))
    for start in range(0, len(samples), BLOCK):
        first, last = max(0, start - 2 * around), min(len(samples), start + BLOCK + 2 * around)
        piece = samples[first:last]
        error = np.abs(residual(piece, model(piece)))
        # a click spoils the model it should stand out of: estimated again without what stands out most, it shows the click alone
        bare = piece.copy()
        for share in (3.0, 1.0):
            level = factor * (np.median(error) + 1e-9)
            for run in _runs(error > (max(level, error.max() / share) if share > 1 else level), join):
                if len(run) and run[-1] - run[0] <= 2 * longest + 2 * ORDER:
                    first_out, last_out = max(0, int(run[0]) - 2), min(len(bare) - 1, int(run[-1]) + 2)
                    bare[first_out : last_out + 1] = np.linspace(bare[max(0, first_out - 1)], bare[min(len(bare) - 1, last_out + 1)], last_out + 1 - first_out)
            error = np.abs(residual(piece, model(bare)))
        typical = np.median(error) + 1e-9
        for run in _runs(error > factor * typical, join):
            if not len(run):
                continue
            # the error goes on for as long as the model looks back; the edges of the click itself stand highest in it
            strong = run[error[run] > 0.25 * error[run].max()]
            begin, end = int(strong[0]), int(strong[-1]) + 1
            if end - begin > longest or not start <= first + begin < start + BLOCK:
                continue
            before, after = error[max(0, begin - around) : max(0, begin - 2)], error[end + ORDER : end + ORDER + around]
            if len(before) < 8 or len(after) < 8 or np.median(after) > 4 * np.median(before) + typical:
                continue
            if error[begin:end].max() <= factor * min(np.median(before), np.median(after)):
                continue  # no louder than what it lies in
            found.append((first + max(0, begin - 1), min(len(samples), first + end + 1)))
    return found


def _runs(loud: NDArray[np.bool_], join: int) -> list[NDArray[np.int64]]:
    """Positions where something is so, in runs whose gaps are no longer than ``join``."""
    at = np.flatnonzero(loud)
    return np.split(at, np.flatnonzero(np.diff(at) > join) + 1)


def clipped_runs(samples: Floats, within_db: float = 0.05) -> list[tuple[int, int]]:
    """Runs of samples that were cut off at the highest or lowest value: (first frame, frame after the last).

    Parameters
    ----------
    within_db : float
        How far below the extreme still counts as at it.

    A peak that was cut off is flat: its samples lie closer together than those of a round one that reaches as high. Single
    samples at the top are left: in noise nothing says how high they were, and a tone has them too.
    """
    flat: list[tuple[int, int]] = []
    depth = 1 - 10 ** (-within_db / 20)
    for sign in (1.0, -1.0):
        signed = samples * sign
        top = float(signed.max(initial=0.0))
        if top <= 1e-4:
            continue
        at = np.concatenate([[0], (signed >= top * (1 - depth)).astype(np.int8), [0]])
        edges = np.flatnonzero(np.diff(at))
        for a, b in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
            # of a round peak that reaches so high a third lies in the highest tenth
            if b - a >= 3 and np.mean(signed[a:b] >= top * (1 - 0.1 * depth)) >= 0.6:
                flat.append((a, b))
    return sorted(flat)
