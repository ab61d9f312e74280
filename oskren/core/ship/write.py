"""Rendering a file, writing it, reading it back and checking what came out."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np
from pydantic import BaseModel

from oskren.core.audio import files
from oskren.core.audio.formats import format_of, of_file
from oskren.core.audio.formats.base import USUAL_BITS, Levels
from oskren.core.audio.layouts import channel_names
from oskren.core.audio.metadata import LoopPart, Marker, Metadata
from oskren.core.audio.resample import convert_rate
from oskren.core.errors import OskrenError
from oskren.core.measure import levels, loudness, peaks
from oskren.core.nodes.chains import passed_over
from oskren.core.nodes.model import Chained, Step
from oskren.core.nodes.render import Renderer
from oskren.core.nodes.walk import leaves
from oskren.core.ship.items import Item
from oskren.core.ship.sheet import Target, as_written, file_key, file_node
from oskren.core.types import Samples

EDGE_DBFS = -40.0
"""A first or last sample above this may click (common practice, no source)."""

DC_LIMIT = 0.005

SILENT_SHARE = 1e-3
LONG_SILENCE_S = 0.5
"""So much silence at an end of a file is told (own rule)."""

TWIN = "twin"


class File(NamedTuple):
    """A file to be written: an item for a target, its path, how it is called in reports, and whether one may lie there."""

    item: Item
    target: Target
    path: Path
    shown: str
    may_be: bool = False


class OverFullScale(OskrenError):
    """A sound goes over full scale and its target says not to write it then."""

    def __init__(self, shown: str, over_db: float):
        super().__init__(f"{shown}: goes {over_db:.1f} dB over full scale; level it down, limit it, or write 32 bit float WAV")
        self.shown, self.over_db = shown, over_db

    def __reduce__(self) -> tuple[type, tuple[str, float]]:
        return OverFullScale, (self.shown, self.over_db)


LIMITED_DBTP = -0.1
"""Ceiling of what is limited because it would go over full scale."""


class Check(BaseModel):
    """One check of a finished file; a failed ``warning`` is shown but does not fail the file."""

    name: str
    ok: bool
    warning: bool = False
    note: str


class FileReport(BaseModel):
    """A finished file as it was read back."""

    path: str
    key: str
    sha256: str
    bytes: int
    frames: int
    duration_s: float
    sample_rate: int
    channels: int
    bit_depth: int | None
    sample_peak_dbfs: float | None
    true_peak_dbtp: float | None
    integrated_lufs: float | None
    checks: list[Check]
    sound: str
    name: str
    category: str
    target: str
    made_from: list[str]
    notes: str = ""
    rights: str = ""
    tags: tuple[str, ...] = ()
    outline: str = ""
    """The small waveform (base64), as rows draw it."""
    modified_ns: int = 0
    """When the file was written, to see that nobody touched it since."""

    @property
    def ok(self) -> bool:
        return all(check.ok or check.warning for check in self.checks)


def sha256(path: Path) -> str:
    """SHA-256 of a file, hexadecimal."""
    with open(path, "rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def render_file(renderer: Renderer, item: Item, target: Target, path: Path, shown: str) -> FileReport:
    """Render an item for a target, write it to ``path``, read it back and check it.

    Raises
    ------
    OverFullScale
        When it goes over full scale where the format ends, and the target says not to write it then.
    OskrenError
        When the file cannot be rendered or written; nothing is left under its name that was not there before.
    """
    target = as_written(item, target)
    bits = target.bits or USUAL_BITS
    form = format_of(target.format)
    own = target.rate or renderer.output_shape(item.node).rate
    held = form.rate_for(own)
    node = file_node(item, target, held if held != own else None)
    shape = renderer.output_shape(node)
    rate = shape.rate
    samples = np.concatenate(list(renderer.stream(node)))
    key = file_key(item, target)
    highest = levels.peak(samples)
    told = ""
    if highest > 1.0 and form.ends_at_full_scale(bits):
        if target.over == "refuse":
            raise OverFullScale(shown, levels.db(highest))
        told = f"was {levels.db(highest):+.1f} dB over full scale, {'lowered' if target.over == 'lower' else 'limited'}"
        if target.over == "lower":
            samples = samples * np.float32((1.0 - 2.0**-20) / highest)
        else:
            limited = Chained(node=node, chain=(Step(kind="limiter", params={"ceiling_dbtp": LIMITED_DBTP}),))
            samples = np.clip(np.concatenate(list(renderer.stream(limited))), -1.0, 1.0)
        highest = levels.peak(samples)
    said = words_for(item, target).model_copy(update={"channel_names": channel_names(shape.named, shape.channels) if shape.channels > 2 else ()})
    files.write(path, samples, rate, bits, dither=target.dither and bits == 16, seed=int(key[:8], 16), said=said)
    return verify(path, shown, key, samples, highest, rate, item, target, told)


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
    if not same or (form.lossless and len(back) and float(np.abs(back - kept).max()) > _rounding(bits, dithered=False)):
        raise OskrenError(f"{path}: holds something else than what was written; check the disk and try again.")
    return f"is {levels.db(highest):.1f} dB over full scale and was clipped; write a float WAV or lower the gain first" if over else ""


def _rounding(bits: int, *, dithered: bool) -> float:
    """How far a sample may lie from what was rendered, by rounding and dither alone."""
    return 1e-9 if bits == 32 else 2.0 ** (1 - bits) * (2.1 if dithered else 1.01)


def words_for(item: Item, target: Target) -> Metadata:
    """What a file says of itself: the item's name, category, tags, notes, rights, date and markers."""
    return Metadata(
        title=item.name,
        description=item.notes,
        category=item.category or "Sound effect",
        keywords=item.tags,
        comment=", ".join(item.tags),
        rights=item.rights,
        date=item.recorded,
        software="Oskren",
        markers=tuple(Marker(at_s=at, label=label) for at, label in item.markers),
        loops=tuple(LoopPart(start_s=start, end_s=end) for start, end in item.loops),
    )


