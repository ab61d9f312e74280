"""Review reels: sounds in a row, what is learned from the whole take for a part of it, rules of marks, suggestions from the audio."""

import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from oskren.core.errors import OskrenError
from oskren.core.mend import reel as rules
from oskren.core.mend.reel import Mark, Reel
from oskren.core.mend.suggest import suggest
from oskren.core.nodes import Chained, Excerpt, NodeAdapter, Row, Step
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.walk import leaves
from oskren.core.words.names import SELECT_TOKENS, check_template, numbered, problems
from tests.support import RATE, InFolder, noise, sine, struck

REDUCE = Step(kind="noise_reduction", id="n", params={"reduction_db": 12.0, "low_bias_db": 0.0, "high_bias_db": 0.0})


class InARow(InFolder):
    def test_one_after_the_other_with_the_gap_between(self) -> None:
        one, two = noise(0.5, seed=1), noise(0.3, seed=2)
        row = Row(nodes=(self.source(one, name="1.wav"), self.source(two, name="2.wav")), gap_s=0.25)
        out = self.renderer.read(row, 0, 10**6)
        np.testing.assert_array_equal(out, np.concatenate([one, np.zeros((RATE // 4, 1), np.float32), two]))
        self.assertEqual(self.renderer.shape(row).frames, len(out))

    def test_rates_and_channels_are_made_alike(self) -> None:
        row = Row(nodes=(self.source(sine(500, 0.4, -6), name="1.wav"), self.source(sine(500, 0.4, -6, rate=96_000, channels=2), 96_000, "2.wav")))
        shape = self.renderer.shape(row)
        self.assertEqual((shape.rate, shape.channels, shape.frames), (96_000, 2, 76_800))
        out = self.renderer.read(row, 0, 10**6)
        for part in (out[10_000:30_000], out[48_000:68_000]):
            spectrum = np.abs(np.fft.rfft(part[:, 0] * np.hanning(len(part))))
            self.assertAlmostEqual(np.argmax(spectrum) * 96_000 / len(part), 500, delta=5)

    @settings(max_examples=20, deadline=None)
    @given(st.integers(0, 60_000), st.integers(1, 9000))
    def test_from_any_position_it_is_the_same(self, start: int, frames: int) -> None:
        filtered = Chained(node=self.source(noise(0.5, seed=1), name="1.wav"), chain=(Step(kind="high_pass"),))
        row = Row(nodes=(filtered, self.source(noise(0.4, seed=2), name="2.wav")), gap_s=0.1)
        whole = self.renderer.read(row, 0, 10**6)
        np.testing.assert_allclose(self.renderer.read(row, start, frames), whole[start : start + frames], atol=1e-6)

    def test_a_row_survives_json_and_names_its_originals(self) -> None:
        one = self.source(noise(0.2), name="1.wav")
        row = Row(nodes=(one, Excerpt(node=one, start_s=0, end_s=0.1)), gap_s=1)
        self.assertEqual(NodeAdapter.validate_json(row.model_dump_json()), row)
        self.assertEqual([leaf.audio for leaf in leaves(row)], [one.audio])
        self.assertNotEqual(node_hash(row), node_hash(row.model_copy(update={"gap_s": 2.0})))


class LearnedElsewhere(InFolder):
    """A part of a take is cleaned by what the whole take says, though the quiet second lies outside the part."""

    def setUp(self) -> None:
        super().setUp()
        samples = noise(4, -50)
        samples[2 * RATE :] += 0.2 * noise(2, -10, seed=3)
        self.take = self.source(samples)

    def test_a_select_sounds_as_its_part_of_the_take_did(self) -> None:
        step = REDUCE.model_copy(update={"params": {**REDUCE.params, "parts": [[0.2, 1.4]]}})
        whole = self.renderer.read(Chained(node=self.take, chain=(step,)), 0, 10**6)
        part = Excerpt(node=self.take, start_s=2.5, end_s=3.5)
        moved = self.renderer.read(Chained(node=part, chain=rules.learned_whole((step,), self.take)), 0, 10**6)
        middle = slice(round(0.2 * RATE), round(0.8 * RATE))
        difference = moved[middle] - whole[round(2.5 * RATE) :][middle]
        self.assertLess(np.std(difference), 0.02 * np.std(moved[middle]))
        with self.assertRaisesRegex(OskrenError, "noise profile"):
            self.renderer.read(Chained(node=part, chain=(step.model_copy(update={"params": {**step.params, "parts": [[3.0, 3.9]]}}),)), 0, 10)

    def test_what_is_learned_at_another_rate_or_on_other_channels_fits(self) -> None:
        """White noise of one level per Hz, learned at 44.1, 48 and 96 kHz, in mono and stereo, takes the same noise down by the same."""
        two = self.source(noise(2, -50, channels=2, seed=5), name="two.wav")
        lowered = []
        for rate, channels in ((48_000, 2), (48_000, 1), (44_100, 1), (96_000, 2)):
            room = noise(2, -50 + 10 * np.log10(rate / 48_000), rate=rate, channels=channels, seed=6)
            other = self.source(room, rate, f"room {rate} {channels}.wav")
            step = REDUCE.model_copy(update={"learned_on": other})
            out = self.renderer.read(Chained(node=two, chain=(step, Step(kind="dc", learned_on=other))), 0, 10**6)
            self.assertEqual(out.shape, (2 * RATE, 2))
            lowered.append(20 * np.log10(np.std(out[4800:-4800]) / 10 ** (-50 / 20)))
        np.testing.assert_allclose(lowered, -12, atol=0.6)

    def test_steps_that_name_places_learn_from_the_part_itself(self) -> None:
        chain = rules.learned_whole((Step(kind="clicks"), Step(kind="hum"), Step(kind="normalise"), Step(kind="gain")), self.take)
        self.assertEqual([step.learned_on is not None for step in chain], [False, True, False, False])

    def test_what_is_learned_from_counts_for_the_hash_and_is_sent_along(self) -> None:
        other = self.source(noise(1, -40, seed=9), name="other.wav")
        plain, learned = (Chained(node=self.take, chain=(REDUCE.model_copy(update={"learned_on": one}),)) for one in (None, other))
        self.assertNotEqual(node_hash(plain), node_hash(learned))
        self.assertEqual({leaf.audio for leaf in leaves(learned)}, {self.take.audio, other.audio})

    def test_changing_the_reduction_learns_nothing_again(self) -> None:
        def after(reduction: float) -> float:
            chain = (REDUCE.model_copy(update={"params": {"reduction_db": reduction}}),)
            before = {path.name for path in self.renderer.cache.folder.glob("??/*.npz")}
            self.renderer.read(Chained(node=self.take, chain=chain), 0, 100)
            return len({path.name for path in self.renderer.cache.folder.glob("??/*.npz")} - before)

        self.assertEqual([after(3.0), after(9.0), after(12.0)], [1, 0, 0])


class Rules(unittest.TestCase):
    LENGTHS = {7: 60.0, 9: 30.0}

    def reel(self, *marks: dict[str, Any], **more: Any) -> Reel:
        return Reel(takes=(7, 9), marks=tuple(Mark(id=i, **mark) for i, mark in enumerate(marks, 1)), **more)

    def test_where_takes_begin_on_the_strip(self) -> None:
        self.assertEqual(rules.starts(self.reel(gap_s=10), self.LENGTHS), [0.0, 70.0])
        self.assertEqual(rules.starts(self.reel(gap_s=0), self.LENGTHS), [0.0, 60.0])

    def test_usable_length_and_what_is_short(self) -> None:
        reel = self.reel(
            {"take": 7, "start_s": 1, "end_s": 21},
            {"take": 7, "start_s": 30, "end_s": 35},
            {"take": 9, "start_s": 2, "end_s": 10, "kind": "maybe"},
            {"take": 9, "start_s": 12, "end_s": 14, "kind": "noise"},
            shortest_s=16,
        )
        told = rules.usable(reel)
        self.assertEqual((told.kept_s, told.kept, told.maybe_s, told.noise_s, told.short), (25, 2, 8, 2, [2]))

    def test_noise_marks_are_the_profile_of_their_own_take(self) -> None:
        reel = self.reel({"take": 7, "start_s": 3, "end_s": 4, "kind": "noise"}, chain=(REDUCE, Step(kind="gain")))
        self.assertEqual(rules.chain_for(reel, 7)[0].values().parts, ((3.0, 4.0),))
        self.assertEqual(rules.chain_for(reel, 9)[0].values().parts, ())
        self.assertEqual(rules.chain_for(reel, 7)[1], Step(kind="gain"))

    def test_what_cannot_be_is_refused(self) -> None:
        for mark, words in (
            ({"take": 9, "start_s": 29, "end_s": 31}, "no part of its take"),
            ({"take": 9, "start_s": 5, "end_s": 5.001}, "no part"),
        ):
            with self.subTest(mark=mark), self.assertRaisesRegex(OskrenError, words):
                rules.check(self.reel(mark), self.LENGTHS)
        for kind in ("pitch", "trim", "reverse"):
            with self.subTest(kind=kind), self.assertRaisesRegex(OskrenError, "Use it on the selects"):
                rules.check(self.reel(chain=(Step(kind=kind),)), self.LENGTHS)
        twice = Mark(id=1, take=7, start_s=0, end_s=1)
        for body, words in (
            ({"takes": (7, 7)}, "once only"),
            ({"takes": (7,), "marks": (twice, twice)}, "number 1"),
            ({"takes": (9,), "marks": (twice,)}, "not on this reel"),
        ):
            with self.subTest(body=body), self.assertRaisesRegex(ValidationError, words):
                Reel(**body)


class Suggested(unittest.TestCase):
    """A minute with everything in it, each at a known place."""

    def setUp(self) -> None:
        frames = 60 * RATE
        self.samples = noise(60, -66)
        t = np.arange(frames) / RATE
        self.samples += (0.0015 * sum(np.sin(2 * np.pi * 49.98 * k * t) / k for k in range(1, 7)))[:, None].astype(np.float32)
        for k, at in enumerate((5.0, 20.0, 50.0)):
            self.samples[round(at * RATE) : round(at * RATE) + RATE // 2] += 0.3 * struck(seed=k)
        thump = np.sin(2 * np.pi * 45 * t[:14_400]) * np.exp(-t[:14_400] / 0.06) * np.minimum(t[:14_400] / 0.01, 1)
        self.samples[30 * RATE : 30 * RATE + 14_400, 0] += (0.1 * thump).astype(np.float32)
        self.samples[42 * RATE : 43 * RATE] = np.clip(self.samples[42 * RATE : 43 * RATE] + sine(220, 1, 3), -0.8, 0.8)

    def found(self, size: int) -> Any:
        return suggest((self.samples[at : at + size] for at in range(0, len(self.samples), size)), RATE)

    def test_each_is_found_where_it_is(self) -> None:
        told = self.found(65_536)
        places = {kind: [round(one.start_s, 1) for one in told.found if one.kind == kind] for kind in ("event", "bump", "clipped", "quiet")}
        for at in (5.0, 20.0, 50.0):
            self.assertTrue(any(abs(place - at) < 0.2 for place in places["event"]), (at, places))
        self.assertEqual(places["bump"], [30.0])
        self.assertEqual(places["clipped"], [42.0])
        self.assertAlmostEqual(told.hum_hz, 49.98, delta=0.02)
        self.assertGreaterEqual(len(places["quiet"]), 2)
        for one in told.found:
            if one.kind == "quiet":
                inside = self.samples[round(one.start_s * RATE) : round(one.end_s * RATE)]
                self.assertLess(np.max(np.abs(inside)), 0.02)
        self.assertAlmostEqual(told.seconds, 60.0, places=3)

    def test_it_is_the_same_in_other_blocks(self) -> None:
        one, other = self.found(65_536), self.found(1_000_003)
        self.assertEqual([(a.kind, round(a.start_s, 2)) for a in one.found], [(b.kind, round(b.start_s, 2)) for b in other.found])

    def test_silence_and_shortness_suggest_nothing(self) -> None:
        for frames in (0, 10, 5 * RATE):
            told = suggest(iter([np.zeros((frames, 2), np.float32)]), RATE)
            with self.subTest(frames=frames):
                self.assertEqual((told.found, told.hum_hz), ([], None))


class Names(unittest.TestCase):
    def test_numbers_make_names_the_only_ones(self) -> None:
        rows = [{"code": "GLCR", "place": "Reed beds", "words": "slow"}, {"code": "GLCR", "place": "", "words": "slow"}] * 2
        found = numbered("{code} {place} {words} {number:2}", rows, {"GLCR slow 01"})
        self.assertEqual(found, ["GLCR Reed beds slow 01", "GLCR slow 02", "GLCR Reed beds slow 02", "GLCR slow 03"])

    def test_without_a_number_names_may_collide_and_it_ends(self) -> None:
        self.assertEqual(numbered("{words}", [{"words": "a"}] * 3, ()), ["a", "a", "a"])

    def test_what_is_wrong_with_a_name_is_said(self) -> None:
        for name, words in (("a/b", "cannot be"), ("con", "device"), ("x" * 300, "bytes long"), (" ", "empty"), ("dot.", "cut off"), ("a:b", ":")):
            with self.subTest(name=name[:9]):
                self.assertIn(words, " ".join(problems(name)))
        self.assertEqual(problems("GLCR Reed beds slow 01"), [])

    def test_every_token_may_stand_in_a_template(self) -> None:
        for token in SELECT_TOKENS:
            check_template("{" + token + "}", SELECT_TOKENS)
        with self.assertRaisesRegex(OskrenError, "does not exist"):
            check_template("{rate}", SELECT_TOKENS)


if __name__ == "__main__":
    unittest.main()
