"""Kits are balanced, loops have no seam, and a finish does what it says to every slice."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.errors import OskrenError
from oskren.core.nodes import Chained, Step
from oskren.core.slice import detect, plan
from oskren.core.slice.finish import Finish, Known, Slice, SliceLoop, clicks, one_shot, shifted, sounding
from oskren.core.slice.kits import MOST_IN_KIT, Kit, KitSettings, dealt, renamed, sizes, with_slices, without_slices
from oskren.core.slice.loops import best_loop
from tests.support import RATE, InFolder, cents, noise, pitch_of, sine, struck


def bed(seconds: float, seed: int) -> np.ndarray:
    """Wind that breathes, over a low hum: a bed whose level and colour move all the time."""
    drawn = np.random.default_rng(seed)
    time = np.arange(round(seconds * RATE)) / RATE
    breath = 1 + 0.3 * np.sin(2 * np.pi * 0.4 * time + drawn.uniform(0, 6)) * np.sin(2 * np.pi * 0.13 * time)
    hiss = np.convolve(drawn.standard_normal(len(time) + 63), np.hanning(64) / 32, "valid")
    return (0.1 * hiss * breath + 0.05 * np.sin(2 * np.pi * 110 * time)).astype(np.float32)[:, None]


def rounds(samples: np.ndarray, start: int, end: int, times: int = 4) -> np.ndarray:
    """What a player makes of a loop: up to its end, then from its start again and again."""
    return np.concatenate([samples[:end], *[samples[start:end]] * times])[:, 0]


def power_db(samples: np.ndarray, at: int, size: int) -> float:
    return float(10 * np.log10(np.square(samples[at - size // 2 : at + size // 2], dtype=np.float64).mean()))


class Kits(unittest.TestCase):
    @given(st.integers(0, 90), st.integers(2, 20), st.sampled_from(["spread", "alike"]), st.booleans(), st.integers(0, 9))
    @settings(max_examples=60, deadline=None)
    def test_every_slice_is_in_one_kit_and_sizes_differ_by_one(self, count: int, size: int, each: str, wide: bool, seed: int) -> None:
        values = np.random.default_rng(seed).standard_normal((count, 5) if wide else count)
        kits = dealt(values, KitSettings(size=size, each=each))
        self.assertEqual(sorted(place for kit in kits for place in kit), list(range(count)))
        self.assertEqual(sorted(map(len, kits)), sorted(sizes(count, size)))
        if kits:
            self.assertLessEqual(max(map(len, kits)), size)
            self.assertLessEqual(max(map(len, kits)) - min(map(len, kits)), 1)

    @given(st.lists(st.integers(0, 3), max_size=30), st.lists(st.integers(0, 29), unique=True, min_size=1), st.one_of(st.none(), st.integers(0, 2)))
    def test_a_slice_moved_by_hand_lies_in_one_kit_and_none_is_lost(self, lies: list[int], ids: list[int], place: int | None) -> None:
        # kit 3 stands for no kit
        kits = tuple(Kit(name=f"Kit {k + 1}", slices=tuple(id for id, kit in enumerate(lies) if kit == k)) for k in range(3))
        after = with_slices(kits, place, ids)
        held = [id for kit in after for id in kit.slices]
        self.assertEqual(len(held), len(set(held)))
        self.assertEqual(set(held), {id for id, kit in enumerate(lies) if kit != 3} | set(ids))
        self.assertEqual(len({kit.name for kit in after}), len(after))
        self.assertTrue(all(kit.slices for kit in after))
        left = without_slices(after, ids)
        self.assertEqual({id for kit in left for id in kit.slices}, set(held) - set(ids))

    def test_slices_that_go_leave_their_kits(self) -> None:
        pieces = tuple(Slice(id=k, start_s=k * 0.5, end_s=k * 0.5 + 0.4, attack_s=k * 0.5) for k in range(1, 5))
        dealt_out = plan.Plan(slices=pieces, kits=(Kit(name="Kit 1", slices=(1, 3)), Kit(name="Kit 2", slices=(2, 4))))
        merged = plan.merge(dealt_out, 1)
        self.assertEqual([(kit.name, kit.slices) for kit in merged.kits], [("Kit 1", (1, 3)), ("Kit 2", (4,))])
        dropped = plan.drop(dealt_out, 2)
        self.assertEqual(dropped.kits, dealt_out.kits)
        # found anew, only what was corrected by hand keeps its number
        again = plan.refound(dropped, dropped.settings, [])
        self.assertEqual([(kit.name, kit.slices) for kit in again.kits], [("Kit 2", (2,))])

    def test_a_kit_holds_so_many_and_has_a_name_of_its_own(self) -> None:
        kits = (Kit(name="Kit 1", slices=tuple(range(MOST_IN_KIT))), Kit(name="Kit 2", slices=(900,)))
        with self.assertRaisesRegex(OskrenError, "Kit 1 would hold 65 slices; a kit holds 64 at most"):
            with_slices(kits, 0, [900])
        with self.assertRaisesRegex(OskrenError, "There is a kit called kit 1 already"):
            renamed(kits, 1, "kit 1")
        self.assertEqual([kit.name for kit in renamed(kits, 1, "Doors")], ["Kit 1", "Doors"])
        with self.assertRaisesRegex(OskrenError, "not there any more"):
            renamed(kits, 2, "Doors")

    def test_kits_of_the_whole_range_are_balanced_better_than_chance(self) -> None:
        drawn = np.random.default_rng(3)
        lengths = drawn.normal(0, 0.8, 128)  # in ratios, as times are heard
        ours = dealt(lengths, KitSettings(size=16, by="length"))
        spread = [np.std([lengths[kit].mean() for kit in kits]) for kits in (ours, *(np.split(drawn.permutation(128), 8) for _ in range(200)))]
        self.assertLess(spread[0], 0.15 * np.median(spread[1:]))
        self.assertLess(spread[0], min(spread[1:]))

    def test_neighbours_come_together_and_the_whole_range_apart(self) -> None:
        drawn = np.random.default_rng(5)
        points = np.repeat(drawn.normal(0, 10, (4, 6)), 8, axis=0) + drawn.normal(0, 0.5, (32, 6))
        kinds, order = np.repeat(np.arange(4), 8), drawn.permutation(32)
        alike = dealt(points[order], KitSettings(size=8, each="alike"))
        self.assertTrue(all(len(set(kinds[order][kit])) == 1 for kit in alike))
        mixed = dealt(points[order], KitSettings(size=8, each="spread"))
        self.assertTrue(all(sorted(kinds[order][kit]) == sorted([0, 1, 2, 3] * 2) for kit in mixed))


class Loops(InFolder):
    def check(self, samples: np.ndarray, seam_db: float, attack: int = 0) -> float:
        """Level along the seams of a loop against the sound around, over 60 ms; how alike both sides are."""
        found = best_loop(samples, RATE, attack)
        assert found is not None
        self.assertLessEqual(attack, found.start)
        self.assertGreaterEqual(found.end - found.start, round(0.1 * RATE))
        step = Step(kind="loop_seam", params={"start_s": found.start / RATE, "crossfade_s": found.fade / RATE})
        out = np.asarray(self.renderer.audio(Chained(node=self.source(samples[: found.end]), chain=(step,)))[0])
        self.assertEqual(len(out), found.end)
        heard, size = rounds(out, found.start, found.end), round(0.06 * RATE)
        # the seam lies before the end; its level is held to what both sides are without it
        sides = [power_db(samples[:, 0], at - found.fade // 2, size) for at in (found.start, found.end)]
        for turn in range(3):
            at = found.end + turn * (found.end - found.start) - found.fade // 2
            level = power_db(heard, at, size)
            self.assertLess(level, max(sides) + seam_db)
            self.assertGreater(level, min(sides) - seam_db)
        # no step where it jumps: no larger than those of the sound itself
        steps = np.abs(np.diff(heard))
        self.assertLessEqual(steps[found.end - 1 :].max(), 1.5 * np.abs(np.diff(samples[:, 0])).max())
        return found.alike

    def test_a_tone_goes_on_in_phase(self) -> None:
        tone = sine(261.63, 2.0, -6)
        self.assertGreater(self.check(tone, 0.1), 0.999)
        mixed = sine(220, 2.0, -12) + sine(331, 2.0, -15)
        self.assertGreater(self.check(mixed, 0.5), 0.98)

    def test_noise_and_beds_keep_their_level_along_the_seam(self) -> None:
        for seed in range(3):
            self.check(noise(3.0, -20, seed=seed), 0.5)
            self.check(bed(4.0, seed), 0.5)

    def test_what_is_too_short_or_silent_has_no_loop(self) -> None:
        self.assertIsNone(best_loop(noise(0.1, -20), RATE))
        self.assertIsNone(best_loop(np.zeros((RATE, 1), np.float32), RATE))


class Finishes(InFolder):
    def setUp(self) -> None:
        super().setUp()
        hit = struck(0.5, 0.08, seed=3)
        self.samples = np.zeros((3 * RATE, 2), np.float32)
        self.samples[RATE : RATE + len(hit)] = hit * np.float32([0.2, 0.6])
        self.node = self.source(self.samples)
        self.piece = Slice(id=1, start_s=0.5, end_s=2.5, attack_s=1.0)

    def out(self, finish: Finish, piece: Slice | None = None, known: Known = Known()) -> np.ndarray:
        return np.asarray(self.renderer.audio(one_shot(self.node, piece or self.piece, finish, known))[0])

    def test_silence_is_trimmed_with_room_kept(self) -> None:
        found = detect.analyse([self.samples], RATE)
        trimmed = sounding(found, self.piece, Finish(silence_dbfs=-60, room_ms=20))
        power = np.square(self.samples).mean(axis=1).reshape(-1, RATE // 1000).mean(axis=1)
        loud = np.flatnonzero(power > 1e-6) / 1000
        self.assertAlmostEqual(trimmed.start_s, loud[0] - 0.02, delta=0.0011)
        self.assertAlmostEqual(trimmed.end_s, loud[-1] + 0.021, delta=0.0011)
        self.assertEqual(trimmed.attack_s, 1.0)
        self.assertEqual(sounding(found, self.piece, Finish()), self.piece)
        quiet = Slice(id=2, start_s=2.6, end_s=2.9, attack_s=2.6)
        self.assertEqual(sounding(found, quiet, Finish(silence_dbfs=-60)), quiet)

    def test_the_better_channel_alone_is_kept(self) -> None:
        plain = Finish(peak_dbfs=None, fade_in_ms=0, fade_out_ms=0)
        for channel in (1, 2):
            out = self.out(plain.model_copy(update={"mono": "better"}), known=Known(channel=channel))
            np.testing.assert_array_equal(out[:, 0], self.samples[RATE // 2 : 5 * RATE // 2, channel - 1])

    def test_a_tail_rings_out_or_is_cut(self) -> None:
        piece = Slice(id=1, start_s=1.0, end_s=1.3, attack_s=1.0)
        ringing = Finish(chain=(Step(kind="space", params={"decay_s": 1.0}),), tail="rings")
        self.assertGreater(len(self.out(ringing, piece)), round(1.0 * RATE))
        self.assertEqual(len(self.out(ringing.model_copy(update={"tail": "cut"}), piece)), round(0.3 * RATE))

    def test_slices_go_to_the_nearest_note_of_a_name(self) -> None:
        node = self.source(sine(431.0, 1.5, -6))
        piece = Slice(id=1, start_s=0.1, end_s=1.3, attack_s=0.1)
        for keeps in (False, True):
            out = np.asarray(self.renderer.audio(one_shot(node, piece, Finish(tune_to="G", tune_keeps_length=keeps), Known(pitch_hz=431.0)))[0])
            # G4 is 391.995 Hz by equal temperament from A4 = 440 Hz (ISO 16)
            self.assertLess(abs(cents(pitch_of(out), 391.995)), 3)
            self.assertAlmostEqual(len(out) / RATE, 1.2 if keeps else 1.2 * 431.0 / 391.995, places=2)
        unsure = one_shot(node, piece, Finish(tune_to="G"), Known())
        self.assertNotIn("pitch", [step.kind for step in unsure.chain])

    def test_a_loop_ends_the_file_and_nothing_fades_out(self) -> None:
        samples = bed(3.0, 1)
        self.node = self.source(samples)
        piece = Slice(id=1, start_s=0.5, end_s=2.9, attack_s=0.5, loop=SliceLoop(start_s=1.0, end_s=2.5, crossfade_s=0.05))
        out = self.out(Finish(peak_dbfs=None, chain=(Step(kind="space", params={"decay_s": 0.4, "wet_db": -60.0}),)), piece)
        self.assertEqual(len(out), round(2.0 * RATE))
        # the last frame is the one before the loop's start, nearly
        np.testing.assert_allclose(out[-3:, 0], out[RATE // 2 - 3 : RATE // 2, 0], atol=2e-3)

    def test_edges_that_click_are_told(self) -> None:
        self.assertEqual([clicks(-20, 0), clicks(-20, 1), clicks(-70, 0)], [True, False, False])


class Edits(unittest.TestCase):
    def setUp(self) -> None:
        pieces = tuple(Slice(id=k, start_s=float(k), end_s=k + 0.8, attack_s=float(k)) for k in range(4))
        self.plan = plan.Plan(slices=pieces)

    def test_a_locked_slice_stays_as_it_is(self) -> None:
        held = plan.locked(self.plan, [1])
        for act in (
            lambda: plan.move(held, 1, start_s=1.2),
            lambda: plan.split(held, 1, 1.4),
            lambda: plan.merge(held, 1),
            lambda: plan.merge(held, 0),
            lambda: plan.drop(held, 1),
            lambda: plan.looped(held, 1, None),
        ):
            with self.assertRaisesRegex(OskrenError, "Slice 2 is locked; unlock it to change it"):
                act()
        self.assertEqual(plan.snapped(held, {1: (1.1, 1.7)}, 9.0), held)
        found = plan.refound(held, detect.SliceSettings(), [])
        self.assertEqual([piece.id for piece in found.slices], [1])
        self.assertEqual(plan.move(plan.locked(held, [1], lock=False), 1, start_s=1.2).slices[1].start_s, 1.2)

    def test_a_loop_lies_inside_its_slice_and_goes_when_that_is_cut_into(self) -> None:
        loop = SliceLoop(start_s=1.2, end_s=1.6, crossfade_s=0.02)
        with_loop = plan.looped(self.plan, 1, loop)
        self.assertEqual(with_loop.slices[1].loop, loop)
        self.assertEqual(plan.move(with_loop, 1, start_s=1.1).slices[1].loop, loop)
        self.assertIsNone(plan.move(with_loop, 1, end_s=1.5).slices[1].loop)
        self.assertEqual([piece.loop for piece in plan.split(with_loop, 1, 1.15).slices if 1 <= piece.start_s < 2], [None, loop])
        self.assertEqual([piece.loop for piece in plan.split(with_loop, 1, 1.4).slices if 1 <= piece.start_s < 2], [None, None])
        with self.assertRaisesRegex(OskrenError, "its loop must lie inside it"):
            plan.looped(self.plan, 1, loop.model_copy(update={"end_s": 2.4}))
        moved = shifted(with_loop.slices[1], lambda moment: moment + 1, 9.0)
        assert moved is not None and moved.loop is not None
        self.assertEqual((moved.loop.start_s, moved.loop.end_s), (2.2, 2.6))
        # in a sound played backwards the same part repeats
        back = shifted(with_loop.slices[1], lambda moment: 4 - moment, 9.0)
        assert back is not None and back.loop is not None
        np.testing.assert_allclose((back.loop.start_s, back.loop.end_s), (2.4, 2.8))

    def test_what_is_found_is_parted_by_markers_or_a_tempo(self) -> None:
        samples = noise(4.0, -30)
        found = detect.Levels(**{**vars(detect.analyse([samples], RATE)), "markers": ((1.0, 1.0), (2.5, 2.5))})
        by = detect.SliceSettings(by="grid", every_s=2.0, parted="markers")
        self.assertEqual([(one.start_s, one.end_s) for one in detect.detect(found, by)], [(0.0, 1.0), (1.0, 2.0), (2.0, 2.5), (2.5, 4.0)])
        tempo = detect.SliceSettings(by="grid", spaced="tempo", bpm=90, beats=2)
        np.testing.assert_allclose([one.start_s for one in detect.detect(found, tempo)], [0.0, 4 / 3, 8 / 3], atol=1e-6)
        lined = detect.SliceSettings(by="markers", until="next", parted="grid", spaced="tempo", bpm=120, beats=1)
        starts = [one.start_s for one in detect.detect(found, lined)]
        np.testing.assert_allclose(starts, [1.0, 1.5, 2.0, 2.5, 3.0, 3.5], atol=0.003)

    def test_levels_of_a_channel_of_a_plan_of_before_are_read(self) -> None:
        self.assertEqual([Finish.model_validate({"mono": given}).mono for given in (True, False, "better")], ["mid", "kept", "better"])


if __name__ == "__main__":
    unittest.main()
