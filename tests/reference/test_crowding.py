"""Crowding on known spectra: tones and noise whose bands, times and levels are known by how they were made."""

import unittest

import numpy as np

from oskren.core.envelope import Envelope
from oskren.core.nodes.model import Group, Member, Mix, Print, Step
from oskren.core.stack.crowding import BANDS, EDGES, LOUDNESS, band_powers, crowding
from tests.core.test_steps import through
from tests.support import RATE, InFolder, noise, sine


def band_of(hz: float) -> int:
    return int(np.searchsorted(EDGES, hz) - 1)


class Powers(unittest.TestCase):
    def test_white_noise_has_the_power_of_its_bands(self) -> None:
        """A band's part of the power is its part of the spectrum, whatever the rate."""
        for rate in (44_100, 48_000, 96_000):
            found = band_powers(noise(4.0, -20, rate=rate), rate)[:, 5:-5].mean(axis=1)
            wanted = 10 ** (-20 / 10) * np.diff(EDGES) / (rate / 2)
            np.testing.assert_allclose(10 * np.log10(found[4:] / wanted[4:]), 0, atol=0.8)

    def test_a_tone_lies_in_its_band_with_its_power(self) -> None:
        for hz in (60.0, 300.0, 1000.0, 9000.0):
            found = band_powers(sine(hz, 2.0, -6.0), RATE)[:, 20]
            self.assertEqual(int(np.argmax(found)), band_of(hz))
            self.assertAlmostEqual(float(10 * np.log10(found.sum())), -9.01, delta=0.1)

    def test_channels_add_as_powers(self) -> None:
        one, two = (band_powers(np.repeat(sine(500, 1.0, -6.0), lanes, axis=1), RATE) for lanes in (1, 2))
        np.testing.assert_allclose(two, 2 * one, rtol=1e-5)


