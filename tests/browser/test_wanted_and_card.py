"""The field recorder and its card, excerpts by keyboard, notes with photos, and a wanted list worked off."""

import re
import shutil
import unittest.mock
from pathlib import Path

import numpy as np
import wavinfo
from playwright.sync_api import Route

from oskren.core.audio import files
from oskren.core.words.wanting import read_csv
from oskren.demo.field import picture
from oskren.store import Home
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import import_paths
from tests.browser.support import InBrowser, expect
from tests.support import RATE, noise, struck

HERE = "lib/workshop"


def hits(*at: float, seconds: float = 12.0) -> np.ndarray:
    out = noise(seconds, -66)
    for k, moment in enumerate(at):
        out[round(moment * RATE) : round(moment * RATE) + RATE // 2] += struck(0.5, 0.08, seed=k)
    return out


class Fieldwork(InBrowser):
    @classmethod
    def prepare(cls, home: Path) -> None:
        folder = cls.folder / "sounds"
        files.write(folder / "rooms" / "Long prop session.wav", hits(1.0, 3.0, 5.0, 7.0, 9.0), RATE, 24)
        for name, seed in (("Glass dome creak", 1), ("Glass rod creak", 2), ("Kelp torn", 3), ("Brass hinge", 4)):
            files.write(folder / "props" / f"{name}.wav", struck(0.6, 0.1, seed=seed), RATE, 24)
        studio = Studio(Home(home))
        library = studio.home.library("Workshop", create=True)
        (library.folder / "title").write_text("Workshop")
        import_paths(studio, library, [folder], "Tuesday")
        studio.close()

    def setUp(self) -> None:
        super().setUp()
        expect(self.page.locator("[data-sound]").first).to_be_visible()

    def found(self, query: str):  # type: ignore[no-untyped-def]
        return self.api(f"{HERE}/sounds?limit=200&q={query}")["rows"]

    def said(self, text: str) -> None:
        expect(self.page.get_by_role("status").filter(has_text=text)).to_be_visible()

    def test_a_card_is_recorded_and_offloaded(self) -> None:
        page = self.page
        self.press("r")
        page.get_by_role("button", name="Field recorder").click()
        panel = page.get_by_role("region", name="Field recorder")
        panel.get_by_role("button", name="Switch on").click()
        expect(panel.get_by_role("button", name="Recorder on")).to_be_visible()
        self.pick("Place", "Glasshouse", panel)
        gain = panel.get_by_role("slider", name="Gain")
        gain.press("Shift+ArrowLeft")
        expect(gain).to_have_attribute("aria-valuenow", "28")
        panel.get_by_role("button", name="Low-cut").click()
        expect(panel.get_by_role("button", name="Low-cut")).to_have_attribute("aria-pressed", "true")
        for number, prop in ((1, "Struck glass"), (2, "Wet kelp")):
            self.press("Enter")
            expect(panel.get_by_test_id("recorder-time")).to_contain_text(f"T000{number}.WAV")
            panel.get_by_role("button", name=prop).click()
            expect(panel.get_by_test_id("recorder-time")).to_contain_text(re.compile(r"[1-9]\.\d s"))
            self.press("Enter")
            expect(panel.get_by_test_id("card")).to_contain_text(f"T000{number}.WAV")
        expect(panel.get_by_test_id("meter")).to_contain_text("0 clips")
        panel.get_by_role("button", name="Offload the card").click()
        card = page.get_by_role("region", name="Offload a card")
        card.get_by_label("Place", exact=True).fill("Glasshouse")
        card.get_by_label("Place", exact=True).press("Enter")
        card.get_by_label("Weather", exact=True).fill("furnace lit")
        card.get_by_label("Weather", exact=True).press("Enter")
        names = card.get_by_label("Names of the takes")
        names.fill("{place} RAW {number:2}")
        names.press("Enter")
        second = self.folder / "second disk"
        card.get_by_label("Folder for second copies").fill(str(second))
        expect(card.locator("[data-take]").nth(1)).to_contain_text("Glasshouse RAW 02")
        self.press("Tab")
        card.get_by_role("button", name="Offload 2 takes").click()
        self.said("2 takes offloaded, every copy compared with the card, 2 second copies")
        expect(page.get_by_test_id("total")).to_have_text("2 sounds")
        expect(page.get_by_role("region", name="Arrival").get_by_label("Weather", exact=True)).to_have_value("furnace lit")
        rows = self.found("furnace lit")
        self.assertEqual(sorted(row["name"] for row in rows), ["Glasshouse RAW 01", "Glasshouse RAW 02"])
        self.assertEqual({row["kind"] for row in rows}, {"take"})
        on_card = sorted((self.folder / "home" / "card").rglob("*.WAV"))
        self.assertEqual([(second / f"Glasshouse RAW 0{n}.wav").read_bytes() for n in (1, 2)], [path.read_bytes() for path in on_card])
        info = wavinfo.WavInfoReader(str(second / "Glasshouse RAW 02.wav"))
        self.assertIn("Glasshouse, gain 28 dB", info.bext.description)
        self.assertIn("low-cut", info.bext.description)
        # the same card again: nothing is doubled
        self.press("i")
        page.get_by_role("tab", name="From a recorder").click()
        page.get_by_role("button", name="Offload a card").click()
        expect(page.get_by_text("offloaded before")).to_have_count(2)
        expect(page.get_by_role("button", name="Offload 0 takes")).to_be_disabled()

    def test_another_recorders_card_with_trouble(self) -> None:
        page = self.page
        card = self.folder / "other card"
        files.write(card / "DAY1" / "gulls.wav", noise(0.5, -20, seed=31), RATE, 24)
        (card / "DAY1" / "cut.wav").write_bytes((card / "DAY1" / "gulls.wav").read_bytes()[:5000])
        page.goto(f"http://127.0.0.1:{self.port}/gather?panel=card")
        panel = page.get_by_role("region", name="Offload a card")
        folder = panel.get_by_label("Folder of the card")
        folder.fill(str(self.folder / "nowhere"))
        folder.press("Enter")
        expect(panel.get_by_role("alert")).to_contain_text("there is no such folder")
        folder.fill(str(card))
        folder.press("Enter")
        expect(panel.get_by_text(re.compile("cut.wav: is truncated"))).to_be_visible()
        expect(panel.locator("[data-take]")).to_have_count(1)
        names = panel.get_by_label("Names of the takes")
        names.fill("{nonsense}")
        names.press("Enter")
        expect(panel.get_by_role("alert")).to_contain_text("does not exist")
        names.fill("{name} RAW")
        names.press("Enter")
        panel.get_by_role("button", name="Offload 1 take").click()
        self.said("1 takes offloaded")
        self.assertEqual([row["name"] for row in self.found("gulls")], ["gulls RAW"])

    def test_excerpts_are_marked_by_keys_while_it_plays(self) -> None:
        page = self.page
        self.choose("Long prop session")
        number = self.found('"Long prop session"')[0]["id"]
        address = f"{HERE}/sounds/{number}/excerpts"
        strip = page.get_by_role("region", name="Excerpts")
        self.sounding()
        for count in (1, 2):
            self.press("[")
            expect(strip.get_by_test_id("marking")).to_contain_text("…")
            self.sounding()
            self.sounding()
            if count == 1:
                self.press("]")
                expect(strip.get_by_test_id("marking")).to_contain_text(re.compile(r"from [\d.]+ s to [\d.]+ s"))
            self.press("k")  # an open part ends at the playhead
            expect(strip.locator("[data-excerpt]")).to_have_count(count)
        expect(page.get_by_role("button", name="Loop drag a part")).to_be_visible()  # marking did not make it loop
        first, second = self.api(address)
        self.assertLess(first["end_s"], second["start_s"])
        self.assertEqual([one["name"] for one in (first, second)], ["Long prop session part 01", "Long prop session part 02"])
        # named and tagged together, taken back by one undo
        strip.get_by_role("button", name="2 excerpts: choose all").click()
        chosen = page.get_by_role("region", name="Chosen sounds")
        chosen.get_by_role("button", name="Describe").click()
        chosen.get_by_label("Names of all chosen").fill("Latch {number:2}")
        chosen.get_by_label("Names of all chosen").press("Enter")
        chosen.get_by_label("Tags to add").fill("latch select")
        chosen.get_by_label("Tags to add").press("Enter")
        self.kept(address, "it[0].name === 'Latch 01' && it[1].name === 'Latch 02' && it[0].tags.includes('select')")
        self.press("Control+z", "Control+z")
        self.kept(address, "it[0].name === 'Long prop session part 01' && !it[0].tags.includes('select')")
        # a row of its own, heard and exported like any other
        self.press("Escape")
        page.get_by_label("Search the sounds").fill("where kind excerpt")
        expect(page.get_by_test_id("total")).to_have_text("2 sounds")
        page.locator("[data-sound]").first.click()
        self.sounding()
        self.press("w")
        self.said("1 file written")
        out = self.folder / "home" / "hand-over" / "workshop" / "Long prop session part 01.wav"
        written, _ = files.read(out)
        whole, _ = files.read(self.folder / "sounds" / "rooms" / "Long prop session.wav")
        start = round(first["start_s"] * RATE)
        np.testing.assert_allclose(written, whole[start : start + len(written)], atol=2.0**-23)
        self.assertAlmostEqual(len(written) / RATE, first["end_s"] - first["start_s"], places=4)

    def test_a_full_disk_ends_the_take_and_keeps_it(self) -> None:
        page = self.page
        self.press("r")
        panel = page.get_by_role("region", name="Record")
        panel.get_by_label("Name of the take").fill("Until the end")
        panel.get_by_role("button", name="Arm").click()
        expect(panel.get_by_role("button", name="Armed")).to_be_visible()
        self.press("Enter")
        expect(panel.get_by_test_id("take-time")).to_have_text(re.compile(r"^[2-9]\.\d s$"))
        left = shutil._ntuple_diskusage(1 << 40, (1 << 40) - (8 << 20), 8 << 20)
        with unittest.mock.patch("shutil.disk_usage", return_value=left):
            expect(page.get_by_role("alert")).to_contain_text(re.compile(r"Until the end 01, [\d.]+ s, is in the library. The disk Oskren writes to is full"))
        expect(panel.get_by_role("button", name="Start take")).to_be_enabled()
        [row] = self.found("until")
        self.assertGreater(row["seconds"], 1.5)
        self.assertIn("which are kept", self.api(f"{HERE}/sounds/{row['id']}")["notes"])

    def test_nothing_marked_is_said(self) -> None:
        self.page.locator("[data-sound]").first.click()
        self.press("k")
        self.said("No part is marked")

    def test_notes_and_photos_of_an_arrival(self) -> None:
        page = self.page
        self.choose("Kelp torn")
        page.get_by_role("button", name="Arrival", exact=True).click()
        card = page.get_by_role("region", name="Arrival")
        expect(card.get_by_label("Name of the arrival")).to_have_value("Tuesday")
        # the second field is written before the card shows what became of the first
        held: list[Route] = []
        holding = [True]
        page.route("**/arrivals?only=*", lambda route: held.append(route) if holding else route.continue_())
        for label, text in (("Place", "Reed beds"), ("Permission", "keeper asked")):
            card.get_by_label(label, exact=True).fill(text)
            card.get_by_label(label, exact=True).press("Enter")
        self.said("are found by these notes now")
        holding.clear()
        for route in held:
            route.continue_()
        expect(card.get_by_label("Permission", exact=True)).to_have_value("keeper asked")
        (self.folder / "shore.png").write_bytes(picture(60, 40))
        card.get_by_label("Photos").set_input_files(self.folder / "shore.png")
        expect(card.get_by_role("img", name="shore.png")).to_be_visible()
        card.get_by_label("Photos").set_input_files(self.folder / "sounds" / "props" / "Kelp torn.wav")
        expect(page.get_by_role("alert")).to_contain_text("Kelp torn.wav: is no picture")
        page.get_by_role("button", name="Clear filters").click()
        page.get_by_label("Search the sounds").fill("keeper kelp")
        expect(page.get_by_test_id("total")).to_have_text("1 sound")
        page.locator("[data-sound]").first.click()
        expect(page.get_by_label("Selected sound")).to_contain_text("permission keeper asked")
        page.get_by_label("Search the sounds").fill("where place has reed and not name has session")
        expect(page.get_by_test_id("total")).to_have_text("4 sounds")

    def test_a_wanted_list_is_worked_off(self) -> None:
        page = self.page
        expect(page.locator("[data-sound]").first).to_be_visible()
        late: list[Route] = []
        page.route("**/assets/Wanted-*.js", lambda route: route.continue_() if late else late.append(route))
        panel = page.get_by_role("dialog", name="Wanted list")
        self.press("6")
        for _ in range(1200):  # the browser may still have the script of a story before, and asks for none
            if late or panel.is_visible():
                break
            page.wait_for_timeout(50)
        self.press("Escape")  # left before it is there, it is not shown when it comes; the next press shows it
        for route in list(late):
            route.continue_()
        self.press("6")
        write = panel.get_by_label("What is wanted")
        for text in ("2 glass creaks", "kelp torn", "distant thunder"):
            write.fill(text)
            write.press("Enter")
            expect(panel.locator("[data-wanted]", has_text=text.removeprefix("2 "))).to_be_visible()
        table = self.folder / "more.csv"
        table.write_text("what;how many;priority\nbrass hinge;1;must\n")
        panel.get_by_label("Wanted list as CSV").set_input_files(table)
        expect(panel.locator("[data-wanted]").first).to_contain_text("brass hinge")
        expect(panel.get_by_test_id("progress")).to_have_text("4 wanted")
        # words and number are changed in place
        panel.get_by_role("button", name="kelp torn: open").click()
        panel.get_by_label("How many of kelp torn").fill("4")
        panel.get_by_label("How many of kelp torn").press("Enter")
        expect(panel.locator("[data-wanted]", has_text="kelp torn")).to_contain_text("0 of 4")
        # what the library suggests, in one press
        panel.get_by_role("button", name="brass hinge: open").click()
        answers = panel.get_by_role("group", name="Answers to brass hinge")
        expect(answers.locator("[data-suggestion]").first).to_contain_text("Brass hinge")
        answers.get_by_role("button", name="Hear").first.click()
        self.sounding()
        answers.get_by_role("button", name="Link", exact=True).first.click()
        expect(panel.get_by_role("combobox", name="State of brass hinge")).to_have_text("found")
        self.pick("State of brass hinge", "done", panel)
        expect(panel.get_by_test_id("progress")).to_contain_text("1 done")
        # from the list into a search; what is chosen answers it by Enter
        panel.locator("[data-wanted]", has_text="glass creaks").get_by_role("button", name="Search").click()
        expect(page.get_by_test_id("total")).to_have_text("2 sounds")
        banner = page.get_by_role("region", name="Answering")
        for place, count in ((0, 1), (1, 2)):
            page.locator("[data-sound]").nth(place).click()
            expect(page.get_by_label("Name", exact=True)).to_have_value(re.compile("^Glass"))
            self.press("Enter")
            expect(banner).to_contain_text(f"{count} of 2")
        banner.get_by_role("button", name="Back to the list").click()
        expect(panel.get_by_role("combobox", name="State of glass creaks")).to_have_text("found")
        # nothing fits: it is recorded
        panel.get_by_role("button", name="distant thunder: open").click()
        expect(panel.get_by_text("Nothing in the library fits")).to_be_visible()
        panel.locator("[data-wanted]", has_text="distant thunder").get_by_role("button", name="Record").click()
        record = page.get_by_role("region", name="Record")
        expect(record).to_contain_text("answers “distant thunder”")
        record.get_by_role("button", name="Arm").click()
        expect(record.get_by_role("button", name="Armed")).to_be_visible()
        self.press("Enter")
        expect(record.get_by_test_id("take-time")).to_have_text(re.compile(r"^[1-9]\.\d s$"))
        self.press("Enter")
        self.said("distant thunder 01")
        self.press("Escape", "6")
        expect(panel.get_by_role("combobox", name="State of distant thunder")).to_have_text("recorded")
        expect(panel.get_by_test_id("progress")).to_have_text("1 wanted1 found1 recorded1 done")
        with page.expect_download() as saved:
            panel.get_by_role("link", name="Save CSV").click()
        entries = {entry.what: entry for entry in read_csv(saved.value.path().read_text())}
        self.assertEqual({what: entry.state for what, entry in entries.items()}, {
            "brass hinge": "done", "glass creaks": "found", "kelp torn": "wanted", "distant thunder": "recorded",
        })  # fmt: skip
        self.assertRegex(saved.value.path().read_text(), "Glass (dome|rod) creak; Glass (dome|rod) creak")
