"""Recipes: which controls of a design may move, how far and how; and draws: one variation of it.

A draw is a mix again. Every value is a pure function of seed, number, layer and control, so freeing one more control
moves none of the others, and one variation can be drawn again alone.
"""

from __future__ import annotations

import hashlib
import math
from statistics import NormalDist
from typing import Literal

from pydantic import BaseModel, Field, model_validator

from oskren.core.controls import bounds, number
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Frozen, Member, Mix

Control = Literal["pitch_st", "gain_db", "at_s", "stretch", "pan"]


class Freedom(Frozen):
    """One control of one layer that may move between ``low`` and ``high`` around the design's own value.

    For stretch the range is a factor (0.95 to 1.05), for all else a difference. ``even`` takes every value alike,
    ``bell`` prefers the middle (a normal distribution cut at two standard deviations).
    """

    layer: str
    control: Control
    low: float = Field(allow_inf_nan=False)
    high: float = Field(allow_inf_nan=False)
    shape: Literal["even", "bell"] = "bell"

    @model_validator(mode="after")
    def _ordered(self) -> Freedom:
        if self.low > self.high:
            raise ValueError("low must not lie above high")
        if self.control == "stretch" and not 0.1 <= self.low <= self.high <= 10:
            raise ValueError("stretch moves by a factor between 0.1 and 10")
        return self


class Freeing(Frozen):
    """The controls that can be freed: the unit of each and, as its usual range, what it moves by around the design's value when it is freed."""

    pitch_st: float = number(0.0, None, None, "st", "Pitch", digits=1, usual=(-1, 1))
    gain_db: float = number(0.0, None, None, "dB", "Gain", usual=(-2, 2))
    at_s: float = number(0.0, None, None, "ms", "Offset", digits=0, usual=(-0.02, 0.02), shown=1000)
    stretch: float = number(1.0, 0.1, 10, "×", "Stretch", "log", usual=(0.92, 1.08))
    pan: float = number(0.0, None, None, "", "Pan", usual=(-0.2, 0.2))


class Recipe(Frozen):
    """What may move. Layers are named by their id."""

    name: str = ""
    freedoms: tuple[Freedom, ...] = ()


class RecipeDraft(BaseModel):
    """The recipe of a design as it is set, its seed and how many are drawn; what was not set is as in the spread that is shown."""

    recipe: Recipe | None = None
    seed: int | None = number(None, 0, 2**53, "", "Seed", digits=0)
    count: int | None = number(None, 1, 400, "", "Variations", digits=0)


def default_recipe(mix: Mix) -> Recipe:
    """Every layer moves a little: pitch, gain and place."""
    freedoms = []
    for i, member in enumerate(mix.members):
        layer = member.id or str(i)
        freedoms += [
            Freedom(layer=layer, control="pitch_st", low=-0.8, high=0.8),
            Freedom(layer=layer, control="gain_db", low=-2.0, high=2.0),
            Freedom(layer=layer, control="at_s", low=-0.012, high=0.012),
        ]
    return Recipe(name="every layer a little", freedoms=tuple(freedoms))


def _chance(seed: int, number: int, freedom: Freedom) -> float:
    """A number in (0, 1) that depends on nothing but its arguments (BLAKE2b, 53 bits)."""
    text = f"oskren draw 1/{seed}/{number}/{freedom.layer}/{freedom.control}"
    return (int.from_bytes(hashlib.blake2b(text.encode(), digest_size=8).digest(), "big") >> 11) / (1 << 53) + 2.0**-54


def value(freedom: Freedom, seed: int, number: int) -> float:
    """Where a freed control lies in one draw, within its range."""
    chance = _chance(seed, number, freedom)
    if freedom.shape == "bell":
        normal = NormalDist()
        edge = normal.cdf(-2)
        chance = (normal.inv_cdf(edge + chance * (1 - 2 * edge)) + 2) / 4
    if freedom.control == "stretch":
        return math.exp(math.log(freedom.low) + chance * (math.log(freedom.high) - math.log(freedom.low)))
    return freedom.low + chance * (freedom.high - freedom.low)


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
        When the recipe names a layer that the design does not have.

    Examples
    --------
    >>> from oskren.core.nodes.model import Source
    >>> glass = Source(audio="a" * 40, rate=48_000, channels=1, frames=100)
    >>> mix = Mix(members=(Member(id="a", node=glass),))
    >>> recipe = default_recipe(mix)
    >>> draw(mix, recipe, 7, 3) == draw(mix, recipe, 7, 3), draw(mix, recipe, 7, 3) == draw(mix, recipe, 7, 4)
    (True, False)
    """
    moved: dict[str, Member] = {member.id or str(i): member for i, member in enumerate(mix.members)}
    for freedom in recipe.freedoms:
        if freedom.layer not in moved:
            raise OskrenError(f"The recipe frees the layer '{freedom.layer}', which this design does not have; its layers are {', '.join(moved) or 'none'}.")
        member = moved[freedom.layer]
        own = getattr(member, freedom.control)
        low, high = bounds(Member.model_fields[freedom.control])
        by = value(freedom, seed, number)
        moved[freedom.layer] = member.model_copy(
            update={freedom.control: round(min(high, max(low, own * by if freedom.control == "stretch" else own + by)), 6)}
        )
    return mix.model_copy(update={"members": tuple(moved.values())})
