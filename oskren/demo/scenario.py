"""The sounds of the Saltglass Observatory: what was recorded where, and how each is synthesised."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oskren.demo.air import call, circling, storm, wind
from oskren.demo.synth import Maker, Wave, level

GLASS = [1, 2.32, 4.25, 6.63, 9.38, 12.2]
BRASS = [1, 1.51, 2.44, 2.97, 4.31, 5.88, 7.2]
PLATE = [1, 1.73, 2.9, 3.83, 5.31, 6.9]
WOOD = [1, 2.57, 4.94, 7.6]
BELL = [0.5, 1, 1.19, 1.56, 2, 2.51, 3.01, 4.1]


@dataclass(frozen=True)
class Recording:
    """One file of the demo: folder, name, rate (Hz), bits, peak (dBFS), category, tags, rating, and how it is made."""

    folder: str
    name: str
    rate: int
    bits: int
    peak_db: float
    category: str
    tags: str
    rating: int
    make: Callable[[Maker], Wave]

    def render(self, seed: int) -> NDArray[np.float32]:
        return level(self.make(Maker(seed, self.rate)), self.peak_db)


def creak(m: Maker, seconds: float, low: float, high: float, grains: float, tonal: float) -> Wave:
    return m.shape(m.scrape(seconds, low, high, grains, tonal), seconds * 0.35, seconds * 0.4, 1.5)


def _shatter(m: Maker, pieces: int, seconds: float) -> Wave:
    out = np.zeros(round(seconds * m.rate))
    out[: round(0.25 * m.rate)] += m.shape(m.band(m.noise(0.25), 900, 15000), 0.001, 0.24, 3)
    for _ in range(pieces):
        piece = m.modes(0.35, 1400 + 3800 * m.random.random(), GLASS[:4], 0.16, 0.7) * m.random.random() ** 2 * 0.6
        i = round((m.random.random() ** 2.2) * (seconds - 0.4) * m.rate)
        out[i : i + len(piece)] += piece[: len(out) - i]
    return out


def bellows(m: Maker, seconds: float, out_breath: bool) -> Wave:
    breath = m.band(m.noise(seconds), 180, 2600) * np.sin(np.pi * m.time(seconds) / seconds) ** (0.7 if out_breath else 1.4)
    leather = m.scrape(seconds, 300, 1800, 55) * 0.25
    return np.asarray(breath / np.max(np.abs(breath)) + leather * np.sin(np.pi * m.time(seconds) / seconds))


def _water(m: Maker, seconds: float, per_s: float, rush: float) -> Wave:
    bed = m.band(m.coloured(seconds, 2.5), 120, 9000) * m.slow(seconds, 1.3, 0.55, 1.0)
    return np.asarray(rush * bed / np.max(np.abs(bed)) + 0.6 * m.drops(seconds, per_s, 350, 2400))


def _squelch(m: Maker, seconds: float) -> Wave:
    return m.shape(m.band(m.scrape(seconds, 180, 2200, 38) + 0.8 * m.drops(seconds, 46, 180, 900)[: round(seconds * m.rate)], 90, 6000), 0.02, seconds * 0.5)


def _swell(m: Maker, seconds: float, base: float) -> Wave:
    t = m.time(seconds)
    tone = sum(np.sin(2 * np.pi * base * r * (1 + 0.003 * k) * t + k) / (k + 1) for k, r in enumerate((1, 1.5, 2.01, 3.02, 4.5)))
    return (tone + 0.3 * m.band(m.noise(seconds), 800, 7000)) * (t / seconds) ** 2.4 * np.clip((seconds - t) / 0.02, 0, 1)


def _steps(m: Maker, seconds: float, surface: str) -> Wave:
    out = np.zeros(round(seconds * m.rate))
    at = 0.25
    while at < seconds - 0.4:
        if surface == "grate":
            hit = m.modes(0.3, 210, PLATE, 0.2, 0.8) + 0.4 * np.pad(m.modes(0.22, 470, PLATE, 0.12, 0.7), (0, round(0.08 * m.rate)))[: round(0.3 * m.rate)]
        else:
            hit = m.shape(m.band(m.noise(0.3), 200, 5200) * np.exp(-m.time(0.3) * 16), 0.004, 0.2)
        i = round(at * m.rate)
        out[i : i + len(hit)] += hit[: len(out) - i] * (0.6 + 0.4 * m.random.random())
        at += 0.56 + 0.06 * m.random.standard_normal()
    return out


def ring(m: Maker, hz: float, seconds: float, decay: float) -> Wave:
    return m.modes(seconds, hz, GLASS, decay, 0.62, 0.003)


RECORDINGS: list[Recording] = [
    # Glassworks: close props, dry
    Recording("Glassworks", "Furnace door, glass creak 1", 96000, 24, -9.2, "Glass/Creak", "slow dry tonal", 3, lambda m: creak(m, 2.6, 900, 5200, 90, 0.9)),
    Recording("Glassworks", "Furnace door, glass creak 2", 96000, 24, -7.4, "Glass/Creak", "dry", 0, lambda m: creak(m, 1.1, 1100, 6200, 130, 0.5)),
    Recording("Glassworks", "Furnace door, glass creak 3", 96000, 24, -11.8, "Glass/Creak", "dry short", 4, lambda m: creak(m, 0.8, 700, 4300, 70, 1.1)),
    Recording("Glassworks", "Rod bend, slow creak", 48000, 24, -13.0, "Glass/Creak", "slow tonal", 5, lambda m: creak(m, 3.1, 520, 3600, 46, 1.6)),
    Recording("Glassworks", "Lens rack, long creak", 96000, 24, -10.4, "Glass/Creak", "long", 2, lambda m: creak(m, 4.2, 640, 5000, 60, 0.7)),
    Recording("Glassworks", "Bell jar, rim ring", 96000, 24, -6.0, "Glass/Ring", "tonal clean", 5, lambda m: ring(m, 622, 4.5, 4.2)),
    Recording("Glassworks", "Dome glass, ring", 96000, 24, -5.1, "Glass/Ring", "tonal big", 4, lambda m: ring(m, 311, 6.0, 5.8)),
    Recording("Glassworks", "Goblet, fingertip ring", 48000, 24, -8.8, "Glass/Ring", "tonal small", 0, lambda m: ring(m, 1046, 3.0, 2.6)),
    Recording("Glassworks", "Pane stress, ticks", 96000, 24, -12.1, "Glass", "ticks dry", 3, lambda m: m.gears(2.2, 5.5, 3100, 1.2, 0.5)),
    Recording("Glassworks", "Pane, full shatter", 96000, 24, -1.8, "Glass/Shatter", "hard big", 5, lambda m: _shatter(m, 90, 2.4)),
    Recording("Glassworks", "Bottle, small shatter", 48000, 24, -3.0, "Glass/Shatter", "small", 3, lambda m: _shatter(m, 28, 1.2)),
    Recording(
        "Glassworks",
        "Shards swept over stone",
        48000,
        24,
        -10.0,
        "Glass/Shatter",
        "sweep texture",
        2,
        lambda m: _shatter(m, 160, 4.0) * m.shape(np.ones(round(4.0 * m.rate)), 1.2, 1.5),
    ),
    Recording("Glassworks", "Kiln door, hinge squeal", 48000, 24, -8.0, "Metal/Hinge", "squeal", 0, lambda m: creak(m, 1.8, 380, 2900, 110, 2.2)),
    Recording("Glassworks", "Blowpipe, breath through", 44100, 16, -14.5, "Wind and air", "breath soft", 0, lambda m: bellows(m, 2.4, True) * 0.8),
    Recording(
        "Glassworks",
        "Molten gather, drip hiss",
        96000,
        24,
        -9.9,
        "Fire",
        "hiss sizzle",
        3,
        lambda m: m.shape(m.band(m.noise(1.9), 2500, 18000) * m.slow(1.9, 14), 0.01, 1.5) * 0.5 + m.drops(1.9, 9, 700, 2000),
    ),
    Recording(
        "Glassworks",
        "Furnace, roar bed",
        48000,
        24,
        -12.0,
        "Fire",
        "roar loop",
        2,
        lambda m: m.stereo(m.band(m.coloured(14.0, 4.0), 35, 3200) * m.slow(14.0, 2.2, 0.7, 1.0), 0.7),
    ),
    # Orrery and gear room: brass
    Recording("Gear room", "Brass ratchet, slow", 96000, 24, -6.4, "Mechanism", "slow ratchet", 5, lambda m: m.gears(2.4, 8.5, 690, 1.0)),
    Recording("Gear room", "Brass ratchet, quick", 96000, 24, -6.1, "Mechanism", "fast ratchet", 4, lambda m: m.gears(1.3, 26, 830, 1.0)),
    Recording("Gear room", "Clock train, idle", 48000, 24, -13.7, "Mechanism/Clock", "tick loop", 3, lambda m: m.gears(8.0, 4.0, 1250, 0.8, 0.01)),
    Recording(
        "Gear room",
        "Bolt drop",
        96000,
        24,
        -2.2,
        "Mechanism/Lock",
        "hard heavy",
        5,
        lambda m: (
            m.modes(1.1, 175, BRASS, 0.55, 0.86)
            + 0.5 * np.pad(m.modes(0.9, 240, BRASS, 0.3, 0.8), (round(0.11 * m.rate), round(0.09 * m.rate)))[: round(1.1 * m.rate)]
        ),
    ),
    Recording(
        "Gear room",
        "Latch, double click",
        48000,
        24,
        -8.2,
        "Mechanism/Lock",
        "small click",
        0,
        lambda m: np.concatenate([m.modes(0.16, 1500, BRASS, 0.07, 0.8), 0.7 * m.modes(0.5, 1150, BRASS, 0.1, 0.8)]),
    ),
    Recording(
        "Gear room",
        "Flywheel, drag",
        96000,
        24,
        -9.6,
        "Mechanism",
        "heavy slow drag",
        4,
        lambda m: m.shape(m.scrape(3.2, 60, 1500, 34) + 0.4 * m.band(m.coloured(3.2, 4), 30, 400) / 3, 0.5, 1.3),
    ),
    Recording("Gear room", "Floor plate, knock", 96000, 24, -3.1, "Impact", "hard body", 4, lambda m: m.modes(1.2, 88, PLATE, 0.5, 0.7)),
    Recording(
        "Gear room",
        "Floor plate, stamp far",
        48000,
        24,
        -11.3,
        "Impact",
        "distant room",
        0,
        lambda m: m.stereo(m.room(m.modes(0.9, 71, PLATE, 0.4, 0.6), 1.8, 0.9), 0.5),
    ),
    Recording(
        "Gear room",
        "Mirror crank, one turn",
        48000,
        24,
        -9.4,
        "Mechanism",
        "crank",
        3,
        lambda m: m.shape(m.gears(1.9, 13, 520, 0.9, 0.12) + 0.3 * m.scrape(1.9, 400, 2400, 60), 0.1, 0.5),
    ),
    Recording(
        "Gear room",
        "Counterweight, chain run",
        96000,
        24,
        -5.9,
        "Metal",
        "chain rattle",
        4,
        lambda m: m.shape(m.gears(2.8, 31, 1900, 1.2, 0.3) + 0.5 * m.scrape(2.8, 800, 7000, 140), 0.2, 0.9),
    ),
    Recording(
        "Gear room", "Chain, single set-down", 96000, 24, -7.7, "Metal", "chain short", 0, lambda m: m.shape(m.gears(0.9, 38, 2100, 1.3, 0.4), 0.005, 0.5)
    ),
    Recording(
        "Gear room", "Bell of hours, struck", 96000, 24, -4.0, "Metal", "bell tonal big", 5, lambda m: m.stereo(m.modes(8.0, 220, BELL, 7.5, 0.8, 0.002), 0.5)
    ),
    Recording("Gear room", "Bell of hours, muted", 96000, 24, -6.5, "Metal", "bell dull", 2, lambda m: m.modes(1.1, 221, BELL, 0.6, 0.55, 0.002)),
    Recording(
        "Gear room",
        "Spring, overwound",
        96000,
        24,
        -7.0,
        "Mechanism",
        "spring twang",
        3,
        lambda m: m.modes(1.8, 132, [1, 2.1, 3.4, 4.9, 6.2, 8.3], 1.4, 0.92, 0.02),
    ),
    Recording(
        "Gear room",
        "Lens turret, seated",
        96000,
        24,
        -5.5,
        "Mechanism/Lock",
        "thunk precise",
        4,
        lambda m: m.modes(0.8, 142, BRASS, 0.3, 0.7) + 0.2 * m.shape(m.scrape(0.8, 900, 5000, 90), 0.3, 0.3)[::-1],
    ),
    Recording(
        "Gear room",
        "Dome rails, grind",
        96000,
        24,
        -8.6,
        "Mechanism",
        "heavy grind",
        3,
        lambda m: m.stereo(m.shape(m.scrape(5.5, 45, 1100, 28) + 0.3 * m.scrape(5.5, 700, 4200, 80, 0.6), 0.8, 1.6), 0.5),
    ),
    # Heron workshop
    Recording(
        "Heron workshop",
        "Heron, wing unfold",
        96000,
        24,
        -8.1,
        "Mechanism",
        "wing flutter",
        4,
        lambda m: m.shape(m.gears(1.2, 34, 2300, 0.8, 0.15) * 0.5 + m.band(m.noise(1.2), 400, 3800) * m.slow(1.2, 24) * 0.3, 0.1, 0.5),
    ),
    Recording(
        "Heron workshop",
        "Heron, neck servo",
        48000,
        24,
        -10.9,
        "Mechanism",
        "servo tonal",
        3,
        lambda m: m.shape(np.sin(2 * np.pi * np.cumsum(180 + 160 * m.slow(1.4, 2.5)) / m.rate) * 0.6 + 0.4 * m.gears(1.4, 48, 1700, 0.6), 0.05, 0.2),
    ),
    Recording("Heron workshop", "Heron, call low", 48000, 24, -6.6, "Animal/Call", "voice tonal", 5, lambda m: call(m, 0.9, 196, 4)),
    Recording("Heron workshop", "Heron, call alarm", 48000, 24, -4.9, "Animal/Call", "voice hard", 4, lambda m: call(m, 0.6, 392, -7)),
    Recording("Heron workshop", "Heron, beak clack", 96000, 24, -4.2, "Animal", "short hard", 4, lambda m: m.modes(0.35, 980, WOOD, 0.08, 0.8)),
    Recording(
        "Heron workshop",
        "Heron, feather plates",
        96000,
        24,
        -12.4,
        "Metal",
        "rustle light",
        2,
        lambda m: m.shape(m.gears(2.0, 44, 4200, 1.4, 0.4) * m.slow(2.0, 6), 0.3, 0.8),
    ),
    Recording("Heron workshop", "Bellows, out breath", 48000, 24, -9.0, "Mechanism/Bellows", "air slow", 3, lambda m: bellows(m, 1.8, True)),
    Recording("Heron workshop", "Bellows, in breath", 48000, 24, -11.5, "Mechanism/Bellows", "air", 0, lambda m: bellows(m, 1.5, False)),
    Recording(
        "Heron workshop",
        "Bellows, leak",
        44100,
        16,
        -16.2,
        "Mechanism/Bellows",
        "hiss",
        0,
        lambda m: m.shape(m.band(m.noise(2.6), 2800, 15000) * m.slow(2.6, 5, 0.3, 1), 0.3, 1.0),
    ),
    Recording(
        "Heron workshop",
        "Winding key, eight turns",
        96000,
        24,
        -7.8,
        "Mechanism/Lock",
        "wind up",
        3,
        lambda m: m.gears(3.6, 19, 1400, 0.9, 0.2) * (0.55 + 0.45 * np.sign(np.sin(2 * np.pi * 2.2 * m.time(3.6)))),
    ),
    # Shore: water, kelp, reeds, wind
    Recording("Tidal shore", "Kelp, wet squelch 1", 48000, 24, -8.3, "Plant", "wet squelch", 3, lambda m: _squelch(m, 0.9)),
    Recording("Tidal shore", "Kelp, wet squelch 2", 48000, 24, -9.9, "Plant", "wet squelch", 0, lambda m: _squelch(m, 1.3)),
    Recording(
        "Tidal shore",
        "Kelp, torn slowly",
        96000,
        24,
        -10.7,
        "Plant",
        "tear slow",
        4,
        lambda m: m.shape(m.scrape(2.1, 500, 9000, 26), 0.3, 0.9) + 0.2 * _squelch(m, 2.1),
    ),
    Recording(
        "Tidal shore",
        "Reeds, hand through",
        48000,
        24,
        -14.0,
        "Plant",
        "rustle dry",
        2,
        lambda m: m.shape(m.band(m.noise(3.0), 1800, 14000) * m.slow(3.0, 8) ** 2, 0.4, 1.0),
    ),
    Recording("Tidal shore", "Reed, single snap", 96000, 24, -5.8, "Plant", "snap short", 3, lambda m: m.modes(0.4, 730, WOOD, 0.06, 0.9)),
    Recording(
        "Tidal shore",
        "Sluice gate, opens",
        48000,
        24,
        -7.2,
        "Water",
        "rush heavy",
        4,
        lambda m: m.stereo(m.shape(_water(m, 6.5, 20, 1.0), 2.2, 1.2) + m.shape(m.scrape(6.5, 90, 1400, 24), 0.2, 5.0) * 0.4, 0.6),
    ),
    Recording("Tidal shore", "Sluice, steady run", 48000, 24, -11.1, "Water", "rush loop", 2, lambda m: m.stereo(_water(m, 12.0, 26, 0.9), 0.8)),
    Recording(
        "Tidal shore",
        "Rock pool, drips",
        48000,
        24,
        -15.8,
        "Water/Drip",
        "drip sparse",
        3,
        lambda m: m.stereo(m.room(m.drops(7.0, 2.2, 600, 2600), 1.1, 0.5), 0.5),
    ),
    Recording(
        "Tidal shore",
        "Wave, over shingle",
        48000,
        24,
        -6.9,
        "Water",
        "wave swell",
        4,
        lambda m: m.stereo(m.shape(m.band(m.coloured(5.5, 2), 90, 11000), 2.4, 2.2), 0.9),
    ),
    Recording("Tidal shore", "Steps, wet sand", 48000, 24, -10.3, "Footsteps", "soft wet", 2, lambda m: _steps(m, 5.0, "sand")),
    # Rooms and air
    Recording("Rooms", "Gear room, night tone", 48000, 24, -28.0, "Ambience", "room tone loop", 2, lambda m: m.stereo(m.coloured(15.0, 3.5), 0.8)),
    Recording("Rooms", "Dome, wind on panes", 48000, 24, -12.6, "Wind and air", "wind hollow", 4, lambda m: m.stereo(wind(m, 13.0, 110, 2100), 0.8)),
    Recording("Rooms", "Stairwell, draught", 44100, 16, -19.0, "Wind and air", "draught low", 0, lambda m: m.stereo(wind(m, 10.0, 60, 700), 0.6)),
    Recording(
        "Rooms", "Gallery grate, steps", 96000, 24, -8.8, "Footsteps", "metal hollow", 3, lambda m: m.stereo(m.room(_steps(m, 4.5, "grate"), 1.3, 0.5), 0.4)
    ),
    Recording("Rooms", "Lamp arc, charge swell", 96000, 24, -4.4, "Electric", "swell tonal rise", 5, lambda m: m.stereo(_swell(m, 3.4, 147), 0.6)),
    Recording(
        "Rooms",
        "Tide bell, under water swell",
        48000,
        24,
        -7.3,
        "Metal",
        "swell dark",
        3,
        lambda m: m.shape(m.band(m.modes(5.0, 110, BELL, 9, 0.9, 0.004), 50, 1600), 2.5, 2.0),
    ),
    # Field takes with trouble in them
    Recording(
        "Field takes",
        "RAW herons over reeds, wind",
        48000,
        24,
        -7.9,
        "Animal/Call",
        "noisy distant raw",
        0,
        lambda m: m.field(_scene(m, 22.0), -44, -120, -30, 3),
    ),
    Recording(
        "Field takes",
        "RAW sluice house, mains hum",
        44100,
        16,
        -9.7,
        "Ambience",
        "hum noisy raw",
        0,
        lambda m: m.stereo(m.field(m.shape(m.room(_steps(m, 18.0, "grate"), 1.5, 0.5)[: round(18.0 * m.rate)], 0.5, 1.0) * 0.5, -46, -38, -120, 2), 0.3),
    ),
    Recording(
        "Field takes", "RAW kiln prop session, hiss", 96000, 24, -6.8, "Metal/Hinge", "noisy raw", 0, lambda m: m.field(_session(m, 24.0), -48, -120, -120, 2)
    ),
]


def _scene(m: Maker, seconds: float) -> Wave:
    out = np.zeros(round(seconds * m.rate))
    for k, at in enumerate((1.6, 5.2, 8.9, 9.9, 14.3, 17.8)):
        one = call(m, 0.7 + 0.1 * (k % 3), 180 + 40 * (k % 4), 4 - 3 * (k % 2)) * (0.12 + 0.05 * (k % 3))
        i = round(at * m.rate)
        out[i : i + len(one)] += one
    return out


def _session(m: Maker, seconds: float) -> Wave:
    out = np.zeros(round(seconds * m.rate))
    at = 1.4
    while at < seconds - 3:
        prop = creak(m, 0.7 + 1.2 * m.random.random(), 420, 3600, 90, 1.5) * (0.3 + 0.5 * m.random.random())
        i = round(at * m.rate)
        out[i : i + len(prop)] += prop
        at += len(prop) / m.rate + 0.7 + 1.3 * m.random.random()
    return out


WIDE: list[Recording] = [
    # More than two channels
    Recording("Tower microphones", "Causeway, gulls circling ambix", 48000, 24, -9.0, "Animal/Bird", "circling wide", 4, lambda m: circling(m, 9.0)),
    Recording("Tower microphones", "Lamp gallery, storm 5.1", 48000, 24, -8.0, "Ambience/Weather", "storm wide loop", 3, lambda m: storm(m, 10.0)),
]
