"""What is on a sheet as items: sounds of a library, designs, variations; a batch asks the library once."""

from __future__ import annotations

import functools
import os
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from sqlalchemy import and_, func, select

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.heard import Heard, as_heard
from oskren.core.nodes.model import Mix
from oskren.core.nodes.voices import Shape
from oskren.core.nodes.walk import sounding
from oskren.core.ship.draft import OnSheet
from oskren.core.ship.items import DRY, Item, Titled, item_as_heard, name_heard
from oskren.store import Library
from oskren.store.database import in_parts
from oskren.store.describe.naming import code_of, codes
from oskren.store.describe.tree import vocabulary
from oskren.store.library import no_such_sound, node_of
from oskren.store.tables import Design, Draw, Media, Sound, Spread, Version
from oskren.work.engine.studio import Studio

How = Heard | Mapping[int, Heard] | None
"""How all sounds, or each by its id, were heard; dry where nothing is said."""


def _heard(heard: How, id: int) -> Heard:
    return heard if isinstance(heard, Heard) else (heard or {}).get(id, DRY)


def _check_part(heard: How, ids: Sequence[int]) -> None:
    if isinstance(heard, Heard) and heard.part is not None and len(ids) != 1:
        raise OskrenError("A marked part belongs to one sound; choose only that one.")


def _as_it_is(sound: Sound) -> Item:
    """A sound with all it says of itself; its markers in the time before its chain."""
    marks = [(mark["at_s"], mark.get("label", "")) for mark in sound.said.get("markers", []) if mark.get("label", "").lower() != "anchor"]
    return Item(
        node=node_of(sound),
        name=sound.name[:400],
        category=sound.category,
        sound=str(sound.id),
        bits=sound.bits,
        tags=tuple(sound.tags.split()),
        notes=sound.notes[:2000],
        rights=sound.rights,
        recorded=sound.recorded,
        loops=tuple((loop["start_s"], loop["end_s"]) for loop in sound.said.get("loops", [])),
        markers=(*marks, (sound.measures.get("anchor_s") or 0.0, "anchor")),
    )


def items_of(studio: Studio, library: Library, ids: Sequence[int], heard: How = None) -> list[Item]:
    """Sounds as items, with their words, markers and anchor, each as it was heard."""
    _check_part(heard, ids)
    renderer = studio.renderer(library)
    return [item_as_heard(renderer, _as_it_is(sound), _heard(heard, sound.id)) for sound in library.sounds(ids)]


def titled_of(studio: Studio, library: Library, ids: Sequence[int], heard: How = None) -> list[Titled]:
    """What the names of the files of sounds are made of; only sounds whose rate or channels a chain may change are looked into."""
    _check_part(heard, ids)
    renderer = studio.renderer(library)
    rows: dict[int, tuple[Any, ...]] = {}
    with library.reading() as session:
        for some in in_parts(ids):
            told = (Sound.id, Sound.name, Sound.category, Sound.rate, Sound.channels, Sound.bits, Sound.tags, Sound.frames, Sound.rights, Sound.notes)
            looked_at = (Media.path, Sound.missing, func.json_array_length(Sound.said, "$.loops") > 0, func.json_array_length(Sound.chain) > 0)
            query = (
                select(*told, *KNOWN.values(), *looked_at)
                .outerjoin(Media, and_(Media.audio == Sound.audio, Media.referred.is_(True)))
                .where(Sound.id.in_(some))
            )
            rows |= {row[0]: tuple(row) for row in session.execute(query)}
    changing = [id for id in ids if id in rows and (rows[id][-1] or not _heard(heard, id).dry)]
    shapes = {sound.id: renderer.output_shape(as_heard(node_of(sound), _heard(heard, sound.id))) for sound in library.sounds(changing)}
    codes = code_book(library)
    found = []
    for id in ids:
        if id not in rows:
            raise no_such_sound(id)
        _, name, category, rate, channels, bits, tags, frames, rights, notes, bright, peak, band, agree, outside, lacking, loops, _ = rows[id]
        shape = shapes.get(id)
        seconds = shape.seconds if shape else frames / rate
        if shape:
            rate, channels, peak, agree = shape.rate, shape.channels, None, None
        code = codes(category)
        name = name_heard(name, _heard(heard, id))
        words = tuple(tags.split()), seconds, bright, rights or "", notes or "", code
        gone = lacking or (outside is not None and not os.path.exists(outside))
        found.append(Titled(name, category, rate, channels, bits, *words, peak, band, agree, bool(loops), gone))
    return found


KNOWN = {name: func.json_extract(Sound.measures, f"$.{name}") for name in ("brightness_hz", "sample_peak_dbfs", "bandwidth_hz", "correlation")}
"""What is measured of a sound that a sheet looks at."""


def code_book(library: Library) -> Callable[[str], str]:
    """The code of each category of a library, asked once."""
    known = codes(library)
    return functools.cache(lambda category: code_of(category, known) if category else "")


def titled(item: Item, shape: Shape, bright: Mapping[int, float | None], codes: Callable[[str], str]) -> Titled:
    """What the name of an item's file is made of; ``bright`` is the brightness (Hz) of sounds by id, ``codes`` gives the code of a category."""
    known = bright.get(int(item.sound)) if item.sound.isdigit() else None
    words = item.tags, shape.seconds, known, item.rights, item.notes, codes(item.category)
    return Titled(item.name, item.category, shape.rate, shape.channels, item.bits, *words, loops=bool(item.loops))


