"""Finding steps by what they do: stems, words told first, settings, and nothing for nothing."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from oskren.core.steps.finding import find, score, stem, words_in


def best(wish: str, count: int = 4) -> list[str]:
    return [match.key for match in find(wish)[:count]]


class Words(unittest.TestCase):
    def test_comparatives_plurals_and_ings_are_one_word(self) -> None:
        for one, other in (
            ("bigger", "big"),
            ("echoes", "echo"),
            ("further", "far"),
            ("heavier", "heavy"),
            ("moving", "moves"),
            ("dullest", "dull"),
            ("ringed", "rings"),
        ):
            with self.subTest(one=one):
                self.assertEqual(stem(one), stem(other))

    def test_words_that_say_nothing_are_left_out_unless_there_is_nothing_else(self) -> None:
        self.assertEqual(words_in("make it a bit more Metallic!"), ["metallic"])
        self.assertEqual(words_in("make it"), ["make", "it"])

    @given(st.text(max_size=60))
    def test_any_wish_is_answered_by_an_ordered_list(self, wish: str) -> None:
        found = find(wish)
        self.assertEqual([match.score for match in found], sorted((match.score for match in found), reverse=True))
        self.assertEqual(len({match.key for match in found}), len(found))
        self.assertTrue(all(match.score > 0 for match in found))

    @given(st.text(alphabet="abcdefghij ", min_size=1, max_size=30))
    def test_a_text_answers_itself_best(self, text: str) -> None:
        if not words_in(text):
            return
        self.assertAlmostEqual(score(text, [(text, 5.0)]), score(text, [(text, 5.0), ("nothing of that", 5.0)]))


class Wishes(unittest.TestCase):
    def test_what_a_designer_would_say(self) -> None:
        for wish, wanted in (
            ("make it bigger", {"space", "drive", "pitch"}),
            ("rougher", {"drive", "crush"}),
            ("further away", {"space", "delay"}),
            ("longer", {"mirror", "grains", "hold"}),
            ("punchier", {"shaper", "compressor"}),
            ("more metallic", {"ring", "flanger"}),
            ("wider", {"chorus", "width"}),
            ("less noise", {"noise_reduction"}),
            ("deeper", {"pitch"}),
            ("swell before the hit", {"lead_in"}),
            ("brighter", {"band", "tilt"}),
            ("nearer", {"tilt", "room_reduction"}),
        ):
            with self.subTest(wish=wish):
                self.assertEqual(wanted - set(best(wish)), set())

    def test_a_named_setting_is_offered_where_it_says_more_than_its_step(self) -> None:
        for wish, key, setting in (
            ("cathedral", "space", "cathedral"),
            ("outside the door", "space", "outside the door"),
            ("metal pipe", "delay", "metal pipe"),
            # against something, and a name all the same
            ("bed without an attack", "hold", "bed without an attack"),
        ):
            (first, *_) = find(wish)
            self.assertEqual((first.key, first.setting), (key, setting))
        self.assertEqual(find("reverb")[0].setting, "")

    def test_what_nothing_does_finds_nothing(self) -> None:
        for wish in ("xyzzy", "", "   ", "???"):
            self.assertEqual(find(wish), [])
