"""What a step is, and the registry that is the only list of steps.

A step is either *streaming* (``stream`` gives an object that takes blocks in order and carries its state) or *whole*
(``run`` needs all of its input). Both are pure: the same input and parameters give the same samples, whatever the blocks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any, ClassVar, Protocol

import numpy as np
from pydantic import BaseModel, ConfigDict, ValidationError

from oskren.core.audio.layouts import layout_of
from oskren.core.controls import controls_of
from oskren.core.envelope import Envelope
from oskren.core.errors import OskrenError
from oskren.core.timemap import TimeMap
from oskren.core.types import AnyArray, Floats, Samples

Summary = dict[str, AnyArray]
"""What ``analyse`` learned from a whole input, kept by hash."""


class Params(BaseModel):
    """Parameters of a step; every field states its unit, range, default and scale."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


@dataclass(frozen=True)
class Context:
    """Where a step stands: its input's rate (Hz), channels, length (frames) and layout, and how moments are carried to it."""

    rate: int
    channels: int
    frames: int
    carry: Callable[[float], float] = field(default=lambda seconds: seconds)
    layout: str = ""
    envelopes: tuple[Envelope, ...] = ()
    back: Callable[[Floats], Floats] = field(default=lambda seconds: seconds)

    @property
    def named(self) -> str:
        """The layout, the usual one of so many channels when none is stated."""
        return self.layout or layout_of(self.channels)

    def part(self, start_s: float | None, end_s: float | None) -> tuple[int, int]:
        """A part given in the time of the sound, as frames of the step's input; None means the sound's own edge."""
        ends = sorted((self.carry(start_s) if start_s is not None else 0.0, self.carry(end_s) if end_s is not None else self.frames / self.rate))
        first, last = (int(np.clip(round(end * self.rate), 0, self.frames)) for end in ends)
        return first, last

    def envelope(self, control: str) -> Envelope | None:
        """The envelope a parameter follows, if any; its points lie in the time the chain began in."""
        return next((one for one in self.envelopes if one.control == control and one.moves), None)

    def moved(self, control: str, own: float, first: int, count: int, every: int = 1) -> float | Floats:
        """A parameter's value: its own, or along its envelope at ``count`` frames of the step's input from ``first`` on, ``every`` so many."""
        follows = self.envelope(control)
        if follows is None:
            return own
        return follows.at(self.back((first + every * np.arange(count)) / self.rate))


@dataclass(frozen=True)
class Finding:
    """One thing a step found: where (s of its input, first and last moment), in which channel, how far it stands out (dB).

    Where the step can say it, also how sure it is: from 0, just taken for one, to 1.
    """

    at_s: float
    end_s: float
    channel: int
    height_db: float
    sure: float | None = None


class Reading(BaseModel):
    """One line of a picture."""

    name: str
    x: list[float]
    y: list[float]

    @staticmethod
    def of(name: str, x: AnyArray, y: AnyArray) -> Reading:
        return Reading(name=name, x=np.round(x, 5).tolist(), y=np.round(np.nan_to_num(y, neginf=-200.0), 4).tolist())


class Picture(BaseModel):
    """What a step does with its settings, drawn: lines over an axis, what the axes are, the range of y, and whether the line of no change helps."""

    across: str
    up: str
    lines: list[Reading]
    low: float
    high: float
    log: bool = False
    diagonal: bool = False

    @staticmethod
    def of(across: str, up: str, lines: list[Reading], *, y: tuple[float, float] | None = None, log: bool = False, diagonal: bool = False) -> Picture:
        """A picture whose range is that of its lines unless given."""
        values = np.concatenate([line.y for line in lines])
        low, high = y or (float(values.min()), float(values.max()))
        return Picture(across=across, up=up, lines=lines, low=low, high=high if high > low else low + 1, log=log, diagonal=diagonal)


class Stream(Protocol):
    """Takes blocks in order; what ``push`` and ``flush`` give, joined, is the output aligned to the input's first frame."""

    def push(self, block: Samples) -> Samples: ...

    def flush(self) -> Samples: ...


class Simple:
    """A stream that gives as many frames as it takes, by one function."""

    def __init__(self, function: Callable[[Samples], Samples], channels: int):
        self._function, self._channels = function, channels

    def push(self, block: Samples) -> Samples:
        return self._function(block) if len(block) else self.flush()

    def flush(self) -> Samples:
        return np.zeros((0, self._channels), np.float32)


class Following:
    """A stream that gives as many frames as it takes, by one function of the block and the frame it begins at."""

    def __init__(self, at: Context, position: int, function: Callable[[Samples, int], Samples]):
        self._function, self._here, self._channels = function, position, at.channels

    def push(self, block: Samples) -> Samples:
        if not len(block):
            return self.flush()
        given = self._function(block, self._here)
        self._here += len(block)
        return given

    def flush(self) -> Samples:
        return np.zeros((0, self._channels), np.float32)


Read = Callable[[int, int], Samples]
"""Reads frames of a step's input: (first frame, how many)."""

GLANCED_PARTS, GLANCED_S = 12, 0.5
"""How many parts of a long input stand for all of it, and how long (s) each is. Own rule: 6 s are measured in well under a second."""


def spread(read: Read, at: Context, parts: int = GLANCED_PARTS) -> Iterator[Samples]:
    """A few short parts of an input, evenly spread, that stand for all of it."""
    count = min(at.frames, round(GLANCED_S * at.rate))
    for place in range(parts):
        yield read(round((at.frames - count) * (place + 0.5) / parts), count)


