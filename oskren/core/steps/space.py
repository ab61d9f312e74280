"""Spaces: a room made of early reflections and a tail that decays at its own pace in every band, or one that was recorded; by convolution."""

from __future__ import annotations

import functools
import math
from collections.abc import Callable, Iterator

import numpy as np

from oskren.core.audio.layouts import convert
from oskren.core.controls import number
from oskren.core.steps.base import Context, Params, Picture, Reading, StepKind, Stream, Summary, register
from oskren.core.steps.equaliser import Sections, butterworth, settle_frames
from oskren.core.types import AnyArray, Floats, Samples

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


OVERLAP_OCT = 0.25
"""Over how many octaves one octave's decay goes over into the next one's."""


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


@functools.lru_cache(maxsize=4)
def _octaves(rate: int, frames: int, channel: int, width: float) -> Samples:
    """White noise in octave bands, each of the power it has in the noise and of level power: shape (bands, frames).

    What a space is made of whatever its size and decay, so it is kept: dragging a decay makes no noise anew.
    """
    from scipy.fft import irfft, rfft, rfftfreq

    noise = _noise(frames, 7001) * math.sqrt(1 - width / 2) + _noise(frames, 7002 + channel) * math.sqrt(width / 2)
    centres = CENTRES[rate / 2 > CENTRES]
    places = np.log2(np.maximum(rfftfreq(frames, 1 / rate), 1.0) / CENTRES[0])
    spectrum, bands = rfft(noise), np.empty((len(centres), frames), np.float32)
    for k, centre in enumerate(centres):
        weight = np.clip((0.5 - np.abs(places - k)) / OVERLAP_OCT + 0.5, 0, 1)
        if k == 0:
            weight = np.where(places < 0, 1.0, weight)
        if k == len(centres) - 1:
            weight = np.where(places > k, 1.0, weight)
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
    early = min(0.08, 4 * params.size_m / SPEED_OF_SOUND)
    time = (np.arange(frames) / rate).astype(np.float32)
    rise = 1 - np.exp(time / np.float32(-max(early / 3, 0.002)))
    result = np.zeros((frames, channels))
    for channel in range(channels):
        # noise is made in lengths of powers of two, so that another decay mostly finds it made
        bands = _octaves(rate, 1 << math.ceil(math.log2(max(frames, KEPT_S * rate))), channel, params.width if channels > 1 else 0.0)
        tail = np.zeros(frames, np.float32)
        for centre, band in zip(CENTRES, bands, strict=False):
            tail += band[:frames] * np.exp(time * np.float32(-3 * math.log(10) / decay_at(params, float(centre))))
        result[:, channel] = tail * rise
        scale = math.sqrt(float(np.mean(result[: max(1, round(early * rate)), channel] ** 2)) + 1e-12) * 10 ** (params.early_db / 20)
        random = np.random.Generator(np.random.PCG64(7100 + (channel if params.width > 0 else 0)))
        for _ in range(14):
            at = round(params.size_m / SPEED_OF_SOUND * (0.35 + 3.6 * math.sqrt(random.random())) * rate)
            if at < frames:
                result[at, channel] += scale * 5 * math.exp(-at / rate / max(early, 0.01)) * (1 if random.random() > 0.4 else -1)
        result[:, channel] /= math.sqrt(float(np.sum(result[:, channel] ** 2)))
    delay = round(params.pre_delay_ms / 1000 * rate)
    return np.concatenate([np.zeros((delay, channels)), result]).astype(np.float32)


def _tail(params: SpaceParams, rate: int) -> int:
    longest = params.decay_s * max(1.0, params.low_ratio, params.high_ratio)
    return math.ceil(longest * 1.15 * rate)


Level = Callable[[int, int], Floats]
"""Amplitudes, shape (1 or count, 1), of a count of frames from a frame on."""


