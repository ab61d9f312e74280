"""Nodes: hashes, time maps, blockwise rendering, and that only what depends on an edit is rendered again."""

import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.errors import OskrenError
from oskren.core.measure import levels
from oskren.core.nodes import Cache, Chained, Difference, Excerpt, Loop, Member, Mix, NodeAdapter, Renderer, Step, cache
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import check_chain
from oskren.core.nodes.walk import leaves
from oskren.core.timemap import TimeMap
from tests.support import RATE, InFolder, noise, sine, struck


class Limited(InFolder):
    def setUp(self) -> None:
        super().setUp()
        samples = noise(2.1, -18, channels=2)
        samples[:, 1] *= 0.5
        self.node = self.source(samples)

    def test_a_step_limited_to_a_part_leaves_the_rest_alone(self) -> None:
        node = Chained(node=self.node, chain=(Step(kind="gain", params={"gain_db": -60.0}, start_s=0.5, end_s=1.0),))
        dry, out = self.renderer.read(self.node, 0, 10**6), self.renderer.read(node, 0, 10**6)
        np.testing.assert_allclose(out[: RATE // 2 - 300], dry[: RATE // 2 - 300], atol=1e-7)
        np.testing.assert_allclose(out[RATE + 300 :], dry[RATE + 300 :], atol=1e-7)
        self.assertLess(levels.rms(out[26_000:47_000]), 0.002 * levels.rms(dry[26_000:47_000]) * 2)


class Hashes(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.node = self.source(noise(0.5))
        self.step = Step(kind="high_pass", id="a", params={"cutoff_hz": 100.0})

    def test_names_ids_and_steps_that_are_off_do_not_count(self) -> None:
        off = Step(kind="gain", params={"gain_db": 9.0}, on=False)
        one = Chained(node=self.node, chain=(self.step,))
        other = Chained(node=self.node, chain=(self.step.model_copy(update={"id": "b"}), off))
        self.assertEqual(node_hash(one), node_hash(other))
        self.assertEqual(node_hash(Chained(node=self.node, chain=(off,))), node_hash(self.node))
        members = [Mix(members=(Member(node=self.node, name=name, role=role, id=name),)) for name, role in (("a", "body"), ("b", "tail"))]
        self.assertEqual(*[node_hash(mix) for mix in members])

    def test_defaults_written_out_do_not_count(self) -> None:
        plain = Chained(node=self.node, chain=(Step(kind="high_pass", params={}),))
        written = Chained(node=self.node, chain=(Step(kind="high_pass", params={"cutoff_hz": 80.0, "slope": "24"}),))
        self.assertEqual(node_hash(plain), node_hash(written))

    def test_what_changes_the_audio_counts(self) -> None:
        gain = Step(kind="gain", params={"gain_db": 1.0})
        nodes = [
            self.node,
            Excerpt(node=self.node, start_s=0, end_s=0.2),
            Chained(node=self.node, chain=(self.step, gain)),
            Chained(node=self.node, chain=(gain, self.step)),
            Chained(node=self.node, chain=(gain.model_copy(update={"start_s": 0.1}), self.step)),
            Mix(members=(Member(node=self.node),)),
            Mix(members=(Member(node=self.node, pan=0.1),)),
            Mix(members=(Member(node=self.node), Member(node=self.node))),
            Mix(members=(Member(node=self.node, reverse=True),)),
        ]
        self.assertEqual(len({node_hash(node) for node in nodes}), len(nodes))

    def test_a_description_survives_json(self) -> None:
        mix = Mix(members=(Member(node=Chained(node=self.node, chain=(self.step,)), at_s=0.25, pitch_st=-7),), chain=(Step(kind="limiter"),))
        again = NodeAdapter.validate_json(mix.model_dump_json())
        self.assertEqual(node_hash(again), node_hash(mix))
        self.assertEqual([leaf.audio for leaf in leaves(again)], [self.node.audio])

    def test_wrong_parameters_are_one_sentence(self) -> None:
        for step, words in (
            (Step(kind="high_pass", params={"cutoff_hz": -5}), "cutoff_hz"),
            (Step(kind="gain", params={"loud": 1}), "loud"),
        ):
            with self.subTest(step=step.kind), self.assertRaisesRegex(OskrenError, words):
                node_hash(Chained(node=self.node, chain=(step,)))


class UnknownSteps(InFolder):
    """A step of a kind that this version does not know is kept and passed over."""

    def test_it_changes_nothing_and_is_not_lost(self) -> None:
        node = self.source(noise(0.5))
        known = Step(kind="gain", params={"gain_db": -6.0})
        strange = Step(kind="from the future", params={"depth": [1, {"a": 2}]}, id="f")
        with_it, without = Chained(node=node, chain=(strange, known)), Chained(node=node, chain=(known,))
        self.assertEqual(node_hash(with_it), node_hash(without))
        np.testing.assert_array_equal(self.renderer.audio(with_it)[0], self.renderer.audio(without)[0])
        self.assertEqual(NodeAdapter.validate_json(with_it.model_dump_json()), with_it)

    def test_only_what_was_there_before_is_kept(self) -> None:
        strange = Step(kind="from the future")
        check_chain([strange], [strange])
        with self.assertRaisesRegex(OskrenError, "no step called 'from the future'"):
            check_chain([strange])
        with self.assertRaisesRegex(OskrenError, "Gain"):
            check_chain([Step(kind="gain", params={"gain_db": 99})], [Step(kind="gain")])


class RenderedAgain(InFolder):
    """Only what depends on an edit is rendered again."""

    def setUp(self) -> None:
        super().setUp()
        self.members = tuple(Member(id=str(k), node=self.source(struck(0.5, seed=k), name=f"{k}.wav"), pitch_st=-2.0 * k - 1) for k in range(4))
        self.mix = Mix(members=self.members)
        self.renderer.audio(self.mix)
        self.renderer.renders.clear()

    def edited(self, **values: float) -> Mix:
        return self.mix.model_copy(update={"members": (*self.members[:3], self.members[3].model_copy(update=values))})

    def test_gain_pan_place_and_mute_render_no_layer(self) -> None:
        for values in ({"gain_db": -6.0}, {"pan": 0.5}, {"at_s": 0.2}, {"mute": True}):
            self.renderer.audio(self.edited(**values))
            with self.subTest(values=values):
                self.assertEqual(dict(self.renderer.renders), {"mix": 1})
            self.renderer.renders.clear()

    def test_a_pitched_layer_renders_itself_alone(self) -> None:
        self.renderer.audio(self.edited(pitch_st=-9.0))
        self.assertEqual(dict(self.renderer.renders), {"mix": 1, "pitch": 1})

    def test_nothing_is_rendered_twice(self) -> None:
        self.renderer.audio(self.mix)
        self.assertEqual(dict(self.renderer.renders), {})

    def test_removing_a_step_in_the_middle_keeps_the_later_ones(self) -> None:
        steps = tuple(Step(kind=kind, params={"gain_db": 3.0} if kind == "gain" else {}) for kind in ("gain", "reverse", "high_pass"))
        node = self.members[0].node
        self.renderer.audio(Chained(node=node, chain=steps))
        without = self.renderer.audio(Chained(node=node, chain=(steps[0], steps[2])))[0]
        wanted = Renderer(lambda audio: self.media[audio], Cache(self.folder / "other")).audio(Chained(node=node, chain=(steps[0], steps[2])))[0]
        np.testing.assert_array_equal(without, wanted)


class TimeMaps(InFolder):
    @given(st.floats(-5, 5), st.floats(0.2, 4), st.floats(-3, 3), st.booleans())
    def test_there_and_back(self, offset: float, scale: float, moment: float, reverse: bool) -> None:
        one = TimeMap.affine(-scale if reverse else scale, offset)
        self.assertAlmostEqual(one.to_output(one.to_input(moment)), moment, places=6)

    @given(st.lists(st.floats(0.01, 2), min_size=2, max_size=6), st.floats(0.2, 4), st.floats(-2, 8))
    def test_one_after_another(self, steps: list[float], scale: float, moment: float) -> None:
        inputs = np.cumsum(steps)
        curve = TimeMap(tuple(float(i) for i in range(len(inputs))), tuple(inputs.tolist()))
        later = TimeMap.affine(scale, 0.3)
        self.assertAlmostEqual(curve.then(later).to_input(moment), curve.to_input(later.to_input(moment)), places=6)

    def test_marks_stay_on_their_sound_when_an_earlier_step_changes_length(self) -> None:
        """A trim set on the original keeps its part though the sound is slowed an octave before it."""
        samples = np.zeros((RATE * 2, 1), np.float32)
        samples[RATE : RATE + 100] = 0.5
        node = self.source(samples)
        trim = Step(kind="trim", params={"start_s": 0.9, "end_s": 1.2})
        for semitones in (0.0, -12.0, 12.0):
            out = self.renderer.audio(Chained(node=node, chain=(Step(kind="pitch", params={"semitones": semitones}), trim)))[0]
            ratio = 2 ** (semitones / 12)
            with self.subTest(semitones=semitones):
                self.assertAlmostEqual(len(out) / RATE, 0.3 / ratio, places=3)
                self.assertAlmostEqual(int(np.argmax(np.abs(out) > 0.2)) / RATE, 0.1 / ratio, places=2)

    def test_a_reversed_sound_carries_moments_to_its_other_end(self) -> None:
        node = Chained(node=self.source(noise(2)), chain=(Step(kind="reverse"),))
        self.assertAlmostEqual(self.renderer.time_map(node).to_output(0.5), 1.5)

    def test_a_step_that_is_off_moves_nothing(self) -> None:
        node = Chained(node=self.source(noise(1)), chain=(Step(kind="trim", params={"start_s": 0.5}, on=False),))
        self.assertEqual(self.renderer.shape(node).frames, RATE)


class Mixes(InFolder):
    def test_anchors_land_on_the_strike_line_through_pitch_and_direction(self) -> None:
        samples = np.zeros((RATE, 1), np.float32)
        samples[RATE // 4] = 1.0
        node = self.source(samples)
        for values in (
            {},
            {"pitch_st": -12.0},
            {"reverse": True},
            {"start_s": 0.1, "end_s": 0.6},
            {"pitch_st": 12.0, "reverse": True},
            {"stretch": 1.0, "at_s": 0.3},
        ):
            mix = Mix(members=(Member(node=node, anchor_s=0.25, **values),))
            out = self.renderer.audio(mix)[0]
            zero = self.renderer.output_shape(mix).zero
            with self.subTest(values=values):
                self.assertAlmostEqual((int(np.argmax(np.abs(out[:, 0]))) - zero) / RATE, values.get("at_s", 0.0), delta=0.0005)

    def test_members_of_different_rates_meet_at_the_highest(self) -> None:
        mix = Mix(members=(Member(node=self.source(sine(440, 1, -12), name="a.wav")), Member(node=self.source(sine(440, 1, -12, 96_000), 96_000, "b.wav"))))
        shape = self.renderer.output_shape(mix)
        self.assertEqual((shape.rate, shape.frames), (96_000, 96_000))

    def test_the_sum_is_the_sum(self) -> None:
        a, b = noise(0.5, -20, channels=2, seed=1), noise(0.5, -20, channels=2, seed=2)
        mix = Mix(members=(Member(node=self.source(a, name="a.wav")), Member(node=self.source(b, name="b.wav"), gain_db=-6.0)))
        np.testing.assert_allclose(self.renderer.audio(mix)[0], a + b * 10 ** (-6 / 20), atol=1e-6)

    def test_a_mix_in_a_mix_lands_with_its_strike_line(self) -> None:
        click = np.zeros((1000, 1), np.float32)
        click[500] = 1.0
        inner = Mix(members=(Member(node=self.source(click), anchor_s=500 / RATE),))
        zero = self.renderer.output_shape(inner).zero / RATE
        outer = Mix(members=(Member(node=inner, anchor_s=zero, at_s=0.1),))
        out = self.renderer.audio(outer)[0]
        self.assertAlmostEqual((int(np.argmax(np.abs(out[:, 0]))) - self.renderer.output_shape(outer).zero) / RATE, 0.1, places=3)

    def test_nesting_without_end_is_refused(self) -> None:
        node = self.source(noise(0.1))
        for _ in range(70):
            node = Mix(members=(Member(node=node),))
        with self.assertRaisesRegex(OskrenError, "nests more than"):
            self.renderer.shape(node)

    def test_a_muted_design_is_short_and_silent(self) -> None:
        mix = Mix(members=(Member(node=self.source(noise(0.5)), mute=True),))
        self.assertEqual(levels.peak(np.asarray(self.renderer.audio(mix)[0])), 0.0)


class Removed(InFolder):
    def test_removed_and_kept_make_the_whole(self) -> None:
        node = self.source(noise(1.5, -30, channels=2))
        kept = Chained(node=node, chain=(Step(kind="noise_reduction", params={"reduction_db": 12.0, "start_s": 0.0, "end_s": 0.5}), Step(kind="high_pass")))
        removed = self.renderer.audio(Difference(node=node, without=kept))[0]
        np.testing.assert_allclose(removed + self.renderer.audio(kept)[0], self.renderer.read(node, 0, 10**7), atol=1e-6)

    def test_a_loop_has_its_length_and_no_step_at_the_seam(self) -> None:
        node = Loop(node=self.source(sine(100, 1.0, -12)), start_s=0.1, end_s=0.6, crossfade_s=0.05, length_s=3.2)
        out = np.asarray(self.renderer.audio(node)[0])
        self.assertEqual(len(out), round(3.2 * RATE))
        self.assertLess(np.abs(np.diff(out[:, 0])).max(), 0.02)

    def test_excerpts_outside_their_sound_are_refused(self) -> None:
        with self.assertRaisesRegex(OskrenError, "holds nothing"):
            self.renderer.shape(Excerpt(node=self.source(noise(0.5)), start_s=2, end_s=3))


class Caches(InFolder):
    def test_the_least_recently_used_goes_first(self) -> None:
        import os

        cache = Cache(self.folder / "small")
        for i, name in enumerate(("aa1", "bb2", "cc3", "dd4")):
            cache.write(name, iter([np.zeros((10_000, 1), np.float32)]), RATE, 1)
            os.utime(cache.path(name), (i, i))
        os.utime(cache.path("aa1"), (9, 9))
        cache.budget = 3 * 40_000 + 2000
        cache.evict()
        self.assertEqual([cache.has(name) for name in ("aa1", "bb2", "cc3", "dd4")], [True, False, True, True])

    def test_a_broken_write_leaves_nothing(self) -> None:
        cache = Cache(self.folder / "c")

        def blocks():  # type: ignore[no-untyped-def]
            yield np.zeros((10, 1), np.float32)
            raise ValueError("stop")

        with self.assertRaises(ValueError):
            cache.write("aa", blocks(), RATE, 1)
        self.assertIsNone(cache.open("aa"))
        self.assertEqual([path for path in cache.folder.rglob("*") if path.is_file()], [])

    def test_what_is_held_in_memory_goes_to_disk_when_it_is_long_and_may(self) -> None:
        blocks = [noise(0.1, seed=number) for number in range(5)]
        for long_on_disk in (False, True):
            folder = self.folder / f"scratch {long_on_disk}"
            with self.subTest(long_on_disk=long_on_disk), mock.patch.object(cache, "HELD_BYTES", 3 * blocks[0].nbytes):
                scratch = cache.Scratch(folder, long_on_disk=long_on_disk)
                scratch.write("ab" * 32, iter(blocks), RATE, 1)
                scratch.write("cd" * 32, iter(blocks[:3]), RATE, 1)
                for digest, held in (("ab" * 32, blocks), ("cd" * 32, blocks[:3])):
                    found = scratch.open(digest)
                    assert found is not None
                    np.testing.assert_array_equal(found[0], np.concatenate(held))
                self.assertEqual((Cache(folder).has("ab" * 32), Cache(folder).has("cd" * 32)), (long_on_disk, False))
                scratch.forget()
                self.assertEqual((scratch.has("ab" * 32), scratch.has("cd" * 32)), (long_on_disk, False))

    def test_damaged_entries_count_as_missing(self) -> None:
        cache = Cache(self.folder / "c")
        cache.write("aa", iter([np.ones((10, 1), np.float32)]), RATE, 1)
        cache.path("aa").write_bytes(b"nonsense")
        self.assertIsNone(cache.open("aa"))

    @settings(deadline=None, max_examples=12)
    @given(st.integers(0, 40_000), st.integers(1, 9000))
    def test_rendering_is_deterministic(self, start: int, frames: int) -> None:
        node = Chained(node=self.source(noise(1.0)), chain=(Step(kind="space", params={"decay_s": 0.2}), Step(kind="limiter")))
        one = Renderer(lambda audio: self.media[audio], Cache(self.folder / "one")).read(node, start, frames)
        other = Renderer(lambda audio: self.media[audio], Cache(self.folder / "two")).read(node, start, frames)
        np.testing.assert_array_equal(one, other)


if __name__ == "__main__":
    unittest.main()
