"""Takes one picture of every main view from the demo data: ``python -m tools.screenshots docs/screenshots``."""

from __future__ import annotations

import shutil
import sys
import tempfile
import threading
from pathlib import Path

import uvicorn
from playwright.sync_api import Page, sync_playwright

from oskren.api.app import make_app
from oskren.api.serving import free_port
from oskren.demo.build import build
from tests.browser.support import ARGUMENTS, CHROMIUM


def stage(page: Page, name: str) -> None:
    page.get_by_role("link", name=name).click()


def pick(page: Page, label: str, option: str = "") -> None:
    """Choose from a folded choice: the option of that name, else the second."""
    page.get_by_role("combobox", name=label, exact=True).click()
    listed = page.get_by_role("option")
    (page.get_by_role("option", name=option, exact=True) if option else listed.nth(1)).click()


def pictures(page: Page, out: Path) -> None:
    def take(name: str, settle: int = 700) -> None:
        page.wait_for_timeout(settle)
        page.screenshot(path=out / f"{name}.png")

    page.wait_for_selector("[data-sound]")
    page.get_by_label("Search the sounds").fill("glass")
    page.wait_for_timeout(900)
    page.get_by_text("Furnace door, glass creak 1").first.click()
    take("gather", 1600)
    page.get_by_label("Search the sounds").fill("glass where length under 3 s and strength at least 2")
    page.get_by_label("Value 1 of strength").wait_for()
    page.locator("[data-sound]").nth(0).click()
    page.locator("[data-sound]").nth(3).click(modifiers=["Shift"])
    take("gather-bulk", 1200)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Clear", exact=True).click()
    page.get_by_label("Search the sounds").fill("storm")
    page.get_by_text("Lamp gallery, storm 5.1").first.click()
    page.get_by_label("solo Ls").click()
    page.get_by_role("button", name="Output").click()
    take("gather-channels", 2200)
    page.get_by_label("solo Ls").click()
    page.get_by_role("button", name="Output").click()
    page.get_by_role("button", name="Clear", exact=True).click()
    page.keyboard.press("i")
    take("gather-import", 900)
    page.keyboard.press("Escape")
    page.get_by_role("region", name="Import").wait_for(state="hidden")
    page.keyboard.press("r")
    page.get_by_role("button", name="Arm").click()
    page.get_by_role("button", name="Start take").click()
    take("record", 1800)
    page.get_by_role("button", name="End take").click()
    page.get_by_text("is in the library").wait_for()
    page.keyboard.press("Escape")
    page.get_by_role("status").get_by_role("button", name="Close").click()
    page.keyboard.press("6")
    page.get_by_label("glass creaks, slow: open").click()
    take("gather-wanted", 900)
    page.keyboard.press("Escape")
    page.keyboard.press("r")
    page.get_by_role("button", name="Field recorder").click()
    page.get_by_role("button", name="Switch on").click()
    page.get_by_role("button", name="Recorder on").wait_for()
    pick(page, "Place", "Lamp gallery")
    page.get_by_role("button", name="Start take").click()
    page.get_by_role("button", name="Geared brass").click()
    take("gather-recorder", 1900)
    page.get_by_role("button", name="End take").click()
    page.get_by_role("button", name="Offload the card").click()
    page.get_by_role("region", name="Offload a card").wait_for()
    page.get_by_label("Place", exact=True).fill("Glasshouse to causeway")
    page.get_by_label("Place", exact=True).press("Enter")
    take("gather-card", 900)
    page.keyboard.press("Escape")
    page.get_by_label("Search the sounds").fill("RAW herons over reeds")
    page.get_by_text("RAW herons over reeds, wind").first.click()
    page.get_by_role("button", name="Arrival", exact=True).click()
    page.get_by_text("RAW herons over reeds, wind").first.click()
    page.get_by_role("button", name="Clear filters").click()
    page.get_by_label("Search the sounds").fill("kiln prop")
    page.get_by_text("RAW kiln prop session, hiss").first.click()
    page.get_by_text("RAW kiln prop session, hiss").first.click()
    page.keyboard.press("e")
    page.get_by_role("heading", name="RAW kiln prop session, hiss").wait_for()
    for kind in ("Bumps away", "High-pass", "Noise reduction"):
        page.get_by_role("button", name="Add step").click()
        page.get_by_role("option", name=kind).click()
    page.get_by_text("Learned from the quietest stretch").wait_for()
    page.get_by_role("button", name="Keep state").click()
    page.get_by_role("status").get_by_role("button", name="Close").click()
    take("mend", 2500)
    pick(page, "Review reel")
    page.get_by_text("events over").nth(2).wait_for(timeout=60_000)
    page.keyboard.press("ArrowDown")
    page.wait_for_timeout(500)
    page.keyboard.press("ArrowDown")
    page.wait_for_timeout(900)
    page.keyboard.press("k")
    page.keyboard.press("F2")
    page.keyboard.type("hinge slow")
    page.keyboard.press("Enter")
    take("mend-reel", 2500)
    page.keyboard.press("Space")
    stage(page, "Stack")
    page.get_by_role("region", name="Designs").get_by_role("button", name="Orrery unlocks").click()
    page.locator("[data-layer]").nth(3).click(position={"x": 60, "y": 12})
    page.wait_for_selector("[data-clip]")
    page.get_by_text("from the strike line").wait_for()
    page.get_by_role("tab", name="Curves").click()
    pick(page, "What the curve moves", "Pitch")
    page.get_by_label("Points of the curve").fill("0.1 0, 0.9 1.8, 1.6 0.6, 2.1 -2")
    page.get_by_label("Points of the curve").press("Enter")
    page.wait_for_timeout(3500)
    page.keyboard.press("Space")
    take("stack", 3000)
    page.keyboard.press("Space")
    page.get_by_role("tab", name="Layer", exact=True).click()
    page.keyboard.press("a")
    page.get_by_label("What should it do?").fill("cathedral")
    page.get_by_role("option", name="Space, cathedral").click()
    page.get_by_test_id("picture").scroll_into_view_if_needed()
    page.locator("[data-step=space]").evaluate("element => element.scrollIntoView({ block: 'start' })")
    take("stack-steps", 4000)
    page.keyboard.press("Control+z")
    page.get_by_role("button", name="Perform").click()
    page.get_by_test_id("keys-ready").filter(has_text="5 keys").wait_for()
    page.keyboard.press("Enter")
    for key in "qwerwqteqrwwqe":
        page.keyboard.press(key)
        page.wait_for_timeout(160)
    page.keyboard.press("Enter")
    take("perform", 600)
    page.keyboard.press("Escape")
    stage(page, "Vary")
    page.locator("[data-draw='7']").click()
    take("vary", 1200)
    stage(page, "Slice")
    page.wait_for_selector("[data-slice]")
    page.locator("[data-slice]").nth(4).click()
    page.get_by_role("tab", name="Finish").click()
    page.get_by_test_id("finished").filter(has_text="LUFS").wait_for()
    take("slice", 1500)
    stage(page, "Ship")
    pick(page, "Shipments")
    take("ship-report", 900)
    page.get_by_role("button", name="Back to the sheet").click()
    stage(page, "Gather")
    page.get_by_label("Search the sounds").fill("ring")
    page.get_by_text("Bell jar, rim ring").first.wait_for()
    for _ in range(3):
        page.keyboard.press("ArrowDown")
        page.wait_for_timeout(400)
        page.keyboard.press("j")
    stage(page, "Ship")
    take("ship")
    stage(page, "Picture")
    page.get_by_role("region", name="Scenes and films").get_by_role("button", name="The dome wakes").first.click()
    page.wait_for_selector("[data-clip]")
    page.get_by_role("button", name="Balance").click()
    page.get_by_role("listbox", name="Balance pass").get_by_role("option").nth(3).wait_for()
    page.locator("[data-cue]").nth(2).click()
    page.get_by_role("listbox", name="Candidates").get_by_role("option").first.wait_for()
    take("picture", 2500)
    stage(page, "Gather")
    page.wait_for_selector("[data-sound]")
    page.get_by_role("button", name="Clear", exact=True).click()
    page.get_by_role("button", name="Paper").click()
    page.wait_for_selector("[data-sound]")
    page.locator("[data-sound]").nth(7).click()
    take("gather-paper", 1500)


def main() -> None:
    out = Path(sys.argv[1])
    out.mkdir(parents=True, exist_ok=True)
    home = Path(tempfile.gettempdir()) / "oskren-demo"  # it is seen in the pictures
    shutil.rmtree(home, ignore_errors=True)
    try:
        build(home, print)
        port = free_port("127.0.0.1", 4790)
        server = uvicorn.Server(uvicorn.Config(make_app(home), port=port, log_level="warning"))
        threading.Thread(target=server.run, daemon=True).start()
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800}, color_scheme="dark")
            page.goto(f"http://127.0.0.1:{port}/")
            pictures(page, out)
            browser.close()
        server.should_exit = True
    finally:
        shutil.rmtree(home, ignore_errors=True)


if __name__ == "__main__":
    main()
