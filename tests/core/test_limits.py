"""Steps limited to a part of the time, to channels or to a band: outside they change nothing, inside they do what they do."""

import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from oskren.core.measure import levels
from oskren.core.nodes import Cache, Chained, Renderer, Step
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.limits import band_taps
from oskren.core.steps import REGISTRY
from tests.support import RATE, InFolder, noise, sine

DOWN = {"kind": "gain", "params": {"gain_db": -60.0}}


class Limits(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.samples = noise(2.0, -20, channels=2)
        self.node = self.source(self.samples)
        self.dry = np.asarray(self.renderer.read(self.node, 0, 10**6))

    def through(self, **step: Any) -> np.ndarray:
        return np.asarray(self.renderer.read(Chained(node=self.node, chain=(Step(**step),)), 0, 10**6))

    def test_one_channel(self) -> None:
        out = self.through(**DOWN, channels=(1,))
        np.testing.assert_array_equal(out[:, 0], self.dry[:, 0])
        np.testing.assert_allclose(out[:, 1], self.dry[:, 1] / 1000, atol=1e-7)

    def test_a_band_is_changed_and_the_rest_is_not(self) -> None:
        out = self.through(**DOWN, low_hz=1000.0, high_hz=4000.0)
        hz, before = signal.welch(self.dry[:, 0], RATE, nperseg=4096)
        after = signal.welch(out[:, 0], RATE, nperseg=4096)[1]
        change = 10 * np.log10(after / before)
        inside, outside = (hz > 1300) & (hz < 3700), ((hz > 60) & (hz < 600)) | ((hz > 4700) & (hz < 23_000))
        self.assertLess(change[inside].max(), -40)
        self.assertLess(np.abs(change[outside]).max(), 0.05)

    def test_band_and_rest_are_the_whole(self) -> None:
        """The filter is of linear phase: what is let in and what is left out sum to what the step gives everywhere."""
        everywhere = self.through(kind="gain", params={"gain_db": 6.0}) - self.dry
        low = self.through(kind="gain", params={"gain_db": 6.0}, high_hz=900.0) - self.dry
        high = self.through(kind="gain", params={"gain_db": 6.0}, low_hz=900.0) - self.dry
        np.testing.assert_allclose((low + high)[2000:-2000], everywhere[2000:-2000], atol=2e-4)

    def test_a_band_of_everything_is_no_band(self) -> None:
        self.assertIsNone(band_taps(None, None, RATE))
        self.assertIsNone(band_taps(0.0, 96_000.0, RATE))
        np.testing.assert_allclose(self.through(**DOWN, high_hz=96_000.0), self.through(**DOWN), atol=3e-8)

    def test_the_crossfade_is_as_long_as_stated(self) -> None:
        for fade in (0.001, 0.1):
            out = self.through(kind="gain", params={"gain_db": -60.0}, start_s=0.5, end_s=1.5, fade_s=fade)
            share = np.abs(out[:, 0] - self.dry[:, 0]) / np.maximum(np.abs(self.dry[:, 0]), 1e-6)
            begin = np.flatnonzero(share > 0.01)[0] / RATE
            with self.subTest(fade=fade):
                self.assertAlmostEqual(begin, 0.5 - fade, delta=0.02 * fade + 0.0005)

    def test_a_tail_is_cut_or_rings_out(self) -> None:
        samples = np.zeros((2 * RATE, 1), np.float32)
        samples[RATE // 2 : RATE // 2 + 100] = 0.5
        node = self.source(samples)
        space = {"kind": "space", "params": {"decay_s": 1.0}, "start_s": 0.4, "end_s": 0.6}
        cut, ring = (
            np.asarray(self.renderer.read(Chained(node=node, chain=(Step.model_validate({**space, "tail": tail}),)), 0, 2 * RATE)) for tail in ("cut", "ring")
        )
        after = round(0.62 * RATE)
        self.assertEqual(levels.peak(cut[after:]), 0.0)
        self.assertGreater(levels.peak(ring[after:]), 0.001)
        np.testing.assert_allclose(ring[: round(0.39 * RATE)], samples[: round(0.39 * RATE)], atol=1e-7)

    def test_ringing_leaves_what_comes_after_dry(self) -> None:
        """With the tail ringing, the step is not given what lies behind the part."""
        samples = np.zeros((2 * RATE, 1), np.float32)
        samples[round(1.2 * RATE)] = 0.5
        node = self.source(samples)
        step = Step(kind="space", params={"decay_s": 1.0}, start_s=0.2, end_s=0.8, tail="ring")
        np.testing.assert_allclose(self.renderer.read(Chained(node=node, chain=(step,)), 0, 2 * RATE), samples, atol=1e-7)

    def test_limits_count_for_the_hash_and_defaults_do_not(self) -> None:
        def hashed(**more: Any) -> str:
            return node_hash(Chained(node=self.node, chain=(Step.model_validate({**DOWN, **more}),)))

        plain = hashed()
        self.assertEqual(plain, hashed(fade_s=0.1, tail="ring"))  # without a part there is nothing to fade
        different = [plain, hashed(channels=[0]), hashed(low_hz=100.0), hashed(start_s=0.1), hashed(start_s=0.1, tail="ring"), hashed(start_s=0.1, fade_s=0.2)]
        self.assertEqual(len(set(different)), len(different))

    @settings(max_examples=25, deadline=None)
    @given(
        st.floats(0, 1.8),
        st.floats(0.05, 1.5),
        st.sampled_from([(), (0,), (1,), (0, 1)]),
        st.sampled_from([(None, None), (300.0, None), (None, 2500.0), (800.0, 3000.0)]),
        st.sampled_from(["cut", "ring"]),
        st.integers(0, 90_000),
    )
    def test_from_any_position_and_with_any_limit_it_is_the_same(
        self, start: float, length: float, channels: tuple[int, ...], band: tuple[float | None, float | None], tail: str, place: int
    ) -> None:
        step = Step.model_validate(
            {
                "kind": "high_pass",
                "params": {"cutoff_hz": 900.0},
                "start_s": start,
                "end_s": start + length,
                "channels": channels,
                "low_hz": band[0],
                "high_hz": band[1],
                "tail": tail,
            }
        )
        node = Chained(node=self.node, chain=(step,))
        whole = np.asarray(self.renderer.audio(node)[0])
        self.assertEqual(len(whole), len(self.dry))
        fresh = Renderer(lambda audio: self.media[audio], Cache(self.folder / "other"))
        fresh.cache.budget = 0
        part = np.concatenate(list(fresh._compute(node, place)))[:4001]
        np.testing.assert_allclose(part, whole[place : place + 4001], atol=2e-6)
        silent = [lane for lane in (0, 1) if channels and lane not in channels]
        np.testing.assert_array_equal(whole[:, silent], self.dry[:, silent])
        if tail == "cut":
            before = max(0, round((start - 0.006) * RATE))
            np.testing.assert_allclose(whole[:before], self.dry[:before], atol=1e-7)


class Reordering(InFolder):
    """Chains of linear steps give the same in any order; steps that are off, in any order, change not one bit."""

    CHAIN = (
        Step(kind="gain", params={"gain_db": -3.0}),
        Step(kind="high_pass", params={"cutoff_hz": 120.0}),
        Step(kind="band", params={"kind": "bell", "frequency_hz": 2000.0, "gain_db": 5.0}),
        Step(kind="width", params={"side_db": 3.0}),
        Step(kind="mono_below", params={"cutoff_hz": 150.0}),
    )

    def setUp(self) -> None:
        super().setUp()
        self.node = self.source(np.concatenate([noise(0.4, -20, channels=2), sine(330, 0.2, -12).repeat(2, axis=1)]))

    @settings(max_examples=15, deadline=None)
    @given(st.permutations(CHAIN))
    def test_linear_steps_commute(self, chain: list[Step]) -> None:
        wanted = self.renderer.read(Chained(node=self.node, chain=self.CHAIN), 0, 10**6)
        found = self.renderer.read(Chained(node=self.node, chain=tuple(chain)), 0, 10**6)
        np.testing.assert_allclose(found, wanted, atol=3e-6)

    @settings(max_examples=15, deadline=None)
    @given(st.permutations(sorted(REGISTRY)))
    def test_all_off_is_the_input_bit_for_bit(self, kinds: list[str]) -> None:
        chain = tuple(Step(kind=kind, on=False) for kind in kinds)
        np.testing.assert_array_equal(self.renderer.read(Chained(node=self.node, chain=chain), 0, 10**6), self.renderer.read(self.node, 0, 10**6))

    @settings(max_examples=10, deadline=None)
    @given(st.permutations(CHAIN), st.integers(0, 4))
    def test_removing_a_step_from_the_middle_is_never_having_had_it(self, chain: list[Step], place: int) -> None:
        off = [step.model_copy(update={"on": i != place}) for i, step in enumerate(chain)]
        gone = [step for i, step in enumerate(chain) if i != place]
        one, other = (Chained(node=self.node, chain=tuple(steps)) for steps in (off, gone))
        self.assertEqual(node_hash(one), node_hash(other))


if __name__ == "__main__":
    unittest.main()
