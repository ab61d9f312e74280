"""Scenes as files for scripts: what they may say, what becomes of it in what is handed over, and one sentence for what they may not."""

import csv
import json
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.audio import files
from oskren.core.errors import OskrenError
from oskren.core.measure import levels
from oskren.core.nodes.model import Mix
from oskren.core.picture.handed import Handing
from oskren.core.picture.reading import probe
from oskren.core.picture.scene import on_frame
from oskren.core.timecode import FRAME_RATES, frame_of, moment_of
from oskren.store import Home
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import import_paths
from oskren.work.picture.exporting import HandedOver, Ready, hand_over
from oskren.work.picture.scene_file import load, resolve
from tests.films import write_film
from tests.killing import Threads
from tests.support import RATE, noise, sine, struck

FRAMES = 60


class OfFiles(unittest.TestCase):
    """A library with two sounds, a film of 29.97 frames a second that begins at 01:00:00:00, and scenes written beside them."""

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        cls.rate = FRAME_RATES["29.97"]
        write_film(cls.folder / "dome.mov", cls.rate.rate, FRAMES, code="01:00:00:00")
        files.write(cls.folder / "in" / "chime.wav", 0.25 * sine(440, 0.5), RATE, 24)
        files.write(cls.folder / "in" / "knock.wav", struck(0.3, 0.05, seed=4), RATE, 24)
        files.write(cls.folder / "beside.wav", noise(0.4, -20, seed=3), RATE, 24)
        cls.studio = Studio(Home(cls.folder / "home"), Threads(2))
        cls.addClassCleanup(cls.studio.close)
        cls.library = cls.studio.home.library("Mine", create=True)
        import_paths(cls.studio, cls.library, [cls.folder / "in"], "in")

    def ready(self, *placements: dict[str, Any], **said: Any) -> Ready:
        path = self.folder / "scene.json"
        path.write_text(json.dumps({"film": "dome.mov", "placements": placements} | said))
        return resolve(self.studio, self.library, load(path), self.folder)

    def handed(self, ready: Ready, **how: Any) -> HandedOver:
        out = Path(tempfile.mkdtemp(dir=self.folder))
        return hand_over(self.studio, self.library, ready, out, Handing.model_validate({"picture": "none", "sounds": False, "stems": False} | how))

    def mix(self, *placements: dict[str, Any], **said: Any) -> np.ndarray:
        done = self.handed(self.ready(*placements, **said), bits=32)
        self.assertEqual(done.failed, [])
        samples, rate = files.read(Path(done.mix))
        self.assertEqual(rate, RATE)
        return samples

    def at(self, frame: int) -> int:
        return round(moment_of(frame, self.rate) * RATE)


