"""Key, likeness, strength and sameness against closed forms and laws; pitch over a glide with mir_eval."""

import unittest

import librosa
import mir_eval
import numpy as np
import soundfile as sf

from oskren.core.audio import files
from oskren.core.audio.resample import convert_rate, varispeed
from oskren.core.measure import anchor, key, likeness, pitch, report, sameness, spectrum, strength, timbre
from tests.support import RATE, InFolder, noise, sine, struck


def chord(*semitones: float, base: float = 261.626, seconds: float = 1.5, partials: int = 5) -> np.ndarray:
    """Tones with falling partials, semitones above middle C."""
    t = np.arange(round(seconds * RATE)) / RATE
    wave = np.zeros(len(t))
    for note in semitones:
        hz = base * 2 ** (note / 12)
        wave += sum(np.sin(2 * np.pi * hz * k * t + k) / k for k in range(1, partials + 1))
    return (0.1 * wave).astype(np.float32)


class Keys(unittest.TestCase):
    def test_cadences_give_their_key(self) -> None:
        """Tonic, subdominant and dominant of every key (Krumhansl 1990: the three chords that fix a key best)."""
        for tonic in range(12):
            for mode, third, dominant_third in (("major", 4, 4), ("minor", 3, 4)):
                parts = [chord(*(tonic + root + step for step in (0, t, 7))) for root, t in ((0, third), (5, third), (7, dominant_third), (0, third))]
                found = key.estimate(np.concatenate(parts), RATE)
                with self.subTest(tonic=tonic, mode=mode):
                    assert found is not None
                    self.assertEqual(found.name, f"{key.NOTES[tonic]} {mode}")

    def test_a_triad_agrees_with_its_keys_only(self) -> None:
        found = key.estimate(chord(9, 12, 16), RATE)
        assert found is not None
        for name, fits in (("A minor", True), ("C major", True), ("F major", True), ("E major", False), ("Bb minor", False)):
            with self.subTest(key=name):
                self.assertEqual(key.agrees(found.notes, name), fits)

    def test_noise_and_hits_have_no_key(self) -> None:
        for name, samples in (("noise", noise(1.0)), ("hit", struck(0.5)), ("silence", np.zeros((4800, 1), np.float32)), ("three frames", noise(0.0001))):
            with self.subTest(signal=name):
                self.assertIsNone(key.estimate(samples[:, 0], RATE))

    def test_relative_keys_share_their_notes(self) -> None:
        for i, note in enumerate(key.NOTES):
            self.assertEqual(key.scale(f"{note} major"), key.scale(f"{key.NOTES[(i + 9) % 12]} minor"))
        with self.assertRaises(ValueError):
            key.scale("H major")

    def test_the_rate_does_not_matter(self) -> None:
        wave = chord(0, 4, 7)[:, None]
        wide = convert_rate(wave, RATE, 96_000)
        found = [key.estimate(samples[:, 0], rate) for samples, rate in ((wave, RATE), (wide, 96_000))]
        assert found[0] and found[1]
        self.assertEqual(found[0].notes, found[1].notes)


class Pitch(unittest.TestCase):
    def test_raw_pitch_accuracy_of_a_glide(self) -> None:
        """mir_eval's melody measure: frames within 50 cents of the truth; a glide over two octaves with partials."""
        t = np.arange(3 * RATE) / RATE
        hz = 110 * 2 ** (2 * t / 3)
        phase = 2 * np.pi * np.cumsum(hz) / RATE
        wave = sum(np.sin(k * phase) / k for k in range(1, 6))
        size, hop = int(RATE * 0.085), RATE // 20
        starts = np.arange(0, len(wave) - size, hop)
        found = [pitch.yin(wave[at : at + size], RATE) for at in starts]
        times = (starts + size / 2) / RATE
        voicing, cents, est_voicing, est_cents = mir_eval.melody.to_cent_voicing(
            times, 110 * 2 ** (2 * times / 3), times, np.array([one[0] if one else 0.0 for one in found])
        )
        self.assertGreater(mir_eval.melody.raw_pitch_accuracy(voicing, cents, est_voicing, est_cents), 0.98)


