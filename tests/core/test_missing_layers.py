"""Designs whose files are gone: layers that cannot sound are passed over at any depth, named, and the rest keeps its place."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.missing import lacking, renderable, without_missing
from oskren.core.nodes.model import Chained, Excerpt, Group, Member, Mix, Node, Print, Source, Step

GONE = "d" * 40


def source(letter: str) -> Source:
    return Source(audio=letter * 40, rate=48_000, channels=1, frames=48_000)


def layer(id: str, node: Node, **more: object) -> Member:
    return Member(id=id, name=f"layer {id}", node=node, **more)  # type: ignore[arg-type]


def learned(on: Node) -> Step:
    return Step(kind="noise_reduction", id="n", learned_on=on)


class Missing(unittest.TestCase):
    def test_what_is_whole_stays_the_same_object(self) -> None:
        mix = Mix(members=(layer("a", source("a")), layer("b", source("b"))))
        for gone in (set(), {GONE}):
            fresh, names = without_missing(mix, gone)
            self.assertIs(fresh, mix)
            self.assertEqual(names, [])
            self.assertTrue(renderable(mix, gone))

    def test_a_layer_that_is_gone_is_muted_and_named(self) -> None:
        mix = Mix(members=(layer("a", source("a")), layer("b", source("d"), at_s=0.5)))
        fresh, names = without_missing(mix, {GONE})
        assert isinstance(fresh, Mix)
        self.assertEqual(names, ["layer b"])
        self.assertEqual([member.mute for member in fresh.members], [False, True])
        self.assertEqual([member.at_s for member in fresh.members], [0.0, 0.5])
        self.assertTrue(renderable(fresh, {GONE}))
        self.assertFalse(renderable(mix, {GONE}))
        # what is rendered this way is never taken for the whole design
        self.assertNotEqual(node_hash(fresh), node_hash(mix))

    def test_a_layer_that_was_muted_already_is_not_named(self) -> None:
        fresh, names = without_missing(Mix(members=(layer("a", source("a")), layer("b", source("d"), mute=True))), {GONE})
        self.assertEqual(names, [])
        self.assertTrue(renderable(fresh, {GONE}))

    def test_a_part_of_a_sound_that_is_gone_is_gone(self) -> None:
        node = Chained(node=Excerpt(node=source("d"), start_s=0.1, end_s=0.2), chain=(Step(kind="gain", params={"gain_db": -3.0}),))
        self.assertEqual(lacking(node, {GONE}), [GONE])
        fresh, names = without_missing(Mix(members=(layer("a", node), layer("b", source("b")))), {GONE})
        self.assertEqual(names, ["layer a"])
        self.assertTrue(renderable(fresh, {GONE}))
        # a sound alone has nothing that could be heard in its place
        self.assertEqual(without_missing(node, {GONE}), (node, []))
        self.assertFalse(renderable(node, {GONE}))

    def test_designs_in_designs_lose_only_what_is_gone(self) -> None:
        inner = Mix(members=(layer("a", source("a")), layer("gone", source("d"))))
        outer = Mix(members=(layer("lock", inner), layer("b", source("b"))))
        fresh, names = without_missing(outer, {GONE})
        assert isinstance(fresh, Mix) and isinstance(fresh.members[0].node, Mix)
        self.assertEqual(names, ["layer gone"])
        self.assertFalse(fresh.members[0].mute)
        self.assertEqual([member.mute for member in fresh.members[0].node.members], [False, True])
        self.assertTrue(renderable(fresh, {GONE}))

    def test_a_step_that_works_with_a_sound_that_is_gone_takes_its_layer_along(self) -> None:
        mix = Mix(members=(layer("a", source("a"), chain=(learned(source("d")),)), layer("b", source("b"))))
        fresh, names = without_missing(mix, {GONE})
        self.assertEqual(names, ["layer a"])
        self.assertTrue(renderable(fresh, {GONE}))
        # on the sum there is nothing to pass over: it cannot be rendered, and that is said
        summed = Mix(members=(layer("b", source("b")),), chain=(learned(source("d")),))
        self.assertFalse(renderable(without_missing(summed, {GONE})[0], {GONE}))

    def test_a_frozen_layer_needs_nothing_of_what_it_was_made_of(self) -> None:
        kept = Print(audio="e" * 40, rate=48_000, channels=1, frames=48_000, of=source("d"))
        mix = Mix(members=(layer("a", source("d"), frozen=kept), layer("b", source("b"))))
        self.assertEqual(without_missing(mix, {GONE})[1], [])
        # frozen to what is gone, it is thawed, and sounds as it was made
        other = Mix(members=(layer("a", source("a"), frozen=kept.model_copy(update={"audio": GONE})), layer("b", source("b"))))
        fresh, names = without_missing(other, {GONE})
        assert isinstance(fresh, Mix)
        self.assertEqual((names, fresh.members[0].frozen), ([], None))
        self.assertTrue(renderable(fresh, {GONE}))

    def test_layers_of_a_frozen_group_are_not_missed(self) -> None:
        kept = Print(audio="e" * 40, rate=48_000, channels=2, frames=48_000, of=source("a"))
        group = Group(id="g", name="Group 1", frozen=kept)
        mix = Mix(members=(layer("a", source("d"), group="g"), layer("b", source("b"))), groups=(group,))
        self.assertEqual(without_missing(mix, {GONE})[1], [])
        fresh, names = without_missing(
            mix.model_copy(update={"groups": (group.model_copy(update={"frozen": kept.model_copy(update={"audio": GONE})}),)}), {GONE}
        )
        assert isinstance(fresh, Mix)
        self.assertEqual((names, fresh.groups[0].frozen), (["layer a"], None))

    @given(st.lists(st.tuples(st.sampled_from("abcd"), st.booleans()), min_size=1, max_size=6), st.sets(st.sampled_from("abcd")))
    def test_what_is_left_can_always_be_rendered(self, made_of: list[tuple[str, bool]], gone: set[str]) -> None:
        members = tuple(layer(f"l{k}", source(letter), mute=mute) for k, (letter, mute) in enumerate(made_of))
        lost = {letter * 40 for letter in gone}
        fresh, names = without_missing(Mix(members=members), lost)
        self.assertTrue(renderable(fresh, lost))
        self.assertEqual(names, [f"layer l{k}" for k, (letter, mute) in enumerate(made_of) if letter in gone and not mute])


if __name__ == "__main__":
    unittest.main()
