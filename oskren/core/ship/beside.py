"""What goes beside shipped files so that they can be handed to somebody: a page that plays and searches them, a readme, a reel of all of them."""

from __future__ import annotations

import base64
import contextlib
import html
import json
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np

from oskren.core.audio import files
from oskren.core.audio.layouts import convert
from oskren.core.audio.metadata import Marker, Metadata
from oskren.core.audio.replacing import replacing
from oskren.core.audio.resample import convert_rate
from oskren.core.errors import OskrenError
from oskren.core.measure import peaks
from oskren.core.ship import manifest
from oskren.core.ship.sheet import CONTACTS, PAGE, README, REEL, Beside
from oskren.core.ship.verify import FileReport, sha256

TEMPLATE = Path(__file__).with_name("page.html")

REEL_RATE = 48_000
MOST_HEARD_S = 60.0
"""So much of a file is heard in the reel."""


def in_order(reports: Sequence[FileReport]) -> list[FileReport]:
    """Reports as a page lists them: failures first, then by path."""
    return sorted(reports, key=lambda one: (one.ok, one.path.casefold()))


def outline_of(root: Path, report: FileReport) -> str:
    """The small waveform of a file (base64); read from the file where its report does not hold it, none where that is gone."""
    if report.outline:
        return report.outline
    building = peaks.Building(report.channels)
    try:
        for block in files.blocks(root / report.path):
            building.add(block)
    except OskrenError:
        return ""
    return base64.b64encode(building.finish().outline()).decode()


def page(root: Path, title: str, reports: Sequence[FileReport]) -> str:
    """One HTML page that lists, searches, sorts, draws and plays files by their relative paths, and shows what was checked; it needs no network.

    Parameters
    ----------
    root : Path
        The folder the page will lie in.
    title : str
    reports : sequence of FileReport
    """
    rows = []
    for report in in_order(reports):
        wrong = [f"{check.name}: {check.note}" for check in report.checks if not check.ok and not check.warning]
        warned = [f"{check.name}: {check.note}" for check in report.checks if not check.ok and check.warning]
        rows.append(
            {
                "path": report.path,
                "name": report.name,
                "category": report.category,
                "target": report.target,
                "seconds": report.duration_s,
                "peak": report.sample_peak_dbfs,
                "lufs": report.integrated_lufs,
                "rate": report.sample_rate,
                "bits": report.bit_depth,
                "channels": report.channels,
                "tags": " ".join(report.tags),
                "rights": report.rights,
                "notes": report.notes,
                "wrong": wrong,
                "warned": warned,
                "outline": outline_of(root, report),
            }
        )
    # inside a script element only "</" and "<!--" end or hide what follows (HTML Living Standard, 4.12.1.3)
    data = json.dumps(rows, ensure_ascii=False).replace("<", "\\u003c")
    filled = {"title": html.escape(title), "data": data}
    return re.sub(r"\{\{(title|data)\}\}", lambda token: filled[token[1]], TEMPLATE.read_text())


def _length(seconds: float) -> str:
    whole = round(seconds)
    return f"{whole // 3600}:{whole // 60 % 60:02d}:{whole % 60:02d}"


def readme(title: str, reports: Sequence[FileReport]) -> str:
    """Counts, formats, lengths and rights of shipped files, as text.

    >>> readme("Hits", []).splitlines()[0]
    'Hits'
    """
    total = sum(report.duration_s for report in reports)
    formats = Counter(
        f"{Path(report.path).suffix[1:].upper()}, {report.sample_rate / 1000:g} kHz"
        + (f", {report.bit_depth} bit" if report.bit_depth else "")
        + f", {report.channels} channel{'s' if report.channels != 1 else ''}"
        for report in reports
    )
    categories = Counter(report.category or "without a category" for report in reports)
    rights = Counter(report.rights or "nothing is said" for report in reports)
    lines = [title, "=" * len(title), "", f"{len(reports)} files, {_length(total)} in all.", ""]
    for heading, counted in (("Formats", formats), ("Categories", categories), ("Rights", rights)):
        lines += [heading, *(f"  {count:>6}  {what}" for what, count in sorted(counted.items())), ""]
    lines += ["oskren-manifest.json and oskren-manifest.csv list every file with its SHA-256, its levels and what was checked.", ""]
    return "\n".join(lines)


ACROSS, CELL, DRAWN = 5, (220, 74), 44
"""Waveforms in a row of a contact sheet, the size of each with its words, and the height of the waveform (pixels)."""


