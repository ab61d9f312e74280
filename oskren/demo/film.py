"""The demo's picture: 25 seconds of the Saltglass Observatory, drawn by code, with a soft sound of its own; and a scene half done on it."""

from __future__ import annotations

import math
from collections.abc import Callable
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image, ImageDraw

from oskren.core.audio.replacing import replacing
from oskren.core.nodes.model import Group, Member, Mix
from oskren.core.picture.scene import GROUPS, Binding, Cue, Place, Scene, on_frame
from oskren.store import Library
from oskren.store.describe import wanted
from oskren.store.documents import films, scenes
from oskren.work.engine.studio import Studio
from oskren.work.picture import films as opening
from oskren.work.picture.placing import COLOURS, Onto, bed
from oskren.work.stack.designs import layer_of_design, layer_of_sound

RATE = 24
SECONDS = 25
SIZE = (640, 360)
DRAWN = 2
"""Pictures are drawn so many times as large, and scaled down: edges are smooth."""

START = 3600 * RATE
"""The film begins at one hour, as reels do (common practice, no source)."""

CUTS = (0.0, 6.0, 10.0, 15.5, 20.0)
"""Where the shots begin (s)."""

SEAM, FIRST_BEAT, BEAT_S, LOCK, SLUICE, FALL, SHATTER = 2.25, 6.5, 0.5, 12.5, 16.25, 21.0, 21.75
"""Moments of the story (s): the dome's seam, wings, the orrery's arm, the sluice, the glass."""

BEATS = 6

NIGHT, DEEP, HAZE, SAND, BRASS, GLASS, BLACK = (
    (30, 46, 58),
    (20, 33, 36),
    (86, 132, 126),
    (203, 192, 150),
    (226, 164, 72),
    (134, 205, 180),
    (16, 24, 24),
)

Draw = ImageDraw.ImageDraw
Point = tuple[float, float]


def _ramp(at: float, begin: float, length: float) -> float:
    """From 0 to 1, slowly off and slowly in."""
    share = min(1.0, max(0.0, (at - begin) / length))
    return share * share * (3 - 2 * share)


@cache
def _ramp_down(top: tuple[int, int, int], low: tuple[int, int, int]) -> Image.Image:
    ramp = np.linspace(0, 1, SIZE[1] * DRAWN)[:, None, None]
    rows = np.array(top) * (1 - ramp) + np.array(low) * ramp
    return Image.fromarray(np.repeat(rows.round().astype(np.uint8), SIZE[0] * DRAWN, axis=1))


def _sky(top: tuple[int, int, int], low: tuple[int, int, int]) -> Image.Image:
    """From one colour above to another below, to be drawn on."""
    return _ramp_down(top, low).copy()


def _turned(points: list[Point], angle: float, around: Point) -> list[Point]:
    c, s = math.cos(angle), math.sin(angle)
    return [(around[0] + (x * c - y * s), around[1] + (x * s + y * c)) for x, y in points]


def _heron(draw: Draw, foot: Point, size: float, wings: float, neck: float) -> None:
    """A clockwork heron: legs, body, neck, beak; its wings from folded (0) to raised (1)."""
    x, y = foot
    body = (x, y - 1.55 * size)
    for side in (-0.12, 0.14):
        draw.line([(x + side * size, y), (x + side * size * 0.6, y - 1.3 * size)], fill=BLACK, width=max(2, int(size * 0.06)))
    draw.ellipse([body[0] - 0.55 * size, body[1] - 0.28 * size, body[0] + 0.5 * size, body[1] + 0.3 * size], fill=BLACK)
    head = (body[0] + (0.55 + 0.2 * neck) * size, body[1] - (0.95 - 0.35 * neck) * size)
    draw.line([(body[0] + 0.35 * size, body[1] - 0.1 * size), (body[0] + 0.7 * size, body[1] - 0.45 * size), head], fill=BLACK, width=max(3, int(size * 0.12)))
    draw.ellipse([head[0] - 0.12 * size, head[1] - 0.1 * size, head[0] + 0.14 * size, head[1] + 0.12 * size], fill=BLACK)
    draw.polygon(
        [(head[0] + 0.1 * size, head[1] - 0.05 * size), (head[0] + 0.62 * size, head[1] + 0.06 * size), (head[0] + 0.1 * size, head[1] + 0.09 * size)],
        fill=BRASS,
    )
    for side in (-1, 1):
        angle = -wings * 1.35 * side - (0.15 if side < 0 else -0.15)
        feathers = [(0.0, 0.0), (-0.25 * size, 0.75 * size), (0.1 * size, 1.25 * size), (0.34 * size, 0.7 * size)]
        draw.polygon(_turned(feathers, math.pi * wings * side * 0.8 + angle, (body[0] - 0.1 * size * side, body[1])), fill=(34, 52, 50), outline=BLACK)
    draw.ellipse([head[0] - 0.01 * size, head[1] - 0.03 * size, head[0] + 0.05 * size, head[1] + 0.03 * size], fill=BRASS)


