"""Shipped files are read back, failures are found, and what has not changed is not rendered again."""

import csv
import hashlib
import json

import numpy as np
import soundfile as sf
import wavinfo
from pydantic import ValidationError

from oskren.core.audio import files
from oskren.core.audio.formats import FORMATS
from oskren.core.audio.formats.ogg import OGG
from oskren.core.audio.resample import convert_rate
from oskren.core.errors import OskrenError
from oskren.core.measure import levels, true_peak
from oskren.core.nodes import Chained, Step
from oskren.core.ship import manifest
from oskren.core.ship.items import Item, Titled
from oskren.core.ship.planning import Planned, noted, planned
from oskren.core.ship.sheet import Sheet, file_key
from oskren.core.ship.target import Target
from oskren.core.ship.verify import Telling, verify, with_twins
from oskren.core.ship.write import OverFullScale, refuse_outside, render_file, write_sound
from tests.support import RATE, InFolder, noise, sine


class Files(InFolder):
    def setUp(self) -> None:
        super().setUp()
        samples = noise(0.8, -20, channels=2)
        ramp = np.minimum(1, np.minimum(np.arange(len(samples)), np.arange(len(samples))[::-1]) / 480)[:, None]
        self.samples = (samples * ramp).astype(np.float32)
        self.item = Item(node=self.source(self.samples), name="Kelp", category="Plant", sound="1", tags=("wet",))

    def ship(self, target: Target, item: Item | None = None, name: str = "out"):  # type: ignore[no-untyped-def]
        path = self.folder / f"{name}.{target.format}"
        return path, render_file(self.renderer, item or self.item, target, path, path.name)

    def test_every_target_is_what_it_says(self) -> None:
        targets = [
            *(Target(format=form.key, bits=bits) for form in FORMATS.values() for bits in form.bits or [24]),
            Target(rate=44_100),
            Target(channels="mono"),
            Target(channels="stereo"),
            Target(peak_dbfs=-3.0),
            Target(fade_in_ms=50, fade_out_ms=100, rate=96_000, channels="mono", peak_dbfs=-1.0, format="flac", bits=16),
        ]
        for target in targets:
            path, report = self.ship(target)
            info = files.probe(path)
            back, _ = files.read(path)
            with self.subTest(target=target):
                self.assertTrue(report.ok, report.checks)
                self.assertEqual(info.rate, target.rate or RATE)
                self.assertEqual(info.channels, 1 if target.channels == "mono" else 2)
                self.assertEqual(len(back), round(len(self.samples) * (target.rate or RATE) / RATE))
                if target.peak_dbfs is not None:
                    self.assertAlmostEqual(levels.db(levels.peak(back)), target.peak_dbfs, delta=0.05)
                if FORMATS[target.format].lossless:
                    self.assertEqual(info.bits, target.bits)

    def test_native_24_bit_is_the_original_to_the_bit(self) -> None:
        path, _ = self.ship(Target())
        np.testing.assert_allclose(files.read(path)[0], self.samples, atol=2**-23)

    def test_16_bit_dithers_and_is_the_same_every_time(self) -> None:
        one, _ = self.ship(Target(bits=16), name="one")
        two, _ = self.ship(Target(bits=16), name="two")
        plain, _ = self.ship(Target(bits=16, dither=False), name="plain")
        self.assertEqual(one.read_bytes(), two.read_bytes())
        self.assertNotEqual(files.audio_hash(one), files.audio_hash(plain))

    def test_over_full_scale_is_not_written_until_it_is_said_how(self) -> None:
        loud = self.item.model_copy(update={"node": Chained(node=self.item.node, chain=(Step(kind="gain", params={"gain_db": 30.0}),))})
        for target in (Target(), Target(format="ogg"), Target(format="flac")):
            with self.subTest(format=target.format), self.assertRaisesRegex(OverFullScale, r"goes \d+\.\d dB over full scale; level it down, limit it"):
                self.ship(target, loud)
            self.assertFalse((self.folder / f"out.{target.format}").exists())
        _, report = self.ship(Target(bits=32), loud)
        self.assertTrue(report.ok)
        shape = files.read(self.folder / "out.wav")[0]
        path, report = self.ship(Target(over="lower"), loud, "lower")
        self.assertTrue(report.ok, report.checks)
        self.assertIn("dB over full scale, lowered", next(check.note for check in report.checks if check.name == "level"))
        np.testing.assert_allclose(files.read(path)[0], shape / np.abs(shape).max(), atol=2e-6)
        path, report = self.ship(Target(over="limit"), loud, "limit")
        self.assertTrue(report.ok, report.checks)
        self.assertLessEqual(levels.db(true_peak.true_peak(files.read(path)[0], RATE)), 0.05)
        self.assertNotEqual(file_key(loud, Target(over="limit")), file_key(loud, Target()))

    def test_silence_fails_and_a_click_at_the_edge_warns(self) -> None:
        silent = Item(node=self.source(np.zeros((4800, 1), np.float32), name="s.wav"), name="silent")
        _, report = self.ship(Target(), silent)
        self.assertEqual([check.name for check in report.checks if not check.ok], ["silence"])
        cut = Item(node=self.source(sine(100, 0.2, -6, phase_deg=90), name="c.wav"), name="cut")
        _, report = self.ship(Target(), cut)
        self.assertTrue(report.ok)
        self.assertEqual([check.name for check in report.checks if not check.ok], ["edges"])

    def test_what_a_format_leaves_out_is_converted_before(self) -> None:
        """Ogg Vorbis leaves out what lies above about 20 kHz at any rate: white noise at 96 and 192 kHz came back 4 and 7 dB lower."""
        for rate in (96_000, 192_000):
            hiss = noise(1.0, -20, rate=rate)
            item = Item(node=self.source(hiss, rate, name=f"{rate}.wav"), name="hiss")
            path, report = self.ship(Target(format="ogg"), item, f"hiss {rate}")
            with self.subTest(rate=rate):
                self.assertTrue(report.ok, report.checks)
                self.assertEqual((report.sample_rate, files.probe(path).rate), (48_000, 48_000))
                lower = levels.db(levels.rms(convert_rate(hiss, rate, 48_000))) - levels.db(levels.rms(files.read(path)[0]))
                self.assertLess(abs(lower), OGG.rms_db)
                other = self.folder / f"direct {rate}.ogg"
                self.assertEqual(write_sound(other, hiss, rate, 24), "")
                self.assertEqual(files.probe(other).rate, 48_000)

    def test_a_wave_file_states_what_was_measured_of_it(self) -> None:
        """bext as EBU Tech 3285 v2 lays it out; a sound too short for the standard's loudness states its true peak alone."""
        for seconds in (1.0, 0.2):
            item = Item(node=self.source(noise(seconds, -20), name=f"{seconds}.wav"), name="hiss")
            path, report = self.ship(Target(), item, f"hiss {seconds}")
            told = wavinfo.WavInfoReader(str(path)).bext
            loud = report.integrated_lufs if seconds >= 0.4 else 0x7FFF / 100
            with self.subTest(seconds=seconds):
                self.assertAlmostEqual(told.loudness_value, loud or 0.0, delta=0.011)
                self.assertAlmostEqual(told.max_true_peak, report.true_peak_dbtp or 0.0, delta=0.011)
                self.assertEqual(report.sha256, hashlib.sha256(path.read_bytes()).hexdigest())

    def test_a_file_that_came_out_wrong_is_found(self) -> None:
        """Verification against files damaged on purpose: shorter, other rate, other samples."""
        path = self.folder / "wrong.wav"
        telling = Telling(2, RATE)
        telling.add(self.samples, np.rint(self.samples.astype(np.float64) * 2**23).astype(np.float32) / 2**23)
        for name, samples, rate in (("length", self.samples[:-10], RATE), ("format", self.samples, 44_100), ("sound", self.samples * 0.99, RATE)):
            sf.write(path, samples, rate, subtype="PCM_24")
            report = verify(path, "wrong.wav", "k", telling.meant, self.item, Target())
            with self.subTest(name=name):
                self.assertIn(name, [check.name for check in report.checks if not check.ok])

    def test_nothing_leaves_the_folder(self) -> None:
        with self.assertRaisesRegex(OskrenError, "outside"):
            refuse_outside(self.folder, "../x.wav")


