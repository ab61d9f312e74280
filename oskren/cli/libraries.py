"""Commands that bring sounds into a library and find them there."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from oskren.cli.said import HomeOption, Json, LibraryName, answer, refuse_no_home, say, studio_at
from oskren.core.errors import OskrenError


def import_(
    paths: Annotated[list[Path], typer.Argument(metavar="PATH...")],
    home: HomeOption,
    library: LibraryName = None,
    refer: Annotated[bool, typer.Option("--refer", help="leave the files where they lie")] = False,
    as_json: Json = False,
) -> None:
    """Import files and folders into a library (made if it is not there)."""
    for path in paths:
        if not path.exists():
            raise OskrenError(f"{path}: there is no such file or folder; check the path")
    with studio_at(home, make=True) as studio:
        from oskren.work.gather.importing import follow_up, import_paths

        into = studio.home.library(library, create=True)
        result = import_paths(studio, into, paths, ", ".join(path.name for path in paths[:3]), refer=refer)
        follow_up(studio, into)
    answer(
        {"imported": result.imported, "already_there": result.already_there + result.formats, "skipped": result.skipped},
        as_json,
        f"{result.imported} imported, {result.already_there} already there, {result.formats} other formats of sounds, {len(result.skipped)} skipped",
    )
    for one in result.skipped:
        say(f"skipped {one['path']}: {one['reason']}")


def sounds(
    home: HomeOption,
    library: LibraryName = None,
    query: Annotated[str, typer.Option("--query")] = "",
    limit: Annotated[int, typer.Option("--limit", min=1)] = 100,
    as_json: Json = False,
) -> None:
    """List or search the sounds of a library."""
    from oskren.core.words.conditions import parse
    from oskren.store import Home
    from oskren.store.describe.keeping import fields
    from oskren.store.search.asking import Asked
    from oskren.store.tables import Sound

    refuse_no_home(home)
    opened = Home(home)
    into = opened.library(library)
    with into.reading() as session:
        search = parse(query, {name: kind for name, kind, _ in fields(into)})  # type: ignore[misc]
        found = into.columns.search(session, Asked(words=search.words, conditions=search.conditions, limit=limit))
        total = found.total
        rows = []
        for id in found.ids:
            sound = session.get(Sound, id)
            if sound is not None:
                paths = [path for path, _, _ in into.paths(id)]
                rows.append(
                    {
                        "id": sound.id,
                        "name": sound.name,
                        "path": paths[0] if paths else None,
                        "paths": paths,
                        "category": sound.category,
                        "tags": sound.tags.split(),
                        "kind": sound.kind,
                        "duration_s": sound.frames / sound.rate,
                        "sample_rate": sound.rate,
                        "channels": sound.channels,
                        "bit_depth": sound.bits,
                        "format": sound.format,
                        **{name: sound.measures.get(name) for name in ("sample_peak_dbfs", "integrated_lufs", "brightness_hz", "pitch_hz")},
                    }
                )
    opened.close()
    answer({"total": total, "sounds": rows}, as_json, "\n".join(f"{row['id']:>6}  {row['name']}  {row['duration_s']:.2f} s" for row in rows))
