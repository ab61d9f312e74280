"""A library: search columns in step with the database, words found, duplicates shown once."""

import tempfile
import unittest
from pathlib import Path

from sqlalchemy import inspect, text

from oskren.core.errors import OskrenError
from oskren.core.nodes.examined import Examined
from oskren.core.nodes.model import Step
from oskren.core.words.propose import Proposal
from oskren.store import Home
from oskren.store.library import node_of
from oskren.store.search.asking import Asked
from oskren.store.search.words import match_parts
from oskren.store.tables import Base


def examined(path: Path, number: int, **values: object) -> Examined:
    facts = {
        "sample_peak_dbfs": -float(number),
        "integrated_lufs": -20.0 - number,
        "brightness_hz": 1000.0 * number,
        "pitch_hz": None,
        "anchor_s": 0.0,
        "anchor_kind": "hit",
    }
    given = {
        "path": str(path),
        "audio": f"{number:040x}",
        "rate": 48_000,
        "channels": 1 + number % 2,
        "frames": 4800 * number,
        "bits": 24,
        "format": "WAV",
        "size": 10,
        "modified": 1.0,
    }
    return Examined(**{**given, **values}, measures=facts, outline=b"\x00" * 8)  # type: ignore[arg-type]


class InLibrary(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.home = Home(self.folder / "home")
        self.addCleanup(self.home.close)
        self.library = self.home.library("Glass House", create=True)
        self.arrival = self.library.arrival("first")

    def add(self, name: str, number: int, category: str = "", refer: bool = True, **values: object) -> bool:
        path = self.folder / "files" / f"{name}.wav"
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(f"sound {number}".encode())
        return self.library.add_original(examined(path, number, **values), self.arrival, Proposal(category, ("dry",), 0.6), refer=refer).fresh

    def search(self, query: str = "", **more: object):  # type: ignore[no-untyped-def]
        with self.library.reading() as session:
            found = self.library.columns.search(session, Asked(words=query, **more))  # type: ignore[arg-type]
        return found.total, [self.library.sound(number).name for number in found.ids], found.facets


class Adding(InLibrary):
    def test_the_same_audio_through_two_paths_is_one_sound_with_both(self) -> None:
        self.assertTrue(self.add("creak one", 1))
        self.assertFalse(self.add("creak copy", 1))
        self.assertEqual(self.search()[0], 1)
        self.assertEqual([Path(path).name for path, _, _ in self.library.paths(1)], ["creak copy.wav", "creak one.wav"])

    def test_copied_media_lies_in_the_library_under_its_hash(self) -> None:
        self.add("kept", 3, refer=False)
        path = self.library.media(f"{3:040x}")
        self.assertTrue(path.is_relative_to(self.library.folder))
        self.assertEqual(path.read_bytes(), b"sound 3")
        (self.folder / "files" / "kept.wav").unlink()
        self.assertTrue(path.exists())

    def test_referred_media_that_goes_missing_is_named(self) -> None:
        self.add("there", 4)
        (self.folder / "files" / "there.wav").unlink()
        with self.assertRaisesRegex(OskrenError, "there.wav.*missing"):
            self.library.media(f"{4:040x}")

    def test_a_sound_is_its_node_through_its_chain(self) -> None:
        self.add("a", 1)
        before = node_of(self.library.sound(1))
        self.library.change(1, {"chain": [Step(kind="gain", params={"gain_db": 3.0}).model_dump()]})
        after = node_of(self.library.sound(1))
        self.assertEqual((before.kind, after.kind), ("source", "chained"))

    def test_libraries_are_apart_and_found_again(self) -> None:
        self.add("a", 1)
        other = self.home.library("Other", create=True)
        with other.reading() as session:
            self.assertEqual(other.columns.search(session, Asked()).total, 0)
        self.home.close()
        again = Home(self.folder / "home")
        self.assertEqual(again.names(), ["glass-house", "other"])
        self.assertEqual(again.library("glass house").sound(1).name, "a")
        with self.assertRaisesRegex(OskrenError, "There is no library 'third'"):
            again.library("third")
        again.close()

    def test_the_migrations_make_the_tables_of_the_models(self) -> None:
        found = inspect(self.library.engine)
        for table in Base.metadata.tables.values():
            self.assertEqual({column["name"] for column in found.get_columns(table.name)}, {column.name for column in table.columns})
        with self.library.reading() as session:
            self.assertEqual(session.scalar(text("PRAGMA journal_mode")), "wal")
            self.assertEqual(session.scalar(text("PRAGMA foreign_keys")), 1)


class Searching(InLibrary):
    def setUp(self) -> None:
        super().setUp()
        for name, number, category in (
            ("Glass creak 1", 1, "Glass/Creak"),
            ("GlassShatter02", 2, "Glass/Shatter"),
            ("Brass hinge, slow creak", 3, "Metal/Hinge"),
            ("Slam2 door", 4, "Wood/Door"),
        ):
            self.add(name, number, category)

    def test_all_words_prefixes_and_phrases(self) -> None:
        cases = {
            "glass": 2,
            "creak": 2,
            "glass creak": 1,
            "gla": 2,
            '"slow creak"': 1,
            '"creak slow"': 0,
            "shatter": 1,
            "slam": 1,
            "hinge metal": 1,
            "dry": 4,
            "": 4,
            "zebra": 0,
            # left out, and one of several
            "glass -creak": 1,
            '-"slow creak"': 3,
            "-glass -slam": 1,
            "shatter or slam": 2,
            "shatter or hinge creak": 1,
            "shatter or slam or hinge -door": 2,
            # a minus before a number, and an "or" that joins nothing, are what was typed
            "slam -2": 1,
            "or": 0,
            '"or" glass': 0,
        }
        for query, count in cases.items():
            with self.subTest(query=query):
                self.assertEqual(self.search(query)[0], count)

    def test_what_is_typed_cannot_break_the_search(self) -> None:
        for query in ('"', "AND OR NOT", "glass*", "(", "name:glass", "'; DROP TABLE sounds; --", '"unclosed', "NEAR(a b)", "ü", "^", "-"):
            with self.subTest(query=query):
                self.search(query)
        self.assertEqual(self.search()[0], 4)
        self.assertEqual(match_parts("*()"), ([], []))

    def test_facets_count_within_all_other_facets(self) -> None:
        total, _, facets = self.search(facets={"category": ["Glass"]})
        self.assertEqual(total, 2)
        self.assertEqual(facets["category"], {"Glass/Creak": 1, "Glass/Shatter": 1, "Metal/Hinge": 1, "Wood/Door": 1})
        self.assertEqual(facets["channels"], {"1": 1, "2": 1})
        total, names, facets = self.search(facets={"category": ["Glass"], "channels": ["2"]})
        self.assertEqual((total, names), (1, ["Glass creak 1"]))
        self.assertEqual(facets["category"], {"Glass/Creak": 1, "Metal/Hinge": 1})

    def test_sorting(self) -> None:
        self.assertEqual(self.search(sort="duration_s")[1][0], "Glass creak 1")
        self.assertEqual(self.search(sort="peak")[1][0], "Slam2 door")
        self.assertEqual(self.search(sort="category", descending=True)[1][0], "Slam2 door")
        self.assertEqual(self.search(sort="name", limit=1, offset=1)[1], ["Glass creak 1"])

    def test_changes_are_found_at_once(self) -> None:
        self.search()
        self.library.change(1, {"name": "Zebra crossing", "category": "Stone", "rating": 5})
        self.assertEqual(self.search("zebra")[1], ["Zebra crossing"])
        self.assertEqual(self.search("glass creak")[0], 0)
        self.assertIn("Stone", self.search()[2]["category"])
        self.assertEqual(self.search(sort="rating", descending=True)[1][0], "Zebra crossing")
        self.add("New kelp", 9, "Plant")
        self.assertEqual(self.search("kelp")[0], 1)
        self.assertEqual(self.search()[0], 5)
