"""Picture over the API: a film opened, sounds on its frames, and what is handed over measured in the files themselves."""

from __future__ import annotations

import csv
import io
import itertools
import os
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import opentimelineio as otio

from oskren.core.audio import files
from oskren.core.picture.film import Film
from oskren.core.picture.reading import probe, still, write_sound
from oskren.core.timecode import FRAME_RATES, moment_of
from oskren.store.documents import films
from oskren.work.gather import backup
from tests.api.test_api import HERE, Running
from tests.films import number_of, write_film
from tests.support import RATE, struck

FRAMES = 150
ANCHOR_S = 0.03
"""Where in the test's sounds their attack lies."""


class OfFilms(Running):
    """A film at 23.976 frames a second, opened, with a scene."""

    RATE_NAME = "23.976"
    film: dict[str, Any]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.counted = FRAME_RATES[cls.RATE_NAME]
        cls.path = write_film(cls.folder / "dome.mov", cls.counted.rate, FRAMES, sound_s=2.0, code="01:00:00:00")
        for name, seed in (("wing a", 11), ("wing b", 12), ("wing c", 13)):
            sound = struck(0.4, 0.3, seed=seed)
            files.write(cls.folder / "wings" / f"{name}.wav", np.concatenate([np.zeros((round(ANCHOR_S * RATE), 1), np.float32), sound]), RATE, 24)
        cls.finish(cls.client.post(f"{HERE}/import", json={"paths": [str(cls.folder / "wings")]}))
        begun = cls.client.post(f"{HERE}/films", json={"path": str(cls.path)})
        cls.opened = cls.finish(begun)
        cls.film = cls.client.get(f"{HERE}/films/{begun.json()['id']}").json()

    def scene(self, name: str) -> dict[str, Any]:
        return self.post(f"{HERE}/scenes", {"name": name, "film": self.film["id"]})  # type: ignore[no-any-return]

    def onto(self, scene: dict[str, Any], **more: Any) -> dict[str, Any]:
        return {"frame_rate": scene["frame_rate"], "frames": scene["frames"], "groups": scene["mix"]["groups"], **more}

    def keep(self, view: dict[str, Any], **changed: Any) -> dict[str, Any]:
        answer = self.client.put(f"{HERE}/scenes/{view['id']}", json={"name": view["name"], "scene": view["scene"] | changed})
        self.assertEqual(answer.status_code, 200, answer.text)
        return self.get(f"{HERE}/scenes/{view['id']}")  # type: ignore[no-any-return]

    def put(self, view: dict[str, Any], placed: dict[str, Any], **changed: Any) -> dict[str, Any]:
        mix = view["scene"]["mix"] | {"members": [*view["scene"]["mix"]["members"], *placed["members"]], "groups": placed["groups"]}
        return self.keep(view, mix=mix, **changed)

    def ids(self, *names: str) -> list[int]:
        return [self.named(name)["id"] for name in names]

    def out(self, name: str) -> Path:
        folder = self.folder / "out" / name
        folder.mkdir(parents=True, exist_ok=True)
        return folder


def onsets(samples: np.ndarray, rate: int, at: list[float], reach_s: float = 0.06) -> list[float]:
    """Where sound begins near moments (s): the first sample over a tenth of what is highest there."""
    found, mono = [], np.abs(samples).max(axis=1)
    for moment in at:
        low = max(0, round((moment - reach_s) * rate))
        part = mono[low : round((moment + reach_s) * rate)]
        found.append((low + int(np.argmax(part > 0.1 * part.max()))) / rate)
    return found


