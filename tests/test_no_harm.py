"""Nothing people own is harmed or lost: originals, foreign files, backups, kills, and one bad thing that must not stop the rest."""

import json
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import threading
import time
import unittest
import unittest.mock
import zipfile
from collections.abc import Collection, Sequence
from pathlib import Path

import numpy as np
import soundfile as sf

from oskren.api.serving import held
from oskren.core.audio import files, metadata
from oskren.core.audio.replacing import TEMPORARY, sweep
from oskren.core.errors import OskrenError
from oskren.core.measure import levels
from oskren.core.measure.sameness import same_recording
from oskren.core.nodes import Member, Mix, Step
from oskren.core.nodes.members import member_node
from oskren.core.nodes.model import Chained
from oskren.core.ship import manifest
from oskren.core.ship.draft import OnSheet
from oskren.core.ship.items import Item
from oskren.core.ship.planning import Planned
from oskren.core.ship.sheet import Sheet
from oskren.core.ship.target import Target
from oskren.core.words import conditions
from oskren.store import Home
from oskren.store.describe import describing
from oskren.store.describe.describing import Change
from oskren.store.documents import designs
from oskren.store.home import slug
from oskren.store.library import node_of
from oskren.store.search.asking import Asked
from oskren.store.tables import Draw
from oskren.work import recovery
from oskren.work.engine import guard
from oskren.work.engine.workers import TooLong
from oskren.work.gather import backup, excerpts, offloading, watching
from oskren.work.gather.excerpts import Part
from oskren.work.gather.importing import import_paths, propose_anchors
from oskren.work.gather.uploads import Sending, Uploads
from oskren.work.ship import sheets as shipping
from oskren.work.ship import shipments
from oskren.work.ship.export import export
from oskren.work.ship.items import items_of
from oskren.work.ship.sheets import planned_files, ship, titled_items
from oskren.work.stack import designs as designing
from oskren.work.vary import spreads
from tests.support import PATIENCE_S, RATE, noise, sine, struck
from tests.test_gathering import InStudio
from tests.test_work import ended


class NoHarm(InStudio):
    """A library that refers to two originals where they lie."""

    def setUp(self) -> None:
        super().setUp()
        for k, name in enumerate(("bolt", "latch")):
            self.write(f"in/{name}.wav", 0.8 * struck(0.6, 0.1, seed=k + 1))
        import_paths(self.studio, self.library, [self.folder / "in"], "in", refer=True)
        self.before = {path: path.read_bytes() for path in (self.folder / "in").iterdir()}

    def untouched(self) -> None:
        self.assertEqual({path: path.read_bytes() for path in (self.folder / "in").iterdir()}, self.before)

    def planned(self, out: Path, allowed: Collection[str] = ()) -> list[Planned]:
        sheet = self.sheet()
        return planned_files(self.studio, sheet.name, titled_items(self.studio, self.library, sheet.items), sheet.targets, out, allowed)[0]

    def sheet(self, template: str = "{name}") -> Sheet:
        numbers = [self.number("bolt"), self.number("latch")]
        return shipments.sheet_of(self.studio, self.library, "s", OnSheet(sounds=numbers), [Target(bits=16, channels="mono", template=template)])


