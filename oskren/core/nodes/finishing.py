"""How a file is levelled when it is finished: the same choice for one-shots and for what is shipped."""

from __future__ import annotations

from typing import Literal

from oskren.core.controls import choice, number
from oskren.core.nodes.model import Frozen, Step

LevelBy = Literal["sample peak", "true peak", "loudness", "one gain"]


class Levelled(Frozen):
    """The level a file is brought to, by what is measured of it; by peaks, None leaves it as it is. One gain for all keeps how loud they are to each other."""

    level_by: LevelBy = choice("sample peak", None, "Level by")
    peak_dbfs: float | None = number(-1.0, -24, 0, "dB", "Level each to", unset="as it is", begins=-1)
    loudness_lufs: float = number(-18.0, -60, 0, "LUFS", "Loudness of each")
    ceiling_dbtp: float = number(-1.0, -24, 0, "dBTP", "True peak at most")
    gain_db: float = number(0.0, -60, 36, "dB", "Gain of all")


def level_steps(wanted: Levelled) -> tuple[Step, ...]:
    """The last step of a finish; none where the level stays.

    >>> [step.kind for step in level_steps(Levelled())], level_steps(Levelled(peak_dbfs=None))
    (['normalise'], ())
    """
    if wanted.level_by == "loudness":
        params = {"by": "loudness", "loudness_lufs": wanted.loudness_lufs, "ceiling_dbtp": wanted.ceiling_dbtp}
        return (Step(kind="level to", params=params),)
    if wanted.level_by == "one gain":
        return (Step(kind="gain", params={"gain_db": wanted.gain_db}),) if wanted.gain_db else ()
    if wanted.peak_dbfs is None:
        return ()
    if wanted.level_by == "true peak":
        return (Step(kind="level to", params={"by": "true peak", "peak_db": wanted.peak_dbfs}),)
    return (Step(kind="normalise", params={"peak_dbfs": wanted.peak_dbfs}),)
