"""Placements of a scene: which group they go to, beds of any material and length, lengths that are fitted, runs that are replaced."""

import numpy as np

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Excerpt, Loop, Member, Mix, Step
from oskren.core.picture.scene import GROUPS, on_frame
from oskren.core.picture.tapping import Tap, Tapping
from oskren.core.stack.beds import Bed
from oskren.core.timecode import FRAME_RATES
from oskren.work.picture import placing
from oskren.work.picture.placing import Onto
from oskren.work.stack import beds
from oskren.work.stack.designs import layer_of_sound
from tests.material import OfMaterial
from tests.support import RATE, noise, sine, struck

FRAMES = 600
COUNTED = FRAME_RATES["25"]


def wind(seconds: float, seed: int) -> np.ndarray:
    """Noise that breathes, as a recorded bed does."""
    time = np.arange(round(seconds * RATE)) / RATE
    return (noise(seconds, -26, seed=seed)[:, 0] * (1 + 0.2 * np.sin(2 * np.pi * 0.31 * time))).astype(np.float32)[:, None]


MATERIAL = {
    "roar": wind(12.0, 2),
    "gust": wind(3.0, 3),
    "hum": sine(110, 2.5, -20) + sine(331, 2.5, -26),
    "tick": struck(0.2, 0.02, seed=4),
    "wing beat": struck(0.4, 0.1, seed=5),
    "chime": np.concatenate([np.zeros((RATE // 10, 1), np.float32), sine(880, 1.0, -12)]),
}


class Placing(OfMaterial):
    MATERIAL = MATERIAL

    def onto(self, **more: str) -> Onto:
        return Onto(frame_rate="25", frames=FRAMES, **more)

    def bed(self, name: str, frame: int, until: int) -> Member:
        return placing.bed(self.studio, self.library, self.onto(), self.ids[name], frame, until).members[0]

    def heard(self, *members: Member) -> np.ndarray:
        """What placements sound like, from the first frame of the film on."""
        mix = Mix(members=members, length_s=FRAMES / 25)
        return np.asarray(self.studio.renderer(self.library).audio(mix)[0])[:, 0]

    def lengthened(self, member: Member, by_s: float) -> Member:
        return beds.lengthened(self.studio, self.library, Mix(members=(member,)), [member.id], by_s)[0]

    def test_each_goes_to_the_group_it_belongs_to_unless_somebody_says(self) -> None:
        names = ("roar", "gust", "tick", "chime")
        made = placing.place(self.studio, self.library, self.onto(), 50, [self.ids[name] for name in names])
        called = {group.id: group.name for group in made.groups}
        self.assertEqual([called[one.group] for one in made.members], [GROUPS[2], GROUPS[0], GROUPS[0], GROUPS[0]])
        self.assertEqual({one.at_s for one in made.members}, {on_frame(50, COUNTED)})
        own = placing.place(self.studio, self.library, self.onto(group="Rain", search="roof"), 0, [self.ids["roar"]])
        self.assertEqual(([group.name for group in own.groups], own.members[0].search), (["Rain"], "roof"))

    def test_a_bed_is_as_long_as_its_range_and_its_level_does_not_give_the_seams_away(self) -> None:
        for name in ("roar", "gust", "hum"):
            bed = self.bed(name, 25, 525)
            self.assertIsInstance(bed.node, Loop)
            heard = self.heard(bed)
            self.assertEqual((np.flatnonzero(heard)[0] // 48, round(np.flatnonzero(heard)[-1] / RATE, 2)), (1000, 21.0), name)
            body = heard[3 * RATE : 19 * RATE].astype(np.float64)
            levels = 10 * np.log10(np.square(body[: len(body) // 4800 * 4800]).reshape(-1, 4800).mean(axis=1))
            own = MATERIAL[name][:, 0].astype(np.float64)
            allowed = 10 * np.log10(np.square(own[: len(own) // 4800 * 4800]).reshape(-1, 4800).mean(axis=1))
            self.assertLess(levels.max() - levels.min(), allowed.max() - allowed.min() + 1.5, name)
            # a click would stand out where differences are taken three times
            self.assertLess(np.abs(np.diff(body, n=3)).max(), 1.5 * np.abs(np.diff(own, n=3)).max(), name)

    def test_a_long_sound_fills_a_short_range_as_it_is(self) -> None:
        bed = self.bed("roar", 0, 100)
        self.assertIsInstance(bed.node, Excerpt)
        heard = self.heard(bed)
        # in the middle, at -3 dB to either side
        np.testing.assert_allclose(heard[RATE : 3 * RATE], MATERIAL["roar"][RATE : 3 * RATE, 0] * np.sqrt(0.5), atol=2e-6)
        self.assertFalse(heard[4 * RATE :].any())

    def test_what_is_too_short_to_repeat_and_a_range_that_is_none_are_refused(self) -> None:
        with self.assertRaisesRegex(OskrenError, "too short to repeat without being heard"):
            self.bed("tick", 0, 100)
        with self.assertRaisesRegex(OskrenError, "ends after it begins"):
            self.bed("roar", 100, 100)

    def test_a_bed_grows_past_its_sound_and_shrinks_again(self) -> None:
        bed = self.bed("roar", 0, 250)
        longer = self.lengthened(bed, 5.0)
        self.assertEqual((bed.node.kind, longer.node.kind), ("excerpt", "loop"))
        self.assertEqual(np.flatnonzero(self.heard(longer))[-1] // 480, 1499)
        shorter = self.lengthened(longer, -14.0)
        self.assertEqual(np.flatnonzero(self.heard(shorter))[-1] // 480, 99)
        # fades keep their room
        self.assertEqual((shorter.fade_in_s, shorter.fade_out_s), (0.5, 0.5))

    def test_a_bed_keeps_its_order_while_it_grows_and_another_range_has_its_own(self) -> None:
        bed, other = self.bed("gust", 0, 200), self.bed("gust", 100, 300)
        self.assertNotEqual(bed.node.seed, other.node.seed)
        longer = self.lengthened(bed, 4.0)
        self.assertEqual(longer.node.seed, bed.node.seed)
        np.testing.assert_array_equal(self.heard(longer)[RATE : 7 * RATE], self.heard(bed)[RATE : 7 * RATE])

    def test_a_layer_goes_on_as_long_as_it_is_asked_to_be_heard(self) -> None:
        tail = Step(kind="delay", id="echo", params={"time_ms": 300.0, "feedback": 0.5})
        layer = layer_of_sound(self.library, self.ids["gust"]).model_copy(update={"pitch_st": -5.0, "start_s": 0.5, "anchor_s": 0.9, "chain": (tail,)})

        def made(of: Member, seconds: float | None, anew: bool = True) -> Member:
            return beds.as_bed(self.studio, self.library, Mix(members=(of,)), of.id, Bed(seconds=seconds, anew=anew), seed=7)

        def seconds(of: Member) -> float:
            return float(self.studio.renderer(self.library).placed(Mix(members=(of,)), of)[1].seconds)

        bed = made(layer, 11.0)
        self.assertAlmostEqual(seconds(bed), 11.0, delta=0.001)
        # its trim is part of what goes on, and its anchor lies where it lay in the sound
        self.assertEqual((bed.start_s, bed.origin, bed.node.seed), (None, None, 7))
        self.assertAlmostEqual(bed.anchor_s + bed.node.start_s + 0.5, 0.9, delta=1e-6)
        shorter = made(bed, 6.0)
        self.assertEqual((round(seconds(shorter), 3), shorter.node.seed), (6.0, 7))
        # cut short by hand and asked for a length again, that is its length
        self.assertAlmostEqual(seconds(made(shorter.model_copy(update={"end_s": 1.0}), 8.0)), 8.0, delta=0.001)
        # a step that sets the length of what it is given says so
        held = Step(kind="trim", id="cut", params={"start_s": 0.0, "end_s": 1.2})
        with self.assertRaisesRegex(OskrenError, "A step in the chain of gust sets how long"):
            made(bed.model_copy(update={"chain": (held,)}), 20.0)
        same = made(shorter, 6.0, anew=False)
        self.assertIsNone(same.node.seed)
        back = made(same, None)
        self.assertAlmostEqual(seconds(back), seconds(layer), delta=0.001)
        self.assertAlmostEqual(back.anchor_s, 0.4, delta=1e-6)
        self.assertIs(made(layer, None), layer)
        with self.assertRaisesRegex(OskrenError, "gust sounds .* long already"):
            made(layer, 1.0)
        tick = layer_of_sound(self.library, self.ids["tick"])
        with self.assertRaisesRegex(OskrenError, "too short to repeat"):
            made(tick, 5.0)
        with self.assertRaises(NotFound):
            beds.as_bed(self.studio, self.library, Mix(), "nobody", Bed(seconds=5.0), seed=1)

    def test_seconds_are_those_that_are_heard(self) -> None:
        bed = self.bed("hum", 0, 250).model_copy(update={"stretch": 2.0})
        before = np.flatnonzero(self.heard(bed))[-1]
        after = np.flatnonzero(self.heard(self.lengthened(bed, 1.0)))[-1]
        self.assertAlmostEqual((after - before) / RATE, 1.0, delta=0.002)

    def test_what_is_no_bed_or_has_no_more_to_give_says_so(self) -> None:
        [hit] = placing.place(self.studio, self.library, self.onto(), 10, [self.ids["wing beat"]]).members
        with self.assertRaisesRegex(OskrenError, "wing beat is no bed"):
            self.lengthened(hit, 1.0)
        bed = self.bed("roar", 0, 250)
        with self.assertRaisesRegex(OskrenError, "is cut short at its end"):
            self.lengthened(bed.model_copy(update={"end_s": 2.0}), 1.0)
        with self.assertRaisesRegex(OskrenError, "would be shorter than"):
            self.lengthened(bed, -10.0)
        part = bed.model_copy(update={"node": bed.node.model_copy(update={"start_s": 6.0, "end_s": 11.0})})
        self.assertEqual(self.lengthened(part, 0.5).node.end_s, 11.5)
        with self.assertRaisesRegex(OskrenError, "The sound ends there"):
            self.lengthened(part, 3.0)
        with self.assertRaises(NotFound):
            beds.lengthened(self.studio, self.library, Mix(members=(bed,)), ["nobody"], 1.0)

    def test_a_placement_is_fitted_to_a_length_with_its_pitch_kept(self) -> None:
        [chime] = placing.place(self.studio, self.library, self.onto(), 50, [self.ids["chime"]]).members
        mix = Mix(members=(chime.model_copy(update={"keep_length": True}),))
        fitted = placing.fitted(self.studio, self.library, mix, chime.id, 1.65)
        self.assertAlmostEqual(fitted.stretch, 1.5, delta=0.001)
        heard = self.heard(fitted)
        sounding = np.flatnonzero(np.abs(heard) > 1e-4)
        self.assertAlmostEqual((sounding[-1] - sounding[0]) / RATE, 1.5, delta=0.03)
        middle = heard[(sounding[0] + sounding[-1]) // 2 :][: RATE // 4]
        spectrum = np.abs(np.fft.rfft(middle * np.hanning(len(middle)), 4 * RATE))
        self.assertAlmostEqual(np.argmax(spectrum) / 4, 880.0, delta=1.0)
        for seconds in (0.05, 60.0):
            with self.assertRaisesRegex(OskrenError, "nearer to it in length"):
                placing.fitted(self.studio, self.library, mix, chime.id, seconds)

    def test_a_run_takes_another_set_in_turn_and_what_is_locked_stays(self) -> None:
        run = [placing.place(self.studio, self.library, self.onto(), frame, [self.ids["tick"]]).members[0] for frame in (90, 30, 60)]
        run[2] = run[2].model_copy(update={"locked": True})
        fresh = placing.replaced(self.studio, self.library, run, [self.ids["wing beat"], self.ids["chime"]])
        self.assertEqual([one.name for one in fresh], ["chime", "wing beat", "tick"])
        self.assertEqual([one.at_s for one in fresh], [one.at_s for one in run])
        with self.assertRaisesRegex(OskrenError, "not locked"):
            placing.replaced(self.studio, self.library, [run[2]], [self.ids["chime"]])
        with self.assertRaisesRegex(OskrenError, "Choose the sounds"):
            placing.replaced(self.studio, self.library, run, [])

    def test_taps_have_placements_of_their_own_with_the_search_that_found_them(self) -> None:
        taps = [Tap(at_s=at) for at in (1.0, 2.0, 3.0)]
        lists = [[self.ids["wing beat"], self.ids["tick"]]]
        made = placing.tap(self.library, self.onto(), taps, lists, Tapping(), ["wings"])
        self.assertEqual(len({one.id for one in made.members}), 3)
        self.assertEqual({one.search for one in made.members}, {"wings"})
        self.assertEqual([group.name for group in made.groups], [GROUPS[1]])
        with self.assertRaisesRegex(OskrenError, "what is to be tapped in"):
            placing.tap(self.library, self.onto(), taps, [[]], Tapping())

    def test_a_cue_is_asked_for_by_what_finds_something(self) -> None:
        self.assertIn(placing.words_for(self.library, "the wing beat of a heron"), ("wing", "beat"))
        self.assertEqual(placing.words_for(self.library, "wing beat"), "wing beat")
        self.assertEqual(placing.words_for(self.library, "nothing has this"), "")
