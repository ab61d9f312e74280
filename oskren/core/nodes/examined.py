"""A file that was read once: what it holds, and the node it will be. Workers give it, the store takes it in."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from oskren.core.nodes.model import Source


@dataclass(frozen=True)
class Examined:
    """What was found out about a file that is to be imported."""

    path: str
    audio: str
    rate: int
    channels: int
    frames: int
    bits: int | None
    format: str
    size: int
    modified: float
    measures: dict[str, Any]
    outline: bytes
    layout: str = ""
    said: dict[str, Any] = field(default_factory=dict)

    def source(self) -> Source:
        return Source(audio=self.audio, rate=self.rate, channels=self.channels, frames=self.frames, layout=self.layout or None)
