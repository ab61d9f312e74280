"""Filters, fades, pan, dither, space and limiter against published formulas and closed forms."""

import unittest

import numpy as np
import pyloudnorm
from scipy import signal

from oskren.core.audio import dither, layouts
from oskren.core.measure import levels, true_peak
from oskren.core.measure.loudness import loudness
from oskren.core.steps import Context, kind_of
from oskren.core.steps.dynamics import LimiterParams
from oskren.core.steps.edges import SHAPES, fade_gain
from oskren.core.steps.equaliser import butterworth, cookbook
from oskren.core.steps.space import SpaceParams, response
from tests.core.test_steps import through
from tests.support import RATE, noise, pan_gains, sine, struck


def gain_at(sections: np.ndarray, hz: float, rate: int = RATE) -> float:
    _, h = signal.freqz_sos(sections, worN=[hz], fs=rate)
    return float(20 * np.log10(abs(h[0])))


class Levels(unittest.TestCase):
    def test_loudness_is_met_by_another_meter_and_never_over_the_ceiling(self) -> None:
        """pyloudnorm (BS.1770) on what comes out; the ceiling by the spectrum raised to eight times the rate (scipy.signal.resample)."""
        bed = noise(8.0, -32, channels=2)
        out = through("level to", bed, by="loudness", loudness_lufs=-20.0)
        self.assertAlmostEqual(pyloudnorm.Meter(RATE).integrated_loudness(out), -20.0, delta=0.1)
        loud = through("level to", bed, by="loudness", loudness_lufs=-3.0, ceiling_dbtp=-2.0)
        raised = np.abs(signal.resample(loud[: RATE * 2].astype(np.float64), RATE * 16)[RATE:-RATE]).max()
        self.assertLess(20 * np.log10(raised), -1.85)
        self.assertLess(pyloudnorm.Meter(RATE).integrated_loudness(loud), -3.5)

    def test_a_short_sound_is_met_by_its_momentary_maximum(self) -> None:
        hit = struck(0.6, 0.15, seed=3)
        out = through("level to", hit, by="loudness", loudness_lufs=-24.0)
        self.assertAlmostEqual(loudness(out, RATE).max_momentary_lufs or 0.0, -24.0, delta=0.05)

    def test_peaks_are_met(self) -> None:
        hit = struck(0.6, 0.15, seed=3)
        self.assertAlmostEqual(levels.db(levels.peak(through("level to", hit, by="sample peak", peak_db=-3.0))), -3.0, delta=0.001)
        out = through("level to", hit, by="true peak", peak_db=-3.0)
        self.assertAlmostEqual(levels.db(true_peak.true_peak(out, RATE)), -3.0, delta=0.01)
        silent = np.zeros((RATE, 1), np.float32)
        for by in ("sample peak", "true peak", "loudness"):
            np.testing.assert_array_equal(through("level to", silent, by=by), silent)


class Filters(unittest.TestCase):
    def test_butterworth_is_3_01_db_down_at_its_cut_off(self) -> None:
        """Closed form of the Butterworth response; scipy.signal evaluates the sections."""
        for kind in ("high", "low"):
            for slope in (12, 24, 48):
                for hz in (40, 800, 9000):
                    with self.subTest(kind=kind, slope=slope, hz=hz):
                        self.assertAlmostEqual(gain_at(butterworth(kind, hz, slope, 96_000), hz, 96_000), -3.0103, delta=0.01)

    def test_slope_an_octave_beyond(self) -> None:
        for slope in (12, 24, 48):
            order = slope // 6
            wanted = -10 * np.log10(1 + 2.0 ** (2 * order))
            self.assertAlmostEqual(gain_at(butterworth("high", 1000, slope, 192_000), 500, 192_000), wanted, delta=0.05)

    def test_sections_equal_scipys_own_design(self) -> None:
        ours = butterworth("low", 3000, 24, RATE)
        theirs = signal.butter(4, 3000, "low", fs=RATE, output="sos")
        w = np.geomspace(20, 20_000, 200)
        np.testing.assert_allclose(np.abs(signal.freqz_sos(ours, w, fs=RATE)[1]), np.abs(signal.freqz_sos(theirs, w, fs=RATE)[1]), atol=1e-9)

    def test_bell_shelf_and_notch(self) -> None:
        """Audio EQ Cookbook (W3C note): a bell has its gain at the centre, a shelf half of it at its corner, a notch nothing."""
        self.assertAlmostEqual(gain_at(cookbook("bell", 1000, 6, 2, RATE), 1000), 6.0, places=6)
        self.assertAlmostEqual(gain_at(cookbook("low shelf", 500, 8, 0.7071, RATE), 500), 4.0, places=3)
        self.assertAlmostEqual(gain_at(cookbook("low shelf", 500, 8, 0.7071, RATE), 10), 8.0, delta=0.02)
        self.assertAlmostEqual(gain_at(cookbook("high shelf", 500, -8, 0.7071, RATE), 15_000), -8.0, delta=0.02)
        self.assertLess(gain_at(cookbook("notch", 50, 0, 30, RATE), 50), -100)

    def test_low_cut_at_96_khz_does_not_drift(self) -> None:
        """A 20 Hz high-pass in single precision errs at -47 dB; sections run in float64."""
        at = Context(96_000, 1, 96_000)
        kind = kind_of("high_pass")
        out = kind.stream(kind.params(cutoff_hz=20, slope="24"), {}, at, 0).push(sine(1000, 1, -6, 96_000))
        self.assertAlmostEqual(levels.db(levels.rms(out[48_000:])), -9.01, delta=0.01)


