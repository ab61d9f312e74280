"""Waveform peaks at several resolutions, made once, and views of them at any zoom."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path

import numpy as np

from oskren.core.errors import OskrenError
from oskren.core.types import AnyArray, Samples

BASE = 256
"""Frames a value of the finest level stands for."""

STEP = 4
FULL = 32767.0
OUTLINE = 96
"""Values in the small waveform of a table row."""


class Peaks:
    """Lowest, highest and RMS of stretches of sound.

    ``levels`` holds int16 arrays of shape (n, channels, 3), each four times coarser than the one before; 32767 is full
    scale and more is held there.
    """

    def __init__(self, levels: list[AnyArray], frames: int):
        self.levels, self.frames = levels, frames

    def view(self, start: int, end: int, width: int) -> AnyArray | None:
        """Values of ``width`` equal stretches from frame ``start`` to ``end``: int16, shape (width, channels, 3).

        None when the stretches are shorter than the finest level resolves; read the samples then.
        """
        span = (end - start) / width
        if span < BASE:
            return None
        level = min(int(np.log(span / BASE) / np.log(STEP)), len(self.levels) - 1)
        values, factor = self.levels[level], BASE * STEP**level
        edges = np.clip(np.round(np.linspace(start, end, width + 1) / factor).astype(np.int64), 0, len(values))
        return _reduce(values, edges)

    def outline(self) -> bytes:
        """The small waveform of a table row: OUTLINE signed bytes of lowest, then OUTLINE of highest, over all channels."""
        values = self.levels[0].astype(np.float32)
        edges = np.round(np.linspace(0, len(values), OUTLINE + 1)).astype(np.int64)
        low, high = values[:, :, 0].min(axis=1), values[:, :, 1].max(axis=1)
        starts = np.minimum(edges[:-1], len(values) - 1)
        lows, highs = np.minimum.reduceat(low, starts), np.maximum.reduceat(high, starts)
        return bytes((np.concatenate([lows, highs]) / 258).round().astype(np.int8).tobytes())

    def save(self, path: Path) -> None:
        """Write all levels to an .npz file."""
        from oskren.core.audio.replacing import replacing

        with replacing(path) as temporary:
            buffer = io.BytesIO()
            arrays = {f"level{i}": values for i, values in enumerate(self.levels)}
            np.savez(buffer, frames=np.array(self.frames), **arrays)  # type: ignore[arg-type]
            temporary.write_bytes(buffer.getbuffer())

    @staticmethod
    def load(path: Path) -> Peaks | None:
        """Read what ``save`` wrote; None when it is missing or damaged."""
        try:
            with np.load(path) as stored:
                return Peaks([stored[f"level{i}"] for i in range(len(stored.files) - 1)], int(stored["frames"]))
        except (OSError, ValueError, KeyError, EOFError):
            return None


def _reduce(values: AnyArray, edges: AnyArray) -> AnyArray:
    starts = np.minimum(edges[:-1], len(values) - 1)
    end = max(int(edges[-1]), int(starts[-1]) + 1)
    values = values[:end]  # the last stretch would run to the end of the array
    counts = np.maximum(np.diff(np.append(starts, end)), 1)
    low = np.minimum.reduceat(values[:, :, 0], starts, axis=0)
    high = np.maximum.reduceat(values[:, :, 1], starts, axis=0)
    square = np.add.reduceat(np.square(values[:, :, 2].astype(np.float32)), starts, axis=0) / counts[:, None]
    return np.stack([low, high, np.sqrt(square).astype(np.int16)], axis=2)


class Building:
    """Builds peaks from blocks of shape (frames, channels) in order."""

    def __init__(self, channels: int):
        self._left: Samples = np.zeros((0, channels), np.float32)
        self._parts: list[AnyArray] = []
        self._frames = 0

    def add(self, block: Samples) -> None:
        self._frames += len(block)
        joined = np.concatenate([self._left, block]) if len(self._left) else block
        whole = len(joined) // BASE
        if whole:
            self._parts.append(_quantised(joined[: whole * BASE].reshape(whole, BASE, -1)))
        self._left = joined[whole * BASE :]

    def finish(self) -> Peaks:
        if len(self._left):
            self._parts.append(_quantised(self._left[None]))
        if not self._parts:
            raise OskrenError("A sound without samples has no waveform.")
        levels = [np.concatenate(self._parts)]
        while len(levels[-1]) > 1024:
            levels.append(_reduce(levels[-1], np.arange(0, len(levels[-1]) + STEP, STEP).clip(max=len(levels[-1]))))
        return Peaks(levels, self._frames)


def _quantised(cut: Samples) -> AnyArray:
    # one channel after the other, its samples side by side: many times faster than across the channels
    lanes = np.ascontiguousarray(cut.transpose(2, 0, 1))
    rms = np.sqrt(np.einsum("kij,kij->ki", lanes, lanes) / cut.shape[1])
    stacked = np.stack([lanes.min(axis=2), lanes.max(axis=2), rms]).transpose(2, 1, 0)
    return np.clip(np.rint(stacked * FULL), -FULL, FULL).astype(np.int16)


def of_samples(samples: Samples, width: int) -> AnyArray:
    """A view of few samples: shape (min(width, frames), channels, 3); at one frame a value low equals high."""
    edges = np.round(np.linspace(0, len(samples), min(width, len(samples)) + 1)).astype(np.int64)
    exact = np.repeat(np.clip(np.rint(samples * FULL), -FULL, FULL).astype(np.int16)[:, :, None], 3, axis=2)
    exact[:, :, 2] = np.abs(exact[:, :, 2])
    return _reduce(exact, edges)


AXES = ("log", "linear", "mel")
LOWEST_HZ = 40.0
FLOOR_DB = -108.0


def axis_edges(axis: str, height: int, rate: int) -> AnyArray:
    """Edges (Hz) of the rows of a spectrogram from high to low, shape (height + 1,).

    ``log`` and ``mel`` run from 20 kHz (or half the rate) to 40 Hz and 0 Hz, ``linear`` from half the rate to 0.
    Mel after O'Shaughnessy 1987: 2595 log10(1 + f / 700).
    """
    top = rate / 2
    if axis == "linear":
        return np.linspace(top, 0, height + 1)
    top = min(20_000.0, top)
    if axis == "mel":
        mel = np.linspace(2595 * np.log10(1 + top / 700), 0, height + 1)
        return np.asarray(700 * (10 ** (mel / 2595) - 1))
    if axis == "log":
        return np.geomspace(top, LOWEST_HZ, height + 1)
    raise OskrenError(f"There is no axis '{axis}'; there are {', '.join(AXES)}.")


def spectrogram(read: Callable[[int, int], Samples], start: int, end: int, width: int, height: int, rate: int, size: int = 2048, axis: str = "log") -> AnyArray:
    """Levels over time and frequency: uint8, shape (height, width), 0 = -108 dBFS or less, 255 = 0 dBFS.

    Rows run from high to low on the axis asked for (see :func:`axis_edges`). ``read(start, frames)`` gives samples
    (frames, channels). Each column is one windowed frame at its middle.
    """
    from scipy.fft import rfft

    from oskren.core.measure.spectrum import hann

    bins = axis_edges(axis, height, rate) / rate * size
    centres = start + (np.arange(width) + 0.5) * (end - start) / width
    firsts = np.round(centres - size / 2).astype(np.int64)
    if end - start < 4096 * width:
        lead = max(0, int(-firsts[0]))
        block = read(max(0, int(firsts[0])), int(firsts[-1]) + size - max(0, int(firsts[0]))).mean(axis=1)
        block = np.concatenate([np.zeros(lead, np.float32), block, np.zeros(size, np.float32)])
        frames = np.stack([block[first - int(firsts[0]) : first - int(firsts[0]) + size] for first in firsts.tolist()])
    else:
        rows = []
        for first in firsts.tolist():
            part = read(max(0, first), size - max(0, -first)).mean(axis=1) if first + size > 0 else np.zeros(0, np.float32)
            rows.append(np.pad(part, (size - len(part) if first < 0 else 0, 0 if first < 0 else size - len(part))))
        frames = np.stack(rows)
    level = 20 * np.log10(np.abs(rfft(frames * hann(size), axis=1)) * (4 / size) + 1e-9)
    picture = np.empty((height, width), np.float64)
    for row in range(height):
        low, high = int(bins[row + 1]), int(np.ceil(bins[row]))
        picture[row] = level[:, low : max(high, low + 1)].max(axis=1) if low < level.shape[1] else -200
    return np.clip((picture - FLOOR_DB) / -FLOOR_DB * 255, 0, 255).astype(np.uint8)
