"""Import and what follows it: formats as one row, metadata used, watched folders, a kill in the middle, files out, backups."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np
import soundfile as sf
import wavinfo
from sqlalchemy import func, select, text

from oskren.core.audio import files, metadata
from oskren.core.audio.metadata import Marker, Metadata
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.nodes import Step
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.heard import Heard
from oskren.core.ship.draft import OnSheet
from oskren.core.ship.target import Target
from oskren.store import Home
from oskren.store.describe import describing, tree, undoing
from oskren.store.describe.describing import Change
from oskren.store.library import node_of
from oskren.store.search.asking import Asked
from oskren.store.tables import Arrival, Edit
from oskren.work.engine.progress import Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather import backup, importing, watching
from oskren.work.gather.importing import import_paths
from oskren.work.ship import shipments
from oskren.work.ship.export import export
from oskren.work.ship.items import items_of
from oskren.work.stack.sources import candidates
from tests.support import PATIENCE_S, RATE, noise, sine, struck
from tests.test_work import ended


class InStudio(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name).resolve()
        self.studio = Studio(Home(self.folder / "home"))
        self.addCleanup(self.studio.close)
        self.library = self.studio.home.library("Gathering", create=True)

    def write(self, name: str, samples: np.ndarray, said: Metadata | None = None, bits: int = 24) -> Path:
        path = self.folder / name
        files.write(path, samples, RATE, bits, said=said)
        return path

    def number(self, name: str) -> int:
        """Files are done side by side, so which number a sound got is not settled."""
        return next(number for number in self.library.search(Asked()).ids if self.library.sound(number).name == name)

    def names(self, **asked: object) -> list[str]:
        return [self.library.sound(number).name for number in self.library.search(Asked(**asked)).ids]  # type: ignore[arg-type]


class Importing(InStudio):
    def test_the_same_recording_in_several_formats_is_one_row_of_the_best(self) -> None:
        t = np.arange(2 * RATE) / RATE
        samples = (0.2 * np.sin(2 * np.pi * 523 * t) * np.exp(-t * 2))[:, None].astype(np.float32) + noise(2.0, -42)
        sf.write(self.folder / "a ring.mp3", samples, RATE)
        first = import_paths(self.studio, self.library, [self.folder / "a ring.mp3"], "lossy first")
        self.assertEqual((first.imported, self.library.sound(1).format), (1, "MP3"))
        describing.edit(self.library, [1], Change(rating=5, anchor_s=0.5))
        self.write("b/a ring.wav", samples)
        sf.write(self.folder / "b" / "a ring.flac", samples, RATE, subtype="PCM_16")
        self.write("b/another.wav", samples[::-1])
        second = import_paths(self.studio, self.library, [self.folder / "b"], "then the rest")
        self.assertEqual((second.imported, second.formats, second.skipped), (1, 2, []))
        sound = self.library.sound(1)
        self.assertEqual((sound.format, sound.bits, sound.rating, sound.measures["anchor_s"]), ("WAV", 24, 5, 0.5))
        self.assertEqual(sorted(format_ for _, format_, _ in self.library.paths(1)), ["FLAC 16 bit 48 kHz", "MP3 48 kHz", "WAV 24 bit 48 kHz"])
        again = import_paths(self.studio, self.library, [self.folder / "b", self.folder / "a ring.mp3"], "again")
        self.assertEqual((again.imported, again.formats, again.already_there), (0, 0, 4))

    def test_what_a_file_says_is_used(self) -> None:
        said = Metadata(
            description="Kiln hinge, dry and slow",
            keywords=("squeal", "rusty"),
            category="Metal/Hinge",
            rights="ours",
            date="2026-05-03T10:00:00",
            markers=(Marker(at_s=0.3, label="anchor"), Marker(at_s=0.6, label="second")),
        )
        self.write("take 014.wav", struck(1.0), said)
        import_paths(self.studio, self.library, [self.folder / "take 014.wav"], "said")
        sound = self.library.sound(1)
        self.assertEqual(sound.category.split("/")[0], "Metal")
        self.assertEqual((sound.rights, sound.recorded[:10], sound.measures["anchor_s"]), ("ours", "2026-05-03", 0.3))
        for words in ("kiln", "rusty", "second", "squeal"):
            self.assertEqual(self.names(words=words), ["take 014"])

    def test_ambisonics_are_known_by_word_or_channel_names(self) -> None:
        self.write("field/dome ambix.wav", noise(0.5, -30, channels=4))
        self.write("plain/four.wav", noise(0.5, -30, channels=4, seed=2), Metadata(title="x", channel_names=("W", "Y", "Z", "X")))
        self.write("plain/quad.wav", noise(0.5, -30, channels=4, seed=3))
        import_paths(self.studio, self.library, [self.folder / "field", self.folder / "plain"], "many")
        layouts = {self.library.sound(n).name: self.library.sound(n).layout for n in (1, 2, 3)}
        self.assertEqual(layouts, {"dome ambix": "ambix", "four": "ambix", "quad": ""})
        self.assertEqual(self.library.search(Asked()).facets["layout"], {"ambix": 2, "quad": 1})
        describing.edit(self.library, [self.number("four")], Change(layout="quad"))
        self.assertEqual(self.library.search(Asked()).facets["layout"], {"ambix": 1, "quad": 2})
        # an edit that an earlier version kept called a node's digest its key
        was = node_hash(node_of(self.library.sound(self.number("four"))))
        with self.library.writing() as session:
            edit = session.scalars(select(Edit)).one()
            edit.before, edit.after = (json.loads(json.dumps(kept).replace('"digest"', '"key"')) for kept in (edit.before, edit.after))
        undoing.take_back(self.library)
        back = self.library.sound(self.number("four"))
        self.assertEqual((back.layout, back.digest), ("ambix", node_hash(node_of(back))))
        self.assertNotEqual(back.digest, was)

    def test_slower_measures_follow_and_go_on(self) -> None:
        for k in range(5):
            self.write(f"in/tone {k}.wav", sine(220 * (k + 1), 1.0, -12))
        import_paths(self.studio, self.library, [self.folder / "in"], "tones")
        self.assertIsNone(self.library.sound(1).measures["pitch_hz"])
        self.assertEqual(importing.follow_up(self.studio, self.library), 5)
        self.assertEqual(self.names(words="tone", sort="pitch"), [f"tone {k}" for k in range(5)])
        self.assertAlmostEqual(self.library.sound(self.number("tone 0")).measures["pitch_hz"], 220, delta=1)
        self.assertEqual(importing.follow_up(self.studio, self.library), 0)
        self.assertIsNotNone(self.library.sound(1).measures["key"])

    def test_cancel_keeps_what_is_in(self) -> None:
        for k in range(30):
            self.write(f"in/hit {k:02d}.wav", struck(0.3, seed=k))

        def told(done: int, total: int) -> None:
            if done == 8:
                raise Cancelled("enough")

        with self.assertRaises(Cancelled):
            import_paths(self.studio, self.library, [self.folder / "in"], "part", progress=Progress(told))
        some = self.library.search(Asked()).total
        self.assertTrue(5 <= some < 30, some)
        rest = import_paths(self.studio, self.library, [self.folder / "in"], "rest")
        self.assertEqual((rest.imported + some, self.library.search(Asked()).total), (30, 30))

    def test_a_kill_in_the_middle_loses_and_doubles_nothing(self) -> None:
        for k in range(60):
            self.write(f"in/hit {k:02d}.wav", struck(0.4, seed=k))
        command = [sys.executable, "-m", "oskren.cli", "import", str(self.folder / "in"), "--home", str(self.folder / "killed"), "--json"]
        database = self.folder / "killed" / "libraries" / "library" / "library.db"
        running = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
        deadline = time.monotonic() + PATIENCE_S

        def held() -> int:
            if not database.exists():
                return 0
            with Home(self.folder / "killed").library().reading() as session:
                return session.scalar(text("SELECT count(*) FROM sounds")) or 0

        while held() < 5 and time.monotonic() < deadline and running.poll() is None:
            time.sleep(0.05)
        os.killpg(running.pid, signal.SIGKILL)
        running.wait()
        before = held()
        self.assertGreaterEqual(before, 5)
        answer = json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
        self.assertEqual(answer["imported"] + before, 60)
        home = Home(self.folder / "killed")
        self.addCleanup(home.close)
        library = home.library()
        self.assertEqual(library.search(Asked()).total, 60)
        media = [path for path in (library.folder / "media").rglob("*") if path.is_file() and not path.name.startswith(".oskren-")]
        self.assertEqual(len(media), 60)
        with library.reading() as session:
            words = session.scalar(text("SELECT count(*) FROM sound_words"))
        self.assertEqual(words, 60)

    def test_a_hundred_damaged_files_are_each_listed_once(self) -> None:
        whole = self.write("in/whole.wav", struck(0.2)).read_bytes()
        for k in range(1, 60):
            (self.folder / "in" / f"cut {k:02d}.wav").write_bytes(whole[: k * 17])
        (self.folder / "in" / "page.wav").write_text("<html>")
        (self.folder / "in" / "nan.wav").write_bytes(b"")
        sf.write(self.folder / "in" / "wide.wav", np.zeros((10, 24), np.float32), RATE)
        (self.folder / "in" / "link.wav").symlink_to(self.folder / "nowhere.wav")
        result = import_paths(self.studio, self.library, [self.folder / "in"], "trouble")
        self.assertEqual(result.imported + result.already_there, 1)
        self.assertEqual(len({one["path"] for one in result.skipped}), 63)
        self.assertTrue(all(one["reason"] for one in result.skipped))


class Watching(InStudio):
    def setUp(self) -> None:
        super().setUp()
        for k in range(3):
            self.write(f"disk/a/hit {k}.wav", struck(0.3, seed=k))
        self.disk = self.folder / "disk"
        watching.watch(self.library, self.disk)

    def rescan(self) -> watching.Scan:
        return watching.rescan(self.studio, self.library, str(self.disk))

    def test_new_missing_moved_and_back(self) -> None:
        self.assertEqual(self.rescan().new, 3)
        one, two = self.number("hit 1"), self.number("hit 2")
        describing.edit(self.library, [one], Change(rating=4))
        (self.disk / "b").mkdir()
        (self.disk / "a" / "hit 1.wav").rename(self.disk / "b" / "renamed hit.wav")
        gone = self.folder / "kept away.wav"
        (self.disk / "a" / "hit 2.wav").rename(gone)
        self.write("disk/a/hit 3.wav", struck(0.3, seed=33))
        scan = self.rescan()
        self.assertEqual((scan.new, scan.moved, scan.missing, scan.unchanged), (1, 1, 1, 1))
        moved = self.library.sound(one)
        self.assertEqual((moved.name, moved.rating, moved.folder), ("hit 1", 4, str(self.disk / "b")))
        self.assertEqual(self.library.media(moved.audio), self.disk / "b" / "renamed hit.wav")
        self.assertTrue(self.library.sound(two).missing)
        self.assertEqual(self.library.search(Asked()).total, 4)
        gone.rename(self.disk / "a" / "hit 2.wav")
        scan = self.rescan()
        self.assertEqual((scan.back, scan.new, self.library.sound(two).missing), (1, 0, False))
        self.assertEqual(self.rescan().unchanged, 4)

    def test_a_file_changed_where_it_lies_is_another_sound(self) -> None:
        self.rescan()
        before = self.number("hit 0")
        audio = self.library.sound(before).audio
        self.write("disk/a/hit 0.wav", struck(0.5, seed=99))
        self.assertEqual(self.rescan().new, 1)
        self.assertTrue(self.library.sound(before).missing)
        with self.assertRaisesRegex(OskrenError, "import its file again"):
            self.library.media(audio)
        self.assertEqual(self.library.search(Asked()).total, 4)
        # it is found again as soon as a copy of it turns up
        self.write("disk/b/hit 0 saved.wav", struck(0.3, seed=0))
        self.rescan()
        self.assertEqual(self.library.media(audio), self.disk / "b" / "hit 0 saved.wav")
        self.assertFalse(self.library.sound(before).missing)

    def test_folders_left_out_are_not_looked_at(self) -> None:
        self.write("disk/takes/raw/rough.wav", struck(0.3, seed=50))
        watching.leave_out(self.library, str(self.disk), [str(self.disk / "takes")])
        self.assertEqual(self.rescan().new, 3)
        watching.leave_out(self.library, str(self.disk), [])
        self.assertEqual(self.rescan().new, 1)
        with self.assertRaisesRegex(OskrenError, "does not lie inside"):
            watching.leave_out(self.library, str(self.disk), ["/elsewhere"])

    def test_what_is_hidden_is_listed_once_and_brings_no_arrival_of_its_own(self) -> None:
        (self.disk / ".cache").mkdir()
        (self.disk / ".secret.wav").write_bytes(b"RIFF")
        (self.disk / "._a.wav").write_bytes(b"x")
        (self.disk / "notes.txt").write_text("x")
        for new in (3, 0, 0):
            scan = self.rescan()
            self.assertEqual(scan.new, new)
            reasons = {Path(one["path"]).name: one["reason"] for one in scan.skipped}
            self.assertEqual((len(scan.skipped), sorted(reasons)), (4, ["._a.wav", ".cache", ".secret.wav", "notes.txt"]))
            self.assertIn("hidden folder", reasons[".cache"])
            self.assertIn("begins with a dot", reasons[".secret.wav"])
            with self.library.reading() as session:
                self.assertEqual(session.scalar(select(func.count(Arrival.id))), 1)

    def test_a_disk_that_is_away_changes_nothing(self) -> None:
        self.rescan()
        self.disk.rename(self.folder / "unplugged")
        with self.assertRaisesRegex(OskrenError, "Nothing was changed"):
            self.rescan()
        self.assertFalse(any(self.library.sound(n).missing for n in (1, 2, 3)))

    def test_what_cannot_be_watched_is_said(self) -> None:
        for path, words in (
            (self.disk, "watched already"),
            (self.disk / "a", "as a part of"),
            (self.folder, "holds"),
            (Path("nowhere"), "no folder of this machine"),
        ):
            with self.subTest(path=path), self.assertRaisesRegex(OskrenError, words):
                watching.watch(self.library, path)
        watching.unwatch(self.library, str(self.disk))
        with self.assertRaisesRegex(OskrenError, "not watched"):
            self.rescan()


class Out(InStudio):
    def setUp(self) -> None:
        super().setUp()
        said = Metadata(description="bolt on stone", rights="ours", markers=(Marker(at_s=0.5, label="ring"),))
        self.samples = sine(440, 2.0, -6, channels=2)
        self.write("in/bolt.wav", self.samples, said)
        self.write("in/storm.wav", noise(0.5, -20, channels=6))
        for name in ("bolt", "storm"):
            import_paths(self.studio, self.library, [self.folder / "in" / f"{name}.wav"], name)
        describing.edit(self.library, [1], Change(category="Mechanism/Lock", tags="hard", anchor_s=0.75))

    def export(self, numbers: list[int], target: Target, part: tuple[float, float] | None = None, chain: tuple[Step, ...] = ()):  # type: ignore[no-untyped-def]
        items = items_of(self.studio, self.library, numbers, Heard(part=part, chain=chain))
        return export(self.studio, self.library, items, target, self.folder / "out")

    def test_a_sound_comes_out_with_its_words_and_marks(self) -> None:
        done = self.export([1], Target())
        self.assertEqual((len(done.files), done.failed), (1, []))
        np.testing.assert_allclose(files.read(done.files[0])[0], self.samples, atol=2**-23)
        info = wavinfo.WavInfoReader(done.files[0])
        self.assertEqual((info.info.title, info.info.genre, info.bext.description), ("bolt", "Mechanism/Lock", "bolt on stone"))
        self.assertEqual(
            [(cue.position, label.text) for cue, label in zip(info.cues.cues, info.cues.labels, strict=True)], [(24_000, "ring"), (36_000, "anchor")]
        )

    def test_a_part_through_a_chain_has_its_own_marks(self) -> None:
        done = self.export([1], Target(format="flac", channels="mono"), (0.6, 1.1), (Step(kind="gain", params={"gain_db": -6.0}),))
        back, rate = files.read(done.files[0])
        self.assertEqual((back.shape, rate), ((24_000, 1), RATE))
        self.assertAlmostEqual(float(np.abs(back).max()), 10 ** (-12 / 20), delta=0.01)
        with self.assertRaisesRegex(OskrenError, "belongs to one sound"):
            self.export([1, 2], Target(), (0.1, 0.2))

    def test_channels_are_converted_on_the_way_out(self) -> None:
        for channels, count in (("stereo", 2), ("quad", 4), ("7.1", 8), ("ambix", 4), ("keep", 6)):
            with self.subTest(channels=channels):
                done = self.export([2], Target(channels=channels))  # type: ignore[arg-type]
                self.assertEqual(files.probe(Path(done.files[0])).channels, count)
        self.assertEqual(len(list((self.folder / "out").iterdir())), 5)

    def test_what_ships_says_what_it_is(self) -> None:
        sheet = shipments.sheet_of(self.studio, self.library, "words", OnSheet(sounds=[1]), [Target(), Target(name="flac", format="flac", template="f/{name}")])
        number = shipments.begin(self.library, sheet, self.folder / "shipped")
        self.assertEqual(shipments.run(self.studio, self.library, number).failed, 0)
        wav = metadata.read(self.folder / "shipped" / "bolt.wav", RATE)
        flac = metadata.read(self.folder / "shipped" / "f" / "bolt.flac", RATE)
        self.assertEqual([mark.label for mark in wav.markers], ["ring", "anchor"])
        for said in (wav, flac):
            self.assertEqual((said.title, said.category, said.keywords, said.rights), ("bolt", "Mechanism/Lock", ("hard",), "ours"))
        # renamed words are other files: only then is it rendered again
        again = shipments.begin(self.library, sheet, self.folder / "shipped")
        self.assertEqual(shipments.run(self.studio, self.library, again).unchanged, 2)
        describing.edit(self.library, [1], Change(rights="theirs"))
        changed = shipments.sheet_of(self.studio, self.library, "words", OnSheet(sounds=[1]), list(sheet.targets))
        third = shipments.begin(self.library, changed, self.folder / "shipped")
        self.assertEqual(shipments.run(self.studio, self.library, third).unchanged, 0)
        self.assertEqual(metadata.read(self.folder / "shipped" / "bolt.wav", RATE).rights, "theirs")

    def test_an_exported_sound_comes_back_as_it_left(self) -> None:
        """Out with its words, into another library: category, tags, rights, anchor and markers are there again."""
        self.export([1], Target())
        other = self.studio.home.library("Other", create=True)
        import_paths(self.studio, other, [self.folder / "out"], "back")
        sound = other.sound(1)
        self.assertEqual((sound.name, sound.rights, sound.measures["anchor_s"]), ("bolt", "ours", 0.75))
        self.assertEqual(sound.category.split("/")[0], "Mechanism")
        self.assertEqual(sound.audio, self.library.sound(1).audio)
        self.assertEqual([mark["label"] for mark in sound.said["markers"]], ["ring", "anchor"])

    def test_a_mended_sound_carries_its_marks_through_the_trim(self) -> None:
        self.library.change(1, {"chain": [Step(kind="trim", id="t", params={"start_s": 0.4, "end_s": 1.4}).model_dump()]})
        done = self.export([1], Target())
        marks = metadata.read(Path(done.files[0]), RATE).markers
        self.assertEqual([(round(mark.at_s, 4), mark.label) for mark in marks], [(0.1, "ring"), (0.35, "anchor")])

    def test_nothing_is_written_over(self) -> None:
        first, second = self.export([1], Target()), self.export([1], Target())
        self.assertEqual([Path(path).name for path in (*first.files, *second.files)], ["bolt.wav", "bolt (2).wav"])


class FirstQuestions(InStudio):
    def test_all_that_is_found_is_all_of_it_before_anything_else_was_asked(self) -> None:
        for number in range(5):
            self.write(f"in/glass {number}.wav", struck(0.2, seed=number))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        # a library that was opened this moment: its table is read by the first question
        fresh = Home(self.folder / "home")
        self.addCleanup(fresh.close)
        self.assertEqual(len(candidates(fresh.library("Gathering"), "glass")), 5)


class Backups(InStudio):
    def test_a_library_is_kept_in_one_file_and_opened_elsewhere(self) -> None:
        self.write("in/glass ring.wav", struck(0.5))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        describing.edit(self.library, [1], Change(category="Glass/Ring", rating=3))
        tree.add(self.library, "Our own/Thing", "OT1")
        self.assertEqual(backup.referred(self.library), 0)
        path = backup.write(self.library, self.folder / "backups")
        other = Home(self.folder / "other home")
        self.addCleanup(other.close)
        opened = backup.restore(other, path)
        self.assertEqual((opened.name, opened.sound(1).rating, opened.search(Asked(words="ring")).total), ("Gathering", 3, 1))
        self.assertIn("Our own/Thing", [one.path for one in tree.categories(opened)])
        self.assertTrue(opened.media(opened.sound(1).audio).is_relative_to(opened.folder))
        with self.assertRaisesRegex(OskrenError, "called Gathering already"):
            backup.restore(other, path)
        self.assertEqual(backup.restore(other, path, "Second").name, "Second")

    def test_what_is_only_referred_to_is_counted(self) -> None:
        self.write("in/ring.wav", struck(0.5))
        self.write("beside/creak.wav", struck(0.5, seed=9))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        import_paths(self.studio, self.library, [self.folder / "beside"], "beside", refer=True)
        self.assertEqual(backup.referred(self.library), 1)
        started = self.studio.jobs.start(backup.BACK_UP, self.library, "backup", backup.BackingUp(folder=str(self.folder / "backups")))
        self.assertEqual(ended(self.studio.jobs, started.id).result["referred"], 1)

    def test_what_is_no_backup_is_refused(self) -> None:
        import zipfile

        for name, entries in (("empty.zip", {}), ("outside.zip", {"library.db": b"x", "../evil": b"x"}), ("damaged.zip", {"library.db": b"not a database"})):
            path = self.folder / name
            with zipfile.ZipFile(path, "w") as out:
                for entry, content in entries.items():
                    out.writestr(entry, content)
            with self.subTest(name=name), self.assertRaisesRegex(OskrenError, name):
                backup.restore(self.studio.home, path, "Restored")
        (self.folder / "text.zip").write_text("hello")
        with self.assertRaisesRegex(OskrenError, "cannot be opened"):
            backup.restore(self.studio.home, self.folder / "text.zip")
        self.assertEqual(self.studio.home.names(), ["gathering"])
        self.assertEqual([path.name for path in self.studio.home.folder.iterdir() if path.name.startswith(".restoring")], [])
