"""Guards: which draws are taken, and what is added so that they are as loud as the design.

Measures are those of :class:`oskren.core.measure.report.Measures`, as mappings.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, NamedTuple

from oskren.core.controls import number, switch
from oskren.core.measure.loudness import SHORT_S
from oskren.core.nodes.model import Frozen, Mix, Step

ROOM_DB = 3.0
"""The loudness that is matched to leaves so much room under full scale to the design itself, so that draws which are peakier do not clip at that loudness."""

MATCHED = "matched"
"""Id of the step that brings a draw to the design's loudness."""


class Guards(Frozen):
    """A draw that breaks one of these is replaced by the next number."""

    clips: bool = switch(True, "No clipping", "A draw whose sample peak lies over 0 dBFS is replaced")
    silent_dbfs: float | None = number(-60.0, -120, 0, "dBFS", "Not quieter than", digits=0, step=1, unset="no matter", begins=-60)
    shortest_s: float | None = number(None, 0, 3600, "s", "Not shorter than", "log", digits=2, usual=(0.01, 60), unset="no matter", begins=0.1)
    longest_s: float | None = number(None, 0, 3600, "s", "Not longer than", "log", digits=2, usual=(0.01, 60), unset="no matter", begins=10)
    apart: float = number(0.1, 0, 3, "", "At least so far from any other", digits=2, step=0.05, usual=(0, 1), hint="1 is clearly another sound")

    @classmethod
    def none(cls) -> Guards:
        """Every draw is taken."""
        return cls(clips=False, silent_dbfs=None, apart=0.0)


class Reference(NamedTuple):
    """The loudness draws are brought to (LUFS), and how it is measured."""

    lufs: float
    by: Literal["integrated", "momentary"]


def _loudness(measures: Mapping[str, Any], by: str) -> float | None:
    value = measures.get("integrated_lufs" if by == "integrated" else "max_momentary_lufs")
    return None if value is None else float(value)


def reference(measures: Mapping[str, Any], seconds: float) -> Reference | None:
    """What draws of a design are matched to, from its own measures and length; None for silence.

    A design that comes near full scale is matched to less than its own loudness.
    """
    by: Literal["integrated", "momentary"] = "integrated" if seconds >= SHORT_S else "momentary"
    loud, peak = _loudness(measures, by), measures.get("sample_peak_dbfs")
    return None if loud is None else Reference(round(loud - max(0.0, float(peak or -120.0) + ROOM_DB), 2), by)


def added_db(wanted: Reference, measures: Mapping[str, Any], within_lu: float) -> float:
    """Gain (dB) that brings a draw to within so many LU of the reference; 0 when it is there already, or silent."""
    loud = _loudness(measures, wanted.by)
    if loud is None:
        return 0.0
    over = loud - wanted.lufs
    # a hundredth inside the tolerance: what is measured is rounded
    edge = max(0.0, within_lu - 0.01)
    return round(-(over - edge) if over > edge else -(over + edge) if over < -edge else 0.0, 2)


def with_gain(mix: Mix, added: float) -> Mix:
    """A draw with its correction as the last step of the sum; what an earlier one added is replaced."""
    chain = tuple(step for step in mix.chain if step.id != MATCHED)
    more = (Step(kind="gain", id=MATCHED, params={"gain_db": added}),) if added else ()
    return mix.model_copy(update={"chain": (*chain, *more)})


def broken(guards: Guards, measures: Mapping[str, Any], seconds: float) -> str:
    """Which guard a draw breaks, as the end of a sentence; empty when none."""
    peak = measures.get("sample_peak_dbfs")
    level = -240.0 if peak is None else float(peak)
    if guards.clips and level > 0:
        return f"it clips by {level:.1f} dB"
    if guards.silent_dbfs is not None and level < guards.silent_dbfs:
        return "it is silent" if level <= -120 else f"it peaks at {level:.0f} dBFS"
    if guards.shortest_s is not None and seconds < guards.shortest_s:
        return f"it lasts {seconds:.2f} s"
    if guards.longest_s is not None and seconds > guards.longest_s:
        return f"it lasts {seconds:.2f} s"
    return ""
