"""A thousand one-shots of a long take, from the plan to the library, and what listening to a slice costs.

``python bench/slices_made.py [slices]`` prints seconds; ratios against a plain rendering of the same parts in one process say how much is ours.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from oskren.core.audio import files
from oskren.core.slice.detect import SliceSettings
from oskren.core.slice.finish import Finish
from oskren.core.slice.kits import KitSettings
from oskren.store import Home
from oskren.work.engine.progress import ALONE
from oskren.work.engine.studio import Studio
from oskren.work.engine.workers import Workers
from oskren.work.gather.importing import import_paths
from oskren.work.slice import kitting, making, measuring
from oskren.work.slice import plans as slices

RATE = 48_000


def take(count: int) -> np.ndarray:
    """Hits of half a second each over a floor, at -60 dBFS."""
    drawn = np.random.default_rng(1)
    out = (drawn.standard_normal((count * RATE // 2, 2)) * 1e-3).astype(np.float32)
    for k in range(count):
        hit = drawn.standard_normal((RATE // 4, 2)) * np.exp(-np.arange(RATE // 4) / (RATE * drawn.uniform(0.02, 0.08)))[:, None]
        out[k * RATE // 2 + 4800 : k * RATE // 2 + 4800 + RATE // 4] += (0.2 * hit).astype(np.float32)
    return out


def main(count: int) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "take.wav"
        files.write(path, np.clip(take(count), -1, 1), RATE, 24)
        workers = Workers()
        studio = Studio(Home(Path(folder) / "home"), workers)
        library = studio.home.library("Bench", create=True)
        import_paths(studio, library, [path], "take")
        sound = 1

        def timed(name: str, work):  # type: ignore[no-untyped-def]
            began = time.perf_counter()
            found = work()
            print(f"{name:<34} {time.perf_counter() - began:7.2f} s")
            return found

        node, plan = timed("found", lambda: slices.plan_of(studio, library, sound))
        print(len(plan.slices), "slices")
        timed("measured", lambda: measuring.measure(studio, library, sound, ALONE))
        timed("dealt into kits by likeness", lambda: kitting.kits_of(studio, node, plan, KitSettings()))
        slices.save(library, sound, node, plan.model_copy(update={"finish": Finish(mono="mid")}))
        timed("found anew", lambda: slices.find(studio, library, sound, node, plan, SliceSettings(sensitivity_db=9)))
        timed("what one slice is made of", lambda: making.one_shots_of(studio, library, sound, node, plan, plan.slices[:1]))
        timed("made one-shots", lambda: making.make_one_shots(studio, library, sound))
        studio.home.close()
        workers.close()


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1000)
