"""Jobs, workers, takes, imports and shipments below the API: cancel, recovery after a kill, nothing doubled, nothing half-written."""

import hashlib
import json
import subprocess
import sys
import tempfile
import time
import unittest
import unittest.mock
from collections import Counter
from pathlib import Path

import numpy as np
from sqlalchemy import select

from oskren.core.audio import files
from oskren.core.audio.replacing import running
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.nodes import Chained, Excerpt, Member, Mix, NodeAdapter, Print, Step
from oskren.core.nodes.cache import Cache
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.render import Renderer
from oskren.core.ship import manifest
from oskren.core.ship.items import Item
from oskren.core.ship.sheet import Sheet
from oskren.core.ship.target import Target
from oskren.core.slice.finish import Finish
from oskren.core.vary.guards import Guards, reference
from oskren.core.vary.recipe import Freedom, Recipe, default_recipe, draw
from oskren.store import Home, Library
from oskren.store.library import node_of
from oskren.store.tables import Arrival, Draw, Shipment, Sound
from oskren.work.engine import tasks
from oskren.work.engine.job import JobView
from oskren.work.engine.jobs import Jobs
from oskren.work.engine.place import Workplace
from oskren.work.engine.progress import Progress
from oskren.work.engine.studio import Studio
from oskren.work.engine.workers import Workers
from oskren.work.gather import tasks as examining
from oskren.work.gather.importing import import_paths
from oskren.work.ship import shipments
from oskren.work.ship.sheets import ship
from oskren.work.slice import making
from oskren.work.slice import plans as slices
from oskren.work.vary import drawing, spreads
from oskren.work.vary.rendering import matched_facts
from tests.support import PATIENCE_S, RATE, noise, struck

KNOWN_DRAWS = ["d06c98d23f77", "2642d7c3a203", "431e97f9f856", "b878bbfa0bc0", "bd4a5cee23b6", "5cd7f4f8e705"]


def ended(jobs: Jobs, id: int) -> JobView:
    """A job once it has ended."""
    deadline = time.monotonic() + PATIENCE_S
    while (job := jobs.get(id)).state == "running" and time.monotonic() < deadline:
        time.sleep(0.01)
    if job.state == "running":
        raise AssertionError(f"{job.title} does not end")
    return job


class WorkersEnd(unittest.TestCase):
    def test_workers_end_with_a_server_or_a_command_that_was_killed(self) -> None:
        script = """
import os, sys, time
from oskren.work.engine.workers import Workers
workers = Workers(2, command=sys.argv[1] == "of a command")
workers.begin()
print(workers.submit("asked", os.getpid).result(), workers.submit("batch", os.getpid).result(), flush=True)
time.sleep(600)
"""
        for how in ("of a server", "of a command"):
            with subprocess.Popen([sys.executable, "-c", script, how], stdout=subprocess.PIPE, text=True) as server:
                assert server.stdout is not None
                pids = [int(text) for text in server.stdout.readline().split()]
                server.kill()
            self.assertEqual(len(set(pids)), 2)
            deadline = time.monotonic() + PATIENCE_S
            while any(running(pid) for pid in pids) and time.monotonic() < deadline:
                time.sleep(0.02)
            self.assertEqual([pid for pid in pids if running(pid)], [], how)


class InStudio(unittest.TestCase):
    """One studio with real worker processes for the class, a fresh library for each test."""

    workers: Workers

    @classmethod
    def setUpClass(cls) -> None:
        cls.workers = Workers()
        cls.addClassCleanup(cls.workers.close)

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.studio = Studio(Home(self.folder / "home"), self.workers)
        self.addCleanup(self.studio.home.close)
        self.library = self.studio.home.library("Test", create=True)

    def bring(self, name: str, samples: np.ndarray, rate: int = RATE) -> Sound:
        path = self.folder / "in" / f"{name}.wav"
        files.write(path, samples, rate, 24)
        import_paths(self.studio, self.library, [path], name)
        with self.library.reading() as session:
            return session.scalars(select(Sound).where(Sound.name == name)).one()


