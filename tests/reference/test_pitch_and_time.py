"""Varispeed, length-kept pitch and rate conversion: closed forms."""

import unittest

import numpy as np

from oskren.core.audio import resample, stretching
from oskren.core.audio.attacks import find_attacks
from tests.support import RATE, cents, noise, pitch_of, sine, struck


class Varispeed(unittest.TestCase):
    def test_a_tone_lands_on_its_pitch_within_half_a_cent_and_to_the_frame(self) -> None:
        """Closed form: 1 kHz lands at 1 kHz · 2^(n/12); the length is divided by the ratio."""
        for semitones in (-24, -18, -14, -6, -1, 0.5, 7, 12):
            out = resample.varispeed(sine(1000, 1, -6), semitones)
            with self.subTest(semitones=semitones):
                self.assertEqual(len(out), round(RATE / 2 ** (semitones / 12)))
                self.assertLess(abs(cents(pitch_of(out), 1000 * 2 ** (semitones / 12))), 0.5)

    def test_eighteen_semitones_down_is_2_828_times_as_long(self) -> None:
        self.assertAlmostEqual(len(resample.varispeed(sine(500, 2), -18)) / (2 * RATE), 2.828, places=3)

    def test_images_lie_below_minus_100_db(self) -> None:
        out = resample.varispeed(sine(1000, 2, -1), -7)[4800:-4800, 0].astype(np.float64)
        spectrum = 20 * np.log10(np.abs(np.fft.rfft(out * np.blackman(len(out)) ** 2)) + 1e-12)
        top = int(np.argmax(spectrum))
        spectrum[max(0, top - 40) : top + 40] = -300
        self.assertLess(spectrum.max(), 20 * np.log10(len(out)) - 100)