class Likeness(unittest.TestCase):
    def vector(self, samples: np.ndarray) -> np.ndarray:
        found = report.measure(samples, RATE)
        described = likeness.describe(found.model_dump(), len(samples) / RATE)
        assert described is not None
        return described

    def test_identical_is_zero_and_grows_with_every_change(self) -> None:
        base = struck(0.5, 0.1, seed=3)
        copies = [base] + [(base * np.float32(10 ** (-gain / 20))) for gain in (1, 3, 6, 12)]
        table = likeness.scaled(np.array([self.vector(one) for one in copies]))
        apart = likeness.distances(table, table[0])
        self.assertEqual(apart[0], 0.0)
        self.assertTrue((np.diff(apart) > 0).all(), apart)

    def test_slower_copies_are_further_away_the_slower(self) -> None:
        base = struck(0.5, 0.1, seed=3)
        table = likeness.scaled(np.array([self.vector(varispeed(base, -n)) for n in (0, 1, 3, 6, 12, 24)]))
        self.assertTrue((np.diff(likeness.distances(table, table[0])) > 0).all())

    def test_another_take_is_nearer_than_another_thing(self) -> None:
        rows = [self.vector(one) for one in (struck(0.5, 0.1, seed=3), struck(0.5, 0.1, seed=4), sine(440, 3.0, -12), noise(6.0, -30))]
        apart = likeness.distances(likeness.scaled(np.array(rows)), likeness.scaled(np.array(rows))[0])
        self.assertLess(apart[1], 0.5 * min(apart[2], apart[3]))

    def row(self, samples: np.ndarray) -> np.ndarray:
        return np.array(report.measure(samples, RATE).timbre)

    def test_timbre_knows_another_take_and_no_level(self) -> None:
        base, take, thing = (self.row(one) for one in (struck(0.5, 0.1, seed=3), struck(0.5, 0.1, seed=4), noise(1.0, -30)))
        self.assertEqual(base.shape, (timbre.NUMBERS,))
        np.testing.assert_allclose(np.linalg.norm(base), 1.0, atol=1e-3)
        self.assertLess(np.linalg.norm(base - take), 0.5 * np.linalg.norm(base - thing))
        np.testing.assert_allclose(self.row(struck(0.5, 0.1, seed=3) * np.float32(0.1)), base, atol=0.02)

    def test_timbre_waits_for_the_first_attack(self) -> None:
        base = struck(0.5, 0.1, seed=3)
        led = np.concatenate([np.zeros((RATE, 1), np.float32), base])
        apart = np.linalg.norm(self.row(led) - self.row(base))
        self.assertLess(apart, 0.35, "only the length says that a second of silence came first")

    def test_bands_are_those_of_librosa(self) -> None:
        for rate in (22_050, 48_000, 96_000):
            expected = librosa.filters.mel(sr=rate, n_fft=1024, n_mels=timbre.BANDS, fmin=timbre.LOW_HZ, fmax=timbre.HIGH_HZ, htk=True, norm=None)
            np.testing.assert_allclose(timbre._bank(rate, 1024), expected, atol=1e-5)

    def test_silence_has_no_place(self) -> None:
        self.assertEqual(report.measure(np.zeros((4800, 1), np.float32), RATE).timbre, ())
        self.assertEqual(timbre.timbre(np.zeros(0, np.float32), RATE, 0.0), ())
        self.assertIsNone(likeness.describe(report.measure(np.zeros((4800, 1), np.float32), RATE).model_dump(), 0.1))

    def test_bands_add_up(self) -> None:
        """Pink-like tones, one an octave: each band holds its own."""
        for i, low in enumerate(likeness.BANDS_HZ[:-1]):
            levels = likeness.band_levels(likeness.bin_powers(spectrum.magnitudes(sine(low * 1.41, 0.5)[:, 0])), RATE)
            self.assertEqual(int(np.argmax(levels)), i)
            self.assertGreater(levels[i], -0.5)


class Strength(unittest.TestCase):
    def force(self, samples: np.ndarray) -> float:
        found = report.measure(samples, RATE).force
        assert found is not None
        return found

    def test_grows_with_gain(self) -> None:
        base = struck(0.6, 0.15)
        self.assertTrue((np.diff([self.force(base * np.float32(10 ** (db / 20))) for db in (-24, -12, -6, -3, 0)]) > 0).all())

    def test_grows_with_a_sharper_attack(self) -> None:
        t = np.arange(RATE) / RATE
        above = []
        for rise in (0.4, 0.2, 0.1, 0.03, 0.002):
            envelope = np.minimum(t / rise, 1) * np.exp(-np.maximum(t - rise, 0) * 4)
            above.append(self.above_level((noise(1.0, -12)[:, 0] * envelope)[:, None].astype(np.float32)))
        self.assertTrue((np.diff(above) > -0.05).all() and above[-1] > above[0] + 3, above)

    def test_grows_with_more_low_end(self) -> None:
        high, low = sine(2000, 1.0, -12), sine(80, 1.0, -12)
        self.assertTrue((np.diff([self.above_level(high + low * np.float32(share)) for share in (0, 0.5, 1, 2)]) > 0).all())

    def above_level(self, samples: np.ndarray) -> float:
        """What attack and lows add to the level."""
        loudest = report.measure(samples, RATE).max_momentary_lufs
        assert loudest is not None
        return self.force(samples) - loudest

    def test_steps_mean_the_same_whatever_else_there_is(self) -> None:
        forces = np.random.default_rng(2).normal(-8, 9, 1000)
        steps = strength.proposed(forces)
        self.assertEqual(set(steps), {1, 2, 3, 4, 5})
        order = np.argsort(forces)
        self.assertTrue((np.diff(steps[order]) >= 0).all())
        self.assertEqual(strength.proposed(forces[:7]).tolist(), steps[:7].tolist())

    def test_a_library_of_soft_clicks_holds_no_fives(self) -> None:
        clicks = np.array([self.force(struck(0.1, 0.01, seed=seed) * np.float32(0.03)) for seed in range(8)])
        self.assertEqual(set(strength.proposed(clicks)), {1})
        # a slammed door, by its loudness alone, is harder than any of them
        self.assertEqual(strength.proposed(np.array([self.force(noise(0.5, -3) + sine(60, 0.5, -3))])).tolist(), [5])
        self.assertTrue(np.isnan(strength.proposed(np.array([np.nan, -10.0]))[0]))
        self.assertEqual(strength.proposed(np.array([-60.0, 0.0, 3.0])).tolist(), [1, 4, 5])


