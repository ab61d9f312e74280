"""What is known of a node without rendering it: its length, rate and channels, where its moments lie, what sounds in a mix and when."""

from __future__ import annotations

from typing import Any, TypeVar

from oskren.core.audio.layouts import CHANNELS
from oskren.core.errors import OskrenError
from oskren.core.nodes.digest import digest_of
from oskren.core.nodes.members import group_mix, loose, member_node, thawed
from oskren.core.nodes.model import Chained, Difference, Excerpt, Loop, Member, Mix, Node, Print, Row, Source, Step, active
from oskren.core.nodes.voices import Moves, Shape, Spot, Voice
from oskren.core.nodes.walk import deepest
from oskren.core.steps.base import Context, kind_of
from oskren.core.timemap import TimeMap

DEEPEST = 64

LONGEST_S = 4 * 3600.0
"""How long a design may be."""


_WALKED: dict[tuple[str, bool, Shape], tuple[list[Context], Shape]] = {}
_VOICED: dict[tuple[str, tuple[str, ...], tuple[Shape, ...]], list[Voice]] = {}
"""What follows from a node alone, by its hash and the shapes it is made of: it is asked for again with every block that is listened to."""

REMEMBERED = 4096
T = TypeVar("T")


def _remembered(some: dict[Any, T], key: Any, value: T) -> T:
    if len(some) >= REMEMBERED:
        some.clear()
    some[key] = value
    return value


def on_sum(mix: Mix) -> Chained:
    """A mix whose chain is put on the sum of its members; moments of its steps count from the strike line, and a length that is stated stays."""
    cut = (Step(kind="trim", params={"start_s": 0.0, "end_s": mix.length_s}),) if mix.length_s is not None else ()
    return Chained(node=mix.model_copy(update={"chain": ()}), chain=(*mix.chain, *cut), from_zero=True)


