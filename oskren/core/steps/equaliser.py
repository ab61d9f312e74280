"""Filters: high-pass, low-pass, shelves, bell and notch, as second-order sections in float64."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, ClassVar, Protocol

import numpy as np

from oskren.core.controls import choice, number
from oskren.core.steps.base import Context, Following, Params, Picture, Reading, Simple, StepKind, Stream, Summary, kind_of, register
from oskren.core.types import Floats, Samples

SETTLED = 1e-7
"""A filter is settled when what it remembers has fallen to this share (-140 dB)."""


def settle_frames(sections: Floats) -> int:
    """Frames after which the slowest pole of the sections has decayed to -140 dB."""
    radius = max(float(np.abs(np.roots(section[3:])).max(initial=0.0)) for section in sections)
    return 0 if radius < 1e-6 else min(20_000_000, math.ceil(math.log(SETTLED) / math.log(min(radius, 1 - 1e-9)))) * len(sections)


class Sections:
    """Runs second-order sections over blocks and carries their state."""

    def __init__(self, sections: Floats, channels: int):
        self._sections = sections
        self._state = np.zeros((len(sections), 2, channels))

    def __call__(self, block: Samples) -> Samples:
        from scipy.signal import sosfilt

        out, self._state = sosfilt(self._sections, block.astype(np.float64), axis=0, zi=self._state)
        return np.asarray(out, dtype=np.float32)


TURN = 64
"""Frames between two settings of a filter that moves."""


class Turning:
    """Second-order sections whose settings follow an envelope: set anew at every TURN frames of the sound, the state going on."""

    def __init__(self, kind: FilterKind, params: Params, at: Context):
        self._kind, self._params, self._at = kind, params, at
        self._state: Floats | None = None

    def __call__(self, block: Samples, first: int) -> Samples:
        from scipy.signal import sosfilt

        turns = first // TURN, (first + len(block) - 1) // TURN + 1
        moving = [name for name in self._kind.moving if self._at.envelope(name) is not None]
        paths = [np.asarray(self._at.moved(name, 0.0, turns[0] * TURN, turns[1] - turns[0], TURN)) for name in moving]
        out = np.empty(block.shape)
        for i, turn in enumerate(range(*turns)):
            low, high = max(first, turn * TURN) - first, min(first + len(block), (turn + 1) * TURN) - first
            values = {name: self._kind.within(name, float(path[i])) for name, path in zip(moving, paths, strict=True)}
            sections = self._kind.sections(self._params.model_copy(update=values), self._at.rate)
            if self._state is None:
                self._state = np.zeros((len(sections), 2, block.shape[1]))
            out[low:high], self._state = sosfilt(sections, block[low:high].astype(np.float64), axis=0, zi=self._state)
        return np.asarray(out, dtype=np.float32)


class FilterKind(StepKind):
    """A step that is a cascade of second-order sections."""

    family = "Tone"
    on_all: ClassVar[bool] = True
    """Whether all of the sound goes through it: then its response can be drawn."""

    def sections(self, params: Params, rate: int) -> Floats:
        raise NotImplementedError

    def within(self, name: str, value: float) -> float:
        """A parameter's value held inside its range."""
        limits = {type(rule).__name__: rule for rule in self.params.model_fields[name].metadata}
        return float(np.clip(value, getattr(limits.get("Ge"), "ge", -np.inf), getattr(limits.get("Le"), "le", np.inf)))

    def lead(self, params: Params, at: Context) -> int:
        """Until the filter has settled; one that moves, until it has at every setting of its way."""
        paths = {name: follows for name in self.moving if (follows := at.envelope(name)) is not None}
        settings = [params]
        for name, follows in paths.items():
            ends = {self.within(name, value) for _, value in follows.points}
            settings = [one.model_copy(update={name: end}) for one in settings for end in (min(ends), max(ends))]
        return max(settle_frames(self.sections(one, at.rate)) for one in settings)

    def picture(self, params: Params, rate: int) -> Picture | None:
        """The response, where all of the sound goes through the filter."""
        if not self.on_all:
            return None
        from scipy.signal import freqz_sos

        hz = np.geomspace(20, min(20_000, 0.49 * rate), 300)
        _, answer = freqz_sos(self.sections(params, rate), worN=hz, fs=rate)
        return Picture.of("Hz", "dB", [Reading.of("", hz, 20 * np.log10(np.maximum(np.abs(answer), 1e-5)))], y=(-30.0, 18.0), log=True)

    def stream(self, params: Params, summary: Summary, at: Context, position: int) -> Stream:
        if any(at.envelope(name) is not None for name in self.moving):
            return Following(at, position, Turning(self, params, at))
        return Simple(Sections(self.sections(params, at.rate), at.channels), at.channels)