def _outside(at: float) -> Image.Image:
    image = _sky(NIGHT, HAZE)
    draw = ImageDraw.Draw(image)
    w, h = image.size
    draw.ellipse([w * 0.68, h * 0.16, w * 0.82, h * 0.16 + w * 0.14], fill=SAND)
    sea = h * 0.62 + 4 * math.sin(at * 0.7)
    draw.rectangle([0, sea, w, h], fill=DEEP)
    for row in range(9):
        y = sea + 12 + row * row * 3.2
        shift = 30 * math.sin(at * (0.5 + 0.08 * row) + row)
        for k in range(7):
            draw.line([(w * k / 7 + shift, y), (w * k / 7 + shift + 60, y)], fill=(46, 74, 72), width=2)
    open_ = _ramp(at, SEAM, 2.4)
    centre, radius = (w * 0.27, h * 0.62), w * 0.16
    for side in (-1, 1):
        a = (180, 270) if side < 0 else (270, 360)
        x = centre[0] + side * open_ * radius * 0.22
        draw.pieslice([x - radius, centre[1] - radius, x + radius, centre[1] + radius], *a, fill=BLACK, outline=GLASS, width=2)
    if open_ > 0:
        glow = tuple(int(n + (b - n) * open_) for n, b in zip(NIGHT, BRASS, strict=True))
        draw.polygon([(centre[0] - 6, centre[1]), (centre[0], centre[1] - radius * 1.02), (centre[0] + 6 + open_ * 8, centre[1])], fill=glow)
        tip = (centre[0] + open_ * radius * 0.9, centre[1] - radius * (1 + 0.45 * open_))
        draw.line([(centre[0], centre[1] - radius * 0.7), tip], fill=BRASS, width=7)
        draw.ellipse([tip[0] - 13, tip[1] - 13, tip[0] + 13, tip[1] + 13], fill=BRASS)
    _heron(draw, (w * 0.66, h * 0.97), h * 0.21, 0.0, 0.2 * math.sin(at))
    return image


def _wake(at: float) -> Image.Image:
    image = _sky((44, 66, 70), (120, 150, 132))
    draw = ImageDraw.Draw(image)
    w, h = image.size
    draw.ellipse([w * 0.1, h * 0.1, w * 0.34, h * 0.1 + w * 0.24], fill=SAND)
    draw.rectangle([0, h * 0.88, w, h], fill=DEEP)
    beat = (at - FIRST_BEAT) / BEAT_S
    wings = 0.12 + 0.75 * abs(math.sin(math.pi * beat)) if 0 <= beat <= BEATS else 0.1
    _heron(draw, (w * 0.5, h * 0.98), h * 0.4, wings, 0.5 + 0.5 * _ramp(at, 6.0, 0.6))
    return image


def _orrery(at: float) -> Image.Image:
    image = _sky((58, 44, 34), (24, 20, 20))
    draw = ImageDraw.Draw(image)
    w, h = image.size
    centre = (w * 0.5, h * 0.54)
    stopped = min(at, LOCK)
    for ring, (radius, pace, size) in enumerate(((0.1, 1.9, 9), (0.18, 1.2, 14), (0.27, 0.75, 20), (0.36, 0.45, 12))):
        r = radius * w
        draw.ellipse([centre[0] - r, centre[1] - r * 0.55, centre[0] + r, centre[1] + r * 0.55], outline=(120, 92, 56), width=3)
        angle = pace * stopped + ring
        x, y = centre[0] + r * math.cos(angle), centre[1] + r * 0.55 * math.sin(angle)
        draw.line([centre, (x, y)], fill=(150, 112, 60), width=5)
        draw.ellipse([x - size, y - size, x + size, y + size], fill=GLASS if ring % 2 else SAND)
    shake = 5 * math.exp(-(at - LOCK) * 6) * math.sin((at - LOCK) * 60) if at >= LOCK else 0.0
    draw.ellipse([centre[0] - 26 + shake, centre[1] - 26, centre[0] + 26 + shake, centre[1] + 26], fill=BRASS)
    if at >= LOCK:
        draw.rectangle([centre[0] - 8 + shake, centre[1] + 20, centre[0] + 8 + shake, h * 0.9], fill=BRASS)
    return image


