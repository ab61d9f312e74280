"""Sounds over a floor that is followed: one slice a sound where they stand apart, one an attack where they overlap."""

import unittest

import numpy as np

from oskren.core.audio.resample import convert_rate
from oskren.core.slice.detect import Levels, SliceSettings, analyse, detect, drawn, inside
from tests.support import RATE, noise, struck


def laid(parts: list[tuple[float, np.ndarray]], seconds: float, floor_db: float = -60.0) -> np.ndarray:
    out = noise(seconds, floor_db, seed=8)
    for at, part in parts:
        first = round(at * RATE)
        out[first : first + len(part)] += part[: len(out) - first]
    return out


def ringing(seed: int, decay: float = 0.35) -> np.ndarray:
    """A hit of a few partials that rings on."""
    random, t = np.random.default_rng(seed), np.arange(round(1.6 * RATE)) / RATE
    partials = sum(np.sin(2 * np.pi * hz * t) for hz in random.uniform(200, 6000, 5))
    return (0.08 * partials * np.exp(-t / decay))[:, None].astype(np.float32) + 0.5 * struck(1.6, 0.02, seed=seed)


def rattle(seed: int) -> np.ndarray:
    """One gesture of some thirty knocks within a second, none further apart than 50 ms."""
    random, out = np.random.default_rng(seed), np.zeros((round(1.1 * RATE), 1), np.float32)
    at = 0.0
    while at < 1.0:
        knock = struck(0.05, 0.008, seed=int(at * 1e6)) * np.float32(random.uniform(0.3, 0.7))
        first = round(at * RATE)
        out[first : first + len(knock)] += knock[: len(out) - first]
        at += random.uniform(0.015, 0.05)
    return out


def starts(levels: Levels, **settings: object) -> list[float]:
    return [round(one.attack_s, 3) for one in detect(levels, SliceSettings.model_validate(settings))]


