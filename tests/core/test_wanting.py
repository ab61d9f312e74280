"""The wanted list's words, table form, and how well a sound fits."""

import csv
import io
import unittest

from hypothesis import given
from hypothesis import strategies as st

from oskren.core.errors import OskrenError
from oskren.core.words.names import SOUND_TOKENS, TAKE_TOKENS, filled
from oskren.core.words.wanting import PRIORITIES, STATES, Entry, checked_state, content_words, fit, read_csv, write_csv

WORDS = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), min_size=1, max_size=60).filter(lambda text: text.strip() == text and bool(text))
ENTRIES = st.builds(
    Entry,
    what=WORDS,
    how_many=st.integers(1, 10_000),
    priority=st.integers(1, 3),
    state=st.sampled_from(STATES),
    notes=st.just("") | WORDS,
)


class Table(unittest.TestCase):
    @given(st.lists(ENTRIES, min_size=1, max_size=8))
    def test_what_is_written_is_read_back(self, entries: list[Entry]) -> None:
        self.assertEqual(read_csv(write_csv((entry, []) for entry in entries)), entries)

    def test_it_is_plain_csv_that_others_read(self) -> None:
        """RFC 4180, read by Python's own reader: quotes around what holds commas, quotes or line ends."""
        text = write_csv([(Entry(what='glass, "the dome"', how_many=3, priority=1, notes="two\nlines"), ["Bell jar", "Dome"])])
        rows = list(csv.reader(io.StringIO(text)))
        self.assertEqual(rows[0], ["what", "how many", "priority", "state", "notes", "answers"])
        self.assertEqual(rows[1], ['glass, "the dome"', "3", "must", "wanted", "two\nlines", "Bell jar; Dome"])
        self.assertTrue(text.startswith("what,") and "\r\n" in text)

    def test_tables_of_others_are_understood(self) -> None:
        for text, wanted in (
            ("What;How many\nkelp;4\n", Entry(what="kelp", how_many=4)),
            ("\ufeffid,WHAT,Priority,State\n7,kelp,1,To_Record\n", Entry(what="kelp", priority=1, state="to record")),
            ("what\tnotes\n\nkelp\twet\n", Entry(what="kelp", notes="wet")),
            ("what,how many\nkelp,\n", Entry(what="kelp")),
        ):
            with self.subTest(text=text):
                self.assertEqual(read_csv(text), [wanted])

    def test_what_cannot_be_read_is_named_by_its_row(self) -> None:
        for text, words in (
            ("", "is empty"),
            ("name,count\nkelp,2\n", "needs a column 'what'"),
            ("what,how many\nkelp,2\nglass,many\n", "Row 3.*'many' under 'how many'"),
            ("what,how many\nkelp,0\n", "Row 2"),
            ("what,priority\nkelp,urgent\n", "'urgent' under 'priority'.*must, should, may"),
            ("what,state\nkelp,nearly\n", "Row 2.*no state 'nearly'.*wanted, found"),
            ("what,notes\n,wet\n", "Row 2.*nothing under 'what'"),
        ):
            with self.subTest(text=text), self.assertRaisesRegex(OskrenError, words):
                read_csv(text)

    def test_states_are_written_in_any_way(self) -> None:
        self.assertEqual([checked_state(text) for text in ("To Record", "to_record", "DONE", "")], ["to record", "to record", "done", "wanted"])
        self.assertEqual(list(PRIORITIES), [1, 2, 3])


class Fitting(unittest.TestCase):
    def test_words_that_say_something(self) -> None:
        self.assertEqual(content_words("3 glass doors, creaking in the wind"), ["glass", "door", "creak", "wind"])
        self.assertEqual(content_words("GlassCreak_02 and a glass"), ["glass", "creak"])
        self.assertEqual(content_words("of the to 42"), [])

    def test_more_words_fit_better_and_the_name_counts_most(self) -> None:
        wanted = content_words("glass door creak")
        scores = [
            fit(wanted, ["glass", "door", "creak"], [], True),
            fit(wanted, ["glass", "door"], ["creak"], True),
            fit(wanted, ["glass", "door"], [], True),
            fit(wanted, ["glass"], [], True),
            fit(wanted, ["glass"], [], False),
            fit(wanted, ["kelp"], [], False),
        ]
        self.assertEqual(scores, sorted(scores, reverse=True))
        self.assertEqual((scores[-1], len(set(scores))), (0.0, 6))
        self.assertGreater(scores[0], 0.99)

    @given(
        st.lists(st.sampled_from(["glass", "door", "kelp", "brass"]), unique=True),
        st.lists(st.sampled_from(["glass", "door", "kelp"]), unique=True),
        st.booleans(),
    )
    def test_it_lies_between_nothing_and_all(self, wanted: list[str], name: list[str], same: bool) -> None:
        self.assertTrue(-0.01 <= fit(wanted, name, [], same, 5) <= 1.0)

    def test_a_rating_breaks_ties_and_no_more(self) -> None:
        high, low = (fit(["glass"], ["glass"], [], False, rating) for rating in (5, 0))
        self.assertGreater(high, low)
        self.assertLess(high - low, 0.01)


class Names(unittest.TestCase):
    def test_templates_for_sounds_and_takes(self) -> None:
        values = {"name": "Kelp", "number": 7, "category": "Plant", "place": "", "date": "2026-09-14"}
        self.assertEqual(filled("{category} {place} {name} {number:3}", values, SOUND_TOKENS), "Plant Kelp 007")
        self.assertEqual(filled("{date}/{name}", values, SOUND_TOKENS), "2026-09-14/Kelp")
        self.assertEqual(filled("{project} {time} {number}", {"project": "Isle", "time": "061230", "number": 12}, TAKE_TOKENS), "Isle 061230 12")
        for template, words in (("{colour}", "does not exist"), ("{name", "not closed"), ("  ", "is empty")):
            with self.assertRaisesRegex(OskrenError, words):
                filled(template, values, SOUND_TOKENS)
