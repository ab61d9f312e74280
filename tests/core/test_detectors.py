"""What every way to find slices must keep to, and the grid's own rule."""

import itertools
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.controls import controls_of
from oskren.core.errors import OskrenError
from oskren.core.slice.detect import Levels, SliceSettings, analyse, detect
from oskren.core.slice.detectors import DETECTORS, detector_of
from tests.support import RATE, noise, struck


def take(seconds: float = 4.0) -> Levels:
    out = noise(seconds, -62)
    for k, at in enumerate(np.arange(0.5, seconds - 0.6, 0.8)):
        out[round(at * RATE) : round(at * RATE) + RATE // 2] += struck(seed=k)
    return analyse([out], RATE)


LEVELS = replace(take(), markers=((0.5, 0.5), (1.3, 1.3), (2.1, 2.1)))


class Contract(unittest.TestCase):
    def test_every_detector_is_offered_and_names_settings_that_are_there(self) -> None:
        controls = {one.name: one for one in controls_of(SliceSettings)}
        self.assertEqual([one.value for one in controls["by"].options], list(DETECTORS))
        for key, detector in DETECTORS.items():
            with self.subTest(detector=key):
                self.assertEqual(detector.key, key)
                self.assertLessEqual(set(detector.settings), set(controls) - {"by"})
                self.assertTrue(detector.settings)
        with self.assertRaisesRegex(OskrenError, "cannot be found by 'ear'; there are sounds, level, markers, grid"):
            detector_of("ear")

    def test_slices_are_in_order_apart_and_inside_and_silence_has_none(self) -> None:
        silence = analyse([np.zeros((RATE, 1), np.float32)], RATE)
        for key in DETECTORS:
            with self.subTest(detector=key):
                found = detect(LEVELS, SliceSettings(by=key))
                self.assertGreater(len(found), 2)
                edges = [at for one in found for at in (one.start_s, one.end_s)]
                self.assertEqual(edges, sorted(edges))
                self.assertTrue(edges[0] >= 0 and edges[-1] <= LEVELS.seconds + 1e-6)
                self.assertTrue(all(one.start_s <= one.attack_s < one.end_s for one in found))
                self.assertEqual(detect(silence, SliceSettings(by=key)), [])
                self.assertEqual(detect(analyse([], RATE), SliceSettings(by=key)), [])

    def test_settings_of_another_detector_change_nothing(self) -> None:
        for key, detector in DETECTORS.items():
            others = {"min_length_ms": 400.0, "sensitivity_db": 30.0, "every_s": 0.3, "first_s": 0.2}
            foreign = {name: value for name, value in others.items() if name not in detector.settings}
            with self.subTest(detector=key):
                self.assertEqual(detect(LEVELS, SliceSettings(by=key, **foreign)), detect(LEVELS, SliceSettings(by=key)))


class Grid(unittest.TestCase):
    @settings(deadline=None)
    @given(st.floats(0.05, 6.0), st.floats(0.0, 3.9))
    def test_slices_join_from_the_first_to_the_end_and_the_rest_belongs_to_the_last(self, every: float, first: float) -> None:
        found = detect(LEVELS, SliceSettings(by="grid", every_s=every, first_s=first))
        self.assertAlmostEqual(found[0].start_s, first, places=5)
        self.assertAlmostEqual(found[-1].end_s, LEVELS.seconds, places=5)
        for one, after in itertools.pairwise(found):
            self.assertEqual(one.end_s, after.start_s)
            self.assertAlmostEqual(one.end_s - one.start_s, every, places=4)
        rest = found[-1].end_s - found[-1].start_s
        self.assertTrue(rest < 1.5 * every + 1e-5 and (rest >= 0.5 * every - 1e-5 or len(found) == 1))

    def test_a_bar_of_a_known_tempo(self) -> None:
        """120 beats a minute: four beats are 2 s (by definition)."""
        found = detect(take(8.0), SliceSettings(by="grid", every_s=60 / 120 * 4))
        self.assertEqual([one.start_s for one in found], [0.0, 2.0, 4.0, 6.0])


class Markers(unittest.TestCase):
    """Hits at 0.5, 1.3, 2.1 and 2.9 s."""

    def test_each_lasts_to_where_its_sound_ends_or_to_the_next(self) -> None:
        levels = replace(take(), markers=((2.1, 2.1), (0.5, 0.5), (0.5, 0.5), (9.0, 9.0)))
        to_sound, to_next = (detect(levels, SliceSettings.model_validate({"by": "markers", "until": until, "tail_ms": 0.0})) for until in ("sound", "next"))
        for found in (to_sound, to_next):
            self.assertEqual([one.attack_s for one in found], [0.5, 2.1])
            self.assertAlmostEqual(found[0].start_s, 0.498, places=6)
        self.assertAlmostEqual(to_next[0].end_s, 2.098, places=6)
        self.assertAlmostEqual(to_next[1].end_s, levels.seconds, places=6)
        # the hit at 1.3 s lies before the second marker: its end is where the first slice ends
        self.assertTrue(1.5 < to_sound[0].end_s < 2.0)
        self.assertTrue(3.1 < to_sound[1].end_s < 3.6)

    def test_a_part_that_is_marked_is_a_slice(self) -> None:
        levels = replace(take(), markers=((0.4, 1.0), (1.2, 3.0), (2.0, 2.0)))
        found = detect(levels, SliceSettings(by="markers", pre_roll_ms=0.0))
        self.assertEqual([(one.start_s, one.end_s) for one in found[:2]], [(0.4, 1.0), (1.2, 2.0)])

    def test_a_file_without_markers_has_none(self) -> None:
        self.assertEqual(detect(take(), SliceSettings(by="markers")), [])


if __name__ == "__main__":
    unittest.main()
