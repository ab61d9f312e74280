"""Every path that comes of a sheet, before anything is rendered; what is wrong with each, and what a buyer would miss."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Literal, NamedTuple

from oskren.core.audio.formats import format_of
from oskren.core.audio.layouts import CHANNELS
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Frozen
from oskren.core.ship.items import Titled
from oskren.core.ship.target import Target
from oskren.core.words import names

ProblemKind = Literal["", "alike", "foreign", "channels", "name", "held"]
"""What is wrong with a planned file: several are called alike, somebody else's file lies there, its format has not so many channels, its template
cannot be filled, or a library or folder holds its path."""

Counts = Mapping[str, int]
"""Where an item was counted when it was shipped before, from 0, by counter: its numbers stay its own."""


class Planned(Frozen):
    """One file to be: its path in the out folder, and what is wrong with it; ``foreign`` when that is a file somebody else wrote, which may be allowed."""

    path: str
    item: int
    target: int
    problem: str = ""
    kind: ProblemKind = ""
    foreign: bool = False


class Plan(NamedTuple):
    """Every file of a sheet, and where each of its items was counted, from 0, by counter."""

    files: list[Planned]
    counted: list[dict[str, int]]


def count(counter: str, groups: Sequence[str], before: Sequence[Counts]) -> list[int]:
    """Places from 0 within groups: what had one keeps it, everything else gets the next behind all that were given away.

    >>> count("number", ["", "", ""], [{}, {"number": 7}, {}]), count("within", ["a", "b", "a"], [{}] * 3)
    ([8, 7, 9], [0, 0, 1])
    """
    given: dict[str, set[int]] = defaultdict(set)
    found: list[int | None] = []
    for group, counts in zip(groups, before, strict=True):
        had = counts.get(counter)
        found.append(had if had is not None and had not in given[group] else None)
        if had is not None:
            given[group].add(had)
    following = {group: max(places) + 1 for group, places in given.items() if places}
    places = []
    for group, place in zip(groups, found, strict=True):
        if place is None:
            place = following.get(group, 0)
            following[group] = place + 1
        places.append(place)
    return places


class _Naming(NamedTuple):
    """What the tokens of a name are looked up in."""

    sheet: str
    target: Target
    item: Titled
    number: int
    within: int
    place: int


_VALUES: dict[str, Callable[[_Naming], object]] = {
    "category": lambda one: one.item.category.replace("/", "-") or "uncategorised",
    "name": lambda one: one.item.name,
    "number": lambda one: one.number,
    "within": lambda one: one.within,
    "place": lambda one: one.place,
    "rate": lambda one: f"{format_of(one.target.format).rate_for(one.target.rate or one.item.rate) / 1000:g}k",
    "bits": lambda one: (one.target.bits or format_of(one.target.format).bits_for(one.item.bits)) if format_of(one.target.format).lossless else "",
    "channels": lambda one: {1: "mono", 2: "stereo"}.get(_wide(one.target, one.item), f"{_wide(one.target, one.item)}ch"),
    "target": lambda one: one.target.name,
    "sheet": lambda one: one.sheet,
    "top": lambda one: one.item.category.split("/")[0] or "uncategorised",
    "code": lambda one: one.item.code,
    "kit": lambda one: one.item.tagged("kit"),
    "alike": lambda one: one.item.tagged("alike"),
    "length": lambda one: names.band_of(one.item.seconds, names.LENGTH_BANDS),
    "bright": lambda one: names.band_of(one.item.brightness_hz, names.BRIGHT_BANDS),
}


def values_of(sheet: str, target: Target, item: Titled, number: int, within: int, place: int = 0, wanted: Iterable[str] = tuple(_VALUES)) -> dict[str, object]:
    """What each token of a name template stands for, for an item and a target.

    Parameters
    ----------
    sheet : str
        Its name.
    number, within, place : int
        Its place on the sheet, within its category, within its folder, from 0; the target says what the first is called.
    wanted : iterable of str, optional
        Only these tokens.
    """
    one = _Naming(sheet, target, item, target.begin + number, target.begin + within, target.begin + place)
    return {token: _VALUES[token](one) for token in wanted}


def _wide(target: Target, item: Titled) -> int:
    return item.channels if target.channels == "keep" else len(CHANNELS[target.channels])


def planned(name: str, items: Sequence[Titled], targets: Sequence[Target], before: Sequence[Counts] = ()) -> Plan:
    """Every file of a sheet of that name with its final path; collisions and bad templates are named.

    Parameters
    ----------
    name : str
        Of the sheet.
    items : sequence of Titled
        What leaves, with the words its file's name is made of.
    targets : sequence of Target
        What every item is written as.
    before : sequence of mapping, optional
        Where every item was counted when it was shipped before.

    Returns
    -------
    Plan
        Its files one for every item and target, in that order; ``problem`` says in a sentence why a file cannot be written.
    """
    before = before or [{}] * len(items)
    found: list[Planned] = []
    counted: list[dict[str, int]] = [dict(counts) for counts in before]
    numbers, within = count("number", [""] * len(items), before), count("within", [item.category for item in items], before)
    for t, target in enumerate(targets):
        form = format_of(target.format)
        wanted = [token for token in _VALUES if "{" + token in target.template]
        paths: list[str] = []
        wrong: list[str] = []
        for item, number, nth in zip(items, numbers, within, strict=True):
            try:
                paths.append(_named(target, values_of(name, target, item, number, nth, wanted=wanted), form.suffix))
                wrong.append("")
            except OskrenError as error:
                paths.append("")
                wrong.append(str(error))
        places: list[int] = []
        if "{place" in target.template:
            places = count(f"place {target.name}", [path.rpartition("/")[0].casefold() for path in paths], before)
            for i, item in enumerate(items):
                if paths[i]:
                    paths[i] = _named(target, values_of(name, target, item, numbers[i], within[i], places[i], wanted), form.suffix)
        given = {"number": numbers, "within": within, "place": places}
        for token, its in given.items():
            if "{" + token in target.template:
                for i, number in enumerate(its):
                    counted[i][f"place {target.name}" if token == "place" else token] = number
        for i, item in enumerate(items):
            wide, problem = _wide(target, item), wrong[i]
            kind: ProblemKind = "name" if problem else ""
            if not problem and form.most_channels and wide > form.most_channels:
                kind = "channels"
                problem = f"{form.label} holds {form.most_channels} channels at most, not {wide}; fold it down, or choose another format."
            found.append(Planned(path=paths[i], item=i, target=t, problem=problem, kind=kind))
    for position in names.collisions([one.path or f"\0{i}" for i, one in enumerate(found)]):
        one = found[position]
        found[position] = one.model_copy(
            update={"kind": "alike", "problem": f"Several files would be called {one.path}; add {{number:3}} or another token to the template."}
        )
    return Plan(found, counted)


def tokens_of(name: str, items: Sequence[Titled], target: Target, before: Sequence[Counts], at: int) -> dict[str, str]:
    """What each token of a name gives for the item at a place of a sheet of that name, written as a target."""
    before = before or [{}] * len(items)
    places = planned(name, items, [target], before).counted[at] if "{place" in target.template else {}
    number, within = count("number", [""] * len(items), before)[at], count("within", [item.category for item in items], before)[at]
    values = values_of(name, target, items[at], number, within, places.get(f"place {target.name}", 0))
    return {token: str(value) for token, value in values.items()}


def _named(target: Target, values: Mapping[str, object], suffix: str) -> str:
    """The path of a file by its target's template and rules of writing; the ending stays as it is."""

    def written(text: str) -> str:
        text = names.tidy(text) if target.tidy else text
        text = re.sub(r"\s+", target.spaces, text) if target.spaces else text
        return text.lower() if target.case == "lower" else text.upper() if target.case == "upper" else text

    return names.fill(target.template, values, suffix, written)


