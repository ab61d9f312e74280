"""What a scene says to those it is handed to: its placements as clips on tracks, its cues as rows."""

from __future__ import annotations

import csv
import io
import itertools
from collections.abc import Mapping, Sequence
from fractions import Fraction
from math import floor
from pathlib import Path
from typing import Literal

from pydantic import BaseModel

from oskren.core.controls import choice, number, switch
from oskren.core.nodes.members import loose
from oskren.core.nodes.model import Frozen, Member, Mix
from oskren.core.nodes.render import Renderer
from oskren.core.picture.lanes import lanes
from oskren.core.picture.scene import Scene, heard, nearest_frame
from oskren.core.timecode import code_of, moment_of
from oskren.core.words.names import legal
from oskren.core.words.wanting import PRIORITIES

LOOSE = "Other sounds"
"""The track of what is in no group."""


PICTURES = {"copy": "the picture as it is", "h264": "H.264 in MP4", "vp9": "VP9 in WebM"}
"""What becomes of the picture of a film that is handed over with the mix."""

LONGEST_HANDLE_S = 30.0
LONGER = "What trimmed sounds are longer at both ends; their fades are left to the editor"


def ending(film_path: Path, picture: str) -> str:
    """The ending of a film that is written with another sound."""
    if picture == "h264":
        return ".mp4"
    if picture == "vp9":
        return ".webm"
    own = film_path.suffix.lower()
    return own if own in (".mp4", ".mov", ".mkv", ".webm") else ".mkv"


class Handing(BaseModel):
    """What of a scene is handed over."""

    bits: Literal[16, 24, 32] = choice(24, {16: "16", 24: "24", 32: "32 float"}, "Bits")
    stems: bool = switch(True, "Stems", "One file a group; together they are the mix")
    sounds: bool = switch(True, "Sounds and edit lists", "Every placement as a file, with EDL, OpenTimelineIO and XML that name them")
    handle_s: float = number(1.0, 0, LONGEST_HANDLE_S, "s", "Handles", step=0.1, usual=(0, 5), hint=LONGER)
    picture: Literal["none", "copy", "h264", "vp9"] = choice("copy", {"none": "no film", **PICTURES}, "Film with the mix")


class Clip(Frozen):
    """A placement as an editor takes it: a file, the part of it that is heard and where that lies, in frames of the film.

    ``first`` is the frame of the film the part begins on, ``inside`` the frame of the file it begins on, ``frames`` how many it is long,
    ``held`` how many the file holds. ``anchor_frame`` is where the anchor lies.
    """

    id: str
    name: str
    track: str
    file: str = ""
    first: int
    inside: int
    frames: int
    held: int
    anchor_frame: int
    anchor_s: float


class Laid(Frozen):
    """A placement for an editor: the clip, and what its file holds, which begins on a frame; level and pan are in it, what its group does is not."""

    clip: Clip
    node: Mix


def opened(member: Member, handle_s: float, whole_s: float) -> Member:
    """A placement whose edges are moved out by a handle (s of its own time), as far as its source (``whole_s``) reaches; its fades are left to the editor."""
    if not handle_s or (member.start_s is None and member.end_s is None) or member.frozen is not None:
        return member
    speed = (1.0 if member.keep_length else 2.0 ** (member.pitch_st / 12)) / member.stretch
    reach = handle_s * speed
    start = None if member.start_s is None else max(0.0, member.start_s - reach)
    end = None if member.end_s is None else min(whole_s, member.end_s + reach)
    return member.model_copy(update={"start_s": start, "end_s": end, "fade_in_s": 0.0, "fade_out_s": 0.0})


