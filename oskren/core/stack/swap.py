"""Another source for a layer: its place, level, pitch, chain and curves stay."""

from __future__ import annotations

from collections.abc import Callable

from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Member, Mix, Node, Origin

LONGEST, SHORTEST = 10.0, 0.1
"""Factors a layer can be stretched by."""


def swapped(member: Member, node: Node, name: str, anchor_s: float, origin: Origin | None, *, seconds: tuple[float, float] | None = None) -> Member:
    """A layer with another source.

    Its anchor (s of the new node) lands where the old one's did. Trims belong to the old sound and go; so does what it was frozen to.
    With ``seconds`` (how long the layer is now, how long it would be with the new source) it is stretched to last as long as before, as
    far as stretching goes; curves are drawn out along with it where no length is kept, so that they still reach from its start to its end.
    """
    stretch = member.stretch
    if seconds is not None and min(seconds) > 0:
        stretch = min(LONGEST, max(SHORTEST, member.stretch * seconds[0] / seconds[1]))
    update = {
        "node": node,
        "name": name,
        "anchor_s": anchor_s,
        "origin": origin,
        "start_s": None,
        "end_s": None,
        "frozen": None,
        "stretch": round(stretch, 9),
    }
    return member.model_copy(update=update)


def renewed(member: Member, node: Node) -> Member:
    """A layer with the newer state of what it was made with: all but the audio stays. What was put around the sound when it was layered stays around it."""
    assert member.origin is not None
    pinned = member.origin.pinned
    inner = member.node
    if node_hash(inner) != pinned and inner.kind == "chained" and node_hash(inner.node) == pinned:
        fresh: Node = inner.model_copy(update={"node": node})
    else:
        fresh = node
    origin = member.origin.model_copy(update={"pinned": node_hash(node)})
    return member.model_copy(update={"node": fresh, "origin": origin, "frozen": None})


def replaced_everywhere(mix: Mix, kind: str, number: int, change: Callable[[Member], Member]) -> tuple[Mix, int]:
    """A design with every unlocked layer that was made with a sound or design changed, in designs nested in it too; and how many were."""
    count = 0
    members = []
    for member in mix.members:
        if not member.locked and member.origin is not None and (member.origin.kind, member.origin.id) == (kind, number):
            member, count = change(member), count + 1
        elif member.node.kind == "mix":
            inner, found = replaced_everywhere(member.node, kind, number, change)
            if found:
                member, count = member.model_copy(update={"node": inner, "frozen": None}), count + found
        members.append(member)
    return (mix.model_copy(update={"members": tuple(members)}), count) if count else (mix, 0)


def designs_in(mix: Mix) -> set[int]:
    """Designs of the library a design holds as layers, at any depth."""
    found: set[int] = set()
    for member in mix.members:
        if member.origin is not None and member.origin.kind == "design":
            found.add(member.origin.id)
        if member.node.kind == "mix":
            found |= designs_in(member.node)
    return found
