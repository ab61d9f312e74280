"""Placements of a scene: sounds and designs on frames, taps, runs replaced, ranges filled."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel, Field

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Colour, Group, Member, Mix
from oskren.core.picture.scene import GROUPS, on_frame
from oskren.core.picture.tapping import Tap, Tapping, landed
from oskren.core.ship.draft import OnSheet
from oskren.core.stack.swap import LONGEST, SHORTEST
from oskren.core.timecode import FRAME_RATES, FrameRate
from oskren.core.words.wanting import content_words
from oskren.store import Library
from oskren.work.engine.studio import Studio
from oskren.work.ship.items import made_items
from oskren.work.stack.beds import bed_node
from oskren.work.stack.designs import fresh_id, layer_of_design, layer_of_sound
from oskren.work.stack.sources import candidates, swap

BEDS_FROM_S = 8.0
"""A sound as long as that, without a hard beginning, is a bed: it goes to the ambience."""

COLOURS: tuple[Colour, ...] = ("glass", "plum", "sky", "chalk")
"""Of the groups that are offered, in their order."""

MOVING = ("movement", "foley", "wing", "whoosh", "step")
"""Words of a category that say that something moves."""


class Onto(BaseModel):
    """What a placement goes onto: how the film's frames are counted, how many there are, and the groups there are.

    ``group`` names the one to go to, ``search`` is where a roll takes other sounds from.
    """

    frame_rate: str
    frames: int = Field(ge=1)
    groups: list[Group] = Field([], max_length=200)
    group: str = Field("", max_length=400)
    search: str = Field("", max_length=400)

    @property
    def counted(self) -> FrameRate:
        """How frames follow each other; OskrenError for a rate there is none of."""
        if self.frame_rate not in FRAME_RATES:
            raise OskrenError(f"There is no frame rate '{self.frame_rate}'; there are {', '.join(FRAME_RATES)}.")
        return FRAME_RATES[self.frame_rate]

    def id_of(self, name: str) -> str:
        """The id of the group of a name; it is made when there is none."""
        found = next((one for one in self.groups if one.name == name), None)
        if found is None:
            colour: Colour = COLOURS[GROUPS.index(name)] if name in GROUPS else ""
            found = Group(id=fresh_id().replace("layer", "group"), name=name, colour=colour)
            self.groups.append(found)
        return found.id


class Placements(BaseModel):
    """Placements that were made, in order of time, and all groups there are then."""

    members: list[Member]
    groups: list[Group]


def proposed_group(library: Library, member: Member) -> str:
    """The group a placement goes to when nobody says: beds to the ambience, what was designed to its own, all else to the hard effects."""
    if member.node.kind == "mix":
        return GROUPS[3]
    if member.origin is not None:
        sound = library.sound(member.origin.id)
        if sound.frames / sound.rate >= BEDS_FROM_S and (sound.measures.get("anchor_kind") or "start") == "start":
            return GROUPS[2]
        if any(word in sound.category.casefold() for word in MOVING):
            return GROUPS[1]
    return GROUPS[0]


def words_for(library: Library, cue: str, project: int = 1) -> str:
    """A search for what a cue needs: all of its words where they find something together, else the one that finds fewest sounds."""
    words = content_words(cue)
    if words and candidates(library, " ".join(words), project):
        return " ".join(words)
    found = [(count, word) for word in words if (count := len(candidates(library, word, project)))]
    return min(found)[1] if found else ""


def placed(library: Library, onto: Onto, member: Member, frame: int) -> Member:
    """A layer as a placement: its anchor on a frame, in its group."""
    group = onto.id_of(onto.group or proposed_group(library, member))
    return member.model_copy(update={"at_s": on_frame(frame, onto.counted), "group": group, "search": onto.search})


def layers_of_draws(studio: Studio, library: Library, ids: Sequence[int]) -> list[Member]:
    """Layers of variations as they were drawn: the strike line of each is its anchor."""
    renderer = studio.renderer(library)
    found = []
    for item in made_items(library, OnSheet(draws=list(ids))):
        shape = renderer.output_shape(item.node)
        found.append(Member(id=fresh_id(), name=item.name, node=item.node, anchor_s=shape.zero / shape.rate))
    return found


def place(
    studio: Studio, library: Library, onto: Onto, frame: int, sounds: Sequence[int] = (), designs: Sequence[int] = (), draws: Sequence[int] = ()
) -> Placements:
    """Sounds, designs and variations on a frame, each by its anchor."""
    layers = [layer_of_sound(library, id) for id in sounds] + [layer_of_design(studio, library, id) for id in designs]
    layers += layers_of_draws(studio, library, draws)
    return Placements(members=[placed(library, onto, layer, frame) for layer in layers], groups=onto.groups)


def tap(library: Library, onto: Onto, taps: Sequence[Tap], lists: Sequence[Sequence[int]], tapping: Tapping, searches: Sequence[str] = ()) -> Placements:
    """A candidate on the frame of every tap; ``searches`` say what found the candidates of each list."""
    if not any(lists):
        raise OskrenError("Choose what is to be tapped in first: sounds, a search, a set or a kit.")
    found = landed(taps, [len(one) for one in lists], tapping, onto.counted, onto.frames)
    layers = {id: layer_of_sound(library, id) for one in lists for id in set(one)}
    onto.group = onto.group or GROUPS[1]
    members = []
    for one in found:
        onto.search = searches[one.list] if one.list < len(searches) else ""
        members.append(placed(library, onto, layers[lists[one.list][one.candidate]].model_copy(update={"id": fresh_id()}), one.frame))
    return Placements(members=members, groups=onto.groups)


def replaced(studio: Studio, library: Library, members: Sequence[Member], sounds: Sequence[int]) -> list[Member]:
    """Placements, in order of time, with the sounds of another set in turn; what is locked stays as it is."""
    if not sounds:
        raise OskrenError("Choose the sounds to put there first.")
    run = sorted((one for one in members if not one.locked), key=lambda one: one.at_s)
    if not run:
        raise OskrenError("There is nothing to replace: choose placements that are not locked.")
    fresh = {member.id: swap(studio, library, member, sounds[number % len(sounds)]) for number, member in enumerate(run)}
    return [fresh.get(one.id, one) for one in members]


def span(onto: Onto, frame: int, until: int) -> tuple[float, float, float]:
    """From when to when (s) a bed goes on a range of frames, and the length of its fades. OskrenError when the range is none."""
    if until <= frame:
        raise OskrenError("A bed ends after it begins; mark a range first.")
    start, end = on_frame(frame, onto.counted), on_frame(until, onto.counted)
    return start, end, min(1.0, (end - start) / 4)


def bed(studio: Studio, library: Library, onto: Onto, sound: int, frame: int, until: int) -> Placements:
    """A sound that fills a range of frames and never repeats; it fades in and out over a second at most, and another range draws another order."""
    start, end, fade = span(onto, frame, until)
    layer = layer_of_sound(library, sound)
    # made of a state of the sound, but not the sound itself: a newer one is not taken over it
    made = {"node": bed_node(studio, library, layer.node, end - start, seed=frame), "anchor_s": 0.0, "fade_in_s": fade, "fade_out_s": fade, "origin": None}
    onto.group = onto.group or GROUPS[2]
    return Placements(members=[placed(library, onto, layer.model_copy(update=made), frame)], groups=onto.groups)


def fitted(studio: Studio, library: Library, mix: Mix, id: str, seconds: float) -> Member:
    """A placement of a mix stretched so that it sounds so long (s), its pitch kept.

    Raises
    ------
    NotFound
        When there is no such placement.
    OskrenError
        When it would have to be stretched further than stretching goes.
    """
    member = next((one for one in mix.members if one.id == id), None)
    if member is None:
        raise NotFound("There is no such placement any more.")
    _, shape, _ = studio.renderer(library).placed(mix, member)
    stretch = member.stretch * seconds / shape.seconds
    if not SHORTEST <= stretch <= LONGEST:
        raise OskrenError(f"{member.name} would have to be stretched to {stretch:.2g} times its length; take a sound nearer to it in length.")
    return member.model_copy(update={"stretch": round(stretch, 9)})
