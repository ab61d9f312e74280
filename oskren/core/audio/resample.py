"""Band-limited resampling: rate conversion and varispeed."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.types import Samples

VARISPEED_HZ = 48_000.0
"""Varispeed is a conversion to this rate."""


def fit(samples: Samples, frames: int) -> Samples:
    """Crop or zero-pad samples of shape (frames, channels) to an exact number of frames."""
    if len(samples) >= frames:
        return samples[:frames]
    return np.concatenate([samples, np.zeros((frames - len(samples), samples.shape[1]), np.float32)])


def convert_rate(samples: Samples, rate: int, wanted: int) -> Samples:
    """Convert the sample rate (Hz) with soxr VHQ; the length is ``round(frames * wanted / rate)``.

    Parameters
    ----------
    samples : array, shape (frames, channels)
        Amplitudes, 1.0 at full scale.
    rate, wanted : int
        The present and the wanted sample rate in Hz.

    Returns
    -------
    array of float32, shape (round(frames * wanted / rate), channels)

    Examples
    --------
    >>> import numpy as np
    >>> convert_rate(np.zeros((44_100, 2), np.float32), 44_100, 48_000).shape
    (48000, 2)
    """
    if rate == wanted:
        return samples
    import soxr

    return fit(soxr.resample(samples, rate, wanted, quality="VHQ"), round(len(samples) * wanted / rate))


def converted(blocks: Iterator[Samples], rate: float, wanted: float, channels: int) -> Iterator[Samples]:
    """As :func:`convert_rate`, bit for bit, for blocks of shape (frames, channels) in order; before it is cut or filled up to an exact length.

    Of a long sound it holds a block.
    """
    import soxr

    stream = soxr.ResampleStream(rate, wanted, channels, dtype="float32", quality="VHQ")
    for block in blocks:
        yield stream.resample_chunk(np.ascontiguousarray(block, np.float32))
    yield stream.resample_chunk(np.zeros((0, channels), np.float32), last=True)


def speed(semitones: float) -> tuple[float, float]:
    """The two rates (Hz) between which a sound is converted to be moved by so many semitones together with its length."""
    return VARISPEED_HZ * 2.0 ** (semitones / 12), VARISPEED_HZ


def varispeed(samples: Samples, semitones: float) -> Samples:
    """Change pitch and length together, as a tape does.

    Parameters
    ----------
    samples : array, shape (frames, channels)
    semitones : float
        The rate ratio is 2^(n/12); the length becomes ``round(frames / ratio)``.
    """
    if semitones == 0:
        return samples
    import soxr

    frames = max(1, round(len(samples) / 2.0 ** (semitones / 12)))
    return fit(soxr.resample(np.ascontiguousarray(samples), *speed(semitones), quality="VHQ"), frames)
