"""Another length at the same pitch, another pitch at the same length: what is struck is set down as it is, the rest is stretched between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oskren.core.audio.attacks import Attack, find_attacks
from oskren.core.audio.levelled import level_back
from oskren.core.audio.resample import fit, varispeed
from oskren.core.audio.seams import joined
from oskren.core.types import Samples

CLEAN = 2.02
"""Above this factor the engine is unclean: tones flutter by up to 20 dB (measured: 0.06 dB at 2.02, 1.8 dB at 2.05)."""

LIKE_S = 0.020
"""How much of an end is compared with what lies before it, to find the period it goes on with."""

KEPT_S, AFTER_PEAK_S = 0.012, 0.005
"""How much of an attack is set down as it is: so much, and until so long after its peak."""

JOIN_S = 0.005
"""What is stretched meets the attack over so much, and is moved by up to as much to where both go together."""

INTO_S = 0.0015
"""Over so much what was before an attack gives way to it."""

SHORTEST_MS = 20.0
"""Shortest block of the stretcher."""


def _continued(samples: Samples, frames: int, rate: int) -> Samples:
    """What goes on behind a sound for so many frames: its last period again and again, of the length that fits best to its end.

    Mirrored or silent ends cost a tone 2 to 5 dB of its outer 30 ms when they are stretched.
    """
    like = min(round(LIKE_S * rate), len(samples) // 3)
    if like < 8:
        return np.zeros((frames, samples.shape[1]), np.float32)
    from scipy.signal import correlate

    lane = samples[-like - frames :, int(np.argmax(np.sum(np.square(samples[-like:]), axis=0)))].astype(np.float64)
    end, before = lane[-like:], lane[:-1]
    agrees = correlate(before, end, "valid", "fft")
    sums = np.concatenate([[0.0], np.cumsum(before**2)])
    power = np.maximum(sums[like:] - sums[:-like], 0.0)  # what is left of loud sums behind a loud sound may be under zero
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


def _engine(samples: Samples, factor: float, block: int) -> Samples:
    """One run of the stretcher, untransposed."""
    from python_stretch import Signalsmith

    engine = Signalsmith.Stretch()
    engine.configure(samples.shape[1], block, max(16, block // 4))
    engine.setTimeFactor(1.0 / factor)
    return np.ascontiguousarray(np.asarray(engine.process(np.ascontiguousarray(samples.T, dtype=np.float32)), dtype=np.float32).T)


def _smooth(samples: Samples, frames: int, rate: int, block: int) -> Samples:
    """A sound without attacks at another length, its level kept."""
    if frames == len(samples) or not len(samples):
        return fit(samples, frames)
    factor = frames / len(samples)
    # both ends are continued by a block: without it the edges fade
    out = np.concatenate([_continued(samples[::-1], block, rate)[::-1], samples, _continued(samples, block, rate)])
    for each in _stages(factor):
        out = _engine(out, each, block)
    start = round(block * factor)
    made = fit(out[start:], frames)
    return np.asarray(made * level_back(samples, made, lambda moments: moments * (rate / factor), rate, block), np.float32)


@dataclass(frozen=True)
class _Piece:
    """From one attack to the next: its frames in the source, how many of them are kept as they are, and its frames in the result."""

    first: int
    last: int
    kept: int
    begins: int
    ends: int


def _pieces(attacks: list[Attack], source: int, frames: int, factor: float, rate: int) -> list[_Piece]:
    """Where each piece lies; an attack's anchor lands where it belongs, and the piece before gives way."""
    starts, begins, kept = [0], [0], [0]
    for attack in attacks:
        begin = round(attack.anchor * factor) - (attack.anchor - attack.start)
        if attack.start <= 0 or begin <= 0:
            kept[0] = max(kept[0], attack.peak)
        elif starts[-1] < attack.start and begins[-1] < begin < frames:
            starts.append(attack.start)
            begins.append(begin)
            kept.append(attack.peak - attack.start)
    kept = [max(round(KEPT_S * rate), peak + round(AFTER_PEAK_S * rate)) if peak else 0 for peak in kept]
    made = []
    for place, (start, begin) in enumerate(zip(starts, begins, strict=True)):
        last = starts[place + 1] if place + 1 < len(starts) else source
        end = begins[place + 1] if place + 1 < len(begins) else frames
        made.append(_Piece(start, last, min(kept[place], (last - start) // 2, (end - begin) // 2), begin, end))
    return made


def _set_down(samples: Samples, piece: _Piece, rate: int, block_ms: float) -> Samples:
    """A piece at its new length: its attack as it is, the rest stretched to what room is left."""
    frames = piece.ends - piece.begins
    block = round(rate * float(np.clip((piece.last - piece.first) / rate * 500, SHORTEST_MS, block_ms)) / 1000)
    meet = min(round(JOIN_S * rate), piece.kept // 2)
    body = samples[piece.first + piece.kept - meet : piece.last]
    wanted = frames - piece.kept + meet
    if len(body) < 2 * meet + 16 or wanted < 2 * meet + 16:
        return fit(samples[piece.first : piece.last], frames)
    made = _smooth(body, wanted + meet, rate, block)
    copy = samples[piece.first : piece.first + piece.kept]
    moved = _agreeing(copy[len(copy) - meet :], made[: 2 * meet]) if meet else 0
    return joined(copy, made[moved : moved + wanted], meet) if piece.kept else made


def _agreeing(end: Samples, begin: Samples) -> int:
    """By how many frames ``begin`` is entered later so that it goes together with ``end`` best."""
    size = len(end)
    moves = len(begin) - size
    agree = np.zeros(moves + 1)
    for lane in range(end.shape[1]):
        agree += np.correlate(begin[:, lane].astype(np.float64), end[:, lane].astype(np.float64), "valid")
    energy = np.concatenate([[0.0], np.cumsum(np.sum(np.square(begin, dtype=np.float64), axis=1))])
    return int(np.argmax(agree / np.sqrt(energy[size:] - energy[:-size] + 1e-12)))


def stretch(samples: Samples, factor: float, rate: int, block_ms: float = 120.0, frames: int | None = None, attacks: list[Attack] | None = None) -> Samples:
    """Change the length by ``factor`` and keep the pitch; attacks stay as sharp as they are, and the level is kept.

    Parameters
    ----------
    block_ms : float
        Analysis block. Longer blocks (400 ms) suit very low material; between attacks that lie close they are shorter.
    frames : int, optional
        Exact length of the result, when rounding of the whole operation asks for another than ``round(frames * factor)``.
    attacks : list of Attack, optional
        Where they are known already; else they are found here.

    The stretcher is run untransposed, since its own transposition is off pitch in the lows; it holds the interpreter
    lock, so it belongs in a worker process.
    """
    wanted = max(1, round(len(samples) * factor)) if frames is None else frames
    if abs(factor - 1.0) < 1e-9:
        return fit(samples, wanted)
    pieces = _pieces(find_attacks(samples, rate) if attacks is None else attacks, len(samples), wanted, factor, rate)
    into = round(INTO_S * rate)
    out: Samples | None = None
    for piece in pieces:
        made = _set_down(samples, piece, rate, block_ms)
        if out is None:
            out = made
            continue
        # what comes in begins a little before the attack, over the end of what was
        early = min(into, piece.first, len(out))
        out = joined(out, np.concatenate([samples[piece.first - early : piece.first], made]), early)
    assert out is not None
    return fit(out, wanted)


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
        Length of the blocks of the stretch (ms); shorter ones suit what moves, longer ones deep tones.

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
    if abs(total - 1.0) < 1e-9:
        return fit(fast, wanted)
    # attacks are found before varispeed: lows that are slowed beat
    slower = 2.0 ** (-semitones / 12)
    attacks = [Attack(round(one.start * slower), round(one.anchor * slower), round(one.peak * slower)) for one in find_attacks(samples, rate)]
    return stretch(fast, total, rate, block_ms, wanted, attacks)


def repitched_frames(frames: int, semitones: float, keep_length: bool, factor: float) -> int:
    """Length in frames of :func:`repitch`'s result."""
    ratio = 1.0 if keep_length else 2.0 ** (semitones / 12)
    return max(1, round(frames * factor / ratio))
