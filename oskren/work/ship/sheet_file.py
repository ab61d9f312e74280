"""The sheet as a file for scripts (``oskren ship SHEET.json``): its schema, and its items found in a library."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field, model_validator
from sqlalchemy import select

from oskren.core.audio import files
from oskren.core.errors import OskrenError
from oskren.core.nodes.heard import Heard, as_heard
from oskren.core.nodes.model import Chained, Source, Step
from oskren.core.ship.items import DRY, Item
from oskren.core.ship.sheet import Beside, Given, Sheet
from oskren.core.ship.target import Target
from oskren.store import Library
from oskren.store.tables import Sound
from oskren.work import script_files
from oskren.work.engine.studio import Studio
from oskren.work.ship.items import items_of


class SheetItem(BaseModel):
    """One thing to ship: a sound of the library (its id, or its exact name) or a file beside the sheet."""

    model_config = ConfigDict(extra="forbid")

    sound: int | str | None = Field(None, description="id or exact name of a sound of the library")
    file: str | None = Field(None, description="path of an audio file, relative to the sheet")
    name: str | None = Field(None, description="name to ship under; the sound's own when left out")
    category: str | None = None
    start_s: float | None = Field(None, ge=0, description="ship only the part from here")
    end_s: float | None = Field(None, ge=0)
    chain: list[Step] = Field(default_factory=list, description="steps applied before the target's own")

    @model_validator(mode="after")
    def _one_source(self) -> SheetItem:
        if (self.sound is None) == (self.file is None):
            raise ValueError("an item names either a sound or a file")
        if (self.start_s is None) != (self.end_s is None):
            raise ValueError("a part has both start_s and end_s")
        return self


class SheetFile(BaseModel):
    """A sheet: items crossed with targets."""

    model_config = ConfigDict(extra="forbid")

    name: str = "shipment"
    items: list[SheetItem] = Field(min_length=1)
    targets: list[Target] = Field(default_factory=lambda: [Target()], min_length=1)
    beside: Beside = Beside()
    given: Given = Field(Given(), description="what files say where their sounds say nothing")


def load(path: Path) -> SheetFile:
    """Read a sheet file; one sentence when it cannot be used."""
    return script_files.read(path, SheetFile, "ship")


def resolve(studio: Studio, library: Library, sheet: SheetFile, folder: Path) -> Sheet:
    """Find every item of a sheet; OskrenError names the first that is not there. Sounds go out with all the app sends along."""
    items, known = [], dict[Path, Source]()
    for place, item in enumerate(sheet.items, 1):
        heard = Heard(part=(item.start_s, item.end_s)) if item.start_s is not None and item.end_s is not None else Heard()
        found = (
            file_item(library, item, folder, heard, known)
            if item.file is not None
            else items_of(studio, library, [sound_of(library, item.sound, f"Item {place} of the sheet")], heard)[0]
        )
        if item.chain:
            found = found.model_copy(update={"node": Chained(node=found.node, chain=tuple(item.chain))})
        own = {"name": item.name, "category": item.category}
        named = {name: value for name, value in own.items() if value is not None}
        if item.name is None and item.sound is not None:
            named["name"] = library.sound(int(found.sound)).name
        items.append(sheet.given.to(found.model_copy(update=named)))
    return Sheet(name=sheet.name, items=tuple(items), targets=tuple(sheet.targets), beside=sheet.beside)


def file_item(library: Library, item: SheetItem, folder: Path, heard: Heard = DRY, known: dict[Path, Source] | None = None) -> Item:
    """A file beside a sheet as an item; ``known`` holds those that were read before."""
    known = {} if known is None else known
    path = Path(item.file or "") if Path(item.file or "").is_absolute() else folder / (item.file or "")
    if path not in known:  # a long file may be named by hundreds of items: it is read through once
        info = files.probe(path)
        key = library.audio_at(path) or files.audio_hash(path)
        library.keep_media(key, path, refer=True)
        known[path] = Source(audio=key, rate=info.rate, channels=info.channels, frames=info.frames)
    return Item(node=as_heard(known[path], heard), name=path.stem)


def sound_of(library: Library, named: int | str | None, what: str) -> int:
    """The id of the sound of an id or an exact name; OskrenError when there is none or several, ``what`` says for what."""
    with library.reading() as session:
        where = Sound.id == named if isinstance(named, int) else Sound.name == named
        found = list(session.scalars(select(Sound.id).where(where)))
    if not found:
        raise OskrenError(f"{what}: there is no sound '{named}' in the library; 'oskren sounds' lists them.")
    if len(found) > 1:
        raise OskrenError(f"{what}: {len(found)} sounds are called '{named}'; give the id instead ({', '.join(str(one) for one in found[:5])}).")
    return found[0]
