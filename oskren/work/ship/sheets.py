"""Shipping as a batch: plan, leave out what has not changed, render in the pool, write the manifest."""

from __future__ import annotations

import os
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from oskren.core.audio.formats import format_of
from oskren.core.errors import OskrenError
from oskren.core.nodes.missing import without_missing
from oskren.core.ship import beside, manifest
from oskren.core.ship.items import Item, Titled
from oskren.core.ship.planning import Counts, Planned, planned
from oskren.core.ship.sheet import Sheet, file_key, keys_of, why_written
from oskren.core.ship.target import Target
from oskren.core.ship.verify import FileReport, rejudged, with_twins
from oskren.core.ship.write import File, refuse_outside
from oskren.store import Library
from oskren.work.engine import guard
from oskren.work.engine.journal import Journal, writing_to
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.ship import tasks
from oskren.work.ship.items import brightness_of, code_book, titled
from oskren.work.ship.origins import origins
from oskren.work.ship.run import Written, write, wrong_in


@dataclass
class Done(Written):
    """What came of a shipment; ``unchanged`` are files that were found as they should be and not rendered again."""

    unchanged: list[str] = field(default_factory=list)

    def add_unchanged(self, report: FileReport) -> None:
        """A file that is as it should be, held to the rules of now."""
        self.unchanged.append(report.path)
        self.reports.append(report)
        if not report.ok:
            self.failed.append({"path": report.path, "reason": wrong_in(report)})


def as_present(library: Library, items: Sequence[Item]) -> tuple[Item, ...]:
    """Items as they can be rendered now: layers whose file is missing are left out of designs, and named."""
    gone = library.media_found(*(item.node for item in items))[1]
    if not gone:
        return tuple(items)
    found = []
    for item in items:
        node, names = without_missing(item.node, gone)
        found.append(item.model_copy(update={"node": node, "missing": tuple(names)}) if names else item)
    return tuple(found)


def titled_items(studio: Studio, library: Library, items: Sequence[Item]) -> list[Titled]:
    """What the names of the files of items are made of."""
    renderer = studio.renderer(library)
    measured, codes = brightness_of(library, [int(item.sound) for item in items if item.sound.isdigit()]), code_book(library)
    return [titled(item, renderer.output_shape(item.node), measured, codes) for item in items]


def planned_files(
    studio: Studio,
    name: str,
    items: Sequence[Titled],
    targets: Sequence[Target],
    out: Path | None = None,
    allowed: Collection[str] = (),
    before: Sequence[Counts] = (),
) -> tuple[list[Planned], list[dict[str, int]]]:
    """Every path of a sheet of that name, with its problem if it has one; and where each item was counted.

    Parameters
    ----------
    before : sequence of mapping, optional
        Where each item was counted when it was shipped before.
    out : Path, optional
        The folder to ship to: then a file that lies there and is not Oskren's own is a problem, unless it is among those ``allowed`` (paths
        within the folder); a file of a library always is.
    """
    found = planned(name, items, targets, before)
    return (found.files if out is None else _beside_others(studio, found.files, out, allowed)), found.counted


def _beside_others(studio: Studio, planned: list[Planned], out: Path, allowed: Collection[str]) -> list[Planned]:
    if not out.exists():
        return planned
    there = {place: out / one.path for place, one in enumerate(planned) if one.path and not one.problem and os.path.exists(f"{out}/{one.path}")}
    if not there:
        return planned
    held = guard.held([studio.home.folder, *guard.homes()], there.values())
    before = {report.path: report for report in manifest.load(out).files}
    found = list(planned)
    for place, path in there.items():
        one = planned[place]
        if path in held:
            found[place] = one.model_copy(update={"problem": held[path], "kind": "held"})
        elif path.is_dir():
            found[place] = one.model_copy(update={"problem": f"{path}: is a folder; give the file another name.", "kind": "held"})
        elif one.path not in allowed and not (one.path in before and manifest.as_written(out, before[one.path])):
            how = "was changed since Oskren wrote it" if one.path in before else "is there already, and Oskren did not write it there"
            found[place] = one.model_copy(
                update={"problem": f"{path}: {how}; allow writing over it, or give another name.", "foreign": True, "kind": "foreign"}
            )
    return found


