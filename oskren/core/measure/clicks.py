"""Clicks: moments where a sound is disturbed by something that was added to it, told by their extent, their shape and how sure they are.

Found where linear prediction fails for a moment only. How far a click reaches is the stretch of samples whose being disturbed
explains the failure best (Bayesian detection of local disturbances: Godsill, Rayner, Digital Audio Restoration, 1998, chapters 5
and 9, from memory). What was added there is estimated and can be taken off, so that what lies under it stays.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oskren.core.measure import prediction
from oskren.core.types import Floats

BLOCK = 4096
ORDER = 40
PASSES = 3
REACH = 768
"""Frames on either side of a click its predictor is fitted to."""

ALONE_S, ALONE = 0.012, 1.5
"""A click stands this many times over all else within so many seconds, as a first look tells."""

TRAIN_S, TRAIN, ALIKE, EVEN = 0.2, 4, 5.0, 0.3
"""Where as many others lie within so many seconds before and after, no smaller than a fifth and about as far from each other (by
the deviation of their distances over the mean), none is a click: creaks and squeals are made of them, crackle comes unevenly."""

AROUND_S = 0.008
"""What a click is compared with in the end, before and after it."""

LEAST_EVIDENCE = 60.0
"""Nepers by which a disturbance must explain the samples better than none does."""

PER_SAMPLE = 4.0
"""What each disturbed sample costs in evidence: how little is known of it beforehand."""

AFTERWARDS = 3.0
"""Where the sound is rougher after a moment than before it by more than this, something was struck."""

SURROUNDINGS = 8.0
"""How far a click's failure of prediction stands over that of what surrounds it; what speaks or is struck stays under it."""

DECAYS = (0.5, 0.75, 0.87, 0.95, 1.0)
TURNS = tuple(2 * np.pi / period for period in (np.inf, 20.0, 10.0, 6.0))
NEWS = tuple(10.0 ** (place / 2) for place in range(-6, 2))
"""Shapes a click may have."""


@dataclass(frozen=True)
class Click:
    """A click: its first frame, the frame after its last, what it added there, and how sure it is none of the sound's own.

    Sure is 0 where it stands just so far over its surroundings that it counts as a click, 0.5 at twice that, 0.9 at ten times.
    """

    first: int
    last: int
    added: Floats
    sure: float


@dataclass(frozen=True)
class _Window:
    """A stretch of sound with its predictor: where it begins, its error of prediction, and the scale that error has of itself."""

    begins: int
    coefficients: Floats
    error: Floats
    scale: float