class FadesAndPan(unittest.TestCase):
    def test_equal_power_crossfade_keeps_power(self) -> None:
        x = np.linspace(0, 1, 101)
        np.testing.assert_allclose(fade_gain(x, "equal power") ** 2 + fade_gain(1 - x, "equal power") ** 2, 1, atol=1e-12)

    def test_linear_and_sine_crossfades_keep_amplitude(self) -> None:
        x = np.linspace(0, 1, 101)
        for shape in ("linear", "sine"):
            np.testing.assert_allclose(fade_gain(x, shape) + fade_gain(1 - x, shape), 1, atol=1e-12)

    def test_every_fade_rises_from_silence_to_unity(self) -> None:
        for shape in SHAPES:
            gains = fade_gain(np.linspace(0, 1, 1001), shape)
            with self.subTest(shape=shape):
                self.assertAlmostEqual(gains[0], 0, places=9)
                self.assertAlmostEqual(gains[-1], 1, places=9)
                self.assertTrue((np.diff(gains) > 0).all())

    def test_pan_law(self) -> None:
        """cos and sin: gL² + gR² = 1 everywhere, -3.01 dB in the centre for mono; stereo is unchanged in the centre."""
        for pan in np.linspace(-1, 1, 21):
            self.assertAlmostEqual(float((pan_gains(pan, 1) ** 2).sum()), 1, places=6)
        self.assertAlmostEqual(levels.db(float(pan_gains(0, 1)[0, 0])), -3.0103, places=3)
        np.testing.assert_allclose(pan_gains(0, 2), np.eye(2), atol=1e-6)
        self.assertAlmostEqual(float(pan_gains(-1, 2)[1, 1]), 0, places=6)

    def test_fold_down(self) -> None:
        """ITU-R BS.775-3, table 2: L + 0.7071 C + 0.7071 Ls, no LFE."""
        gains = layouts.fold_gains("5.1", 6)
        np.testing.assert_allclose(gains[:, 0], [1, 0, 0.7071, 0, 0.7071, 0], atol=1e-4)
        np.testing.assert_allclose(gains[:, 1], [0, 1, 0.7071, 0, 0, 0.7071], atol=1e-4)


