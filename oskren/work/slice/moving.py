"""Moments of one state of a sound carried to another."""

from __future__ import annotations

from dataclasses import dataclass

from oskren.core.nodes.model import Node
from oskren.core.timemap import TimeMap
from oskren.store import Library
from oskren.work.engine.studio import Studio


@dataclass(frozen=True)
class Moving:
    """From moments of one state of a sound to the same ones of another, by way of the source both come from; also of sounds recorded together."""

    older: TimeMap
    newer: TimeMap

    @staticmethod
    def of(studio: Studio, library: Library, older: Node, newer: Node) -> Moving:
        renderer = studio.renderer(library)
        return Moving(renderer.time_map(older), renderer.time_map(newer))

    def __call__(self, moment_s: float) -> float:
        return self.newer.to_output(self.older.to_input(moment_s))
