"""Props to record: struck glass, geared brass, wet kelp, bellows, pouring water, each by a small physical model.

Every model gives sound pressure at 1 m in Pa for one gesture of an effort 0..1, mono. Constants of the models are common
practice of physical modelling, from memory of the papers named with them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Wave = NDArray[np.float64]
Random = np.random.Generator

REFERENCE_PA = 20e-6


def pascal(spl_db: float) -> float:
    """Pressure (Pa) of a sound pressure level (dB re 20 µPa)."""
    return float(REFERENCE_PA * 10 ** (spl_db / 20))


@dataclass(frozen=True)
class Prop:
    """Something to play: its name, what the hand does, its peak at 1 m and full effort (dB SPL), and its model."""

    name: str
    gesture: str
    loudest_db: float
    quietest_db: float
    model: Callable[[float, Random, int], Wave]

    def play(self, effort: float, seed: int, rate: int) -> Wave:
        """Pressure (Pa, mono, at 1 m) of one gesture; the same seed gives the same gesture."""
        effort = float(np.clip(effort, 0.0, 1.0))
        wave = self.model(effort, np.random.default_rng(seed), rate)
        peak_db = self.quietest_db + (self.loudest_db - self.quietest_db) * effort
        made: Wave = wave / (np.max(np.abs(wave)) + 1e-12) * pascal(peak_db)
        return made


def pulse_spectrum(hz: Wave, contact_s: float) -> Wave:
    """Magnitude of a half-sine force pulse at frequencies, 1 at 0 Hz: |cos(pi f T) / (1 - (2 f T)^2)|."""
    x = hz * contact_s
    near = np.abs(2 * x - 1) < 1e-6
    return np.where(near, np.pi / 4, np.abs(np.cos(np.pi * x) / np.where(near, 1.0, 1 - (2 * x) ** 2)))


def modes(hz: Wave, gains: Wave, decays_s: Wave, seconds: float, rate: int, phases: Wave | None = None) -> Wave:
    """Decaying sines: frequencies (Hz), amplitudes, and times (s) to fall by 60 dB."""
    t = np.arange(round(seconds * rate)) / rate
    out = np.zeros(len(t))
    for place, (f, g, d) in enumerate(zip(hz, gains, decays_s, strict=True)):
        if f < 0.45 * rate:
            out += g * np.exp(-6.908 * t / d) * np.sin(2 * np.pi * f * t + (phases[place] if phases is not None else 0.0))
    return out


GLASS_RATIOS = np.array([1.0, 2.32, 4.25, 6.63, 9.38, 12.22, 15.4])
"""Bending modes of a glass vessel, close to n squared (French 1983, In vino veritas: a study of wineglass acoustics)."""

GLASS_HZ = 712.0
GLASS_Q = 1400.0


def struck_glass(effort: float, random: Random, rate: int) -> Wave:
    """A bowl of glass struck with a mallet. The contact is shorter the harder the hit (Hertz: as velocity to the power -1/5)."""
    contact = 0.4e-3 * max(effort, 0.02) ** -0.2
    hz = GLASS_HZ * GLASS_RATIOS * (1 + 0.002 * random.standard_normal(len(GLASS_RATIOS)))
    gains = pulse_spectrum(hz, contact) / np.sqrt(GLASS_RATIOS) * random.uniform(0.6, 1.0, len(hz))
    # two halves of every mode a little apart beat with each other, as in any bowl that is not quite round
    both = np.concatenate([hz, hz * (1 + 0.0009 * random.uniform(0.5, 1.5, len(hz)))])
    decays = np.minimum(2.8, 2.2 * GLASS_Q / both)
    out = modes(both, np.tile(gains, 2) * np.repeat([1.0, 0.45], len(hz)), decays, 3.2, rate)
    n = max(2, round(contact * rate))
    out[:n] += 0.5 * np.sin(np.pi * np.arange(n) / n) * random.standard_normal(n)
    return out


BRASS_RATIOS = np.array([1.0, 1.59, 2.14, 2.3, 2.65, 2.92, 3.6, 4.15])
"""Of a circular plate (Fletcher and Rossing, The Physics of Musical Instruments)."""


def geared_brass(effort: float, random: Random, rate: int) -> Wave:
    """A brass gear train turned by hand: every tooth strikes; teeth a second and force follow the turning, uneven once a turn."""
    seconds, teeth = 2.6, 22
    out = np.zeros(round(seconds * rate))
    eccentric = 0.12 + 0.05 * random.random()
    angle, at = 0.0, 0.02
    while at < seconds - 0.25:
        swing = np.sin(np.pi * min(1.0, at / (seconds - 0.2))) ** 0.5
        speed = (5 + 42 * effort) * swing * (1 + eccentric * np.sin(2 * np.pi * angle)) + 2
        hz = 1240.0 * BRASS_RATIOS * (1 + 0.004 * random.standard_normal(len(BRASS_RATIOS)))
        force = swing * (0.55 + 0.45 * random.random()) * (1 + 0.6 * eccentric * np.sin(2 * np.pi * angle + 1))
        hit = modes(hz, pulse_spectrum(hz, 0.25e-3) * random.uniform(0.3, 1.0, len(hz)), 0.16 * 1240 / hz + 0.015, 0.2, rate)
        i = round(at * rate)
        out[i : i + len(hit)] += force * hit[: len(out) - i]
        at += (1 + 0.03 * random.standard_normal()) / speed
        angle += 1 / teeth
    return out


def minnaert_hz(radius_m: Wave | float) -> Wave | float:
    """Frequency of an air bubble in water: 3.26 m/s over its radius (Minnaert 1933, at the surface)."""
    return 3.26 / radius_m


def _bubbles(out: Wave, count: int, smallest_m: float, largest_m: float, span: tuple[float, float], rising: float, random: Random, rate: int) -> None:
    """Add bubbles: radii spread evenly in their logarithm, damping 0.13/r + 0.0072 r^-1.5 (van den Doel 2005, Physically based models for liquid sounds)."""
    for _ in range(count):
        radius = smallest_m * (largest_m / smallest_m) ** random.random()
        hz, damping = 3.26 / radius, 0.13 / radius + 0.0072 * radius**-1.5
        t = np.arange(round(min(0.25, 7 / damping) * rate)) / rate
        slope = rising * damping * (0.3 + random.random())
        wave = np.sin(2 * np.pi * hz * (t + 0.5 * slope * t**2)) * np.exp(-damping * t) * (radius / largest_m) ** 0.5 * random.random() ** 2
        i = round((span[0] + (span[1] - span[0]) * random.random()) * rate)
        out[i : i + len(wave)] += wave[: max(0, len(out) - i)]


def pouring_water(effort: float, random: Random, rate: int) -> Wave:
    """Water poured into water: bubbles by the hundred, more and larger ones the harder it is poured, over a thin splash."""
    seconds = 3.0
    out = np.zeros(round(seconds * rate))
    _bubbles(out, round(140 + 900 * effort), 0.0006, 0.0022 + 0.004 * effort, (0.05, seconds - 0.4), 0.1, random, rate)
    splash = band(random.standard_normal(len(out)), 2500, 9000, rate)
    return out + 0.05 * (0.3 + effort) * splash * swell(len(out), 0.1, 0.35)


def wet_kelp(effort: float, random: Random, rate: int) -> Wave:
    """Wet leaves pulled over each other: they stick and slip, each slip a short rub, with air squeezed out between them."""
    seconds = 1.9
    n = round(seconds * rate)
    out = np.zeros(n)
    at = 0.03
    while at < seconds - 0.15:
        pull = np.sin(np.pi * at / seconds)
        length = 0.012 + 0.03 * random.random()
        slip = band(random.standard_normal(round(length * rate)), 260 + 500 * effort, 2600 + 2800 * effort, rate) * np.hanning(round(length * rate))
        i = round(at * rate)
        out[i : i + len(slip)] += slip[: n - i] * pull * (0.4 + 0.6 * random.random())
        # the harder the pull, the sooner the next slip
        at += random.exponential(1 / (14 + 46 * effort * pull)) + 0.004
    _bubbles(out, round(18 + 60 * effort), 0.0025, 0.009, (0.1, seconds - 0.3), 0.35, random, rate)
    return out


def bellows(effort: float, random: Random, rate: int) -> Wave:
    """Bellows pressed once: turbulence whose pressure grows as the third power of the flow (Lighthill 1952, with a wall: power
    as the sixth), its peak at Strouhal number 0.2, through the resonance of the chamber; a flap shuts at the end.
    """
    seconds = 2.4 - 0.9 * effort
    n = round(seconds * rate)
    t = np.arange(n) / n
    flow = np.sin(np.pi * t**0.8) * (8 + 34 * effort)  # m/s in the nozzle
    white = random.standard_normal(n)
    dull, sharp = band(white, 90, 500 + 300 * effort, rate), band(white, 0.2 * 8 / 0.012, 0.2 * (8 + 34 * effort) / 0.012 * 2.5, rate)
    share = (flow / 42) ** 3
    chamber = band(white, 82, 108, rate)
    out = share * (sharp + 0.7 * dull) + 0.5 * share**0.7 * chamber
    flap = modes(np.array([163.0, 402.0, 655.0]), np.array([1.0, 0.5, 0.3]), np.array([0.12, 0.07, 0.05]), 0.15, rate)
    i = n - round(0.16 * rate)
    out[i : i + len(flap)] += flap[: n - i] * np.max(np.abs(out)) * (0.25 + 0.3 * effort)
    return out


def band(wave: Wave, low: float, high: float, rate: int) -> Wave:
    """Second-order band-pass."""
    from scipy.signal import butter, sosfilt

    return np.asarray(sosfilt(butter(2, [low, min(high, 0.45 * rate)], "bandpass", fs=rate, output="sos"), wave))


def swell(frames: int, rise: float, fall: float) -> Wave:
    """A gain that rises over a share of the frames and falls over another."""
    x = np.arange(frames) / frames
    return np.clip(np.minimum(x / rise, (1 - x) / fall), 0, 1) ** 1.5


PROPS = {
    "glass": Prop("Struck glass", "strike", 96, 62, struck_glass),
    "brass": Prop("Geared brass", "turn", 86, 60, geared_brass),
    "kelp": Prop("Wet kelp", "pull", 76, 50, wet_kelp),
    "bellows": Prop("Bellows", "press", 84, 54, bellows),
    "water": Prop("Pouring water", "pour", 78, 56, pouring_water),
}
"""What lies on the table beside the recorder."""
