"""The node table: small frozen models, each naming its inputs and having a stable content hash.

The hash covers what changes the audio: parameters, order, the version of every step's code. It leaves out names,
roles, notes and steps that are off.
"""

from __future__ import annotations

import functools
from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from oskren.core.audio.places import PanLaw
from oskren.core.controls import choice, number, switch
from oskren.core.envelope import Envelope
from oskren.core.errors import OskrenError
from oskren.core.steps.base import REGISTRY, StepKind, checked, kind_of
from oskren.core.steps.edges import SHAPES

FADE_S = 0.005
"""Crossfade at the ends of a step limited to a part, unless set."""

AUDIBLE_HZ = (20.0, 20_000.0)


FOUND = ("digest", "own nodes", "alone")
"""What is found of a model once and kept with it, since it never changes: its hash; of a member, its audio as a node, by rate, and itself without a group."""


class Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A changed copy; what was found of the original does not go with it."""
        copy = super().model_copy(update=update, deep=deep)
        for name in FOUND:
            copy.__dict__.pop(name, None)
        return copy

    def __getstate__(self) -> dict[Any, Any]:
        """What goes to another process: the hash is found anew there, where a plug-in may stand otherwise."""
        state = super().__getstate__()
        return {**state, "__dict__": {name: value for name, value in state["__dict__"].items() if name not in FOUND}}


class Step(Frozen):
    """One step of a chain.

    A step that keeps time can be limited: to a part (``start_s`` to ``end_s``, in the time of the chain's input), to channels
    (counted from 0; none means all) and to a band; ``fade_s`` is the crossfade at the ends of the part, ``tail`` says whether
    what the step does is cut there or rings out.
    """

    kind: str
    params: dict[str, Any] = Field(default_factory=dict)
    on: bool = True
    id: str = ""
    start_s: float | None = Field(None, ge=-600)
    end_s: float | None = Field(None, ge=-600)
    channels: tuple[int, ...] = ()
    low_hz: float | None = number(None, 0, 192_000, "Hz", "Band from", "log", usual=AUDIBLE_HZ, unset="the bottom", begins=200)
    high_hz: float | None = number(None, 0, 192_000, "Hz", "Band to", "log", usual=AUDIBLE_HZ, unset="the top", begins=4000)
    fade_s: float = number(FADE_S, 0, 10, "ms", "Crossfade", digits=0, usual=(0, 2), shown=1000)
    tail: Literal["cut", "ring"] = choice("cut", None, "What the step still gives afterwards")
    envelopes: tuple[Envelope, ...] = Field((), max_length=16)
    """How parameters move, each in the time of the chain's input."""
    learned_on: Node | None = None
    """Another sound, through the same steps before, that a portable step learns from (else it learns from its own input); or one that is
    given to the step as it is, like an impulse response."""

    @property
    def limited(self) -> bool:
        """Whether the step is let in to a part of the time, some channels or a band only."""
        return any(value is not None for value in (self.start_s, self.end_s, self.low_hz, self.high_hz)) or bool(self.channels)

    @property
    def known(self) -> bool:
        """Whether this version knows the kind; a step it does not know is kept and passed over."""
        return self.kind in REGISTRY

    @property
    def passed_over(self) -> str:
        """Why the step is passed over here, in a sentence; empty when it is not."""
        if not self.known:
            return f"Steps called {self.kind} are not known to this version."
        kind = kind_of(self.kind)
        if type(kind).passed_over is StepKind.passed_over:
            return ""
        reason = kind.passed_over(self.values())
        return f"{kind.label} {reason}." if reason else ""

    @property
    def moves(self) -> tuple[Envelope, ...]:
        """The envelopes that change something, of parameters that may move."""
        return tuple(one for one in self.envelopes if one.moves and one.control in kind_of(self.kind).moving) if self.known else ()

    def values(self) -> Any:
        """The validated parameters."""
        try:
            return _values(self.kind, tuple(self.params.items()))
        except TypeError:  # a list or an object where a plain value belongs: the check says so
            return checked(self.kind, self.params)


@functools.lru_cache(maxsize=4096)
def _values(kind: str, params: tuple[tuple[str, Any], ...]) -> Any:
    return checked(kind, dict(params))


class Source(Frozen):
    """An original file, never changed, found by the hash of its audio."""

    kind: Literal["source"] = "source"
    audio: str = Field(pattern="^[0-9a-f]{40}$")
    rate: int = Field(ge=1000, le=768_000)
    channels: int = Field(ge=1, le=16)
    frames: int = Field(ge=1)
    layout: str | None = Field(None, max_length=16)


class Print(Frozen):
    """A rendered node frozen to audio of its own, with the node it came from."""

    kind: Literal["print"] = "print"
    audio: str = Field(pattern="^[0-9a-f]{40}$")
    rate: int = Field(ge=1000, le=768_000)
    channels: int = Field(ge=1, le=16)
    frames: int = Field(ge=1)
    layout: str | None = Field(None, max_length=16)
    of: Node | None = None


class Excerpt(Frozen):
    """A part of a node, in seconds of that node."""

    kind: Literal["excerpt"] = "excerpt"
    node: Node
    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)


