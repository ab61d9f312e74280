"""The sheet: items crossed with targets, and every path that comes of it, before anything is rendered."""

from __future__ import annotations

import hashlib
import json
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Literal

from pydantic import Field, model_validator

from oskren.core.audio.formats import FORMATS, format_of
from oskren.core.audio.layouts import CHANNELS
from oskren.core.controls import choice, number, switch
from oskren.core.errors import OskrenError
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.finishing import Levelled, level_steps
from oskren.core.nodes.model import LAYOUTS, Chained, Frozen, Node, Step
from oskren.core.ship.items import Item, Titled
from oskren.core.words import names

OVER = {"refuse": "is not written", "lower": "is lowered", "limit": "is limited"}


class Target(Levelled):
    """How files are written: format, rate (None keeps the sound's own), bits, channels, level, fades, name template."""

    name: str = "master"
    format: str = choice("wav", {one.key: one.label for one in FORMATS.values()}, "Format")
    rate: int | None = choice(None, {None: "its own", 44_100: "44.1 kHz", 48_000: "48 kHz", 96_000: "96 kHz"}, "Sample rate", low=8000, high=384_000)
    bits: Literal[16, 24, 32] | None = choice(24, {None: "its own", 16: "16", 24: "24", 32: "32 float"}, "Bits")
    channels: Literal["keep", "mono", "stereo", "quad", "5.1", "7.1", "ambix"] = choice("keep", {"keep": "as they are", **LAYOUTS}, "Channels")
    peak_dbfs: float | None = number(None, -24, 0, "dB", "Level each to", unset="as it is", begins=-1)
    fade_in_ms: float = number(0.0, 0, 10_000, "ms", "Fade in", usual=(0, 500))
    fade_out_ms: float = number(0.0, 0, 60_000, "ms", "Fade out", usual=(0, 2000))
    dither: bool = switch(True, "Dither", "Triangular dither of 2 LSB before rounding")
    over: Literal["refuse", "lower", "limit"] = choice("refuse", OVER, "What goes over full scale")
    """What becomes of a sound over full scale in a format that ends there: it is not written, lowered, or limited."""
    template: str = Field("{name}", min_length=1, max_length=400)
    spaces: Literal["", "_", "-"] = choice("", {"": "as they are", "_": "underscores", "-": "hyphens"}, "Spaces in names")
    case: Literal["", "lower", "upper"] = choice("", {"": "as it is", "lower": "lower", "upper": "upper"}, "Case of names")

    @model_validator(mode="after")
    def _writable(self) -> Target:
        try:
            if self.bits is not None:
                format_of(self.format).subtype(self.bits)
        except OskrenError as error:
            raise ValueError(str(error)) from None
        return self


READY = (
    Target(name="archive", bits=None, template="archive/{category}/{name}"),
    Target(name="game", format="ogg", rate=48_000, channels="mono", level_by="true peak", peak_dbfs=-1.0, template="game/{name}", spaces="_", case="lower"),
    Target(name="preview", format="mp3", level_by="loudness", loudness_lufs=-18.0, template="preview/{name}"),
)
"""Targets people begin with: all of it as it is, small and even for an engine, and light to listen through (common practice, no source)."""


PAGE, README, REEL = "index.html", "README.txt", "preview reel.wav"


class Beside(Frozen):
    """What is put beside the files of a shipment."""

    page: bool = switch(False, "Page that plays and searches them", f"{PAGE}: waveforms, words and checks; it needs no network")
    readme: bool = switch(False, "Readme", f"{README}: counts, formats and rights")
    reel: bool = switch(False, "Preview reel", f"{REEL}: all files in a row, each with a mark that carries its name")
    gap_s: float = number(0.5, 0, 10, "s", "Silence between them", digits=1, usual=(0, 3))

    @property
    def names(self) -> tuple[str, ...]:
        """The files it asks for."""
        return tuple(name for name, wanted in ((PAGE, self.page), (README, self.readme), (REEL, self.reel)) if wanted)


class Sheet(Frozen):
    """What goes into a batch render."""

    name: str = "shipment"
    items: tuple[Item, ...] = Field(min_length=1)
    targets: tuple[Target, ...] = Field((Target(),), min_length=1)
    beside: Beside = Beside()


ProblemKind = Literal["", "alike", "foreign", "channels", "name", "held"]
"""What is wrong with a planned file: several are called alike, somebody else's file lies there, its format has not so many channels, its template
cannot be filled, or a library or folder holds its path."""


class Planned(Frozen):
    """One file to be: its path in the out folder, and what is wrong with it; ``foreign`` when that is a file somebody else wrote, which may be allowed."""

    path: str
    item: int
    target: int
    problem: str = ""
    kind: ProblemKind = ""
    foreign: bool = False


