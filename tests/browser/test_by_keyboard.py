"""The whole job by keyboard alone: from a folder of recordings to shipped files, without a single press of the mouse."""

import re
import unittest

import numpy as np
from playwright.sync_api import Locator

from oskren.core.audio import files
from oskren.core.measure.levels import db, peak
from tests.browser.bench import HERE, OnTheBench
from tests.browser.support import expect
from tests.support import RATE, noise, struck

MOST_TABS = 150
HITS = (0.5, 1.4, 2.3, 3.2, 4.1)


class ByKeyboard(OnTheBench):
    def go(self, wish: str, found: str | re.Pattern[str] = "") -> None:
        """Find a stage, a command or a sound, and go there."""
        self.press("Control+k")
        field = self.page.get_by_label("Find a sound, design or command")
        expect(field).to_be_focused()
        self.page.keyboard.type(wish)
        expect(self.page.get_by_role("dialog").get_by_role("option").first).to_contain_text(found or wish)
        self.press("Enter")
        expect(field).to_have_count(0)

    def tab_to(self, wanted: Locator, *, back: bool = False) -> None:
        """Press Tab until the keys are where they are wanted."""
        expect(wanted).to_be_visible()
        for _ in range(MOST_TABS):
            self.press("Shift+Tab" if back else "Tab")
            if wanted.evaluate("(one) => one === document.activeElement"):
                return
        self.fail(f"{wanted} is not reached by Tab")

    def test_from_a_folder_to_shipped_files(self) -> None:
        page, folder = self.page, self.folder / "tide take"
        page.evaluate("addEventListener('pointerdown', () => { window.pointed = true; }, true)")
        take = noise(5.0, -62)
        for number, at in enumerate(HITS):
            first = round(at * RATE)
            take[first : first + RATE // 2] += struck(0.5, 0.06, seed=70 + number)
        files.write(folder / "kelp slap.wav", take, RATE, 24)

        # Gather: the folder comes in, its take is found, heard and rated
        self.press("i")
        self.tab_to(page.get_by_label("Folder or file of this machine"))
        page.keyboard.type(str(folder))
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="1 imported")).to_be_visible()
        self.press("Escape", "Escape")
        self.go("kelp slap")
        expect(page.get_by_label("Name", exact=True)).to_have_value("kelp slap")
        self.sounding()
        self.press("4")
        self.kept(f"{HERE}/sounds?q=kelp slap", "it.rows[0].rating === 4")

        # Mend: a step found by what it does, its number typed
        self.press("e")
        expect(page.get_by_role("heading", name="kelp slap")).to_be_visible()
        step = self.add_step("cut the super lows", "High-pass")
        self.tab_to(step.get_by_role("slider", name="Cut-off"))
        self.press("Enter")
        page.keyboard.type("180 Hz")
        self.press("Enter")
        sound = self.sound("kelp slap")
        self.kept(f"{HERE}/sounds/{sound}", "it.chain[0]?.kind === 'high_pass' && Math.abs(it.chain[0].params.cutoff_hz - 180) < 0.1")

        # Slice: its hits become one-shots, one is dropped
        self.press("Escape", "c")
        count = page.get_by_test_id("slice-count")
        expect(count).to_contain_text("5 slices")
        self.press("ArrowDown", "x")
        expect(count).to_contain_text("1 dropped")
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="4 one-shots are in the library")).to_be_visible()

        # Stack: two sounds in a design, one an octave down
        self.go("Tone 220")
        expect(page.get_by_label("Name", exact=True)).to_have_value("Tone 220")
        self.press("y")
        expect(page.get_by_role("status").filter(has_text="Tone 220")).to_be_visible()
        self.go("Tone 330")
        expect(page.get_by_label("Name", exact=True)).to_have_value("Tone 330")
        self.press("y")
        self.kept(f"{HERE}/designs", "it[0]?.mix.members.length === 2")
        self.go("Go to Stack")
        expect(page.locator("[data-clip]")).to_have_count(2)
        self.press("ArrowDown", "-")
        self.kept(f"{HERE}/designs", "it[0].mix.members.filter((one) => one.pitch_st === -12).length === 1")

        # Vary: variations are drawn, heard one after the other, one is kept and goes on the sheet
        self.go("Go to Vary")
        expect(page.get_by_role("region", name="What may move")).to_be_visible()
        self.press("d")
        expect(page.locator("[data-draw]").first).to_be_visible()
        expect(page.get_by_text("drawing …")).to_have_count(0)
        self.press("n")
        self.sounding()
        self.press("k")
        expect(page.get_by_test_id("kept")).to_contain_text("1 kept")
        self.press("j")
        expect(page.get_by_role("status").filter(has_text="1 variation put on the sheet")).to_be_visible()

        # Ship: a folder is named, and what lies on the sheet is written there
        self.go("Go to Ship")
        expect(page.get_by_test_id("planned")).to_have_text("5 files")
        out = self.folder / "by keyboard"
        self.tab_to(page.get_by_label("Folder to ship to"))
        page.keyboard.type(str(out))
        self.press("Enter", "Escape")
        self.tab_to(page.get_by_role("button", name="Ship 5 files"), back=True)
        self.press("Enter")
        expect(page.get_by_role("table", name="Report")).to_be_visible()
        written = sorted(out.rglob("*.wav"))
        self.assertEqual(len(written), 5)
        hits = [path for path in written if "kelp" in path.name.lower()]
        self.assertEqual(len(hits), 4)
        for path in hits:
            samples, rate = files.read(path)
            self.assertGreater(db(peak(samples)), -20)
            self.assertLess(len(samples) / rate, 0.9)
            low = np.abs(np.fft.rfft(samples[:, 0]))[: round(60 * len(samples) / rate)]
            self.assertLess(float(low.max()), 0.1 * float(np.abs(np.fft.rfft(samples[:, 0])).max()))
        self.assertFalse(page.evaluate("window.pointed === true"))


if __name__ == "__main__":
    unittest.main()
