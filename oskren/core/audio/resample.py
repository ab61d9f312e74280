"""Band-limited resampling: rate conversion, varispeed, and stretch."""

from __future__ import annotations

import numpy as np

from oskren.core.audio.levelled import level_back
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


EDGE_S = 0.120
"""How much both ends are continued before stretching: without it the edges fade."""

CLEAN = 2.02
"""Above this factor the engine is unclean: tones flutter by up to 20 dB (measured: 0.06 dB at 2.02, 1.8 dB at 2.05)."""

LIKE_S = 0.020
"""How much of an end is compared with what lies before it, to find the period it goes on with."""


def _continued(samples: Samples, frames: int, rate: int) -> Samples:
    """What goes on behind a sound for so many frames: its last period again and again, of the length that fits best to its end.

    Mirrored or silent ends cost a tone 2 to 5 dB of its outer 30 ms when they are stretched.
    """
    like = min(round(LIKE_S * rate), len(samples) // 3)
    if like < 8:
        return np.zeros((frames, samples.shape[1]), np.float32)
    lane = samples[-like - frames :, int(np.argmax(np.sum(np.square(samples[-like:]), axis=0)))].astype(np.float64)
    end, before = lane[-like:], lane[:-1]
    agrees = np.correlate(before, end, "valid")
    power = np.convolve(before**2, np.ones(like), "valid")
    # the shortest periods are passed over: any sound agrees with itself a few samples ago
    usable = len(agrees) - like // 4
    if usable < 1:
        return np.zeros((frames, samples.shape[1]), np.float32)
    best = int(np.argmax(agrees[:usable] / np.sqrt(power[:usable] + 1e-12)))
    period = len(lane) - like - best
    again = samples[-period:]
    return np.ascontiguousarray(np.tile(again, (-(-frames // period), 1))[:frames])


def _stages(factor: float) -> list[float]:
    """Equal factors under the engine's clean one that make up a factor; none is 2, where its rounding doubles the work."""
    count = max(1, int(np.ceil(np.log(factor) / np.log(CLEAN)))) if factor > 1 else 1
    if count > 1 and abs(factor ** (1 / count) - 2.0) < 0.01:
        count += 1
    return [factor ** (1 / count)] * count


def stretch(samples: Samples, factor: float, rate: int, block_ms: float = 120.0, frames: int | None = None) -> Samples:
    """Change the length by ``factor`` and keep the pitch; what the overlap takes of the level is given back.

    Parameters
    ----------
    block_ms : float
        Analysis block. Longer blocks (400 ms) suit very low material and smear attacks more.
    frames : int, optional
        Exact length of the result, when rounding of the whole operation asks for another than ``round(frames * factor)``.

    The stretcher is run untransposed, since its own transposition is off pitch in the lows; it holds the interpreter
    lock, so it belongs in a worker process.
    """
    wanted = max(1, round(len(samples) * factor)) if frames is None else frames
    if abs(factor - 1.0) < 1e-9:
        return fit(samples, wanted)
    edge = round(EDGE_S * rate)
    block = max(64, round(rate * block_ms / 1000))
    out = np.concatenate([_continued(samples[::-1], edge, rate)[::-1], samples, _continued(samples, edge, rate)])
    for each in _stages(factor):
        out = _engine(out, each, block)
    start = round(edge * factor)
    made = fit(out[start:], wanted)
    return np.asarray(made * level_back(samples, made, lambda moments: moments * (rate / factor), rate, block), np.float32)


def _engine(samples: Samples, factor: float, block: int) -> Samples:
    """One run of the stretcher, untransposed."""
    from python_stretch import Signalsmith

    engine = Signalsmith.Stretch()
    engine.configure(samples.shape[1], block, max(16, block // 4))
    engine.setTimeFactor(1.0 / factor)
    return np.ascontiguousarray(np.asarray(engine.process(np.ascontiguousarray(samples.T, dtype=np.float32)), dtype=np.float32).T)


def repitch(samples: Samples, semitones: float, rate: int, *, keep_length: bool = False, factor: float = 1.0, block_ms: float = 120.0) -> Samples:
    """Shift the pitch by varispeed or with length kept, and stretch the length by ``factor`` besides.

    The result has ``repitched_frames`` frames. With length kept: varispeed, then stretch back untransposed.

    Parameters
    ----------
    samples : array, shape (frames, channels)
        Amplitudes, 1.0 at full scale.
    semitones : float
        Up (positive) or down.
    rate : int
        Sample rate in Hz.
    keep_length : bool
        Keep the length while the pitch moves; else the sound gets shorter as it rises.
    factor : float
        How many times longer besides.
    block_ms : float
        Length of the blocks of the stretch (ms); shorter ones keep attacks, longer ones deep tones.

    Returns
    -------
    array of float32, shape (repitched_frames(frames, semitones, keep_length, factor), channels)

    Examples
    --------
    >>> import numpy as np
    >>> octave = repitch(np.zeros((48_000, 1), np.float32), 12.0, 48_000)
    >>> octave.shape
    (24000, 1)
    """
    wanted = repitched_frames(len(samples), semitones, keep_length, factor)
    fast = varispeed(samples, semitones)
    total = (2.0 ** (semitones / 12) if keep_length else 1.0) * factor
    return stretch(fast, total, rate, block_ms, wanted)


def repitched_frames(frames: int, semitones: float, keep_length: bool, factor: float) -> int:
    """Length in frames of :func:`repitch`'s result."""
    ratio = 1.0 if keep_length else 2.0 ** (semitones / 12)
    return max(1, round(frames * factor / ratio))
