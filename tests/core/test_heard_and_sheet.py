"""What was heard leaves as it was heard, and a sheet keeps its order as it grows."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.heard import Heard, as_heard
from oskren.core.nodes.model import Chained, Excerpt, Source, Step
from oskren.core.ship.draft import OnSheet, SheetDraft

GLASS = Source(audio="a" * 40, rate=48_000, channels=1, frames=96_000)
SOFTER = Step(kind="gain", id="g", params={"gain_db": -6.0})


class AsHeard(unittest.TestCase):
    def test_what_was_not_changed_leaves_as_it_is(self) -> None:
        for heard in (Heard(), Heard(chain=(SOFTER.model_copy(update={"on": False}),))):
            self.assertTrue(heard.dry)
            self.assertEqual(node_hash(as_heard(GLASS, heard)), node_hash(GLASS))

    def test_chain_part_speed_and_gain_are_done_in_the_order_they_are_heard(self) -> None:
        node = as_heard(GLASS, Heard(chain=(SOFTER,), part=(0.5, 1.0), speed_st=-12.0, gain_db=3.0))
        assert isinstance(node, Chained) and isinstance(node.node, Excerpt) and isinstance(node.node.node, Chained)
        self.assertEqual([step.kind for step in node.chain], ["pitch", "gain"])
        self.assertEqual(node.chain[0].params, {"semitones": -12.0, "mode": "varispeed"})
        self.assertEqual((node.node.start_s, node.node.end_s), (0.5, 1.0))
        self.assertEqual(node.node.node.chain, (SOFTER,))

    def test_each_of_them_alone_makes_another_sound(self) -> None:
        ways = (Heard(chain=(SOFTER,)), Heard(part=(0.0, 1.0)), Heard(speed_st=1.0), Heard(gain_db=-1.0))
        self.assertFalse(any(heard.dry for heard in ways))
        self.assertEqual(len({node_hash(as_heard(GLASS, heard)) for heard in ways} | {node_hash(GLASS)}), 5)

    def test_a_part_begins_before_it_ends(self) -> None:
        for part in ((-0.1, 1.0), (1.0, 1.0), (2.0, 1.0)):
            with self.subTest(part=part), self.assertRaises(ValidationError):
                Heard(part=part)
        for wrong in ({"speed_st": 40.0}, {"gain_db": -70.0}):
            with self.subTest(wrong=wrong), self.assertRaises(ValidationError):
                Heard(**wrong)  # type: ignore[arg-type]


def on_sheet(sounds: list[int], designs: list[int], draws: list[int], heard: dict[int, float]) -> OnSheet:
    return OnSheet(sounds=sounds, designs=designs, draws=draws, heard={id: Heard(gain_db=db) for id, db in heard.items()})


IDS = st.lists(st.integers(1, 9), max_size=6, unique=True)


class Sheets(unittest.TestCase):
    def test_more_goes_behind_those_of_its_kind_and_nothing_twice(self) -> None:
        sheet = on_sheet([3, 1], [7], [], {}).with_more(on_sheet([2, 3], [7, 8], [5], {}))
        self.assertEqual((sheet.sounds, sheet.designs, sheet.draws, sheet.count), ([3, 1, 2], [7, 8], [5], 6))

    def test_a_sound_leaves_as_it_was_heard_last(self) -> None:
        sheet = on_sheet([1, 2], [], [], {1: -3.0, 2: -4.0})
        again = sheet.with_more(on_sheet([1], [], [], {1: -9.0}))
        self.assertEqual({id: so.gain_db for id, so in again.heard.items()}, {1: -9.0, 2: -4.0})
        # heard dry, it leaves dry
        self.assertEqual(set(sheet.with_more(on_sheet([1], [], [], {1: 0.0})).heard), {2})

    @given(IDS, IDS, IDS, IDS)
    def test_growing_keeps_what_was_there(self, sounds: list[int], designs: list[int], more_sounds: list[int], more_designs: list[int]) -> None:
        before = on_sheet(sounds, designs, [], dict.fromkeys(sounds, -1.0))
        more = on_sheet(more_sounds, more_designs, [4], {})
        after = before.with_more(more)
        self.assertEqual(after.sounds[: len(sounds)], sounds)
        self.assertEqual(after.designs[: len(designs)], designs)
        self.assertEqual(set(after.sounds), set(sounds) | set(more_sounds))
        self.assertEqual(after.with_more(more), after)
        self.assertEqual(set(after.heard), set(sounds) - set(more_sounds))

    def test_a_draft_grows_like_what_is_on_it_and_keeps_the_rest(self) -> None:
        draft = SheetDraft(sounds=[1], name="Doors", folder="/somewhere", allowed=["a.wav"])
        grown = draft.with_more(OnSheet(draws=[2, 3]))
        assert isinstance(grown, SheetDraft)
        self.assertEqual((grown.name, grown.folder, grown.allowed, grown.draws, grown.sounds), ("Doors", "/somewhere", ["a.wav"], [2, 3], [1]))
        self.assertEqual(len(grown.targets), 1)

    def test_more_than_fits_is_refused(self) -> None:
        with self.assertRaises(ValidationError):
            OnSheet(sounds=np.arange(20_001).tolist())


if __name__ == "__main__":
    unittest.main()
