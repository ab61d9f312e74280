"""Every step does what its name says, at its limits too."""

import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.audio import layouts, resample, stretching
from oskren.core.errors import OskrenError
from oskren.core.measure import levels
from oskren.core.steps import Context, describe, kind_of
from oskren.core.steps.base import checked
from tests.support import RATE, noise, sine


def through(key: str, samples: np.ndarray, rate: int = RATE, **params: Any) -> np.ndarray:
    """Samples through one step, whole."""
    kind = kind_of(key)
    values = checked(key, params)
    at = Context(rate, samples.shape[1], len(samples))
    if kind.whole:
        return kind.run(values, samples, at)
    summary = kind.analyse(values, iter([samples]), at) if kind.analyses else {}
    skip = kind.skip(values, at)
    stream = kind.stream(values, summary, at, skip)
    return np.concatenate([stream.push(samples[skip:]), stream.flush()])[: kind.out_frames(values, at)]


class Level(unittest.TestCase):
    @given(st.floats(-60, 36))
    def test_gain_is_exact(self, gain: float) -> None:
        out = through("gain", sine(440, 0.05, -40), gain_db=gain)
        self.assertAlmostEqual(levels.db(levels.peak(out)), levels.db(levels.peak(sine(440, 0.05, -40))) + gain, delta=0.001)

    def test_normalise_hits_its_peak_and_leaves_silence_alone(self) -> None:
        for peak in (-24.0, -3.0, 0.0):
            self.assertAlmostEqual(levels.db(levels.peak(through("normalise", noise(0.2, -30), peak_dbfs=peak))), peak, places=4)
        silent = np.zeros((100, 2), np.float32)
        np.testing.assert_array_equal(through("normalise", silent), silent)

    def test_side_gain_changes_the_side_alone(self) -> None:
        """M = (L + R) / 2, S = (L - R) / 2."""
        samples = noise(0.2, -20, channels=2)
        out = through("width", samples, side_db=6.0)
        np.testing.assert_allclose(out.sum(axis=1), samples.sum(axis=1), atol=1e-6)
        np.testing.assert_allclose(out[:, 0] - out[:, 1], (samples[:, 0] - samples[:, 1]) * 10 ** (6 / 20), atol=1e-5)

    def test_mid_gain_changes_the_middle_alone(self) -> None:
        samples = noise(0.2, -20, channels=2)
        out = through("width", samples, mid_db=-6.0)
        np.testing.assert_allclose(out[:, 0] - out[:, 1], samples[:, 0] - samples[:, 1], atol=1e-6)
        np.testing.assert_allclose(out.sum(axis=1), samples.sum(axis=1) * 10 ** (-6 / 20), atol=1e-5)

    def test_balance_moves_level_from_left_to_right(self) -> None:
        samples = np.repeat(sine(440, 0.2, -20), 2, axis=1)
        out = through("width", samples, balance_db=1.5)
        self.assertAlmostEqual(levels.db(levels.rms(out[:, 1:])) - levels.db(levels.rms(out[:, :1])), 1.5, places=3)

    def test_width_leaves_mono_alone_and_mono_is_the_mean(self) -> None:
        mono, stereo = noise(0.1), noise(0.1, channels=2)
        np.testing.assert_array_equal(through("width", mono, side_db=6.0), mono)
        np.testing.assert_allclose(through("mono", stereo)[:, 0], stereo.mean(axis=1), atol=1e-6)
        np.testing.assert_array_equal(through("mono", mono), mono)


class Edges(unittest.TestCase):
    def test_fades_touch_their_stretch_alone(self) -> None:
        ones = np.ones((RATE, 1), np.float32)
        out = through("fade", ones, in_s=0.1, out_s=0.2)
        np.testing.assert_array_equal(out[4800:-9600], ones[4800:-9600])
        self.assertTrue(out[0, 0] < 0.01 and out[-1, 0] < 0.01)
        self.assertTrue((np.diff(out[:4800, 0]) >= 0).all() and (np.diff(out[-9600:, 0]) <= 0).all())

    def test_a_fade_longer_than_the_sound_is_the_sounds_length(self) -> None:
        out = through("fade", np.ones((100, 1), np.float32), in_s=60.0, in_shape="linear")
        np.testing.assert_allclose(out[:, 0], (np.arange(100) + 0.5) / 100, atol=1e-6)

    @settings(deadline=None, max_examples=30)
    @given(st.floats(0, 1.2), st.floats(0, 1.2))
    def test_trim_keeps_its_part_and_never_nothing(self, start: float, end: float) -> None:
        if start == end:
            return
        samples = noise(1.0)
        out = through("trim", samples, start_s=start, end_s=end)
        self.assertGreaterEqual(len(out), 1)
        first, last = sorted((min(round(start * RATE), RATE), min(round(end * RATE), RATE)))
        if last > first:
            np.testing.assert_array_equal(out, samples[first:last])

    def test_trim_of_nothing_is_refused(self) -> None:
        with self.assertRaisesRegex(OskrenError, "same moment"):
            through("trim", noise(0.1), start_s=0.05, end_s=0.05)

    def test_reversed_twice_is_the_same(self) -> None:
        samples = noise(0.2, channels=2)
        np.testing.assert_array_equal(through("reverse", through("reverse", samples)), samples)


