"""What a bed is asked for with: how long a layer goes on, and whether it repeats."""

from __future__ import annotations

from oskren.core.controls import choice, number
from oskren.core.nodes.model import Frozen


class Bed(Frozen):
    """How a layer goes on past its own length: up to how long it is heard, and how it is made up."""

    seconds: float | None = number(None, 0.1, 86_400, "s", "Goes on for", digits=2, usual=(1, 120), step=0.1, unset="as it is")
    anew: bool = choice(
        True,
        {True: "Never the same", False: "The same again"},
        "Goes on",
        hint="Stretches of the sound in an order that is drawn, or one stretch over and over",
    )
