"""Picture's rules by themselves: handles, stems and tracks, what a scene may hold, time code typed and written."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np
from pydantic import ValidationError

from oskren.core.audio import files
from oskren.core.nodes import Cache, Member, Mix, Renderer, Source
from oskren.core.nodes.model import Group, Step
from oskren.core.picture import edit_lists
from oskren.core.picture.edit_lists.told import Told
from oskren.core.picture.handed import cue_sheet, ending, file_names, laid_out, opened, stems
from oskren.core.picture.scene import Cue, Place, Scene, heard, on_frame, place_at, room_step
from oskren.core.picture.tapping import Tap, Tapping, landed
from oskren.core.timecode import FRAME_RATES
from tests.support import RATE, noise

COUNTED = FRAME_RATES["25"]


class OfScenes(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        path = Path(holder.name) / "bed.wav"
        self.samples = noise(4.0, -20, seed=8)
        files.write(path, self.samples, RATE, 32)
        self.node = Source(audio=files.audio_hash(path), rate=RATE, channels=1, frames=4 * RATE)
        self.renderer = Renderer(lambda _: path, Cache(Path(holder.name) / "cache"))

    def placed(self, id: str, frame: int, **values: object) -> Member:
        return Member(id=id, name=id, node=self.node, at_s=on_frame(frame, COUNTED)).model_copy(update=values)

    def scene(self, *members: Member, groups: tuple[Group, ...] = (), **values: object) -> Scene:
        return Scene(film=1, frame_rate="25", frames=250, mix=Mix(members=members, groups=groups), **values)  # type: ignore[arg-type]


class HandedOver(OfScenes):
    def test_handles_reach_as_far_as_the_sound_does_and_the_part_stays_where_it_is(self) -> None:
        cut = self.placed("cut", 50, start_s=1.0, end_s=2.0, anchor_s=1.0, fade_in_s=0.1)
        wide = opened(cut, 0.5, 4.0)
        self.assertEqual((wide.start_s, wide.end_s, wide.fade_in_s), (0.5, 2.5, 0.0))
        self.assertEqual(opened(cut.model_copy(update={"pitch_st": 12.0}), 0.5, 4.0).start_s, 0.0)  # a second of the sound lasts half a second
        self.assertEqual(opened(cut.model_copy(update={"pitch_st": 12.0, "keep_length": True}), 0.5, 4.0).start_s, 0.5)
        self.assertEqual(opened(cut, 9.0, 4.0).end_s, 4.0)
        self.assertEqual(opened(self.placed("whole", 50), 0.5, 4.0).start_s, None)
        scene = self.scene(cut)
        for handle in (0.0, 0.5, 3.0):
            [one] = laid_out(self.renderer, scene, handle)
            self.assertEqual((one.clip.first, one.clip.frames, one.clip.anchor_frame), (50, 25, 50))
            audio, rate = self.renderer.audio(one.node)
            self.assertEqual(len(audio), round(one.clip.held / 25 * rate))
            # what the clip shows of its file is what is heard there in the scene
            part = np.asarray(audio)[one.clip.inside * rate // 25 + rate // 5 :][: rate // 2]
            whole, _ = self.renderer.audio(heard(scene))
            np.testing.assert_allclose(part, np.asarray(whole)[2 * RATE + rate // 5 :][: rate // 2], atol=1e-6)

    def test_what_overlaps_lies_on_tracks_of_its_group_and_what_is_muted_or_outside_on_none(self) -> None:
        groups = (Group(id="a", name="Hits"), Group(id="b", name="Off", mute=True))
        members = [self.placed(f"m{k}", frame, group="a") for k, frame in enumerate((0, 20, 120))]
        late, silent, off = self.placed("late", 400), self.placed("silent", 10, mute=True), self.placed("off", 10, group="b")
        laid = laid_out(self.renderer, self.scene(*members, late, silent, off, groups=groups))
        self.assertEqual([(one.clip.id, one.clip.track) for one in laid], [("m0", "Hits 1"), ("m1", "Hits 2"), ("m2", "Hits 1")])
        self.assertEqual(max(one.clip.first + one.clip.frames for one in laid), 220)

    def test_stems_and_lists_have_files_of_their_own_whatever_groups_are_called(self) -> None:
        names = ("Hits", "hits", "A/B", "A:B")
        groups = tuple(Group(id=f"g{k}", name=name) for k, name in enumerate(names))
        members = [self.placed(f"m{k}", 10 * k, group=f"g{k}", gain_db=-12.0) for k in range(4)]
        scene = self.scene(*members, self.placed("loose", 60), groups=groups)
        mix = heard(scene).model_copy(update={"rate": RATE})
        parts = stems(mix)
        self.assertEqual(list(parts), ["Other sounds", "Hits", "hits 2", "A_B", "A_B 2"])
        total = sum(np.asarray(self.renderer.audio(part)[0], np.float64) for part in parts.values())
        np.testing.assert_allclose(total, np.asarray(self.renderer.audio(mix)[0]), atol=1e-6)
        clips = tuple(one.clip.model_copy(update={"file": f"{one.clip.id}.wav"}) for one in laid_out(self.renderer, scene))
        told = Told(name="Dome", film="/dome.mov", frame_rate="25", start=0, frames=250, folder="/out", clips=clips)
        self.assertEqual(len([name for name in edit_lists.write(told) if name.endswith(".edl")]), len({clip.track for clip in clips}))
        self.assertEqual(len({name.casefold() for name in file_names([clip.track for clip in clips])}), len(clips))

    def test_the_cue_sheet_tells_states_in_order_of_time(self) -> None:
        cues = (
            Cue(id="b", name="Later", frame=100, until=120, done=True, priority=3),
            Cue(id="a", name="First, with a comma", frame=10, placed=("m0", "gone")),
            Cue(id="c", name="Open", frame=110, placed=("gone",)),
        )
        rows = cue_sheet(self.scene(self.placed("m0", 10), cues=cues, start=90_000)).splitlines()
        self.assertEqual(rows[1], '1,01:00:00:10,10,,"First, with a comma",should,answered,m0,')
        self.assertEqual(rows[2], "2,01:00:04:00,100,01:00:04:20,Later,may,done,,")
        self.assertEqual(rows[3].split(",")[6], "open")

    def test_a_film_keeps_its_kind_of_file_where_its_picture_is_kept(self) -> None:
        for name, picture, suffix in (("a.MOV", "copy", ".mov"), ("a.avi", "copy", ".mkv"), ("a.mkv", "h264", ".mp4"), ("a.mp4", "vp9", ".webm")):
            self.assertEqual(ending(Path(name), picture), suffix)


class Held(OfScenes):
    def test_a_scene_holds_nothing_that_cannot_be(self) -> None:
        one = self.placed("m", 1)
        for values, words in (
            ({"cues": (Cue(id="c", frame=250),)}, "begins behind its end"),
            ({"cues": (Cue(id="c", frame=3, until=251),)}, "ends behind its end"),
            ({"places": (Place(id="p", frame=3, until=251),)}, "ends behind its end"),
            ({"places": (Place(id="p", frame=3, until=9), Place(id="p", frame=30, until=39))}, "Two places have the same id"),
        ):
            with self.assertRaisesRegex(ValidationError, words):
                self.scene(one, **values)
        with self.assertRaisesRegex(ValidationError, "Two placements have the same id"):
            self.scene(one, one)
        with self.assertRaisesRegex(ValidationError, "cannot be 'guide'"):
            self.scene(self.placed("guide", 1))
        self.assertEqual(self.scene(one, cues=(Cue(id="c", frame=3, until=250),)).cues[0].until, 250)

    def test_the_last_place_that_begins_by_then_is_the_one_and_each_is_as_near_as_it_is_said(self) -> None:
        places = (Place(id="p", frame=10, until=100), Place(id="q", frame=50, until=80, space="outside the door", amount="next room"))
        scene = self.scene(*(self.placed(f"m{frame}", frame) for frame in (9, 10, 50, 79, 80, 100)), places=places)
        found = [place_at(scene, member) for member in scene.mix.members]
        self.assertEqual([one.id if one else None for one in found], [None, "p", "q", "q", "p", None])
        near, far = (room_step(places[0].model_copy(update={"amount": amount}), "m") for amount in ("near", "far"))
        assert near is not None and far is not None
        self.assertLess(near.params["wet_db"] - near.params["dry_db"], far.params["wet_db"] - far.params["dry_db"])
        door = room_step(places[1], "m")
        assert door is not None
        self.assertEqual(door.params["walls_hz"], 450.0)  # what is thicker stays
        self.assertIsNone(room_step(places[0].model_copy(update={"amounts": {"m": "dry"}}), "m"))

    def test_the_guide_is_heard_along_and_never_in_what_is_exported(self) -> None:
        scene = self.scene(self.placed("m", 10), guide=True, guide_db=-6.0)
        self.assertEqual([one.id for one in heard(scene, self.node).members], ["m", "guide"])
        self.assertEqual([one.id for one in heard(scene).members], ["m"])
        self.assertEqual([one.id for one in heard(scene.model_copy(update={"guide": False}), self.node).members], ["m"])

    def test_a_chain_on_the_sum_leaves_the_film_as_long_as_it_is(self) -> None:
        ringing = Step(kind="space", params={"decay_s": 2.0})
        mix = heard(self.scene(self.placed("m", 230))).model_copy(update={"chain": (ringing,)})
        self.assertEqual(len(self.renderer.audio(mix)[0]), 10 * RATE)

    def test_taps_before_and_behind_the_film_lie_on_its_ends_and_two_on_a_frame_are_one(self) -> None:
        taps = [Tap(at_s=-0.4), Tap(at_s=3.0), Tap(at_s=3.005), Tap(at_s=99.0), Tap(at_s=3.0, list=1)]
        found = landed(taps, [2, 0], Tapping(), COUNTED, 250)
        self.assertEqual([(one.frame, one.candidate) for one in found], [(0, 0), (75, 1), (249, 0)])
        alone = landed([Tap(at_s=k) for k in range(5)], [1], Tapping(order="random"), COUNTED, 250)
        self.assertEqual([one.candidate for one in alone], [0] * 5)
