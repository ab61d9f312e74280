"""Places in the plane of a wide sum: the balance of rows and loudspeakers as in ITU-R BS.2127's allocentric panner (from memory), first-order
AmbiX in closed form (Nachbar, Zotter, Deleflie, Sontacchi 2011), and what a mix of them is heard as."""

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from oskren.core.audio.layouts import AZIMUTHS, CHANNELS, convert, encoded, matrix
from oskren.core.audio.places import WIDE, gains, sides, spots
from oskren.core.envelope import Envelope
from oskren.core.measure import loudness
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Group, Member, Mix, Step
from oskren.core.stack.difference import differences
from oskren.core.stack.shares import share_out, sum_facts
from tests.support import RATE, InFolder, noise, sine

LAID_OUT = ("quad", "5.1", "7.1")
HALF = math.sqrt(0.5)
inside = st.floats(-1, 1)


def one(layout: str, x: float, y: float) -> dict[str, float]:
    found = dict(zip(CHANNELS[layout], gains(layout, np.array([x]), np.array([y]))[0], strict=True))
    return {name: round(float(gain), 6) for name, gain in found.items() if abs(gain) > 1e-9}


class Gains(unittest.TestCase):
    def test_a_sound_at_a_loudspeaker_is_heard_from_it_alone(self) -> None:
        for layout in LAID_OUT:
            for lane, spot in enumerate(spots(layout)):
                if spot is not None:
                    with self.subTest(layout=layout, lane=CHANNELS[layout][lane]):
                        self.assertEqual(one(layout, *spot), {CHANNELS[layout][lane]: 1.0})

    def test_an_lfe_has_no_place(self) -> None:
        self.assertEqual([CHANNELS["5.1"][lane] for lane, spot in enumerate(spots("5.1")) if spot is None], ["LFE"])

    @given(inside, inside)
    def test_the_power_is_the_same_everywhere(self, x: float, y: float) -> None:
        for layout in LAID_OUT:
            self.assertAlmostEqual(float((gains(layout, np.array([x]), np.array([y])) ** 2).sum()), 1.0, places=9)

    def test_halfway_is_3_db_less_in_each(self) -> None:
        half = round(HALF, 6)
        self.assertEqual(one("quad", 0, 1), {"L": half, "R": half})
        self.assertEqual(one("5.1", -0.5, 1), {"L": half, "C": half})
        self.assertEqual(one("5.1", -1, 0), {"L": half, "Ls": half})
        self.assertEqual(one("7.1", -1, -0.5), {"Lss": half, "Lrs": half})
        self.assertEqual(set(one("quad", 0, 0).values()), {0.5})

    @given(inside, inside)
    def test_left_and_right_are_mirrored(self, x: float, y: float) -> None:
        for layout in LAID_OUT:
            names = CHANNELS[layout]
            mirrored = [names.index(name.translate(str.maketrans("LR", "RL")) if name != "LFE" else name) for name in names]
            np.testing.assert_allclose(gains(layout, np.array([x]), np.array([y]))[0], gains(layout, np.array([-x]), np.array([y]))[0][mirrored], atol=1e-9)

    def test_ambisonics_is_a_plane_wave_from_the_loudspeakers_directions(self) -> None:
        for lane, spot in enumerate(spots("7.1")):
            if spot is not None:
                angle = AZIMUTHS["7.1"][CHANNELS["7.1"][lane]]
                np.testing.assert_allclose(gains("ambix", np.array([spot[0]]), np.array([spot[1]])), encoded([angle]), atol=1e-6)
        np.testing.assert_allclose(gains("ambix", np.zeros(1), np.zeros(1)), [[1, 0, 0, 0]], atol=1e-12)
        np.testing.assert_allclose(gains("ambix", np.zeros(1), -np.ones(1)), [[1, 0, 0, -1]], atol=1e-12)


