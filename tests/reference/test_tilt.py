"""Tilt against what it states: nothing in the middle, half of it at either end (shelves of the Audio EQ Cookbook, a W3C note)."""

import unittest

import numpy as np
from scipy.signal import freqz_sos

from oskren.core.steps import kind_of
from oskren.core.steps.tilt import TiltParams
from tests.core.test_steps import through
from tests.support import RATE, noise


class Tilted(unittest.TestCase):
    def gain_db(self, hz: float, **values: float) -> float:
        sections = kind_of("tilt").sections(TiltParams(**values), RATE)  # type: ignore[attr-defined]
        return float(20 * np.log10(np.abs(freqz_sos(sections, worN=[hz], fs=RATE)[1][0])))

    def test_half_at_either_end_and_nothing_in_the_middle(self) -> None:
        for tilt in (-12.0, -3.0, 6.0):
            self.assertAlmostEqual(self.gain_db(800.0, tilt_db=tilt), 0.0, delta=0.02)
            self.assertAlmostEqual(self.gain_db(20.0, tilt_db=tilt), -tilt / 2, delta=0.35)
            self.assertAlmostEqual(self.gain_db(23_000.0, tilt_db=tilt), tilt / 2, delta=0.35)

    def test_it_tips_evenly(self) -> None:
        steps = np.diff([self.gain_db(hz, tilt_db=12.0) for hz in np.geomspace(100, 6400, 13)])
        self.assertTrue((steps > 0).all())

    def test_no_tilt_is_no_change(self) -> None:
        samples = noise(0.2, -20)
        np.testing.assert_allclose(through("tilt", samples), samples, atol=1e-6)
