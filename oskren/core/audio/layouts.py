"""Channel layouts, their channel names, and conversion between them."""

from __future__ import annotations

import functools
import math

import numpy as np

from oskren.core.errors import OskrenError
from oskren.core.types import Samples

HALF_POWER = math.sqrt(0.5)

CHANNELS: dict[str, tuple[str, ...]] = {
    "mono": ("M",),
    "stereo": ("L", "R"),
    "quad": ("L", "R", "Ls", "Rs"),
    "5.1": ("L", "R", "C", "LFE", "Ls", "Rs"),
    "7.1": ("L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs"),
    "ambix": ("W", "Y", "Z", "X"),
}
"""Channel names of each named layout, in file order; ``ambix`` is first-order AmbiX (ACN order, SN3D)."""

AZIMUTHS: dict[str, dict[str, float]] = {
    "mono": {"M": 0.0},
    "stereo": {"L": 30.0, "R": -30.0},
    "quad": {"L": 45.0, "R": -45.0, "Ls": 135.0, "Rs": -135.0},
    "5.1": {"L": 30.0, "R": -30.0, "C": 0.0, "Ls": 110.0, "Rs": -110.0},
    "7.1": {"L": 30.0, "R": -30.0, "C": 0.0, "Lss": 90.0, "Rss": -90.0, "Lrs": 150.0, "Rrs": -150.0},
}
"""Where each channel's loudspeaker stands, degrees to the left (5.1 after ITU-R BS.775-3; quad and 7.1 common practice, no source)."""

MAX_CHANNELS = 16
LISTENING_ANGLE = 90.0
"""Virtual cardioids of an ambisonic sound heard in stereo look this many degrees to either side."""

_TO_STEREO: dict[str, tuple[float, float]] = {
    "M": (1.0, 1.0),
    "L": (1.0, 0.0),
    "R": (0.0, 1.0),
    "C": (HALF_POWER, HALF_POWER),
    "LFE": (0.0, 0.0),
    "Ls": (HALF_POWER, 0.0),
    "Rs": (0.0, HALF_POWER),
    "Lss": (HALF_POWER, 0.0),
    "Rss": (0.0, HALF_POWER),
    "Lrs": (HALF_POWER, 0.0),
    "Rrs": (0.0, HALF_POWER),
}
_INSTEAD: dict[str, dict[str, float]] = {
    "M": {"C": 1.0, "L": HALF_POWER, "R": HALF_POWER},
    "C": {"L": HALF_POWER, "R": HALF_POWER},
    "Ls": {"Lss": 1.0, "L": HALF_POWER},
    "Rs": {"Rss": 1.0, "R": HALF_POWER},
    "Lss": {"Ls": HALF_POWER, "L": HALF_POWER},
    "Rss": {"Rs": HALF_POWER, "R": HALF_POWER},
    "Lrs": {"Ls": HALF_POWER, "L": HALF_POWER},
    "Rrs": {"Rs": HALF_POWER, "R": HALF_POWER},
    "LFE": {},
}
"""Where a channel goes that the wanted layout does not have: the first name found there, or both of left and right."""


def layout_of(channels: int) -> str:
    """Name of the layout a file with this many channels is taken to have.

    Four channels are called quad, since nothing in a plain file tells quad from ambisonics.

    >>> layout_of(2), layout_of(3)
    ('stereo', 'unknown 3')
    """
    for name, labels in CHANNELS.items():
        if len(labels) == channels:
            return name
    return f"unknown {channels}"


def possible(channels: int) -> list[str]:
    """Layouts a sound of this many channels may be said to have, the usual one first."""
    return [name for name, labels in CHANNELS.items() if len(labels) == channels] + [f"unknown {channels}"]


def channel_names(layout: str, channels: int) -> tuple[str, ...]:
    """Names of the channels; an unknown layout numbers them."""
    labels = CHANNELS.get(layout, ())
    return labels if len(labels) == channels else tuple(str(i + 1) for i in range(channels))


def cardioids(azimuths: list[float]) -> Samples:
    """Matrix (4, n) that turns AmbiX into virtual cardioids looking at azimuths (degrees to the left).

    A cardioid is half the pressure and half the velocity towards it: 0.5 (W + X cos a + Y sin a).
    Source: Nachbar, Zotter, Deleflie, Sontacchi, "AmbiX", Ambisonics Symposium 2011 (SN3D: a plane wave has W = 1).
    """
    angles = np.radians(np.array(azimuths))
    zero = np.zeros(len(angles))
    return np.array([np.full(len(angles), 0.5), 0.5 * np.sin(angles), zero, 0.5 * np.cos(angles)], np.float32)


def encoded(azimuths: list[float]) -> Samples:
    """Matrix (n, 4) that places channels as plane waves at azimuths on the horizon: W = 1, Y = sin a, Z = 0, X = cos a."""
    angles = np.radians(np.array(azimuths))
    return np.stack([np.ones(len(angles)), np.sin(angles), np.zeros(len(angles)), np.cos(angles)], axis=1).astype(np.float32)


