"""Items: what leaves as a file, with all a sound says of itself, as it was heard."""

from __future__ import annotations

from typing import Any, NamedTuple

from pydantic import Field

from oskren.core.nodes.heard import Heard, as_heard, moment_heard
from oskren.core.nodes.model import Frozen, Node
from oskren.core.nodes.render import Renderer

DRY = Heard()
"""Nothing changed: a sound as it is."""


class Item(Frozen):
    """One sound to ship."""

    node: Node
    name: str = Field(min_length=1, max_length=400)
    category: str = ""
    sound: str = ""
    bits: int | None = None
    """What it was recorded in; None for what was made."""
    tags: tuple[str, ...] = ()
    notes: str = ""
    rights: str = ""
    recorded: str = ""
    artist: str = ""
    markers: tuple[tuple[float, str], ...] = ()
    loops: tuple[tuple[float, float], ...] = ()
    """Parts that repeat without a seam (s)."""
    made: dict[str, Any] | None = None
    """How it was made, where it was: design or spread, with recipe, seed and number of the draw."""
    missing: tuple[str, ...] = ()
    """Layers that are passed over because their file is missing."""


class Titled(NamedTuple):
    """What the name of an item's file is made of: name, category, rate (Hz), channels, the bits it was recorded in, tags, length (s), brightness (Hz).

    The rest is looked at before it leaves: ``rights`` and ``notes``, which whoever gets the file asks for; the peak (dBFS) of what nothing changes,
    the bandwidth (Hz), how left and right agree (-1 to 1), whether it loops, whether its file is missing.
    """

    name: str
    category: str
    rate: int
    channels: int
    bits: int | None = None
    tags: tuple[str, ...] = ()
    seconds: float | None = None
    brightness_hz: float | None = None
    rights: str = ""
    notes: str = ""
    code: str = ""
    peak_dbfs: float | None = None
    bandwidth_hz: float | None = None
    correlation: float | None = None
    loops: bool = False
    lacking: bool = False

    def tagged(self, kind: str) -> str:
        """What a tag such as kit-2 says of a kind; empty without one."""
        return next((tag.removeprefix(f"{kind}-") for tag in self.tags if tag.startswith(f"{kind}-")), "")


def name_heard(name: str, heard: Heard) -> str:
    """The name of a sound as it was heard: that of a part says which."""
    return (f"{name}, {heard.part[0]:.2f} to {heard.part[1]:.2f} s" if heard.part else name)[:400]


def item_as_heard(renderer: Renderer, sound: Item, heard: Heard = DRY) -> Item:
    """A sound as it was heard, its markers where they are in that.

    Parameters
    ----------
    renderer : Renderer
        Knows lengths and time maps; nothing is rendered.
    sound : Item
        The sound as it is now; its markers and loops (s) lie in the time before its own chain.
    """
    node = as_heard(sound.node, heard)
    to_output, length = renderer.time_map(sound.node).to_output, renderer.output_shape(node).seconds
    moved = [(moment_heard(renderer, sound.node, heard, to_output(at)), label) for at, label in sound.markers]
    markers = tuple((round(at, 6), label) for at, label in sorted(moved) if 0 <= at <= length)
    loops = []
    for ends in sound.loops:
        start, end = (moment_heard(renderer, sound.node, heard, to_output(at)) for at in ends)
        if 0 <= start < end <= length + 1e-6:
            loops.append((round(start, 6), round(min(end, length), 6)))
    return sound.model_copy(update={"node": node, "name": name_heard(sound.name, heard), "markers": markers, "loops": tuple(loops)})
