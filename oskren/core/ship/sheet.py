"""The sheet: items crossed with targets, as what is rendered, and what tells whether a file is still what it would be."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping

from pydantic import Field

from oskren.core.audio.formats import format_of
from oskren.core.controls import number, switch
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.finishing import level_steps
from oskren.core.nodes.model import Chained, Frozen, Node, Step
from oskren.core.ship.items import Item
from oskren.core.ship.target import Target

PAGE, README, CONTACTS, REEL = "index.html", "README.txt", "contact sheet.svg", "preview reel.wav"


class Beside(Frozen):
    """What is put beside the files of a shipment."""

    page: bool = switch(False, "Page that plays and searches them", f"{PAGE}: waveforms, words and checks; it needs no network")
    readme: bool = switch(False, "Readme", f"{README}: counts, formats and rights")
    contacts: bool = switch(False, "Contact sheet", f"{CONTACTS}: the waveform of every file, folder by folder, to look over or print")
    reel: bool = switch(False, "Preview reel", f"{REEL}: all files in a row, each with a mark that carries its name")
    gap_s: float = number(0.5, 0, 10, "s", "Silence between them", digits=1, usual=(0, 3))

    @property
    def names(self) -> tuple[str, ...]:
        """The files it asks for."""
        return tuple(name for name, wanted in ((PAGE, self.page), (README, self.readme), (CONTACTS, self.contacts), (REEL, self.reel)) if wanted)


class Given(Frozen):
    """What all files of a sheet say of themselves where their sounds say nothing."""

    rights: str = Field("", max_length=2000)
    artist: str = Field("", max_length=200)

    def to(self, item: Item) -> Item:
        """An item that says this where it says nothing."""
        return item.model_copy(update={"rights": item.rights or self.rights, "artist": item.artist or self.artist})


class Sheet(Frozen):
    """What goes into a batch render."""

    name: str = "shipment"
    items: tuple[Item, ...] = Field(min_length=1)
    targets: tuple[Target, ...] = Field((Target(),), min_length=1)
    beside: Beside = Beside()
    counted: tuple[dict[str, int], ...] = ()
    """Where each item was counted when it was shipped before, from 0, by counter; none where nothing was."""


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


_USUAL = Target()

LATER = ("tail", "silence_dbfs", "room_ms", "shaped")
"""Fields targets did not have before: as they usually are they decide nothing, and files of before are found unchanged."""


def _deciding(item: Item, target: Target) -> dict[str, object]:
    """What of a target decides the bytes of a file."""
    target = as_written(item, target)
    left = {"template", "name", "spaces", "case", "begin", "tidy", "rules", *({"over"} if target.over == "refuse" else ())}
    # what does not decide how it is levelled was not part of the key before, and is not
    left |= {"level_by"} if target.level_by == "sample peak" else set()
    left |= {"loudness_lufs", "ceiling_dbtp"} if target.level_by != "loudness" else set()
    left |= {"gain_db"} if target.level_by != "one gain" else set()
    left |= {name for name in LATER if getattr(target, name) == getattr(_USUAL, name)}
    left |= {"room_ms"} if target.silence_dbfs is None else set()
    return target.model_dump(exclude=left)


def _words(item: Item) -> dict[str, object]:
    return item.model_dump(exclude={"node", "sound", "missing", "made", "bits", *(name for name in ("loops", "artist") if not getattr(item, name))})


def _hash(facts: object) -> str:
    return hashlib.blake2b(json.dumps(facts, sort_keys=True).encode(), digest_size=20).hexdigest()


def file_key(item: Item, target: Target) -> str:
    """Hash of everything that decides a file's bytes; the same key means the file need not be rendered again."""
    return _hash([node_hash(file_node(item, as_written(item, target))), _deciding(item, target), _words(item), 2])


def keys_of(item: Item, target: Target) -> dict[str, str]:
    """Hashes of what a file is made of, one by one: what changed when its key did."""
    return {"sound": node_hash(item.node), "target": _hash(_deciding(item, target))[:16], "words": _hash(_words(item))[:16]}


CHANGED = {"sound": "its sound changed", "target": "its target changed", "words": "its words or markers changed"}


def why_written(before: Mapping[str, str], now: Mapping[str, str]) -> str:
    """Why a file is written again, by the hashes of what it is made of (:func:`keys_of`), before and now.

    >>> why_written({"sound": "a", "target": "b", "words": "c"}, {"sound": "x", "target": "b", "words": "y"})
    'its sound changed, its words or markers changed'
    """
    return ", ".join(told for name, told in CHANGED.items() if before.get(name) != now.get(name)) if before else "its sound, words or target changed"
