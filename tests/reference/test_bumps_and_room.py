"""Bumps and rooms against takes whose clean part is known; what was found is listed and can be left alone one by one."""

import unittest

import numpy as np
from scipy import signal

from bench.corpus import si_sdr
from oskren.core.measure import levels
from oskren.core.measure.bumps import LOW_RATE, find_bumps, lows
from oskren.core.steps import Context, kind_of
from oskren.core.steps.base import checked
from oskren.demo.synth import Maker
from tests.core.test_steps import through
from tests.support import RATE, noise, sine

SECONDS = 8


def thump(hz: float, decay_s: float, rate: int = RATE) -> np.ndarray:
    t = np.arange(round(0.3 * rate)) / rate
    return np.sin(2 * np.pi * hz * t) * np.exp(-t / decay_s) * np.minimum(t / 0.01, 1)


def take(rate: int = RATE) -> tuple[np.ndarray, np.ndarray, list[float]]:
    """A clean take (room tone in the lows, a chime above) and the same with three bumps."""
    t = np.arange(SECONDS * rate) / rate
    clean = Maker(4, rate).coloured(SECONDS, 6.0)[: len(t)] * 0.002 + 0.1 * np.sin(2 * np.pi * 700 * t) * np.exp(-(t % 2) * 3)
    bumped, at = clean.copy(), [1.2, 3.7, 5.25]
    for moment, hz in zip(at, (38, 55, 70), strict=True):
        one = 0.15 * thump(hz, 0.06, rate)
        i = round(moment * rate)
        bumped[i : i + len(one)] += one
    return clean[:, None].astype(np.float32), bumped[:, None].astype(np.float32), at


class Bumps(unittest.TestCase):
    def test_each_is_found_where_it_is(self) -> None:
        for rate in (44_100, 96_000):
            _, bumped, at = take(rate)
            found = find_bumps(bumped[:, 0].astype(np.float64), rate)
            with self.subTest(rate=rate):
                self.assertEqual(len(found), 3)
                for bump, moment in zip(found, at, strict=True):
                    self.assertAlmostEqual(bump.start_s, moment, delta=0.05)
                    self.assertGreater(bump.height_db, 20)

    def test_what_was_struck_is_no_bump(self) -> None:
        samples = noise(5, -70)[:, 0].astype(np.float64)
        for moment in (1.0, 3.0):
            i = round(moment * RATE)
            samples[i : i + 9600] += np.random.default_rng(2).standard_normal(9600) * 0.2 * np.exp(-np.arange(9600) / 1500)
        self.assertEqual(find_bumps(samples, RATE), [])
        self.assertEqual(find_bumps(sine(60, 3)[:, 0].astype(np.float64), RATE), [])
        self.assertEqual(find_bumps(np.zeros(100), RATE), [])

    def test_a_drum_is_no_bump(self) -> None:
        """A low drum without any attack to hear, again and again, stays; a bump among them is found; rumble under what is louder is left."""
        t = np.arange(round(0.4 * RATE)) / RATE
        drum = 0.3 * np.sin(2 * np.pi * 55 * t * (1 - 0.15 * t)) * np.exp(-t / 0.08) * (1 - np.exp(-t / 0.004))
        samples = noise(8, -60)[:, 0].astype(np.float64)
        for beat in range(12):
            here = round((0.3 + 0.6 * beat) * RATE)
            samples[here : here + len(drum)] += drum * (1 - 0.05 * (beat % 3))
        self.assertEqual(find_bumps(samples, RATE), [])
        bump = 0.4 * np.sin(2 * np.pi * 23 * t + 1) * np.exp(-t / 0.05) * (1 - np.exp(-t / 0.01))
        samples[round(3.05 * RATE) : round(3.05 * RATE) + len(bump)] += bump
        found = find_bumps(samples, RATE)
        self.assertTrue(any(abs(one.start_s - 3.05) < 0.1 for one in found) and len(found) <= 2, found)
        loud = noise(4, -12)[:, 0].astype(np.float64)
        loud = signal.sosfilt(signal.butter(6, 300, "high", fs=RATE, output="sos"), loud)
        loud[RATE : RATE + len(bump)] += 0.05 * bump
        self.assertEqual(find_bumps(loud, RATE), [])

    def test_the_lows_go_on_and_the_highs_are_not_touched(self) -> None:
        clean, bumped, at = take()
        out = through("bumps", bumped)
        part = slice(round(at[1] * RATE), round((at[1] + 0.3) * RATE))
        wrong = [levels.db(levels.rms((one - clean)[part])) for one in (bumped, out)]
        self.assertLess(wrong[1], wrong[0] - 18)
        high = signal.butter(6, 400, "high", fs=RATE, output="sos")
        before, after = (signal.sosfilt(high, one[:, 0].astype(np.float64))[part] for one in (bumped, out))
        self.assertLess(levels.db(levels.rms((after - before)[:, None].astype(np.float32))), levels.db(levels.rms(before[:, None].astype(np.float32))) - 30)
        free = np.concatenate([out[:RATE], out[2 * RATE : 3 * RATE], out[6 * RATE : 7 * RATE]])
        same = np.concatenate([bumped[:RATE], bumped[2 * RATE : 3 * RATE], bumped[6 * RATE : 7 * RATE]])
        np.testing.assert_array_equal(free, same)

    def test_the_lows_are_what_a_filter_gives(self) -> None:
        tone = sine(50, 2)[:, 0].astype(np.float64) + sine(900, 2)[:, 0]
        low = lows(tone, RATE, 120.0)
        t = np.arange(len(low)) / LOW_RATE
        np.testing.assert_allclose(low[1000:-1000], np.sin(2 * np.pi * 50 * t)[1000:-1000], atol=0.01)