def fold_gains(layout: str, channels: int, angle: float = LISTENING_ANGLE) -> Samples:
    """Fold-down matrix to stereo.

    Returns
    -------
    array, shape (channels, 2)
        Gains of each channel in left and right: L + 0.7071 C + 0.7071 Ls, without LFE.
        AmbiX: virtual cardioids at ±``angle`` degrees.
        Unknown layouts alternate left and right at equal power.

    Source: ITU-R BS.775-3, table 2.
    """
    labels = CHANNELS.get(layout)
    if layout == "ambix" and channels == 4:
        return cardioids([angle, -angle])
    if labels is not None and len(labels) == channels:
        return np.array([_TO_STEREO[label] for label in labels], dtype=np.float32)
    scale = 1.0 / np.sqrt(max(1, channels / 2))
    return np.array([(scale, 0.0) if i % 2 == 0 else (0.0, scale) for i in range(channels)], dtype=np.float32)


@functools.lru_cache(maxsize=64)
def matrix(layout: str, channels: int, wanted: str, angle: float = LISTENING_ANGLE) -> Samples:
    """Gains of ``channels`` channels of one layout in the channels of another: shape (channels, wanted channels).

    - Down to stereo, and between surround layouts, after ITU-R BS.775-3, table 2 (7.1: common practice, no source).
    - Down to mono: the mean of the fold-down's left and right, which is the recommendation's 1/0 column 3 dB lower, so
      that a sound that is alike on both sides keeps its level.
    - Up: a channel goes to the one of its name; nothing is invented for the others.
    - From AmbiX: virtual cardioids at the wanted loudspeakers, scaled to keep a plane wave's pressure; to AmbiX: plane
      waves from the loudspeakers' directions, without LFE.

    Raises
    ------
    OskrenError
        For an unknown layout that should become anything but mono or stereo.
    """
    here = CHANNELS.get(layout, ())
    known = len(here) == channels
    if wanted not in CHANNELS:
        raise OskrenError(f"There is no layout called '{wanted}'; choose one of {', '.join(CHANNELS)}.")
    names = CHANNELS[wanted]
    if known and layout == wanted:
        return np.eye(channels, dtype=np.float32)
    if wanted in ("mono", "stereo"):
        if channels == 1:
            return np.ones((1, len(names)), np.float32)
        fold = np.eye(2, dtype=np.float32) if channels == 2 else fold_gains(layout if known else f"unknown {channels}", channels, angle)
        return fold if wanted == "stereo" else np.asarray(fold.mean(axis=1, keepdims=True), dtype=np.float32)
    if not known:
        raise OskrenError(f"A sound of {channels} channels without a known layout cannot become {wanted}; say which layout it has, or choose mono or stereo.")
    if wanted == "ambix":
        places = AZIMUTHS[layout]
        gains = np.zeros((channels, 4), np.float32)
        for i, label in enumerate(here):
            if label in places:
                gains[i] = encoded([places[label]])[0]
        return gains
    result = np.zeros((channels, len(names)), np.float32)
    if layout == "ambix":
        places = AZIMUTHS[wanted]
        for j, label in enumerate(names):
            if label in places:
                result[:, j] = cardioids([places[label]])[:, 0] * (2 / len(places))
        return result
    for i, label in enumerate(here):
        if label in names:
            result[i, names.index(label)] = 1.0
            continue
        for other, gain in _INSTEAD[label].items():
            if other in names:
                result[i, names.index(other)] = gain
                if not (label in ("M", "C") and other == "L"):
                    break
    return result


def to_stereo(samples: Samples, layout: str | None = None, angle: float = LISTENING_ANGLE) -> Samples:
    """Fold samples of shape (frames, channels) down to (frames, 2); stereo passes through unchanged."""
    channels = samples.shape[1]
    if channels == 2:
        return samples
    return np.asarray(samples @ matrix(layout or layout_of(channels), channels, "stereo", angle), dtype=np.float32)


def to_mono(samples: Samples, layout: str | None = None) -> Samples:
    """Mean of left and right after the fold-down: shape (frames, 1).

    Parameters
    ----------
    samples : array, shape (frames, channels)
    layout : str, optional
        The layout of the channels; the usual one of so many when left out.

    Returns
    -------
    array, shape (frames, 1)

    Examples
    --------
    >>> import numpy as np
    >>> to_mono(np.array([[1.0, 0.0]], np.float32)).tolist()
    [[0.5]]
    """
    if samples.shape[1] == 1:
        return samples
    folded = to_stereo(samples, layout)
    return ((folded[:, :1] + folded[:, 1:2]) * np.float32(0.5)).astype(np.float32)


def convert(samples: Samples, wanted: str, layout: str | None = None, angle: float = LISTENING_ANGLE) -> Samples:
    """Samples in the channels of layout ``wanted``; see :func:`matrix` for what is offered and refused."""
    channels = samples.shape[1]
    layout = layout or layout_of(channels)
    if layout == wanted:
        return samples
    if wanted == "mono":
        return to_mono(samples, layout)
    return np.asarray(samples @ matrix(layout, channels, wanted, angle), dtype=np.float32)
