"""Runs: where something is so for a while."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oskren.core.types import AnyArray


def runs_of(wanted: AnyArray) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """First places of the runs where something is so, and the places after their last.

    >>> [ends.tolist() for ends in runs_of(np.array([False, True, True, False, True]))]
    [[1, 4], [3, 5]]
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[0], wanted.astype(np.int8), [0]])))
    return edges[::2], edges[1::2]