def verify(path: Path, shown: str, key: str, samples: Samples, highest: float, rate: int, item: Item, target: Target, told: str = "") -> FileReport:
    """Read a written file back and compare it with what was rendered.

    Lossless files must hold the same frames to within their rounding; lossy ones keep length and rate exactly, RMS and
    peak within what their format states.
    """
    info = files.probe(path)
    back = np.concatenate(list(files.blocks(path)))
    form = format_of(target.format)
    bits = as_written(item, target).bits or USUAL_BITS
    step = _rounding(bits, dithered=target.dither and bits == 16)
    peak_back = levels.peak(back)
    checks = [
        Check(name="length", ok=len(back) == len(samples), note=f"{len(back)} of {len(samples)} frames"),
        Check(
            name="format",
            ok=info.rate == rate and info.channels == samples.shape[1] and (not form.lossless or info.bits == bits),
            note=f"{info.format}, {info.rate} Hz, {info.channels} ch" + (f", {info.bits} bit" if info.bits else ""),
        ),
    ]
    if form.lossless:
        same = back.shape == samples.shape
        error = float(np.abs(back - samples).max()) if same and len(back) else float("inf")
        checks.append(Check(name="sound", ok=error <= step, note="as rendered" if error <= step else "differs from what was rendered"))
    else:
        apart = abs(levels.db(peak_back) - levels.db(levels.peak(samples)))
        off = abs(levels.db(levels.rms(back)) - levels.db(levels.rms(samples)))
        alike = (apart <= form.peak_db and off <= form.rms_db) or peak_back < 0.01
        checks.append(Check(name="sound", ok=alike, note=f"level within {off:.2f} dB, peak within {apart:.2f} dB of what was rendered"))
    checks.append(
        Check(
            name="level",
            ok=highest <= 1.0 or not form.ends_at_full_scale(bits),
            note=told or ("under full scale" if highest <= 1.0 else f"{levels.db(highest):+.1f} dB over full scale, kept in float"),
        )
    )
    checks.append(Check(name="silence", ok=peak_back > 1e-5, note="sounds" if peak_back > 1e-5 else "the file is silent"))
    offset = levels.dc_offset(back)
    checks.append(Check(name="DC", ok=abs(offset) <= DC_LIMIT, warning=True, note=f"{offset:+.4f}"))
    edge = levels.db(float(max(np.abs(back[0]).max(), np.abs(back[-1]).max()))) if len(back) else levels.SILENT_DB
    checks.append(Check(name="edges", ok=edge <= EDGE_DBFS, warning=True, note="no click" if edge <= EDGE_DBFS else f"may click: {edge:.0f} dBFS at an edge"))
    before, after = silent_ends(back, info.rate)
    quiet = max(before, after) > LONG_SILENCE_S and peak_back > 1e-5
    checks.append(Check(name="silence at its ends", ok=not quiet, warning=True, note=f"{before:.2f} s before, {after:.2f} s after"))
    checks += [Check(name="steps", ok=False, note=sentence) for sentence in passed_over(item.node)]
    if item.missing:
        checks.append(Check(name="layers", ok=False, warning=True, note=f"{', '.join(item.missing)} left out: the file is missing"))
    loud = loudness.loudness(back, info.rate, info.layout)
    true = levels.true_peak(back, info.rate)
    if form.state is not None:
        own = loud if not loud.padded else loudness.Loudness(None, None, None, None, padded=True)
        form.state(path, Levels(own.integrated_lufs, own.range_lu, levels.db(true), own.max_momentary_lufs, own.max_short_term_lufs))
    checks.append(Check(name="true peak", ok=true <= 1.0, warning=True, note=f"{levels.db(true):.1f} dBTP"))
    return FileReport(
        path=shown,
        key=key,
        sha256=sha256(path),
        bytes=path.stat().st_size,
        frames=len(back),
        duration_s=round(len(back) / info.rate, 6),
        sample_rate=info.rate,
        channels=info.channels,
        bit_depth=info.bits,
        sample_peak_dbfs=round(levels.db(peak_back), 3),
        true_peak_dbtp=round(levels.db(true), 3),
        integrated_lufs=None if loud.integrated_lufs is None else round(loud.integrated_lufs, 2),
        checks=checks,
        sound=item.sound,
        name=item.name,
        category=item.category,
        target=target.name,
        made_from=[leaf.audio for leaf in leaves(item.node)],
        notes=item.notes,
        rights=item.rights,
        tags=item.tags,
        outline=_outline(back),
        modified_ns=path.stat().st_mtime_ns,
    )


