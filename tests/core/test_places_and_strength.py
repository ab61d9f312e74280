"""Places in the plane of a sum, strength within a library, likeness of descriptors: their laws."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from oskren.core.audio import places
from oskren.core.audio.layouts import CHANNELS
from oskren.core.measure import likeness, strength, timbre

UNIT = st.floats(-1, 1)


class Places(unittest.TestCase):
    @given(st.sampled_from(sorted(places.SPOTTED)), UNIT, UNIT)
    def test_the_power_is_one_everywhere(self, layout: str, x: float, y: float) -> None:
        found = places.gains(layout, np.array([x]), np.array([y]))
        self.assertEqual(found.shape, (1, len(CHANNELS[layout])))
        self.assertAlmostEqual(float((found**2).sum()), 1.0, places=9)
        self.assertTrue((found >= 0).all())

    def test_a_sound_at_a_loudspeaker_is_heard_from_it_alone(self) -> None:
        for layout in places.SPOTTED:
            for lane, spot in enumerate(places.spots(layout)):
                if spot is None:
                    continue
                found = places.gains(layout, np.array([spot[0]]), np.array([spot[1]]))[0]
                with self.subTest(layout=layout, lane=lane):
                    self.assertAlmostEqual(found[lane], 1.0, places=9)
                    self.assertAlmostEqual(float(found.sum()), 1.0, places=9)

    def test_nothing_but_the_low_channel_is_without_a_place(self) -> None:
        for layout in places.SPOTTED:
            unplaced = [name for name, spot in zip(CHANNELS[layout], places.spots(layout), strict=True) if spot is None]
            self.assertEqual(unplaced, ["LFE"] if "LFE" in CHANNELS[layout] else [])

    def test_directions_of_the_corners_and_the_sides(self) -> None:
        """Those of the loudspeakers of 7.1: 30, 90 and 150 degrees to either side (Recommendation ITU-R BS.2051, from memory)."""
        for (x, y), angle in {(0, 1): 0, (-1, 1): 30, (-1, 0): 90, (-1, -1): 150, (1, 1): -30, (1, 0): -90, (1, -1): -150}.items():
            found, out = places.azimuth(np.array([float(x)]), np.array([float(y)]))
            with self.subTest(x=x, y=y):
                self.assertAlmostEqual(float(found[0]), angle, places=6)
                self.assertEqual(float(out[0]), 1.0)
        self.assertEqual(float(places.azimuth(np.array([0.0]), np.array([0.0]))[1][0]), 0.0)

    @given(UNIT, UNIT)
    def test_a_place_in_ambix_is_a_plane_wave_that_fades_into_the_middle(self, x: float, y: float) -> None:
        w, side, height, front = places.gains("ambix", np.array([x]), np.array([y]))[0]
        self.assertEqual((w, height), (1.0, 0.0))
        self.assertAlmostEqual(float(np.hypot(side, front)), max(abs(x), abs(y)), places=9)

    @given(st.floats(-720, 720), st.floats(-720, 720))
    def test_turns_add_up_and_turn_back(self, one: float, other: float) -> None:
        first, second, both = places.turning(np.array([one, other, one + other]))
        np.testing.assert_allclose(first @ second, both, atol=1e-9)
        np.testing.assert_allclose(first @ first.T, np.eye(4), atol=1e-9)

    @given(UNIT)
    def test_pan_keeps_the_power_of_mono_and_the_middle_of_stereo(self, pan: float) -> None:
        left, right = places.sides(np.array([pan]), 1)
        self.assertAlmostEqual(float(left[0] ** 2 + right[0] ** 2), 1.0, places=9)
        wide_left, wide_right = places.sides(np.array([pan]), 2)
        self.assertTrue(0 <= wide_left[0] <= 1 and 0 <= wide_right[0] <= 1)
        self.assertAlmostEqual(float(max(wide_left[0], wide_right[0])), 1.0, places=9)


class Strength(unittest.TestCase):
    def test_more_level_a_sharper_attack_and_more_lows_are_harder(self) -> None:
        base = strength.force(-20.0, 10.0, 0.2)
        assert base is not None
        for harder in (strength.force(-14.0, 10.0, 0.2), strength.force(-20.0, 30.0, 0.2), strength.force(-20.0, 10.0, 0.8)):
            assert harder is not None
            self.assertGreater(harder, base)
        self.assertIsNone(strength.force(None, 10.0, 0.2))
        self.assertEqual(strength.force(-20.0, 90.0, 0.0), strength.force(-20.0, 40.0, 0.0))

    @given(st.lists(st.floats(-80, 20), min_size=5, max_size=60))
    def test_a_harder_sound_is_never_graded_softer(self, forces: list[float]) -> None:
        grades = strength.proposed(np.array(forces))
        self.assertTrue(((grades >= 1) & (grades <= 5)).all())
        order = np.argsort(forces)
        self.assertTrue((np.diff(grades[order]) >= 0).all())

    @given(st.lists(st.floats(-80, 20), min_size=1, max_size=20), st.lists(st.floats(-80, 20), max_size=20))
    def test_what_comes_into_a_library_moves_no_grade(self, before: list[float], more: list[float]) -> None:
        grades = strength.proposed(np.array([*before, *more, np.nan]))
        self.assertEqual(grades[: len(before)].tolist(), strength.proposed(np.array(before)).tolist())
        self.assertTrue(np.isnan(grades[-1]))


class Likeness(unittest.TestCase):
    MEASURES = {"brightness_hz": 1000.0, "bands_db": [-10.0] * 8, "integrated_lufs": -20.0, "attack_s": 0.01, "flatness": 0.2}

    def vector(self, seconds: float = 1.0, **more: object) -> np.ndarray:
        found = likeness.describe({**self.MEASURES, **more}, seconds)
        assert found is not None
        return np.asarray(found)

    def test_silence_and_what_is_not_measured_yet_are_like_nothing(self) -> None:
        for lacks in ("brightness_hz", "bands_db", "integrated_lufs"):
            self.assertIsNone(likeness.describe({**self.MEASURES, lacks: None}, 1.0))

    def test_the_same_is_at_no_distance_and_every_difference_adds(self) -> None:
        rows = [
            self.vector(),
            self.vector(),
            self.vector(brightness_hz=2000.0),
            self.vector(brightness_hz=2000.0, integrated_lufs=-8.0),
            self.vector(seconds=8.0),
        ]
        table = likeness.scaled(np.array(rows))
        found = likeness.distances(table, table[0])
        self.assertEqual(found[0], 0.0)
        self.assertEqual(found[1], 0.0)
        self.assertLess(0.0, found[2])
        self.assertLess(found[2], found[3])
        self.assertLess(0.0, found[4])
        # and the other way round
        np.testing.assert_allclose(likeness.distances(table, table[3])[0], found[3], rtol=1e-6)

    def test_what_is_not_known_of_a_row_keeps_it_out_and_the_rest_whole(self) -> None:
        table = np.array([self.vector(), self.vector(brightness_hz=4000.0), np.full(13, np.nan)])
        found = likeness.distances(likeness.scaled(table), likeness.scaled(table)[0])
        self.assertTrue(np.isnan(found[2]))
        self.assertTrue(np.isfinite(found[:2]).all())

    def test_a_question_is_answered_as_row_by_row(self) -> None:
        drawn = np.random.default_rng(5)
        plain, timbres = drawn.normal(size=(300, 13)).astype(np.float32), drawn.normal(size=(300, timbre.NUMBERS)).astype(np.float32)
        plain[7], timbres[7] = plain[3], timbres[3]
        compared = likeness.Compared.of(plain, timbres)
        found = compared.ranked(3)
        self.assertEqual(found[[3, 7]].tolist(), [0.0, 0.0])
        np.testing.assert_allclose(found, likeness.distances(compared.rows, compared.rows[3]), rtol=1e-4, atol=1e-6)

    def test_sounds_of_before_are_compared_by_what_is_known_of_them(self) -> None:
        drawn = np.random.default_rng(6)
        plain, timbres = drawn.normal(size=(40, 13)).astype(np.float32), drawn.normal(size=(40, timbre.NUMBERS)).astype(np.float32)
        timbres[20:] = np.nan
        plain[39] = np.nan
        for asked in (2, 30):
            found = likeness.Compared.of(plain, timbres).ranked(asked)
            self.assertEqual(found[asked], 0.0)
            self.assertTrue(np.isfinite(found[:39]).all() and np.isnan(found[39]))
            order = np.argsort(likeness.distances(likeness.scaled(plain), likeness.scaled(plain)[asked])[20:39])
            self.assertEqual(np.argsort(found[20:39], kind="stable").tolist(), order.tolist())
        # in the scale of all: neither half comes first as a whole
        found = likeness.Compared.of(plain, timbres).ranked(2)
        self.assertLess(np.nanmin(found[20:]), np.median(found[:20]))
        self.assertLess(np.sort(found[:20])[1], np.nanmedian(found[20:]))


if __name__ == "__main__":
    unittest.main()
