"""What a finished file is held to: limits a target states, and the checks that come of them."""

from __future__ import annotations

from typing import NamedTuple

from pydantic import BaseModel

from oskren.core.controls import number, switch
from oskren.core.nodes.model import Frozen


class Rules(Frozen):
    """Limits of finished files. What breaks one is told; with ``strict`` it fails the file."""

    true_peak_dbtp: float | None = number(0.0, -24, 12, "dBTP", "True peak at most", unset="any", begins=-1)
    silence_s: float | None = number(0.5, 0, 600, "s", "Silence at an end at most", digits=2, unset="any", begins=0.5, usual=(0, 5))
    edge_dbfs: float | None = number(-40.0, -120, 0, "dBFS", "First, last sample at most", digits=0, unset="any", begins=-40)
    dc: float | None = number(0.005, 0, 1, "", "DC offset at most", digits=4, unset="any", begins=0.005, usual=(0, 0.1))
    correlation: float | None = number(
        -0.3, -1, 1, "", "Sides agree at least", digits=2, unset="any", begins=-0.3, hint="Left against right: 1 is mono, -1 is lost in it"
    )
    quietest_lufs: float | None = number(None, -80, 0, "LUFS", "Loudness at least", unset="any", begins=-40)
    loudest_lufs: float | None = number(None, -80, 0, "LUFS", "Loudness at most", unset="any", begins=-14)
    shortest_s: float | None = number(None, 0, 600, "s", "Length at least", digits=2, unset="any", begins=0.05, usual=(0, 10))
    longest_s: float | None = number(None, 0, 86_400, "s", "Length at most", digits=1, unset="any", begins=10, usual=(0, 120))
    strict: bool = switch(False, "What breaks a limit fails", "Off, it is told and the file counts as good")


class Check(BaseModel):
    """One check of a finished file; a failed ``warning`` is shown but does not fail the file."""

    name: str
    ok: bool
    warning: bool = False
    note: str


class Facts(NamedTuple):
    """What is measured of a finished file: length (s), true peak (dBTP), loudness (LUFS), largest mean of a channel, first or last sample (dBFS),
    silence at both ends (s), how left and right agree (-1 to 1); None where there is nothing to measure."""

    seconds: float
    true_peak_dbtp: float
    integrated_lufs: float | None
    dc: float
    edge_dbfs: float
    before_s: float
    after_s: float
    correlation: float | None = None


HELD = ("true peak", "silence at its ends", "edges", "DC", "phase", "loudness", "length limits")
"""The checks that follow from rules."""


def held(facts: Facts, rules: Rules, slack_db: float = 0.0) -> list[Check]:
    """A finished file held to rules, a check each; those that no rule asks for are told as good.

    Parameters
    ----------
    facts : Facts
    rules : Rules
    slack_db : float
        How far the peak of a lossy format may lie from what was rendered: so far over the limit is no fault, as long as it is under full scale.

    >>> [check.note for check in held(Facts(1.0, 0.4, -14.0, 0.0, -90.0, 0.0, 0.1), Rules()) if not check.ok]
    ['0.4 dBTP, at most 0.0']
    """

    def over(value: float | None, limit: float | None) -> bool:
        return value is not None and limit is not None and value > limit

    def under(value: float | None, limit: float | None) -> bool:
        return value is not None and limit is not None and value < limit

    def limited(shown: str, *, high: float | None = None, low: float | None = None, digits: int = 1) -> str:
        return shown + (f", at most {high:.{digits}f}" if high is not None else "") + (f", at least {low:.{digits}f}" if low is not None else "")

    # more exact than people type a limit, so that what is levelled to it does not break it
    ceiling = rules.true_peak_dbtp
    broken = over(round(facts.true_peak_dbtp, 2), ceiling if ceiling is None else min(max(0.0, ceiling), ceiling + slack_db))
    found = [("true peak", broken, limited(f"{facts.true_peak_dbtp:.1f} dBTP", high=ceiling if broken else None))]
    silent = max(facts.before_s, facts.after_s)
    found.append(("silence at its ends", over(silent, rules.silence_s), f"{facts.before_s:.2f} s before, {facts.after_s:.2f} s after"))
    clicks = over(facts.edge_dbfs, rules.edge_dbfs)
    found.append(("edges", clicks, f"may click: {facts.edge_dbfs:.0f} dBFS at an edge" if clicks else "no click"))
    found.append(("DC", over(abs(facts.dc), rules.dc), f"{facts.dc:+.4f}"))
    if facts.correlation is not None:
        apart = under(facts.correlation, rules.correlation)
        found.append(("phase", apart, f"left and right agree by {facts.correlation:+.2f}" + ("; much is lost in mono" if apart else "")))
    lufs = facts.integrated_lufs
    if lufs is not None and (rules.quietest_lufs is not None or rules.loudest_lufs is not None):
        wrong = under(round(lufs, 1), rules.quietest_lufs) or over(round(lufs, 1), rules.loudest_lufs)
        found.append(("loudness", wrong, limited(f"{lufs:.1f} LUFS", high=rules.loudest_lufs, low=rules.quietest_lufs)))
    if rules.shortest_s is not None or rules.longest_s is not None:
        wrong = under(facts.seconds, rules.shortest_s) or over(facts.seconds, rules.longest_s)
        found.append(("length limits", wrong, limited(f"{facts.seconds:.2f} s", high=rules.longest_s, low=rules.shortest_s, digits=2)))
    return [Check(name=name, ok=not wrong, warning=not rules.strict, note=note) for name, wrong, note in found]
