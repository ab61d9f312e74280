"""The draws of a spread as they are taken: rendered, judged, matched, or replaced by the next number."""

from __future__ import annotations

from typing import Any

from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Mix
from oskren.core.vary.guards import with_gain
from oskren.core.vary.recipe import Recipe, draw
from oskren.core.vary.taking import TRIES, Taking
from oskren.store.documents.spreads import draw_anew, next_number
from oskren.store.tables import Draw, Spread

KEPT = ("rate", "channels", "frames", "zero", "layout", "measures", "added_db")
"""What is kept of a rendered draw."""


class TakingRows:
    """The draws of one spread, whose rows are changed by whoever holds a session that writes."""

    def __init__(self, spread: Spread, rows: list[Draw]):
        self._mix, self._recipe = Mix.model_validate(spread.mix), Recipe.model_validate(spread.recipe)
        self._taking = Taking(self._recipe.guards, len(rows))
        self._numbers = {row.id: row.number for row in rows}
        for row in rows:
            if row.facts:
                self._taking.keep(row.number, row.facts["measures"], seconds(row.facts))

    def take(self, spread: Spread, row: Draw, made: dict[str, Any]) -> bool:
        """Take what was rendered for a draw, or draw the next number in its place; whether it was taken."""
        why = self._taking.refused(made["measures"], seconds(made))
        if why and self._taking.another():
            number = next_number(spread, self._numbers.values())
            replaced = [*spread.facts.get("replaced", ()), {"number": row.number, "why": why, "by": number}]
            spread.facts = {**spread.facts, "replaced": replaced}
            draw_anew(row, draw(self._mix, self._recipe, spread.seed, number), number)
            self._numbers[row.id] = number
            return False
        row.facts = {name: made[name] for name in KEPT if name in made} | ({"note": f"{why}; no better one was found in {TRIES} tries"} if why else {})
        row.outline = made["outline"]
        if made.get("added_db"):
            matched = with_gain(Mix.model_validate(row.mix), made["added_db"])
            row.mix, row.digest = matched.model_dump(mode="json"), node_hash(matched)
        self._taking.keep(row.number, made["measures"], seconds(made))
        return True


def seconds(facts: dict[str, Any]) -> float:
    """How long a rendered draw lasts."""
    return float(facts["frames"] / facts["rate"])
