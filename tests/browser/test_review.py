"""From long raw takes to clean selects by keyboard alone; steps limited, compared, listed, shared; listening faster at the same pitch."""

import re
import time
import unittest
from pathlib import Path
from typing import Any

import httpx
import numpy as np

from oskren.core.audio import files
from oskren.demo.takes import LOFT
from oskren.store import Home
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import import_paths
from tests.browser.support import InBrowser, expect
from tests.support import RATE, noise, sine, struck

ROOT = Path(__file__).parents[2]


def clicked() -> np.ndarray:
    samples = sine(300, 3, -22) + noise(3, -70)
    for at in (0.8, 1.9):
        samples[round(at * RATE)] += 0.6
    return samples


class Reviewing(InBrowser):
    @classmethod
    def prepare(cls, home: Path) -> None:
        takes, others = home.parent / "takes", home.parent / "others"
        for number, recording in enumerate(LOFT):
            files.write(takes / f"{recording.name}.wav", recording.render(4300 + number), recording.rate, 24)
        files.write(others / "clicked tone.wav", clicked(), RATE, 24)
        files.write(others / "lopsided.wav", np.concatenate([noise(3, -20), noise(3, -26, seed=2)], axis=1), RATE, 24)
        files.write(home.parent / "long" / "long wind.wav", np.concatenate([noise(30, -26), noise(30, -32, seed=3)], axis=1), RATE, 24)
        files.write(others / "plain hit.wav", struck(1.0, 0.2) * 0.4, RATE, 24)
        studio = Studio(Home(home))
        try:
            for name, folder in (("Loft", takes), ("Bench", others), ("Weather", home.parent / "long")):
                import_paths(studio, studio.home.library(name, create=True), [folder], name)
        finally:
            studio.close()

    def setUp(self) -> None:
        super().setUp()
        name = next((library for word, library in (("session", "Loft"), ("long_take", "Weather")) if word in self._testMethodName), "Bench")
        self.pick("Library", re.compile(f"^{name}"))
        expect(self.page.locator("[data-sound]").first).to_be_visible()
        for row in self.api("lib/bench/sounds")["rows"]:
            for what, body in (("chain", {"chain": []}), ("states", {"states": []})):
                httpx.put(f"http://127.0.0.1:{self.port}/api/lib/bench/sounds/{row['id']}/{what}", json=body, timeout=90).raise_for_status()

    def post(self, address: str, body: Any) -> Any:
        return httpx.post(f"http://127.0.0.1:{self.port}/api/{address}", json=body, timeout=60).raise_for_status().json()

    def heard(self, node: Any) -> np.ndarray:
        opened = self.post("lib/loft/open", {"node": node})
        raw = httpx.get(f"http://127.0.0.1:{self.port}/api/heard/{opened['digest']}/block", params={"start": 0, "frames": opened["frames"]}, timeout=60)
        return np.frombuffer(raw.content, np.float32)

    def test_mend_begins_with_what_waits_in_a_session(self) -> None:
        page = self.page
        self.stage("Mend")
        waiting = page.get_by_role("region", name="Raw takes that wait")
        expect(waiting.get_by_role("button")).to_have_count(3)
        take = waiting.get_by_role("button").first
        name = take.inner_text().split("\n")[0]
        take.click()
        expect(page.get_by_role("heading", name=name)).to_be_visible()
        page.get_by_role("button", name="Others").click()
        expect(waiting.get_by_role("button")).to_have_count(3)

    def test_a_long_take_is_heard_at_once_while_it_is_measured(self) -> None:
        page = self.page
        self.choose("long wind")
        self.press("e")
        expect(page.get_by_role("heading", name="long wind")).to_be_visible()
        self.sounding()
        measuring = self.app.state.studio.workers.submit("question", time.sleep, 6), self.app.state.studio.workers.submit("question", time.sleep, 10)
        self.add_step("even out", "Even out left and right")
        said = page.get_by_role("status").filter(has_text="long wind: heard by estimates while all of it is measured")
        expect(said).to_be_visible()
        self.sounding()
        self.assertFalse(any(one.done() for one in measuring))
        # what is measured takes its place at the same moment
        expect(said).to_have_count(0)
        self.sounding()
        expect(page.locator("[data-step=even]")).to_contain_text(re.compile(r"left louder by 6\.\d LU"))
        expect(page.locator("[data-step=even]")).not_to_contain_text("about")

    def test_a_ten_minute_session_becomes_four_named_clean_selects_by_keyboard_alone(self) -> None:
        page = self.page
        self.press("Control+a", "/")
        expect(page.get_by_role("heading", name="Review of 3 takes")).to_be_visible()
        expect(page.get_by_text(re.compile(r"1\d events over"))).to_have_count(3)
        expect(page.get_by_role("button", name=re.compile(r"hum at 50\.0")).first).to_be_visible()
        # steps for all takes, found by what they do
        for wish, label, kind in (("hum away", "Hum away", "hum"), ("less noise", "Noise reduction", "noise_reduction")):
            expect(self.add_step(wish, label)).to_have_attribute("data-step", kind)
        self.press("Space")
        self.sounding()
        self.reached(2.5)
        self.press("8")
        expect(page.locator("[data-mark=noise]")).to_have_count(1)
        words = ("breath of the loft", "hinge skreel", "rim ring", "ratchet")
        for count, said in enumerate(words, 1):
            self.press("ArrowDown")
            self.sounding()
            self.press("k")
            expect(page.locator("[data-mark=keep]")).to_have_count(count)
            self.press("F2")
            page.keyboard.type(said)
            if "skreel" in said:
                expect(page.get_by_text(re.compile("new here"))).to_be_visible()
            self.press("Enter")
            expect(page.locator("[data-mark=keep][aria-selected=true]")).to_contain_text(said.split()[0])
        page.get_by_label("Category of the select").fill("Metal/Hinge")
        self.press("Enter")
        expect(page.locator("[data-mark=keep][aria-selected=true]")).to_contain_text("HING ratchet 01")
        self.press("Control+z")
        expect(page.locator("[data-mark=keep][aria-selected=true]")).to_contain_text("BELL ratchet 01")
        self.press("ArrowRight", "Shift+ArrowRight")
        self.press("\\")
        expect(page.get_by_role("button", name=re.compile("1.25×"))).to_be_visible()
        self.press(";")
        self.jumps(2.0)  # with silence skipped the next event is reached before it would be
        self.press("Space")
        [head] = self.api("lib/loft/reels")
        self.kept(f"lib/loft/reels/{head['id']}", "it.reel.marks.filter((one) => one.words).length === 4")
        reel = self.api(f"lib/loft/reels/{head['id']}")
        self.assertEqual((reel["usable"]["kept"], len(reel["usable"]["short"])), (4, 4))
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="4 selects are in the library")).to_be_visible()
        made = [row for row in self.api("lib/loft/sounds")["rows"] if row["kind"] == "excerpt"]
        self.assertEqual(sorted(row["name"] for row in made), sorted(f"BELL {one} 01" for one in words))
        lowered: list[float] = []
        for row in made:
            facts = self.api(f"lib/loft/sounds/{row['id']}")
            with self.subTest(select=row["name"]):
                self.assertEqual([step["kind"] for step in facts["chain"]], ["hum", "noise_reduction"])
                raw, clean = self.heard(facts["node"]), self.heard(facts["now"])
                self.assertEqual(len(raw), len(clean))
                self.assertTrue(0.5 < len(raw) / RATE < 8)
                levels = [np.std(raw[at : at + 2000]) for at in range(0, len(raw) - 2000, 500)]
                quiet = slice(500 * int(np.argmin(levels)), 500 * int(np.argmin(levels)) + 2000)  # before or after the event: noise alone
                lowered.append(20 * np.log10(np.std(clean[quiet]) / np.std(raw[quiet])))
                self.assertLess(lowered[-1], -2)
                self.assertAlmostEqual(20 * np.log10(np.max(np.abs(clean)) / np.max(np.abs(raw))), 0, delta=1.0)
        self.assertLess(np.mean(lowered), -4)

    def jumps(self, seconds: float) -> None:
        """Wait until the playhead has come further between two looks than the time between them allows at twice the speed, by so much."""
        told = """(least) => {
            const [minutes, seconds] = document.querySelector('[data-testid=position]').textContent.split(':').map(parseFloat);
            const was = window.looked;
            window.looked = { at: performance.now() / 1000, shown: minutes * 60 + seconds };
            return was !== undefined && window.looked.shown - was.shown > least + 2 * (window.looked.at - was.at);
        }"""
        self.page.evaluate("delete window.looked")
        self.page.wait_for_function(told, arg=seconds, polling=100)

    def reached(self, seconds: float) -> None:
        """Wait until the playhead has come so far."""
        told = """(wanted) => {
            const [minutes, seconds] = document.querySelector('[data-testid=position]').textContent.split(':').map(parseFloat);
            return minutes * 60 + seconds > wanted;
        }"""
        self.page.wait_for_function(told, arg=seconds, polling=100)

    def mending(self, name: str) -> int:
        self.choose(name)
        self.press("e")
        expect(self.page.get_by_role("heading", name=name)).to_be_visible()
        return int(next(row["id"] for row in self.api("lib/bench/sounds")["rows"] if row["name"] == name))

    def add(self, label: str) -> None:
        self.press("a")
        self.page.get_by_role("option", name=label, exact=True).click()

    def test_a_step_is_limited_where_it_is_drawn_duplicated_and_kept_by_name(self) -> None:
        page, number = self.page, self.mending("plain hit")
        self.drag(page.get_by_role("img", name=re.compile("Waveform and spectrogram")), 0.25, 0.5)
        self.add("Gain")
        page.get_by_role("button", name="Limit it").click()
        page.get_by_role("button", name="To the mark").click()
        self.kept(
            f"lib/bench/sounds/{number}", "it.chain.length === 1 && Math.abs(it.chain[0].start_s - 0.25) < 0.02 && Math.abs(it.chain[0].end_s - 0.5) < 0.02"
        )
        expect(page.locator("[data-step=gain]")).to_contain_text("only 0.2")
        self.one_of("ring")
        page.get_by_role("button", name="To a band").click()
        self.kept(f"lib/bench/sounds/{number}", "it.chain[0].tail === 'ring' && it.chain[0].low_hz === 200 && it.chain[0].high_hz === 4000")
        page.get_by_role("button", name="Keep settings").click()
        page.get_by_label("Name of these settings").fill("Quiet middle")
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="kept as Quiet middle")).to_be_visible()
        self.press("Control+d")
        expect(page.locator("[data-step=gain]")).to_have_count(2)
        self.press("Delete")
        expect(page.locator("[data-step=gain]")).to_have_count(1)
        self.press("Control+z", "Control+z")
        self.kept(f"lib/bench/sounds/{number}", "it.chain.length === 1")

    def test_original_now_and_kept_states_are_compared_without_a_gap(self) -> None:
        page, number = self.page, self.mending("lopsided")
        self.add("Gain")
        slider = page.get_by_role("slider", name="Gain").last
        slider.focus()
        for _ in range(3):
            self.press("ArrowLeft")
        page.get_by_role("button", name="Keep state").click()
        self.kept(f"lib/bench/sounds/{number}", "it.states.length === 1 && it.states[0].chain.length === 1")
        self.turn("Gain on")
        self.press("Escape")
        # a part that goes round: three seconds would be over before the last comparison on a busy machine
        self.drag(page.get_by_role("img", name=re.compile("^Waveform and spectrogram of lopsided")), 0.1, 0.9)
        if page.get_by_role("button", name="Play", exact=True).count():
            self.press("Space")
        self.sounding()
        for name in ("Before", "A", "After"):
            self.press("'")
            expect(page.get_by_role("button", name=name, exact=name != "Before").first).to_have_attribute("aria-pressed", "true")
            expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
        page.get_by_role("button", name="A", exact=True).click()
        expect(page.get_by_text(re.compile(r"^(played [+-][\d.]+ dB to be )?as loud as now$"))).to_be_visible()
        page.get_by_role("button", name="Blind").click()
        blind = page.get_by_role("group", name="Blind comparison")
        blind.get_by_role("button", name="Hear one of the two").click()
        self.sounding()
        blind.get_by_role("button", name="It was State A").click()
        expect(page.get_by_test_id("guesses")).to_contain_text("of 1 right")
        self.press("Escape")
        page.get_by_role("button", name="Go back to it").click()
        self.kept(f"lib/bench/sounds/{number}", "it.chain.length === 1 && it.chain[0].on")

    def test_left_and_right_are_measured_and_evened(self) -> None:
        page, number = self.page, self.mending("lopsided")
        expect(page.get_by_text(re.compile(r"left \+(5\.9|6\.\d) LU"))).to_be_visible()
        page.get_by_role("button", name="Even out").click()
        expect(page.locator("[data-step=even]")).to_contain_text(re.compile(r"left louder by (5\.9|6\.\d) LU"))
        expect(page.get_by_text("even", exact=True)).to_be_visible()
        self.kept(f"lib/bench/sounds/{number}", "it.chain.at(-1).kind === 'even'")

    def test_clicks_are_listed_heard_and_left_one_by_one(self) -> None:
        page, number = self.page, self.mending("clicked tone")
        self.add("Clicks away")
        expect(page.get_by_role("checkbox")).to_have_count(2)
        expect(page.locator("[data-step=clicks]")).to_contain_text("2 clicks")
        expect(page.get_by_role("list", name="What was found")).to_contain_text(re.compile(r"\d % sure"))
        self.tick("Mend the one at 0.800 s")
        self.kept(f"lib/bench/sounds/{number}", "it.chain[0].params.skip.length === 1 && Math.abs(it.chain[0].params.skip[0] - 0.8) < 0.002")
        page.get_by_role("button", name=re.compile(r"^1\.900 s")).click()
        self.sounding()
        page.get_by_role("button", name="All again").click()
        self.kept(f"lib/bench/sounds/{number}", "it.chain[0].params.skip.length === 0")

    def test_bands_are_made_and_dragged_on_the_curve(self) -> None:
        page, number = self.page, self.mending("clicked tone")
        curve = page.get_by_role("img", name=re.compile("^Response of"))
        curve.scroll_into_view_if_needed()
        box = curve.bounding_box()
        assert box is not None
        page.mouse.dblclick(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.25)
        self.kept(
            f"lib/bench/sounds/{number}",
            "it.chain.some((step) => step.kind === 'band' && step.params.gain_db > 5 && Math.abs(step.params.frequency_hz / 632 - 1) < 0.1)",
        )
        curve.scroll_into_view_if_needed()
        self.drag(curve, 0.5, 0.7, 0.25)
        self.kept(f"lib/bench/sounds/{number}", "Math.abs(it.chain[0].params.frequency_hz / 2518 - 1) < 0.15")
        response = self.post("lib/bench/mend/response", {"chain": self.api(f"lib/bench/sounds/{number}")["chain"], "rate": RATE})
        top = int(np.argmax(response["db"]))
        self.assertAlmostEqual(response["hz"][top] / 2518, 1, delta=0.15)

    def test_a_chain_is_given_to_many_linked_and_let_go(self) -> None:
        page = self.page
        self.post("lib/bench/chains", {"name": "Shared", "chain": [{"kind": "gain", "id": "g", "params": {"gain_db": -4}}]})
        page.reload()
        expect(page.locator("[data-sound]").first).to_be_visible()
        self.press("Control+a")
        page.get_by_role("button", name="Put into").click()
        self.pick("Put a chain on all chosen", "linked to Shared")
        report = page.get_by_role("region", name="What the chain did")
        expect(report.locator("tbody tr")).to_have_count(3)
        with page.expect_download() as download:
            report.get_by_role("button", name="Save as CSV").click()
        lines = Path(download.value.path()).read_text().splitlines()
        self.assertEqual((len(lines), lines[0].split(",")[:3]), (4, ["id", "name", "peak_before_dbfs"]))
        self.press("Escape")
        expect(report).to_have_count(0)
        number = self.mending("plain hit")
        linked = page.get_by_role("group", name="Linked chain")
        expect(linked).to_contain_text("with 3 sounds")
        linked.get_by_role("button", name="Which sounds").click()
        expect(linked.get_by_role("listitem")).to_have_count(3)
        self.turn("Gain on")
        other = next(row["id"] for row in self.api("lib/bench/sounds")["rows"] if row["name"] == "lopsided")
        self.kept(f"lib/bench/sounds/{other}", "it.chain[0].on === false")
        linked.get_by_role("button", name="Unlink").click()
        expect(linked).to_have_count(0)
        self.kept(f"lib/bench/sounds/{number}", "it.follows === null && it.chain.length === 1")

    def test_listening_faster_keeps_the_pitch(self) -> None:
        """The worklet itself, in an offline context: twice the tempo takes half the time at the same frequency."""
        page = self.page
        self.choose("clicked tone")
        self.sounding()
        rendered = page.evaluate(
            """async ([url, tempo]) => {
              const context = new OfflineAudioContext(2, 48000 * 2, 48000);
              await context.audioWorklet.addModule(url);
              const node = new AudioWorkletNode(context, 'oskren-player', { numberOfInputs: 0, outputChannelCount: [2] });
              node.connect(context.destination);
              const tone = () => Float32Array.from({ length: 48000 * 2 }, (_, i) => 0.3 * Math.sin((2 * Math.PI * 441 * i) / 48000));
              node.port.postMessage({ kind: 'tempo', value: tempo });
              node.port.postMessage({ kind: 'voice', id: 1, rate: 48000, gain: 1 });
              node.port.postMessage({ kind: 'data', id: 1, from: 0, left: tone(), right: tone() });
              node.port.postMessage({ kind: 'end', id: 1 });
              await new Promise((resolve) => setTimeout(resolve, 300));
              return [...(await context.startRendering()).getChannelData(0)];
            }""",
            [f"/assets/{next((ROOT / 'web' / 'dist' / 'assets').glob('player.worklet*.js')).name}", 2],
        )
        samples = np.array(rendered)
        sounding = np.flatnonzero(np.abs(samples) > 0.05)
        self.assertAlmostEqual((sounding[-1] - sounding[0]) / RATE, 1.0, delta=0.12)
        part = samples[sounding[0] + 4800 : sounding[0] + 4800 + 32_768]
        spectrum = np.abs(np.fft.rfft(part * np.hanning(len(part))))
        self.assertAlmostEqual(np.argmax(spectrum) * RATE / len(part), 441, delta=4)
        levels = np.sqrt(np.mean(np.square(part[: len(part) // 960 * 960].reshape(-1, 960)), axis=1))
        self.assertLess(20 * np.log10(levels.max() / levels.min()), 1.5)


if __name__ == "__main__":
    unittest.main()
