"""Designs whose files are gone: the layers that cannot sound are passed over, the rest is heard as ever."""

from __future__ import annotations

from collections.abc import Collection

from oskren.core.nodes.members import thawed
from oskren.core.nodes.model import Group, Member, Mix, Node
from oskren.core.nodes.walk import inputs, leaves


def lacking(node: Node, gone: Collection[str]) -> list[str]:
    """Hashes of the audio a node is made of that is among what is ``gone``, in order of first use."""
    return [leaf.audio for leaf in leaves(node) if leaf.audio in gone] if gone else []


def without_missing(node: Node, gone: Collection[str]) -> tuple[Node, list[str]]:
    """A node with every layer muted whose audio is gone, in designs at any depth, and the names of those layers.

    The hash changes with it, so what is rendered this way is never taken for the whole design. A node that is gone itself, or a step
    that works with a sound that is gone, is left as it is: it cannot be rendered (see :func:`lacking`).

    Parameters
    ----------
    gone : collection of str
        Hashes of audio whose file cannot be read.
    """
    if not lacking(node, gone):
        return node, []
    if not isinstance(node, Mix):
        inner = getattr(node, "node", None)
        if inner is None:
            return node, []
        fresh, names = without_missing(inner, gone)
        return (node.model_copy(update={"node": fresh}), names) if names else (node, [])
    groups = tuple(_group(group, gone) for group in node.groups)
    frozen = {group.id for group in groups if group.frozen is not None}
    members, names = [], []
    for member in node.members:
        kept, lost = (member, []) if member.group in frozen else _member(member, gone)
        members.append(kept)
        if not member.mute:
            names += lost
    return node.model_copy(update={"members": tuple(members), "groups": groups}), names


def _group(group: Group, gone: Collection[str]) -> Group:
    return group if group.frozen is None or group.frozen.audio not in gone else group.model_copy(update={"frozen": None})


def _member(member: Member, gone: Collection[str]) -> tuple[Member, list[str]]:
    """A layer as it can be heard, and the names of what is missing in it; frozen audio needs nothing of what it was made of."""
    if member.frozen is not None:
        if member.frozen.audio not in gone:
            return member, []
        member = thawed(member)
    inner, names = without_missing(member.node, gone)
    chained = [one for step in member.chain if step.learned_on is not None for one in lacking(step.learned_on, gone)]
    if (lacking(inner, gone) and not _heard(inner, gone)) or chained:
        return member.model_copy(update={"mute": True}), [member.name or "a layer"]
    return member.model_copy(update={"node": inner}), names


def _heard(node: Node, gone: Collection[str]) -> bool:
    """Whether a node can be rendered: nothing that sounds in it is gone."""
    if isinstance(node, Mix):
        sounding = [member for member in node.members if not member.mute]
        fit = all(member.frozen is not None or _heard(member.node, gone) for member in sounding)
        return fit and not any(step.learned_on is not None and lacking(step.learned_on, gone) for step in node.chain)
    if not inputs(node):
        return not lacking(node, gone)
    return all(_heard(inner, gone) for inner in inputs(node))


def renderable(node: Node, gone: Collection[str]) -> bool:
    """Whether a node, with missing layers muted, can be rendered at all."""
    return not lacking(node, gone) or _heard(node, gone)
