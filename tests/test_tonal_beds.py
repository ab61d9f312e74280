"""Tonal beds: chords out of sounds with a pitch, by equal temperament (A4 = 440 Hz, ISO 16), swelling to a frame."""

import unittest

import numpy as np
from scipy.signal import find_peaks

from oskren.core.errors import OskrenError
from oskren.core.measure.loudness import loudness
from oskren.core.nodes.model import Member, Mix
from oskren.core.picture.scene import GROUPS, on_frame
from oskren.core.picture.tonal import TonalBed, Tone, agreeing
from oskren.core.timecode import FRAME_RATES
from oskren.work.picture.placing import Onto
from oskren.work.picture.tonal import tonal_bed
from oskren.work.stack.beds import lengthened
from tests.material import OfMaterial
from tests.support import RATE, noise, sine

COUNTED = FRAME_RATES["25"]
FRAMES = 500


def rung(hz: float, seconds: float, level_db: float) -> np.ndarray:
    """A tone that decays, with an octave in it, as something struck rings."""
    time = np.arange(round(seconds * RATE)) / RATE
    tone = (sine(hz, seconds, level_db) + 0.3 * sine(2 * hz, seconds, level_db))[:, 0] * np.exp(-time / 0.6) * np.minimum(1, time / 0.004)
    return tone.astype(np.float32)[:, None]


MATERIAL = {
    "bell": rung(221.0, 3.0, -8),
    "jar": rung(326.0, 2.5, -20),
    "goblet": rung(447.0, 2.0, -14),
    "hum": sine(108.0, 4.0, -26),
    "hiss": noise(2.0, -20),
}


class Chords(unittest.TestCase):
    def test_the_root_is_the_one_that_moves_the_tones_least(self) -> None:
        tones = [Tone(hz, 0.95) for hz in (98.5, 146.0, 392.5)]
        agreed = agreeing(tones, TonalBed())
        self.assertEqual(agreed.root, "G")
        self.assertEqual({one.tone for one in agreed.voices}, {0, 1, 2})
        self.assertLess(max(abs(one.shift_st) for one in agreed.voices), 0.12)

    def test_each_lands_on_a_note_of_its_chord_and_all_notes_are_there(self) -> None:
        random = np.random.default_rng(4)
        for chord, steps in (("fifth", {0, 7}), ("minor", {0, 3, 7}), ("major", {0, 4, 7}), ("octaves", {0})):
            for root, name in ((0, "C"), (6, "F#"), (10, "Bb")):
                tones = [Tone(hz, 0.9) for hz in random.uniform(60, 900, 6)]
                agreed = agreeing(tones, TonalBed(root=name, chord=chord, voices=5))
                reached = [69 + 12 * np.log2(tones[one.tone].hz / 440) + one.shift_st for one in agreed.voices]
                with self.subTest(chord=chord, root=name):
                    np.testing.assert_allclose(reached, np.round(reached), atol=1e-9)
                    self.assertEqual({(round(note) - root) % 12 for note in reached}, steps)
                    self.assertEqual(round(reached[0]) % 12, root)
                    self.assertEqual(len({one.tone for one in agreed.voices}), 5)
                    self.assertLessEqual(max(abs(one.shift_st) for one in agreed.voices), 6)

    def test_what_is_sure_of_its_pitch_comes_first_and_one_alone_is_no_chord(self) -> None:
        clear, vague = Tone(220.0, 0.98), Tone(220.0, 0.8)
        agreed = agreeing([vague, clear, Tone(330.0, 0.98)], TonalBed(voices=2))
        self.assertEqual(sorted(one.tone for one in agreed.voices), [1, 2])
        for tones, said in (([], "None of these"), ([clear], "One of these")):
            with self.assertRaisesRegex(OskrenError, said):
                agreeing(tones, TonalBed())


