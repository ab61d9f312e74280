"""Shipping as a batch: plan, leave out what has not changed, render in the pool, write the manifest."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from oskren.core.errors import OskrenError
from oskren.core.shipping import manifest
from oskren.core.shipping.sheet import Planned, Sheet, file_key, plan
from oskren.core.shipping.write import FileReport, refuse_outside
from oskren.store import Library
from oskren.work import tasks
from oskren.work.studio import Studio, Told

CHUNK = 8
"""Files a worker takes at a time."""


@dataclass
class Shipped:
    """What came of a shipment."""

    reports: list[FileReport] = field(default_factory=list)
    unchanged: list[str] = field(default_factory=list)
    failed: list[dict[str, str]] = field(default_factory=list)


def planned_files(studio: Studio, library: Library, sheet: Sheet) -> list[Planned]:
    """Every path of a sheet, with its problem if it has one."""
    renderer = studio.renderer(library)
    shapes = [renderer.output_shape(item.node) for item in sheet.items]
    return plan(sheet, [(shape.rate, shape.channels) for shape in shapes])


def ship(
    studio: Studio, library: Library, sheet: Sheet, out: Path, told: Told | None = None, stop: Callable[[], bool] = lambda: False, flag: str = ""
) -> Shipped:
    """Ship a sheet to a folder. Every file is written whole or not at all; the manifest lists what is finished, also after a cancel.

    Raises
    ------
    OskrenError
        Before anything is written, when a name has a problem or the folder cannot be used.
    """
    files = planned_files(studio, library, sheet)
    problems = [one.problem for one in files if one.problem]
    if problems:
        raise OskrenError(problems[0] + (f" ({len(problems)} files are concerned.)" if len(problems) > 1 else ""))
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OskrenError(f"{out}: cannot be used as the folder to ship to ({error.strerror}); choose another.") from error
    result = Shipped()
    before = manifest.load(out)
    known = {report.path: report for report in before.files}
    todo: list[tuple[Any, ...]] = []
    for one in files:
        item, target = sheet.items[one.item], sheet.targets[one.target]
        path = refuse_outside(out, one.path)
        old = known.get(one.path)
        if old is not None and old.key == file_key(item, target) and manifest.unchanged(out, one.path, old.key, before) is not None:
            result.unchanged.append(one.path)
            result.reports.append(old)
        else:
            todo.append((item, target, str(path), one.path))
    media = library.media_of(*(item.node for item in sheet.items))
    place = tasks.Place(str(studio.home.cache.folder), str(studio.peaks_folder), media, flag)
    chunks = [todo[at : at + CHUNK] for at in range(0, len(todo), CHUNK)]
    ended = len(result.unchanged)
    total = len(files)
    if told:
        told(ended, total)
    made: list[FileReport] = []
    try:
        for _, answers in studio.batch([(tasks.ship, place, chunk) for chunk in chunks], None, stop):
            for answer in answers:
                ended += 1
                if "report" in answer:
                    report = FileReport(**answer["report"])
                    made.append(report)
                    if not report.ok:
                        wrong = "; ".join(f"{check.name}: {check.note}" for check in report.checks if not check.ok and not check.warning)
                        result.failed.append({"path": report.path, "reason": wrong})
                else:
                    result.failed.append(answer)
            if told:
                told(ended, total)
    finally:
        if made:
            manifest.save(out, [*result.reports, *made])
    result.reports += made
    result.reports.sort(key=lambda report: report.path)
    return result
