"""Chains that sounds follow, reels as they are kept, and names of selects: the rules of the store, without a server."""

from collections.abc import Sequence

from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.errors import OskrenError
from oskren.core.mend.reel import Mark, Reel
from oskren.core.nodes.model import Step
from oskren.core.words.names import SELECT_TOKENS, numbered, problems
from oskren.store.describe import describing, following, naming, tree
from oskren.store.describe.describing import Change
from oskren.store.documents import trash
from oskren.store.search.asking import Asked
from oskren.work.mend import reels
from tests.store.test_library import InLibrary

SOFT = Step(kind="gain", id="g", params={"gain_db": -6.0})
LOW = Step(kind="high_pass", id="h", params={"cutoff_hz": 50.0})


class Following(InLibrary):
    def setUp(self) -> None:
        super().setUp()
        for number, name in enumerate(("Creak", "Ring", "Knock"), 1):
            self.add(name, number, "Glass")

    def chain(self, number: int) -> list[str]:
        return [step["kind"] for step in self.library.sound(number).chain]

    def keep(self, *steps: Step, name: str = "Night") -> int:
        return following.keep(self.library, name, steps)

    def test_a_copy_goes_its_own_way(self) -> None:
        number = self.keep(SOFT)
        following.give(self.library, [1, 2], number, linked=False)
        self.keep(LOW)
        self.assertEqual((self.chain(1), self.chain(2), self.chain(3)), (["gain"], ["gain"], []))
        self.assertEqual(following.users(self.library, number), [])

    def test_a_copy_can_come_after_what_is_there(self) -> None:
        number = self.keep(SOFT)
        following.set_chain(self.library, 1, [LOW])
        following.give(self.library, [1], number, linked=False, after=True)
        self.assertEqual(self.chain(1), ["high_pass", "gain"])
        following.give(self.library, [1], number, linked=False)
        self.assertEqual(self.chain(1), ["gain"])

    def test_what_is_linked_changes_together_from_either_end(self) -> None:
        number = self.keep(SOFT)
        following.give(self.library, [1, 2], number, linked=True)
        self.keep(LOW)
        self.assertEqual((self.chain(1), self.chain(2)), (["high_pass"], ["high_pass"]))
        following.set_chain(self.library, 2, [LOW, SOFT])
        self.assertEqual((self.chain(1), self.chain(3)), (["high_pass", "gain"], []))
        self.assertEqual([step.kind for step in following.chain_of(self.library, number)[1]], ["high_pass", "gain"])
        self.assertEqual(following.users(self.library, number), [(1, "Creak"), (2, "Ring")])
        self.assertEqual(following.counts(self.library), {number: 2})

    def test_a_sound_that_is_emptied_leaves_the_others_alone(self) -> None:
        number = self.keep(SOFT)
        following.give(self.library, [1, 2], number, linked=True)
        following.set_chain(self.library, 1, [])
        self.assertEqual((self.chain(1), self.chain(2)), ([], ["gain"]))
        self.assertEqual(following.users(self.library, number), [(2, "Ring")])

    def test_let_go_and_forgotten_keep_their_steps(self) -> None:
        number = self.keep(SOFT)
        following.give(self.library, [1, 2, 3], number, linked=True)
        following.let_go(self.library, 3)
        following.set_chain(self.library, 1, [LOW])
        self.assertEqual((self.chain(2), self.chain(3)), (["high_pass"], ["gain"]))
        trash.put_away(self.library, "saved_chain", number)
        self.assertEqual((self.chain(1), self.chain(2)), (["high_pass"], ["high_pass"]))
        following.set_chain(self.library, 1, [SOFT])
        self.assertEqual(self.chain(2), ["high_pass"])

    def test_sounds_in_the_trash_are_not_counted(self) -> None:
        number = self.keep(SOFT)
        following.give(self.library, [1, 2], number, linked=True)
        describing.edit(self.library, [2], Change(trashed=True))
        self.assertEqual(following.counts(self.library), {number: 1})
        self.assertEqual(following.users(self.library, number), [(1, "Creak")])

    def test_the_table_knows_at_once_what_is_mended(self) -> None:
        with self.library.reading() as session:
            before = self.library.columns.search(session, Asked()).total
        number = self.keep(SOFT)
        following.give(self.library, [1, 2], number, linked=True)
        self.assertEqual(before, 3)
        self.assertEqual([bool(self.library.sound(one).chain) for one in (1, 2, 3)], [True, True, False])

    def test_unknown_steps_stay_where_they_are_and_are_put_nowhere_new(self) -> None:
        strange = Step(kind="from later", id="s")
        self.library.change(1, {"chain": [strange.model_dump(mode="json")]})
        following.set_chain(self.library, 1, [SOFT, strange])
        self.assertEqual(self.chain(1), ["gain", "from later"])
        with self.assertRaisesRegex(OskrenError, "from later"):
            following.set_chain(self.library, 2, [strange])
        with self.assertRaisesRegex(OskrenError, "from later"):
            self.keep(strange)

    def test_refusals(self) -> None:
        for refused in (
            lambda: self.keep(),
            lambda: following.give(self.library, [1], 99, linked=True),
            lambda: trash.put_away(self.library, "saved_chain", 99),
            lambda: following.set_chain(self.library, 99, [SOFT]),
            lambda: following.let_go(self.library, 99),
        ):
            with self.assertRaises(OskrenError):
                refused()
        self.assertEqual([self.chain(one) for one in (1, 2, 3)], [[], [], []])