class Said(OfFiles):
    def test_frames_and_time_code_say_the_same(self) -> None:
        first = frame_of("01:00:00:00", self.rate)
        ready = self.ready({"sound": "chime", "frame": 40}, {"sound": "chime", "at": "01:00:01:10"})
        self.assertEqual([one.at_s for one in ready.scene.mix.members], [on_frame(40, self.rate)] * 2)
        self.assertEqual((ready.scene.start, ready.scene.frames, ready.scene.frame_rate), (first, FRAMES, "29.97"))

    def test_a_film_counted_otherwise_begins_at_its_own_time_code(self) -> None:
        ready = self.ready({"sound": "chime", "at": "01:00:01;10"}, frame_rate="29.97 drop")
        self.assertEqual(ready.scene.start, frame_of("01:00:00;00", FRAME_RATES["29.97 drop"]))
        self.assertEqual(ready.scene.mix.members[0].at_s, on_frame(40, self.rate))
        told = self.handed(ready, sounds=True)
        [row, *_] = [line for line in Path(told.edit_list).read_text().splitlines() if line.startswith("001")]
        # record in and out: the frame of the film it lies on
        self.assertIn("01:00:01;10", row)

    def test_a_start_of_its_own_counts(self) -> None:
        ready = self.ready({"sound": "chime", "at": "10:00:00:05"}, start="10:00:00:00", cues=[{"name": "Dome opens", "at": "10:00:01:00", "until": 45}])
        self.assertEqual(ready.scene.mix.members[0].at_s, on_frame(5, self.rate))
        [cue] = list(csv.DictReader(Path(self.handed(ready).cues).read_text(encoding="utf-8").splitlines()))
        self.assertIn("10:00:01:00", cue.values())
        self.assertIn("Dome opens", cue.values())

    def test_groups_are_made_once_and_cues_and_places_are_kept(self) -> None:
        placements = [
            {"sound": "chime", "frame": 1, "group": "Glass"},
            {"sound": "knock", "frame": 9, "group": "Brass"},
            {"file": "beside.wav", "frame": 20, "group": "Glass"},
        ]
        hall = {"id": "hall", "frame": 0, "until": FRAMES, "space": "hall", "amount": "far"}
        ready = self.ready(*placements, cues=[{"name": "Turn", "frame": 9, "priority": 3}], places=[hall])
        mix = ready.scene.mix
        self.assertEqual([group.name for group in mix.groups], ["Glass", "Brass"])
        self.assertEqual([one.group for one in mix.members], [mix.groups[0].id, mix.groups[1].id, mix.groups[0].id])
        self.assertEqual([one.name for one in mix.members], ["chime", "knock", "beside"])
        self.assertEqual([(cue.name, cue.frame, cue.priority) for cue in ready.scene.cues], [("Turn", 9, 3)])
        self.assertEqual(ready.scene.places[0].amount, "far")

    def test_what_a_scene_may_not_say(self) -> None:
        chime = {"sound": "chime", "frame": 1}
        cases: list[tuple[list[dict[str, Any]], dict[str, Any], str]] = [
            ([chime], {"film": "gone.mov"}, "there is no such film"),
            ([chime], {"film": "beside.wav"}, "holds no picture"),
            ([chime], {"frame_rate": "26"}, "There is no frame rate '26'"),
            ([chime], {"frame_rate": "25"}, "counted at 29.97 or 29.97 drop frames a second, not at 25"),
            ([chime], {"start": "noon"}, "noon is no time code"),
            ([chime], {"placments": []}, "placments"),
            ([{"sound": "gone", "frame": 1}], {}, "Placement 1 of the scene: there is no sound 'gone'"),
            ([chime, {"file": "gone.wav", "frame": 1}], {}, "gone.wav"),
            ([{"sound": "chime", "frame": FRAMES}], {}, f"has frames 0 to {FRAMES - 1}"),
            ([{"sound": "chime", "at": "00:59:59:29"}], {}, "lies on frame -1"),
            ([{"sound": "chime", "at": "01:00:00:30"}], {}, "a second has 30 frames"),
            ([{"sound": "chime", "frame": 1, "at": "01:00:00:01"}], {}, "either a frame or a time code"),
            ([{"sound": "chime", "file": "beside.wav", "frame": 1}], {}, "either a sound or a file"),
            ([{**chime, "stretch": 0}], {}, "Placement 1 of the scene"),
            ([{**chime, "chain": [{"kind": "gain", "start_s": -9000}]}], {}, "start_s"),
            ([chime], {"cues": [{"name": "late", "frame": FRAMES}]}, "begins behind its end"),
            ([chime], {"cues": [{"name": "back", "frame": 9, "until": 4}]}, "A cue ends after it begins"),
            ([chime], {"places": [{"id": "a", "frame": 0, "until": 9, "space": "hall"}] * 2}, "the same id"),
            ([chime], {"how": {"bits": 20}}, "how.bits"),
        ]
        for placements, said, words in cases:
            with self.subTest(words=words), self.assertRaises(OskrenError) as told:
                self.ready(*placements, **said)
            self.assertIn(words, str(told.exception))
            self.assertEqual(len(str(told.exception).splitlines()), 1)