class Partitioned:
    """Convolution of a stream with a long response: both cut into parts of one length, which meet in the frequency domain.

    Source: overlap-save with a uniformly partitioned filter (Gardner, JAES 43 (3), 1995, gives the non-uniform one). Blocks of
    any size go in; out come those parts that are whole, the rest and the tail on ``flush``.
    """

    def __init__(self, impulse: Samples):
        from scipy.fft import rfft

        self._size = size = int(np.clip(1 << max(8, round(math.log2(len(impulse) / 6 + 1))), 1 << 10, 1 << 14))
        self._channels, self._tail = impulse.shape[1], len(impulse) - 1
        count = math.ceil(len(impulse) / size)
        padded = np.concatenate([impulse, np.zeros((count * size - len(impulse), self._channels), np.float32)]).astype(np.float32)
        self._parts: AnyArray = rfft(padded.reshape(count, size, self._channels), 2 * size, axis=1)
        self._spectra: AnyArray = np.zeros_like(self._parts)
        self._place = 0
        self._held: Samples = np.zeros((0, self._channels), np.float32)
        self._before: Samples = np.zeros((size, self._channels), np.float32)

    def push(self, block: Samples) -> Samples:
        self._held = np.concatenate([self._held, block.astype(np.float32, copy=False)])
        given = []
        while len(self._held) >= self._size:
            given.append(self._part(self._held[: self._size]))
            self._held = self._held[self._size :]
        return np.concatenate(given) if given else np.zeros((0, self._channels), np.float32)

    def flush(self) -> Samples:
        left = len(self._held) + self._tail
        return self.push(np.zeros((self._tail + self._size, self._channels), np.float32))[:left]

    def _part(self, block: Samples) -> Samples:
        from scipy.fft import irfft, rfft

        # the newest spectrum stands at ``_place``, older ones behind it and, round the end, before it
        self._place = (self._place - 1) % len(self._parts)
        self._spectra[self._place] = rfft(np.concatenate([self._before, block]), axis=0)
        newer = len(self._parts) - self._place
        total = np.einsum("pfc,pfc->fc", self._spectra[self._place :], self._parts[:newer])
        if self._place:
            total += np.einsum("pfc,pfc->fc", self._spectra[: self._place], self._parts[newer:])
        self._before = block
        return np.asarray(irfft(total, axis=0)[self._size :], np.float32)


class Convolution:
    """Convolution with the dry sound mixed in; the tail comes out on ``flush``. What the wet follows is how much goes into the room."""

    def __init__(self, impulse: Samples, wet: Level, dry: Level, position: int = 0):
        self._room, self._wet, self._dry = Partitioned(impulse), wet, dry
        self._fed = self._here = position
        self._held: Samples = np.zeros((0, impulse.shape[1]), np.float32)

    def push(self, block: Samples) -> Samples:
        if not len(block):
            return block
        self._held = np.concatenate([self._held, block])
        wet = self._room.push(np.asarray(block * self._wet(self._fed, len(block)), np.float32))
        self._fed += len(block)
        return self._give(wet)

    def flush(self) -> Samples:
        return self._give(self._room.flush())

    def _give(self, wet: Samples) -> Samples:
        if not len(wet):
            return wet
        own, self._held = self._held[: len(wet)], self._held[len(wet) :]
        wet[: len(own)] += own * self._dry(self._here, len(own)) if len(own) else 0
        self._here += len(wet)
        return wet


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


def amplitudes(params: Params, at: Context, name: str) -> Level:
    """Amplitudes of a level (dB) that may follow an envelope."""
    return lambda first, count: 10.0 ** (np.asarray(at.moved(name, getattr(params, name), first, count)) / 20).reshape(-1, 1)


@register
class Space(StepKind):
    """Puts a synthetic room around the sound. Its tail rings on after the end."""

    key, label, family, params = "space", "Space", "Space", SpaceParams
    version = 3
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
        room = Convolution(response(params, at.rate, at.channels), amplitudes(params, at, "wet_db"), amplitudes(params, at, "dry_db"), position)
        walls = self._walls(params, at)
        return room if walls is None else Behind(room, Sections(walls, at.channels))


