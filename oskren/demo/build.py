"""Builds the demo: recordings by code, then everything else through the same functions the app uses."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from sqlalchemy import or_, select

from oskren.core.audio import files
from oskren.core.audio.metadata import Marker, Metadata
from oskren.core.envelope import Envelope
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Group, Mix, Step
from oskren.core.ship.draft import OnSheet, SheetDraft
from oskren.core.ship.sheet import Beside
from oskren.core.ship.target import READY, Target
from oskren.core.ship.write import write_sound
from oskren.core.slice.finish import Finish
from oskren.core.slice.plan import drop, looped, move
from oskren.core.vary.fitting import SavedRecipe
from oskren.core.vary.recipe import Freedom, Recipe
from oskren.demo import VERSION, film, stands
from oskren.demo.chains import chains
from oskren.demo.field import leave
from oskren.demo.responses import RESPONSES
from oskren.demo.scenario import RECORDINGS, WIDE, Recording
from oskren.demo.takes import LOFT, PERFORMANCE
from oskren.store import Home, Library
from oskren.store.describe import describing, following, keeping
from oskren.store.describe.describing import Change
from oskren.store.documents import designs, recipes, versions
from oskren.store.documents.revisions import keep_draft
from oskren.store.library import node_of
from oskren.store.tables import Design, Draw, Sound, SoundPath, Version
from oskren.work.engine.progress import ALONE
from oskren.work.engine.studio import Studio
from oskren.work.gather import watching
from oskren.work.gather.importing import follow_up, import_paths
from oskren.work.ship import shipments
from oskren.work.slice import kitting, making, measuring
from oskren.work.slice import plans as slices
from oskren.work.stack import designs as designing
from oskren.work.vary import comparing, spreads

LIBRARY = "Saltglass Observatory"
FILM = "The dome wakes.mov"
EVERYTHING = [*RECORDINGS, PERFORMANCE, *WIDE, *LOFT, *RESPONSES]


def _write(number: int, folder: str) -> None:
    recording = EVERYTHING[number]
    path = Path(folder) / recording.folder / f"{recording.name}.wav"
    if not path.exists():
        files.write(
            path, recording.render(4200 + number), recording.rate, recording.bits, dither=recording.bits == 16, seed=number, said=_said(recording, number)
        )


def _said(recording: Recording, number: int) -> Metadata:
    """What the field team of the Saltglass Observatory noted in its files."""
    raw = recording.name.startswith("RAW")
    return Metadata(
        title=recording.name,
        description=f"{recording.name}, recorded at the Saltglass Observatory ({recording.folder.lower()}).",
        artist="Saltglass field team",
        date=f"2026-{3 + number % 6:02d}-{1 + number % 27:02d}T{8 + number % 10:02d}:30:00",
        rights="Made by code for the demo; free to use.",
        project="Saltglass Observatory",
        note="wind in the capsule, keep the second half" if raw else "",
        markers=(Marker(at_s=6.5, label="best pass"), Marker(at_s=14.2, label="handling bump")) if raw else (),
    )


def build(home: Path, say: Callable[[str], None]) -> None:
    """Make the demo data in a folder unless it is there already; an unfinished build is begun anew."""
    home = home.expanduser().resolve()
    if stands(home):
        return
    if (home / "libraries").exists() and not (home / "demo.building").exists():
        raise OskrenError(f"{home}: holds a library that is not the demo's; give 'oskren demo' another folder with --home")
    for old in ("libraries", "recordings", "shipped", "cache", "peaks", "card"):
        shutil.rmtree(home / old, ignore_errors=True)
    home.mkdir(parents=True, exist_ok=True)
    (home / "demo.building").touch()
    say("Synthesising the Saltglass Observatory ...")
    with ProcessPoolExecutor(mp_context=get_context("forkserver")) as pool:
        # what takes longest first: the long takes
        order = sorted(range(len(EVERYTHING)), key=lambda number: EVERYTHING[number] is not PERFORMANCE and EVERYTHING[number] not in LOFT)
        drawn = pool.submit(film.write, home / "recordings" / FILM)
        list(pool.map(_write, order, [str(home / "recordings")] * len(order)))
        drawn.result()
    studio = Studio(Home(home))
    try:
        library = studio.home.library(LIBRARY, create=True)
        (library.folder / "title").write_text(LIBRARY)
        _import(studio, library, home, say)
        _describe(studio, library, home)
        _design(studio, library, say)
        leave(studio, library, home)
        _slice_and_ship(studio, library, home, say)
        _put_to_picture(studio, library, home, say)
    finally:
        studio.close()
    (home / "demo.version").write_text(VERSION)
    (home / "demo.building").unlink()


def _import(studio: Studio, library: Library, home: Path, say: Callable[[str], None]) -> None:
    say("Importing and measuring ...")
    known = {str((home / "recordings" / one.folder / f"{one.name}.wav").resolve()): one for one in EVERYTHING}
    for folder in ("Rooms", "Tidal shore", "Glassworks", "Heron workshop", "Tower microphones", "Gear room", "Field takes", "Bellows loft"):
        import_paths(studio, library, [home / "recordings" / folder], folder, refer=True)
    with library.reading() as session:
        found = [(row.sound_id, known[row.path]) for row in session.scalars(select(SoundPath)) if row.path in known]
    for number, one in found:
        # a few stay as proposed, so that there is something to confirm
        described = {"category": one.category, "category_sure": 1.0} if one.folder not in ("Field takes", "Bellows loft") else {}
        library.change(number, {**described, "tags": one.tags, "rating": one.rating})


def _describe(studio: Studio, library: Library, home: Path) -> None:
    """What a user would have put around the sounds: an OGG of a WAV, a watched folder, marks, sets, searches, a field, a chain, a project."""
    previews = home / "recordings" / "Previews"
    samples, rate = files.read(home / "recordings" / "Glassworks" / "Dome glass, ring.wav")
    write_sound(previews / "Dome glass, ring.ogg", samples, rate, 24)
    import_paths(studio, library, [previews], "Previews", refer=True)
    follow_up(studio, library)
    watching.watch(library, home / "recordings" / "Field takes")
    watching.rescan(studio, library, str((home / "recordings" / "Field takes").resolve()))
    keeping.add_field(library, "Distance", "choice", ["close", "near", "far"])

    def numbers(*names: str) -> list[int]:
        return [_named(library, name).id for name in names]

    creaks = numbers("Rod bend, slow creak", "Furnace door, glass creak 3", "Furnace door, glass creak 1", "Lens rack, long creak")
    describing.edit(library, creaks, Change(mark="plum", fields={"Distance": "close"}))
    describing.edit(library, numbers("Pane, full shatter", "Bolt drop"), Change(mark="amber", strength=5))
    describing.edit(library, numbers("Causeway, gulls circling ambix", "Lamp gallery, storm 5.1"), Change(mark="sky", fields={"Distance": "far"}))
    keeping.add_set(library, "Lock candidates", numbers("Bolt drop", "Brass ratchet, slow", "Floor plate, knock", "Flywheel, drag"))
    keeping.add_set(library, "Creaks, best first", creaks)
    plain = {"q": "", "sort": "name", "descending": False, "facets": {}, "like": None, "trash": False}
    keeping.keep_search(library, "Short and hard", {**plain, "q": "where length under 1.5 s and strength at least 4", "sort": "strength", "descending": True})
    keeping.keep_search(library, "Beds nobody used", {**plain, "q": "where length over 8 s and used no", "sort": "duration_s", "descending": True})
    door = (
        Step(kind="high_pass", id="thin", params={"cutoff_hz": 180.0}),
        Step(kind="space", id="room", params={"size_m": 9.0, "decay_s": 0.9, "wet_db": -6.0, "pre_delay_ms": 4.0}),
    )
    following.keep(library, "Across the gallery", door, "On the other side of the lamp gallery: thinner, in the room")
    gallery, horn = (node_of(_named(library, one.name)) for one in RESPONSES)
    for name, told, chain in chains(gallery, horn):
        following.keep(library, name, chain, told)
    keeping.add_project(library, "Trailer")


def _named(library: Library, name: str) -> Sound:
    with library.reading() as session:
        return session.scalars(select(Sound).where(Sound.name == name, Sound.kind == "original")).one()


LAYERS: list[tuple[str, str, dict[str, Any]]] = [
    ("Flywheel, drag", "weight", {"pitch_st": -12.0, "gain_db": -4.0, "pan": -0.1, "end_s": 1.9, "fade_in_s": 0.25, "fade_out_s": 0.9, "at_s": 0.05}),
    (
        "Bolt drop",
        "attack",
        {"pitch_st": -4.0, "gain_db": -5.5, "pan": 0.15, "at_s": 0.0, "fade_out_s": 0.05, "search": "where length under 1.5 s and strength at least 4"},
    ),
    ("Floor plate, knock", "body", {"gain_db": -4.0, "at_s": 0.004, "search": "where length under 1.5 s and strength at least 3"}),
    ("Brass ratchet, slow", "tone", {"pitch_st": -9.0, "gain_db": -7.5, "pan": -0.3, "keep_length": True, "at_s": 0.24, "fade_in_s": 0.05, "fade_out_s": 0.5}),
    ("Dome glass, ring", "tail", {"pitch_st": -5.0, "gain_db": -13.0, "pan": 0.3, "at_s": 0.02, "end_s": 3.2, "fade_out_s": 1.6}),
]


def demo_mix(library: Library) -> Mix:
    """The five-layer design: what strikes is a group, the ratchet rises, and there is more room at the end than at the start."""
    members = []
    for number, (name, role, values) in enumerate(LAYERS, 1):
        layer = designing.layer_of_sound(library, _named(library, name).id)
        chain = (Step(kind="high_pass", id="hp", params={"cutoff_hz": 90.0}),) if role == "tone" else ()
        members.append(
            layer.model_copy(update={"id": f"layer-{number}", "role": role, "chain": chain, "group": "strike" if number in (2, 3) else "", **values})
        )
    wet = Envelope(control="wet_db", points=((0.0, -22.0), (0.6, -16.0), (1.6, -9.0)), curve="eased")
    space = Step(kind="space", id="space", params={"size_m": 12.0, "decay_s": 1.1, "wet_db": -14.0, "pre_delay_ms": 8.0}, envelopes=(wet,))
    ceiling = Step(kind="limiter", id="ceiling", params={"ceiling_dbtp": -1.0})
    return Mix(members=tuple(members), groups=(Group(id="strike", name="Strike"),), chain=(space, ceiling))


def _versions(studio: Studio, library: Library, number: int, mix: Mix) -> None:
    """Two states on the way to the design, to compare it with."""
    plain = tuple(step.model_copy(update={"envelopes": ()}) for step in mix.chain)
    first = mix.model_copy(update={"members": mix.members[:4], "chain": plain})
    heavier = mix.model_copy(
        update={"members": tuple(one.model_copy(update={"pitch_st": one.pitch_st - 5}) if one.role == "weight" else one for one in mix.members)}
    )
    for name, notes, kept in (("first", "four layers, the same room all along", first), ("heavier", "the flywheel lower: too slow to start", heavier)):
        facts = studio.facts(library, kept)
        told = {"lufs": facts["measures"]["integrated_lufs"], "seconds": facts["frames"] / facts["rate"]}
        versions.keep(library, Version, number, name, notes, mix=kept.model_dump(mode="json"), facts=told, outline=facts["outline"])


def _nested(studio: Studio, library: Library, number: int, inner: int) -> None:
    """A design that holds another one and a sound, printed to the library."""
    lock = designing.layer_of_design(studio, library, inner).model_copy(update={"id": "lock", "role": "body", "gain_db": -3.0})
    creak = designing.layer_of_sound(library, _named(library, "Dome glass, ring").id)
    ring = creak.model_copy(update={"id": "ring", "role": "air", "at_s": 0.9, "pitch_st": 3.0, "gain_db": -12.0, "reverse": True, "fade_in_s": 0.8})
    mix = Mix(members=(lock, ring))
    designs.save(library, number, "Dome opens", mix)
    designing.print_design(studio, library, mix, "Dome opens", "Mechanism", number)


def _design(studio: Studio, library: Library, say: Callable[[str], None]) -> None:
    say("Layering a design and drawing its variations ...")
    mix = demo_mix(library)
    around = designs.add(library, "Dome opens", Mix()).id
    number = designs.add(library, "Orrery unlocks", mix).id
    _versions(studio, library, number, mix)
    _nested(studio, library, around, number)
    freedoms = (
        Freedom(path="layers/layer-1/pitch_st", low=-2, high=2),
        Freedom(path="layers/layer-1/at_s", low=-0.03, high=0.04, shape="even"),
        Freedom(path="layers/layer-2/pitch_st", low=-3, high=3, link="size"),
        Freedom(path="layers/layer-2/gain_db", low=-4, high=2),
        Freedom(path="layers/layer-4/pitch_st", low=-2.5, high=2.5, link="size"),
        Freedom(path="layers/layer-4/at_s", low=-0.06, high=0.12, shape="even"),
        Freedom(path="layers/layer-5/gain_db", low=-6, high=3, shape="even"),
        Freedom(path="layers/layer-5/pitch_st", low=-5, high=4, shape="steps", step=1),
        Freedom(path="layers/layer-5/present", shape="share", share=0.75),
    )
    heavy = Recipe(name="heavy lock", freedoms=freedoms)
    light = Recipe(
        name="light lock",
        freedoms=(
            Freedom(path="layers/layer-1/pitch_st", low=3, high=6, shape="triangle"),
            Freedom(path="layers/layer-2/gain_db", low=-9, high=-4),
            Freedom(path="layers/layer-2/pitch_st", low=2, high=5),
            Freedom(path="layers/layer-4/pitch_st", low=1, high=4),
            Freedom(path="layers/layer-5/gain_db", low=-4, high=3, shape="even"),
        ),
    )
    kept_light = recipes.keep(library, light.name, SavedRecipe.of(light, mix))
    kept_heavy = recipes.keep(library, heavy.name, SavedRecipe.of(heavy, mix))
    family, _ = spreads.make_family(library, number, (spreads.Part(kept_light, 6), spreads.Part(kept_heavy, 6)), 77)
    spread = spreads.make(library, "Orrery unlocks", number, mix, heavy, 41882, 24)
    for one in (*family, spread):
        spreads.render(studio, library, one)
    chosen = comparing.most_different(library, spread, 8)
    with library.writing() as session:
        for draw in session.scalars(select(Draw).where(Draw.spread_id == spread).order_by(Draw.number)):
            draw.state = "kept" if draw.id in chosen else "dropped" if draw.number % 5 == 0 else "unheard" if draw.number % 3 == 0 else "heard"


def _slice_and_ship(studio: Studio, library: Library, home: Path, say: Callable[[str], None]) -> None:
    say("Slicing the performance and shipping one-shots ...")
    performance = _named(library, PERFORMANCE.name)
    node, plan = slices.plan_of(studio, library, performance.id)
    # found without a touch; two corrections by hand: one knock is dropped, and the longest sound ends where its ring is hardly heard;
    # the next longest loops, and kits are dealt
    by_length = sorted(plan.slices, key=lambda piece: piece.end_s - piece.start_s)
    plan = drop(plan, by_length[0].id)
    plan = move(plan, by_length[-1].id, end_s=by_length[-1].end_s - 0.15)
    plan = plan.model_copy(update={"finish": Finish(mono="mid")})
    slices.save(library, performance.id, node, plan)
    measuring.measure(studio, library, performance.id, ALONE)
    plan = looped(plan, by_length[-2].id, slices.best_loop(studio, library, performance.id, by_length[-2].id))
    plan = plan.model_copy(update={"kits": kitting.kits_of(studio, node, plan, plan.kitting)})
    slices.save(library, performance.id, node, plan)
    made = making.make_one_shots(studio, library, performance.id).sounds
    sheet = shipments.sheet_of(
        studio,
        library,
        "Gear room one-shots",
        OnSheet(sounds=made),
        [Target(name="wav 24", template="{category}/{name}"), Target(name="ogg", format="ogg", template="preview/{name}")],
        Beside(page=True, readme=True, contacts=True, reel=True),
    )
    shipment = shipments.begin(library, sheet, home / "shipped")
    shipments.run(studio, library, shipment)
    _sheet_ready(library)


def _put_to_picture(studio: Studio, library: Library, home: Path, say: Callable[[str], None]) -> None:
    say("Drawing the film and putting sounds to it ...")
    path = home / "recordings" / FILM
    with library.reading() as session:
        design = session.scalars(select(Design.id).where(Design.name == "Orrery unlocks")).one()
    film.put_scene(studio, library, path, lambda name: _named(library, name).id, design)


def _sheet_ready(library: Library) -> None:
    """A sheet that waits to be shipped: the observatory's machines and glass and the design, as archive and for the game."""
    with library.reading() as session:
        wanted = or_(Sound.category.like("Mechanism%"), Sound.category.like("Glass%"))
        some = list(session.scalars(select(Sound.id).where(wanted, Sound.kind == "original").order_by(Sound.category, Sound.name)))
        design = session.scalars(select(Design.id).order_by(Design.id)).first()
    archive, game, _ = READY
    sheet = SheetDraft(
        name="Machines and glass",
        sounds=some,
        designs=[design] if design else [],
        targets=[archive.model_copy(update={"template": "archive/{top}/{code}_{number:3}_{name}"}), game],
        beside=Beside(page=True, readme=True),
    )
    keep_draft(library, 1, "sheet", sheet.model_dump(mode="json"), None)
