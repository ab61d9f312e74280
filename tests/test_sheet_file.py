"""The sheet as a file: what it may say, and one sentence for what it may not."""

import json
import tempfile
import unittest
from pathlib import Path

from oskren.core.audio import files
from oskren.core.errors import OskrenError
from oskren.core.nodes.examined import Examined
from oskren.core.words.propose import Proposal
from oskren.store import Home
from oskren.work.engine.place import Workplace
from oskren.work.engine.studio import Studio
from oskren.work.gather import tasks as examining
from oskren.work.ship.sheet_file import SheetFile, load, resolve
from tests.support import RATE, struck


class Sheets(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.home = Home(self.folder / "home")
        self.studio = Studio(self.home)
        self.addCleanup(self.studio.close)
        self.library = self.home.library("Mine", create=True)
        arrival = self.library.arrival("x")
        for k, name in enumerate(("bolt", "latch", "latch")):
            path = self.folder / f"{name} {k}.wav"
            files.write(path, struck(0.4, 0.1, seed=k), RATE, 24)
            found = examining.examine(Workplace(str(self.folder / "c"), str(self.folder / "p")), str(path))
            assert isinstance(found, Examined)
            self.library.add_original(found, arrival, Proposal("Metal", ("hard",), 1.0), refer=True, name=name)

    def read(self, document: object) -> SheetFile:
        path = self.folder / "sheet.json"
        path.write_text(document if isinstance(document, str) else json.dumps(document))
        return load(path)

    def test_items_are_found_by_id_name_and_file(self) -> None:
        sheet = self.read({"items": [{"sound": 1}, {"sound": "bolt", "name": "renamed", "category": "Lock"}, {"file": "latch 2.wav"}]})
        items = resolve(self.studio, self.library, sheet, self.folder).items
        self.assertEqual([(item.name, item.category) for item in items], [("bolt", "Metal"), ("renamed", "Lock"), ("latch 2", "")])
        self.assertEqual(items[0].tags, ("hard",))
        self.assertEqual([item.sound for item in items], ["1", "1", ""])

    def test_parts_and_chains_become_nodes(self) -> None:
        sheet = self.read({"items": [{"sound": 1, "start_s": 0.1, "end_s": 0.2, "chain": [{"kind": "reverse"}]}]})
        node = resolve(self.studio, self.library, sheet, self.folder).items[0].node
        self.assertEqual((node.kind, node.node.kind, node.node.end_s), ("chained", "excerpt", 0.2))

    def test_targets_have_defaults(self) -> None:
        (target,) = self.read({"items": [{"sound": 1}]}).targets
        self.assertEqual((target.format, target.bits, target.rate, target.channels), ("wav", 24, None, "keep"))

    def test_what_a_sheet_may_not_say(self) -> None:
        cases: list[tuple[object, str]] = [
            ("{", "schema"),
            ({"items": []}, "items"),
            ({"items": [{}]}, "either a sound or a file"),
            ({"items": [{"sound": 1, "file": "a.wav"}]}, "either a sound or a file"),
            ({"items": [{"sound": 1, "start_s": 1}]}, "both start_s and end_s"),
            ({"items": [{"sound": 1}], "targets": [{"format": "mp9"}]}, "format"),
            ({"items": [{"sound": 1}], "targets": [{"format": "flac", "bits": 32}]}, "FLAC holds 16 or 24 bit"),
            ({"items": [{"sound": 1}], "colour": "red"}, "colour"),
            ({"items": [{"sound": 1, "chain": [{"kind": "gain", "params": {}, "extra": 1}]}]}, "extra"),
        ]
        for document, words in cases:
            with self.subTest(words=words), self.assertRaises(OskrenError) as caught:
                self.read(document)
            self.assertIn(words, str(caught.exception))
            self.assertIn("sheet.json", str(caught.exception))

    def test_what_cannot_be_found_is_named_with_its_place(self) -> None:
        for item, words in (
            ({"sound": 99}, "Item 1.*no sound '99'"),
            ({"sound": "gone"}, "Item 1.*no sound 'gone'"),
            ({"sound": "latch"}, "2 sounds are called 'latch'; give the id instead"),
            ({"file": "gone.wav"}, "gone.wav.*no such file"),
        ):
            with self.subTest(item=item), self.assertRaisesRegex(OskrenError, words):
                resolve(self.studio, self.library, self.read({"items": [item]}), self.folder)

    def test_a_folder_or_a_picture_is_no_sheet(self) -> None:
        with self.assertRaisesRegex(OskrenError, "cannot be read"):
            load(self.folder)
        (self.folder / "p.json").write_bytes(b"\x89PNG\xff\xfe\x00")
        with self.assertRaisesRegex(OskrenError, "not a text file"):
            load(self.folder / "p.json")

    def test_the_schema_names_every_field_the_docs_name(self) -> None:
        text = (Path(__file__).parents[1] / "docs" / "formats.md").read_text()
        schema = json.dumps(SheetFile.model_json_schema())
        for field in ("sound", "file", "start_s", "end_s", "chain", "template", "peak_dbfs", "fade_in_ms", "fade_out_ms", "dither", "channels", "bits", "rate"):
            self.assertIn(field, text)
            self.assertIn(f'"{field}"', schema)
