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
        expect(said).to_contain_text("Latch, double click 01")
        said.get_by_role("button", name=re.compile("Remake")).click()
        expect(page.get_by_text("made anew from Latch, double click as it is now")).to_be_visible()
        expect(said).to_have_count(0)
        again = [row["id"] for row in self.api(f"{HERE}/sounds?q=where kind one-shot&limit=50")["rows"]]
        self.assertEqual(sorted(again), sorted(made))
