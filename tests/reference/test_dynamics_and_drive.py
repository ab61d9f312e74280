"""Compressor, transient shaper, drive and fewer bits against their closed forms.

Static curve and times: Giannoulis, Massberg, Reiss, JAES 60 (6), 2012 (eq. 4; time constants as 1 - 1/e). Quantisation: 6.02 N + 1.76 dB
(Bennett, Bell System Technical Journal 27, 1948). Sample and hold: sinc roll-off and mirrors (Oppenheim, Schafer, Discrete-Time Signal Processing).
"""

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from oskren.core.steps.compress import reduction_db
from oskren.core.steps.drive import CURVES, shaped
from tests.core.test_steps import through
from tests.support import RATE, noise, sine, struck

SILENT = {"attack_ms": 5.0, "release_ms": 50.0, "hears": "peaks"}


def level_db(samples: np.ndarray) -> float:
    return float(20 * np.log10(np.abs(samples).max()))


class CompressorCurve(unittest.TestCase):
    def test_static_curve(self) -> None:
        """Hard knee: T + (x - T) / R over the threshold; with a knee the same outside it and halfway bent at its middle."""
        levels = np.linspace(-60, 0, 61)
        for threshold, ratio in ((-20.0, 4.0), (-40.0, 2.0), (-10.0, 20.0)):
            hard = levels + reduction_db(levels, threshold, ratio, 0.0)
            np.testing.assert_allclose(hard, np.where(levels > threshold, threshold + (levels - threshold) / ratio, levels), atol=1e-9)
            soft = reduction_db(levels, threshold, ratio, 12.0)
            outside = np.abs(levels - threshold) > 6
            np.testing.assert_allclose(soft[outside], (hard - levels)[outside], atol=1e-9)
            self.assertAlmostEqual(float(reduction_db(np.array([threshold]), threshold, ratio, 12.0)[0]), (1 / ratio - 1) * 12 / 8, places=9)

    def test_a_square_wave_that_stays_lands_on_the_curve(self) -> None:
        """A square wave has one level at every moment."""
        square = np.sign(sine(200, 1.0) + 1e-9).astype(np.float32)
        for level in (-40.0, -24.0, -12.0, -3.0):
            params = {"threshold_db": -24.0, "ratio": 4.0, "knee_db": 6.0, **SILENT}
            out = through("compressor", square * np.float32(10 ** (level / 20)), **params)
            wanted = level + float(reduction_db(np.array([level]), -24.0, 4.0, 6.0)[0])
            self.assertAlmostEqual(level_db(out[RATE // 2 :]), wanted, delta=0.02)

    def test_a_tone_that_stays_lands_on_the_curve(self) -> None:
        """As loud as its peaks at every moment, from 50 Hz on."""
        for hz in (50, 200, 1000, 7000):
            for level in (-24.0, -12.0, -3.0):
                out = through("compressor", sine(hz, 1.5, level), threshold_db=-24.0, ratio=4.0, knee_db=6.0)
                wanted = level + float(reduction_db(np.array([level]), -24.0, 4.0, 6.0)[0])
                with self.subTest(hz=hz, level=level):
                    self.assertAlmostEqual(level_db(out[RATE:]), wanted, delta=0.05)

    def test_times(self) -> None:
        """After a step up, the reduction has come within 1/e of its end in the attack; after a step down, peaks held, left all but 1/e in the release."""
        square = np.ones((2 * RATE, 1), np.float32)
        square[:RATE] *= np.float32(10 ** (-6 / 20))
        square[RATE:] *= np.float32(10 ** (-60 / 20))
        square = np.concatenate([np.full((RATE // 2, 1), 1e-3, np.float32), square])
        out = through("compressor", square, threshold_db=-26.0, ratio=2.0, knee_db=0.0, attack_ms=20.0, release_ms=200.0, hears="peaks")
        taken = -20 * np.log10(out[:, 0] / square[:, 0])
        up = taken[RATE // 2 + round(0.02 * RATE)]
        self.assertAlmostEqual(float(up), 10 * (1 - 1 / math.e), delta=0.05)
        down = taken[RATE // 2 + RATE + round(0.21 * RATE)]
        self.assertAlmostEqual(float(down), 10 / math.e, delta=0.05)

    def test_power_is_heard_with_its_own_time(self) -> None:
        out = through("compressor", sine(1000, 1.0, -6.0), threshold_db=-26.0, ratio=2.0, knee_db=0.0, attack_ms=1.0, release_ms=20.0, hears="power")
        self.assertAlmostEqual(level_db(out[RATE // 2 :]), -16.0, delta=0.1)

    def test_looking_ahead_the_attack_is_held_down_and_nothing_is_late(self) -> None:
        samples = np.concatenate([np.full((4800, 1), 1e-3, np.float32), np.full((4800, 1), 0.5, np.float32)])
        plain, ahead = (
            through("compressor", samples, threshold_db=-30.0, ratio=20.0, knee_db=0.0, attack_ms=0.5, release_ms=100.0, look_ahead_ms=ms) for ms in (0.0, 5.0)
        )
        self.assertEqual(len(ahead), len(samples))
        self.assertEqual(int(np.argmax(np.abs(ahead[:, 0]) > 0.01)), 4800)
        self.assertGreater(level_db(plain) - level_db(ahead), 15.0)

    def test_ratio_one_and_mix_nothing_are_the_sound_itself(self) -> None:
        samples = struck()
        np.testing.assert_allclose(through("compressor", samples, ratio=1.0), samples, atol=1e-7)
        np.testing.assert_allclose(through("compressor", samples, threshold_db=-60.0, ratio=20.0, mix=0.0), samples, atol=1e-7)

    def test_channels_are_turned_down_together(self) -> None:
        samples = np.concatenate([sine(300, 0.5, -3.0), sine(500, 0.5, -33.0)], axis=1)
        out = through("compressor", samples, threshold_db=-20.0, ratio=8.0, hears="power")
        ratio = (out[RATE // 4 :] ** 2).sum(axis=0) / (samples[RATE // 4 :] ** 2).sum(axis=0)
        self.assertAlmostEqual(float(ratio[0]), float(ratio[1]), delta=1e-3)


class TransientShaper(unittest.TestCase):
    def burst(self) -> np.ndarray:
        samples = np.zeros((RATE, 1), np.float32)
        samples[4800:] = np.exp(-np.arange(RATE - 4800)[:, None] / (0.4 * RATE)) * 0.5
        return samples.astype(np.float32)

    def test_attack_is_raised_by_what_is_asked_and_the_rest_left(self) -> None:
        samples = self.burst()
        out = through("shaper", samples, attack_db=12.0, attack_ms=20.0)
        gain = 20 * np.log10(np.maximum(out[4800:, 0], 1e-9) / samples[4800:, 0])
        self.assertAlmostEqual(float(gain[1:200].max()), 12.0, delta=0.2)
        self.assertLess(float(np.abs(gain[round(0.2 * RATE) :]).max()), 1.0)

    def test_sustain_is_raised_after_the_attack_only(self) -> None:
        samples = self.burst()
        samples[:, 0] *= np.where(np.arange(RATE) > 4800 + 960, 0.1, 1.0)
        out = through("shaper", samples, attack_db=0.0, sustain_db=12.0, sustain_ms=250.0)
        gain = 20 * np.log10(np.maximum(out[4800:, 0], 1e-9) / samples[4800:, 0])
        self.assertLess(float(np.abs(gain[:200]).max()), 1.0)

    @given(st.floats(-40, 0))
    def test_it_does_not_mind_the_level(self, gain_db: float) -> None:
        samples, gain = struck(0.3), np.float32(10 ** (gain_db / 20))
        params = {"attack_db": 9.0, "sustain_db": -6.0}
        np.testing.assert_allclose(through("shaper", samples * gain, **params), through("shaper", samples, **params) * gain, atol=2e-3 * float(gain))

    def test_nothing_asked_nothing_done(self) -> None:
        samples = struck()
        np.testing.assert_allclose(through("shaper", samples, attack_db=0.0), samples, atol=1e-7)


def aliases_db(out: np.ndarray, hz: float) -> float:
    """Power of what is no partial of a tone, against the tone (dB)."""
    frames = RATE  # a second: partials fall on bins
    spectrum = np.abs(np.fft.rfft(out[RATE // 4 : RATE // 4 + frames, 0] * np.blackman(frames))) ** 2
    bins = np.arange(len(spectrum))
    partials = np.min(np.abs(bins[:, None] - np.arange(0, RATE / 2, hz)[None, :]), axis=1) <= 4
    below = bins < 20_000
    return float(10 * np.log10(spectrum[~partials & below].sum() / spectrum[partials & below].sum()))


class DriveAndAliases(unittest.TestCase):
    def test_every_curve_starts_with_slope_one_and_stays_under_one(self) -> None:
        x = np.linspace(-20, 20, 4001)
        for curve in CURVES:
            y = shaped(x, curve)
            self.assertLessEqual(float(np.abs(y).max()), 1.0)
            if curve != "broken":
                small = shaped(np.array([-1e-4, 1e-4]), curve)
                self.assertAlmostEqual(float((small[1] - small[0]) / 2e-4), 1.0, places=4)

    def test_a_quiet_sound_passes_unchanged(self) -> None:
        """The filters of the rate change are flat where a sound is; curves are straight for little."""
        samples = noise(0.5, -70) + sine(15_000, 0.5, -70)
        for curve in ("soft", "hard", "fold", "lopsided"):
            out = through("drive", samples, curve=curve, drive_db=0.0, output_db=0.0)
            middle = slice(2000, -2000)
            spectrum_in, spectrum_out = (np.abs(np.fft.rfft(one[middle, 0])) for one in (samples, out))
            hz = np.fft.rfftfreq(len(samples) - 4000, 1 / RATE)
            kept = hz < 19_500
            difference = 10 * np.log10((spectrum_out[kept] ** 2).sum() / (spectrum_in[kept] ** 2).sum())
            self.assertLess(abs(float(difference)), 0.02)

    def test_aliases_lie_20_db_below_those_of_the_curve_alone(self) -> None:
        tone = sine(4_217, 1.6, -1.0)
        for curve in CURVES:
            naive, ours = (aliases_db(through("drive", tone, curve=curve, drive_db=18.0, output_db=-6.0, oversampling=times), 4217) for times in ("1", "8"))
            with self.subTest(curve=curve, naive=round(naive, 1), ours=round(ours, 1)):
                self.assertLess(ours, naive - 20)

    def test_harmonics_of_hard_clipping(self) -> None:
        """A tone driven hard is nearly a square wave: odd partials at 1/n (Fourier), even ones absent; lopsided brings even ones."""
        tone = sine(300, 1.5, 0.0)
        spectrum = np.abs(np.fft.rfft(through("drive", tone, curve="hard", drive_db=46.0, output_db=0.0)[12_000 : 12_000 + RATE, 0])) / (RATE / 2)
        for n in (1, 3, 5, 7):
            self.assertAlmostEqual(float(spectrum[300 * n]) * n * math.pi / 4, 1.0, delta=0.02)
        self.assertLess(float(spectrum[600]), 1e-3)
        even = np.abs(np.fft.rfft(through("drive", tone, curve="lopsided", drive_db=6.0)[12_000 : 12_000 + RATE, 0]))
        self.assertGreater(float(even[600] / even[300]), 0.05)

    def test_mix_nothing_is_the_sound_itself(self) -> None:
        samples = noise(0.2, -12)
        np.testing.assert_allclose(through("drive", samples, drive_db=40.0, mix=0.0), samples, atol=1e-7)


class FewerBits(unittest.TestCase):
    def test_error_of_rounding(self) -> None:
        """A sine at full scale over the rounding error of N bits: 6.02 N + 1.76 dB."""
        tone = sine(997.3, 2.0, 0.0)
        for bits in (4.0, 8.0, 12.0):
            error = through("crush", tone, bits=bits, rate_hz=48_000.0) - tone
            ratio = 10 * np.log10((tone**2).mean() / (error**2).mean())
            self.assertAlmostEqual(float(ratio), 6.02 * bits + 1.76, delta=0.5)

    def test_every_sixth_sample_is_held(self) -> None:
        samples = noise(0.1, -20)
        out = through("crush", samples, bits=16.0, rate_hz=8000.0)
        np.testing.assert_allclose(out[:, 0], np.repeat(samples[::6, 0], 6)[: len(out)], atol=2.0**-15)

    def test_mirrors_at_the_new_rate(self) -> None:
        """A tone f held at a rate r appears at r - f too, at sinc((r - f) / r) against sinc(f / r)."""
        spectrum = np.abs(np.fft.rfft(through("crush", sine(1000, 1.0, -3.0), bits=16.0, rate_hz=8000.0)[:, 0]))
        self.assertAlmostEqual(float(spectrum[7000] / spectrum[1000]), abs(np.sinc(7 / 8) / np.sinc(1 / 8)), delta=0.02)