NotedKind = Literal["source", "level", "phase", "loop", "rate", "dull", "long", "letters", "category", "rights", "description"]


class Noted(Frozen):
    """Something to know of some items before they leave, which stops none of them: how many, and their places on the sheet."""

    what: NotedKind
    told: str
    items: tuple[int, ...]


DULL_HZ = 12_000.0
"""A sound that holds nothing above this is told where it leaves at a rate that could hold far more (own rule)."""

LOST_IN_MONO = -0.3
"""Left and right that agree less than this lose much in mono: of two as loud, the middle lies 4.6 dB under each (10 log (1 + r) / 2)."""

LONGEST_PATH = 259
"""Letters a whole path may have where nothing longer is allowed (MAX_PATH less its end, Windows documentation: Maximum Path Length Limitation)."""


def noted(items: Sequence[Titled], targets: Sequence[Target], files: Sequence[Planned] = (), folder: str = "") -> list[Noted]:
    """What is to be known of the items of a sheet before it runs; nothing of it stops a file.

    Parameters
    ----------
    items, targets : sequence of Titled, of Target
    files : sequence of Planned
        Their paths.
    folder : str
        Where to, for the length of whole paths.

    Examples
    --------
    >>> [one.told for one in noted([Titled("a", "", 48_000, 1, rights="ours", notes="x")], [Target(rate=96_000)])]
    ['1 without a category', '1 at a higher rate than it has, which adds nothing']
    """
    lossy = [to for to in targets if not format_of(to.format).lossless]
    mono = [to for to in targets if to.channels == "mono"]
    wide = {i for i, one in enumerate(items) if any((to.rate or one.rate) >= 44_100 for to in targets)}
    long = {one.item for one in files if one.path and len(folder) + 1 + len(one.path) > LONGEST_PATH}
    found: list[tuple[NotedKind, str, list[int]]] = [
        ("source", "whose file is missing", [i for i, one in enumerate(items) if one.lacking]),
        ("level", "expected over full scale", [i for i, one in enumerate(items) if any(_goes_over(one, to) for to in targets)]),
        ("phase", "that lose much in mono", [i for i, one in enumerate(items) if mono and one.correlation is not None and one.correlation < LOST_IN_MONO]),
        ("loop", "whose loop a lossy format moves", [i for i, one in enumerate(items) if lossy and one.loops]),
        ("long", f"with a path of over {LONGEST_PATH} letters, which not every system opens", sorted(long)),
        ("letters", "with letters in the name that no file name may have", [i for i, one in enumerate(items) if names.problems(one.name)]),
        ("category", "without a category", [i for i, one in enumerate(items) if not one.category]),
        ("rights", "whose rights are not said", [i for i, one in enumerate(items) if not one.rights]),
        ("description", "without a description", [i for i, one in enumerate(items) if not one.notes]),
        ("rate", "at a higher rate than it has, which adds nothing", [i for i, one in enumerate(items) if any((to.rate or 0) > one.rate for to in targets)]),
        ("dull", f"with nothing above {DULL_HZ / 1000:g} kHz", [i for i, one in enumerate(items) if i in wide and (one.bandwidth_hz or DULL_HZ) < DULL_HZ]),
    ]
    return [Noted(what=what, told=f"{len(places)} {told}", items=tuple(places)) for what, told, places in found if places]


def _goes_over(item: Titled, target: Target) -> bool:
    """Whether an item whose peak is known goes over full scale where its format ends there, and is not written then."""
    if item.peak_dbfs is None or target.over != "refuse" or not format_of(target.format).ends_at_full_scale(target.bits or item.bits or 24):
        return False
    gain = target.gain_db if target.level_by == "one gain" else 0.0
    as_it_is = target.level_by == "one gain" or (target.level_by == "sample peak" and target.peak_dbfs is None)
    return as_it_is and item.peak_dbfs + gain > 0.0