class Importing(InStudio):
    def files_in(self, count: int) -> Path:
        folder = self.folder / "many"
        for k in range(count):
            files.write(folder / f"hit {k}.wav", struck(0.2, 0.05, seed=k), RATE, 24)
        return folder

    def test_cancel_keeps_what_is_in_and_a_second_import_completes_it(self) -> None:
        folder = self.files_in(40)

        def told(done: int, total: int) -> None:
            if done >= 6:
                raise Cancelled("enough")

        with self.assertRaises(Cancelled):
            import_paths(self.studio, self.library, [folder], "many", progress=Progress(told))
        with self.library.reading() as session:
            first = len(list(session.scalars(select(Sound))))
        self.assertTrue(0 < first < 40)
        again = import_paths(self.studio, self.library, [folder], "many")
        self.assertEqual((again.imported, again.already_there), (40 - first, first))
        with self.library.reading() as session:
            self.assertEqual(len(list(session.scalars(select(Sound)))), 40)

    def test_an_unchanged_file_is_not_read_again_and_a_changed_one_is(self) -> None:
        folder = self.files_in(2)
        import_paths(self.studio, self.library, [folder], "a")
        with unittest.mock.patch.object(self.studio, "batch", wraps=self.studio.batch) as batch:
            import_paths(self.studio, self.library, [folder], "b")
            self.assertEqual(len(batch.call_args.args[0]), 0)
            files.write(folder / "hit 1.wav", struck(0.3, 0.05, seed=50), RATE, 24)
            self.assertEqual(import_paths(self.studio, self.library, [folder], "c").imported, 1)

    def test_an_import_of_nothing_leaves_no_arrival(self) -> None:
        (self.folder / "empty").mkdir()
        import_paths(self.studio, self.library, [self.folder / "empty"], "nothing")
        with self.library.reading() as session:
            self.assertEqual(list(session.scalars(select(Arrival))), [])

    def test_originals_are_never_changed(self) -> None:
        folder = self.files_in(3)
        before = {path: (path.read_bytes(), path.stat().st_mtime_ns) for path in folder.iterdir()}
        import_paths(self.studio, self.library, [folder], "many")
        with self.library.reading() as session:
            for sound in session.scalars(select(Sound)):
                self.library.change(sound.id, {"chain": [Step(kind="reverse").model_dump()]})
                self.studio.facts(self.library, node_of(self.library.sound(sound.id)))
        self.assertEqual({path: (path.read_bytes(), path.stat().st_mtime_ns) for path in folder.iterdir()}, before)

    def test_every_kind_of_trouble_in_one_folder(self) -> None:
        folder = self.files_in(2)
        (folder / "sub").mkdir()
        (folder / ".hidden.wav").write_bytes(b"x")
        (folder / "sub" / "empty.flac").write_bytes(b"")
        (folder / "sub" / "picture.png").write_bytes(b"\x89PNG....")
        (folder / "sub" / "cut.wav").write_bytes((folder / "hit 0.wav").read_bytes()[:9000])
        samples = noise(0.1)
        samples[5] = np.nan
        import soundfile as sf

        sf.write(folder / "sub" / "nan.wav", samples, RATE, subtype="FLOAT")
        result = import_paths(self.studio, self.library, [folder], "trouble")
        self.assertEqual(result.imported, 2)
        self.assertEqual({Path(one["path"]).name for one in result.skipped}, {"empty.flac", "picture.png", "cut.wav", "nan.wav", ".hidden.wav"})
        self.assertTrue(all(len(one["reason"]) > 10 for one in result.skipped))


class Listening(InStudio):
    def test_blocks_joined_are_the_whole_whatever_their_size(self) -> None:
        sound = self.bring("take", noise(2.0, -20, channels=2))
        chain = (Step(kind="high_pass"), Step(kind="space", params={"decay_s": 0.3}), Step(kind="limiter"))
        node = Chained(node=NodeAdapter.validate_python(sound.node), chain=chain)
        key, shape = self.studio.open(self.library, node)
        for size in (5000, 48_000):
            parts = [np.frombuffer(self.studio.block(key, at, size), np.float32).reshape(-1, 2) for at in range(0, shape.frames, size)]
            joined = np.concatenate(parts)
            self.assertEqual(len(joined), shape.frames)
            if size == 5000:
                first = joined
        np.testing.assert_allclose(joined, first, atol=1e-6)

    def test_blocks_outside_are_empty(self) -> None:
        sound = self.bring("take", noise(0.5))
        key, shape = self.studio.open(self.library, NodeAdapter.validate_python(sound.node))
        self.assertEqual(self.studio.block(key, shape.frames, 100), b"")
        self.assertEqual(len(self.studio.block(key, shape.frames - 10, 100)), 40)

    def test_a_worker_that_died_is_replaced(self) -> None:
        sound = self.bring("take", noise(0.5))
        node = Chained(node=NodeAdapter.validate_python(sound.node), chain=(Step(kind="reverse"),))
        with self.assertRaises(Exception):  # noqa: B017
            self.studio.workers.submit("live", __import__("os")._exit, 1).result()
        key, shape = self.studio.open(self.library, node)
        self.assertEqual(len(self.studio.block(key, 0, shape.frames)), shape.frames * 4)

    def test_what_was_not_opened_is_refused(self) -> None:
        with self.assertRaisesRegex(OskrenError, "no longer open"):
            self.studio.block("nothing", 0, 10)

    def test_a_print_is_its_design_frozen_with_lineage(self) -> None:
        sound = self.bring("hit", struck(0.5))
        mix = Mix(members=(Member(node=NodeAdapter.validate_python(sound.node), pitch_st=-3.0),))
        number = self.studio.print_node(self.library, mix, "Frozen", "Impact")
        printed = NodeAdapter.validate_python(self.library.sound(number).node)
        self.assertIsInstance(printed, Print)
        self.assertEqual(node_hash(printed.of), node_hash(mix))
        renderer = self.studio.renderer(self.library)
        np.testing.assert_array_equal(renderer.read(printed, 0, 10**6), np.asarray(renderer.audio(mix)[0]))
        self.assertTrue(self.library.media(printed.audio).is_relative_to(self.library.folder))


