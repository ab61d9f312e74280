"""Places to record in: room, wind, hum, and what passes by, as a recorder's two microphones get it.

All of it is sound pressure in Pa, shape (frames, 2), at the microphones.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from oskren.devices.props import Wave, band, pascal

SPEED_OF_SOUND = 343.0
EARS_APART_M = 0.17
SHIELD_DB = 22.0
"""What a wind shield takes off the wind in the capsules (common practice, no source)."""


@dataclass(frozen=True)
class Place:
    """Where the recorder stands.

    ``tone_db`` is the level of its quiet (dB SPL), ``tone_slope_db`` its fall per octave; ``hum_db`` that of the mains at
    50 Hz; ``wind_db`` that of gusts in an unshielded capsule; ``decay_s`` and ``reverberant_db`` make its room: the level of
    the room's own sound over the direct sound at 1 m. ``passing`` names what comes by, on average every ``passing_every_s``.
    """

    name: str
    tone_db: float
    tone_slope_db: float
    hum_db: float
    wind_db: float
    decay_s: float
    reverberant_db: float
    passing: str
    passing_db: float
    passing_every_s: float
    passing_low_hz: float
    passing_high_hz: float


PLACES = {
    "gear room": Place("Gear room", 24, 5.0, 30, 0, 0.45, -14, "steps overhead", 52, 45, 60, 420),
    "glasshouse": Place("Glasshouse", 38, 4.0, 38, 0, 0.8, -11, "a barrow of sand", 58, 40, 120, 1800),
    "sluice cellar": Place("Sluice cellar", 44, 3.0, 46, 20, 2.2, -7, "the pump", 60, 50, 45, 700),
    "lamp gallery": Place("Lamp gallery", 33, 4.5, 48, 58, 1.3, -10, "a clockwork heron", 62, 35, 300, 3600),
    "causeway": Place("Causeway", 46, 3.5, 0, 88, 0.0, -90, "a tide cart", 68, 30, 70, 1500),
}
"""The places of the demo scenario, from quiet to hard."""


def room(place: Place, rate: int, seed: int = 11) -> Wave:
    """Response of a place to a source, without the direct sound: shape (frames, 2), its energy as the place says."""
    if place.decay_s <= 0:
        return np.zeros((0, 2))
    random = np.random.default_rng(seed)
    t = np.arange(round(place.decay_s * rate)) / rate
    tail = random.standard_normal((len(t), 2)) * np.exp(-6.908 * t / place.decay_s)[:, None]
    tail[: round(0.004 * rate)] = 0.0
    for lane in range(2):
        tail[:, lane] = band(tail[:, lane], 80, 7000, rate)
    return np.asarray(tail / np.sqrt(np.sum(tail**2) / 2) * 10 ** (place.reverberant_db / 20))


def at_microphones(wave: Wave, place: Place, distance_m: float, angle_deg: float, rate: int, response: Wave | None = None) -> Wave:
    """A mono source (Pa at 1 m) as two microphones get it: direct sound falling as 1/r, its delay, and the room's answer.

    Parameters
    ----------
    angle_deg : float
        Where the source stands: -90 left, 90 right.
    response : array, optional
        The room's response, when it is at hand already.
    """
    from scipy.signal import fftconvolve

    response = room(place, rate) if response is None else response
    side = np.sin(np.radians(angle_deg)) * EARS_APART_M / 2
    latest = round((distance_m + EARS_APART_M) / SPEED_OF_SOUND * rate) + 1
    out = np.zeros((len(wave) + latest + len(response), 2))
    for lane, offset in enumerate((side, -side)):
        path = max(0.05, distance_m + offset)
        i = round(path / SPEED_OF_SOUND * rate)
        out[i : i + len(wave), lane] += wave / path
        if len(response):
            answer = fftconvolve(wave, response[:, lane])
            out[i : i + len(answer), lane] += answer[: len(out) - i]
    return out


def passing_by(place: Place, seed: int, rate: int) -> Wave:
    """Something moves past: level and Doppler shift by its distance, shape (frames, 2)."""
    random = np.random.default_rng(seed)
    speed, nearest = 4.0 + 3.0 * random.random(), 3.5 + 3 * random.random()
    seconds = 7.0
    n = round(seconds * rate)
    t = np.arange(n) / rate - seconds / 2
    source = band(random.standard_normal(n + rate), place.passing_low_hz, place.passing_high_hz, rate)
    knock = 0.5 + 0.5 * np.sin(2 * np.pi * np.cumsum(np.full(n + rate, 3.1 + random.random())) / rate) ** 4
    source = source / np.std(source) * knock * pascal(place.passing_db) * nearest
    direction = 1 if random.random() < 0.5 else -1
    out = np.zeros((n, 2))
    for lane, ear in enumerate((-EARS_APART_M / 2, EARS_APART_M / 2)):
        away = np.sqrt(nearest**2 + (direction * speed * t - ear) ** 2)
        heard = (t + seconds / 2 - (away - nearest) / SPEED_OF_SOUND + 0.5) * rate
        out[:, lane] = np.interp(heard, np.arange(len(source)), source) / away
    return out * np.clip(np.minimum(np.arange(n), n - np.arange(n)) / (0.6 * rate), 0, 1)[:, None]


class Air:
    """What is in the air at a place, block by block: its quiet, hum, wind, what passes by, and whatever was played into it."""

    def __init__(self, place: Place, rate: int, seed: int = 1, shielded: bool = False):
        self.place = place
        self.rate = rate
        self.shielded = shielded
        self.position = 0
        self.passing_until = 0
        self._random = np.random.default_rng(seed)
        self._waiting: list[tuple[int, Wave]] = []
        self._gust = 0.3
        self._filters: dict[str, tuple[NDArray[np.float64], NDArray[np.float64]]] = {}
        self._next_passing = self._when()

    def _when(self) -> int:
        return self.position + round(self._random.exponential(self.place.passing_every_s) * self.rate) + 4 * self.rate

    def move(self, place: Place) -> None:
        """Go to another place: what was in the air stays behind."""
        self.place = replace(place)
        self._waiting.clear()
        self.passing_until = self.position
        self._next_passing = self._when()

    def add(self, wave: Wave) -> None:
        """Play something at the microphones from now on, shape (frames, 2)."""
        self._waiting.append((self.position, wave))

    @property
    def passing(self) -> str:
        """What passes by at present; empty when nothing does."""
        return self.place.passing if self.position < self.passing_until else ""

    def block(self, frames: int) -> Wave:
        """The next stretch of pressure, shape (frames, 2)."""
        if self.position >= self._next_passing and self.place.passing:
            wave = passing_by(self.place, int(self._random.integers(1 << 31)), self.rate)
            self.add(wave)
            self.passing_until = self.position + len(wave)
            self._next_passing = self.passing_until + self._when() - self.position
        out = self._tone(frames) + self._hum(frames)
        if self.place.wind_db > 0:
            out += self._wind(frames)
        left = []
        for begun, wave in self._waiting:
            at = self.position - begun
            part = wave[at : at + frames]
            out[: len(part)] += part
            if at + frames < len(wave):
                left.append((begun, wave))
        self._waiting = left
        self.position += frames
        return out

    def _low_passed(self, white: Wave, order: int, hz: float) -> Wave:
        """Noise below a frequency, at the RMS of what went in; goes on from block to block."""
        from scipy.signal import butter, sosfilt

        name = f"{order} {hz}"
        if name not in self._filters:
            sections = np.asarray(butter(order, hz, fs=self.rate, output="sos"))
            self._filters[name] = sections, np.zeros((len(sections), 2, 2))
        sections, state = self._filters[name]
        out, state = sosfilt(sections, white, axis=0, zi=state)
        self._filters[name] = sections, state
        # noise bandwidth of the Butterworth low-pass over that of the whole signal
        width = hz * (np.pi / 2 / order) / np.sin(np.pi / 2 / order)
        level: Wave = np.asarray(out) * np.sqrt(self.rate / 2 / width)
        return level

    def _tone(self, frames: int) -> Wave:
        white = self._random.standard_normal((frames, 2))
        steep = min(1.0, self.place.tone_slope_db / 6)
        shaped = np.sqrt(steep) * self._low_passed(white, 1, 220) + np.sqrt(1 - steep) * self._random.standard_normal((frames, 2))
        made: Wave = shaped * pascal(self.place.tone_db)
        return made

    def _hum(self, frames: int) -> Wave:
        if self.place.hum_db <= 0:
            return np.zeros((frames, 2))
        t = (self.position + np.arange(frames)) / self.rate
        wave = sum(10 ** (-drop / 20) * np.sin(2 * np.pi * 50 * k * t + k) for k, drop in ((1, 0), (2, 5), (3, 11), (4, 20), (6, 26)))
        made: Wave = np.repeat(np.asarray(wave)[:, None], 2, axis=1) * pascal(self.place.hum_db) * np.sqrt(2)
        return made

    def _wind(self, frames: int) -> Wave:
        # gusts wander; the pressure of turbulence in a capsule goes with the square of the wind
        seconds = frames / self.rate
        wander = 0.25 * np.sqrt(seconds) * self._random.standard_normal() + 0.1 * seconds * (0.45 - self._gust)
        target = float(np.clip(self._gust + wander, 0.03, 1.0))
        gain = np.linspace(self._gust, target, frames) ** 2
        self._gust = target
        shared, own = self._random.standard_normal((frames, 1)), self._random.standard_normal((frames, 2))
        level = pascal(self.place.wind_db - (SHIELD_DB if self.shielded else 0.0))
        return self._low_passed(0.4 * shared + 0.917 * own, 2, 60) * gain[:, None] * level