class Crowded(InFolder):
    def mix(self, *layers: np.ndarray, **values: dict) -> Mix:
        members = [Member(id=f"layer-{k}", node=self.source(one, name=f"{len(self.media)}.wav")) for k, one in enumerate(layers)]
        return Mix(members=tuple(one.model_copy(update=values.get(one.id.replace("-", "_"), {})) for one in members))

    def test_two_tones_in_one_band_crowd_and_two_far_apart_do_not(self) -> None:
        near, far = self.mix(sine(1150, 1.0, -12.0), sine(1220, 1.0, -12.0)), self.mix(sine(200, 1.0, -12.0), sine(2000, 1.0, -12.0))
        self.assertEqual(crowding(self.renderer, far).pairs, [])
        found = crowding(self.renderer, near)
        (pair,) = found.pairs
        self.assertLess(pair.low_hz, 1150)
        self.assertGreater(pair.high_hz, 1220)
        self.assertAlmostEqual(pair.over_db, 0.0, delta=0.3)
        middle = np.array(found.strips[0].covered)[band_of(1150), 20]
        self.assertAlmostEqual(float(middle), 0.5, delta=0.03)
        alone = np.array(crowding(self.renderer, far).strips[0].covered)
        self.assertEqual(alone.shape[0], BANDS)
        self.assertLess(float(alone[band_of(200)].max()), 0.01)

    def test_how_far_one_is_over_the_other_follows_its_gain(self) -> None:
        for gain in (-3.0, 5.0):
            (pair,) = crowding(self.renderer, self.mix(sine(590, 1.0, -12.0), sine(610, 1.0, -12.0), layer_1={"gain_db": gain})).pairs
            self.assertAlmostEqual(pair.over_db, abs(gain), delta=0.1)
            self.assertEqual(pair.louder, "layer-1" if gain > 0 else "layer-0")
        self.assertEqual(crowding(self.renderer, self.mix(sine(590, 1.0), sine(610, 1.0), layer_1={"gain_db": -15.0})).pairs, [])

    def test_when_they_meet(self) -> None:
        """A second of the same noise, the other one from 0.6 s on: they share 0.4 s."""
        mix = self.mix(noise(1.0, -20, seed=1), noise(1.0, -20, seed=2), layer_1={"at_s": 0.6})
        (pair,) = crowding(self.renderer, mix).pairs
        self.assertAlmostEqual(pair.from_s, 0.62, delta=0.06)
        self.assertAlmostEqual(pair.to_s, 0.98, delta=0.06)

    def test_what_is_muted_faded_out_or_filtered_away_crowds_nobody(self) -> None:
        two = (noise(1.0, -20, seed=1), noise(1.0, -20, seed=2))
        away = (Step(kind="gain", params={"gain_db": -40.0}),)
        for values in ({"mute": True}, {"chain": away}, {"envelopes": (Envelope(control="gain_db", points=((0.0, -60.0), (1.0, -60.0))),)}):
            self.assertEqual(crowding(self.renderer, self.mix(*two, layer_1=values)).pairs, [])
        grouped = self.mix(*two, layer_1={"group": "g"})
        for group in (Group(id="g", mute=True), Group(id="g", chain=away), Group(id="g", gain_db=-40.0)):
            self.assertEqual(crowding(self.renderer, grouped.model_copy(update={"groups": (group,)})).pairs, [])
        self.assertEqual(len(crowding(self.renderer, grouped.model_copy(update={"groups": (Group(id="g"),)})).pairs), 1)

    def test_the_dip_does_what_it_says(self) -> None:
        """A bell in the middle of a band of noise: the measured difference is that of rendering the sum with the step in it."""
        narrow = through("high_pass", through("low_pass", noise(1.5, -12, seed=1), cutoff_hz=700.0, slope="48"), cutoff_hz=500.0, slope="48")
        mix = self.mix(narrow, noise(1.5, -20, seed=2))
        (pair,) = crowding(self.renderer, mix).pairs
        dip = pair.dip
        assert dip is not None
        self.assertEqual(dip.layer, "layer-1")  # noise has more outside the band than the narrow one
        self.assertGreater(dip.after_db, dip.before_db + 1.0)
        taken = mix.model_copy(update={"members": (mix.members[0], mix.members[1].model_copy(update={"chain": (dip.step,)}))})
        again = [one for one in crowding(self.renderer, taken).pairs if (one.low_hz, one.high_hz) == (pair.low_hz, pair.high_hz)]
        for one in again:
            self.assertAlmostEqual(one.over_db, dip.after_db, delta=0.8)
        gain = through("band", sine(pair.low_hz * 1.3, 1.0, -12.0), **dip.step.params)
        self.assertLess(float(np.abs(gain[RATE // 2 :]).max()), 10 ** (-12 / 20))

    def test_locked_and_frozen_layers_are_left_alone(self) -> None:
        two = (noise(1.0, -20, seed=1), noise(1.0, -20, seed=2))
        (pair,) = crowding(self.renderer, self.mix(*two, layer_0={"locked": True})).pairs
        assert pair.dip is not None
        self.assertEqual(pair.dip.layer, "layer-1")
        (pair,) = crowding(self.renderer, self.mix(*two, layer_0={"locked": True}, layer_1={"locked": True})).pairs
        self.assertIsNone(pair.dip)

    def test_layers_of_a_frozen_group_do_not_crowd_themselves(self) -> None:
        """What a group was frozen to holds all of its layers: it must not be taken for each of them."""
        mix = self.mix(sine(200, 1.0, -12.0), sine(2000, 1.0, -12.0), layer_0={"group": "g"}, layer_1={"group": "g"})
        whole = self.source(sine(200, 1.0, -12.0) + sine(2000, 1.0, -12.0), name="frozen.wav")
        frozen = Print(**whole.model_dump(exclude={"kind"}))
        found = crowding(self.renderer, mix.model_copy(update={"groups": (Group(id="g", frozen=frozen),)}))
        self.assertEqual(found.pairs, [])
        self.assertLess(float(np.array(found.strips[0].covered)[band_of(200)].max()), 0.01)

    def test_shares_are_counted_in_loudness(self) -> None:
        """Two like noises contest half of what they have together (Stevens: power to the 0.3; each has the same)."""
        (pair,) = crowding(self.renderer, self.mix(noise(1.0, -20, seed=1), noise(1.0, -20, seed=1))).pairs
        self.assertAlmostEqual(pair.share, 0.5, delta=0.02)
        self.assertEqual(LOUDNESS, 0.3)

    def test_nothing_heard_nothing_crowded(self) -> None:
        self.assertEqual(crowding(self.renderer, Mix()).strips, [])
        silent = self.mix(np.zeros((RATE, 1), np.float32), np.zeros((RATE, 1), np.float32))
        self.assertEqual(crowding(self.renderer, silent).pairs, [])
        self.assertLess(max(max(row) for strip in crowding(self.renderer, silent).strips for row in strip.covered), 0)

    def test_layers_lie_where_they_are_heard(self) -> None:
        """Strips begin before the strike line where a layer does; all have as many columns."""
        mix = self.mix(noise(1.0, -20, seed=1), noise(2.0, -20, seed=2), layer_0={"at_s": -0.5}, layer_1={"at_s": 0.2})
        found = crowding(self.renderer, mix)
        self.assertAlmostEqual(found.start_s, -0.5, delta=0.03)
        self.assertAlmostEqual(found.end_s, 2.2, delta=0.06)
        self.assertEqual(len({len(row) for strip in found.strips for row in strip.covered}), 1)
