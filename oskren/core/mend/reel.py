"""The review reel: raw takes in a row, what of them is kept, and the selects that come of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from oskren.core.controls import number
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Chained, Excerpt, Node, Row, Step
from oskren.core.steps.base import kind_of

SHORTEST_S = 0.02
ROUNDED_S = 1e-3
"""So much may a mark end behind its take: the end of a drawn take is rounded to the millisecond."""
MOST_TAKES = 200
Kind = Literal["keep", "maybe", "noise", "material"]


class Mark(BaseModel):
    """A marked part of a take (s of the take): kept, perhaps kept, noise alone, or material for designing with the chain it was tried with."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: int
    take: int
    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)
    kind: Kind = "keep"
    words: str = Field("", max_length=200)
    category: str = Field("", max_length=300)
    chain: tuple[Step, ...] = ()


class Reel(BaseModel):
    """Takes in their order, the silence between them, the chain they are all heard through, and what was marked."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    takes: tuple[int, ...] = Field((), max_length=MOST_TAKES)
    gap_s: float = number(10.0, 0, 120, "s", "Gap between takes", digits=0, usual=(0, 60))
    # 16 s for a background is common practice, no source
    shortest_s: float = number(16.0, 0, 3600, "s", "Short is under", digits=0, usual=(0, 120), hint="Kept parts under this are flagged as short")
    template: str = Field("{code} {place} {words} {number:2}", max_length=200)
    chain: tuple[Step, ...] = Field((), max_length=64)
    marks: tuple[Mark, ...] = Field((), max_length=5000)

    @model_validator(mode="after")
    def _consistent(self) -> Reel:
        if len(set(self.takes)) < len(self.takes):
            raise ValueError("A take can be on a reel once only.")
        seen = set[int]()
        for mark in self.marks:
            if mark.id in seen:
                raise ValueError(f"Two marks of this reel have the number {mark.id}.")
            if mark.take not in self.takes:
                raise ValueError(f"Mark {mark.id} lies in a take that is not on this reel.")
            seen.add(mark.id)
        return self


def check(reel: Reel, lengths: Mapping[int, float]) -> None:
    """Raise OskrenError when there is no take, a mark does not lie inside its take (lengths in s), or a step would move what is marked."""
    if not reel.takes:
        raise OskrenError("A review reel needs a take; choose some in Gather.")
    unfit = moving(reel)
    if unfit:
        raise OskrenError(unfit)
    for mark in reel.marks:
        length = lengths[mark.take]
        if mark.end_s - mark.start_s < SHORTEST_S or mark.end_s > length + ROUNDED_S:
            raise OskrenError(f"Mark {mark.id} from {mark.start_s:.3f} to {mark.end_s:.3f} s is no part of its take of {length:.3f} s.")


def moving(reel: Reel) -> str:
    """Which step of a reel would move what is marked, in a sentence; empty when none does."""
    for step in (*reel.chain, *(step for mark in reel.marks for step in mark.chain)):
        if step.known and not (kind_of(step.kind).keeps_time and not kind_of(step.kind).whole):
            return f"{kind_of(step.kind).label} changes when things happen; on a reel, marks must stay where they are. Use it on the selects."
    return ""


def noise_parts(reel: Reel, take: int) -> tuple[tuple[float, float], ...]:
    """What was marked as noise alone in a take."""
    return tuple((mark.start_s, mark.end_s) for mark in reel.marks if mark.take == take and mark.kind == "noise")


def chain_for(reel: Reel, take: int) -> tuple[Step, ...]:
    """The reel's chain for one take: its noise profile is learned from what is marked as noise there, else from its quietest stretch."""
    parts = noise_parts(reel, take)
    return tuple(step.model_copy(update={"params": {**step.params, "parts": parts}}) if step.kind == "noise_reduction" else step for step in reel.chain)


def node_of(reel: Reel, takes: Mapping[int, Node], raw: bool = False) -> Row:
    """What the reel sounds like: its takes through its chain (or as they are), with the gaps between them."""
    nodes = [takes[take] if raw or not reel.chain else Chained(node=takes[take], chain=chain_for(reel, take)) for take in reel.takes]
    return Row(nodes=tuple(nodes), gap_s=reel.gap_s)


def starts(reel: Reel, lengths: Mapping[int, float]) -> list[float]:
    """Where each take begins on the strip (s)."""
    at, found = 0.0, []
    for take in reel.takes:
        found.append(at)
        at += lengths[take] + reel.gap_s
    return found


def learned_whole(chain: Sequence[Step], whole: Node) -> tuple[Step, ...]:
    """A chain for a part of a sound: steps whose learning holds elsewhere too go on learning from all of it.

    A noise profile, a hum's frequency or an offset are better told by the whole take than by a short part of it, and
    the parts a profile was marked in may lie outside.
    """
    return tuple(step.model_copy(update={"learned_on": whole}) if step.known and kind_of(step.kind).portable else step for step in chain)


def select(reel: Reel, mark: Mark, take: Node) -> tuple[Excerpt, tuple[Step, ...]]:
    """The excerpt of the raw take a mark stands for, and the chain it starts with: the takes' common one, for material the one it was tried with."""
    chain = mark.chain if mark.kind == "material" else chain_for(reel, mark.take)
    return Excerpt(node=take, start_s=mark.start_s, end_s=mark.end_s), learned_whole(chain, take)


class Usable(BaseModel):
    """What a reel gives: seconds and count of what is kept and perhaps kept, and which kept marks are short."""

    kept_s: float
    kept: int
    maybe_s: float
    maybe: int
    material: int
    noise_s: float
    short: list[int]


def usable(reel: Reel) -> Usable:
    """Usable length of a reel against its chosen minimum."""

    def total(kind: Kind) -> float:
        return round(sum(mark.end_s - mark.start_s for mark in reel.marks if mark.kind == kind), 6)

    def count(kind: Kind) -> int:
        return sum(mark.kind == kind for mark in reel.marks)

    return Usable(
        kept_s=total("keep"),
        kept=count("keep"),
        maybe_s=total("maybe"),
        maybe=count("maybe"),
        material=count("material"),
        noise_s=total("noise"),
        short=[mark.id for mark in reel.marks if mark.kind == "keep" and mark.end_s - mark.start_s < reel.shortest_s],
    )
