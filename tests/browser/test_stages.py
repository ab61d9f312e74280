"""Each stage's own story on the demo data, by keyboard where there is a key."""

import re
import time
from pathlib import Path
from textwrap import dedent

import httpx
import numpy as np
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import APIResponse, Route
from playwright.sync_api import TimeoutError as Late

from oskren.core.audio import files
from oskren.core.measure import levels
from oskren.demo.build import build
from tests.browser.support import InBrowser, expect
from tests.support import RATE, struck

LIBRARY = "lib/saltglass-observatory"


CUT_OFF = """() => {
  const found = document.documentElement.scrollWidth > innerWidth ? ["the page is wider than the window"] : [];
  for (const one of document.querySelectorAll("button, input, a, [role=combobox]")) {
    const box = one.getBoundingClientRect();
    if (!box.width || !box.height) continue;
    for (let around = one.parentElement; around && around !== document.body; around = around.parentElement) {
      const holds = around.getBoundingClientRect();
      if (getComputedStyle(around).overflowX === "hidden" && (box.right > holds.right + 1 || box.left < holds.left - 1))
        found.push(one.getAttribute("aria-label") || one.textContent);
    }
  }
  return found;
}"""
"""Controls that lie outside of what holds them, or of the window."""

ALIKE = """() => {
  const named = (one) => {
    const by = one.getAttribute("aria-labelledby");
    const text = by ? by.split(" ").map((id) => document.getElementById(id)?.textContent ?? "").join(" ") : "";
    const name = text || one.getAttribute("aria-label") || one.labels?.[0]?.textContent || one.textContent || one.value;
    return (name || "").trim();
  };
  const roles = ["group", "region", "row", "listitem", "treeitem", "tabpanel", "radiogroup", "toolbar", "dialog"];
  const places = [...roles.map((role) => `[role=${role}]`), "section[aria-label]", "aside", "nav", "header"].join(",");
  const seen = new Map();
  for (const one of document.querySelectorAll("main button, main input:not([type=hidden]), main [role=slider], main [role=combobox]")) {
    if (one.closest("[aria-hidden=true],[hidden]") || !one.getClientRects().length || one.type === "file") continue;
    const path = [named(one) || "(no name)", one.getAttribute("role") || one.tagName];
    for (let at = one.parentElement?.closest(places); at; at = at.parentElement?.closest(places)) path.push(named(at).slice(0, 60));
    const told = path.join(" < ");
    seen.set(told, (seen.get(told) ?? 0) + 1);
  }
  return [...seen].filter(([told, count]) => count > 1 && !told.startsWith("(no name)")).map(([told, count]) => `${count} x ${told}`);
}"""
"""Controls that are told alike: by their own names and those of all they stand in."""


