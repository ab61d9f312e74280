"""What the field team of the Saltglass Observatory left behind: notes and a picture of the place, excerpts, takes on the recorder's card, the wanted list."""

from __future__ import annotations

import struct
import zlib
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select

from oskren.core.mend.reel import Mark, Reel
from oskren.core.nodes import Step
from oskren.core.words.wanting import Entry
from oskren.devices.card import Card
from oskren.devices.recorder import RATE, Recorder, RecorderSettings
from oskren.store import Library
from oskren.store.describe import arrivals, describing, wanted
from oskren.store.describe.arrivals import ArrivalNotes
from oskren.store.describe.describing import Change
from oskren.store.tables import Arrival, Design, Sound
from oskren.work.engine.studio import Studio
from oskren.work.gather import excerpts
from oskren.work.gather.excerpts import Part
from oskren.work.mend import reels

NOTES = {
    "Tidal shore": ArrivalNotes(
        place="Causeway, low tide",
        microphone="Spaced pair, wind shield",
        props="Kelp, reeds, shingle, sluice gate",
        weather="Overcast, wind from the west",
        permission="Sluice keeper asked and glad",
    ),
    "Glassworks": ArrivalNotes(
        place="Blowers' hall, furnace side",
        microphone="Close pair, 40 cm",
        weather="Indoors, furnace lit",
        permission="Master blower, in writing",
        notes="The rack sings only while it is warm.",
    ),
    "Heron workshop": ArrivalNotes(
        place="Heron workshop", microphone="Close pair", props="Wings, beaks, keel springs of three herons", permission="Keeper of the herons"
    ),
    "Field takes": ArrivalNotes(
        place="Reed beds and sluice house", microphone="Hand-held, no shield", weather="Gusty", notes="Hum of the pumps from half past six."
    ),
}

NOTES["Bellows loft"] = ArrivalNotes(
    place="Bellows loft", microphone="One, hand-held", props="Bellows, hinges, glass rims, ratchets", notes="Lamp hums; hands on the recorder now and then."
)

WANTED = [
    (Entry(what="glass creaks, slow", how_many=4, priority=1, notes="For the dome that settles at night."), ["Rod bend, slow creak", "Lens rack, long creak"]),
    (Entry(what="orrery lock, heavy", how_many=1, priority=1), []),
    (Entry(what="kelp torn", how_many=3, priority=1, notes="Wet, close, no drips."), ["Kelp, torn slowly"]),
    (Entry(what="heron wings unfolding", how_many=6, priority=2, notes="Brass on leather; small ones too."), []),
    (Entry(what="sluice gate opening", how_many=1, priority=2, state="done"), ["Sluice gate, opens"]),
    (Entry(what="footsteps on wet sand", how_many=8, priority=2), ["Steps, wet sand"]),
    (Entry(what="bellows of the furnace", how_many=3, priority=2, state="to record", notes="Field recorder, glasshouse, hard and soft."), []),
    (Entry(what="tide cart over cobbles", how_many=2, priority=3), []),
]

CARD = [
    ("glasshouse", 32.0, 0.6, [("bellows", 0.85, 0.4), ("bellows", 0.4, 3.0), ("bellows", 0.95, 5.6)], 8.0),
    ("gear room", 40.0, 0.5, [("glass", 0.7, 0.4), ("glass", 0.3, 4.0)], 7.5),
    ("causeway", 28.0, 1.2, [("kelp", 0.8, 0.6), ("kelp", 0.9, 3.0)], 6.0),
]


def leave(studio: Studio, library: Library, home: Path) -> None:
    """Put all of it into the demo."""
    with library.reading() as session:
        known = {row.name: row.id for row in session.scalars(select(Arrival))}
    for name, notes in NOTES.items():
        arrivals.describe(library, known[name], notes)
    arrivals.add_photo(library, known["Tidal shore"], "causeway at low tide.png", picture())
    herons = _number(library, "RAW herons over reeds, wind")
    made = excerpts.cut(studio, library, herons, [Part(start_s=1.4, end_s=2.9), Part(start_s=5.0, end_s=6.6), Part(start_s=8.7, end_s=11.2)])
    describing.edit(library, made, Change(naming="Heron over reeds {number:2}", add_tags="heron select"))
    _want(library)
    _review(library)
    _record(home / "card")


