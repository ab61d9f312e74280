"""Commands that make many files at once, as a file of JSON or a bundle says: draws, shipments, scenes."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from oskren.cli.said import HomeGiven, Json, LibraryName, OutGiven, Overwrite, Schema, answer, ended, say, studio_at
from oskren.core.errors import OskrenError


def vary(
    bundle: Annotated[Path, typer.Argument(metavar="BUNDLE")],
    count: Annotated[int, typer.Option("--count", min=1, max=10_000)],
    seed: Annotated[int, typer.Option("--seed")],
    out: Annotated[Path, typer.Option("--out")],
    recipe: Annotated[Path | None, typer.Option("--recipe")] = None,
    most_different: Annotated[int | None, typer.Option("--most-different", min=1, help="Write only so many of them, those that differ most")] = None,
    overwrite: Overwrite = None,
    as_json: Json = False,
) -> None:
    """Draw variations of a bundled design; without a recipe every layer moves a little."""
    from oskren.work.vary.drawing import vary_bundle

    made = vary_bundle(bundle, count, seed, out, recipe, overwrite or (), most_different)
    for sentence in made.said:
        say(sentence)
    found = {"draws": made.draws, "nearest": made.nearest, **({"failed": made.failed} if made.failed else {})}
    answer(found, as_json, f"{len(made.draws)} variations in {out}")
    ended(made.failed)


def ship(
    sheet: Annotated[Path | None, typer.Argument(metavar="SHEET.json")] = None,
    home: HomeGiven = None,
    library: LibraryName = None,
    out: OutGiven = None,
    schema: Schema = False,
    overwrite: Overwrite = None,
    cluster: Annotated[str, typer.Option("--cluster", metavar="ADDRESS", help="run on the Dask cluster with this scheduler, over a shared folder")] = "",
    as_json: Json = False,
) -> None:
    """Render a sheet of sounds to finished files, read every one back, write the manifest."""
    from oskren.work.ship.sheet_file import SheetFile, load, resolve

    if schema:
        answer(SheetFile.model_json_schema(), True)
        return
    if sheet is None or home is None or out is None:
        raise OskrenError("ship needs SHEET.json, --home DIR and --out DIR (or --schema alone)")
    wanted = load(sheet)  # nothing is written for one that cannot be used
    with studio_at(home) as studio:
        from oskren.work.ship.sheets import ship as ship_sheet

        into = studio.home.library(library)
        studio.cluster_at = cluster or studio.cluster_at
        inside = [str(path.resolve().relative_to(out.resolve())) for path in overwrite or () if path.resolve().is_relative_to(out.resolve())]
        result = ship_sheet(studio, into, resolve(studio, into, wanted, sheet.resolve().parent), out, allowed=inside)
    fresh = [report for report in result.reports if report.path not in set(result.unchanged)]
    document: dict[str, Any] = {
        "files": [
            {"path": str(out / report.path), "sha256": report.sha256, "checks": {check.name: {"ok": check.ok, "note": check.note} for check in report.checks}}
            for report in fresh
        ],
        "unchanged": [str(out / path) for path in result.unchanged],
    }
    if result.failed:
        document["failed"] = result.failed
    answer(document, as_json, f"{len(fresh)} files shipped to {out}, {len(result.unchanged)} unchanged, {len(result.failed)} failed")
    ended(result.failed)


def scene(
    scene: Annotated[Path | None, typer.Argument(metavar="SCENE.json")] = None,
    home: HomeGiven = None,
    library: LibraryName = None,
    out: OutGiven = None,
    schema: Schema = False,
    as_json: Json = False,
) -> None:
    """Put sounds on the frames of a film and hand it over: mix, stems, film, cue sheet, edit lists, in a folder of its own."""
    from oskren.work.picture.scene_file import SceneFile, load, resolve

    if schema:
        answer(SceneFile.model_json_schema(), True)
        return
    if scene is None or home is None or out is None:
        raise OskrenError("scene needs SCENE.json, --home DIR and --out DIR (or --schema alone)")
    wanted = load(scene)
    with studio_at(home) as studio:
        from oskren.work.picture.exporting import hand_over

        into = studio.home.library(library)
        done = hand_over(studio, into, resolve(studio, into, wanted, scene.resolve().parent), out.resolve(), wanted.how)
    for sentence in done.said:
        say(sentence)
    document = done.model_dump(exclude={"kind", "said", *(() if done.failed else ("failed",))})
    answer(document, as_json, f"{len(done.placements)} placements of {wanted.name} in {done.folder}")
    ended(done.failed)