class StepKind:
    """A kind of step. Subclasses state the facts and give ``stream`` or ``run``."""

    key: ClassVar[str]
    label: ClassVar[str]
    family: ClassVar[str]
    version: ClassVar[int] = 1
    params: ClassVar[type[Params]] = Params
    whole: ClassVar[bool] = False
    keeps_time: ClassVar[bool] = True
    analyses: ClassVar[bool] = False
    offered: ClassVar[bool] = True
    learns_by: ClassVar[tuple[str, ...] | None] = None
    """Parameters ``analyse`` looks at; None means all of them."""
    moving: ClassVar[tuple[str, ...]] = ()
    """Parameters that may follow an envelope."""
    words: ClassVar[str] = ""
    """What it does to a sound in words someone would look for it by."""
    settings: ClassVar[dict[str, dict[str, Any]]] = {}
    """Named settings that ship with it: parameters other than the usual ones."""
    beside: ClassVar[str] = ""
    """What another sound is to the step (an impulse response); it is then given that sound as it is, to learn from."""
    portable: ClassVar[bool] = False
    """Whether what was learned from one sound holds for another: it names no places."""

    def passed_over(self, params: Any) -> str:
        """Why the step cannot be done here and is passed over, as the end of a sentence; empty when it can."""
        return ""

    def outside(self, params: Any) -> list[str | int]:
        """What of the machine its result depends on, for the hash."""
        return []

    def version_of(self, params: Any) -> int:
        """The version of what it does with such parameters: what a change of the step leaves as it was keeps its hash."""
        return self.version

    def out_frames(self, params: Any, at: Context) -> int:
        return at.frames

    def out_rate(self, params: Any, rate: int) -> int:
        return rate

    def out_channels(self, params: Any, channels: int) -> int:
        return channels

    def out_layout(self, params: Any, layout: str, channels: int) -> str:
        """Layout after the step; a step that changes the number of channels leaves the usual one of that many."""
        return layout if self.out_channels(params, channels) == channels else ""

    def time_map(self, params: Any, at: Context) -> TimeMap:
        return TimeMap.identity()

    def skip(self, params: Any, at: Context) -> int:
        """Input frame that becomes output frame 0 (trim)."""
        return 0

    def lead(self, params: Any, at: Context) -> int:
        """Frames before a position that must run through first, so that what follows differs by less than -120 dB."""
        return 0

    def analyse(self, params: Any, blocks: Iterator[Samples], at: Context) -> Summary:
        return {}

    def glance(self, params: Any, read: Read, at: Context) -> Summary | None:
        """What ``analyse`` would learn of a long input, estimated from a few of its parts; None when only all of it says."""
        return None

    def localise(self, params: Any, learned: Summary, blocks: Iterator[Samples], at: Context) -> Summary:
        """What a portable step learned elsewhere, with what it must still learn from its own input."""
        return learned

    def found(self, summary: Summary) -> str:
        """What ``analyse`` found, in a few words; empty when there is nothing to say."""
        return ""

    def picture(self, params: Any, rate: int) -> Picture | None:
        """What it does with these settings, drawn, at a rate (Hz); None where a picture says nothing."""
        return None

    def listed(self, summary: Summary, at: Context) -> list[Finding]:
        """Single things ``analyse`` found, each of which can be left as it is."""
        return []

    def stream(self, params: Any, summary: Summary, at: Context, position: int) -> Stream:
        raise NotImplementedError(f"{self.key} works on a whole sound")

    def passes(self, params: Any, blocks: Iterator[Samples], at: Context) -> Iterator[Samples] | None:
        """What ``run`` gives, block by block, where a whole step gets by with its input in order from the beginning; None where it needs all at once."""
        return None

    def run(self, params: Any, samples: Samples, at: Context) -> Samples:
        raise NotImplementedError(f"{self.key} works block by block")


REGISTRY: dict[str, StepKind] = {}


def register(kind: type[StepKind]) -> type[StepKind]:
    """Class decorator: make a kind of step known under its key."""
    if kind.key in REGISTRY:
        raise ValueError(f"two steps are called {kind.key}")
    REGISTRY[kind.key] = kind()
    return kind


def kind_of(key: str) -> StepKind:
    """The kind registered under a key; OskrenError when there is none."""
    try:
        return REGISTRY[key]
    except KeyError:
        raise OskrenError(f"There is no step called '{key}'; known are {', '.join(sorted(REGISTRY))}.") from None


def checked(key: str, values: dict[str, Any]) -> Any:
    """Validated parameters of a step; one sentence when a value is out of range.

    Parameters
    ----------
    key : str
        The kind of step.
    values : dict
        Its settings by name; what is left out takes its default.

    Returns
    -------
    The step's own model of settings.

    Raises
    ------
    OskrenError
        When a value is unknown or out of range, naming it and its range.

    Examples
    --------
    >>> checked("gain", {"gain_db": -3.0}).gain_db
    -3.0
    """
    kind = kind_of(key)
    try:
        return kind.params(**values)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise OskrenError(f"{kind.label}: {where} {first['msg'].lower()}; it was given {first['input']!r}.") from None


def describe() -> list[dict[str, Any]]:
    """What the interface builds its controls from: every offered step with its parameters in order."""
    answer = []
    for kind in REGISTRY.values():
        if not kind.offered:
            continue
        controls = [control.model_dump() for control in controls_of(kind.params, kind.moving)]
        facts = {"key": kind.key, "label": kind.label, "family": kind.family, "keeps_time": kind.keeps_time, "whole": kind.whole, "controls": controls}
        told = (type(kind).__doc__ or "").strip().split("\n")[0]
        drawn = type(kind).picture is not StepKind.picture
        answer.append(facts | {"told": told, "words": kind.words, "settings": kind.settings, "beside": kind.beside, "drawn": drawn})
    return answer
