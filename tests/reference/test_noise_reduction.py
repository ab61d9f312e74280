"""Noise reduction beside noisereduce and plain spectral subtraction on the same mixes, at the same reduction."""

import unittest
from collections.abc import Callable

import noisereduce
import numpy as np
from scipy import signal

from oskren.core.steps import Context, kind_of
from oskren.core.steps.noise import NoiseParams, learn
from tests.support import RATE

SECONDS = 6
REDUCTION = 12.0


def si_sdr(wanted: np.ndarray, found: np.ndarray) -> float:
    """Scale-invariant signal-to-distortion ratio in dB (Le Roux, Wisdom, Erdogan, Hershey, ICASSP 2019)."""
    scaled = np.dot(found, wanted) / np.dot(wanted, wanted) * wanted
    return float(10 * np.log10(np.sum(scaled**2) / np.sum((found - scaled) ** 2)))


def hits(random: np.random.Generator) -> np.ndarray:
    out = np.zeros(SECONDS * RATE)
    for k in range(8):
        at = round((0.8 + 0.62 * k) * RATE)
        t = np.arange(min(RATE // 2, len(out) - at)) / RATE
        out[at : at + len(t)] += 0.3 * random.standard_normal(len(t)) * np.exp(-t * 18) + sum(
            0.1 * np.sin(2 * np.pi * hz * (1 + 0.1 * k) * t) * np.exp(-t * 8) for hz in (820, 1730, 2990)
        )
    return out


def tones(random: np.random.Generator) -> np.ndarray:
    out = np.zeros(SECONDS * RATE)
    for k in range(4):
        at = round((0.8 + 1.2 * k) * RATE)
        t = np.arange(RATE) / RATE
        out[at : at + RATE] += sum(0.15 / n * np.sin(2 * np.pi * 220 * n * (1 + 0.07 * k) * t) * np.sin(np.pi * t) ** 2 for n in range(1, 6))
    return out


def pink(random: np.random.Generator) -> np.ndarray:
    spectrum = np.fft.rfft(random.standard_normal(SECONDS * RATE))
    spectrum /= np.sqrt(np.maximum(np.fft.rfftfreq(SECONDS * RATE, 1 / RATE), 40))
    out = np.fft.irfft(spectrum, SECONDS * RATE)
    return out / np.std(out)


def subtraction(mix: np.ndarray, profile: np.ndarray) -> np.ndarray:
    """Plain power subtraction with a floor (Boll 1979)."""
    _, _, spectra = signal.stft(mix, RATE, nperseg=2048, noverlap=1536)
    _, _, quiet = signal.stft(profile, RATE, nperseg=2048, noverlap=1536)
    power = np.mean(np.abs(quiet) ** 2, axis=1)[:, None]
    gain = np.sqrt(np.maximum(1 - power / np.maximum(np.abs(spectra) ** 2, 1e-20), 0))
    return signal.istft(spectra * np.maximum(gain, 10 ** (-REDUCTION / 20)), RATE, nperseg=2048, noverlap=1536)[1][: len(mix)]


def reduced(mix: np.ndarray, **more: float) -> np.ndarray:
    kind, samples = kind_of("noise_reduction"), mix.astype(np.float32)[:, None]
    params = NoiseParams(**{"reduction_db": REDUCTION, "start_s": 0.0, "end_s": 0.7, "low_bias_db": 0.0, "high_bias_db": 0.0, **more})
    at = Context(RATE, 1, len(samples))
    stream = kind.stream(params, kind.analyse(params, iter([samples]), at), at, 0)
    return np.concatenate([stream.push(samples), stream.flush()])[:, 0].astype(np.float64)


class BesideOthers(unittest.TestCase):
    def test_si_sdr_lies_above_both_on_every_mix(self) -> None:
        sources: dict[str, Callable[[np.random.Generator], np.ndarray]] = {"hits": hits, "tones": tones}
        for name, make in sources.items():
            for snr in (5, 15, 25):
                random = np.random.default_rng(7)
                clean = make(random)
                mix = clean + pink(random) * np.std(clean) * 10 ** (-snr / 20)
                profile = mix[: round(0.7 * RATE)]
                ours = si_sdr(clean, reduced(mix))
                theirs = si_sdr(clean, noisereduce.reduce_noise(y=mix, sr=RATE, y_noise=profile, stationary=True, prop_decrease=1 - 10 ** (-REDUCTION / 20)))
                plain = si_sdr(clean, subtraction(mix, profile))
                with self.subTest(source=name, snr=snr):
                    self.assertGreater(ours, theirs)
                    self.assertGreater(ours, plain)
                    self.assertGreater(ours, si_sdr(clean, mix) + 3)


class Character(unittest.TestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(11)
        self.clean = hits(random)
        self.mix = self.clean + pink(random) * 0.004

    def test_noise_goes_down_by_what_was_asked(self) -> None:
        for asked in (3.0, 6.0, 12.0):
            out = reduced(self.mix, reduction_db=asked)
            change = 20 * np.log10(np.std(out[4800:33_000]) / np.std(self.mix[4800:33_000]))
            with self.subTest(asked=asked):
                self.assertAlmostEqual(change, -asked, delta=1.2)

    def test_attacks_keep_their_energy(self) -> None:
        out = reduced(self.mix)
        for k in range(8):
            at = round((0.8 + 0.62 * k) * RATE)
            part = slice(at, at + 960)
            self.assertGreater(10 * np.log10(np.sum(out[part] ** 2) / np.sum(self.clean[part] ** 2)), -1.0)

    def test_no_musical_noise(self) -> None:
        """In noise-only parts the level of single cells varies no more than in the noise itself: no chirps are left."""
        out = reduced(self.mix)

        def wobble(samples: np.ndarray) -> float:
            power = np.abs(signal.stft(samples[4800:33_000], RATE, nperseg=1024)[2][10:300]) ** 2
            return float(np.std(power) / np.mean(power))

        self.assertLess(wobble(out), 1.6 * wobble(self.mix))

    def test_what_is_removed_and_what_is_kept_make_the_whole(self) -> None:
        out = reduced(self.mix).astype(np.float32)
        removed = self.mix.astype(np.float32) - out
        np.testing.assert_allclose(removed + out, self.mix.astype(np.float32), atol=1e-6)

    def test_no_reduction_changes_nothing(self) -> None:
        np.testing.assert_allclose(reduced(self.mix, reduction_db=0.0), self.mix, atol=2e-6)

    def test_outer_bands_work_harder(self) -> None:
        plain, biased = reduced(self.mix), reduced(self.mix, high_bias_db=8.0)
        band = signal.butter(4, 13_000, "high", fs=RATE, output="sos")
        high = [np.std(signal.sosfilt(band, one)[4800:33_000]) for one in (plain, biased)]
        self.assertLess(20 * np.log10(high[1] / high[0]), -4)

    def test_a_profile_needs_two_frames(self) -> None:
        with self.assertRaisesRegex(Exception, "mark at least"):
            learn(np.zeros((3000, 1), np.float32), RATE)
