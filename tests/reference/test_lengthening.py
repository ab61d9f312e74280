"""What makes longer: mirror joins without a step in level, tails that lead in, grains, held spectra and smears against what they promise."""

import unittest

import numpy as np
from scipy.signal import stft

from oskren.core.audio.seams import joined
from oskren.core.envelope import Envelope
from oskren.core.nodes.model import Chained, Member, Mix, Step
from oskren.core.steps import Context, kind_of
from oskren.core.steps.base import checked
from tests.core.test_steps import through
from tests.support import RATE, InFolder, cents, noise, pitch_of, sine, struck


def levels_db(samples: np.ndarray, seconds: float = 0.02) -> np.ndarray:
    size = round(seconds * RATE)
    power = (samples[: len(samples) // size * size, 0].astype(np.float64) ** 2).reshape(-1, size).mean(axis=1)
    return np.asarray(10 * np.log10(power + 1e-12))


class Joins(unittest.TestCase):
    def test_the_level_of_a_join_is_that_of_its_sides(self) -> None:
        """Alike or not: correlated tones and uncorrelated noise cross without a step (within 1 dB in windows of 20 ms, 0.2 dB for tones)."""
        tone = sine(400, 1.0, -12.0)
        self.assertLess(float(np.ptp(levels_db(joined(tone[: RATE // 2], tone[RATE // 2 - 4800 :], 4800)))), 0.2)
        one, other = noise(2.0, -20, seed=1), noise(2.0, -20, seed=2)
        self.assertLess(float(np.abs(levels_db(joined(one, other, 24_000), 0.1) + 20).max()), 1.0)

    def test_lengths(self) -> None:
        one, other = noise(0.1, seed=1), noise(0.1, seed=2)
        for fade in (0, 1, 100, 4800, 9000):
            self.assertEqual(len(joined(one, other, fade)), len(one) + len(other) - min(fade, 4800))

    def test_as_many_frames_come_out_as_are_stated(self) -> None:
        samples = noise(0.5, -20)
        ends = (0.0, 1 / RATE, 2 / RATE, 0.25, 0.5 - 1 / RATE, 0.5, 600.0)
        some = [("hold", {"at_s": at, "hold_s": 0.1, "then": then}) for at in ends for then in ("goes on", "ends")]
        some += [
            ("mirror", {"point_s": max(0.01, at), "span_s": 0.1, "times": "2", "crossfade_ms": ms}) for at in ends for ms in (0.0, 1000 / RATE, 0.05, 20.0)
        ]
        for key, params in some:
            with self.subTest(step=key, **params):
                stated = kind_of(key).out_frames(checked(key, params), Context(RATE, 1, len(samples)))
                self.assertEqual(len(through(key, samples, **params)), stated)


class Mirror(InFolder):
    def test_what_is_heard_when(self) -> None:
        """Without a crossfade it is, to the sample: forward to the point, back by the span, forward to the end."""
        samples = noise(1.0, -20)
        point, span = round(0.6 * RATE), round(0.2 * RATE)
        for times in (1, 3):
            out = through("mirror", samples, point_s=0.6, span_s=0.2, times=str(times), crossfade_ms=0.0)
            part = samples[point - span : point]
            middle = [part[::-1], part] * times
            np.testing.assert_array_equal(out, np.concatenate([samples[:point], *middle, samples[point:]]))

    def test_joins_have_no_step_in_level(self) -> None:
        for samples in (sine(330, 2.0, -12.0), noise(2.0, -20)):
            out = through("mirror", samples, point_s=1.2, span_s=0.5, times="2", crossfade_ms=40.0)
            self.assertLess(float(np.abs(levels_db(out, 0.05) - levels_db(samples, 0.05).mean()).max()), 1.2)
            self.assertLess(float(np.abs(np.diff(out[:, 0])).max()), 1.05 * float(np.abs(np.diff(samples[:, 0])).max()))

    def test_wherever_it_turns_the_level_stays(self) -> None:
        """What goes back is moved by up to 8 ms to where it goes together with what goes forth, so that no tone cancels itself."""
        random = np.random.default_rng(3)
        for _ in range(20):
            hz, point = float(random.uniform(150, 2000)), float(random.uniform(0.8, 1.5))
            tone = sine(hz, 2.0, -12.0)
            out = through("mirror", tone, point_s=point, span_s=0.4, times="2", crossfade_ms=40.0)
            with self.subTest(hz=round(hz), point=round(point, 3)):
                self.assertEqual(len(out), len(tone) + 4 * round(0.36 * RATE))
                self.assertLess(float(np.abs(levels_db(out, 0.05) - levels_db(tone, 0.05).mean()).max()), 0.3)

    def test_length_map_and_anchor(self) -> None:
        params, at = checked("mirror", {"point_s": 0.5, "span_s": 0.25, "crossfade_ms": 10.0}), Context(RATE, 1, RATE)
        kind = kind_of("mirror")
        added = 2 * (0.25 - 0.01)
        self.assertAlmostEqual(kind.out_frames(params, at) / RATE, 1 + added, places=4)
        line = kind.time_map(params, at)
        self.assertAlmostEqual(line.to_output(0.3), 0.3, places=5)
        self.assertAlmostEqual(line.to_output(0.9), 0.9 + added, places=4)
        self.assertAlmostEqual(line.to_input(0.5 + added / 2), 0.5, places=4)

    def test_the_point_stays_on_the_sound_when_it_is_trimmed_before(self) -> None:
        source = self.source(noise(1.0, -20))
        steps = (Step(kind="trim", params={"start_s": 0.2, "end_s": None}), Step(kind="mirror", params={"point_s": 0.6, "span_s": 0.2, "crossfade_ms": 0.0}))
        out = self.renderer.read(Chained(node=source, chain=steps), 0, 10**6)
        audio = self.renderer.read(source, 0, 10**6)[round(0.2 * RATE) :]
        np.testing.assert_array_equal(out[: round(0.4 * RATE)], audio[: round(0.4 * RATE)])
        np.testing.assert_array_equal(out[round(0.4 * RATE) : round(0.6 * RATE)], audio[round(0.2 * RATE) : round(0.4 * RATE)][::-1])


class LeadIn(InFolder):
    def test_the_sound_itself_is_untouched_and_lands_where_it_did(self) -> None:
        source = self.source(struck(0.5))
        member = Member(id="a", node=source, anchor_s=0.0, chain=(Step(kind="lead_in", params={"length_s": 0.8}),))
        mix = Mix(members=(member,))
        shape, audio = self.renderer.shape(mix), np.asarray(self.renderer.audio(mix)[0])
        self.assertEqual(shape.zero, round(0.8 * RATE))
        dry = self.renderer.read(source, 0, 10**6)[:, 0] * np.float32(np.sqrt(0.5))
        np.testing.assert_allclose(audio[shape.zero :, 0], dry, atol=1e-6)

    def test_it_swells(self) -> None:
        """The room's own decay, turned round, where there is one: up to 2 kHz 60 dB in the stated time, but for its beginning."""
        knock = through("low_pass", through("lead_in", struck(0.2, 0.02), length_s=1.0, decay_s=2.0, level_db=0.0), cutoff_hz=1000.0, slope="48")
        rise = levels_db(knock[RATE // 2 : round(0.9 * RATE)], 0.1)
        self.assertAlmostEqual(float(np.polyfit(np.arange(4) * 0.1, rise, 1)[0]), 30.0, delta=6.0)
        for decay in (0.0, 2.0):
            out = through("lead_in", noise(0.5, -12), length_s=0.5, decay_s=decay, level_db=0.0)
            rise = levels_db(out[: RATE // 2], 0.1)
            self.assertTrue((np.diff(rise) > 0).all())

    def test_without_a_space_it_is_the_sound_backwards(self) -> None:
        samples = noise(0.5, -12)
        out = through("lead_in", samples, length_s=0.3, decay_s=0.0, level_db=0.0)
        back = samples[: round(0.3 * RATE)][::-1]
        rise = np.sin(np.pi / 2 * (np.arange(len(back)) + 0.5) / len(back))[:, None] ** 2
        np.testing.assert_allclose(out[: len(back)], back * rise, atol=1e-6)


class Grains(unittest.TestCase):
    def test_without_stretch_or_scatter_it_is_the_sound(self) -> None:
        samples = noise(0.5, -20)
        out = through("grains", samples, stretch=1.0, scatter_ms=0.0)
        np.testing.assert_allclose(out, samples, atol=1e-5)

    def test_length_pitch_and_level(self) -> None:
        tone = sine(440, 1.0, -12.0)
        for stretch in (0.5, 3.0, 8.0):
            out = through("grains", tone, stretch=stretch, scatter_ms=40.0, pitch_st=-5.0, grain_ms=120.0, density="8")
            self.assertEqual(len(out), round(stretch * RATE))
            # grains laid over each other make a band around the pitch: its middle is the pitch
            power = np.abs(np.fft.rfft(out[len(out) // 8 : -len(out) // 8, 0])) ** 2
            middle = (np.linspace(0, RATE / 2, len(power)) * power).sum() / power.sum()
            self.assertAlmostEqual(cents(float(middle), 440 * 2 ** (-5 / 12)), 0.0, delta=25)
            before, after = (10 * np.log10((one.astype(np.float64) ** 2).mean()) for one in (tone, out))
            self.assertAlmostEqual(float(before), float(after), delta=0.01)

    def test_a_seed_is_a_cloud_and_another_another(self) -> None:
        samples = noise(0.4, -20)
        one, same, other = (through("grains", samples, seed=seed, scatter_ms=80.0) for seed in (3.0, 3.0, 4.0))
        np.testing.assert_array_equal(one, same)
        self.assertGreater(float(np.abs(one - other).max()), 0.01)


class Holding(unittest.TestCase):
    def test_a_held_tone_keeps_pitch_and_level(self) -> None:
        for hz in (110.0, 440.0, 1234.5):
            tone = sine(hz, 1.0, -12.0)
            out = through("hold", tone, at_s=0.5, hold_s=2.0)
            held = out[RATE : 2 * RATE]
            self.assertAlmostEqual(cents(pitch_of(held), hz), 0.0, delta=5)
            self.assertLess(float(np.abs(levels_db(out[4800:-4800], 0.05) - levels_db(tone, 0.05).mean()).max()), 1.0)

    def test_held_noise_stays_noise_of_its_level(self) -> None:
        samples = noise(1.0, -20)
        held = through("hold", samples, at_s=0.5, hold_s=4.0, then="ends")[RATE : 4 * RATE]
        self.assertAlmostEqual(float(10 * np.log10((held.astype(np.float64) ** 2).mean())), -20.0, delta=1.0)
        flat = np.abs(stft(held[:, 0], RATE, nperseg=4096)[2]).mean(axis=1)[20:-20]
        self.assertLess(float(flat.max() / np.median(flat)), 6.0)

    def test_lengths_and_what_comes_before(self) -> None:
        samples = struck(0.6, 0.3)
        for then in ("goes on", "ends"):
            params = checked("hold", {"at_s": 0.2, "hold_s": 1.0, "then": then, "fade_ms": 30.0})
            out = through("hold", samples, **params.model_dump())
            self.assertEqual(len(out), kind_of("hold").out_frames(params, Context(RATE, 1, len(samples))))
            until = round(0.16 * RATE)
            np.testing.assert_array_equal(out[:until], samples[:until])

    def test_a_smear_keeps_energy_and_colour_and_loses_the_moment(self) -> None:
        samples = np.zeros((RATE, 1), np.float32)
        samples[RATE // 2 : RATE // 2 + 4800] = struck(0.1, 0.02)
        out = through("smear", samples, size_ms=500.0)
        self.assertAlmostEqual(float((out.astype(np.float64) ** 2).sum() / (samples.astype(np.float64) ** 2).sum()), 1.0, places=3)
        heard = np.flatnonzero(levels_db(out) > levels_db(out).max() - 20)
        self.assertGreater(len(heard) * 0.02, 0.3)
        tone = sine(700, 1.0, -12.0)
        self.assertAlmostEqual(cents(pitch_of(through("smear", tone, size_ms=300.0)[12_000:36_000]), 700.0), 0.0, delta=10)
        np.testing.assert_allclose(through("smear", tone, mix=0.0)[: len(tone)], tone, atol=1e-7)


class Curves(InFolder):
    def test_a_curve_drawn_on_the_sound_stays_on_it_behind_a_mirror(self) -> None:
        """A dip at 0.9 s of the source is heard where 0.9 s of it is heard, after the mirrored part."""
        dip = (Envelope(control="gain_db", points=((0.85, 0.0), (0.9, -60.0), (0.95, 0.0))),)
        chain = (Step(kind="mirror", params={"point_s": 0.5, "span_s": 0.3, "crossfade_ms": 0.0}), Step(kind="gain", envelopes=dip))
        out = self.renderer.read(Chained(node=self.source(noise(1.2, -20)), chain=chain), 0, 10**6)
        level = levels_db(out)
        self.assertAlmostEqual((int(np.argmin(level)) + 0.5) * 0.02, 0.9 + 0.6, delta=0.03)
