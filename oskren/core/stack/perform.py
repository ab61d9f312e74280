"""Performances: what was played by keys or pads, as placements of a mix that can be edited and printed."""

from __future__ import annotations

import math
from typing import Annotated

from pydantic import Field

from oskren.core.controls import number, switch
from oskren.core.envelope import Envelope, Point, smoothed
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Frozen, Member, Mix, Node, Origin, Step

QUIETEST_DB = -30.0
CHOKED_FADE_S = 0.008
MOST_EVENTS = 5000


class Slot(Frozen):
    """What a key or pad plays: a node, where its anchor is (s), how long it is (s). Slots with the same ``choke`` word cut each other off."""

    name: str = Field(max_length=400)
    node: Node
    anchor_s: float = 0.0
    seconds: float = Field(gt=0)
    gain_db: float = number(0.0, -96, 36, "dB", "Gain", usual=(-48, 12), step=0.5)
    choke: str = Field("", max_length=40)
    origin: Origin | None = None


class Played(Frozen):
    """One key that was pressed: which slot, when (s from the start of the performance), how hard (0 to 1), how much higher (st)."""

    slot: int = Field(ge=0)
    at_s: Annotated[float, Field(ge=0, le=86_400)]
    velocity: float = Field(1.0, ge=0, le=1)
    pitch_st: float = Field(0.0, ge=-24, le=24)


class Performance(Frozen):
    """Everything that was played, and how it is to be laid out.

    ``grid_s`` draws the anchors of the sounds towards a grid by ``amount`` (1 puts them on it); 0 leaves them where they were played.
    ``moves`` are values (dB) of the level that was moved while playing.
    """

    slots: tuple[Slot, ...] = Field(max_length=128)
    played: tuple[Played, ...] = Field(max_length=MOST_EVENTS)
    grid_s: float = number(0.0, 0, 60, "s", "Grid for the anchors", digits=3, usual=(0, 2), step=0.005, ends=("as played", ""))
    amount: float = number(1.0, 0, 1, "", "Drawn to the grid by", step=0.05)
    moves: tuple[Point, ...] = Field((), max_length=20_000)


class Playing(Frozen):
    """What is moved while playing: by how much keys may be pitched at random, and the level, whose moves are captured."""

    spread_st: float = number(0.0, 0, 24, "st", "Pitch spread", usual=(0, 12), step=0.1)
    level_db: float = number(0.0, -96, 36, "dB", "Level, captured as it moves", usual=(-48, 6), step=0.5)


class Shift(Frozen):
    """How a print that goes back into its design is pitched."""

    semitones: float = number(12.0, -48, 36, "st", "Print pitched by", usual=(-36, 24), step=1)
    keep_length: bool = switch(False, "Keep length", "Pitch changes, the length stays")


def velocity_db(velocity: float) -> float:
    """Gain of a velocity: 20 log10, not under -30 dB.

    Parameters
    ----------
    velocity : float
        0 to 1.

    Returns
    -------
    float
        dB.

    Examples
    --------
    >>> velocity_db(1.0), round(velocity_db(0.5), 1), velocity_db(0.0)
    (0.0, -6.0, -30.0)
    """
    return max(QUIETEST_DB, 20 * math.log10(velocity)) if velocity > 0 else QUIETEST_DB


def quantised(at_s: float, grid_s: float, amount: float) -> float:
    """A moment drawn towards the nearest line of a grid."""
    return at_s if grid_s <= 0 else at_s + amount * (round(at_s / grid_s) * grid_s - at_s)


def laid_out(performance: Performance) -> Mix:
    """The performance as a mix: one member for every key that was pressed, time zero where the performance began.

    A sound begins when its key was pressed, so its anchor comes later by what it has before it; a grid moves anchors, not beginnings.
    A choked sound ends, faded out, where the next one of its kind begins.
    """
    for event in performance.played:
        if event.slot >= len(performance.slots):
            raise OskrenError(f"The performance plays key {event.slot + 1}, but only {len(performance.slots)} keys hold a sound.")
    played = sorted(performance.played, key=lambda event: event.at_s)
    begins: list[float] = []
    for event in played:
        before = performance.slots[event.slot].anchor_s / 2 ** (event.pitch_st / 12)
        begins.append(quantised(event.at_s + before, performance.grid_s, performance.amount) - before)
    members = []
    for i, event in enumerate(played):
        slot = performance.slots[event.slot]
        speed = 2 ** (event.pitch_st / 12)
        cut = _choked(performance, played, begins, i)
        span = None if cut is None else max(CHOKED_FADE_S, cut - begins[i])
        short = span is not None and span * speed < slot.seconds
        members.append(
            Member(
                id=f"played-{i + 1}",
                name=slot.name,
                node=slot.node,
                origin=slot.origin,
                at_s=round(begins[i] + slot.anchor_s / speed, 6),
                anchor_s=slot.anchor_s,
                gain_db=round(max(-96.0, slot.gain_db + velocity_db(event.velocity)), 3),
                pitch_st=event.pitch_st,
                end_s=round(span * speed, 6) if short and span is not None else None,
                fade_out_s=CHOKED_FADE_S if short else 0.0,
            )
        )
    return Mix(members=tuple(members), chain=_level(performance.moves))


def _choked(performance: Performance, played: list[Played], begins: list[float], i: int) -> float | None:
    word = performance.slots[played[i].slot].choke
    if not word:
        return None
    later = [begins[k] for k in range(i + 1, len(played)) if performance.slots[played[k].slot].choke == word]
    return later[0] if later else None


def _level(moves: tuple[Point, ...]) -> tuple[Step, ...]:
    if len(moves) < 2 or all(abs(value) < 0.05 for _, value in moves):
        return ()
    points = smoothed(moves, 0.05, 0.2)
    return (Step(kind="gain", id="moved-level", envelopes=(Envelope(control="gain_db", points=points),)),)
