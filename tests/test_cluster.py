"""Shipping on a Dask cluster of two worker processes over a shared folder: the same files, also when a worker is killed; and work that rests."""

import itertools
import os
import signal
import threading
import time
from pathlib import Path

from distributed import LocalCluster

from oskren.core.audio import files
from oskren.core.errors import OskrenError
from oskren.core.nodes import Chained, Excerpt, NodeAdapter, Step
from oskren.core.ship import manifest
from oskren.core.ship.items import Item
from oskren.core.ship.sheet import Sheet
from oskren.core.ship.target import Target
from oskren.work.engine.cluster import Cluster, address_at, keep_address
from oskren.work.engine.progress import Progress
from oskren.work.ship.sheets import ship
from tests.support import noise
from tests.test_gathering import InStudio


class OnACluster(InStudio):
    def setUp(self) -> None:
        super().setUp()
        self.write("in/long.wav", noise(13.0, -20))
        sound = self.library.sound(self.bring_in())
        node = NodeAdapter.validate_python(sound.node)
        # steps that draw their own noise and learn from the whole make what differs between machines be heard
        steps = (
            Step(kind="drive", params={"drive_db": 6.0}),
            Step(kind="normalise", params={"peak_dbfs": -3.0}),
            Step(kind="fade", params={"in_s": 0.01, "out_s": 0.01}),
        )
        cuts = [Excerpt(node=node, start_s=0.2 * k, end_s=0.2 * k + 0.19) for k in range(64)]
        items = tuple(Item(node=Chained(node=cut, chain=steps), name=f"cut {k:02d}") for k, cut in enumerate(cuts))
        self.sheet = Sheet(items=items, targets=(Target(bits=16), Target(name="ogg", format="ogg", template="ogg/{name}")))

    def bring_in(self) -> int:
        from oskren.work.gather.importing import import_paths

        return import_paths(self.studio, self.library, [self.folder / "in"], "in").sounds[0]

    def cluster(self, workers: int = 2, threads: int = 1) -> LocalCluster:
        made = LocalCluster(n_workers=workers, threads_per_worker=threads, processes=True, dashboard_address=None, silence_logs=50)
        self.addCleanup(made.close)
        return made

    def shas(self, out: Path) -> dict[str, str]:
        """What each file holds; an Ogg stream has a serial number drawn anew each time (RFC 3533), so of those it is the sound."""
        reports = manifest.load(out).files
        return {one.path: files.audio_hash(out / one.path) if one.path.endswith(".ogg") else one.sha256 for one in reports}

    def test_the_same_files_also_when_a_worker_is_killed_in_the_middle(self) -> None:
        here, there = self.folder / "here", self.folder / "there"
        self.assertEqual(ship(self.studio, self.library, self.sheet, here).failed, [])
        cluster = self.cluster()
        self.studio.cluster_at = cluster.scheduler_address
        victim, seen = next(iter(cluster.workers.values())), {"workers": set[str](), "killed": False}

        def told(done: int, total: int) -> None:
            if done and not seen["killed"]:
                seen["killed"] = True
                os.kill(victim.process.pid, signal.SIGKILL)

        done = ship(self.studio, self.library, self.sheet, there, Progress(told, worker=lambda name, count, last: seen["workers"].add(name)))
        self.assertTrue(seen["killed"])
        self.assertEqual((len(done.reports), done.failed), (128, []))
        self.assertNotIn(f" {os.getpid()}", "".join(seen["workers"]))
        self.assertEqual(self.shas(there), self.shas(here))
        self.assertEqual(len(self.shas(here)), 128)
        self.assertEqual([path for path in there.rglob("*") if path.name.startswith(".oskren")], [])
        self.assertEqual(list((self.studio.home.folder / "run").glob("ship-*")), [])
        again = ship(self.studio, self.library, self.sheet, there)
        self.assertEqual(len(again.unchanged), 128)

    def test_what_cannot_ship_says_why(self) -> None:
        home = self.studio.home.folder
        with self.assertRaisesRegex(OskrenError, "there is no Dask scheduler at this address"):
            Cluster("tcp://127.0.0.1:9", home)
        with self.assertRaisesRegex(OskrenError, "has no workers yet"):
            Cluster(self.cluster(workers=0).scheduler_address, home)
        with self.assertRaisesRegex(OskrenError, "start its workers with --nthreads 1"):
            Cluster(self.cluster(workers=1, threads=2).scheduler_address, home)
        keep_address(home, "tcp://somewhere:8786")
        self.assertEqual(address_at(home), "tcp://somewhere:8786")
        keep_address(home, "")
        self.assertEqual(address_at(home), "")

    def test_a_cluster_that_goes_away_ends_the_work_and_keeps_what_is_finished(self) -> None:
        cluster, out = self.cluster(), self.folder / "out"
        self.studio.cluster_at = cluster.scheduler_address
        gone = threading.Thread(target=cluster.close)

        def told(done: int, total: int) -> None:
            if done and not gone.is_alive() and not gone.ident:
                gone.start()

        with self.assertRaisesRegex(OskrenError, "what was finished stays|cannot be"):
            ship(self.studio, self.library, self.sheet, out, Progress(told))
        gone.join()
        kept = self.shas(out)
        self.assertTrue(kept)
        self.studio.cluster_at = ""
        done = ship(self.studio, self.library, self.sheet, out)
        self.assertEqual((len(done.reports), done.failed), (128, []))
        self.assertTrue(set(done.unchanged) >= set(kept))

    def test_work_that_rests_begins_nothing_and_goes_on(self) -> None:
        out, resting, at = self.folder / "out", threading.Event(), list[tuple[float, int]]()

        def told(done: int, total: int) -> None:
            at.append((time.monotonic(), done))
            if done and not resting.is_set() and not any(pause for pause in pauses):
                pauses.append(time.monotonic())
                resting.set()
                threading.Timer(1.5, resting.clear).start()

        pauses: list[float] = []
        done = ship(self.studio, self.library, self.sheet, out, Progress(told, held=resting.is_set))
        self.assertEqual((len(done.reports), done.failed), (128, []))
        gaps = [later[0] - one[0] for one, later in itertools.pairwise(at)]
        self.assertGreater(max(gaps), 0.5)
        begun = [count for moment, count in at if pauses[0] <= moment < pauses[0] + 1.0]
        self.assertLess(max(begun), 128)
