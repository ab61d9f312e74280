"""Stack's rules: groups, frozen layers, swaps, tuning, shares, performances, and two versions told apart in words."""

import math

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from oskren.core.envelope import Envelope
from oskren.core.errors import OskrenError
from oskren.core.nodes import Member, Mix
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.members import group_mix, member_node
from oskren.core.nodes.model import Chained, Group, Loop, Origin, Print, Source, Step
from oskren.core.nodes.walk import leaves
from oskren.core.stack import tune
from oskren.core.stack.difference import differences
from oskren.core.stack.perform import Performance, Played, Slot, laid_out, quantised, velocity_db
from oskren.core.stack.shares import correlation, share_out, sum_facts
from oskren.core.stack.swap import designs_in, renewed, replaced_everywhere, swapped
from tests.support import RATE, InFolder, noise, sine, struck

SOURCE = Source(audio="0" * 40, rate=48_000, channels=1, frames=48_000)
OTHER = Source(audio="1" * 40, rate=48_000, channels=1, frames=24_000)
GAIN = Step(kind="gain", id="g", params={"gain_db": -6.0})


class Groups(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.nodes = [self.source(noise(0.4, -20, seed=k), name=f"{k}.wav") for k in range(3)]

    def mix(self, **values: object) -> Mix:
        members = tuple(Member(id=str(k), node=node, at_s=0.1 * k, group="" if k == 0 else "g") for k, node in enumerate(self.nodes))
        return Mix(members=members, groups=(Group(id="g", name="Low", **values),))  # type: ignore[arg-type]

    def heard(self, mix: Mix) -> np.ndarray:
        return np.asarray(self.renderer.audio(mix)[0])

    def test_a_group_that_changes_nothing_sounds_like_its_layers(self) -> None:
        plain = self.mix().model_copy(update={"groups": ()})
        np.testing.assert_allclose(self.heard(self.mix()), self.heard(plain), atol=1e-6)

    def test_gain_mute_and_chain_of_a_group(self) -> None:
        alone, both = self.heard(self.mix(mute=True)), self.heard(self.mix())
        rest = both.copy()
        rest[: len(alone)] -= alone
        np.testing.assert_allclose(self.heard(self.mix(gain_db=-6.0)) - both, rest * (10 ** (-6 / 20) - 1), atol=1e-6)
        np.testing.assert_allclose(self.heard(self.mix(chain=(GAIN,))), self.heard(self.mix(gain_db=-6.0)), atol=1e-6)

    def test_a_change_outside_a_group_renders_nothing_in_it_again(self) -> None:
        mix = self.mix(chain=(Step(kind="high_pass", id="h"),))
        self.heard(mix)
        before = self.renderer.renders["high_pass"]
        self.heard(mix.model_copy(update={"members": (mix.members[0].model_copy(update={"pitch_st": 3.0}), *mix.members[1:])}))
        self.heard(mix.model_copy(update={"groups": (mix.groups[0].model_copy(update={"gain_db": -9.0, "pan": 0.4}),)}))
        self.assertEqual(self.renderer.renders["high_pass"], before)

    def test_an_edit_in_a_group_is_heard_without_rendering_the_group_whole(self) -> None:
        mix = self.mix()
        far = mix.model_copy(update={"members": (*mix.members[:2], mix.members[2].model_copy(update={"at_s": 9.0}))})
        self.renderer.make_ready(far)
        parts = {at: self.renderer.read(far, at, 6000) for at in (0, 5000, 9 * RATE - 100, 9 * RATE + 7000)}
        whole = self.heard(far)
        self.assertFalse(self.renderer.cache.has(node_hash(group_mix(far, far.groups[0], RATE))))
        for at, part in parts.items():
            np.testing.assert_array_equal(part, whole[at : at + 6000])

    def test_the_chain_of_a_group_is_gone_through_once_however_often_the_mix_is_read(self) -> None:
        mix = self.mix(chain=(Step(kind="high_pass", id="h"),))
        for at in (0, 3000, 0):
            self.renderer.read(mix, at, 20_000)
        self.assertEqual(self.renderer.renders["high_pass"], 1)

    def test_only_the_layer_that_was_changed_is_rendered_again(self) -> None:
        members = tuple(Member(id=str(k), node=self.nodes[k % 3], chain=(Step(kind="high_pass", params={"cutoff_hz": 50.0 + k}),)) for k in range(5))
        mix = Mix(members=members, chain=(Step(kind="limiter"),))
        self.heard(mix)
        self.assertEqual(self.renderer.renders["high_pass"], 5)
        for values in ({"gain_db": -3.0}, {"pan": 0.3}, {"at_s": 0.05}, {"envelopes": (Envelope(control="gain_db", points=((0.0, -3.0),)),)}):
            self.heard(mix.model_copy(update={"members": (members[0].model_copy(update=values), *members[1:])}))
        self.assertEqual((self.renderer.renders["high_pass"], self.renderer.renders["limiter"]), (5, 5))
        self.heard(mix.model_copy(update={"members": (members[0].model_copy(update={"pitch_st": -3.0}), *members[1:])}))
        self.assertEqual(self.renderer.renders["high_pass"], 6)

    def test_names_colours_locks_and_searches_change_no_audio(self) -> None:
        mix = self.mix()
        dressed = mix.members[0].model_copy(
            update={"name": "x", "colour": "sky", "locked": True, "search": "glass", "role": "air", "origin": Origin(kind="sound", id=3, pinned="2" * 40)}
        )
        self.assertEqual(node_hash(mix.model_copy(update={"members": (dressed, *mix.members[1:])})), node_hash(mix))

    def test_frozen_is_heard_the_same_stays_where_it_was_and_thaws(self) -> None:
        member = Member(id="a", node=self.nodes[0], pitch_st=-5.0, anchor_s=0.2, chain=(GAIN,), at_s=0.3, fade_out_s=0.1)
        mix = Mix(members=(member, Member(id="b", node=self.nodes[1])))
        audio, rate = self.renderer.audio(member_node(member))
        printed = self.source(np.array(audio), rate, "frozen.wav")
        frozen = member.model_copy(update={"frozen": Print(audio=printed.audio, rate=rate, channels=audio.shape[1], frames=len(audio), of=member_node(member))})
        held = mix.model_copy(update={"members": (frozen, mix.members[1])})
        before = self.renderer.renders["pitch"]
        np.testing.assert_allclose(self.heard(held), self.heard(mix), atol=1e-6)
        self.assertEqual(self.renderer.renders["pitch"], before)
        self.assertEqual(len(leaves(held)), 3)  # both what is heard and what it thaws to are part of it
        thawed = held.model_copy(update={"members": (frozen.model_copy(update={"frozen": None}), mix.members[1])})
        self.assertEqual(node_hash(thawed), node_hash(mix))

    def test_a_frozen_group_is_heard_the_same(self) -> None:
        mix = self.mix(chain=(GAIN, Step(kind="space", params={"decay_s": 0.2})))
        audio, rate = self.renderer.audio(group_mix(mix, mix.groups[0], RATE))
        printed = self.source(np.array(audio), rate, "frozen.wav")
        frozen = mix.groups[0].model_copy(update={"frozen": Print(audio=printed.audio, rate=rate, channels=2, frames=len(audio))})
        np.testing.assert_allclose(self.heard(mix.model_copy(update={"groups": (frozen,)})), self.heard(mix), atol=1e-6)

    def test_nested_designs_land_with_their_strike_line(self) -> None:
        inner = Mix(members=(Member(id="x", node=self.nodes[0], anchor_s=0.15), Member(id="y", node=self.nodes[1], at_s=0.3)))
        zero = self.renderer.output_shape(inner).zero / RATE
        self.assertAlmostEqual(zero, 0.15, places=4)
        outer = Mix(members=(Member(id="in", node=inner, anchor_s=zero),))
        np.testing.assert_allclose(self.heard(outer), self.heard(inner), atol=1e-6)


class Swaps(InFolder):
    member = Member(id="a", name="Old", node=SOURCE, anchor_s=0.1, at_s=0.2, gain_db=-3.0, pitch_st=-7.0, chain=(GAIN,), start_s=0.1, end_s=0.5, locked=False)

    def test_place_level_pitch_and_chain_stay_and_trims_go(self) -> None:
        fresh = swapped(self.member, OTHER, "New", 0.02, None)
        kept = {name: getattr(fresh, name) for name in ("at_s", "gain_db", "pitch_st", "chain", "id")}
        self.assertEqual(kept, {name: getattr(self.member, name) for name in kept})
        self.assertEqual((fresh.name, fresh.anchor_s, fresh.start_s, fresh.end_s), ("New", 0.02, None, None))

    def test_the_length_is_kept_by_stretching_as_far_as_that_goes(self) -> None:
        self.assertAlmostEqual(swapped(self.member, OTHER, "New", 0.0, None, seconds=(1.5, 0.5)).stretch, 3.0)
        self.assertEqual(swapped(self.member, OTHER, "New", 0.0, None, seconds=(100.0, 0.5)).stretch, 10.0)

    def test_a_newer_state_takes_the_place_of_the_old_one_inside_what_was_put_around_it(self) -> None:
        origin = Origin(kind="sound", id=7, pinned=node_hash(SOURCE))
        plain = renewed(self.member.model_copy(update={"origin": origin}), OTHER)
        around = renewed(self.member.model_copy(update={"origin": origin, "node": Chained(node=SOURCE, chain=(GAIN,))}), OTHER)
        self.assertEqual((plain.node, around.node), (OTHER, Chained(node=OTHER, chain=(GAIN,))))
        self.assertEqual(plain.origin, Origin(kind="sound", id=7, pinned=node_hash(OTHER)))

    def test_everywhere_means_in_nested_designs_too_but_not_in_locked_layers(self) -> None:
        origin = Origin(kind="sound", id=7, pinned=node_hash(SOURCE))
        one, locked = (self.member.model_copy(update={"origin": origin, "id": name, "locked": name == "l"}) for name in ("o", "l"))
        inside = Member(id="in", node=Mix(members=(one,)), origin=Origin(kind="design", id=4, pinned="3" * 40))
        changed, count = replaced_everywhere(Mix(members=(one, locked, inside)), "sound", 7, lambda member: member.model_copy(update={"node": OTHER}))
        self.assertEqual((count, changed.members[0].node, changed.members[1].node), (2, OTHER, SOURCE))
        self.assertEqual(designs_in(changed), {4})
        same = Mix(members=(one,))
        self.assertIs(replaced_everywhere(same, "sound", 8, lambda member: member)[0], same)


class Tuning(InFolder):
    def test_notes_of_equal_temperament(self) -> None:
        """ISO 16: A4 is 440 Hz; MIDI note numbers 69, 60 and 21 are A4, C4 and A0 (common practice, no source)."""
        self.assertEqual(tune.note_of(440.0), ("A4", 0.0))
        self.assertEqual(tune.note_of(261.6256)[0], "C4")
        self.assertAlmostEqual(tune.note_of(27.5 * 2 ** (0.3 / 12))[1], 30, places=6)
        for name, hz in (("A2", 110.0), ("a4", 440.0), ("C4", 261.6256), ("Bb3", 233.0819), ("C#4", 277.1826), ("110 Hz", 110.0), ("92.5", 92.5)):
            self.assertAlmostEqual(tune.frequency_of(name), hz, places=3)

    def test_what_is_no_note_is_said(self) -> None:
        for text in ("H2", "A", "", "5 Hz", "1.2.3"):
            with self.assertRaisesRegex(OskrenError, "is no note"):
                tune.frequency_of(text)

    @given(st.floats(20, 4000), st.floats(20, 4000))
    def test_a_shift_lands_on_the_note_or_its_nearest_octave(self, hz: float, wanted: float) -> None:
        self.assertAlmostEqual(hz * 2 ** (tune.shift_to(hz, wanted, nearest_octave=False) / 12), wanted, places=6)
        near = tune.shift_to(hz, wanted, nearest_octave=True)
        self.assertLessEqual(abs(near), 6 + 1e-9)
        octaves = math.log2(hz * 2 ** (near / 12) / wanted)
        self.assertAlmostEqual(octaves, round(octaves), places=9)


class Meters(InFolder):
    def test_shares_are_those_of_the_energy(self) -> None:
        """Two tones of 1 kHz 6.02 dB apart: energies 4 to 1 (closed form)."""
        loud, soft = (self.source(sine(1000, 1, level), name=f"{level}.wav") for level in (-12, -18.0206))
        mix = Mix(members=(Member(id="loud", node=loud), Member(id="soft", node=soft, at_s=2.0)))
        shares, _, by, level = share_out(self.renderer, mix)
        self.assertEqual([round(one.share, 3) for one in shares], [0.8, 0.2])
        self.assertEqual((by, shares[0].at_peak), ("loud", 1.0))
        self.assertAlmostEqual(level or 0, -15.01, delta=0.02)  # mono in the middle: -3.01 dB

    def test_who_pushes_the_sum_over_is_named_with_its_moment(self) -> None:
        one, other = self.source(sine(50, 1, -12), name="a.wav"), np.zeros((RATE, 1), np.float32)
        other[24_240] = 0.9
        mix = Mix(members=(Member(id="low", node=one), Member(id="click", node=self.source(other, name="b.wav"))), chain=(Step(kind="limiter"),))
        facts = sum_facts(self.renderer, mix)
        self.assertEqual((facts.peak_by, round(facts.peak_at_s or 0, 3)), ("click", 0.505))
        self.assertAlmostEqual(sum(share.at_peak for share in facts.shares), 1.0, places=3)

    def test_crest_and_correlation_by_closed_form(self) -> None:
        tone = self.source(sine(1000, 1, -6))
        facts = sum_facts(self.renderer, Mix(members=(Member(id="a", node=tone),)))
        self.assertAlmostEqual(facts.crest_db or 0, 3.01, places=1)
        self.assertEqual(facts.correlation, 1.0)
        left, right = sine(1000, 1), sine(1000, 1, phase_deg=90)
        self.assertAlmostEqual(correlation(np.concatenate([left, right], axis=1)) or 0.0, 0.0, places=2)
        self.assertEqual(correlation(np.concatenate([left, -left], axis=1)), -1.0)
        self.assertIsNone(correlation(np.zeros((9, 2), np.float32)))

    def test_the_share_of_a_group_is_that_of_its_layers_together(self) -> None:
        node = self.source(noise(0.5))
        mix = Mix(members=tuple(Member(id=str(k), node=node, group="" if k else "g", at_s=k) for k in range(4)), groups=(Group(id="g"),))
        self.assertEqual({one.id: round(one.share, 2) for one in share_out(self.renderer, mix)[0]}, {"1": 0.25, "2": 0.25, "3": 0.25, "g": 0.25})


class Performances(InFolder):
    slots = (
        Slot(name="Ratchet", node=SOURCE, anchor_s=0.05, seconds=1.0, choke="gears"),
        Slot(name="Bell", node=OTHER, anchor_s=0.0, seconds=0.5, gain_db=-2.0),
        Slot(name="Latch", node=OTHER, anchor_s=0.01, seconds=0.5, choke="gears"),
    )

    def played(self, *events: tuple[int, float], **values: object) -> Mix:
        return laid_out(Performance(slots=self.slots, played=tuple(Played(slot=slot, at_s=at) for slot, at in events), **values))  # type: ignore[arg-type]

    def test_a_sound_begins_when_its_key_was_pressed(self) -> None:
        mix = self.played((0, 1.0), (1, 1.3))
        self.assertEqual([round(one.at_s - one.anchor_s, 6) for one in mix.members], [1.0, 1.3])
        self.assertEqual([one.gain_db for one in mix.members], [0.0, -2.0])

    def test_the_next_of_its_kind_chokes_a_sound_and_others_do_not(self) -> None:
        mix = self.played((0, 1.0), (1, 1.2), (2, 1.4))
        self.assertEqual([one.end_s for one in mix.members], [0.4, None, None])
        self.assertGreater(mix.members[0].fade_out_s, 0)
        self.assertEqual([one.end_s for one in self.played((0, 1.0), (2, 2.5)).members], [None, None])

    def test_a_choked_sound_that_is_pitched_ends_at_the_same_moment(self) -> None:
        events = (Played(slot=0, at_s=0.0, pitch_st=12.0), Played(slot=2, at_s=0.3))
        self.assertEqual(laid_out(Performance(slots=self.slots, played=events)).members[0].end_s, 0.6)

    def test_a_grid_takes_the_anchors(self) -> None:
        mix = self.played((0, 0.97), (1, 1.31), grid_s=0.25)
        self.assertEqual([one.at_s for one in mix.members], [1.0, 1.25])
        half = self.played((1, 1.31), grid_s=0.25, amount=0.5)
        self.assertAlmostEqual(half.members[0].at_s, 1.28)

    @given(st.floats(0, 100), st.floats(0.01, 5), st.floats(0, 1))
    def test_a_quantised_moment_lies_between_itself_and_the_grid(self, at: float, grid: float, amount: float) -> None:
        there = quantised(at, grid, amount)
        self.assertLessEqual(abs(there - at), grid / 2 * amount + 1e-9)

    def test_velocity_in_decibels(self) -> None:
        self.assertEqual([round(velocity_db(value), 2) for value in (1.0, 0.5, 0.0)], [0.0, -6.02, -30.0])

    def test_a_level_that_was_moved_becomes_an_envelope_on_the_sum(self) -> None:
        mix = self.played((1, 0.5), moves=((0.0, 0.0), (1.0, -6.0), (2.0, -6.0)))
        [step] = mix.chain
        self.assertEqual((step.kind, step.envelopes[0].control), ("gain", "gain_db"))
        self.assertAlmostEqual(float(step.envelopes[0].at(np.array(1.5))), -6.0, delta=0.3)
        self.assertEqual(self.played((1, 0.5), moves=((0.0, 0.0), (1.0, 0.01))).chain, ())

    def test_a_key_without_a_sound_is_named(self) -> None:
        with self.assertRaisesRegex(OskrenError, "plays key 8, but only 3 keys"):
            self.played((7, 0.0))


def looped(member: Member, **values: object) -> Member:
    return member.model_copy(update={"node": member.node.model_copy(update=values)})


class InWords(InFolder):
    ratchet = Member(id="r", name="Brass ratchet", node=SOURCE, pitch_st=-9.0, chain=(Step(kind="high_pass", id="hp", params={"cutoff_hz": 90.0}),))
    wet = Step(kind="space", id="s", envelopes=(Envelope(control="wet_db", points=((0.0, -20.0),)),))

    def mix(self, *members: Member, **values: object) -> Mix:
        return Mix(members=members, chain=(self.wet,), **values)  # type: ignore[arg-type]

    def said(self, before: Mix, after: Mix) -> str:
        return "; ".join(differences(before, after))

    def test_a_number_and_a_curve(self) -> None:
        moved = self.wet.model_copy(update={"envelopes": (Envelope(control="wet_db", points=((0.0, -20.0), (1.0, -4.0))),)})
        after = Mix(members=(self.ratchet.model_copy(update={"pitch_st": -7.0}),), chain=(moved,))
        self.assertEqual(self.said(self.mix(self.ratchet), after), "Brass ratchet: pitch -9 to -7 st; Space: wet curve changed")

    def test_everything_that_can_differ_is_said(self) -> None:
        bell = Member(id="b", name="Bell", node=OTHER)
        bed = bell.model_copy(update={"node": Loop(node=OTHER, start_s=0.1, end_s=1.0, length_s=6.0, seed=1)})
        cases = {
            "Bell: goes on as a bed": (self.mix(bell), self.mix(bed)),
            "Bell: no longer goes on": (self.mix(bed), self.mix(bell)),
            "Bell: goes on for 6 to 8 s, goes on in another order": (self.mix(bed), self.mix(looped(bed, length_s=8.0, seed=2))),
            "Bell: goes on with the same again": (self.mix(bed), self.mix(looped(bed, seed=None))),
            "Bell: another stretch goes on": (self.mix(bed), self.mix(looped(bed, end_s=0.8))),
            "Bell added": (self.mix(self.ratchet), self.mix(self.ratchet, bell)),
            "Bell removed": (self.mix(self.ratchet, bell), self.mix(self.ratchet)),
            "layers in another order": (self.mix(self.ratchet, bell), self.mix(bell, self.ratchet)),
            "Bell: another source, muted": (self.mix(bell), self.mix(bell.model_copy(update={"node": SOURCE, "mute": True}))),
            "Bell: fade out 0 to 0.5 s, reversed": (self.mix(bell), self.mix(bell.model_copy(update={"fade_out_s": 0.5, "reverse": True}))),
            "Bell: end none to 0.3 s": (self.mix(bell), self.mix(bell.model_copy(update={"end_s": 0.3}))),
            "Bell: gain curve added": (self.mix(bell), self.mix(bell.model_copy(update={"envelopes": (Envelope(control="gain_db", points=((0.0, 1.0),)),)}))),
            "Brass ratchet: High-pass: cut-off 90 to 120 Hz": (
                self.mix(self.ratchet),
                self.mix(self.ratchet.model_copy(update={"chain": (self.ratchet.chain[0].model_copy(update={"params": {"cutoff_hz": 120.0}}),)})),
            ),
            "Brass ratchet: High-pass: off": (
                self.mix(self.ratchet),
                self.mix(self.ratchet.model_copy(update={"chain": (self.ratchet.chain[0].model_copy(update={"on": False}),)})),
            ),
            "Brass ratchet: Gain added": (self.mix(self.ratchet), self.mix(self.ratchet.model_copy(update={"chain": (*self.ratchet.chain, GAIN)}))),
            "Bell: in the group Low; group Low made": (self.mix(bell), self.mix(bell.model_copy(update={"group": "g"}), groups=(Group(id="g", name="Low"),))),
            "group Low: gain 0 to -4 dB": (
                self.mix(bell, groups=(Group(id="g", name="Low"),)),
                self.mix(bell, groups=(Group(id="g", name="Low", gain_db=-4.0),)),
            ),
            "Space removed": (self.mix(bell), Mix(members=(bell,))),
        }
        for words, (before, after) in cases.items():
            with self.subTest(words=words):
                self.assertEqual(self.said(before, after), words)
                self.assertEqual(self.said(after, after), "")

    def test_another_source_of_the_same_name_is_seen(self) -> None:
        struck_node = self.source(struck())
        one = Member(id="x", name="Hit", node=struck_node)
        self.assertEqual(self.said(self.mix(one), self.mix(one.model_copy(update={"node": SOURCE}))), "Hit: another source")
