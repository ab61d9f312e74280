"""The spherical head against closed forms, and what listening on headphones gives.

Interaural delay: three times the head's radius over the speed of sound times the sine of the angle at low frequencies (G. F. Kuhn, "Model for the
interaural time differences in the azimuthal plane", J. Acoust. Soc. Am. 62(1), 1977), and that of a ray bent round the head at high ones (R. S.
Woodworth, "Experimental Psychology", 1938). Shadow: the pole and zero of C. P. Brown, R. O. Duda, "A structural model for binaural sound synthesis",
IEEE Trans. Speech and Audio Processing 6(5), 1998, where that follows the sphere. All from memory.
"""

import unittest

import numpy as np

from oskren.core.audio.headphones import BEFORE_S, EARS_DEG, HEAD_M, SOUND_M_S, at_ear, incidence, responses
from oskren.core.audio.layouts import AZIMUTHS, CHANNELS, encoded
from oskren.core.nodes import Chained, Step
from oskren.core.types import Samples
from tests.support import RATE, InFolder, noise

CROSSING_S = HEAD_M / SOUND_M_S


def between_ears_s(azimuth: float, low_hz: float, high_hz: float) -> float:
    """How much later the right ear hears a sound than the left, from the slope of the phase between two frequencies."""
    hz = np.linspace(low_hz, high_hz, 400)
    left, right = at_ear(hz, [incidence(azimuth, ear) for ear in EARS_DEG])
    phase = np.unwrap(np.angle(right / left))
    return float(-np.polyfit(2 * np.pi * hz, phase, 1)[0])


def level_db(hz: float, incidence_deg: float) -> float:
    return float(20 * np.log10(abs(at_ear(np.array([hz]), [incidence_deg])[0, 0])))


class Sphere(unittest.TestCase):
    def test_delay_between_the_ears_at_low_frequencies(self) -> None:
        for azimuth in (0.0, 15.0, 30.0, 60.0, 90.0, -45.0):
            wanted = 3 * CROSSING_S * np.sin(np.radians(azimuth))
            self.assertAlmostEqual(between_ears_s(azimuth, 20.0, 120.0), wanted, delta=8e-6)

    def test_delay_between_the_ears_at_high_frequencies(self) -> None:
        for azimuth in (0.0, 15.0, 30.0, 45.0, 60.0):
            angle = np.radians(azimuth)
            self.assertAlmostEqual(between_ears_s(azimuth, 6000.0, 16_000.0), CROSSING_S * (angle + np.sin(angle)), delta=15e-6)

    def test_the_usual_delay_from_the_side(self) -> None:
        """Two thirds of a millisecond (common practice, no source)."""
        self.assertAlmostEqual(CROSSING_S * (np.pi / 2 + 1) * 1000, 0.66, delta=0.01)

    def test_pressure_doubles_before_a_wall(self) -> None:
        self.assertAlmostEqual(level_db(16_000.0, 0.0), 6.02, delta=0.15)
        for hz in (1.0, 20.0):
            for angle in (0.0, 60.0, 120.0, 180.0):
                self.assertAlmostEqual(level_db(hz, angle), 0.0, delta=0.05)

    def test_the_shadow_where_the_structural_model_follows_the_sphere(self) -> None:
        def structural(hz: float, angle: float) -> float:
            zero = 1.05 + 0.95 * np.cos(np.radians(angle / 150.0 * 180.0))
            turned = 1j * 2 * np.pi * hz * CROSSING_S / 2
            return float(20 * np.log10(abs((1 + zero * turned) / (1 + turned))))

        for hz in (200.0, 1000.0, 2000.0, 4000.0, 8000.0):
            self.assertAlmostEqual(level_db(hz, 0.0), structural(hz, 0.0), delta=0.4)
            self.assertAlmostEqual(level_db(hz, 45.0), structural(hz, 45.0), delta=1.6)

    def test_behind_the_head_is_a_bright_spot(self) -> None:
        """All ways round the sphere are of one length there: it is louder than to either side of it."""
        for hz in (2000.0, 4000.0, 8000.0):
            self.assertGreater(level_db(hz, 180.0), level_db(hz, 150.0) + 3.0)


