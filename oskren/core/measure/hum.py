"""Mains hum: whether it is there, at which frequency exactly, and which of its harmonics stand out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oskren.core.types import AnyArray, Floats, Samples

MAINS_HZ = (50.0, 60.0)
ASTRAY_HZ = 0.6
"""How far mains, or a machine that was recorded at another speed, may lie from its name."""

LOOKED_AT = 12
"""Harmonics by which hum is found."""

LOW_RATE, LEVEL_RATE = 2000, 8000
LEVEL_DB = 6.0
"""From where on a harmonic counts as part of a hum that is known to be there."""

FRAME_S, HOP_S = 0.4, 0.2
"""Frames in which each harmonic is measured."""

WINDOW, MOST_WINDOWS = 40, 15
"""Frames among which hum is the same, and how many such stretches of a long sound are looked at."""

COARSE_HZ, FINE_HZ = 0.1, 0.01
BESIDE_HZ = (-20.0, -11.0, 11.0, 20.0)
"""Places beside a line where there is no hum: what is there is the sound's own."""

STANDS_OUT_DB = 12.0
LOUDEST_DB = 30.0
"""A line that stands out more than this counts no more for it."""

STEADY = 0.5
"""How far the amplitude of hum strays from frame to frame at most, over itself."""

ENOUGH_DB = 30.0
"""What all lines together must stand out by: two clear ones, or the mains alone by far."""

SHORT_S, ENOUGH_SHORT_DB = 2.0, 40.0
"""In a short sound less is the same all the time by chance only when more of it stands out."""


@dataclass(frozen=True)
class Hum:
    """Hum that was found: its frequency (Hz), and the level (dB) of every harmonic from the first on over what lies around it."""

    frequency_hz: float
    over_db: tuple[float, ...]

    @property
    def harmonics(self) -> tuple[int, ...]:
        """Harmonics that stand out."""
        return tuple(place for place, over in enumerate(self.over_db, 1) if over >= STANDS_OUT_DB)


