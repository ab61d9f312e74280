"""Tonal beds: which of several sounds with a pitch make up a chord, and by how little each is moved to be in it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from oskren.core.controls import choice, number
from oskren.core.errors import OskrenError
from oskren.core.measure.key import NOTES
from oskren.core.nodes.model import Frozen
from oskren.core.stack.tune import CONCERT_HZ, interval

CHORDS = {"fifth": (0, 7), "minor": (0, 3, 7), "major": (0, 4, 7), "octaves": (0,)}
"""Semitones over the root."""

NEAREST = "nearest"

SAME_ST = 1.0
"""A second voice on the very same note counts as if it were moved by so much more."""

UNSURE_ST = 6.0
"""A tone that is not sure at all counts as if it were moved by so much more."""


class TonalBed(Frozen):
    """What a bed of tonal sounds is made with: its chord, how many sounds, and how far it swells."""

    root: str = choice(NEAREST, (NEAREST, *NOTES), "Root", hint="Nearest takes the one for which the sounds are moved the least")
    chord: str = choice("fifth", tuple(CHORDS), "Chord")
    voices: int = number(4, 2, 8, "", "Sounds", digits=0, step=1)
    swell_db: float = number(18.0, 0, 48, "dB", "Swells by", digits=0, step=1)


class Voice(NamedTuple):
    """One of the tones: which, and by how many semitones it is moved."""

    tone: int
    shift_st: float


class Agreed(NamedTuple):
    """A chord that was made up: the name of its root, and its voices, the root first."""

    root: str
    voices: list[Voice]


class Tone(NamedTuple):
    """A fundamental (Hz) and how sure it is (0 to 1): what rings in many tones at once is less sure of any."""

    hz: float
    sure: float


def agreeing(tones: Sequence[Tone], bed: TonalBed) -> Agreed:
    """The tones that make up a chord with the least pitching: one on the root, one on each of its other notes, then those that are nearest to any.

    Each goes to its nearest octave of a note. With no root given, all twelve are tried.

    Parameters
    ----------
    tones : sequence of Tone
    bed : TonalBed

    Raises
    ------
    OskrenError
        When there are fewer than two.

    Examples
    --------
    >>> agreed = agreeing([Tone(220.0, 1.0), Tone(331.0, 1.0), Tone(445.0, 1.0)], TonalBed())
    >>> agreed.root, [(one.tone, round(one.shift_st, 2)) for one in agreed.voices]
    ('A', [(0, 0.0), (1, -0.07), (2, -0.2)])
    """
    if len(tones) < 2:
        raise OskrenError(
            f"{'One' if tones else 'None'} of these sounds has a clear pitch; a tonal bed needs two. Search for others, such as glass, bell or hum."
        )
    notes = [69 + interval(CONCERT_HZ, one.hz) for one in tones]
    doubts = [UNSURE_ST * (1 - one.sure) for one in tones]
    roots = range(12) if bed.root == NEAREST else [NOTES.index(bed.root)]
    found = [(*_voices(notes, doubts, root, bed), root) for root in roots]
    _, voices, root = min(found, key=lambda one: (one[0], one[2]))
    return Agreed(NOTES[root], voices)


def _voices(notes: Sequence[float], doubts: Sequence[float], root: int, bed: TonalBed) -> tuple[float, list[Voice]]:
    """The voices of a chord, and how far they and their doubts are from none (semitones)."""
    classes = [(root + step) % 12 for step in CHORDS[bed.chord]]
    total = 0.0
    left, voices, taken = set(range(len(notes))), [], list[float]()
    for turn in range(min(bed.voices, len(notes))):
        wanted = [classes[turn]] if turn < len(classes) else classes
        options = [
            (abs(shift) + doubts[tone] + SAME_ST * taken.count(round(notes[tone] + shift)), tone, shift)
            for tone in left
            for shift in _shifts(notes[tone], wanted)
        ]
        cost, tone, shift = min(options)
        total += cost
        voices.append(Voice(tone, shift))
        taken.append(round(notes[tone] + shift))
        left.remove(tone)
    return total, voices


def _shifts(note: float, classes: Sequence[int]) -> list[float]:
    """From a note (semitones, A4 = 69) to the nearest octave of each pitch class."""
    return [(one - note + 6) % 12 - 6 for one in classes]