def _gate(at: float) -> Image.Image:
    image = _sky((40, 62, 66), (70, 104, 98))
    draw = ImageDraw.Draw(image)
    w, h = image.size
    draw.rectangle([0, h * 0.2, w * 0.28, h], fill=(54, 52, 46))
    draw.rectangle([w * 0.72, h * 0.2, w, h], fill=(54, 52, 46))
    lifted = _ramp(at, SLUICE, 1.6)
    draw.rectangle([w * 0.28, h * 0.88 - 6, w * 0.72, h], fill=(60, 110, 106))
    if lifted > 0:
        top = h * (0.86 - 0.46 * lifted)
        for k in range(26):
            x = w * (0.3 + 0.4 * k / 25)
            wave = 12 * math.sin(at * 9 + k * 1.7)
            draw.polygon([(x - 14, top), (x + 14, top), (x + 26 + wave, h), (x - 22 + wave, h)], fill=(120 + k % 3 * 20, 176, 170))
    y = h * (0.24 - 0.34 * lifted)
    draw.rectangle([w * 0.28, y, w * 0.72, y + h * 0.62], fill=(92, 74, 50), outline=BLACK, width=4)
    for k in range(5):
        draw.line([(w * (0.32 + 0.09 * k), y), (w * (0.32 + 0.09 * k), y + h * 0.62)], fill=(66, 52, 36), width=4)
    return image


def _glass(at: float) -> Image.Image:
    image = _sky((32, 38, 44), (64, 74, 70))
    draw = ImageDraw.Draw(image)
    w, h = image.size
    floor = h * 0.86
    draw.rectangle([0, floor, w, h], fill=(44, 40, 36))
    draw.rectangle([w * 0.12, h * 0.3, w * 0.42, h * 0.33], fill=(92, 74, 50))
    if at < SHATTER:
        fall = max(0.0, (at - FALL) / (SHATTER - FALL))
        x, y = w * (0.36 + 0.1 * fall), h * 0.3 + (floor - h * 0.3) * fall * fall
        draw.polygon(_turned([(-34, -96), (34, -96), (26, 0), (-26, 0)], 1.4 * fall, (x, y)), fill=(96, 160, 146), outline=GLASS, width=3)
    else:
        gone = at - SHATTER
        random = np.random.Generator(np.random.PCG64(7))
        for _ in range(44):
            vx, vy, size, spin = random.uniform(-420, 420), random.uniform(-760, -160), random.uniform(6, 26), random.uniform(-9, 9)
            x, y = w * 0.46 + vx * min(gone, 1.2), floor + vy * gone + 1100 * gone * gone
            y = min(y, floor + random.uniform(2, 40))
            draw.polygon(_turned([(-size, size * 0.6), (size, size * 0.3), (0, -size)], spin * min(gone, 0.9), (x, y)), fill=(96, 160, 146), outline=GLASS)
    return image


SHOTS: tuple[Callable[[float], Image.Image], ...] = (_outside, _wake, _orrery, _gate, _glass)


def picture(number: int) -> Image.Image:
    """A frame of the film by its number."""
    at = number / RATE
    shot = max(k for k, begin in enumerate(CUTS) if at >= begin - 1e-9)
    return SHOTS[shot](at).reduce(DRAWN)


def _sound() -> np.ndarray[Any, np.dtype[np.float32]]:
    """What the camera heard: wind, far away."""
    random = np.random.Generator(np.random.PCG64(25))
    noise = random.standard_normal(48_000 * SECONDS).astype(np.float32)
    spectrum = np.fft.rfft(noise)
    spectrum /= 1 + (np.fft.rfftfreq(len(noise), 1 / 48_000) / 300) ** 2
    wind = np.fft.irfft(spectrum, len(noise))
    swell = 0.6 + 0.4 * np.sin(2 * np.pi * np.arange(len(wind)) / 48_000 / 7)
    return (0.02 * swell * wind / np.std(wind)).astype(np.float32)


