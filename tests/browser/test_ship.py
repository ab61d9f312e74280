"""Ship: what stops a sheet is mended kind by kind, and ready targets begin it."""

import re

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