class Chained(Frozen):
    """A node through a chain of steps; moments of the steps count from its first frame, or ``from_zero`` from its own zero (a strike line)."""

    kind: Literal["chained"] = "chained"
    node: Node
    chain: tuple[Step, ...] = ()
    from_zero: bool = False


class Row(Frozen):
    """Nodes one after the other, with silence between them, at the highest of their rates."""

    kind: Literal["row"] = "row"
    nodes: tuple[Node, ...] = Field(min_length=1)
    gap_s: float = Field(0.0, ge=0, le=600)


class Loop(Frozen):
    """A node's part between two points repeated, each time crossfaded into itself, up to a length.

    With a seed it never repeats: stretches of the part follow each other in an order drawn with it, joined where they are alike.
    """

    kind: Literal["loop"] = "loop"
    node: Node
    start_s: float = Field(0.0, ge=0)
    end_s: float = Field(ge=0)
    crossfade_s: float = Field(0.05, ge=0)
    length_s: float = Field(gt=0)
    seed: int | None = Field(None, ge=0, lt=2**32)


class Difference(Frozen):
    """What ``node`` has that ``without`` has not: heard to judge what a step removed."""

    kind: Literal["difference"] = "difference"
    node: Node
    without: Node


ROLES = ("attack", "body", "weight", "tone", "tail", "air")
"""What a layer is there for, as offered; a word of one's own is as good."""


def _gain() -> Any:
    return number(0.0, -96, 36, "dB", "Gain", usual=(-48, 24), step=0.1, moving=True)


def _pan() -> Any:
    return number(0.0, -1, 1, "", "Pan", step=0.01, shows="sides", moving=True)


def _back() -> Any:
    return number(0.0, 0, 1, "", "Front to back", step=0.01, shows="percent", ends=("front", "back"), moving=True)


def _width() -> Any:
    return number(1.0, 0, 1, "", "Width", step=0.01, shows="percent", ends=("a point", ""))


Colour = Literal["", "glass", "plum", "sky", "chalk"]
"""Colours a layer or group may be given; the empty one is that of its role."""


class Origin(Frozen):
    """The sound or design of a library that a layer was made with, and the hash of what it was then."""

    kind: Literal["sound", "design"]
    id: int
    pinned: str = Field(pattern="^[0-9a-f]{40}$")


class Member(Frozen):
    """One sound in a mix: its anchor (s of its node) lands ``at_s`` from the mix's zero.

    Gain, pan, mute and place are applied to its rendered audio, so changing them renders nothing again; so are the envelopes of gain, pan
    and back, which add to those (dB, -1 to 1, and 0 to 1), while that of pitch (st) is part of the audio. ``back`` (0 front, 1 back) and
    ``width`` (0 a point, 1 as wide as the sound is) are heard where the sum has more than two channels. Points of envelopes lie in the time of the
    node. ``frozen`` is heard in place of the node with all that is done to it; taking it away thaws.
    """

    id: str = Field("", max_length=60)
    name: str = Field("", max_length=400)
    role: str = Field("", max_length=40, title="Role", json_schema_extra={"control": "choice", "options": [{"value": one, "label": one} for one in ROLES]})
    node: Node
    at_s: float = number(0.0, -600, 86_400, "s", "From strike", digits=3, usual=(-2, 4), step=0.001)
    anchor_s: float = number(0.0, None, None, "s", "Anchor", digits=3, usual=(0, 2), step=0.001)
    gain_db: float = _gain()
    pan: float = _pan()
    back: float = _back()
    width: float = _width()
    mute: bool = switch(False, "Mute")
    pitch_st: float = number(0.0, -48, 36, "st", "Pitch", digits=2, usual=(-36, 24), step=0.5, moving=True)
    keep_length: bool = choice(False, {False: "Varispeed", True: "Keep length"}, "When pitched", hint="Pitch and length change together, or the length stays")
    stretch: float = number(1.0, 0.1, 10, "×", "Stretch", "log", usual=(0.25, 4), step=0.01)
    reverse: bool = switch(False, "Reverse")
    start_s: float | None = number(None, 0, None, "s", "Start", digits=3, usual=(0, 4), step=0.001, unset="of the sound")
    end_s: float | None = number(None, 0, None, "s", "End", digits=3, usual=(0, 4), step=0.001, unset="of the sound")
    fade_in_s: float = number(0.0, 0, 60, "s", "Fade in", digits=3, usual=(0, 4), step=0.005)
    fade_out_s: float = number(0.0, 0, 60, "s", "Fade out", digits=3, usual=(0, 4), step=0.005)
    fade_in_shape: str = choice("equal power", SHAPES, "Curve of the fade in", only=False)
    fade_out_shape: str = choice("equal power", SHAPES, "Curve of the fade out", only=False)
    chain: tuple[Step, ...] = ()
    chain_first: bool = False
    """Whether the chain comes before trim, direction and pitch: so a sound is heard in the audition."""
    envelopes: tuple[Envelope, ...] = Field((), max_length=8)
    group: str = Field("", max_length=60)
    colour: Colour = choice("", None, "Colour")
    locked: bool = switch(False, "Lock", "A locked layer is not moved, rolled or replaced")
    search: str = Field("", max_length=400)
    """Where a roll takes other sources from, in the words of the search."""
    origin: Origin | None = None
    frozen: Print | None = None

    def envelope(self, control: str) -> Envelope | None:
        """The envelope of gain_db, pan, back or pitch_st that changes something."""
        return next((one for one in self.envelopes if one.control == control and one.moves), None)


