"""Walks over nodes: what one is made of, down to the originals."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Chained, Difference, Mix, Node, Print, Row, Source, Step
from oskren.core.steps.plugin import PluginStep


def inputs(node: Node) -> list[Node]:
    """What a node is made of, one level down; what its steps learn from too."""
    match node:
        case Source() | Print():
            return []
        case Mix():
            frozen = [one for one in (*(member.frozen for member in node.members), *(group.frozen for group in node.groups)) if one is not None]
            chains = (node.chain, *(member.chain for member in node.members), *(group.chain for group in node.groups))
            return [*(member.node for member in node.members), *frozen, *learned_from(*chains)]
        case Difference():
            return [node.node, node.without]
        case Row():
            return list(node.nodes)
        case Chained():
            return [node.node, *learned_from(node.chain)]
        case _:
            return [node.node]


def sounding(mix: Mix) -> bool:
    """Whether anything of a design is heard: a layer that is not muted, in no muted group; what has a length of its own is, be it silent."""
    if mix.length_s is not None:
        return True
    muted = {group.id for group in mix.groups if group.mute}
    return any(not member.mute and member.group not in muted for member in mix.members)


def steps_of(mix: Mix) -> list[Step]:
    """Every step of a design: of its sum, its groups and its layers."""
    return [step for chain in (mix.chain, *(group.chain for group in mix.groups), *(member.chain for member in mix.members)) for step in chain]


def all_steps(node: Node) -> Iterator[Step]:
    """Every step of a node and of what it is made of."""
    if isinstance(node, Chained):
        yield from node.chain
    if isinstance(node, Mix):
        yield from steps_of(node)
    for inner in inputs(node):
        yield from all_steps(inner)


def hash_lasts(node: Node) -> bool:
    """Whether a hash found of a node is still true later on in this process: there is no plug-in in it, which may stand otherwise by then."""
    return not any(step.kind == PluginStep.key for step in all_steps(node))


def learned_from(*chains: Sequence[Step]) -> list[Node]:
    """Other sounds the steps of chains learn from."""
    return [step.learned_on for chain in chains for step in chain if step.learned_on is not None]


def leaves(node: Node) -> list[Source | Print]:
    """The originals and prints a node is made of, each once, in order of first use."""
    found: dict[str, Source | Print] = {}

    def visit(part: Node) -> None:
        if isinstance(part, Source | Print):
            found.setdefault(part.audio, part)
        for inner in inputs(part):
            visit(inner)

    visit(node)
    return list(found.values())


def hashes_in(node: Node) -> set[str]:
    """Hashes of a node and of everything in it, down to the originals."""
    found = {node_hash(node)}
    for inner in inputs(node):
        found |= hashes_in(inner)
    return found


def deepest(node: Node) -> int:
    """Levels of nesting; the renderer refuses more than 64, which also refuses cycles made by hand."""
    return 1 + max((deepest(inner) for inner in inputs(node)), default=0)