class Laid(OfMaterial):
    MATERIAL = MATERIAL

    def lay(self, *names: str, bed: TonalBed | None = None, frame: int = 25, until: int = 325, swell: int | None = 300) -> Member:
        onto = Onto(frame_rate="25", frames=FRAMES)
        sounds = [self.ids[name] for name in names or MATERIAL]
        made = tonal_bed(self.studio, self.library, onto, sounds, frame, until, bed or TonalBed(root="A", chord="fifth"), swell)
        [member] = made.members
        self.assertEqual([one.name for one in made.groups if one.id == member.group], [GROUPS[2]])
        return member

    def heard(self, *members: Member) -> np.ndarray:
        mix = Mix(members=members, length_s=FRAMES / 25)
        return np.asarray(self.studio.renderer(self.library).audio(mix)[0]).astype(np.float64)

    def test_it_fills_its_range_and_its_swell_lands_on_the_frame(self) -> None:
        bed = self.lay()
        self.assertEqual((bed.at_s, bed.name), (on_frame(300, COUNTED), "Tonal bed on A"))
        heard = self.heard(bed)
        there = np.flatnonzero(np.abs(heard).max(axis=1) > 1e-6)
        self.assertAlmostEqual(there[0] / RATE, 1.0, delta=0.01)
        self.assertAlmostEqual(there[-1] / RATE, 13.0, delta=0.01)
        levels = 10 * np.log10(np.square(heard[RATE : 13 * RATE]).mean(axis=1).reshape(-1, RATE // 5).mean(axis=1) + 1e-20)
        at = 1.1 + np.arange(len(levels)) / 5
        top = at[np.argmax(levels)]
        self.assertAlmostEqual(top, 12.0, delta=0.25)
        # 2 s in, past its fade, it is where the eased curve has it: 18 dB under the top at first
        way = (1 - np.cos(np.pi * (at - 1.0) / 11)) / 2
        inside = (at > 2.2) & (at < 11.9)
        np.testing.assert_allclose(levels[inside] - levels.max(), -18 * (1 - way[inside]), atol=1.5)

    def test_all_that_sounds_is_in_the_chord(self) -> None:
        bed = self.lay()
        self.assertEqual({one.name for one in bed.node.members}, {"bell", "jar", "goblet", "hum"})
        mono = self.heard(bed)[10 * RATE : 12 * RATE].mean(axis=1)
        spectrum = np.abs(np.fft.rfft(mono * np.hanning(len(mono)), 8 * len(mono)))
        peaks, _ = find_peaks(spectrum, height=spectrum.max() * 0.05, distance=200)
        notes = 69 + 12 * np.log2(peaks * RATE / (8 * len(mono)) / 440)
        self.assertEqual({round(note) % 12 for note in notes}, {9, 4})  # A and E
        self.assertLess(float(np.abs(notes - np.round(notes)).max()), 0.06)

    def test_its_voices_are_as_loud_as_each_other_and_none_fades(self) -> None:
        bed = self.lay(swell=None)
        self.assertEqual((bed.envelopes, bed.at_s), ((), on_frame(25, COUNTED)))
        loud = []
        for voice in bed.node.members:
            alone = self.heard(bed.model_copy(update={"node": bed.node.model_copy(update={"members": (voice.model_copy(update={"pan": 0.0}),)})}))
            body = alone[3 * RATE : 11 * RATE].astype(np.float32)
            loud.append(loudness(body, RATE).integrated_lufs)
            levels = 10 * np.log10(np.square(body).mean(axis=1).reshape(-1, RATE // 2).mean(axis=1))
            self.assertLess(float(np.ptp(levels)), 1.5, voice.name)
        self.assertLess(float(np.ptp(loud)), 1.5)

    def test_longer_than_what_is_held_it_goes_on(self) -> None:
        bed = self.lay("bell", "jar", frame=0, until=500, swell=None)
        long = self.lay("bell", "jar", frame=0, until=1500, swell=None)
        self.assertEqual(({one.node.kind for one in bed.node.members}, {one.node.kind for one in long.node.members}), ({"excerpt"}, {"loop"}))

    def test_it_is_made_longer_and_shorter_and_swells_to_the_same_frame(self) -> None:
        bed = self.lay(until=350)
        for by in (3.0, -0.8):
            [other] = lengthened(self.studio, self.library, Mix(members=(bed,)), [bed.id], by)
            seconds = 13.0 + by
            self.assertEqual((other.at_s, other.anchor_s), (bed.at_s, bed.anchor_s))
            self.assertAlmostEqual(other.envelopes[0].points[-1][0], seconds, delta=1e-3)
            heard = self.heard(other)
            there = np.flatnonzero(np.abs(heard).max(axis=1) > 1e-6)
            self.assertAlmostEqual(there[-1] / RATE, 1.0 + seconds, delta=0.01)
            # all of its voices are there up to the end, before it fades
            for voice in other.node.members:
                alone = self.heard(other.model_copy(update={"envelopes": (), "node": other.node.model_copy(update={"members": (voice,)})}))
                levels = np.square(alone[2 * RATE : round((0.9 + seconds - other.fade_out_s) * RATE)]).mean(axis=1)
                parts = 10 * np.log10(levels[: len(levels) // RATE * RATE].reshape(-1, RATE // 2).mean(axis=1))
                self.assertLess(float(np.ptp(parts)), 2.0, voice.name)
            [back] = lengthened(self.studio, self.library, Mix(members=(other,)), [bed.id], -by)
            np.testing.assert_allclose(self.heard(back), self.heard(bed), atol=2e-3)
        with self.assertRaisesRegex(OskrenError, "can end no sooner"):
            lengthened(self.studio, self.library, Mix(members=(bed,)), [bed.id], -3.0)

    def test_what_cannot_be_is_refused_with_a_remedy(self) -> None:
        with self.assertRaisesRegex(OskrenError, "None of these sounds has a clear pitch"):
            self.lay("hiss")
        with self.assertRaisesRegex(OskrenError, "One of these sounds has a clear pitch"):
            self.lay("hiss", "bell")
        with self.assertRaisesRegex(OskrenError, "mark a range first"):
            self.lay(frame=100, until=100)
        with self.assertRaisesRegex(OskrenError, "lands inside of the range"):
            self.lay(swell=400)


if __name__ == "__main__":
    unittest.main()