class Group(Frozen):
    """Layers that share gain, pan (and front/back and width), mute and a chain; to the mix they are one more mix in it."""

    id: str = Field(min_length=1, max_length=60)
    name: str = Field("", max_length=400)
    gain_db: float = _gain()
    pan: float = _pan()
    back: float = _back()
    width: float = _width()
    mute: bool = switch(False, "Mute")
    chain: tuple[Step, ...] = ()
    colour: Colour = choice("", None, "Colour")
    frozen: Print | None = None


SumLayout = Literal["mono", "stereo", "quad", "5.1", "7.1", "ambix"]
LAYOUTS = {"mono": "mono", "stereo": "stereo", "quad": "quad", "5.1": "5.1", "7.1": "7.1", "ambix": "AmbiX, first order"}


SUM_RATES = {None: "the highest of its layers"} | {rate: f"{rate / 1000:g} kHz" for rate in (44_100, 48_000, 88_200, 96_000, 192_000)}


PAN_LAWS = {"0 dB": "0 dB", "-3 dB": "-3 dB, equal power", "-4.5 dB": "-4.5 dB", "-6 dB": "-6 dB, equal amplitude"}


class Mix(Frozen):
    """The one recursive sum; its rate is the highest of its members unless set."""

    kind: Literal["mix"] = "mix"
    members: tuple[Member, ...] = Field((), max_length=2000)
    groups: tuple[Group, ...] = Field((), max_length=200)
    chain: tuple[Step, ...] = ()
    rate: int | None = choice(None, SUM_RATES, "Rate of the sum", low=1000, high=768_000)
    layout: SumLayout = choice("stereo", LAYOUTS, "Channels of the sum")
    pan_law: PanLaw = choice("-3 dB", PAN_LAWS, "Pan law", hint="Level of a mono sound in the middle of a stereo sum; wide sums keep equal power")
    length_s: float | None = Field(None, gt=0, le=86_400)
    """How long it is from its zero on, whatever lies in it, as a picture is; None: from the first sound in it to the end of the last."""


Node = Annotated[Source | Print | Excerpt | Chained | Loop | Difference | Row | Mix, Field(discriminator="kind")]
for _model in (Step, Print, Excerpt, Chained, Loop, Difference, Row, Member, Group, Mix):
    _model.model_rebuild()
NodeAdapter: TypeAdapter[Node] = TypeAdapter(Node)


def active(chain: tuple[Step, ...]) -> tuple[Step, ...]:
    """The steps that are on and can be done."""
    return tuple(step for step in chain if step.on and not step.passed_over)


def check_chain(chain: Sequence[Step], kept: Sequence[Step] = ()) -> None:
    """Raise OskrenError when a step cannot be: values out of range, an envelope of what stays, or an unknown kind that was not ``kept`` here before."""
    before = {step.kind for step in kept}
    for step in chain:
        if step.known or step.kind not in before:
            step.values()
            for envelope in step.envelopes:
                if envelope.control not in kind_of(step.kind).moving:
                    raise OskrenError(f"{kind_of(step.kind).label}: {envelope.control} cannot follow an envelope; remove the envelope.")
