"""Histories: what can be undone is kept by what changed of it, bounded, and forgotten with what it is of."""

import importlib
import tempfile
import unittest
from pathlib import Path
from typing import Any

from sqlalchemy import text

from oskren.core.errors import Conflict
from oskren.core.nodes import Mix
from oskren.store import Home
from oskren.store.documents import designs, histories, revisions, trash


def steps(*names: str) -> list[dict[str, Any]]:
    return [{"back": [{"op": "remove", "path": f"/{name}"}], "forth": [{"op": "add", "path": f"/{name}", "value": name}]} for name in names]


class Histories(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.home = Home(Path(holder.name))
        self.addCleanup(self.home.close)
        self.library = self.home.library("Test", create=True)

    def names(self) -> tuple[str, str]:
        _, past, future = histories.history(self.library, "design", 1)
        return "".join(step["back"][0]["path"][1:] for step in past), "".join(step["back"][0]["path"][1:] for step in future)

    def keep(self, based_on: int | None, past: str = "", future: str = "", left: tuple[int, int, int] = (0, 0, 0)) -> tuple[int, int, int]:
        return histories.keep(self.library, "design", 1, based_on, steps(*past), steps(*future), left)

    def test_only_what_changed_is_sent_and_the_rest_stays(self) -> None:
        self.assertEqual(histories.history(self.library, "design", 1), (0, [], []))
        self.assertEqual(self.keep(0, "abc"), (1, 3, 0))
        self.keep(1, "d", "", (0, 3, 0))
        self.assertEqual(self.names(), ("abcd", ""))
        self.keep(2, "", "dc", (0, 2, 0))
        self.assertEqual(self.names(), ("ab", "dc"))
        self.keep(3, "c", "", (0, 2, 1))
        self.assertEqual(self.names(), ("abc", "d"))
        self.keep(4, "e", "", (1, 2, 0))
        self.assertEqual(self.names(), ("bce", ""))

    def test_another_windows_version_is_not_built_on_but_can_be_written_over(self) -> None:
        self.keep(0, "abc")
        with self.assertRaises(Conflict):
            self.keep(0, "x", "", (0, 2, 0))
        self.assertEqual(self.names(), ("abc", ""))
        self.keep(None, "xy", "z")
        self.assertEqual(self.names(), ("xy", "z"))

    def test_the_oldest_go_when_there_are_too_many_or_they_are_too_large(self) -> None:
        many = steps(*(str(k) for k in range(histories.MOST_STEPS + 5)))
        self.assertEqual(histories.keep(self.library, "design", 1, None, many, [], (0, 0, 0))[1], histories.MOST_STEPS)
        self.assertEqual(histories.history(self.library, "design", 1)[1][0]["back"][0]["path"], "/5")
        large = [{"back": [], "forth": [{"op": "add", "path": "/a", "value": f"{k}" * 900_000}]} for k in range(6)]
        self.assertEqual(histories.keep(self.library, "design", 1, None, large, [], (0, 0, 0))[1], 4)
        self.assertEqual(histories.history(self.library, "design", 1)[1][-1]["forth"][0]["value"][0], "5")

    def test_it_goes_with_what_it_is_of(self) -> None:
        """SQLite gives the id of what was deleted last to what is made next."""
        design = designs.add(self.library, "First", Mix())
        histories.keep(self.library, "design", design.id, None, steps("a"), [], (0, 0, 0))
        histories.keep(self.library, "recipe", design.id, None, steps("a"), [], (0, 0, 0))
        revisions.keep_draft(self.library, 1, f"recipe {design.id}", {"seed": 5}, None)
        trash.put_away(self.library, "design", design.id)
        self.assertEqual(histories.history(self.library, "design", design.id)[1], steps("a"))  # in the trash nothing of it is lost
        trash.empty(self.library)
        again = designs.add(self.library, "Second", Mix())
        self.assertEqual((again.id, histories.history(self.library, "design", again.id)), (design.id, (0, [], [])))
        self.assertEqual(histories.history(self.library, "recipe", again.id), (0, [], []))
        self.assertEqual(revisions.draft(self.library, 1, f"recipe {again.id}"), ({}, 0))
        with self.library.reading() as session:
            triggers = session.execute(text("SELECT tbl_name FROM sqlite_master WHERE type = 'trigger' AND name LIKE 'forget_history%'")).scalars()
            self.assertEqual(sorted(triggers), ["designs", "plans", "projects", "reels", "scenes", "sounds", "spreads"])


class StepsOfBefore(unittest.TestCase):
    def test_recipes_in_steps_back_and_forth_are_named_by_path(self) -> None:
        """What a step of undo brings back is a recipe as the page knows it."""
        by_path = importlib.import_module("oskren.store.migrations.versions.0012_recipes_by_name").by_path
        old = {"layer": "a/b", "control": "pitch_st", "low": -1, "high": 2, "shape": "even"}
        steps = [
            {
                "back": [{"op": "replace", "path": "/recipe", "value": {"name": "x", "freedoms": [old]}}],
                "forth": [{"op": "replace", "path": "/seed", "value": 7}],
            },
            {"back": [{"op": "add", "path": "/recipe/freedoms/0", "value": old}], "forth": [{"op": "remove", "path": "/recipe/freedoms/0"}]},
        ]
        found = by_path(steps)
        recipe = found[0]["back"][0]["value"]
        self.assertEqual((recipe["cover"], recipe["match"], recipe["freedoms"][0]["path"]), ("plain", "as drawn", "layers/a~1b/pitch_st"))
        self.assertEqual((found[1]["back"][0]["value"]["path"], found[1]["back"][0]["value"]["high"]), ("layers/a~1b/pitch_st", 2.0))
        self.assertEqual((found[0]["forth"], found[1]["forth"]), (steps[0]["forth"], steps[1]["forth"]))
        self.assertEqual(by_path(found), found)