class Originals(NoHarm):
    def test_shipping_never_writes_over_an_original(self) -> None:
        planned = self.planned(self.folder / "in", ["bolt.wav", "latch.wav"])
        self.assertEqual([(one.problem.count("is an original"), one.foreign) for one in planned], [(1, False)] * 2)
        with self.assertRaisesRegex(OskrenError, "an original that the library gathering refers to"):
            ship(self.studio, self.library, self.sheet(), self.folder / "in", allowed=["bolt.wav", "latch.wav"])
        self.untouched()
        self.assertEqual(len(list((self.folder / "in").iterdir())), 2)

    def test_a_foreign_file_is_a_problem_until_that_very_one_is_allowed(self) -> None:
        out = self.folder / "out"
        out.mkdir()
        (out / "bolt.wav").write_bytes(b"somebody's")
        first = self.planned(out)
        self.assertEqual([(bool(one.problem), one.foreign) for one in first], [(True, True), (False, False)])
        self.assertIn("Oskren did not write it there", first[0].problem)
        for allowed in ((), ["latch.wav"]):
            with self.assertRaisesRegex(OskrenError, "did not write it there"):
                ship(self.studio, self.library, self.sheet(), out, allowed=allowed)
        self.assertEqual((out / "bolt.wav").read_bytes(), b"somebody's")
        self.assertEqual(len(ship(self.studio, self.library, self.sheet(), out, allowed=["bolt.wav"]).reports), 2)
        # what Oskren wrote itself may be written again
        again = self.planned(out)
        self.assertEqual([one.problem for one in again], ["", ""])

    def test_a_foreign_manifest_is_not_written_over(self) -> None:
        (self.folder / "out").mkdir()
        (self.folder / "out" / manifest.TABLE).write_text("mine")
        with self.assertRaisesRegex(OskrenError, "has the name of Oskren's manifest"):
            ship(self.studio, self.library, self.sheet(), self.folder / "out")
        self.assertEqual((self.folder / "out" / manifest.TABLE).read_text(), "mine")

    def test_exports_and_backups_take_another_name(self) -> None:
        number = self.number("bolt")
        done = export(self.studio, self.library, items_of(self.studio, self.library, [number]), Target(bits=16), self.folder / "in")
        self.assertEqual([Path(path).name for path in done.files], ["bolt (2).wav"])
        Path(done.files[0]).unlink()
        self.untouched()
        one, two = (backup.write(self.library, self.folder / "kept") for _ in range(2))
        self.assertNotEqual(one, two)

    def command(self, *arguments: object, status: int) -> str:
        done = subprocess.run([sys.executable, "-m", "oskren.cli", *map(str, arguments)], capture_output=True, text=True, cwd=self.folder)
        self.assertEqual(done.returncode, status, done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        return done.stderr

    def test_no_command_writes_over_an_original_or_a_foreign_file(self) -> None:
        guard.remember_home(self.studio.home.folder)
        self.write("take.wav", noise(3.0, -60) + np.pad(struck(0.5, seed=4), ((RATE, 3 * RATE - RATE - RATE // 2), (0, 0))))
        original = self.folder / "in" / "bolt.wav"
        for call in (
            ("pitch", "take.wav", original, "--semitones", "-3", "--overwrite", original),
            ("clean", "take.wav", original, "--noise", "auto", "--overwrite", original),
            ("clean", "take.wav", "out.wav", "--noise", "auto", "--residual", original),
        ):
            with self.subTest(call=call):
                self.assertIn("is an original", self.command(*call, status=2))
        held_copy = self.library.folder / "media" / "kept.wav"
        held_copy.parent.mkdir(exist_ok=True)
        shutil.copy(original, held_copy)
        self.assertIn("belongs to the library", self.command("pitch", "take.wav", held_copy, "--semitones", "2", "--overwrite", held_copy, status=2))
        (self.folder / "cut").mkdir()
        (self.folder / "cut" / "take_001.wav").write_bytes(b"somebody's")
        self.assertIn("--overwrite", self.command("slice", "take.wav", "--out", "cut", status=2))
        self.assertEqual((self.folder / "cut" / "take_001.wav").read_bytes(), b"somebody's")
        self.command("slice", "take.wav", "--out", "cut", "--overwrite", "cut/take_001.wav", status=0)
        # what a command wrote itself it may write again, until somebody else changes it
        self.command("slice", "take.wav", "--out", "cut", status=0)
        self.command("pitch", "take.wav", "down.wav", "--semitones", "-3", status=0)
        self.command("pitch", "take.wav", "down.wav", "--semitones", "-4", status=0)
        shutil.copy(original, self.folder / "down.wav")
        self.assertIn("is not as this command wrote it", self.command("pitch", "take.wav", "down.wav", "--semitones", "-3", status=2))
        self.untouched()

    def test_the_command_ships_what_the_app_ships_bit_for_bit(self) -> None:
        said = metadata.Metadata(description="bolt on stone", rights="ours", date="2026-11-02", markers=(metadata.Marker(at_s=0.1, label="ring"),))
        self.write("more/heavy.wav", 0.5 * struck(0.5, seed=9), said)
        import_paths(self.studio, self.library, [self.folder / "more"], "more")
        number = self.number("heavy")
        describing.edit(self.library, [number], Change(category="Metal/Bolt", tags="hard cold", anchor_s=0.02, rights="ours alone"))
        target = Target(name="wav 24", template="{category}/{name}")
        app = shipments.sheet_of(self.studio, self.library, "s", OnSheet(sounds=[number]), [target])
        shipments.run(self.studio, self.library, shipments.begin(self.library, app, self.folder / "by app"))
        (self.folder / "sheet.json").write_text(json.dumps({"name": "s", "items": [{"sound": number}], "targets": [target.model_dump()]}))
        self.command("ship", "sheet.json", "--home", self.studio.home.folder, "--out", "by command", status=0)
        one, other = (next((self.folder / name).rglob("heavy.wav")) for name in ("by app", "by command"))
        self.assertEqual(one.read_bytes(), other.read_bytes())
        told = metadata.read(other, RATE)
        self.assertEqual((told.rights, told.date[:10], [mark.label for mark in told.markers]), ("ours alone", "2026-11-02", ["anchor", "ring"]))


class Restoring(NoHarm):
    def opened(self, path: Path) -> Home:
        other = Home(self.folder / "other home")
        self.addCleanup(other.close)
        self.restored = backup.restore(other, path)
        return other

    def tampered(self, **change: str) -> Path:
        """A backup whose entries or database were changed by hand."""
        path = backup.write(self.library, self.folder / "kept")
        made = self.folder / "tampered.oskren-library.zip"
        with zipfile.ZipFile(path) as old, zipfile.ZipFile(made, "w") as new:
            for entry in old.infolist():
                data = old.read(entry)
                if entry.filename == "library.db" and "sql" in change:
                    (self.folder / "t.db").write_bytes(data)
                    with sqlite3.connect(self.folder / "t.db") as database:
                        database.executescript(change["sql"])
                    database.close()
                    data = (self.folder / "t.db").read_bytes()
                new.writestr(entry.filename, data)
            if "add" in change:
                new.writestr(change["add"], change.get("data", "x"))
        return made

    def test_a_backup_cannot_point_at_a_file_of_this_machine(self) -> None:
        sf.write(self.folder / "private.wav", np.zeros((RATE, 1)) + 0.25, RATE)
        for way in (str(self.folder / "private.wav"), "../../../../private.wav"):
            path = self.tampered(sql=f"UPDATE media SET path = '{way}', referred = 0")
            home = self.opened(path)
            with self.subTest(way=way):
                self.assertRaises(OskrenError, self.restored.media, self.restored.sound(1).audio)
                self.assertTrue(self.restored.sound(1).missing)
            home.close()
            shutil.rmtree(self.folder / "other home")

    def test_files_of_an_honest_backup_are_found_again_by_their_content(self) -> None:
        self.opened(backup.write(self.library, self.folder / "kept"))
        (self.folder / "in" / "latch.wav").write_bytes(self.before[self.folder / "in" / "bolt.wav"])
        self.assertEqual(backup.relink(self.studio, self.restored), 1)
        back = next(one for one in (1, 2) if not self.restored.sound(one).missing)
        self.assertEqual((self.restored.sound(back).name, self.restored.media(self.restored.sound(back).audio).name), ("bolt", "bolt.wav"))

    def test_only_what_a_library_is_made_of_is_taken_out(self) -> None:
        for name in ("photos/x.html", "photos/x.svg", f"photos/{'0' * 32}.png", "media/run.sh", "../x", "/x", f"media/00/{'0' * 40}.html", "peaks/a.npz"):
            with self.subTest(name=name), self.assertRaises(OskrenError):
                self.opened(self.tampered(add=name, data="<script>1</script>"))
            self.assertEqual(list((self.folder / "other home" / "libraries").iterdir()), [])
            shutil.rmtree(self.folder / "other home")

    def test_a_backup_that_does_not_fit_or_swells_is_refused(self) -> None:
        swollen = self.tampered(add=f"photos/{'0' * 32}.png")
        with zipfile.ZipFile(swollen, "a", zipfile.ZIP_DEFLATED) as more:
            more.writestr(f"media/00/{'0' * 40}.wav", b"\0" * (64 << 20))
        with self.assertRaisesRegex(OskrenError, "times when it is unpacked"):
            self.opened(swollen)
        full = unittest.mock.patch("shutil.disk_usage", lambda _: shutil._ntuple_diskusage(10**9, 10**9, 1000))
        with full, self.assertRaisesRegex(OskrenError, "free some space first"):
            self.opened(backup.write(self.library, self.folder / "kept"))


class Killed(InStudio):
    def test_half_written_files_are_swept_and_living_processes_left(self) -> None:
        dead = subprocess.Popen([sys.executable, "-c", "pass"])
        dead.wait()
        out = self.folder / "out"
        out.mkdir()
        for process in (dead.pid, os.getpid()):
            (out / f"{TEMPORARY}{process}-x.wav").write_bytes(b"half")
        (out / ".oskren-another-1-x.wav").write_bytes(b"of another machine")
        noted = self.studio.home.folder / "run" / "writing-1.json"
        noted.write_text(json.dumps({"folder": str(out), "process": dead.pid}))
        recovery.take_up(self.studio)
        self.assertEqual(sorted(path.name for path in out.iterdir()), sorted([".oskren-another-1-x.wav", f"{TEMPORARY}{os.getpid()}-x.wav"]))
        self.assertFalse(noted.exists())

    def test_what_an_ended_process_left_is_swept_before_its_parent_asks_after_it(self) -> None:
        """A killed server's workers stand in the table of processes until somebody reads how they ended."""
        out = self.folder / "out"
        out.mkdir()
        with subprocess.Popen([sys.executable, "-c", "pass"], stdout=subprocess.PIPE) as ended:
            assert ended.stdout is not None
            ended.stdout.read()
            half = out / f"{TEMPORARY}{ended.pid}-x.wav"
            half.write_bytes(b"half")
            deadline = time.monotonic() + PATIENCE_S
            while not sweep(out) and time.monotonic() < deadline:
                time.sleep(0.01)
            self.assertFalse(half.exists())
            self.assertTrue(Path(f"/proc/{ended.pid}").exists(), "it was still in the table")

    def test_what_a_killed_process_leaves_while_the_next_ships_is_swept(self) -> None:
        """A process that is killed while the disk takes its file ends only when the disk has it."""
        self.write("in/hit.wav", struck(0.4))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        out = self.folder / "out"
        out.mkdir()
        dying = subprocess.Popen(["sleep", "600"])
        self.addCleanup(dying.kill)
        half = out / f"{TEMPORARY}{dying.pid}-x.wav"
        half.write_bytes(b"half")

        begin = shipping.Journal.begin

        def die(journal: shipping.Journal, paths: Sequence[str]) -> None:
            self.assertTrue(half.exists(), "a living process may be writing it")
            dying.kill()
            dying.wait()
            begin(journal, paths)

        sheet = Sheet(items=(Item(node=node_of(self.library.sound(1)), name="Hit"),), targets=(Target(),))
        with unittest.mock.patch.object(shipping.Journal, "begin", die):
            self.assertEqual(len(ship(self.studio, self.library, sheet, out).reports), 1)
        self.assertFalse(half.exists())

    def test_a_killed_shipment_goes_on_where_it_was(self) -> None:
        """A command is killed in the middle, at six seeded moments: nothing half-written, and nothing finished is rendered again."""
        self.write("in/long.wav", noise(40.0, -20))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        items = [{"sound": "long", "name": f"cut {k:03d}", "start_s": 0.2 * k, "end_s": 0.2 * k + 0.15} for k in range(180)]
        (self.folder / "sheet.json").write_text(json.dumps({"items": items}))
        self.studio.close()
        out = self.folder / "out"
        home = self.studio.home.folder
        command = [sys.executable, "-m", "oskren.cli", "ship", "sheet.json", "--home", str(home), "--out", "out", "--json"]
        random = np.random.default_rng(13)
        for kill in range(6):
            running = subprocess.Popen(command, cwd=self.folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
            before = len(list(out.glob("cut*.wav"))) if out.exists() else 0
            wanted, deadline = before + int(random.integers(2, 24)), time.monotonic() + PATIENCE_S
            while running.poll() is None and time.monotonic() < deadline and (not out.exists() or len(list(out.glob("cut*.wav"))) < wanted):
                time.sleep(0.01)
            os.killpg(running.pid, signal.SIGKILL)
            running.wait()
            with self.subTest(kill=kill):
                for path in out.glob("cut*.wav"):
                    self.assertEqual(files.probe(path).frames, round(0.15 * RATE))
        finished = {path.name: path.stat().st_mtime_ns for path in out.glob("cut*.wav")}
        self.assertTrue(0 < len(finished) < 180, len(finished))
        done = json.loads(subprocess.run(command, cwd=self.folder, capture_output=True, text=True, check=True).stdout)
        self.assertEqual((len(done["files"]) + len(done["unchanged"]), len(list(out.glob("cut*.wav")))), (180, 180))
        self.assertEqual([path.name for path in out.iterdir() if path.name.startswith(".")], [])
        again = [name for name, at in finished.items() if (out / name).stat().st_mtime_ns != at]
        self.assertLessEqual(len(again), 4, "only what was not read back yet is written again: two workers, a file each, twice")
        self.assertEqual(len(manifest.load(out).files), 180)

    def test_spreads_go_on_and_uploads_are_taken_in_after_a_kill(self) -> None:
        self.write("in/hit.wav", struck(0.4))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        layer = designing.layer_of_sound(self.library, 1)
        from oskren.core.vary.recipe import default_recipe

        mix = Mix(members=(layer,))
        design = designs.add(self.library, "Hit", mix)
        spread = spreads.make(self.library, "Hit", design.id, mix, default_recipe(mix), 7, 6)
        uploads = Uploads(self.studio.home.folder / "run")
        upload = uploads.begin(Sending(library=self.library.folder.name, name="2 dropped files", files=2))
        (uploads.path_for(upload, "Kelp/kelp squelch.wav").parent).mkdir(parents=True)
        shutil.copy(self.write("drop.wav", noise(0.4, -30, seed=5)), uploads.path_for(upload, "Kelp/kelp squelch.wav"))
        # another server takes up what this one left
        for job in recovery.go_on_drawing(self.studio, self.library):
            self.assertEqual(ended(self.studio.jobs, job).state, "done")
        for job in Uploads(self.studio.home.folder / "run").recover(self.studio, older_s=0.0):
            self.assertEqual(ended(self.studio.jobs, job).state, "done")
        with self.library.reading() as session:
            draws = [draw for draw in session.query(Draw) if draw.spread_id == spread]
        self.assertEqual([bool(draw.facts) for draw in draws], [True] * 6)
        sound = self.library.sound(self.number("kelp squelch"))
        self.assertEqual((sound.category, sound.folder), ("Plant", "sent/Kelp"))
        self.assertEqual(list((self.studio.home.folder / "run").glob("upload-*")), [])

    def test_offloading_again_after_a_kill_makes_no_second_copy_twice(self) -> None:
        card, second = self.folder / "card", self.folder / "second"
        files.write(card / "T01.wav", struck(0.5), RATE, 24)
        offloading.offload(self.studio, self.library, card, template="{name}", second=second)
        # as if the server had been killed before the take was known
        other = self.studio.home.library("Other", create=True)
        done = offloading.offload(self.studio, other, card, template="{name}", second=second)
        self.assertEqual((done.second_copies, [path.name for path in second.iterdir()]), (1, ["T01.wav"]))


class OneBadThing(InStudio):
    def test_two_short_takes_in_two_formats_end_no_import(self) -> None:
        """25 ms of one sound as WAV and FLAC: the search for their shift must fit the transform it is made with."""
        short = struck(0.025, 0.01)
        self.write("in/a.wav", short)
        files.write(self.folder / "in" / "b.flac", short + noise(0.025, -70, seed=3), RATE, 24)
        self.write("in/c.wav", struck(0.5, seed=7))
        for length in (0.012, 0.02, 0.025, 0.04, 0.079, 0.081, 0.3):
            one = self.write("x/one.wav", struck(length, 0.01))
            files.write(self.folder / "x" / "two.flac", struck(length, 0.01), RATE, 16)
            with self.subTest(length=length):
                self.assertIn(same_recording(one, self.folder / "x" / "two.flac", lossy=False), (True, False))
        done = import_paths(self.studio, self.library, [self.folder / "in"], "in")
        self.assertEqual((done.imported + done.formats, done.skipped), (3, []))

    def test_a_fault_with_one_file_is_that_files_alone(self) -> None:
        for k in range(3):
            self.write(f"in/{k}.wav", struck(0.3, seed=k))
        real = type(self.library).add_original

        def fails(library, found, *rest, **more):  # type: ignore[no-untyped-def]
            if found.path.endswith("1.wav"):
                raise OSError(28, "No space left on device")
            return real(library, found, *rest, **more)

        with unittest.mock.patch.object(type(self.library), "add_original", fails):
            done = import_paths(self.studio, self.library, [self.folder / "in"], "in")
        self.assertEqual((done.imported, [Path(one["path"]).name for one in done.skipped]), (2, ["1.wav"]))
        self.assertIn("No space left", done.skipped[0]["reason"])

    def vanished(self) -> tuple[int, int]:
        for k, name in enumerate(("here", "gone")):
            self.write(f"in/{name}.wav", 0.5 * struck(0.5, seed=k + 1))
        import_paths(self.studio, self.library, [self.folder / "in"], "in", refer=True)
        numbers = self.number("here"), self.number("gone")
        (self.folder / "in" / "gone.wav").unlink()
        return numbers

    def test_a_vanished_original_fails_alone(self) -> None:
        here, gone = self.vanished()
        items = items_of(self.studio, self.library, [here, gone])
        done = export(self.studio, self.library, items, Target(), self.folder / "out")
        self.assertEqual(([Path(path).name for path in done.files], [one["path"] for one in done.failed]), (["here.wav"], ["gone.wav"]))
        self.assertIn(str(self.folder / "in" / "gone.wav"), done.failed[0]["reason"])
        shipped = ship(self.studio, self.library, Sheet(items=tuple(items)), self.folder / "shipped")
        self.assertEqual((len(shipped.reports), [one["path"] for one in shipped.failed]), (1, ["gone.wav"]))
        moved, left = propose_anchors(self.studio, self.library, [here, gone], "start")
        self.assertEqual((list(moved), [one["path"] for one in left]), ([here], ["gone"]))

    def test_a_layer_whose_file_vanished_is_passed_over_and_said(self) -> None:
        here, gone = self.vanished()
        layers = [designing.layer_of_sound(self.library, number) for number in (here, gone)]
        for muted in (False, True):
            mix = Mix(members=(layers[0], layers[1].model_copy(update={"mute": muted})))
            inner = Mix(members=(Member(id="in", name="inner", node=mix), layers[0].model_copy(update={"id": "more", "at_s": 1.0})))
            for design in (mix, inner):
                _, names = self.studio.present(self.library, design)
                with self.subTest(muted=muted, nested=design is inner):
                    self.assertEqual(names, [] if muted else ["gone"])
                    key, shape = self.studio.open(self.library, design)
                    heard = np.frombuffer(self.studio.block(key, 0, shape.frames), np.float32)
                    self.assertGreater(float(np.abs(heard).max()), 0.1)
                    done = ship(self.studio, self.library, Sheet(items=(Item(node=design, name=f"d{muted}{design is inner}"),)), self.folder / "out")
                    self.assertEqual(done.failed, [])
                    said = [check.note for check in done.reports[0].checks if check.name == "layers"]
                    self.assertEqual(said, [] if muted else ["gone left out: the file is missing"])
        with self.assertRaisesRegex(OskrenError, "gone.wav: the file of this sound is missing"):
            self.studio.open(self.library, node_of(self.library.sound(gone)))

    def test_work_for_listening_is_bounded_and_its_worker_replaced(self) -> None:
        self.write("in/hit.wav", struck(0.5))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        node = node_of(self.library.sound(1))
        self.studio.workers.patience_s = 1.0
        began = time.monotonic()
        nested: Mix = Mix(members=(Member(id="a", node=node, stretch=10.0),))
        for _ in range(3):
            nested = Mix(members=(Member(id="a", node=nested, stretch=10.0),))
        with self.assertRaises(TooLong):
            self.studio.open(self.library, nested)
        self.assertLess(time.monotonic() - began, 15)
        self.studio.workers.patience_s = 40.0
        key, shape = self.studio.open(self.library, Chained(node=node, chain=(Step(kind="gain", params={"gain_db": -3.0}),)))
        self.assertEqual(len(self.studio.block(key, 0, shape.frames)), shape.frames * 4)
        with self.assertRaises(ValueError):
            Mix(members=tuple(Member(id=str(k), node=node) for k in range(20_000)))
        far = Mix(members=(Member(id="a", node=node), Member(id="b", node=node, at_s=80_000.0)))
        with self.assertRaisesRegex(OskrenError, "h long, more than"):
            self.studio.renderer(self.library).output_shape(far)

    def test_measure_goes_on_past_a_file_of_huge_samples(self) -> None:
        huge = (struck(0.5) * np.float32(3e38)).astype(np.float32)
        sf.write(self.folder / "huge.wav", huge, RATE, subtype="FLOAT")
        self.write("good.wav", sine(440, 1.0, -6))
        call = [sys.executable, "-m", "oskren.cli", "measure", "huge.wav", "good.wav", "--json"]
        done = subprocess.run(call, capture_output=True, text=True, cwd=self.folder)
        self.assertNotIn("Traceback", done.stderr)
        told = json.loads(done.stdout)
        self.assertIn(done.returncode, (0, 1))
        measured = told if isinstance(told, list) else told["measured"]
        self.assertIn("good.wav", [row["path"] for row in measured])
        for row in measured:
            self.assertFalse(any(isinstance(value, float) and not np.isfinite(value) for value in row.values()), row)

    def test_libraries_of_any_script_lie_apart_and_a_home_is_held_by_one(self) -> None:
        names = ["日本語", "пример", "Salt & Glass", "salt glass", "!!!"]
        self.assertEqual([slug(name) for name in names], ["日本語", "пример", "salt-glass", "salt-glass", "library"])
        made = []
        for name in names:
            library = self.studio.home.library(self.studio.home.free_folder(name), create=True)
            (library.folder / "title").write_text(name)
            made.append(library.folder)
        self.assertEqual(len(set(made)), 5)
        for name, folder in zip(names, made, strict=True):
            self.assertEqual(self.studio.home.library(name).folder, folder)
        with held(self.studio.home.folder) as lock:
            lock.truncate(0)
            lock.write("the Oskren at http://127.0.0.1:1/ (process 5)")
            lock.flush()
            with self.assertRaisesRegex(OskrenError, "in use by the Oskren at http://127.0.0.1:1/"), held(self.studio.home.folder):
                pass


class Searching(InStudio):
    def test_choices_compare_as_people_write_them(self) -> None:
        self.write("in/laugh.wav", struck(0.3, seed=1))
        files.write(self.folder / "in" / "ring.ogg", struck(0.3, seed=2), RATE)
        import_paths(self.studio, self.library, [self.folder / "in"], "Übersee am Strand")
        describing.edit(self.library, [self.number("laugh")], Change(category="Voice/Laugh", tags="Öl nass", notes="Übersee, Öl an den Händen"))
        for query, names in (
            ("where category is voice", ["laugh"]),
            ("where category is VOICE/laugh", ["laugh"]),
            ("where format is ogg", ["ring"]),
            ("where format is OGG", ["ring"]),
            ("where notes has öl", ["laugh"]),
            ("where notes has ÜBERSEE", ["laugh"]),
            ("where tag is öl", ["laugh"]),
            ("where arrival is übersee am strand", ["laugh", "ring"]),
            ("Where Category Is Voice And Used No", ["laugh"]),
            ("where kind is Original and mended is No", ["laugh", "ring"]),
        ):
            with self.subTest(query=query):
                search = conditions.parse(query)
                self.assertEqual(self.names(words=search.words, conditions=search.conditions), names)

    def test_a_search_takes_so_many_words_and_says_so(self) -> None:
        for query in (" ".join("abcdefgh"[k % 8] for k in range(2000)), " ".join(f"w{k}" for k in range(15_000))):
            began = time.monotonic()
            with self.assertRaisesRegex(OskrenError, "up to 40 words"):
                conditions.parse(query)
            self.library.search(Asked(words=query))
            self.assertLess(time.monotonic() - began, 1.0)
        with self.assertRaisesRegex(OskrenError, "up to 24 conditions"):
            conditions.parse("where " + " and ".join("length over 1 s" for _ in range(30)))

    def test_a_rescan_counts_a_file_that_was_written_over_and_lists_what_it_skips(self) -> None:
        disk = self.folder / "disk"
        files.write(disk / "one.wav", struck(0.4, seed=1), RATE, 24)
        watching.watch(self.library, disk)
        watching.rescan(self.studio, self.library, str(disk))
        files.write(disk / "one.wav", struck(0.6, seed=2), RATE, 24)
        (disk / "notes.txt").write_text("no sound")
        (disk / "dead link.wav").symlink_to(disk / "nowhere.wav")
        scan = watching.rescan(self.studio, self.library, str(disk))
        self.assertEqual((scan.new, scan.missing, scan.unchanged), (1, 1, 0))
        self.assertEqual(sorted({Path(one["path"]).name for one in scan.skipped}), ["dead link.wav", "notes.txt"])
        self.assertTrue(self.library.sound(1).missing)


class Acting(InStudio):
    def test_parts_cut_at_the_same_moment_have_names_of_their_own(self) -> None:
        self.write("in/long.wav", noise(4.0, -20))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        threads = [threading.Thread(target=excerpts.cut, args=(self.studio, self.library, 1, [Part(start_s=0.3 * k, end_s=0.3 * k + 0.2)])) for k in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        names = [cut.name for cut in excerpts.cuts(self.library, 1)]
        self.assertEqual((len(names), len(set(names))), (8, 8), names)

    def test_an_ogg_over_full_scale_leaves_in_float_or_lowered(self) -> None:
        loud = np.clip(noise(1.0, -3, seed=8), -1.0, 1.0)
        files.write(self.folder / "in" / "hot.ogg", loud, RATE)
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        self.assertGreater(levels.peak(files.read(self.folder / "in" / "hot.ogg")[0]), 1.0)
        items = items_of(self.studio, self.library, [1])
        plain = export(self.studio, self.library, items, Target(), self.folder / "out")
        self.assertEqual((plain.files, plain.over), ([], [1]))
        self.assertRegex(plain.failed[0]["reason"], r"goes \d+\.\d dB over full scale; level it down, limit it, or write 32 bit float WAV")
        for target, name in ((Target(bits=32), "hot.wav"), (Target(over="lower"), "hot (2).wav"), (Target(over="limit", format="flac"), "hot.flac")):
            done = export(self.studio, self.library, items, target, self.folder / "out")
            with self.subTest(target=name):
                self.assertEqual(([Path(path).name for path in done.files], done.failed), ([name], []))
                self.assertEqual(len(done.said), 1)


class AsHeard(InStudio):
    """What is heard is what leaves and what is placed, compared sample by sample with what listening gives."""

    def test_a_layer_and_a_file_are_what_was_heard(self) -> None:
        from oskren.core.audio.stretching import repitch
        from oskren.core.nodes.heard import Heard
        from oskren.core.steps.edges import FadeParams, fade_gain

        self.write("in/one.wav", 0.4 * noise(1.5, -12, seed=4))
        self.write("in/two.wav", 0.4 * noise(1.5, -12, channels=2, seed=5))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        chain = (Step(kind="low_pass", params={"cutoff_hz": 2500.0}), Step(kind="delay", params={}))
        lengthening = (Step(kind="pitch", params={"semitones": -5.0}),)
        for name, lanes in (("one", 1), ("two", 2)):
            for steps, part in ((chain, None), (chain, (0.25, 0.9)), (lengthening, (0.5, 1.6))):
                fade = FadeParams(in_s=0.1, out_s=0.2, out_shape="sine")
                heard = Heard(chain=steps, part=part, fade=fade, speed_st=-5.0, gain_db=-3.0)
                number = self.number(name)
                node = node_of(self.library.sound(number))
                key, shape = self.studio.open(self.library, Chained(node=node, chain=steps))
                listened = np.frombuffer(self.studio.block(key, 0, shape.frames), np.float32).reshape(-1, lanes)
                if part is not None:
                    listened = listened[round(part[0] * RATE) : round(part[1] * RATE)]
                from_start = (np.arange(len(listened)) + 0.5) / RATE
                ends = fade_gain(from_start / fade.in_s, fade.in_shape) * fade_gain(from_start[::-1] / fade.out_s, fade.out_shape)
                listened = listened * ends[:, None].astype(np.float32)
                wanted = repitch(listened, -5.0, RATE) * 10 ** (-3 / 20)
                with self.subTest(name=name, part=part, steps=steps[0].kind):
                    [item] = items_of(self.studio, self.library, [number], heard)
                    done = export(self.studio, self.library, [item], Target(bits=32), self.folder / f"out {name} {part} {steps[0].kind}")
                    np.testing.assert_allclose(files.read(done.files[0])[0], wanted, atol=2e-6)
                    layer = designing.layer_as_heard(self.studio, self.library, number, heard)
                    mix = Mix(members=(layer,))
                    key, shape = self.studio.open(self.library, mix)
                    placed = np.frombuffer(self.studio.block(key, 0, shape.frames), np.float32).reshape(-1, 2)
                    # one channel is heard at its level on both sides
                    sides = np.repeat(wanted, 2, axis=1) if lanes == 1 else wanted
                    self.assertLessEqual(abs(len(placed) - len(sides)), 2)
                    count = min(len(placed), len(sides))
                    edge = 64 if part else 0  # the edges of a part lie on whole frames of the sound or of what came out of the chain
                    apart = placed[edge : count - edge] - sides[edge : count - edge]
                    self.assertLess(float(np.sqrt(np.mean(apart**2)) / np.sqrt(np.mean(sides**2))), 0.02)
                    self.assertEqual(member_node(layer).chain[: len(steps)], steps)


if __name__ == "__main__":
    unittest.main()
