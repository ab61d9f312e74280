"""A library of a few demo sounds and the helpers stories of Stack share."""

import re
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from playwright.sync_api import Locator

from oskren.core.audio import files
from oskren.demo.scenario import RECORDINGS
from oskren.store import Home
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import import_paths
from tests.browser.support import InBrowser, expect
from tests.support import RATE, sine

NAMES = ("Flywheel, drag", "Bolt drop", "Floor plate, knock", "Brass ratchet, slow", "Brass ratchet, quick", "Dome glass, ring", "Latch, double click")
HERE = "lib/orrery"


class OnTheBench(InBrowser):
    """One library with a few sounds; every test begins without designs."""

    @classmethod
    def prepare(cls, home: Path) -> None:
        folder = home.parent / "sounds"
        for number, recording in enumerate(one for one in RECORDINGS if one.name in NAMES):
            files.write(folder / f"{recording.name}.wav", recording.render(900 + number), recording.rate, 24)
        for hz in (220, 330):
            files.write(folder / f"Tone {hz}.wav", sine(hz, 2.0, -12), RATE, 24)
        files.write(folder / "Too loud.wav", sine(110, 0.5, 3), RATE, 32)
        studio = Studio(Home(home))
        try:
            import_paths(studio, studio.home.library("Orrery", create=True), [folder], "Orrery")
        finally:
            studio.close()

    def setUp(self) -> None:
        super().setUp()
        expect(self.page.locator("[data-sound]").first).to_be_visible()
        self.base = f"http://127.0.0.1:{self.port}/api/{HERE}"
        for design in self.api(f"{HERE}/designs"):
            httpx.delete(f"{self.base}/documents/design/{design['id']}").raise_for_status()
        for plugin in self.api("plugins"):
            httpx.delete(f"http://127.0.0.1:{self.port}/api/plugins/{plugin['key']}").raise_for_status()
        for row in self.api(f"{HERE}/sounds?q=where kind print")["rows"]:
            httpx.patch(f"{self.base}/sounds/{row['id']}", json={"trashed": True}, timeout=90)

    # ---- over the API

    def post(self, address: str, body: Any) -> Any:
        return httpx.post(f"{self.base}/{address}", json=body, timeout=60).raise_for_status().json()

    def put(self, address: str, body: Any) -> None:
        httpx.put(f"{self.base}/{address}", json=body, timeout=60).raise_for_status()

    def sound(self, name: str) -> int:
        return next(row["id"] for row in self.api(f"{HERE}/sounds?limit=200")["rows"] if row["name"] == name)

    def layer(self, name: str, **values: Any) -> dict[str, Any]:
        return self.api(f"{HERE}/stack/layer?sound={self.sound(name)}") | {"id": name.split(",")[0].lower().replace(" ", "-"), **values}

    def design(self, *layers: dict[str, Any], name: str = "Bench", **values: Any) -> int:
        return int(self.post("designs", {"name": name, "mix": {"kind": "mix", "members": layers, **values}})["id"])

    def mix(self, number: int) -> dict[str, Any]:
        return next(one["mix"] for one in self.api(f"{HERE}/designs") if one["id"] == number)

    def heard(self, node: Any) -> tuple[np.ndarray, int, int]:
        opened = self.post("open", {"node": node})
        address = f"http://127.0.0.1:{self.port}/api/heard/{opened['digest']}/block"
        raw = httpx.get(address, params={"start": 0, "frames": min(opened["frames"], 1 << 20)}, timeout=60).content
        return np.frombuffer(raw, np.float32).reshape(-1, opened["channels"]), opened["rate"], opened["zero"]

    # ---- in the interface

    def open(self, name: str = "") -> None:
        """Open Stack with its only design, or with that of a name."""
        self.stage("Stack")
        if name:
            self.page.get_by_role("region", name="Designs").get_by_role("button").filter(has_text=name).click()
        expect(self.page.locator("[data-clip]").first).to_be_visible()

    def head(self, index: int) -> Locator:
        return self.page.locator("[data-layer]").nth(index)

    def choose_layer(self, index: int, *modifiers: str) -> None:
        self.head(index).click(position={"x": 70, "y": 14}, modifiers=list(modifiers))  # type: ignore[arg-type]

    def kept_mix(self, number: int, expression: str) -> None:
        """Wait until the design as the server keeps it (``mix``) fulfils a JavaScript expression."""
        self.kept(f"{HERE}/designs", f"((mix) => {expression})(it.find((one) => one.id === {number}).mix)")

    def metered(self) -> None:
        expect(self.page.get_by_test_id("sum")).to_have_text(re.compile(r"s-?[\d.]+ dBTP-[\d.]+ LUFS"))

    def drag_by(self, what: Locator, dx: float, dy: float = 0.0, *, alt: bool = False) -> None:
        box = what.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        if alt:
            self.page.keyboard.down("Alt")
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + dx / 2, y + dy / 2, steps=3)
        self.page.mouse.move(x + dx, y + dy, steps=3)
        self.page.mouse.up()
        if alt:
            self.page.keyboard.up("Alt")

    def compared(self, version: str, difference: str) -> Locator:
        """Compare what is now with a version, in words and by ear; the list of versions."""
        page = self.page
        page.get_by_role("button", name=re.compile("^Sum")).click()
        versions = page.get_by_role("region", name="Versions")
        versions.get_by_text(version).click()
        expect(page.get_by_test_id("difference")).to_contain_text(difference)
        self.press("Space")
        self.sounding()
        self.press("'")
        expect(page.get_by_test_id("hearing")).to_have_text(f"hearing {version}")
        self.press("'")
        expect(page.get_by_test_id("hearing")).to_have_count(0)
        return versions
