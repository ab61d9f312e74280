"""The command line: Oskren for scripts and checks.

With ``--json`` one JSON document goes to standard output; messages go to standard error. Exit status 0: all done;
1: some items failed, listed under ``failed``; 2: the call or its input is unusable, nothing written.
"""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal

import typer

from oskren.core.errors import AudioFileError, OskrenError
from oskren.core.types import Failed

if TYPE_CHECKING:
    from oskren.work.engine.studio import Studio

app = typer.Typer(
    add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False, help="Record, clean, layer, vary, slice and ship designed sounds."
)
Json = Annotated[bool, typer.Option("--json", help="print one JSON document on standard output")]
Overwrite = Annotated[list[Path] | None, typer.Option("--overwrite", metavar="FILE", help="a foreign file that may be written over; may be given again")]
HomeOption = Annotated[Path, typer.Option("--home", help="Oskren's folder")]


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


@contextmanager
def studio_at(home: Path) -> Iterator[Studio]:
    from oskren.store import Home
    from oskren.work.engine import guard
    from oskren.work.engine.studio import Studio
    from oskren.work.engine.workers import Workers

    studio = Studio(Home(home), Workers(forked=True))
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


@app.command()
def demo(home: HomeOption = Path("demo-home"), host: str = "127.0.0.1", port: int = 4747) -> None:
    """Start with the demo data (made on the first start) and print the address."""
    from oskren.api.serving import run
    from oskren.demo import stands

    def prepare() -> None:
        if not stands(home):
            from oskren.demo.build import build

            build(home, say)

    run(home, host, port, prepare)


@app.command()
def serve(home: HomeOption = Path("oskren-home"), host: str = "127.0.0.1", port: int = 4747) -> None:
    """Start with a folder of your own."""
    from oskren.api.serving import run

    run(home, host, port)


@app.command()
def measure(paths: Annotated[list[Path], typer.Argument(metavar="FILE...")], as_json: Json = False) -> None:
    """Measure files: levels, loudness, floor, bandwidth, brightness, pitch, anchor."""
    from oskren.core.measure.report import measure_file

    measured: list[Any] = []
    failed: list[Failed] = []
    for path in paths:
        try:
            measured.append(measure_file(path).described())
        except AudioFileError as error:
            failed.append({"path": str(path), "reason": error.reason})
        except Exception as error:  # whatever is wrong with one file is that file's alone
            failed.append({"path": str(path), "reason": f"cannot be measured ({type(error).__name__}: {error}); export it again from its source"})
    order = ["path", "duration_s", "frames", "sample_rate", "channels", "bit_depth"]
    rows = [{**{name: row[name] for name in order}, **{name: value for name, value in row.items() if name not in order}} for row in measured]
    if as_json:
        answer({"measured": rows, "failed": failed} if failed else rows, True)
    else:
        for row in rows:
            typer.echo(
                f"{row['path']}: {row['duration_s']:.3f} s, peak {row['sample_peak_dbfs']} dBFS, "
                f"true peak {row['true_peak_dbtp']} dBTP, {row['integrated_lufs']} LUFS"
            )
    ended(failed)


@app.command()
def pitch(
    source: Annotated[Path, typer.Argument(metavar="IN")],
    out: Annotated[Path, typer.Argument(metavar="OUT")],
    semitones: Annotated[float, typer.Option("--semitones", min=-48, max=36)],
    keep_length: Annotated[bool, typer.Option("--keep-length")] = False,
    stretch: Annotated[float, typer.Option("--stretch", min=0.1, max=10)] = 1.0,
    overwrite: Overwrite = None,
    as_json: Json = False,
) -> None:
    """Shift the pitch by varispeed, or with the length kept."""
    from oskren.core.audio import files, stretching
    from oskren.work.engine import guard

    refuse_harm(source, [out], overwrite)
    info = files.probe(source)
    samples, rate = files.read(source)
    result = stretching.repitch(samples, semitones, rate, keep_length=keep_length, factor=stretch)
    write_result(out, result, rate, bits_for(info.bits))
    guard.note_written([out])
    answer({"path": str(out), "duration_s": len(result) / rate}, as_json, f"{out}: {len(result) / rate:.3f} s")


def _noise_part(text: str) -> tuple[float, float] | None:
    if text == "auto":
        return None
    try:
        start, end = (float(part) for part in text.split("-"))
    except ValueError as error:
        raise OskrenError(f"--noise {text}: give START-END in seconds, like 0.2-1.0, or auto") from error
    if not 0 <= start < end:
        raise OskrenError(f"--noise {text}: the start must lie before the end")
    return start, end


