"""Runs all tests: the first minute alone, since it times a start; then two batches at a time, the stories in the browser first.

``python tools/run_tests.py [name ...]`` runs some modules.
"""

from __future__ import annotations

import queue
import re
import subprocess
import sys
import threading
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
ALONE = "tests.test_first_minute"
FIRST = ("tests.browser.", "tests.test_no_harm", "tests.test_jobs", "tests.test_cli", "tests.api.")
"""What takes longest begins first."""

LANES = 2

TOGETHER = {"tests.core", "tests.reference", "tests.store", "tests.devices", "tests.api"}
"""Folders whose modules share a process."""


def modules() -> list[str]:
    """Every test module, by its dotted name."""
    found = [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in sorted((ROOT / "tests").rglob("test_*.py"))]
    return sorted(found, key=lambda name: (next((place for place, one in enumerate(FIRST) if name.startswith(one)), len(FIRST)), name))


def batches(modules: list[str]) -> list[tuple[str, list[str]]]:
    """What runs in one process, by name: all of a folder where tests need none of their own, so that numpy and scipy are loaded once; else each module."""
    found: dict[str, list[str]] = {}
    for module in modules:
        folder = ".".join(module.split(".")[:2])
        found.setdefault(folder if folder in TOGETHER else module, []).append(module)
    return [(name if len(some) > 1 else some[0], some) for name, some in found.items()]


class Lane(threading.Thread):
    """Takes one batch after the other, each in a process of its own; several lanes share what is left to do."""

    def __init__(self, left: queue.SimpleQueue[tuple[str, list[str]]], say: threading.Lock):
        super().__init__()
        self.left, self.say = left, say
        self.ran = self.failed = 0
        self.wrong: list[str] = []

    def run(self) -> None:
        while True:
            try:
                name, some = self.left.get_nowait()
            except queue.Empty:
                return
            begun = time.monotonic()
            # what needs no browser steps back: else the workers of the app in the browser, which do, would wait for it
            nice = "0" if name.startswith("tests.browser.") or name == ALONE else "10"
            command = ["nice", "-n", nice, sys.executable, "-W", "error::SyntaxWarning", "-m", "unittest", "-v", *some]
            done = subprocess.run(command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, stdin=subprocess.DEVNULL)
            count = re.search(r"^Ran (\d+) tests?", done.stdout, re.M)
            said = re.search(r"^FAILED \((.*)\)", done.stdout, re.M)
            failed = sum(int(number) for number in re.findall(r"(?:failures|errors|unexpected successes)=(\d+)", said[1])) if said else 0
            if done.returncode and not failed:
                failed = 1  # it did not come as far as counting
            self.ran += int(count[1]) if count else 0
            self.failed += failed
            with self.say:
                print(f"{name}: {count[0] if count else 'ran nothing'} in {time.monotonic() - begun:.0f} s, {failed} failed", flush=True)
                if done.returncode:
                    self.wrong.append(name)
                    print(done.stdout, flush=True)


def main(wanted: list[str]) -> int:
    """Run the batches; 0 when every test passed and some ran."""
    found = [name for name in modules() if not wanted or any(name == one or name.startswith(f"{one}.") for one in wanted)]
    say, begun = threading.Lock(), time.monotonic()
    every: list[Lane] = []
    for some, count in (([name for name in found if name == ALONE], 1), ([name for name in found if name != ALONE], LANES)):
        left: queue.SimpleQueue[tuple[str, list[str]]] = queue.SimpleQueue()
        for batch in batches(some):
            left.put(batch)
        lanes = [Lane(left, say) for _ in range(count)]
        for lane in lanes:
            lane.start()
        for lane in lanes:
            lane.join()
        every += lanes
    ran, failed = sum(lane.ran for lane in every), sum(lane.failed for lane in every)
    wrong = [name for lane in every for name in lane.wrong]
    print(f"{len(found)} modules in {time.monotonic() - begun:.0f} s" + (f"; failed: {', '.join(wrong)}" if wrong else ""))
    print(f"{ran - min(ran, failed)} passed, {failed} failed")
    return 1 if wrong or not ran else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
