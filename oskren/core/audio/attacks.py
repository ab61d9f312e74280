"""Attacks: where something is struck, plucked or snaps, so that it can be set down unsmeared when a sound is stretched."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oskren.core.types import Floats, Samples

CELL_S = 0.001
RISE_DB = 10.0
"""How far the power rises above what was before it, of the sound or of one of its differences."""

NOW, BEFORE = 4, 25
"""Cells the power is averaged over after and before a moment."""

PEAK, WAIT = 12, 60
"""Cells within which an attack is highest, and after which another may come."""

WALK_DB = 60.0
"""An attack begins where it is this far under its peak, or rises no more from what was before."""

LEAST_DB = 45.0
"""What rises no higher than this under the loudest moment is no attack: it would not be heard as one."""


@dataclass(frozen=True)
class Attack:
    """Frames of an attack: where it begins, where it is heard to begin (a tenth of its peak), and its peak."""

    start: int
    anchor: int
    peak: int


def find_attacks(samples: Samples, rate: int) -> list[Attack]:
    """Attacks of a sound, all channels together, in order.

    Parameters
    ----------
    samples : array, shape (frames, channels)
    rate : int
        Hz.

    The power of the sound, of its first and of its second difference is looked at, so that a hit is also found under what is low.
    """
    cell = max(1, round(CELL_S * rate))
    count = len(samples) // cell
    if count < NOW + 2:
        return []
    rising = np.zeros(count)
    wave = samples[: count * cell].astype(np.float64)
    power = _cells(wave, cell)
    for order in range(3):
        rising = np.maximum(rising, _rise(_cells(wave, cell) if order else power))
        if order < 2:
            wave = np.diff(wave, axis=0, prepend=wave[:1])
    return [_placed(samples, power, rises, peak, cell) for rises, peak in _peaks(rising, power)]


def _cells(wave: Floats, cell: int) -> Floats:
    """Mean power of cells, summed over channels."""
    return np.asarray(np.einsum("ijk,ijk->i", parts := wave.reshape(-1, cell, wave.shape[1]), parts) / cell)


def _rise(power: Floats) -> Floats:
    """By what power grows at every cell: the mean of what comes over the mean of what was."""
    total = np.concatenate([[0.0], np.cumsum(power)])
    at = np.arange(len(power))
    ends, begins = np.minimum(at + NOW, len(power)), np.maximum(at - BEFORE, 0)
    now = (total[ends] - total[at]) / (ends - at)
    before = (total[at] - total[begins]) / BEFORE
    # what rises out of silence is measured against a share of the loudest there is
    floor = 10 ** (-(LEAST_DB + RISE_DB) / 10) * float(power.max(initial=0.0)) + 1e-20
    return np.asarray(now / (before + floor))


def _peaks(rising: Floats, power: Floats) -> list[tuple[int, int]]:
    """The cell each attack rises at and its highest cell."""
    found: list[tuple[int, int]] = []
    at = 0
    loud = 10 ** (-LEAST_DB / 10) * power.max(initial=0.0)
    while at < len(rising):
        if rising[at] < 10 ** (RISE_DB / 10) or power[at : at + NOW].max() < loud:
            at += 1
            continue
        # the rise is steepest where the attack begins; it is highest a little later
        steepest = at + int(np.argmax(rising[at : at + PEAK]))
        found.append((steepest, steepest + int(np.argmax(power[steepest : steepest + PEAK]))))
        at = steepest + WAIT
    return found


def _placed(samples: Samples, power: Floats, rises: int, peak: int, cell: int) -> Attack:
    """An attack to the frame, from the cell it rises at and its highest one."""
    earlier = power[max(0, rises - BEFORE) : max(0, rises - 2)]
    # what went on before is no part of it
    quiet = max(power[peak] * 10 ** (-WALK_DB / 10), 2 * float(earlier.mean()) if len(earlier) else 0.0)
    first = peak
    while first > max(0, peak - PEAK - NOW) and power[first - 1] > quiet and (power[first - 1] < power[first] or power[first] > power[peak] * 0.01):
        first -= 1
    around = np.abs(samples[first * cell : (peak + 2) * cell]).max(axis=1)
    highest = int(np.argmax(around))
    heard = int(np.argmax(around[: highest + 1] >= 0.1 * around[highest]))
    return Attack(max(0, first * cell - cell // 2), first * cell + heard, first * cell + highest)
