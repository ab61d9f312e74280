"""Runs every benchmark and writes docs/performance.md: ``make bench``."""

from __future__ import annotations

import platform
import sys
import tempfile
from datetime import UTC, datetime
from pathlib import Path

from bench import gather, noise, page, picture, playing, rows, slicing, stack, steps

DOCUMENT = Path(__file__).parents[1] / "docs" / "performance.md"


def main() -> None:
    wanted = sys.argv[1:]
    lines = [
        "# Performance",
        "",
        f"Measured {datetime.now(UTC):%Y-%m-%d} on {platform.machine()}, 2 cores, Python {platform.python_version()}, by `make bench`.",
        "These machines are noisy: the ratio to a peer on the same work in the same run says more than the seconds.",
        "",
        "| work | must reach | measured | peer in the same run | ratio |",
        "|---|---|---|---|---|",
    ]
    single = {"two-hours": gather.bench_two_hours, **rows.ALL, **stack.ALL, **steps.ALL, **page.ALL, "search": gather.bench_search}
    several = {name: lambda folder, one=one: [one(folder)] for name, one in single.items()}
    for name, bench in {**several, **picture.ALL, **playing.ALL}.items():
        if wanted and name not in wanted:
            continue
        with tempfile.TemporaryDirectory() as folder:
            found = bench(Path(folder))
        for row in found:
            print(f"{name}: {row}", flush=True)
            lines.append("| " + " | ".join(row) + " |")
    if not wanted or "noise-table" in wanted:
        lines += ["", *noise.table()]
        print("\n".join(lines[-12:]))
    if not wanted or "slice-table" in wanted:
        lines += ["", *slicing.table()]
        print("\n".join(lines[-12:]))
    if not wanted:
        DOCUMENT.write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
