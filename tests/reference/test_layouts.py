"""Channel layouts against ITU-R BS.775-3, table 2 (values from memory of the document) and first-order AmbiX in closed form
(Nachbar, Zotter, Deleflie, Sontacchi, Ambisonics Symposium 2011: ACN order W Y Z X, SN3D)."""

import unittest

import numpy as np

from oskren.core.audio import layouts
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Chained, Source, Step
from tests.support import RATE, InFolder, noise

HALF = 0.7071
L, R, C, LFE, LS, RS = range(6)


class Recommendation(unittest.TestCase):
    def test_three_two_to_two_zero(self) -> None:
        gains = layouts.matrix("5.1", 6, "stereo")
        np.testing.assert_allclose(gains[:, 0], [1, 0, HALF, 0, HALF, 0], atol=1e-4)
        np.testing.assert_allclose(gains[:, 1], [0, 1, HALF, 0, 0, HALF], atol=1e-4)

    def test_three_two_to_one_zero(self) -> None:
        """The table: 0.7071 L + 0.7071 R + C + 0.5 Ls + 0.5 Rs; ours lies 3.01 dB lower, as it says."""
        gains = layouts.matrix("5.1", 6, "mono")[:, 0]
        np.testing.assert_allclose(gains / HALF, [HALF, HALF, 1, 0, 0.5, 0.5], atol=2e-4)

    def test_three_two_to_two_two(self) -> None:
        """L + 0.7071 C, R + 0.7071 C, Ls, Rs."""
        gains = layouts.matrix("5.1", 6, "quad")
        np.testing.assert_allclose(gains.T, [[1, 0, HALF, 0, 0, 0], [0, 1, HALF, 0, 0, 0], [0, 0, 0, 0, 1, 0], [0, 0, 0, 0, 0, 1]], atol=1e-4)

    def test_upwards_nothing_is_invented(self) -> None:
        gains = layouts.matrix("stereo", 2, "5.1")
        np.testing.assert_array_equal(gains, np.eye(2, 6))
        np.testing.assert_array_equal(layouts.matrix("mono", 1, "5.1")[0], [0, 0, 1, 0, 0, 0])
        np.testing.assert_allclose(layouts.matrix("mono", 1, "quad")[0], [HALF, HALF, 0, 0], atol=1e-4)

    def test_up_and_down_again_is_where_it_began(self) -> None:
        samples = noise(0.05, channels=2)
        for wide in ("quad", "5.1", "7.1"):
            with self.subTest(layout=wide):
                np.testing.assert_allclose(layouts.convert(layouts.convert(samples, wide), "stereo", wide), samples, atol=1e-7)


class Ambisonics(unittest.TestCase):
    def wave(self, azimuth_deg: float, elevation_deg: float = 0.0) -> np.ndarray:
        """A plane wave of amplitude 1 as W, Y, Z, X (SN3D)."""
        a, e = np.radians([azimuth_deg, elevation_deg])
        return np.array([[1.0, np.sin(a) * np.cos(e), np.sin(e), np.cos(a) * np.cos(e)]], np.float32)

    def test_virtual_cardioids(self) -> None:
        """A cardioid hears a wave from an angle t off its axis with 0.5 (1 + cos t)."""
        for azimuth in range(-180, 181, 15):
            for elevation in (-45, 0, 60):
                heard = layouts.to_stereo(self.wave(azimuth, elevation), "ambix")[0]
                across = np.sin(np.radians(azimuth)) * np.cos(np.radians(elevation))
                np.testing.assert_allclose(heard, [0.5 * (1 + across), 0.5 * (1 - across)], atol=1e-6)

    def test_another_angle(self) -> None:
        heard = layouts.to_stereo(self.wave(45), "ambix", 45)[0]
        np.testing.assert_allclose(heard, [1.0, 0.5], atol=1e-6)

    def test_encoding_is_a_plane_wave_from_the_loudspeaker(self) -> None:
        gains = layouts.matrix("5.1", 6, "ambix")
        for channel, azimuth in ((L, 30), (R, -30), (C, 0), (LS, 110), (RS, -110)):
            np.testing.assert_allclose(gains[channel], self.wave(azimuth)[0], atol=1e-6)
        np.testing.assert_array_equal(gains[LFE], 0)

    def test_decoding_keeps_the_pressure_and_the_side(self) -> None:
        for wanted in ("quad", "5.1", "7.1"):
            gains = layouts.matrix("ambix", 4, wanted)
            speakers = layouts.AZIMUTHS[wanted]
            for azimuth in range(0, 360, 30):
                out = (self.wave(azimuth) @ gains)[0]
                loudest = layouts.CHANNELS[wanted][int(np.argmax(out))]
                apart = min(abs((speakers[name] - azimuth + 180) % 360 - 180) for name in speakers)
                with self.subTest(layout=wanted, azimuth=azimuth):
                    self.assertAlmostEqual(abs((speakers[loudest] - azimuth + 180) % 360 - 180), apart, delta=1e-3)
                    if wanted == "quad":  # a regular ring: pressures add up to the wave's
                        self.assertAlmostEqual(float(out.sum()), 1.0, places=5)


class Converting(InFolder):
    def test_every_pair_is_converted_or_refused_in_a_sentence(self) -> None:
        for channels in range(1, 17):
            samples = noise(0.01, channels=channels)
            for layout in layouts.possible(channels):
                for wanted in layouts.CHANNELS:
                    with self.subTest(channels=channels, layout=layout, wanted=wanted):
                        try:
                            out = layouts.convert(samples, wanted, layout)
                        except OskrenError as error:
                            self.assertTrue(layout.startswith("unknown") and "say which layout" in str(error))
                        else:
                            self.assertEqual(out.shape, (len(samples), len(layouts.CHANNELS[wanted])))
                            self.assertTrue(np.isfinite(out).all())

    def test_as_a_step_the_stated_layout_decides(self) -> None:
        path = self.folder / "four.wav"
        samples = noise(0.1, -20, channels=4)
        from oskren.core.audio import files

        files.write(path, samples, RATE, 32)
        audio = files.audio_hash(path)
        self.media[audio] = path
        made = {}
        for layout in ("quad", "ambix"):
            node = Source(audio=audio, rate=RATE, channels=4, frames=len(samples), layout=layout)
            made[layout] = np.asarray(self.renderer.audio(Chained(node=node, chain=(Step(kind="layout", params={"layout": "stereo"}),)))[0])
        np.testing.assert_allclose(made["quad"], samples[:, :2] + np.float32(np.sqrt(0.5)) * samples[:, 2:], atol=1e-6)
        np.testing.assert_allclose(made["ambix"][:, 0], 0.5 * (samples[:, 0] + samples[:, 1]), atol=1e-6)

    def test_a_step_that_widens_names_the_new_layout(self) -> None:
        path = self.folder / "one.wav"
        from oskren.core.audio import files

        files.write(path, noise(0.1, -20), RATE, 32)
        audio = files.audio_hash(path)
        self.media[audio] = path
        node = Source(audio=audio, rate=RATE, channels=1, frames=4800)
        to_ambix = Step(kind="layout", params={"layout": "ambix"})
        shape = self.renderer.shape(Chained(node=node, chain=(to_ambix,)))
        self.assertEqual((shape.channels, shape.named), (4, "ambix"))
        back = self.renderer.shape(Chained(node=node, chain=(to_ambix, Step(kind="mono"))))
        self.assertEqual((back.channels, back.named), (1, "mono"))
