"""Resonances against resonators in closed form (scipy.signal.iirpeak: unity at the peak, half power at f ± f/2Q)."""

import unittest

import numpy as np
from scipy import signal

from oskren.core.measure.resonance import find_resonances
from tests.core.test_steps import through
from tests.support import RATE, noise, sine, struck


def ringing(*peaks: tuple[float, float], seconds: float = 20.0, rate: int = RATE, bed_db: float = -20.0) -> np.ndarray:
    """White noise with the outputs of resonators (Hz, Q) added to it."""
    random = np.random.default_rng(4)
    white = random.standard_normal(round(seconds * rate))
    out = 10 ** (bed_db / 20) * random.standard_normal(len(white))
    for hz, q in peaks:
        out += signal.lfilter(*signal.iirpeak(hz, q, fs=rate), white)
    return (0.05 * out).astype(np.float32)


class Resonances(unittest.TestCase):
    def test_frequency_height_and_width_are_those_of_the_resonator(self) -> None:
        """The peak stands at 1 + 0.01 over a bed of 0.01: 20.04 dB, less what its own skirts lift the bed; its width at half power is f over Q."""
        for rate in (44_100, 96_000):
            for hz, q in ((410.0, 30.0), (1730.0, 35.0), (5200.0, 40.0)):
                found = find_resonances(ringing((hz, q), rate=rate), rate)
                with self.subTest(hz=hz, q=q, rate=rate):
                    self.assertEqual(len(found), 1)
                    self.assertAlmostEqual(found[0].frequency_hz / hz, 1.0, delta=0.008)
                    self.assertAlmostEqual(found[0].height_db, 19.0, delta=2.0)
                    self.assertAlmostEqual(np.log2(found[0].width_hz / (hz / q)), 0.0, delta=0.5)

    def test_several_are_listed_highest_first(self) -> None:
        found = find_resonances(ringing((300, 25), (1200, 40), (4400, 30)), RATE)
        self.assertEqual(sorted(round(one.frequency_hz / 100) for one in found), [3, 12, 44])
        heights = [one.height_db for one in found]
        self.assertEqual(heights, sorted(heights, reverse=True))

    def test_a_notch_of_its_width_takes_it_down(self) -> None:
        take = ringing((1200.0, 40.0))
        [peak] = find_resonances(take, RATE)
        out = through("band", take[:, None], kind="notch", frequency_hz=peak.frequency_hz, q=min(60.0, peak.q))[:, 0]
        band = signal.butter(2, [1170, 1230], "bandpass", fs=RATE, output="sos")
        before, after = (float(np.std(signal.sosfilt(band, one)[RATE:])) for one in (take, out))
        self.assertLess(20 * np.log10(after / before), -4)

    def test_colour_is_no_resonance(self) -> None:
        slope = signal.lfilter([1.0], [1.0, -0.97], noise(20)[:, 0]).astype(np.float32)
        broad = ringing((1000.0, 1.5), bed_db=-30)
        for name, samples in (("white", noise(20)[:, 0]), ("brown", slope), ("broad", broad), ("hit", struck(2.0, 0.2)[:, 0])):
            with self.subTest(name=name):
                self.assertEqual(find_resonances(samples, RATE), [])

    def test_short_silent_and_steady_sounds(self) -> None:
        self.assertEqual(find_resonances(noise(0.1)[:, 0], RATE), [])
        self.assertEqual(find_resonances(np.zeros(RATE, np.float32), RATE), [])
        tone = find_resonances(sine(997, 4)[:, 0] + noise(4, -60)[:, 0], RATE)
        self.assertAlmostEqual(tone[0].frequency_hz, 997, delta=1)
        self.assertLess(tone[0].width_hz, 16)
