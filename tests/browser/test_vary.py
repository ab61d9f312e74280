"""Vary by hand and key: any control freed, copies of one sound, what differs heard blind, recipes kept, families printed."""

import re

from tests.browser.bench import HERE, OnTheBench
from tests.browser.support import expect


class Vary(OnTheBench):
    def drawn(self, count: int) -> None:
        # only those near what is seen are on the page; each says of how many it is
        expect(self.page.locator("[data-draw]").first).to_have_attribute("aria-setsize", str(count))
        self.kept(f"{HERE}/spreads/{self.newest()['id']}", "it.all.every(one => one.ready)")
        expect(self.page.get_by_text("drawing …")).to_have_count(0)

    def newest(self) -> dict:
        return self.api(f"{HERE}/spreads/{self.api(f'{HERE}/spreads')[0]['id']}")

    def mixes(self) -> list[dict]:
        return [self.api(f"{HERE}/draws/{one['id']}")["mix"] for one in self.newest()["all"]]

    def begin(self, *layers: dict, name: str) -> int:
        number = self.design(*layers, name=name)
        self.open()
        self.stage("Vary")
        expect(self.page.get_by_role("heading", name=name)).to_be_visible()
        return number

    def number(self, name: str, value: str) -> None:
        """A number on a line, typed: the first digit opens it."""
        self.page.get_by_role("slider", name=name).press(value[0])
        field = self.page.get_by_role("textbox", name=name)
        field.fill(value)
        field.press("Enter")

    def free(self, layer: str, control: str) -> None:
        """Free a control of a layer by typing its name."""
        own = self.page.get_by_role("group", name=layer, exact=True)
        own.get_by_role("button", name="free").click()
        self.page.get_by_label(f"Find a control of {layer}").fill(control)
        self.page.get_by_label(f"Find a control of {layer}").press("Enter")
        self.page.keyboard.press("Escape")
        expect(own.get_by_role("group", name=f"{layer} {control}", exact=True)).to_be_visible()

    def test_from_one_creak_to_twelve_that_pass_the_repetition_test(self) -> None:
        page = self.page
        self.choose("Brass ratchet, quick")
        self.press("d")
        self.drawn(8)
        page.get_by_role("slider", name="Amount").focus()
        page.get_by_role("slider", name="Amount").press("End")
        page.get_by_label("How many").fill("48")
        page.get_by_label("How many").press("Enter")
        self.press("d")
        self.drawn(48)
        self.number("Most different", "12")
        page.get_by_role("button", name="Keep the 12 most different").click()
        expect(page.get_by_test_id("kept")).to_have_text("12 kept 0 dropped")
        expect(page.get_by_test_id("learnt")).to_contain_text("No two of them pass for the same.")
        self.press("p")
        expect(page.locator("[data-sounding]")).to_have_count(1)
        self.sounding()
        self.press("Space")
        # one step takes all of it back, and the next does it again
        self.press("Control+z")
        expect(page.get_by_test_id("kept")).to_have_text("0 kept 0 dropped")
        self.press("Control+Shift+z")
        expect(page.get_by_test_id("kept")).to_have_text("12 kept 0 dropped")
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="12 variations are in the library")).to_be_visible()
        self.kept(f"{HERE}/sheets/1", "it.sheet.sounds.length >= 12")
        names = [row["name"] for row in self.api(f"{HERE}/sounds?q=where kind variation&limit=50")["rows"]]
        self.assertIn("Brass ratchet, quick 12", names)

    def test_what_is_dropped_is_drawn_anew_and_taken_back_after_a_reload(self) -> None:
        page = self.page
        self.choose("Brass ratchet, quick")
        self.press("d")
        self.drawn(8)
        page.locator("[data-draw='3']").click()
        self.press("x")
        expect(page.get_by_test_id("kept")).to_have_text("0 kept 1 dropped")
        page.get_by_role("button", name="Redraw dropped").click()
        expect(page.locator("[data-draw='3']")).to_have_count(0)
        self.drawn(8)
        expect(page.get_by_test_id("kept")).to_have_text("0 kept 0 dropped")
        page.reload()
        self.drawn(8)
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        self.press("Control+z")
        expect(page.locator("[data-draw='3'][data-state=dropped]")).to_have_count(1)
        self.drawn(8)
        self.press("Control+z")
        expect(page.get_by_test_id("kept")).to_have_text("0 kept 0 dropped")
        self.press("Control+Shift+z")
        self.press("Control+Shift+z")
        expect(page.locator("[data-draw='3']")).to_have_count(0)
        self.drawn(8)

    def test_any_control_is_freed_heard_at_its_ends_and_drawn(self) -> None:
        drive = {"kind": "drive", "id": "rough", "params": {"drive_db": 12}}
        number = self.begin(self.layer("Bolt drop", chain=[drive]), self.layer("Floor plate, knock", at_s=0.1), name="Freed")
        page = self.page
        self.free("Bolt drop", "Drive")
        self.free("Bolt drop", "Present")
        self.free("Floor plate, knock", "Source")
        row = page.get_by_role("group", name="Bolt drop Drive", exact=True)
        low = row.get_by_label("Bolt drop Drive from")
        expect(low).to_have_value("-2.0 dB")
        low.fill("-10")
        low.press("Enter")
        expect(low).to_have_value("-10.0 dB")
        high = row.get_by_label("Bolt drop Drive to")
        high.press("ArrowUp")
        expect(high).to_have_value("+2.1 dB")
        row.get_by_role("button", name="Drive", exact=True).click()
        self.pick("Shape", "whole steps", row)
        self.kept(f"{HERE}/designs/{number}/recipe-draft", "it.draft.recipe.freedoms.some((one) => one.shape === 'steps' && one.low === -10)")
        row.get_by_role("button", name="Hear the ends of Bolt drop Drive").click()
        self.sounding()
        expect(page.get_by_role("contentinfo")).to_contain_text("lower end")
        row.get_by_role("button", name="Hear the ends of Bolt drop Drive").click()
        expect(page.get_by_role("contentinfo")).to_contain_text("upper end")
        search = page.get_by_label("Floor plate, knock sources from a search")
        search.fill("ratchet")
        search.press("Enter")
        page.get_by_label("How many").fill("8")
        page.get_by_label("How many").press("Enter")
        self.press("d")
        self.drawn(8)
        mixes = self.mixes()
        drives = {mix["members"][0]["chain"][0]["params"]["drive_db"] for mix in mixes}
        self.assertTrue(drives <= {12.0 + by for by in range(-10, 3)} and len(drives) > 4, drives)
        self.assertEqual({mix["members"][1]["name"] for mix in mixes}, {"Brass ratchet, slow", "Brass ratchet, quick"})
        # held still again, and taken back
        page.get_by_role("button", name="Hold Bolt drop Present still").click()
        expect(page.get_by_role("group", name="Bolt drop Present")).to_have_count(0)
        self.press("Control+z")
        expect(page.get_by_role("group", name="Bolt drop Present")).to_be_visible()

    def test_two_are_compared_blind_and_more_drawn_between_them(self) -> None:
        self.begin(self.layer("Bolt drop"), name="Compared")
        page, tiles = self.page, self.page.locator("[data-draw]")
        page.get_by_label("How many").fill("4")
        page.get_by_label("How many").press("Enter")
        self.press("d")
        self.drawn(4)
        tiles.nth(0).click()
        self.press("'")
        tiles.nth(2).click()
        panel = page.get_by_role("group", name="Two compared")
        expect(panel.get_by_role("table", name="What differs").get_by_role("row").first).to_contain_text("Bolt drop")
        blind = page.get_by_role("group", name="Blind comparison")
        guess = blind.get_by_role("button", name="It was No 1")
        expect(guess).to_be_disabled()
        for _ in range(3):
            blind.get_by_role("button", name="Hear one of the two").click()
            self.sounding()
            guess.click()
        expect(page.get_by_test_id("guesses")).to_contain_text(re.compile(r"[0-3] of 3 right; guessing does as well"))
        first = self.mixes()
        panel.get_by_role("button", name="Draw between them").click()
        expect(page.get_by_role("combobox", name="Spread")).to_contain_text("between")
        self.drawn(4)
        pitch = [mix["members"][0]["pitch_st"] for mix in self.mixes()]
        low, high = sorted((first[0]["members"][0]["pitch_st"], first[2]["members"][0]["pitch_st"]))
        self.assertTrue(all(low - 1e-3 <= one <= high + 1e-3 for one in pitch), (low, pitch, high))
        # one of them goes on in Stack
        tiles.nth(1).click()
        page.get_by_role("button", name="Open as a design").click()
        expect(page.locator("[data-clip]").first).to_be_visible()
        self.assertIn("seed", self.api(f"{HERE}/designs")[0]["name"])

    def test_a_family_of_three_is_drawn_printed_and_put_on_the_sheet(self) -> None:
        self.begin(self.layer("Bolt drop", role="attack"), name="Lock")
        page = self.page
        for name, by in (("light", "4"), ("medium", "0"), ("heavy", "-6")):
            low = page.get_by_label("Bolt drop Pitch from")
            low.fill(by)
            low.press("Enter")
            page.locator("section[aria-label='What may move'] button[title^='Recipes kept']").click()
            page.get_by_role("button", name="Keep this recipe").click()
            page.get_by_label("Name of the recipe").fill(name)
            page.get_by_label("Name of the recipe").press("Enter")
            expect(page.get_by_role("status").filter(has_text=f"The recipe {name} is kept.")).to_be_visible()
            self.page.keyboard.press("Escape")
        page.locator("section[aria-label='What may move'] button[title^='Recipes kept']").click()
        # what is opened takes the focus a moment later: no hand is as fast as a test
        expect(page.get_by_role("button", name="Keep this recipe")).to_be_focused()
        for name, count in (("light", "1"), ("medium", "2"), ("heavy", "3")):
            self.number(f"Of {name}", count)
        page.get_by_role("button", name="Draw a family of 6").click()
        self.page.keyboard.press("Escape")
        self.drawn(1)
        self.kept(f"{HERE}/spreads", "it.slice(0, 3).map((one) => one.name).join() === 'Lock heavy,Lock medium,Lock light'")
        for _ in range(3):
            spread = self.api(f"{HERE}/spreads/{self.api(f'{HERE}/spreads')[_]['id']}")
            self.pick("Spread", re.compile(f"^{spread['name']}, "))
            self.drawn(len(spread["all"]))
            page.locator("[data-draw]").first.click()
            self.press("k")
            expect(page.get_by_test_id("kept")).to_have_text("1 kept 0 dropped")
            self.kept(f"{HERE}/spreads/{spread['id']}", "it.kept === 1")
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="3 variations are in the library")).to_be_visible()
        names = {row["name"] for row in self.api(f"{HERE}/sounds?q=Lock where kind variation&limit=50")["rows"]}
        self.assertEqual(names, {"Lock light 01", "Lock medium 01", "Lock heavy 01"})
        self.stage("Ship")
        rows = page.get_by_role("table", name="Files to be written").locator("[data-row]")
        expect(rows.filter(has_text="Lock heavy 01").first).to_be_visible()
