"""Spaces: a room made of early reflections and a tail that decays at its own pace in every band."""

from __future__ import annotations

import functools
import itertools
import math

import numpy as np

from oskren.core.audio.layouts import channel_names
from oskren.core.controls import number
from oskren.core.steps.base import Context, Params, Picture, Reading, StepKind, Stream, Summary, register
from oskren.core.steps.convolving import Convolution, amplitudes
from oskren.core.steps.equaliser import Sections, butterworth, settle_frames
from oskren.core.types import Floats, Samples

SPEED_OF_SOUND = 343.0
"""m/s at 20 °C."""

OPEN_HZ = 20_000.0
"""From here on walls let everything through."""


class SpaceParams(Params):
    size_m: float = number(9.0, 0.3, 80, "m", "Size", "log")
    decay_s: float = number(0.9, 0.05, 12, "s", "Decay", "log")
    low_ratio: float = number(1.1, 0.3, 2.0, "×", "Lows decay")
    high_ratio: float = number(0.5, 0.1, 1.2, "×", "Highs decay")
    pre_delay_ms: float = number(8.0, 0, 250, "ms", "Pre-delay")
    early_db: float = number(0.0, -18, 18, "dB", "Early against late")
    width: float = number(1.0, 0, 1, "", "Width")
    walls_hz: float = number(OPEN_HZ, 150, OPEN_HZ, "Hz", "Heard through walls up to", "log")
    wet_db: float = number(-10.0, -60, 6, "dB", "Wet")
    dry_db: float = number(0.0, -60, 6, "dB", "Dry")


NAMED: dict[str, dict[str, float]] = {
    "small room": {"size_m": 3.0, "decay_s": 0.35, "low_ratio": 1.2, "high_ratio": 0.6, "pre_delay_ms": 2.0, "early_db": 3.0, "wet_db": -8.0},
    "living room": {"size_m": 5.5, "decay_s": 0.55, "low_ratio": 1.4, "high_ratio": 0.35, "pre_delay_ms": 4.0, "early_db": -4.0, "wet_db": -10.0},
    "corridor": {"size_m": 14.0, "decay_s": 1.1, "low_ratio": 0.9, "high_ratio": 0.7, "pre_delay_ms": 5.0, "early_db": 6.0, "width": 0.5, "wet_db": -8.0},
    "hall": {"size_m": 28.0, "decay_s": 2.6, "low_ratio": 1.15, "high_ratio": 0.5, "pre_delay_ms": 22.0, "early_db": -2.0, "wet_db": -9.0},
    "chamber": {"size_m": 9.0, "decay_s": 1.7, "low_ratio": 1.0, "high_ratio": 0.85, "pre_delay_ms": 6.0, "early_db": -6.0, "wet_db": -9.0},
    "cathedral": {"size_m": 60.0, "decay_s": 6.5, "low_ratio": 1.25, "high_ratio": 0.3, "pre_delay_ms": 45.0, "early_db": -9.0, "wet_db": -6.0},
    "outside the door": {
        "size_m": 6.0,
        "decay_s": 0.7,
        "low_ratio": 1.3,
        "high_ratio": 0.4,
        "pre_delay_ms": 0.0,
        "walls_hz": 450.0,
        "wet_db": -2.0,
        "dry_db": -6.0,
    },
    "inside a box": {
        "size_m": 0.5,
        "decay_s": 0.12,
        "low_ratio": 0.8,
        "high_ratio": 0.7,
        "pre_delay_ms": 0.0,
        "early_db": 12.0,
        "width": 0.2,
        "wet_db": -3.0,
        "dry_db": -4.0,
    },
    "open field": {
        "size_m": 70.0,
        "decay_s": 0.9,
        "low_ratio": 0.7,
        "high_ratio": 0.35,
        "pre_delay_ms": 60.0,
        "early_db": 9.0,
        "walls_hz": 14_000.0,
        "wet_db": -22.0,
    },
}
"""Spaces by name: invented, none is that of a place; sizes and decays are in the range of such rooms (common practice, no source)."""


def decay_at(params: SpaceParams, hz: float) -> float:
    """Decay (s to fall by 60 dB) of the octave a frequency lies in: as stated from 500 Hz to 2 kHz, times a ratio up to 125 Hz and from 8 kHz on,
    halfway (in pitch) in the octaves between."""
    octave = round(math.log2(hz / 1000))
    ratio = float(np.interp(octave, [-3, -1, 1, 3], [params.low_ratio, 1.0, 1.0, params.high_ratio]))
    return params.decay_s * ratio