class Stages(InBrowser):
    @classmethod
    def prepare(cls, home: Path) -> None:
        build(home, lambda _: None)

    def sound(self, name: str):  # type: ignore[no-untyped-def]
        rows = self.api(f'{LIBRARY}/sounds?q="{name}"')["rows"]
        return self.api(f"{LIBRARY}/sounds/{next(row['id'] for row in rows if row['name'] == name)}")

    def heard(self, node: object) -> np.ndarray:
        """All samples of a node, over the API."""
        base = f"http://127.0.0.1:{self.port}/api"
        opened = httpx.post(f"{base}/{LIBRARY}/open", json={"node": node}, timeout=60).json()
        raw = httpx.get(f"{base}/heard/{opened['digest']}/block", params={"start": 0, "frames": min(opened["frames"], 1 << 20)}, timeout=60).content
        return np.frombuffer(raw, np.float32).reshape(-1, opened["channels"])

    def stage(self, name: str) -> None:
        """Go to a stage; in Stack, where several designs could be opened, to the orrery's."""
        super().stage(name)
        if name == "Stack":
            card = self.page.get_by_role("region", name="Designs").get_by_role("button", name=re.compile("^Orrery unlocks"))
            expect(card.or_(self.page.locator("[data-clip]").first)).to_be_visible()
            if card.is_visible():
                card.click()

    def test_gather_by_keyboard(self) -> None:
        page = self.page
        expect(page.locator("[data-sound]").first).to_be_visible()
        search = page.get_by_label("Search the sounds")
        search.fill("glass creak")
        expect(page.get_by_test_id("total")).to_have_text("5 sounds")
        search.press("ArrowDown")
        expect(page.get_by_label("Name", exact=True)).to_have_value("Furnace door, glass creak 1")
        self.sounding()
        self.press("ArrowDown", "ArrowDown")
        expect(page.get_by_label("Name", exact=True)).to_have_value("Furnace door, glass creak 3")
        self.press("5")
        expect(page.get_by_role("radio", name="Rate 5")).to_be_checked()
        self.kept(f"{LIBRARY}/sounds/{self.sound('Furnace door, glass creak 3')['id']}", "it.rating === 5")
        self.press("0")
        expect(page.get_by_role("radio", name="Rate 5")).not_to_be_checked()
        search.fill("")
        # filters of a list that is still narrowing move away from under the mouse
        expect(page.get_by_test_id("total")).not_to_have_text("5 sounds")
        page.locator("[data-opens=Glass]").click()
        page.get_by_role("treeitem", name=re.compile("^Shatter")).click()
        expect(page.get_by_test_id("total")).to_have_text("3 sounds")
        page.get_by_role("button", name="Clear filters").click()
        page.get_by_role("button", name="Sort by length").click()
        page.get_by_role("button", name="Sort by length").click()
        expect(page.locator("[data-sound]").first).to_contain_text("RAW bellows loft")

    def test_what_was_heard_goes_into_a_layer(self) -> None:
        page = self.page
        self.choose("Bell of hours, muted")
        wave = page.get_by_role("img", name=re.compile("^Waveform and spectrogram of Bell"))
        expect(wave).to_be_visible()
        self.drag(wave, 0.1, 0.6)
        speed = page.get_by_role("slider", name="Speed")
        speed.focus()
        speed.press("Shift+ArrowLeft")
        expect(page.get_by_test_id("along")).to_contain_text("-5 st")
        expect(page.get_by_test_id("along")).to_contain_text(re.compile(r"part 0\.1\d to 0\.6\d s"))
        page.get_by_role("button", name="To a layer").click()
        expect(page.get_by_role("status").filter(has_text="as heard")).to_be_visible()
        design = self.api(f"{LIBRARY}/designs")[0]
        layer = design["mix"]["members"][-1]
        self.assertEqual((layer["name"], layer["pitch_st"]), ("Bell of hours, muted", -5))
        self.assertAlmostEqual(layer["start_s"], 0.11, delta=0.01)
        self.assertAlmostEqual(layer["end_s"], 0.66, delta=0.01)

    def test_files_are_dropped_on_the_page(self) -> None:
        page = self.page
        files.write(self.folder / "gull.wav", struck(0.4, 0.1, seed=41), RATE, 24)
        data = list((self.folder / "gull.wav").read_bytes())
        drop = """(data) => {
            const transfer = new DataTransfer();
            transfer.items.add(new File([new Uint8Array(data)], "gull cry 01.wav"));
            transfer.items.add(new File(["no sound"], "list.txt"));
            document.querySelector("main > div").dispatchEvent(new DragEvent("drop", { bubbles: true, cancelable: true, dataTransfer: transfer }));
        }"""
        page.evaluate(drop, data)
        expect(page.get_by_text("1 imported, 0 already there, 1 skipped")).to_be_visible()
        self.assertEqual(self.sound("gull cry 01")["category"], "Animal/Bird")

    def test_find_anything_and_the_key_list(self) -> None:
        page = self.page
        self.press("Control+k")
        page.get_by_role("combobox", name="Find a sound, design or command").fill("orrery")
        expect(page.get_by_role("option", name=re.compile("Orrery unlocks")).first).to_be_visible()
        self.press("Enter")
        expect(page.locator("[data-layer]")).to_have_count(5)
        self.press("?")
        keys = page.get_by_role("dialog", name="Keys")
        expect(keys).to_contain_text("Before or after, at matched loudness")
        # the present stage stands first, and what is typed there is looked for, not done
        expect(keys.get_by_role("group").first).to_have_accessible_name("Stack")
        page.keyboard.type("shift the print")
        expect(keys.get_by_role("group")).to_have_count(1)
        expect(keys).to_contain_text("Print, shift the print")
        self.press("Tab", "Tab", "Tab")
        self.assertTrue(page.evaluate("document.activeElement.closest('[role=dialog]') !== null"), "the keys stay in the dialog")
        self.press("Escape")
        expect(keys).to_have_count(0)
        expect(page.locator("[data-layer]")).to_have_count(5)

    def test_mend_reorders_and_removes_a_step_in_the_middle(self) -> None:
        page = self.page
        self.choose("Kiln door, hinge squeal")
        self.press("e")
        expect(page.get_by_role("heading", name="Kiln door, hinge squeal")).to_be_visible()
        for name in ("High-pass", "Reverse", "Gain"):
            self.press("a")
            page.get_by_role("option", name=name, exact=True).click()
        steps = page.locator("[data-step]")
        expect(steps).to_have_count(3)
        expect(page.get_by_role("button", name="Removed")).to_be_enabled()
        steps.nth(2).get_by_role("button", name="Earlier").click()
        expect(steps.nth(1)).to_have_attribute("data-step", "gain")
        steps.nth(2).get_by_role("button", name=re.compile("Reverse")).click()
        self.press("Delete")
        expect(steps).to_have_count(2)
        self.press("Control+z", "Control+z")
        expect(steps.nth(1)).to_have_attribute("data-step", "reverse")
        self.press("Control+Shift+z")
        expect(steps.nth(1)).to_have_attribute("data-step", "gain")
        expect(page.get_by_text("LUFS").last).to_be_visible()
        kept = self.sound("Kiln door, hinge squeal")
        self.kept(f"{LIBRARY}/sounds/{kept['id']}", "it.chain.map((step) => step.kind).join() === 'high_pass,gain,reverse'")
        kept = self.sound("Kiln door, hinge squeal")
        self.assertEqual([step["kind"] for step in kept["chain"]], ["high_pass", "gain", "reverse"])
        original = files.read(Path(kept["paths"][0]["path"]))[0]
        np.testing.assert_array_equal(self.heard(kept["node"]), original)

    def test_mend_finds_hum_and_notches_a_resonance(self) -> None:
        page = self.page
        self.choose("RAW sluice house, mains hum")
        self.press("e")
        expect(page.get_by_role("heading", name="RAW sluice house, mains hum")).to_be_visible()
        self.press("a")
        page.get_by_role("option", name="Hum away").click()
        expect(page.locator("[data-step=hum]")).to_contain_text(re.compile(r"hum at (49\.9|50\.0)\d Hz"))
        facts = self.sound("RAW sluice house, mains hum")
        before, after = self.heard(facts["node"]), self.heard({"kind": "chained", "node": facts["node"], "chain": [{"kind": "hum"}]})
        window = np.hanning(4 * 44_100)
        level = [abs(np.sum(one[5 * 44_100 : 9 * 44_100, 0] * window * np.exp(-2j * np.pi * 50 * np.arange(4 * 44_100) / 44_100))) for one in (before, after)]
        self.assertLess(20 * np.log10(level[1] / level[0]), -20)
        self.choose("Bell jar, rim ring")
        self.press("e")
        expect(page.get_by_role("heading", name="Bell jar, rim ring")).to_be_visible()
        group = page.get_by_role("group", name="Resonances")
        group.get_by_role("button", name="Find resonances").click()
        rows = group.locator("[data-resonance]")
        first = rows.first.get_attribute("data-resonance") or ""
        rows.first.get_by_role("button", name="Notch").click()
        expect(page.locator("[data-step=band]")).to_contain_text("notch")
        expect(rows.first).not_to_have_attribute("data-resonance", first)
        self.kept(f"{LIBRARY}/sounds/{self.sound('Bell jar, rim ring')['id']}", f"Math.abs(it.chain[0].params.frequency_hz - {first}) < 0.06")
        self.press("Control+z")
        expect(page.locator("[data-step=band]")).to_have_count(0)

    def test_mend_hears_before_at_the_loudness_of_after(self) -> None:
        page = self.page
        self.choose("Bellows, leak")
        self.press("e")
        expect(page.get_by_role("heading", name="Bellows, leak")).to_be_visible()
        self.press("a")
        page.get_by_role("option", name="Gain", exact=True).click()
        gain = page.locator("[data-step=gain]").get_by_role("slider")
        gain.focus()
        gain.press("Shift+ArrowLeft")
        expect(page.locator("[data-step=gain]")).to_contain_text("-1.0 dB")
        self.press("b")
        expect(page.get_by_text("played -1.0 dB to be as loud as now")).to_be_visible()

    def test_stack_drags_mutes_and_meters(self) -> None:
        page = self.page
        self.stage("Stack")
        self.pick("Design", "Orrery unlocks")
        expect(page.locator("[data-layer]")).to_have_count(5)
        meter = page.get_by_test_id("sum")
        expect(meter).to_contain_text("LUFS")
        before = meter.text_content()
        page.locator("[data-layer]").nth(1).get_by_role("button", name="mute").click()
        expect(meter).not_to_have_text(before or "")
        self.press("Control+z")
        expect(meter).to_have_text(before or "")
        clip = page.locator("[data-clip]").nth(2)
        at = page.get_by_role("slider", name="From strike")
        page.locator("[data-layer]").nth(2).click(position={"x": 40, "y": 10})
        start = float(at.get_attribute("aria-valuenow") or 0)
        self.drag(clip, 0.5, 1.0, 0.5)
        self.assertGreater(float(at.get_attribute("aria-valuenow") or 0), start + 0.3)
        self.press("Control+z")
        expect(at).to_have_attribute("aria-valuenow", f"{start:g}")

    def test_vary_draws_the_same_from_the_same_seed(self) -> None:
        page = self.page
        self.stage("Vary")
        expect(page.locator("[data-draw]").first).to_be_visible()
        page.get_by_label("How many").fill("2")
        page.get_by_label("Seed").fill("9")
        made = []
        for _ in range(2):
            page.get_by_role("button", name="Draw", exact=True).click()
            expect(page.locator("[data-draw]")).to_have_count(2)
            expect(page.get_by_text("drawing …")).to_have_count(0)
            newest = self.api(f"{LIBRARY}/spreads")[0]["id"]
            drawn = self.api(f"{LIBRARY}/spreads/{newest}")["all"]
            made.append([self.heard(self.api(f"{LIBRARY}/draws/{draw['id']}")["mix"]) for draw in drawn])
        for one, same in zip(*made, strict=True):
            np.testing.assert_array_equal(one, same)
        self.assertFalse(np.array_equal(made[0][0][:40_000], made[0][1][:40_000]))

    def test_slice_moves_splits_and_merges(self) -> None:
        page = self.page
        self.stage("Slice")
        count = page.get_by_test_id("slice-count")
        expect(count).to_contain_text("70 slices")
        expect(page.get_by_test_id("inside")).to_contain_text("Taken for sounds that stand apart")
        self.one_of("on")
        expect(count).not_to_contain_text("70 slices")
        expect(page.get_by_test_id("inside")).to_have_count(0)
        self.press("Control+z")
        expect(count).to_contain_text("70 slices")
        page.locator("[data-slice]").nth(3).click()
        self.press("g")
        expect(count).to_contain_text("69 slices")
        self.press("Control+z")
        expect(count).to_contain_text("70 slices")
        row = page.locator("[data-slice]").nth(3)
        before = row.text_content()
        self.press("Shift+ArrowRight")
        expect(row).not_to_have_text(before or "")
        expect(row).to_contain_text("by hand")
        shortest = page.get_by_role("slider", name="Shortest")
        shortest.press("5")
        page.get_by_role("textbox", name="Shortest").fill("0.5 s")
        page.get_by_role("textbox", name="Shortest").press("Enter")
        expect(count).not_to_contain_text("70 slices")
        self.kept(f"{LIBRARY}/plans/{self.sound('Gear room performance')['id']}", "it.plan.settings.min_length_ms === 500")

    def test_slices_are_sorted_by_what_is_measured_and_the_best_alike_kept(self) -> None:
        page = self.page
        self.stage("Slice")
        table = page.get_by_role("table", name="Slices")
        best = page.get_by_role("button", name=re.compile("^Best of [0-9]+ alike"))
        expect(best).to_be_enabled()
        address = f"{LIBRARY}/plans/{self.sound('Gear room performance')['id']}"
        self.kept(f"{address}/measured", "it.left === 0")
        measured = self.api(f"{address}/measured")["rows"]
        for name, field in (("Loudness", "loudness_lufs"), ("Brightness", "brightness_hz")):
            table.get_by_role("button", name=name).click()
            # what is chosen stays in sight; the first row is further up
            expect(table.get_by_role("columnheader", name=name)).to_have_attribute("aria-sort", "ascending")
            up = "(rows) => { rows.scrollTop = 0; }"
            table.get_by_label("Slices, rows").evaluate(up)
            lowest = min(measured, key=lambda row: row[field])["id"]
            expect(table.locator("[data-slice]").first).to_have_attribute("data-slice", str(lowest))
            table.get_by_role("button", name=name).click()
            expect(table.get_by_role("columnheader", name=name)).to_have_attribute("aria-sort", "descending")
            table.get_by_label("Slices, rows").evaluate(up)
            highest = max(measured, key=lambda row: row[field])["id"]
            expect(table.locator("[data-slice]").first).to_have_attribute("data-slice", str(highest))
        # a slice that is dropped already is the best of nothing
        best_of = sum(row["best"] for row in measured)
        before = page.get_by_test_id("slice-count").text_content() or ""
        best.click()
        expect(page.get_by_role("button", name=f"Make {best_of} one-shots")).to_be_visible()
        self.press("Control+z")
        expect(page.get_by_test_id("slice-count")).to_have_text(before)

    def test_slice_undo_pressed_before_the_answer_counts(self) -> None:
        page = self.page
        self.stage("Slice")
        sensitivity, count = page.get_by_role("slider", name="Sensitivity"), page.get_by_test_id("slice-count")
        expect(count).to_contain_text("slices")
        before, found = sensitivity.get_attribute("aria-valuenow"), count.text_content()
        held: list[Route] = []
        page.route("**/plans/*/find", lambda route: held.append(route))
        with page.expect_request("**/plans/*/find"):
            sensitivity.press("Shift+ArrowRight")
        expect(sensitivity).not_to_have_attribute("aria-valuenow", before or "")
        self.press("Control+z")
        held[0].continue_()
        expect(sensitivity).to_have_attribute("aria-valuenow", before or "")
        expect(count).to_have_text(found or "")
        page.unroute("**/plans/*/find")

    def test_ship_converts_and_reports(self) -> None:
        page = self.page
        # the demo's own sheet makes room for another
        httpx.put(f"http://127.0.0.1:{self.port}/api/{LIBRARY}/sheets/1", json={}, timeout=60).raise_for_status()
        page.reload()
        self.choose("Lens turret, seated")
        self.press("j")
        self.choose("Wave, over shingle")
        self.press("j")
        self.stage("Ship")
        expect(page.get_by_test_id("planned")).to_have_text("2 files")
        out = self.folder / "converted"
        page.get_by_label("Folder to ship to").fill(str(out))
        page.get_by_label("Folder to ship to").press("Enter")
        self.one_of("FLAC")
        self.one_of("16")
        self.one_of("44.1 kHz")
        page.get_by_role("button", name=re.compile("^Level each to: as it is")).click()
        page.keyboard.type("-1")
        page.keyboard.press("Enter")
        expect(page.get_by_role("table", name="Files to be written")).to_contain_text("Water/Wave, over shingle.flac")
        page.get_by_role("button", name="Ship 2 files").click()
        expect(page.get_by_role("table", name="Report")).to_contain_text("Water/Wave, over shingle.flac")
        for path, channels in ((out / "Water" / "Wave, over shingle.flac", 2), (out / "Mechanism-Lock" / "Lens turret, seated.flac", 1)):
            info = files.probe(path)
            self.assertEqual((info.rate, info.bits, info.channels, info.format), (44_100, 16, channels, "FLAC"))
            self.assertAlmostEqual(levels.db(levels.peak(files.read(path)[0])), -1, delta=0.02)
        page.get_by_role("button", name="Ship again what changed").click()
        expect(page.get_by_text("2 files, 2 of them unchanged")).to_be_visible()

    def test_numbers_are_typed_with_their_units_and_go_back_to_their_default(self) -> None:
        page = self.page
        self.stage("Stack")
        self.pick("Design", "Orrery unlocks")
        page.locator("[data-layer]").nth(4).click(position={"x": 40, "y": 10})
        panel = page.get_by_role("complementary", name="Layer")
        for name, typed, wanted in (
            ("Pitch", "-18st", "-18"),
            ("Pitch", "1 oct", "12"),
            ("Fade out", "250ms", "0.25"),
            ("Gain", "-1.5 dB", "-1.5"),
            ("From strike", "40 ms", "0.04"),
        ):
            slider = panel.get_by_role("slider", name=name, exact=True)
            slider.focus()
            slider.press("Enter")
            box = panel.get_by_role("textbox", name=name, exact=True)
            box.fill(typed)
            box.press("Enter")
            expect(slider).to_have_attribute("aria-valuenow", wanted)
        pitch = panel.get_by_role("slider", name="Pitch", exact=True)
        pitch.dblclick(position={"x": 2, "y": 8})
        expect(pitch).to_have_attribute("aria-valuenow", "0")
        for _ in range(8):
            self.press("Control+z")
        self.kept(f"{LIBRARY}/designs", "it.find((one) => one.name === 'Orrery unlocks').mix.members[4].pitch_st === -5")

    def test_speed_and_gain_move_while_it_plays_and_a_loop_goes_round(self) -> None:
        page = self.page
        self.choose("Sluice, steady run")
        wave = page.get_by_role("img", name=re.compile("^Waveform and spectrogram of Sluice"))
        expect(wave).to_be_visible()
        self.drag(wave, 0.2, 0.24)
        self.sounding()
        for name in ("Speed", "Gain"):
            slider = page.get_by_role("contentinfo").get_by_role("slider", name=name)
            slider.press("Shift+ArrowRight")
            expect(slider).to_have_attribute("aria-valuenow", "5")
        self.sounding()
        # half a second of loop: the playhead comes round and never leaves it
        inside = """() => {
            const [minutes, seconds] = document.querySelector('[data-testid=position]').textContent.split(':').map(Number);
            const at = minutes * 60 + seconds;
            window.seen = [...(window.seen ?? []), at];
            return window.seen.length > 25 && window.seen.some((one, i) => i && one < window.seen[i - 1]);
        }"""
        page.wait_for_function(inside, polling=60)
        seen = page.evaluate("window.seen")
        self.assertTrue(min(seen) >= 2.35 and max(seen) <= 2.95, (min(seen), max(seen)))
        self.press("Space")
        expect(page.get_by_role("button", name="Play", exact=True)).to_be_visible()

    def test_the_anchor_is_dragged_on_the_waveform(self) -> None:
        page = self.page
        self.choose("Reed, single snap")
        wave = page.get_by_role("img", name=re.compile("^Waveform and spectrogram of Reed"))
        # over it, once its pane has found its height
        wave.hover(position={"x": 300, "y": 60})
        before = self.sound("Reed, single snap")
        box = wave.bounding_box()
        assert box is not None
        start = box["x"] + box["width"] * before["anchor_s"] / before["seconds"]
        page.mouse.move(start + 1, box["y"] + 9)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 9, steps=5)
        page.mouse.up()
        expect(page.get_by_role("complementary", name="Selected sound")).to_contain_text("0.200 s")
        self.kept(f"{LIBRARY}/sounds/{before['id']}", "Math.abs(it.anchor_s - 0.2) < 0.003")

    def test_libraries_are_apart(self) -> None:
        page = self.page
        self.new_library("Yonder")  # listed after the demo: fresh pages open the first
        expect(page.get_by_test_id("total")).to_have_text("0 sounds")
        page.get_by_role("link", name="Stack").click()
        expect(page.get_by_role("button", name="Begin a design")).to_be_visible()
        self.pick("Library", re.compile("^Saltglass Observatory"))
        expect(page.get_by_role("region", name="Designs").get_by_role("button")).not_to_have_count(0)

    def cuts_nothing_off(self) -> None:
        """Panes and columns are laid out anew a moment after the window has another width."""
        try:
            self.page.wait_for_function(f"() => innerWidth === 1100 && !({CUT_OFF})().length")
        except Late:
            self.fail(f"these are cut off: {self.page.evaluate(CUT_OFF)}")

    def test_a_running_job_is_shown_and_cancelled(self) -> None:
        page = self.page
        base = f"http://127.0.0.1:{self.port}/api/{LIBRARY}"
        numbers = [row["id"] for row in self.api(f"{LIBRARY}/sounds?limit=60")["rows"]]
        sheet = {"name": "Long", "sounds": numbers * 6, "targets": [{"template": "{name}_{number:4}", "rate": 44100}], "folder": str(self.folder / "long")}
        job = httpx.post(f"{base}/ship", json=sheet, timeout=60).json()["job"]
        shown = page.get_by_role("status", name="Running job")
        expect(shown).to_contain_text("Shipping Long")
        page.set_viewport_size({"width": 1100, "height": 800})
        self.cuts_nothing_off()
        self.assertGreaterEqual(page.get_by_role("combobox", name="Library").bounding_box()["width"], 100)
        shown.get_by_role("button", name="Cancel").click()
        expect(page.get_by_text("Shipping Long: cancelled")).to_be_visible()
        self.assertEqual(next(one for one in self.api("jobs") if one["id"] == job)["state"], "cancelled")

    def barriers(self, where: str, rules: list[str] | None = None) -> list[str]:
        """What axe (rules of WCAG 2.2 A and AA and of ARIA, or some of them) calls serious or critical on the page as it is."""
        options: dict[str, object] = {"resultTypes": ["violations"]}
        if rules is not None:
            options["runOnly"] = {"type": "rule", "values": rules}
        found = Axe().run(self.page, options=options).response["violations"]
        grave = [one for one in found if one["impact"] in ("serious", "critical")]
        return [f"{where}: {one['id']}, {one['help']}: {node['html'][:160]}" for one in grave for node in one["nodes"][:3]]

    def test_no_stage_or_panel_has_a_barrier(self) -> None:
        self.maxDiff = None
        page = self.page
        page.emulate_media(reduced_motion="reduce")  # else colours are read while panels come in
        found: list[str] = []
        base = f"http://127.0.0.1:{self.port}/api/{LIBRARY}/sheets/1"
        empty = httpx.get(base, timeout=60).json()["sheet"] | {"sounds": [], "designs": [], "draws": []}
        self.addCleanup(lambda: httpx.put(base, json=empty, timeout=60).raise_for_status())
        self.open_scene()
        self.choose("Bolt drop")
        self.press("j", "e")
        expect(page.get_by_role("button", name=re.compile("^Add step"))).to_be_visible()
        panels = (
            ("i", page.get_by_label("Folder or file of this machine")),
            ("6", page.get_by_role("dialog", name="Wanted list")),
            ("r", page.get_by_role("region", name="Record", exact=True)),
        )
        # a page in its other look differs in its colours alone
        for look, rules in (("Paper", ["color-contrast"]), ("Night", None)):
            page.get_by_role("button", name=look, exact=True).click()
            for stage, ready in (
                ("Gather", page.locator("[data-sound]").first),
                ("Mend", page.get_by_role("button", name=re.compile("^Add step"))),
                ("Stack", page.locator("[data-clip]").first),
                ("Vary", page.locator("[data-draw]").first),
                ("Slice", page.locator("[data-slice]").first),
                ("Ship", page.get_by_role("table", name="Files to be written")),
                ("Picture", page.locator("[data-cue]").first),
            ):
                self.stage(stage)
                expect(ready).to_be_visible()
                found += self.barriers(f"{stage} in {look}", rules)
            self.stage("Stack")
            page.locator("[data-layer]").nth(2).click(position={"x": 40, "y": 10})
            for tab in ("Curves", "Source", "Tune", "Layer"):
                page.get_by_role("tab", name=tab, exact=True).click()
                found += self.barriers(f"{tab} of a layer in {look}", rules)
            self.stage("Picture")
            for name, side in (("Tap in", "Tap in"), ("Balance", "Scene"), ("Export", "Export")):
                page.get_by_role("button", name=name, exact=True).first.click()
                expect(page.get_by_role("complementary", name=side)).to_be_visible()
                found += self.barriers(f"{name} of a scene in {look}", rules)
                page.get_by_role("button", name=name, exact=True).first.click()
            for chosen, side in ((page.locator("[data-cue]").nth(4), "Cue"), (page.locator("[data-clip]").first, "Placement")):
                chosen.click()
                expect(page.get_by_role("complementary", name=side)).to_be_visible()
                found += self.barriers(f"{side} of a scene in {look}", rules)
            self.stage("Gather")
            expect(page.locator("[data-sound]").first).to_be_visible()
            for key, panel in panels:
                self.press(key)
                expect(panel).to_be_visible()
                found += self.barriers(f"panel of {key} in {look}", rules)
                self.press("Escape")
                expect(panel).to_be_hidden()
        self.press("?")
        found += self.barriers("the list of keys")
        self.press("Escape", "Control+k")
        found += self.barriers("find-anything")
        self.assertEqual("\n".join(found), "")

    def test_a_library_made_while_the_page_still_loads_is_entered_and_listed(self) -> None:
        """The first answer about the libraries comes late, and does not know the one that was made meanwhile."""
        page = self.page
        late: list[tuple[Route, APIResponse]] = []

        def hold(route: Route) -> None:
            answer = route.fetch()
            if late:
                route.fulfill(response=answer)
            else:
                late.append((route, answer))

        page.route("**/api/state", hold)
        page.goto(f"http://127.0.0.1:{self.port}/")
        self.pick("Library", "New library …")
        page.get_by_label("Name of the new library").fill("Youngest")
        with page.expect_response("**/api/libraries"):
            self.press("Enter")
        route, answer = late[0]
        route.fulfill(response=answer)
        expect(page.get_by_role("combobox", name="Library", exact=True)).to_contain_text("Youngest, 0 sounds")
        expect(page.get_by_text("This library holds no sounds yet")).to_be_visible()

    def open_scene(self) -> None:
        """The demo's scene, which every later look at Picture shows."""
        self.stage("Picture")
        self.page.get_by_role("region", name="Scenes and films").get_by_role("button", name=re.compile("^The dome wakes")).click()
        expect(self.page.locator("[data-cue]").first).to_be_visible()

    def test_each_stage_is_told_in_full_to_a_screen_reader(self) -> None:
        page = self.page
        self.open_scene()
        self.choose("Bolt drop")
        for stage, ready, tree in (
            (
                "Gather",
                page.locator("[data-sound]").first,
                """
                - heading "Gather" [level=1]
                - textbox "Search the sounds"
                - region "Filters":
                  - tree "Categories":
                    - treeitem /Mechanism/
                  - region "Sample rate"
                - grid "Sounds"
                - img "Waveform and spectrogram of Bolt drop"
                - complementary "Selected sound"
                """,
            ),
            ("Mend", page.get_by_role("region", name="Review reels"), '- heading "Mend" [level=1]\n- region "Review reels"\n- region "Raw takes that wait"'),
            (
                "Stack",
                page.locator("[data-clip]").first,
                """
                - heading [level=1]
                - group "Bolt drop":
                  - button "mute"
                  - button "solo"
                  - slider "Gain"
                - button /Bolt drop, -4 st, starts .* from the strike line/
                - complementary
                """,
            ),
            ("Vary", page.locator("[data-draw]").first, '- heading [level=1]\n- region "What may move"\n- complementary "How far apart they sound"'),
            (
                "Slice",
                page.locator("[data-slice]").first,
                """
                - heading [level=1]
                - img /^Slices of Gear room performance/
                - table "Slices":
                  - rowgroup "Slices, rows"
                - complementary "Find, finish and kits"
                """,
            ),
            ("Ship", page.get_by_role("complementary", name="Targets"), '- heading "Sheet" [level=1]\n- complementary "Targets":\n  - radiogroup "Format"'),
            (
                "Picture",
                page.locator("[data-clip]").first,
                """
                - heading "The dome wakes" [level=1]
                - group "Film"
                - listbox "Cues":
                  - option /Orrery arm locks at 01:00:12:12, answered/
                - region "Lanes":
                  - group "Hard effects"
                  - button /Orrery unlocks, starts .* from the first frame/
                - complementary "Scene"
                """,
            ),
        ):
            self.stage(stage)
            expect(ready).to_be_visible()
            expect(page.get_by_role("heading", level=1)).to_have_count(1)
            expect(page.get_by_role("main")).to_match_aria_snapshot(dedent(tree))
            self.assertEqual(page.evaluate(ALIKE), [], stage)

    def test_a_window_of_1100_pixels_cuts_nothing_off(self) -> None:
        page = self.page
        self.open_scene()
        self.choose("Bolt drop")
        self.press("e")
        expect(page.get_by_role("button", name=re.compile("^Add step"))).to_be_visible()
        page.set_viewport_size({"width": 1100, "height": 800})
        for stage, ready in (
            ("Mend", page.get_by_role("button", name=re.compile("^Add step"))),
            ("Gather", page.locator("[data-sound]").first),
            ("Stack", page.locator("[data-clip]").first),
            ("Vary", page.locator("[data-draw]").first),
            ("Slice", page.locator("[data-slice]").first),
            ("Ship", page.get_by_label("Folder to ship to")),
            ("Picture", page.locator("[data-cue]").first),
        ):
            self.stage(stage)
            expect(ready).to_be_visible()
            with self.subTest(stage=stage):
                self.cuts_nothing_off()

    def test_a_page_under_which_the_app_was_built_anew_says_so_and_goes_on(self) -> None:
        page = self.page
        gone = re.compile(r"/assets/(Ship|Wanted)-")
        page.route(gone, lambda route: route.fulfill(status=404))
        said = page.get_by_text("Oskren was renewed since the page was opened")
        self.stage("Ship")
        expect(said).to_have_count(1)
        self.press("6")
        expect(page.get_by_role("alert").filter(has=said)).to_have_count(1)
        self.stage("Gather")
        expect(page.locator("[data-sound]").first).to_be_visible()
        self.stage("Ship")
        page.unroute(gone)
        page.get_by_role("button", name="Load the page again").click()
        expect(page.get_by_label("Folder to ship to")).to_be_visible()

    def test_a_wait_says_for_what(self) -> None:
        page = self.page
        self.choose("Bolt drop")
        self.press("e")
        expect(page.get_by_role("button", name=re.compile("^Add step"))).to_be_visible()
        held: list[Route] = []
        holding = True
        page.route("**/open", lambda route: held.append(route) if holding else route.continue_())
        self.press("a")
        page.get_by_label("What should it do?").fill("reverse")
        self.press("Enter")
        said = page.get_by_role("status")
        expect(said.filter(has_text="Bolt drop: measuring all of it first, for Reverse")).to_be_visible()
        holding = False
        for route in held:
            route.continue_()
        expect(said.filter(has_text="measuring all of it")).to_have_count(0)
        self.kept(f"{LIBRARY}/sounds/{self.sound('Bolt drop')['id']}", "it.chain.length === 1 && it.chain[0].kind === 'reverse'")
        self.press("Escape", "Control+z")
        self.kept(f"{LIBRARY}/sounds/{self.sound('Bolt drop')['id']}", "it.chain.length === 0")

    def test_edges_of_panes_are_moved_by_mouse_and_keys_and_stay(self) -> None:
        page = self.page
        self.choose("Bolt drop")
        filters, shape = page.get_by_role("region", name="Filters"), page.get_by_role("img", name="Waveform and spectrogram of Bolt drop")

        def sizes() -> tuple[float, float]:
            wide, high = filters.bounding_box(), shape.bounding_box()
            assert wide is not None and high is not None
            return wide["width"], high["height"]

        before = sizes()
        separator = page.get_by_role("separator", name="Height of the waveform")
        edge = separator.bounding_box()
        assert edge is not None
        x, y = edge["x"] + edge["width"] / 2, edge["y"] + edge["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        # no hand is as fast as a test
        expect(separator).to_have_attribute("data-dragging", "")
        page.mouse.move(x, y - 90, steps=4)
        page.mouse.up()
        page.get_by_role("separator", name="Width of the filters").focus()
        self.press("ArrowRight", "ArrowRight", "ArrowRight")
        page.wait_for_function("before => document.querySelector('section[aria-label=Filters]').clientWidth > before + 20", arg=before[0])
        moved = sizes()
        self.assertAlmostEqual(moved[1] - before[1], 90, delta=6)
        page.reload()
        self.choose("Bolt drop")
        expect(shape).to_be_visible()
        self.assertAlmostEqual(sizes()[0], moved[0], delta=2)
        self.assertAlmostEqual(sizes()[1], moved[1], delta=6)

    def test_a_hint_comes_at_the_focus_and_at_the_mouse_and_takes_nothing_away(self) -> None:
        page = self.page
        hint = page.get_by_role("tooltip")
        unsure, condition = (page.get_by_role("button", name=name, exact=True) for name in ("Unsure", "Condition"))
        said = unsure.get_attribute("title") or ""
        self.assertIn("60 % sure", said)
        unsure.focus()
        expect(hint).to_have_text(said)
        # it is told too while it is shown
        expect(unsure).to_have_attribute("title", said)
        self.press("Escape")
        expect(hint).to_have_count(0)
        told = condition.get_attribute("title") or ""
        condition.hover()
        expect(hint).to_have_text(told)
        page.mouse.move(640, 790)
        expect(hint).to_have_count(0)
        expect(condition).to_have_attribute("title", told)

    def test_the_paper_look_is_kept(self) -> None:
        page = self.page
        page.get_by_role("button", name="Paper").click()
        expect(page.get_by_role("button", name="Night")).to_be_visible()
        self.assertEqual(page.evaluate("getComputedStyle(document.body).backgroundColor"), "rgb(238, 236, 227)")
        page.reload()
        expect(page.get_by_role("button", name="Night")).to_be_visible()

    def test_a_scene_is_counted_placed_and_taken_back(self) -> None:
        page = self.page
        self.open_scene()
        expect(page.get_by_test_id("answered")).to_have_text("5 of 8 cues answered")
        self.press("Control+s")
        versions = page.get_by_role("region", name="Versions")
        expect(versions).to_contain_text("Version 1")
        page.locator("[data-cue]", has_text="Glass falls, shatters").click()
        expect(page.get_by_test_id("position")).to_be_visible()
        candidates = page.get_by_role("listbox", name="Candidates")
        candidates.get_by_role("option", name="Pane, full shatter").dblclick()
        expect(page.get_by_test_id("answered")).to_have_text("6 of 8 cues answered")
        self.sounding()
        # what was tried on the way is tried no more
        expect(page.get_by_role("button", name="Back", exact=True)).to_be_disabled()
        [head] = self.api(f"{LIBRARY}/scenes")
        members = self.api(f"{LIBRARY}/scenes/{head['id']}")["scene"]["mix"]["members"]
        self.assertEqual((members[-1]["name"], round(members[-1]["at_s"], 3)), ("Pane, full shatter", 21.75))
        # the sound says where it is used
        sound = members[-1]["origin"]["id"]
        self.assertIn(
            {"what": "scene", "name": "The dome wakes"}, [{k: one[k] for k in ("what", "name")} for one in self.api(f"{LIBRARY}/sounds/{sound}/uses")]
        )
        stop, code = page.get_by_role("button", name="Stop", exact=True), page.get_by_role("group", name="Film")
        page.locator("[data-cue]").first.click()
        # what was placed is heard to the end of the scene, which may be over
        if not stop.is_visible():
            self.press("Space")
        # slowly, so that it is not over before the version is opened
        self.press("\\", "\\", "\\")
        expect(code).to_contain_text("1/4 speed")
        self.sounding()
        page.locator("video").click(position={"x": 3, "y": 3})
        self.press("Escape", "Escape")
        versions.get_by_role("button", name=re.compile("^Version 1")).click()
        expect(page.get_by_test_id("difference")).to_contain_text("Pane, full shatter added")
        page.route("**/loudness", lambda route: (time.sleep(1), route.continue_()))
        moment = "Number.parseFloat(document.querySelector('[data-testid=position]').textContent.split(':').pop())"
        before = page.evaluate(moment)
        self.press("'")
        expect(page.get_by_test_id("hearing")).to_have_text("hearing Version 1")
        page.unroute("**/loudness")
        # it went on while the version was opened, and does not go back
        self.assertGreater(page.evaluate(moment), before + 0.25)
        self.press("Space")
        expect(stop).to_have_count(0)
        # stopped, the film stays where it is
        after = code.text_content() or ""
        self.press("'")
        expect(page.get_by_test_id("hearing")).to_have_count(0)
        expect(code).to_have_text(after)
        self.press("'")
        expect(page.get_by_test_id("hearing")).to_have_text("hearing Version 1")
        expect(code).to_have_text(after)
        # and goes along with the version that is heard
        self.press("Space")
        self.sounding()
        expect(code).not_to_have_text(after)
        self.press("Space", "'")
        expect(page.get_by_test_id("hearing")).to_have_count(0)
        versions.get_by_role("button", name="Restore").click()
        expect(page.get_by_test_id("answered")).to_have_text("5 of 8 cues answered")
        self.kept(f"{LIBRARY}/scenes/{head['id']}", f"it.scene.mix.members.length === {len(members) - 1}")
        self.press("Control+z")
        expect(page.get_by_test_id("answered")).to_have_text("6 of 8 cues answered")
        self.press("Control+z")
        expect(page.get_by_test_id("answered")).to_have_text("5 of 8 cues answered")
        self.kept(f"{LIBRARY}/scenes/{head['id']}", f"it.scene.mix.members.length === {len(members) - 1}")
