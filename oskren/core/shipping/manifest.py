"""The manifest beside shipped files: what is there, how it was made, and what need not be rendered again."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from pydantic import BaseModel, ValidationError

from oskren.core.audio.files import replacing
from oskren.core.shipping.write import FileReport, sha256

NAME = "oskren-manifest.json"
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
    "checks",
]


class Manifest(BaseModel):
    """All files an out folder holds by Oskren's hand."""

    format: str = "oskren-manifest"
    version: int = 1
    files: list[FileReport] = []


def load(folder: Path) -> Manifest:
    """The manifest of a folder; empty where there is none or it cannot be read."""
    try:
        return Manifest.model_validate_json((folder / NAME).read_text())
    except (OSError, ValidationError, ValueError):
        return Manifest()


def save(folder: Path, reports: list[FileReport]) -> None:
    """Write the manifest as JSON and CSV, joined with what stood in it for other files that still exist."""
    made = {report.path: report for report in reports}
    kept = [old for old in load(folder).files if old.path not in made and (folder / old.path).exists()]
    manifest = Manifest(files=sorted([*kept, *reports], key=lambda report: report.path))
    with replacing(folder / NAME) as temporary:
        temporary.write_text(manifest.model_dump_json(indent=1))
    text = io.StringIO()
    table = csv.writer(text)
    table.writerow(COLUMNS)
    for report in manifest.files:
        facts = report.model_dump(exclude={"checks"})
        failed = [f"{check.name}: {check.note}" for check in report.checks if not check.ok]
        table.writerow([*(facts[column] for column in COLUMNS[:-1]), "; ".join(failed) or "ok"])
    with replacing(folder / "oskren-manifest.csv") as temporary:
        temporary.write_text(text.getvalue())


def unchanged(folder: Path, relative: str, key: str, known: Manifest) -> FileReport | None:
    """The earlier report of a file that has the same key and still has the bytes it was shipped with."""
    for report in known.files:
        if report.path == relative and report.key == key:
            path = folder / relative
            return report if path.exists() and sha256(path) == report.sha256 else None
    return None
