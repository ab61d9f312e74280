"""What Stack does with a library's sounds: layers of sounds and designs, newer states taken, stale prints made anew, layers frozen."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel

from oskren.core.errors import OskrenError
from oskren.core.measure.report import Measures
from oskren.core.measure.spectrum import DULL_HZ
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.heard import Heard
from oskren.core.nodes.members import group_mix, member_node, thawed
from oskren.core.nodes.model import Chained, Group, Member, Mix, Origin, Print
from oskren.core.nodes.walk import sounding
from oskren.core.picture.scene import Scene
from oskren.core.stack.swap import renewed
from oskren.store import Library
from oskren.store.describe import naming
from oskren.store.describe.tree import vocabulary
from oskren.store.documents import designs, scenes
from oskren.store.library import node_of
from oskren.store.tables import Sound
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio

ROUNDS = 64
"""Designs nested deeper than this are not rebuilt in one go; the renderer refuses them too."""


def fresh_id() -> str:
    """An id for a new layer."""
    return f"layer-{uuid.uuid4().hex[:10]}"


def anchor_of(sound: Sound) -> float:
    """The anchor of a sound (s)."""
    value = sound.measures.get("anchor_s")
    return float(value) if value is not None else 0.0


def layer_of_sound(library: Library, id: int) -> Member:
    """A layer of a sound as it is now: its anchor lands on the strike line."""
    sound = library.sound(id)
    node = node_of(sound)
    origin = Origin(kind="sound", id=id, pinned=node_hash(node))
    return Member(id=fresh_id(), name=sound.name, node=node, anchor_s=anchor_of(sound), origin=origin)


MONO_DB = 3.0103
"""What a single channel loses in the middle between two sides by equal power, against how it is heard by itself: 10 log10(2)."""


def layer_as_heard(studio: Studio, library: Library, id: int, heard: Heard, layout: str = "stereo") -> Member:
    """A layer that sounds as its sound was heard in the audition: the same samples, on the strike line by its anchor.

    Parameters
    ----------
    layout : str
        That of the sum it goes into; between two sides a single channel is raised by what panning takes from it.
    """
    layer = layer_of_sound(library, id)
    renderer = studio.renderer(library)
    chained = Chained(node=layer.node, chain=heard.chain)
    values: dict[str, Any] = {"pitch_st": heard.speed_st, "gain_db": heard.gain_db, "chain": heard.chain, "chain_first": bool(heard.chain)}
    if heard.part is not None:
        way = renderer.time_map(chained)
        start, end = (max(0.0, way.to_input(moment)) for moment in heard.part)
        values |= {"start_s": min(start, end), "end_s": max(start, end), "anchor_s": min(max(layer.anchor_s, min(start, end)), max(start, end))}
    if heard.faded:
        fade, speed = heard.fade, 2.0 ** (heard.speed_st / 12)
        values |= {"fade_in_s": min(60.0, fade.in_s / speed), "fade_out_s": min(60.0, fade.out_s / speed)}
        values |= {"fade_in_shape": fade.in_shape, "fade_out_shape": fade.out_shape}
    if layout in ("mono", "stereo") and renderer.output_shape(chained).channels == 1:
        values["gain_db"] = min(36.0, heard.gain_db + MONO_DB)
    return layer.model_copy(update=values)


def layer_of_design(studio: Studio, library: Library, id: int) -> Member:
    """A layer of a design as it is now: its strike line lands on the strike line."""
    row, mix = designs.design(library, id)
    return Member(
        id=fresh_id(),
        name=row.name,
        node=mix,
        anchor_s=_zero_s(studio, library, mix),
        origin=Origin(kind="design", id=id, pinned=node_hash(mix)),
    )


def _zero_s(studio: Studio, library: Library, mix: Mix) -> float:
    if not sounding(mix):
        raise OskrenError("This design holds nothing that is heard; give it a layer first.")
    shape = studio.renderer(library).output_shape(mix)
    return shape.zero / shape.rate


def dull_layers(library: Library, mix: Mix) -> dict[str, str]:
    """Layers that are pitched down so far that they reach no higher than a dull sound, each with that in a sentence."""
    low = [one for one in mix.members if one.pitch_st < 0 and one.origin is not None and one.origin.kind == "sound"]
    sounds = {sound.id: sound for sound in library.sounds([one.origin.id for one in low if one.origin is not None])}
    found = {}
    for member in low:
        sound = sounds.get(member.origin.id) if member.origin is not None else None
        whole = sound.measures.get("bandwidth_hz") if sound is not None else None
        reaches = float(whole) * 2 ** (member.pitch_st / 12) if whole else DULL_HZ
        if reaches < DULL_HZ:
            found[member.id] = f"At {member.pitch_st:+g} st it reaches only {reaches / 1000:.1f} kHz and sounds dull; take a source that reaches higher."
    return found


# ---- newer states


@dataclass(frozen=True)
class Newer:
    """A layer whose sound or design has changed since, or is gone."""

    id: str
    name: str
    gone: bool


def newer_layers(library: Library, mix: Mix) -> list[Newer]:
    """Layers of a design for which a newer state exists, and those whose sound or design is gone (they go on sounding)."""
    found = []
    now = {
        kind: designs.hashes_now(library, kind, {one.origin.id for one in mix.members if one.origin and one.origin.kind == kind})
        for kind in ("sound", "design")
    }
    for member in mix.members:
        if member.origin is not None:
            known = now[member.origin.kind].get(member.origin.id)
            if known != member.origin.pinned:
                found.append(Newer(member.id, member.name, known is None))
    return found


def renew(studio: Studio, library: Library, mix: Mix, wanted: set[str] | None = None) -> tuple[Mix, list[str]]:
    """Take the newer state for layers (all where ``wanted`` is None); the names of those that changed. Locked layers stay."""
    outdated = {one.id for one in newer_layers(library, mix) if not one.gone}
    members, changed = [], []
    for member in mix.members:
        if member.id in outdated and not member.locked and (wanted is None or member.id in wanted) and member.origin is not None:
            origin = member.origin
            if origin.kind == "sound":
                member = renewed(member, node_of(library.sound(origin.id)))
            else:
                _, inner = designs.design(library, origin.id)
                member = renewed(member, inner).model_copy(update={"anchor_s": _zero_s(studio, library, inner)})
            changed.append(member.name)
        members.append(member)
    return mix.model_copy(update={"members": tuple(members)}), changed


@dataclass(frozen=True)
class Stale:
    """Something made of what has changed since: a design with older layers, a print of an older design, or a scene with older placements."""

    kind: Literal["design", "print", "scene"]
    id: int
    name: str
    why: str


def stale(library: Library) -> list[Stale]:
    """Everything in a library that was made of an older state of something."""
    found = []
    rows = designs.designs(library)
    now = {row.id: node_hash(Mix.model_validate(row.mix)) for row in rows}
    for row in rows:
        old = [one.name for one in newer_layers(library, Mix.model_validate(row.mix)) if not one.gone]
        if old:
            found.append(Stale("design", row.id, row.name, f"{', '.join(old)} {'has' if len(old) == 1 else 'have'} changed since"))
    names = {row.id: row.name for row in rows}
    for sound, name, made_of, key in designs.prints(library):
        if made_of in now and now[made_of] != key:
            found.append(Stale("print", sound, name, f"{names[made_of]} has changed since it was printed"))
    for scene in scenes.scenes(library):
        placed = Scene.model_validate(scene.scene).mix
        old = list(dict.fromkeys(one.name for one in newer_layers(library, placed) if not one.gone))
        if old:
            found.append(Stale("scene", scene.id, scene.name, f"{', '.join(old)} {'has' if len(old) == 1 else 'have'} changed since"))
    return found


def rebuild(studio: Studio, library: Library, progress: Progress = ALONE) -> list[str]:
    """Bring everything that is stale up to date: newer layers are taken, prints made anew, and what is made of those in turn. Locked layers stay."""
    done: list[str] = []
    tried: set[tuple[str, int, str]] = set()
    for _ in range(ROUNDS):
        todo = [one for one in stale(library) if (one.kind, one.id, one.why) not in tried]
        # designs first: a print of a design that is itself stale would be made twice; scenes take what has come of both
        batch = next((some for kind in ("design", "print", "scene") if (some := [one for one in todo if one.kind == kind])), [])
        if not batch:
            break
        for one in batch:
            if not progress.wanted:
                return done
            if one.kind == "design":
                row, mix = designs.design(library, one.id)
                fresh, changed = renew(studio, library, mix)
                if not changed:
                    tried.add((one.kind, one.id, one.why))  # all of them are locked
                    continue
                designs.save(library, one.id, row.name, fresh)
                done.append(f"{row.name}: {', '.join(changed)} taken anew")
            elif one.kind == "print":
                reprint(studio, library, one.id)
                done.append(f"{one.name} printed anew")
            else:
                kept, scene = scenes.scene(library, one.id)
                placed, changed = renew(studio, library, scene.mix)
                if not changed:
                    tried.add((one.kind, one.id, one.why))
                    continue
                scenes.save(library, one.id, kept.name, scene.model_copy(update={"mix": placed}))
                done.append(f"{kept.name}: {', '.join(changed)} taken anew")
            progress.at(len(done), len(done) + len(batch))
    return done


class Rebuilding(Arguments):
    """Bring everything that is stale up to date."""


class Rebuilt(BaseModel):
    """What was made anew, in words."""

    kind: Literal["rebuild"] = "rebuild"
    done: list[str]


REBUILD = Kind("rebuild", Rebuilding, lambda studio, library, _, progress: Rebuilt(done=rebuild(studio, library, progress)))

# ---- prints


@dataclass(frozen=True)
class PrintProposal:
    """What a print of a design would be called, and where it would be filed."""

    name: str
    category: str


def proposed_print(library: Library, id: int) -> PrintProposal:
    """What a print of a design is proposed to be: a name no sound has yet, and the category its words propose."""
    row, _ = designs.design(library, id)
    name, number = f"{row.name} print", 2
    taken = naming.names_like(library, name)
    while name in taken:
        name, number = f"{row.name} print {number}", number + 1
    return PrintProposal(name, vocabulary(library).propose(row.name).category)


def print_design(studio: Studio, library: Library, mix: Mix, name: str, category: str = "", design: int | None = None) -> int:
    """Print a mix to the library; it is known as the print of its design."""
    if not sounding(mix):
        raise OskrenError("Every layer is muted or there is none; nothing would be heard in the print.")
    id = studio.print_node(library, mix, name, category)
    if design is not None:
        designs.note_print(library, id, design, mix)
    zero = _zero_s(studio, library, mix)
    sound = library.sound(id)
    # the strike line is where a print wants to land
    library.change(id, {"measures": {**sound.measures, "anchor_s": round(zero, 6), "anchor_kind": "hit"}})
    return id


def reprint(studio: Studio, library: Library, id: int) -> None:
    """Make a print anew from its design as it is now: the same sound with newer audio; its old audio stays for what was made of it."""
    made_of = next((design for sound, _, design, _ in designs.prints(library) if sound == id), None)
    if made_of is None:
        raise OskrenError(f"The sound {id} is not known as the print of a design; print the design again.")
    _, mix = designs.design(library, made_of)
    made, facts = studio.printed(library, mix)
    measures = Measures(**facts["measures"]).model_dump() | {"anchor_s": round(_zero_s(studio, library, mix), 6), "anchor_kind": "hit"}
    values: dict[str, Any] = {"node": made.model_dump(mode="json"), "digest": node_hash(made), "measures": measures, "outline": facts["outline"]}
    library.change(id, values | {name: facts[name] for name in ("rate", "channels", "frames", "layout")})
    designs.note_print(library, id, made_of, mix)


# ---- freezing


def freeze(studio: Studio, library: Library, mix: Mix, id: str) -> Mix:
    """A design with a layer or group frozen: its audio is printed beside the library's sounds and heard in place of what it is made of."""
    for member in mix.members:
        if member.id == id:
            made, _ = studio.printed(library, member_node(thawed(member)))
            frozen = member.model_copy(update={"frozen": made})
            return mix.model_copy(update={"members": tuple(frozen if one is member else one for one in mix.members)})
    for group in mix.groups:
        if group.id == id:
            made = _printed_group(studio, library, mix, group)
            return mix.model_copy(update={"groups": tuple(group.model_copy(update={"frozen": made}) if one is group else one for one in mix.groups)})
    raise OskrenError("That layer is not in the design any more.")


def _printed_group(studio: Studio, library: Library, mix: Mix, group: Group) -> Print:
    own = group_mix(mix, group, studio.renderer(library).mix_rate(mix))
    if not any(not member.mute for member in own.members):
        raise OskrenError(f"Every layer of {group.name or 'the group'} is muted; nothing would be heard.")
    return studio.printed(library, own)[0]
