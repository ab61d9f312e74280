"""The fixed corpus noise reduction is judged on: clean effects of the demo in three noises at three levels, and how a result is judged."""

from __future__ import annotations

import dataclasses
import functools
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from oskren.demo.scenario import RECORDINGS
from oskren.demo.synth import Maker

Wave = NDArray[np.float64]

RATE = 48_000
QUIET_S = 1.2
"""Noise alone before and after each effect; the first second of it is the profile."""

EFFECTS = (
    "Rod bend, slow creak",
    "Bell jar, rim ring",
    "Pane, full shatter",
    "Kiln door, hinge squeal",
    "Brass ratchet, quick",
    "Floor plate, knock",
    "Bellows, out breath",
    "Kelp, wet squelch 1",
)
STRUCK = ("Bell jar, rim ring", "Pane, full shatter", "Brass ratchet, quick", "Floor plate, knock")
SNRS = (20, 10, 5)
SUBTRACTION_FRAME = 2048


def pink(m: Maker, seconds: float) -> Wave:
    return m.coloured(seconds, 3.01)


def hum_and_hiss(m: Maker, seconds: float) -> Wave:
    """A preamplifier near a cable: 50 Hz with falling harmonics under white noise."""
    t = m.time(seconds)
    hum = np.asarray(sum(np.sin(2 * np.pi * 50 * k * t + k) / k for k in range(1, 9)))
    return hum / np.std(hum) + m.noise(seconds)


def wind_like(m: Maker, seconds: float) -> Wave:
    """Air over a microphone: low noise that swells by some 6 dB within a second or two, over a steady hiss."""
    rumble = m.coloured(seconds, 6.0)
    return rumble / np.std(rumble) * m.slow(seconds, 0.8, 0.6, 1.4) + 0.15 * m.noise(seconds)


NOISES: dict[str, Callable[[Maker, float], Wave]] = {"pink": pink, "hum and hiss": hum_and_hiss, "wind": wind_like}


@dataclass(frozen=True)
class Case:
    """One mix: the clean effect between two quiet stretches, the noise, and both together; all of one length (frames,)."""

    effect: str
    noise: str
    snr: int
    clean: Wave
    added: Wave

    @property
    def mix(self) -> Wave:
        return self.clean + self.added

    @property
    def quiet(self) -> slice:
        """Where only noise is: the profile is learned here."""
        return slice(0, round((QUIET_S - 0.2) * RATE))


@functools.cache
def clean(effect: str) -> Wave:
    """An effect at 48 kHz in mono, peak at -6 dBFS, with silence around it."""
    recording = dataclasses.replace(next(one for one in RECORDINGS if one.name == effect), rate=RATE)
    made = recording.render(zlib.crc32(effect.encode())).astype(np.float64)
    one = made if made.ndim == 1 else made.mean(axis=1)
    padded = np.pad(one / np.max(np.abs(one)) * 0.5, round(QUIET_S * RATE))
    return np.asarray(padded)


def cases() -> Iterator[Case]:
    """Every effect in every noise at every ratio of levels (over the effect's own length), always the same."""
    for effect in EFFECTS:
        one = clean(effect)
        level = np.sqrt(np.sum(one**2) / (len(one) - 2 * QUIET_S * RATE))
        for name, make in NOISES.items():
            noise = make(Maker(zlib.crc32((effect + name).encode()), RATE), len(one) / RATE)[: len(one)]
            for snr in SNRS:
                yield Case(effect, name, snr, one, noise / np.std(noise) * level * 10 ** (-snr / 20))


def si_sdr(wanted: Wave, found: Wave) -> float:
    """Scale-invariant signal-to-distortion ratio in dB (Le Roux, Wisdom, Erdogan, Hershey, ICASSP 2019)."""
    scaled = np.dot(found, wanted) / np.dot(wanted, wanted) * wanted
    return float(10 * np.log10(np.sum(scaled**2) / np.sum((found - scaled) ** 2)))


def subtraction(mix: Wave, profile: Wave, reduction_db: float) -> Wave:
    """Plain power subtraction with a floor (Boll 1979), the peer."""
    shape = {"fs": RATE, "nperseg": SUBTRACTION_FRAME, "noverlap": SUBTRACTION_FRAME * 3 // 4}
    spectra, quiet = signal.stft(mix, **shape)[2], signal.stft(profile, **shape)[2]
    power = np.mean(np.abs(quiet) ** 2, axis=1)[:, None]
    gain = np.sqrt(np.maximum(1 - power / np.maximum(np.abs(spectra) ** 2, 1e-20), 0))
    return np.asarray(signal.istft(spectra * np.maximum(gain, 10 ** (-reduction_db / 20)), **shape)[1][: len(mix)])


def attack_kept_db(case: Case, found: Wave) -> float:
    """How much of the clean effect's strongest 20 ms after a start is in the result, in dB; 0 is all of it."""
    hop = round(0.005 * RATE)
    power = np.square(case.clean[: len(case.clean) // hop * hop]).reshape(-1, hop).sum(axis=1)
    rise = power[4:] - 4 * power[:-4]
    at = (int(np.argmax(rise)) + 4) * hop
    part = slice(at, at + 4 * hop)
    wanted = case.clean[part]
    return float(20 * np.log10(max(1e-6, np.dot(found[part], wanted) / np.dot(wanted, wanted))))


def gain_wobble(case: Case, found: Wave) -> float:
    """How unevenly a noise-only part was let down: standard deviation (dB) of the level of small cells, output over input."""

    def cells(wave: Wave) -> Wave:
        spectra = np.abs(signal.stft(wave[case.quiet], RATE, nperseg=1024, noverlap=512)[2][4:400, 2:-2]) ** 2
        return np.asarray(10 * np.log10(spectra + 1e-14))

    return float(np.std(cells(found) - cells(case.mix)))
