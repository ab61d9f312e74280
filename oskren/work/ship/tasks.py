"""What worker processes do for what leaves: render, write, read back and check."""

from __future__ import annotations

import os
import platform
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from oskren.core.errors import Cancelled, OskrenError
from oskren.core.nodes.render import Renderer
from oskren.core.ship import beside
from oskren.core.ship.sheet import Beside
from oskren.core.ship.verify import FileReport, sha256
from oskren.core.ship.write import File, OverFullScale, render_file
from oskren.work.engine.journal import earlier, note, note_begun
from oskren.work.engine.place import Workplace


@dataclass(frozen=True)
class Shipped:
    """What came of one file: its report, or why there is none; ``over`` when it goes over full scale."""

    path: str
    report: FileReport | None = None
    reason: str = ""
    over: bool = False
    sound: str = ""
    worker: str = field(default_factory=lambda: f"{platform.node() or 'here'} {os.getpid()}")
    """Who wrote it: the machine and the process."""


def ship(place: Workplace, files: Sequence[File], journal: str = "") -> list[Shipped]:
    """Render, write, read back and check a few files; with ``journal`` each is noted there as soon as it lies in its place."""
    renderer = place.renderer(scratch=True)
    answers: list[Shipped] = []
    for one in files:
        try:
            answers.append(_ship(renderer, one, journal))
        except Cancelled:
            break  # what is finished is told; the rest was not begun
        renderer.cache.forget()  # type: ignore[attr-defined]
    return answers


def _ship(renderer: Renderer, one: File, journal: str = "") -> Shipped:
    try:
        if one.path.exists() and not one.may_be:
            # another worker may have died over it
            begun, report = earlier(journal, one.shown) if journal else (False, None)
            if report is not None and report.sha256 == sha256(one.path):
                return Shipped(one.shown, report)
            if not begun:
                raise OskrenError(f"{one.path}: was put there by somebody else meanwhile, and was left as it is")
        elif journal:
            note_begun(journal, one.shown)
        report = render_file(renderer, one.item, one.target, one.path, one.shown).model_copy(update={"why": one.why, "made": one.item.made})
        if journal:
            note(journal, report)
        return Shipped(one.shown, report)
    except Cancelled:
        raise
    except OverFullScale as error:
        return Shipped(one.shown, reason=str(error), over=True, sound=one.item.sound)
    except OskrenError as error:
        return Shipped(one.shown, reason=str(error))
    except Exception as error:  # whatever is wrong with one item is that item's alone
        return Shipped(one.shown, reason=f"{one.shown}: cannot be rendered ({type(error).__name__}: {error})")


def put_beside(folder: str, name: str, reports: Sequence[FileReport], wanted: Beside, first: str) -> str:
    """Write what a sheet of that name asks for beside its files, the reel of its ``first`` target; why it could not be, empty when it was."""
    try:
        beside.write(Path(folder), name, reports, wanted, first)
    except OskrenError as error:
        return str(error)
    return ""


def ship_one(place: Workplace, file: File) -> Shipped:
    """Write one file, with what was rendered before kept at hand."""
    return _ship(place.renderer(), file)
