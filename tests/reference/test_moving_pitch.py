"""Pitch that follows an envelope, by varispeed and with length kept: closed forms."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.audio.glide import Glide, glided
from oskren.core.audio.warp import warped
from tests.support import RATE, cents, noise, sine, struck


def gliding(start_st: float, end_st: float, seconds: float) -> Glide:
    return Glide(np.array([0.0, seconds]), np.array([start_st, end_st]), seconds)


def chirp(hz: float, start_st: float, end_st: float, seconds: float, frames: int) -> tuple[np.ndarray, np.ndarray]:
    """What a tone becomes whose semitones run in a straight line over its own time, and its frequency.

    Closed form: with speed r·e^(cs), the output time is (1 - e^(-cs))/(cr), so s = -ln(1 - cro)/c and the phase is 2π·hz·s.
    """
    out = np.arange(frames) / RATE
    c, r = (end_st - start_st) / seconds * np.log(2) / 12, 2 ** (start_st / 12)
    return np.sin(-2 * np.pi * hz * np.log(1 - c * r * out) / c), hz * r / (1 - c * r * out)


class Varispeed(unittest.TestCase):
    def test_a_tone_becomes_the_chirp_of_its_closed_form(self) -> None:
        for hz in (200, 1000, 9000):
            for start, end in ((-12, 0), (-6, 6), (12, -24), (0, 12)):
                glide = gliding(start, end, 2.0)
                out = glided(sine(hz, 2.0, -3), glide, RATE, round(glide.seconds * RATE))[:, 0]
                wanted, now = chirp(hz, start, end, 2.0, len(out))
                wanted *= 10 ** (-3 / 20)
                inside = now < 0.8 * RATE / 2
                inside[:300], inside[-300:] = False, False
                error = np.mean((out - wanted)[inside] ** 2) / np.mean(wanted[inside] ** 2)
                with self.subTest(hz=hz, start=start, end=end):
                    self.assertLess(10 * np.log10(error), -100)

    def test_the_length_is_the_integral_to_the_frame(self) -> None:
        """Closed form of the integral of 2^(-st/12) over a straight line from 0 to -12 st in 3 s: 3/ln 2."""
        self.assertAlmostEqual(gliding(0, -12, 3).seconds, 3 / np.log(2), places=9)
        self.assertAlmostEqual(gliding(-12, -12, 3).seconds, 6, places=9)

    def test_what_is_sped_up_over_the_highest_frequency_is_gone_and_folds_nowhere(self) -> None:
        glide = gliding(6, 12, 2.0)
        out = glided(sine(19_000, 2.0, -1), glide, RATE, round(glide.seconds * RATE))[400:-400]
        self.assertLess(20 * np.log10(np.abs(out).max()), -100)

    @settings(max_examples=30, deadline=None)
    @given(st.lists(st.tuples(st.floats(0.01, 1.0), st.floats(-24, 24)), min_size=1, max_size=12))
    def test_positions_and_their_inverse_agree_and_rise(self, pieces: list[tuple[float, float]]) -> None:
        times = np.cumsum([gap for gap, _ in pieces])
        glide = Glide(times, np.array([value for _, value in pieces]), float(times[-1]) + 0.5)
        out = np.linspace(0, glide.seconds, 200)
        back = glide.inputs_at(out)
        self.assertTrue((np.diff(back) > 0).all())
        np.testing.assert_allclose(glide.outputs_at(back), out, atol=1e-9)
        carried = glide.time_map().inputs_at(out)
        self.assertLess(np.abs(carried - back).max(), 0.0005)

    def test_a_straight_envelope_is_plain_varispeed(self) -> None:
        from oskren.core.audio.resample import varispeed

        samples = noise(1.0, -12)
        glide = gliding(-7, -7, 1.0)
        one, other = glided(samples, glide, RATE, round(glide.seconds * RATE)), varispeed(samples, -7)
        # up to half of the highest frequency: the moving one cuts off a little earlier
        spectra = [np.abs(np.fft.rfft(x[2000:-2000, 0] * np.hanning(len(x) - 4000)))[: len(x) // 4 - 1000] for x in (other, one - other)]
        wave, apart = spectra
        self.assertLess(20 * np.log10(np.sqrt(np.mean(apart**2) / np.mean(wave**2))), -80)


def held(samples: np.ndarray, start: float, end: float) -> np.ndarray:
    """Moved in pitch and warped back to its own time, as the pitch step does with length kept."""
    glide = gliding(start, end, len(samples) / RATE)
    return warped(glided(samples, glide, RATE, round(glide.seconds * RATE)), glide.outputs_at, len(samples), RATE)


class LengthKept(unittest.TestCase):
    def test_pitch_within_5_cents_all_along(self) -> None:
        """The pitch at a moment of the output is that of the envelope at the same moment: a line in semitones is a chirp, fitted by its phase."""
        for hz in (110, 440, 1760):
            for start, end in ((-7, -7), (-5, 5), (-12, 7)):
                out = held(sine(hz, 3, -6), start, end)[:, 0]
                for at in (0.5, 1.5, 2.5):
                    wanted = hz * 2 ** (np.interp(at, [0, 3], [start, end]) / 12)
                    with self.subTest(hz=hz, start=start, end=end, at=at):
                        self.assertLess(abs(cents(self.frequency(out, at), wanted)), 5)

    def frequency(self, out: np.ndarray, at_s: float) -> float:
        """Frequency at a moment: what the phase of the analytic signal (by the Hilbert transform) advances over the 100 ms around it."""
        from scipy.signal import hilbert

        phase = np.unwrap(np.angle(hilbert(out.astype(np.float64))))
        here = round(at_s * RATE)
        return float((phase[here + 2400] - phase[here - 2400]) / 4800 * RATE / (2 * np.pi))

    def test_an_onset_moves_less_than_10_ms_and_energy_stays_within_half_a_db(self) -> None:
        for start, end in ((-12, 12), (5, -5), (-7, -7)):
            for at in (0.5, 1.4, 2.2):
                samples = np.zeros((3 * RATE, 1), np.float32)
                samples[round(at * RATE) : round(at * RATE) + RATE // 2] = struck()
                out = held(samples, start, end)[:, 0]
                level = np.convolve(np.abs(out), np.ones(96) / 96, "same")
                with self.subTest(start=start, end=end, at=at):
                    onset = int(np.argmax(level > 0.25 * level.max())) / RATE
                    self.assertLess(abs(onset - at), 0.010)
        tone = sine(300, 3, -6)
        energy = 10 * np.log10(np.mean(held(tone, -5, 5) ** 2) / np.mean(tone**2))
        self.assertLess(abs(energy), 0.5)

    def test_both_channels_turn_together(self) -> None:
        samples = np.concatenate([sine(300, 2, -6), sine(300, 2, -12)], axis=1)
        out = held(samples, -4, 4)[4800:-4800]
        ratio = 20 * np.log10(np.sqrt(np.mean(out[:, 0] ** 2)) / np.sqrt(np.mean(out[:, 1] ** 2)))
        self.assertAlmostEqual(float(ratio), 6.0, places=1)
        self.assertGreater(float(np.corrcoef(out.T)[0, 1]), 0.9999)

    def test_channels_that_cancel_in_a_sum_keep_their_level_and_those_of_their_own_stay_so(self) -> None:
        """Closed form: right is minus left, so each is what it is alone, and minus that; independent noise has no correlation."""
        for start, end in ((-5, 5), (-12, 7)):
            for one in (sine(300, 2, -6), noise(2, -20)):
                out, alone = held(np.concatenate([one, -one], axis=1), start, end), held(one, start, end)
                with self.subTest(start=start, end=end):
                    np.testing.assert_allclose(out[:, :1], alone, atol=1e-6)
                    np.testing.assert_allclose(out[:, 1:], -alone, atol=1e-6)
            apart = held(np.concatenate([noise(2, -20), noise(2, -20, seed=9)], axis=1), start, end)[4800:-4800]
            self.assertLess(abs(float(np.corrcoef(apart.T)[0, 1])), 0.03)

    def test_nothing_moved_is_nearly_nothing_changed(self) -> None:
        samples = noise(1.5, -20)
        out = warped(samples, lambda seconds: seconds, len(samples), RATE)
        error = out[4800:-4800] - samples[4800:-4800]
        self.assertLess(20 * np.log10(np.sqrt(np.mean(error**2) / np.mean(samples**2))), -60)
