"""Beds: a sound that goes on for as long as wanted without a seam, as a layer of a design or a placement of a scene."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Chained, Excerpt, Loop, Member, Mix, Node, Step
from oskren.core.nodes.walk import inputs
from oskren.core.stack.beds import Bed
from oskren.store import Library
from oskren.work.engine.studio import Studio

SHORTEST_S = 0.1

SHORTEST_REPEATED_S = 1.0
"""What is shorter is heard to come again, as a rhythm or a tone; common practice, no source."""

SEAM_S = 0.35
"""Crossfade of a bed into itself, at most."""

EDGE = 0.06
"""Share of a bed at each end that is not repeated: there it fades in and out."""

LEAST_SLOPE = 0.005
"""Where a second more of a sound makes less than this of what is heard, something else sets its length; no pitch or stretch comes near."""

NEAR_S = 1e-4
"""A bed is as long as wanted to within this."""

HELD_S = 30.0
"""What is held for longer goes on as a bed of that."""

HOLD_FADE_S = 0.1
HELD = "held"
"""Id of the step by which a sound is held."""


def bed_node(studio: Studio, library: Library, node: Node, seconds: float, seed: int | None) -> Node:
    """A sound that goes on for so long (s) without a seam: its middle, in an order drawn with a seed; over and over where that is None.

    Raises
    ------
    OskrenError
        When it is too short to go on without being heard to repeat.
    """
    shape = studio.renderer(library).output_shape(node)
    return Excerpt(node=node, start_s=0.0, end_s=seconds) if shape.seconds >= seconds else _loop(node, shape.seconds, seconds, seed)


def _loop(node: Node, whole_s: float, seconds: float, seed: int | None) -> Loop:
    if whole_s < SHORTEST_REPEATED_S:
        raise OskrenError("This sound is too short to repeat without being heard to; take one of a second or more.")
    first, last = EDGE * whole_s, (1 - EDGE) * whole_s
    return Loop(node=node, start_s=first, end_s=last, crossfade_s=min(SEAM_S, (last - first) / 4), length_s=seconds, seed=seed)


def held_node(studio: Studio, library: Library, node: Node, at: float, seconds: float, seed: int) -> Node:
    """A moment (s) of a sound, held for so long (s): what decays goes on so without its attack."""
    held = min(seconds, HELD_S)
    params = {"at_s": at, "hold_s": held + 2 * HOLD_FADE_S, "blur_ms": 120.0, "then": "ends", "fade_ms": 1000 * min(HOLD_FADE_S, at / 2)}
    part = Excerpt(node=Chained(node=node, chain=(Step(kind="hold", id=HELD, params=params),)), start_s=at, end_s=at + held)
    return part if seconds <= HELD_S else bed_node(studio, library, part, seconds, seed)


def _is_held(node: Node) -> bool:
    return isinstance(node, Chained) and [step.id for step in node.chain] == [HELD] and node.chain[0].kind == "hold"


def _bed_in(member: Member) -> Loop | Excerpt | Mix | None:
    """What goes on in a layer: a sound, or several made to a length, as in a tonal bed; None in what follows its sound or a design."""
    node = member.node
    if member.origin is not None or not isinstance(node, Loop | Excerpt | Mix):
        return None
    return None if isinstance(node, Mix) and node.length_s is None else node


def as_bed(studio: Studio, library: Library, mix: Mix, id: str, bed: Bed, seed: int) -> Member:
    """A layer of a mix that goes on as asked, or that is as long as its sound again.

    Its trim becomes part of what repeats. It is made of a state of its sound, so that no newer one is taken over it. A bed that is there
    keeps its order when its length changes; ``seed`` draws that of a new one.

    Raises
    ------
    NotFound
        When there is no such layer.
    OskrenError
        When it sounds that long already, or is too short to go on.
    """
    member = next((one for one in mix.members if one.id == id), None)
    if member is None:
        raise NotFound("That layer is not in the design any more.")
    node = member.node
    if isinstance(_bed_in(member), Mix):
        if bed.seconds is None:
            raise OskrenError(f"{member.name} was made to a length and has none of its own; give it another, or take it away.")
        heard = studio.renderer(library).placed(mix, member)[1].seconds
        return lengthened(studio, library, mix, [id], bed.seconds - heard)[0]
    if isinstance(node, Loop) and bed.seconds is None:
        return member.model_copy(update={"node": node.node, "anchor_s": member.anchor_s + node.start_s})
    if bed.seconds is None:
        return member
    if isinstance(node, Loop):
        own = node.seed if node.seed is not None else seed
        drawn = node.model_copy(update={"seed": own if bed.anew else None})
        # how long it is now asked for stands over where it was cut short
        return _made(studio, library, mix, member.model_copy(update={"end_s": None}), bed.seconds, _longer(drawn), node.length_s)
    renderer = studio.renderer(library)
    heard, whole = renderer.placed(mix, member)[1].seconds, renderer.output_shape(node).seconds
    start, end = member.start_s or 0.0, min(whole, member.end_s if member.end_s is not None else whole)
    if bed.seconds <= heard:
        raise OskrenError(f"{member.name or 'It'} sounds {heard:.2f} s long already; drag its end in to make it shorter.")
    if start or end < whole:
        node = Excerpt(node=node, start_s=start, end_s=end)
    repeated = _loop(node, end - start, end - start, seed if bed.anew else None)
    plain = {"start_s": None, "end_s": None, "anchor_s": max(0.0, member.anchor_s - start - repeated.start_s), "origin": None}
    return _made(studio, library, mix, member.model_copy(update=plain), bed.seconds, _longer(repeated), end - start)


def _longer(loop: Loop) -> Callable[[float], Node]:
    return lambda length: loop.model_copy(update={"length_s": length})


def _made(studio: Studio, library: Library, mix: Mix, member: Member, wanted: float, made: Callable[[float], Node], length: float) -> Member:
    """The member with a node as long (s of its own) as it needs to be to sound so long: pitch, stretch and tails of its chain are met."""
    renderer = studio.renderer(library)

    def heard(own: float) -> float:
        return renderer.placed(mix, member.model_copy(update={"node": made(own)}))[1].seconds

    for _ in range(6):
        now = heard(length)
        if abs(wanted - now) < NEAR_S:
            break
        less = min(0.1, length / 2)
        slope = (now - heard(length - less)) / less
        if slope < LEAST_SLOPE:
            raise OskrenError(f"A step in the chain of {member.name or 'the layer'} sets how long it sounds; take that step off, or change it there.")
        length = max(0.01, round(length + (wanted - now) / slope, 9))
    fades = {name: min(getattr(member, name), wanted / 2) for name in ("fade_in_s", "fade_out_s")}
    return member.model_copy(update={"node": made(length), **fades})


def lengthened(studio: Studio, library: Library, mix: Mix, ids: Sequence[str], by_s: float) -> list[Member]:
    """Beds of a mix so much longer (s), or shorter, as they are heard; their sound goes on as it was as far as they were both there.

    A bed of several sounds is longer with all of them; the top of its swell stays where it is.

    Raises
    ------
    NotFound
        When none of the layers is there.
    OskrenError
        When one is no bed, is cut short, or would be shorter than a tenth of a second.
    """
    wanted = [one for one in mix.members if one.id in set(ids)]
    if not wanted:
        raise NotFound("There is no such layer any more.")
    renderer, found = studio.renderer(library), []
    for one in wanted:
        node = _bed_in(one)
        if node is None:
            raise OskrenError(f"{one.name} is no bed; a bed fills a marked range, or goes on for a length that is set.")
        if one.end_s is not None:
            raise OskrenError(f"{one.name} is cut short at its end; drag its end out again first.")
        length = renderer.placed(mix, one)[1].seconds + by_s
        if length < SHORTEST_S:
            raise OskrenError(f"{one.name} would be shorter than {SHORTEST_S} s.")
        made = _made(studio, library, mix, one, length, _as_long(studio, library, node, seed=round(abs(one.at_s) * 1000)), _own_s(node))
        found.append(_ending(made, _own_s(node)) if isinstance(node, Mix) else made)
    return found


def _own_s(node: Loop | Excerpt | Mix) -> float:
    """How long a bed's node is (s of its own)."""
    if isinstance(node, Excerpt):
        return node.end_s - node.start_s
    return node.length_s or 0.0


