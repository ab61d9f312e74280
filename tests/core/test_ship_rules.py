"""What a target leaves out and holds files to; numbers that stay; what is noted before anything runs."""

import unittest
from pathlib import Path

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from oskren.core.audio import files, metadata
from oskren.core.nodes import Chained, Step
from oskren.core.ship.items import Item, Titled
from oskren.core.ship.planning import noted, planned
from oskren.core.ship.rules import Facts, Rules, held
from oskren.core.ship.sheet import file_key, keys_of, why_written
from oskren.core.ship.target import Target
from oskren.core.ship.verify import rejudged
from oskren.core.ship.write import needs_dither, render_file
from oskren.core.types import Samples
from oskren.core.words import names
from tests.support import RATE, InFolder, noise, sine


class Lengths(InFolder):
    def setUp(self) -> None:
        super().setUp()
        body = sine(440, 1.0, -6)
        hush = np.zeros((RATE // 2, 1), np.float32)
        self.padded = np.concatenate([hush, body, hush, hush]).astype(np.float32)

    def written(self, item: Item, target: Target) -> tuple[Samples, Path]:
        path = self.folder / f"{file_key(item, target)[:8]}.{target.format}"
        self.report = render_file(self.renderer, item, target, path, path.name)
        return files.read(path)[0], path

    def test_silence_is_left_out_with_room_and_marks_and_loops_go_along(self) -> None:
        item = Item(node=self.source(self.padded), name="Tone", markers=((0.1, "gone"), (0.75, "here")), loops=((0.6, 1.2),))
        for room in (0.0, 100.0):
            back, path = self.written(item, Target(silence_dbfs=-60, room_ms=room))
            with self.subTest(room=room):
                self.assertAlmostEqual(len(back) / RATE, 1.0 + 2 * room / 1000, delta=0.002)
                said = metadata.read(path, RATE)
                self.assertEqual([mark.label for mark in said.markers], ["here"])
                self.assertAlmostEqual(said.markers[0].at_s, 0.25 + room / 1000, delta=0.002)
                self.assertAlmostEqual(said.loops[0].start_s, 0.1 + room / 1000, delta=0.002)
                self.assertTrue(self.report.ok, self.report.checks)
        back, _ = self.written(item, Target())
        self.assertEqual(len(back), len(self.padded))
        quiet = Item(node=self.source(self.padded * 1e-5, name="quiet.wav"), name="quiet")
        self.assertEqual(len(self.written(quiet, Target(silence_dbfs=-60))[0]), len(self.padded))

    def test_a_tail_is_cut_where_its_sound_ends(self) -> None:
        echoed = Chained(node=self.source(sine(440, 1.0, -12)), chain=(Step(kind="delay", params={"time_ms": 300.0, "feedback": 0.6, "wet_db": -3.0}),))
        item = Item(node=echoed, name="Echo")
        rung, cut = self.written(item, Target())[0], self.written(item, Target(tail="cut"))[0]
        self.assertGreater(len(rung), RATE * 1.3)
        self.assertEqual(len(cut), RATE)
        np.testing.assert_array_equal(cut, rung[:RATE])
        # with its begin cut off before the delay, the sound ends earlier
        shorter = echoed.model_copy(update={"chain": (Step(kind="trim", params={"start_s": 0.25, "end_s": 1.0}), *echoed.chain)})
        self.assertAlmostEqual(len(self.written(Item(node=shorter, name="Late"), Target(tail="cut"))[0]) / RATE, 0.75, delta=1e-4)

    def test_what_needs_no_dither_gets_none(self) -> None:
        """A 16 bit original leaves as it is; through any step, or made, its rounding is dithered, flat or shaped."""
        rough = (np.rint(noise(0.5, -40).astype(np.float64) * 2**15) / 2**15).astype(np.float32)
        plain = Item(node=self.source(rough), name="rough", bits=16)
        for shaped in (False, True):
            back, _ = self.written(plain, Target(bits=16, shaped=shaped))
            np.testing.assert_array_equal(back, rough)
        turned = plain.model_copy(update={"node": Chained(node=plain.node, chain=(Step(kind="gain", params={"gain_db": -1.0}),))})
        made = plain.model_copy(update={"bits": None})
        self.assertEqual([needs_dither(item, item.node, 16) for item in (plain, turned, made)], [False, True, True])
        self.assertEqual([needs_dither(item, item.node, 24) for item in (turned, made)], [False, False])
        flat, shaped_ = (self.written(turned, Target(bits=16, shaped=how))[0] for how in (False, True))
        self.assertFalse(np.array_equal(flat, shaped_))
        self.assertLess(float(np.abs(flat - shaped_).max()), 2**-11)


class Held(unittest.TestCase):
    def test_each_limit_is_broken_alone(self) -> None:
        good = Facts(1.0, -3.0, -20.0, 0.001, -60.0, 0.1, 0.2, 0.5)
        rules = Rules(true_peak_dbtp=-1, quietest_lufs=-30, loudest_lufs=-10, shortest_s=0.5, longest_s=2)
        self.assertTrue(all(check.ok for check in held(good, rules)))
        for change, name in (
            ({"true_peak_dbtp": -0.9}, "true peak"),
            ({"after_s": 0.6}, "silence at its ends"),
            ({"edge_dbfs": -39.0}, "edges"),
            ({"dc": -0.006}, "DC"),
            ({"correlation": -0.4}, "phase"),
            ({"integrated_lufs": -31.0}, "loudness"),
            ({"integrated_lufs": -9.0}, "loudness"),
            ({"seconds": 0.4}, "length limits"),
            ({"seconds": 2.1}, "length limits"),
        ):
            with self.subTest(change=change):
                broken = [check for check in held(good._replace(**change), rules) if not check.ok]
                self.assertEqual([(check.name, check.warning) for check in broken], [(name, True)])
                strict = held(good._replace(**change), rules.model_copy(update={"strict": True}))
                self.assertFalse(next(check for check in strict if not check.ok).warning)
        anything = Rules(true_peak_dbtp=None, silence_s=None, edge_dbfs=None, dc=None, correlation=None)
        self.assertTrue(all(check.ok for check in held(Facts(0.0, 9.0, None, 1.0, 0.0, 9.0, 9.0, -1.0), anything)))

    def test_a_lossy_file_may_go_over_by_its_tolerance_but_not_over_full_scale(self) -> None:
        for peak, ok in ((-0.6, True), (-0.4, False), (0.1, False)):
            check = held(Facts(1.0, peak, None, 0, -90, 0, 0), Rules(true_peak_dbtp=-1.0), slack_db=0.5)[0]
            self.assertEqual(check.ok, ok, peak)


class Judged(InFolder):
    def test_rules_of_later_are_held_against_what_was_measured(self) -> None:
        item = Item(node=self.source(sine(440, 1.0, -6)), name="Tone")
        report = render_file(self.renderer, item, Target(), self.folder / "tone.wav", "tone.wav")
        self.assertTrue(all(check.ok for check in report.checks if check.name == "true peak"))
        again = rejudged(report, Rules(true_peak_dbtp=-12, strict=True))
        self.assertEqual([check.ok for check in again.checks if check.name == "true peak" and not check.warning], [False])
        self.assertEqual([check.name for check in again.checks if check.name == "sound"], ["sound"])
        old = report.model_copy(update={"facts": None})
        self.assertEqual(rejudged(old, Rules(true_peak_dbtp=-12)), old)

    def test_phase_is_measured(self) -> None:
        one = sine(440, 1.0, -6)
        for other, agree in ((one, 1.0), (-one, -1.0), (sine(660, 1.0, -6), 0.0)):
            item = Item(node=self.source(np.hstack([one, other]), name=f"{agree}.wav"), name="pair")
            report = render_file(self.renderer, item, Target(), self.folder / "pair.wav", "pair.wav")
            assert report.facts is not None and report.facts[4] is not None
            self.assertAlmostEqual(report.facts[4], agree, delta=0.01)
            self.assertEqual([check.ok for check in report.checks if check.name == "phase"], [agree > -0.5])

    def test_it_is_told_why_a_file_is_written_again(self) -> None:
        item = Item(node=self.source(sine(440, 0.2, -6)), name="Tone")
        other = item.model_copy(update={"node": Chained(node=item.node, chain=(Step(kind="gain", params={"gain_db": -1.0}),))})
        for changed, target, told in (
            (item, Target(bits=16), "its target changed"),
            (other, Target(), "its sound changed"),
            (item.model_copy(update={"notes": "new"}), Target(), "its words or markers changed"),
        ):
            self.assertEqual(why_written(keys_of(item, Target()), keys_of(changed, target)), told)
            self.assertNotEqual(file_key(item, Target()), file_key(changed, target))
        self.assertEqual(file_key(item, Target()), file_key(item, Target(rules=Rules(strict=True), begin=7, tidy=True, room_ms=90)))


class Numbers(unittest.TestCase):
    def paths(self, items: list[Titled], template: str, before: list[dict[str, int]] | None = None, begin: int = 1) -> tuple[list[str], list[dict[str, int]]]:
        found = planned("s", items, [Target(template=template, begin=begin)], before or [])
        return [one.path for one in found.files], found.counted

    def test_numbers_stay_when_what_is_on_the_sheet_changes(self) -> None:
        items = [Titled(name, place, RATE, 1) for name, place in (("a", "X"), ("b", "Y"), ("c", "X"), ("d", "X"))]
        for template, first, later in (
            ("{number:2}", ["01", "02", "03", "04"], ["03", "04", "05"]),
            ("{category} {within}", ["X 1", "Y 1", "X 2", "X 3"], ["X 2", "X 3", "Y 1"]),
            ("{category}/{place}", ["X/1", "Y/1", "X/2", "X/3"], ["X/2", "X/3", "Y/1"]),
        ):
            with self.subTest(template=template):
                paths, counted = self.paths(items, template)
                self.assertEqual(paths, [f"{name}.wav" for name in first])
                # the first two are taken off, one comes along
                fresh = [*items[2:], Titled("e", "Y", RATE, 1)]
                again, _ = self.paths(fresh, template, [*counted[2:], {}])
                self.assertEqual(again, [f"{name}.wav" for name in later])
        self.assertEqual(self.paths(items[:2], "{number}", begin=100)[0], ["100.wav", "101.wav"])
        # each target begins its own way, and begins that way again
        both = [Target(template="a/{number}", begin=1), Target(name="b", template="b/{number}", begin=50)]
        first = planned("s", items[:2], both)
        again = planned("s", items[1:2], both, first.counted[1:])
        self.assertEqual([one.path for one in again.files], ["a/2.wav", "b/51.wav"])

    @given(st.lists(st.one_of(st.none(), st.integers(0, 12)), min_size=1, max_size=12))
    def test_no_number_is_given_twice(self, had: list[int | None]) -> None:
        items = [Titled(str(i), "", RATE, 1) for i in range(len(had))]
        before = [{} if number is None else {"number": number} for number in had]
        paths, _ = self.paths(items, "{number}", before)
        self.assertEqual(len(set(paths)), len(paths))

    def test_codes_and_plain_words(self) -> None:
        item = Titled("Glas, müde  (bricht)", "Glass/Break", RATE, 1, code="GLAB")
        target = Target(template="{code}_{name}", tidy=True, spaces="_", case="lower")
        self.assertEqual(planned("s", [item], [target]).files[0].path, "glab_glas_mude_bricht.wav")

    @given(st.text(max_size=60))
    def test_plain_words_are_plain_and_stay_so(self, text: str) -> None:
        once = names.tidy(text)
        self.assertEqual(names.tidy(once), once)
        self.assertFalse(set("()[]{},;") & set(once))


class Noticed(unittest.TestCase):
    def test_each_is_noted_for_the_items_it_concerns(self) -> None:
        told = {"rights": "ours", "notes": "x"}
        good = Titled("good", "Glass", 48_000, 2, **told, bandwidth_hz=20_000, peak_dbfs=-3, correlation=0.9)
        for item, target, what in (
            (good._replace(lacking=True), Target(), "source"),
            (good._replace(peak_dbfs=0.4), Target(), "level"),
            (good, Target(level_by="one gain", gain_db=6), "level"),
            (good._replace(correlation=-0.8), Target(channels="mono"), "phase"),
            (good._replace(loops=True), Target(format="mp3"), "loop"),
            (good._replace(bandwidth_hz=7_000), Target(), "dull"),
            (good._replace(name="a:b"), Target(), "letters"),
            (good._replace(rate=44_100), Target(rate=48_000), "rate"),
        ):
            with self.subTest(what=what):
                self.assertEqual([(one.what, one.items) for one in noted([good._replace(name="other", peak_dbfs=-20), item], [target])], [(what, (1,))])
        for item, target in (
            (good._replace(peak_dbfs=0.4), Target(bits=32)),
            (good._replace(peak_dbfs=0.4), Target(over="lower")),
            (good._replace(peak_dbfs=0.4), Target(peak_dbfs=-1)),
            (good._replace(correlation=-0.8), Target()),
            (good._replace(loops=True), Target(format="flac")),
            (good._replace(bandwidth_hz=7_000), Target(rate=22_050)),
        ):
            self.assertEqual(noted([item], [target]), [])
        files_ = planned("s", [good], [Target(template="{name}" + "x" * 200)]).files
        self.assertEqual([one.what for one in noted([good], [Target()], files_, "/out/" + "y" * 60)], ["long"])
