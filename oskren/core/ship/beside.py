"""What goes beside shipped files so that they can be handed to somebody: a page that plays and searches them, a readme, a reel of all of them."""

from __future__ import annotations

import base64
import html
import json
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from oskren.core.audio import files
from oskren.core.audio.layouts import convert
from oskren.core.audio.metadata import Marker, Metadata
from oskren.core.audio.replacing import replacing
from oskren.core.audio.resample import convert_rate
from oskren.core.errors import OskrenError
from oskren.core.measure import peaks
from oskren.core.ship.sheet import PAGE, README, REEL, Beside
from oskren.core.ship.write import FileReport, sha256

TEMPLATE = Path(__file__).with_name("page.html")

REEL_RATE = 48_000
LONGEST_REEL_S = 4 * 3600.0


def in_order(reports: Sequence[FileReport]) -> list[FileReport]:
    """Reports as a page lists them: failures first, then by path."""
    return sorted(reports, key=lambda one: (one.ok, one.path.casefold()))


def outline_of(root: Path, report: FileReport) -> str:
    """The small waveform of a file (base64); read from the file where its report does not hold it."""
    if report.outline:
        return report.outline
    building = peaks.Building(report.channels)
    for block in files.blocks(root / report.path):
        building.add(block)
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
    return TEMPLATE.read_text().replace("{{title}}", html.escape(title)).replace("{{data}}", data)


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


def reel(root: Path, path: Path, title: str, reports: Sequence[FileReport], gap_s: float) -> None:
    """All files of the first target in a row, as 24 bit stereo at 48 kHz, each with a cue point that carries its name.

    Raises
    ------
    OskrenError
        When it would last longer than four hours.
    """
    first = reports[0].target if reports else ""
    chosen = [report for report in sorted(reports, key=lambda one: one.path.casefold()) if report.target == first]
    seconds = sum(report.duration_s + gap_s for report in chosen)
    if seconds > LONGEST_REEL_S:
        raise OskrenError(f"{path}: would last {_length(seconds)}, more than {_length(LONGEST_REEL_S)}; ship fewer files at a time, or without the reel.")
    gap = np.zeros((round(gap_s * REEL_RATE), 2), np.float32)
    markers, at = [], 0
    for report in chosen:
        frames = round(report.frames * REEL_RATE / report.sample_rate)
        markers.append(Marker(at_s=at / REEL_RATE, label=report.name[:200], length_s=frames / REEL_RATE))
        at += frames + len(gap)
    said = Metadata(title=title, software="Oskren", markers=tuple(markers))
    with files.writing(path, REEL_RATE, 2, 24, frames=at, said=said) as put:
        for report in chosen:
            samples, rate = files.read(root / report.path)
            put(np.clip(convert(convert_rate(samples, rate, REEL_RATE), "stereo"), -1.0, 1.0))
            put(gap)


def refuse_others(root: Path, wanted: Beside, ours: dict[str, str]) -> None:
    """Raise OskrenError when a file it would write lies there and is not as Oskren wrote it (``ours``: names with their SHA-256)."""
    for name in wanted.names:
        path = root / name
        if path.exists() and (path.is_dir() or ours.get(name) != sha256(path)):
            raise OskrenError(f"{path}: is there already, and is not as Oskren wrote it; move it away, or ship without it.")


def write(root: Path, title: str, reports: Sequence[FileReport], wanted: Beside) -> dict[str, str]:
    """Write what is asked for beside the files; names with their SHA-256."""
    texts = {PAGE: page(root, title, reports) if wanted.page else "", README: readme(title, reports) if wanted.readme else ""}
    for name in (name for name in wanted.names if name in texts):
        with replacing(root / name) as temporary:
            temporary.write_text(texts[name])
    if wanted.reel:
        reel(root, root / REEL, title, [report for report in reports if report.ok], wanted.gap_s)
    return {name: sha256(root / name) for name in wanted.names}
