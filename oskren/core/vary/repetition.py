"""The repetition test: kept draws one after the other as a game would play them, and what the ear would catch first."""

from __future__ import annotations

import random
from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import BaseModel, Field

from oskren.core.controls import choice, number
from oskren.core.nodes.model import Member, Mix
from oskren.core.types import Floats
from oskren.core.vary import apart


class Repetition(BaseModel):
    """How they are played: so many, how far apart (s), how unevenly, and whether at random or each once before any comes again."""

    plays: int = number(16, 2, 200, "", "Plays", digits=0, step=1, usual=(4, 64))
    interval_s: float = number(0.6, 0.05, 10, "s", "Interval", "log", digits=2, usual=(0.1, 3))
    jitter: float = number(0.1, 0, 0.9, "", "Unevenness", step=0.01, shows="percent", hint="How far each comes early or late, of the interval")
    order: Literal["random", "rounds"] = choice("random", {"random": "at random", "rounds": "each once a round"}, "Order")
    seed: int = Field(1, ge=0, le=2**53)


class Learnt(BaseModel):
    """What was learnt of a set of draws: how alike the two likeliest to be heard as one are, and how that falls with each one kept.

    ``falls[k]`` is how far apart the nearest two are when the ``k + 2`` most different are kept; ``enough`` is how many can be kept before
    two pass for the same. ``again`` is how many others come between one and itself, on the average, when they are played at random.
    """

    one: int
    other: int
    apart: float
    falls: list[float]
    enough: int
    again: int


def order(count: int, playing: Repetition, drawn: random.Random | None = None) -> list[int]:
    """Which of so many plays when: never the same twice in a row, where there are two.

    >>> played = order(4, Repetition(plays=40, order="random", seed=3))
    >>> len(played), any(one == other for one, other in zip(played, played[1:]))
    (40, False)
    """
    drawn = drawn or random.Random(playing.seed)
    played: list[int] = []
    rest: list[int] = []
    while len(played) < playing.plays and count:
        last = played[-1] if played else None
        if playing.order == "rounds":
            if not rest:
                rest = drawn.sample(range(count), count)
                if count > 1 and rest[-1] == last:
                    rest = [rest[-1], *rest[:-1]]
            played.append(rest.pop())
        else:
            played.append(drawn.choice([place for place in range(count) if place != last or count == 1]))
    return played


def laid_out(sets: Sequence[Sequence[tuple[Mix, float]]], playing: Repetition) -> tuple[Mix, list[tuple[int, int, float]]]:
    """Draws of one or more sets, each with its strike (s of it), as one sound, the sets in turn; and which is heard when: set, place in it, moment (s).

    With two sets every second sound is of the second, as left and right feet are, or light and heavy blows.
    """
    drawn = random.Random(playing.seed)
    each = [playing.model_copy(update={"plays": -(-(playing.plays - place) // len(sets))}) for place in range(len(sets))]
    orders = [order(len(one), how, drawn) if how.plays > 0 else [] for one, how in zip(sets, each, strict=True)]
    members, moments = [], []
    for play in range(playing.plays):
        turn, round_ = play % len(sets), play // len(sets)
        if round_ >= len(orders[turn]):
            continue
        place = orders[turn][round_]
        at = round(playing.interval_s * (play + playing.jitter * drawn.uniform(-0.5, 0.5) * (play > 0)), 4)
        node, strike = sets[turn][place]
        members.append(Member(id=str(play), name=f"{turn + 1}.{place + 1}", node=node, anchor_s=strike, at_s=at))
        moments.append((turn, place, at))
    return Mix(members=tuple(members)), moments


def learnt(points: Floats) -> Learnt | None:
    """What is learnt of a set of draws by where they lie (:func:`oskren.core.vary.apart.point`); None of fewer than two."""
    if len(points) < 2:
        return None
    nearest = apart.nearest(points, 1)[0]
    taken = apart.most_different(points, len(points))
    between = apart.between(points)
    falls = [float(np.min(between[np.ix_(taken[:kept], taken[:kept])][np.triu_indices(kept, 1)])) for kept in range(2, len(points) + 1)]
    enough = 1 + sum(one >= apart.SAME for one in falls)
    return Learnt(one=nearest.one, other=nearest.other, apart=nearest.apart, falls=[round(one, 3) for one in falls], enough=enough, again=len(points) - 1)
