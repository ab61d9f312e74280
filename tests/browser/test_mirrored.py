"""What the browser mirrors of the core gives what the core gives: the core's cases, replayed in Chromium."""

import json
import math
import subprocess
import tempfile
import unittest
from pathlib import Path
from typing import Any

from playwright.sync_api import sync_playwright

from tests.browser.support import ARGUMENTS, CHROMIUM
from tests.mirrored import cases

WEB = Path(__file__).parents[2] / "web"
MIRRORS = ("mix/edits", "mix/envelope", "mix/fades", "mix/fresh", "mix/line", "mix/velocity", "canvas/axis")
ENTRY = "".join(f'export * from "{WEB / "src" / name}";\n' for name in MIRRORS)


def same(one: Any, other: Any) -> bool:
    """Whether two plain values are the same; numbers within a billionth, since both sides round."""
    if isinstance(one, dict) and isinstance(other, dict):
        return one.keys() == other.keys() and all(same(value, other[key]) for key, value in one.items())
    if isinstance(one, list) and isinstance(other, list):
        return len(one) == len(other) and all(map(same, one, other))
    if isinstance(one, int | float) and isinstance(other, int | float) and not isinstance(one, bool):
        return math.isclose(one, other, rel_tol=1e-9, abs_tol=1e-9)
    return bool(one == other)


class Mirrored(unittest.TestCase):
    def test_the_browser_edits_as_the_core_does(self) -> None:
        with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
            entry = Path(folder) / "entry.ts"
            entry.write_text(ENTRY)
            built = Path(folder) / "mix.js"
            command = [str(WEB / "node_modules" / ".bin" / "rolldown"), str(entry), "--file", str(built), "--format", "iife", "--name", "mix"]
            subprocess.run(command, check=True, capture_output=True, timeout=120)
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
            page = browser.new_page()
            page.add_script_tag(content=built.read_text())
            wanted = json.loads(json.dumps(cases()))
            self.assertGreater(sum(map(len, wanted.values())), 500)
            for name, pairs in wanted.items():
                with self.subTest(function=name):
                    self.assertTrue(pairs)
                    call = "([name, all]) => all.map((given) => (typeof mix[name] === 'function' ? mix[name](...given) : mix[name]))"
                    given = page.evaluate(call, [name, [arguments for arguments, _ in pairs]])
                    for (arguments, result), answer in zip(pairs, given, strict=True):
                        if not same(result, answer):
                            self.fail(f"{name}({json.dumps(arguments)[:400]}) gives {json.dumps(answer)[:600]}, the core {json.dumps(result)[:600]}")
            browser.close()

    def test_a_difference_would_be_seen(self) -> None:
        self.assertFalse(same({"a": [1.0, {"b": None}]}, {"a": [1.0, {"b": 0}]}))
        self.assertFalse(same([1.0], [1.001]))
        self.assertFalse(same(True, 1.5))


if __name__ == "__main__":
    unittest.main()