def ship(
    studio: Studio,
    library: Library,
    sheet: Sheet,
    out: Path,
    progress: Progress = ALONE,
    allowed: Collection[str] = (),
) -> Done:
    """Ship a sheet to a folder. Every file is written whole or not at all; the manifest lists what is finished, also after a cancel or a kill.

    Raises
    ------
    OskrenError
        Before anything is written, when a name has a problem or the folder cannot be used.
    """
    out = out.expanduser().resolve()
    journal = Journal.of(studio.home.folder, out)
    journal.settle()
    manifest.refuse_foreign(out)
    beside.refuse_others(out, sheet.beside, manifest.load(out).beside)
    sheet = sheet.model_copy(update={"items": as_present(library, sheet.items)})
    files, _ = planned_files(studio, sheet.name, titled_items(studio, library, sheet.items), sheet.targets, out, allowed, sheet.counted)
    taken = {name.casefold() for name in sheet.beside.names} & {one.path.casefold() for one in files}
    problems = [one.problem for one in files if one.problem]
    problems += [f"A sound and what is put beside the files would both be called {name}; rename the sound." for name in taken]
    if problems:
        raise OskrenError(problems[0] + (f" ({len(problems)} files are concerned.)" if len(problems) > 1 else ""))
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OskrenError(f"{out}: cannot be used as the folder to ship to ({error.strerror}); choose another.") from error
    far = studio.cluster()  # one that cannot be had ends it before anything is written
    result = Done()
    known = {report.path: report for report in manifest.load(out).files}
    todo: list[File] = []
    for one in files:
        item, target = sheet.items[one.item], sheet.targets[one.target]
        path = refuse_outside(out, one.path)
        old = known.get(one.path)
        own = old is not None and manifest.as_written(out, old)
        if old is not None and own and old.key == file_key(item, target):
            result.add_unchanged(rejudged(old, target.rules, _slack(target)).model_copy(update={"why": "nothing of it changed"}))
        else:
            todo.append(File(item, target, path, one.path, own or one.path in allowed, _why(old, own, item, target)))
    place = studio.place(library, *(item.node for item in sheet.items), flag=progress.flag)
    journal.begin([file.shown for file in todo])
    try:
        written = write(studio, place, todo, progress, journal=journal.path, before=len(result.unchanged), far=far)
        result.failed, result.over = result.failed + written.failed, written.over
    finally:
        # by now no worker writes any more; what was on its way when it was cancelled is among it
        made = journal.written()
        if made:
            manifest.save(out, [*result.reports, *made])
        journal.end()
        # a killed process can outlive the start of this shipment, while the disk takes what it wrote
        journal.sweep(one.path for one in files)
    result.reports += made
    result.reports.sort(key=lambda report: report.path)
    sources = origins(library, sheet.items)
    of = {one.path: sources[one.item] for one in files}
    told = [report.model_copy(update={"sources": of.get(report.path, report.sources)}) for report in with_twins(result.reports)]
    if told:
        manifest.save(out, told)
    result.reports = told
    if sheet.beside.names and result.reports and progress.wanted:
        call = (tasks.put_beside, str(out), sheet.name, result.reports, sheet.beside, sheet.targets[0].name)
        with writing_to(studio.home.folder, out):
            for _, reason in studio.batch([call], progress, counts=False):
                if reason:
                    result.failed.append({"path": ", ".join(sheet.beside.names), "reason": reason})
    return result


def _slack(target: Target) -> float:
    form = format_of(target.format)
    return 0.0 if form.lossless else form.peak_db


def _why(old: FileReport | None, own: bool, item: Item, target: Target) -> str:
    """Why a file is written."""
    if old is None:
        return "it is new"
    if not own:
        return "the file was changed or taken away"
    return why_written(old.keys, keys_of(item, target))