class Apart(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.at = [1.0 + 2.1 * k for k in range(8)]
        cls.levels = analyse([laid([(at, rattle(k)) for k, at in enumerate(cls.at)], 18.5)], RATE)

    def test_a_gesture_of_many_knocks_is_one_slice(self) -> None:
        found = detect(self.levels, SliceSettings())
        np.testing.assert_allclose([one.attack_s for one in found], self.at, atol=0.002)
        said = inside(self.levels, SliceSettings())
        assert said is not None
        self.assertEqual((said.taken, said.sounds, said.parted), ("apart", 8, 0))

    def test_it_is_overruled_by_one_setting(self) -> None:
        self.assertGreater(len(starts(self.levels, attacks="on", rise_db=4.0)), 10)
        self.assertEqual(len(starts(self.levels, attacks="off")), 8)

    def test_ends_lie_where_the_sound_meets_the_floor(self) -> None:
        t = np.arange(RATE) / RATE
        tone = (0.3 * np.sin(2 * np.pi * 700 * t))[:, None].astype(np.float32)
        levels = analyse([laid([(1.0, tone), (3.5, tone)], 6.0)], RATE)
        for one, end in zip(detect(levels, SliceSettings(tail_ms=0.0)), (2.0, 4.5), strict=True):
            self.assertAlmostEqual(one.end_s, end, delta=0.02)


class Overlapping(unittest.TestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(3)
        self.at = np.cumsum([1.0, *random.uniform(0.2, 0.6, 30)])
        self.levels = analyse([laid([(at, ringing(k)) for k, at in enumerate(self.at)], float(self.at[-1]) + 3)], RATE)

    def test_a_new_sound_in_the_tail_of_the_last_begins_a_slice(self) -> None:
        found = starts(self.levels)
        self.assertEqual(len(found), len(self.at))
        np.testing.assert_allclose(found, self.at, atol=0.003)
        said = inside(self.levels, SliceSettings())
        assert said is not None and said.rise_db is not None
        self.assertEqual(said.taken, "overlapping")
        self.assertGreater(said.rise_db, 12)

    def test_each_place_is_taken_as_it_is(self) -> None:
        """A minute of rattles, then hits that overlap, in one take: both as they should be."""
        gestures = [(1.0 + 2.1 * k, rattle(k)) for k in range(20)]
        hits = [(50.0 + float(at), ringing(k)) for k, at in enumerate(self.at)]
        found = starts(analyse([laid([*gestures, *hits], 70.0)], RATE))
        wanted = [at for at, _ in [*gestures, *hits]]
        missed = [at for at in wanted if min(abs(one - at) for one in found) > 0.05]
        self.assertLessEqual(len(missed), 2)
        self.assertLessEqual(abs(len(found) - len(wanted)), 3)


class Floors(unittest.TestCase):
    def test_short_hits_over_a_loud_floor(self) -> None:
        """Hits of 8 ms over noise of -45 dBFS, every control as it comes."""
        at = [0.7 + 0.9 * k for k in range(12)]
        found = starts(analyse([laid([(one, struck(0.05, 0.008, seed=k)) for k, one in enumerate(at)], 12.0, -45)], RATE))
        self.assertEqual(len(found), 12)
        np.testing.assert_allclose(found, at, atol=0.003)

    def test_a_floor_that_drifts_and_one_that_jumps(self) -> None:
        at = [1.0 + 1.7 * k for k in range(14)]
        out = laid([(one, struck(seed=k)) for k, one in enumerate(at)], 26.0, -90)
        drift = np.interp(np.arange(len(out)), np.linspace(0, len(out), 4), [-56, -48, -54, -47])
        jump = np.where(np.arange(len(out)) < len(out) // 2, -70.0, -46.0)
        for name, level in (("drifts", drift), ("jumps", jump)):
            with self.subTest(floor=name):
                added = noise(26.0, 0.0, seed=5) * (10 ** (level / 20))[:, None].astype(np.float32)
                self.assertEqual(len(starts(analyse([out + added], RATE))), len(at))

    def test_a_sound_that_lasts_is_one_and_no_floor(self) -> None:
        for name, seconds in (("tone", 14), ("noise", 14), ("noise", 80)):
            t = np.arange(seconds * RATE) / RATE
            shape = 0.1 * np.minimum(1, np.minimum(t / 0.05, (seconds - t) / 0.2))
            wave = np.sin(2 * np.pi * 440 * t) if name == "tone" else np.random.default_rng(2).standard_normal(len(t)) * 0.3
            with self.subTest(sound=name, seconds=seconds):
                levels = analyse([laid([(8.0, (wave * shape)[:, None].astype(np.float32))], seconds + 26.0)], RATE)
                (one,) = detect(levels, SliceSettings())
                self.assertAlmostEqual(one.start_s, 8.0, delta=0.05)
                self.assertAlmostEqual(one.end_s, 8.0 + seconds, delta=0.1)

    def test_noise_alone_has_no_sounds(self) -> None:
        for level in (-20.0, -60.0):
            self.assertEqual(starts(analyse([noise(20, level, seed=4)], RATE)), [])

    def test_the_line_to_be_drawn_lies_on_the_floor(self) -> None:
        line = drawn(analyse([noise(30, -50, seed=4)], RATE).standing.floor_db, 40)
        self.assertEqual(len(line), 40)
        self.assertTrue(all(-55 <= value <= -49 for value in line), line)


class Sameness(unittest.TestCase):
    """Gain, polarity between channels and rate change no slice."""

    def test_all_of_them(self) -> None:
        at = [0.8 + 1.1 * k for k in range(10)]
        mono = laid([(one, struck(seed=k)) for k, one in enumerate(at)], 12.5)
        takes = {
            "as it is": (mono, RATE),
            "30 dB lower": (mono * np.float32(10 ** (-30 / 20)), RATE),
            "opposite": (np.concatenate([mono, -mono], axis=1), RATE),
            "six channels": (np.repeat(mono, 6, axis=1), RATE),
            "96 kHz": (convert_rate(mono, RATE, 96_000), 96_000),
            "44.1 kHz": (convert_rate(mono, RATE, 44_100), 44_100),
        }
        for name, (samples, rate) in takes.items():
            with self.subTest(take=name):
                parts = (np.asarray(samples[first : first + 70_001], np.float32) for first in range(0, len(samples), 70_001))
                found = starts(analyse(parts, rate))
                self.assertEqual(len(found), len(at))
                np.testing.assert_allclose(found, at, atol=0.004)


class AsBefore(unittest.TestCase):
    def test_plans_of_before_say_true_or_false(self) -> None:
        before = {"by": "level", "sensitivity_db": 12.0, "min_length_ms": 40.0, "rise_db": 10.0}
        self.assertEqual(SliceSettings.model_validate({**before, "attacks": True}).attacks, "on")
        self.assertEqual(SliceSettings.model_validate({**before, "attacks": False}).attacks, "off")


if __name__ == "__main__":
    unittest.main()