class OneByOne(unittest.TestCase):
    """What a step found is listed, and each can be left as it is."""

    def listed(self, key: str, samples: np.ndarray) -> list:
        kind, at = kind_of(key), Context(RATE, samples.shape[1], len(samples))
        return kind.listed(kind.analyse(checked(key, {}), iter([samples]), at), at)

    def test_bumps(self) -> None:
        _, bumped, at = take()
        found = self.listed("bumps", bumped)
        self.assertEqual([round(one.at_s, 1) for one in found], [round(moment - 0.01, 1) for moment in at])
        out = through("bumps", bumped, skip=(found[1].at_s,))
        second = slice(round(3.5 * RATE), round(4.5 * RATE))
        np.testing.assert_array_equal(out[second], bumped[second])
        self.assertFalse(np.array_equal(out[: 2 * RATE], bumped[: 2 * RATE]))

    def test_clicks(self) -> None:
        samples = np.repeat(sine(300, 2, -20) + noise(2, -70), 2, axis=1)
        samples[30_000, 0] += 0.5
        samples[60_000, 1] -= 0.5
        found = self.listed("clicks", samples)
        self.assertEqual([(one.channel, round(one.at_s, 2)) for one in found], [(0, 0.62), (1, 1.25)])
        self.assertTrue(all(one.height_db > 10 for one in found))
        out = through("clicks", samples, skip=(found[0].at_s,))
        self.assertEqual(out[30_000, 0], samples[30_000, 0])
        self.assertLess(abs(out[60_000, 1]), 0.2)

    def test_cut_peaks(self) -> None:
        samples = np.clip(1.3 * sine(100, 0.2) * np.linspace(0.2, 1, 9600, dtype=np.float32)[:, None], -1, 1)
        found = self.listed("clipped", samples)
        self.assertGreater(len(found), 3)
        some = through("clipped", samples, skip=(found[-1].at_s,), room_db=0.0)
        all_ = through("clipped", samples, room_db=0.0)
        last = round(found[-1].at_s * RATE)
        np.testing.assert_array_equal(some[last : last + 20], samples[last : last + 20])
        self.assertGreater(levels.peak(all_), 1.1)


