"""The tree of categories and its CSV; the search language."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from oskren.core.errors import OskrenError
from oskren.core.measure.key import KEYS
from oskren.core.words import categories
from oskren.core.words.categories import Category
from oskren.core.words.conditions import COMPARISONS, FIELDS, Condition, Search, checked, number, parse, write
from oskren.core.words.propose import Vocabulary, forms, lessons
from oskren.core.words.starting import starting_categories

NAMES = st.text(alphabet="abcdefgh ÄÖ'-_0123456789", min_size=1, max_size=12).map(str.strip).filter(bool)


class Tree(unittest.TestCase):
    @given(st.lists(st.lists(NAMES, min_size=1, max_size=4).map("/".join), min_size=1, max_size=20))
    def test_csv_keeps_the_tree(self, paths: list[str]) -> None:
        known = {}
        for path in categories.with_parents(categories.clean(path) for path in paths):
            known.setdefault(path.casefold(), Category(path=path, code=f"C{len(known)}", words=("glass!", "pane")))
        back = categories.from_csv(categories.to_csv(list(known.values())))
        self.assertEqual({one.path: (one.code, one.words) for one in back}, {one.path: (one.code, one.words) for one in known.values()})

    def test_tables_as_others_write_them(self) -> None:
        cases = {
            "Category;SubCategory;ID;Explanation\nGLASS;BREAK;GLASBrk;Panes, bottles breaking\nGLASS;RING;GLASRng;\n": ["Glass", "Glass/Break", "Glass/Ring"],
            "\ufeffCategory,Sub-Category,Short Code\r\nDoors,Wood,DRWD\r\n": ["Doors", "Doors/Wood"],
            "path\tcode\nWater/Drip\tW1\n": ["Water", "Water/Drip"],
            'level 1,level 2,code,words\n"Wind, air",Gust,,gust! blow\n': ["Wind, air", "Wind, air/Gust"],
        }
        for text, paths in cases.items():
            with self.subTest(table=text):
                self.assertEqual([one.path for one in categories.from_csv(text)], paths)
        found = {one.path: one for one in categories.from_csv(next(iter(cases)))}
        self.assertEqual((found["Glass/Break"].code, found["Glass/Break"].words), ("GLASBrk", ("panes", "bottles", "breaking")))

    def test_bad_tables_say_what_is_missing(self) -> None:
        for text, words in (
            ("", "empty"),
            ("colour,size\nred,2\n", "no column for the category"),
            ("category\n", "no categories below"),
            ("category\na/b/c/d/e/f/g\n", ""),
        ):
            with self.subTest(table=text):
                if words:
                    with self.assertRaisesRegex(OskrenError, words):
                        categories.from_csv(text)
                else:
                    self.assertEqual(len(categories.from_csv(text)), 1)

    def test_moving_keeps_what_lies_below(self) -> None:
        paths = ["Glass", "Glass/Creak", "Glass/Creak/Slow", "Glassworks"]
        self.assertEqual(categories.moved(paths, "Glass", "Solid/Glass"), {path: "Solid/" + path for path in paths[:3]})
        with self.assertRaisesRegex(OskrenError, "a part of it"):
            categories.moved(paths, "Glass", "Glass/Creak/Glass")

    def test_names_are_cleaned_or_refused(self) -> None:
        self.assertEqual(categories.clean("  Wind  and air / Gust "), "Wind and air/Gust")
        for bad in ("", "/", "a//b", "/".join("abcdefg")):
            with self.subTest(path=bad), self.assertRaises(OskrenError):
                categories.clean(bad)

    def test_the_starting_tree_is_whole(self) -> None:
        paths = [one.path for one in starting_categories()]
        self.assertEqual(len(paths), len({path.casefold() for path in paths}))
        self.assertEqual(sorted(paths, key=str.casefold), categories.with_parents(paths))


class Proposing(unittest.TestCase):
    def test_plural_and_verb_forms(self) -> None:
        for word, plain in (
            ("doors", "door"),
            ("bushes", "bush"),
            ("leaves", "leaf"),
            ("dripping", "drip"),
            ("creaked", "creak"),
            ("slammed", "slam"),
            ("berries", "berry"),
        ):
            self.assertIn(plain, forms(word))

    def test_compounds_camel_case_and_numbers(self) -> None:
        known = Vocabulary(starting_categories())
        for path, top in (
            ("RaindropsWindow_03", "Water"),
            ("DOORBELL-2", "Door"),
            ("woodcrate break", "Wood"),
            ("BigGlassPane0007", "Glass"),
            ("swordhit12", "Weapon"),
        ):
            with self.subTest(path=path):
                self.assertEqual(known.propose(path).category.split("/")[0], top)

    def test_a_code_in_the_name_decides(self) -> None:
        known = Vocabulary([Category(path="Metal/Gate", code="METLGate"), *starting_categories()])
        found = known.propose("METLGate_wood door slam_01.wav")
        self.assertEqual(found.category, "Metal/Gate")
        self.assertGreater(found.confidence, 0.5)

    def test_words_in_the_file_count(self) -> None:
        known = Vocabulary(starting_categories())
        self.assertEqual(known.propose("take 07.wav").category, "")
        self.assertEqual(known.propose("take 07.wav", ["glass bottle rolling"]).category, "Glass")

    def test_a_correction_is_remembered(self) -> None:
        learned = {word: {"Mechanism/Clock": 3} for word in lessons("props/zorbel tick.wav") if word == "zorbel"}
        known = Vocabulary(starting_categories(), learned)
        found = known.propose("zorbel 14.wav")
        self.assertEqual(found.category, "Mechanism/Clock")
        self.assertEqual(Vocabulary(starting_categories()).propose("zorbel 14.wav").category, "")


def _values(field: str) -> st.SearchStrategy[tuple[str, ...]]:
    kind = FIELDS[field][0]
    one: st.SearchStrategy[str] = {
        "number": st.one_of(st.integers(0, 99999).map(str), st.floats(0.01, 999, allow_nan=False).map(lambda x: f"{x:.2f}")),
        "text": NAMES,
        "choice": st.sampled_from(["here", "elsewhere", "no"]) if field == "used" else st.one_of(NAMES, st.just('say "or" and not')),
        "date": st.sampled_from(["2026", "2026-11", "2026-11-23"]),
        "truth": st.sampled_from(["yes", "no"]),
        "key": st.sampled_from(KEYS),
    }[kind]
    return st.lists(one, min_size=1, max_size=3).map(tuple)


@st.composite
def conditions(draw: st.DrawFn) -> Condition:
    field = draw(st.sampled_from(sorted(FIELDS)))
    how = draw(st.sampled_from(COMPARISONS[FIELDS[field][0]]))
    values = draw(_values(field))
    if how == "between":
        values = (values[0], values[-1])
    return Condition(field=field, how=how, values=values, inverted=draw(st.booleans()))


class Searching(unittest.TestCase):
    @given(st.lists(NAMES, max_size=3).map(" ".join), st.lists(conditions(), max_size=4))
    def test_what_is_written_is_read_again(self, words: str, asked: list[Condition]) -> None:
        search = Search(words=words, conditions=tuple(asked))
        self.assertEqual(parse(write(search)), search)

    def test_as_people_type(self) -> None:
        cases = {
            "glass where length under 2 s": ("glass", [("length", "under", ("2 s",), False)]),
            "where category Glass or Metal and not tag slow": ("", [("category", "is", ("Glass", "Metal"), False), ("tag", "is", ("slow",), True)]),
            "x where rating at least 3 and length between 1 and 250 ms": (
                "x",
                [("rating", "at least", ("3",), False), ("length", "between", ("1", "250 ms"), False)],
            ),
            "where key agrees with A minor and mended": ("", None),
            "where category Wind and air": ("", None),
            '"where" creak': ('"where" creak', []),
            "where tags slow and imported after 2026-01-01": ("", [("tag", "is", ("slow",), False), ("added", "after", ("2026-01-01",), False)]),
            "where Date before 2026 and duration over 1 s": ("", [("recorded", "before", ("2026",), False), ("length", "over", ("1 s",), False)]),
        }
        for text, (words, wanted) in cases.items():
            with self.subTest(text=text):
                if wanted is None:
                    with self.assertRaises(OskrenError):
                        parse(text)
                    continue
                found = parse(text)
                self.assertEqual(found.words, words)
                self.assertEqual([(one.field, one.how, one.values, one.inverted) for one in found.conditions], wanted)

    def test_what_cannot_be_understood_is_said(self) -> None:
        for text, words in (
            ("where colour is red", "no field called 'colour'"),
            ("where length", "comparison"),
            ("where length under", "no value"),
            ("where length under two", "no value in s"),
            ("where length has 2", "does not go together"),
            ("where key is H minor", "no key"),
            ("where added after yesterday", "no date"),
            ("where used sometimes", "here, elsewhere or no"),
            ("where mended perhaps", "yes or no"),
            ("where rating at least 3 and", "ends after 'and'"),
            ("where not", "ends after 'not'"),
            ("where length between 1", "two values"),
        ):
            with self.subTest(text=text), self.assertRaisesRegex(OskrenError, words):
                parse(text)

    @given(st.text(max_size=60))
    def test_nothing_typed_breaks_it(self, text: str) -> None:
        try:
            parse("where " + text)
        except OskrenError as error:
            self.assertTrue(str(error))

    def test_units(self) -> None:
        for text, unit, value in (
            ("250ms", "s", 0.25),
            ("1.5 min", "s", 90),
            ("96", "kHz", 96),
            ("44100 Hz", "kHz", 44.1),
            ("-12 dB", "dBFS", -12),
            ("2k", "Hz", 2000),
        ):
            self.assertAlmostEqual(number(text, unit), value)

    def test_own_fields(self) -> None:
        found = parse('where "Distance from" is close', {"Distance from": "choice"})
        self.assertEqual(found.conditions[0].field, "Distance from")
        self.assertEqual(parse("where date is 3", {"date": "number"}).conditions[0].field, "date")
        with self.assertRaisesRegex(OskrenError, "does not go together"):
            checked(Condition(field="Take", how="under", values=("3",)), {"Take": "text"})
