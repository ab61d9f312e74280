"""Rendering: from a node to samples, block by block where steps allow, from any position."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from oskren.core.audio import files
from oskren.core.audio.layouts import CHANNELS, convert
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.nodes.blocks import Reader, cut, pumped, skip_frames
from oskren.core.nodes.cache import Cache
from oskren.core.nodes.digest import digest_of, node_hash
from oskren.core.nodes.limits import Computed, Limited, overlap
from oskren.core.nodes.model import (
    Chained,
    Difference,
    Excerpt,
    Loop,
    Member,
    Mix,
    Node,
    Print,
    Row,
    Source,
    Step,
    active,
    group_mix,
    loose,
    member_node,
    thawed,
)
from oskren.core.nodes.voices import Moves, Shape, Spot, Voice
from oskren.core.nodes.walk import deepest
from oskren.core.steps.base import Context, Summary, kind_of
from oskren.core.steps.edges import fade_gain
from oskren.core.timemap import TimeMap
from oskren.core.types import Samples

BLOCK = 1 << 16
FIRST = 1 << 13
"""Frames of a mix's first block, which someone waits for; the next ones are larger."""

SHORT = 1 << 20
"""Frames up to which a sound is held whole between learning and processing."""

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


class Renderer:
    """Renders nodes with files found by ``media`` and a cache.

    Parameters
    ----------
    media : callable
        Path of the file that holds the audio with a hash.
    cache : Cache
    cancelled : callable
        Asked at every block; True ends the work with ``Cancelled``.

    ``renders`` counts what was really computed, by kind of step (and ``mix``), for tests and reports.
    """

    def __init__(self, media: Callable[[str], Path], cache: Cache, cancelled: Callable[[], bool] = lambda: False):
        self._media, self.cache, self._cancelled = media, cache, cancelled
        self.renders: Counter[str] = Counter()

    # ---- facts without rendering

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

    def placed(self, mix: Mix, member: Member) -> tuple[Chained, Shape, int]:
        """A member's own node at the mix's rate, its shape, and the frame (from the strike line) where it starts."""
        rate = self.mix_rate(mix)
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
                node, shape, place = self.placed(mix, member)
                moves = Moves(*(member.envelope(control) for control in ("gain_db", "pan", "back")))
                moments = self.time_map(self._at_rate(thawed(member), rate)) if moves.any else TimeMap.identity()
                found.append(Voice(member.id, node, shape, place, member.gain_db, Spot(member.pan, member.back, member.width), mix.layout, moves, moments))
        for group in mix.groups:
            own = group_mix(mix, group, rate)
            if not group.mute and any(not member.mute for member in own.members):
                shape = self.output_shape(own)
                frozen = None if group.frozen is None else Member(node=group.frozen)
                node_: Node = own if frozen is None else self._at_rate(frozen, rate)
                own_shape = shape if frozen is None else self.shape(node_)
                found.append(Voice(group.id, node_, own_shape, -shape.zero, group.gain_db, Spot(group.pan, group.back, group.width), mix.layout))
        return found

    def _mix_shape(self, mix: Mix) -> Shape:
        if deepest(mix) > DEEPEST:
            raise OskrenError(f"This design nests more than {DEEPEST} levels of sounds; print one of the inner designs and use the print.")
        spans = [(voice.place, voice.place + voice.shape.frames) for voice in self.voices(mix)]
        first = min((start for start, _ in spans), default=0)
        last = max((end for _, end in spans), default=0)
        rate = self.mix_rate(mix)
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

    # ---- samples

    def audio(self, node: Node) -> tuple[Samples, int]:
        """Whole audio of a node, memory-mapped from the cache, rendered first where needed; and its rate."""
        digest = node_hash(node)
        found = self.cache.open(digest)
        if found is None:
            shape = self.output_shape(node)
            self.cache.write(digest, self._compute(node, 0), shape.rate, shape.channels)
            found = self.cache.open(digest)
            if found is None:
                raise OskrenError(f"The cache {self.cache.folder} cannot be read back; check its disk.")
        return found

    def output_shape(self, node: Node) -> Shape:
        """Shape of what is heard: for a mix, with the chain on its sum."""
        if isinstance(node, Mix) and active(node.chain):
            return self._walk(_on_sum(node))[1]
        return self.shape(node)

    def read(self, node: Node, start: int, frames: int) -> Samples:
        """Frames ``start`` to ``start + frames`` of a node; shorter at its end."""
        parts, left = [], frames
        for block in self.stream(node, start):
            parts.append(block[:left])
            left -= len(parts[-1])
            if left <= 0:
                break
        return np.concatenate(parts) if parts else np.zeros((0, self.output_shape(node).channels), np.float32)

    def stream(self, node: Node, start: int = 0) -> Iterator[Samples]:
        """Blocks of a node from a frame on, from the cache or computed as they are asked for."""
        found = self.cache.open(node_hash(node)) if not isinstance(node, Source | Print) else None
        if found is not None:
            for at in range(start, len(found[0]), BLOCK):
                self._check()
                yield np.array(found[0][at : at + BLOCK])
            return
        for block in self._compute(node, start):
            self._check()
            if len(block):
                yield block

    def needs_whole(self, node: Node) -> bool:
        """Whether something in a node must be rendered whole, and is not yet, before its first block can be heard."""
        return any(True for _ in self.lacking(node))

    def lacking(self, node: Node) -> Iterator[tuple[Step, Chained] | None]:
        """What a node's first block waits for: steps that have not learned yet, each with what is before it; None for what must be rendered whole."""
        if not isinstance(node, Source | Print) and self.cache.has(node_hash(node)):
            return
        match node:
            case Source() | Print():
                return
            case Row():
                for part in node.nodes:
                    yield from self.lacking(part)
            case Mix():
                if any(self.needs_whole(voice.node) for voice in self.voices(node)):
                    yield None
            case Difference():
                yield from self.lacking(node.node)
                yield from self.lacking(node.without)
            case Chained():
                steps = active(node.chain)
                for i in reversed(range(len(steps))):
                    kind, before = kind_of(steps[i].kind), node.model_copy(update={"chain": steps[:i]})
                    if kind.whole:
                        if not self.cache.has(node_hash(node.model_copy(update={"chain": steps[: i + 1]}))):
                            yield None
                        return
                    if kind.analyses and self.cache.summary(self._summary_digest(steps[i], before)) is None:
                        yield steps[i], before
                yield from self.lacking(node.node)
            case _:
                yield from self.lacking(node.node)

    def make_ready(self, node: Node) -> None:
        """Render what must be whole before the first block of a node can be heard: of a mix its voices, not the sum."""
        if isinstance(node, Mix):
            for voice in self.voices(node):
                self.audio(voice.node)
        else:
            self.read(node, 0, 1)

    def _check(self) -> None:
        if self._cancelled():
            raise Cancelled("The work was cancelled.")

    def _compute(self, node: Node, start: int) -> Iterator[Samples]:
        match node:
            case Source() | Print():
                yield from files.blocks(self._media(node.audio), start, node.frames, BLOCK)
            case Excerpt():
                first, last = self._part(node, self.shape(node.node))
                yield from cut(self.stream(node.node, first + start), last - first - start)
            case Chained():
                yield from self._chained(node, start)
            case Loop():
                yield self._loop(node)[start:]
            case Difference():
                yield from self._difference(node, start)
            case Row():
                yield from self._in_a_row(node, start)
            case Mix():
                if active(node.chain):
                    yield from self.stream(_on_sum(node), start)
                else:
                    yield from self._mix(node, start)

    def _chained(self, node: Chained, start: int) -> Iterator[Samples]:
        steps = active(node.chain)
        if not steps:
            yield from self.stream(node.node, start)
            return
        before, step = node.model_copy(update={"chain": steps[:-1]}), steps[-1]
        contexts, shape = self._walk(node)
        at, kind, params = contexts[-1], kind_of(step.kind), step.values()
        if kind.whole:
            digest = node_hash(node.model_copy(update={"chain": steps}))
            found = self.cache.open(digest)
            if found is None:
                self.renders[step.kind] += 1
                whole = np.concatenate(list(self.stream(before)))
                self._check()
                given = kind.run(params, whole, at)
                if kind.keeps_time and step.limited and given.shape[1] == at.channels:
                    limited_whole = Limited(Computed(given), step, at, 0)
                    given = np.concatenate([limited_whole.push(whole), limited_whole.flush()])[: shape.frames]
                self.cache.write(digest, iter([given]), shape.rate, shape.channels)
                found = self.cache.open(digest)
            assert found is not None
            for here in range(start, len(found[0]), BLOCK):
                yield np.array(found[0][here : here + BLOCK])
            return
        held: Samples | None = None
        if kind.analyses and start == 0 and at.frames <= SHORT and self.cache.summary(self._summary_digest(step, before)) is None:
            # a short sound is rendered once for both: to learn from and to go through
            held = np.concatenate(list(self.stream(before)))
        summary = self._summary(step, before, at, held) if kind.analyses else {}
        skip = kind.skip(params, at)
        limited = kind.keeps_time and step.limited
        lead = min(start + skip, kind.lead(params, at) + (2 * overlap(step, at.rate) if limited else 0)) if start else 0
        position = skip + start - lead
        stream = kind.stream(params, summary, at, position)
        if limited and kind.out_channels(params, at.channels) == at.channels:
            stream = Limited(stream, step, at, position)
        self.renders[step.kind] += 1
        source = iter([held]) if held is not None else self.stream(before, position)
        yield from cut(skip_frames(pumped(stream, source), lead), shape.frames - start)

    def _summary_digest(self, step: Step, before: Chained) -> str:
        """What a step learned stays true while what it learned by stays the same: its input and some of its parameters."""
        names = kind_of(step.kind).learns_by
        params = step.params if names is None else {name: value for name, value in step.values().model_dump().items() if name in names}
        return node_hash(Chained(node=before, chain=(Step(kind=step.kind, params=params, learned_on=step.learned_on),)))

    def _summary(self, step: Step, before: Chained, at: Context, held: Samples | None = None) -> Summary:
        digest = self._summary_digest(step, before)
        known = self.cache.summary(digest)
        if known is None:
            kind, own = kind_of(step.kind), self.stream(before) if held is None else iter([held])
            if kind.beside:
                known = {} if step.learned_on is None else self._beside(step, step.learned_on)
            elif kind.portable and step.learned_on is not None:
                known = kind.localise(step.values(), self._elsewhere(step, before, step.learned_on), own, at)
            else:
                known = kind.analyse(step.values(), own, at)
            self.cache.keep_summary(digest, known)
        return known

    def _beside(self, step: Step, other: Node) -> Summary:
        """What a step learns from another sound that is given to it as it is."""
        shape = self.output_shape(other)
        return kind_of(step.kind).analyse(step.values(), self.stream(other), Context(shape.rate, shape.channels, shape.frames, layout=shape.layout))

    def _elsewhere(self, step: Step, before: Chained, other: Node) -> Summary:
        """What a step learns from another sound that goes through the same steps before it."""
        same = tuple(one.model_copy(update={"learned_on": None}) if one.learned_on == other else one for one in before.chain)
        chain = (*same, step.model_copy(update={"learned_on": None}))
        return self.summary(Chained(node=other, chain=chain))

    def summary(self, node: Chained) -> Summary:
        """What the last active step of a chain learned from its input."""
        steps = active(node.chain)
        return self._summary(steps[-1], node.model_copy(update={"chain": steps[:-1]}), self._walk(node)[0][-1])

    def learned(self, node: Chained) -> tuple[Summary, Context]:
        """What the last active step of a chain learned, and where it stands."""
        return self.summary(node), self._walk(node)[0][-1]

    def _loop(self, node: Loop) -> Samples:
        inner = self.shape(node.node)
        first, last = self._part(Excerpt(node=node.node, start_s=node.start_s, end_s=node.end_s), inner)
        body = self.read(node.node, first, last - first)
        fade = min(round(node.crossfade_s * inner.rate), len(body) // 2)
        out: Samples = np.zeros((round(node.length_s * inner.rate) + len(body), inner.channels), np.float32)
        rise = fade_gain((np.arange(fade) + 0.5) / max(1, fade), "equal power").astype(np.float32)[:, None]
        here = 0
        while here < round(node.length_s * inner.rate):
            part = body.copy()
            if fade and here:
                part[:fade] *= rise
            if fade:
                part[-fade:] *= rise[::-1]
            out[here : here + len(part)] += part[: len(out) - here]
            here += len(body) - fade
        return out[: max(1, round(node.length_s * inner.rate))]

    def _in_a_row(self, row: Row, start: int) -> Iterator[Samples]:
        whole, placed = self._row(row)
        named, here = "mono" if whole.channels == 1 else "stereo", start
        for begins, node, shape in placed:
            if here >= begins + shape.frames:
                continue
            while here < begins:
                count = min(BLOCK, begins - here)
                yield np.zeros((count, whole.channels), np.float32)
                here += count
            for block in cut(self.stream(node, here - begins), begins + shape.frames - here):
                yield block if shape.named == named else convert(block, named, shape.named)
            here = begins + shape.frames

    def _difference(self, node: Difference, start: int) -> Iterator[Samples]:
        shape = self.shape(node)
        one, other = Reader(self.stream(node.node, start), shape.channels), Reader(self.stream(node.without, start), shape.channels)
        for at in range(start, shape.frames, BLOCK):
            count = min(BLOCK, shape.frames - at)
            yield one.take(count) - other.take(count)

    def _mix(self, mix: Mix, start: int) -> Iterator[Samples]:
        self.renders["mix"] += 1
        shape = self._mix_shape(mix)
        voices = [(voice, voice.place + shape.zero, self.audio(voice.node)[0]) for voice in self.voices(mix)]
        at, size = start, FIRST
        while at < shape.frames:
            count = min(size, shape.frames - at)
            total = np.zeros((count, max(2, shape.channels)), np.float64)
            for voice, first, audio in voices:
                low, high = max(at, first), min(at + count, first + len(audio))
                if low < high:
                    total[low - at : high - at] += voice.heard(np.asarray(audio[low - first : high - first]), low - first)
            result = total.astype(np.float32)
            yield convert(result, "mono") if shape.channels == 1 else result
            at, size = at + count, min(BLOCK, size * 2)


def _on_sum(mix: Mix) -> Chained:
    """A mix whose chain is put on the sum of its members; moments of its steps count from the strike line."""
    return Chained(node=mix.model_copy(update={"chain": ()}), chain=mix.chain, from_zero=True)
