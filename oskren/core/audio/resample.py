"""Band-limited resampling: rate conversion and varispeed."""

from __future__ import annotations

import numpy as np

from oskren.core.types import Samples


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

    ratio = 2.0 ** (semitones / 12)
    base = 48000.0
    return fit(soxr.resample(np.ascontiguousarray(samples), base * ratio, base, quality="VHQ"), max(1, round(len(samples) / ratio)))
