"""Loops over samples that slices are found by."""

from __future__ import annotations

from numba import complex64, float32, int64, njit, void

from oskren.core.types import AnyArray, Samples

_SAMPLES = float32[:, ::1]
_ONE = float32[::1]


@njit(void(_SAMPLES, int64, _SAMPLES), cache=True, nogil=True, fastmath=True)
def averaged(samples: Samples, part: int, less: Samples) -> None:
    """Write the means of ``part`` neighbouring frames each into less (frames / part, channels or more)."""
    share, channels = float32(1.0 / part), samples.shape[1]
    flat, out, wide = samples.ravel(), less.ravel(), less.shape[1]
    for i in range(less.shape[0]):
        here = flat[i * part * channels : (i + 1) * part * channels]
        for channel in range(channels):
            total = float32(0.0)
            for neighbour in range(part):
                total += here[neighbour * channels + channel]
            out[i * wide + channel] = total * share


@njit(void(_SAMPLES, int64, _SAMPLES, _ONE, _ONE), cache=True, nogil=True, fastmath=True)
def powers(samples: Samples, hop: int, last: Samples, power: Samples, bright: Samples) -> None:
    """Write the mean power of every ``hop`` frames, and that of their first difference; last (1, channels) is the frame before, and is replaced."""
    channels = samples.shape[1]
    flat = samples.ravel()
    size = hop * channels
    share = float32(1.0 / size)
    for cell in range(power.shape[0]):
        here = flat[cell * size : cell * size + size]
        total, steps = float32(0.0), float32(0.0)
        for i in range(size):
            total += here[i] * here[i]
        if cell:
            before = flat[cell * size - channels : cell * size - channels + size]
            for i in range(size):
                step = here[i] - before[i]
                steps += step * step
        else:
            for i in range(size):
                step = here[i] - (here[i - channels] if i >= channels else last[0, i])
                steps += step * step
        power[cell] = total * share
        bright[cell] = steps * share
    if power.shape[0]:
        for channel in range(channels):
            last[0, channel] = flat[power.shape[0] * size - channels + channel]


@njit(void(complex64[:, ::1], int64[::1], _SAMPLES), cache=True, nogil=True, fastmath=True)
def add_bands(spectra: AnyArray, edges: AnyArray, bands: Samples) -> None:
    """Add the power of whole spectra (frames, span) to bands (frames, len(edges) - 1): of the bins from edge to edge, and of their negatives."""
    span = spectra.shape[1]
    for frame in range(spectra.shape[0]):
        row = spectra[frame]
        for band in range(bands.shape[1]):
            total = float32(0.0)
            for place in range(edges[band], edges[band + 1]):
                one, other = row[place], row[span - place]
                total += one.real * one.real + one.imag * one.imag + other.real * other.real + other.imag * other.imag
            bands[frame, band] += total
