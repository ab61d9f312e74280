"""A finished file read back, block by block: compared with what was rendered, measured, held to its target's rules."""

from __future__ import annotations

import base64
import hashlib
import math
import zlib
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from pydantic import BaseModel

from oskren.core.audio import files, metadata
from oskren.core.audio.formats import format_of
from oskren.core.audio.formats.base import USUAL_BITS, Levels
from oskren.core.measure import levels, loudness, peaks
from oskren.core.measure.true_peak import TruePeak
from oskren.core.nodes.chains import passed_over
from oskren.core.nodes.walk import leaves
from oskren.core.ship.items import Item
from oskren.core.ship.rules import HELD, Check, Facts, held
from oskren.core.ship.sheet import as_written
from oskren.core.ship.target import Target
from oskren.core.types import Samples

SILENT_SHARE = 1e-3
"""What is 60 dB under the peak counts as silence at the ends of a file."""

TWIN = "twin"


class Origin(BaseModel):
    """A recording a file comes from: its audio's hash, name, rights, day, and the file it was found under; empty where the library holds it no more."""

    audio: str
    name: str = ""
    rights: str = ""
    recorded: str = ""
    file: str = ""


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
    facts: tuple[float, float, float, float, float | None] | None = None
    """DC offset, first or last sample (dBFS), silence before and after (s), how left and right agree: what rules of later are held against."""
    keys: dict[str, str] = {}
    """Hashes of what made it: its sound, its target, its words."""
    why: str = ""
    """Why it was written, or was not."""
    sources: list[Origin] = []
    """Every recording it comes from."""
    made: dict[str, Any] | None = None
    """How it was made, where it was: design or spread, with recipe, seed and number of the draw."""

    @property
    def ok(self) -> bool:
        return all(check.ok or check.warning for check in self.checks)


class Meant(NamedTuple):
    """What a file is to hold: frames, channels, rate (Hz), peak and RMS (linear), and the CRC-32 of its samples in a lossless format."""

    frames: int
    channels: int
    rate: int
    peak: float
    rms: float
    digest: int


class Telling:
    """Takes what is written of a file, block by block, and tells what it is to hold."""

    def __init__(self, channels: int, rate: int):
        self._channels, self._rate = channels, rate
        self._frames, self._peak, self._squares = 0, 0.0, 0.0
        self._hash = zlib.crc32(b"")

    def add(self, rendered: Samples, kept: Samples) -> None:
        """A block as it was rendered, and as a lossless file holds it."""
        self._frames += len(rendered)
        self._peak = max(self._peak, levels.peak(rendered))
        self._squares += levels.rms(rendered) ** 2 * rendered.size
        self._hash = zlib.crc32(np.ascontiguousarray(kept).data, self._hash)

    @property
    def meant(self) -> Meant:
        rms = math.sqrt(self._squares / max(1, self._frames * self._channels))
        return Meant(self._frames, self._channels, self._rate, self._peak, rms, self._hash)