@app.command()
def clean(
    source: Annotated[Path, typer.Argument(metavar="IN")],
    out: Annotated[Path, typer.Argument(metavar="OUT")],
    noise: Annotated[str, typer.Option("--noise", help="START-END in seconds, or auto")],
    reduction: Annotated[float, typer.Option("--reduction", min=0, max=40)] = 6.0,
    residual: Annotated[Path | None, typer.Option("--residual", help="file for what was removed")] = None,
    overwrite: Overwrite = None,
    as_json: Json = False,
) -> None:
    """Take down steady noise, learned from a part of the file."""
    import numpy as np

    from oskren.core.audio import files
    from oskren.core.measure import levels
    from oskren.core.steps import Context, kind_of
    from oskren.core.steps.noise import NoiseParams
    from oskren.work.engine import guard

    written = [out, *([residual] if residual else [])]
    refuse_harm(source, written, overwrite)
    info = files.probe(source)
    part = _noise_part(noise)
    if part and part[1] > info.seconds:
        raise OskrenError(f"--noise {noise}: the file is only {info.seconds:.3f} s long")
    params = NoiseParams(reduction_db=reduction, parts=(part,) if part else ())
    samples, rate = files.read(source)
    kind, at = kind_of("noise_reduction"), Context(rate, info.channels, len(samples))
    summary = kind.analyse(params, iter([samples]), at)
    stream = kind.stream(params, summary, at, 0)
    result = np.concatenate([stream.push(samples[at_ : at_ + files.BLOCK]) for at_ in range(0, len(samples), files.BLOCK)] + [stream.flush()])
    learned = summary["parts"][0]
    first, last = (round(end * rate) for end in learned)

    def floor(sound: Any) -> float | None:
        level = levels.rms(sound[first:last])
        return round(levels.db(level), 3) if level > 1e-10 else None

    write_result(out, result, rate, bits_for(info.bits))
    if residual:
        write_result(residual, samples - result, rate, bits_for(info.bits))
    guard.note_written(written)
    answer(
        {
            "noise_part_s": [round(float(end), 6) for end in learned],
            "reduction_db": reduction,
            "noise_floor_before_dbfs": floor(samples),
            "noise_floor_after_dbfs": floor(result),
        },
        as_json,
        f"{out}: noise {floor(samples)} to {floor(result)} dBFS",
    )


@app.command("slice")
def slice_(
    source: Annotated[Path, typer.Argument(metavar="IN")],
    out: Annotated[Path | None, typer.Option("--out", help="folder for the finished slices")] = None,
    sensitivity: Annotated[float | None, typer.Option("--sensitivity", help="dB over the measured floor", min=1, max=60)] = None,
    min_length: Annotated[float | None, typer.Option("--min-length", help="ms", min=1)] = None,
    min_gap: Annotated[float | None, typer.Option("--min-gap", help="ms", min=1)] = None,
    pre_roll: Annotated[float | None, typer.Option("--pre-roll", help="ms", min=0)] = None,
    tail: Annotated[float | None, typer.Option("--tail", help="ms", min=0)] = None,
    attacks: Annotated[Literal["auto", "on", "off"], typer.Option("--attacks", help="whether attacks inside a sound begin a slice")] = "auto",
    peak: Annotated[float, typer.Option("--peak", help="dBFS", min=-24, max=0)] = -1.0,
    mono: Annotated[bool, typer.Option("--mono")] = False,
    overwrite: Overwrite = None,
    as_json: Json = False,
) -> None:
    """Find slices in a long sound and, with --out, write them finished."""
    from oskren.core.audio import files
    from oskren.core.measure import levels
    from oskren.core.slice import detect
    from oskren.core.slice.finish import Finish

    info = files.probe(source)
    given = {"sensitivity_db": sensitivity, "min_length_ms": min_length, "min_gap_ms": min_gap, "pre_roll_ms": pre_roll, "tail_ms": tail, "attacks": attacks}
    settings = detect.SliceSettings(**{name: value for name, value in given.items() if value is not None})
    found = detect.detect(detect.analyse(files.blocks(source), info.rate), settings)
    if not found:
        say(f"{source}: no slices stand over the threshold; lower --sensitivity, or the file is silent")
    slices = []
    for one in found:
        first, last = round(one.start_s * info.rate), round(one.end_s * info.rate)
        highest = max(levels.peak(block) for block in files.blocks(source, first, last))
        slices.append(
            {
                "start_s": one.start_s,
                "end_s": one.end_s,
                "attack_s": one.attack_s,
                "peak_dbfs": round(levels.db(highest), 3),
                "duration_s": round((last - first) / info.rate, 6),
            }
        )
    written: list[str] = []
    failed: list[Failed] = []
    if out is not None and found:
        from oskren.work.engine import guard
        from oskren.work.slice.making import cut_file

        digits = max(3, len(str(len(found))))
        paths = [out / f"{source.stem}_{number:0{digits}d}.wav" for number in range(1, len(found) + 1)]
        refuse_harm(source, paths, overwrite)
        result = cut_file(source, info, list(zip(found, paths, strict=True)), Finish(peak_dbfs=peak, mono="mid" if mono else "kept"), bits_for(info.bits))
        written, failed = [report.path for report in result.good], result.failed
        guard.note_written([Path(path) for path in written])
    document = {"slices": slices, "files": written, **({"failed": failed} if failed else {})}
    answer(document, as_json, f"{source}: {len(slices)} slices" + (f", written to {out}" if written else ""))
    ended(failed)


