"""Many channels on headphones: every loudspeaker of a layout is heard round a spherical head.

The head is a rigid sphere with its ears at the sides; a distant sound at its surface is a sum of spherical waves, whose shadow and delay need
no further model. Source: R. O. Duda, W. L. Martens, "Range dependence of the response of a spherical head model", J. Acoust. Soc. Am. 104(5),
1998, equation 4 for a distant source (the formula from memory; it is checked against closed forms in tests/reference).
"""

from __future__ import annotations

import functools
from collections.abc import Sequence

import numpy as np

from oskren.core.audio.layouts import AZIMUTHS, CHANNELS, cardioids, fold_gains
from oskren.core.types import AnyArray, Floats, Samples

HEAD_M = 0.0875
"""Radius of the head: the usual value, as in the paper."""

SOUND_M_S = 343.0
MORE_ORDERS = 20
"""Orders of the sum beyond the head's size in wavelengths over 2 pi: what is left out is under -120 dB."""

EARS_DEG = (90.0, -90.0)
"""Where the ears are, degrees to the left."""

LONG_S = 0.008
"""Length of the responses: both ears' delays, and the ringing of delays that are no whole number of frames."""

BEFORE_S = 0.002
"""How late the responses are, so that the near ear, which hears before the middle of the head, is in them; it is taken off again."""

ROUND_DEG = tuple(45.0 * place for place in range(8))
"""Where an ambisonic sound is heard from: eight loudspeakers round the head. Own choice."""


def incidence(azimuth_deg: float, ear_deg: float) -> float:
    """Angle (degrees, 0 to 180) between the direction of a sound and that of an ear."""
    return abs((azimuth_deg - ear_deg + 180.0) % 360.0 - 180.0)


def at_ear(hz: Floats, incidence_deg: Sequence[float]) -> AnyArray:
    """What an ear hears of distant sounds, over what would be heard in the middle of the head without it: complex factors at frequencies (Hz).

    Parameters
    ----------
    hz : array, shape (n,)
    incidence_deg : sequence of float
        Angles between the directions of the sounds and that of the ear.

    Returns
    -------
    array, shape (angles, n), complex
        Their magnitude is the head's shadow, their phase the delay; 1 at 0 Hz.
    """
    from scipy.special import eval_legendre, spherical_jn, spherical_yn

    size = np.maximum(2 * np.pi * np.asarray(hz, float) * HEAD_M / SOUND_M_S, 1e-3)
    orders = np.arange(int(size.max()) + MORE_ORDERS)
    # terms of high orders are nothing at low frequencies, where what they are divided by is beyond any number
    with np.errstate(over="ignore", invalid="ignore"):
        falling = spherical_jn(orders[:, None], size, derivative=True) + 1j * spherical_yn(orders[:, None], size, derivative=True)
        rising = np.where(np.isfinite(falling), 1.0 / falling, 0.0)
    across = eval_legendre(orders, np.cos(np.radians(np.asarray(incidence_deg, float)))[:, None])
    return np.asarray(np.conj(1j / size**2 * (((2 * orders + 1) * (-1j) ** orders * across) @ rising)))


@functools.lru_cache(maxsize=64)
def responses(layout: str, channels: int, rate: int) -> Samples:
    """What each channel of a layout gives to the ears.

    Returns
    -------
    array, shape (channels, 2, frames)
        Impulse responses, ``BEFORE_S`` late; of an LFE nothing.
    """
    if layout == "ambix" and channels == 4:
        share = 2.0 / len(ROUND_DEG)
        towards: list[tuple[float, AnyArray]] = [(angle, lanes * share) for angle, lanes in zip(ROUND_DEG, cardioids(list(ROUND_DEG)).T, strict=True)]
    elif layout in AZIMUTHS and len(CHANNELS[layout]) == channels:
        names = CHANNELS[layout]
        towards = [(angle, np.array([float(name == one) for one in names])) for name, angle in AZIMUTHS[layout].items()]
    else:
        sides = fold_gains(layout, channels)
        towards = [(AZIMUTHS["stereo"][name], sides[:, lane]) for lane, name in enumerate(CHANNELS["stereo"])]
    angles = [incidence(angle, ear_deg) for angle, _ in towards for ear_deg in EARS_DEG]
    taps = _impulses(angles, rate).reshape(len(towards), 2, -1)
    lanes = np.stack([one for _, one in towards], axis=1)
    return np.asarray(np.einsum("ct,tef->cef", lanes, taps), np.float32)


def _impulses(incidence_deg: Sequence[float], rate: int) -> Floats:
    """Impulse responses (angles, frames) of one ear for sounds from angles to it."""
    frames = round(LONG_S * rate)
    hz = np.asarray(np.fft.rfftfreq(2 * frames, 1 / rate), np.float64)
    # what lies under half the rate is let out smoothly: a delay of part of a frame rings less
    smooth = 0.5 + 0.5 * np.cos(np.pi * np.clip((hz / rate - 0.42) / 0.08, 0, 1))
    late = np.exp(-2j * np.pi * hz * BEFORE_S)
    return np.asarray(np.fft.irfft(at_ear(hz, incidence_deg) * smooth * late, axis=1)[:, :frames])