class _Back:
    """What is measured of a file while it is read back."""

    def __init__(self, info: files.FileInfo):
        self.rate, self.channels = info.rate, info.channels
        self._told = Telling(info.channels, info.rate)
        self._true = TruePeak(info.rate)
        self._powers = loudness.Powers(info.rate, info.channels, info.layout)
        self._outline = peaks.Building(info.channels)
        self._sum = np.zeros(info.channels)
        self._pair = np.zeros(3)
        self._first = self._last = 0.0
        self._hop = max(1, info.rate // 1000)
        self._loudest: list[Samples] = []
        self._left = np.zeros(0, np.float32)

    def add(self, block: Samples) -> None:
        if not self.meant.frames:
            self._first = levels.peak(block[:1])
        self._last = levels.peak(block[-1:])
        self._told.add(block, block)
        loud = np.concatenate([self._left, levels.loudest(block)])
        whole = len(loud) // self._hop * self._hop
        self._loudest.append(loud[:whole].reshape(-1, self._hop).max(axis=1))
        self._left = loud[whole:]
        self._true.add(block)
        self._powers.add(block)
        self._outline.add(block)
        self._sum += block.sum(axis=0, dtype=np.float64)
        if self.channels == 2:
            self._pair += levels.pair_products(block)

    @property
    def meant(self) -> Meant:
        return self._told.meant

    def loudness(self) -> loudness.Loudness:
        frames = self.meant.frames
        padded = frames < self._powers.step * 4
        if padded:
            self._powers.add(np.zeros((self._powers.step * 4 - frames, self.channels), np.float32))
        return loudness.summarise(self._powers.steps(), padded)

    def facts(self, lufs: float | None) -> Facts:
        meant = self.meant
        offset = self._sum / max(1, meant.frames)
        loud = np.flatnonzero(np.append(np.concatenate(self._loudest or [self._left]), levels.peak(self._left)) > SILENT_SHARE * meant.peak)
        seconds, hop = meant.frames / self.rate, self._hop / self.rate
        agree = levels.correlation_of(self._pair)
        return Facts(
            seconds=seconds,
            true_peak_dbtp=levels.db(self._true.value()),
            integrated_lufs=lufs,
            dc=float(offset[np.argmax(np.abs(offset))]) if meant.frames else 0.0,
            edge_dbfs=levels.db(max(self._first, self._last)),
            before_s=int(loud[0]) * hop if len(loud) else seconds,
            after_s=max(0.0, seconds - (int(loud[-1]) + 1) * hop) if len(loud) else 0.0,
            correlation=None if agree is None else round(agree, 3),
        )

    def outline(self) -> str:
        return base64.b64encode(self._outline.finish().outline()).decode() if self.meant.frames else ""


def sha256(path: Path) -> str:
    """SHA-256 of a file, hexadecimal."""
    with open(path, "rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def verify(path: Path, shown: str, key: str, meant: Meant, item: Item, target: Target, told: str = "") -> FileReport:
    """Read a written file back and compare it with what it is to hold; one block is in memory at a time.

    Lossless files must hold the very samples that were handed over; lossy ones keep length and rate exactly, RMS and peak within what their
    format states. What was measured is stated in the file, where its format has a place for that.

    Parameters
    ----------
    path, shown : Path, str
        Where it lies, and how it is called in reports.
    key : str
        Hash of all that decided its bytes.
    meant : Meant
    item, target : Item, Target
        What it was made of.
    told : str
        What was done about full scale.
    """
    info = files.probe(path)
    back = _Back(info)
    for block in files.blocks(path):
        back.add(block)
    form = format_of(target.format)
    bits = as_written(item, target).bits or USUAL_BITS
    got = back.meant
    checks = [
        Check(name="length", ok=got.frames == meant.frames, note=f"{got.frames} of {meant.frames} frames"),
        Check(
            name="format",
            ok=info.rate == meant.rate and info.channels == meant.channels and (not form.lossless or info.bits == bits),
            note=f"{info.format}, {info.rate} Hz, {info.channels} ch" + (f", {info.bits} bit" if info.bits else ""),
        ),
    ]
    if form.lossless:
        same = got.digest == meant.digest
        checks.append(Check(name="sound", ok=same, note="as rendered" if same else "differs from what was rendered"))
    else:
        apart, off = abs(levels.db(got.peak) - levels.db(meant.peak)), abs(levels.db(got.rms) - levels.db(meant.rms))
        alike = (apart <= form.peak_db and off <= form.rms_db) or got.peak < 0.01
        checks.append(Check(name="sound", ok=alike, note=f"level within {off:.2f} dB, peak within {apart:.2f} dB of what was rendered"))
    over = f"{levels.db(meant.peak):+.1f} dB over full scale, kept in float"
    level = told or ("under full scale" if meant.peak <= 1.0 else over)
    checks.append(Check(name="level", ok=meant.peak <= 1.0 or not form.ends_at_full_scale(bits), note=level))
    checks.append(Check(name="silence", ok=got.peak > 1e-5, note="sounds" if got.peak > 1e-5 else "the file is silent"))
    checks += [Check(name="steps", ok=False, note=sentence) for sentence in passed_over(item.node)]
    if item.missing:
        checks.append(Check(name="layers", ok=False, warning=True, note=f"{', '.join(item.missing)} left out: the file is missing"))
    loud = back.loudness()
    facts = back.facts(loud.integrated_lufs)
    if form.state is not None:
        own = loud if not loud.padded else loudness.Loudness(None, None, None, None, padded=True)
        form.state(path, Levels(own.integrated_lufs, own.range_lu, facts.true_peak_dbtp, own.max_momentary_lufs, own.max_short_term_lufs))
    checks.append(_words(path, info.rate, item, form.marks))
    checks += held(facts, target.rules, 0.0 if form.lossless else form.peak_db)
    return FileReport(
        path=shown,
        key=key,
        sha256=sha256(path),
        bytes=path.stat().st_size,
        frames=got.frames,
        duration_s=round(got.frames / info.rate, 6),
        sample_rate=info.rate,
        channels=info.channels,
        bit_depth=info.bits,
        sample_peak_dbfs=round(levels.db(got.peak), 3),
        true_peak_dbtp=round(facts.true_peak_dbtp, 3),
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
        outline=back.outline(),
        modified_ns=path.stat().st_mtime_ns,
        facts=(facts.dc, facts.edge_dbfs, facts.before_s, facts.after_s, facts.correlation),
    )


def _words(path: Path, rate: int, item: Item, marks: bool) -> Check:
    """Whether the file says what it is to say of itself, as far as its format has a place for it."""
    says = metadata.read(path, rate)
    wrong = [
        what
        for what, same in (
            ("name", says.title == item.name),
            ("description", not item.notes or item.notes == says.description or item.notes in says.comment),
            ("rights", not item.rights or says.rights == item.rights),
            ("markers", not marks or len(says.markers) == len(item.markers)),
        )
        if not same
    ]
    told = f"says another {' and another '.join(wrong)} than was given" if wrong else "as given"
    return Check(name="words", ok=not wrong, warning=True, note=told)


def rejudged(report: FileReport, rules: Any, slack_db: float = 0.0) -> FileReport:
    """A report held to rules of now; as it was where it is too old to tell what was measured."""
    if report.facts is None:
        return report
    dc, edge, before, after, agree = report.facts
    facts = Facts(report.duration_s, report.true_peak_dbtp or levels.SILENT_DB, report.integrated_lufs, dc, edge, before, after, agree)
    kept = [check for check in report.checks if check.name not in HELD]
    return report.model_copy(update={"checks": [*kept, *held(facts, rules, slack_db)]})


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
