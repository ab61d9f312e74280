"""Instruments the demo's sounds are made with. All of it is deterministic: every sound has its own seed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft, rfftfreq
from scipy.signal import butter, sosfilt, sosfiltfilt

Wave = NDArray[np.float64]


class Maker:
    """Random numbers and a rate: one for each sound."""

    def __init__(self, seed: int, rate: int):
        self.random = np.random.Generator(np.random.PCG64(seed))
        self.rate = rate

    def time(self, seconds: float) -> Wave:
        return np.arange(round(seconds * self.rate)) / self.rate

    def noise(self, seconds: float) -> Wave:
        return np.asarray(self.random.standard_normal(round(seconds * self.rate)))

    def band(self, wave: Wave, low: float, high: float, order: int = 2) -> Wave:
        top = min(high, 0.47 * self.rate)
        return np.asarray(sosfilt(butter(order, [low, top], "bandpass", fs=self.rate, output="sos"), wave))

    def coloured(self, seconds: float, slope_db: float) -> Wave:
        """Noise whose level falls by ``slope_db`` an octave above 40 Hz, RMS 1."""
        frames = round(seconds * self.rate)
        size = next_fast_len(frames, real=True)  # a length with large prime factors takes many times longer
        # single precision, 140 dB below, is more than a recorder keeps of its noise
        spectrum = rfft(self.random.standard_normal(size).astype(np.float32))
        above = np.maximum(rfftfreq(size, 40 / self.rate).astype(np.float32), np.float32(1))
        shaped = irfft(spectrum * above ** np.float32(-slope_db / 6.02), size)[:frames].astype(np.float64)
        return np.asarray(shaped / np.std(shaped))

    def slow(self, seconds: float, hz: float, low: float = 0.0, high: float = 1.0) -> Wave:
        """A wandering control between low and high that changes about ``hz`` times a second."""
        points = max(4, round(seconds * hz) + 3)
        values = self.random.random(points)
        frames = round(seconds * self.rate)
        # thousands of places a turn will do, with straight lines between
        every = max(1, min(32, round(self.rate / hz / 1000)))
        places = np.append(np.arange(0, frames - 1, every), frames - 1)
        at = places * ((points - 1.001) / max(1, frames - 1))
        i = at.astype(int)
        smooth = values[i] + (values[i + 1] - values[i]) * (1 - np.cos(np.pi * (at - i))) / 2
        return np.asarray(np.interp(np.arange(frames), places, low + (high - low) * smooth))

    def modes(self, seconds: float, base: float, ratios: list[float], decay: float, bright: float = 1.0, spread: float = 0.01, attack_ms: float = 0.3) -> Wave:
        """A struck body: partials at ratios of ``base``, higher ones dying sooner."""
        t = self.time(seconds)
        out = np.zeros_like(t)
        for k, ratio in enumerate(ratios):
            hz = base * ratio * (1 + spread * self.random.standard_normal())
            if hz > 0.45 * self.rate:
                continue
            fall = decay / (1 + 0.45 * k) * (0.8 + 0.4 * self.random.random())
            out += np.sin(2 * np.pi * hz * t + 6.28 * self.random.random()) * np.exp(-t * 6.9 / fall) * (bright**k) * (0.5 + self.random.random())
        rise = np.clip(t / (attack_ms / 1000), 0, 1)
        click = self.band(self.noise(min(seconds, 0.02)), 1500, 16000) * np.exp(-self.time(min(seconds, 0.02)) * 500) * 0.4
        struck: Wave = out / (np.max(np.abs(out)) + 1e-9) * rise
        struck[: len(click)] += click
        return struck

    def scrape(self, seconds: float, low: float, high: float, grains: float, tonal: float = 0.0) -> Wave:
        """Something dragged: irregular grains through a body between two frequencies."""
        n = round(seconds * self.rate)
        pulses = np.zeros(n)
        at = 0.0
        speed = self.slow(seconds, 3, 0.4, 1.6)
        while at < n - 1:
            pulses[int(at)] = self.random.standard_normal() * (0.4 + self.random.random())
            at += self.rate / (grains * speed[int(at)]) * (0.5 + self.random.random())
        body = self.band(pulses, low, high, 1) + 0.3 * self.band(self.noise(seconds) * self.slow(seconds, 9), low, high)
        if tonal:
            centre = np.sqrt(low * high)
            glide = centre * 2 ** (self.slow(seconds, 2, -0.25, 0.25))
            body = body + tonal * np.std(body) * np.sin(
                2 * np.pi * np.cumsum(glide) / self.rate + 0.8 * np.sin(2 * np.pi * np.cumsum(glide * 0.501) / self.rate)
            ) * self.slow(seconds, 7)
        # rubbing surfaces give way: single grains do not stand far above the rest
        body = np.tanh(body / (2.4 * np.std(body) + 1e-9))
        return np.asarray(body / (np.max(np.abs(body)) + 1e-9))

    def shape(self, wave: Wave, attack: float, release: float, curve: float = 2.0) -> Wave:
        """Rise over ``attack`` s and fall over the last ``release`` s."""
        n = len(wave)
        gain = np.ones(n)
        a, r = min(n, max(1, round(attack * self.rate))), min(n, max(1, round(release * self.rate)))
        gain[:a] *= np.linspace(0, 1, a) ** curve
        gain[n - r :] *= np.linspace(1, 0, r) ** curve
        return wave * gain

    def stereo(self, wave: Wave, width: float = 0.4, pan: float = 0.0) -> Wave:
        """Two channels: a short, soft decorrelation around a place."""
        delay = max(1, round(0.011 * self.rate))
        side = np.concatenate([np.zeros(delay), wave[:-delay]]) * width * 0.5
        left, right = np.cos((pan + 1) * np.pi / 4), np.sin((pan + 1) * np.pi / 4)
        return np.stack([wave * left * 1.2 + side, wave * right * 1.2 - side], axis=1)

    def room(self, wave: Wave, decay: float, wet: float) -> Wave:
        """A plain room around a mono or stereo sound; the tail is added."""
        from scipy.signal import oaconvolve

        two = wave if wave.ndim == 2 else wave[:, None]
        n = round(decay * self.rate)
        t = np.arange(n) / self.rate
        out = np.concatenate([two, np.zeros((n - 1, two.shape[1]))])
        for c in range(two.shape[1]):
            tail = self.random.standard_normal(n) * np.exp(-6.9 * t / decay)
            tail = np.asarray(sosfiltfilt(butter(1, min(5000, 0.4 * self.rate), fs=self.rate, output="sos"), tail))
            tail /= np.sqrt(np.sum(tail**2))
            out[:, c] += wet * oaconvolve(two[:, c], tail)
        return out if wave.ndim == 2 else out[:, 0]

    def gears(self, seconds: float, rate_hz: float, base: float, hardness: float = 1.0, waver: float = 0.06) -> Wave:
        """A train of small struck teeth."""
        out = np.zeros(round(seconds * self.rate))
        at = 0.02
        while at < seconds - 0.08:
            hit = self.modes(0.09, base * (1 + 0.04 * self.random.standard_normal()), [1, 2.31, 3.9, 5.2], 0.07, 0.7 * hardness) * (
                0.5 + 0.5 * self.random.random()
            )
            i = round(at * self.rate)
            out[i : i + len(hit)] += hit[: len(out) - i]
            at += (1 + waver * self.random.standard_normal()) / rate_hz
        made: Wave = out / (np.max(np.abs(out)) + 1e-9)
        return made

    def drops(self, seconds: float, per_s: float, low: float, high: float) -> Wave:
        """Water drops and bubbles: short rising sines."""
        out = np.zeros(round(seconds * self.rate))
        for _ in range(round(seconds * per_s)):
            at = self.random.random() * max(0.01, seconds - 0.12)
            hz = low * (high / low) ** self.random.random()
            t = self.time(0.03 + 0.09 * self.random.random())
            drop = np.sin(2 * np.pi * (hz * t + hz * 2.2 * t**2)) * np.exp(-t * 55) * self.random.random() ** 2
            i = round(at * self.rate)
            out[i : i + len(drop)] += drop[: len(out) - i]
        made: Wave = out / (np.max(np.abs(out)) + 1e-9)
        return made

    def field(self, wave: Wave, noise_db: float, hum_db: float = -120, wind_db: float = -120, bumps: int = 0) -> Wave:
        """What a recorder out there adds: hiss, mains hum, wind in the microphone, hands on the body."""
        two = wave if wave.ndim == 2 else wave[:, None]
        seconds = len(two) / self.rate
        turn: Wave = np.arange(self.rate // 50) / self.rate
        hum = np.sum([10 ** ((hum_db + level) / 20) * np.sin(2 * np.pi * 50 * (k + 1) * turn + k) for k, level in enumerate((0, -7, -13, -22))], axis=0)
        out = two + np.resize(hum, len(two))[:, None]
        for c in range(two.shape[1]):
            out[:, c] += 10 ** (noise_db / 20) * self.coloured(seconds, 1.5)[: len(two)]
            out[:, c] += 10 ** (wind_db / 20) * self.coloured(seconds, 5)[: len(two)] * self.slow(seconds, 0.7, 0, 1.6)[: len(two)] ** 2
        for _ in range(bumps):
            i = round((0.1 + 0.8 * self.random.random()) * len(two))
            thump = self.modes(0.35, 48 + 30 * self.random.random(), [1, 1.7], 0.22, 0.5, attack_ms=4) * 0.35
            out[i : i + len(thump)] += thump[: len(out) - i, None]
        return np.asarray(out if wave.ndim == 2 else out[:, 0])


def level(wave: Wave, peak_db: float) -> NDArray[np.float32]:
    """Peak-normalised float32, always two-dimensional."""
    two = wave if wave.ndim == 2 else wave[:, None]
    return np.asarray(two / (np.max(np.abs(two)) + 1e-12) * 10 ** (peak_db / 20), dtype=np.float32)