class Shapes:
    """Facts of nodes, found without rendering."""

    def shape(self, node: Node) -> Shape:
        """Length, rate and channels of a node, without rendering it."""
        match node:
            case Source() | Print():
                return Shape(node.frames, node.rate, node.channels, layout=node.layout or "")
            case Excerpt():
                inner = self.shape(node.node)
                first, last = self._part(node, inner)
                return Shape(last - first, inner.rate, inner.channels, layout=inner.layout)
            case Loop():
                inner = self.shape(node.node)
                return Shape(max(1, round(node.length_s * inner.rate)), inner.rate, inner.channels, layout=inner.layout)
            case Difference():
                one, other = self.shape(node.node), self.shape(node.without)
                if (one.rate, one.channels) != (other.rate, other.channels):
                    raise OskrenError("What a step removed can be heard only for steps that keep rate and channels.")
                return Shape(max(one.frames, other.frames), one.rate, one.channels, one.zero, one.layout)
            case Mix():
                return self._mix_shape(node)
            case Row():
                return self._row(node)[0]
            case Chained():
                return self._walk(node)[1]
        raise OskrenError("unknown node")

    def _part(self, node: Excerpt, inner: Shape) -> tuple[int, int]:
        first, last = (min(inner.frames, round(s * inner.rate)) for s in (node.start_s, node.end_s))
        if last <= first:
            raise OskrenError(f"The part from {node.start_s:.3f} s to {node.end_s:.3f} s holds nothing of this sound of {inner.seconds:.3f} s.")
        return first, last

    def _walk(self, node: Chained) -> tuple[list[Context], Shape]:
        """The context of every active step, and the shape after the last; found once for every node."""
        key = (digest_of(node), node.from_zero, self.shape(node.node))
        found = _WALKED.get(key)
        if found is None:
            found = _remembered(_WALKED, key, self._walk_anew(node))
        return found

    def _walk_anew(self, node: Chained) -> tuple[list[Context], Shape]:
        inner = self.shape(node.node)
        rate, channels, frames, layout = inner.rate, inner.channels, inner.frames, inner.layout
        so_far = TimeMap.affine(1.0, -inner.zero / inner.rate) if node.from_zero else TimeMap.identity()
        contexts = []
        for step in active(node.chain):
            kind, params = kind_of(step.kind), step.values()
            at = Context(rate, channels, frames, so_far.to_output, layout, step.moves, so_far.inputs_at)
            contexts.append(at)
            if not kind.keeps_time:
                so_far = so_far.then(kind.time_map(params, at))
            layout = kind.out_layout(params, layout, channels)
            frames, channels, rate = kind.out_frames(params, at), kind.out_channels(params, channels), kind.out_rate(params, rate)
        zero = round(so_far.to_output(0.0 if node.from_zero else inner.zero / inner.rate) * rate) if inner.zero else 0
        return contexts, Shape(frames, rate, channels, zero, layout)

    def time_map(self, node: Node) -> TimeMap:
        """From a chained node's time to its input's; identity for other nodes."""
        so_far = TimeMap.identity()
        if isinstance(node, Excerpt):
            return TimeMap.affine(1.0, node.start_s)
        if not isinstance(node, Chained):
            return so_far
        for step, at in zip(active(node.chain), self._walk(node)[0], strict=True):
            kind = kind_of(step.kind)
            if not kind.keeps_time:
                so_far = so_far.then(kind.time_map(step.values(), at))
        return so_far

    def placed(self, mix: Mix, member: Member, rate: int | None = None) -> tuple[Chained, Shape, int]:
        """A member's own node at the mix's rate, its shape, and the frame (from the strike line) where it starts; who asks for many gives the rate (Hz)."""
        rate = rate or self.mix_rate(mix)
        node = self._at_rate(member, rate)
        anchor = self.time_map(self._at_rate(thawed(member), rate)).to_output(member.anchor_s)
        return node, self.shape(node), round((member.at_s - anchor) * rate)

    def _at_rate(self, member: Member, rate: int) -> Chained:
        plain = member_node(member)
        return plain if self.shape(plain).rate == rate else member_node(member, rate)

    def mix_rate(self, mix: Mix) -> int:
        return mix.rate or max((self.shape(member.node).rate for member in mix.members), default=48_000)

    def voices(self, mix: Mix) -> list[Voice]:
        """What sounds in a mix, each placed: members that are in no group, then groups; what is muted is left out."""
        names = tuple([member.id for member in mix.members] + [group.id for group in mix.groups])
        key = (digest_of(mix), names, tuple([self.shape(member.node) for member in mix.members]))
        found = _VOICED.get(key)
        if found is None:
            found = _remembered(_VOICED, key, self._voices_anew(mix))
        return found

    def _voices_anew(self, mix: Mix) -> list[Voice]:
        rate = self.mix_rate(mix)
        found = []
        for member in loose(mix):
            if not member.mute:
                node, shape, place = self.placed(mix, member, rate)
                moves = Moves(*(member.envelope(control) for control in ("gain_db", "pan", "back")))
                moments = self.time_map(self._at_rate(thawed(member), rate)) if moves.any else TimeMap.identity()
                found.append(
                    Voice(member.id, node, shape, place, member.gain_db, Spot(member.pan, member.back, member.width), mix.layout, mix.pan_law, moves, moments)
                )
        for group in mix.groups:
            own = group_mix(mix, group, rate)
            if not group.mute and any(not member.mute for member in own.members):
                shape = self.output_shape(own)
                frozen = None if group.frozen is None else Member(node=group.frozen)
                node_: Node = own if frozen is None else self._at_rate(frozen, rate)
                own_shape = shape if frozen is None else self.shape(node_)
                found.append(Voice(group.id, node_, own_shape, -shape.zero, group.gain_db, Spot(group.pan, group.back, group.width), mix.layout, mix.pan_law))
        return found

    def _mix_shape(self, mix: Mix) -> Shape:
        if deepest(mix) > DEEPEST:
            raise OskrenError(f"This design nests more than {DEEPEST} levels of sounds; print one of the inner designs and use the print.")
        spans = [(voice.place, voice.place + voice.shape.frames) for voice in self.voices(mix)]
        first = min((start for start, _ in spans), default=0)
        last = max((end for _, end in spans), default=0)
        rate = self.mix_rate(mix)
        if mix.length_s is not None:
            first, last = 0, round(mix.length_s * rate)
        if last - first > LONGEST_S * rate:
            raise OskrenError(
                f"This design would be {(last - first) / rate / 3600:.1f} h long, more than {LONGEST_S / 3600:.0f} h; move or shorten its layers."
            )
        return Shape(max(1, last - first), rate, len(CHANNELS[mix.layout]), -first, mix.layout)

    def _row(self, row: Row) -> tuple[Shape, list[tuple[int, Node, Shape]]]:
        """Shape of a row; of each part the frame it begins at, its node at the row's rate, and its shape."""
        if deepest(row) > DEEPEST:
            raise OskrenError(f"This row nests more than {DEEPEST} levels of sounds; print one of the inner designs and use the print.")
        shapes = [self.output_shape(part) for part in row.nodes]
        rate, channels = max(shape.rate for shape in shapes), 1 if all(shape.channels == 1 for shape in shapes) else 2
        begins, placed = 0, []
        for part, shape in zip(row.nodes, shapes, strict=True):
            node: Node = part if shape.rate == rate else Chained(node=part, chain=(Step(kind="rate", params={"rate": rate}),))
            own = shape if shape.rate == rate else self.output_shape(node)
            placed.append((begins, node, own))
            begins += own.frames + round(row.gap_s * rate)
        return Shape(begins - round(row.gap_s * rate), rate, channels), placed

    def output_shape(self, node: Node) -> Shape:
        """Shape of what is heard: for a mix, with the chain on its sum."""
        if isinstance(node, Mix) and active(node.chain):
            return self._walk(on_sum(node))[1]
        return self.shape(node)
