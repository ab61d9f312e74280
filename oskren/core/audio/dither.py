"""Dither for reduced bit depths, flat or with its noise moved to where hearing is dull."""

from __future__ import annotations

import functools

import numpy as np

from oskren.core.types import Floats, Samples

ORDER = 12
"""Samples the error is fed back over (own choice: more moves the noise no further)."""

RANGE_DB = 40.0
"""So far apart the loudest and the quietest of the shaped noise are wanted: 16 dB less is heard, for 13 dB more in all at 44.1 kHz (own choice)."""


def threshold_db(hz: Floats) -> Floats:
    """The quietest level (dB) a tone of a frequency (Hz) is heard at.

    Source: Terhardt, "Calculating virtual pitch", Hearing Research 1, 1979, as given by Painter and Spanias, "Perceptual Coding of Digital
    Audio", Proceedings of the IEEE 88, 2000, equation 1 (coefficients from memory).
    """
    khz = np.maximum(hz, 20.0) / 1000
    return np.asarray(3.64 * khz**-0.8 - 6.5 * np.exp(-0.6 * (khz - 3.3) ** 2) + 1e-3 * khz**4)


@functools.lru_cache(maxsize=8)
def shaping(rate: int) -> Floats:
    """The filter of the noise at a rate (Hz), its first tap 1: as loud at each frequency as that one can be without being heard.

    The best shape lies everywhere the same distance from the threshold of hearing, and its logarithm averages 0 over the band: what is taken
    off where hearing is keen comes back where it is dull (Gerzon and Craven, "Optimal noise shaping and dither of digital signals", AES
    preprint 2822, 1989). The filter is the whitening filter of the inverse shape, by linear prediction (Makhoul, Proceedings of the IEEE 63,
    1975), and so of minimum phase.

    Returns
    -------
    array, shape (ORDER + 1,)
    """
    from scipy.linalg import solve_toeplitz

    hz = np.arange(4097) * rate / 8192
    shape = threshold_db(hz)
    shape = np.clip(shape, shape.min(), shape.min() + RANGE_DB)
    inverse = np.fft.irfft(10 ** (-shape / 10))
    taps = solve_toeplitz(inverse[:ORDER], -inverse[1 : ORDER + 1])
    return np.concatenate([[1.0], taps])


class Dither:
    """Rounds a sound that comes in blocks to fewer bits, with triangular noise of 2 LSB peak to peak; the same seed gives the same noise.

    Flat, the total error has power LSB²/4 and is not correlated with the signal; shaped, its spectrum is that of :func:`shaping`.

    Parameters
    ----------
    bits : int
        Target bit depth; one LSB is ``2 ** (1 - bits)``.
    channels : int
    rate : int
        Sample rate in Hz; only the shape depends on it.
    seed : int
    shaped : bool

    Source: Lipshitz, Wannamaker, Vanderkooy, "Quantization and Dither: A Theoretical Survey", JAES 40, 1992.
    """

    def __init__(self, bits: int, channels: int, rate: int, seed: int = 0, *, shaped: bool = False):
        self._lsb = 2.0 ** (1 - bits)
        self._random = np.random.Generator(np.random.PCG64(seed))
        self._taps = np.ascontiguousarray(shaping(rate)[1:]) if shaped else None
        self._errors = np.zeros((channels, ORDER))

    def rounded(self, block: Samples) -> Samples:
        """A block (frames, channels) as it is written; what comes out does not depend on where blocks begin."""
        pairs = self._random.random((*block.shape, 2))
        noise = pairs[..., 0] - pairs[..., 1]
        scaled = block.astype(np.float64) / self._lsb
        if self._taps is None:
            scaled = np.rint(scaled + noise)
        else:
            from oskren.core.audio.kernels import round_shaped

            round_shaped(scaled, np.ascontiguousarray(noise), self._taps, self._errors)
        return np.clip(scaled * self._lsb, -1.0, 1.0 - self._lsb).astype(np.float32)


def tpdf(samples: Samples, bits: int, seed: int = 0) -> Samples:
    """All of a sound (frames, channels) with flat dither, see :class:`Dither`."""
    return Dither(bits, samples.shape[1], 48_000, seed).rounded(samples)
