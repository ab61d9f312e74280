"""A real server and Debian's Chromium with a fake microphone, for stories that drive the interface as a user would."""

from __future__ import annotations

import re
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import uvicorn
from fastapi import FastAPI
from playwright.sync_api import Error, Locator, Page, sync_playwright
from playwright.sync_api import expect as at_once

from oskren.api.app import make_app
from oskren.core.audio import files
from tests.support import PATIENCE_S, RATE, noise, own_port, struck

CHROMIUM = next((path for path in ("/usr/bin/chromium-headless-shell", "/usr/bin/chromium") if Path(path).exists()), "/usr/bin/chromium")
"""Debian's Chromium without the parts that only a window needs, where that is installed: a page is there in two thirds of the time."""

ARGUMENTS = [
    "--no-sandbox",
    "--disable-background-networking",
    "--disable-quic",
    "--disable-component-update",
    "--disable-sync",
    "--autoplay-policy=no-user-gesture-required",
    "--use-fake-device-for-media-stream",
    "--use-fake-ui-for-media-stream",
]
HITS = (0.6, 1.5, 2.4, 3.3)
TAKE_S = 4.2

at_once.set_options(timeout=1000 * PATIENCE_S)

LAST_LOOK_MS = 200.0


class Expecting:
    """Playwright's assertions about elements, which are waited for before.

    Without that Playwright draws up the accessible tree of the whole page, for a message nobody reads, at every look at what is not there yet:
    a sixth of all that the stories compute.
    """

    def __init__(self, target: Locator):
        self._target = target

    def __getattr__(self, name: str) -> Any:
        check = getattr(at_once(self._target), name)
        if name.startswith("not_") or name in ("to_have_count", "to_be_hidden"):
            return check

        def checked(*arguments: Any, **options: Any) -> None:
            try:
                self._target.first.wait_for(state="visible" if name == "to_be_visible" else "attached", timeout=options.get("timeout"))
            except Error:  # the assertion says what is wrong
                options["timeout"] = LAST_LOOK_MS
            check(*arguments, **options)

        return checked


def expect(target: Locator) -> Any:
    """What is asserted of an element; it waits until that is so."""
    return Expecting(target)


