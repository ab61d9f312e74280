"""The page: how soon a reload shows the first rows of the table, and how long the browser is busy at a stretch while it loads and while rows scroll."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.rows import Row
from bench.served import served
from bench.stack import sounds
from oskren.store import Home
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import import_paths
from tests.browser.support import ARGUMENTS, CHROMIUM

SOUNDS = 600
LOADS = 30
SCROLLED_PX = 2400
"""A second of scrolling."""

WATCH = """
    window.tasks = [];
    new PerformanceObserver((list) => { for (const one of list.getEntries()) window.tasks.push(one.duration); }).observe({type: 'longtask', buffered: true});
    const look = () => {
        if (document.querySelector('[data-sound]')) window.first = performance.now();
        else requestAnimationFrame(look);
    };
    requestAnimationFrame(look);
"""


def _load(page: Page, address: str) -> tuple[float, float]:
    """Milliseconds to the first rows, and of the longest task until all is at rest (0: none over 50)."""
    page.goto(address)
    page.wait_for_function("() => window.first")
    page.wait_for_timeout(900)
    return page.evaluate("window.first"), page.evaluate("Math.max(0, ...window.tasks)")


def _scroll(page: Page) -> float:
    """Milliseconds of the longest task while the table scrolls for a second."""
    page.evaluate("window.tasks = []")
    page.locator("[data-sound]").first.hover()
    for _ in range(SCROLLED_PX // 40):
        page.mouse.wheel(0, 40)
        page.wait_for_timeout(16)
    return float(page.evaluate("Math.max(0, ...window.tasks)"))


def bench_page(folder: Path) -> Row:
    """Loads one page again and again in headless Chromium."""
    (folder / "in").mkdir()
    sounds(folder / "in", SOUNDS)
    studio = Studio(Home(folder / "home"))
    import_paths(studio, studio.home.library("Many", create=True), [folder / "in"], "in")
    studio.close()
    with served(folder / "home") as address, sync_playwright() as playwright:
        context = playwright.chromium.launch_persistent_context(
            folder / "browser", executable_path=CHROMIUM, args=ARGUMENTS, viewport={"width": 1280, "height": 800}
        )
        context.add_init_script(WATCH)
        page = context.new_page()
        gather = f"{address}/gather"
        first_visit = _load(page, gather)
        for _ in range(3):  # the browser keeps what it compiled from the third load on
            _load(page, gather)
        firsts, longest = np.array([_load(page, gather) for _ in range(LOADS)]).T
        scrolled = max(_scroll(page) for _ in range(5))
        context.close()
    return (
        f"the page loaded again, scripts in the browser's cache, to the first rows of {SOUNDS}",
        "under 0.7 s, no task over 100 ms, nor while scrolling",
        f"{np.median(firsts) / 1000:.2f} s (median of {LOADS}, {firsts.min() / 1000:.2f} to {firsts.max() / 1000:.2f} s); "
        f"longest task {np.median(longest):.0f} ms (median; over 100 ms in {int((longest > 100).sum())} loads); "
        f"scrolling {SCROLLED_PX} pixels a second {scrolled:.0f} ms",
        f"the first visit, nothing cached: {first_visit[0] / 1000:.2f} s, {first_visit[1]:.0f} ms",
        f"{first_visit[0] / np.median(firsts):.1f}x",
    )


ALL = {"page": bench_page}

if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as place:
        print(" | ".join(bench_page(Path(place))))
