"""What the interface is drawn from: controls of models with their ranges and defaults, and the formats files leave in."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from oskren.core.audio.formats import FORMATS
from oskren.core.published import Published, published
from oskren.core.ship.target import Target
from oskren.core.slice.detectors import DETECTORS

router = APIRouter(tags=["models"])


class FormatView(BaseModel):
    """A format files leave in: the bits that can be chosen (none for lossy ones), the usual first, and those that keep what goes over full scale."""

    key: str
    label: str
    bits: list[int]
    beyond: list[int]
    rates: list[int]
    """The only rates (Hz) it holds; none where it holds any."""


@router.get("/models")
def models() -> dict[str, Published]:
    """The models whose values are set by controls, with hard and usual ranges, units, choices and defaults."""
    return published()


@router.get("/formats")
def formats() -> list[FormatView]:
    """The formats files leave in, in the order they are offered."""
    usual = Target().bits
    return [
        FormatView(
            key=one.key,
            label=one.label,
            bits=sorted(one.bits, key=lambda bits: (bits != usual, bits)),
            beyond=[bits for bits in one.bits if not one.ends_at_full_scale(bits)],
            rates=list(one.rates),
        )
        for one in FORMATS.values()
    ]


@router.get("/detectors")
def detectors() -> dict[str, list[str]]:
    """The settings each way to find slices looks at, in the order they are offered."""
    return {key: list(detector.settings) for key, detector in DETECTORS.items()}