class Listening(InFolder):
    def heard(self, samples: Samples, layout: str, **params: object) -> Samples:
        node = self.source(samples, RATE, f"{layout}.wav").model_copy(update={"layout": layout})
        return np.asarray(self.renderer.read(Chained(node=node, chain=(Step(kind="headphones", params=params),)), 0, len(samples)))

    def alone(self, layout: str, name: str) -> Samples:
        """A short noise from one channel of a layout."""
        samples = np.zeros((RATE // 2, len(CHANNELS[layout])), np.float32)
        samples[:, CHANNELS[layout].index(name)] = noise(0.5, -20)[:, 0]
        return samples

    def test_every_loudspeaker_is_heard_from_its_side(self) -> None:
        for layout in ("quad", "5.1", "7.1"):
            for name, azimuth in AZIMUTHS[layout].items():
                out = self.heard(self.alone(layout, name), layout)
                left, right = np.sqrt(np.mean(np.square(out), axis=0))
                apart = 20 * np.log10(left / right)
                with self.subTest(layout=layout, channel=name):
                    self.assertEqual(out.shape, (RATE // 2, 2))
                    self.assertGreater(apart * np.sign(azimuth), 1.0) if azimuth else self.assertAlmostEqual(apart, 0.0, delta=0.01)
                    lag = np.argmax(np.correlate(out[2000:6000, 1], out[2100:5900, 0], "valid")) - 100
                    wanted = between_ears_s(azimuth, 300.0, 12_000.0) * RATE
                    self.assertAlmostEqual(lag, wanted, delta=6.0)

    def test_nothing_is_late_and_an_lfe_is_left_out(self) -> None:
        click = np.zeros((2000, 6), np.float32)
        click[1000, 2] = 1.0
        out = self.heard(click, "5.1")
        # the near ear hears a quarter of a millisecond after the middle of the head would, from the front
        self.assertAlmostEqual(int(np.argmax(np.abs(out[:, 0]))), 1000, delta=3)
        low = np.zeros((2000, 6), np.float32)
        low[:, 3] = noise(2000 / RATE, -10)[:, 0]
        self.assertEqual(float(np.abs(self.heard(low, "5.1")).max()), 0.0)

    def test_silent_channels_are_left_out(self) -> None:
        both = self.alone("quad", "L") + self.alone("quad", "Rs")
        np.testing.assert_allclose(self.heard(both, "quad", silent=[3]), self.heard(self.alone("quad", "L"), "quad"), atol=1e-6)

    def test_ambisonics_come_from_where_they_are(self) -> None:
        source = noise(0.5, -20)
        for azimuth in (90.0, -90.0, 45.0, 0.0):
            out = self.heard((source @ encoded([azimuth])).astype(np.float32), "ambix")
            left, right = np.sqrt(np.mean(np.square(out), axis=0))
            apart = 20 * np.log10(left / right)
            self.assertGreater(apart * np.sign(azimuth), 2.0) if azimuth else self.assertAlmostEqual(apart, 0.0, delta=0.01)
        # low frequencies are as loud as the plane wave they are of
        low = responses("ambix", 4, RATE).sum(axis=2)
        np.testing.assert_allclose(encoded([0.0, 90.0, 180.0]) @ low, 1.0, atol=0.01)

    def test_responses_end_where_they_are_cut(self) -> None:
        for rate in (8000, 44_100, 48_000, 96_000):
            for layout in ("quad", "5.1", "7.1", "ambix"):
                taps = responses(layout, len(CHANNELS[layout]), rate)
                energy = np.square(taps).sum(axis=(0, 1))
                self.assertLess(energy[-round(0.001 * rate) :].sum(), 1e-4 * energy.sum())
                self.assertLess(energy[: round(BEFORE_S * rate / 3)].sum(), 1e-3 * energy.sum())


if __name__ == "__main__":
    unittest.main()
