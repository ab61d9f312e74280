"""The manifest beside shipped files: what is there, how it was made, and what need not be rendered again."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from pathlib import Path

from pydantic import BaseModel, ValidationError

from oskren.core.audio.replacing import replacing
from oskren.core.errors import OskrenError
from oskren.core.ship.verify import FileReport, sha256

NAME, TABLE = "oskren-manifest.json", "oskren-manifest.csv"
COLUMNS = [
    "path",
    "name",
    "category",
    "target",
    "duration_s",
    "sample_rate",
    "channels",
    "bit_depth",
    "sample_peak_dbfs",
    "true_peak_dbtp",
    "integrated_lufs",
    "sha256",
    "notes",
    "rights",
    "tags",
    "checks",
]


class Manifest(BaseModel):
    """All files an out folder holds by Oskren's hand."""

    format: str = "oskren-manifest"
    version: int = 1
    files: list[FileReport] = []
    beside: dict[str, list[str]] = {}
    """What else is written there, with the SHA-256 it has and had before: a page, a readme, a reel."""


def load(folder: Path) -> Manifest:
    """The manifest of a folder; empty where there is none or it cannot be read."""
    try:
        return Manifest.model_validate_json((folder / NAME).read_text())
    except (OSError, ValidationError, ValueError):
        return Manifest()


def save(folder: Path, reports: Sequence[FileReport], beside: Mapping[str, str] | None = None) -> Manifest:
    """Write the manifest as JSON and CSV, joined with what stood in it for other files that still exist; and with what was put ``beside`` them."""
    made, before = {report.path: report for report in reports}, load(folder)
    kept = [old for old in before.files if old.path not in made and (folder / old.path).exists()]
    manifest = Manifest(files=sorted([*kept, *reports], key=lambda report: report.path), beside=_known(before.beside, beside or {}))
    with replacing(folder / NAME) as temporary:
        temporary.write_text(manifest.model_dump_json(indent=1))
    text = io.StringIO()
    table = csv.writer(text)
    table.writerow(COLUMNS)
    for report in manifest.files:
        facts = report.model_dump(exclude={"checks"})
        failed = [f"{check.name}: {check.note}" for check in report.checks if not check.ok]
        facts["tags"] = " ".join(report.tags)
        table.writerow([*(facts[column] for column in COLUMNS[:-1]), "; ".join(failed) or "ok"])
    with replacing(folder / TABLE) as temporary:
        temporary.write_text(text.getvalue())
    return manifest


def _known(before: Mapping[str, list[str]], fresh: Mapping[str, str]) -> dict[str, list[str]]:
    """What was written beside the files: each as it was and as it will be, since a kill may fall between both."""
    return {**before, **{name: [*before.get(name, [])[-1:], sha] for name, sha in fresh.items()}}


def as_written(folder: Path, report: FileReport) -> bool:
    """Whether a file still is as it was shipped: untouched since, or else the same byte for byte."""
    path = folder / report.path
    try:
        facts = path.stat()
    except OSError:
        return False
    if facts.st_size != report.bytes:
        return False
    return facts.st_mtime_ns == report.modified_ns or sha256(path) == report.sha256


def refuse_foreign(folder: Path) -> None:
    """Raise OskrenError when a file of the manifest's name lies in a folder that Oskren did not write."""
    for path in (folder / NAME, folder / TABLE):
        if path.exists() and not _ours(folder):
            raise OskrenError(f"{path}: has the name of Oskren's manifest, but is not one; move it away or ship to another folder.")


def _ours(folder: Path) -> bool:
    try:
        Manifest.model_validate_json((folder / NAME).read_text())
    except (OSError, ValidationError, ValueError):
        return False
    return True
