"""Loops go on without a step in level: tones, noise, and beds of both; closed forms, since a tone looped in phase is the tone."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.audio.seams import SEEK_S, agreement, joined, looped
from oskren.core.audio.weaving import woven
from tests.support import RATE, noise, sine

FADE = RATE // 20


def along_db(samples: np.ndarray, window: int) -> np.ndarray:
    """Level (dB) of windows one after the other."""
    count = len(samples) // window
    return 10 * np.log10(np.mean(samples[: count * window, 0].reshape(count, window).astype(np.float64) ** 2, axis=1) + 1e-20)


class Loops(unittest.TestCase):
    @given(st.floats(60, 4000), st.integers(RATE // 5, RATE))
    @settings(deadline=None, max_examples=60)
    def test_a_tone_is_looped_within_half_a_db(self, hz: float, length: int) -> None:
        """The window holds whole periods enough that a steady tone itself stays within 0.05 dB."""
        whole = sine(hz, 3.0, -12)
        out = looped(whole, 4800, 4800 + length, FADE, 4 * RATE, RATE)
        self.assertEqual(out.shape, (4 * RATE, 1))
        window = round(np.ceil(0.05 * hz) * RATE / hz)
        level = along_db(out, window)
        self.assertLess(float(np.abs(level - along_db(whole, window)[0]).max()), 0.5)

    def test_the_tone_of_the_issue_at_a_length_that_meets_it_out_of_phase(self) -> None:
        period = RATE / 441
        out = looped(sine(441, 2.0, -12), 0, round(200.5 * period), FADE, 3 * RATE, RATE)
        self.assertLess(float(np.ptp(along_db(out, round(10 * period)))), 0.5)

    def test_noise_and_a_bed_keep_their_level(self) -> None:
        bed = noise(6.0, -20, channels=2) + sine(180, 6.0, -26, channels=2)
        for name, whole in (("noise", noise(6.0, -20)), ("bed", bed)):
            out = looped(whole, RATE, 4 * RATE, RATE // 2, 30 * RATE, RATE)
            level = along_db(out, RATE // 4)
            with self.subTest(name=name):
                # a stretch of noise of 250 ms says its level within about 0.1 dB (1 / sqrt(2 B T) of its power)
                self.assertLess(float(np.abs(level - np.mean(level)).max()), 0.5)

    @given(st.integers(1, 4000), st.integers(0, 3000), st.integers(1, 30_000), st.integers(1, 3))
    @settings(deadline=None, max_examples=80)
    def test_any_part_any_fade_any_length(self, length: int, fade: int, frames: int, channels: int) -> None:
        whole = noise(0.2, -20, channels=channels)
        first = min(100, len(whole) - length)
        out = looped(whole, first, first + length, fade, frames, RATE)
        self.assertEqual((out.shape, out.dtype), ((frames, channels), np.dtype(np.float32)))
        self.assertLess(float(np.abs(out).max()), 4 * float(np.abs(whole).max()))
        # up to the first seam it is the sound itself
        plain = min(frames, length - min(fade, length // 2) - round(SEEK_S * RATE))
        if plain > 0:
            np.testing.assert_array_equal(out[:plain], whole[first : first + plain])

    def test_a_seam_of_one_frame_takes_one(self) -> None:
        one, other = np.full((5, 1), 0.5, np.float32), np.full((4, 1), 0.5, np.float32)
        for fade in (0, 1, 2, 3):
            both = joined(one, other, fade)
            with self.subTest(fade=fade):
                self.assertEqual(len(both), 9 - fade)
                np.testing.assert_allclose(both, 0.5, atol=1e-6)


def comes_again(samples: np.ndarray, from_s: float) -> float:
    """How much a sound is like itself later on: the highest correlation of what both have at any distance from ``from_s`` to half its length."""
    mono = samples.mean(axis=1, dtype=np.float64)
    span = 1 << (2 * len(mono)).bit_length()
    both = np.fft.irfft(np.abs(np.fft.rfft(mono, span)) ** 2, span)[: len(mono)]
    energy = np.concatenate([[0.0], np.cumsum(mono**2)])
    later, earlier = energy[-1] - energy[: len(mono)], energy[len(mono) : 0 : -1]
    low, high = round(from_s * RATE), len(mono) // 2
    return float(np.max(both[low:high] / np.sqrt(later * earlier)[low:high]))


class Woven(unittest.TestCase):
    def test_noise_that_breathes_goes_on_without_coming_again_or_stepping(self) -> None:
        time = np.arange(6 * RATE) / RATE
        own = noise(6.0, -20, channels=2) * (1 + 0.7 * np.sin(2 * np.pi * 0.31 * time))[:, None].astype(np.float32)
        same = looped(own, 0, len(own) - 400, RATE // 3, 40 * RATE, RATE)
        self.assertGreater(comes_again(same, 1.0), 0.95)
        window = RATE // 20
        step = float(np.abs(np.diff(along_db(own, window))).max())
        for seed in (1, 2, 3):
            out = woven(own, RATE // 3, 40 * RATE, RATE, seed)
            with self.subTest(seed=seed):
                self.assertLess(comes_again(out, 1.0), 0.45)
                level = along_db(out, window)
                self.assertLess(float(np.abs(np.diff(level)).max()), step + 2.0)
                # it breathes on: as loud and as quiet as the sound itself
                np.testing.assert_allclose(np.percentile(level, [5, 50, 95]), np.percentile(along_db(own, window), [5, 50, 95]), atol=2.0)

    def test_what_is_left_against_right_goes_on_as_evenly(self) -> None:
        time = np.arange(6 * RATE) / RATE
        one = noise(6.0, -20) * (1 + 0.7 * np.sin(2 * np.pi * 0.31 * time))[:, None].astype(np.float32)
        out = woven(np.concatenate([one, -one], axis=1), RATE // 3, 30 * RATE, RATE, seed=5)
        np.testing.assert_array_equal(out[:, 0], -out[:, 1])
        window = RATE // 20
        self.assertLess(float(np.abs(np.diff(along_db(out, window))).max()), float(np.abs(np.diff(along_db(one, window))).max()) + 2.0)

    @given(st.floats(60, 4000), st.integers(0, 1000))
    @settings(deadline=None, max_examples=20)
    def test_a_tone_goes_on_as_the_tone(self, hz: float, seed: int) -> None:
        out = woven(sine(hz, 3.0, -12), RATE // 3, 8 * RATE, RATE, seed)
        window = round(np.ceil(0.05 * hz) * RATE / hz)
        self.assertLess(float(np.ptp(along_db(out, window))), 0.5)

    @given(st.integers(2, 9000), st.integers(0, 3000), st.integers(1, 40_000), st.integers(1, 3), st.integers(0, 2**32 - 1))
    @settings(deadline=None, max_examples=80)
    def test_any_part_any_fade_any_length(self, length: int, fade: int, frames: int, channels: int, seed: int) -> None:
        whole = noise(0.2, -20, channels=channels)[:length]
        out = woven(whole, fade, frames, RATE, seed)
        self.assertEqual((out.shape, out.dtype), ((frames, channels), np.dtype(np.float32)))
        np.testing.assert_array_equal(woven(whole, fade, frames + 999, RATE, seed)[:frames], out)
        # up to the first seam, which comes no sooner, it is the sound itself
        plain = min(frames, round(0.3 * len(whole)) - min(fade, len(whole) // 8))
        if plain > 0:
            np.testing.assert_array_equal(out[:plain], whole[:plain])

    def test_other_seeds_draw_other_orders_and_silence_stays_silent(self) -> None:
        own = noise(2.0, -20)
        one, other = (woven(own, 4800, 10 * RATE, RATE, seed) for seed in (1, 2))
        self.assertTrue((one == woven(own, 4800, 10 * RATE, RATE, 1)).all())
        self.assertGreater(float(np.mean(one != other)), 0.5)
        self.assertFalse(woven(np.zeros((RATE, 1), np.float32), 4800, 5 * RATE, RATE, 1).any())

    def test_agreement_is_that_of_numpy(self) -> None:
        around, part = noise(0.02, -20, channels=2), noise(0.02, -20, channels=2, seed=5)[:300]
        plain = [np.corrcoef(around[at : at + 300].ravel(), part.ravel())[0, 1] for at in range(len(around) - 299)]
        centred = agreement(around, part)
        # without taking means off, which noise hardly has
        np.testing.assert_allclose(centred, plain, atol=0.01)


if __name__ == "__main__":
    unittest.main()