def butterworth(kind: str, cutoff_hz: float, slope_db: int, rate: int) -> Floats:
    """Butterworth high-pass or low-pass of 12, 24 or 48 dB per octave; -3.01 dB at the cut-off.

    Second-order sections after the Audio EQ Cookbook (W3C note) with the Q values of a Butterworth filter.
    """
    order = slope_db // 6
    cutoff = min(cutoff_hz, 0.49 * rate)
    w = 2 * math.pi * cutoff / rate
    rows = []
    for pair in range(order // 2):
        q = 1 / (2 * math.cos(math.pi * (2 * pair + 1) / (2 * order)))
        alpha, cos = math.sin(w) / (2 * q), math.cos(w)
        one = (1 + cos) / 2 if kind == "high" else (1 - cos) / 2
        middle = -2 * one if kind == "high" else 2 * one
        rows.append(np.array([one, middle, one, 1 + alpha, -2 * cos, 1 - alpha]) / (1 + alpha))
    return np.array(rows)


def cookbook(kind: str, frequency_hz: float, gain_db: float, q: float, rate: int) -> Floats:
    """One section: ``bell``, ``low shelf``, ``high shelf`` or ``notch`` of the Audio EQ Cookbook (W3C note)."""
    w = 2 * math.pi * min(frequency_hz, 0.49 * rate) / rate
    a = 10 ** (gain_db / 40)
    alpha, cos = math.sin(w) / (2 * q), math.cos(w)
    if kind == "bell":
        row = [1 + alpha * a, -2 * cos, 1 - alpha * a, 1 + alpha / a, -2 * cos, 1 - alpha / a]
    elif kind == "notch":
        row = [1, -2 * cos, 1, 1 + alpha, -2 * cos, 1 - alpha]
    else:
        sign = 1 if kind == "low shelf" else -1
        root = 2 * math.sqrt(a) * alpha
        row = [
            a * ((a + 1) - sign * (a - 1) * cos + root),
            sign * 2 * a * ((a - 1) - sign * (a + 1) * cos),
            a * ((a + 1) - sign * (a - 1) * cos - root),
            (a + 1) + sign * (a - 1) * cos + root,
            -sign * 2 * ((a - 1) + sign * (a + 1) * cos),
            (a + 1) + sign * (a - 1) * cos - root,
        ]
    return (np.array(row) / row[3])[None, :]


class Filtering(Protocol):
    """A step as the response needs it."""

    @property
    def id(self) -> str: ...

    @property
    def kind(self) -> str: ...

    def values(self) -> Any: ...


def magnitude_db(sections: Floats, hz: Floats, rate: int) -> Floats:
    """Level (dB) second-order sections give at frequencies; not under -120 dB."""
    z = np.exp(-2j * np.pi * hz / rate)
    top, bottom = (sections[:, a : a + 3] @ np.stack([np.ones_like(z), z, z * z]) for a in (0, 3))
    return np.asarray(20 * np.log10(np.maximum(np.abs(np.prod(top / bottom, axis=0)), 1e-6)))


def response(steps: Sequence[Filtering], rate: int, points: int = 240) -> tuple[Floats, dict[str, Floats]]:
    """Frequencies (Hz, 20 Hz to 20 kHz or the highest there is) and the level (dB) each filter among steps gives there, by its id."""
    hz = np.geomspace(20.0, min(20_000.0, 0.49 * rate), points)
    found: dict[str, Floats] = {}
    for step in steps:
        kind = kind_of(step.kind)
        if isinstance(kind, FilterKind) and kind.on_all:
            found[step.id] = magnitude_db(kind.sections(step.values(), rate), hz, rate)
    return hz, found


class PassParams(Params):
    cutoff_hz: float = number(80.0, 10, 40_000, "Hz", "Cut-off", "log")
    slope: str = choice("24", ["12", "24", "48"], "Slope, dB per octave")


class LowPassParams(PassParams):
    cutoff_hz: float = number(12_000.0, 10, 40_000, "Hz", "Cut-off", "log")


@register
class HighPass(FilterKind):
    """Removes what lies below a frequency."""

    key, label, params = "high_pass", "High-pass", PassParams
    words = "thinner smaller rumble lows lighter cleaner radio phone wind"
    settings = {"rumble away": {"cutoff_hz": 35.0}, "small speaker": {"cutoff_hz": 350.0, "slope": "48"}}
    moving = ("cutoff_hz",)

    def sections(self, params: PassParams, rate: int) -> Floats:  # type: ignore[override]
        return butterworth("high", params.cutoff_hz, int(params.slope), rate)


@register
class LowPass(FilterKind):
    """Removes what lies above a frequency."""

    key, label, params = "low_pass", "Low-pass", LowPassParams
    words = "duller darker muffled behind wall softer distance further away highs under water"
    settings = {
        "behind a curtain": {"cutoff_hz": 3500.0, "slope": "12"},
        "next room": {"cutoff_hz": 700.0},
        "under the floor": {"cutoff_hz": 180.0, "slope": "48"},
    }
    moving = ("cutoff_hz",)

    def sections(self, params: LowPassParams, rate: int) -> Floats:  # type: ignore[override]
        return butterworth("low", params.cutoff_hz, int(params.slope), rate)


class BandParams(Params):
    kind: str = choice("bell", ["bell", "low shelf", "high shelf", "notch"], "Kind")
    frequency_hz: float = number(1000.0, 10, 40_000, "Hz", "Frequency", "log")
    gain_db: float = number(0.0, -24, 24, "dB", "Gain")
    q: float = number(0.9, 0.1, 60, "", "Q", "log")


@register
class Band(FilterKind):
    """One band of an equaliser: a bell, a shelf or a notch."""

    key, label, params = "band", "Equaliser band", BandParams
    words = "equaliser brighter darker tone boost cut notch shelf bell body presence air warmer harsh"
    settings = {
        "weight": {"kind": "low shelf", "frequency_hz": 110.0, "gain_db": 4.0, "q": 0.7},
        "boxy away": {"kind": "bell", "frequency_hz": 420.0, "gain_db": -4.0, "q": 1.2},
        "bite": {"kind": "bell", "frequency_hz": 3200.0, "gain_db": 4.0, "q": 0.8},
        "air": {"kind": "high shelf", "frequency_hz": 9000.0, "gain_db": 4.0, "q": 0.7},
    }
    moving = ("frequency_hz", "gain_db", "q")

    def sections(self, params: BandParams, rate: int) -> Floats:  # type: ignore[override]
        return cookbook(params.kind, params.frequency_hz, params.gain_db, params.q, rate)


class MonoBelowParams(Params):
    cutoff_hz: float = number(120.0, 20, 1000, "Hz", "Mono below", "log")
    slope: str = choice("24", ["12", "24", "48"], "Slope, dB per octave")


@register
class MonoBelow(FilterKind):
    """Makes the sound mono below a frequency, so that lows come from the middle. Mono sounds pass unchanged."""

    key, label, params = "mono_below", "Mono below", MonoBelowParams
    words = "lows mono centre bass tighter"
    on_all = False

    def sections(self, params: MonoBelowParams, rate: int) -> Floats:  # type: ignore[override]
        return butterworth("high", params.cutoff_hz, int(params.slope), rate)

    def stream(self, params: MonoBelowParams, summary: Summary, at: Context, position: int) -> Stream:  # type: ignore[override]
        if at.channels != 2:
            return Simple(lambda block: block, at.channels)
        side_of = Sections(self.sections(params, at.rate), 1)

        def narrowed(block: Samples) -> Samples:
            side = np.asarray((block[:, :1] - block[:, 1:]) * np.float32(0.5), dtype=np.float32)
            change = side_of(side) - side
            return np.asarray(block + change * np.array([1, -1], np.float32), dtype=np.float32)

        return Simple(narrowed, 2)
