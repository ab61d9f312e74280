"""Recipes: what of a design may move, how far and how; and draws: one variation of it.

A draw is a mix again. What a freedom draws depends on seed, number and the freedom's own dimension (or path, where draws are plain
random), so freeing one more control moves none of the others, and one variation can be drawn again alone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, Field, model_validator

from oskren.core.controls import choice, number
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Frozen, Mix, Node, Origin
from oskren.core.stack.swap import swapped
from oskren.core.vary import cover, shapes
from oskren.core.vary.guards import Guards
from oskren.core.vary.paths import Held, escaped, held, ids, unescaped
from oskren.core.vary.shapes import Shape

Value = float | int | bool | str | None


class Candidate(Frozen):
    """A source a layer may draw: a node with its name and anchor (s of the node), and where it came from."""

    name: str = Field(max_length=400)
    node: Node
    anchor_s: float = 0.0
    origin: Origin | None = None


class Freedom(Frozen):
    """One control of a design that may move.

    Numbers move between ``low`` and ``high`` around the design's own value: by a difference, or by a factor where their scale is
    logarithmic (frequencies, stretch). ``values`` are what a list draws from: differences or factors of a number, values of a choice.
    ``share`` is how often what is on or off is on. A source is drawn from ``candidates``, or from what ``search`` finds in the library when
    the spread is made. Freedoms with the same ``link`` move together, or against the others where one is ``opposite``.
    """

    path: str = Field(max_length=400)
    low: float = Field(0.0, allow_inf_nan=False)
    high: float = Field(0.0, allow_inf_nan=False)
    shape: Shape = choice("bell", None, "Shape")
    step: float = Field(1.0, gt=0, allow_inf_nan=False)
    values: tuple[Value, ...] = Field((), max_length=200)
    share: float = number(0.5, 0, 1, "", "In a share of the draws", shows="percent")
    search: str = Field("", max_length=400)
    candidates: tuple[Candidate, ...] = Field((), max_length=500)
    link: str = Field("", max_length=40)
    opposite: bool = False
    dimension: int | None = Field(None, ge=0, lt=cover.DIMENSIONS)
    """Which dimension of the even cover is its own; given by the recipe where it has none."""

    @model_validator(mode="before")
    @classmethod
    def _of_before(cls, raw: Any) -> Any:
        """Freedoms of before named a layer and one of five controls of it."""
        if isinstance(raw, dict) and "layer" in raw and "control" in raw:
            rest = {name: value for name, value in raw.items() if name not in ("layer", "control")}
            return {**rest, "path": f"layers/{escaped(str(raw['layer']))}/{raw['control']}"}
        return raw

    @model_validator(mode="after")
    def _ordered(self) -> Freedom:
        if self.low > self.high:
            raise ValueError("low must not lie above high")
        if self.path.endswith("/stretch") and self.path.count("/") == 2 and not 0.1 <= self.low <= self.high <= 10:
            raise ValueError("stretch moves by a factor between 0.1 and 10")
        return self


class Recipe(Frozen):
    """What may move, how draws cover it, and which draws are taken."""

    name: str = Field("", max_length=200)
    freedoms: tuple[Freedom, ...] = Field((), max_length=cover.DIMENSIONS)
    amount: float = number(1.0, 0, 2, "", "Amount", step=0.01, shows="percent", hint="Scales all ranges at once")
    cover: Literal["even", "plain"] = choice("even", {"even": "evenly", "plain": "at random"}, "Draws cover the ranges")
    match: Literal["loudness", "as drawn"] = choice("loudness", {"loudness": "matched to the design", "as drawn": "as drawn"}, "Loudness")
    within_lu: float = number(0.5, 0, 12, "LU", "Matched within", digits=1, step=0.1)
    guards: Guards = Guards()

    @model_validator(mode="before")
    @classmethod
    def _of_before(cls, raw: Any) -> Any:
        """A recipe of before drew plain random numbers and took every draw as it came: its seeds still give the same."""
        if isinstance(raw, dict) and any(isinstance(one, dict) and "layer" in one for one in raw.get("freedoms") or ()):
            return {"cover": "plain", "match": "as drawn", "guards": Guards.none().model_dump(), **raw}
        return raw

    @model_validator(mode="after")
    def _placed(self) -> Recipe:
        """Each freedom has a dimension of its own, the linked ones one together."""
        taken = {one.dimension for one in self.freedoms if one.dimension is not None}
        free = (place for place in range(cover.DIMENSIONS) if place not in taken)
        linked = {one.link: one.dimension for one in reversed(self.freedoms) if one.link and one.dimension is not None}
        placed = []
        for one in self.freedoms:
            dimension = linked.get(one.link) if one.link else one.dimension
            if dimension is None:
                dimension = next(free)
            if one.link:
                linked[one.link] = dimension
            placed.append(one if one.dimension == dimension else one.model_copy(update={"dimension": dimension}))
        object.__setattr__(self, "freedoms", tuple(placed))
        return self


class RecipeDraft(BaseModel):
    """The recipe of a design as it is set, its seed and how many are drawn; what was not set is as in the spread that is shown."""

    recipe: Recipe | None = None
    seed: int | None = number(None, 0, 2**53, "", "Seed", digits=0)
    count: int | None = number(None, 1, 500, "", "Variations", digits=0)


def default_recipe(mix: Mix) -> Recipe:
    """Every layer moves a little: pitch, gain and place."""
    freedoms = []
    for id in ids(mix.members):
        at = f"layers/{escaped(id)}"
        freedoms += [
            Freedom(path=f"{at}/pitch_st", low=-0.8, high=0.8),
            Freedom(path=f"{at}/gain_db", low=-2.0, high=2.0),
            Freedom(path=f"{at}/at_s", low=-0.012, high=0.012),
        ]
    return Recipe(name="every layer a little", freedoms=tuple(freedoms))


def chance(recipe: Recipe, freedom: Freedom, seed: int, number: int) -> float:
    """The number in (0, 1) that a freedom draws from."""
    if recipe.cover == "even" and freedom.dimension is not None:
        drawn = cover.even(seed, number, freedom.dimension)
    else:
        drawn = cover.plain(seed, number, f"link {freedom.link}" if freedom.link else unescaped(freedom.path.removeprefix("layers/")))
    return 1 - drawn if freedom.opposite else drawn


def moved(one: Held, freedom: Freedom, drawn: float, amount: float = 1.0) -> Value:
    """What a freed number or choice is set to, from a number in (0, 1): within its hard range, scaled by the recipe's amount.

    Raises
    ------
    OskrenError
        When the freedom names values the control does not have.
    """
    if one.how in ("by", "times"):
        return _number(one, freedom, drawn, amount)
    if one.how == "choice":
        options = [option.value for option in one.control.options]
        values = list(freedom.values) or options
        foreign = [value for value in values if options and value not in options]
        if foreign:
            raise OskrenError(f"The recipe draws {one.control.label} from {foreign[0]!r}, which is none of {', '.join(str(value) for value in options)}.")
        reach = min(1.0, amount)
        own: Value = one.own
        return own if drawn >= reach else values[shapes.picked(drawn / reach, len(values))]
    # what is on or off leaves its own state in as many draws as the share says, times the amount
    leaves = (1 - freedom.share if one.own else freedom.share) * amount
    return bool(one.own) if drawn >= leaves else not one.own


def _number(one: Held, freedom: Freedom, drawn: float, amount: float) -> Value:
    low, high = freedom.low, freedom.high
    times = one.how == "times"
    if times and low <= 0 and freedom.shape != "list":
        raise OskrenError(f"{one.control.label} moves by a factor, so its range lies over 0; {low:g} to {high:g} does not.")
    if freedom.shape == "list":
        numbers = [float(value) for value in freedom.values if isinstance(value, int | float) and not isinstance(value, bool)]
        if not numbers or (times and min(numbers) <= 0):
            raise OskrenError(f"{one.control.label} is drawn from a list that names no {'factor over 0' if times else 'number'}; name some.")
        by = numbers[shapes.picked(drawn, len(numbers))]
    elif freedom.shape == "steps":
        by = shapes.stepped(drawn, low, high, freedom.step)
    else:
        share = shapes.between(drawn, freedom.shape)
        by = math.exp(math.log(low) + share * (math.log(high) - math.log(low))) if times else low + share * (high - low)
    by = by**amount if times else by * amount
    if freedom.shape == "steps" and not times:
        by = round(by / freedom.step) * freedom.step
    value: float = one.own * by if times else one.own + by
    least, most = one.control.low, one.control.high
    value = min(most if most is not None else math.inf, max(least if least is not None else -math.inf, value))
    return round(value) if isinstance(one.own, int) and not isinstance(one.own, bool) else round(value, 6)


@dataclass(frozen=True)
class Drawn:
    """A variation, and what each freedom came to, by path."""

    mix: Mix
    values: dict[str, Value]


def drawn(mix: Mix, recipe: Recipe, seed: int, number: int) -> Drawn:
    """One variation of a design with what was drawn for it; parameters and errors are those of :func:`draw`."""
    values: dict[str, Value] = {}
    # another order or source last: what was freed is named by the design as it was
    late = ("source", "order")
    for freedom in sorted(recipe.freedoms, key=lambda one: one.path.rsplit("/", 1)[-1] in late):
        one = held(mix, freedom.path)
        at = chance(recipe, freedom, seed, number)
        if one.how == "source":
            if recipe.amount == 0:
                continue
            if not freedom.candidates:
                raise OskrenError(f"The recipe draws what {one.own.name or freedom.path} is made of, but names no candidates; give it a search or a list.")
            found = freedom.candidates[shapes.picked(at, len(freedom.candidates))]
            mix = one.to(swapped(one.own, found.node, found.name, found.anchor_s, found.origin))
            values[freedom.path] = found.name
        elif one.how == "order":
            order = _ordered(len(one.own), at, min(1.0, recipe.amount))
            mix = one.to(tuple(one.own[place] for place in order))
            values[freedom.path] = " ".join(str(place + 1) for place in order)
        else:
            values[freedom.path] = moved(one, freedom, at, recipe.amount)
            mix = one.to(values[freedom.path])
    return Drawn(mix, values)


def _ordered(count: int, drawn: float, amount: float) -> list[int]:
    """An order of so many things, each alike."""
    rest, order = list(range(count)), []
    if drawn >= amount:
        return rest
    drawn /= amount
    while rest:
        place = shapes.picked(drawn, len(rest))
        drawn = drawn * len(rest) - place
        order.append(rest.pop(place))
    return order


def draw(mix: Mix, recipe: Recipe, seed: int, number: int) -> Mix:
    """One variation of a design.

    Parameters
    ----------
    mix : Mix
        The design.
    recipe : Recipe
        What of it may move, and how far.
    seed : int
        The same seed and number give the same variation.
    number : int
        Which of the variations, from 1.

    Returns
    -------
    Mix

    Raises
    ------
    OskrenError
        When the recipe frees what the design does not have.

    Examples
    --------
    >>> from oskren.core.nodes.model import Member, Source
    >>> glass = Source(audio="a" * 40, rate=48_000, channels=1, frames=100)
    >>> mix = Mix(members=(Member(id="a", node=glass),))
    >>> recipe = default_recipe(mix)
    >>> draw(mix, recipe, 7, 3) == draw(mix, recipe, 7, 3), draw(mix, recipe, 7, 3) == draw(mix, recipe, 7, 4)
    (True, False)
    """
    return drawn(mix, recipe, seed, number).mix


def at_ends(mix: Mix, freedom: Freedom, amount: float = 1.0) -> tuple[Mix, Mix]:
    """The design with one freed control at the lower and at the upper end of its range, to be heard."""
    one = held(mix, freedom.path)
    if one.how in ("source", "order"):
        low, high = (drawn(mix, Recipe(freedoms=(freedom,), cover="plain", amount=amount), seed, 1).mix for seed in (1, 2))
        return low, high
    return one.to(moved(one, freedom, 1e-9, amount)), one.to(moved(one, freedom, 1 - 1e-9, amount))