class ImpulseParams(Params):
    longest_s: float = number(3.0, 0.02, 20, "s", "Used up to", "log", 2)
    pre_delay_ms: float = number(0.0, 0, 250, "ms", "Pre-delay")
    wet_db: float = number(-10.0, -60, 12, "dB", "Wet")
    dry_db: float = number(0.0, -60, 6, "dB", "Dry")


RINGS_DB = 15.0
"""Most gain a convolution has at any frequency before its wet level (own rule): a sound of a few tones would else come out 30 dB louder."""


@register
class Impulse(StepKind):
    """Convolves the sound with another sound of yours: a recorded room response, or anything that is to colour it."""

    key, label, family, params, analyses = "impulse", "Convolution", "Space", ImpulseParams, True
    words = "reverb impulse response room cabinet resonator colour through convolve further away"
    beside = "impulse response"
    learns_by = ("longest_s",)
    moving = ("wet_db", "dry_db")
    settings = {"only what it colours": {"dry_db": -60.0, "wet_db": 0.0}, "a little of it": {"wet_db": -18.0}}

    def _frames(self, params: ImpulseParams, rate: int) -> int:
        return max(1, round(params.longest_s * rate))

    def _delay(self, params: ImpulseParams, rate: int) -> int:
        return round(params.pre_delay_ms / 1000 * rate)

    def analyse(self, params: ImpulseParams, blocks: Iterator[Samples], at: Context) -> Summary:
        """Learns from the other sound: its beginning, up to the longest, each channel of unit energy at most (all by one gain).

        A room of unit energy is some 10 dB over that at single frequencies; what rings at a few is lowered until it is no more than ``RINGS_DB`` over.
        """
        from scipy.fft import rfft

        wanted, parts, have = self._frames(params, at.rate), [], 0
        for block in blocks:
            parts.append(block[: wanted - have])
            have += len(parts[-1])
            if have >= wanted:
                break
        found = np.concatenate(parts) if parts else np.zeros((1, at.channels), np.float32)
        loudest = math.sqrt(float(np.square(found, dtype=np.float64).sum(axis=0).max(initial=0.0)))
        rings = float(np.abs(rfft(found, axis=0)).max(initial=0.0))
        loudest = max(loudest, rings * 10 ** (-RINGS_DB / 20))
        return {"impulse": found / np.float32(loudest or 1.0), "rate": np.array(at.rate), "layout": np.array([at.named])}

    def found(self, summary: Summary) -> str:
        return f"{len(summary['impulse']) / int(summary['rate']):.2f} s" if summary else "no impulse response is chosen; the sound passes"

    def out_frames(self, params: ImpulseParams, at: Context) -> int:
        return at.frames + self._frames(params, at.rate) + self._delay(params, at.rate)

    def lead(self, params: ImpulseParams, at: Context) -> int:
        return self.out_frames(params, at) - at.frames

    def stream(self, params: ImpulseParams, summary: Summary, at: Context, position: int) -> Stream:
        frames = self._frames(params, at.rate) + self._delay(params, at.rate)
        impulse: Samples = np.zeros((frames + 1, at.channels), np.float32)
        if summary:
            own = summary["impulse"]
            if int(summary["rate"]) != at.rate:
                import soxr

                # a response is a density over time: at another rate its samples scale with the rate, so that its gain stays
                own = soxr.resample(own, int(summary["rate"]), at.rate, "VHQ") * (int(summary["rate"]) / at.rate)
            if own.shape[1] != at.channels:
                own = np.repeat(own, at.channels, axis=1) if own.shape[1] == 1 else convert(own, at.named, str(summary["layout"][0]))
            own = own[: self._frames(params, at.rate)]
            delay = self._delay(params, at.rate)
            impulse[delay : delay + len(own)] = own
        return Convolution(impulse, amplitudes(params, at, "wet_db"), amplitudes(params, at, "dry_db"), position)