class Room(unittest.TestCase):
    """Strikes in a room of exponentially falling noise (Polack's model, from memory): T60 0.8 s."""

    def setUp(self) -> None:
        random = np.random.default_rng(8)
        frames = 6 * RATE
        self.dry = np.zeros(frames)
        self.at = [round(s * RATE) for s in (0.5, 2.0, 3.5)]
        for i in self.at:
            self.dry[i : i + 2400] += random.standard_normal(2400) * np.exp(-np.arange(2400) / 400) * 0.3
        t = np.arange(round(1.2 * RATE)) / RATE
        response = random.standard_normal(len(t)) * np.exp(-3 * np.log(10) * t / 0.8) * 0.02
        response[: round(0.002 * RATE)] = 0
        wet = signal.fftconvolve(self.dry, response)[:frames]
        self.mix = (self.dry + wet).astype(np.float32)[:, None]

    def level(self, samples: np.ndarray, first: float, last: float) -> float:
        parts = [samples[i + round(first * RATE) : i + round(last * RATE)] for i in self.at]
        return levels.db(levels.rms(np.concatenate(parts)))

    def test_the_late_part_goes_down_by_what_was_asked_and_the_strike_stays(self) -> None:
        for asked in (6.0, 12.0):
            out = through("room_reduction", self.mix, reduction_db=asked, decay_s=0.8)
            with self.subTest(asked=asked):
                self.assertAlmostEqual(self.level(out, 0.2, 0.6) - self.level(self.mix, 0.2, 0.6), -asked, delta=1.5)
                self.assertAlmostEqual(self.level(out, 0, 0.02), self.level(self.mix, 0, 0.02), delta=0.5)

    def test_what_is_steady_and_direct_stays(self) -> None:
        """Tones and noise that go on for a second in the room: within 0.5 dB while they sound, and no further from the direct sound by a decibel."""
        random = np.random.default_rng(4)
        t = np.arange(3 * RATE) / RATE
        response = random.standard_normal(RATE) * np.exp(-3 * np.log(10) * np.arange(RATE) / RATE / 0.8) * 0.004
        response[:240] = 0
        sounds = {"tone": np.sin(2 * np.pi * 330 * t) + 0.5 * np.sin(2 * np.pi * 990 * t), "noise": random.standard_normal(len(t)) * 0.5}
        for name, wave in sounds.items():
            dry = 0.2 * wave * ((t > 0.5) & (t < 1.5))
            mix = dry + signal.fftconvolve(dry, response)[: len(dry)]
            out = through("room_reduction", mix.astype(np.float32)[:, None])[:, 0]
            here = slice(round(0.7 * RATE), round(1.4 * RATE))
            with self.subTest(name=name):
                self.assertAlmostEqual(levels.db(levels.rms(out[here])), levels.db(levels.rms(mix[here])), delta=0.5)
                self.assertGreater(si_sdr(dry, out), si_sdr(dry, mix) - 1)

    def test_none_asked_is_none_done(self) -> None:
        np.testing.assert_allclose(through("room_reduction", self.mix, reduction_db=0.0), self.mix, atol=2e-6)

    def test_a_dry_sound_is_hardly_touched(self) -> None:
        dry = self.dry.astype(np.float32)[:, None]
        out = through("room_reduction", dry, reduction_db=12.0, decay_s=0.8)
        self.assertAlmostEqual(self.level(out, 0, 0.05), self.level(dry, 0, 0.05), delta=0.5)

    def test_the_decay_is_nearer_the_stated_one_taken_away(self) -> None:
        """After the reduction the energy behind 60 ms (clarity index C60, as ISO 3382-1 defines C80) rises by most of it."""
        out = through("room_reduction", self.mix, reduction_db=12.0, decay_s=0.8)

        def clarity(samples: np.ndarray) -> float:
            return self.level(samples, 0, 0.06) - self.level(samples, 0.06, 1.2)

        self.assertGreater(clarity(out) - clarity(self.mix), 7)


if __name__ == "__main__":
    unittest.main()
