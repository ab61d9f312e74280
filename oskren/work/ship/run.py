"""The one run that writes files: rendered in the pool, read back and checked, each failing alone."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

from oskren.core.ship.verify import FileReport
from oskren.core.ship.write import File
from oskren.core.types import Failed
from oskren.work.engine.cluster import Cluster
from oskren.work.engine.place import Workplace
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.ship import tasks

CHUNK = 8
"""Files a worker takes at a time, when there are many."""


@dataclass
class Written:
    """What came of a run. ``over`` are the sounds of items that were not written because they go over full scale."""

    reports: list[FileReport] = field(default_factory=list)
    failed: list[Failed] = field(default_factory=list)
    over: list[str] = field(default_factory=list)

    def add(self, answer: tasks.Shipped) -> None:
        """Note what came of one file."""
        if answer.report is None:
            self.failed.append({"path": answer.path, "reason": answer.reason})
            if answer.over:
                self.over.append(answer.sound)
            return
        self.reports.append(answer.report)
        if not answer.report.ok:
            self.failed.append({"path": answer.path, "reason": wrong_in(answer.report)})

    @property
    def good(self) -> list[FileReport]:
        """Reports of files whose checks hold."""
        return [report for report in self.reports if report.ok]

    @property
    def said(self) -> list[str]:
        """What was done to files that were written, in sentences: lowered, limited, layers left out."""
        found = []
        for report in self.good:
            for check in report.checks:
                if check.name == "layers" or (check.name == "level" and "full scale, " in check.note):
                    found.append(f"{report.path}: {check.note}")
        return found


def wrong_in(report: FileReport) -> str:
    """What failed of a file's checks, in words; empty when nothing did."""
    return "; ".join(f"{check.name}: {check.note}" for check in report.checks if not check.ok and not check.warning)


def write(
    studio: Studio, place: Workplace, files: Sequence[File], progress: Progress = ALONE, *, journal: str = "", before: int = 0, far: Cluster | None = None
) -> Written:
    """Write files whose paths were found to be free or their own.

    Parameters
    ----------
    journal : str
        A file each finished one is noted in as soon as it lies in its place; none when empty.
    before : int
        Files of the same whole that need not be written; they count as done.
    far : Cluster, optional
        The cluster whose workers write them, in place of this machine's.
    """
    result, ended, total = Written(), before, before + len(files)
    size = max(1, min(CHUNK, len(files) // (2 * (studio.workers if far is None else far).size)))
    progress.at(ended, total)
    calls = [(tasks.ship, place, list(files[at : at + size]), journal) for at in range(0, len(files), size)]
    by: Counter[str] = Counter()
    for _, answers in studio.batch(calls, progress, counts=False, far=far):
        for answer in answers:
            result.add(answer)
            by[answer.worker] += 1
        if answers:
            progress.by(answers[-1].worker, by[answers[-1].worker], answers[-1].path)
        ended += len(answers)
        progress.at(ended, total)
    return result
