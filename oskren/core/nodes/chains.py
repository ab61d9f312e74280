"""Chains where they stand: what goes through that of a layer, a group or the sum, and what of a node's steps is passed over."""

from __future__ import annotations

from oskren.core.errors import OskrenError
from oskren.core.nodes.members import group_mix, member_node, thawed
from oskren.core.nodes.model import Chained, Mix, Node
from oskren.core.nodes.walk import inputs, steps_of


def chain_in(mix: Mix, number: str) -> tuple[Chained, set[str]]:
    """What goes through the chain of a layer or a group by its id, or of the sum for none, as a node; and the ids of that chain's steps.

    A layer's node holds its trim, pitch and fades as well, around its chain.
    """
    member = next((one for one in mix.members if one.id == number), None)
    if member is not None:
        return member_node(thawed(member)), {step.id for step in member.chain}
    group = next((one for one in mix.groups if one.id == number), None)
    if number and group is None:
        raise OskrenError("That layer is not in the design any more.")
    whole = mix if group is None else group_mix(mix, group, mix.rate)
    return Chained(node=whole.model_copy(update={"chain": ()}), chain=whole.chain, from_zero=True), {step.id for step in whole.chain}


def passed_over(node: Node) -> list[str]:
    """What of a node's steps is on and passed over, a sentence for each reason: never silently."""
    found: dict[str, None] = {}

    def visit(part: Node) -> None:
        chains = steps_of(part) if isinstance(part, Mix) else part.chain if isinstance(part, Chained) else ()
        found.update(dict.fromkeys(step.passed_over for step in chains if step.on and step.passed_over))
        for inner in inputs(part):
            visit(inner)

    visit(node)
    return list(found)
