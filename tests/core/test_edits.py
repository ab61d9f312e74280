"""Edits of a mix: what they keep, what they refuse."""

import unittest

from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Mix
from oskren.core.stack.edits import Edit, edited, gathered, moved, stepped
from tests.mirrored import mixes

ADAPTER: TypeAdapter[Edit] = TypeAdapter(Edit)
LAYERS = mixes()[2]


def edit(mix: Mix, **values: object) -> Mix:
    return edited(mix, ADAPTER.validate_python(values))


class Edits(unittest.TestCase):
    def test_layers_are_set_together_and_a_locked_one_only_unlocked(self) -> None:
        after = edit(LAYERS, do="set", ids=["l0", "l2"], values={"gain_db": -6.0, "mute": True})
        self.assertEqual([(one.gain_db, one.mute) for one in after.members[:3]], [(-6.0, True), (0.0, False), (-6.0, True)])
        with self.assertRaisesRegex(OskrenError, "layer 1 is locked; unlock it"):
            edit(LAYERS, do="set", ids=["l0", "l1"], values={"pan": 0.5})
        self.assertFalse(edit(LAYERS, do="set", ids=["l1"], values={"locked": False}).members[1].locked)
        with self.assertRaisesRegex(OskrenError, "gain_db: .* 100"):
            edit(LAYERS, do="set", ids=["l0"], values={"gain_db": 100.0})

    def test_a_group_is_made_dissolved_and_gone_with_its_last_layer(self) -> None:
        made = edit(LAYERS, do="group", ids=["l0", "l5"], id="fresh")
        self.assertEqual([one.id for one in made.members if one.group == "fresh"], ["l0", "l5"])
        self.assertEqual([one.id for one in made.groups], ["g", "fresh"])  # what was empty, or became so, is gone
        self.assertEqual({one.group for one in edit(made, do="ungroup", id="fresh").members}, {"", "g"})
        self.assertEqual([one.id for one in edit(LAYERS, do="remove", ids=["l1", "l3"]).groups], ["h"])

    def test_copies_stay_in_step_with_their_originals(self) -> None:
        after = edit(LAYERS, do="duplicate", ids=["l1", "l2"], fresh=["a", "b"])
        self.assertEqual([one.id for one in after.members], ["l0", "l1", "a", "l2", "b", "l3", "l4", "l5"])
        self.assertEqual((after.members[2].at_s, after.members[2].locked), (after.members[1].at_s, False))
        with self.assertRaisesRegex(OskrenError, "an id of its own"):
            edit(LAYERS, do="duplicate", ids=["l1"], fresh=["l2"])

    def test_ids_stay_what_they_are_and_one_each(self) -> None:
        taken = LAYERS.members[0].model_dump(mode="json")
        for values in (
            {"do": "add", "member": taken},
            {"do": "group", "ids": ["l0"], "id": "h"},
            {"do": "set", "ids": ["l0"], "values": {"id": "l2"}},
        ):
            with self.subTest(do=values["do"]), self.assertRaisesRegex(OskrenError, "another id|keeps its id"):
                edit(LAYERS, **values)

    def test_what_is_not_there_is_named(self) -> None:
        for values in ({"do": "remove", "ids": ["nobody"]}, {"do": "shift", "ids": ["nobody"], "by_s": 1.0}, {"do": "ungroup", "id": "nobody"}):
            with self.subTest(**values), self.assertRaisesRegex(NotFound, "nobody"):
                edit(LAYERS, **values)

    def test_time_moves_by_the_same_for_all_but_the_locked(self) -> None:
        after = edit(LAYERS, do="shift", ids=["l0", "l1", "l2"], by_s=0.25)
        self.assertEqual([one.at_s for one in after.members[:3]], [0.25, 0.1, 0.45])

    @given(st.lists(st.tuples(st.sets(st.sampled_from(["l0", "l1", "l2", "l3", "l4", "l5"]), min_size=1), st.integers(-7, 7)), max_size=8))
    def test_moving_loses_no_layer_and_keeps_groups_together(self, moves: list[tuple[set[str], int]]) -> None:
        mix = LAYERS
        for ids, by in moves:
            mix = stepped(mix, ids, by)
            self.assertEqual(sorted(one.id for one in mix.members), [f"l{k}" for k in range(6)])
            self.assertEqual(gathered(mix), mix)
        self.assertEqual(moved(mix, ["l0"], None).members[-1].id if not mix.members[-1].group else "l0", "l0")


if __name__ == "__main__":
    unittest.main()
