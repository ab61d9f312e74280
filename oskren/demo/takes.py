"""Long takes of the demo, as they came off a recorder: what is reviewed, cleaned and sliced."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from oskren.demo.scenario import BRASS, PLATE, WOOD, Recording, bellows, creak, ring
from oskren.demo.synth import Maker, Wave

PERFORMANCE_S = 184.2
PERFORMANCE = Recording("Gear room", "Gear room performance", 96000, 24, -3.0, "Mechanism", "performance long", 4, lambda m: _performance(m, PERFORMANCE_S))


def gear_room(m: Maker, seconds: float) -> Iterator[tuple[float, Wave]]:
    """Hands at work, levers, bolts, plates, glass and gears, one after another: when each begins (s), and its sound."""
    kinds: list[Callable[[], Wave]] = [
        lambda: m.modes(0.9, 150 + 60 * m.random.random(), BRASS, 0.45, 0.82),
        lambda: m.modes(0.7, 85 + 25 * m.random.random(), PLATE, 0.4, 0.68),
        lambda: m.shape(m.gears(0.9, 16 + 8 * m.random.random(), 700 + 300 * m.random.random(), 1.0, 0.1), 0.005, 0.3),
        lambda: ring(m, 500 + 500 * m.random.random(), 1.6, 1.2),
        lambda: m.modes(0.35, 1100 + 500 * m.random.random(), WOOD, 0.1, 0.8),
        lambda: m.shape(m.scrape(0.8, 500, 4200, 80, 0.8), 0.03, 0.3),
    ]
    bank = [m.stereo(m.room(kind(), 0.7, 0.16), 0.35, 0.5 * m.random.random() - 0.25) for kind in kinds for _ in range(4)]
    at = 1.1
    while at < seconds - 3.5:
        yield at, bank[int(m.random.random() * len(bank))] * 10 ** ((-18 * m.random.random() ** 1.5) / 20)
        at += 1.4 + 2.4 * m.random.random()


def _performance(m: Maker, seconds: float) -> Wave:
    """Three minutes of it in a quiet room."""
    out = np.zeros((round(seconds * m.rate), 2))
    for at, hit in gear_room(m, seconds):
        i = round(at * m.rate)
        out[i : i + len(hit)] += hit[: len(out) - i]
    hiss = np.stack([m.coloured(seconds, 1.0), m.coloured(seconds, 1.0)], axis=1)
    return np.asarray(out / np.max(np.abs(out)) + 10 ** (-64 / 20) * hiss[: len(out)])


def _loft(m: Maker, seconds: float) -> Wave:
    """A long raw take in the bellows loft: props worked now and then, hiss, a lamp's hum, hands on the recorder, one shout too near."""
    out = np.zeros(round(seconds * m.rate))
    props: list[Callable[[], Wave]] = [
        lambda: bellows(m, 2.4 + 1.5 * m.random.random(), True) * 0.5,
        lambda: creak(m, 1.6 + 1.4 * m.random.random(), 420, 3600, 90, 1.5) * 0.7,
        lambda: ring(m, 500 + 400 * m.random.random(), 2.6, 1.8) * 0.6,
        lambda: m.shape(m.gears(2.0, 9 + 8 * m.random.random(), 750, 1.0, 0.1), 0.02, 0.4) * 0.7,
    ]
    at, turn = 6.0, 0
    while at < seconds - 8:
        prop = props[turn % len(props)]()
        prop = prop / np.max(np.abs(prop)) * 10 ** ((-3 - 12 * m.random.random()) / 20)
        i = round(at * m.rate)
        out[i : i + len(prop)] += prop[: len(out) - i]
        at += len(prop) / m.rate + 6 + 8 * m.random.random()
        turn += 1
    return np.clip(m.field(m.room(out, 0.5, 0.12)[: len(out)], -54, -58, -120, 3), -0.98, 0.98)


LOFT: list[Recording] = [
    # Ten minutes in the bellows loft, as they came off the recorder
    Recording("Bellows loft", f"RAW bellows loft {number}", 48000, 24, -1.0 if number == 2 else -4.0, "", "raw session", 0, lambda m: _loft(m, 200.0))
    for number in (1, 2, 3)
]
