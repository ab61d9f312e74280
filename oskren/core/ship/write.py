"""Rendering a file and writing it, block by block; what came out is read back (:mod:`oskren.core.ship.verify`)."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import numpy as np

from oskren.core.audio import files
from oskren.core.audio.dither import Dither
from oskren.core.audio.formats import format_of, of_file
from oskren.core.audio.formats.base import USUAL_BITS
from oskren.core.audio.layouts import channel_names
from oskren.core.audio.metadata import LoopPart, Marker, Metadata
from oskren.core.audio.resample import convert_rate
from oskren.core.errors import OskrenError
from oskren.core.measure import levels
from oskren.core.nodes.model import Chained, Excerpt, Node, Source, Step
from oskren.core.nodes.render import Renderer
from oskren.core.ship.items import Item
from oskren.core.ship.sheet import as_written, file_key, file_node, keys_of
from oskren.core.ship.target import Target
from oskren.core.ship.verify import FileReport, Meant, Telling, verify
from oskren.core.types import Samples


class File(NamedTuple):
    """A file to be written: an item for a target, its path, how it is called in reports, whether one may lie there, and why it is written."""

    item: Item
    target: Target
    path: Path
    shown: str
    may_be: bool = False
    why: str = ""


class OverFullScale(OskrenError):
    """A sound goes over full scale and its target says not to write it then."""

    def __init__(self, shown: str, over_db: float):
        super().__init__(f"{shown}: goes {over_db:.1f} dB over full scale; level it down, limit it, or write 32 bit float WAV")
        self.shown, self.over_db = shown, over_db

    def __reduce__(self) -> tuple[type, tuple[str, float]]:
        return OverFullScale, (self.shown, self.over_db)


LIMITED_DBTP = -0.1
"""Ceiling of what is limited because it would go over full scale."""


class _TooHigh(Exception):
    """What is being written goes over full scale, by its peak."""


def trimmed(renderer: Renderer, item: Item, target: Target) -> Item:
    """An item without the tail and the silence its target leaves out; its markers and loops where they are then.

    Parameters
    ----------
    renderer : Renderer
        Silence is looked for in what it renders; for a tail it only knows lengths.
    """
    start, end = 0.0, renderer.output_shape(item.node).seconds
    if target.tail == "cut":
        end = min(end, sound_ends(renderer, item.node))
    if target.silence_dbfs is not None:
        start, end = sounding(renderer, item.node, target.silence_dbfs, target.room_ms / 1000, end)
    length = renderer.output_shape(item.node).seconds
    if start <= 0 and end >= length:
        return item
    return item.model_copy(
        update={
            "node": Excerpt(node=item.node, start_s=start, end_s=end),
            "markers": tuple((round(at - start, 6), label) for at, label in item.markers if start <= at <= end),
            "loops": tuple((round(a - start, 6), round(b - start, 6)) for a, b in item.loops if start <= a and b <= end + 1e-6),
        }
    )


def sound_ends(renderer: Renderer, node: Node) -> float:
    """Where in a node (s) the sound its chain is given ends: what follows is what its steps let ring. The node's own end where nothing says."""
    length = renderer.output_shape(node).seconds
    inner = node
    while isinstance(inner, Chained):
        inner = inner.node
    if inner is node:
        return length
    moved = renderer.time_map(node).to_output(renderer.output_shape(inner).seconds)
    return moved if 0 < moved < length else length


def sounding(renderer: Renderer, node: Node, silence_dbfs: float, room_s: float, end_s: float) -> tuple[float, float]:
    """From where to where (s) a node is louder than a level (dBFS), with so much room (s) at both ends; all of it where nothing is."""
    rate, limit = renderer.output_shape(node).rate, levels.amplitude(silence_dbfs)
    first = last = -1
    at, stop = 0, round(end_s * rate)
    for block in renderer.stream(node):
        loud = np.flatnonzero(levels.loudest(block[: max(0, stop - at)]) > limit)
        if len(loud):
            first = at + int(loud[0]) if first < 0 else first
            last = at + int(loud[-1])
        at += len(block)
    if first < 0:
        return 0.0, end_s
    return max(0.0, first / rate - room_s), min(end_s, (last + 1) / rate + room_s)


def needs_dither(item: Item, node: Node, bits: int) -> bool:
    """Whether rounding to ``bits`` loses anything: not where what was recorded in no more bits leaves unchanged."""
    if bits > 16:  # far under the noise of any recording, and what is computed has no more
        return False
    while isinstance(node, Excerpt):
        node = node.node
    return not (isinstance(node, Source) and item.bits is not None and item.bits <= bits)


def at_its_rate(renderer: Renderer, item: Item, target: Target) -> Node:
    """What of an item goes into a file, at the rate its format holds."""
    own = target.rate or renderer.output_shape(item.node).rate
    held = format_of(target.format).rate_for(own)
    return file_node(item, target, held if held != own else None)


def meant(renderer: Renderer, item: Item, target: Target) -> Node:
    """What a file is to sound like: what is written but for rounding, the format, and what is done about full scale."""
    return at_its_rate(renderer, trimmed(renderer, item, target), target)


