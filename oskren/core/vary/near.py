"""Recipes made from draws: more around one of them, between two, and a few copies of any sound; and what differs between two."""

from __future__ import annotations

from oskren.core.controls import number
from oskren.core.nodes.model import Frozen, Member, Mix, Step
from oskren.core.vary.guards import Guards, with_gain
from oskren.core.vary.paths import Held, escaped, held, ids
from oskren.core.vary.recipe import Freedom, Recipe, Value, drawn


class Copies(Frozen):
    """How many copies of a sound are drawn without a design, and how much they differ: 1 as takes of one hand do."""

    count: int = number(8, 1, 500, "", "How many", digits=0, step=1, usual=(2, 32))
    amount: float = number(1.0, 0, 2, "", "How much they differ", step=0.01, shows="percent")


class Counted(Frozen):
    """How many of the variations are kept, or are drawn of one recipe of a family."""

    most: int = number(8, 1, 500, "", "Most different", digits=0, step=1, usual=(1, 64))
    of_recipe: int = number(0, 0, 500, "", "How many of it", digits=0, step=1, usual=(0, 24))


NARROW = 0.25
"""More around a draw moves in so much of the ranges it was drawn from."""


def around(mix: Mix, recipe: Recipe, seed: int, number: int, share: float = NARROW) -> tuple[Mix, Recipe]:
    """A draw as a design, and the recipe that moves in a share of its ranges around it. What it is made of and in which order stays."""
    still = tuple(one for one in recipe.freedoms if one.path.rsplit("/", 1)[-1] not in ("source", "order"))
    base = with_gain(drawn(mix, recipe, seed, number).mix, 0.0)
    return base, recipe.model_copy(update={"freedoms": still, "amount": min(2.0, recipe.amount * share), "name": f"around {number}"})


def between(mix: Mix, recipe: Recipe, seed: int, one: int, other: int) -> Recipe:
    """A recipe of the same design whose every freedom moves between what two draws had, and stays where they agree."""
    first, second = drawn(mix, recipe, seed, one), drawn(mix, recipe, seed, other)
    freedoms = []
    for freedom in recipe.freedoms:
        at = held(mix, freedom.path)
        a, b = first.values.get(freedom.path), second.values.get(freedom.path)
        if at.how in ("by", "times"):
            moves = sorted(_move(at, value) for value in (a, b))
            freedoms.append(freedom.model_copy(update={"low": moves[0], "high": moves[1], "shape": "even", "values": ()}))
        elif at.how == "choice":
            freedoms.append(freedom.model_copy(update={"shape": "list", "values": tuple(dict.fromkeys((a, b)))}))
        elif at.how == "source":
            named = tuple(candidate for candidate in freedom.candidates if candidate.name in (a, b))
            freedoms.append(freedom.model_copy(update={"candidates": named, "search": ""}))
        elif at.how == "share":
            freedoms.append(freedom if a != b else freedom.model_copy(update={"share": float(bool(a))}))
        elif a != b:
            freedoms.append(freedom)
    return recipe.model_copy(update={"freedoms": tuple(freedoms), "amount": 1.0, "name": f"between {one} and {other}"})


def _move(at: Held, value: Value) -> float:
    """By how much, or by which factor, a number lies from the design's own."""
    assert isinstance(value, int | float)
    if at.how == "times":
        return round(value / float(at.own), 6) if at.own else 1.0
    return round(value - float(at.own), 6)


def quick(layer: Member, amount: float = 1.0) -> tuple[Mix, Recipe]:
    """A sound as a design of its own, and a recipe that makes copies of it which differ as takes do: speed, length, colour, attack."""
    id = layer.id or "sound"
    tilt = Step(kind="tilt", id="colour")
    one = layer.model_copy(update={"id": id, "at_s": 0.0, "chain": (*layer.chain, tilt)})
    at = f"layers/{escaped(id)}"
    freedoms = (
        Freedom(path=f"{at}/pitch_st", low=-1.0, high=1.0, shape="even"),
        Freedom(path=f"{at}/stretch", low=0.92, high=1.08, shape="even"),
        Freedom(path=f"{at}/chain/colour/tilt_db", low=-2.5, high=2.5, shape="even"),
        Freedom(path=f"{at}/fade_in_s", low=0.0, high=0.006, shape="even"),
    )
    return Mix(members=(one,)), Recipe(name="a few copies", freedoms=freedoms, amount=amount, guards=Guards(apart=0.05))


def labels(mix: Mix, path: str) -> tuple[str, str]:
    """Whose a path is and what it is, as it is called on screen: the layer, group or sum, and the control with its step."""
    parts = path.split("/")
    control = held(mix, path).control.label
    names = dict(zip((escaped(id) for id in ids(mix.members)), (one.name for one in mix.members), strict=True))
    names |= {escaped(one.id): one.name or one.id for one in mix.groups} if parts[0] == "groups" else {}
    return "Sum" if parts[0] == "sum" else names.get(parts[1], ""), control


def unit(mix: Mix, path: str) -> str:
    """The unit of what a path names."""
    return held(mix, path).control.unit