class Films(OfFilms):
    def test_a_film_is_opened_with_its_frames_time_code_and_sound(self) -> None:
        self.assertEqual((self.film["state"], self.film["film"]["frame_rate"], self.film["film"]["frames"]), ("ready", "23.976", FRAMES))
        self.assertEqual(self.film["film"]["start"], 86_400)
        self.assertEqual(self.opened["shots"], len(self.film["shots"]))
        for number in (0, 1, 77, FRAMES - 1):
            self.assertEqual(number_of(self.client.get(f"{HERE}/films/{self.film['id']}/frames/{number}").content), number)
        played = self.client.get(f"{HERE}/films/{self.film['id']}/played", headers={"Range": "bytes=100-199"})
        self.assertEqual((played.status_code, len(played.content)), (206, 100))
        guide = self.heard(self.film["guide"])
        self.assertAlmostEqual(int(np.argmax(np.abs(guide).max(axis=1))) / 48_000, 2.0, delta=0.002)

    def test_a_file_that_is_opened_again_is_the_same_film_unless_it_was_written_since(self) -> None:
        def opened() -> int:
            begun = self.client.post(f"{HERE}/films", json={"path": str(again)})
            self.finish(begun)
            return int(begun.json()["id"])

        again = write_film(self.folder / "again.mp4", self.counted.rate, 30)
        first = opened()
        self.assertEqual(opened(), first)
        write_film(again, self.counted.rate, 40)
        later = again.stat().st_mtime + 60
        os.utime(again, (later, later))
        second = opened()
        self.assertNotEqual(second, first)
        self.assertEqual([self.get(f"{HERE}/films/{id}")["film"]["frames"] for id in (first, second)], [30, 40])

    def test_what_is_no_film_is_one_sentence(self) -> None:
        wrong = {"notes.mp4": b"no film at all", "empty.webm": b""}
        for name, data in wrong.items():
            (self.folder / name).write_bytes(data)
        for path, words in (
            (self.folder / "notes.mp4", "notes.mp4 cannot be read as a video"),
            (self.folder / "empty.webm", "empty.webm cannot be read as a video"),
            (self.folder / "in" / "glass hit.wav", "holds no picture"),
            (self.folder / "gone.mp4", "there is no such file"),
        ):
            answer = self.client.post(f"{HERE}/films", json={"path": str(path)})
            self.assertEqual(answer.status_code, 422, answer.text)
            self.assertIn(words, answer.json()["sentence"])
        self.assertEqual(self.client.get(f"{HERE}/films/{self.film['id']}/frames/{FRAMES}").status_code, 422)
        self.assertEqual(self.client.get(f"{HERE}/films/99/frames/1").status_code, 404)
        self.assertEqual(self.client.post(f"{HERE}/scenes", json={"name": "x", "film": 99}).status_code, 404)

    def test_a_film_the_browser_sends_is_kept_in_the_library(self) -> None:
        upload = self.post(f"{HERE}/uploads", {"name": "films", "files": 1})["upload"]
        path = write_film(self.folder / "sent.mkv", Fraction(25), 30)
        self.client.post(f"{HERE}/uploads/{upload}/file", params={"path": "sent.mkv"}, content=path.read_bytes())
        begun = self.client.post(f"{HERE}/films/sent/{upload}")
        self.finish(begun)
        film = self.get(f"{HERE}/films/{begun.json()['id']}")
        self.assertEqual((film["path"], film["state"], film["film"]["said"]), ("films/sent.mkv", "ready", ["It has no sound of its own."]))
        # sent once more under another name it is that film, and lies there once; what differs is another
        for name, content, same in (("again.mkv", path.read_bytes(), True), ("sent.mkv", path.read_bytes() + b"\0", False)):
            more = self.post(f"{HERE}/uploads", {"name": "films", "files": 1})["upload"]
            self.client.post(f"{HERE}/uploads/{more}/file", params={"path": name}, content=content)
            answer = self.client.post(f"{HERE}/films/sent/{more}")
            self.finish(answer)
            self.assertEqual(answer.json()["id"] == film["id"], same, name)
        kept = self.client.app.state.studio.home.library("test").folder / "films"  # type: ignore[attr-defined]
        self.assertEqual(len([one for one in kept.iterdir() if one.suffix == ".mkv"]), 2)
        other = self.post(f"{HERE}/uploads", {"name": "sounds", "files": 1})["upload"]
        self.client.post(f"{HERE}/uploads/{other}/file", params={"path": "a.wav"}, content=b"RIFF")
        self.assertIn("Send one video file", self.client.post(f"{HERE}/films/sent/{other}").json()["sentence"])

    def test_a_backup_holds_films_and_none_leads_out_of_it(self) -> None:
        view = self.scene("Kept")
        studio = self.client.app.state.studio  # type: ignore[attr-defined]
        library = studio.home.library("test")
        made = backup.write(library, self.folder / "backups")
        other = backup.restore(studio.home, made, "Other")
        row = films.film(other, self.film["id"])
        self.assertEqual(films.path_of(other, row), other.folder / "films" / "dome.mov")
        self.assertTrue(films.proxy_of(other, row.id).exists())
        there = f"/api/lib/{other.folder.name}"
        self.assertEqual(number_of(self.client.get(f"{there}/films/{row.id}/frames/77").content), 77)
        self.assertEqual(self.get(f"{there}/scenes/{view['id']}")["name"], "Kept")


