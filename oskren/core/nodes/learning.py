"""What steps learn from all of their input before they begin, and what a node waits for because of it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator

from oskren.core.nodes.cache import Cache
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Chained, Difference, Mix, Node, Print, Row, Source, Step, active
from oskren.core.nodes.shapes import Shapes
from oskren.core.steps.base import Context, Summary, kind_of
from oskren.core.types import Samples


class Learning(Shapes, ABC):
    """Learns from what is rendered, and keeps what was learned in the cache."""

    cache: Cache

    @abstractmethod
    def stream(self, node: Node, start: int = 0) -> Iterator[Samples]:
        """Blocks of a node from a frame on."""

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