class Heard(OfFiles):
    """What a placement says is in the mix as it says it."""

    def test_level_pan_and_chain(self) -> None:
        chime, placed = {"sound": "chime", "frame": 20}, slice(self.at(20), self.at(20) + round(0.5 * RATE))
        plain = self.mix(chime)[placed]
        for said, change in (
            ({"gain_db": -6}, (-6.0, -6.0)),
            ({"chain": [{"kind": "gain", "params": {"gain_db": -12}}]}, (-12.0, -12.0)),
        ):
            changed = self.mix({**chime, **said})[placed]
            for channel, by in enumerate(change):
                moved = levels.db(levels.rms(changed[:, channel])) - levels.db(levels.rms(plain[:, channel]))
                self.assertAlmostEqual(moved, by, delta=0.01, msg=str(said))
        left = self.mix({**chime, "pan": -1})[placed]
        self.assertLess(levels.peak(left[:, 1]), 1e-6)
        self.assertGreater(levels.peak(left[:, 0]), 0.2)

    def test_parts_pitch_length_and_direction(self) -> None:
        def sounding(samples: np.ndarray) -> float:
            loud = np.flatnonzero(np.abs(samples).max(axis=1) > 1e-3)
            return float(loud[-1] - loud[0] + 1) / RATE

        chime = {"sound": "chime", "frame": 10}
        for said, seconds in (
            ({}, 0.5),
            ({"start_s": 0.1, "end_s": 0.3}, 0.2),
            ({"pitch_st": -12}, 1.0),
            ({"pitch_st": -12, "keep_length": True}, 0.5),
            ({"stretch": 2}, 1.0),
        ):
            self.assertAlmostEqual(sounding(self.mix({**chime, **said})), seconds, delta=0.02, msg=str(said))
        knock = {"file": "in/knock.wav", "frame": 10}
        at, long = self.at(10), round(0.3 * RATE)
        # its anchor stays on the frame: what ran from it runs up to it
        forward, back = self.mix(knock)[at : at + long], self.mix({**knock, "reverse": True})[at - long : at]
        np.testing.assert_allclose(back, forward[::-1], atol=1e-4)

    def test_an_anchor_lies_on_its_frame(self) -> None:
        plain = self.mix({"file": "in/chime.wav", "frame": 10, "anchor_s": 0.0})
        anchored = self.mix({"file": "in/chime.wav", "frame": 20, "anchor_s": 0.1})
        begins = [int(np.flatnonzero(np.abs(one).max(axis=1) > 1e-3)[0]) for one in (plain, anchored)]
        self.assertEqual(begins[1] - begins[0], self.at(20) - self.at(10) - round(0.1 * RATE))

    def test_what_reaches_beyond_the_film_is_cut_at_it(self) -> None:
        mix = self.mix({"sound": "chime", "frame": FRAMES - 3}, {"file": "in/chime.wav", "frame": 1, "anchor_s": 0.2})
        self.assertEqual(len(mix), round(FRAMES / Fraction(30_000, 1001) * RATE))
        self.assertGreater(levels.peak(mix[: RATE // 10]), 0.1)
        self.assertGreater(levels.peak(mix[-RATE // 20 :]), 0.1)

    def test_layouts(self) -> None:
        for layout, channels in (("stereo", 2), ("5.1", 6)):
            self.assertEqual(self.mix({"sound": "chime", "frame": 1}, layout=layout).shape[1], channels)


class Handed(OfFiles):
    def placements(self) -> list[dict[str, Any]]:
        return [
            {"sound": "chime", "frame": 2, "group": "Glass"},
            {"sound": "knock", "frame": 30, "group": "Brass", "gain_db": -4},
            {"file": "beside.wav", "frame": 15},
        ]

    def test_only_what_is_asked_for_is_written(self) -> None:
        ready = self.ready(*self.placements())
        done = self.handed(ready)
        self.assertEqual(sorted(path.name for path in Path(done.folder).iterdir()), ["scene cues.csv", "scene.wav"])
        self.assertEqual((done.stems, done.sounds, done.video, done.timeline, done.edit_list), ([], [], "", "", ""))
        self.assertEqual([(one.name, one.frame) for one in done.placements], [("chime", 2), ("knock", 30), ("beside", 15)])

    def test_stems_add_up_to_the_mix(self) -> None:
        done = self.handed(self.ready(*self.placements()), bits=32, stems=True)
        mix, _ = files.read(Path(done.mix))
        self.assertEqual(len(done.stems), 3)
        np.testing.assert_allclose(sum(files.read(Path(stem))[0] for stem in done.stems), mix, atol=1e-6)

    def test_bits_are_those_asked_for(self) -> None:
        for bits in (16, 24, 32):
            self.assertEqual(files.probe(Path(self.handed(self.ready(*self.placements()), bits=bits).mix)).bits, bits)

    def test_every_export_has_a_folder_of_its_own(self) -> None:
        out = Path(tempfile.mkdtemp(dir=self.folder))
        how = Handing(picture="none", sounds=False, stems=False)
        folders = [Path(hand_over(self.studio, self.library, self.ready(*self.placements()), out, how).folder).name for _ in range(3)]
        self.assertEqual(folders, ["scene", "scene (2)", "scene (3)"])

    def test_names_that_no_disk_takes_become_such_as_it_does(self) -> None:
        done = self.handed(self.ready(*self.placements(), name="Dome / gull: 'opens?'"))
        self.assertTrue(Path(done.mix).is_file())
        self.assertEqual(Path(done.mix).parent.parent, Path(done.folder).parent)

    def test_the_film_comes_with_the_mix_and_as_many_frames(self) -> None:
        done = self.handed(self.ready(*self.placements()), picture="copy")
        back = probe(Path(done.video))
        self.assertEqual((back.frames, back.frame_rate, back.audio_channels), (FRAMES, "29.97", 2))

    def test_a_film_that_is_gone_fails_alone(self) -> None:
        ready = self.ready(*self.placements())
        hidden = self.folder / "away.mov"
        (self.folder / "dome.mov").rename(hidden)
        try:
            done = self.handed(ready, picture="copy")
        finally:
            hidden.rename(self.folder / "dome.mov")
        self.assertEqual([one["path"] for one in done.failed], ["scene.mov"])
        self.assertIn("the film is missing; put its file back", done.failed[0]["reason"])
        self.assertTrue(Path(done.mix).is_file() and Path(done.cues).is_file())
        self.assertEqual(done.video, "")

    def test_a_placement_whose_file_is_gone_is_left_out_and_said(self) -> None:
        lost = self.folder / "lost.wav"
        files.write(lost, 0.2 * sine(300, 0.3), RATE, 24)
        ready = self.ready({"sound": "chime", "frame": 2}, {"file": "lost.wav", "frame": 40})
        lost.unlink()
        done = self.handed(ready)
        self.assertEqual([one.name for one in done.placements], ["chime"])
        self.assertEqual(done.said, ["lost: left out, the file is missing."])
        mix, _ = files.read(Path(done.mix))
        self.assertEqual(levels.peak(mix[self.at(40) :]), 0.0)

    def test_a_scene_of_nothing_says_so_and_gives_no_film(self) -> None:
        ready = self.ready()
        self.assertEqual(ready.scene.mix, Mix())
        done = self.handed(ready, picture="copy")
        self.assertEqual([(one["path"], one["reason"]) for one in done.failed], [("scene.wav", "silence: the file is silent")])
        self.assertEqual((done.mix, done.video), ("", ""))
        self.assertTrue(Path(done.cues).is_file())


if __name__ == "__main__":
    unittest.main()
