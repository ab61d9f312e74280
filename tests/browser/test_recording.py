"""Recording in Chromium from a fake microphone: a reload, a lost connection and a killed server lose nothing, sample by sample."""

import itertools
import json
import re
import signal
import subprocess
import sys
import time

import httpx
import numpy as np

from oskren.core.audio import files
from tests.browser.support import InBrowser, expect
from tests.support import PATIENCE_S, struck

RATE = 44_100
"""The rate at which Chromium's fake device hands a file on unchanged."""

BLOCK, WINDOW = 4096, 2048
LOOP_S = 4.2
ONE_STEP = 1.01 / 32_768
"""The fake device works with 16 bit: so far may a sample lie from the file."""

SERVER = """
import sys, uvicorn
from pathlib import Path
from oskren.api.app import make_app
app = make_app(Path(sys.argv[1]))
app.state.takes.quiet_s = float(sys.argv[3])
uvicorn.run(app, port=int(sys.argv[2]), log_level="error")
"""


class Recording(InBrowser):
    """A server in a process of its own, so that it can be killed."""

    @classmethod
    def microphone(cls) -> tuple[np.ndarray, int]:
        random = np.random.default_rng(5)
        return (0.2 * random.standard_normal((round(LOOP_S * RATE), 1))).clip(-0.9, 0.9).astype(np.float32), RATE

    @classmethod
    def serve(cls) -> None:
        cls.start()
        cls.addClassCleanup(lambda: cls.kill(signal.SIGTERM))

    @classmethod
    def start(cls, quiet_s: float = 600.0) -> None:
        cls.server = subprocess.Popen([sys.executable, "-c", SERVER, str(cls.folder / "home"), str(cls.port), str(quiet_s)])
        deadline = time.monotonic() + PATIENCE_S
        while time.monotonic() < deadline:
            try:
                httpx.get(f"http://127.0.0.1:{cls.port}/api/state", timeout=5)
                return
            except httpx.TransportError:
                time.sleep(0.05)
        raise AssertionError("the server does not start")

    @classmethod
    def kill(cls, how: signal.Signals = signal.SIGKILL) -> None:
        cls.server.send_signal(how)
        cls.server.wait(PATIENCE_S)

    def setUp(self) -> None:
        super().setUp()
        name = f"Session {self.id().split('.')[-1][:40]}"
        self.new_library(name)
        self.library = self.page.evaluate("localStorage.getItem('library')")

    def arm(self) -> None:
        self.press("r")
        self.panel = self.page.get_by_role("region", name="Record")
        self.panel.get_by_role("button", name="Arm").click()
        expect(self.panel.get_by_role("button", name="Armed")).to_be_visible()

    def recorded(self, seconds: int) -> None:
        """Wait until a take is at least so long."""
        shown = self.panel.get_by_test_id("take-time")
        expect(shown).to_have_text(re.compile(r"^\d+\.\d s$"))
        longer = "([name, least]) => parseFloat(document.querySelector(`[data-testid=${name}]`)?.textContent ?? '0') >= least"
        self.page.wait_for_function(longer, arg=["take-time", seconds], polling=100)

    def takes(self):  # type: ignore[no-untyped-def]
        return self.api(f"lib/{self.library}/sounds?q=where kind take&sort=name")["rows"]

    def samples(self, number: int) -> np.ndarray:
        answer = httpx.get(f"http://127.0.0.1:{self.port}/api/lib/{self.library}/sounds/{number}/file", timeout=60).raise_for_status()
        path = self.folder / f"{self.library} {number}.wav"
        path.write_bytes(answer.content)
        samples, rate = files.read(path)
        self.assertEqual(rate, RATE)
        return samples

    def assert_unbroken(self, samples: np.ndarray) -> None:
        """The take is what the microphone played, sample by sample, without a block of ours lost, doubled or moved.

        On a busy machine Chromium's fake device itself leaves out or fills in some frames, many times a second at times: at least a tenth of
        the windows must be exact. Ours are blocks of 4096 frames; a step by any number of those is never let pass.
        """
        played = files.read(self.folder / "microphone.wav")[0][:, 0]
        loop, known = np.concatenate([played, played[:WINDOW]]), np.fft.rfft(played)
        offset, rough, windows = -1, 0, len(range(0, len(samples) - WINDOW, WINDOW))
        for at in range(0, len(samples) - WINDOW, WINDOW):
            piece = samples[at : at + WINDOW]
            if offset >= 0 and self.same(piece, loop, (offset + at) % len(played)):
                continue
            where = int(np.argmax(np.fft.irfft(known * np.conj(np.fft.rfft(piece[:, 0], len(played))), len(played))))
            if not self.same(piece, loop, where):
                rough += 1
                continue
            found = (where - at) % len(played)
            if offset >= 0:
                apart = (found - offset + len(played) // 2) % len(played) - len(played) // 2
                self.assertNotEqual(apart % BLOCK, 0, f"{apart / BLOCK:.0f} blocks went amiss before {at / RATE:.3f} s of {len(samples) / RATE:.3f} s")
            offset = found
        self.assertGreaterEqual(offset, 0, "nothing of what the microphone played is in the take")
        self.assertLessEqual(rough, 0.9 * windows, f"the take of {len(samples) / RATE:.3f} s is broken too often")

    def same(self, piece: np.ndarray, loop: np.ndarray, where: int) -> bool:
        return bool(np.abs(piece - loop[where : where + len(piece), None]).max() < ONE_STEP)

    def test_a_take_with_slate_good_mark_and_the_seconds_before(self) -> None:
        page = self.page
        self.arm()
        panel = self.panel
        expect(panel.get_by_test_id("delivered")).to_contain_text("44.1 kHz, 2 channels, 16 bit delivered")
        expect(panel.get_by_role("meter").first).to_have_attribute("aria-valuenow", re.compile(r"^-(5|4|3|2|1)?\d$"))
        expect(panel.get_by_test_id("meter")).to_contain_text("0 clips")
        panel.get_by_label("Name of the take").fill("Reed")
        panel.get_by_label("Slate note").fill("hand through dry reeds")
        panel.get_by_label("Slate note").press("Enter")
        panel.get_by_role("button", name="Notes of the session").click()
        panel.get_by_label("Place", exact=True).fill("Reed beds")
        panel.get_by_label("Place", exact=True).press("Enter")
        panel.get_by_role("button", name="5 s before").click()
        self.pick("Count-in", "count 3 s", panel)
        panel.get_by_role("meter").first.click()  # out of the field: the keys belong to the panel again
        self.press("Enter")
        expect(panel.get_by_test_id("take-time")).to_have_text("in 3 s")
        self.recorded(5)
        self.press("k", "t")
        expect(panel.get_by_role("button", name="Good take")).to_be_visible()
        # another stage may be looked at meanwhile
        self.stage("Ship")
        expect(page.get_by_role("button", name=re.compile("^Recording Reed 01"))).to_be_visible()
        page.get_by_role("button", name=re.compile("^Recording Reed 01")).click()
        expect(panel.get_by_role("button", name="End take")).to_be_visible()
        self.press("Enter")
        expect(panel.get_by_test_id("takes")).to_contain_text(re.compile(r"Reed 01 [\d.]+ s good"))
        expect(panel.get_by_label("Number of the take")).to_have_value("2")
        expect(panel.get_by_label("Slate note")).to_have_value("")  # it was said of that take, not of the next
        [row] = self.takes()
        self.assertEqual(
            (row["name"], row["mark"], row["tags"], row["bits"], row["channels"]), ("Reed 01", "glass", "dry good", 24, 2)
        )  # dry is said on the slate
        facts = self.api(f"lib/{self.library}/sounds/{row['id']}")
        self.assertEqual((facts["notes"], facts["noted"]["place"], facts["said"]["take"]), ("hand through dry reeds", "Reed beds", "1"))
        marks = {mark["label"]: mark["at_s"] for mark in facts["said"]["markers"]}
        # the count was heard too; a fake device on a busy machine delivers less than three seconds in three seconds
        self.assertTrue(0.5 <= marks["start pressed"] <= 5.1, marks)
        self.assertGreater(marks["moment 1"], marks["start pressed"])
        self.assert_unbroken(self.samples(row["id"]))

    def test_a_take_ends_also_when_its_input_stands_still(self) -> None:
        """An input that was pulled out answers nothing any more."""
        self.arm()
        self.page.evaluate(
            "() => { const post = MessagePort.prototype.postMessage;"
            " MessagePort.prototype.postMessage = function (said, ...rest) { if (said !== 'last') post.call(this, said, ...rest); }; }"
        )
        self.press("Enter")
        self.recorded(1)
        self.press("Enter")
        expect(self.panel.get_by_test_id("takes")).to_contain_text(re.compile(r"[\d.]+ s"))
        [row] = self.takes()
        self.assertGreaterEqual(row["seconds"], 0.5)
        self.assert_unbroken(self.samples(row["id"]))

    def test_a_reload_in_the_middle_keeps_what_was_recorded(self) -> None:
        page = self.page
        self.arm()
        self.press("Enter")
        self.recorded(3)
        page.reload()
        expect(page.get_by_role("status").filter(has_text="was recovered")).to_be_visible()
        [row] = self.takes()
        self.assertGreaterEqual(row["seconds"], 2.5)  # all but what was on its way
        self.assertIn("Recovered", self.api(f"lib/{self.library}/sounds/{row['id']}")["notes"])
        self.assert_unbroken(self.samples(row["id"]))

    def test_a_killed_server_in_the_middle_loses_nothing(self) -> None:
        page = self.page
        self.arm()
        self.press("Enter")
        self.recorded(2)
        self.kill()
        expect(self.panel.get_by_text(re.compile(r"The server is away: \d+ s wait here"))).to_be_visible()
        self.start()
        expect(self.panel.get_by_text("The server is away")).to_have_count(0)
        self.recorded(6)
        self.panel.get_by_role("button", name="End take").click()
        expect(page.get_by_role("status").filter(has_text="is in the library")).to_be_visible()
        [row] = self.takes()
        self.assertGreaterEqual(row["seconds"], 6)
        self.assert_unbroken(self.samples(row["id"]))

    def test_a_killed_server_and_a_closed_page_leave_a_take_that_says_so(self) -> None:
        self.arm()
        self.press("Enter")
        self.recorded(3)
        self.kill()
        self.page.close()
        self.start(quiet_s=0.5)
        self.addCleanup(self.restart)
        deadline = time.monotonic() + PATIENCE_S
        while not self.takes() and time.monotonic() < deadline:
            time.sleep(0.1)
        [row] = self.takes()
        self.assertGreaterEqual(row["seconds"], 2.5)
        self.assertIn("the page or the server went away", self.api(f"lib/{self.library}/sounds/{row['id']}")["notes"])
        self.assert_unbroken(self.samples(row["id"]))

    def restart(self) -> None:
        self.kill()
        self.start()

    def test_an_import_whose_server_was_killed_goes_on_and_the_page_hears_of_its_end(self) -> None:
        count = 150
        for k in range(count):
            files.write(self.folder / "many" / f"drop {k:03d}.wav", struck(0.3, 0.05, seed=k), RATE, 24)
        self.press("i")
        self.page.get_by_label("Folder or file of this machine").fill(str(self.folder / "many"))
        self.press("Enter")
        expect(self.page.get_by_role("status", name="Running job")).to_contain_text(re.compile(rf"[1-9]\d* / {count}"))
        self.kill()
        self.start()
        expect(self.page.get_by_role("status").filter(has_text=f"{count} imported, 0 already there.")).to_be_visible(timeout=3000 * PATIENCE_S)
        self.assertEqual(self.api(f"lib/{self.library}/sounds?q=drop")["total"], count)
        # who comes back hears what ended since the end it heard last
        with httpx.stream("GET", f"http://127.0.0.1:{self.port}/api/events", headers={"Last-Event-ID": "0"}, timeout=PATIENCE_S) as answer:
            told = [json.loads(line[5:]) for line in itertools.takewhile(lambda line: line != "event: hello", answer.iter_lines()) if line.startswith("data:")]
        self.assertIn(("import", "done", count), [(one["kind"], one["state"], (one["result"] or {}).get("imported")) for one in told])

    def test_a_page_thought_gone_goes_on_in_another_take(self) -> None:
        """The connection was away for so long that the server kept the take as it was; both together are the whole."""
        self.kill()
        self.start(quiet_s=4.0)
        self.addCleanup(self.restart)
        self.arm()
        self.press("Enter")
        self.recorded(2)
        self.page.context.set_offline(True)
        deadline = time.monotonic() + PATIENCE_S
        while not self.takes() and time.monotonic() < deadline:
            time.sleep(0.1)
        self.page.context.set_offline(False)
        expect(self.panel.get_by_text("The server is away")).to_have_count(0)
        self.panel.get_by_role("button", name="End take").click()
        expect(self.page.get_by_role("status").filter(has_text="continued")).to_be_visible()
        first, second = self.takes()
        self.assertEqual((first["name"], second["name"]), ("Take 01", "Take 01 continued"))
        self.assert_unbroken(np.concatenate([self.samples(first["id"]), self.samples(second["id"])]))