class Slicing(InStudio):
    def test_one_shots_carry_anchor_category_and_lineage(self) -> None:
        take = noise(4, -62)
        for at in (0.5, 2.0):
            take[round(at * RATE) : round(at * RATE) + RATE // 2] += struck(seed=3)
        sound = self.bring("metal takes", take)
        node, plan = slices.plan_of(self.studio, self.library, sound.id)
        slices.save(self.library, sound.id, node, plan.model_copy(update={"finish": Finish(peak_dbfs=-3.0)}))
        made = [self.library.sound(number) for number in making.make_one_shots(self.studio, self.library, sound.id).sounds]
        self.assertEqual([one.name for one in made], ["metal takes 01", "metal takes 02"])
        for one in made:
            self.assertEqual((one.kind, one.category, one.measures["anchor_kind"]), ("one-shot", "Metal", "hit"))
            self.assertAlmostEqual(one.measures["anchor_s"], 0.002, places=3)
            self.assertAlmostEqual(one.measures["sample_peak_dbfs"], -3.0, delta=0.01)

    def test_what_cannot_be_rendered_is_named_and_the_others_are_made(self) -> None:
        take = noise(4, -62)
        for at in (0.5, 2.0):
            take[round(at * RATE) : round(at * RATE) + RATE // 2] += struck(seed=3)
        near, far = self.bring("near", take), self.bring("far", take * np.float32(0.5))
        node, plan = slices.plan_of(self.studio, self.library, near.id)
        slices.save(self.library, near.id, node, plan.model_copy(update={"stems": (far.id,)}))
        self.library.media(far.audio).unlink()
        made = making.make_one_shots(self.studio, self.library, near.id)
        self.assertEqual([self.library.sound(id).name for id in made.sounds], ["near 01", "near 02"])
        self.assertEqual([one["path"] for one in made.failed], ["far 01", "far 02"])
        self.assertRegex(made.failed[0]["reason"], "missing")
        # alone it makes nothing, and says why
        slices.save(self.library, far.id, NodeAdapter.validate_python(far.node), plan)
        with self.assertRaisesRegex(OskrenError, "missing"):
            making.make_one_shots(self.studio, self.library, far.id)
        with self.library.reading() as session:
            self.assertEqual(session.scalars(select(Arrival.name).where(Arrival.name.like("Slices of%"))).all(), ["Slices of near"])

    def test_a_plan_of_silence_makes_nothing_and_says_so(self) -> None:
        sound = self.bring("silence", np.zeros((RATE * 2, 1), np.float32))
        with self.assertRaisesRegex(OskrenError, "silence: the plan has no slices"):
            making.make_one_shots(self.studio, self.library, sound.id)
        with self.library.reading() as session:
            self.assertEqual(len(list(session.scalars(select(Sound)))), 1)


class Varying(InStudio):
    def test_a_spread_interrupted_is_completed_not_doubled(self) -> None:
        sound = self.bring("hit", struck(0.4))
        mix = Mix(members=(Member(id="a", node=NodeAdapter.validate_python(sound.node)),))
        number = spreads.make(self.library, "Hits", None, mix, default_recipe(mix), 3, 6)

        def told(done: int, total: int) -> None:
            if done == 2:
                raise Cancelled("enough")

        with self.assertRaises(Cancelled):
            spreads.render(self.studio, self.library, number, Progress(told))
        spreads.render(self.studio, self.library, number)
        with self.library.reading() as session:
            draws = list(session.scalars(select(Draw).where(Draw.spread_id == number)))
        self.assertEqual(len(draws), 6)
        self.assertTrue(all(one.facts for one in draws))
        self.assertEqual(len({one.digest for one in draws}), 6)

    def test_what_draws_share_is_rendered_once(self) -> None:
        layers = [NodeAdapter.validate_python(self.bring(name, struck(0.4, seed=seed)).node) for seed, name in enumerate(("still", "moved"))]
        high = Step(kind="high_pass", id="h")
        mix = Mix(members=tuple(Member(id=str(k), node=node, chain=(high,)) for k, node in enumerate(layers)), chain=(Step(kind="limiter"),))
        recipe = Recipe(freedoms=(Freedom(path="layers/1/pitch_st", low=-4, high=4, shape="even"),))
        place, made = self.studio.place(self.library, mix), list[Renderer]()
        plain = Workplace.renderer

        def kept(at: Workplace, *, scratch: bool = False) -> Renderer:
            made.append(plain(at, scratch=scratch))
            return made[-1]

        with unittest.mock.patch.object(Workplace, "renderer", kept):
            base = tasks.facts(place, mix.model_dump(mode="json"))
            wanted = reference(base["measures"], 0.4)
            for number in range(1, 6):
                self.assertNotIn("reason", matched_facts(place, draw(mix, recipe, 5, number).model_dump(mode="json"), wanted, 0.5))
        total = sum((one.renders for one in made), Counter[str]())
        # both layers of the design, then the one that moves in each of five draws
        self.assertEqual((total["high_pass"], total["limiter"]), (2 + 5, 1 + 5))

    def test_draws_are_the_same_to_the_sample_in_every_process_and_on_every_machine(self) -> None:
        """Checksums were fixed once from our own rendering: levels, places, lengths, presence, order and reverse use nothing a machine does its own way."""
        teeth = ((np.arange(12_000)[:, None] * [7919, 4603]) % 65_536 - 32_768) / 65_536
        nodes = [NodeAdapter.validate_python(self.bring(name, teeth[::way].astype(np.float32)).node) for name, way in (("teeth", 1), ("comb", -1))]
        mix = Mix(members=tuple(Member(id=name, node=node, at_s=0.05, gain_db=-9) for name, node in zip(("a", "b"), nodes, strict=True)))
        freedoms = tuple(
            Freedom(path=f"layers/{layer}/{control}", low=low, high=high, shape="even")
            for layer in ("a", "b")
            for control, low, high in (("gain_db", -6, 3), ("at_s", -0.04, 0.04), ("start_s", 0, 0.1), ("present", 0, 0), ("reverse", 0, 0))
            if (layer, control) != ("a", "present")
        )
        recipe = Recipe(freedoms=freedoms, match="as drawn", guards=Guards.none())
        place = self.studio.place(self.library, mix)
        taken, _, failed = drawing.take(self.studio, place, mix, recipe, 41882, 6)
        self.assertEqual(failed, [])
        found = []
        for one in taken:
            drawn, _ = place.renderer().audio(one.mix)
            here, _ = Renderer(lambda audio: Path(self.library.media(audio)), Cache(self.folder / "here")).audio(one.mix)
            np.testing.assert_array_equal(drawn, here)
            found.append(hashlib.sha256(np.ascontiguousarray(drawn, "<f4").tobytes()).hexdigest()[:12])
        self.assertEqual(found, KNOWN_DRAWS)


class Shipping(InStudio):
    def sheet(self, count: int = 24) -> Sheet:
        sound = self.bring("long", noise(count * 0.2 + 0.5, -20))
        node = NodeAdapter.validate_python(sound.node)
        fade = (Step(kind="fade", params={"in_s": 0.01, "out_s": 0.01}),)
        items = tuple(Item(node=Chained(node=Excerpt(node=node, start_s=0.2 * k, end_s=0.2 * k + 0.15), chain=fade), name=f"cut {k:02d}") for k in range(count))
        return Sheet(items=items, targets=(Target(),))

    def test_cancelled_and_gone_on_with(self) -> None:
        sheet, out = self.sheet(64), self.folder / "out"

        def told(done: int, total: int) -> None:
            if 0 < done < total:
                raise Cancelled("enough")

        with self.assertRaises(Cancelled):
            ship(self.studio, self.library, sheet, out, Progress(told))
        finished = {path.name: path.stat().st_mtime_ns for path in out.glob("*.wav")}
        self.assertTrue(0 < len(finished) < 64)
        self.assertEqual([path for path in out.iterdir() if path.name.startswith(".oskren")], [])
        listed = {report.path for report in manifest.load(out).files}
        result = ship(self.studio, self.library, sheet, out)
        self.assertEqual((len(result.reports), result.failed), (64, []))
        self.assertEqual(set(result.unchanged), listed)
        for path in listed:
            self.assertEqual((out / path).stat().st_mtime_ns, finished[path])

    def test_only_what_changed_is_rendered_again(self) -> None:
        sheet, out = self.sheet(4), self.folder / "out"
        ship(self.studio, self.library, sheet, out)
        louder = sheet.items[2].model_copy(update={"node": Chained(node=sheet.items[2].node, chain=(Step(kind="gain", params={"gain_db": -3.0}),))})
        (out / "cut 03.wav").write_bytes(b"touched")
        changed = sheet.model_copy(update={"items": (*sheet.items[:2], louder, sheet.items[3])})
        with self.assertRaisesRegex(OskrenError, "cut 03.wav: was changed since Oskren wrote it"):
            ship(self.studio, self.library, changed, out)
        self.assertEqual((out / "cut 03.wav").read_bytes(), b"touched")
        result = ship(self.studio, self.library, changed, out, allowed=["cut 03.wav"])
        self.assertEqual(result.unchanged, ["cut 00.wav", "cut 01.wav"])
        self.assertEqual(files.probe(out / "cut 03.wav").frames, round(0.15 * RATE))

    def test_one_file_that_cannot_be_rendered_fails_alone(self) -> None:
        sheet, out = self.sheet(3), self.folder / "out"
        short = Excerpt(node=sheet.items[0].node, start_s=0.0, end_s=0.03)
        wrong = Item(node=Chained(node=short, chain=(Step(kind="noise_reduction"),)), name="wrong")
        result = ship(self.studio, self.library, sheet.model_copy(update={"items": (*sheet.items, wrong)}), out)
        self.assertEqual(len(result.reports), 3)
        self.assertEqual([one["path"] for one in result.failed], ["wrong.wav"])
        self.assertFalse((out / "wrong.wav").exists())

    def test_names_with_problems_stop_it_before_anything_is_written(self) -> None:
        sheet = self.sheet(3).model_copy(update={"targets": (Target(template="same"),)})
        with self.assertRaisesRegex(OskrenError, "would be called same.wav"):
            ship(self.studio, self.library, sheet, self.folder / "out")
        self.assertFalse((self.folder / "out").exists())

    def test_a_folder_that_cannot_be_written_is_named(self) -> None:
        (self.folder / "file").write_text("in the way")
        with self.assertRaisesRegex(OskrenError, "cannot be used"):
            ship(self.studio, self.library, self.sheet(1), self.folder / "file" / "out")

    def test_what_ran_when_the_server_was_killed_can_be_gone_on_with(self) -> None:
        sheet = self.sheet(4)
        number = shipments.begin(self.library, sheet, self.folder / "out")
        shipments.mark_interrupted(self.library)
        with self.library.reading() as session:
            self.assertEqual(session.get(Shipment, number).state, "interrupted")
        result = shipments.run(self.studio, self.library, number)
        self.assertEqual((result.files, result.failed), (4, 0))
        with self.library.reading() as session:
            row = session.get(Shipment, number)
        self.assertEqual((row.state, len(row.reports)), ("done", 4))
        self.assertEqual(
            json.loads((self.folder / "out" / manifest.NAME).read_text())["files"][0]["made_from"],
            [json.loads(json.dumps(row.sheet))["items"][0]["node"]["node"]["node"]["audio"]],
        )


class Libraries(InStudio):
    def test_a_library_moved_as_a_folder_opens_elsewhere(self) -> None:
        self.bring("kept", struck(0.3))
        self.studio.home.close()
        other = self.folder / "elsewhere" / "libraries"
        other.mkdir(parents=True)
        (self.folder / "home" / "libraries" / "test").rename(other / "test")
        again = Home(self.folder / "elsewhere")
        self.addCleanup(again.close)
        library: Library = again.library("test")
        sound = library.sound(1)
        self.assertTrue(library.media(NodeAdapter.validate_python(sound.node).audio).exists())

    def test_workers_find_media_by_path(self) -> None:
        sound = self.bring("kept", struck(0.3))
        place = self.studio.place(self.library, NodeAdapter.validate_python(sound.node))
        self.assertEqual(len(place.media), 1)
        self.assertIsInstance(examining.examine(place, next(iter(place.media.values()))).frames, int)
