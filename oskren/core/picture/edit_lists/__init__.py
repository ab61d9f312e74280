"""Edit lists: each module writes the clips of a scene in one open format, as text by the name of its file."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from oskren.core.picture.edit_lists import edl, timeline
from oskren.core.picture.edit_lists.told import Told

WRITERS: dict[str, Callable[[Told], dict[str, str]]] = {"edl": edl.write, "otio": timeline.write_otio, "xml": timeline.write_xml}
"""Every format by its name; what is written is text by the ending of its file."""


def write(told: Told, formats: Sequence[str] = tuple(WRITERS)) -> dict[str, str]:
    """The edit lists of a scene: text by file name."""
    return {f"{told.name}{ending}": text for one in formats for ending, text in WRITERS[one](told).items()}
