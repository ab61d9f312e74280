"""Brightness, flatness, pitch, floor, bandwidth and anchors against librosa and closed forms."""

import unittest

import librosa
import numpy as np
from scipy import signal

from oskren.core.measure import anchor, levels, noise, pitch, report, spectrum
from tests.support import RATE, cents, sine, struck
from tests.support import noise as white


class Spectrum(unittest.TestCase):
    def test_what_sounds_at_the_very_end_counts(self) -> None:
        """A tone in a last partial frame alone, after silence: its frequency, as anywhere else."""
        for left in (300, 900):
            tone = sine(3000, 1.0)[:left] * np.hanning(left)[:, None].astype(np.float32)
            samples = np.concatenate([np.zeros((2048 + 3 * 1024, 1), np.float32), tone])
            bright = report.measure(samples, RATE).brightness_hz
            with self.subTest(frames=left):
                assert bright is not None
                self.assertAlmostEqual(bright / 3000, 1.0, delta=0.05)

    def test_centroid_and_flatness_frame_by_frame_beside_librosa(self) -> None:
        mono = white(1, -20)[:, 0]
        mags = spectrum.magnitudes(mono)
        # the end is padded to a whole frame
        whole = np.pad(mono, (0, -(len(mono) - spectrum.SIZE) % spectrum.HOP))
        stft = np.abs(librosa.stft(whole, n_fft=spectrum.SIZE, hop_length=spectrum.HOP, center=False))
        np.testing.assert_allclose(mags.T, stft, atol=2e-3)
        power = (stft**2).sum(axis=0)
        centroid = librosa.feature.spectral_centroid(S=stft, sr=RATE)[0]
        flat = librosa.feature.spectral_flatness(S=stft)[0]
        found = spectrum.shape(mags, RATE)
        self.assertAlmostEqual(found.brightness_hz, np.average(centroid, weights=power), delta=1.0)
        self.assertAlmostEqual(found.flatness_mean, np.average(flat, weights=power), delta=1e-3)

    def test_a_sine_is_as_bright_as_its_frequency(self) -> None:
        for hz in (200, 1000, 8000):
            found = spectrum.shape(spectrum.magnitudes(sine(hz, 1, -6)[:, 0]), RATE)
            self.assertAlmostEqual(found.brightness_hz / hz, 1.0, delta=0.02)

    def test_bandwidth_of_low_passed_noise(self) -> None:
        """Within 5 % of the cut-off from 300 Hz to 0.45 of the rate, however high the rate is; short sounds within 10 %."""
        for rate in (44_100, 48_000, 96_000, 192_000):
            for cut in (300, 1000, 3000, 8000, 15_000, 0.45 * rate):
                filtered = signal.sosfilt(signal.ellip(10, 0.1, 80, cut, fs=rate, output="sos"), white(3, -20, rate=rate)[:, 0])
                mono = (filtered + white(3, -120, seed=2, rate=rate)[:, 0]).astype(np.float32)
                with self.subTest(cut=cut, rate=rate):
                    self.assertAlmostEqual(spectrum.bandwidth(mono, rate) / cut, 1.0, delta=0.05)
                    if 3000 <= cut < 0.4 * rate:
                        self.assertAlmostEqual(spectrum.bandwidth(mono[rate : rate + rate // 5], rate) / cut, 1.0, delta=0.1)

    def test_noise_reaches_the_top_in_short_sounds_too(self) -> None:
        for frames in (RATE // 5, RATE, 5 * RATE):
            self.assertGreater(spectrum.bandwidth(white(5, -20, seed=3)[:frames, 0], RATE), 0.35 * RATE)

    def test_a_tone_over_a_quiet_floor_ends_where_it_is(self) -> None:
        self.assertAlmostEqual(spectrum.bandwidth((sine(1000, 1, -6) + white(1, -80))[:, 0], RATE), 1000, delta=20)


class Pitch(unittest.TestCase):
    def test_tones_within_a_cent(self) -> None:
        """Synthetic tones; YIN after de Cheveigné and Kawahara 2002."""
        for hz in (82.4, 110, 220, 440, 880, 1318.5):
            found, sure = pitch.fundamental(sine(hz, 1, -12)[:, 0], RATE)
            with self.subTest(hz=hz):
                self.assertLess(abs(cents(found, hz)), 1)
                self.assertGreater(sure, 0.9)

    def test_a_harmonic_tone_is_heard_at_its_fundamental(self) -> None:
        t = np.arange(RATE) / RATE
        tone = sum(np.sin(2 * np.pi * 196 * n * t) / n for n in range(1, 9)).astype(np.float32) * 0.2
        found, _ = pitch.fundamental(tone, RATE)
        self.assertLess(abs(cents(found, 196)), 2)

    def test_noise_is_not_sure(self) -> None:
        _, sure = pitch.fundamental(white(1)[:, 0], RATE)
        self.assertLess(sure, 0.5)


class Floor(unittest.TestCase):
    def test_floor_of_a_mix_within_1_db(self) -> None:
        for level in (-72, -60, -48):
            samples = white(8, level)
            for at in (1.0, 3.2, 5.5):
                samples[round(at * RATE) : round(at * RATE) + RATE // 2] += struck()
            found = noise.noise_floor(noise.frame_powers(samples, RATE))
            with self.subTest(level=level):
                self.assertAlmostEqual(found.dbfs, level, delta=1.0)

    def test_floor_of_sparse_and_of_crowded_mixes(self) -> None:
        """Within 1 dB under 1 to 200 events in ten seconds; what only dies away, fades included, has none of its own."""
        for count in (1, 2, 20, 100, 200):
            for level in (-72, -48):
                samples, random = white(10, level), np.random.default_rng(count)
                for at in random.uniform(0, 9.4, count):
                    samples[round(at * RATE) : round(at * RATE) + RATE // 2] += struck(0.5, 0.02 if count < 200 else 0.004)
                found = noise.noise_floor(noise.frame_powers(samples, RATE))
                with self.subTest(count=count, level=level):
                    self.assertAlmostEqual(found.dbfs, level, delta=1.0)
        t = np.arange(10 * RATE)[:, None] / RATE
        for fall in (6, 15, 40):
            ring = (0.3 * np.sin(2 * np.pi * 500 * t) * 10 ** (-fall * t / 20)).astype(np.float32)
            self.assertIsNone(noise.noise_floor(noise.frame_powers(ring, RATE)).dbfs)
        faded = white(10, -50)
        faded[RATE : RATE + RATE // 2] += struck()
        faded[-3 * RATE :] *= np.linspace(1, 0.001, 3 * RATE, dtype=np.float32)[:, None]
        self.assertAlmostEqual(noise.noise_floor(noise.frame_powers(faded, RATE)).dbfs, -50, delta=1.0)

    def test_digital_silence_is_left_out(self) -> None:
        samples = np.concatenate([np.zeros((RATE * 4, 1), np.float32), white(4, -60)])
        samples[RATE * 6 : RATE * 6 + RATE // 2] += struck()
        self.assertAlmostEqual(noise.noise_floor(noise.frame_powers(samples, RATE)).dbfs, -60, delta=1.0)

    def test_dense_and_silent_sounds_have_none(self) -> None:
        for name, samples in {"dense": white(4, -20), "silent": np.zeros((RATE * 2, 1), np.float32)}.items():
            with self.subTest(name=name):
                found = noise.noise_floor(noise.frame_powers(samples, RATE))
                self.assertIsNone(found.dbfs)
                self.assertTrue(found.reason)

    def test_the_quietest_part_is_found(self) -> None:
        samples = white(6, -30)
        samples[RATE * 3 : RATE * 4] *= 0.1
        start, end = noise.quietest_part(noise.frame_powers(samples, RATE))
        self.assertTrue(start >= 2.95 and end <= 4.05)


class Anchors(unittest.TestCase):
    """Synthetic shapes with known moments: hits within 5 ms, risers 10 ms, swells 30 ms."""

    def of(self, samples: np.ndarray) -> anchor.Anchor:
        return anchor.propose(anchor.envelope(samples.astype(np.float32), RATE))

    def test_hit(self) -> None:
        for at in (0.0, 0.25, 0.8):
            samples = white(2, -75)
            samples[round(at * RATE) : round(at * RATE) + RATE // 2] += struck()
            found = self.of(samples)
            with self.subTest(at=at):
                self.assertEqual(found.kind, "hit")
                self.assertAlmostEqual(found.seconds, at, delta=0.005)

    def test_a_train_of_like_hits_lands_on_its_first(self) -> None:
        samples = white(2, -75)
        for k in range(8):
            samples[round((0.2 + 0.2 * k) * RATE) :][:4800] += struck(0.1, 0.03, seed=k)[:4800] * (0.85 + 0.02 * k)
        self.assertAlmostEqual(self.of(samples).seconds, 0.2, delta=0.005)

    def test_swell(self) -> None:
        t = np.arange(2 * RATE) / RATE
        found = self.of(white(2, -14) * (np.sin(np.pi * t / 2) ** 4)[:, None])
        self.assertEqual(found.kind, "top")
        self.assertAlmostEqual(found.seconds, 1.0, delta=0.03)

    def test_riser(self) -> None:
        t = np.arange(2 * RATE) / RATE
        found = self.of(white(2, -14) * ((t / 1.5) ** 3 * (t < 1.5))[:, None])
        self.assertEqual(found.kind, "end")
        self.assertAlmostEqual(found.seconds, 1.5, delta=0.01)

    def test_bed(self) -> None:
        self.assertEqual(self.of(white(10, -30)), anchor.Anchor(0.0, "start"))


class Report(unittest.TestCase):
    def test_levels_of_a_full_scale_sine(self) -> None:
        """Closed form: RMS -3.01 dBFS."""
        found = report.measure(sine(997, 2, 0), RATE)
        self.assertAlmostEqual(found.rms_dbfs, -3.01, delta=0.01)
        self.assertAlmostEqual(found.sample_peak_dbfs, 0, delta=0.01)

    def test_measured_in_blocks_as_in_one(self) -> None:
        samples = np.concatenate([white(2, -60, channels=2), white(1, -20, channels=2), white(2, -60, channels=2)])
        whole = report.measure(samples, RATE)
        parts = report.measure_blocks((samples[at : at + 24_000] for at in range(0, len(samples), 24_000)), RATE, 2)
        for name, value in whole.model_dump().items():
            other = getattr(parts, name)
            with self.subTest(name=name):
                self.assertEqual(value, other) if not isinstance(value, float) else self.assertAlmostEqual(value, other, delta=0.02)

    def test_clipping_is_counted_and_a_normalised_peak_is_not(self) -> None:
        clipped = np.clip(sine(100, 1, 6), -1, 1)
        self.assertGreater(levels.clipped_samples(clipped), 1000)
        one = np.zeros((100, 1), np.float32)
        one[50] = 1.0
        self.assertEqual(levels.clipped_samples(one), 0)

    def test_offset(self) -> None:
        self.assertAlmostEqual(report.measure(sine(100, 1, -12) + np.float32(0.05), RATE).dc_offset, 0.05, places=4)
