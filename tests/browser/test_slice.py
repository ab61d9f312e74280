"""Slice by hand and key: a sound that changes after it was sliced."""

import re
import time

import httpx
import numpy as np

from oskren.core.audio import files
from tests.browser.bench import HERE, OnTheBench
from tests.browser.support import expect
from tests.support import PATIENCE_S, RATE


class Slice(OnTheBench):
    def test_a_sound_changed_after_it_was_sliced_is_taken_as_it_is_and_its_one_shots_made_anew(self) -> None:
        page = self.page
        self.choose("Latch, double click")
        self.press("c")
        expect(page.get_by_test_id("slice-count")).to_have_text(re.compile(r"^[1-9]\d* slices? 0 dropped"))
        page.locator("[data-slice]").first.click()
        self.press("Shift+ArrowRight")
        expect(page.locator("[data-slice]").first).to_contain_text("by hand")
        page.get_by_role("button", name=re.compile(r"Make \d+ one-shots")).click()
        expect(page.get_by_text("one-shots are in the library and on the sheet of Ship")).to_be_visible()
        said = page.get_by_role("status", name="Changed since it was sliced")
        expect(said).to_have_count(0)
        made = [row["id"] for row in self.api(f"{HERE}/sounds?q=where kind one-shot&limit=50")["rows"]]
        self.stage("Gather")
        self.choose("Latch, double click")
        self.press("Escape", "e")
        page.get_by_role("button", name="Add step").click()
        page.get_by_role("option", name="Reverse", exact=True).click()
        self.stage("Slice")
        expect(said).to_contain_text("Latch, double click has changed since its slices were found.")
        self.press("F4")
        expect(said).not_to_contain_text("has changed")
        expect(page.locator("[data-slice]").filter(has_text="by hand")).to_have_count(1)
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        self.press("Control+z")
        expect(page.locator("[data-slice]").filter(has_text="by hand")).to_have_count(1)
        self.press("Control+Shift+z")
        expect(said).to_contain_text("Latch, double click 01")
        said.get_by_role("button", name=re.compile("Remake")).click()
        expect(page.get_by_text("made anew from Latch, double click as it is now")).to_be_visible()
        expect(said).to_have_count(0)
        again = [row["id"] for row in self.api(f"{HERE}/sounds?q=where kind one-shot&limit=50")["rows"]]
        self.assertEqual(sorted(again), sorted(made))

    def test_several_slices_are_chosen_and_dropped_in_one_step(self) -> None:
        page = self.page
        self.post(f"plans/{self.sound('Brass ratchet, quick')}/find", {"by": "grid", "every_s": 0.2})
        self.choose("Brass ratchet, quick")
        self.press("c")
        count, rows = page.get_by_test_id("slice-count"), page.locator("[data-slice]")
        expect(rows.nth(4)).to_be_visible()
        rows.nth(0).click()
        rows.nth(2).click(modifiers=["Shift"])
        rows.nth(4).click(modifiers=["Control"])
        expect(page.locator("[data-slice][aria-selected=true]")).to_have_count(4)
        self.press("x")
        expect(count).to_contain_text("4 dropped")
        expect(page.get_by_role("button", name="Take back 4")).to_be_visible()
        self.press("Control+z")
        expect(count).to_contain_text("0 dropped")
        self.press("Escape")
        expect(page.locator("[data-slice][aria-selected=true]")).to_have_count(1)

    def test_kits_are_renamed_and_filled_by_hand(self) -> None:
        page = self.page
        sound = self.sound("Flywheel, drag")
        self.post(f"plans/{sound}/find", {"by": "grid", "every_s": 0.2})
        self.choose("Flywheel, drag")
        self.press("c")
        page.get_by_role("tab", name="Kits").click()
        rows = page.locator("[data-slice]")
        rows.nth(0).click()
        rows.nth(1).click(modifiers=["Shift"])
        page.get_by_role("button", name="A kit of the 2 chosen slices").click()
        page.get_by_role("button", name="More of Kit 1").click()
        page.get_by_role("menuitem", name="Rename").click()
        page.get_by_label("Name of Kit 1").fill("Turns")
        self.press("Enter")
        turns = page.get_by_role("button", name=re.compile("^Turns"))
        expect(turns).to_contain_text("2, ")
        rows.nth(3).click()
        page.get_by_role("button", name="More of Turns").click()
        page.get_by_role("menuitem", name="Put the chosen slice here").click()
        expect(turns).to_contain_text("3, ")
        page.get_by_role("button", name="More of Turns").click()
        page.get_by_role("menuitem", name="Take the chosen slice out").click()
        expect(turns).to_contain_text("2, ")
        page.get_by_role("button", name=re.compile("^Undo")).click()
        expect(turns).to_contain_text("3, ")
        self.kept(f"{HERE}/plans/{sound}", "it.plan.kits.length === 1 && it.plan.kits[0].name === 'Turns' && it.plan.kits[0].slices.length === 3")

    def test_one_gain_is_fitted_to_the_loudest(self) -> None:
        page = self.page
        self.choose("Latch, double click")
        self.press("c")
        page.get_by_role("tab", name="Finish").click()
        self.one_of("one gain")
        fit = page.get_by_role("button", name="Fit the loudest to -1 dB")
        expect(fit).to_be_enabled()
        fit.click()
        self.kept(f"{HERE}/plans/{self.sound('Latch, double click')}", "it.plan.finish.gain_db !== 0")
        page.get_by_role("button", name=re.compile(r"Make \d+ one-shots")).click()
        expect(page.get_by_text("one-shots are in the library and on the sheet of Ship")).to_be_visible()
        peaks = [row["peak"] for row in self.api(f"{HERE}/sounds?q=where kind one-shot&limit=50")["rows"]]
        # fades may take a little off the peak, and never add to it
        self.assertTrue(-2.0 <= max(peaks) <= -0.95, peaks)

    def test_the_chosen_slice_is_drawn_and_measured_as_its_one_shot_will_be(self) -> None:
        page = self.page
        self.choose("Bolt drop")
        self.press("c")
        page.get_by_role("tab", name="Finish").click()
        figure = page.get_by_role("figure", name="The chosen slice, finished")
        expect(figure).to_contain_text(re.compile(r"Slice 1, finished: .* mono, -1\.0 dBFS"))
        self.one_of("one gain")
        expect(figure).not_to_contain_text("-1.0 dBFS")
        expect(figure).not_to_have_attribute("aria-busy", "true")
        # it is drawn as tall as it may be, and narrower towards its end
        [top, bottom] = figure.locator("[data-wave] path").first.evaluate("(one) => { const { y, height } = one.getBBox(); return [y, y + height]; }")
        self.assertGreater(bottom - top, 60)
        length, peak = re.findall(r"finished: ([\d.]+) s.*?(-[\d.]+) dBFS", figure.inner_text())[0]
        page.get_by_role("button", name=re.compile(r"Make \d+ one-shots")).click()
        expect(page.get_by_text("one-shots are in the library and on the sheet of Ship")).to_be_visible()
        made = next(row for row in self.api(f"{HERE}/sounds?q=where kind one-shot&limit=50")["rows"] if row["name"] == "Bolt drop 01")
        self.assertAlmostEqual(made["peak"], float(peak), delta=0.06)
        self.assertAlmostEqual(made["seconds"], float(length), delta=0.006)

    def test_slices_are_shown_and_dropped_by_a_band_of_what_is_measured(self) -> None:
        page = self.page
        self.post(f"plans/{self.sound('Dome glass, ring')}/find", {"by": "grid", "every_s": 0.1})
        self.choose("Dome glass, ring")
        self.press("c")
        table = page.get_by_role("table", name="Slices")
        total = len(self.api(f"{HERE}/plans/{self.sound('Dome glass, ring')}")["plan"]["slices"])
        self.assertGreater(total, 5)
        expect(table).to_have_attribute("aria-rowcount", str(total))
        self.pick("Show only by", "loudness")
        spread = page.get_by_role("img", name="How the loudness of the slices is spread")
        self.kept(f"{HERE}/plans/{self.sound('Dome glass, ring')}/measured", f"it.left === 0 && it.rows.length === {total}")
        self.drag(spread, 0.7, 1.02)
        expect(table).not_to_have_attribute("aria-rowcount", str(total))
        left = int(table.get_attribute("aria-rowcount") or 0)
        self.assertGreater(left, 0)
        page.get_by_role("button", name="Drop the others").click()
        expect(page.get_by_test_id("slice-count")).to_contain_text(f"{total - left} dropped")
        measured = {one["id"]: one["loudness_lufs"] for one in self.api(f"{HERE}/plans/{self.sound('Dome glass, ring')}/measured")["rows"]}
        self.kept(f"{HERE}/plans/{self.sound('Dome glass, ring')}", f"it.plan.slices.filter(one => one.dropped).length === {total - left}")
        slices = self.api(f"{HERE}/plans/{self.sound('Dome glass, ring')}")["plan"]["slices"]
        dropped, kept = ([measured[one["id"]] for one in slices if one["dropped"] == which] for which in (True, False))
        self.assertLessEqual(max(value for value in dropped if value is not None), min(value for value in kept if value is not None))

    def test_a_slice_is_locked_looped_and_heard_by_its_edges_and_seam(self) -> None:
        page = self.page
        sound = self.sound("Tone 220")
        self.post(f"plans/{sound}/find", {"by": "grid", "every_s": 2.0})
        self.choose("Tone 220")
        self.press("c")
        row = page.locator("[data-slice]").first
        row.click()
        self.press("<")
        expect(page.get_by_text("This slice has no loop")).to_be_visible()
        self.press("&")
        expect(row).to_contain_text("loops")
        loop = self.api(f"{HERE}/plans/{sound}")["plan"]["slices"][0]["loop"]
        self.press("<")
        self.sounding()
        expect(page.get_by_role("button", name=re.compile(r"^Loop \d"))).to_be_visible()
        self.press(">")
        expect(page.get_by_text("Edges of slice 1")).to_be_visible()
        self.press("!")
        expect(row).to_contain_text("locked")
        self.press("x")
        expect(page.get_by_text("Slice 1 is locked; unlock it to change it.")).to_be_visible()
        expect(page.get_by_test_id("slice-count")).to_contain_text("0 dropped")
        self.press("!")
        expect(row).not_to_contain_text("locked")
        page.get_by_role("button", name="Make 1 one-shots").click()
        expect(page.get_by_text("one-shots are in the library and on the sheet of Ship")).to_be_visible()
        made = self.api(f"{HERE}/sounds?q=where kind one-shot&sort=created&descending=true&limit=1")["rows"][0]
        self.assertAlmostEqual(made["seconds"], loop["end_s"], places=3)

    def test_edges_that_click_are_marked_and_a_short_fade_mends_them(self) -> None:
        page = self.page
        sound = self.sound("Tone 330")
        self.post(f"plans/{sound}/find", {"by": "grid", "every_s": 0.37})
        self.choose("Tone 330")
        self.press("c")
        table = page.get_by_role("table", name="Slices")
        self.kept(f"{HERE}/plans/{sound}/measured", "it.left === 0 && it.rows.length > 3")
        expect(table).not_to_contain_text("clicks at")
        page.get_by_role("tab", name="Finish").click()
        for name in ("Fade in", "Fade out"):
            slider = page.get_by_role("slider", name=name, exact=True)
            slider.press("0")
            page.get_by_role("textbox", name=name, exact=True).press("Enter")
        expect(table).to_contain_text("clicks at start and end")
        self.press("Control+z")
        expect(page.get_by_role("slider", name="Fade out", exact=True)).to_have_attribute("aria-valuetext", re.compile("12"))
        expect(table).not_to_contain_text("end")

    def test_a_sound_is_found_and_finished_as_another_is(self) -> None:
        page = self.page
        one, other = self.sound("Brass ratchet, quick"), self.sound("Dome glass, ring")
        plan = self.post(f"plans/{other}/find", {"by": "grid", "every_s": 0.25})["plan"]
        httpx.put(f"{self.base}/plans/{other}", json=plan | {"finish": {"peak_dbfs": -6.0}, "names": "{name} cut {number}"}).raise_for_status()
        self.choose("Brass ratchet, quick")
        self.press("c")
        expect(page.locator("[data-slice]").first).to_be_visible()
        self.pick("As another sound is sliced", "Dome glass, ring")
        expect(page.get_by_text("found and finished as those of Dome glass, ring")).to_be_visible()
        self.kept(f"{HERE}/plans/{one}", "it.plan.settings.by === 'grid' && it.plan.finish.peak_dbfs === -6 && it.plan.names.includes('cut')")

    def test_columns_are_chosen_and_stay(self) -> None:
        page = self.page
        self.choose("Latch, double click")
        self.press("c")
        table = page.get_by_role("table", name="Slices")
        expect(table.get_by_role("columnheader", name="Brightness")).to_be_visible()
        page.get_by_role("button", name="Columns").click()
        self.tick("Brightness")
        self.tick("True peak")
        self.press("Escape")
        for _ in range(2):
            expect(table.get_by_role("columnheader", name="Brightness")).to_have_count(0)
            expect(table.get_by_role("columnheader", name="True peak")).to_be_visible()
            page.reload()
            expect(page.locator("[data-slice]").first).to_be_visible()

    def test_sounds_recorded_together_are_sliced_together_and_stacked(self) -> None:
        page = self.page
        first, second = self.sound("Brass ratchet, slow"), self.sound("Brass ratchet, quick")
        page.locator(f"[data-sound='{first}']").click()
        page.locator(f"[data-sound='{second}']").click(modifiers=["Control"])
        page.get_by_role("region", name="Chosen sounds").get_by_role("button", name="Put into").click()
        page.get_by_role("button", name="Slice together").click()
        expect(page.get_by_test_id("slice-count")).to_be_visible()
        page.get_by_role("tab", name="Finish").click()
        expect(page.get_by_role("complementary", name="Find, finish and kits")).to_contain_text("Brass ratchet")
        sound = self.api(f"{HERE}/plans")[0]["sound"]
        self.assertEqual(self.api(f"{HERE}/plans/{sound}")["plan"]["stems"], [first + second - sound])
        page.get_by_role("button", name="Leave out").click()
        self.kept(f"{HERE}/plans/{sound}", "it.plan.stems.length === 0")
        self.press("Control+a", "y")
        expect(page.get_by_role("heading", level=1)).to_have_text(re.compile("^Slices of Brass ratchet"))
        self.assertEqual(len(self.api(f"{HERE}/designs")), 1)

    def test_thousand_slices_by_keyboard(self) -> None:
        """Found, one dropped and two merged, the best of alike kept, finished, dealt into kits, played, made and put on the sheet of Ship."""
        page = self.page
        drawn = np.random.default_rng(2)
        take = (drawn.standard_normal((60 * RATE, 1)) * 3e-4).astype(np.float32)
        kinds = [drawn.standard_normal(2000) * np.exp(-np.arange(2000) / decay) for decay in (80, 200, 500, 900)]
        for k in range(1000):
            at = round((k + 0.2) * 0.06 * RATE)
            take[at : at + 2000, 0] += (0.1 + 0.2 * (k % 5)) * kinds[k % 4][: len(take) - at].astype(np.float32) * np.float32(0.3)
        path = self.folder / "many.wav"
        files.write(path, take, RATE, 24)
        self.post("import", {"paths": [str(path)]})
        page.reload()
        self.choose("many")
        sound = self.sound("many")
        self.post(f"plans/{sound}/find", {"by": "grid", "every_s": 0.06})
        self.press("c")
        count, rows = page.get_by_test_id("slice-count"), page.locator("[data-slice]")
        expect(count).to_have_text(re.compile("^1000 slices 0 dropped"))
        rows.first.click()
        self.press("ArrowDown", "x")
        expect(count).to_contain_text("1 dropped")
        self.press("ArrowDown", "g")
        expect(count).to_contain_text("999 slices")
        self.kept(f"{HERE}/plans/{sound}/measured", "it.left === 0", patience_s=240)
        best = page.get_by_role("button", name=re.compile("^Best of [0-9]+ alike"))
        expect(best).to_be_enabled()
        best.focus()
        page.keyboard.press("Enter")
        expect(count).not_to_contain_text("999 slices 1 dropped")
        best.blur()
        self.press("Control+z")
        expect(count).to_contain_text("999 slices 1 dropped")
        page.get_by_role("tab", name="Kits").focus()
        page.keyboard.press("Enter")
        deal = page.get_by_role("button", name="Deal 998 slices into 63 kits")
        deal.focus()
        page.keyboard.press("Enter")
        keys = page.get_by_role("button", name="Keys of Kit 63")
        expect(page.get_by_role("button", name=re.compile("^Kit 63"))).to_be_visible()
        keys.focus()
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("keys-ready")).to_have_text(re.compile("^1[56] keys hold a slice"))
        # meters show so short a sound for a moment, which a look now and then may miss, and a page that is busy never draws
        page.evaluate("""() => {
            const meters = document.querySelector('footer');
            const quiet = meters.textContent;
            new MutationObserver(() => { window.sounded ||= meters.textContent !== quiet; })
                .observe(meters, { subtree: true, childList: true, characterData: true });
        }""")
        deadline = time.monotonic() + PATIENCE_S
        while not page.evaluate("window.sounded"):
            self.assertLess(time.monotonic(), deadline, "no meter moves however often a key is struck")
            self.press("q")
            page.wait_for_timeout(200)
        self.press("Escape")
        expect(rows.first).to_be_visible()
        page.get_by_role("button", name="Make 998 one-shots").focus()
        page.keyboard.press("Enter")
        self.kept(f"{HERE}/sheets/1", "it.sheet.sounds.length >= 998", patience_s=240)
        made = self.api(f"{HERE}/sounds?q=many where kind one-shot&limit=1")
        self.assertEqual(made["total"], 998)
        self.assertRegex(made["rows"][0]["tags"], r"kit-\d+ alike-\d+")
