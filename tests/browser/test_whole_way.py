"""The whole way through in Chromium: from a raw recording to shipped one-shots, ending with the files on disk."""

import json
import re
from pathlib import Path

from oskren.core.audio import files
from oskren.core.measure import levels
from oskren.core.measure.report import measure_file
from tests.browser.support import HITS, InBrowser, expect
from tests.support import RATE, struck


class WholeWay(InBrowser):
    def test_from_a_recording_to_shipped_one_shots(self) -> None:
        self.new_library("Story")
        self.record()
        self.bring_in()
        self.mend()
        self.stack()
        self.vary()
        self.slice()
        self.ship()

    def record(self) -> None:
        page = self.page
        self.press("r")
        panel = page.get_by_role("region", name="Record")
        panel.get_by_label("Name of the take").fill("Workshop")
        panel.get_by_role("button", name="Arm").click()
        expect(panel.get_by_role("button", name="Armed")).to_be_visible()
        panel.get_by_role("button", name="Start take").click()
        expect(panel.get_by_text(re.compile(r"^1\d\.\d s$"))).to_be_visible()
        panel.get_by_role("button", name="End take").click()
        expect(page.get_by_role("status").filter(has_text="Workshop 01")).to_be_visible()
        self.press("Escape")
        row = self.api("lib/story/sounds")["rows"][0]
        self.assertEqual((row["name"], row["kind"], row["bits"]), ("Workshop 01", "take", 24))
        self.assertGreater(row["seconds"], 9.5)
        self.assertGreater(row["peak"], -12)

    def bring_in(self) -> None:
        folder = self.folder / "props"
        folder.mkdir()
        files.write(folder / "Glass tap.wav", struck(0.8, 0.1, seed=3), RATE, 24)
        files.write(folder / "BrassKnock.flac", struck(1.1, 0.2, seed=4, rate=96_000), 96_000, 24)
        (folder / "broken.wav").write_text("text named wav")
        (folder / "empty.wav").write_bytes(b"")
        (folder / "notes.txt").write_text("a list of props")
        page = self.page
        self.press("i")
        page.get_by_label("Folder or file of this machine").fill(str(folder))
        self.press("Enter")
        expect(page.get_by_text("2 imported, 0 already there, 3 skipped")).to_be_visible()
        page.get_by_role("button", name="3 skipped: why").click()
        listed = page.get_by_test_id("skipped")
        expect(listed).to_contain_text("broken.wav")
        expect(listed).to_contain_text("the file is empty")
        expect(page.get_by_test_id("total")).to_have_text("3 sounds")
        page.get_by_label("Search the sounds").fill("glass ta")
        expect(page.get_by_test_id("total")).to_have_text("1 sound")
        page.get_by_label("Search the sounds").fill("")
        self.choose("Workshop 01")
        self.sounding()

    def mend(self) -> None:
        page = self.page
        self.press("e")
        expect(page.get_by_role("heading", name="Workshop 01")).to_be_visible()
        wave = page.get_by_role("img", name=re.compile("Waveform and spectrogram"))
        expect(wave).to_be_visible()
        self.drag(wave, 0.005, 0.045)
        expect(page.get_by_role("button", name="Learn noise")).to_be_enabled()
        page.get_by_role("button", name="Learn noise").click()
        expect(page.get_by_text("Learned from the marked part")).to_be_visible()
        self.press("Escape", "a")
        page.get_by_role("option", name="High-pass").click()
        steps = page.locator("[data-step]")
        expect(steps).to_have_count(2)
        self.press("Control+z")
        expect(steps).to_have_count(1)
        self.press("Control+Shift+z")
        expect(steps).to_have_count(2)
        self.turn("High-pass on")
        expect(page.locator("[data-step=high_pass]")).to_contain_text("off")
        self.turn("High-pass on")
        self.press("b")
        expect(page.get_by_text(re.compile(r"^(played [+-][\d.]+ dB to be )?as loud as now$"))).to_be_visible()
        expect(page.get_by_role("button", name="Before")).to_have_attribute("aria-pressed", "true")
        self.press("h")
        expect(page.get_by_text("took away")).to_be_visible()
        self.press("h")
        expect(page.locator("[data-step=noise_reduction]")).to_contain_text("LUFS")
        number = next(row["id"] for row in self.api("lib/story/sounds")["rows"] if row["name"] == "Workshop 01")
        self.kept(f"lib/story/sounds/{number}", "it.chain.length === 2 && it.chain[1].on")
        kept = self.api(f"lib/story/sounds/{number}")
        self.assertEqual([(step["kind"], step["on"]) for step in kept["chain"]], [("noise_reduction", True), ("high_pass", True)])

    def stack(self) -> None:
        page = self.page
        for name in ("Glass tap", "BrassKnock"):
            self.choose(name)
            self.press("y")
            expect(page.get_by_role("status").filter(has_text=f"{name} is a layer of")).to_be_visible()
        self.stage("Stack")
        expect(page.locator("[data-layer]")).to_have_count(2)
        page.get_by_label("Name of the design").fill("Lantern latch")
        page.get_by_label("Name of the design").press("Enter")
        clip = page.locator("[data-clip]").nth(1)
        expect(clip).to_be_visible()
        page.locator("[data-layer]").nth(1).click(position={"x": 60, "y": 12})
        self.press("ArrowRight", "Shift+ArrowRight", ",", ",")
        expect(page.get_by_role("slider", name="From strike")).to_have_attribute("aria-valuenow", "0.011")
        expect(page.get_by_role("slider", name="Pitch")).to_have_attribute("aria-valuenow", "-2")
        self.drag(clip, 0.5, 0.8, 0.5)
        self.press("Control+z")
        expect(page.get_by_role("slider", name="From strike")).to_have_attribute("aria-valuenow", "0.011")
        page.get_by_role("button", name=re.compile("^Sum")).click()
        self.press("a")
        page.get_by_role("option", name="Ceiling limiter").click()
        expect(page.get_by_test_id("sum")).to_contain_text("LUFS")
        self.press("Space")
        self.sounding()
        page.get_by_role("button", name="Print", exact=True).click()
        expect(page.get_by_role("status").filter(has_text="Lantern latch print")).to_be_visible()
        printed = next(row for row in self.api("lib/story/sounds")["rows"] if row["kind"] == "print")
        lineage = self.api(f"lib/story/sounds/{printed['id']}")["node"]["of"]
        self.assertEqual([member["name"] for member in lineage["members"]], ["Glass tap", "BrassKnock"])
        self.assertLessEqual(printed["peak"], -0.9)

    def vary(self) -> None:
        page = self.page
        self.stage("Vary")
        page.get_by_label("How many").fill("6")
        page.get_by_label("Seed").fill("77")
        page.get_by_role("button", name="Draw", exact=False).first.click()
        draws = page.locator("[data-draw]")
        expect(draws).to_have_count(6)
        expect(page.get_by_text("drawing …")).to_have_count(0)
        draws.nth(0).click()
        self.press("k", "ArrowRight", "ArrowRight", "k", "ArrowRight", "x")
        expect(page.get_by_test_id("kept")).to_have_text("2 kept 1 dropped")
        page.get_by_role("button", name="Print 2 kept").click()
        expect(page.get_by_text("2 variations are in the library")).to_be_visible()
        rows = [row for row in self.api("lib/story/sounds")["rows"] if row["kind"] == "variation"]
        self.assertEqual([row["name"] for row in rows], ["Lantern latch 01", "Lantern latch 02"])

    def slice(self) -> None:
        page = self.page
        self.choose("Workshop 01")
        self.press("c")
        expect(page.get_by_test_id("slice-count")).to_contain_text("slices")
        plan = self.api(f"lib/story/plans/{self.number('Workshop 01')}")["plan"]
        found = len(plan["slices"])
        self.assertGreaterEqual(found, 2 * len(HITS))
        sensitivity = page.get_by_role("slider", name="Sensitivity")
        sensitivity.focus()
        sensitivity.press("Shift+ArrowRight")
        expect(sensitivity).to_have_attribute("aria-valuenow", "13")
        self.press("Control+z")
        expect(sensitivity).to_have_attribute("aria-valuenow", "8")
        page.get_by_role("slider", name="Shortest").press("9")
        page.get_by_role("textbox", name="Shortest").fill("4.5 s")
        page.get_by_role("textbox", name="Shortest").press("Enter")
        expect(page.get_by_test_id("slice-count")).to_contain_text("0 slices 0 dropped")
        expect(page.get_by_text("Nothing was found")).to_be_visible()
        self.press("Control+z")
        expect(page.get_by_test_id("slice-count")).to_contain_text(f"{found} slices")
        page.locator("[data-slice]").nth(1).click()
        page.get_by_role("heading", name="Workshop 01").click()
        self.press("x")
        expect(page.get_by_test_id("slice-count")).to_contain_text("1 dropped")
        page.get_by_role("tab", name="Finish").click()
        self.one_of("mono, the middle")
        page.get_by_role("button", name=f"Make {found - 1} one-shots").click()
        expect(page.get_by_text("one-shots are in the library and on the sheet of Ship")).to_be_visible()
        # the two variations lie on the sheet already: what is made is put behind them
        self.made = found - 1 + 2

    def number(self, name: str) -> int:
        return next(row["id"] for row in self.api("lib/story/sounds")["rows"] if row["name"] == name)

    def handed_over(self, out: Path) -> None:
        """The page beside the files, opened as whoever gets the folder opens it."""
        handed = self.page.context.new_page()
        asked: list[str] = []
        handed.on("request", lambda request: asked.append(request.url))
        handed.goto((out / "index.html").as_uri())
        rows = handed.locator(".file")
        expect(rows).to_have_count(self.made)
        expect(handed.get_by_role("status")).to_contain_text(f"{self.made} of {self.made} files")
        rows.nth(1).click()
        handed.wait_for_function("() => document.getElementById('player').currentTime > 0.02")
        expect(rows.nth(1)).to_have_attribute("aria-current", "true")
        expect(handed.get_by_role("status")).not_to_contain_text("cannot be played")
        handed.keyboard.press("ArrowDown")
        expect(rows.nth(2)).to_have_attribute("aria-current", "true")
        handed.get_by_label("Search").fill("workshop 02")
        expect(rows).to_have_count(1)
        self.assertTrue(all(url.startswith("file:") for url in asked), asked)
        handed.close()
        self.assertTrue((out / "preview reel.wav").exists())

    def ship(self) -> None:
        page = self.page
        self.stage("Ship")
        expect(page.get_by_test_id("planned")).to_have_text(f"{self.made} files")
        out = self.folder / "shipped"
        page.get_by_label("Folder to ship to").fill(str(out))
        page.get_by_label("Folder to ship to").press("Enter")
        template = page.get_by_label("Name template")
        template.fill("same")
        template.press("Enter")
        expect(page.get_by_test_id("planned")).to_contain_text("with a problem")
        expect(page.get_by_role("button", name=re.compile("^Ship .* files"))).to_be_disabled()
        template.fill("latch/{name}_{number:2}")
        template.press("Enter")
        expect(page.get_by_test_id("planned")).to_have_text(f"{self.made} files")
        page.get_by_role("button", name="Page that plays and searches them").click()
        page.get_by_role("button", name="Preview reel").click()
        self.kept("lib/story/sheets/1", "it.sheet.beside.page && it.sheet.beside.reel")
        page.get_by_role("button", name=re.compile("^Ship .* files")).click()
        expect(page.get_by_text(f"{self.made} files, 0 of them unchanged, 0 failed; all were read back.")).to_be_visible()
        expect(page.get_by_role("table", name="Report")).to_contain_text("latch/")
        self.handed_over(out)
        shipped = sorted(out.rglob("latch/*.wav"))
        self.assertEqual(len(shipped), self.made)
        found = [measure_file(path) for path in shipped]
        one_shots = [one for one in found if one.channels == 1]
        self.assertEqual(len(one_shots), self.made - 2)  # the variations that lay on the sheet are stereo
        for one in one_shots:
            self.assertAlmostEqual(one.sample_peak_dbfs or 0.0, -1.0, delta=0.02)
            self.assertTrue(0.04 <= one.duration_s <= 3)
        for one in found:
            self.assertEqual(one.bit_depth, 24)
            self.assertLessEqual(one.sample_peak_dbfs or 0.0, -0.98)
        # the variations are as loud as each other, with room left to the design they were drawn from
        loud = [one.max_momentary_lufs or 0.0 for one in found if one.channels == 2]
        self.assertLessEqual(max(loud) - min(loud), 1.0)
        manifest = json.loads((out / "oskren-manifest.json").read_text())
        self.assertEqual(len(manifest["files"]), self.made)
        self.assertAlmostEqual(levels.db(levels.peak(files.read(shipped[0])[0])), found[0].sample_peak_dbfs or 0.0, delta=0.02)
