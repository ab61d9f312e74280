"""What the browser mirrors of the core gives what the core gives: the core's cases, replayed in Chromium."""

import itertools
import json
import math
import random
import subprocess
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import Page, sync_playwright

from oskren.core.steps.base import Context
from oskren.core.steps.edges import Fade, FadeParams
from oskren.core.timecode import FRAME_RATES, code_of, frame_of, moment_of, recounted
from tests.browser.support import ARGUMENTS, CHROMIUM
from tests.mirrored import cases

WEB = Path(__file__).parents[2] / "web"
MIRRORS = ("mix/edits", "mix/envelope", "mix/fresh", "mix/lanes", "mix/line", "mix/velocity", "canvas/axis", "canvas/fades")
SHOWN = ("canvas/ruler", "stages/picture/frames")
"""What only the browser does, and is checked here by itself."""

ENTRY = "".join(f'export * from "{WEB / "src" / name}";\n' for name in (*MIRRORS, *SHOWN))


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
    page: Page

    @classmethod
    def setUpClass(cls) -> None:
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        playwright = cls.enterClassContext(sync_playwright())
        entry, built = folder / "entry.ts", folder / "mix.js"
        entry.write_text(ENTRY)
        command = [str(WEB / "node_modules" / ".bin" / "rolldown"), str(entry), "--file", str(built), "--format", "iife", "--name", "mix"]
        subprocess.run(command, check=True, capture_output=True, timeout=120)
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        cls.addClassCleanup(browser.close)
        cls.page = browser.new_page()
        cls.page.add_script_tag(content=built.read_text())

    def answers(self, name: str, given: list[list[Any]]) -> list[Any]:
        """What a function of the front end gives for each list of arguments."""
        call = "([name, all]) => all.map((given) => (typeof mix[name] === 'function' ? mix[name](...given) : mix[name]))"
        answers: list[Any] = self.page.evaluate(call, [name, given])
        return answers

    def test_the_browser_edits_as_the_core_does(self) -> None:
        wanted = json.loads(json.dumps(cases()))
        self.assertGreater(sum(map(len, wanted.values())), 500)
        for name, pairs in wanted.items():
            with self.subTest(function=name):
                self.assertTrue(pairs)
                given = self.answers(name, [arguments for arguments, _ in pairs])
                for (arguments, result), answer in zip(pairs, given, strict=True):
                    if not same(result, answer):
                        self.fail(f"{name}({json.dumps(arguments)[:400]}) gives {json.dumps(answer)[:600]}, the core {json.dumps(result)[:600]}")

    def test_fades_are_heard_as_they_are_written(self) -> None:
        """The player fades block by block, from any frame of any part: it gives what the step gives."""
        blocks = """([first, last, size, fade]) => {
            const heard = [];
            for (let from = first; from < last; from += size) {
                const side = new Float32Array(Math.min(size, last - from)).fill(1);
                mix.fadeEnds([side], from, [first, last], 1000, fade);
                heard.push(...side);
            }
            return heard;
        }"""
        some = (
            FadeParams(),
            FadeParams(in_s=0.4),
            FadeParams(in_s=0.7, out_s=0.6, in_shape="logarithmic", out_shape="sine"),
            FadeParams(out_s=9.0, out_shape="linear"),
            FadeParams(in_s=0.0101, out_s=0.0004, out_shape="exponential"),
        )
        for fade, (first, last, size) in itertools.product(some, ((0, 1000, 1000), (123, 880, 97), (5, 6, 4))):
            with self.subTest(fade=fade, first=first, last=last):
                heard = self.page.evaluate(blocks, [first, last, size, fade.model_dump()])
                count = last - first
                wanted = Fade().stream(fade, {}, Context(1000, 1, count), 0).push(np.ones((count, 1), np.float32))
                np.testing.assert_allclose(heard, wanted[:, 0], atol=1e-6)

    def test_time_code_is_the_cores(self) -> None:
        chance = random.Random(4)
        for name, rate in FRAME_RATES.items():
            second = rate.nominal
            near = (0, 1, second - 1, second, 60 * second - 1, 60 * second, 599 * second, 600 * second, 3600 * second)
            frames = [*near, *(chance.randrange(10 * 3600 * second) for _ in range(300))]
            wanted = [code_of(frame, rate) for frame in frames]
            starts = [moment_of(frame, rate) for frame in frames]
            with self.subTest(rate=name):
                self.assertEqual(self.answers("timeCode", [[at, name] for at in starts]), wanted)
                # until the next one is on it stays
                self.assertEqual(self.answers("timeCode", [[at + 0.98 / float(rate.rate), name] for at in starts]), wanted)
                self.assertEqual(self.answers("timeCode", [[-at, name] for at in starts if at]), [code_of(-frame, rate) for frame in frames if frame])
                [given] = self.answers("frameRate", [[name]])
                self.assertEqual(given, {"exact": float(rate.rate), "nominal": rate.nominal, "dropped": rate.dropped})

    def test_time_code_is_read_as_the_core_reads_it(self) -> None:
        chance = random.Random(6)
        for name, rate in FRAME_RATES.items():
            start = frame_of("01:00:00:00", rate)
            scene = {"frame_rate": name, "start": start, "frames": 10**7}
            frames = [0, 1, 1799, 1800, *(chance.randrange(3600 * rate.nominal) for _ in range(200))]
            codes = [code_of(start + frame, rate) for frame in frames]
            with self.subTest(rate=name):
                self.assertEqual(self.answers("codeOf", [[frame, scene] for frame in frames]), codes)
                self.assertEqual(self.answers("frameOf", [[code, scene] for code in codes]), frames)
                # short forms are completed from the first frame's, or from the end on
                self.assertEqual(self.answers("frameOf", [["7:05", scene], ["12 f", scene], ["1:07:05", scene]])[:2], [7 * rate.nominal + 5, 12])
                none = ["", "7", "1:2:3:4:5", f"00:00:00:{rate.nominal}", "00:00:60:00", "01:60:00:00", *(["01:01:00;00"] if rate.dropped else [])]
                self.assertEqual(self.answers("frameOf", [[text, scene] for text in none]), [None] * len(none))

    def test_a_first_frame_keeps_its_time_code_when_it_is_counted_otherwise(self) -> None:
        for one, other in (("29.97", "29.97 drop"), ("59.94", "59.94 drop")):
            for code in ("00:00:00:00", "01:00:00:00", "01:01:00:00", "10:09:59:29", "00:10:00:00", "00:01:00:04"):
                start = frame_of(code, FRAME_RATES[one])
                dropped = recounted(start, FRAME_RATES[one], FRAME_RATES[other])
                scene = {"frame_rate": one, "start": start, "frames": 100}
                self.assertEqual(self.answers("recounted", [[scene, other]]), [dropped])
                back = recounted(dropped, FRAME_RATES[other], FRAME_RATES[one])
                self.assertEqual(self.answers("recounted", [[scene | {"frame_rate": other, "start": dropped}, one]]), [back])
                if code[3:] != "01:00:00":  # that number is left out, and became the next
                    self.assertEqual(back, start)

    def test_moments_in_every_unit(self) -> None:
        wanted = {"seconds": "83.250 s", "minutes": "1:23.250", "samples": "3\u2009996\u2009000", "code 24": "00:01:23:06", "code 29.97 drop": "00:01:23;07"}
        for unit, said in wanted.items():
            self.assertEqual(self.answers("inUnit", [[83.25, unit, 48_000]]), [said])

    def test_marks_of_a_ruler_fill_its_view_and_have_room(self) -> None:
        chance = random.Random(7)
        for unit in ("fitting", "seconds", "minutes", "samples", "code 24", "code 29.97", "code 59.94 drop"):
            for _ in range(60):
                start, span, width = chance.uniform(-5, 4000), 10 ** chance.uniform(-3, 3.8), chance.uniform(200, 2400)
                rate = chance.choice((8000, 44_100, 48_000, 96_000))
                [marks] = self.answers("marks", [[[start, start + span], width, unit, rate, 100]])
                at = [mark["at"] for mark in marks]
                with self.subTest(unit=unit, start=start, span=span, width=width):
                    self.assertTrue(all(start - 1e-6 <= one <= start + span + 1e-6 for one in at))
                    self.assertEqual(len({mark["text"] for mark in marks}), len(marks), marks)
                    steps = [later - one for one, later in itertools.pairwise(at)]
                    self.assertTrue(all(step * width / span >= 77.9 for step in steps))
                    if unit == "samples":
                        self.assertTrue(all(abs(one * rate - round(one * rate)) < 1e-4 for one in at))
                    if unit in ("24", "25", "30"):
                        self.assertTrue(all(abs(one * int(unit) - round(one * int(unit))) < 1e-4 for one in at))

    def test_a_difference_would_be_seen(self) -> None:
        self.assertFalse(same({"a": [1.0, {"b": None}]}, {"a": [1.0, {"b": 0}]}))
        self.assertFalse(same([1.0], [1.001]))
        self.assertFalse(same(True, 1.5))


if __name__ == "__main__":
    unittest.main()
