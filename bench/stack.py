"""Stack's speed: from an edit to the sound, rolls, moving pitch, and forty layers dragged in a browser."""

from __future__ import annotations

import statistics
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import sync_playwright

from bench.rows import Row, source_of, timed
from bench.served import served
from oskren.core.audio import files, resample
from oskren.core.audio.glide import Glide, glided
from oskren.core.envelope import Envelope
from oskren.core.nodes.model import Member, Mix, Step
from oskren.store import Home, Library
from oskren.work.engine import tasks
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import import_paths
from oskren.work.stack import designs as designing
from oskren.work.stack import sources
from tests.browser.support import CHROMIUM

RATE = 48_000
SECONDS = 3.0


def sounds(folder: Path, count: int) -> list[Path]:
    random = np.random.default_rng(7)
    paths = []
    for k in range(count):
        t = np.arange(round(SECONDS * RATE)) / RATE
        tone = np.sin(2 * np.pi * (140 + 37 * k) * t) * np.exp(-t / 0.9) * 0.3
        wave = tone[:, None] + random.standard_normal((len(t), 2)) * np.exp(-t / 0.4)[:, None] * 0.1
        path = folder / f"layer {k:02d}.wav"
        files.write(path, wave.astype(np.float32), RATE, 24)
        paths.append(path)
    return paths


def _design(library: Library, paths: list[Path]) -> Mix:
    members = []
    for k, path in enumerate(paths):
        node = source_of(path)
        library.keep_media(node.audio, path, refer=True)
        chain = (
            Step(kind="high_pass", id="h", params={"cutoff_hz": 60.0 + k}),
            Step(kind="band", id="b", params={"frequency_hz": 900.0 + k, "gain_db": 3.0}),
        )
        members.append(
            Member(id=f"l{k}", name=path.stem, node=node, chain=chain, gain_db=-12.0, pitch_st=-2.0 if k % 2 else 0.0, at_s=0.01 * k, fade_out_s=0.2)
        )
    space = Step(kind="space", id="s", params={"decay_s": 0.8})
    return Mix(members=tuple(members), chain=(space, Step(kind="limiter", id="c")))


def _press(studio: Studio, library: Library, mix: Mix) -> float:
    """Seconds from an edit to the first block from the strike line."""

    def heard() -> None:
        _, shape = studio.open(library, mix)
        place = studio.place(library, mix)
        studio.workers.live(tasks.block, place, mix.model_dump(mode="json"), shape.zero, 5_760)

    return timed(heard)


EDITS: dict[str, list[dict[str, Any]]] = {
    "gain, pan, place": [{"gain_db": -9.0}, {"pan": 0.4}, {"at_s": 0.07}, {"envelopes": (Envelope(control="gain_db", points=((0.0, 0.0), (1.0, -9.0))),)}],
    "chain, trim, fade": [{"chain": (Step(kind="high_pass", params={"cutoff_hz": 200.0}),)}, {"start_s": 0.2}, {"fade_in_s": 0.1}, {"reverse": True}],
    "varispeed": [{"pitch_st": value} for value in (-7.0, -12.0, 5.0, 12.0)],
    "varispeed along a curve": [{"envelopes": (Envelope(control="pitch_st", points=((0.0, 0.0), (3.0, value))),)} for value in (-5.0, -9.0, -12.0)],
    "pitch with length kept": [{"pitch_st": value, "keep_length": True} for value in (-7.0, -5.0, 4.0)],
}


def bench_edits(folder: Path) -> Row:
    """Five layers with chains, 3 s: from any edit to the first block that is heard."""
    studio = Studio(Home(folder / "home"))
    library = studio.home.library(create=True)
    mix = _design(library, sounds(folder, 5))
    _press(studio, library, mix)
    told = []
    for name, changes in EDITS.items():
        taken = []
        for k, values in enumerate(changes):
            edited = mix.members[k % 5].model_copy(update=values)
            taken.append(_press(studio, library, mix.model_copy(update={"members": tuple(edited if i == k % 5 else one for i, one in enumerate(mix.members))})))
        told.append(f"{name} {1000 * statistics.median(taken):.0f} ms (at most {1000 * max(taken):.0f})")
    whole = timed(lambda: studio.workers.live(tasks.whole, studio.place(library, mix), mix.model_dump(mode="json")))
    cold = mix.model_copy(update={"members": tuple(one.model_copy(update={"pitch_st": one.pitch_st + 0.1}) for one in mix.members)})
    everything = timed(lambda: studio.workers.live(tasks.whole, studio.place(library, cold), cold.model_dump(mode="json")))
    studio.close()
    return (
        "five layers with chains, 3 s: from an edit to the first block",
        "under 150 ms; length-kept pitch under 400 ms",
        "; ".join(told),
        f"all five layers rendered anew {1000 * everything:.0f} ms (from cache {1000 * whole:.0f} ms)",
        "only the edited layer is rendered again (counted in tests)",
    )


