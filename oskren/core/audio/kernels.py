"""Loops of writing audio that go from sample to sample, compiled. Import this where it is needed: loading it takes a while."""

from __future__ import annotations

import numpy as np
from numba import float64, njit, void

from oskren.core.types import Floats


@njit(void(float64[:, ::1], float64[:, ::1], float64[::1], float64[:, ::1]), cache=True, nogil=True)
def round_shaped(samples: Floats, noise: Floats, taps: Floats, errors: Floats) -> None:
    """Round to whole numbers in place, each error fed back into the samples after it.

    samples and noise (frames, channels), in units of what is rounded to; taps[k] what the error k + 1 samples ago is multiplied with;
    errors (channels, taps), the latest first, as they are after the last sample.
    """
    order = len(taps)
    for channel in range(samples.shape[1]):
        past = errors[channel]
        for i in range(samples.shape[0]):
            wanted = samples[i, channel]
            for k in range(order):
                wanted += taps[k] * past[k]
            got = np.rint(wanted + noise[i, channel])
            for k in range(order - 1, 0, -1):
                past[k] = past[k - 1]
            past[0] = got - wanted
            samples[i, channel] = got