def render_file(renderer: Renderer, item: Item, target: Target, path: Path, shown: str) -> FileReport:
    """Render an item for a target, write it to ``path``, read it back and check it. One block is in memory at a time, however long it is.

    Raises
    ------
    OverFullScale
        When it goes over full scale where the format ends, and the target says not to write it then.
    OskrenError
        When the file cannot be rendered or written; nothing is left under its name that was not there before.
    """
    key, keys = file_key(item, target), keys_of(item, target)
    target, item = as_written(item, target), trimmed(renderer, item, target)
    bits = target.bits or USUAL_BITS
    form = format_of(target.format)
    node = at_its_rate(renderer, item, target)
    writer = _Writer(renderer, item, target, path, bits, int(key[:8], 16))
    told = ""
    try:
        said = writer.write(node, refusing=form.ends_at_full_scale(bits))
    except _TooHigh:
        highest = max(levels.peak(block) for block in renderer.stream(node))
        if target.over == "refuse":
            raise OverFullScale(shown, levels.db(highest)) from None
        told = f"was {levels.db(highest):+.1f} dB over full scale, {'lowered' if target.over == 'lower' else 'limited'}"
        if target.over == "lower":
            said = writer.write(node, gain=np.float32((1.0 - 2.0**-20) / highest))
        else:
            said = writer.write(Chained(node=node, chain=(Step(kind="limiter", params={"ceiling_dbtp": LIMITED_DBTP}),)), clipped=True)
    return verify(path, shown, key, said, item, target, told).model_copy(update={"keys": keys})


class _Writer:
    """Writes what is rendered of an item, as its target asks for."""

    def __init__(self, renderer: Renderer, item: Item, target: Target, path: Path, bits: int, seed: int):
        self._renderer, self._item, self._target, self._path, self._bits, self._seed = renderer, item, target, path, bits, seed

    def write(self, node: Node, *, refusing: bool = False, gain: np.float32 | None = None, clipped: bool = False) -> Meant:
        """Write a node; with ``refusing`` nothing is, and _TooHigh is raised, when it goes over full scale."""
        shape, target, bits = self._renderer.output_shape(node), self._target, self._bits
        lossless = format_of(target.format).lossless
        dithered = lossless and target.dither and needs_dither(self._item, node, bits)
        dither = Dither(bits, shape.channels, shape.rate, self._seed, shaped=target.shaped) if dithered else None
        names = channel_names(shape.named, shape.channels) if shape.channels > 2 else ()
        said = words_for(self._item, target).model_copy(update={"channel_names": names})
        telling = Telling(shape.channels, shape.rate)
        with files.writing(self._path, shape.rate, shape.channels, bits, frames=shape.frames, said=said) as put:
            for block in self._renderer.stream(node):
                if gain is not None:
                    block = block * gain
                if clipped:
                    block = np.clip(block, -1.0, 1.0)
                highest = levels.peak(block)
                if not np.isfinite(highest):
                    raise OskrenError(f"{self._path}: its sound holds samples that are no numbers; look at the steps it goes through")
                if refusing and highest > 1.0:
                    raise _TooHigh
                telling.add(block, put(block if dither is None else dither.rounded(block)))
        return telling.meant


def write_sound(path: Path, samples: Samples, rate: int, bits: int) -> str:
    """Write one sound that is no item of a sheet, in the format its ending asks for, read it back and compare.

    What the format cannot hold is met: another number of bits, another rate, an end at full scale.

    Parameters
    ----------
    bits : int
        As far as the format has so many; 24 else.

    Returns
    -------
    str
        What was done about full scale, as the end of a sentence; empty when nothing was.

    Raises
    ------
    OskrenError
        When it cannot be written, or when what is read back is not what was written.
    """
    form = of_file(path)
    bits = bits if bits in form.bits else 24
    if form.rate_for(rate) != rate:
        samples, rate = convert_rate(samples, rate, form.rate_for(rate)), form.rate_for(rate)
    highest = levels.peak(samples)
    over = highest > 1.0 and form.ends_at_full_scale(bits)
    kept = samples.clip(-1.0, 1.0) if over else samples
    files.write(path, kept, rate, bits)
    back, rate_back = files.read(path)
    same = back.shape == kept.shape and rate_back == rate
    if not same or (form.lossless and len(back) and float(np.abs(back - kept).max()) > _rounding(bits)):
        raise OskrenError(f"{path}: holds something else than what was written; check the disk and try again.")
    return f"is {levels.db(highest):.1f} dB over full scale and was clipped; write a float WAV or lower the gain first" if over else ""


def _rounding(bits: int) -> float:
    """How far a sample may lie from what was rendered, by rounding alone."""
    return 1e-9 if bits == 32 else 2.0 ** (1 - bits) * 1.01


def words_for(item: Item, target: Target) -> Metadata:
    """What a file says of itself: the item's name, category, tags, notes, rights, date and markers."""
    return Metadata(
        title=item.name,
        description=item.notes,
        category=item.category or "Sound effect",
        keywords=item.tags,
        comment=", ".join(item.tags),
        rights=item.rights,
        artist=item.artist,
        date=item.recorded,
        software="Oskren",
        markers=tuple(Marker(at_s=at, label=label) for at, label in item.markers),
        loops=tuple(LoopPart(start_s=start, end_s=end) for start, end in item.loops),
    )


def refuse_outside(root: Path, relative: str) -> Path:
    """The path of a planned file under the out folder; OskrenError if it would lie outside."""
    path = (root / relative).resolve()
    if not path.is_relative_to(root.resolve()):
        raise OskrenError(f"{relative}: lies outside the folder to ship to; change the template.")
    return path