def lines(frequencies_hz: AnyArray, rate: int) -> AnyArray:
    """What measures complex amplitudes at frequencies in frames of ``FRAME_S``: shape (frequencies, frame), for ``frames @ lines.T``.

    A cosine of amplitude 1 and phase p at a frequency, counted from sample ``frame // 2``, gives exp(i p).
    """
    size = round(FRAME_S * rate)
    window = np.hanning(size + 1)[:-1]
    t = (np.arange(size) - size // 2) / rate
    turned = np.exp(-2j * np.pi * np.asarray(frequencies_hz)[:, None] * t) * (2 * window / window.sum())
    return np.asarray(turned, dtype=np.complex64)


def find_hum(mono: Samples, rate: int, mains_hz: float | None = None) -> Hum | None:
    """Look for mains hum: lines at multiples of one frequency that are the same all the time, also where the sound itself is quiet.

    Parameters
    ----------
    mono : array, shape (frames,)
    mains_hz : float, optional
        50 or 60 when it is known; else whichever stands out more.

    Returns
    -------
    Hum or None
        None when no line stands out or moves with the sound, or the sound is shorter than a second. The frequency is told
        within 0.01 Hz over some seconds.
    """
    if len(mono) < rate:
        return None
    from oskren.core.audio.resample import convert_rate

    low = convert_rate(mono[:, None], rate, LOW_RATE)[:, 0] if rate > LOW_RATE else mono
    low_rate = min(rate, LOW_RATE)
    hop = round(HOP_S * low_rate)
    frames = np.lib.stride_tricks.sliding_window_view(low, round(FRAME_S * low_rate))[::hop]
    count = len(frames)
    windows = [np.arange(at, min(at + WINDOW, count)) for at in _begins(count)]
    best: tuple[float, Hum] | None = None
    for mains in (mains_hz,) if mains_hz else MAINS_HZ:
        found = _at(frames, windows, mains, low_rate)
        if found and (best is None or found[0] > best[0]):
            best = found
    return best[1] if best else None


def _begins(count: int) -> list[int]:
    """First frames of the stretches that are looked at."""
    if count <= WINDOW:
        return [0]
    wanted = min(MOST_WINDOWS, count // WINDOW)
    return [round(float(at)) for at in np.linspace(0, count - WINDOW, wanted)]


def _at(frames: AnyArray, windows: list[AnyArray], mains: float, rate: int) -> tuple[float, Hum] | None:
    """How much hum of a mains frequency stands out, and the hum; None where there is none."""
    places = np.arange(1, LOOKED_AT + 1)
    places = places[places * mains + BESIDE_HZ[-1] < 0.48 * rate]
    coarse = mains + np.arange(-round(ASTRAY_HZ / COARSE_HZ), round(ASTRAY_HZ / COARSE_HZ) + 1) * COARSE_HZ
    fine = np.arange(-round(COARSE_HZ / FINE_HZ / 2), round(COARSE_HZ / FINE_HZ / 2) + 1) * FINE_HZ
    beside = _beside(frames, windows, mains * places, rate)
    told = np.zeros((len(coarse), len(fine), len(places)))
    for row, base in enumerate(coarse):
        measured = frames @ lines(base * places, rate).T
        for window, own in zip(windows, beside, strict=True):
            told[row] += _standing(measured[window], own, window * HOP_S, base, fine, places)[0]
    told /= len(windows)
    scores = np.where(told >= STANDS_OUT_DB, np.minimum(told, LOUDEST_DB), 0.0).sum(axis=2)
    row, column = divmod(int(np.argmax(scores)), len(fine))
    score, over = float(scores[row, column]), told[row, column]
    standing = over >= STANDS_OUT_DB
    # the mains with one multiple, or three multiples without it; one line alone is a tone, unless it is the mains by far
    agree = standing.sum() >= (2 if standing[0] else 3) or (standing[0] and over[0] > LOUDEST_DB)
    # an edge of the search is no peak
    enough = ENOUGH_DB if len(frames) * HOP_S > SHORT_S else ENOUGH_SHORT_DB
    if score < enough or row in (0, len(coarse) - 1) or not agree:
        return None
    near = coarse[row] + fine[column]
    frequency = _exact(frames, windows, beside, near, places[standing], np.flatnonzero(standing), rate)
    if abs(frequency - near) > COARSE_HZ:
        return None
    return score, Hum(frequency, tuple(np.round(over, 1).tolist()))


def _beside(frames: AnyArray, windows: list[AnyArray], hz: AnyArray, rate: int) -> list[Floats]:
    """Power of the sound itself around each line in each frame of each window, shape (frames, lines)."""
    around = np.concatenate([hz + by for by in BESIDE_HZ])
    power = np.square(np.abs(frames @ lines(around, rate).T)).reshape(len(frames), len(BESIDE_HZ), len(hz))
    own = np.maximum(np.median(power, axis=1), 1e-20)
    return [np.asarray(own[window]) for window in windows]


def _quiet(own: Floats) -> AnyArray:
    """Frames, quietest half for each line: hum is there too, and stands out most. Shape (frames, lines)."""
    return np.argsort(own, axis=0, kind="stable")[: max(3, (len(own) + 1) // 2)]


def _standing(measured: AnyArray, own: Floats, moments: AnyArray, base: float, fine: AnyArray, places: AnyArray) -> tuple[Floats, Floats]:
    """How far (dB) a steady line stands out of what is around it, and its amplitude, for every fine frequency and harmonic; 0 where it is not steady."""
    quiet = _quiet(own)
    here = np.take_along_axis(measured, quiet, axis=0)
    noise = np.median(np.take_along_axis(own, quiet, axis=0), axis=0)
    at = moments[quiet]
    turned = here[None] * np.exp(-2j * np.pi * fine[:, None, None] * places * at[None] - 2j * np.pi * base * places * at[None])
    steady = np.median(turned.real, axis=1) + 1j * np.median(turned.imag, axis=1)
    spread = np.median(np.abs(turned - steady[:, None]), axis=1)
    # a median of n complex values errs by pi/2 n of their variance
    over = 10 * np.log10(np.square(np.abs(steady)) / (noise * np.pi / 2 / len(quiet)) + 1e-20)
    # what is played comes and goes, what rings on gets weaker; hum does neither
    early, size, tolerance = at <= np.median(at, axis=0), np.abs(here), 2 * np.sqrt(noise)
    first, last = (np.nanmedian(np.where(part, size, np.nan), axis=0) for part in (early, ~early))
    low, high = np.quantile(size, (0.25, 0.75), axis=0)
    lasting = (first < 2 * last + tolerance) & (last < 2 * first + tolerance) & (high < 2 * low + tolerance)
    held = (spread < STEADY * np.abs(steady)) & lasting
    return np.where(held, np.maximum(over, 0.0), 0.0), np.where(held, np.abs(steady), 0.0)


def hum_levels(samples: Samples, rate: int, hz: float, count: int) -> Floats:
    """Amplitude of each harmonic of hum where it is the same all the time, the loudest channel's; 0 where it is not. Shape (count,).

    Parameters
    ----------
    samples : array, shape (frames, channels)
    hz : float
        Frequency of the hum.
    """
    from oskren.core.audio.resample import convert_rate

    levels = np.zeros(count)
    level_rate = min(rate, LEVEL_RATE)
    places = np.arange(1, count + 1)
    places = places[places * hz + BESIDE_HZ[-1] < 0.48 * level_rate]
    for lane in samples.T:
        low = convert_rate(lane[:, None], rate, level_rate)[:, 0] if rate > level_rate else lane
        if len(low) < 2 * round(FRAME_S * level_rate):
            continue
        frames = np.lib.stride_tricks.sliding_window_view(low, round(FRAME_S * level_rate))[:: round(HOP_S * level_rate)]
        windows = [np.arange(at, min(at + WINDOW, len(frames))) for at in _begins(len(frames))]
        beside = _beside(frames, windows, hz * places, level_rate)
        found = []
        for window, own in zip(windows, beside, strict=True):
            measured = frames[window] @ lines(hz * places, level_rate).T
            over, size = _standing(measured, own, window * HOP_S, hz, np.zeros(1), places)
            found.append(np.where(over[0] >= LEVEL_DB, size[0], np.nan))
        heard = np.array(found)
        often = np.count_nonzero(~np.isnan(heard), axis=0) >= max(1, len(heard) / 3)
        levels[: len(places)] = np.maximum(levels[: len(places)], np.where(often, np.nanquantile(np.where(often, heard, 0.0), 0.25, axis=0), 0.0))
    return levels


def _exact(frames: AnyArray, windows: list[AnyArray], beside: list[Floats], near: float, places: AnyArray, rows: AnyArray, rate: int) -> float:
    """The frequency, by how far each line turns from frame to frame."""
    measured = frames @ lines(near * places, rate).T
    turns, weights = 0.0, 0.0
    for window, own in zip(windows, beside, strict=True):
        here = measured[window] * np.exp(-2j * np.pi * near * places * (window * HOP_S)[:, None])
        quiet = own[:, rows] <= np.median(own[:, rows], axis=0)
        for lag in (1, 4):
            if len(here) <= 2 * lag:
                continue
            both = quiet[lag:] & quiet[:-lag]
            agree = np.sum(np.where(both, here[lag:] * np.conj(here[:-lag]), 0.0), axis=0)
            weight = lag**2 * places**2 * np.abs(agree) / np.median(own[:, rows], axis=0)
            turns += float(np.sum(weight * np.angle(agree) / (2 * np.pi * places * lag * HOP_S)))
            weights += float(weight.sum())
    return near + (turns / weights if weights > 0 else 0.0)