def microphone_take() -> np.ndarray:
    """What the fake microphone plays, over and over: four hits over a quiet floor."""
    out = noise(TAKE_S, -64)
    for k, at in enumerate(HITS):
        out[round(at * RATE) : round(at * RATE) + RATE // 2] += struck(0.5, 0.05, seed=k)
    return out


class InBrowser(unittest.TestCase):
    """One server and one browser for the class; every test has a fresh page."""

    folder: Path
    port: int
    app: FastAPI

    @classmethod
    def prepare(cls, home: Path) -> None:
        """Fill the home before the server starts."""

    @classmethod
    def microphone(cls) -> tuple[np.ndarray, int]:
        """What the fake microphone plays, and its rate."""
        return microphone_take(), RATE

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        files.write(cls.folder / "microphone.wav", *cls.microphone(), 16)
        cls.prepare(cls.folder / "home")
        cls.port = own_port()
        cls.serve()
        playwright = sync_playwright().start()
        cls.addClassCleanup(playwright.stop)
        capture = f"--use-file-for-fake-audio-capture={cls.folder / 'microphone.wav'}"
        cls.browser = playwright.chromium.launch(executable_path=CHROMIUM, args=[*ARGUMENTS, capture])
        cls.addClassCleanup(cls.browser.close)

    @classmethod
    def serve(cls) -> None:
        """Start the server, and end it with the class."""
        cls.app = make_app(cls.folder / "home")
        server = uvicorn.Server(uvicorn.Config(cls.app, port=cls.port, log_level="warning"))
        thread = threading.Thread(target=server.run, daemon=True)
        thread.start()

        def stop() -> None:
            server.should_exit = True
            thread.join(PATIENCE_S)

        cls.addClassCleanup(stop)
        deadline = time.monotonic() + PATIENCE_S
        while not server.started and time.monotonic() < deadline:
            time.sleep(0.02)

    def setUp(self) -> None:
        self.complaints: list[str] = []
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, color_scheme="dark", accept_downloads=True)
        self.addCleanup(context.close)
        context.set_default_timeout(1000 * PATIENCE_S)
        self.page: Page = context.new_page()
        self.page.on("pageerror", lambda error: self.complaints.append(str(error)))
        self.page.on("response", lambda answer: self.complaints.append(f"{answer.status} {answer.url}") if answer.status >= 500 else None)
        self.told: list[str] = []
        """What the server was asked and how it went, the newest last: printed when a story fails."""
        self.page.on("request", lambda one: self.told.append(f"asked {one.method} {one.url}"))
        self.page.on("response", lambda one: self.told.append(f"  {one.status} of {one.request.method} {one.url}"))
        self.page.on("requestfailed", lambda one: self.told.append(f"  {one.failure} of {one.method} {one.url}"))
        self.page.goto(f"http://127.0.0.1:{self.port}/")
        expect(self.page.get_by_role("navigation", name="Stages")).to_be_visible()

    def tearDown(self) -> None:
        result = self._outcome.result  # type: ignore[attr-defined]
        if any(one is self for one, _ in result.failures + result.errors):
            print(*self.told[-80:], self.page.locator("body").aria_snapshot(), sep="\n")
        self.assertEqual(self.complaints, [])

    def api(self, address: str) -> Any:
        return httpx.get(f"http://127.0.0.1:{self.port}/api/{address}", timeout=90).raise_for_status().json()

    def stage(self, name: str) -> None:
        self.page.get_by_role("navigation", name="Stages").get_by_role("link", name=name).click()

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def pick(self, label: str, option: str | re.Pattern[str], within: Page | Locator | None = None) -> None:
        """Choose from a folded choice by the mouse."""
        (within or self.page).get_by_role("combobox", name=label, exact=True).click()
        exact = isinstance(option, str)
        self.page.get_by_role("option", name=option, exact=exact).click()

    def one_of(self, option: str) -> None:
        """Choose one of a few that stand side by side."""
        self.page.get_by_role("radiogroup").get_by_text(option, exact=True).click()

    def tick(self, name: str) -> None:
        """Say yes or no to something by the mouse."""
        self.page.locator("label", has=self.page.get_by_role("checkbox", name=name, exact=True)).click()

    def turn(self, name: str) -> None:
        """Turn something on or off by the mouse."""
        self.page.locator("label", has=self.page.get_by_role("switch", name=name, exact=True)).click()

    def new_library(self, name: str) -> None:
        self.pick("Library", "New library …")
        self.page.get_by_label("Name of the new library").fill(name)
        self.press("Enter")
        # the library before may be empty too
        expect(self.page.get_by_role("combobox", name="Library", exact=True)).to_contain_text(name)
        expect(self.page.get_by_text("This library holds no sounds yet")).to_be_visible()

    def choose(self, name: str) -> None:
        """Search a sound in Gather and select it."""
        self.stage("Gather")
        self.page.get_by_label("Search the sounds").fill(f'"{name}"')
        # a row of a list that is still narrowing moves away from under the mouse
        expect(self.page.locator("[data-sound]").first).to_contain_text(name)
        self.page.locator("[data-sound]", has_text=name).first.click()
        expect(self.page.get_by_label("Name", exact=True)).to_have_value(name)

    def sounding(self) -> None:
        """Wait until the playhead moves: something is heard."""
        moved = """() => {
            // before anything was heard there is none
            const now = document.querySelector('[data-testid=position]')?.textContent;
            const was = window.was;
            window.was = now;
            return was && now && was !== now;
        }"""
        self.page.evaluate("window.was = null")
        self.page.wait_for_function(moved, polling=120)

    def kept(self, address: str, expression: str, patience_s: float = PATIENCE_S) -> None:
        """Wait until what the server keeps at an address (``it``) fulfils a JavaScript expression; what it asks about may not be there yet."""
        # not wait_for_function: to that a promise is as good as true
        asked = f"try {{ return Boolean({expression}); }} catch (error) {{ if (error instanceof TypeError) return false; throw error; }}"
        body = f"async (address) => {{ const it = await (await fetch(address)).json(); {asked} }}"
        deadline = time.monotonic() + patience_s
        while not self.page.evaluate(body, f"/api/{address}"):
            self.assertLess(time.monotonic(), deadline, f"{address} never fulfils {expression}")
            self.page.wait_for_timeout(60)

    def drag(self, target: Locator, start: float, end: float, height: float = 0.3) -> None:
        """Drag over an element between two shares of its width, once it shows what it is of."""
        expect(target).not_to_have_attribute("aria-busy", "true")
        box = target.bounding_box()
        assert box is not None
        y = box["y"] + box["height"] * height
        self.page.mouse.move(box["x"] + box["width"] * start, y)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + box["width"] * (start + end) / 2, y, steps=4)
        self.page.mouse.move(box["x"] + box["width"] * end, y, steps=4)
        self.page.mouse.up()

    def add_step(self, wish: str, answer: str) -> Locator:
        """Add the step that answers a wish best, by keys alone; its panel."""
        self.press("a")
        field = self.page.get_by_label("What should it do?")
        expect(field).to_be_focused()
        field.fill(wish)
        expect(self.page.get_by_role("listbox", name="Steps to add").get_by_role("option").first).to_have_accessible_name(answer)
        self.press("Enter")
        return self.page.locator("[data-step]").last
