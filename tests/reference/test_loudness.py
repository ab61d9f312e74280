"""Loudness and true peak against EBU Tech 3341 and 3342 (cases built from their text) and pyloudnorm."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import pyloudnorm
from scipy import signal

from oskren.core.audio import files
from oskren.core.measure import levels, loudness, report, true_peak
from tests.support import RATE, noise, sine


def tones(*parts: tuple[float, float]) -> np.ndarray:
    """Stereo 1 kHz sines: (level in dBFS, seconds) one after another."""
    return np.concatenate([sine(1000, seconds, level, channels=2) for level, seconds in parts])


class EbuTech3341(unittest.TestCase):
    """EBU Tech 3341, table 1, cases 1 to 6: integrated loudness within 0.1 LU."""

    CASES = {
        1: (tones((-23, 20)), -23.0),
        2: (tones((-33, 20)), -33.0),
        3: (tones((-36, 10), (-23, 60), (-36, 10)), -23.0),
        4: (tones((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)), -23.0),
        5: (tones((-26, 20), (-20, 20.1), (-26, 20)), -23.0),
    }

    def test_stereo_cases(self) -> None:
        for case, (samples, wanted) in self.CASES.items():
            with self.subTest(case=case):
                self.assertAlmostEqual(loudness.loudness(samples, RATE).integrated_lufs, wanted, delta=0.1)

    def test_surround_case_6(self) -> None:
        left, centre, surround = sine(1000, 20, -28), sine(1000, 20, -24), sine(1000, 20, -30)
        samples = np.concatenate([left, left, centre, np.zeros_like(left), surround, surround], axis=1)
        self.assertAlmostEqual(loudness.loudness(samples, RATE, "5.1").integrated_lufs, -23.0, delta=0.1)

    def test_the_lfe_does_not_count(self) -> None:
        quiet = np.zeros((RATE, 6), np.float32)
        quiet[:, 3] = sine(60, 1, -6)[:, 0]
        self.assertIsNone(loudness.loudness(quiet, RATE, "5.1").integrated_lufs)

    def test_case_1_at_every_common_rate(self) -> None:
        for rate in (44_100, 48_000, 88_200, 96_000, 192_000):
            with self.subTest(rate=rate):
                self.assertAlmostEqual(loudness.loudness(sine(1000, 5, -23, rate, 2), rate).integrated_lufs, -23.0, delta=0.1)

    def test_momentary_and_short_term_maxima(self) -> None:
        """Tech 3341, cases 9 and 12 in short: a steady tone reads the same on both scales."""
        found = loudness.loudness(tones((-23, 8)), RATE)
        self.assertAlmostEqual(found.max_momentary_lufs, -23.0, delta=0.1)
        self.assertAlmostEqual(found.max_short_term_lufs, -23.0, delta=0.1)


class EbuTech3342(unittest.TestCase):
    """EBU Tech 3342, minimum requirements 1 to 4: loudness range within 1 LU."""

    def test_range_cases(self) -> None:
        cases = {1: ((-20, -30), 10), 2: ((-20, -15), 5), 3: ((-40, -20), 20), 4: ((-50, -35, -20, -35, -50), 15)}
        for case, (parts, wanted) in cases.items():
            with self.subTest(case=case):
                found = loudness.loudness(tones(*((level, 20) for level in parts)), RATE)
                self.assertAlmostEqual(found.range_lu, wanted, delta=1.0)


class BesidePyloudnorm(unittest.TestCase):
    def test_noise_and_tones(self) -> None:
        """pyloudnorm's own filter class after De Man has the same prototype; its default differs by some hundredths."""
        for seed, rate in ((1, 44_100), (2, 48_000), (3, 96_000)):
            samples = noise(6, -24, rate, 2, seed)
            samples[: rate * 2] *= 0.05
            meter = pyloudnorm.Meter(rate, filter_class="DeMan")
            with self.subTest(rate=rate):
                self.assertAlmostEqual(loudness.loudness(samples, rate).integrated_lufs, meter.integrated_loudness(samples.astype(float)), delta=0.05)

    def test_k_weighting_at_48_khz_is_the_table_of_bs_1770(self) -> None:
        """ITU-R BS.1770-5, tables 1 and 2."""
        shelf, high_pass = loudness.k_weighting(48_000)
        np.testing.assert_allclose(shelf, [1.53512485958697, -2.69169618940638, 1.19839281085285, 1, -1.69065929318241, 0.73248077421585], atol=1e-8)
        np.testing.assert_allclose(high_pass, [1, -2, 1, 1, -1.99004745483398, 0.99007225036621], atol=1e-7)