def _ending(member: Member, before: float) -> Member:
    """A bed of several sounds whose curves that ended with it (s of its own) end with it now.

    Raises
    ------
    OskrenError
        When it would end before its anchor, the top of its swell.
    """
    assert isinstance(member.node, Mix) and member.node.length_s is not None
    now = member.node.length_s
    if now <= member.anchor_s:
        raise OskrenError(f"{member.name} swells for {member.anchor_s:.2f} s up to its frame; it can end no sooner.")
    moved = [
        way.model_copy(update={"points": (*way.points[:-1], (now, way.points[-1][1]))})
        if len(way.points) > 1 and abs(way.points[-1][0] - before) < 0.01
        else way
        for way in member.envelopes
    ]
    return member.model_copy(update={"envelopes": tuple(moved)})


def _as_long(studio: Studio, library: Library, node: Loop | Excerpt | Mix, seed: int) -> Callable[[float], Node]:
    """A bed's node by its length (s of its own)."""
    if isinstance(node, Loop):
        return _longer(node)
    if isinstance(node, Mix):
        return lambda length: _all_as_long(studio, library, node, length)
    if _is_held(node.node):
        return lambda length: held_node(studio, library, inputs(node.node)[0], node.start_s, length, seed)
    if not node.start_s:
        return lambda length: bed_node(studio, library, node.node, length, seed)
    whole = studio.renderer(library).output_shape(node.node).seconds

    def later(length: float) -> Node:
        if node.start_s + length > whole:
            raise OskrenError("The sound ends there; fill the range with it as a bed, then it repeats.")
        return node.model_copy(update={"end_s": node.start_s + length})

    return later


def _all_as_long(studio: Studio, library: Library, mix: Mix, length: float) -> Mix:
    """A bed of several sounds, each as much longer (s of its own, before its pitch) as all of them are."""
    layers = []
    for number, layer in enumerate(mix.members):
        node = layer.node
        if not isinstance(node, Loop | Excerpt) or layer.end_s is None or not mix.length_s:
            raise OskrenError(f"{layer.name} in this bed does not go on for any length; lay the bed again over the longer range.")
        own = layer.end_s * length / mix.length_s
        made = _as_long(studio, library, node, seed=number)(_own_s(node) + own - layer.end_s)
        layers.append(layer.model_copy(update={"node": made, "end_s": own}))
    return mix.model_copy(update={"members": tuple(layers), "length_s": length})
