"""Categories and tags a new library starts with, and the words that speak for them (own lists, no source).

A word with ``!`` decides, whatever else is said (a footstep on metal is a footstep); one with ``?`` only hints (materials,
places). The lists lie beside this file: the categories in the same CSV that the tree is exported to.
"""

from __future__ import annotations

import functools
from pathlib import Path

from oskren.core.words.categories import Category, from_csv


@functools.cache
def starting_categories() -> tuple[Category, ...]:
    """The categories of a new library."""
    return tuple(from_csv(Path(__file__).with_name("starting_categories.csv").read_text(encoding="utf-8")))


@functools.cache
def tag_words() -> frozenset[str]:
    """Words of a name that become tags."""
    return frozenset(Path(__file__).with_name("starting_tags.txt").read_text(encoding="utf-8").split())