OVERLAP_OCT, ASIDE_OCT = 0.1, 0.2
"""Over how many octaves one octave's decay goes over into the next one's, and how far inside the slower octave the middle of that lies:
the quicker one would else ring on with what the slower leaves in it."""


SPREAD = 0.35
"""How much of a channel goes into the others' rooms, all together."""

RISES = 0.12
"""A tail has risen within such a share of its decay."""

KEPT_S = 2.5
"""Noise of a tail is made at least this long, so that most decays share it."""

CENTRES = 62.5 * 2.0 ** np.arange(9)
"""Middles of the octaves a tail is made of (Hz)."""


def _noise(frames: int, seed: int) -> Floats:
    return np.asarray(np.random.Generator(np.random.PCG64(seed)).standard_normal(frames))


def _level(band: Floats, rate: int, centre: float) -> Floats:
    """A band of noise whose level stays: divided by its own short-time level, so that its decay is the stated one at every moment."""
    from scipy.ndimage import uniform_filter1d

    reach = max(3, round(rate * max(0.02, 6 / centre)))
    power = uniform_filter1d(uniform_filter1d(np.square(band), reach, mode="reflect"), reach, mode="reflect")
    return np.asarray(band / np.sqrt(np.maximum(power, 1e-12)))


def _aside(decays: tuple[float, ...]) -> tuple[float, ...]:
    """By how many octaves the edge over each band but the last moves: into the slower of both sides."""
    return tuple(ASIDE_OCT * float(np.sign(above - here)) for here, above in itertools.pairwise(decays))


@functools.lru_cache(maxsize=4)
def _octaves(rate: int, frames: int, channel: int, width: float, aside: tuple[float, ...]) -> Samples:
    """White noise in octave bands, each of the power it has in the noise and of level power: shape (bands, frames).

    What a space is made of whatever its size and decay, so it is kept: dragging a decay makes no noise anew.
    Channels have ``1 - width`` of their power in common.
    """
    from scipy.fft import irfft, rfft, rfftfreq

    noise = _noise(frames, 7001) * math.sqrt(1 - width) + _noise(frames, 7002 + channel) * math.sqrt(width)
    centres = CENTRES[rate / 2 > CENTRES]
    places = np.log2(np.maximum(rfftfreq(frames, 1 / rate), 1.0) / CENTRES[0])
    spectrum, bands = rfft(noise), np.empty((len(centres), frames), np.float32)
    for k, centre in enumerate(centres):
        low, high = k - 0.5 + (aside[k - 1] if k else 0.0), k + 0.5 + (aside[k] if k < len(centres) - 1 else 0.0)
        weight = np.ones(len(places))
        if k:
            weight = np.clip((places - low) / OVERLAP_OCT + 0.5, 0, 1)
        if k < len(centres) - 1:
            weight = weight * np.clip((high - places) / OVERLAP_OCT + 0.5, 0, 1)
        bands[k] = _level(irfft(spectrum * weight, frames), rate, float(centre)) * math.sqrt(float(np.mean(weight**2)))
    return bands


def response(params: SpaceParams, rate: int, channels: int) -> Samples:
    """Impulse response of the space, dry sound left out; shape (frames, channels), unit energy a channel.

    The tail is noise split into octave bands, each of level power and falling by 60 dB in its own decay (:func:`decay_at`).
    Early reflections come at the delays of a room of the stated size, growing denser with the square of time; ``early_db`` is how much
    louder they are than the tail that begins under them.
    """
    return _response(params.model_copy(update={"wet_db": 0.0, "dry_db": 0.0, "walls_hz": OPEN_HZ}), rate, channels)


