"""The command line as scripts use it: JSON on standard output, messages on standard error, exit status."""

import json
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from oskren.core import bundle
from oskren.core.audio import files, metadata
from oskren.core.measure import levels
from oskren.core.nodes import Member, Mix, Source
from oskren.core.timecode import FRAME_RATES, moment_of
from tests.api.test_picture_api import onsets
from tests.films import write_film
from tests.support import RATE, cents, noise, pitch_of, sine, struck


class CommandLine(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.take = noise(6, -62)
        for k, at in enumerate((1.0, 2.5, 4.0)):
            self.take[round(at * RATE) : round(at * RATE) + RATE // 2] += 0.4 * struck(seed=k)
        files.write(self.folder / "take.wav", self.take, RATE, 24)
        (self.folder / "text.wav").write_text("not a sound")

    def run_(self, *arguments: object, status: int = 0):  # type: ignore[no-untyped-def]
        done = subprocess.run([sys.executable, "-m", "oskren.cli", *map(str, arguments)], capture_output=True, text=True, cwd=self.folder)
        self.assertEqual(done.returncode, status, done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        return (json.loads(done.stdout) if done.stdout.strip() and "--json" in arguments else done.stdout), done.stderr

    def test_sounds_are_asked_for_by_conditions(self) -> None:
        (self.folder / "in").mkdir()
        for k, name in enumerate(("glass tap", "glass ring", "iron thud")):
            files.write(self.folder / "in" / f"{name}.wav", 0.5 * struck(0.3 + k, seed=k), RATE, 24)
        self.run_("import", "in", "--home", "home", "--json")
        for query, names in (
            ("glass where length under 1 s", ["glass tap"]),
            ("where length at least 1 s and not name has iron", ["glass ring"]),
            ("where bandwidth over 1 kHz and used no", ["glass ring", "glass tap", "iron thud"]),
        ):
            found, _ = self.run_("sounds", "--home", "home", "--query", query, "--json")
            self.assertEqual((found["total"], [one["name"] for one in found["sounds"]]), (len(names), names), query)
        _, said = self.run_("sounds", "--home", "home", "--query", "where colour is red", "--json", status=2)
        self.assertIn("no field called 'colour'", said)

    def test_a_scene_is_handed_over_to_the_frame(self) -> None:
        counted = FRAME_RATES["29.97 drop"]
        write_film(self.folder / "dome.mp4", counted.rate, 90)
        hit = np.concatenate([np.zeros((round(0.03 * RATE), 1), np.float32), struck(0.2, 0.04, seed=3)])
        files.write(self.folder / "in" / "hit.wav", hit, RATE, 24)
        self.run_("import", "in", "--home", "home", "--json")
        placements = [
            {"sound": "hit", "frame": 12, "group": "Hard effects"},
            {"file": "in/hit.wav", "anchor_s": 0.03, "at": "01:00:01;15", "gain_db": -3, "group": "Hard effects"},
            {"sound": "hit", "frame": 70, "pitch_st": -12, "group": "Movement"},
        ]
        wanted = {"name": "Dome", "film": "dome.mp4", "frame_rate": "29.97 drop", "start": "01:00:00;00", "placements": placements}
        wanted |= {"cues": [{"name": "Hit", "frame": 12}], "places": [{"id": "hall", "frame": 60, "until": 90, "space": "hall"}]}
        (self.folder / "scene.json").write_text(json.dumps(wanted))
        done, _ = self.run_("scene", "scene.json", "--home", "home", "--out", "out", "--json")
        self.assertEqual([one["frame"] for one in done["placements"]], [12, 45, 70])
        mix, rate = files.read(Path(done["mix"]))
        for one in done["placements"]:
            self.assertAlmostEqual(one["anchor_s"], moment_of(one["anchor_frame"], counted), delta=1e-6)
            found = onsets(mix, rate, [one["anchor_s"]], 0.08)[0]
            self.assertAlmostEqual(found, one["anchor_s"], delta=0.004)
        self.assertEqual((len(done["stems"]), len(done["sounds"]), Path(done["video"]).name), (2, 3, "Dome.mp4"))
        self.assertIn("FCM: DROP FRAME", Path(done["edit_list"]).read_text())
        self.assertTrue(all(Path(done[name]).exists() for name in ("cues", "timeline", "edit_list", "video")))
        schema, _ = self.run_("scene", "--schema", "--json")
        self.assertIn("placements", schema["properties"])
        for changed, words in (
            ({"film": "none.mp4"}, "there is no such film"),
            ({"placements": [{"sound": "nothing", "frame": 1}]}, "there is no sound 'nothing'"),
            ({"placements": [{"sound": "hit", "frame": 400}]}, "lies on frame 400"),
            ({"placements": [{"sound": "hit"}]}, "give either a frame or a time code"),
            ({"start": "01:01:00;00"}, "left out in drop-frame"),
        ):
            (self.folder / "wrong.json").write_text(json.dumps(wanted | changed))
            _, said = self.run_("scene", "wrong.json", "--home", "home", "--out", "other", "--json", status=2)
            self.assertIn(words, said)
        self.assertFalse((self.folder / "other").exists())

    def test_another_format_of_a_sound_is_already_there(self) -> None:
        (self.folder / "in").mkdir()
        tone = sine(440, 2.0, -12) + noise(2.0, -45)
        files.write(self.folder / "in" / "tone.wav", tone, RATE, 24)
        files.write(self.folder / "in" / "tone copy.ogg", tone, RATE)
        first, _ = self.run_("import", "in/tone.wav", "--home", "home", "--json")
        second, _ = self.run_("import", "in", "--home", "home", "--json")
        self.assertEqual((first["imported"], second["imported"], second["already_there"], second["skipped"]), (1, 0, 2, []))
        found, _ = self.run_("sounds", "--home", "home", "--json")
        self.assertEqual((found["total"], len(found["sounds"][0]["paths"])), (1, 2))

    def test_measure(self) -> None:
        files.write(self.folder / "tone.wav", sine(440, 1, -6), RATE, 24)
        (row,), _ = self.run_("measure", "tone.wav", "--json")
        self.assertEqual(list(row)[:6], ["path", "duration_s", "frames", "sample_rate", "channels", "bit_depth"])
        self.assertEqual((row["frames"], row["sample_rate"], row["channels"], row["bit_depth"]), (RATE, RATE, 1, 24))
        self.assertAlmostEqual(row["sample_peak_dbfs"], -6, delta=0.01)
        self.assertLess(abs(cents(row["pitch_hz"], 440)), 1)
        wanted = {
            "true_peak_dbtp",
            "rms_dbfs",
            "integrated_lufs",
            "loudness_padded",
            "max_momentary_lufs",
            "max_short_term_lufs",
            "loudness_range_lu",
            "noise_floor_dbfs",
            "bandwidth_hz",
            "brightness_hz",
            "flatness",
            "pitch_confidence",
            "anchor_s",
            "anchor_kind",
            "clipped_samples",
            "dc_offset",
        }
        self.assertLessEqual(wanted, set(row))

    def test_one_bad_file_fails_alone(self) -> None:
        answer, said = self.run_("measure", "take.wav", "text.wav", "gone.wav", "--json", status=1)
        self.assertEqual([one["path"] for one in answer["measured"]], ["take.wav"])
        self.assertEqual([one["path"] for one in answer["failed"]], ["text.wav", "gone.wav"])
        self.assertIn("text.wav", said)

    def test_pitch(self) -> None:
        files.write(self.folder / "tone.wav", sine(1000, 1, -6), RATE, 16)
        answer, _ = self.run_("pitch", "tone.wav", "down.wav", "--semitones", "-18", "--json")
        self.assertAlmostEqual(answer["duration_s"], 2.828, places=3)
        self.assertLess(abs(cents(pitch_of(files.read(self.folder / "down.wav")[0]), 1000 * 2**-1.5)), 0.5)
        self.run_("pitch", "tone.wav", "kept.flac", "--semitones", "5", "--keep-length", "--stretch", "1.5", "--json")
        self.assertEqual(files.probe(self.folder / "kept.flac").frames, round(1.5 * RATE))

    def test_clean_splits_into_kept_and_removed(self) -> None:
        answer, _ = self.run_("clean", "take.wav", "out.wav", "--noise", "0.1-0.9", "--reduction", "9", "--residual", "rest.wav", "--json")
        self.assertEqual(answer["noise_part_s"], [0.1, 0.9])
        self.assertLess(answer["noise_floor_after_dbfs"], answer["noise_floor_before_dbfs"] - 7)
        kept, removed, whole = (files.read(self.folder / name)[0] for name in ("out.wav", "rest.wav", "take.wav"))
        np.testing.assert_allclose(kept + removed, whole, atol=1e-6)
        answer, _ = self.run_("clean", "take.wav", "auto.wav", "--noise", "auto", "--json")
        self.assertLess(answer["noise_part_s"][1], 6)

    def test_a_chain_of_steps_is_put_on_a_file(self) -> None:
        steps = [
            {"kind": "gain", "params": {"gain_db": -6}},
            {"kind": "gain", "params": {"gain_db": 20}, "on": False},
            {"kind": "gain", "params": {"gain_db": -60}, "start_s": 2.0, "end_s": 3.0, "fade_s": 0},
        ]
        (self.folder / "quieter.json").write_text(json.dumps({"steps": steps}))
        told, _ = self.run_("process", "take.wav", "out.flac", "--chain", "quieter.json", "--json")
        self.assertEqual(told, {"path": "out.flac", "duration_s": 6.0})
        result, rate = files.read(self.folder / "out.flac")
        before, _ = files.read(self.folder / "take.wav")
        self.assertEqual((rate, result.shape), (RATE, before.shape))
        np.testing.assert_allclose(result[: 2 * RATE], before[: 2 * RATE] * 10 ** (-6 / 20), atol=2e-7)
        np.testing.assert_allclose(result[2 * RATE : 3 * RATE], before[2 * RATE : 3 * RATE] * 10 ** (-66 / 20), atol=2e-7)
        self.run_("process", "take.wav", "out.flac", "--chain", "quieter.json", "--json")  # its own file may be written again

    def test_a_chain_takes_another_sound_by_its_file(self) -> None:
        """Convolution with a single sample gives the sound again, at the level of its wet part (the definition of convolution)."""
        (self.folder / "chains").mkdir()
        spike = np.zeros((480, 1), np.float32)
        spike[0] = 0.5
        files.write(self.folder / "chains" / "spike.wav", spike, RATE, 24)
        step = {"kind": "impulse", "params": {"dry_db": -60, "wet_db": -6, "longest_s": 0.02}, "learned_on": {"file": "spike.wav"}}
        (self.folder / "chains" / "room.json").write_text(json.dumps({"steps": [step]}))
        self.run_("process", "take.wav", "room.wav", "--chain", "chains/room.json", "--json")
        result, _ = files.read(self.folder / "room.wav")
        before, _ = files.read(self.folder / "take.wav")
        self.assertAlmostEqual(levels.db(levels.rms(result[: len(before)])) - levels.db(levels.rms(before)), -6, delta=0.1)
        del step["learned_on"]
        (self.folder / "chains" / "room.json").write_text(json.dumps({"steps": [step]}))
        _, said = self.run_("process", "take.wav", "none.wav", "--chain", "chains/room.json", status=2)
        self.assertIn("name its file in learned_on", said)

    def test_slice_writes_finished_files(self) -> None:
        answer, _ = self.run_("slice", "take.wav", "--out", "cut", "--json")
        self.assertEqual([round(one["attack_s"], 2) for one in answer["slices"]], [1.0, 2.5, 4.0])
        self.assertEqual(len(answer["files"]), 3)
        for one, path in zip(answer["slices"], answer["files"], strict=True):
            samples, rate = files.read(self.folder / path)
            self.assertAlmostEqual(levels.db(levels.peak(samples)), -1, delta=0.01)
            self.assertAlmostEqual(len(samples) / rate, one["duration_s"], places=4)
            [mark] = metadata.read(self.folder / path, rate).markers
            self.assertEqual(mark.label, "anchor")
            self.assertAlmostEqual(mark.at_s, one["attack_s"] - one["start_s"], places=4)
        answer, _ = self.run_("slice", "take.wav", "--sensitivity", "55", "--json")
        self.assertEqual(answer, {"slices": [], "files": []})

    def test_slice_of_silence_says_so_and_writes_nothing(self) -> None:
        files.write(self.folder / "silent.wav", np.zeros((RATE, 1), np.float32), RATE, 24)
        answer, said = self.run_("slice", "silent.wav", "--out", "cut", "--json")
        self.assertEqual(answer["slices"], [])
        self.assertIn("no slices", said)
        self.assertFalse((self.folder / "cut").exists())

    def test_import_search_and_ship(self) -> None:
        shutil.copy(self.folder / "take.wav", self.folder / "same take.wav")
        (self.folder / "notes.txt").write_text("hello")
        answer, _ = self.run_("import", ".", "--home", "home", "--library", "Mine", "--json")
        self.assertEqual((answer["imported"], answer["already_there"]), (1, 1))
        self.assertEqual(sorted(Path(one["path"]).name for one in answer["skipped"]), ["notes.txt", "text.wav"])
        again, _ = self.run_("import", "take.wav", "--home", "home", "--library", "Mine", "--json")
        self.assertEqual((again["imported"], again["already_there"]), (0, 1))
        found, _ = self.run_("sounds", "--home", "home", "--library", "Mine", "--query", "take", "--json")
        self.assertEqual(found["total"], 1)
        self.assertEqual(len(found["sounds"][0]["paths"]), 2)
        sheet = {
            "name": "s",
            "items": [
                {"sound": found["sounds"][0]["id"], "name": "hit", "start_s": 0.9, "end_s": 1.7},
                {"file": "take.wav", "chain": [{"kind": "gain", "params": {"gain_db": -6}}]},
            ],
            "targets": [{"format": "flac", "template": "{name}"}, {"name": "o", "format": "ogg", "template": "o/{name}"}],
        }
        (self.folder / "sheet.json").write_text(json.dumps(sheet))
        shipped, _ = self.run_("ship", "sheet.json", "--home", "home", "--out", "out", "--json")
        self.assertEqual(len(shipped["files"]), 4)
        wrong = [(one["path"], name, check) for one in shipped["files"] for name, check in one["checks"].items() if not check["ok"]]
        self.assertEqual(wrong, [])
        self.assertEqual(files.probe(self.folder / "out" / "hit.flac").frames, round(0.8 * RATE))
        unchanged, _ = self.run_("ship", "sheet.json", "--home", "home", "--out", "out", "--json")
        self.assertEqual((unchanged["files"], len(unchanged["unchanged"])), ([], 4))

    def test_vary_is_the_same_from_the_same_seed(self) -> None:
        key = files.audio_hash(self.folder / "take.wav")
        node = Source(audio=key, rate=RATE, channels=1, frames=len(self.take))
        mix = Mix(members=tuple(Member(id=name, node=node, start_s=start, end_s=start + 0.5, anchor_s=start) for name, start in (("a", 1.0), ("b", 2.5))))
        bundle.save(self.folder / "design.zip", "Pair", mix, lambda _: self.folder / "take.wav")
        first, _ = self.run_("vary", "design.zip", "--count", "3", "--seed", "5", "--out", "one", "--json")
        second, _ = self.run_("vary", "design.zip", "--count", "3", "--seed", "5", "--out", "two", "--json")
        hashes = [[files.audio_hash(self.folder / draw["path"]) for draw in answer["draws"]] for answer in (first, second)]
        self.assertEqual(hashes[0], hashes[1])
        self.assertEqual(len(set(hashes[0])), 3)
        self.assertEqual([draw["number"] for draw in first["draws"]], [1, 2, 3])
        self.assertEqual(set(first["draws"][0]["values"]), {f"layers/{name}/{control}" for name in "ab" for control in ("pitch_st", "gain_db", "at_s")})
        one, other, apart = first["nearest"]
        self.assertTrue({one, other} <= {1, 2, 3} and apart > 0)
        few, said = self.run_("vary", "design.zip", "--count", "12", "--seed", "5", "--out", "few", "--most-different", "4", "--json")
        self.assertEqual(len(list((self.folder / "few").iterdir())), 4)
        self.assertGreater(few["nearest"][2], apart / 2, said)
        loud = [draw["loudness"] for draw in few["draws"]]
        self.assertEqual(len(loud), 4)

    def test_a_draw_over_full_scale_is_lowered_and_said_not_clipped(self) -> None:
        key = files.audio_hash(self.folder / "take.wav")
        node = Source(audio=key, rate=RATE, channels=1, frames=len(self.take))
        mix = Mix(members=(Member(id="a", node=node, start_s=1.0, end_s=1.5, anchor_s=1.0, gain_db=30.0),))
        bundle.save(self.folder / "loud.zip", "Loud", mix, lambda _: self.folder / "take.wav")
        recipe = {"freedoms": [{"path": "layers/a/pitch_st", "low": -1, "high": 1}], "match": "as drawn", "guards": {"clips": False}}
        (self.folder / "as drawn.json").write_text(json.dumps(recipe))
        answer, said = self.run_("vary", "loud.zip", "--count", "2", "--seed", "5", "--out", "loud", "--recipe", "as drawn.json", "--json")
        for draw in answer["draws"]:
            self.assertRegex(said, rf"{draw['path']}: was \+\d+\.\d dB over full scale, lowered")
            samples = files.read(self.folder / draw["path"])[0]
            self.assertAlmostEqual(levels.db(levels.peak(samples)), 0, delta=0.001)
            self.assertLess(np.mean(np.abs(samples) > 0.9999), 0.001)

    def test_unusable_calls_end_with_2_and_one_sentence_and_write_nothing(self) -> None:
        (self.folder / "bad.json").write_text('{"items": []}')
        (self.folder / "clash.json").write_text('{"items": [{"file": "take.wav"}, {"file": "take.wav"}]}')
        for name, step in (
            ("unknown", {"kind": "gone"}),
            ("far", {"kind": "gain", "params": {"gain_db": 900}}),
            ("elsewhere", {"kind": "impulse", "learned_on": {"file": "gone.wav"}}),
            ("loud", {"kind": "gain", "params": {"gain_db": 24}}),
            ("quiet", {"kind": "gain", "params": {"gain_db": -24}}),
        ):
            (self.folder / f"{name}.json").write_text(json.dumps({"steps": [step]}))
        self.run_("import", "take.wav", "--home", "home", "--json")
        for arguments in (
            ("pitch", "text.wav", "out.wav", "--semitones", "3"),
            ("pitch", "take.wav", "take.wav", "--semitones", "3"),
            ("pitch", "take.wav", "out.xyz", "--semitones", "3"),
            ("clean", "take.wav", "out.wav", "--noise", "abc"),
            ("clean", "take.wav", "out.wav", "--noise", "5-99"),
            ("process", "take.wav", "out.wav", "--chain", "bad.json"),
            ("process", "take.wav", "out.wav", "--chain", "text.wav"),
            ("process", "take.wav", "out.wav", "--chain", "unknown.json"),
            ("process", "take.wav", "out.wav", "--chain", "far.json"),
            ("process", "take.wav", "out.wav", "--chain", "elsewhere.json"),
            ("process", "take.wav", "out.wav", "--chain", "loud.json"),
            ("process", "take.wav", "take.wav", "--chain", "quiet.json"),
            ("process", "gone.wav", "out.wav", "--chain", "quiet.json"),
            ("process", "take.wav", "out.wav"),
            ("slice", "gone.wav"),
            ("import", "gone", "--home", "h2"),
            ("sounds", "--home", "nowhere"),
            ("vary", "text.wav", "--count", "2", "--seed", "1", "--out", "v"),
            ("ship", "bad.json", "--home", "home", "--out", "o"),
            ("ship", "clash.json", "--home", "home", "--out", "o"),
            ("ship", "gone.json", "--home", "home", "--out", "o"),
        ):
            before = sorted(path for path in self.folder.rglob("*") if "home" not in path.parts)
            with self.subTest(arguments=arguments):
                _, said = self.run_(*arguments, status=2)
                self.assertEqual(len(said.strip().splitlines()), 1, said)
                self.assertEqual(sorted(path for path in self.folder.rglob("*") if "home" not in path.parts), before)

    def test_the_schema_is_printed(self) -> None:
        for command, holds in (("ship", "items"), ("scene", "placements"), ("process", "steps")):
            out, _ = self.run_(command, "--schema")
            self.assertIn(holds, json.loads(out)["properties"])

    def test_starting_imports_no_heavy_library(self) -> None:
        """scipy.signal takes a second: neither the command line nor the server imports it at start."""
        heavy = ("scipy.signal", "librosa", "soxr", "scipy.ndimage")
        code = f"import sys, oskren.cli.commands, oskren.api.app; sys.exit(any(name in sys.modules for name in {heavy}))"
        self.assertEqual(subprocess.run([sys.executable, "-c", code]).returncode, 0)

    def test_what_loads_late_is_whole_when_it_is_used(self) -> None:
        """The distributions of scipy.stats are not loaded with the filters, and all of them is there for whoever asks, by whatever name."""
        for code in (
            "import scipy.signal, sys; assert 'scipy.stats._continuous_distns' not in sys.modules",
            "import scipy.signal; assert len(scipy.signal.find_peaks_cwt([0, 1, 4, 1, 0] * 9, [1, 2])) > 1",
            "from scipy.stats import norm; assert norm.cdf(0) == 0.5",
            "import scipy.signal, scipy.stats; assert scipy.stats.scoreatpercentile([1, 2, 3], 50) == 2",
            "import scipy.stats.mstats as m, scipy.stats; assert scipy.stats.mstats is m and scipy.stats.norm.cdf(0) == 0.5",
        ):
            with self.subTest(code=code):
                done = subprocess.run([sys.executable, "-c", f"import oskren; {code}"], capture_output=True, text=True)
                self.assertEqual(done.returncode, 0, done.stderr)