def plan(name: str, items: Sequence[Titled], targets: Sequence[Target]) -> list[Planned]:
    """Every file of a sheet of that name with its final path; collisions and bad templates are named.

    Parameters
    ----------
    name : str
        Of the sheet.
    items : sequence of Titled
        What leaves, with the words its file's name is made of.
    targets : sequence of Target
        What every item is written as.

    Returns
    -------
    list of Planned
        One for every item and target, in that order; ``problem`` says in a sentence why a file cannot be written.
    """
    planned: list[Planned] = []
    for t, target in enumerate(targets):
        places: Counter[str] = Counter()
        for i, item in enumerate(items):
            rate, channels = item.rate, item.channels
            wide = channels if target.channels == "keep" else len(CHANNELS[target.channels])
            form = format_of(target.format)
            values = {
                "category": item.category.replace("/", "-") or "uncategorised",
                "name": item.name,
                "number": i + 1,
                "rate": f"{form.rate_for(target.rate or rate) / 1000:g}k",
                "bits": (target.bits or form.bits_for(item.bits)) if form.lossless else "",
                "channels": {1: "mono", 2: "stereo"}.get(wide, f"{wide}ch"),
                "target": target.name,
                "sheet": name,
                "top": item.category.split("/")[0] or "uncategorised",
                "kit": item.tagged("kit"),
                "alike": item.tagged("alike"),
                "length": names.band_of(item.seconds, names.LENGTH_BANDS),
                "bright": names.band_of(item.brightness_hz, names.BRIGHT_BANDS),
                "place": 1,
            }
            try:
                many = form.most_channels and wide > form.most_channels
                problem = f"{form.label} holds {form.most_channels} channels at most, not {wide}; fold it down, or choose another format." if many else ""
                path = _named(target, values, form.suffix)
                if "{place" in target.template:
                    folder = path.rpartition("/")[0].casefold()
                    places[folder] += 1
                    path = _named(target, values | {"place": places[folder]}, form.suffix)
                planned.append(Planned(path=path, item=i, target=t, problem=problem, kind="channels" if problem else ""))
            except OskrenError as error:
                planned.append(Planned(path="", item=i, target=t, problem=str(error), kind="name"))
    for position in names.collisions([one.path or f"\0{i}" for i, one in enumerate(planned)]):
        one = planned[position]
        planned[position] = one.model_copy(
            update={"kind": "alike", "problem": f"Several files would be called {one.path}; add {{number:3}} or another token to the template."}
        )
    return planned


def _named(target: Target, values: Mapping[str, object], suffix: str) -> str:
    """The path of a file by its target's template and rules of writing; the ending stays as it is."""

    def written(text: str) -> str:
        text = re.sub(r"\s+", target.spaces, text) if target.spaces else text
        return text.lower() if target.case == "lower" else text.upper() if target.case == "upper" else text

    return names.fill(target.template, values, suffix, written)


class Missing(Frozen):
    """Something a buyer would ask for that some items do not say, or that their target makes no better: how many, and their places on the sheet."""

    what: Literal["category", "rights", "description", "rate"]
    told: str
    items: tuple[int, ...]


def missing(items: Sequence[Titled], targets: Sequence[Target]) -> list[Missing]:
    """What is missing of the items of a sheet, said before it runs; nothing of it stops a file.

    >>> [one.told for one in missing([Titled("a", "", 48_000, 1, rights="ours", notes="x")], [Target(rate=96_000)])]
    ['1 without a category', '1 at a higher rate than it has, which adds nothing']
    """
    found = []
    for what, told, places in (
        ("category", "without a category", [i for i, one in enumerate(items) if not one.category]),
        ("rights", "whose rights are not said", [i for i, one in enumerate(items) if not one.rights]),
        ("description", "without a description", [i for i, one in enumerate(items) if not one.notes]),
        ("rate", "at a higher rate than it has, which adds nothing", [i for i, one in enumerate(items) if any((to.rate or 0) > one.rate for to in targets)]),
    ):
        if places:
            found.append(Missing(what=what, told=f"{len(places)} {told}", items=tuple(places)))
    return found


def file_node(item: Item, target: Target, rate: int | None = None) -> Node:
    """The item through what the target asks for: channels, rate, fades, level last. ``rate`` (Hz) is that of the file where its format does not hold any."""
    steps: list[Step] = []
    if target.channels == "mono":
        steps.append(Step(kind="mono"))
    elif target.channels != "keep":
        steps.append(Step(kind="layout", params={"layout": target.channels}))
    rate = target.rate if rate is None else rate
    if rate is not None:
        steps.append(Step(kind="rate", params={"rate": rate}))
    if target.fade_in_ms or target.fade_out_ms:
        steps.append(Step(kind="fade", params={"in_s": target.fade_in_ms / 1000, "out_s": target.fade_out_ms / 1000}))
    steps += level_steps(target)
    return Chained(node=item.node, chain=tuple(steps)) if steps else item.node


def as_written(item: Item, target: Target) -> Target:
    """The target with the bits an item is written in, where it leaves them to the item."""
    if target.bits is not None:
        return target
    return target.model_copy(update={"bits": format_of(target.format).bits_for(item.bits)})


def file_key(item: Item, target: Target) -> str:
    """Hash of everything that decides a file's bytes; the same key means the file need not be rendered again."""
    left = {"template", "name", "spaces", "case", *({"over"} if target.over == "refuse" else ())}
    # what does not decide how it is levelled was not part of the key before, and is not
    left |= {"level_by"} if target.level_by == "sample peak" else set()
    left |= {"loudness_lufs", "ceiling_dbtp"} if target.level_by != "loudness" else set()
    left |= {"gain_db"} if target.level_by != "one gain" else set()
    target = as_written(item, target)
    facts = [
        node_hash(file_node(item, target)),
        target.model_dump(exclude=left),
        item.model_dump(exclude={"node", "sound", "missing", "bits", *(() if item.loops else ("loops",))}),
        2,
    ]
    return hashlib.blake2b(json.dumps(facts, sort_keys=True).encode(), digest_size=20).hexdigest()