def _review(library: Library) -> None:
    """The loft's takes on a review reel, begun: noise marked, a few parts kept, the chain they are heard through."""
    takes = [_number(library, f"RAW bellows loft {number}") for number in (1, 2, 3)]
    number = reels.begin(library, "Bellows loft, ten minutes", takes)
    chain = (
        Step(kind="bumps", id="loft-bumps"),
        Step(kind="hum", id="loft-hum"),
        Step(kind="noise_reduction", id="loft-noise", params={"reduction_db": 9.0}),
        Step(kind="high_pass", id="loft-low", params={"cutoff_hz": 70.0}),
    )
    marks = (
        Mark(id=1, take=takes[0], start_s=2.0, end_s=5.0, kind="noise"),
        Mark(id=2, take=takes[0], start_s=5.85, end_s=9.9, kind="keep", words="bellows breath"),
    )
    reels.save(library, number, Reel(takes=tuple(takes), chain=chain, marks=marks, shortest_s=1.0))


def _number(library: Library, name: str) -> int:
    with library.reading() as session:
        return session.scalars(select(Sound.id).where(Sound.name == name, Sound.cut_from.is_(None))).first() or 0


def _want(library: Library) -> None:
    numbers = wanted.add(library, 1, [entry for entry, _ in WANTED])
    for number, (_, names) in zip(numbers, WANTED, strict=True):
        if names:
            wanted.answer(library, number, "sound", [_number(library, name) for name in names])
    with library.reading() as session:
        design = session.scalars(select(Design.id)).first()
    if design is not None:
        wanted.answer(library, numbers[1], "design", [design])


def _record(folder: Path) -> None:
    """Three takes of the simulated recorder, on a morning of their own."""
    clock = [datetime(2026, 9, 14, 6, 12, 30)]
    recorder = Recorder(Card(folder), RecorderSettings(), seed=14, clock=lambda: clock[0])
    for place, gain, distance, gestures, seconds in CARD:
        recorder.set({"place": place, "gain_db": gain, "distance_m": distance, "shield": place == "causeway"})
        recorder.start()
        at = 0.0
        for prop, effort, moment in gestures:
            recorder.advance(round((moment - at) * RATE))
            recorder.play(recorder.gesture(prop, effort))
            at = moment
        recorder.advance(round((seconds - at) * RATE))
        recorder.stop()
        clock[0] += timedelta(minutes=17)


def picture(width: int = 320, height: int = 214) -> bytes:
    """The causeway at low tide, painted by code, as a PNG (W3C Portable Network Graphics)."""
    random = np.random.default_rng(9)
    y, x = np.mgrid[0:height, 0:width] / height
    sky = np.stack([0.20 + 0.42 * y, 0.30 + 0.32 * y, 0.36 + 0.18 * y], axis=2)
    waves = 0.5 + 0.5 * np.sin(90 * np.maximum(0, y - 0.55) ** 0.7 + 3 * np.sin(7 * x))
    sea = np.stack([0.10 + 0.10 * waves, 0.20 + 0.14 * waves, 0.20 + 0.12 * waves], axis=2)
    image = np.where((y > 0.55)[:, :, None], sea, sky)
    island = (y > 0.55 - 0.16 * np.exp(-(((x - 1.05) / 0.22) ** 2))) & (y <= 0.56)
    image[island] = (0.07, 0.10, 0.10)
    tower = (np.abs(x - 1.06) < 0.018) & (y > 0.2) & (y < 0.45)
    dome = (x - 1.06) ** 2 + (y - 0.2) ** 2 < 0.035**2
    image[tower | dome] = (0.08, 0.12, 0.12)
    image[(x - 1.06) ** 2 + (y - 0.19) ** 2 < 0.012**2] = (0.94, 0.69, 0.29)
    path = np.abs(x - 0.62 - 0.44 * (np.maximum(0, 0.99 - y) / 0.44) ** 1.4) < 0.02 + 0.10 * (y - 0.55)
    image[path & (y > 0.55)] = (0.32, 0.31, 0.27)
    image += 0.02 * random.standard_normal((height, width, 1))
    return _png((np.clip(image, 0, 1) * 255).astype(np.uint8))


def _png(pixels: NDArray[np.uint8]) -> bytes:
    height, width, _ = pixels.shape

    def chunk(name: bytes, content: bytes) -> bytes:
        return struct.pack(">I", len(content)) + name + content + struct.pack(">I", zlib.crc32(name + content))

    rows = b"".join(b"\0" + row.tobytes() for row in pixels)
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows, 9)) + chunk(b"IEND", b"")
