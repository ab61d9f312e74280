"""Changes of documents: as the JSON Patch library makes them (RFC 6902 and its worked examples), without touching the state before or what is beside them."""

from __future__ import annotations

import copy
import random
import unittest
from typing import Any

import jsonpatch

from oskren.core.errors import OskrenError
from oskren.core.nodes.digest import digest_of
from oskren.core.nodes.model import Mix, Step
from oskren.work.engine import tasks
from oskren.work.engine.patching import grafted, patched
from oskren.work.engine.told import Told
from tests.mirrored import mixes

WORKED: list[tuple[Any, list[dict[str, Any]], Any]] = [
    ({"foo": "bar"}, [{"op": "add", "path": "/baz", "value": "qux"}], {"baz": "qux", "foo": "bar"}),
    ({"foo": ["bar", "baz"]}, [{"op": "add", "path": "/foo/1", "value": "qux"}], {"foo": ["bar", "qux", "baz"]}),
    ({"foo": ["bar", "qux", "baz"]}, [{"op": "remove", "path": "/foo/1"}], {"foo": ["bar", "baz"]}),
    (
        {"foo": {"bar": "baz", "waldo": "fred"}, "qux": {"corge": "grault"}},
        [{"op": "move", "from": "/foo/waldo", "path": "/qux/thud"}],
        {"foo": {"bar": "baz"}, "qux": {"corge": "grault", "thud": "fred"}},
    ),
    ({"foo": ["all", "grass", "cows", "eat"]}, [{"op": "move", "from": "/foo/1", "path": "/foo/3"}], {"foo": ["all", "cows", "eat", "grass"]}),
    ({"/": 9, "~1": 10}, [{"op": "replace", "path": "/~01", "value": 11}], {"/": 9, "~1": 11}),
    ({"foo": ["bar"]}, [{"op": "add", "path": "/foo/-", "value": ["abc", "def"]}], {"foo": ["bar", ["abc", "def"]]}),
]
"""RFC 6902, appendix A: A.1, A.2, A.4, A.6, A.7, A.14 (its value replaced) and A.16, from memory."""


def drawn(draw: random.Random, deep: int = 0) -> Any:
    """A document of any shape."""
    kind = draw.random()
    if deep > 3 or kind < 0.3:
        return draw.randint(0, 9)
    if kind < 0.65:
        return {draw.choice("abcdef/~"): drawn(draw, deep + 1) for _ in range(draw.randint(0, 4))}
    return [drawn(draw, deep + 1) for _ in range(draw.randint(0, 4))]


class Patching(unittest.TestCase):
    def test_the_worked_examples_of_the_standard(self) -> None:
        for before, patch, after in WORKED:
            with self.subTest(patch=patch):
                kept = copy.deepcopy(before)
                self.assertEqual(patched(before, patch), after)
                self.assertEqual(before, kept)

    def test_it_is_what_the_library_makes_and_the_state_before_stays(self) -> None:
        draw = random.Random(6902)
        moves = 0
        for _ in range(400):
            before = {"x": drawn(draw), "y": drawn(draw), "z": [drawn(draw) for _ in range(4)]}
            wanted = {"x": drawn(draw), "y": before["z"], "z": [*draw.sample(before["z"], draw.randint(0, 4)), drawn(draw)]}
            patch = jsonpatch.make_patch(before, wanted).patch
            moves += any(one["op"] == "move" for one in patch)
            kept = copy.deepcopy(before)
            self.assertEqual(patched(before, patch), wanted)
            self.assertEqual(before, kept)
        self.assertGreater(moves, 50)

    def test_what_is_not_changed_is_the_very_same(self) -> None:
        before = {"layers": [{"gain_db": 0, "node": {"a": 1}}, {"gain_db": -6}], "groups": [{}]}
        after = patched(before, [{"op": "replace", "path": "/layers/0/gain_db", "value": -3}])
        self.assertIs(after["layers"][1], before["layers"][1])
        self.assertIs(after["layers"][0]["node"], before["layers"][0]["node"])
        self.assertIs(after["groups"], before["groups"])

    def test_what_does_not_fit_is_refused(self) -> None:
        for patch in (
            [{"op": "add", "path": "/baz/bat", "value": "qux"}],  # A.12: to a place that is not there
            [{"op": "replace", "path": "/foo/9", "value": 1}],
            [{"op": "test", "path": "/name", "value": "other"}],
            [{"op": "move", "from": "/nothing", "path": "/foo"}],
            [{"op": "remove", "path": "foo"}],
        ):
            before = {"name": "Dome", "foo": [1, 2]}
            with self.subTest(patch=patch), self.assertRaisesRegex(OskrenError, "send all of it"):
                patched(before, patch)
            self.assertEqual(before, {"name": "Dome", "foo": [1, 2]})

    def test_models_of_what_stays_are_taken_over_and_all_is_as_if_validated_anew(self) -> None:
        for mix in (one for one in mixes() if len(one.members) > 1):
            before = mix.model_dump(mode="json")
            for patch in (
                [{"op": "replace", "path": "/members/0/gain_db", "value": -7.5}],
                [{"op": "remove", "path": "/members/0"}],
                [{"op": "move", "from": "/members/0", "path": f"/members/{len(mix.members) - 1}"}],
                [{"op": "add", "path": "/members/0", "value": {**before["members"][0], "id": "fresh"}}],
            ):
                after = patched(before, patch)
                made = Mix.model_validate(grafted(after, before, mix))
                self.assertEqual(made, Mix.model_validate(after))
                self.assertEqual(digest_of(made), digest_of(Mix.model_validate(after)))
                self.assertTrue(any(one is other for one in made.members for other in mix.members))

    def test_a_worker_knows_what_was_left_alone_since_it_was_asked_last(self) -> None:
        mix = next(one for one in mixes() if len(one.members) > 1)
        first = tasks.node_of(mix.model_dump(mode="json"))
        assert isinstance(first, Mix)
        self.assertIs(tasks.node_of(mix.model_dump(mode="json")), first)
        edited = mix.model_copy(update={"members": (mix.members[0].model_copy(update={"gain_db": -7.5}), *mix.members[1:])})
        second = tasks.node_of(edited.model_dump(mode="json"))
        assert isinstance(second, Mix)
        self.assertEqual((second, digest_of(second)), (edited, digest_of(edited)))
        self.assertIs(second.members[1], first.members[1])
        # a plug-in may stand otherwise by then: nothing is taken over with it
        plugged = mix.model_copy(update={"chain": (Step(kind="plugin", params={"plugin": "gone"}),)})
        third = tasks.node_of(plugged.model_dump(mode="json"))
        self.assertIsNot(tasks.node_of(plugged.model_dump(mode="json")), third)

    def test_a_told_mix_keeps_what_was_found_of_layers_that_stay(self) -> None:
        told = Told()
        body = next(one for one in mixes() if len(one.members) > 1).model_dump(mode="json")
        first = told.whole(body)
        second = told.changed(first, [{"op": "replace", "path": "/members/0/gain_db", "value": -7.5}])
        before, after = told.mix(first), told.mix(second)
        self.assertIs(after.members[1], before.members[1])
        self.assertEqual((before.members[0].gain_db, after.members[0].gain_db), (body["members"][0]["gain_db"], -7.5))
        self.assertNotEqual(digest_of(before), digest_of(after))


if __name__ == "__main__":
    unittest.main()