class Heard(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.mono, self.stereo = self.source(noise(0.3, -20), name="mono.wav"), self.source(noise(0.3, -20, channels=2, seed=2), name="stereo.wav")

    def heard(self, layout: str, *members: Member, **values: object) -> np.ndarray:
        return np.asarray(self.renderer.audio(Mix(members=members, layout=layout, **values))[0])  # type: ignore[arg-type]

    def test_a_stereo_layer_keeps_its_sides_and_a_sound_of_the_sums_layout_its_channels(self) -> None:
        audio = self.renderer.read(self.stereo, 0, 10**6)
        for layout in LAID_OUT:
            np.testing.assert_array_equal(self.heard(layout, Member(node=self.stereo))[:, :2], audio)
            lanes = len(CHANNELS[layout])
            wide = self.source(noise(0.1, -20, channels=lanes, seed=lanes), name=f"{lanes}.wav")
            np.testing.assert_allclose(self.heard(layout, Member(node=wide)), self.renderer.read(wide, 0, 10**6), atol=1e-7)

    def test_pan_laws(self) -> None:
        """Equal power is gL² + gR² = 1, equal amplitude gL + gR = 1; -4.5 dB lies between (common practice, no source)."""
        mono, stereo = (self.renderer.read(node, 0, 10**6) for node in (self.mono, self.stereo))
        pans = np.linspace(-1, 1, 9)
        for law, centre in (("0 dB", 1.0), ("-3 dB", 2**-0.5), ("-4.5 dB", 2**-0.75), ("-6 dB", 0.5)):
            with self.subTest(law=law):
                np.testing.assert_allclose(self.heard("stereo", Member(node=self.mono), pan_law=law), np.repeat(mono * centre, 2, axis=1), atol=1e-6)
                np.testing.assert_allclose(self.heard("stereo", Member(node=self.stereo), pan_law=law), stereo, atol=1e-6)
                np.testing.assert_allclose(
                    self.heard("stereo", Member(node=self.mono, pan=-1.0), pan_law=law), np.concatenate([mono, 0 * mono], axis=1), atol=1e-6
                )
                grouped = Mix(members=(Member(node=self.mono, id="one", group="both"),), groups=(Group(id="both", pan=0.4),), pan_law=law)  # type: ignore[arg-type]
                left, right = sides(np.array([0.4]), 2, law)  # type: ignore[arg-type]
                np.testing.assert_allclose(self.renderer.audio(grouped)[0], np.concatenate([left * mono, right * mono], axis=1) * centre, atol=1e-6)
        equal, whole = sides(pans, 1, "-3 dB"), sides(pans, 1, "-6 dB")
        np.testing.assert_allclose(equal[0] ** 2 + equal[1] ** 2, 1, atol=1e-12)
        np.testing.assert_allclose(whole[0] + whole[1], 1, atol=1e-12)
        np.testing.assert_allclose(sides(pans, 1, "-4.5 dB")[0] ** 2, equal[0] * whole[0], atol=1e-12)
        plain = Mix(members=(Member(node=self.mono),))
        self.assertEqual(node_hash(plain), node_hash(plain.model_copy(update={"pan_law": "-3 dB"})))
        self.assertNotEqual(node_hash(plain), node_hash(plain.model_copy(update={"pan_law": "-6 dB"})))

    def test_pan_back_and_width(self) -> None:
        audio = self.renderer.read(self.stereo, 0, 10**6)
        behind = self.heard("quad", Member(node=self.stereo, back=1.0))
        np.testing.assert_allclose(behind, np.concatenate([0 * audio, audio], axis=1), atol=1e-7)
        point = self.heard("5.1", Member(node=self.stereo, width=0.0, pan=-1.0))
        np.testing.assert_allclose(point[:, 0], audio.sum(axis=1), atol=1e-6)
        self.assertEqual(float(np.abs(point[:, 1:]).max()), 0.0)
        centre = self.heard("5.1", Member(node=self.mono, gain_db=-6.0))
        np.testing.assert_allclose(centre[:, 2], self.renderer.read(self.mono, 0, 10**6)[:, 0] * 10 ** (-6 / 20), atol=1e-6)

    def test_a_sum_as_wide_as_stereo_does_not_ask_for_back_and_width(self) -> None:
        plain, placed = Member(node=self.stereo, pan=0.2), Member(node=self.stereo, pan=0.2, back=1.0, width=0.1)
        for layout in ("mono", "stereo"):
            self.assertEqual(node_hash(Mix(members=(plain,), layout=layout)), node_hash(Mix(members=(placed,), layout=layout)))
            np.testing.assert_array_equal(self.heard(layout, plain), self.heard(layout, placed))
        hashes = {node_hash(Mix(members=(one,), layout=layout)) for one in (plain, placed) for layout in WIDE}
        self.assertEqual(len(hashes), 2 * len(WIDE))

    def test_something_that_goes_round_is_where_it_is_said_to_be_at_every_moment(self) -> None:
        moves = (Envelope(control="pan", points=((0.0, -1.0), (0.3, 1.0))), Envelope(control="back", points=((0.0, 0.0), (0.3, 1.0))))
        for layout in WIDE:
            out = self.heard(layout, Member(node=self.mono, envelopes=moves))
            audio = self.renderer.read(self.mono, 0, 10**6)[:, 0]
            for frame in (0, 3000, 7200, 11_111, 14_000):
                way = frame / (0.3 * RATE)
                still = gains(layout, np.array([2 * way - 1]), np.array([1 - 2 * way]))[0]
                np.testing.assert_allclose(out[frame], audio[frame] * still, atol=1e-6)

    def test_ambisonics_is_turned_in_ambisonics_and_heard_from_loudspeakers(self) -> None:
        tone = sine(440, 0.2, -12)
        field = self.source((tone @ encoded([30.0])).astype(np.float32), name="field.wav").model_copy(update={"layout": "ambix"})
        np.testing.assert_allclose(self.heard("ambix", Member(node=field)), tone @ encoded([30.0]), atol=1e-6)
        np.testing.assert_allclose(self.heard("ambix", Member(node=field, pan=-1.0)), tone @ encoded([60.0]), atol=1e-6)
        np.testing.assert_allclose(self.heard("ambix", Member(node=field, back=1.0)), tone @ encoded([210.0]), atol=1e-6)
        np.testing.assert_allclose(self.heard("quad", Member(node=field)), convert(tone @ encoded([30.0]), "quad", "ambix"), atol=1e-6)
        moving = self.heard("ambix", Member(node=field, envelopes=(Envelope(control="pan", points=((0.0, -1.0), (1.0, -1.0))),)))
        np.testing.assert_allclose(moving, tone @ encoded([60.0]), atol=1e-6)

    def test_low_effects_stay_low_effects(self) -> None:
        wide = self.source(noise(0.1, -20, channels=6, seed=3), name="wide.wav")
        audio = self.renderer.read(wide, 0, 10**6)
        for pan in (-1.0, 0.0):
            np.testing.assert_allclose(self.heard("7.1", Member(node=wide, pan=pan, back=0.5))[:, 3], audio[:, 3], atol=1e-7)
        quad = self.heard("quad", Member(node=wide))
        np.testing.assert_allclose((quad**2).sum(), (audio[:, [0, 1, 2, 4, 5]] ** 2).sum(), rtol=0.1)

    def test_a_group_that_changes_nothing_and_one_that_is_moved(self) -> None:
        members = (Member(id="a", node=self.stereo, pan=0.3, back=0.2, group="g"), Member(id="b", node=self.mono, pan=-0.5, at_s=0.1, group="g"))
        loose = tuple(member.model_copy(update={"group": ""}) for member in members)
        for layout in WIDE:
            np.testing.assert_allclose(self.heard(layout, *members, groups=(Group(id="g"),)), self.heard(layout, *loose), atol=1e-6)
        behind = self.heard("quad", *members, groups=(Group(id="g", back=1.0),))
        self.assertEqual(float(np.abs(behind[:, :2]).max()), 0.0)

    def test_a_wide_design_in_another_design(self) -> None:
        inner = Mix(members=(Member(node=self.stereo, back=1.0),), layout="5.1")
        audio = self.renderer.read(self.stereo, 0, 10**6)
        np.testing.assert_allclose(self.heard("7.1", Member(node=inner))[:, 6:], audio, atol=1e-7)
        np.testing.assert_allclose(self.heard("stereo", Member(node=inner)), audio @ (np.eye(2) * matrix("5.1", 6, "stereo")[4, 0]), atol=1e-6)

    def test_meters_and_shares_of_a_wide_sum(self) -> None:
        mix = Mix(members=(Member(id="front", node=self.stereo), Member(id="back", node=self.stereo, back=1.0)), layout="5.1")
        shares = {share.id: share.share for share in share_out(self.renderer, mix)[0]}
        self.assertAlmostEqual(shares["back"] / shares["front"], 1.41, places=2)  # the weight of surrounds, ITU-R BS.1770-5, table 4
        facts = sum_facts(self.renderer, mix)
        self.assertEqual(facts.correlation, round(float(np.corrcoef(self.renderer.read(self.stereo, 0, 10**6).T)[0, 1]), 3))
        audio = np.asarray(self.renderer.audio(mix)[0])
        both = loudness.loudness(audio, RATE, "5.1").integrated_lufs
        alone = loudness.loudness(self.renderer.read(self.stereo, 0, 10**6), RATE).integrated_lufs
        assert both is not None and alone is not None
        self.assertAlmostEqual(both - alone, 10 * math.log10(2.41), places=2)

    def test_from_any_frame_a_wide_sum_is_the_whole_one(self) -> None:
        chain = (Step(kind="high_pass"), Step(kind="limiter", params={"ceiling_dbtp": -20.0}))
        moves = (Envelope(control="back", points=((0.0, 0.0), (0.2, 1.0))),)
        mix = Mix(members=(Member(node=self.stereo, envelopes=moves, at_s=0.05), Member(node=self.mono, pan=0.4)), chain=chain, layout="7.1")
        whole = np.concatenate(list(self.renderer.stream(mix)))
        self.assertEqual(whole.shape[1], 8)
        for start in (1, 4096, 9999):
            np.testing.assert_allclose(np.concatenate(list(self.renderer.stream(mix, start))), whole[start:], atol=2e-6)

    def test_the_difference_in_words(self) -> None:
        old = Mix(members=(Member(id="a", name="Heron", node=self.mono),))
        new = old.model_copy(update={"layout": "5.1", "members": (old.members[0].model_copy(update={"back": 0.5, "width": 0.2}),)})
        self.assertEqual(differences(old, new), ["Heron: front/back 0 to 0.5, width 1 to 0.2", "the sum is 5.1"])
