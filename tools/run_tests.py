"""Runs all tests: the first minute alone, since it times a start; then the stories in the browser and everything else side by side.

``python tools/run_tests.py [name ...]`` runs some modules.
"""

from __future__ import annotations

import re
import subprocess
import sys
import threading
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
ALONE = "tests.test_first_minute"
FIRST = ("tests.test_no_harm", "tests.test_work")
"""What takes longest begins first."""


def modules() -> list[str]:
    """Every test module, by its dotted name."""
    found = [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in sorted((ROOT / "tests").rglob("test_*.py"))]
    return sorted(found, key=lambda name: (FIRST.index(name) if name in FIRST else len(FIRST), name))


class Group(threading.Thread):
    """Modules run one after the other, each in a process of its own, so that one server and one browser live at a time."""

    def __init__(self, name: str, modules: list[str], say: threading.Lock, nice: int = 0):
        super().__init__(name=name)
        self.modules, self.say, self.nice = modules, say, nice
        self.ran = self.failed = 0
        self.wrong: list[str] = []

    def run(self) -> None:
        for module in self.modules:
            begun = time.monotonic()
            command = ["nice", "-n", str(self.nice), sys.executable, "-W", "error::SyntaxWarning", "-m", "unittest", "-v", module]
            done = subprocess.run(command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, stdin=subprocess.DEVNULL)
            count = re.search(r"^Ran (\d+) tests?", done.stdout, re.M)
            said = re.search(r"^FAILED \((.*)\)", done.stdout, re.M)
            failed = sum(int(number) for number in re.findall(r"(?:failures|errors|unexpected successes)=(\d+)", said[1])) if said else 0
            if done.returncode and not failed:
                failed = 1  # it did not come as far as counting
            self.ran += int(count[1]) if count else 0
            self.failed += failed
            with self.say:
                print(f"{module}: {count[0] if count else 'ran nothing'} in {time.monotonic() - begun:.0f} s, {failed} failed", flush=True)
                if done.returncode:
                    self.wrong.append(module)
                    print(done.stdout, flush=True)


def main(wanted: list[str]) -> int:
    """Run the groups; 0 when every test passed and some ran."""
    found = [name for name in modules() if not wanted or any(name == one or name.startswith(f"{one}.") for one in wanted)]
    say = threading.Lock()
    browser = [name for name in found if name.startswith("tests.browser.")]
    alone = Group("alone", [name for name in found if name == ALONE], say)
    rest = [name for name in found if name not in (*browser, ALONE)]
    # the rest steps back: else the workers of the app in the browser, which do, would wait for another group's tests
    beside = [Group("browser", browser, say), Group("rest", rest, say, nice=10)]
    begun = time.monotonic()
    for turn in ([alone], beside):
        for group in turn:
            group.start()
        for group in turn:
            group.join()
    groups = [alone, *beside]
    ran, failed = sum(group.ran for group in groups), sum(group.failed for group in groups)
    wrong = [name for group in groups for name in group.wrong]
    print(f"{len(found)} modules in {time.monotonic() - begun:.0f} s" + (f"; failed: {', '.join(wrong)}" if wrong else ""))
    print(f"{ran - min(ran, failed)} passed, {failed} failed")
    return 1 if wrong or not ran else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