def laid_out(renderer: Renderer, scene: Scene, handle_s: float = 0.0) -> list[Laid]:
    """Every placement that sounds, as a clip with handles, overlaps kept apart on tracks of its group.

    Parameters
    ----------
    renderer : Renderer
        Knows lengths; nothing is rendered.
    scene : Scene
    handle_s : float
        What is given beyond both edges of a trimmed placement (s).
    """
    mix, rate = heard(scene), scene.counted.rate
    muted = {group.id for group in mix.groups if group.mute}
    sounding = [one for one in mix.members if not one.mute and one.group not in muted]
    samples = renderer.mix_rate(mix)
    found: list[tuple[Member, int, int, int, int]] = []
    for member in sounding:
        _, own, start = renderer.placed(mix, member, samples)
        wide = opened(member, handle_s, renderer.output_shape(member.node).seconds)
        _, whole, begins = renderer.placed(mix, wide, samples)
        # the file begins on the last frame before its first sample, the part on the last one before its own
        file_frame = floor(Fraction(begins, samples) * rate)
        first = max(file_frame, floor(Fraction(start, samples) * rate), 0)
        last = -floor(-Fraction(start + own.frames, samples) * rate)
        held = -floor(-Fraction(begins + whole.frames, samples) * rate) - file_frame
        found.append((wide, file_frame, first, min(last, scene.frames), held))
    names = {group.id: group.name or group.id for group in mix.groups}
    tracks = _tracks([(names.get(member.group, LOOSE), first, last) for member, _, first, last, _ in found])
    laid = []
    for (member, file_frame, first, last, held), track in zip(found, tracks, strict=True):
        if last <= first:
            continue  # it lies outside of the film
        anchor = nearest_frame(member.at_s, scene.counted)
        clip = Clip(
            id=member.id, name=member.name or member.id, track=track, first=first, inside=first - file_frame, frames=last - first, held=held,
            anchor_frame=anchor, anchor_s=member.at_s,
        )  # fmt: skip
        alone = member.model_copy(update={"group": "", "at_s": member.at_s - moment_of(file_frame, scene.counted)})
        single = mix.model_copy(update={"members": (alone,), "groups": (), "chain": (), "rate": samples, "length_s": moment_of(held, scene.counted)})
        laid.append(Laid(clip=clip, node=single))
    return laid


def _tracks(spans: list[tuple[str, int, int]]) -> list[str]:
    """Track of each placement: its group, numbered where several lie side by side."""
    found = [""] * len(spans)
    for name in dict.fromkeys(group for group, _, _ in spans):
        own = [at for at, (group, _, _) in enumerate(spans) if group == name]
        places = lanes([(spans[at][1], spans[at][2]) for at in own])
        for at, place in zip(own, places, strict=True):
            found[at] = f"{name} {place + 1}" if max(places) else name
    return found


def stem(mix: Mix, group: str) -> Mix:
    """What a group (by its id; what is in none for the empty one) gives to the sum, without the chain on the sum: the stems add up to it."""
    if not group:
        return mix.model_copy(update={"members": loose(mix), "groups": (), "chain": ()})
    members = tuple(one for one in mix.members if one.group == group)
    return mix.model_copy(update={"members": members, "groups": tuple(one for one in mix.groups if one.id == group), "chain": ()})


def stems(mix: Mix) -> dict[str, Mix]:
    """The stems of a mix by the name of their file: that of their group; what is muted is in none."""
    names = [("", LOOSE)] if any(not one.mute for one in loose(mix)) else []
    names += [(one.id, one.name or one.id) for one in mix.groups if not one.mute and any(m.group == one.id and not m.mute for m in mix.members)]
    return dict(zip(file_names([name for _, name in names]), (stem(mix, id) for id, _ in names), strict=True))


def file_names(names: Sequence[str]) -> list[str]:
    """Names as parts of files, each another one, also where case does not count and what is forbidden was taken out.

    >>> file_names(["Hits", "hits", "A/B", "A:B"])
    ['Hits', 'hits 2', 'A_B', 'A_B 2']
    """
    found: list[str] = []
    for name in names:
        plain = legal(name, 80)
        numbered = (plain if count == 1 else f"{plain} {count}" for count in itertools.count(1))
        taken = {one.casefold() for one in found}
        found.append(next(one for one in numbered if one.casefold() not in taken))
    return found


CUE_COLUMNS = ("number", "time code", "frame", "until", "cue", "priority", "state", "sounds", "notes")


def cue_sheet(scene: Scene) -> str:
    """The cues of a scene as CSV, in order of time, with the names of what answers each."""
    names: Mapping[str, str] = {member.id: member.name for member in scene.mix.members}
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(CUE_COLUMNS)

    def code(frame: int) -> str:
        return code_of(scene.start + frame, scene.counted)

    for count, cue in enumerate(sorted(scene.cues, key=lambda one: one.frame), 1):
        answers = [names[id] for id in cue.placed if id in names]
        state = "done" if cue.done else "answered" if answers else "open"
        until = "" if cue.until is None else code(cue.until)
        rows.writerow([count, code(cue.frame), cue.frame, until, cue.name, PRIORITIES[cue.priority], state, "; ".join(answers), cue.notes])
    return out.getvalue()
