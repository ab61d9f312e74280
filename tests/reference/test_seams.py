"""Loops go on without a step in level: tones, noise, and beds of both; closed forms, since a tone looped in phase is the tone."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.audio.seams import SEEK_S, joined, looped
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


if __name__ == "__main__":
    unittest.main()
