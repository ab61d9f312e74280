"""Slice by hand and key: a sound that changes after it was sliced."""

import re

from tests.browser.bench import HERE, OnTheBench
from tests.browser.support import expect


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

    def test_one_gain_is_fitted_to_the_loudest(self) -> None:
        page = self.page
        self.choose("Latch, double click")
        self.press("c")
        self.one_of("one gain")
        fit = page.get_by_role("button", name="Fit the loudest to -1 dB")
        expect(fit).to_be_enabled()
        fit.click()
        sound = self.api(f"{HERE}/plans")[0]["sound"]
        self.kept(f"{HERE}/plans/{sound}", "it.plan.finish.gain_db !== 0")
        page.get_by_role("button", name=re.compile(r"Make \d+ one-shots")).click()
        expect(page.get_by_text("one-shots are in the library and on the sheet of Ship")).to_be_visible()
        peaks = [row["peak"] for row in self.api(f"{HERE}/sounds?q=where kind one-shot&limit=50")["rows"]]
        # fades may take a little off the peak, and never add to it
        self.assertTrue(-2.0 <= max(peaks) <= -0.95, peaks)

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