def contacts(root: Path, title: str, reports: Sequence[FileReport]) -> str:
    """The waveforms of files as one SVG, folder by folder, each with its name, length and loudness; every one is drawn to its own peak."""
    parts: list[str] = []
    wide, high = CELL
    y = 60
    folders: dict[str, list[FileReport]] = {}
    for report in sorted(reports, key=lambda one: one.path.casefold()):
        folders.setdefault(report.path.rpartition("/")[0], []).append(report)
    for folder, inside in folders.items():
        parts.append(f'<text x="24" y="{y}" class="folder">{html.escape(folder or "no folder")} ({len(inside)})</text>')
        y += 12
        for i, report in enumerate(inside):
            x, top = 24 + (i % ACROSS) * wide, y + (i // ACROSS) * high
            name = report.name if len(report.name) <= 30 else report.name[:29] + "…"
            loud = "" if report.integrated_lufs is None else f", {report.integrated_lufs:.1f} LUFS"
            parts.append(f'<path transform="translate({x} {top})" d="{_drawn(outline_of(root, report), wide - 16)}"/>')
            parts.append(f'<text x="{x}" y="{top + DRAWN + 14}">{html.escape(name)}</text>')
            parts.append(f'<text x="{x}" y="{top + DRAWN + 26}" class="told">{report.duration_s:.2f} s{loud}</text>')
        y += -(-len(inside) // ACROSS) * high + 30
    style = "text{font:11px sans-serif;fill:#20302c}.folder{font-size:13px;font-weight:600}.told{fill:#66736e;font-size:10px}path{fill:#2d7d64}"
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="{24 * 2 + ACROSS * wide}" height="{y}"><style>{style}</style>'
    ground = '<rect width="100%" height="100%" fill="#fffdf8"/>'
    heading = f'<text x="24" y="30" style="font-size:18px;font-weight:600">{html.escape(title)}, {len(reports)} files</text>'
    return "\n".join([head, ground, heading, *parts, "</svg>", ""])


def _drawn(outline: str, wide: float) -> str:
    """A small waveform as a closed path, to its own peak."""
    values = np.frombuffer(base64.b64decode(outline), np.int8).astype(np.float64)
    if not len(values):
        return ""
    low, high = values.reshape(2, -1)
    scale, middle = DRAWN / 2 / max(1.0, float(np.abs(values).max())), DRAWN / 2
    xs = np.arange(len(high)) * wide / max(1, len(high) - 1)
    points = [*zip(xs, middle - high * scale, strict=True), *zip(xs[::-1], middle - low[::-1] * scale + 0.5, strict=True)]
    return "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in points) + "Z"


def reel(root: Path, path: Path, title: str, reports: Sequence[FileReport], gap_s: float) -> None:
    """Files in a row, by their paths, as 24 bit stereo at 48 kHz, each with a cue point that carries its name; of a long one its first minute.

    One file is in memory at a time, and no more of it than that minute.
    """
    gap = np.zeros((round(gap_s * REEL_RATE), 2), np.float32)
    chosen = sorted(reports, key=lambda one: one.path.casefold())
    lengths = [min(report.frames, round(MOST_HEARD_S * report.sample_rate)) for report in chosen]
    markers, at = [], 0
    for report, length in zip(chosen, lengths, strict=True):
        frames = round(length * REEL_RATE / report.sample_rate)
        markers.append(Marker(at_s=at / REEL_RATE, label=report.name[:200], length_s=frames / REEL_RATE))
        at += frames + len(gap)
    said = Metadata(title=title, software="Oskren", markers=tuple(markers))
    with files.writing(path, REEL_RATE, 2, 24, frames=at, said=said) as put:
        for report, length in zip(chosen, lengths, strict=True):
            samples, rate = files.read(root / report.path, 0, length)
            if length < report.frames:
                fade = min(length, rate)
                samples[length - fade :] *= np.linspace(1, 0, fade, dtype=np.float32)[:, None]
            put(np.clip(convert(convert_rate(samples, rate, REEL_RATE), "stereo"), -1.0, 1.0))
            put(gap)


def refuse_others(root: Path, wanted: Beside, ours: Mapping[str, Sequence[str]]) -> None:
    """Raise OskrenError when a file it would write lies there and is not as Oskren wrote it (``ours``: names with their SHA-256, of any time)."""
    for name in wanted.names:
        path = root / name
        if path.exists() and (path.is_dir() or sha256(path) not in ours.get(name, ())):
            raise OskrenError(f"{path}: is there already, and is not as Oskren wrote it; move it away, or ship without it.")


def write(root: Path, title: str, reports: Sequence[FileReport], wanted: Beside, first: str = "") -> None:
    """Write what is asked for beside the files.

    The manifest knows each by its SHA-256 before it lies in its place, so that after a kill at any moment it is known for Oskren's own.

    Parameters
    ----------
    first : str, optional
        The target whose files the reel holds; that of the first report unless given.
    """
    with contextlib.ExitStack() as stack:
        temporary = {name: stack.enter_context(replacing(root / name)) for name in wanted.names}
        if wanted.page:
            temporary[PAGE].write_text(page(root, title, reports))
        if wanted.readme:
            temporary[README].write_text(readme(title, reports))
        if wanted.contacts:
            temporary[CONTACTS].write_text(contacts(root, title, reports))
        if wanted.reel:
            first = first or reports[0].target
            reel(root, temporary[REEL], title, [report for report in reports if report.ok and report.target == first], wanted.gap_s)
        manifest.save(root, reports, {name: sha256(path) for name, path in temporary.items()})
