"""Jobs that last: told, cancelled, killed at numbered writes, and taken up, with nothing lost, doubled or left half-written."""

import hashlib
import json
import shutil
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import unittest.mock
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal, get_args

import numpy as np
from pydantic import BaseModel
from sqlalchemy import select

from oskren.core.audio import files
from oskren.core.audio.replacing import TEMPORARY
from oskren.core.errors import AudioFileError, OskrenError
from oskren.core.nodes import Excerpt, Member, Mix, NodeAdapter
from oskren.core.picture.reading import probe
from oskren.core.picture.scene import Scene
from oskren.core.ship import manifest
from oskren.core.ship.items import Item
from oskren.core.ship.sheet import Beside, Sheet
from oskren.core.ship.target import Target
from oskren.core.vary.recipe import default_recipe
from oskren.store import Home
from oskren.store.describe.arrivals import ArrivalNotes
from oskren.store.documents import films, scenes
from oskren.store.tables import Arrival, Draw, Shipment, Sound, SoundPath
from oskren.work.engine.job import Job
from oskren.work.engine.jobs import NOTHING, Arguments, Jobs, Kind
from oskren.work.engine.progress import Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import IMPORT, Importing, import_paths
from oskren.work.gather.uploads import Sending, Uploads
from oskren.work.kinds import KINDS, Results
from oskren.work.ship import shipments
from oskren.work.slice import making
from oskren.work.slice import plans as slices
from oskren.work.vary import spreads
from tests.films import write_film
from tests.killing import Threads
from tests.support import RATE, struck
from tests.test_work import ended

ROOT = Path(__file__).parents[1]
ALL_BESIDE = Beside(page=True, readme=True, contacts=True, reel=True)
SENT = {".wav", ".html", ".txt", ".svg"}


class Counting(Arguments):
    to: int = 5


class Count(BaseModel):
    kind: Literal["count"] = "count"
    made: int


def counting(left: str = "", behind: bool = False, run: Any = None, pauses: bool = False) -> Kind[Counting]:
    def count(studio: Studio, library: object, wanted: Counting, progress: Progress) -> Count:
        for k in range(wanted.to):
            progress.at(k + 1, wanted.to)
        return Count(made=wanted.to)

    return Kind("count", Counting, run or count, left, behind, pauses)


