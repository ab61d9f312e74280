"""Blocks of samples on their way: taken in exact counts, pumped through a stream, skipped, cut."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.steps.base import Stream
from oskren.core.types import Samples


class Reader:
    """Takes exact counts of frames from blocks; silence after their end."""

    def __init__(self, blocks: Iterator[Samples], channels: int):
        self._blocks, self._held = blocks, np.zeros((0, channels), np.float32)

    def take(self, count: int) -> Samples:
        while len(self._held) < count:
            block = next(self._blocks, None)
            if block is None:
                block = np.zeros((count - len(self._held), self._held.shape[1]), np.float32)
            self._held = np.concatenate([self._held, block])
        given, self._held = self._held[:count], self._held[count:]
        return given


def pumped(stream: Stream, blocks: Iterator[Samples]) -> Iterator[Samples]:
    """Blocks through a stream, with what it gives at the end."""
    for block in blocks:
        yield stream.push(block)
    yield stream.flush()


def whole_of(blocks: Iterator[Samples], frames: int, channels: int) -> Samples:
    """Blocks as one array of at most ``frames``; never held twice, as joining a list of them would."""
    whole, here = np.empty((frames, channels), np.float32), 0
    for block in blocks:
        taken = block[: frames - here]
        whole[here : here + len(taken)] = taken
        here += len(taken)
    return whole[:here]


def skip_frames(blocks: Iterator[Samples], frames: int) -> Iterator[Samples]:
    """Blocks without their first ``frames``."""
    for block in blocks:
        drop = min(frames, len(block))
        frames -= drop
        yield block[drop:]


def cut(blocks: Iterator[Samples], frames: int) -> Iterator[Samples]:
    """The first ``frames`` of blocks, filled with silence where they end early."""
    channels = 1
    if frames <= 0:
        return
    for block in blocks:
        channels = block.shape[1]
        yield block[:frames]
        frames -= min(frames, len(block))
        if frames <= 0:  # nothing is asked for that is not needed
            return
    if frames > 0:
        yield np.zeros((frames, channels), np.float32)
