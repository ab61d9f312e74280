"""What makes longer: mirrored at a point, led in by its own tail backwards, stretched in grains, a moment held, everything smeared."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.audio.seams import SEEK_S, joined
from oskren.core.controls import choice, number
from oskren.core.steps.base import Context, Params, Picture, Reading, StepKind, register
from oskren.core.steps.space import Partitioned, SpaceParams, response
from oskren.core.timemap import TimeMap
from oskren.core.types import AnyArray, Floats, Samples


def _together(samples: Samples, point: int, left: int, fade: int, furthest: range) -> int:
    """How far both turns of a mirror move so that the sound and its mirror image go together in both crossfades; the nearest of the best."""

    def agree(move: int) -> float:
        found = []
        for one, other in ((point - fade, point + move - fade), (left + move, left)):
            a, b = samples[one : one + fade].astype(np.float64), samples[other : other + fade][::-1].astype(np.float64)
            size = math.sqrt(float(np.sum(a * a)) * float(np.sum(b * b)))
            found.append(float(np.sum(a * b)) / size if size > 0 else 1.0)
        return min(found) - 1e-6 * abs(move)

    coarse = max([0, *furthest[:: max(1, len(furthest) // 150)]], key=agree)
    return max((move for move in range(coarse - 4, coarse + 5) if move in furthest or move == 0), key=agree)


class MirrorParams(Params):
    point_s: float = number(1.0, 0.01, 600, "s", "Turns at", digits=3, place=True)
    span_s: float = number(0.5, 0.01, 60, "s", "Goes back by", "log", 3)
    times: str = choice("1", ["1", "2", "3", "4", "6", "8"], "Times there and back")
    crossfade_ms: float = number(20.0, 0, 500, "ms", "Crossfade")


@register
class Mirror(StepKind):
    """Makes the sound longer by playing a part of it back and forth, crossfaded at every turn."""

    key, label, family, params, whole, keeps_time = "mirror", "Mirrored longer", "Length", MirrorParams, True, False
    words = "longer extend lengthen loop sustain repeat"
    settings = {"a breath more": {"span_s": 0.25}, "long ring": {"span_s": 0.8, "times": "4", "crossfade_ms": 80.0}}

    def version_of(self, params: MirrorParams) -> int:
        """Crossfades of a single frame were left out once."""
        return 2 if 0 < params.crossfade_ms < 0.2 else 1

    def _turns(self, params: MirrorParams, at: Context) -> tuple[int, int, int, int]:
        """Point, span, crossfade (frames) and how often."""
        point = int(np.clip(round(at.carry(params.point_s) * at.rate), 2, at.frames))
        span = max(1, min(point - 1, round(params.span_s * at.rate)))
        fade = min(round(params.crossfade_ms / 1000 * at.rate), span // 2)
        return point, span, fade, int(params.times)

    def picture(self, params: MirrorParams, rate: int) -> Picture:
        """Which moment of the sound is heard when."""
        span = min(params.span_s, params.point_s)
        here, time, place = params.point_s, [0.0], [0.0]
        for _ in range(int(params.times)):
            for step in (here - place[-1], span):
                time.append(time[-1] + step)
                place.append(here if len(place) % 2 else here - span)
        time.append(time[-1] + span + 0.3 * params.point_s)
        place.append(here + 0.3 * params.point_s)
        return Picture.of("s heard", "s of the sound", [Reading.of("", np.array(time), np.array(place))], y=(0.0, 1.35 * params.point_s))

    def out_frames(self, params: MirrorParams, at: Context) -> int:
        _, span, fade, times = self._turns(params, at)
        return at.frames + times * 2 * (span - fade)

    def time_map(self, params: MirrorParams, at: Context) -> TimeMap:
        """Moments before the point stay, those behind it are later; while it goes back and forth time stands at the point."""
        point, span, fade, times = self._turns(params, at)
        added = times * 2 * (span - fade) / at.rate
        here = point / at.rate
        hair = 1e-6
        return TimeMap((0.0, here, here + added + hair, here + added + hair + 1), (0.0, here, here + hair, here + hair + 1))

    def run(self, params: MirrorParams, samples: Samples, at: Context) -> Samples:
        point, span, fade, times = self._turns(params, at)
        left, out = point - span, samples[:point]
        seek = min(round(SEEK_S * at.rate), fade, (span - fade) // 4) if fade >= 2 else 0
        # what goes back begins and ends a moment off, so that it goes together with what goes forth at both ends
        move = _together(samples, point, left, fade, range(-min(seek, left), min(seek, at.frames - point) + 1)) if seek else 0
        back = samples[left + move : point + move][::-1]
        for turn in range(times):
            out = joined(out, back, fade)
            out = joined(out, samples[left : at.frames if turn == times - 1 else point], fade)
        return np.ascontiguousarray(out, np.float32)


class LeadInParams(Params):
    length_s: float = number(1.5, 0.05, 20, "s", "Leads in for", "log", 2)
    decay_s: float = number(2.0, 0, 12, "s", "Tail of a space of", digits=1)
    level_db: float = number(-6.0, -40, 6, "dB", "Level")
    gap_ms: float = number(0.0, 0, 500, "ms", "Silence before the sound")


@register
class LeadIn(StepKind):
    """Puts the sound's own reversed reverberation before it, which swells up to where the sound begins."""

    key, label, family, params, whole, keeps_time = "lead_in", "Reversed tail before", "Length", LeadInParams, True, False
    words = "reverse swell riser suck anticipation longer before magic whoosh"
    settings = {
        "breath in": {"length_s": 0.6, "decay_s": 0.8},
        "from far away": {"length_s": 4.0, "decay_s": 6.0, "level_db": -3.0},
        "only itself": {"decay_s": 0.0, "length_s": 1.0},
    }

    def _before(self, params: LeadInParams, at: Context) -> tuple[int, int]:
        return round(params.length_s * at.rate), round(params.gap_ms / 1000 * at.rate)

    def picture(self, params: LeadInParams, rate: int) -> Picture:
        """The level on the way to where the sound begins (0 s), and that of a sound of half a second."""
        before = np.linspace(-params.length_s, 0, 200)
        rising = params.length_s / (4 if params.decay_s >= 0.1 else 1)
        rise = 20 * np.log10(np.maximum(np.sin(np.pi / 2 * np.minimum(1.0, (before + params.length_s) / rising)) ** 2, 1e-4))
        falls = 60 * before / params.decay_s if params.decay_s >= 0.1 else 0.0
        gap = params.gap_ms / 1000
        sound = np.linspace(0, 0.5, 40)
        lines = [Reading.of("swell", before - gap, params.level_db + rise + falls), Reading.of("sound", sound, -40 * sound)]
        return Picture.of("s", "dB", lines, y=(-60.0, 6.0))

    def out_frames(self, params: LeadInParams, at: Context) -> int:
        return at.frames + sum(self._before(params, at))

    def time_map(self, params: LeadInParams, at: Context) -> TimeMap:
        return TimeMap.affine(1.0, -sum(self._before(params, at)) / at.rate)

    def run(self, params: LeadInParams, samples: Samples, at: Context) -> Samples:
        length, gap = self._before(params, at)
        tail, rising = samples[:length], length
        if params.decay_s >= 0.1:
            # the sound backwards in a room: what rings on after its end, turned round, swells into its beginning
            impulse = response(SpaceParams(decay_s=params.decay_s, pre_delay_ms=0.0, size_m=15.0), at.rate, at.channels)
            room = Partitioned(impulse)
            rung = np.concatenate([room.push(samples[::-1]), room.flush()])
            tail, rising = rung[at.frames : at.frames + length], max(1, length // 4)
            loud, own = _loudest(tail, at.rate), _loudest(samples, at.rate)
            tail = tail * np.float32(own / loud if loud > 1e-9 else 1.0)
        back = np.zeros((length, at.channels), np.float32)
        back[length - len(tail) :] = tail[::-1]
        rise = np.sin(np.pi / 2 * np.minimum(1.0, (np.arange(length) + 0.5) / rising))[:, None] ** 2
        end = min(length, max(1, round(0.002 * at.rate)))
        gain = rise * 10 ** (params.level_db / 20)
        gain[length - end :] *= np.linspace(1, 0, end)[:, None] if gap else 1.0
        return np.concatenate([(back * gain).astype(np.float32), np.zeros((gap, at.channels), np.float32), samples])


def _loudest(samples: Samples, rate: int, seconds: float = 0.02) -> float:
    """RMS of the loudest stretch of so many seconds, of the mean of the channels' powers."""
    power = np.square(samples, dtype=np.float64).mean(axis=1)
    size = max(1, min(len(power), round(seconds * rate)))
    return math.sqrt(float(power[: len(power) // size * size].reshape(-1, size).mean(axis=1).max(initial=0.0)))


class GrainParams(Params):
    stretch: float = number(3.0, 0.25, 20, "×", "Longer by", "log", 2)
    grain_ms: float = number(80.0, 10, 500, "ms", "Grains of", "log", 0)
    scatter_ms: float = number(15.0, 0, 500, "ms", "Taken from around", digits=0)
    pitch_st: float = number(0.0, -24, 24, "st", "Pitch")
    pitch_scatter_st: float = number(0.0, 0, 12, "st", "Pitch scatters by")
    density: str = choice("4", ["2", "4", "8", "16"], "Grains at a time")
    seed: float = number(1.0, 1, 999, "", "Seed", digits=0)


@register
class Grains(StepKind):
    """Cuts the sound into short grains and spreads them over more or less time, as a cloud of the sound."""

    key, label, family, params, whole, keeps_time = "grains", "Granular stretch", "Length", GrainParams, True, False
    words = "longer cloud texture bed drone swarm shimmer stretch slow granular"
    settings = {
        "cloud": {"stretch": 6.0, "grain_ms": 120.0, "scatter_ms": 60.0, "density": "8"},
        "swarm": {"stretch": 2.0, "grain_ms": 40.0, "scatter_ms": 120.0, "pitch_scatter_st": 5.0, "density": "8"},
        "stutter": {"stretch": 2.0, "grain_ms": 60.0, "scatter_ms": 0.0, "density": "2"},
    }

    def out_frames(self, params: GrainParams, at: Context) -> int:
        return max(1, round(at.frames * params.stretch))

    def time_map(self, params: GrainParams, at: Context) -> TimeMap:
        return TimeMap.affine(1 / params.stretch, 0.0)

    def run(self, params: GrainParams, samples: Samples, at: Context) -> Samples:
        frames = self.out_frames(params, at)
        size = max(16, round(params.grain_ms / 1000 * at.rate))
        density = int(params.density)
        window = 0.5 - 0.5 * np.cos(2 * np.pi * (np.arange(size) + 0.5) / size)
        begins = np.arange(-size, frames, max(1, size // density))
        random = np.random.Generator(np.random.PCG64(int(params.seed)))
        scatter = random.uniform(-1, 1, len(begins)) * params.scatter_ms / 1000 * at.rate
        ratio = 2.0 ** ((params.pitch_st + random.uniform(-1, 1, len(begins)) * params.pitch_scatter_st) / 12)
        out, weight = np.zeros((frames + 2 * size, at.channels)), np.zeros(frames + 2 * size)
        known = np.concatenate([samples, np.zeros((1, at.channels), np.float32)])
        for begin, moved, speed in zip(begins, scatter, ratio, strict=True):
            middle = (begin + size / 2) / params.stretch + moved
            # without stretch, scatter and pitch every grain is laid where it was taken
            places = middle - size / 2 * speed + np.arange(size) * speed
            if params.stretch == 1 and moved == 0 and speed == 1:
                places = begin + np.arange(size, dtype=np.float64)
            whole = np.floor(places).astype(np.int64)
            part = (places - whole)[:, None]
            inside = (whole >= 0) & (whole < len(samples))
            whole = np.clip(whole, 0, len(samples) - 1)
            grain = (known[whole] * (1 - part) + known[whole + 1] * part) * inside[:, None]
            out[begin + size : begin + 2 * size] += grain * window[:, None]
            weight[begin + size : begin + 2 * size] += window
        body = out[size : size + frames] / np.maximum(weight[size : size + frames], 1e-3)[:, None]
        # grains that differ add as powers, grains that are alike as amplitudes: the level of the whole is kept
        before, after = (float(np.sqrt(np.mean(np.square(part, dtype=np.float64)))) for part in (samples, body))
        return np.asarray(body * (before / after if after > 1e-9 else 1.0), np.float32)


def _frames(samples: Floats, size: int, hop: int) -> AnyArray:
    from scipy.fft import rfft

    window = np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size))
    return np.asarray(rfft(np.lib.stride_tricks.sliding_window_view(samples, size)[::hop] * window, axis=1))


def _put_together(spectra: AnyArray, size: int, hop: int) -> Floats:
    from scipy.fft import irfft

    window = np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size))
    parts = irfft(spectra, size, axis=1) * window
    out = np.zeros(hop * (len(parts) - 1) + size)
    for i, part in enumerate(parts):
        out[i * hop : i * hop + size] += part
    return out * (hop / size * 2)


class HoldParams(Params):
    at_s: float = number(0.3, 0, 600, "s", "Holds at", digits=3, place=True)
    hold_s: float = number(2.0, 0.1, 60, "s", "For", "log", 2)
    blur_ms: float = number(60.0, 0, 500, "ms", "Heard from around", digits=0)
    then: str = choice("goes on", ["goes on", "ends"], "Then it")
    fade_ms: float = number(60.0, 5, 1000, "ms", "Crossfades", "log", 0)


@register
class Hold(StepKind):
    """Holds the spectrum of one moment for as long as wanted, as a tone or a bed."""

    key, label, family, params, whole, keeps_time = "hold", "Spectral hold", "Length", HoldParams, True, False
    words = "freeze longer sustain drone bed tone infinite pad"
    settings = {"four seconds": {"hold_s": 4.0}, "bed without an attack": {"hold_s": 12.0, "blur_ms": 300.0, "then": "ends", "fade_ms": 400.0}}

    def version_of(self, params: HoldParams) -> int:
        """Crossfades of a single frame were left out once."""
        return 2 if params.at_s < 0.0002 else 1

    def _at(self, params: HoldParams, at: Context) -> tuple[int, int, int]:
        """Moment, length and crossfade in frames; a crossfade reaches into both sides."""
        where = int(np.clip(round(at.carry(params.at_s) * at.rate), 1, at.frames))
        held = round(params.hold_s * at.rate)
        return where, held, min(round(params.fade_ms / 1000 * at.rate), held // 3, where)

    def out_frames(self, params: HoldParams, at: Context) -> int:
        where, held, fade = self._at(params, at)
        return where + held - fade if params.then == "ends" else at.frames + held - fade - min(fade, at.frames - where)

    def time_map(self, params: HoldParams, at: Context) -> TimeMap:
        where, held, fade = self._at(params, at)
        here, hair = where / at.rate, 1e-6
        added = max(hair, (held - fade - min(fade, at.frames - where)) / at.rate)
        return TimeMap((0.0, here, here + added + hair, here + added + hair + 1), (0.0, here, here + hair, here + hair + 1))

    def run(self, params: HoldParams, samples: Samples, at: Context) -> Samples:
        where, held, fade = self._at(params, at)
        sustained = np.stack([_sustained(samples[:, lane].astype(np.float64), where, held, fade, params, at.rate, lane) for lane in range(at.channels)], axis=1)
        out = joined(samples[:where], sustained.astype(np.float32), fade)
        if params.then == "ends":
            fall = np.cos(np.pi / 2 * (np.arange(fade) + 0.5) / max(1, fade))[:, None]
            out[len(out) - fade :] *= fall.astype(np.float32)
            return np.ascontiguousarray(out)
        return np.ascontiguousarray(joined(out, samples[where:], fade))


def _sustained(samples: Floats, where: int, frames: int, fade: int, params: HoldParams, rate: int, lane: int) -> Floats:
    """A spectrum held: the power of the cells around a moment, the phases running on at the frequency each cell had there.

    Phases begin as the sound has them a crossfade before the moment, and frequencies are bent by less than half a turn over the whole, so
    that they end as it has them at the moment: both crossfades meet in step. Where no cell has a frequency of its own (noise) the
    phases are drawn anew at every frame, so that it stays noise.
    """
    size = 1 << max(9, round(math.log2(rate * 0.085)))
    hop = size // 4
    blur = round(params.blur_ms / 1000 * rate)
    first = max(0, min(where - size // 2 - blur // 2, len(samples) - size - hop - blur))
    stretch = samples[first : first + size + hop + blur]
    stretch = np.concatenate([stretch, np.zeros(max(0, size + hop + blur - len(stretch)))])
    near = _frames(stretch, size, max(1, hop // 4))
    power = np.sqrt(np.mean(np.abs(near) ** 2, axis=0))
    step = max(1, hop // 4)
    bins = np.arange(size // 2 + 1)
    expected = 2 * np.pi * bins * step / size
    if len(near) > 1:
        turned = near[1:] * np.conj(near[:-1]) * np.exp(-1j * expected)
        mean = turned.sum(axis=0)
        steady = np.abs(mean) / np.maximum(np.abs(turned).sum(axis=0), 1e-12)
        frequency = (expected + np.angle(mean)) / step
    else:
        steady, frequency = np.zeros(len(bins)), expected / step
    # one partial is heard in several cells: they all run on with that of the loudest beside them
    beside = np.lib.stride_tricks.sliding_window_view(np.pad(power, 2), 5)
    loudest = np.clip(bins - 2 + np.argmax(beside, axis=1), 0, len(bins) - 1)
    frequency, steady = frequency[loudest], steady[loudest]
    begin = np.angle(near[0]) + frequency * (where - fade - first)
    until = max(1, frames - fade)
    frequency = frequency + (np.remainder(frequency * (fade - until) + np.pi, 2 * np.pi) - np.pi) / until
    count = math.ceil(frames / hop) + 5
    random = np.random.Generator(np.random.PCG64(911 + lane))
    run_on = begin[None, :] + (np.arange(count)[:, None] - 2) * hop * frequency[None, :]
    drawn = random.uniform(0, 2 * np.pi, (count, len(bins)))
    tone = np.clip((steady - 0.7) / 0.25, 0, 1)
    spectra = power * (np.sqrt(tone) * np.exp(1j * run_on) + np.sqrt(1 - tone) * np.exp(1j * drawn))
    out = _put_together(spectra, size, hop)[2 * hop : 2 * hop + frames]
    wanted = math.sqrt(float(np.mean(stretch**2)))
    have = math.sqrt(float(np.mean(out**2)))
    return out * (wanted / have if have > 1e-12 else 0.0)


class SmearParams(Params):
    size_ms: float = number(250.0, 20, 3000, "ms", "Smeared over", "log", 0)
    amount: float = number(1.0, 0, 1, "", "Amount")
    mix: float = number(1.0, 0, 1, "", "Mix")


@register
class Smear(StepKind):
    """Blurs the sound in time: attacks dissolve while pitch and colour stay."""

    key, label, family, params, whole = "smear", "Spectral smear", "Length", SmearParams, True
    words = "blur wash softer dissolve further away ghost bed texture smooth"
    settings = {
        "soft edges": {"size_ms": 60.0, "amount": 0.6},
        "fog over the island": {"size_ms": 1200.0},
        "ghost beside it": {"size_ms": 500.0, "mix": 0.4},
    }

    def out_frames(self, params: SmearParams, at: Context) -> int:
        return at.frames + self._size(params, at)

    def _size(self, params: SmearParams, at: Context) -> int:
        return max(64, round(params.size_ms / 1000 * at.rate / 4) * 4)

    def run(self, params: SmearParams, samples: Samples, at: Context) -> Samples:
        from scipy.fft import next_fast_len

        size = next_fast_len(self._size(params, at), real=True)
        size += -size % 4
        hop, frames = size // 4, self.out_frames(params, at)
        wet = np.empty((frames, at.channels))
        for lane in range(at.channels):
            padded = np.concatenate([np.zeros(size), samples[:, lane], np.zeros(2 * size + hop)])
            spectra = _frames(padded, size, hop)
            random = np.random.Generator(np.random.PCG64(313 + lane))
            phases = random.uniform(-np.pi, np.pi, spectra.shape) * params.amount
            phases[:, 0] = 0.0
            out = _put_together(spectra * np.exp(1j * phases), size, hop)[size : size + frames]
            wet[:, lane] = np.concatenate([out, np.zeros(frames - len(out))])
        dry = np.concatenate([samples, np.zeros((frames - len(samples), at.channels), np.float32)])
        # drawn phases add as powers: as loud as it was
        before, after = (float(np.sqrt(np.sum(np.square(part, dtype=np.float64)))) for part in (dry, wet))
        wet *= before / after if after > 1e-9 else 1.0
        return np.asarray(dry + params.mix * (wet - dry), np.float32)