class Told(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.home = Home(Path(holder.name))
        self.addCleanup(self.home.close)
        self.library = self.home.library("Test", create=True)
        self.jobs = self.fresh()

    def fresh(self) -> Jobs:
        """As after a restart."""
        return Studio(self.home, Threads(1)).jobs

    def start(self, kind: Kind[Counting], to: int = 5) -> Job:
        return self.jobs.start(kind, self.library, "Counting", Counting(to=to))

    def left_running(self, kind: str = "count", **values: object) -> int:
        """A job that a killed server left."""
        row = self.home.jobs.begin(kind, self.library.folder.name, "Counting", {"to": 5})
        if values:
            self.home.jobs._set(row.id, **values)
        return row.id

    def test_progress_and_result_are_told(self) -> None:
        with self.jobs.listening() as changes:
            job = self.start(counting())
            told = [changes.get(timeout=90)[1]]
            while told[-1]["state"] == "running":
                told.append(changes.get(timeout=90)[1])
        self.assertEqual((told[0]["state"], told[-1]["state"], told[-1]["done"]), ("running", "done", 5))
        self.assertEqual(ended(self.jobs, job.id).result, {"kind": "count", "made": 5})

    def test_what_goes_on_by_itself_is_ended_before_the_server_stops(self) -> None:
        going, free = threading.Barrier(3, timeout=90), threading.Event()

        def run(studio: object, library: object, wanted: Counting, progress: Progress) -> Count:
            going.wait()
            while not free.wait(0.001):
                progress.at(1, 2)
            return Count(made=1)

        behind, asked = self.start(counting(behind=True, run=run)), self.start(counting(run=run))
        going.wait()
        self.jobs.end_behind(within_s=10)
        self.assertEqual((ended(self.jobs, behind.id).state, self.jobs.get(asked.id).state), ("cancelled", "running"))
        free.set()
        self.assertEqual(ended(self.jobs, asked.id).state, "done")

    def test_cancel_ends_it_at_its_next_step(self) -> None:
        going = threading.Event()

        def run(studio: object, library: object, wanted: Counting, progress: Progress) -> Count:
            for k in range(10_000):
                progress.at(k, 10_000)
                going.set()
                time.sleep(0.001)
            return Count(made=0)

        job = self.start(counting(run=run))
        going.wait(90)
        self.jobs.cancel(job.id)
        self.assertEqual(ended(self.jobs, job.id).state, "cancelled")
        self.assertFalse(job.flag.exists())

    def test_failures_are_one_sentence(self) -> None:
        def refused(*_: object) -> Count:
            raise AudioFileError("a.wav", "is empty")

        def broken(*_: object) -> Count:
            raise ValueError("inner detail")

        self.assertEqual(ended(self.jobs, self.start(counting(run=refused)).id).message, "a.wav: is empty")
        with unittest.mock.patch("traceback.print_exc"):
            job = ended(self.jobs, self.start(counting(run=broken)).id)
        self.assertEqual(job.state, "failed")
        self.assertIn("Counting: ended by a fault inside Oskren", job.message)

    def test_time_left_follows_the_pace_since_it_was_taken_up(self) -> None:
        job = Job(self.home.jobs.get(self.left_running(done=50, total=100)), Path("/nonexistent/flag"))
        self.assertIsNone(job.left_s())
        job.row.done, job.started = 75, time.monotonic() - 10
        self.assertAlmostEqual(job.left_s() or 0, 10, delta=0.5)

    def test_unknown_jobs_are_refused(self) -> None:
        with self.assertRaisesRegex(OskrenError, "no job 77"):
            self.jobs.cancel(77)

    def test_after_a_restart_it_goes_on_or_it_is_said_what_came_of_it(self) -> None:
        on, cancelled = self.left_running(), self.left_running(unwanted=True)
        named = self.left_running("named", done=3, total=5)
        nothing, unknown, gone = self.left_running("nothing", done=3, total=5), self.left_running("later"), self.left_running(library="no such")
        self.assertEqual(self.fresh().get(on).state, "running")
        kinds = {"count": counting(), "named": counting("What was made stays."), "nothing": counting(NOTHING)}
        jobs = self.fresh()
        self.assertEqual(jobs.take_up(kinds), [on])
        self.assertEqual((ended(jobs, on).state, jobs.get(on).result), ("done", {"kind": "count", "made": 5}))
        self.assertEqual(jobs.get(cancelled).state, "cancelled")
        self.assertEqual(
            [jobs.get(id).message for id in (named, nothing, unknown)],
            [
                "Counting: the server was ended while this ran. 3 of 5 were done. What was made stays.",
                "Counting: the server was ended while this ran. Nothing was changed; start it again.",
                "Counting: the server was ended while this ran. This Oskren does not know this kind of work.",
            ],
        )
        self.assertIn("There is no library 'no such'", jobs.get(gone).message)
        self.assertEqual({jobs.get(id).state for id in (named, nothing, unknown, gone)}, {"interrupted"})
        self.assertEqual(self.fresh().take_up(kinds), [])

    def test_one_that_rests_rests_on_after_a_restart(self) -> None:
        before, stopped, asked = self.jobs._studio, threading.Event(), threading.Event()

        def run(studio: object, library: object, wanted: Counting, progress: Progress) -> Count:
            if studio is before:
                stopped.wait(90)
                raise BrokenPipeError("its workers were ended with the server")
            held = progress.held
            asked.set()
            while progress.held:
                time.sleep(0.01)
            progress.at(wanted.to, wanted.to)
            return Count(made=wanted.to if held else 0)

        kind = counting(run=run, pauses=True)
        job = self.start(kind)
        self.jobs.pause(job.id, True)
        self.jobs.end_behind(within_s=0)
        stopped.set()
        self.jobs.wait(within_s=90)
        jobs = self.fresh()
        self.assertEqual(jobs.take_up({"count": kind}), [job.id])
        self.assertTrue(asked.wait(90))
        resting = jobs.get(job.id)
        self.assertEqual((resting.state, resting.paused, resting.done, resting.left_s), ("running", True, 0, None))
        jobs.pause(job.id, False)
        self.assertEqual(ended(jobs, job.id).result, {"kind": "count", "made": 5})
        self.assertEqual(list(job.resting.parent.iterdir()), [])

    def test_ends_that_nobody_heard_are_told_to_the_next_page_once(self) -> None:
        first = ended(self.jobs, self.start(counting()).id)
        behind = ended(self.jobs, self.start(counting(behind=True)).id)
        jobs = self.fresh()
        self.assertEqual(self.missed(jobs), [first.id])
        self.assertEqual(self.missed(jobs), [])
        self.assertEqual(self.missed(jobs, 0), [first.id, behind.id])
        self.assertEqual(self.missed(jobs, self.home.jobs.get(first.id).ended), [behind.id])
        self.assertEqual(jobs.missed()[1], 2)

    def missed(self, jobs: Jobs, after: int | None = None) -> list[int]:
        return [one["id"] for one in jobs.missed(after)[0]]

    def test_every_kind_gives_a_result_of_its_name_and_keeps_its_arguments(self) -> None:
        named = {name for model in get_args(Results) for name in get_args(model.model_fields["kind"].annotation)}
        self.assertEqual(named, set(KINDS))
        self.assertEqual(
            {name for name, kind in KINDS.items() if not kind.left},
            {*["import", "upload", "offload", "follow", "recover", "relink", "rebuild", "vary", "slice", "measure", "remake", "ship", "film", "scene"]},
        )


class Stopped(unittest.TestCase):
    def test_a_server_that_is_stopped_does_not_wait_for_its_work_and_the_next_one_goes_on_with_it(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        home, count = Path(holder.name) / "home", 40
        for k in range(count):
            files.write(Path(holder.name) / "in" / f"hit {k}.wav", struck(0.2, 0.04, seed=k), RATE, 24)
        studio = Studio(Home(home))
        library = studio.home.library("Test", create=True)
        job = studio.jobs.start(IMPORT, library, "Importing", Importing(paths=[str(Path(holder.name) / "in")], name="in"))
        while not studio.jobs.get(job.id).done:
            time.sleep(0.005)
        # what its workers are at takes an hour: the end of the server is not its end
        asked = [studio.workers.submit(name, time.sleep, 3600) for name in ("asked", "live", "question", "batch", "batch")]
        studio.close()
        for future in asked:
            self.assertTrue(future.done() or future.cancelled() or future.exception(60) is not None)
        with self.assertRaisesRegex(RuntimeError, "ended with the server"):
            studio.workers.submit("batch", time.sleep, 0)
        fresh = Studio(Home(home))
        self.addCleanup(fresh.close)
        [row] = [row for row in fresh.home.jobs.recent() if row.kind == "import"]
        self.assertEqual((row.state, row.message), ("running", ""))
        self.assertIn(job.id, fresh.jobs.take_up(KINDS))
        done = ended(fresh.jobs, job.id)
        self.assertEqual((done.state, done.result["imported"]), ("done", count))
        with fresh.home.library("Test").reading() as session:
            self.assertEqual(len(session.scalars(select(Sound.id)).all()), count)


class Killed(unittest.TestCase):
    """Every kind that goes on is killed at seeded writes, some of them twice, and then left to end."""

    KILLS = 7

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        for k in range(8):
            files.write(cls.folder / "in" / f"hit {k}.wav", struck(0.2, 0.04, seed=k), RATE, 24)
        (cls.folder / "in" / "broken.wav").write_bytes(b"RIFF no")
        files.write(cls.folder / "long.wav", np.concatenate([struck(0.3, 0.04, seed=k) for k in range(20, 30)]), RATE, 24)
        studio = Studio(Home(cls.folder / "base"), Threads(2))
        library = studio.home.library("Test", create=True)
        import_paths(studio, library, [cls.folder / "long.wav"], "long")
        while any(job.state == "running" for job in studio.jobs.all()):
            time.sleep(0.01)
        studio.close()
        cls.killer = subprocess.Popen([sys.executable, "-m", "tests.killing"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, cwd=ROOT)

        def end() -> None:
            cls.killer.communicate()

        cls.addClassCleanup(end)

    def order(self, at: Path, kind: str, arguments: dict[str, Any], kill: int = 0) -> dict[str, Any]:
        assert self.killer.stdin is not None and self.killer.stdout is not None
        line = {"home": str(at / "home"), "kind": kind, "library": "test", "arguments": arguments, "kill": kill}
        self.killer.stdin.write(json.dumps(line) + "\n")
        self.killer.stdin.flush()
        answer: dict[str, Any] = json.loads(self.killer.stdout.readline())
        return answer

    def killed_and_taken_up(self, kind: str, prepare: Any, seed: int, kills: int = KILLS) -> dict[str, Any]:
        """Compare what is there after kills with what is there without any, which is given back."""
        plain = self.folder / f"{kind} plain"
        shutil.copytree(self.folder / "base", plain / "home")
        whole = self.order(plain, kind, prepare(plain))
        self.assertEqual(whole["status"], 0)
        expected = self.state(plain)
        random = np.random.default_rng(seed)
        for kill in range(kills):
            at = self.folder / f"{kind} {kill}"
            arguments, when = self.killed(at, kind, prepare, random, whole["writes"])
            if kill % 2:
                # once more, unless it ends before
                when = int(random.integers(1, round(0.9 * whole["writes"])))
                self.order(at, kind, arguments, when)
            with self.subTest(kind=kind, kill=kill, when=when):
                self.assertEqual(self.order(at, kind, arguments)["status"], 0)
                self.assertEqual(self.state(at), expected)
            shutil.rmtree(at)
        return expected

    def killed(self, at: Path, kind: str, prepare: Any, random: np.random.Generator, writes: int) -> tuple[dict[str, Any], int]:
        """Kill work at one of about so many writes; its arguments, and which write it was.

        How far it has come is written by the clock, so that a run makes more writes on a busy machine: one that ended before is begun anew.
        """
        for _ in range(20):
            shutil.copytree(self.folder / "base", at / "home")
            arguments = prepare(at)
            when = int(random.integers(1, max(2, round(0.9 * writes))))
            answer = self.order(at, kind, arguments, when)
            if answer["killed"]:
                return arguments, when
            writes = answer["writes"]
            shutil.rmtree(at)
        raise AssertionError(f"{kind} was never killed within {writes} writes")

    def state(self, at: Path) -> dict[str, Any]:
        """What a user finds: sounds, arrivals, paths, variations, reports, files, how the jobs ended; and what should not be there."""
        home = Home(at / "home")
        library = home.library("Test")
        with library.reading() as session:
            sounds = sorted((one.name, one.kind, one.digest, one.followed, one.missing) for one in session.scalars(select(Sound)))
            arrivals = sorted(
                (one.name.split(",")[0][:9], len(one.skipped)) for one in session.scalars(select(Arrival)) if one.skipped or self.has(session, one)
            )
            paths = sorted(one.path.replace(str(at), "") for one in session.scalars(select(SoundPath)))
            draws = [(one.number, one.digest, one.facts.get("frames")) for one in session.scalars(select(Draw).order_by(Draw.number))]
            shipped = [(one.state, sorted(report["path"] for report in one.reports)) for one in session.scalars(select(Shipment))]
        media = sorted(str(path.relative_to(library.folder)) for path in (library.folder / "media").rglob("*") if path.is_file())
        jobs = sorted((one.kind, one.state, self.plain(one.result).replace(str(at), "")) for one in home.jobs.recent() if one.kind != "follow")
        home.close()
        out = sorted((str(path.relative_to(at)), self.hash(path)) for name in ("out", "second") for path in (at / name).rglob("*") if path.suffix in SENT)
        listed = sorted(report.path for report in manifest.load(at / "out").files) if (at / "out").exists() else []
        left = sorted(path.name for path in (at / "home" / "run").iterdir())
        half = [str(path) for path in at.rglob(f"{TEMPORARY.rstrip('-')}*")]
        found = {"sounds": sounds, "arrivals": arrivals, "paths": paths, "draws": draws, "shipped": shipped, "media": media, "jobs": jobs}
        measured = [json.loads(path.read_text()) for path in sorted(at.rglob("*.slices.json"))]
        names = sorted(str(path.relative_to(at)) for path in (at / "out").rglob("*") if path.is_file())
        return {**found, "out": out, "names": names, "listed": listed, "left": left, "half": half, "measured": measured}

    def has(self, session: Any, arrival: Arrival) -> bool:
        return session.scalar(select(Sound.id).where(Sound.arrival_id == arrival.id).limit(1)) is not None

    def plain(self, result: dict[str, Any] | None) -> str:
        """A result without what differs from run to run; what was finished before a kill is not counted once more."""
        left_out = {"arrival", "unchanged", "measured", "remade", "rendered", "skipped"}
        return json.dumps({name: len(value) if name == "sounds" else value for name, value in (result or {}).items() if name not in left_out}, sort_keys=True)

    def hash(self, path: Path) -> str:
        return hashlib.sha256(path.read_bytes()).hexdigest()

    def test_imports(self) -> None:
        self.killed_and_taken_up("import", lambda at: {"paths": [str(self.folder / "in")], "name": "in", "refer": False}, 1)

    def test_uploads(self) -> None:
        def prepare(at: Path) -> dict[str, Any]:
            uploads = Uploads(at / "home" / "run")
            upload = uploads.begin(Sending(library="test", name="8 files", files=8))
            shutil.copytree(self.folder / "in", at / "home" / "run" / upload / "files" / "in")
            return {"upload": upload, "name": "8 files"}

        self.killed_and_taken_up("upload", prepare, 2)

    def card(self, at: Path) -> dict[str, Any]:
        shutil.copytree(self.folder / "in", at / "card")
        notes = ArrivalNotes(place="pier").model_dump(mode="json")
        return {"card": str(at / "card"), "template": "{name}", "notes": notes, "project": 1, "second": str(at / "second"), "only": []}

    def test_offloads(self) -> None:
        self.killed_and_taken_up("offload", self.card, 3)

    def test_an_offload_whose_card_is_away_after_the_kill_takes_in_what_was_copied(self) -> None:
        at = self.folder / "away"
        shutil.copytree(self.folder / "base", at / "home")
        arguments = self.card(at)
        kill = 20
        while len(copied := list((at / "home" / "run").glob("offload-*/*.wav"))) < 2:  # the last of them may be half copied
            self.assertTrue(self.order(at, "offload", arguments, kill)["killed"])
            kill += 10
        self.assertLess(len(copied), 8)
        shutil.rmtree(at / "card")
        self.assertEqual(self.order(at, "offload", arguments)["status"], 0)
        home = Home(at / "home")
        [job] = [row for row in home.jobs.recent() if row.kind == "offload"]
        with home.library("Test").reading() as session:
            takes = sorted(session.scalars(select(Sound.name).where(Sound.kind == "take")))
        home.close()
        assert job.result is not None
        self.assertEqual((job.state, job.result["copied"], len(takes), len(job.result["failed"])), ("done", len(takes), len(takes), 8 - len(takes)))
        self.assertGreaterEqual(len(takes), 1)
        self.assertEqual([path.name for path in (at / "home" / "run").iterdir()], [])

    def prepared(self, at: Path) -> tuple[Studio, Any, Any]:
        studio = Studio(Home(at / "home"), Threads(1))
        self.addCleanup(studio.close)
        library = studio.home.library("Test")
        return studio, library, NodeAdapter.validate_python(library.sound(1).node)

    def test_spreads(self) -> None:
        def prepare(at: Path) -> dict[str, Any]:
            _, library, node = self.prepared(at)
            mix = Mix(members=(Member(id="a", node=Excerpt(node=node, start_s=0, end_s=0.3)),))
            return {"spread": spreads.make(library, "Hits", None, mix, default_recipe(mix), 5, 8)}

        self.killed_and_taken_up("vary", prepare, 4)

    def test_one_shots(self) -> None:
        def prepare(at: Path) -> dict[str, Any]:
            studio, library, _ = self.prepared(at)
            node, plan = slices.plan_of(studio, library, 1)
            self.assertEqual(len(plan.kept), 10)
            return {"sound": 1, "node": node.model_dump(mode="json"), "plan": plan.model_dump(mode="json")}

        self.killed_and_taken_up("slice", prepare, 5)

    def test_measures_of_slices(self) -> None:
        [slices] = self.killed_and_taken_up("measure", lambda at: {"sound": 1}, 7)["measured"]
        self.assertEqual(len(slices), 10)

    def test_one_shots_made_anew(self) -> None:
        def prepare(at: Path) -> dict[str, Any]:
            studio, library, _ = self.prepared(at)
            making.make_one_shots(studio, library, 1)
            library.change(1, {"chain": [{"kind": "reverse", "id": "r"}]})
            return {"sound": 1}

        self.killed_and_taken_up("remake", prepare, 8)

    def test_films(self) -> None:
        film = write_film(self.folder / "dome.mp4", Fraction(25), 40, sound_s=0.5)

        def prepare(at: Path) -> dict[str, Any]:
            _, library, _ = self.prepared(at)
            return {"film": films.add(library, "Dome", film, probe(film))}

        self.killed_and_taken_up("film", prepare, 9)

    def test_scenes(self) -> None:
        film = write_film(self.folder / "scene.mp4", Fraction(25), 60)

        def prepare(at: Path) -> dict[str, Any]:
            _, library, node = self.prepared(at)
            id = films.add(library, "Dome", film, probe(film))
            members = tuple(Member(id=f"m{k}", name=f"cut {k}", node=Excerpt(node=node, start_s=0.2 * k, end_s=0.2 * k + 0.15), at_s=0.3 * k) for k in range(5))
            scene = scenes.add(library, "Dome", Scene(film=id, frame_rate="25", frames=60, mix=Mix(members=members)))
            return {"scene": scene.id, "folder": str(at / "out")}

        self.killed_and_taken_up("scene", prepare, 10)

    def test_shipments(self) -> None:
        def prepare(at: Path) -> dict[str, Any]:
            _, library, node = self.prepared(at)
            items = tuple(Item(node=Excerpt(node=node, start_s=0.1 * k, end_s=0.1 * k + 0.09), name=f"cut {k:02d}") for k in range(24))
            return {"shipment": shipments.begin(library, Sheet(items=items, targets=(Target(),), beside=ALL_BESIDE), at / "out")}

        self.killed_and_taken_up("ship", prepare, 6, kills=60)


if __name__ == "__main__":
    unittest.main()