class Anchors(unittest.TestCase):
    def test_each_kind_has_its_moment(self) -> None:
        t = np.arange(2 * RATE) / RATE
        swell = (np.sin(np.pi * t / 2) ** 2 * np.sin(2 * np.pi * 300 * t))[:, None].astype(np.float32)
        hit = np.zeros((2 * RATE, 1), np.float32)
        hit[RATE // 2 : RATE] = struck(0.5, 0.08)
        riser = ((t / 2) ** 2 * np.sin(2 * np.pi * 500 * t))[:, None].astype(np.float32)
        cases = ((hit, "hit", 0.5, 0.005), (swell, "top", 1.0, 0.03), (riser, "end", 2.0, 0.01), (swell, "start", 0.0, 0.0))
        for samples, kind, at, off in cases:
            with self.subTest(kind=kind):
                self.assertAlmostEqual(anchor.of_kind(anchor.envelope(samples, RATE), kind).seconds, at, delta=off + 1e-9)  # type: ignore[arg-type]

    def test_attack_time_of_a_straight_rise(self) -> None:
        """From a tenth to nine tenths of a straight rise is 0.8 of it (Peeters et al. 2011: thresholds at 10 and 90 %)."""
        t = np.arange(RATE) / RATE
        for rise in (0.05, 0.2, 0.5):
            wave = (np.minimum(t / rise, 1) * np.sin(2 * np.pi * 1000 * t))[:, None].astype(np.float32)
            self.assertAlmostEqual(anchor.attack(anchor.envelope(wave, RATE)).seconds, 0.8 * rise, delta=0.006)

    def test_hours_are_looked_at_coarsely(self) -> None:
        levels = np.full(3_000_000, 0.1)
        levels[2_000_000:] = 0.0
        self.assertAlmostEqual(anchor.of_kind(levels, "end").seconds, 2000.0, delta=0.02)


class Sameness(InFolder):
    def setUp(self) -> None:
        super().setUp()
        t = np.arange(3 * RATE) / RATE
        tones = sum(np.sin(2 * np.pi * hz * t) * np.exp(-t * (1 + hz / 900)) for hz in (311, 722, 1322, 2900))
        self.samples = (0.15 * tones[:, None] + noise(3.0, -38)).astype(np.float32)
        self.original = self.folder / "a.wav"
        files.write(self.original, self.samples, RATE, 24)

    def other(self, name: str, samples: np.ndarray, rate: int = RATE, **how: str):  # type: ignore[no-untyped-def]
        path = self.folder / name
        sf.write(path, samples, rate, **how)
        return path

    def test_formats_of_one_recording(self) -> None:
        wide = convert_rate(self.samples, RATE, 96_000)
        for path, lossy in (
            (self.other("b.mp3", self.samples), True),
            (self.other("b.ogg", self.samples), True),
            (self.other("b.flac", self.samples, subtype="PCM_16"), False),
            (self.other("wide.wav", wide, 96_000, subtype="PCM_24"), False),
        ):
            with self.subTest(name=path.name):
                self.assertTrue(sameness.same_recording(self.original, path, lossy=lossy))

    def test_what_was_done_to_it_is_another_sound(self) -> None:
        from scipy.signal import lfilter

        shelved = lfilter([1.05, -0.6], [1, -0.5], self.samples, axis=0).astype(np.float32)
        for name, samples in (
            ("louder.ogg", self.samples * np.float32(1.26)),
            ("tone.ogg", shelved),
            ("slower.ogg", varispeed(self.samples, -0.3)[: len(self.samples)]),
            ("denoised.ogg", self.samples - noise(3.0, -38)),
            ("reversed.ogg", self.samples[::-1]),
            ("other.ogg", noise(3.0, -20, seed=9)),
        ):
            with self.subTest(name=name):
                lossless = self.folder / (name + ".wav")
                files.write(lossless, np.ascontiguousarray(samples), RATE, 16)
                self.assertFalse(sameness.same_recording(self.original, lossless, lossy=False))
                if not name.startswith("denoised"):  # a coder's noise hides so quiet a floor
                    self.assertFalse(sameness.same_recording(self.original, self.other(name, samples), lossy=True))