def brightness_of(library: Library, ids: Sequence[int]) -> dict[int, float | None]:
    """Brightness (Hz) of sounds by id."""
    found: dict[int, float | None] = {}
    with library.reading() as session:
        for some in in_parts(ids):
            rows = session.execute(select(Sound.id, KNOWN["brightness_hz"]).where(Sound.id.in_(some))).all()
            found |= {id: value for id, value in rows}  # noqa: C416 - rows are no pairs to the type checker
    return found


def variation_name(spread: str, number: int) -> str:
    """What a variation is called when it leaves."""
    return f"{spread} {number:02d}"[:400]


def lineage(spread: Spread, number: int) -> str:
    """What a variation says of where it came from."""
    return f"Variation {number} of {spread.name} by the recipe {spread.recipe.get('name') or 'of its design'}, seed {spread.seed}."[:2000]


def without_candidates(recipe: dict[str, Any]) -> dict[str, Any]:
    """A recipe as a manifest tells of it: what may move, not every sound another could have been drawn from.

    >>> without_candidates({"name": "heavy", "freedoms": [{"path": "layers/a/source", "candidates": [1, 2]}]})
    {'name': 'heavy', 'freedoms': [{'path': 'layers/a/source'}]}
    """
    freedoms = [{name: value for name, value in one.items() if name != "candidates"} for one in recipe.get("freedoms", [])]
    return {**recipe, "freedoms": freedoms}


def made_items(library: Library, wanted: OnSheet) -> list[Item]:
    """Designs as they are now, variations and kept versions as items; their category is proposed by the name of the design, of the spread."""
    if not wanted.designs and not wanted.draws and not wanted.versions:
        return []
    words = vocabulary(library)
    found: dict[tuple[str, int], tuple[str, str, Any, str, dict[str, Any]]] = {}
    with library.reading() as session:
        for some in in_parts(wanted.designs):
            query = select(Design.id, Design.name, Design.mix).where(Design.id.in_(some), Design.trashed.is_(None))
            for id, name, mix in session.execute(query):
                found["design", id] = name, name, mix, "", {"design": name}
        for some in in_parts(wanted.draws):
            drawn = select(Draw.id, Spread, Draw.number, Draw.mix).join(Spread, Spread.id == Draw.spread_id).where(Draw.id.in_(some))
            for id, of, place, mix in session.execute(drawn):
                made = {"spread": of.name, "seed": of.seed, "number": place, "recipe": without_candidates(of.recipe), "made_with": of.made_with}
                found["variation", id] = variation_name(of.name, place), of.name, mix, lineage(of, place), made
        for some in in_parts(wanted.versions):
            kept = select(Version.id, Version.name, Version.notes, Version.mix, Design.name).join(Design, Design.id == Version.design_id)
            for id, name, notes, mix, design in session.execute(kept.where(Version.id.in_(some), Design.trashed.is_(None))):
                found["version", id] = f"{design}, {name}", design, mix, notes, {"design": design, "version": name}
    items = []
    for called, ids in (("design", wanted.designs), ("variation", wanted.draws), ("version", wanted.versions)):
        for id in ids:
            if (called, id) not in found:
                raise NotFound(f"There is no {called} {id} any more; take it off the sheet.")
            name, told, body, notes, made = found[called, id]
            mix = Mix.model_validate(body)
            if not sounding(mix):
                raise OskrenError(f"{name} has nothing that sounds; put a layer into it, or take it off the sheet.")
            items.append(Item(node=mix, name=name[:400], category=words.propose(told).category, notes=notes[:2000], made=made))
    return items


def items_on(studio: Studio, library: Library, wanted: OnSheet) -> list[Item]:
    """All that is on a sheet, as it is now, in its order."""
    return items_of(studio, library, wanted.sounds, wanted.heard) + made_items(library, wanted)


def item_at(studio: Studio, library: Library, wanted: OnSheet, at: int) -> Item:
    """One thing on a sheet, by its place; nothing else of it is looked into."""
    kind, id = wanted.keys[at].split("/")
    heard = {number: so for number, so in wanted.heard.items() if kind == "sounds" and number == int(id)}
    return items_on(studio, library, OnSheet.model_validate({kind: [int(id)], "heard": heard}))[0]


def titled_on(studio: Studio, library: Library, wanted: OnSheet) -> list[Titled]:
    """What the names of the files of all that is on a sheet are made of; of variations that are rendered nothing but rate and channels is read."""
    renderer, words, codes = studio.renderer(library), vocabulary(library), code_book(library)
    category = functools.cache(lambda name: words.propose(name).category)
    known: dict[int, Titled] = {}
    facts = [func.json_extract(Draw.facts, f"$.{name}") for name in ("rate", "channels")]
    with library.reading() as session:
        for some in in_parts(wanted.draws):
            query = select(Draw.id, Spread.name, Draw.number, *facts).join(Spread, Spread.id == Draw.spread_id)
            for id, name, place, rate, channels in session.execute(query.where(Draw.id.in_(some))):
                if rate:
                    known[id] = Titled(variation_name(name, place), category(name), rate, channels, code=codes(category(name)))

    left = [id for id in wanted.draws if id not in known]
    known |= dict(zip(left, [titled(item, renderer.output_shape(item.node), {}, codes) for item in made_items(library, OnSheet(draws=left))], strict=True))
    designs, versions = (
        [titled(item, renderer.output_shape(item.node), {}, codes) for item in made_items(library, some)]
        for some in (OnSheet(designs=wanted.designs), OnSheet(versions=wanted.versions))
    )
    return [*titled_of(studio, library, wanted.sounds, wanted.heard), *designs, *(known[id] for id in wanted.draws), *versions]
