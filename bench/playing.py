"""A scene played in the browser: how soon sound and picture are there after the key, and how far they are from each other over a minute."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient
from playwright.sync_api import Page, sync_playwright

from bench.picture import RATE, SECONDS, ready, scene_of
from bench.rows import Row
from bench.served import served
from oskren.api.app import make_app
from tests.browser.support import ARGUMENTS, CHROMIUM

STARTS = 12
FRAME_S = 1 / 25

WATCH = """
    window.heard = [];
    window.outputs = [];
    const Node = window.AudioWorkletNode;
    window.AudioWorkletNode = class extends Node {
        constructor(...given) {
            super(...given);
            const analyser = this.context.createAnalyser();
            analyser.fftSize = 256;
            this.connect(analyser);
            window.outputs.push(analyser);
            this.port.addEventListener('message', ({ data }) => {
                if (data.position !== null) window.heard.push([performance.now(), data.position]);
            });
        }
    };
"""
"""Notes what the player says it is at, and taps what goes out."""

START = """() => new Promise((resolve) => {
    const samples = new Float32Array(256);
    const video = document.querySelector('video');
    const still = video.currentTime;
    const found = { sound: null, picture: null };
    let pressed = 0;
    addEventListener('keydown', () => { pressed = performance.now(); }, { capture: true, once: true });
    const done = () => { if (found.sound !== null && found.picture !== null) { clearInterval(timer); resolve([found.sound, found.picture]); } };
    const timer = setInterval(() => {
        if (!pressed || found.sound !== null || !window.outputs.length) return;
        window.outputs.at(-1).getFloatTimeDomainData(samples);
        if (samples.some((one) => Math.abs(one) > 1e-4)) { found.sound = performance.now() - pressed; done(); }
    }, 2);
    const look = (now, shown) => {
        if (pressed && shown.mediaTime > still + 0.001) { found.picture = shown.expectedDisplayTime - pressed; done(); }
        else video.requestVideoFrameCallback(look);
    };
    video.requestVideoFrameCallback(look);
})"""
"""Milliseconds from the next key to the first sound and to the first frame after the one that stood."""

ALONG = """(seconds) => new Promise((resolve) => {
    const video = document.querySelector('video');
    const found = [];
    const begun = performance.now();
    const look = (now, shown) => {
        found.push([shown.expectedDisplayTime, shown.mediaTime]);
        if (performance.now() - begun > 1000 * seconds) resolve(found);
        else video.requestVideoFrameCallback(look);
    };
    video.requestVideoFrameCallback(look);
})"""
"""Of every frame that is shown: when (ms), and its moment of the film (s)."""


def _open(page: Page, address: str) -> None:
    """The scene, ready to be heard, at its first frame."""
    page.goto(address)
    library = page.get_by_role("combobox", name="Library", exact=True)
    if "Test" not in library.inner_text():
        library.click()
        page.get_by_role("option", name="Test").click()
    page.locator("video").or_(page.get_by_text("300 placed")).first.wait_for()
    if not page.locator("video").count():
        page.get_by_text("300 placed").click()
    page.locator("video").wait_for()
    page.wait_for_function("() => document.querySelector('[aria-label=Play]')?.disabled === false", timeout=60_000)
    page.locator("video").click(position={"x": 3, "y": 3})
    page.wait_for_timeout(3000)


def _starts(page: Page) -> tuple[list[float], list[float]]:
    sounds, pictures = [], []
    for _ in range(STARTS):
        page.evaluate(f"() => {{ window.begun = ({START})(); }}")
        page.keyboard.press("Space")
        sound, picture = page.evaluate("() => window.begun")
        sounds.append(sound)
        pictures.append(picture)
        page.wait_for_timeout(400)
        page.get_by_role("button", name="Stop", exact=True).click()
        page.wait_for_timeout(700)
    return sounds, pictures


def _apart(page: Page) -> np.ndarray:
    """How far every frame of a minute was from what was heard as it was shown, in frames."""
    page.evaluate("window.heard = []")
    page.keyboard.press("Space")
    page.wait_for_timeout(1500)
    shown = np.array(page.evaluate(ALONG, SECONDS - 4))
    when, at = np.array(page.evaluate("window.heard")).T
    return np.asarray((shown[:, 1] - np.interp(shown[:, 0], when, at / RATE)) / FRAME_S)


def bench_playing(folder: Path) -> list[Row]:
    """Plays a minute of 300 placements in headless Chromium."""
    app = make_app(folder / "home")
    with TestClient(app) as client:
        film, sounds = ready(client, folder)
        scene_of(client, film, sounds, 300)
    with served(folder / "home") as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(WATCH)
        _open(page, f"{address}/picture")
        page.keyboard.press("Space")  # once, so that the sound has a way out
        page.wait_for_timeout(1000)
        page.get_by_role("button", name="Stop", exact=True).click()
        page.wait_for_timeout(1000)
        starts = _starts(page)
        _open(page, f"{address}/picture")
        apart = _apart(page)
        browser.close()
    sound, picture = np.array(starts[0]), np.array(starts[1])
    return [
        (
            "a scene of 300 placements played: from the key to the first sound, and to the next frame",
            "120 ms",
            f"sound {np.median(sound):.0f} ms (at most {sound.max():.0f}), picture {np.median(picture):.0f} ms (at most {picture.max():.0f}), of {STARTS}",
            "",
            "",
        ),
        (
            "picture and sound apart over a minute at 25 frames a second",
            "a frame",
            f"{len(apart)} frames shown of {25 * (SECONDS - 4)}; median {np.median(apart):+.2f} frames, "
            f"{100 * np.mean(np.abs(apart) <= 1):.1f} % within one, furthest {np.abs(apart).max():.1f}",
            "",
            "",
        ),
    ]


ALL = {"playing": bench_playing}

if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as place:
        for row in bench_playing(Path(place)):
            print(" | ".join(row))
