"""Commands that start the server."""

from __future__ import annotations

from pathlib import Path

from oskren.cli.said import HomeOption, say


def demo(home: HomeOption = Path("demo-home"), host: str = "127.0.0.1", port: int = 4747) -> None:
    """Start with the demo data (made on the first start) and print the address."""
    from oskren.api.serving import run
    from oskren.demo import stands

    def prepare() -> None:
        if not stands(home):
            from oskren.demo.build import build

            build(home, say)

    run(home, host, port, prepare)


def serve(home: HomeOption = Path("oskren-home"), host: str = "127.0.0.1", port: int = 4747) -> None:
    """Start with a folder of your own."""
    from oskren.api.serving import run

    run(home, host, port)