@app.command("import")
def import_(
    paths: Annotated[list[Path], typer.Argument(metavar="PATH...")],
    home: HomeOption,
    library: Annotated[str | None, typer.Option("--library")] = None,
    refer: Annotated[bool, typer.Option("--refer", help="leave the files where they lie")] = False,
    as_json: Json = False,
) -> None:
    """Import files and folders into a library (made if it is not there)."""
    from oskren.work.gather.importing import follow_up, import_paths

    for path in paths:
        if not path.exists():
            raise OskrenError(f"{path}: there is no such file or folder; check the path")
    with studio_at(home) as studio:
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


@app.command()
def sounds(
    home: HomeOption,
    library: Annotated[str | None, typer.Option("--library")] = None,
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

    if not home.exists():
        raise OskrenError(f"{home}: there is no such folder; import something first")
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


@app.command()
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


@app.command()
def ship(
    sheet: Annotated[Path | None, typer.Argument(metavar="SHEET.json")] = None,
    home: Annotated[Path | None, typer.Option("--home")] = None,
    library: Annotated[str | None, typer.Option("--library")] = None,
    out: Annotated[Path | None, typer.Option("--out")] = None,
    schema: Annotated[bool, typer.Option("--schema", help="print the sheet's JSON schema")] = False,
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
    from oskren.work.ship.sheets import ship as ship_sheet

    wanted = load(sheet)
    if not home.exists():
        raise OskrenError(f"{home}: there is no such folder; import something first")
    with studio_at(home) as studio:
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


@app.command()
def scene(
    scene: Annotated[Path | None, typer.Argument(metavar="SCENE.json")] = None,
    home: Annotated[Path | None, typer.Option("--home")] = None,
    library: Annotated[str | None, typer.Option("--library")] = None,
    out: Annotated[Path | None, typer.Option("--out")] = None,
    schema: Annotated[bool, typer.Option("--schema", help="print the scene's JSON schema")] = False,
    as_json: Json = False,
) -> None:
    """Put sounds on the frames of a film and hand it over: mix, stems, film, cue sheet, edit lists, in a folder of its own."""
    from oskren.work.picture.scene_file import SceneFile, load, resolve

    if schema:
        answer(SceneFile.model_json_schema(), True)
        return
    if scene is None or home is None or out is None:
        raise OskrenError("scene needs SCENE.json, --home DIR and --out DIR (or --schema alone)")
    from oskren.work.picture.exporting import hand_over

    wanted = load(scene)
    if not home.exists():
        raise OskrenError(f"{home}: there is no such folder; import something first")
    with studio_at(home) as studio:
        into = studio.home.library(library)
        done = hand_over(studio, into, resolve(studio, into, wanted, scene.resolve().parent), out.resolve(), wanted.how)
    for sentence in done.said:
        say(sentence)
    document = done.model_dump(exclude={"kind", "said", *(() if done.failed else ("failed",))})
    answer(document, as_json, f"{len(done.placements)} placements of {wanted.name} in {done.folder}")
    ended(done.failed)


def main() -> None:
    """Entry point: what cannot be used ends with status 2 and one sentence, never with a traceback."""
    try:
        app(standalone_mode=True)
    except OskrenError as error:
        say(str(error))
        sys.exit(2)
    except OSError as error:
        say(f"{error.filename or 'A file'}: {error.strerror or error}; check the path, its rights and the room on the disk")
        sys.exit(2)
    except Exception as error:
        say(f"A fault inside Oskren ended this ({type(error).__name__}: {error}). What was finished until then stays; OSKREN_DEBUG=1 shows where.")
        if os.environ.get("OSKREN_DEBUG"):
            raise
        sys.exit(2)


if __name__ == "__main__":
    main()