class KeptLength(unittest.TestCase):
    def test_pitch_within_5_cents_and_length_exact(self) -> None:
        for hz in (110, 220, 440, 1760):
            for semitones in (-24, -12, -7, 5, 12):
                samples = sine(hz, 2, -6)
                out = stretching.repitch(samples, semitones, RATE, keep_length=True)
                with self.subTest(hz=hz, semitones=semitones):
                    self.assertEqual(len(out), len(samples))
                    self.assertLess(abs(cents(pitch_of(out[RATE // 2 : -RATE // 2]), hz * 2 ** (semitones / 12))), 5)

    def test_stretch_keeps_the_pitch_and_is_exact_in_length(self) -> None:
        for factor in (0.5, 0.83, 1.37, 2.0):
            out = stretching.repitch(sine(330, 2, -6), 0, RATE, factor=factor)
            with self.subTest(factor=factor):
                self.assertEqual(len(out), round(2 * RATE * factor))
                self.assertLess(abs(cents(pitch_of(out[9600:-9600]), 330)), 5)

    def test_an_onset_moves_less_than_10_ms(self) -> None:
        samples = np.zeros((RATE * 2, 1), np.float32)
        samples[RATE : RATE + RATE // 2] = struck()
        out = stretching.repitch(samples, -5, RATE, keep_length=True)
        level = np.convolve(np.abs(out[:, 0]), np.ones(96) / 96, mode="same")
        start = np.flatnonzero(level > 0.25 * level.max())[0]
        self.assertLess(abs(start - RATE) / RATE, 0.010)

    def test_hits_stay_as_sharp_as_they_are(self) -> None:
        """Onsets within 3 ms, nothing heard before them over -35 dB, their peaks within 3 dB, at any factor (targets of our own)."""
        times = (0.5, 0.93, 1.2)
        for name, hit in {"struck": struck(0.25, 0.05), "drum": sine(90, 0.3, -6) * np.exp(-np.arange(14_400) / 3000)[:, None].astype(np.float32)}.items():
            samples = noise(1.6, -80)
            for at in times:
                samples[round(at * RATE) : round(at * RATE) + len(hit)] += hit
            for semitones, factor in ((0, 0.5), (0, 2.0), (0, 4.0), (-24, 1.0), (-12, 1.0), (-5, 1.0), (7, 1.0), (12, 1.0)):
                out = np.abs(stretching.repitch(samples, semitones, RATE, keep_length=True, factor=factor)[:, 0])
                for at in times:
                    place = round(at * factor * RATE)
                    near = out[place - 720 : place + 720]
                    top = np.abs(resample.varispeed(hit, semitones)[:720]).max()
                    with self.subTest(hit=name, semitones=semitones, factor=factor, at=at):
                        self.assertLess(abs(int(np.flatnonzero(near >= 0.1 * near.max())[0]) - 720) / RATE, 0.003)
                        # the hit before rings on at most so loud
                        rings = np.abs(samples[round(at * RATE) - 960 : round(at * RATE) - 96]).max()
                        self.assertLess(out[place - 960 : place - 96].max(), max(4 * rings, near.max() * 10 ** (-35 / 20)))
                        self.assertLess(abs(20 * np.log10(near.max() / top)), 3.0)

    def test_attacks_are_found_and_nothing_else_is(self) -> None:
        """A hit over a tone is one, to the millisecond; a steady tone, a beat of two and noise have only their beginning."""
        t = np.arange(2 * RATE) / RATE
        steady = {
            "tone": sine(440, 2),
            "low": sine(55, 2),
            "noise": noise(2),
            "beat": sine(440, 2) + sine(446, 2),
            "swell": noise(2) * (t**2)[:, None].astype(np.float32),
        }
        for name, samples in steady.items():
            with self.subTest(name=name):
                self.assertTrue(all(one.anchor < 0.02 * RATE for one in find_attacks(samples, RATE)))
        over = sine(110, 2, -12)
        over[RATE : RATE + 9600] += struck(0.2, 0.05)
        found = [one for one in find_attacks(over, RATE) if one.start > 0.02 * RATE]
        self.assertEqual(len(found), 1)
        self.assertLess(abs(found[0].anchor - RATE), 48)

    def test_energy_at_the_edges_is_kept_within_half_a_db(self) -> None:
        samples = noise(2, -20)
        out = stretching.repitch(samples, -3, RATE, keep_length=True)
        for part in (slice(0, 4800), slice(-4800, None)):
            change = 10 * np.log10(np.mean(out[part] ** 2) / np.mean(out[RATE // 2 : -RATE // 2] ** 2))
            self.assertLess(abs(change), 0.5)

    def test_energy_is_kept_and_tones_do_not_flutter_at_any_factor(self) -> None:
        """The power of a steady sound is the same everywhere, however long it gets."""

        def level(samples: np.ndarray) -> float:
            return float(10 * np.log10(np.mean(samples.astype(np.float64) ** 2)))

        outer = round(0.03 * RATE)
        for factor in (0.5, 1.6, 2.0, 2.05, 3.1, 4.0, 8.0):
            for what, samples, apart, at_ends in (("noise", noise(2, -20), 0.1, 1.0), ("tone", sine(440, 2, -6), 0.1, 0.2)):
                out = stretching.repitch(samples, 0, RATE, factor=factor)
                own = level(samples)
                with self.subTest(what=what, factor=factor):
                    self.assertAlmostEqual(level(out), own, delta=apart)
                    for end in (out[:outer], out[-outer:]):
                        self.assertAlmostEqual(level(end), own, delta=at_ends)
                    if what == "tone":
                        inner = out[9600 : len(out) - 9600]
                        hops = [level(inner[at : at + 480]) for at in range(0, len(inner) - 480, 480)]
                        # 480 frames hold 4.4 periods: what the cut of periods alone makes is 0.27 dB
                        self.assertLess(max(hops) - min(hops), 0.35)
        slowed = resample.varispeed(noise(2, -20), -12)
        kept = stretching.repitch(noise(2, -20), -12, RATE, keep_length=True)
        self.assertAlmostEqual(level(kept), level(slowed), delta=0.1)

    def test_what_cancels_in_a_sum_keeps_its_level(self) -> None:
        one = sine(300, 2, -6)
        out = stretching.repitch(np.concatenate([one, -one], axis=1), -7, RATE, keep_length=True)
        alone = stretching.repitch(one, -7, RATE, keep_length=True)
        for lane in (0, 1):
            self.assertAlmostEqual(float(np.std(out[:, lane])), float(np.std(alone)), delta=0.02 * float(np.std(alone)))
        self.assertLess(float(np.corrcoef(out.T)[0, 1]), -0.999)

    def test_stereo_stays_stereo(self) -> None:
        samples = np.concatenate([sine(440, 1, -6), sine(660, 1, -6)], axis=1)
        out = stretching.repitch(samples, 7, RATE, keep_length=True)
        for channel, hz in ((0, 440), (1, 660)):
            self.assertLess(abs(cents(pitch_of(out[9600:-9600, channel : channel + 1]), hz * 2 ** (7 / 12))), 5)


class RateConversion(unittest.TestCase):
    def test_pass_band_is_flat_to_a_hundredth_of_a_db(self) -> None:
        for hz in (100, 1000, 10_000, 19_800):
            out = resample.convert_rate(sine(hz, 1, -6, 96_000), 96_000, 44_100)[4410:-4410]
            level = 20 * np.log10(np.sqrt(2 * np.mean(out.astype(np.float64) ** 2)))
            with self.subTest(hz=hz):
                self.assertAlmostEqual(level, -6, delta=0.01)

    def test_aliases_lie_below_minus_120_db(self) -> None:
        out = resample.convert_rate(sine(30_000, 1, -1, 96_000), 96_000, 44_100)[4410:-4410]
        self.assertLess(20 * np.log10(np.sqrt(np.mean(out.astype(np.float64) ** 2)) + 1e-12), -120)

    def test_length_follows_the_rates(self) -> None:
        self.assertEqual(len(resample.convert_rate(noise(1.2345), RATE, 44_100)), round(round(1.2345 * RATE) * 44_100 / RATE))
