"""Where a worker process finds things: originals, cache, waveforms."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from pathlib import Path

from oskren.core.errors import OskrenError
from oskren.core.nodes.cache import Cache, Scratch
from oskren.core.nodes.glance import Glance
from oskren.core.nodes.render import Renderer
from oskren.core.steps.base import Summary


@dataclass(frozen=True)
class Workplace:
    """Where a worker finds things: the cache folder, the waveform folder, the paths of originals, and the cancel flag.

    ``gone`` holds a sentence for every original that cannot be had; at ``until`` (s since the epoch) the work ends by itself.
    """

    cache: str
    peaks: str
    media: dict[str, str] = field(default_factory=dict)
    flag: str = ""
    gone: dict[str, str] = field(default_factory=dict)
    until: float = 0.0

    def path(self, audio: str) -> Path:
        """Where the audio with a hash lies; OskrenError with the reason when it cannot be had."""
        if audio not in self.media:
            raise OskrenError(self.gone.get(audio, f"The library does not hold the sound {audio[:12]}; import its file again."))
        return Path(self.media[audio])

    def renderer(self, *, scratch: bool = False) -> Renderer:
        folder = Path(self.cache)
        return Renderer(self.path, Scratch(folder, long_on_disk=True) if scratch else Cache(folder), self._cancelled)

    def glance(self, learned: dict[str, Summary]) -> Glance:
        """A renderer that estimates what steps have not measured yet; ``learned`` keeps the estimates from one look to the next."""
        return Glance(self.path, Cache(Path(self.cache)), learned, self._cancelled)

    def _cancelled(self) -> bool:
        return bool(self.flag and Path(self.flag).exists()) or bool(self.until and time.time() > self.until)

    def peaks_path(self, digest: str) -> Path:
        return Path(self.peaks) / digest[:2] / f"{digest}.npz"