class TruePeak(unittest.TestCase):
    """EBU Tech 3341, cases 15 to 19: +0.2 / -0.4 dB."""

    def test_cases(self) -> None:
        cases = {15: (4, 0, 0.5, -6), 16: (4, 45, 0.5, -6), 17: (6, 60, 0.5, -6), 18: (8, 67.5, 0.5, -6), 19: (4, 45, 1.41, 3)}
        for case, (part, phase, amplitude, wanted) in cases.items():
            ramp = np.clip(np.minimum(np.arange(RATE), np.arange(RATE)[::-1]) / 2400, 0, 1)[:, None].astype(np.float32)
            samples = sine(RATE / part, 1, 20 * np.log10(amplitude), phase_deg=phase) * ramp
            found = levels.db(true_peak.true_peak(samples, RATE))
            with self.subTest(case=case):
                self.assertLessEqual(found, wanted + 0.2)
                self.assertGreaterEqual(found, wanted - 0.4)

    def test_leaving_quiet_stretches_out_changes_nothing(self) -> None:
        quiet = noise(1, -12, channels=2)
        quiet[: RATE // 2] *= 0.01
        dense = sine(0.4321 * RATE, 0.3, -3)
        for samples in (quiet, dense, np.sign(sine(997, 0.3, -3)), quiet[:1], quiet[-777:]):
            for rate in (RATE, 2 * RATE):
                self.assertAlmostEqual(true_peak.true_peak(samples, rate), float(true_peak.true_peak_envelope(samples, rate).max()), places=5)

    def test_the_waveform_between_frames_is_that_of_the_whole_spectrum(self) -> None:
        """scipy's resampling by the whole spectrum, of sound under 0.98 of what the rate holds; a level asked for leaves out only what is under it."""
        for rate, factor in ((48_000, 8), (96_000, 4)):
            spectrum = np.fft.rfft(noise(0.5, -9)[:, 0])
            spectrum[round(0.98 * len(spectrum)) :] = 0
            samples = np.fft.irfft(spectrum).astype(np.float32)[:, None]
            fine = np.abs(signal.resample(samples[:, 0], factor * len(samples))).reshape(-1, factor).max(axis=1)
            inner = slice(2000, -2000)
            found = true_peak.true_peak_envelope(samples, rate)
            np.testing.assert_allclose(found[inner], fine[inner], atol=2e-3)
            over = float(np.quantile(found, 0.99))
            gated = true_peak.true_peak_envelope(samples, rate, over)
            np.testing.assert_array_equal(gated[found > over], found[found > over])
            self.assertLessEqual(float((gated - found).max()), 0.0)
            self.assertFalse(true_peak.true_peak_envelope(samples * 0.01, rate, over)[found > over].max() > over)

    def test_a_file_longer_than_a_block_measures_as_its_whole(self) -> None:
        """A cosine of half scale has its crests at -6.02 dBFS (closed form), wherever blocks of the file begin."""
        for rate in (44_100, 48_000, 96_000):
            t = np.arange(12 * rate) / rate
            fade = np.clip(np.minimum(t, t[::-1]) / 0.1, 0, 1)
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "hum.wav"
                files.write(path, (0.5 * np.cos(2 * np.pi * 50 * t) * fade).astype(np.float32)[:, None], rate, 32)
                self.assertAlmostEqual(report.measure_file(path).true_peak_dbtp or 0.0, -6.02, delta=0.02)

    def test_where_blocks_begin_changes_nothing(self) -> None:
        random = np.random.default_rng(5)
        samples = noise(1.3, -12, channels=2)
        whole = true_peak.true_peak(samples, RATE)
        for _ in range(12):
            measuring, at = true_peak.TruePeak(RATE), 0
            while at < len(samples):
                size = int(random.choice([1, 7, 63, 64, 65, 500, 4096, 30_000]))
                measuring.add(samples[at : at + size])
                at += size
            self.assertAlmostEqual(measuring.value(), whole, places=6)


class ShortSounds(unittest.TestCase):
    def test_a_short_sound_is_measured_padded_and_marked(self) -> None:
        """Own rule, documented in docs/calculations.md: 100 ms of tone in 400 ms has a quarter of the power."""
        found = loudness.loudness(sine(1000, 0.1, -23, channels=2), RATE)
        self.assertTrue(found.padded)
        self.assertAlmostEqual(found.integrated_lufs, -23 - 6.02, delta=0.2)

    def test_what_rings_on_after_a_short_sound_counts_as_filtered_silence_does(self) -> None:
        """A cut 30 Hz tone rings on in the high-pass of the K-weighting; scipy's filter over the silence says by how much."""
        for rate in (8_000, 44_100, 48_000, 192_000):
            with self.subTest(rate=rate):
                short = np.tile(np.sin(2 * np.pi * 30 * np.arange(rate // 20) / rate + 1.3).astype(np.float32)[:, None], (1, 2))
                padded = np.concatenate([short, np.zeros((4 * round(rate / 10) - len(short), 2))])
                power = np.square(signal.sosfilt(loudness.k_weighting(rate), padded, axis=0)).mean(axis=0).sum()
                self.assertAlmostEqual(loudness.loudness(short, rate).integrated_lufs, -0.691 + 10 * np.log10(power), places=6)

    def test_silence_has_no_loudness(self) -> None:
        self.assertIsNone(loudness.loudness(np.zeros((RATE, 1), np.float32), RATE).integrated_lufs)


class Positions(unittest.TestCase):
    def test_channels_weigh_by_where_they_stand(self) -> None:
        """ITU-R BS.1770-5, table 4 (from memory): 1.41 from 60 to 120 degrees at ear height, 1.00 elsewhere, LFE not at all."""
        for layout, wanted in (
            ("stereo", [1, 1]),
            ("quad", [1, 1, 1, 1]),
            ("5.1", [1, 1, 1, 0, 1.41, 1.41]),
            ("7.1", [1, 1, 1, 0, 1.41, 1.41, 1, 1]),
            ("ambix", [1, 1, 1, 1]),
            ("unknown 6", [1] * 6),
        ):
            with self.subTest(layout=layout):
                self.assertEqual(loudness.channel_weights(layout, len(wanted)).tolist(), wanted)
        # the same tone behind in quad is as loud as in front; at the sides of 5.1 it is 1.5 dB louder
        tone = sine(997, 2.0, -20, channels=2)
        none = np.zeros_like(tone)
        front = loudness.loudness(np.hstack([tone, none]), RATE, "quad").integrated_lufs
        behind = loudness.loudness(np.hstack([none, tone]), RATE, "quad").integrated_lufs
        sides = loudness.loudness(np.hstack([none, none, tone]), RATE, "5.1").integrated_lufs
        assert front is not None and behind is not None and sides is not None
        self.assertAlmostEqual(behind - front, 0.0, places=6)
        self.assertAlmostEqual(sides - front, 10 * np.log10(1.41), places=3)
