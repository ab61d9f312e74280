"""Bundles taken into a library: what they hold becomes sounds and a design of it."""

from __future__ import annotations

import dataclasses
from pathlib import Path

from oskren.core import bundle
from oskren.core.errors import OskrenError
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Member, Mix, Origin
from oskren.core.nodes.walk import leaves
from oskren.core.words.propose import Proposal
from oskren.store import Library
from oskren.store.documents import designs
from oskren.store.tables import Design
from oskren.work.engine.studio import Studio
from oskren.work.gather import tasks as examining


def take_in(studio: Studio, library: Library, path: Path, shown: str, project: int = 1) -> Design:
    """Make a design of a bundle, in a library that may be another than it came from.

    Its recordings become sounds, under the names its layers have; frozen and printed audio goes beside them. Layers made with a sound
    that came along know it as their origin; other origins belong to the library it came from and are let go.

    Raises
    ------
    OskrenError
        When the file is no bundle or holds what cannot be used; nothing is taken in then. ``shown`` is what it is called in the sentence.
    """
    try:
        loaded = bundle.load(path, path.parent / "audio")
    except OskrenError as error:
        raise OskrenError(str(error).replace(str(path), shown)) from error
    found = {}
    titles = dict(_titles(loaded.mix))
    layouts = {leaf.audio: leaf.layout for leaf in leaves(loaded.mix)}
    for audio in loaded.originals:
        examined = examining.examine(studio.place(), str(loaded.audio[audio]))
        if isinstance(examined, tuple):
            raise OskrenError(f"{shown}: a sound in it {examined[1]}")
        found[audio] = dataclasses.replace(examined, layout=layouts.get(audio) or examined.layout)
    arrival = library.arrival(f"Bundle {loaded.name}")
    here: dict[str, Origin] = {}
    for audio, examined in found.items():
        added = library.add_original(examined, arrival, Proposal("", (), 0.0), refer=False, name=titles.get(audio) or loaded.audio[audio].stem)
        here[audio] = Origin(kind="sound", id=added.id, pinned=node_hash(examined.source()))
    for audio, file in loaded.audio.items():
        if audio not in found:
            library.keep_media(audio, file)
    return designs.add(library, loaded.name, _at_home(loaded.mix, here), project)


def _titles(mix: Mix) -> list[tuple[str, str]]:
    """Audio hashes of layers that are a recording as it is, with the names of the layers; those further in first."""
    found = []
    for member in mix.members:
        if isinstance(member.node, Mix):
            found += _titles(member.node)
        elif member.node.kind == "source":
            found.append((member.node.audio, member.name))
    return found


def _at_home(mix: Mix, here: dict[str, Origin]) -> Mix:
    members: list[Member] = []
    for member in mix.members:
        node = _at_home(member.node, here) if isinstance(member.node, Mix) else member.node
        origin = here.get(node.audio) if node.kind == "source" else None
        members.append(member.model_copy(update={"node": node, "origin": origin}))
    return mix.model_copy(update={"members": tuple(members)})