class Dither(unittest.TestCase):
    """Lipshitz, Wannamaker, Vanderkooy 1992."""

    def test_total_error_power_is_a_quarter_lsb_squared(self) -> None:
        samples = sine(997, 4, -20)
        error = (dither.tpdf(samples, 16, 3) - samples).astype(np.float64) * 2**15
        self.assertAlmostEqual(float(np.mean(error**2)), 0.25, delta=0.005)

    def test_the_error_does_not_follow_the_signal(self) -> None:
        samples = sine(997, 4, -90)
        error = (dither.tpdf(samples, 16, 3) - samples)[:, 0].astype(np.float64)
        correlation = np.dot(error, samples[:, 0]) / np.sqrt(np.dot(error, error) * np.dot(samples[:, 0], samples[:, 0]))
        self.assertLess(abs(correlation), 0.01)

    def test_a_tone_below_one_step_survives(self) -> None:
        out = dither.tpdf(sine(1000, 8, -98), 16, 1)[:, 0].astype(np.float64)
        spectrum = np.abs(np.fft.rfft(out))
        self.assertEqual(int(np.argmax(spectrum[100:20_000])) + 100, 8000)

    def test_the_same_seed_gives_the_same_file(self) -> None:
        np.testing.assert_array_equal(dither.tpdf(noise(0.1), 16, 9), dither.tpdf(noise(0.1), 16, 9))

    def test_what_comes_out_does_not_depend_on_where_blocks_begin(self) -> None:
        samples = noise(0.5, -30, channels=2)
        for shaped in (False, True):
            whole = dither.Dither(16, 2, 48_000, 5, shaped=shaped).rounded(samples)
            blockwise = dither.Dither(16, 2, 48_000, 5, shaped=shaped)
            parts = [blockwise.rounded(samples[at : at + 999]) for at in range(0, len(samples), 999)]
            np.testing.assert_array_equal(np.concatenate(parts), whole)

    def test_shaped_noise_has_the_spectrum_of_its_filter_and_is_heard_less(self) -> None:
        """Error = white error of LSB²/4 through the filter; the spectrum by Welch (scipy), the threshold of hearing as the shape is made of."""
        for rate in (44_100, 48_000, 96_000):
            quiet = np.zeros((8 * rate, 1), np.float32)
            found = []
            for shaped in (False, True):
                error = dither.Dither(16, 1, rate, 3, shaped=shaped).rounded(quiet)[:, 0].astype(np.float64) * 2**15
                hz, power = signal.welch(error, rate, nperseg=4096)
                found.append(power)
            filtered = np.abs(np.fft.rfft(dither.shaping(rate), 4096)) ** 2
            with self.subTest(rate=rate):
                np.testing.assert_allclose(found[0][8:-8], 0.25 * 2 / rate, rtol=0.35)
                np.testing.assert_allclose(found[1][8:-8], 0.25 * 2 / rate * filtered[8:-8], rtol=0.4)
                weight = 10 ** (-dither.threshold_db(hz) / 10)
                self.assertGreater(10 * np.log10((found[0] * weight).sum() / (found[1] * weight).sum()), 14)
                # the logarithm of what a filter of minimum phase does averages 0 over the band (Gerzon and Craven 1989)
                self.assertAlmostEqual(float(np.mean(10 * np.log10(filtered))), 0.0, delta=0.1)


class Space(unittest.TestCase):
    """Decay by backward integration (Schroeder 1965; ISO 3382-1): the stated one within 5 %."""

    @staticmethod
    def t20(impulse: np.ndarray, rate: int) -> float:
        energy = np.cumsum(impulse[::-1] ** 2)[::-1]
        curve = 10 * np.log10(energy / energy[0] + 1e-12)
        first, last = np.flatnonzero(curve <= -5)[0], np.flatnonzero(curve <= -25)[0]
        slope = np.polyfit(np.arange(first, last) / rate, curve[first:last], 1)[0]
        return float(-60 / slope)

    def test_decay_in_the_middle_band(self) -> None:
        """ISO 3382-1: the single number is the mean of the octaves at 500 Hz and 1 kHz, here also of both ears."""
        for decay in (0.4, 0.9, 2.5):
            impulse = response(SpaceParams(decay_s=decay, pre_delay_ms=0), RATE, 2)
            found = []
            for centre in (500, 1000):
                band = signal.butter(4, [centre / 2**0.5, centre * 2**0.5], "bandpass", fs=RATE, output="sos")
                found += [self.t20(signal.sosfilt(band, impulse[:, channel]), RATE) for channel in (0, 1)]
            with self.subTest(decay=decay):
                self.assertAlmostEqual(float(np.mean(found)) / decay, 1.0, delta=0.05)

    def test_lows_and_highs_follow_their_ratios(self) -> None:
        params = SpaceParams(decay_s=1.5, low_ratio=1.4, high_ratio=0.4, pre_delay_ms=0)
        impulse = response(params, RATE, 1)[:, 0]
        low = signal.sosfilt(signal.butter(4, 90, "low", fs=RATE, output="sos"), impulse)
        high = signal.sosfilt(signal.butter(4, 9000, "high", fs=RATE, output="sos"), impulse)
        self.assertAlmostEqual(self.t20(low, RATE), 2.1, delta=0.21)
        self.assertAlmostEqual(self.t20(high, RATE), 0.6, delta=0.09)

    def test_left_and_right_differ_by_width(self) -> None:
        wide, narrow = (response(SpaceParams(width=width, pre_delay_ms=0), RATE, 2) for width in (1.0, 0.0))
        self.assertLess(abs(float(np.corrcoef(wide.T)[0, 1])), 0.75)
        np.testing.assert_allclose(narrow[:, 0], narrow[:, 1], atol=1e-6)


