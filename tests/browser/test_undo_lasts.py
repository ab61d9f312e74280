"""Undo and redo outlast the page: after a reload, in another stage and in a new browser, in every editor that keeps a document."""

import re

import httpx

from tests.browser.bench import HERE, OnTheBench
from tests.browser.support import expect


class UndoLasts(OnTheBench):
    def again(self) -> None:
        """As a week later: another browser, which was never here."""
        self.page.close()
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, color_scheme="dark")
        self.addCleanup(context.close)
        self.page = context.new_page()
        self.page.goto(f"http://127.0.0.1:{self.port}/")
        expect(self.page.get_by_role("navigation", name="Stages")).to_be_visible()

    def undone(self, times: int = 1) -> None:
        for _ in range(times):
            expect(self.page.get_by_role("button", name="Undo")).to_be_enabled()
            self.press("Control+z")

    def test_steps_of_a_design_are_undone_and_done_again_after_a_reload_and_in_a_new_browser(self) -> None:
        number = self.design(self.layer("Bolt drop"), self.layer("Flywheel, drag"))
        self.open()
        for k, (layer, key) in enumerate(((0, "-"), (1, "-"), (1, "m")), 1):
            self.choose_layer(layer)
            self.press(key)
            self.kept(f"{HERE}/history/design/{number}", f"it.past.length === {k}")
        self.page.reload()
        expect(self.page.locator("[data-clip]").first).to_be_visible()
        self.undone(2)
        self.kept_mix(number, "mix.members[0].pitch_st === -12 && mix.members[1].pitch_st === 0 && !mix.members[1].mute")
        self.kept(f"{HERE}/history/design/{number}", "it.past.length === 1 && it.future.length === 2")
        self.stage("Gather")
        self.stage("Stack")
        expect(self.page.get_by_role("button", name="Redo")).to_be_enabled()
        self.press("Control+Shift+z")
        self.kept_mix(number, "mix.members[1].pitch_st === -12 && !mix.members[1].mute")
        self.kept(f"{HERE}/history/design/{number}", "it.past.length === 2 && it.future.length === 1")
        self.again()
        self.stage("Stack")
        expect(self.page.locator("[data-clip]").first).to_be_visible()
        self.undone(2)
        self.kept_mix(number, "mix.members.every((one) => one.pitch_st === 0)")
        self.kept(f"{HERE}/history/design/{number}", "it.past.length === 0 && it.future.length === 3")
        self.press(*["Control+Shift+z"] * 3)
        self.kept_mix(number, "mix.members[0].pitch_st === -12 && mix.members[1].mute")

    def test_a_step_that_no_longer_fits_says_so_and_changes_nothing(self) -> None:
        number = self.design(self.layer("Bolt drop"))
        self.open()
        self.choose_layer(0)
        self.press("-")
        self.kept(f"{HERE}/history/design/{number}", "it.past.length === 1")
        self.page.goto("about:blank")
        design = next(one for one in self.api(f"{HERE}/designs") if one["id"] == number)
        design["mix"]["members"][0]["pitch_st"] = 5.0
        httpx.put(f"{self.base}/designs/{number}", json={"name": design["name"], "mix": design["mix"]}, timeout=90).raise_for_status()
        self.page.goto(f"http://127.0.0.1:{self.port}/stack")
        expect(self.page.locator("[data-clip]").first).to_be_visible()
        self.undone()
        expect(self.page.get_by_role("alert").filter(has_text="This cannot be undone")).to_be_visible()
        self.kept_mix(number, "mix.members[0].pitch_st === 5")

    def test_a_plan_a_chain_and_a_reel(self) -> None:
        number = self.sound("Flywheel, drag")
        self.choose("Flywheel, drag")
        self.press("Escape", "c")
        expect(self.page.get_by_test_id("slice-count")).to_be_visible()
        before = self.api(f"{HERE}/plans/{number}")["plan"]["slices"][0]
        self.press("x")
        self.kept(f"{HERE}/history/plan/{number}", "it.past.length === 1")
        self.page.reload()
        self.undone()
        self.kept(f"{HERE}/plans/{number}", f"it.plan.slices[0].dropped === {'true' if before['dropped'] else 'false'}")

        self.stage("Gather")
        self.choose("Flywheel, drag")
        self.press("Escape", "e")
        self.page.get_by_role("button", name="Add step").click()
        self.page.get_by_role("option", name="Reverse", exact=True).click()
        self.kept(f"{HERE}/history/chain/{number}", "it.past.length === 1")
        self.page.reload()
        self.undone()
        self.kept(f"{HERE}/sounds/{number}", "it.chain.length === 0")

        self.stage("Gather")
        self.choose("Flywheel, drag")
        self.press("Escape", "/")
        wave = self.page.get_by_label(re.compile("^Takes of "))
        expect(self.page.get_by_text("events over")).to_be_visible()
        self.drag(wave, 0.1, 0.3)
        self.press("k")
        reel = self.api(f"{HERE}/reels")[0]["id"]
        self.kept(f"{HERE}/history/reel/{reel}", "it.past.length === 1")
        self.page.reload()
        self.undone()
        self.kept(f"{HERE}/reels/{reel}", "it.reel.marks.length === 0")

    def test_a_design_goes_into_the_trash_and_comes_back_from_the_message_and_from_the_trash(self) -> None:
        number = self.design(self.layer("Bolt drop"))
        self.open()
        self.choose_layer(0)
        self.press("-")
        self.kept(f"{HERE}/history/design/{number}", "it.past.length === 1")
        name = self.page.get_by_label("Name of the design")
        called = name.input_value()

        def act(what: str) -> None:
            self.page.get_by_role("button", name="This design").click()
            self.page.get_by_role("menuitem", name=what).click()

        act("Duplicate")
        expect(name).to_have_value(f"{called} copy")
        act("Put into the trash")
        expect(self.page.get_by_text(f"{called} copy is in the trash")).to_be_visible()
        self.page.get_by_role("button", name="Undo", exact=True).last.click()
        expect(name).to_have_value(f"{called} copy")
        act("Put into the trash")
        expect(name).not_to_have_value(f"{called} copy")
        self.stage("Gather")
        self.page.get_by_role("button", name="Trash", exact=True).click()
        rows = self.page.get_by_role("region", name="Trash")
        expect(rows).to_contain_text(f"{called} copy")
        rows.get_by_role("button", name="Take back").first.click()
        expect(rows).not_to_contain_text(f"{called} copy")
        self.stage("Stack")
        expect(name).to_have_value(f"{called} copy")
        self.kept_mix(max(one["id"] for one in self.api(f"{HERE}/designs")), "mix.members[0].pitch_st === -12")

    def test_the_sheet_of_ship(self) -> None:
        ids = [self.sound(name) for name in ("Bolt drop", "Latch, double click", "Tone 220")]
        before = len(self.api(f"{HERE}/history/sheet/1")["past"])
        body = {"sounds": ids, "name": "Mine", "folder": str(self.folder / "undone"), "targets": [{"template": "{name}"}]}
        httpx.put(f"{self.base}/sheets/1", json=body, timeout=90).raise_for_status()
        self.page.reload()
        self.stage("Ship")
        rows = self.page.get_by_role("table", name="Files to be written").locator("[data-row]")
        expect(rows).to_have_count(3)
        rows.nth(1).get_by_role("button").last.click()
        self.page.get_by_text("FLAC", exact=True).click()
        self.kept(f"{HERE}/sheets/1", f"it.sheet.sounds.join() === '{ids[0]},{ids[2]}' && it.sheet.targets[0].format === 'flac'")
        self.kept(f"{HERE}/history/sheet/1", f"it.past.length === {before + 2}")
        self.page.get_by_role("button", name="Empty the sheet").click()
        expect(rows).to_have_count(0)
        # what comes to the sheet meanwhile stays
        self.stage("Gather")
        self.choose("Tone 330")
        self.press("Escape", "j")
        self.kept(f"{HERE}/sheets/1", "it.sheet.sounds.length === 1")
        self.page.reload()
        self.stage("Ship")
        self.undone()
        tone = self.sound("Tone 330")
        self.kept(f"{HERE}/sheets/1", f"it.sheet.sounds.join() === '{ids[0]},{ids[2]},{tone}'")
        self.undone(2)
        self.kept(f"{HERE}/sheets/1", f"it.sheet.sounds.join() === '{ids[0]},{ids[1]},{ids[2]},{tone}' && it.sheet.targets[0].format === 'wav'")

    def test_judgements_and_recipe_of_vary_are_taken_back_in_the_order_they_were_made(self) -> None:
        self.design(self.layer("Bolt drop"), name="Judged")
        self.open()
        self.stage("Vary")
        page, tiles = self.page, self.page.locator("[data-draw]")
        page.get_by_label("How many").fill("4")
        page.get_by_role("button", name="Draw", exact=True).click()
        expect(tiles).to_have_count(4)
        expect(page.get_by_text("drawing …")).to_have_count(0)
        spread = f"{HERE}/spreads/{self.api(f'{HERE}/spreads')[0]['id']}"
        tiles.nth(0).click()
        self.kept(spread, "it.all[0].state === 'heard'")
        self.press("k")
        page.get_by_label("Seed").fill("77")
        page.get_by_label("Seed").press("Enter")
        tiles.nth(1).click()
        self.press("x")
        self.kept(spread, "it.all[0].state === 'kept' && it.all[1].state === 'dropped'")
        page.reload()
        expect(tiles.nth(1)).to_have_attribute("data-state", "dropped")
        self.undone()
        self.kept(spread, "it.all[0].state === 'kept' && it.all[1].state === 'heard'")
        expect(page.get_by_label("Seed")).to_have_value("77")
        self.undone()
        expect(page.get_by_label("Seed")).not_to_have_value("77")
        expect(tiles.nth(0)).to_have_attribute("data-state", "kept")
        self.undone()
        self.kept(spread, "it.all.every((one) => one.state === 'heard' || one.state === 'unheard')")
        self.press(*["Control+Shift+z"] * 3)
        expect(page.get_by_label("Seed")).to_have_value("77")
        self.kept(spread, "it.all[0].state === 'kept' && it.all[1].state === 'dropped'")
        # a second window sees it, and what is said there comes here
        other = page.context.new_page()
        other.goto(f"http://127.0.0.1:{self.port}/vary")
        expect(other.locator("[data-draw]").nth(1)).to_have_attribute("data-state", "dropped")
        other.locator("[data-draw]").nth(2).click()
        other.keyboard.press("k")
        expect(tiles.nth(2)).to_have_attribute("data-state", "kept")
        other.close()
        # what was dropped is drawn anew: nothing is said of it any more
        page.get_by_role("button", name="Redraw dropped").click()
        self.kept(spread, "it.all.some((one) => one.number === 5) && Object.keys(it.judged.states).length === 2")
        expect(page.get_by_test_id("kept")).to_contain_text("2 kept 0 dropped")
        # the kept ones and the design itself leave from the sheet without being printed, and are taken off it one by one
        self.press("j")
        expect(page.get_by_role("status").filter(has_text="2 variations put on the sheet")).to_be_visible()
        self.stage("Stack")
        expect(page.locator("[data-clip]").first).to_be_visible()
        self.press("j")
        expect(page.get_by_role("status").filter(has_text="1 design put on the sheet")).to_be_visible()
        self.stage("Ship")
        rows = page.get_by_role("table", name="Files to be written").locator("[data-row]")
        expect(rows.filter(has_text="variation")).to_have_count(2)
        expect(rows.filter(has_text="design")).to_have_count(1)
        rows.filter(has_text="variation").first.get_by_role("button").last.click()
        expect(rows.filter(has_text="variation")).to_have_count(1)
        self.press("Control+z")
        expect(rows.filter(has_text="variation")).to_have_count(2)
        page.get_by_role("button", name="Empty the sheet").click()
        self.stage("Vary")
        page.get_by_role("button", name="Print 2 kept").click()
        expect(page.get_by_role("status").filter(has_text="2 variations are in the library")).to_be_visible()
