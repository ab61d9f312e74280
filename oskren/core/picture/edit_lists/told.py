"""What an edit list tells: a film and the clips beside it."""

from __future__ import annotations

from pathlib import Path

from oskren.core.nodes.model import Frozen
from oskren.core.picture.handed import Clip
from oskren.core.timecode import FRAME_RATES, FrameRate


class Told(Frozen):
    """A scene for an editor: its name, the file of its film, how that counts, and its clips, whose files lie in ``folder``."""

    name: str
    film: str
    frame_rate: str
    start: int
    frames: int
    folder: str
    clips: tuple[Clip, ...]

    @property
    def counted(self) -> FrameRate:
        """How frames follow each other."""
        return FRAME_RATES[self.frame_rate]

    def tracks(self) -> dict[str, list[Clip]]:
        """The clips of every track, in order of time."""
        found: dict[str, list[Clip]] = {}
        for clip in sorted(self.clips, key=lambda one: one.first):
            found.setdefault(clip.track, []).append(clip)
        return dict(sorted(found.items()))

    def address(self, clip: Clip) -> str:
        """Where the file of a clip lies, as an address."""
        return (Path(self.folder) / clip.file).resolve().as_uri()