class Scenes(OfFilms):
    def test_anchors_lie_on_their_frames_in_the_mix_and_in_the_film(self) -> None:
        view = self.scene("The dome wakes")
        frames = [12, 40, 77, 101, 140]
        for frame in frames:
            onto = self.onto(view["scene"], group="Hard effects" if frame % 2 else "Movement")
            view = self.put(view, self.post(f"{HERE}/picture/place", {"onto": onto, "frame": frame, "sounds": self.ids("wing a")}))
        self.assertEqual([one["name"] for one in view["scene"]["mix"]["groups"]], ["Movement", "Hard effects"])
        cue = {"id": "c1", "name": "Wing", "frame": 12, "placed": [view["scene"]["mix"]["members"][0]["id"]], "priority": 1}
        view = self.keep(view, cues=[cue, {"id": "c2", "name": 'Glass, "falls"', "frame": 40, "until": 48}])
        done = self.finish(
            self.client.post(f"{HERE}/scenes/{view['id']}/hand-over", json={"folder": str(self.out("a")), "how": {"picture": "copy", "handle_s": 0.5}})
        )
        self.assertEqual(done["failed"], [])
        at = [moment_of(frame, self.counted) for frame in frames]
        mix, rate = files.read(Path(done["mix"]))
        self.assertEqual(len(mix), round(moment_of(FRAMES, self.counted) * rate))
        # the anchor of the sound is its attack
        for found, wanted in zip(onsets(mix, rate, at), at, strict=True):
            self.assertAlmostEqual(found, wanted, delta=0.002)
        film = probe(Path(done["video"]))
        write_sound(Path(done["video"]), self.folder / "back.wav")
        sound, its = files.read(self.folder / "back.wav")
        for found, wanted in zip(onsets(sound, its, at), at, strict=True):
            self.assertAlmostEqual(found, wanted, delta=0.004)
        self.assertEqual([number_of(still(Path(done["video"]), film, frame)) for frame in frames], frames)
        # stems add up to the mix
        total = sum(files.read(Path(path))[0].astype(np.float64) for path in done["stems"])
        self.assertEqual(len(done["stems"]), 2)
        self.assertLess(float(np.max(np.abs(total - mix))), 3 * 2**-23)
        # what is heard is what is exported
        whole = self.heard(view["scene"]["mix"] | {"length_s": moment_of(FRAMES, self.counted)})
        self.assertLess(float(np.max(np.abs(whole - mix))), 2**-23)
        # the lists, read by the library for timelines
        line = otio.adapters.read_from_file(done["timeline"])
        self.assertEqual(line.global_start_time.to_frames(), 86_400)
        self.lists(done, line, frames, mix, rate)
        rows = list(csv.DictReader(io.StringIO(Path(done["cues"]).read_text())))
        self.assertEqual(
            [(row["time code"], row["cue"], row["state"]) for row in rows], [("01:00:00:12", "Wing", "answered"), ("01:00:01:16", 'Glass, "falls"', "open")]
        )
        self.assertEqual([one["frame"] for one in done["placements"]], frames)

    def lists(self, done: dict[str, Any], line: Any, frames: list[int], mix: np.ndarray, rate: int) -> None:
        clips = [(clip, clip.range_in_parent()) for track in line.audio_tracks() for clip in track.find_clips()]
        self.assertEqual(len(clips), len(frames))
        found = []
        for clip, span in clips:
            audio, its = files.read(Path(clip.media_reference.target_url.removeprefix("file://").replace("%20", " ")))
            first = clip.source_range.start_time.to_frames()
            # the file's frame of the clip's beginning lies on the clip's place in the film
            self.assertEqual(round(len(audio) / its * self.counted.rate), clip.media_reference.available_range.duration.to_frames())
            begin = onsets(audio, its, [clip.markers[0].marked_range.start_time.to_frames() / float(self.counted.rate)])[0]
            found.append(round((begin + (span.start_time.to_frames() - first) / float(self.counted.rate)) * float(self.counted.rate)))
        self.assertEqual(sorted(found), frames)
        for path in done["edit_lists"]:
            back = otio.adapters.read_from_file(path, rate=float(self.counted.rate))
            told = list(back.find_clips())
            self.assertTrue(told and all(clip.name == "wing a" for clip in told))
        xml = otio.adapters.read_from_file(str(Path(done["timeline"]).with_suffix(".xml")))
        tracks = xml.tracks if hasattr(xml, "tracks") else next(iter(xml)).tracks
        self.assertEqual(sum(1 for track in tracks for item in track if isinstance(item, otio.schema.Clip)), len(frames) + 1)

    def test_exports_never_write_over_and_h264_and_vp9_keep_frames(self) -> None:
        view = self.scene("Twice")
        view = self.put(view, self.post(f"{HERE}/picture/place", {"onto": self.onto(view["scene"]), "frame": 30, "sounds": self.ids("wing b")}))
        folder = self.out("twice")
        for picture, suffix in (("h264", ".mp4"), ("vp9", ".webm")):
            how = {"picture": picture, "stems": False, "sounds": False, "bits": 32}
            done = self.finish(self.client.post(f"{HERE}/scenes/{view['id']}/hand-over", json={"folder": str(folder), "how": how}))
            self.assertEqual((done["failed"], Path(done["video"]).suffix), ([], suffix))
            film = probe(Path(done["video"]))
            self.assertEqual((film.frame_rate, film.frames), ("23.976", FRAMES))
            self.assertEqual([number_of(still(Path(done["video"]), film, number)) for number in (0, 30, FRAMES - 1)], [0, 30, FRAMES - 1])
        self.assertEqual(sorted(path.name for path in folder.iterdir()), ["Twice", "Twice (2)"])

    def test_taps_land_on_frames_in_turn_or_at_random_without_repeating(self) -> None:
        scene = self.scene("Tapped")["scene"]
        lists = [self.ids("wing a", "wing b", "wing c"), self.ids("glass hit")]
        at = [moment_of(frame, self.counted) + 0.08 for frame in (10, 20, 30, 40)]
        taps = [{"at_s": one} for one in at] + [{"at_s": at[1], "list": 1}]
        placed = self.post(f"{HERE}/picture/tap", {"onto": self.onto(scene), "taps": taps, "lists": lists, "tapping": {"latency_ms": 80}})
        names = [(round(one["at_s"] * float(self.counted.rate)), one["name"]) for one in placed["members"]]
        self.assertEqual(names, [(10, "wing a"), (20, "wing b"), (20, "glass hit"), (30, "wing c"), (40, "wing a")])
        many = [{"at_s": frame / 24} for frame in range(2, 140, 3)]
        drawn = self.post(f"{HERE}/picture/tap", {"onto": self.onto(scene), "taps": many, "lists": lists[:1], "tapping": {"order": "random", "seed": 5}})
        order = [one["name"] for one in drawn["members"]]
        self.assertEqual(len(set(order)), 3)
        self.assertFalse(any(one == other for one, other in itertools.pairwise(order)))
        late = self.post(f"{HERE}/picture/latency", {"taps": [0.58, 1.07, 1.57, 2.3], "clicks": [0.5, 1.0, 1.5, 2.0]})
        self.assertEqual(late["latency_ms"], 75.0)
        refused = self.client.post(f"{HERE}/picture/tap", json={"onto": self.onto(scene), "taps": many, "lists": [[]]})
        self.assertIn("Choose what is to be tapped in", refused.json()["sentence"])

    def test_designs_and_kept_variations_are_placed_by_their_strike_line(self) -> None:
        layer = self.get(f"{HERE}/stack/layer", sound=self.ids("glass hit")[0]) | {"id": "a", "at_s": -0.2}
        design = self.post(f"{HERE}/designs", {"name": "Heavy wing", "mix": {"members": [layer]}})["id"]
        begun = self.client.post(f"{HERE}/spreads", json={"design": design, "count": 2, "seed": 1})
        self.finish(begun)
        spread = self.get(f"{HERE}/spreads/{begun.json()['id']}")
        draw = spread["all"][0]["id"]
        judged = self.get(f"{HERE}/spreads/{spread['id']}/judged")
        self.client.put(f"{HERE}/spreads/{spread['id']}/judged", json=judged["judged"] | {"states": {str(draw): "kept"}}).raise_for_status()
        made = self.get(f"{HERE}/picture/made")
        self.assertIn({"kind": "design", "id": design, "name": "Heavy wing"}, made)
        self.assertEqual([one["id"] for one in made if one["kind"] == "draw"], [draw])
        scene = self.scene("Designed")["scene"]
        placed = self.post(f"{HERE}/picture/place", {"onto": self.onto(scene), "frame": 48, "designs": [design], "draws": [draw]})
        self.assertEqual([one["name"] for one in placed["groups"]], ["Design"])
        mix = scene["mix"] | {"members": placed["members"], "groups": placed["groups"]}
        for laid, anchor in zip(self.post(f"{HERE}/stack/layout", mix)["layers"], (moment_of(48, self.counted),) * 2, strict=True):
            self.assertAlmostEqual(laid["start_s"] + laid["anchor_s"], anchor, delta=1e-4)
        self.assertEqual(self.client.post(f"{HERE}/picture/place", json={"onto": self.onto(scene), "frame": 48, "draws": [999]}).status_code, 404)

    def test_a_cue_asks_with_those_of_its_words_that_find_something(self) -> None:
        for cue, words in (("Wing a", "wing"), ("The wings, at last", "wing"), ("Nothing of the kind", "")):
            self.assertEqual(self.get(f"{HERE}/picture/words", cue=cue)["search"], words, cue)

    def test_a_placement_rolls_from_the_search_it_was_found_by_and_is_replaced_everywhere(self) -> None:
        view = self.scene("Rolled")
        wanted = {"onto": self.onto(view["scene"], search="wing"), "frame": 30, "sounds": self.ids("wing a")}
        view = self.put(view, self.post(f"{HERE}/picture/place", wanted))
        [member] = view["scene"]["mix"]["members"]
        rolled = self.post(f"{HERE}/stack/roll", {"mix": view["scene"]["mix"], "ids": [member["id"]], "seed": 2})["mix"]["members"][0]
        self.assertIn(rolled["name"], ("wing b", "wing c"))
        self.assertEqual(rolled["at_s"], member["at_s"])
        taps = {"onto": self.onto(view["scene"]), "taps": [{"at_s": 1.0}, {"at_s": 1.0, "list": 1}], "lists": [self.ids("wing a"), self.ids("glass hit")]}
        laid = self.post(f"{HERE}/picture/tap", taps | {"searches": ["wing", "glass"]})["members"]
        self.assertEqual([one["search"] for one in laid], ["wing", "glass"])
        changed = self.post(f"{HERE}/stack/replace", {"sound": self.ids("wing a")[0], "by": self.ids("wing c")[0]})
        self.assertIn({"kind": "scene", "id": view["id"], "name": "Rolled", "layers": 1}, changed)
        now = self.get(f"{HERE}/scenes/{view['id']}")
        self.assertEqual((now["scene"]["mix"]["members"][0]["name"], now["revision"]), ("wing c", view["revision"] + 1))
        self.post(f"{HERE}/stack/replace", {"sound": self.ids("wing c")[0], "by": self.ids("wing a")[0]})

    def test_two_exports_at_once_have_a_folder_each(self) -> None:
        view = self.scene("At once")
        view = self.put(view, self.post(f"{HERE}/picture/place", {"onto": self.onto(view["scene"]), "frame": 30, "sounds": self.ids("wing a")}))
        how = {"picture": "none", "stems": False, "sounds": False}
        begun = [self.client.post(f"{HERE}/scenes/{view['id']}/hand-over", json={"folder": str(self.out("once")), "how": how}) for _ in range(3)]
        folders = {self.finish(one)["folder"] for one in begun}
        self.assertEqual({Path(one).name for one in folders}, {"At once", "At once (2)", "At once (3)"})

    def test_a_run_is_replaced_in_order_and_a_placement_fits_a_length(self) -> None:
        view = self.scene("Replaced")
        for frame in (90, 30, 60):
            view = self.put(view, self.post(f"{HERE}/picture/place", {"onto": self.onto(view["scene"]), "frame": frame, "sounds": self.ids("glass hit")}))
        members = view["scene"]["mix"]["members"]
        members[2]["locked"] = True
        fresh = self.post(f"{HERE}/picture/replace", {"members": members, "sounds": self.ids("wing a", "wing b")})["members"]
        self.assertEqual([one["name"] for one in fresh], ["wing b", "wing a", "glass hit"])
        mix = view["scene"]["mix"] | {"members": members}
        [fitted] = self.post(f"{HERE}/picture/fit", {"mix": mix, "id": members[0]["id"], "seconds": 0.9})["members"]
        layout = self.post(f"{HERE}/stack/layout", mix | {"members": [fitted]})
        self.assertAlmostEqual(layout["layers"][0]["seconds"], 0.9, delta=0.001)
        refused = self.client.post(f"{HERE}/picture/fit", json={"mix": mix, "id": members[0]["id"], "seconds": 500})
        self.assertIn("take a sound nearer to it in length", refused.json()["sentence"])

    def test_a_bed_fills_its_range_without_a_seam(self) -> None:
        time = np.arange(round(1.5 * RATE)) / RATE
        tone = (0.2 * np.sin(2 * np.pi * 220 * time) + 0.1 * np.sin(2 * np.pi * 331 * time)).astype(np.float32)[:, None]
        files.write(self.folder / "beds" / "hum bed.wav", tone, RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "beds")]}))
        view = self.scene("Bed")
        wanted = {"onto": self.onto(view["scene"]), "sound": self.ids("hum bed")[0], "frame": 24, "until": 144}
        placed = self.post(f"{HERE}/picture/fill", wanted)
        mix = view["scene"]["mix"] | {"members": placed["members"], "groups": placed["groups"], "length_s": moment_of(FRAMES, self.counted)}
        heard = self.heard(mix)[:, 0]
        start, end = (round(moment_of(frame, self.counted) * RATE) for frame in (24, 144))
        self.assertFalse(heard[:start].any() or heard[end + 1 :].any())
        body = heard[start + RATE + 100 : end - RATE - 100]
        levels = [10 * np.log10(np.mean(body[at : at + 2400] ** 2)) for at in range(0, len(body) - 2400, 1200)]
        self.assertLess(max(levels) - min(levels), 1.5)
        # a step would ring in the highest octave
        self.assertLess(float(np.max(np.abs(np.diff(body, n=3)))), 2.5 * float(np.max(np.abs(np.diff(tone[:, 0], n=3)))))
        refused = self.client.post(f"{HERE}/picture/fill", json=wanted | {"until": 10})
        self.assertEqual(refused.status_code, 422)
        # one sound with a pitch is no chord
        refused = self.client.post(f"{HERE}/picture/tonal", json={"onto": wanted["onto"], "sounds": [wanted["sound"]], "frame": 24, "until": 144})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("a tonal bed needs two", refused.json()["sentence"])
        # a second longer, then shorter than it was: what both have of it is the same
        [bed] = mix["members"]
        for by in (1.0, -1.5):
            [longer] = self.post(f"{HERE}/stack/lengthen", {"mix": mix, "ids": [bed["id"]], "by_s": by})["members"]
            again = self.heard(mix | {"members": [longer]})[:, 0]
            self.assertAlmostEqual(np.flatnonzero(again)[-1], min(end + by * RATE, len(again)), delta=3)
            until = min(end, round(end + by * RATE)) - RATE - 100
            np.testing.assert_allclose(again[start:until], heard[start:until], atol=1e-6)
        for ids, by, said in (([bed["id"]], -60.0, "shorter than"), (["nobody"], 1.0, "no such layer")):
            refused = self.client.post(f"{HERE}/stack/lengthen", json={"mix": mix, "ids": ids, "by_s": by})
            self.assertIn(said, refused.json()["sentence"])
        hit = self.post(f"{HERE}/picture/place", {"onto": self.onto(view["scene"]), "frame": 30, "sounds": self.ids("glass hit")})["members"]
        refused = self.client.post(f"{HERE}/stack/lengthen", json={"mix": mix | {"members": hit}, "ids": [hit[0]["id"]], "by_s": 1.0})
        self.assertIn("glass hit is no bed", refused.json()["sentence"])

    def test_balance_and_loudness_over_time_agree_with_what_is_measured(self) -> None:
        view = self.scene("Balance")
        view = self.put(view, self.post(f"{HERE}/picture/place", {"onto": self.onto(view["scene"]), "frame": 30, "sounds": self.ids("wing a", "glass hit")}))
        mix = view["scene"]["mix"] | {"length_s": moment_of(FRAMES, self.counted)}
        found = self.post(f"{HERE}/picture/balance", mix)["loudest"]
        for member in mix["members"]:
            sound = self.get(f"{HERE}/sounds/{member['origin']['id']}")
            self.assertAlmostEqual(found[member["id"]], sound["measures"]["max_momentary_lufs"], delta=0.1)
        over = self.post(f"{HERE}/picture/loudness", mix)
        self.assertEqual(len(over["at_s"]), len(over["short_term_lufs"]))
        meters = self.post(f"{HERE}/stack/sum", mix)
        self.assertAlmostEqual(over["integrated_lufs"], meters["integrated_lufs"], delta=0.05)
        self.assertAlmostEqual(over["true_peak_dbtp"], meters["true_peak_dbtp"], delta=0.05)
        self.assertAlmostEqual(max(one for one in over["short_term_lufs"] if one is not None), meters["max_short_term_lufs"], delta=0.6)

    def test_a_done_cue_moves_its_wanted_entry_and_uses_are_told(self) -> None:
        [wanted] = self.post(f"{HERE}/wanted", [{"what": "wing beats", "how_many": 1}])["ids"]
        view = self.scene("Cues")
        view = self.put(view, self.post(f"{HERE}/picture/place", {"onto": self.onto(view["scene"]), "frame": 30, "sounds": self.ids("wing c")}))
        cue = {"id": "c1", "name": "wing beats", "frame": 30, "wanted": wanted, "placed": [view["scene"]["mix"]["members"][0]["id"]]}

        def state() -> str:
            return str(next(one for one in self.get(f"{HERE}/wanted", project=1)["entries"] if one["id"] == wanted)["state"])

        view = self.keep(view, cues=[cue])
        self.assertEqual(state(), "found")
        view = self.keep(view, cues=[cue | {"done": True}])
        self.assertEqual(state(), "done")
        self.keep(view, cues=[cue])
        self.assertEqual(state(), "found")
        self.assertIn(("scene", "Cues"), [(use["what"], use["name"]) for use in self.get(f"{HERE}/sounds/{self.ids('wing c')[0]}/uses")])
        self.assertEqual(self.get(f"{HERE}/scenes")[0]["answered"], 1)

    def test_versions_are_kept_told_apart_and_put_away(self) -> None:
        view = self.scene("Versions")
        placed = self.post(f"{HERE}/picture/place", {"onto": self.onto(view["scene"]), "frame": 24, "sounds": self.ids("wing a")})
        cue = {"id": "c1", "name": "Wing", "frame": 24}
        before = self.put(view, placed, cues=[cue])["scene"]
        here = f"{HERE}/scenes/{view['id']}/versions"
        first = self.post(here, {"scene": before})
        self.assertEqual((first["name"], first["scene"]), ("Version 1", before))
        place = {"id": "p1", "name": "Dome", "frame": 0, "until": 100, "space": "hall", "amount": "far"}
        member = before["mix"]["members"][0] | {"gain_db": -3.0, "at_s": 1.5}
        after = before | {"mix": before["mix"] | {"members": [member]}, "cues": [cue | {"frame": 30, "until": 40, "done": True}], "places": [place]}
        told = self.post(f"{HERE}/picture/difference", {"before": before, "after": after})
        self.assertEqual(
            told, ["cue Wing: moved to 01:00:01:06, another length, done", "place Dome made at 01:00:00:00", "wing a: gain 0 to -3 dB, moved 1.001 to 1.5 s"]
        )
        back = self.post(f"{HERE}/picture/difference", {"before": after, "after": before | {"cues": [], "target_lufs": -20.0}})
        self.assertEqual(back, ["cue Wing removed", "place Dome removed", "wing a: gain -3 to 0 dB, moved 1.5 to 1.001 s", "loudness aimed at -23 to -20 LUFS"])
        moved = self.post(
            f"{HERE}/picture/difference", {"before": after, "after": after | {"places": [place | {"amount": "near", "size": 2.0, "space": "chamber"}]}}
        )
        self.assertEqual(moved, ["place Dome: hall to chamber, size 1 to 2, heard far to near"])
        self.assertEqual(self.post(f"{HERE}/picture/difference", {"before": after, "after": after}), [])
        second = self.client.patch(f"{HERE}/scene-versions/{self.post(here, {'scene': after})['id']}", json={"name": "Drier", "notes": "less room"}).json()
        self.assertEqual([(one["name"], one["notes"]) for one in self.get(here)], [("Version 1", ""), ("Drier", "less room")])
        # one of another film is none of this scene, and a scene that is put away keeps its versions
        self.assertEqual(self.client.post(here, json={"scene": before | {"film": 999}}).status_code, 422)
        self.client.delete(f"{HERE}/documents/scene_version/{second['id']}").raise_for_status()
        self.assertEqual([one["name"] for one in self.get(here)], ["Version 1"])
        self.client.delete(f"{HERE}/documents/scene/{view['id']}").raise_for_status()
        self.assertEqual(self.client.post(f"{HERE}/documents/scene_version/{second['id']}/back").status_code, 404)
        self.client.post(f"{HERE}/documents/scene/{view['id']}/back").raise_for_status()
        self.client.post(f"{HERE}/documents/scene_version/{second['id']}/back").raise_for_status()
        self.assertEqual([one["name"] for one in self.get(here)], ["Version 1", "Drier"])

    def test_scenes_of_what_has_changed_are_listed_and_brought_up_to_date(self) -> None:
        id = self.ids("wing c")[0]
        view = self.scene("Older")
        placed = self.post(f"{HERE}/picture/place", {"onto": self.onto(view["scene"]), "frame": 10, "sounds": [id, id]})
        held = placed | {"members": [placed["members"][0], placed["members"][1] | {"locked": True}]}
        self.put(view, held)
        self.client.put(f"{HERE}/sounds/{id}/chain", json={"chain": [{"kind": "reverse", "id": "r"}]}).raise_for_status()
        try:
            self.assertIn({"kind": "scene", "id": view["id"], "name": "Older", "why": "wing c has changed since"}, self.get(f"{HERE}/stack/stale"))
            self.assertIn("Older: wing c taken anew", self.finish(self.client.post(f"{HERE}/stack/rebuild"))["done"])
            now = self.get(f"{HERE}/scenes/{view['id']}")["scene"]["mix"]["members"]
            self.assertEqual([one["node"]["kind"] for one in now], ["chained", "source"])
        finally:
            self.client.put(f"{HERE}/sounds/{id}/chain", json={"chain": []}).raise_for_status()
            self.client.delete(f"{HERE}/documents/scene/{view['id']}").raise_for_status()

    def test_what_a_version_holds_outlives_its_sound(self) -> None:
        files.write(self.folder / "wings" / "lone.wav", struck(0.3, 0.2, seed=73), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "wings" / "lone.wav")]}))
        id = self.named("lone")["id"]
        view = self.scene("Held in a version")
        kept = self.put(view, self.post(f"{HERE}/picture/place", {"onto": self.onto(view["scene"]), "frame": 10, "sounds": [id]}))
        self.post(f"{HERE}/edit", {"ids": [id], "change": {"trashed": True}})
        # what a scene holds now stays with its sound
        self.assertEqual(self.post(f"{HERE}/trash/empty", {})["gone"], 0)
        self.post(f"{HERE}/scenes/{view['id']}/versions", {"scene": kept["scene"]})
        self.keep(kept, mix=view["scene"]["mix"])
        self.assertEqual(self.post(f"{HERE}/trash/empty", {})["gone"], 1)
        opened = self.client.post(f"{HERE}/open", json={"node": kept["scene"]["mix"]})
        self.assertEqual(opened.status_code, 200, opened.text)
        block = self.client.get(f"/api/heard/{opened.json()['digest']}/block", params={"start": 0, "frames": RATE})
        self.assertGreater(float(np.abs(np.frombuffer(block.content, np.float32)).max()), 0.1)

    def test_what_cannot_be_is_refused(self) -> None:
        view = self.scene("Refused")
        for changed, words in (
            ({"cues": [{"id": "c", "frame": FRAMES}]}, "begins behind its end"),
            ({"cues": [{"id": "c", "frame": 3}, {"id": "c", "frame": 4}]}, "Two cues have the same id"),
            ({"cues": [{"id": "c", "frame": 3, "until": 2}]}, "ends after it begins"),
            ({"film": 77}, "A scene keeps its film"),
            ({"frame_rate": "26"}, "frame_rate"),
        ):
            answer = self.client.put(f"{HERE}/scenes/{view['id']}", json={"name": "Refused", "scene": view["scene"] | changed})
            self.assertEqual(answer.status_code, 422, answer.text)
            self.assertIn(words, answer.text)
        self.assertEqual(self.get(f"{HERE}/scenes/{view['id']}")["revision"], view["revision"])

    def test_film_models_agree(self) -> None:
        self.assertEqual(Film.model_validate(self.film["film"]).seconds, self.film["seconds"])
