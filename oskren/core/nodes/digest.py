"""Hash of a node: of what changes its audio, and of nothing else."""

from __future__ import annotations

import functools
import hashlib
import importlib.metadata
import json
from typing import Any

from oskren.core.audio.layouts import layout_of
from oskren.core.audio.places import WIDE
from oskren.core.envelope import Envelope
from oskren.core.nodes.members import group_mix, loose, member_node, thawed
from oskren.core.nodes.model import FADE_S, Chained, Difference, Excerpt, Group, Loop, Member, Mix, Node, Print, Row, Source, Step, active
from oskren.core.steps.base import kind_of

HASH_VERSION = 1


@functools.lru_cache(maxsize=1)
def _libraries() -> dict[str, str]:
    """Versions of the libraries whose results are part of the audio."""
    return {name: importlib.metadata.version(name) for name in ("soxr", "python-stretch")}


def _step_facts(step: Step) -> dict[str, Any]:
    kind = kind_of(step.kind)
    facts: dict[str, Any] = {"kind": step.kind, "version": kind.version_of(step.values()), "params": step.values().model_dump()}
    if step.kind in ("pitch", "rate"):
        facts["libraries"] = _libraries()
    if (kind.portable or kind.beside) and step.learned_on is not None:
        facts["learned_on"] = node_hash(step.learned_on)
    if kind.keeps_time and step.limited:
        facts["part"] = [step.start_s, step.end_s]
        more = [list(step.channels), step.low_hz, step.high_hz, step.fade_s, step.tail]
        if more != [[], None, None, FADE_S, "cut"]:
            facts["limits"] = more
    if own := kind.outside(step.values()):
        facts["outside"] = own
    if step.moves:
        facts["moves"] = [_way(one) for one in step.moves]
    return facts


def _way(envelope: Envelope) -> list[Any]:
    return [envelope.control, envelope.points, envelope.curve]


def _in_plane(one: Member | Group, layout: str) -> list[Any]:
    """Where in the plane of a wide sum something is heard, unless it is where it was made."""
    return [["plane", one.back, one.width]] if layout in WIDE and (one.back, one.width) != (0, 1) else []


def _member_facts(member: Member, layout: str) -> list[Any]:
    facts: list[Any] = [node_hash(member_node(member)), member.at_s, member.anchor_s, member.gain_db, member.pan, *_in_plane(member, layout)]
    if member.frozen is not None:
        facts.append(["stands for", node_hash(member_node(thawed(member)))])  # where it lies is told by what it was frozen from
    controls = ("gain_db", "pan", "back") if layout in WIDE else ("gain_db", "pan")
    moves = [_way(one) for control in controls if (one := member.envelope(control))]
    return [*facts, moves] if moves else facts


def _facts(node: Node) -> Any:
    """What of a node changes its audio, as plain data; inputs by their hash."""
    match node:
        case Source() | Print():
            # an unstated layout is the usual one of so many channels, so stating that one changes nothing
            unusual = node.layout is not None and node.layout != layout_of(node.channels)
            return ["file", node.audio, node.layout] if unusual else ["file", node.audio]
        case Excerpt():
            return ["excerpt", node_hash(node.node), node.start_s, node.end_s]
        case Chained():
            on = active(node.chain)
            zero = ["from zero"] if node.from_zero and any(step.limited or step.moves for step in on) else []
            return ["chained", node_hash(node.node), [_step_facts(step) for step in on], *zero]
        case Loop():
            drawn = [] if node.seed is None else ["woven", node.seed]
            return ["loop 2", node_hash(node.node), node.start_s, node.end_s, node.crossfade_s, node.length_s, *drawn]
        case Difference():
            return ["difference", node_hash(node.node), node_hash(node.without)]
        case Row():
            return ["row", [node_hash(part) for part in node.nodes], node.gap_s]
        case Mix():
            members = [_member_facts(member, node.layout) for member in loose(node) if not member.mute]
            groups = [_group_facts(node, group) for group in node.groups if not group.mute]
            law = [["pan law", node.pan_law]] if node.pan_law != "-3 dB" and node.layout not in WIDE else []
            length = [["length", node.length_s]] if node.length_s is not None else []
            return ["mix", members, [_step_facts(step) for step in active(node.chain)], node.rate, node.layout, *([groups] if groups else []), *law, *length]


def _group_facts(mix: Mix, group: Group) -> list[Any]:
    facts: list[Any] = [node_hash(group_mix(mix, group, None)), group.gain_db, group.pan, *_in_plane(group, mix.layout)]
    return facts if group.frozen is None else [*facts, group.frozen.audio]


def digest_of(node: Node) -> str:
    """Hash of exactly this node (40 hexadecimal digits), found once and kept with it, since a node never changes."""
    known: str | None = node.__dict__.get("digest")
    if known is None:
        text = json.dumps([HASH_VERSION, _facts(node)], sort_keys=True, separators=(",", ":"))
        known = node.__dict__["digest"] = hashlib.blake2b(text.encode(), digest_size=20).hexdigest()
    return known


def node_hash(node: Node) -> str:
    """Stable content hash of what a node sounds like; a chain with nothing on it hashes as its input.

    Parameters
    ----------
    node : Node
        A source, or whatever is made of sources: excerpt, chain, loop, difference, row, mix.

    Returns
    -------
    str
        40 hexadecimal digits. Names, muted layers and steps that are off do not change them.

    Examples
    --------
    >>> from oskren.core.nodes.model import Chained, Source, Step
    >>> glass = Source(audio="a" * 40, rate=48_000, channels=1, frames=100)
    >>> louder = Step(kind="gain", params={"gain_db": 3.0})
    >>> node_hash(Chained(node=glass, chain=(louder.model_copy(update={"on": False}),))) == node_hash(glass)
    True
    >>> node_hash(Chained(node=glass, chain=(louder,))) == node_hash(glass)
    False
    """
    while isinstance(node, Chained) and not active(node.chain):
        node = node.node
    return digest_of(node)
