"""Files out of the table: sounds or a marked part, to a folder, to the hand-over folder, or dragged out of the browser."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

from oskren.core.errors import OskrenError
from oskren.core.nodes.heard import Heard, as_heard, moment_heard
from oskren.core.shipping.sheet import Item, Target
from oskren.core.shipping.write import FileReport
from oskren.core.words.names import collisions, legal
from oskren.store import Library
from oskren.store.library import node_of
from oskren.work import tasks
from oskren.work.journal import writing_to
from oskren.work.shipping import as_present, wrong_in
from oskren.work.studio import Studio, Told

DRY = Heard()


def items_of(studio: Studio, library: Library, numbers: Sequence[int], heard: Heard | Mapping[int, Heard] | None = None) -> list[Item]:
    """Sounds as items, with their words, markers and anchor as metadata, each as it was heard.

    Parameters
    ----------
    heard : Heard or mapping of sound to Heard, optional
        How all of them, or each, were heard; dry where nothing is said. A part is of one sound only.
    """
    if isinstance(heard, Heard) and heard.part is not None and len(numbers) != 1:
        raise OskrenError("A marked part belongs to one sound; choose only that one.")
    items = []
    renderer = studio.renderer(library)
    for number in numbers:
        sound = library.sound(number)
        now = node_of(sound)
        so = heard if isinstance(heard, Heard) else (heard or {}).get(number, DRY)
        node = as_heard(now, so)
        here, length = renderer.time_map(now), renderer.output_shape(node).seconds
        marks = [(mark["at_s"], mark.get("label", "")) for mark in sound.said.get("markers", []) if mark.get("label", "").lower() != "anchor"]
        marks.append((sound.measures.get("anchor_s") or 0.0, "anchor"))
        moved = [(moment_heard(renderer, now, so, here.to_output(at)), label) for at, label in marks]
        name = f"{sound.name}, {so.part[0]:.2f} to {so.part[1]:.2f} s" if so.part else sound.name
        items.append(
            Item(
                node=node,
                name=name[:400],
                category=sound.category,
                sound=str(sound.id),
                tags=tuple(sound.tags.split()),
                notes=sound.notes[:2000],
                rights=sound.rights,
                recorded=sound.recorded,
                markers=tuple((round(at, 6), label) for at, label in sorted(moved) if 0 <= at <= length),
            )
        )
    return items


def usable_folder(folder: Path, what: str) -> None:
    """Make a folder that something is written to, if need be; OskrenError when it cannot be one."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OskrenError(f"{folder}: cannot be used for {what} ({error.strerror}); choose another.") from error


def free_name(folder: Path, name: str, extension: str, taken: set[str]) -> str:
    """A legal file name that neither lies in a folder yet nor is taken: a number is put behind it."""
    stem = legal(name, 200)
    for number in range(1, 100_000):
        shown = f"{stem}{extension}" if number == 1 else f"{stem} ({number}){extension}"
        if shown.casefold() not in taken and not (folder / shown).exists():
            taken.add(shown.casefold())
            return shown
    raise OskrenError(f"{folder / stem}: holds too many files of this name; choose another folder.")


def export(
    studio: Studio, library: Library, items: Sequence[Item], target: Target, folder: Path, told: Told | None = None, stop: Callable[[], bool] = lambda: False
) -> dict[str, Any]:
    """Write items to a folder, each read back and checked; files that lie there are never written over.

    Gives {"files": [path], "failed": [{path, reason}], "over": [sound], "said": [sentence]}: ``over`` are sounds not written because they go over
    full scale, ``said`` what was done to what was written.
    """
    usable_folder(folder, "what is written")
    items = as_present(library, items)
    taken: set[str] = set()
    names = [free_name(folder, item.name, f".{target.format}", taken) for item in items]
    assert not collisions(names)
    place = studio.place(library, *(item.node for item in items))
    jobs = [[(item, target, str(folder / name), name, False)] for item, name in zip(items, names, strict=True)]
    done: list[str] = []
    failed: list[dict[str, Any]] = []
    over: list[int] = []
    said: list[str] = []
    with writing_to(studio.home.folder, folder):
        for _, answers in studio.batch([(tasks.ship, place, job) for job in jobs], told, stop):
            for answer in answers:
                if "report" not in answer:
                    failed.append({"path": answer["path"], "reason": answer["reason"]})
                    over += [int(answer["sound"])] if answer.get("over") and answer["sound"] else []
                    continue
                report = FileReport(**answer["report"])
                if not report.ok:
                    failed.append({"path": report.path, "reason": wrong_in(report)})
                    continue
                done.append(str(folder / report.path))
                said += [
                    f"{report.path}: {check.note}"
                    for check in report.checks
                    if check.name == "layers" or (check.name == "level" and "full scale, " in check.note)
                ]
    return {"files": sorted(done), "failed": failed, "over": over, "said": said, "folder": str(folder)}