def bench_roll(folder: Path) -> Row:
    """A roll of one layer among 200 sounds, to the first block that is heard through the layer's chain."""
    (folder / "in").mkdir()
    sounds(folder / "in", 200)
    studio = Studio(Home(folder / "home"))
    library = studio.home.library(create=True)
    import_paths(studio, library, [folder / "in"], "in")
    layers = [designing.layer_of_sound(library, number).model_copy(update={"search": "layer", "pitch_st": -3.0}) for number in (1, 2, 3, 4, 5)]
    mix = Mix(members=tuple(layers), chain=(Step(kind="limiter"),))
    _press(studio, library, mix)
    taken = []
    for seed in range(12):

        def rolled(seed: int = seed) -> None:
            _press(studio, library, sources.roll(studio, library, mix, {layers[seed % 5].id}, seed=seed).mix)

        taken.append(timed(rolled))
    studio.close()
    return (
        "a roll among 200 sounds, through the layer's pitch and chain, to the first block",
        "under 400 ms",
        f"{1000 * statistics.median(taken):.0f} ms (at most {1000 * max(taken):.0f})",
        "",
        "",
    )


def bench_glide(folder: Path) -> Row:
    """Varispeed along a curve over ten seconds of stereo at 96 kHz, beside soxr at one fixed ratio."""
    samples = np.random.default_rng(3).standard_normal((960_000, 2)).astype(np.float32) * 0.1
    told, peers = [], []
    for end in (-12.0, 7.0):
        glide = Glide(np.array([0.0, 10.0]), np.array([0.0, end]), 10.0)
        frames = round(glide.seconds * 96_000)
        glided(samples, glide, 96_000, frames)
        taken = min(timed(lambda glide=glide, frames=frames: glided(samples, glide, 96_000, frames)) for _ in range(3))
        fixed = min(timed(lambda end=end: resample.varispeed(samples, end)) for _ in range(3))
        told.append(f"to {end:+.0f} st {10 / taken:.0f}x real time")
        peers.append(taken / fixed)
    return (
        "varispeed along a curve, 10 s, 96 kHz stereo",
        "over 20x real time",
        ", ".join(told),
        "soxr VHQ at one fixed ratio",
        f"{peers[0]:.1f} and {peers[1]:.1f} times its time",
    )


FRAMES = """() => new Promise((done) => {
    const times = [];
    const tick = (now) => { times.push(now); if (window.dragging) requestAnimationFrame(tick); else done(times); };
    requestAnimationFrame(tick);
})"""


def bench_drag(folder: Path) -> Row:
    """Forty layers chosen and dragged together in headless Chromium: frames a second while the pointer moves."""
    (folder / "in").mkdir()
    sounds(folder / "in", 40)
    home = folder / "home"
    studio = Studio(Home(home))
    library = studio.home.library("Many", create=True)
    import_paths(studio, library, [folder / "in"], "in")
    from oskren.store.documents import designs

    designs.add(library, "Forty", Mix(members=tuple(designing.layer_of_sound(library, number) for number in range(1, 41))))
    studio.close()
    with served(home) as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{address}/stack")
        page.wait_for_selector("[data-clip] >> nth=39", state="attached", timeout=60_000)
        page.wait_for_function("() => document.querySelector('[data-testid=sum]').textContent.includes('LUFS')", timeout=60_000)
        page.keyboard.press("Control+a")
        box = page.locator("[data-clip]").nth(3).bounding_box()
        assert box is not None
        x, y = box["x"] + 60, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.evaluate("() => { window.dragging = true; }")
        page.evaluate(f"() => {{ window.frames_ = ({FRAMES})(); }}")
        for step in range(120):
            page.mouse.move(x + step, y)
        page.evaluate("() => { window.dragging = false; }")
        times = np.array(page.evaluate("() => window.frames_"))
        page.mouse.up()
        browser.close()
    gaps = np.diff(times)
    return (
        "forty layers dragged together, headless Chromium at 60 Hz",
        "60 frames a second",
        f"{1000 / float(np.mean(gaps)):.0f} frames a second over {len(gaps)} frames; 95 % of them within {np.percentile(gaps, 95):.1f} ms",
        "",
        "",
    )


ALL = {"stack-edits": bench_edits, "stack-roll": bench_roll, "glide": bench_glide, "stack-drag": bench_drag}
