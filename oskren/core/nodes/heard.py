"""How a sound was heard in the audition, as a node: what is heard is what leaves and what is placed."""

from __future__ import annotations

from pydantic import Field, model_validator

from oskren.core.controls import number
from oskren.core.nodes.model import Chained, Excerpt, Frozen, Node, Step
from oskren.core.nodes.render import Renderer
from oskren.core.steps.edges import FadeParams


class Heard(Frozen):
    """The audition's settings, in the order they are heard: a chain, a part of what comes out of it (s), its ends faded, a speed (st, varispeed), a gain."""

    chain: tuple[Step, ...] = Field((), max_length=64)
    part: tuple[float, float] | None = None
    fade: FadeParams = FadeParams()
    speed_st: float = number(0.0, -48, 36, "st", "Speed", usual=(-24, 24), step=0.5)
    gain_db: float = number(0.0, -60, 36, "dB", "Gain", usual=(-24, 24), step=0.5)

    @model_validator(mode="after")
    def _in_order(self) -> Heard:
        if self.part is not None and not 0 <= self.part[0] < self.part[1]:
            raise ValueError("a part begins at 0 s or later and ends behind its beginning")
        return self

    @property
    def dry(self) -> bool:
        """Whether nothing was changed: the sound is heard as it is."""
        return self.part is None and not self.faded and not self.speed_st and not self.gain_db and not any(step.on for step in self.chain)

    @property
    def faded(self) -> bool:
        """Whether either end is faded."""
        return self.fade.in_s > 0 or self.fade.out_s > 0


def as_heard(node: Node, heard: Heard) -> Node:
    """A sound as it was heard."""
    if heard.chain:
        node = Chained(node=node, chain=heard.chain)
    if heard.part is not None:
        node = Excerpt(node=node, start_s=heard.part[0], end_s=heard.part[1])
    steps: list[Step] = []
    if heard.faded:
        steps.append(Step(kind="fade", params=heard.fade.model_dump()))
    if heard.speed_st:
        steps.append(Step(kind="pitch", params={"semitones": heard.speed_st, "mode": "varispeed"}))
    if heard.gain_db:
        steps.append(Step(kind="gain", params={"gain_db": heard.gain_db}))
    return Chained(node=node, chain=tuple(steps)) if steps else node


def moment_heard(renderer: Renderer, node: Node, heard: Heard, at_s: float) -> float:
    """Where a moment of a sound (s of ``node``) lies in the sound as it was heard (s); negative or beyond its end when it is not in it."""
    if heard.chain:
        at_s = renderer.time_map(Chained(node=node, chain=heard.chain)).to_output(at_s)
    if heard.part is not None:
        at_s -= heard.part[0]
    return float(at_s / 2.0 ** (heard.speed_st / 12))
