"""What the commands say and share: their options, answers, and what none of them may do."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal

import typer

from oskren.core.errors import OskrenError
from oskren.core.types import Failed

if TYPE_CHECKING:
    from oskren.work.engine.studio import Studio

Json = Annotated[bool, typer.Option("--json", help="print one JSON document on standard output")]
Overwrite = Annotated[list[Path] | None, typer.Option("--overwrite", metavar="FILE", help="a foreign file that may be written over; may be given again")]
HomeOption = Annotated[Path, typer.Option("--home", help="Oskren's folder")]
HomeGiven = Annotated[Path | None, typer.Option("--home", help="Oskren's folder")]
"""Needed, but not with ``--schema``."""
OutGiven = Annotated[Path | None, typer.Option("--out")]
LibraryName = Annotated[str | None, typer.Option("--library")]
Schema = Annotated[bool, typer.Option("--schema", help="print the JSON schema of the file")]


def say(text: str) -> None:
    """A message for people, on standard error."""
    typer.echo(text, err=True)


def answer(document: Any, as_json: bool, text: str = "") -> None:
    """The result: JSON on standard output, or a line for people."""
    if as_json:
        typer.echo(json.dumps(document, indent=1, ensure_ascii=False))
    elif text:
        typer.echo(text)


def ended(failed: Sequence[Failed]) -> None:
    """Exit with 1 when something failed."""
    for one in failed:
        say(f"{one['path']}: {one['reason']}" if not one["reason"].startswith(one["path"]) else one["reason"])
    if failed:
        raise typer.Exit(1)


def bits_for(source_bits: int | None) -> Literal[24, 32]:
    """Bit depth of a processed file: float stays float, all else becomes 24 bit, so that rounding loses nothing."""
    return 32 if source_bits is not None and source_bits > 24 else 24


def write_result(path: Path, samples: Any, rate: int, bits: int) -> None:
    from oskren.core.ship.write import write_sound

    told = write_sound(path, samples, rate, bits)
    if told:
        say(f"{path}: {told}")


def refuse_no_home(home: Path) -> None:
    """Raise OskrenError when a folder to be read from is not there."""
    if not home.exists():
        raise OskrenError(f"{home}: there is no such folder; import something first")


@contextmanager
def studio_at(home: Path, *, make: bool = False) -> Iterator[Studio]:
    """What works on a home; it is made only where that is asked for. Its workers load their libraries while the command loads its own, inside."""
    if not make:
        refuse_no_home(home)
    from oskren.work.engine.workers import Workers

    workers = Workers(command=True)
    workers.begin()
    from oskren.store import Home
    from oskren.work.engine import guard
    from oskren.work.engine.studio import Studio

    studio = Studio(Home(home), workers)
    guard.remember_home(home)
    try:
        yield studio
    finally:
        studio.close()


def refuse_harm(source: Path, outs: list[Path], overwrite: list[Path] | None) -> None:
    """Raise OskrenError when a result would be written over its source, a library's file, or a foreign file that is not allowed."""
    from oskren.work.engine import guard

    for out in outs:
        if source.resolve() == out.resolve():
            raise OskrenError(f"{out}: is the original, which is never changed; give another name for the result")
    guard.check(outs, overwrite or ())