def _outline(samples: Samples) -> str:
    building = peaks.Building(samples.shape[1])
    building.add(samples)
    return base64.b64encode(building.finish().outline()).decode() if len(samples) else ""


def silent_ends(samples: Samples, rate: int) -> tuple[float, float]:
    """How long (s) a sound is silent at its begin and at its end: quieter than 60 dB under its peak. All of it, before, where nothing sounds.

    >>> silent_ends(np.array([[0.0], [0.0], [1.0], [0.0005], [0.5], [0.0]], np.float32), 2)
    (1.0, 0.5)
    """
    loud = np.flatnonzero(levels.loudest(samples) > SILENT_SHARE * levels.peak(samples)) if len(samples) else np.zeros(0, np.int64)
    if not len(loud):
        return len(samples) / rate, 0.0
    return int(loud[0]) / rate, (len(samples) - 1 - int(loud[-1])) / rate


def with_twins(reports: Sequence[FileReport]) -> list[FileReport]:
    """Reports of files of which another of the same target is the same byte for byte, told with a warning; the others as they were."""
    first: dict[tuple[str, str], str] = {}
    found = []
    for report in reports:
        checks = [check for check in report.checks if check.name != TWIN]
        other = first.setdefault((report.target, report.sha256), report.path)
        if other != report.path:
            checks.append(Check(name=TWIN, ok=False, warning=True, note=f"{other} is the same, byte for byte"))
        found.append(report if checks == report.checks else report.model_copy(update={"checks": checks}))
    return found


def refuse_outside(root: Path, relative: str) -> Path:
    """The path of a planned file under the out folder; OskrenError if it would lie outside."""
    path = (root / relative).resolve()
    if not path.is_relative_to(root.resolve()):
        raise OskrenError(f"{relative}: lies outside the folder to ship to; change the template.")
    return path
