"""Ship: what stops a sheet is mended kind by kind, and ready targets begin it."""

import re

import numpy as np
import soundfile as sf

from tests.browser.bench import HERE, OnTheBench
from tests.browser.support import expect


class Ship(OnTheBench):
    def test_problems_are_mended_in_one_gesture_for_all_of_their_kind(self) -> None:
        page = self.page
        out = self.folder / "handed"
        names = ("Bolt drop", "Dome glass, ring", "Latch, double click")
        (out / "wav").mkdir(parents=True)
        for name in names[:2]:
            (out / "wav" / f"{name}.wav").write_bytes(b"somebody's")
        self.post("sheets/1/items", {"sounds": [self.sound(name) for name in names]})
        self.stage("Ship")
        page.get_by_label("Folder to ship to").fill(str(out))
        page.get_by_label("Folder to ship to").press("Enter")
        template = page.get_by_label("Name template")
        template.fill("same")
        template.press("Enter")
        before = page.get_by_role("region", name="Before it ships")
        expect(before).to_contain_text("3 files would be called like another")
        expect(before).to_contain_text("3 whose rights are not said")
        before.get_by_role("button", name="Number them").click()
        files = page.get_by_role("table", name="Files to be written")
        expect(files).to_contain_text("same_002.wav")
        expect(before).not_to_contain_text("called like another")
        self.press("Control+z")
        expect(before).to_contain_text("3 files would be called like another")
        template.fill("wav/{name}")
        template.press("Enter")
        expect(before).to_contain_text("2 files would lie where somebody else's file is")
        before.get_by_role("button", name="Write over them").click()
        expect(before).not_to_contain_text("somebody else's")
        template.fill("{colour}")
        template.press("Enter")
        expect(before).to_contain_text("3 files have no name")
        before.get_by_role("button", name="Name them by their sounds").click()
        expect(files).to_contain_text("Bolt drop.wav")
        page.get_by_role("button", name="Add a target").click()
        page.get_by_role("menuitem", name=re.compile("^game")).click()
        expect(files).to_contain_text("game/dome_glass,_ring.ogg")
        expect(page.get_by_test_id("planned")).to_have_text("6 files")
        self.kept(f"{HERE}/sheets/1", "it.sheet.targets.length === 2 && it.sheet.targets[1].case === 'lower'")
        page.get_by_role("button", name="Readme").click()
        page.get_by_role("button", name="Ship 6 files").click()
        expect(page.get_by_text("6 files, 0 of them unchanged, 0 failed")).to_be_visible()
        self.assertIn("6 files", (out / "README.txt").read_text())
        self.assertTrue((out / "game" / "dome_glass,_ring.ogg").exists())
        self.assertEqual((out / "wav" / "Bolt drop.wav").read_bytes(), b"somebody's")
        with page.expect_download() as told:
            page.get_by_role("button", name="Page, HTML").click()
        self.assertIn("Dome glass, ring", told.value.path().read_text())

    def test_the_sheet_is_sorted_grouped_chosen_heard_and_shipped_under_numbers_that_stay(self) -> None:
        page, out = self.page, self.folder / "numbered"
        names = ("Bolt drop", "Dome glass, ring", "Latch, double click", "Tone 220", "Tone 330")
        self.put("sheets/1", {"sounds": [self.sound(name) for name in names], "folder": str(out), "targets": [{"template": "{number:2} {name}"}]})
        self.stage("Ship")
        table = page.get_by_role("table", name="Files to be written")
        rows = table.locator("[data-row]")
        expect(rows).to_have_count(5)
        table.get_by_role("columnheader", name="Length").get_by_role("button").click()
        shortest = rows.first.inner_text()
        table.get_by_role("columnheader", name="Length").get_by_role("button").click()
        expect(rows.last).to_have_text(re.compile(re.escape(shortest.split("\n")[1])))
        rows.first.click()
        expect(page.get_by_role("button", name="Stop")).to_be_visible()
        self.press("Space")
        name = rows.first.locator("[role=cell]").nth(2).inner_text()
        expect(page.get_by_role("button", name=re.compile("^.name. ")).first).to_contain_text(name)
        rows.nth(2).click(modifiers=["Shift"])
        expect(page.get_by_test_id("chosen files")).to_have_text("3 of 5 chosen")
        self.press("Delete")
        expect(rows).to_have_count(2)
        self.press("Control+z")
        expect(rows).to_have_count(5)
        page.get_by_role("combobox", name="Group by").click()
        page.get_by_role("option", name="by category").click()
        expect(table.get_by_role("button", name=re.compile(r"\(\d+\)$")).first).to_be_visible()
        page.get_by_role("combobox", name="Group by").click()
        page.get_by_role("option", name="no groups").click()
        page.get_by_role("button", name="Ship 5 files").click()
        expect(page.get_by_text("5 files, 0 of them unchanged, 0 failed")).to_be_visible()
        self.assertEqual(sorted(path.stem for path in out.glob("*.wav")), [f"{i:02d} {name}" for i, name in enumerate(names, 1)])
        # one is taken off: the others keep their numbers, and none is written again
        report = page.get_by_role("table", name="Report")
        expect(report.locator("[data-row]")).to_have_count(5)
        report.locator("[data-row]").filter(has_text="Tone 220").click()
        expect(page.get_by_role("complementary", name="Summary")).to_contain_text("Written because it is new")
        expect(page.get_by_text("04 Tone 220.wav, as written")).to_be_visible()
        self.press("b")
        expect(page.get_by_text("04 Tone 220.wav, as meant")).to_be_visible()
        self.press("Space")
        page.get_by_role("button", name="Back to the sheet").click()
        rows.filter(has_text="Bolt drop").get_by_role("button", name="Take Bolt drop off the sheet").click()
        expect(table).to_contain_text("02 Dome glass, ring.wav")
        page.get_by_role("button", name="Ship 4 files").click()
        expect(page.get_by_text("4 files, 4 of them unchanged, 0 failed")).to_be_visible()
        expect(page.get_by_role("table", name="Report")).to_be_visible()

    def test_what_is_known_before_it_ships_has_its_remedy(self) -> None:
        """A sound over full scale is told before anything runs; the remedy lowers it, and limits of its target fail what breaks them."""
        page, out = self.page, self.folder / "told"
        self.put("sheets/1", {"sounds": [self.sound("Too loud"), self.sound("Bolt drop")], "folder": str(out), "targets": [{"template": "{name}"}]})
        self.stage("Ship")
        before = page.get_by_role("region", name="Before it ships")
        before.get_by_role("button", name="1 expected over full scale").click()
        rows = page.get_by_role("table", name="Files to be written").locator("[data-row]")
        expect(rows).to_have_count(1)
        expect(rows).to_contain_text("Too loud")
        before.get_by_role("button", name="1 expected over full scale").click()
        expect(rows).to_have_count(2)
        before.get_by_role("button", name="Lower what goes over").click()
        expect(before).not_to_contain_text("expected over full scale")
        page.get_by_role("button", name="Limits of its files").click()
        page.get_by_role("button", name="What breaks a limit fails").click()
        self.kept(f"{HERE}/sheets/1", "it.sheet.targets[0].rules.strict && it.sheet.targets[0].over === 'lower'")
        page.get_by_role("button", name="Ship 2 files").click()
        report = page.get_by_role("table", name="Report")
        expect(report.locator("[data-row]").filter(has_text="Too loud")).to_contain_text("failed")
        expect(report).to_contain_text("may click")
        self.assertLess(float(np.abs(sf.read(out / "Too loud.wav")[0]).max()), 1.0)