def write(path: Path) -> None:
    """Write the film: H.264 with AAC in MP4, its time code beginning at one hour."""
    with replacing(path) as half, av.open(str(half), "w", format="mov") as out:
        out.metadata["timecode"] = "01:00:00:00"
        stream: Any = out.add_stream("libx264", rate=RATE)
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        stream.options = {"crf": "21", "preset": "veryfast", "g": "48"}
        voice: Any = out.add_stream("aac", rate=48_000, layout="mono")
        for number in range(RATE * SECONDS):
            frame = av.VideoFrame.from_ndarray(np.asarray(picture(number)), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, RATE)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        heard = _sound()
        for at in range(0, len(heard), 1024):
            block = av.AudioFrame.from_ndarray(heard[at : at + 1024][None, :], format="fltp", layout="mono")
            block.sample_rate, block.pts, block.time_base = 48_000, at, Fraction(1, 48_000)
            out.mux(voice.encode(block))
        out.mux(voice.encode(None))


def _frame(at: float) -> int:
    return round(at * RATE)


CUES: tuple[tuple[str, float, float | None, int], ...] = (
    ("Tide and wind, all along", 0.0, 25.0, 2),
    ("Dome seam opens", SEAM, None, 1),
    ("Heron wakes, wing beats", FIRST_BEAT, FIRST_BEAT + BEATS * BEAT_S, 1),
    ("Orrery turns", 10.0, LOCK, 2),
    ("Orrery arm locks", LOCK, None, 1),
    ("Sluice opens", SLUICE, 20.0, 1),
    ("Glass tips over", FALL, None, 3),
    ("Glass falls, shatters", SHATTER, None, 1),
)


def put_scene(studio: Studio, library: Library, path: Path, named: Callable[[str], int], design: int) -> None:
    """Open the film and put half of its sounds to it: two groups, one place, cues of which some wait."""
    film = opening.probed(studio, path)
    id = films.add(library, "The dome wakes", path, film)
    opening.open_film(studio, library, id)
    scene = Scene(film=id, frame_rate=film.frame_rate, frames=film.frames, start=film.start, target_lufs=-23.0)
    groups = [Group(id="hard", name=GROUPS[0], colour=COLOURS[0]), Group(id="ambience", name=GROUPS[2], colour=COLOURS[2], gain_db=-9.0)]

    def placed(id: str, layer: Member, at: float, group: str = "hard", **values: Any) -> Member:
        return layer.model_copy(update={"id": id, "at_s": on_frame(_frame(at), scene.counted), "group": group, **values})

    onto = Onto(frame_rate=scene.frame_rate, frames=scene.frames, groups=list(groups), group=GROUPS[2])
    [wind] = bed(studio, library, onto, named("Dome, wind on panes"), 0, film.frames).members
    members = (
        wind.model_copy(update={"id": "wind"}),
        placed("seam", layer_of_sound(library, named("Dome rails, grind")), SEAM, gain_db=-7.0, fade_out_s=0.6, pan=-0.3),
        placed("lock", layer_of_design(studio, library, design), LOCK, gain_db=-3.0),
        placed("turns", layer_of_sound(library, named("Brass ratchet, slow")), 10.25, gain_db=-11.0, pan=0.2),
        placed("gate", layer_of_sound(library, named("Sluice gate, opens")), SLUICE, gain_db=-6.0),
    )
    entries = {entry.entry.what: entry.id for entry in wanted.listed(library, 1)}
    answers = {
        "Tide and wind, all along": ("wind",),
        "Dome seam opens": ("seam",),
        "Orrery turns": ("turns",),
        "Orrery arm locks": ("lock",),
        "Sluice opens": ("gate",),
    }
    cues = tuple(
        Cue(
            id=f"cue-{count}",
            name=name,
            frame=_frame(at),
            until=None if until is None else _frame(until),
            priority=priority,
            placed=answers.get(name, ()),
            done=name == "Dome seam opens",
            wanted=next((entries[what] for what in entries if what.casefold() in name.casefold()), None),
        )
        for count, (name, at, until, priority) in enumerate(CUES, 1)
    )
    hall = Place(id="dome", name="Inside the dome", frame=_frame(CUTS[2]), until=_frame(CUTS[3]), space="hall", amount="near", amounts={"turns": "far"})
    keys = (Binding(key="1", name="hit", search="where length under 1.5 s and strength at least 4"), Binding(key="2", name="glass", search="glass"))
    mix = Mix(members=members, groups=tuple(groups))
    scenes.add(library, "The dome wakes", scene.model_copy(update={"mix": mix, "cues": cues, "places": (hall,), "keys": keys}))
