"""Names are legal and unique; categories are proposed from words."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from oskren.core.errors import OskrenError
from oskren.core.words import names
from oskren.core.words.propose import propose, words_of

VALUES = {"category": "Glass/Ring", "name": "Bell jar", "number": 7, "rate": "96k", "bits": 24, "channels": "mono", "target": "master", "sheet": "first"}


class Names(unittest.TestCase):
    @given(st.text(max_size=400))
    def test_a_part_is_legal_everywhere(self, text: str) -> None:
        part = names.legal(text)
        self.assertTrue(part)
        self.assertLessEqual(len(part.encode()), 255)
        self.assertFalse(set(part) & set('<>:"/|?*\\') or any(ord(c) < 32 for c in part))
        self.assertEqual(part, part.strip().rstrip(". ") or part)
        self.assertNotIn(part.split(".")[0].strip().lower(), {"con", "nul", "aux", "prn", "com1", "lpt9", "com²", "conin$"})
        self.assertFalse(set(part) & set("\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"))
        # with room left for a file's ending, as a file's name has it
        self.assertEqual(names.problems(names.legal(text, names.LONGEST - 5)), [])

    def test_names_of_devices_and_names_that_are_not_what_they_look_like(self) -> None:
        """Windows' documentation on naming files; Unicode Technical Report 36."""
        for name, wanted in (
            ("COM¹", "COM¹_"),
            ("lpt³.take 2", "lpt³_.take 2"),
            ("CONIN$", "CONIN$_"),
            ("aux .x", "aux _.x"),
            ("bell\u202egnp.wav", "bellgnp.wav"),
            ("\u200f\u05e4\u05e2\u05de\u05d5\u05df", "\u05e4\u05e2\u05de\u05d5\u05df"),
        ):
            with self.subTest(name=name):
                self.assertEqual(names.legal(name), wanted)
                self.assertTrue(names.problems(name))
        self.assertEqual((names.legal("Comb 1"), names.legal("console")), ("Comb 1", "console"))

    @given(st.text(max_size=60), st.text(max_size=60))
    def test_no_value_climbs_out_or_makes_folders(self, name: str, category: str) -> None:
        path = names.fill("{category}/{name}", {**VALUES, "name": name, "category": category}, ".wav")
        parts = path.split("/")
        self.assertLessEqual(len(parts), 2)
        self.assertNotIn("..", parts)
        self.assertTrue(path.endswith(".wav") and all(len(part.encode()) <= 255 for part in parts))

    def test_tokens(self) -> None:
        self.assertEqual(names.fill("{category}/{name}_{number:3}", VALUES, ".wav"), "Glass-Ring/Bell jar_007.wav")
        self.assertEqual(names.fill("{sheet}-{target}-{rate}-{bits}-{channels}", VALUES, ".flac"), "first-master-96k-24-mono.flac")
        self.assertEqual(names.fill("../../{name}", VALUES, ".wav"), "_/_/Bell jar.wav")

    def test_bad_templates_are_refused(self) -> None:
        for template, words in (("", "empty"), ("{colour}", "does not exist"), ("{name", "not closed"), ("{name:22}", "not closed")):
            with self.subTest(template=template), self.assertRaisesRegex(OskrenError, words):
                names.fill(template, VALUES, ".wav")

    def test_collisions_ignore_case_and_composition(self) -> None:
        self.assertEqual(names.collisions(["a.wav", "A.WAV", "b.wav", "e\u0301.wav", "\u00e9.wav"]), {0, 1, 3, 4})

    def test_long_names_keep_their_extension(self) -> None:
        path = names.fill("{name}", {**VALUES, "name": "ü" * 300}, ".flac")
        self.assertTrue(path.endswith(".flac") and len(path.encode()) <= 255)


class Proposals(unittest.TestCase):
    def test_words_are_split(self) -> None:
        self.assertEqual(words_of("BrassRatchetSlow02_b"), ["brass", "ratchet", "slow", "02", "b"])

    def test_known_words_propose_a_category(self) -> None:
        cases = {
            "Foley/glass_shatter_big_01.wav": "Glass/Shatter",
            "FOOTSTEPS gravel 3.wav": "Footsteps",
            "water-drips.ogg": "Water/Drip",
            "RoomTone_Attic.wav": "Ambience",
            "WindHowl02.wav": "Wind and air",
            "Recordings/bell.wav": "Metal",
        }
        for path, wanted in cases.items():
            with self.subTest(path=path):
                self.assertEqual(propose(path).category.split("/")[0], wanted.split("/")[0])

    def test_the_name_counts_more_than_the_folder(self) -> None:
        self.assertEqual(propose("Water/glass bottle.wav").category, "Glass")

    def test_unknown_words_propose_nothing(self) -> None:
        found = propose("xyzzy_0001.wav")
        self.assertEqual((found.category, found.confidence), ("", 0.0))

    def test_mixed_signals_are_less_sure(self) -> None:
        self.assertLess(propose("glass wood water.wav").confidence, propose("glass.wav").confidence)
