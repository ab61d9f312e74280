"""A card: what lies on it, in the order it was recorded, and what every take would be called once it is offloaded.

Nothing on the card is changed. A card is any folder with recordings in it.
"""

from __future__ import annotations

import os
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path

from pydantic import BaseModel, ConfigDict
from sqlalchemy import select

from oskren.core.audio import files, metadata
from oskren.core.audio.walking import find_audio
from oskren.core.errors import OskrenError
from oskren.core.types import Failed
from oskren.core.words.names import TAKE_TOKENS, check_template, collisions, filled
from oskren.store import Library
from oskren.store.tables import Project, SoundPath

TEMPLATE = "{project} {date} {place} RAW {number:3}"
MOST_TAKES = 5000
_PART = re.compile(r"^(.*?)([_-])(\d{1,2})$")


class CardTake(BaseModel):
    """A recording on a card: its path within the card, what it says of itself, its name once it is offloaded, and whether it was before (``known``)."""

    model_config = ConfigDict(frozen=True)

    path: str
    seconds: float
    rate: int
    channels: int
    bits: int | None
    date: str
    time: str
    note: str
    size: int
    name: str
    known: bool


@dataclass
class CardView:
    """What lies on a card."""

    takes: list[CardTake] = field(default_factory=list)
    skipped: list[Failed] = field(default_factory=list)


def look(library: Library, card: Path, template: str = TEMPLATE, place: str = "", project: int = 1) -> CardView:
    """What lies on a card, in the order it was recorded, each with the name it would get.

    Parts of a split take follow each other and share its number.
    """
    check_template(template, TAKE_TOKENS)
    if not card.is_dir():
        raise OskrenError(f"{card}: there is no such folder; check the path of the card.")
    view = CardView()
    with library.reading() as session:
        row = session.get(Project, project)
        called = row.name if row is not None else ""
        known = set(session.scalars(select(SoundPath.path)))
    found: list[tuple[str, Path, files.FileInfo, os.stat_result, metadata.Metadata]] = []
    for path in find_audio([card], lambda one, reason: view.skipped.append({"path": str(one), "reason": reason})):
        if len(found) >= MOST_TAKES:
            raise OskrenError(f"{card}: holds more than {MOST_TAKES} files; offload its folders one by one.")
        try:
            info, facts = files.probe(path), path.stat()
        except OskrenError as error:
            view.skipped.append({"path": str(path), "reason": str(error).removeprefix(f"{path}: ")})
            continue
        said = metadata.read(path, info.rate)
        begun = said.date if re.match(r"\d{4}-\d\d-\d\d", said.date) else datetime.fromtimestamp(facts.st_mtime - info.seconds).isoformat(timespec="seconds")
        found.append((begun, path, info, facts, said))
    parts = _parts({path: (begun, info.seconds) for begun, path, info, *_ in found})
    begins = {path: begun for begun, path, *_ in found}
    found.sort(key=lambda one: (begins[parts[one[1]][0]], str(parts[one[1]][0]), parts[one[1]][1]))
    number = 0
    for begun, path, info, facts, said in found:
        part = parts[path][1]
        number += part == 1
        day, _, hour = begun.partition("T")
        values = {"project": called, "date": day, "time": hour[:8].replace(":", ""), "place": place, "name": path.stem, "number": number}
        name = filled(template, values, TAKE_TOKENS) or path.stem
        view.takes.append(
            CardTake(
                path=str(path.relative_to(card)),
                seconds=info.seconds,
                rate=info.rate,
                channels=info.channels,
                bits=info.bits,
                date=day,
                time=hour[:8],
                note=said.description or said.note,
                size=facts.st_size,
                name=f"{name}, part {part}" if part > 1 else name,
                known=known_as(path, facts.st_size) in known,
            )
        )
    view.takes = _apart(view.takes)
    return view


def _parts(found: Mapping[Path, tuple[str, float]]) -> dict[Path, tuple[Path, int]]:
    """Which take every file is of, by its first file, and which part: one goes on where the part before it ends, and is called so.

    Parameters
    ----------
    found : mapping of Path to (str, float)
        When each file was begun (ISO 8601, to the second), and its length (s).
    """
    parts: dict[Path, tuple[Path, int]] = {}
    numbered = [(path, match) for path in found if (match := _PART.match(path.stem))]
    for path, match in sorted(numbered, key=lambda one: int(one[1][3])):
        stem, between, number = match[1], match[2], int(match[3])
        before = path.with_name(f"{stem}{path.suffix}" if number == 2 else f"{stem}{between}{number - 1}{path.suffix}")
        if number < 2 or before not in found or (number > 2 and before not in parts):
            continue
        due = _moment(found[before][0]) + timedelta(seconds=found[before][1])
        if abs((_moment(found[path][0]) - due).total_seconds()) <= 2.0:
            first, place = parts.get(before, (before, 1))
            parts[path] = first, place + 1
    return {path: parts.get(path, (path, 1)) for path in found}


def _moment(said: str) -> datetime:
    try:
        return datetime.fromisoformat(said[:19])
    except ValueError:
        return datetime.min.replace(year=2)


def known_as(path: Path, size: int) -> str:
    """How a take is known once it came off a card: cards are emptied and their numbers used again."""
    return f"card/{path.name}/{size}/{int(path.stat().st_mtime)}"


def _apart(takes: Sequence[CardTake]) -> list[CardTake]:
    """Takes whose template gives several the same name get their place on the card behind it."""
    double = collisions([take.name for take in takes])
    return [take.model_copy(update={"name": f"{take.name} {place + 1:03d}"}) if place in double else take for place, take in enumerate(takes)]
