"""What is put beside shipped files: read by others, and never over what somebody else wrote."""

import html.parser
import json
import re
import xml.etree.ElementTree

import numpy as np
import wavinfo

from oskren.core.audio import files
from oskren.core.errors import OskrenError
from oskren.core.ship import beside, manifest
from oskren.core.ship.items import Item
from oskren.core.ship.sheet import Beside
from oskren.core.ship.target import Target
from oskren.core.ship.write import FileReport, render_file
from tests.support import RATE, InFolder, sine

ALL = Beside(page=True, readme=True, contacts=True, reel=True, gap_s=0.25)
WILD = 'Latch </script><b>"é & Ⅳ'


class Elements(html.parser.HTMLParser):
    """The elements of a page, the text of its data, and every address it names."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.addresses: list[str] = []
        self.data = ""
        self._inside = False
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        self.addresses += [value or "" for name, value in attrs if name in ("src", "href", "action")]
        self._inside = ("type", "application/json") in attrs

    def handle_endtag(self, tag: str) -> None:
        self._inside = False

    def handle_data(self, data: str) -> None:
        self.data += data if self._inside else ""


class PutBeside(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.out = self.folder / "out"
        self.reports: list[FileReport] = []
        for k, (name, rate, channels) in enumerate((("Bell", RATE, 1), (WILD, 44_100, 2), ("Chain", 96_000, 1))):
            fades = np.minimum(1, np.minimum(np.arange(rate), np.arange(rate)[::-1]) / 480)[:, None]
            samples = (sine(220 * (k + 1), 1.0, -6, rate, channels) * fades).astype(np.float32)
            item = Item(node=self.source(samples, rate), name=name, category=("Glass", "Metal")[k % 2], rights="ours alone", tags=("kit-1",))
            path = f"{'ab'[k % 2]}/sound {k}.wav"
            self.reports.append(render_file(self.renderer, item, Target(), self.out / path, path))

    def test_the_contact_sheet_draws_every_file_and_is_well_formed(self) -> None:
        beside.write(self.out, f"Hits {WILD}", self.reports, ALL)
        svg = xml.etree.ElementTree.parse(self.out / "contact sheet.svg").getroot()
        space = "{http://www.w3.org/2000/svg}"
        self.assertEqual(len(svg.findall(f"{space}path")), 3)
        words = [one.text for one in svg.findall(f"{space}text")]
        self.assertTrue({"a (2)", "b (1)", "Bell", WILD, "Chain"} <= set(words), words)
        for path in svg.findall(f"{space}path"):
            ys = [float(point.split()[1]) for point in path.attrib["d"][1:-1].split("L")]
            self.assertTrue(0 <= min(ys) < 3 and 41 < max(ys) <= 44.6, (min(ys), max(ys)))
        self.assertLessEqual(max(float(one.attrib["y"]) for one in svg.findall(f"{space}text")), float(svg.attrib["height"]))

    def test_the_page_holds_every_file_and_asks_for_nothing_else(self) -> None:
        beside.write(self.out, f"Hits {WILD}", self.reports, ALL)
        page = Elements((self.out / "index.html").read_text())
        rows = json.loads(page.data)
        self.assertEqual([row["name"] for row in rows], ["Bell", "Chain", WILD])
        self.assertEqual([row["path"] for row in rows], ["a/sound 0.wav", "a/sound 2.wav", "b/sound 1.wav"])
        self.assertTrue(all(row["outline"] and row["rights"] == "ours alone" and row["tags"] == "kit-1" for row in rows))
        self.assertEqual(page.addresses, [])
        self.assertEqual(page.tags.count("script"), 2)
        self.assertNotIn("b", page.tags)
        self.assertIsNone(re.search(r"https?:|//[a-z]", (self.out / "index.html").read_text()))

    def test_failures_come_first(self) -> None:
        failed = self.reports[1].model_copy(update={"checks": [self.reports[1].checks[0].model_copy(update={"ok": False, "note": "too short"})]})
        rows = json.loads(Elements(beside.page(self.out, "Hits", [self.reports[0], failed])).data)
        self.assertEqual([row["wrong"] for row in rows], [["length: too short"], []])

    def test_the_readme_counts_formats_categories_and_rights(self) -> None:
        beside.write(self.out, "Hits", self.reports, Beside(readme=True))
        text = (self.out / "README.txt").read_text()
        for line in ("3 files, 0:00:03 in all.", "1  WAV, 44.1 kHz, 24 bit, 2 channels", "1  WAV, 96 kHz, 24 bit, 1 channel", "2  Glass", "3  ours alone"):
            self.assertIn(line, text)
        self.assertFalse((self.out / "index.html").exists())

    def test_the_reel_holds_all_files_with_their_names_where_another_reader_finds_them(self) -> None:
        beside.write(self.out, "Hits", self.reports, ALL)
        samples, rate = files.read(self.out / "preview reel.wav")
        self.assertEqual((rate, samples.shape), (48_000, (round(3 * 1.25 * 48_000), 2)))
        marks = wavinfo.WavInfoReader(str(self.out / "preview reel.wav")).cues
        assert marks is not None
        # this reader takes labels for Latin-1 unless told otherwise; they are UTF-8
        found = [(label.text.encode("latin-1").decode(), cue.position) for cue, label in zip(marks.cues, marks.labels, strict=True)]
        self.assertEqual(found, [("Bell", 0), ("Chain", 60_000), (WILD, 120_000)])
        for k, hz in enumerate((220, 660, 440)):
            part = samples[round(k * 1.25 * 48_000) :][:48_000, 0]
            self.assertEqual(int(np.argmax(np.abs(np.fft.rfft(part)))), hz)
            self.assertFalse(samples[round((k * 1.25 + 1.0) * 48_000) + 10 :][:11_000].any())

    def test_the_reel_holds_one_target_and_a_minute_of_a_long_file(self) -> None:
        tone = sine(500, 70.0, -12, 8000)
        path = "c/long.wav"
        long = render_file(self.renderer, Item(node=self.source(tone, 8000), name="Long"), Target(name="small"), self.out / path, path)
        beside.write(self.out, "Hits", [*self.reports, long], Beside(reel=True, gap_s=0), "small")
        samples, _ = files.read(self.out / "preview reel.wav")
        self.assertEqual(len(samples), 60 * 48_000)
        self.assertLess(np.abs(samples[-480:]).max(), 0.01)

    def test_a_page_of_files_that_are_gone_is_made_without_their_waveforms(self) -> None:
        old = self.reports[0].model_copy(update={"outline": ""})
        (self.out / old.path).unlink()
        self.assertEqual([row["outline"] for row in json.loads(Elements(beside.page(self.out, "{{data}} {{title}}", [old])).data)], [""])

    def test_what_somebody_else_wrote_or_changed_is_refused_before_anything_is_written(self) -> None:
        (self.out / "README.txt").write_text("mine")
        with self.assertRaisesRegex(OskrenError, "README.txt: is there already, and is not as Oskren wrote it"):
            beside.refuse_others(self.out, ALL, {})
        beside.refuse_others(self.out, Beside(page=True), {})
        (self.out / "README.txt").unlink()
        beside.write(self.out, "Hits", self.reports, ALL)
        beside.refuse_others(self.out, ALL, manifest.load(self.out).beside)
        # a kill between the manifest and the files leaves those of before, which are known too
        before = (self.out / "README.txt").read_text()
        beside.write(self.out, "Other hits", self.reports, ALL)
        self.assertNotEqual((self.out / "README.txt").read_text(), before)
        (self.out / "README.txt").write_text(before)
        beside.refuse_others(self.out, ALL, manifest.load(self.out).beside)
        (self.out / "index.html").write_text("changed")
        with self.assertRaisesRegex(OskrenError, "index.html"):
            beside.refuse_others(self.out, ALL, manifest.load(self.out).beside)

    def test_a_manifest_of_before_is_read_and_its_files_drawn(self) -> None:
        old = FileReport.model_validate({name: value for name, value in self.reports[0].model_dump().items() if name not in ("outline", "rights", "tags")})
        self.assertEqual(beside.outline_of(self.out, old), self.reports[0].outline)
