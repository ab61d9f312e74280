"""Slices never overlap, settings act as they say, and corrections stay."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from oskren.core.errors import OskrenError
from oskren.core.measure import levels
from oskren.core.measure.report import measure
from oskren.core.slice import alike, detect, plan
from oskren.core.slice import finish as finishing
from oskren.core.vary import apart
from tests.support import RATE, InFolder, noise, sine, struck


def take(starts: list[float], floor: float = -60, seconds: float = 10.0) -> np.ndarray:
    out = noise(seconds, floor)
    for k, at in enumerate(starts):
        hit = struck(0.4, 0.06, seed=k)
        first = round(at * RATE)
        out[first : first + len(hit)] += hit[: len(out) - first]
    return out


STARTS = [0.5, 1.6, 2.4, 4.0, 6.5, 8.2]
LEVELS = detect.analyse([take(STARTS)], RATE)


class Finding(unittest.TestCase):
    def test_every_hit_is_found_at_its_start(self) -> None:
        found = detect.detect(LEVELS, detect.SliceSettings())
        self.assertEqual(len(found), len(STARTS))
        for one, start in zip(found, STARTS, strict=True):
            self.assertAlmostEqual(one.attack_s, start, delta=0.003)
            self.assertAlmostEqual(one.start_s, one.attack_s - 0.002, places=4)

    def test_the_threshold_starts_from_the_measured_floor(self) -> None:
        self.assertAlmostEqual(LEVELS.floor_dbfs, -60, delta=1)
        self.assertAlmostEqual(detect.threshold(LEVELS, detect.SliceSettings(sensitivity_db=20)), LEVELS.floor_dbfs + 20)

    def test_levels_are_the_same_however_the_sound_is_cut(self) -> None:
        samples = take(STARTS, seconds=4)
        whole = detect.analyse([samples], RATE)
        parts = detect.analyse((samples[at : at + 7001] for at in range(0, len(samples), 7001)), RATE)
        np.testing.assert_allclose(whole.power, parts.power, rtol=1e-5)
        np.testing.assert_allclose(whole.bright, parts.bright, rtol=1e-4, atol=1e-12)

    def test_settings_act(self) -> None:
        base = detect.SliceSettings()
        count = len(detect.detect(LEVELS, base))
        self.assertEqual(len(detect.detect(LEVELS, base.model_copy(update={"sensitivity_db": 58.0}))), 0)
        self.assertEqual(len(detect.detect(LEVELS, base.model_copy(update={"min_length_ms": 2000.0}))), 0)
        wide = detect.detect(LEVELS, base.model_copy(update={"min_gap_ms": 900.0}))
        self.assertLess(len(wide), count)
        rolled = detect.detect(LEVELS, base.model_copy(update={"pre_roll_ms": 50.0, "tail_ms": 200.0}))
        self.assertAlmostEqual(rolled[0].attack_s - rolled[0].start_s, 0.05, places=3)
        self.assertGreater(rolled[0].end_s, detect.detect(LEVELS, base)[0].end_s + 0.15)

    def test_an_attack_inside_a_sound_begins_a_slice(self) -> None:
        out = take([1.0], seconds=3)
        out[round(1.25 * RATE) :][: RATE // 4] += 2 * struck(0.25, 0.05, seed=9)
        levels = detect.analyse([out], RATE)
        for by in ("sounds", "level"):
            found = detect.detect(levels, detect.SliceSettings(by=by, attacks="on"))
            self.assertEqual(len(found), 2)
            self.assertAlmostEqual(found[1].attack_s, 1.25, delta=0.005)
            self.assertEqual(len(detect.detect(levels, detect.SliceSettings(by=by, attacks="off"))), 1)

    def test_silence_has_no_slices_and_dense_sound_says_so(self) -> None:
        self.assertEqual(detect.detect(detect.analyse([np.zeros((RATE, 1), np.float32)], RATE), detect.SliceSettings()), [])
        self.assertEqual(detect.detect(detect.analyse([], RATE), detect.SliceSettings()), [])
        self.assertFalse(detect.analyse([noise(3, -10)], RATE).floor_visible)

    def test_digital_silence_between_sounds(self) -> None:
        out = np.zeros((RATE * 4, 1), np.float32)
        for at in (1, 2, 3):
            out[at * RATE : at * RATE + RATE // 4] = struck(0.25, 0.05, seed=at)
        found = detect.detect(detect.analyse([out], RATE), detect.SliceSettings())
        self.assertEqual([round(one.attack_s, 2) for one in found], [1, 2, 3])

    @settings(deadline=None, max_examples=40)
    @given(st.floats(1, 60), st.floats(1, 3000), st.floats(1, 3000), st.floats(0, 500), st.floats(0, 3000), st.sampled_from(["auto", "on", "off"]))
    def test_slices_never_overlap_and_stay_inside(self, sensitivity: float, length: float, gap: float, before: float, tail: float, attacks: str) -> None:
        values = {"sensitivity_db": sensitivity, "min_length_ms": length, "min_gap_ms": gap, "pre_roll_ms": before, "tail_ms": tail, "attacks": attacks}
        found = detect.detect(LEVELS, detect.SliceSettings.model_validate(values))
        end = 0.0
        for one in found:
            self.assertGreaterEqual(one.start_s, end - 1e-6)
            self.assertGreater(one.end_s, one.start_s)
            self.assertTrue(one.start_s - 1e-6 <= one.attack_s <= one.end_s + 1e-6)
            end = one.end_s
        self.assertLessEqual(end, LEVELS.seconds + 1e-6)


class Plans(unittest.TestCase):
    def setUp(self) -> None:
        self.plan = plan.refound(plan.Plan(), detect.SliceSettings(), detect.detect(LEVELS, detect.SliceSettings()))
        self.ids = [piece.id for piece in self.plan.slices]

    def test_edges_stay_off_their_neighbours(self) -> None:
        moved = plan.move(self.plan, self.ids[1], start_s=0.0, end_s=99.0, seconds=LEVELS.seconds)
        self.assertEqual(moved.slices[1].start_s, self.plan.slices[0].end_s)
        self.assertEqual(moved.slices[1].end_s, self.plan.slices[2].start_s)
        shut = plan.move(self.plan, self.ids[1], start_s=50.0)
        self.assertGreater(shut.slices[1].end_s, shut.slices[1].start_s)

    def test_a_slice_with_less_room_than_the_shortest_lies_against_its_neighbours(self) -> None:
        close = plan.Plan(
            slices=tuple(plan.Slice(id=k, start_s=at, end_s=end, attack_s=at) for k, at, end in ((1, 0.0, 1.0), (2, 1.0, 1.0004), (3, 1.0004, 2.0)))
        )
        for edge in ({"start_s": 0.5}, {"start_s": 1.5}, {"end_s": 0.5}, {"end_s": 1.5}):
            with self.subTest(edge=edge):
                moved = plan.move(close, 2, **edge)
                self.assertEqual(plan.Plan.model_validate(moved.model_dump()).slices[1].end_s, 1.0004)

    def test_a_plan_that_a_library_holds_opens_whatever_was_kept(self) -> None:
        crossing = {"slices": [{"id": 1, "start_s": 0, "end_s": 1, "attack_s": 0}, {"id": 1, "start_s": 0.5, "end_s": 2, "attack_s": 0.5}]}
        with self.assertRaisesRegex(ValidationError, "overlap"):
            plan.Plan.model_validate(crossing)
        self.assertEqual(len(plan.Plan.model_validate(crossing, context=plan.AS_KEPT).slices), 2)

    def test_split_and_merge_are_each_others_undoing(self) -> None:
        piece = self.plan.slices[2]
        middle = (piece.start_s + piece.end_s) / 2
        parted = plan.split(self.plan, piece.id, middle)
        self.assertEqual(len(parted.slices), len(self.plan.slices) + 1)
        joined = plan.merge(parted, piece.id)
        self.assertEqual((joined.slices[2].start_s, joined.slices[2].end_s), (piece.start_s, piece.end_s))

    def test_what_cannot_be_done_is_said(self) -> None:
        for act, words in (
            (lambda: plan.split(self.plan, self.ids[0], 9.9), "playhead inside"),
            (lambda: plan.merge(self.plan, self.ids[-1]), "no next"),
            (lambda: plan.drop(self.plan, 999), "no slice 999"),
            (lambda: plan.add(self.plan, 0.4, 0.7), "meets another"),
            (lambda: plan.add(self.plan, 3.0, 3.0), "at least 1 ms"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(OskrenError, words):
                act()

    def test_corrections_stay_when_found_anew(self) -> None:
        dropped = plan.drop(plan.add(self.plan, 3.0, 3.2), self.ids[0])
        again = plan.refound(dropped, detect.SliceSettings(sensitivity_db=58), [])
        self.assertEqual([(piece.start_s, piece.dropped) for piece in again.slices], [(self.plan.slices[0].start_s, True), (3.0, False)])
        whole = plan.refound(dropped, detect.SliceSettings(), detect.detect(LEVELS, detect.SliceSettings()))
        self.assertEqual(len(whole.slices), len(STARTS) + 1)
        self.assertEqual(len(whole.kept), len(STARTS))


class Finishing(InFolder):
    def test_every_slice_hits_its_level_after_fades_and_mono(self) -> None:
        samples = np.repeat(take(STARTS), 2, axis=1) * [1.0, 0.4]
        node = self.source(samples.astype(np.float32))
        found = detect.detect(LEVELS, detect.SliceSettings())
        for peak in (-1.0, -3.0):
            finish = finishing.Finish(peak_dbfs=peak, mono=True)
            for one in found:
                out = np.asarray(self.renderer.audio(finishing.one_shot(node, one, finish))[0])
                self.assertEqual(out.shape, (round(one.end_s * RATE) - round(one.start_s * RATE), 1))
                self.assertAlmostEqual(levels.db(levels.peak(out)), peak, delta=0.01)
                self.assertLess(max(abs(out[0, 0]), abs(out[-1, 0])), 0.01)

    def test_every_file_hits_its_loudness_or_true_peak(self) -> None:
        """The demo's own hits, of different loudness, by what is measured of what comes out."""
        node = self.source(np.concatenate([struck(0.5, 0.1, seed=k) * np.float32(0.2 * (k + 1)) for k in range(3)]))
        pieces = [plan.Slice(id=k, start_s=0.5 * k, end_s=0.5 * k + 0.5, attack_s=0.5 * k) for k in range(3)]
        for finish, name, wanted in (
            (finishing.Finish(level_by="loudness", loudness_lufs=-26.0), "max_momentary_lufs", -26.0),
            (finishing.Finish(level_by="true peak", peak_dbfs=-2.0), "true_peak_dbtp", -2.0),
        ):
            for piece in pieces:
                found = measure(np.asarray(self.renderer.audio(finishing.one_shot(node, piece, finish))[0]), RATE, slow=False)
                self.assertAlmostEqual(getattr(found, name), wanted, delta=0.06)

    def test_one_gain_for_all_keeps_how_loud_they_are_to_each_other(self) -> None:
        node = self.source(np.concatenate([struck(0.5, 0.1, seed=3) * np.float32(level) for level in (0.1, 0.2, 0.4)]))
        finish = finishing.Finish(level_by="one gain", gain_db=6.0, fade_in_ms=0, fade_out_ms=0)
        peaks = []
        for k in range(3):
            piece = plan.Slice(id=k, start_s=0.5 * k, end_s=0.5 * k + 0.5, attack_s=0.5 * k)
            raw = np.asarray(self.renderer.audio(finishing.one_shot(node, piece, finish.model_copy(update={"gain_db": 0.0})))[0])
            out = np.asarray(self.renderer.audio(finishing.one_shot(node, piece, finish))[0])
            np.testing.assert_allclose(out, raw * 10 ** (6 / 20), rtol=1e-6)
            peaks.append(levels.db(levels.peak(out)))
        np.testing.assert_allclose(np.diff(peaks), 20 * np.log10(2), atol=1e-4)

    def test_slices_of_one_kind_are_one_group_whatever_their_order_and_level(self) -> None:
        """Sounds that are struck, hissed and hummed, four takes of each in any order, by what is measured of them."""
        drawn = np.random.default_rng(4)
        kinds = [lambda k: struck(0.4, 0.08, seed=k), lambda k: noise(0.5, -30, seed=k), lambda k: np.concatenate([sine(90 + k, 1.5, -20)] * 2)]
        takes = [(kind, make(k) * np.float32(drawn.uniform(0.7, 1))) for k in range(4) for kind, make in enumerate(kinds)]
        order = drawn.permutation(len(takes))
        points = [apart.point(measure(takes[one][1], RATE, slow=False).model_dump(), len(takes[one][1]) / RATE) for one in order]
        found = alike.groups(np.array(points))
        self.assertEqual(len(set(zip(found, (takes[one][0] for one in order), strict=True))), 3)
        self.assertEqual(len(set(found)), 3)
        self.assertEqual(alike.groups(np.zeros((1, 3))), [1])

    def test_the_best_of_a_group_is_whole_usual_and_loud(self) -> None:
        rows = [
            alike.Measured(0.0, 0.2, -9.0, 900.0, None, 12, 0.5),
            alike.Measured(-3.0, -3.0, -12.0, 900.0, None, 0, 2.5),
            alike.Measured(-6.0, -6.0, -15.0, 900.0, None, 0, 0.5),
            alike.Measured(-9.0, -9.0, -18.0, 900.0, None, 0, 0.55),
        ]
        self.assertEqual(alike.best(rows), 2)
        self.assertEqual(alike.best([alike.Measured(None, None, None, None, None, 0, 1.0)]), 0)

    def test_the_order_is_chain_channels_fades_level(self) -> None:
        from oskren.core.nodes import Step

        chain = finishing.finish_chain(finishing.Finish(mono=True, chain=(Step(kind="high_pass"),)))
        self.assertEqual([step.kind for step in chain], ["high_pass", "mono", "fade", "normalise"])
