"""Laws that hold whatever the sound: what gain, silence, order and repetition may and may not change."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.measure import anchor, levels, loudness, noise, pitch, report, spectrum, true_peak
from oskren.core.nodes import Chained, Excerpt, Loop, Member, Mix, Step
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.walk import deepest, leaves
from oskren.core.slice import detect
from tests.core.test_steps import through
from tests.support import RATE, InFolder, pan_gains, sine, struck
from tests.support import noise as white

few = settings(deadline=None, max_examples=12)


def take() -> np.ndarray:
    out = white(4, -60)
    for k, at in enumerate((0.6, 1.7, 2.9)):
        out[round(at * RATE) : round(at * RATE) + RATE // 2] += 0.3 * struck(seed=k)
    return out


TAKE = take()


class MeasuresUnderGain(unittest.TestCase):
    """A louder copy is louder by just that, and is otherwise the same sound."""

    @few
    @given(st.floats(-30, 6))
    def test_levels_follow_and_character_stays(self, gain: float) -> None:
        before, after = report.measure(TAKE, RATE), report.measure((TAKE * 10 ** (gain / 20)).astype(np.float32), RATE)
        for name in ("sample_peak_dbfs", "true_peak_dbtp", "rms_dbfs", "noise_floor_dbfs", "max_momentary_lufs"):
            self.assertAlmostEqual(getattr(after, name) - getattr(before, name), gain, delta=0.02, msg=name)
        self.assertEqual((after.anchor_s, after.anchor_kind), (before.anchor_s, before.anchor_kind))
        self.assertAlmostEqual(after.brightness_hz, before.brightness_hz, delta=1)
        self.assertAlmostEqual(after.bandwidth_hz, before.bandwidth_hz, delta=250)

    @few
    @given(st.floats(-20, 6))
    def test_slices_stay_where_they_are(self, gain: float) -> None:
        before = detect.detect(detect.analyse([TAKE], RATE), detect.SliceSettings())
        after = detect.detect(detect.analyse([(TAKE * 10 ** (gain / 20)).astype(np.float32)], RATE), detect.SliceSettings())
        self.assertEqual(len(after), len(before))
        for one, other in zip(before, after, strict=True):
            self.assertAlmostEqual(one.attack_s, other.attack_s, delta=0.002)

    @few
    @given(st.integers(1, 9000))
    def test_true_peak_is_never_below_the_sample_peak(self, seed: int) -> None:
        samples = white(0.2, -12, channels=2, seed=seed)
        self.assertGreaterEqual(true_peak.true_peak(samples, RATE), levels.peak(samples))

    def test_two_like_channels_are_3_lu_louder_than_one(self) -> None:
        """ITU-R BS.1770-5: powers of channels are added."""
        mono = sine(997, 2, -20)
        one, two = (loudness.loudness(samples, RATE).integrated_lufs for samples in (mono, np.repeat(mono, 2, axis=1)))
        self.assertAlmostEqual(two - one, 3.01, delta=0.01)

    def test_silence_around_a_sound_does_not_change_its_gated_loudness(self) -> None:
        tone = sine(997, 4, -20)
        padded = np.concatenate([np.zeros_like(tone), tone, np.zeros_like(tone)])
        self.assertAlmostEqual(loudness.loudness(tone, RATE).integrated_lufs, loudness.loudness(padded, RATE).integrated_lufs, delta=0.35)

    def test_anchors_move_with_the_sound(self) -> None:
        for shift in (0.1, 0.37, 1.2):
            samples = np.concatenate([white(shift, -75, seed=3), struck(1.0, 0.1)])
            self.assertAlmostEqual(anchor.propose(anchor.envelope(samples, RATE)).seconds, round(shift * RATE) / RATE, delta=0.005)

    def test_pitch_does_not_mind_level_or_channels(self) -> None:
        for level in (-60, -30, 0):
            found, _ = pitch.fundamental(sine(330, 0.6, level)[:, 0], RATE)
            self.assertAlmostEqual(found, 330, delta=0.1)

    def test_a_brighter_sound_is_measured_brighter(self) -> None:
        last = 0.0
        for cutoff in (500.0, 2000.0, 8000.0, 20_000.0):
            dull = through("low_pass", white(1, -20), cutoff_hz=cutoff)
            found = spectrum.shape(spectrum.magnitudes(dull[:, 0]), RATE).brightness_hz
            self.assertGreater(found, last)
            last = found

    def test_noise_is_flat_and_a_tone_is_not(self) -> None:
        flat, tonal = (spectrum.shape(spectrum.magnitudes(samples[:, 0]), RATE).flatness_mean for samples in (white(1), sine(1000, 1)))
        self.assertGreater(flat, 0.5)
        self.assertLess(tonal, 0.01)

    def test_adding_noise_raises_the_floor_and_never_lowers_it(self) -> None:
        last = -200.0
        for level in (-80, -66, -54):
            found = noise.noise_floor(noise.frame_powers(TAKE + white(4, level, seed=8), RATE)).dbfs
            self.assertGreater(found, last)
            last = found


class StepsAsSystems(unittest.TestCase):
    """What filters, spaces and the limiter are by definition."""

    LINEAR = (
        ("high_pass", {}),
        ("low_pass", {}),
        ("band", {"gain_db": 6.0}),
        ("space", {"decay_s": 0.2}),
        ("width", {"side_db": 3.0}),
        ("mono", {}),
        ("fade", {"in_s": 0.05}),
        ("gain", {"gain_db": 2.0}),
    )

    def test_linear_steps_are_linear(self) -> None:
        a, b = white(0.3, -20, channels=2, seed=1), white(0.3, -20, channels=2, seed=2)
        for key, params in self.LINEAR:
            with self.subTest(step=key):
                both = through(key, (a + 0.5 * b).astype(np.float32), **params)
                np.testing.assert_allclose(both, through(key, a, **params) + 0.5 * through(key, b, **params), atol=2e-6)

    def test_filters_and_spaces_do_not_mind_when(self) -> None:
        samples, late = white(0.3, -20), 1000
        shifted = np.concatenate([np.zeros((late, 1), np.float32), samples])
        for key, params in (("high_pass", {}), ("band", {"gain_db": -6.0}), ("space", {"decay_s": 0.2})):
            with self.subTest(step=key):
                one, other = through(key, samples, **params), through(key, shifted, **params)
                np.testing.assert_allclose(other[late : late + len(samples)], one[: len(samples)], atol=2e-6)

    def test_silence_stays_silence(self) -> None:
        silent = np.zeros((RATE // 2, 2), np.float32)
        for key in ("gain", "normalise", "width", "high_pass", "low_pass", "band", "limiter", "space", "reverse", "pitch", "fade"):
            with self.subTest(step=key):
                self.assertEqual(levels.peak(through(key, silent)), 0.0)

    @few
    @given(st.floats(-24, 0), st.integers(1, 99))
    def test_the_limiter_never_raises_and_a_second_one_finds_nothing_to_do(self, ceiling: float, seed: int) -> None:
        samples = white(0.3, -6, seed=seed)
        once = through("limiter", samples, ceiling_dbtp=ceiling)
        self.assertTrue((np.abs(once) <= np.abs(samples) + 1e-7).all())
        twice = through("limiter", once, ceiling_dbtp=ceiling)
        self.assertLess(float(np.abs(twice - once).max()), 0.02 * 10 ** (ceiling / 20))

    def test_noise_reduction_is_the_same_at_any_level(self) -> None:
        params = {"start_s": 0.05, "end_s": 0.5, "reduction_db": 9.0}
        loud, quiet = through("noise_reduction", TAKE, **params), through("noise_reduction", TAKE * np.float32(0.1), **params)
        np.testing.assert_allclose(quiet * 10, loud, atol=2e-5)

    def test_more_reduction_leaves_less(self) -> None:
        last = 1.0
        for reduction in (0.0, 3.0, 6.0, 12.0, 24.0):
            left = levels.rms(through("noise_reduction", TAKE, start_s=0.05, end_s=0.5, reduction_db=reduction)[4800:24_000])
            self.assertLess(left, last)
            last = left

    def test_pan_is_mirrored(self) -> None:
        for pan in (0.2, 0.7, 1.0):
            for channels in (1, 2):
                np.testing.assert_allclose(
                    pan_gains(pan, channels), pan_gains(-pan, channels)[::-1, ::-1] if channels == 2 else pan_gains(-pan, 1)[:, ::-1], atol=1e-6
                )


class Mixing(InFolder):
    """A sum does not mind the order of its members, and nothing is heard that is not in it."""

    def setUp(self) -> None:
        super().setUp()
        self.nodes = [self.source(struck(0.3, 0.05, seed=k), name=f"{k}.wav") for k in range(3)]

    def test_order_does_not_change_the_sum(self) -> None:
        members = tuple(Member(node=node, at_s=0.1 * k, pan=0.3 * k - 0.3, gain_db=-3.0 * k) for k, node in enumerate(self.nodes))
        one, other = self.renderer.audio(Mix(members=members))[0], self.renderer.audio(Mix(members=members[::-1]))[0]
        np.testing.assert_allclose(one, other, atol=1e-6)

    def test_a_member_at_minus_96_db_is_as_good_as_not_there(self) -> None:
        turned = Chained(node=self.nodes[0], chain=(Step(kind="gain", params={"gain_db": 0.0}),))
        mix = Mix(members=(Member(node=self.nodes[0]), Member(node=turned, gain_db=-96.0)))
        alone = Mix(members=(Member(node=self.nodes[0]),))
        np.testing.assert_allclose(self.renderer.audio(mix)[0], self.renderer.audio(alone)[0], atol=1e-4)

    @few
    @given(st.floats(-1, 1), st.floats(-40, 12))
    def test_gain_and_pan_of_a_member_are_those_of_its_sound(self, pan: float, gain: float) -> None:
        out = np.asarray(self.renderer.audio(Mix(members=(Member(node=self.nodes[1], pan=pan, gain_db=gain),)))[0])
        wanted = self.renderer.read(self.nodes[1], 0, 10**6) @ pan_gains(pan, 1) * 10 ** (gain / 20)
        np.testing.assert_allclose(out, wanted, atol=1e-5)

    def test_a_member_pitched_and_in_a_chain_is_the_same(self) -> None:
        as_member = Mix(members=(Member(node=self.nodes[2], pitch_st=-4.0),))
        as_chain = Mix(members=(Member(node=Chained(node=self.nodes[2], chain=(Step(kind="pitch", params={"semitones": -4.0}),))),))
        np.testing.assert_array_equal(self.renderer.audio(as_member)[0], self.renderer.audio(as_chain)[0])

    def test_mono_sums_have_one_channel(self) -> None:
        stereo = Mix(members=(Member(node=self.nodes[0]),))
        mono = stereo.model_copy(update={"layout": "mono"})
        out = self.renderer.audio(mono)[0]
        np.testing.assert_allclose(out[:, 0], np.asarray(self.renderer.audio(stereo)[0]).mean(axis=1), atol=1e-6)

    def test_a_sum_renders_from_any_position_with_its_chain(self) -> None:
        mix = Mix(
            members=tuple(Member(node=node, at_s=0.1 * k) for k, node in enumerate(self.nodes)),
            chain=(Step(kind="space", params={"decay_s": 0.2}), Step(kind="limiter")),
        )
        parts = [self.renderer.read(mix, start, 3000) for start in (0, 5000, 11_000)]
        whole = np.asarray(self.renderer.audio(mix)[0])
        for start, part in zip((0, 5000, 11_000), parts, strict=True):
            np.testing.assert_allclose(part, whole[start : start + 3000], atol=2e-6)

    def test_originals_are_found_once_through_every_kind_of_node(self) -> None:
        inner = Mix(members=(Member(node=self.nodes[0]), Member(node=self.nodes[1])))
        node = Loop(node=Chained(node=Excerpt(node=inner, start_s=0, end_s=0.2), chain=(Step(kind="reverse"),)), end_s=0.2, length_s=1)
        mix = Mix(members=(Member(node=node), Member(node=self.nodes[0])))
        self.assertEqual([leaf.audio for leaf in leaves(mix)], [self.nodes[0].audio, self.nodes[1].audio])
        self.assertEqual(deepest(mix), 6)
        self.assertNotEqual(node_hash(mix), node_hash(node))
