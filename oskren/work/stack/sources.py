"""Other sources for layers: one put in place of another, rolled from a search, laid out from words."""

from __future__ import annotations

import random
import re
from dataclasses import dataclass
from typing import Literal

from oskren.core.errors import OskrenError
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.members import member_node, thawed
from oskren.core.nodes.model import Member, Mix, Node, Origin
from oskren.core.picture.scene import Scene
from oskren.core.stack.swap import replaced_everywhere, swapped
from oskren.core.words.conditions import parse
from oskren.store import Library
from oskren.store.describe import keeping
from oskren.store.documents import designs, scenes
from oskren.store.library import node_of
from oskren.store.search.asking import Asked
from oskren.store.tables import Sound
from oskren.work.engine.studio import Studio
from oskren.work.gather import tasks as gathering
from oskren.work.stack.designs import anchor_of, layer_of_sound

LONGEST_LOOKED_S = 120.0
"""A longer sound is not read through for an anchor while somebody waits for it to sound; it lands by its own."""


def candidates(library: Library, words: str, project: int = 1) -> list[int]:
    """Sounds a search finds, in order of name."""
    own = {name: kind for name, kind, _ in keeping.fields(library)}
    search = parse(words, own)  # type: ignore[arg-type]
    with library.reading() as session:
        return library.columns.all_ids(session, Asked(words=search.words, conditions=search.conditions, project=project))


def _kind_of_anchor(library: Library, member: Member) -> str:
    """What kind of moment lands on the strike line in a layer: that of the sound it was made with; empty when that is not known."""
    if member.origin is None or member.origin.kind != "sound":
        return ""
    try:
        return str(library.sound(member.origin.id).measures.get("anchor_kind") or "")
    except OskrenError:
        return ""


def _anchor_like(studio: Studio, library: Library, member: Member, sound: Sound) -> float:
    """The moment of a sound (s) that lands where the one of a layer did: of the same kind, so that a riser goes on ending at the hit."""
    kind = _kind_of_anchor(library, member)
    if not kind or kind == sound.measures.get("anchor_kind") or not sound.audio or sound.chain or sound.frames > LONGEST_LOOKED_S * sound.rate:
        return anchor_of(sound)
    path = str(library.media(sound.audio))
    found = studio.workers.submit("asked", gathering.anchors, [(sound.id, path)], kind).result()
    return float(found[0][1]) if found else anchor_of(sound)


def swap(studio: Studio, library: Library, member: Member, id: int, *, keep_length: bool = False) -> Member:
    """A layer with another sound as its source, by an anchor of the kind it had; with ``keep_length`` it lasts as long as before."""
    sound = library.sound(id)
    node: Node = node_of(sound)
    origin = Origin(kind="sound", id=id, pinned=node_hash(node))
    anchor_s = _anchor_like(studio, library, member, sound)
    fresh = swapped(member, node, sound.name, anchor_s, origin)
    if keep_length:
        renderer = studio.renderer(library)
        before, after = (renderer.shape(member_node(one)).seconds for one in (thawed(member), fresh))
        fresh = swapped(member, node, sound.name, anchor_s, origin, seconds=(before, after))
    return fresh


Where = Literal["design", "scene"]
"""What a sound can be replaced in."""


@dataclass(frozen=True)
class FoundSources:
    """A design with what was found for it, and sentences on what nothing was found for."""

    mix: Mix
    said: list[str]


def roll(studio: Studio, library: Library, mix: Mix, wanted: set[str], *, keep_length: bool = False, seed: int | None = None, project: int = 1) -> FoundSources:
    """Another source at random for layers, each from its own search; locked layers, those without a search and those it finds nothing else for stay.

    Raises
    ------
    OskrenError
        When none of the layers can be rolled.
    """
    chance = random.Random(seed)
    members, rolled, said = list(mix.members), 0, list[str]()
    for i, member in enumerate(members):
        if member.id not in wanted or member.locked or not member.search.strip():
            continue
        present = member.origin.id if member.origin is not None and member.origin.kind == "sound" else None
        others = [one for one in candidates(library, member.search, project) if one != present]
        if not others:
            said.append(f"{member.name}: its search '{member.search}' finds no other sound; make it wider.")
            continue
        members[i] = swap(studio, library, member, chance.choice(others), keep_length=keep_length)
        rolled += 1
    if not rolled:
        raise OskrenError(" ".join(said) or "Nothing to roll: give a layer a search to take its sources from, and unlock it.")
    return FoundSources(mix.model_copy(update={"members": tuple(members)}), said)


def fill(library: Library, mix: Mix, words: str, *, seed: int | None = None, project: int = 1) -> FoundSources:
    """A design with one more layer for every clause of words (between semicolons or on lines of their own), each from the search it says.

    Raises
    ------
    OskrenError
        When no clause finds a sound, or nothing is said.
    """
    clauses = [clause.strip() for clause in re.split(r"[;\n]", words) if clause.strip()]
    if not clauses:
        raise OskrenError("Say what the layers are to be, with semicolons between: brass latch; stone thud; glass ring.")
    chance, members, said = random.Random(seed), list(mix.members), list[str]()
    for clause in clauses:
        found = candidates(library, clause, project)
        if found:
            members.append(layer_of_sound(library, chance.choice(found)).model_copy(update={"search": clause}))
        else:
            said.append(f"No sound is found for '{clause}'; use other words.")
    if len(members) == len(mix.members):
        raise OskrenError(" ".join(said))
    return FoundSources(mix.model_copy(update={"members": tuple(members)}), said)


def replace_everywhere(studio: Studio, library: Library, id: int, by: int, *, keep_length: bool = False) -> list[tuple[Where, int, str, int]]:
    """Put another sound in place of one in every design and scene that has it unlocked: "design" or "scene", which, its name, how many layers or placements."""
    library.sound(by)
    changed: list[tuple[Where, int, str, int]] = []

    def replaced(mix: Mix) -> tuple[Mix, int]:
        return replaced_everywhere(mix, "sound", id, lambda member: swap(studio, library, member, by, keep_length=keep_length))

    for row in designs.designs(library):
        mix, count = replaced(Mix.model_validate(row.mix))
        if count:
            designs.save(library, row.id, row.name, mix)
            changed.append(("design", row.id, row.name, count))
    for of in scenes.scenes(library):
        scene = Scene.model_validate(of.scene)
        mix, count = replaced(scene.mix)
        if count:
            scenes.save(library, of.id, of.name, scene.model_copy(update={"mix": mix}))
            changed.append(("scene", of.id, of.name, count))
    return changed
