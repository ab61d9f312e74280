"""Scenes of many placements: what an edit costs beside one of five, how soon a frame is there, and how long a minute takes to be handed over."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from fastapi.testclient import TestClient

from bench.rows import Row
from oskren.api.app import make_app
from oskren.core.audio import files
from oskren.core.picture.handed import Handing
from oskren.core.picture.scene import on_frame
from oskren.core.timecode import FRAME_RATES
from oskren.work.picture.exporting import hand_over, kept
from tests.films import write_film

RATE = 48_000
SECONDS = 60
HERE = "/api/lib/test"
COUNTED = FRAME_RATES["25"]


def _best(call: Callable[[], Any], times: int = 5) -> float:
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        call()
        found.append(time.perf_counter() - begun)
    return min(found)


def ready(client: TestClient, folder: Path) -> tuple[int, list[int]]:
    """A film of a minute, and forty sounds; the film's id and theirs."""
    random = np.random.default_rng(3)
    for k in range(40):
        length = int(RATE * random.uniform(0.2, 2.0))
        decay = np.exp(-np.arange(length) / RATE / 0.3)[:, None]
        files.write(folder / "in" / f"hit {k:02d}.wav", (0.1 * random.standard_normal((length, 2)) * decay).astype(np.float32), RATE, 24)
    client.post("/api/libraries", json={"name": "Test"})
    _done(client, client.post(f"{HERE}/import", json={"paths": [str(folder / "in")]}).json()["job"])
    film = client.post(f"{HERE}/films", json={"path": str(write_film(folder / "film.mp4", Fraction(25), 25 * SECONDS))}).json()
    _done(client, film["job"])
    return film["id"], [row["id"] for row in client.get(f"{HERE}/sounds", params={"limit": 100}).json()["rows"]]


def _done(client: TestClient, job: int) -> None:
    while next(one for one in client.get("/api/jobs").json() if one["id"] == job)["state"] == "running":
        time.sleep(0.05)


def scene_of(client: TestClient, film: int, sounds: list[int], count: int) -> dict[str, Any]:
    """A scene of so many placements over eight groups, as it is kept."""
    view = client.post(f"{HERE}/scenes", json={"name": f"{count} placements", "film": film}).json()
    onto = {"frame_rate": "25", "frames": view["scene"]["frames"], "groups": []}
    members, groups = [], []
    for k in range(min(count, 40)):
        placed = client.post(
            f"{HERE}/picture/place", json={"onto": onto | {"groups": groups, "group": f"Group {k % 8}"}, "frame": 1, "sounds": [sounds[k % len(sounds)]]}
        )
        members += placed.json()["members"]
        groups = placed.json()["groups"]
    all_ = [members[k % len(members)] | {"id": f"m{k}", "at_s": on_frame(5 + k * 1400 // count, COUNTED), "gain_db": -12.0} for k in range(count)]
    scene = view["scene"] | {"mix": view["scene"]["mix"] | {"members": all_, "groups": groups}}
    client.put(f"{HERE}/scenes/{view['id']}", json={"name": view["name"], "scene": scene})
    return client.get(f"{HERE}/scenes/{view['id']}").json()  # type: ignore[no-any-return]


def _edit(client: TestClient, view: dict[str, Any]) -> dict[str, float]:
    """Seconds of each part of an edit: kept, told, heard by digest, laid out, opened with its first block."""
    mix = view["scene"]["mix"]
    digest = client.post("/api/stack/told", json={"mix": mix}).json()["digest"]
    at = {"frame_rate": "25", "frames": view["scene"]["frames"], "film": view["scene"]["film"]}
    heard = client.post(f"{HERE}/picture/heard", json={"mix": {"digest": digest}, **at}).json()["digest"]
    client.post(f"{HERE}/open", json={"told": heard})  # once, so that every sound of it is rendered
    step = 0.0

    def moved() -> str:
        nonlocal step, digest
        step += 0.04
        patch = [{"op": "replace", "path": "/members/2/at_s", "value": round(1.0 + step, 6)}]
        digest = client.post("/api/stack/told", json={"base": digest, "patch": patch}).json()["digest"]
        return str(digest)

    def saved() -> None:
        nonlocal step
        step += 0.04
        now = client.get(f"{HERE}/scenes/{view['id']}").json()["revision"]
        patch = [{"op": "replace", "path": "/scene/mix/members/2/at_s", "value": round(1.0 + step, 6)}]
        client.patch(f"{HERE}/scenes/{view['id']}", params={"based_on": now}, json={"patch": patch}).raise_for_status()

    def sounded() -> None:
        found = client.post(f"{HERE}/picture/heard", json={"mix": {"digest": moved()}, **at}).json()["digest"]
        opened = client.post(f"{HERE}/open", json={"told": found}).json()
        client.get(f"/api/heard/{opened['digest']}/block", params={"start": 0, "frames": 6000}).raise_for_status()

    def laid_out() -> None:
        found = client.post(f"{HERE}/picture/heard", json={"mix": {"digest": moved()}, **at}).json()["digest"]
        client.post(f"{HERE}/stack/layout", json={"digest": found}).raise_for_status()

    return {"kept": _best(saved), "sounds": _best(sounded), "laid out": _best(laid_out)}


def bench_scene(folder: Path) -> list[Row]:
    """Each part of an edit of 300 placements beside one of 5 in the same run; a frame; a minute handed over."""
    with TestClient(make_app(folder / "home")) as client:
        film, sounds = ready(client, folder)
        few, many = scene_of(client, film, sounds, 5), scene_of(client, film, sounds, 300)
        small, large = _edit(client, few), _edit(client, many)
        found = [
            (
                f"an edit of a scene of 300 placements: {part}",
                "as fast as one of 5",
                f"{1000 * large[part]:.0f} ms",
                f"of 5: {1000 * small[part]:.0f} ms",
                f"{large[part] / small[part]:.1f}",
            )
            for part in large
        ]
        frames = iter(range(100, 1400, 130))
        still = _best(lambda: client.get(f"{HERE}/films/{film}/frames/{next(frames)}").raise_for_status())
        found.append(("a frame by its number from the server", "50 ms", f"{1000 * still:.0f} ms", "", ""))
        studio = client.app.state.studio  # type: ignore[attr-defined]
        library = studio.home.library("test")
        begun = time.perf_counter()
        done = hand_over(studio, library, kept(library, many["id"]), folder / "out", Handing())
        took = time.perf_counter() - begun
        assert not done.failed, done.failed
        found.append(("a minute with 300 placements handed over, all of it", "20 s", f"{took:.1f} s", "", ""))
    return found


ALL = {"scene": bench_scene}

if __name__ == "__main__":
    for bench in ALL.values():
        with tempfile.TemporaryDirectory() as place:
            for row in bench(Path(place)):
                print(" | ".join(row))