class Tone(unittest.TestCase):
    def test_passes_take_away_their_side(self) -> None:
        low, high = sine(100, 1, -20), sine(5000, 1, -20)
        for key, kept, lost in (("high_pass", high, low), ("low_pass", low, high)):
            with self.subTest(key=key):
                self.assertAlmostEqual(levels.db(levels.rms(through(key, kept, cutoff_hz=700.0)[9600:])), -23.01, delta=0.1)
                self.assertLess(levels.db(levels.rms(through(key, lost, cutoff_hz=700.0, slope="48")[9600:])), -85)

    def test_a_notch_takes_out_its_frequency(self) -> None:
        samples = sine(50, 4, -20) + sine(220, 4, -20)
        out = through("band", samples, kind="notch", frequency_hz=50.0, q=10.0)[RATE * 2 :]
        self.assertAlmostEqual(levels.db(levels.rms(out)), -23.01, delta=0.15)

    def test_cut_offs_above_half_the_rate_do_no_harm(self) -> None:
        samples = noise(0.2, rate=8000)
        for key, params in (("low_pass", {"cutoff_hz": 40_000.0}), ("band", {"frequency_hz": 40_000.0, "gain_db": 12.0})):
            self.assertTrue(np.isfinite(through(key, samples, 8000, **params)).all())


class TimeAndRoom(unittest.TestCase):
    def test_no_shift_is_no_change(self) -> None:
        samples = noise(0.3, channels=2)
        np.testing.assert_array_equal(through("pitch", samples), samples)
        np.testing.assert_array_equal(through("rate", samples, rate=RATE), samples)

    @settings(deadline=None, max_examples=15)
    @given(st.floats(-24, 24), st.booleans(), st.floats(0.3, 3), st.integers(1, 30_000))
    def test_lengths_are_as_stated(self, semitones: float, keep: bool, factor: float, frames: int) -> None:
        wanted = stretching.repitched_frames(frames, semitones, keep, factor)
        out = through("pitch", noise(1.0)[:frames], semitones=semitones, mode="keep length" if keep else "varispeed", stretch=factor)
        self.assertEqual(len(out), wanted)

    def test_there_and_back_is_the_same_sound(self) -> None:
        samples = through("low_pass", noise(1.0, -20), cutoff_hz=6000.0, slope="48")
        back = resample.convert_rate(resample.convert_rate(samples, RATE, 96_000), 96_000, RATE)
        np.testing.assert_allclose(back[2000:-2000], samples[2000:-2000], atol=1e-4)

    def test_a_space_rings_on_and_dry_alone_is_the_input(self) -> None:
        click = np.zeros((4800, 2), np.float32)
        click[0] = 1.0
        out = through("space", click, decay_s=0.5, wet_db=-6.0, pre_delay_ms=20.0)
        self.assertGreater(len(out), 4800 + RATE // 2)
        self.assertLess(np.abs(out[1:900]).max(), 1e-6)
        self.assertGreater(levels.rms(out[1000:5000]), 1e-4)
        dry = through("space", click, wet_db=-60.0)
        np.testing.assert_allclose(dry[:4800], click, atol=1e-3)


class Registry(unittest.TestCase):
    def test_what_the_interface_is_told(self) -> None:
        told = {step["key"]: step for step in describe()}
        self.assertNotIn("rate", told)
        cut = told["high_pass"]["controls"][0]
        self.assertEqual((cut["name"], cut["unit"], cut["scale"], cut["low"], cut["high"], cut["default"]), ("cutoff_hz", "Hz", "log", 10, 40_000, 80.0))
        self.assertEqual([one["value"] for one in told["high_pass"]["controls"][1]["options"]], ["12", "24", "48"])
        self.assertFalse(told["pitch"]["keeps_time"])

    def test_values_out_of_range_and_not_numbers_are_refused(self) -> None:
        for key, params in (
            ("gain", {"gain_db": 99}),
            ("gain", {"gain_db": "loud"}),
            ("gain", {"gain_db": float("nan")}),
            ("high_pass", {"slope": "13"}),
            ("fade", {"in_s": -1}),
        ):
            with self.subTest(params=params), self.assertRaises(OskrenError) as caught:
                checked(key, params)
            self.assertIn(kind_of(key).label, str(caught.exception))


class Layouts(unittest.TestCase):
    def test_names_of_channels(self) -> None:
        self.assertEqual([layouts.layout_of(count) for count in (1, 2, 4, 6, 8, 3, 16)], ["mono", "stereo", "quad", "5.1", "7.1", "unknown 3", "unknown 16"])

    def test_every_count_folds_to_stereo(self) -> None:
        for channels in range(1, 17):
            samples = noise(0.01, channels=channels)
            self.assertEqual(layouts.to_stereo(samples).shape, (480, 2))
            self.assertEqual(layouts.to_mono(samples).shape, (480, 1))
            self.assertEqual(layouts.convert(samples, "stereo").shape, (480, 2))

    def test_what_is_not_offered_is_said(self) -> None:
        with self.assertRaisesRegex(OskrenError, "cannot become 5.1; say which layout it has"):
            layouts.convert(noise(0.01, channels=3), "5.1")
        with self.assertRaisesRegex(OskrenError, "no layout called 'round'"):
            layouts.convert(noise(0.01, channels=2), "round")