@functools.lru_cache(maxsize=8)
def _response(params: SpaceParams, rate: int, channels: int) -> Samples:
    frames = _tail(params, rate)
    # a tail that is over soon begins soon, however large the room
    early = min(0.08, 4 * params.size_m / SPEED_OF_SOUND, RISES * params.decay_s)
    decays = tuple(decay_at(params, float(centre)) for centre in CENTRES[rate / 2 > CENTRES])
    time = (np.arange(frames) / rate).astype(np.float32)
    rise = 1 - np.exp(time / np.float32(-max(early / 3, 0.002)))
    result = np.zeros((frames, channels))
    for channel in range(channels):
        # noise is made in lengths of powers of two, so that another decay mostly finds it made
        bands = _octaves(rate, 1 << math.ceil(math.log2(max(frames, KEPT_S * rate))), channel, params.width if channels > 1 else 0.0, _aside(decays))
        tail = np.zeros(frames, np.float32)
        for decay, band in zip(decays, bands, strict=True):
            tail += band[:frames] * np.exp(time * np.float32(-3 * math.log(10) / decay))
        result[:, channel] = tail * rise
        scale = math.sqrt(float(np.mean(result[: max(1, round(early * rate)), channel] ** 2)) + 1e-12) * 10 ** (params.early_db / 20)
        random = np.random.Generator(np.random.PCG64(7100 + (channel if params.width > 0 else 0)))
        for _ in range(14):
            at = round(params.size_m / SPEED_OF_SOUND * (0.35 + 3.6 * math.sqrt(random.random())) * rate)
            sign = 1 if random.random() > 0.4 else -1
            if at < frames:
                # what comes late has decayed like all else
                late = max(0.0, at / rate - RISES * params.decay_s)
                result[at, channel] += sign * scale * 5 * math.exp(-at / rate / max(early, 0.01)) * 10 ** (-3 * late / params.decay_s)
        result[:, channel] /= math.sqrt(float(np.sum(result[:, channel] ** 2)))
    delay = round(params.pre_delay_ms / 1000 * rate)
    return np.concatenate([np.zeros((delay, channels)), result]).astype(np.float32)


def _tail(params: SpaceParams, rate: int) -> int:
    longest = params.decay_s * max(1.0, params.low_ratio, params.high_ratio)
    return math.ceil(longest * 1.15 * rate)


class Behind:
    """A stream that is heard through walls."""

    def __init__(self, inner: Stream, walls: Sections):
        self._inner, self._walls = inner, walls

    def push(self, block: Samples) -> Samples:
        return self._through(self._inner.push(block))

    def flush(self) -> Samples:
        return self._through(self._inner.flush())

    def _through(self, block: Samples) -> Samples:
        return self._walls(block) if len(block) else block


def spread_into(at: Context) -> Samples | None:
    """How much of each channel goes into each channel of a room, shape (channels, channels); None where each goes into its own alone.

    What sounds on one side is answered from all; what is the same on all sides is as loud as it was. The low-frequency channel
    keeps to itself, and of ambisonics each component its own room.
    """
    names = channel_names(at.named, at.channels)
    mains = [place for place, name in enumerate(names) if name != "LFE"]
    if len(mains) < 2 or "W" in names:
        return None
    into = np.eye(at.channels, dtype=np.float32)
    into[np.ix_(mains, mains)] = SPREAD / (len(mains) - 1)
    into[mains, mains] = 1 - SPREAD
    return into


@register
class Space(StepKind):
    """Puts a synthetic room around the sound. Its tail rings on after the end."""

    key, label, family, params = "space", "Space", "Space", SpaceParams
    version = 4
    words = "bigger further away reverb room hall cathedral outside distance wet behind the door box field"
    moving = ("wet_db", "dry_db")
    settings = NAMED

    def out_frames(self, params: SpaceParams, at: Context) -> int:
        return at.frames + _tail(params, at.rate) + round(params.pre_delay_ms / 1000 * at.rate) - 1

    def _walls(self, params: SpaceParams, at: Context) -> Floats | None:
        return None if params.walls_hz >= OPEN_HZ else butterworth("low", params.walls_hz, 12, at.rate)

    def lead(self, params: SpaceParams, at: Context) -> int:
        walls = self._walls(params, at)
        return self.out_frames(params, at) - at.frames + (0 if walls is None else settle_frames(walls))

    def picture(self, params: SpaceParams, rate: int) -> Picture:
        """The level of what a knock leaves, and the decay as stated."""
        out = response(params, 24_000, 1)[:, 0]
        step = max(1, len(out) // 300)
        tops = np.sqrt(np.mean(np.square(out[: len(out) // step * step]).reshape(-1, step), axis=1))
        time = np.arange(len(tops)) * step / 24_000
        level = 20 * np.log10(np.maximum(tops / max(1e-9, float(tops.max())), 1e-4))
        begin = params.pre_delay_ms / 1000
        stated = np.clip(-60 * (time - begin) / params.decay_s, -80, 0)
        return Picture.of("s", "dB", [Reading.of("response", time, level), Reading.of("stated", time, stated)], y=(-60.0, 6.0))

    def stream(self, params: SpaceParams, summary: Summary, at: Context, position: int) -> Stream:
        room = Convolution(
            response(params, at.rate, at.channels), amplitudes(params, at, "wet_db"), amplitudes(params, at, "dry_db"), position, spread_into(at)
        )
        walls = self._walls(params, at)
        return room if walls is None else Behind(room, Sections(walls, at.channels))
