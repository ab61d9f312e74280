"""How every slice of a plan is finished: what it is taken from, its channels, length, pitch, fades and level."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal, NamedTuple

import numpy as np
from pydantic import Field, field_validator

from oskren.core.controls import choice, number, switch
from oskren.core.nodes.finishing import Levelled, level_steps
from oskren.core.nodes.model import Chained, Excerpt, Frozen, Node, Step
from oskren.core.slice.levels import HOP_S, FoundSlice, Levels
from oskren.core.stack.tune import NOTES, frequency_of, shift_to

SHORTEST_S = 0.001

CLICKS_DBFS = -54.0
"""A cut through a wave that stands higher than this is heard as a click unless it is faded (own rule)."""

FADES_MS = 0.5
"""The shortest fade that takes the click from such a cut (common practice, no source)."""

NUMBERED = "{name} {number}"


class SliceLoop(Frozen):
    """The part of a slice that repeats, in seconds of the sound: up to its end, which goes over into what lies before its start."""

    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)
    crossfade_s: float = Field(ge=0)


class Slice(Frozen):
    """A slice of the plan. ``touched`` slices stay when the settings find anew; dropped ones make no one-shot; locked ones are not changed."""

    id: int
    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)
    attack_s: float = Field(ge=0)
    touched: bool = False
    dropped: bool = False
    locked: bool = False
    loop: SliceLoop | None = None


class Finish(Levelled):
    """How every slice is finished. The order is chain, length, pitch, channels, fades, level last, so that each file hits its level."""

    through: Literal["sound", "raw"] = choice("sound", {"sound": "the sound's chain", "raw": "no chain"}, "Heard through")
    mono: Literal["kept", "mid", "better"] = choice("kept", {"kept": "as they are", "mid": "mono, the middle", "better": "mono, the better one"}, "Channels")
    silence_dbfs: float | None = number(
        None, -96, -20, "dBFS", "Trim silence under", digits=0, unset="not trimmed", begins=-60, hint="What is quieter at both ends is left out"
    )
    room_ms: float = number(5.0, 0, 5_000, "ms", "Room kept", digits=0, usual=(0, 200), hint="How much of the silence is left at both ends")
    tail: Literal["rings", "cut"] = choice("rings", {"rings": "rings out", "cut": "cut at the end"}, "Tail of the chain")
    tune_to: Literal["", "C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"] = choice(
        "", {"": "as it is", **{note: note for note in NOTES}}, "Pitch class", hint="Slices whose pitch is sure go to the nearest note of this name"
    )
    tune_keeps_length: bool = switch(False, "Keep length when tuned", "Pitch changes, the length stays")
    fade_in_ms: float = number(1.0, 0, 10_000, "ms", "Fade in", usual=(0, 500))
    fade_out_ms: float = number(12.0, 0, 60_000, "ms", "Fade out", usual=(0, 2000))
    fade_shape: Literal["linear", "equal power", "sine", "logarithmic", "exponential"] = choice("sine", None, "Curve of the fades")
    chain: tuple[Step, ...] = ()

    @field_validator("mono", mode="before")
    @classmethod
    def _as_before(cls, given: object) -> object:
        """Plans of before say true or false."""
        return {True: "mid", False: "kept"}[given] if isinstance(given, bool) else given


class Known(NamedTuple):
    """What is measured of a slice that its finish goes by: its pitch (Hz) where that is sure, and its better channel, counted from 1."""

    pitch_hz: float | None = None
    channel: int = 1


def clicks(edge_dbfs: float, fade_ms: float) -> bool:
    """Whether an edge is heard as a click: the wave stands high where it is cut, and no fade leads there."""
    return edge_dbfs > CLICKS_DBFS and fade_ms < FADES_MS


def sounding(levels: Levels, piece: Slice, finish: Finish) -> Slice:
    """A slice without the silence at its ends; as it is when nothing is trimmed, or nothing of it is louder.

    Parameters
    ----------
    levels : Levels
        Of the sound the slice lies in: the mean power of every millisecond.
    piece : Slice
    finish : Finish
        ``silence_dbfs`` is what counts as silence, ``room_ms`` how much of it stays.
    """
    if finish.silence_dbfs is None:
        return piece
    first, last = (int(moment / levels.hop_s) for moment in (piece.start_s, piece.end_s))
    loud = np.flatnonzero(levels.power[first : last + 1] > 10 ** (finish.silence_dbfs / 10))
    if not len(loud):
        return piece
    room = finish.room_ms / 1000
    start = max(piece.start_s, (first + int(loud[0])) * levels.hop_s - room)
    end = min(piece.end_s, (first + int(loud[-1]) + 1) * levels.hop_s + room)
    if end - start < max(SHORTEST_S, HOP_S):
        return piece
    return piece.model_copy(update={"start_s": start, "end_s": end, "attack_s": min(max(piece.attack_s, start), end)})


def shifted(piece: Slice, moved: Callable[[float], float], seconds: float) -> Slice | None:
    """A slice at the same moments of another state of its sound (that long, in s); None where they are not in it."""
    start, end = sorted(min(max(moved(moment), 0.0), seconds) for moment in (piece.start_s, piece.end_s))
    if end - start < SHORTEST_S:
        return None
    loop = piece.loop
    if loop is not None:
        ends = sorted(moved(moment) for moment in (loop.start_s, loop.end_s))
        inside = start <= ends[0] < ends[1] <= end + SHORTEST_S
        loop = loop.model_copy(update={"start_s": ends[0], "end_s": min(ends[1], end)}) if inside else None
    return piece.model_copy(update={"start_s": start, "end_s": end, "attack_s": min(max(moved(piece.attack_s), start), end), "loop": loop})


def _tuned(finish: Finish, known: Known) -> tuple[Step, ...]:
    if not finish.tune_to or known.pitch_hz is None:
        return ()
    semitones = shift_to(known.pitch_hz, frequency_of(f"{finish.tune_to}4"), nearest_octave=True)
    mode = "keep length" if finish.tune_keeps_length else "varispeed"
    return (Step(kind="pitch", params={"semitones": round(semitones, 4), "mode": mode}),) if abs(semitones) >= 0.005 else ()


def finish_chain(finish: Finish, known: Known = Known(), length_s: float | None = None, loop: SliceLoop | None = None) -> tuple[Step, ...]:
    """The finish as steps: chain, length, pitch, channels, loop, fades, level last.

    Parameters
    ----------
    finish : Finish
    known : Known, optional
        What is measured of the slice.
    length_s : float, optional
        Of the slice (s), which its tail is cut at where it is to be.
    loop : SliceLoop, optional
        In seconds of the slice; it ends where the slice does, so nothing rings on and nothing fades out.
    """
    steps = list(finish.chain)
    if steps and length_s is not None and (finish.tail == "cut" or loop is not None):
        steps.append(Step(kind="trim", params={"start_s": 0.0, "end_s": length_s}))
    steps += _tuned(finish, known)
    if finish.mono == "better":
        steps.append(Step(kind="one_channel", params={"channel": known.channel}))
    elif finish.mono == "mid":
        steps.append(Step(kind="mono"))
    fades: dict[str, Any] = {"in_s": finish.fade_in_ms / 1000, "out_s": finish.fade_out_ms / 1000}
    if loop is not None:
        steps.append(Step(kind="loop_seam", params={"start_s": loop.start_s, "crossfade_s": loop.crossfade_s}))
        fades = {"in_s": min(fades["in_s"], loop.start_s), "out_s": 0.0}
    if fades["in_s"] or fades["out_s"]:
        steps.append(Step(kind="fade", params=fades | {"in_shape": finish.fade_shape, "out_shape": finish.fade_shape}))
    return (*steps, *level_steps(finish))


def one_shot(source: Node, piece: Slice | FoundSlice, finish: Finish, known: Known = Known()) -> Chained:
    """A finished slice as a node.

    Parameters
    ----------
    source : Node
        What was sliced.
    piece : Slice or FoundSlice
        From where to where, in seconds of it; one with a loop ends where that does.
    finish : Finish
        Chain, channels, fades and level that every slice of the plan gets.
    known : Known, optional
        What is measured of the slice, where the finish goes by it.

    Returns
    -------
    Chained
        Not rendered yet.
    """
    loop = piece.loop if isinstance(piece, Slice) else None
    end = piece.end_s if loop is None else min(loop.end_s, piece.end_s)
    inside = None if loop is None else SliceLoop(start_s=loop.start_s - piece.start_s, end_s=end - piece.start_s, crossfade_s=loop.crossfade_s)
    return Chained(node=Excerpt(node=source, start_s=piece.start_s, end_s=end), chain=finish_chain(finish, known, end - piece.start_s, inside))