class KeptReels(InLibrary):
    def setUp(self) -> None:
        super().setUp()
        for number, name in enumerate(("Take one", "Take two"), 40):
            self.add(name, number, "Glass/Creak")

    def begun(self) -> int:
        return reels.begin(self.library, "Morning", [1, 2, 1])

    def test_it_is_the_same_after_weeks(self) -> None:
        number = self.begun()
        marks = (Mark(id=1, take=1, start_s=0.5, end_s=1.5, words="slow"), Mark(id=2, take=2, start_s=0, end_s=1, kind="material", chain=(SOFT,)))
        reel = Reel(takes=(2, 1), gap_s=3, chain=(LOW,), marks=marks)
        reels.save(self.library, number, reel)
        self.home.close()
        name, again = reels.load(self.home.library("Glass House"), number)
        self.assertEqual((name, again), ("Morning", reel))

    def test_a_take_stands_once_and_reels_are_listed_newest_first(self) -> None:
        first, second = self.begun(), self.begun()
        self.assertEqual(reels.load(self.library, first)[1].takes, (1, 2))
        self.assertEqual([number for number, _, _ in reels.heads(self.library)], [second, first])
        trash.put_away(self.library, "reel", second)
        self.assertEqual(len(reels.heads(self.library)), 1)

    def test_what_cannot_be_changes_nothing(self) -> None:
        number = self.begun()
        before = reels.load(self.library, number)
        for reel in (
            Reel(takes=(1, 9)),
            Reel(takes=(1,), marks=(Mark(id=1, take=1, start_s=3, end_s=9),)),
            Reel(takes=(1,), chain=(Step(kind="gain", params={"gain_db": 99}),)),
            Reel(),
        ):
            with self.subTest(reel=reel.takes), self.assertRaises(OskrenError):
                reels.save(self.library, number, reel)
        self.assertEqual(reels.load(self.library, number), before)
        # a step that would move marks is left out and said; what was marked is kept all the same
        marked = (Mark(id=1, take=1, start_s=0.1, end_s=0.4),)
        _, said = reels.save(self.library, number, Reel(takes=(1, 2), chain=(Step(kind="reverse"),), marks=marked))
        self.assertIn("changes when things happen", said)
        self.assertEqual(reels.load(self.library, number)[1], Reel(takes=(1, 2), marks=marked))
        for refused in (lambda: reels.begin(self.library, "None", []), lambda: reels.load(self.library, 77)):
            with self.assertRaises(OskrenError):
                refused()


class Naming(InLibrary):
    def setUp(self) -> None:
        super().setUp()
        for number, name in enumerate(("GLCR Reed beds slow 01", "Brass hinge creak", "Breath of bellows"), 1):
            self.add(name, number, "Glass/Creak")

    def offered(self, start: str) -> list[str]:
        return naming.offered(self.library, start)

    def test_words_of_names_tags_and_the_tree_are_offered(self) -> None:
        self.assertIn("brass", self.offered("bra"))
        self.assertEqual([word for word in self.offered("br") if word in ("brass", "breath")], ["brass", "breath"])
        self.assertIn("creak", self.offered("cre"))
        self.assertEqual((self.offered(""), self.offered("zzzz"), self.offered('br"'), self.offered("0")), ([], [], [], []))
        self.assertLessEqual(len(self.offered("s")), naming.MOST_OFFERED)

    def test_a_code_is_that_of_the_category_or_of_what_it_lies_in(self) -> None:
        tree.add(self.library, "Glass", code="GLAS")
        tree.add(self.library, "Glass/Creak/Dry", code="")
        tree.add(self.library, "Metal/Hinge", code="MTHG")
        known = naming.codes(self.library)
        for path, code in (("Glass", "GLAS"), ("Glass/Creak/Dry", "GLAS"), ("Metal/Hinge", "MTHG"), ("Wholly new", "WHOL"), ("A-b", "AB")):
            with self.subTest(path=path):
                self.assertEqual(naming.code_of(path, known), code)

    def test_names_go_on_from_those_that_are_taken(self) -> None:
        row: dict[str, object] = {"code": "GLCR", "place": "Reed beds", "words": "slow"}
        names = naming.named(self.library, "{code} {place} {words} {number:2}", [row, row])
        self.assertEqual(names, [("GLCR Reed beds slow 02", []), ("GLCR Reed beds slow 03", [])])
        [(name, wrong)] = naming.named(self.library, "{words}", [{"words": "brass HINGE creak"}])
        self.assertEqual(name, "brass HINGE creak")
        self.assertIn("taken", wrong[0])

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.text(alphabet="ab é:/", max_size=6), min_size=1, max_size=12), st.sets(st.sampled_from(["a 1", "b 1", "A 2"])))
    def test_numbered_names_never_meet(self, words: Sequence[str], taken: set[str]) -> None:
        names = numbered("{words} {number}", [{"words": word} for word in words], taken, SELECT_TOKENS)
        folded = [name.casefold() for name in names]
        self.assertEqual(len(set(folded)), len(folded))
        self.assertFalse(set(folded) & {name.casefold() for name in taken})

    @settings(deadline=None)
    @given(st.text(max_size=40))
    def test_what_is_wrong_is_always_said_in_words(self, name: str) -> None:
        told = problems(name)
        self.assertTrue(all(len(wrong.split()) > 1 for wrong in told))
        if name.isalpha() and len(name) in (5, 6):  # no device is called so, and nothing has to be changed
            self.assertEqual(told, [])