class Limiter(unittest.TestCase):
    def test_true_peak_stays_under_the_ceiling(self) -> None:
        """Output true peak at most ceiling + 0.1 dB: random material, a full-scale tone at fs/4, single clicks."""
        clicks = np.zeros((RATE, 1), np.float32)
        clicks[5000::7001] = 3.0
        kind = kind_of("limiter")
        for name, samples in {"noise": noise(1, -3, channels=2), "tone": sine(RATE / 4, 1, 6, phase_deg=45), "clicks": clicks}.items():
            for ceiling in (-1.0, -6.0):
                stream = kind.stream(LimiterParams(ceiling_dbtp=ceiling), {}, Context(RATE, samples.shape[1], len(samples)), 0)
                out = np.concatenate([stream.push(samples), stream.flush()])
                with self.subTest(name=name, ceiling=ceiling):
                    self.assertEqual(len(out), len(samples))
                    self.assertLessEqual(levels.db(true_peak.true_peak(out, RATE)), ceiling + 0.1)

    def test_hard_material_by_sixteen_times_as_many_points(self) -> None:
        """Held against the whole spectrum at 16 times the rate (scipy.signal.resample): noise and random signs, up to the highest frequency.

        What is left over 0.1 dB lies over 0.99 of what the rate can hold, which no converter gives.
        """
        random = np.random.default_rng(3)
        faded = np.clip(np.minimum(np.arange(RATE), np.arange(RATE)[::-1]) / 2400, 0, 1)[:, None]
        material = {
            "white": (random.standard_normal((RATE, 1)) * 0.3, 0.25),
            "pink": (np.cumsum(random.standard_normal((RATE, 1)), axis=0) * 0.01, 0.1),
            "signs": (np.sign(random.standard_normal((RATE, 1))), 0.45),
        }
        for name, (samples, over) in material.items():
            samples = (samples * faded).astype(np.float32)
            fine = levels.db(float(np.abs(signal.resample(samples.astype(np.float64), 16 * len(samples))).max()))
            self.assertAlmostEqual(levels.db(true_peak.true_peak(samples, RATE)), fine, delta=0.15, msg=name)
            for ceiling in (-1.0, -18.0):
                out = through("limiter", samples, ceiling_dbtp=ceiling)
                with self.subTest(name=name, ceiling=ceiling):
                    self.assertLess(levels.db(float(np.abs(signal.resample(out.astype(np.float64), 16 * len(out))).max())), ceiling + over)

    def test_the_true_peak_material_of_ebu_tech_3341(self) -> None:
        """EBU Tech 3341, cases 15 to 19 (tones whose samples miss their peaks; frequencies and phases from memory), 12 dB hotter: held under the ceiling."""
        kind = kind_of("limiter")
        for case, (part, phase, level) in {15: (4, 0.0, -6.02), 16: (4, 45.0, -6.02), 17: (6, 60.0, -6.02), 18: (8, 67.5, -6.02), 19: (4, 45.0, 3.0)}.items():
            samples = sine(RATE / part, 1, level + 12, phase_deg=phase)
            stream = kind.stream(LimiterParams(ceiling_dbtp=-1), {}, Context(RATE, 1, len(samples)), 0)
            out = np.concatenate([stream.push(samples), stream.flush()])
            with self.subTest(case=case):
                self.assertLessEqual(levels.db(true_peak.true_peak(out, RATE)), -0.9)
                self.assertGreater(levels.db(true_peak.true_peak(out[RATE // 4 :], RATE)), -1.5)  # and no lower than it must

    def test_what_lies_under_the_ceiling_passes_untouched(self) -> None:
        samples = sine(500, 1, -12)
        stream = kind_of("limiter").stream(LimiterParams(ceiling_dbtp=-6), {}, Context(RATE, 1, len(samples)), 0)
        np.testing.assert_allclose(np.concatenate([stream.push(samples), stream.flush()]), samples, atol=1e-7)
