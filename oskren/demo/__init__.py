"""The demo scenario: the Saltglass Observatory, a tidal island of glassworkers and clockwork herons, synthesised by code."""

from pathlib import Path

VERSION = "8"


def stands(home: Path) -> bool:
    """Whether a folder holds the finished demo of this version; asked before anything that makes it is loaded."""
    done = home / "demo.version"
    return done.exists() and done.read_text() == VERSION
