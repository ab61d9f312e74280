"""Sounds of air and of birds in it, also all round the listener."""

from __future__ import annotations

import numpy as np

from oskren.demo.synth import Maker, Wave


def call(m: Maker, seconds: float, base: float, bend: float) -> Wave:
    t = m.time(seconds)
    hz = base * 2 ** (bend * np.sin(np.pi * t / seconds) / 12) * (1 + 0.012 * np.sin(2 * np.pi * 27 * t))
    phase = 2 * np.pi * np.cumsum(hz) / m.rate
    voice = sum(np.sin(k * phase) / k**1.1 for k in range(1, 9))
    return m.shape(voice * (0.75 + 0.25 * np.sign(np.sin(2 * np.pi * 41 * t))) + 0.25 * m.band(m.noise(seconds), 1500, 6000), 0.03, 0.18)


def wind(m: Maker, seconds: float, low: float, high: float) -> Wave:
    gust = m.slow(seconds, 0.45, 0.12, 1.0)
    whistle = np.sin(2 * np.pi * np.cumsum(540 * 2 ** m.slow(seconds, 0.8, -0.3, 0.5)) / m.rate) * gust**3 * 0.06
    bed = m.band(m.coloured(seconds, 3.5), low, high) * gust
    return m.shape(bed / np.max(np.abs(bed)) + whistle, 0.4, 0.6)


def circling(m: Maker, seconds: float) -> Wave:
    """Calls that go once round the listener, as first-order AmbiX: W, Y, Z, X of a plane wave, over an even bed of wind."""
    t = m.time(seconds)
    calls = np.zeros(len(t))
    for k in range(7):
        one = call(m, 0.6, 420 + 60 * (k % 3), 5 - 3 * (k % 2)) * (0.5 + 0.4 * m.random.random())
        i = round((0.4 + 1.2 * k) * m.rate)
        calls[i : i + len(one)] += one[: len(t) - i]
    angle = 2 * np.pi * t / seconds
    bed = [wind(m, seconds, 90, 1600) * 0.12 for _ in range(4)]
    around = [calls, calls * np.sin(angle), calls * 0.2, calls * np.cos(angle)]
    return np.stack([a + w[: len(t)] for a, w in zip(around, bed, strict=True)], axis=1)


def storm(m: Maker, seconds: float) -> Wave:
    """L, R, C, LFE, Ls, Rs: wind on all sides, a low rumble, and thunder that comes from behind."""
    sides = [wind(m, seconds, 70, high) * g for high, g in ((2400, 0.5), (2200, 0.5), (1500, 0.25), (900, 0.45), (1000, 0.45))]
    rumble = m.band(m.coloured(seconds, 5), 25, 110)
    thunder = np.zeros(len(rumble))
    clap = m.shape(m.band(m.coloured(3.0, 4), 30, 700), 0.05, 2.4, 2)
    thunder[round(4 * m.rate) : round(4 * m.rate) + len(clap)] = clap / np.max(np.abs(clap)) * 0.9
    left, right, centre, back_left, back_right = sides
    return np.stack([left, right, centre, rumble / np.max(np.abs(rumble)) * 0.4, back_left + thunder, back_right + 0.7 * thunder], axis=1)
