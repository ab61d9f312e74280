"""Files out of the table: sounds or a marked part, to a folder, to the hand-over folder, or dragged out of the browser."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Chained, Excerpt, Node, Step
from oskren.core.shipping.sheet import Item, Target
from oskren.core.words.names import collisions, legal
from oskren.store import Library
from oskren.store.library import node_of
from oskren.work import tasks
from oskren.work.studio import Studio, Told


def as_heard(node: Node, part: tuple[float, float] | None, chain: Sequence[Step] = ()) -> Node:
    """A sound's node, or the marked part of it, through a chain."""
    if part is not None:
        node = Excerpt(node=node, start_s=part[0], end_s=part[1])
    return Chained(node=node, chain=tuple(chain)) if chain else node


def items_of(studio: Studio, library: Library, numbers: Sequence[int], part: tuple[float, float] | None = None, chain: Sequence[Step] = ()) -> list[Item]:
    """Sounds as items, with their words, markers and anchor as metadata. A part is of one sound only."""
    if part is not None and len(numbers) != 1:
        raise OskrenError("A marked part belongs to one sound; choose only that one.")
    items = []
    renderer = studio.renderer(library)
    for number in numbers:
        sound = library.sound(number)
        here = renderer.time_map(node_of(sound))
        end = part[1] - part[0] if part else renderer.output_shape(node_of(sound)).seconds
        marks = [(mark["at_s"], mark.get("label", "")) for mark in sound.said.get("markers", []) if mark.get("label", "").lower() != "anchor"]
        moved = [(here.to_output(at) - (part[0] if part else 0.0), label) for at, label in [*marks, (sound.measures.get("anchor_s") or 0.0, "anchor")]]
        name = f"{sound.name}, {part[0]:.2f} to {part[1]:.2f} s" if part else sound.name
        items.append(
            Item(
                node=as_heard(node_of(sound), part, chain),
                name=name[:400],
                category=sound.category,
                sound=str(sound.id),
                tags=tuple(sound.tags.split()),
                notes=sound.notes[:2000],
                rights=sound.rights,
                recorded=sound.recorded,
                markers=tuple((round(at, 6), label) for at, label in sorted(moved) if 0 <= at <= end),
            )
        )
    return items


def usable_folder(folder: Path, what: str) -> None:
    """Make a folder that something is written to, if need be; OskrenError when it cannot be one."""
    if not folder.is_absolute():
        raise OskrenError(f"{folder}: give the whole path of the folder for {what}, from the root of the disk.")
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

    Gives {"files": [path], "failed": [{path, reason}]}.
    """
    usable_folder(folder, "what is written")
    taken: set[str] = set()
    names = [free_name(folder, item.name, f".{target.format}", taken) for item in items]
    assert not collisions(names)
    place = studio.place(library, *(item.node for item in items))
    jobs = [[(item, target, str(folder / name), name)] for item, name in zip(items, names, strict=True)]
    done: list[str] = []
    failed: list[dict[str, str]] = []
    for _, answers in studio.batch([(tasks.ship, place, job) for job in jobs], told, stop):
        for answer in answers:
            if answer.get("ok"):
                done.append(str(folder / answer["report"]["path"]))
            elif "report" in answer:
                wrong = "; ".join(f"{check['name']}: {check['note']}" for check in answer["report"]["checks"] if not check["ok"] and not check["warning"])
                failed.append({"path": answer["report"]["path"], "reason": wrong})
            else:
                failed.append(answer)
    return {"files": sorted(done), "failed": failed, "folder": str(folder)}