def find_clicks(samples: Floats, rate: int, threshold_db: float, longest_s: float) -> list[Click]:
    """Clicks of one channel, in order.

    Parameters
    ----------
    samples : array, shape (frames,)
    threshold_db : float
        How far the error of prediction stands over its usual scale.
    longest_s : float
        What lasts longer is no click.
    """
    work = np.array(samples, np.float64)
    longest = max(1, round(longest_s * rate))
    found: list[Click] = []
    blocks = list(range(0, len(work), BLOCK))
    for _ in range(PASSES):
        hits = [hit for start in blocks for hit in _hits(work, start, rate, 10 ** (threshold_db / 20), longest)]
        before = len(found)
        for hit in _without_trains(hits, round(TRAIN_S * rate)):
            click = _estimated(work, hit.frame, longest, rate) if hit.alone else None
            if click:
                work[click.first : click.last] -= click.added
                found.append(click)
        # smaller ones beside those that were taken off stand out now
        near = {click.first // BLOCK + side for click in found[before:] for side in (-1, 0, 1)}
        blocks = [start for start in blocks if start // BLOCK in near]
        if not blocks:
            break
    return sorted(found, key=lambda one: one.first)


@dataclass(frozen=True)
class _Hit:
    """A frame where prediction fails, by how much, and whether it stands over all that is near."""

    frame: int
    error: float
    alone: bool


def _hits(work: Floats, start: int, rate: int, factor: float, longest: int) -> list[_Hit]:
    """Frames of a block where prediction fails far more than around them."""
    around = round(ALONE_S * rate)
    first, last = max(0, start - around - ORDER), min(len(work), start + BLOCK + around)
    piece = work[first:last]
    if len(piece) < 4 * ORDER:
        return []
    error = np.abs(prediction.residual(piece, _robust(piece, factor)))
    error[:ORDER] = 0.0
    loud = np.flatnonzero(error > factor * _scale(error))
    hits = []
    # prediction fails where a click begins and again where it ends
    for run in np.split(loud, np.flatnonzero(np.diff(loud) > ORDER + longest) + 1):
        if not len(run):
            continue
        peak = int(run[np.argmax(error[run])])
        if start <= first + peak < start + BLOCK:
            begins, ends = int(run[0]), int(run[-1])
            beside = np.concatenate([error[max(0, begins - around) : max(0, begins - 2)], error[ends + ORDER : ends + ORDER + around]])
            hits.append(_Hit(first + peak, float(error[peak]), len(beside) > 0 and error[peak] > ALONE * beside.max()))
    return hits


def _without_trains(hits: list[_Hit], reach: int) -> list[_Hit]:
    """Hits but those of a train: what follows itself so closely is how the sound is made."""
    frames, errors = np.array([hit.frame for hit in hits]), np.array([hit.error for hit in hits])
    kept = []
    for place, hit in enumerate(hits):
        first, last = np.searchsorted(frames, [hit.frame - reach, hit.frame + reach + 1])
        apart = np.diff(frames[first:last][errors[first:last] > hit.error / ALIKE])
        if len(apart) < TRAIN or np.std(apart) > EVEN * np.mean(apart):
            kept.append(hits[place])
    return kept


def _robust(piece: Floats, factor: float) -> Floats:
    """Predictor of a piece whose loudest failures are bridged first: a click spoils the model it should stand out of."""
    bare = piece.copy()
    coefficients = prediction.model(bare, ORDER)
    for _ in range(2):
        error = np.abs(prediction.residual(piece, coefficients))
        error[:ORDER] = 0.0
        loud = np.flatnonzero(error > max(factor * _scale(error), error.max() / 3))
        if not len(loud):
            break
        for run in np.split(loud, np.flatnonzero(np.diff(loud) > ORDER) + 1):
            a, b = max(0, int(run[0]) - 4), min(len(bare) - 1, int(run[-1]) + 4)
            bare[a : b + 1] = np.linspace(bare[a], bare[b], b + 1 - a)
        coefficients = prediction.model(bare, ORDER)
    return coefficients


def _scale(error: Floats) -> float:
    """Standard deviation of an error by its median, which few large ones do not move."""
    return float(np.median(np.abs(error))) / 0.6745 + 1e-9


def _estimated(work: Floats, peak: int, longest: int, rate: int) -> Click | None:
    """The click at a frame, or None where it is none."""
    first, last = peak, peak + 1
    most = longest + 16
    begins, ends = max(0, peak - REACH - most), min(len(work), peak + REACH + most)
    piece = work[begins:ends]
    if len(piece) < 6 * ORDER:
        return None
    window, evidence = None, 0.0
    for _ in range(3):
        window = _window(piece, begins, first, last)
        told = _extent(window, peak, most)
        if told is None:
            return None
        first, last, evidence = told
    assert window is not None
    if evidence < LEAST_EVIDENCE or last - first > longest or last - first >= most:
        return None
    stands = _stands_out(window, first, last, rate)
    if stands < SURROUNDINGS:
        return None
    return _subtracted(window, first, last, 1 - SURROUNDINGS / stands)


def _window(piece: Floats, begins: int, first: int, last: int) -> _Window:
    """A piece with a predictor fitted to it without what lies from ``first`` to ``last``, and the error of the whole of it."""
    missing = np.zeros(len(piece), bool)
    missing[max(0, first - begins - 2) : last - begins + 2] = True
    bare = prediction.fill(piece, missing, ORDER, 1) if not missing.all() else piece
    coefficients = prediction.model(bare, ORDER)
    error = prediction.residual(piece, coefficients)
    error[:ORDER] = 0.0
    clear = np.abs(prediction.residual(bare, coefficients))[ORDER:]
    return _Window(begins, coefficients, error, _scale(clear))


@functools.lru_cache(maxsize=8)
def _lags(size: int) -> NDArray[np.int64]:
    return np.asarray(np.abs(np.arange(size)[:, None] - np.arange(size)))


def _gram(coefficients: Floats, size: int) -> Floats:
    """What the predictor makes of neighbouring samples, multiplied: its own correlation, shape (size, size)."""
    lags = np.correlate(coefficients, coefficients, "full")[len(coefficients) - 1 :]
    padded = np.concatenate([lags, np.zeros(max(0, size - len(lags)))])[:size]
    return np.asarray(padded[_lags(size)])


def _answers(window: _Window) -> Floats:
    """How much of the error each sample could have caused: the error correlated with the predictor, one value a sample."""
    return np.correlate(np.concatenate([window.error, np.zeros(len(window.coefficients) - 1)]), window.coefficients, "valid")


def _extent(window: _Window, peak: int, most: int) -> tuple[int, int, float] | None:
    """First frame, frame after the last, and evidence of the stretch whose being disturbed explains the error at ``peak`` best."""
    from scipy.linalg import cholesky, solve_triangular

    answers = _answers(window)
    here = peak - window.begins
    starts = np.arange(max(ORDER, here - most), min(here + 1, len(answers) - most))
    if not len(starts):
        return None
    lower = cholesky(_gram(window.coefficients, most) + 1e-12 * np.eye(most), lower=True)
    sides = np.lib.stride_tricks.sliding_window_view(answers, most)[starts].T
    whitened = solve_triangular(lower, sides, lower=True, check_finite=False)
    gained = np.cumsum(np.square(whitened) / (2 * window.scale**2) - np.log(np.diag(lower))[:, None] - PER_SAMPLE, axis=0)
    length, place = np.unravel_index(int(np.argmax(gained)), gained.shape)
    first = window.begins + int(starts[place])
    return first, first + int(length) + 1, float(gained[length, place])


def _stands_out(window: _Window, first: int, last: int, rate: int) -> float:
    """How many times a click stands over what is around it; 0 where the sound is rougher afterwards than it was before."""
    a, b = first - window.begins, last - window.begins
    around = round(AROUND_S * rate)
    before, after = window.error[max(ORDER, a - around) : a], window.error[b + ORDER : b + ORDER + around]
    if len(before) < 32 or len(after) < 32 or _scale(after) > AFTERWARDS * _scale(before):
        return 0.0
    highest = float(np.abs(window.error[a : b + ORDER]).max())
    # of noise that is steady the largest of a few hundred values lies at three deviations
    around_it = min(float(max(np.abs(before).max(), np.abs(after).max())), 3 * max(_scale(before), _scale(after)))
    return highest / max(around_it, 1e-9)  # around it may lie digital silence


def _subtracted(window: _Window, first: int, last: int, sure: float) -> Click:
    """The click of about such an extent: what was added, by the extent and the shape that explain the error best."""
    answers = _answers(window)
    a, b = first - window.begins, last - window.begins
    if b - a <= LONG:
        shape = _best_shape(window, answers[a:b])
        near = [(one, other) for one in range(max(ORDER, a - 2), a + 3) for other in range(b - 2, min(len(answers), b + 5)) if one < other]
        a, b = max(near, key=lambda one: _shaped(window, answers[one[0] : one[1]], (shape,))[0])
    added = _shaped(window, answers[a:b], (_best_shape(window, answers[a:b]),))[1]
    return Click(window.begins + a, window.begins + b, added, sure)


Shape = tuple[float, float, float]
"""How a click holds together: what it keeps from sample to sample, the angle it turns by, and the scale of what is new in it, over the largest error."""

SHAPES: tuple[Shape, ...] = tuple((decay, turn, new) for decay in DECAYS for turn in TURNS for new in NEWS)
LONG = 250
LONG_SHAPES: tuple[Shape, ...] = ((0.95, 0.0, 0.03), (1.0, 0.0, 0.003), (1.0, 0.0, 0.1))
"""Shapes that are tried for clicks of more than so many frames, whose matrices are large."""


def _best_shape(window: _Window, answers: Floats) -> Shape:
    shapes = SHAPES if len(answers) <= LONG + 4 else LONG_SHAPES
    return shapes[int(np.argmax(_evidences(window, answers, shapes)[0]))]


def _shaped(window: _Window, answers: Floats, shapes: tuple[Shape, ...]) -> tuple[float, Floats]:
    """Evidence and mean of a click of so many samples and one shape."""
    told, lower, half = _evidences(window, answers, shapes)
    return float(told[0]), np.linalg.solve(lower[0].T, half[0])


def _evidences(window: _Window, answers: Floats, shapes: tuple[Shape, ...]) -> tuple[Floats, Floats, Floats]:
    """Evidence for a click of so many samples and each shape, with the factors its mean follows from."""
    size = len(answers)
    height = float(np.abs(window.error).max())
    kept, logs = _holding(size, shapes)
    gram = _gram(window.coefficients, size)
    lower = np.linalg.cholesky((gram + 1e-13 * gram[0, 0] * np.eye(size)) / window.scale**2 + kept / height**2)
    half = np.linalg.solve(lower, np.broadcast_to(answers[:, None] / window.scale**2, (len(shapes), size, 1)))[..., 0]
    told = 0.5 * np.sum(np.square(half), axis=-1) - np.sum(np.log(np.diagonal(lower, axis1=-2, axis2=-1)), axis=-1) - logs - size * np.log(height)
    return told, lower, half


def _holding(size: int, shapes: tuple[Shape, ...]) -> tuple[Floats, Floats]:
    """For each shape, how strongly samples of a click hold together, shape (shapes, size, size), and the logarithm of its volume.

    A click begins anywhere within the largest error and goes on as a damped oscillation, with something new at each sample.
    """
    kept = _held_long(1 << max(6, (size - 1).bit_length()), shapes)[:, :size, :size].copy()
    decay, turn, new = np.array(shapes).T
    # without what later samples would say of the last two
    one, two = -2 * decay * np.cos(turn) / (new if size > 1 else np.maximum(new, 1.0)), decay**2 / new
    kept[:, -1, -1] -= one**2 + two**2
    if size > 1:
        kept[:, -2, -2] -= two**2
        kept[:, -1, -2] -= one * two
        kept[:, -2, -1] -= one * two
    return kept, max(0, size - 2) * np.log(new) + min(size, 2) * np.log(np.maximum(new, 1.0))


@functools.lru_cache(maxsize=16)
def _held_long(size: int, shapes: tuple[Shape, ...]) -> Floats:
    """How samples of a click hold together that is longer by two than any asked for."""
    decay, turn, new = (values[:, None, None] for values in np.array(shapes).T)
    ahead = size + 2
    difference = np.eye(ahead) - 2 * decay * np.cos(turn) * np.eye(ahead, k=-1) + decay**2 * np.eye(ahead, k=-2)
    scales = np.repeat(new, ahead, axis=1)
    scales[:, :2] = np.maximum(new, 1.0)
    whitened = difference / scales
    return np.asarray(np.swapaxes(whitened, 1, 2) @ whitened)
