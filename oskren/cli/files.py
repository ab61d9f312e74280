"""Commands on single files, with no library."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

import typer

from oskren.cli.said import Json, Overwrite, Schema, answer, bits_for, ended, refuse_harm, say, write_result
from oskren.core.errors import AudioFileError, OskrenError
from oskren.core.types import Failed


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


def process(
    source: Annotated[Path | None, typer.Argument(metavar="IN")] = None,
    out: Annotated[Path | None, typer.Argument(metavar="OUT")] = None,
    chain: Annotated[Path | None, typer.Option("--chain", metavar="CHAIN.json", help="the steps, in order")] = None,
    schema: Schema = False,
    overwrite: Overwrite = None,
    as_json: Json = False,
) -> None:
    """Put a file through a chain of steps."""
    from oskren.work.mend import processing

    if schema:
        answer(processing.schema(), True)
        return
    if source is None or out is None or chain is None:
        raise OskrenError("process needs IN, OUT and --chain CHAIN.json (or --schema alone)")
    from oskren.core.audio import files
    from oskren.work.engine import guard

    refuse_harm(source, [out], overwrite)
    known = processing.Known()
    steps = processing.load(chain, known)
    report = processing.process(source, out, steps, known, bits_for(files.probe(source).bits))
    guard.note_written([out])
    answer({"path": str(out), "duration_s": report.duration_s}, as_json, f"{out}: {report.duration_s:.3f} s")


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
