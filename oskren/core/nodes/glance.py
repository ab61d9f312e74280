"""A glance at a long sound: steps that learn from all of it begin with an estimate from a few of its parts, so that it is heard at once."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from oskren.core.nodes.cache import Cache, Scratch
from oskren.core.nodes.model import Chained, Node, Step
from oskren.core.nodes.render import Renderer
from oskren.core.steps.base import Context, StepKind, Summary, kind_of, spread
from oskren.core.types import Samples

LONG_S = 20.0
"""Shorter sounds are measured whole: that takes no longer than somebody waits. Own rule."""


class Glance(Renderer):
    """Renders with estimates where steps have not measured their input yet. Nothing of it goes into the cache: what is measured takes its place.

    Parameters
    ----------
    learned : dict
        Estimates by the hash of what they are of, kept by the caller from one look to the next.
    """

    def __init__(self, media: Callable[[str], Path], cache: Cache, learned: dict[str, Summary], cancelled: Callable[[], bool] = lambda: False):
        super().__init__(media, Scratch(cache.folder), cancelled)
        self._learned = learned

    def will_do(self, node: Node) -> bool:
        """Whether estimates are all that a node's first block needs, and at least one stands for a long sound."""
        long = False
        for one in self.lacking(node):
            if one is None or not self._estimable(*one):
                return False
            long = long or self.output_shape(one[1]).seconds > LONG_S
        return long

    def _estimable(self, step: Step, before: Chained) -> bool:
        kind = kind_of(step.kind)
        if kind.beside or self.output_shape(before).seconds <= LONG_S:
            return True
        # what was learned elsewhere may still follow its own input from beginning to end
        return type(kind).glance is not StepKind.glance and (step.learned_on is None or type(kind).localise is StepKind.localise)

    def _summary(self, step: Step, before: Chained, at: Context, held: Samples | None = None) -> Summary:
        kind, digest = kind_of(step.kind), self._summary_digest(step, before)
        if kind.beside or step.learned_on is not None or at.frames <= LONG_S * at.rate or self.cache.summary(digest) is not None:
            return super()._summary(step, before, at, held)
        if digest not in self._learned:

            def read(start: int, frames: int) -> Samples:
                return self.read(before, start, frames)

            found = kind.glance(step.values(), read, at)
            self._learned[digest] = super()._summary(step, before, at, held) if found is None else found
        return self._learned[digest]


def parts_of(renderer: Renderer, node: Node) -> Samples:
    """A few short parts of a node, evenly spread and joined: what stands for its level."""
    shape = renderer.output_shape(node)
    at = Context(shape.rate, shape.channels, shape.frames, layout=shape.layout)
    return np.concatenate(list(spread(lambda start, frames: renderer.read(node, start, frames), at)))
