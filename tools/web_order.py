"""Checks that imports of the front end run one way: stages know what they are made of, never the other way round, and no stage another.

``python tools/web_order.py`` prints every import against the order; exit status 1 when there is one.
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

SOURCES = Path(__file__).parents[1] / "web" / "src"

ORDER: tuple[tuple[str, ...], ...] = (
    ("app",),
    ("stages",),
    ("bench",),
    ("chain", "timeline"),
    ("between", "documents"),
    ("mix",),
    ("listening",),
    ("canvas",),
    ("session",),
    ("ui",),
    ("api",),
)
"""Folders from top to bottom; those in one row know nothing of each other."""

RANK = {folder: rank for rank, row in enumerate(ORDER) for folder in row}


def imports(path: Path) -> list[Path]:
    """Files of the front end that a file imports, also those loaded later."""
    found = []
    for name in re.findall(r'(?:from|import\(|import)\s*"(\.[^"?]*)', path.read_text()):
        target = (path.parent / name).resolve()
        if target.is_relative_to(SOURCES):
            found.append(target)
    return found


def against(source: Path, target: Path) -> str:
    """Why an import runs against the order; empty when it does not. Paths are relative to the sources."""
    if source.parts[0] not in RANK or target.parts[0] not in RANK:
        return "" if len(source.parts) == 1 else "a folder that is not in the order"
    above, below = RANK[source.parts[0]], RANK[target.parts[0]]
    if source.parts[0] == target.parts[0]:
        return "one stage from another" if source.parts[0] == "stages" and source.parts[1] != target.parts[1] else ""
    if above < below:
        return ""
    return "side by side" if above == below else "upwards"


def wrong(sources: Path = SOURCES) -> list[str]:
    """Every import against the order, as a line."""
    found = []
    for path in sorted(sources.rglob("*.ts*")):
        if path.name.endswith(".d.ts"):
            continue
        own = path.relative_to(sources)
        for target in imports(path):
            reason = against(own, target.relative_to(sources))
            if reason:
                found.append(f"{own} imports {target.relative_to(sources)}: {reason}")
    return found


if __name__ == "__main__":
    lines = wrong()
    print("\n".join(lines) or f"The folders of the front end stand in order: {' > '.join(' '.join(row) for row in ORDER)}")
    sys.exit(1 if lines else 0)
