"""Channel layouts, their channel names, and fold-down to stereo or mono."""

from __future__ import annotations

import numpy as np

from oskren.core.errors import OskrenError
from oskren.core.types import Samples

HALF_POWER = float(np.sqrt(0.5))

CHANNELS: dict[str, tuple[str, ...]] = {
    "mono": ("M",),
    "stereo": ("L", "R"),
    "quad": ("L", "R", "Ls", "Rs"),
    "5.1": ("L", "R", "C", "LFE", "Ls", "Rs"),
    "7.1": ("L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs"),
}
"""Channel names of each named layout, in file order."""

MAX_CHANNELS = 16


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


def fold_gains(layout: str, channels: int) -> Samples:
    """Fold-down matrix to stereo.

    Returns
    -------
    array, shape (channels, 2)
        Gains of each channel in left and right: L + 0.7071 C + 0.7071 Ls, without LFE.
        Unknown layouts alternate left and right at equal power.

    Source: ITU-R BS.775-3, table 2.
    """
    sides: dict[str, tuple[float, float]] = {
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
    labels = CHANNELS.get(layout)
    if labels is not None and len(labels) == channels:
        return np.array([sides[label] for label in labels], dtype=np.float32)
    scale = 1.0 / np.sqrt(max(1, channels / 2))
    return np.array([(scale, 0.0) if i % 2 == 0 else (0.0, scale) for i in range(channels)], dtype=np.float32)


def to_stereo(samples: Samples, layout: str | None = None) -> Samples:
    """Fold samples of shape (frames, channels) down to (frames, 2); stereo passes through unchanged."""
    channels = samples.shape[1]
    if channels == 2:
        return samples
    return samples @ fold_gains(layout or layout_of(channels), channels)


def to_mono(samples: Samples) -> Samples:
    """Mean of left and right after the fold-down: shape (frames, 1)."""
    if samples.shape[1] == 1:
        return samples
    folded = to_stereo(samples)
    return ((folded[:, :1] + folded[:, 1:2]) * np.float32(0.5)).astype(np.float32)


def convert(samples: Samples, layout: str) -> Samples:
    """Samples in the channels of ``layout`` (mono or stereo); raises OskrenError for conversions not offered."""
    wanted = len(CHANNELS.get(layout, ()))
    if samples.shape[1] == wanted:
        return samples
    if layout == "mono":
        return to_mono(samples)
    if layout == "stereo":
        return to_stereo(samples).astype(np.float32)
    raise OskrenError(f"A sound of {samples.shape[1]} channels cannot be turned into {layout}; choose mono or stereo.")
