"""Ring modulation, frequency shift, filters that move, tremolo, pan and delay lines against closed forms and scipy's filters.

cos a cos b = (cos(a - b) + cos(a + b)) / 2; single-sideband modulation by a Hilbert pair (Oppenheim, Schafer); state-variable filter:
Zavalishin, The Art of VA Filter Design, 2012; an all-pass chain against the dry sound (Smith, Physical Audio Signal Processing).
"""

import math
import unittest

import numpy as np
from scipy.signal import freqz, sosfreqz

from oskren.core.steps import Context, kind_of
from oskren.core.steps.base import checked
from oskren.core.steps.delays import Echoing
from oskren.core.steps.equaliser import butterworth
from oskren.core.steps.motion import quarter_turn
from oskren.core.steps.moving import wave
from tests.core.test_steps import through
from tests.support import RATE, noise, sine


def spectrum_db(samples: np.ndarray) -> np.ndarray:
    """Level (dBFS) of tones at whole Hz, from one second in the middle."""
    part = samples[RATE // 2 : RATE // 2 + RATE].astype(np.float64)
    return np.asarray(20 * np.log10(np.abs(np.fft.rfft(part * np.hanning(RATE))) / (RATE / 4) + 1e-12))


def impulse(seconds: float = 1.0) -> np.ndarray:
    samples = np.zeros((round(seconds * RATE), 1), np.float32)
    samples[0] = 1.0
    return samples


def answer(key: str, seconds: float = 1.0, **params: object) -> tuple[np.ndarray, np.ndarray]:
    """Frequencies and the level (dB) a step that stands still gives them."""
    out = through(key, impulse(seconds), **params)
    return np.fft.rfftfreq(len(out), 1 / RATE), 20 * np.log10(np.abs(np.fft.rfft(out[:, 0])) + 1e-9)


class Modulation(unittest.TestCase):
    def test_ring_modulation_of_two_tones(self) -> None:
        levels = spectrum_db(through("ring", sine(1000, 2.0, -6.0), frequency_hz=300.0)[:, 0])
        for hz in (700, 1300):
            self.assertAlmostEqual(float(levels[hz]), -6 - 6.02, delta=0.05)
        levels[[*range(697, 704), *range(1297, 1304)]] = -200
        self.assertLess(float(levels.max()), -110)

    def test_a_frequency_shift_moves_every_partial_alike_and_leaves_no_image(self) -> None:
        for shift in (-150.0, 70.0, 2000.0):
            samples = sine(200, 2.0, -12.0) + sine(3000, 2.0, -12.0) + sine(9000, 2.0, -12.0)
            levels = spectrum_db(through("shift", samples, shift_hz=shift)[:, 0])
            for hz in (200, 3000, 9000):
                self.assertAlmostEqual(float(levels[round(hz + shift)]), -12.0, delta=0.05)
                image = abs(round(hz - shift))
                self.assertLess(float(levels[image]), -12.0 - 60)

    def test_the_quarter_turn_is_even(self) -> None:
        hz, answer_ = freqz(quarter_turn(RATE), fs=RATE, worN=8192)
        inside = (hz > 60) & (hz < 0.49 * RATE)
        self.assertLess(float(np.abs(20 * np.log10(np.abs(answer_[inside]))).max()), 0.01)

    def test_a_shift_that_moves_is_a_glide(self) -> None:
        """The phase is the integral of the shift: 0 to 100 Hz over a second turns 50 times."""
        from oskren.core.envelope import Envelope
        from oskren.core.steps.moving import Phase

        at = Context(RATE, 1, RATE, envelopes=(Envelope(control="shift_hz", points=((0.0, 0.0), (1.0, 100.0))),))
        turns = Phase(at, "shift_hz", 0.0).turns(0, RATE)
        time = np.arange(RATE) / RATE
        np.testing.assert_allclose(turns, 50 * time**2, atol=2e-3)

    def test_tremolo(self) -> None:
        samples = np.ones((2 * RATE, 1), np.float32)
        for shape in ("sine", "triangle", "square", "wander"):
            out = through("tremolo", samples, depth=0.5, rate_hz=4.0, shape=shape)[:, 0]
            self.assertLessEqual(float(out.max()), 1.0 + 1e-6)
            self.assertGreaterEqual(float(out.min()), 0.5 - 1e-6)
        out = through("tremolo", samples, depth=1.0, rate_hz=4.0)[:, 0]
        turns = np.abs(np.fft.rfft(out - out.mean()))
        self.assertEqual(int(np.argmax(turns)), 8)  # four times a second, in two seconds
        np.testing.assert_allclose(out, (1 + np.sin(2 * np.pi * 4 * np.arange(2 * RATE) / RATE)) / 2, atol=1e-6)

    def test_auto_pan_keeps_the_power_and_goes_from_side_to_side(self) -> None:
        tone = sine(500, 4.0, -6.0)
        out = through("auto_pan", tone, depth=1.0, rate_hz=0.5)
        self.assertEqual(out.shape[1], 2)
        np.testing.assert_allclose((out**2).sum(axis=1), tone[:, 0] ** 2, atol=1e-6)
        self.assertLess(float(np.abs(out[RATE // 2 - 100 : RATE // 2 + 100, 0]).max()), 0.01)  # a quarter turn: right alone
        wide = noise(0.3, channels=6)
        np.testing.assert_array_equal(through("auto_pan", wide), wide)

    def test_waves_keep_their_bounds_and_repeat(self) -> None:
        turns = np.linspace(0, 9, 9001)
        for shape in ("sine", "triangle", "square", "ramp up", "ramp down", "wander"):
            values = wave(turns, shape, 3)
            self.assertLessEqual(float(np.abs(values).max()), 1.0 + 1e-9)
            np.testing.assert_array_equal(values, wave(turns, shape, 3))
        np.testing.assert_allclose(wave(turns[:4001], "triangle"), wave(turns[:4001] + 5, "triangle"), atol=1e-9)


class Filters(unittest.TestCase):
    def test_a_moving_filter_that_stands_still(self) -> None:
        """At Q = 1/√2 its low-pass and high-pass are Butterworth filters of second order, as scipy draws them."""
        for kind, name in (("low-pass", "low"), ("high-pass", "high")):
            hz, level = answer("moving_filter", kind=kind, cutoff_hz=1000.0, q=math.sqrt(0.5))
            _, wanted = sosfreqz(butterworth(name, 1000.0, 12, RATE), worN=hz, fs=RATE)
            near = (hz > 20) & (hz < 20_000)
            np.testing.assert_allclose(level[near], 20 * np.log10(np.abs(wanted[near]) + 1e-9), atol=0.05)

    def test_resonance_and_band(self) -> None:
        hz, level = answer("moving_filter", kind="low-pass", cutoff_hz=2000.0, q=8.0)
        self.assertAlmostEqual(float(level[np.argmin(np.abs(hz - 2000))]), 20 * math.log10(8), delta=0.05)
        hz, level = answer("moving_filter", kind="band-pass", cutoff_hz=2000.0, q=8.0)
        self.assertAlmostEqual(float(level.max()), 0.0, delta=0.01)
        hz, level = answer("moving_filter", kind="notch", cutoff_hz=2000.0, q=2.0)
        self.assertLess(float(level[np.argmin(np.abs(hz - 2000))]), -40)

    def test_it_follows_the_level(self) -> None:
        """Loud opens, quiet closes: by the octaves said at full scale, by none at -48 dBFS."""
        loud = through("moving_filter", sine(3000, 1.0, 0.0), cutoff_hz=500.0, follow_oct=5.0, q=0.7)
        quiet = through("moving_filter", sine(3000, 1.0, -50.0), cutoff_hz=500.0, follow_oct=5.0, q=0.7)
        gains = [20 * np.log10(np.abs(one[RATE // 2 :]).max()) - level for one, level in ((loud, 0.0), (quiet, -50.0))]
        self.assertGreater(gains[0], -1.5)
        self.assertLess(gains[1], -29)

    def test_phaser_dips(self) -> None:
        """2n all-passes turn by 180° n times: as many dips, deepest at an equal mix; standing at one frequency they lie where the chain says."""
        for stages in (2, 4, 6, 8):
            hz, level = answer("phaser", stages=str(stages), low_hz=1000.0, high_hz=1000.0, feedback=0.0, mix=0.5)
            inside = (hz > 15) & (hz < 23_000)
            dips = np.flatnonzero((level[1:-1] < level[:-2]) & (level[1:-1] < level[2:]) & (level[1:-1] < -15) & inside[1:-1])
            self.assertEqual(len(dips), stages // 2)
            t = np.tan(np.pi * 1000 / RATE)
            for k, dip in enumerate(sorted(hz[1:-1][dips]), 1):
                turned = 2 * math.atan(math.tan(math.pi * dip / RATE) / t)  # each all-pass, bilinear
                self.assertAlmostEqual(stages * turned, (2 * k - 1) * math.pi, delta=0.05)

    def test_flanger_comb(self) -> None:
        """1 + z^-d at equal mix: dips at odd multiples of half of 1/d."""
        hz, level = answer("flanger", centre_ms=2.0, depth_ms=0.0, feedback=0.0, mix=0.5, rate_hz=0.01)
        for k in range(4):
            self.assertLess(float(level[np.argmin(np.abs(hz - (k + 0.5) * 500))]), -30)
            self.assertAlmostEqual(float(level[np.argmin(np.abs(hz - k * 500))]), 0.0, delta=0.3)


class Delays(unittest.TestCase):
    def test_echoes_are_on_the_frame_and_as_loud_as_the_feedback_says(self) -> None:
        for ms in (1.0, 12.5, 250.0, 1000.0):
            out = through("delay", impulse(0.1), time_ms=ms, feedback=0.5, low_cut_hz=5.0, high_cut_hz=40_000.0, wet_db=0.0, dry_db=0.0)[:, 0]
            frames = round(ms / 1000 * RATE)
            self.assertAlmostEqual(float(out[0]), 1.0, places=6)
            # closed form of both filters of first order at their widest
            kept = (1 - math.exp(-2 * math.pi * 0.49)) * math.exp(-2 * math.pi * 5 / RATE)
            self.assertAlmostEqual(float(out[frames]), kept, places=4)
            if frames > 200:
                self.assertEqual(np.flatnonzero(np.abs(out) > 0.1)[:4].tolist()[:3], [0, frames, 2 * frames])

    def test_every_echo_is_filtered_once_more(self) -> None:
        """The first echo went once through a low-pass and a high-pass of first order, -3 dB at their cut-offs; the second twice."""
        out = through("delay", impulse(0.2), time_ms=500.0, feedback=1.0 - 0.02, low_cut_hz=100.0, high_cut_hz=2000.0, wet_db=0.0, dry_db=-60.0)[:, 0]
        first, second, third = (np.abs(np.fft.rfft(out[k * 24_000 : (k + 1) * 24_000])) for k in (1, 2, 3))
        at = [round(hz * 24_000 / RATE) for hz in (500, 2000)]
        low_pass = math.exp(-2 * math.pi * 2000 / RATE)
        wanted = abs((1 - low_pass) / (1 - low_pass * np.exp(-2j * np.pi * 2000 / RATE))) * 0.98
        self.assertAlmostEqual(float(first[at[1]]), wanted / 0.98, delta=0.01)
        self.assertAlmostEqual(float(second[at[1]] / first[at[1]]), wanted, delta=0.01)
        self.assertAlmostEqual(float(third[at[1]] / second[at[1]]), wanted, delta=0.01)
        self.assertGreater(float(second[at[0]] / first[at[0]]), 0.9)

    def test_from_side_to_side(self) -> None:
        both = np.repeat(impulse(0.1), 2, axis=1)
        params = {"time_ms": 100.0, "feedback": 0.5, "wet_db": 0.0, "dry_db": -60.0, "sides": "from side to side"}
        out = through("delay", both, **params)
        louder = [int(np.argmax(np.abs(out[k * 4800 : k * 4800 + 10]).max(axis=0))) for k in (1, 2, 3, 4)]
        self.assertEqual(louder, [0, 1, 0, 1])

    def test_the_tail_is_as_long_as_80_db(self) -> None:
        out = through("delay", sine(400, 0.2, 0.0), time_ms=50.0, feedback=0.7, high_cut_hz=40_000.0, low_cut_hz=5.0, wet_db=0.0, dry_db=-60.0)
        self.assertLess(float(np.abs(out[-100:]).max()), 10 ** (-70 / 20))
        at, params = Context(RATE, 1, 9600), checked("delay", {"time_ms": 50.0, "feedback": 0.7})
        self.assertEqual(len(out), kind_of("delay").out_frames(params, at))

    def test_a_line_read_between_frames_delays_by_what_it_says(self) -> None:
        """A chorus of one voice without depth is a pure delay; a cubic between frames is true to 0.1 dB at 5 kHz."""
        tone = sine(5000, 0.5, -6.0)
        out = through("chorus", tone, voices="1", centre_ms=7.3456, depth_ms=0.05, rate_hz=0.02, apart=0.0, mix=1.0)
        part = slice(4800, 9600)
        phases = [np.angle(np.sum(one[part, 0] * np.exp(-2j * np.pi * 5000 * np.arange(4800) / RATE))) for one in (tone, out)]
        depth = 0.05 * math.sin(2 * math.pi * 0.02 * 0.15)
        turned = (phases[0] - phases[1]) / (2 * np.pi) - 5000 * (7.3456 + depth) / 1000
        self.assertAlmostEqual(float(turned - round(turned)), 0.0, delta=0.01)
        self.assertAlmostEqual(float(np.abs(out[part]).max() / np.abs(tone[part]).max()), 1.0, delta=0.012)

    def test_a_chorus_is_wider_than_what_went_in(self) -> None:
        both = np.repeat(noise(1.0, -20), 2, axis=1)
        out = through("chorus", both, apart=1.0, mix=0.5)
        self.assertLess(float(np.corrcoef(out[4800:].T)[0, 1]), 0.8)

    def test_what_the_line_remembers_is_carried_from_block_to_block(self) -> None:
        at, params = Context(RATE, 1, 3000), checked("delay", {"time_ms": 3.0, "feedback": 0.9})
        samples = noise(3000 / RATE, -20)
        whole, parts = Echoing(params, at, 0, 144, 500), Echoing(params, at, 0, 144, 500)
        one = np.concatenate([whole.push(samples), whole.flush()])
        other = np.concatenate([*(parts.push(samples[i : i + 37]) for i in range(0, 3000, 37)), parts.flush()])
        np.testing.assert_allclose(one, other, atol=1e-7)
