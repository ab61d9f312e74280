"""Rendering: from a node to samples, block by block where steps allow, from any position."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from oskren.core.audio import files
from oskren.core.audio.layouts import convert
from oskren.core.audio.seams import SEEK_S, looped
from oskren.core.audio.weaving import woven
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.nodes.blocks import Reader, cut, pumped, skip_frames, whole_of
from oskren.core.nodes.cache import Cache
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.learning import Learning
from oskren.core.nodes.limits import Computed, Limited, overlap
from oskren.core.nodes.model import Chained, Difference, Excerpt, Loop, Mix, Node, Print, Row, Source, Step, active
from oskren.core.nodes.shapes import on_sum
from oskren.core.nodes.voices import Voice
from oskren.core.steps.base import Context, kind_of
from oskren.core.types import Samples

BLOCK = 1 << 16
FIRST = 1 << 13
"""Frames of a mix's first block, which someone waits for; the next ones are larger."""

SHORT = 1 << 20
"""Frames up to which a sound is held whole between learning and processing."""


def plain_sum(node: Node) -> bool:
    """Whether a node is a sum that goes through no chain: adding it up again costs less than keeping it, where a chain is gone through once."""
    return isinstance(node, Mix) and not active(node.chain)


class Renderer(Learning):
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

    def audio(self, node: Node) -> tuple[Samples, int]:
        """Whole audio of a node, memory-mapped from the cache, rendered first where needed; and its rate."""
        digest = node_hash(node)
        found = self.cache.open(digest)
        if found is None:
            shape, blocks = self.output_shape(node), self._compute(node, 0)
            first = next(blocks, None)
            found = self.cache.open(digest)  # a whole step at the end has kept what it made by now
        if found is None:
            self.cache.write(digest, blocks if first is None else itertools.chain([first], blocks), shape.rate, shape.channels)
            found = self.cache.open(digest)
            if found is None:
                raise OskrenError(f"The cache {self.cache.folder} cannot be read back; check its disk.")
        return found

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

    def make_ready(self, node: Node) -> None:
        """Render what must be whole before the first block of a node can be heard: of a mix its voices, not the sum."""
        if isinstance(node, Mix):
            for voice in self.voices(node):
                if plain_sum(voice.node):
                    self.make_ready(voice.node)
                else:
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
                if isinstance(node.node, Source | Print):
                    yield from cut(files.blocks(self._media(node.node.audio), first + start, last, BLOCK), last - first - start)
                    return
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
                    yield from self.stream(on_sum(node), start)
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
                self.cache.write(digest, self._all_of(step, before, at, shape.frames), shape.rate, shape.channels)
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

    def _all_of(self, step: Step, before: Chained, at: Context, frames: int) -> Iterator[Samples]:
        """What a whole step makes of all that comes before it; in blocks where it gets by with them."""
        kind, params = kind_of(step.kind), step.values()
        limited = kind.keeps_time and step.limited
        if not limited and (passing := kind.passes(params, self.stream(before), at)) is not None:
            yield from cut(passing, frames)
            return
        whole = whole_of(self.stream(before), at.frames, at.channels)
        self._check()
        given = kind.run(params, whole, at)
        if limited and given.shape[1] == at.channels:
            through = Limited(Computed(given), step, at, 0)
            given = np.concatenate([through.push(whole), through.flush()])[:frames]
        yield given

    def _loop(self, node: Loop) -> Samples:
        inner = self.shape(node.node)
        first, last = self._part(Excerpt(node=node.node, start_s=node.start_s, end_s=node.end_s), inner)
        fade, frames = round(node.crossfade_s * inner.rate), max(1, round(node.length_s * inner.rate))
        if node.seed is not None:
            return woven(self.read(node.node, first, last - first), fade, frames, inner.rate, node.seed)
        spare = round(SEEK_S * inner.rate)
        return looped(self.read(node.node, first, last + spare - first), 0, last - first, fade, frames, inner.rate)

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
        voices = [_Sounding(self, voice, voice.place + shape.zero) for voice in self.voices(mix)]
        at, size = start, FIRST
        while at < shape.frames:
            count = min(size, shape.frames - at)
            total = np.zeros((count, max(2, shape.channels)), np.float64)
            for one in voices:
                low, high = max(at, one.first), min(at + count, one.last)
                if low < high:
                    total[low - at : high - at] += one.heard(low, high)
            result = total.astype(np.float32)
            yield convert(result, "mono") if shape.channels == 1 else result
            at, size = at + count, min(BLOCK, size * 2)
            voices = [one for one in voices if one.last > at]


class _Sounding:
    """A voice from frame ``first`` to ``last`` of a mix that is read from beginning to end; its audio is looked for when it begins to sound.

    The plain sum of a group is read along block by block where it is not in the cache: an edit in it is heard without rendering all of it.
    """

    def __init__(self, renderer: Renderer, voice: Voice, first: int):
        self._renderer, self._voice = renderer, voice
        self.first, self.last = first, first + voice.shape.frames
        self._read: Callable[[int, int], Samples] | None = None

    def heard(self, low: int, high: int) -> Samples:
        """What it gives to frames ``low`` to ``high`` of the mix; they follow those asked for last."""
        here = low - self.first
        if self._read is None:
            self._read = self._reading(here)
        return self._voice.heard(self._read(here, high - low), here)

    def _reading(self, here: int) -> Callable[[int, int], Samples]:
        node = self._voice.node
        if plain_sum(node) and not self._renderer.cache.has(node_hash(node)):
            along = Reader(self._renderer.stream(node, here), self._voice.shape.channels)
            return lambda _, count: along.take(count)
        audio, _ = self._renderer.audio(node)
        return lambda at, count: np.asarray(audio[at : at + count])