class Sheets(InFolder):
    def items(self, *names: str) -> tuple[Item, ...]:
        node = self.source(noise(0.1))
        return tuple(Item(node=node, name=name, category="Glass/Ring") for name in names)

    def planned(self, sheet: Sheet) -> list[Planned]:
        return planned(sheet.name, [Titled(item.name, item.category, RATE, 1) for item in sheet.items], sheet.targets).files

    def test_every_path_is_known_before_anything_runs(self) -> None:
        sheet = Sheet(
            name="first",
            items=self.items("a", "b"),
            targets=(Target(template="{category}/{name}_{number:2}"), Target(name="web", format="ogg", template="web/{name}")),
        )
        files_ = self.planned(sheet)
        self.assertEqual([one.path for one in files_], ["Glass-Ring/a_01.wav", "Glass-Ring/b_02.wav", "web/a.ogg", "web/b.ogg"])

    def test_collisions_are_named_on_every_file_concerned(self) -> None:
        files_ = self.planned(Sheet(items=self.items("a", "A", "c")))
        self.assertEqual([bool(one.problem) for one in files_], [True, True, False])
        self.assertIn("{number:3}", files_[0].problem)

    def test_a_format_that_knows_some_rates_and_channels_says_so(self) -> None:
        item = Item(node=self.source(noise(0.5, -20, channels=3), rate=44_100, name="wide.wav"), name="wide")
        targets = (Target(format="opus", template="{name}_{rate}"), Target(name="m", format="mp3", template="m/{name}"))
        found = planned("s", [Titled("wide", "", 44_100, 3)], targets).files
        self.assertEqual((found[0].path, found[0].problem), ("wide_48k.opus", ""))
        self.assertIn("MP3 holds 2 channels at most, not 3", found[1].problem)
        self.assertEqual(planned("s", [Titled("wide", "", 44_100, 3)], (targets[1].model_copy(update={"channels": "mono"}),)).files[0].problem, "")
        path = self.folder / "wide.opus"
        report = render_file(self.renderer, item, targets[0], path, "wide.opus")
        self.assertTrue(report.ok, report.checks)
        self.assertEqual((report.sample_rate, report.frames, report.channels), (48_000, 26_122, 3))  # 24,000 frames at 44.1 kHz

    def test_bits_of_its_own_are_those_of_the_recording_as_far_as_the_format_has_them(self) -> None:
        node = self.source(noise(0.1))
        for own, key, bits in ((8, "wav", 16), (16, "wav", 16), (20, "wav", 24), (32, "wav", 32), (None, "wav", 24), (16, "flac", 16), (32, "flac", 24)):
            item, target = Item(node=node, name="a", bits=own), Target(bits=None, format=key, template="{name} {bits}")
            path = self.folder / f"{own}.{key}"
            report = render_file(self.renderer, item, target, path, path.name)
            with self.subTest(own=own, format=key):
                self.assertTrue(report.ok, report.checks)
                self.assertEqual((report.bit_depth, files.probe(path).bits), (bits, bits))
                self.assertEqual(planned("s", [Titled("a", "", RATE, 1, own)], (target,)).files[0].path, f"a {bits}.{key}")
                # the same file as one that was asked for so many bits: it need not be rendered again
                self.assertEqual(file_key(item, target), file_key(item, target.model_copy(update={"bits": bits})))

    def test_targets_that_cannot_be_are_refused(self) -> None:
        for values in ({"format": "flac", "bits": 32}, {"bits": 12}, {"rate": 5}, {"peak_dbfs": 3.0}, {"template": ""}):
            with self.subTest(values=values), self.assertRaises(ValidationError):
                Target(**values)

    def test_folders_follow_what_is_known_of_a_sound(self) -> None:
        items = [
            Titled("Glass Ring", "Glass/Ring", RATE, 1, tags=("kit-2", "alike-7"), seconds=0.7, brightness_hz=5000.0),
            Titled("low hum", "", RATE, 2, seconds=12.0, brightness_hz=90.0),
            Titled("Glass Chip", "Glass/Chip", RATE, 1, seconds=0.2),
        ]
        for template, paths in (
            ("{top}/{length}/{name}", ["Glass/0.5 to 1 s/Glass Ring.wav", "uncategorised/over 10 s/low hum.wav", "Glass/under 0.5 s/Glass Chip.wav"]),
            ("{bright}/{name}", ["bright/Glass Ring.wav", "dark/low hum.wav", "Glass Chip.wav"]),
            ("kit {kit}/{name} {alike}", ["kit 2/Glass Ring 7.wav", "kit/low hum.wav", "kit/Glass Chip.wav"]),
            ("{top}/{place:2}", ["Glass/01.wav", "uncategorised/01.wav", "Glass/02.wav"]),
        ):
            with self.subTest(template=template):
                self.assertEqual([one.path for one in planned("s", items, [Target(template=template)]).files], paths)
        written = planned("s", items, [Target(template="{top}/{name}", spaces="_", case="lower")]).files
        self.assertEqual([one.path for one in written], ["glass/glass_ring.wav", "uncategorised/low_hum.wav", "glass/glass_chip.wav"])

    def test_what_a_buyer_would_miss_is_counted(self) -> None:
        items = [Titled("a", "Glass", 96_000, 1, rights="ours", notes="rim"), Titled("b", "", 44_100, 1)]
        found = {one.what: one.items for one in noted(items, [Target(), Target(rate=48_000)])}
        self.assertEqual(found, {"category": (1,), "rights": (1,), "description": (1,), "rate": (1,)})
        self.assertEqual(noted(items[:1], [Target()]), [])

    def test_files_that_are_the_same_and_long_silences_are_told(self) -> None:
        one, two = self.items("a", "b")
        reports = [render_file(self.renderer, item, Target(), self.folder / f"{k}.wav", f"{k}.wav") for k, item in enumerate((one, two))]
        late = np.concatenate([np.zeros((RATE, 1), np.float32), sine(440, 0.5, -6) * np.hanning(RATE // 2).astype(np.float32)[:, None]])
        same = Item(node=self.source(late), name="late")
        reports += [render_file(self.renderer, same, Target(), self.folder / f"{k}.wav", f"{k}.wav") for k in ("late", "again")]
        told = [[check.name for check in report.checks if not check.ok and check.name in ("twin", "silence at its ends")] for report in with_twins(reports)]
        self.assertEqual(told, [[], [], ["silence at its ends"], ["silence at its ends", "twin"]])
        copies = [reports[0], reports[1], reports[0].model_copy(update={"path": "copy.wav"})]
        found = with_twins(with_twins(copies))
        self.assertEqual([[check.note for check in report.checks if check.name == "twin"] for report in found], [[], [], ["0.wav is the same, byte for byte"]])
        self.assertTrue(all(report.ok for report in found))
        self.assertEqual(with_twins(found[:2]), reports[:2])

    def test_kinds_of_problems_are_told(self) -> None:
        items = [Titled("a", "", RATE, 1), Titled("a", "", RATE, 3)]
        self.assertEqual([one.kind for one in planned("s", items, [Target(template="{name}")]).files], ["alike", "alike"])
        self.assertEqual([one.kind for one in planned("s", items, [Target(format="mp3", template="{name} {channels}")]).files], ["", "channels"])
        self.assertEqual([one.kind for one in planned("s", items, [Target(template="{none}")]).files], ["name", "name"])

    def test_the_key_follows_the_sound_and_the_target_not_the_path(self) -> None:
        one, other = self.items("a", "b")
        self.assertEqual(file_key(one, Target()), file_key(one, Target(template="x/{name}", name="other")))
        self.assertNotEqual(file_key(one, Target()), file_key(one, Target(bits=16)))
        self.assertNotEqual(file_key(one, Target()), file_key(other, Target()))

    def test_the_manifest_lists_what_is_there(self) -> None:
        item, out = self.items("a")[0], self.folder / "out"
        report = render_file(self.renderer, item, Target(), out / "a.wav", "a.wav")
        manifest.save(out, [report])
        loaded = manifest.load(out)
        self.assertEqual(loaded.files, [report])
        self.assertTrue(manifest.as_written(out, report))
        (out / "a.wav").touch()
        self.assertTrue(manifest.as_written(out, report), "another time of day is no other file")
        (out / "a.wav").write_bytes(b"changed by somebody")
        self.assertFalse(manifest.as_written(out, report))
        rows = list(csv.DictReader((out / "oskren-manifest.csv").open()))
        self.assertEqual(
            (rows[0]["path"], rows[0]["checks"], rows[0]["sha256"]),
            ("a.wav", "edges: " + next(c.note for c in report.checks if c.name == "edges"), report.sha256),
        )
        self.assertEqual(json.loads((out / manifest.NAME).read_text())["format"], "oskren-manifest")

    def test_a_damaged_manifest_is_no_obstacle(self) -> None:
        (self.folder / manifest.NAME).write_text("{")
        self.assertEqual(manifest.load(self.folder).files, [])
