"""What worker processes do. Everything here takes and gives small plain values: paths and descriptions, not sound."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.audio import files, metadata
from oskren.core.audio.layouts import CHANNELS
from oskren.core.errors import AudioFileError, Cancelled, OskrenError
from oskren.core.measure import anchor, levels, loudness, noise, peaks, report, sameness
from oskren.core.nodes.cache import Cache, Scratch
from oskren.core.nodes.model import Chained, Excerpt, Mix, Node, NodeAdapter, active, node_hash
from oskren.core.nodes.render import Renderer
from oskren.core.nodes.voices import Shape
from oskren.core.plugins.outside import PluginError
from oskren.core.slice import detect
from oskren.core.steps import kind_of
from oskren.core.types import Samples
from oskren.core.words.propose import words_of
from oskren.store.library import Examined


@dataclass(frozen=True)
class Place:
    """Where a worker finds things: the cache folder, the waveform folder, the paths of originals, and the cancel flag.

    ``gone`` holds a sentence for every original that cannot be had; at ``until`` (s since the epoch) the work ends by itself.
    """

    cache: str
    peaks: str
    media: dict[str, str] = field(default_factory=dict)
    flag: str = ""
    gone: dict[str, str] = field(default_factory=dict)
    until: float = 0.0

    def path(self, audio: str) -> Path:
        """Where the audio with a hash lies; OskrenError with the reason when it cannot be had."""
        if audio not in self.media:
            raise OskrenError(self.gone.get(audio, f"The library does not hold the sound {audio[:12]}; import its file again."))
        return Path(self.media[audio])

    def renderer(self, *, scratch: bool = False) -> Renderer:
        folder = Path(self.cache)
        flag = Path(self.flag) if self.flag else None

        def cancelled() -> bool:
            return (flag is not None and flag.exists()) or bool(self.until and time.time() > self.until)

        return Renderer(self.path, Scratch(folder) if scratch else Cache(folder), cancelled)

    def peaks_path(self, key: str) -> Path:
        return Path(self.peaks) / key[:2] / f"{key}.npz"


def examine(place: Place, path: str) -> Examined | tuple[str, str]:
    """Read a file once: hash, measures, waveform. Or its path and the reason why it cannot be used."""
    try:
        file = Path(path)
        facts = file.stat()
        info = files.probe(file)
        said = metadata.read(file, info.rate)
        layout = _layout_said(file, info.channels, said)
        digest, measuring, building = (
            files.AudioHash(info.rate, info.channels),
            report.Measuring(info.rate, info.channels, layout or None),
            peaks.Building(info.channels),
        )
        frames = 0
        for block in files.blocks(file, size=max(1, round(info.rate * noise.FRAME_S)) * 100):
            digest.add(block)
            measuring.add(block)
            building.add(block)
            frames += len(block)
        waveform = building.finish()
        measures = measuring.finish(slow=False).model_dump()
        anchored = next((mark.at_s for mark in said.markers if mark.label.lower() == "anchor"), None)
        if anchored is not None and anchored <= frames / info.rate:
            measures |= {"anchor_s": round(anchored, 6), "anchor_kind": "hit"}
        found = Examined(
            path=path,
            audio=digest.value(),
            rate=info.rate,
            channels=info.channels,
            frames=frames,
            bits=info.bits,
            format=info.format,
            size=facts.st_size,
            modified=facts.st_mtime,
            measures=measures,
            row=waveform.row(),
            layout=layout,
            said={} if said.empty else said.model_dump(mode="json", exclude_defaults=True),
        )
        waveform.save(place.peaks_path(node_hash(found.source())))
        return found
    except AudioFileError as error:
        return path, error.reason
    except Exception as error:  # whatever is wrong with one file is that file's alone
        return path, f"cannot be read ({type(error).__name__}: {error}); export it again from its source"


def _layout_said(path: Path, channels: int, said: metadata.Metadata) -> str:
    """Layout stated by the channel names in a file or by the words of its path; empty when nothing is said."""
    names = tuple(name.upper() for name in said.channel_names)
    if channels == 4 and (names == CHANNELS["ambix"] or {"ambix", "ambisonic", "ambisonics", "foa"} & set(words_of(f"{path.parent.name} {path.stem}"))):
        return "ambix"
    return ""


def follow_up(paths: list[tuple[int, str, str]]) -> list[tuple[int, dict[str, Any] | None]]:
    """Pitch, bandwidth and key of originals, (sound, path, layout): what is slower than a row may wait for."""
    answers: list[tuple[int, dict[str, Any] | None]] = []
    for number, path, layout in paths:
        try:
            answers.append((number, report.slow_measures_of_file(Path(path), layout or None).model_dump()))
        except Exception:  # one that cannot be measured is left, the others are measured
            answers.append((number, None))
    return answers


def same(one: str, other: str, lossy: bool) -> bool:
    """Whether two files hold the same recording."""
    try:
        return sameness.same_recording(Path(one), Path(other), lossy=lossy)
    except Exception:  # a doubt about one pair leaves them two sounds
        return False


def hash_of(path: str) -> tuple[str, str]:
    """A file's path and its audio hash; an empty hash when it cannot be read."""
    try:
        return path, files.audio_hash(Path(path))
    except Exception:
        return path, ""


def anchors(items: list[tuple[int, str]], kind: str) -> list[tuple[int, float, str]]:
    """Propose anchors anew for originals (sound, path): of one kind, or of the kind that fits when ``kind`` is empty."""
    found: list[tuple[int, float, str]] = []
    for number, path in items:
        try:
            info = files.probe(Path(path))
            levels = np.concatenate([anchor.envelope(block, info.rate) for block in files.blocks(Path(path), size=max(1, round(info.rate * 0.05)) * 100)])
        except Exception:  # one that cannot be measured keeps its anchor
            continue
        proposed = anchor.of_kind(levels, kind) if kind else anchor.propose(levels)  # type: ignore[arg-type]
        found.append((number, round(min(proposed.seconds, info.seconds), 6), proposed.kind))
    return found


def facts(place: Place, node: dict[str, Any]) -> dict[str, Any]:
    """Render a node whole into the cache, measure it and make its waveform: shape, measures, row; its layout where that is not the usual one."""
    renderer, parsed = place.renderer(), NodeAdapter.validate_python(node)
    audio, rate = renderer.audio(parsed)
    shape = renderer.output_shape(parsed)
    measures = _measured(audio, shape)
    building = peaks.Building(audio.shape[1])
    building.add(np.asarray(audio))
    waveform = building.finish()
    waveform.save(place.peaks_path(node_hash(parsed)))
    return {
        "rate": rate,
        "channels": audio.shape[1],
        "frames": len(audio),
        "zero": shape.zero,
        "layout": shape.unusual,
        "measures": measures.model_dump(),
        "row": waveform.row(),
    }


def facts_or_reason(place: Place, node: dict[str, Any]) -> dict[str, Any]:
    """As :func:`facts`, or ``{"reason": ...}`` where a node cannot be rendered: in a batch one item fails alone."""
    try:
        return facts(place, node)
    except (Cancelled, PluginError):
        raise
    except Exception as error:
        return {"reason": str(error) if isinstance(error, OskrenError) else f"cannot be rendered ({type(error).__name__}: {error})"}


def _measured(audio: Samples, shape: Shape, *, slow: bool = True) -> report.Measures:
    size = max(1, round(shape.rate * noise.FRAME_S)) * 100
    parts = (np.array(audio[at : at + size]) for at in range(0, len(audio), size))
    return report.measure_blocks(parts, shape.rate, shape.channels, shape.named, slow=slow)


def waveform(place: Place, node: dict[str, Any]) -> None:
    """Make the waveform of a node that has none yet, reading it once."""
    parsed = NodeAdapter.validate_python(node)
    renderer = place.renderer()
    building = peaks.Building(renderer.output_shape(parsed).channels)
    source = renderer.stream(parsed) if parsed.kind in ("source", "print", "excerpt", "row") else iter([np.asarray(renderer.audio(parsed)[0])])
    for block in source:
        building.add(block)
    building.finish().save(place.peaks_path(node_hash(parsed)))


def whole(place: Place, node: dict[str, Any]) -> None:
    """Render a node into the cache."""
    place.renderer().audio(NodeAdapter.validate_python(node))


def shape(place: Place, node: dict[str, Any]) -> Shape:
    """Shape of what a node sounds like; what its first block would wait for is rendered before."""
    renderer, parsed = place.renderer(), NodeAdapter.validate_python(node)
    if renderer.needs_whole(parsed):
        renderer.make_ready(parsed)
    return renderer.output_shape(parsed)


class _Reading:
    """A stream that goes on where it was left: its state is carried from one request to the next."""

    def __init__(self, blocks: Iterator[Samples], at: int, channels: int):
        self.blocks, self.at = blocks, at
        self.held: Samples = np.zeros((0, channels), np.float32)

    def take(self, frames: int) -> Samples:
        parts, have = [self.held], len(self.held)
        while have < frames and (block := next(self.blocks, None)) is not None:
            parts.append(block)
            have += len(block)
        joined = np.concatenate(parts)
        given, self.held = joined[:frames], joined[frames:]
        self.at += len(given)
        return given


_readings: OrderedDict[str, _Reading] = OrderedDict()


def block(place: Place, node: dict[str, Any], start: int, frames: int) -> bytes:
    """Raw float32 of a stretch of a node; consecutive requests carry the state of its steps along."""
    parsed = NodeAdapter.validate_python(node)
    key = node_hash(parsed)
    reading = _readings.pop(key, None)
    if reading is None or reading.at != start:
        renderer = place.renderer()
        reading = _Reading(renderer.stream(parsed, start), start, renderer.output_shape(parsed).channels)
    given = reading.take(frames)
    _readings[key] = reading
    while len(_readings) > 6:
        _readings.popitem(last=False)
    return np.ascontiguousarray(given, np.float32).tobytes()


def chain_levels(place: Place, node: dict[str, Any], only: set[str] | None = None) -> list[dict[str, Any]]:
    """Level before the first step and after every active step of a chained node: peak, RMS, loudness, clipped samples.

    With ``only``, of those of its steps, which stand together: before the first of them and after each.
    """
    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Chained)
    renderer = place.renderer()
    result = []
    steps = active(parsed.chain)
    for count in range(len(steps) + 1):
        here = parsed.model_copy(update={"chain": steps[:count]})
        audio, rate = renderer.audio(here)
        loud = loudness.loudness(np.asarray(audio), rate)
        highest = levels.peak(audio)
        result.append(
            {
                "step": steps[count - 1].id if count else "",
                "peak_dbfs": round(levels.db(highest), 2) if highest > 1e-10 else None,
                "rms_dbfs": round(levels.db(levels.rms(np.asarray(audio))), 2) if highest > 1e-10 else None,
                "lufs": None if loud.integrated_lufs is None else round(loud.integrated_lufs, 2),
                "over": bool(highest > 1.0),
                "seconds": len(audio) / rate,
                "found": _found(renderer, here) if count else "",
                "balance_lu": _balance(np.asarray(audio), rate) if count in (0, len(steps)) else None,
            }
        )
    if only is not None:
        wanted = [at for at, one in enumerate(result) if at and one["step"] in only]
        return [{**result[wanted[0] - 1], "step": ""}, *(result[at] for at in wanted)] if wanted else []
    return result


def _balance(audio: Samples, rate: int) -> float | None:
    """How much louder right is than left (LU), each measured by itself; None unless there are two that can be measured."""
    if audio.shape[1] != 2:
        return None
    left, right = (loudness.loudness(audio[:, lane : lane + 1], rate).integrated_lufs for lane in range(2))
    return None if left is None or right is None else round(right - left, 2)


def _found(renderer: Renderer, node: Chained) -> str:
    """What the last step of a chain found in what it works on."""
    kind = kind_of(node.chain[-1].kind)
    return kind.found(renderer.summary(node)) if kind.analyses else ""


def noise_profile(place: Place, node: dict[str, Any]) -> dict[str, Any]:
    """Profile of a chain's last step, a noise reduction: its parts (s) and a curve in dBFS over 64 log-spaced frequencies."""
    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Chained)
    renderer = place.renderer()
    learned = renderer.summary(parsed)
    rate = renderer.shape(parsed.node).rate
    profile = learned["profile"].mean(axis=1)
    size = (len(profile) - 1) * 2
    at = np.geomspace(40, min(20_000, rate / 2), 64)
    level = 10 * np.log10(np.maximum(profile, 1e-20)) - 20 * np.log10(size / 4)
    return {
        "parts": learned["parts"].tolist(),
        "hz": at.round(1).tolist(),
        "dbfs": np.interp(at, np.linspace(0, rate / 2, len(profile)), level).round(2).tolist(),
    }


def resonances(place: Place, node: dict[str, Any]) -> list[dict[str, float]]:
    """Narrow peaks of a node, the highest first."""
    from oskren.core.measure.resonance import find_resonances

    audio, rate = place.renderer().audio(NodeAdapter.validate_python(node))
    found = find_resonances(np.asarray(audio).mean(axis=1, dtype=np.float32), rate)
    return [{"frequency_hz": one.frequency_hz, "height_db": one.height_db, "width_hz": one.width_hz, "q": round(one.q, 2)} for one in found]


def slice_levels(place: Place, node: dict[str, Any], keep: str) -> None:
    """Measure the levels slices are found by, once, and keep them in a file."""
    parsed = NodeAdapter.validate_python(node)
    renderer = place.renderer()
    found = detect.analyse(renderer.stream(parsed), renderer.output_shape(parsed).rate)
    with files.replacing(Path(keep)) as temporary, open(temporary, "wb") as stream:
        np.savez(
            stream,
            power=found.power,
            bright=found.bright,
            facts=np.array([found.hop_s, found.seconds, found.floor_dbfs, found.floor_visible, found.bright_floor_dbfs]),
        )


def load_levels(path: Path) -> detect.Levels:
    """Read what ``slice_levels`` kept."""
    with np.load(path) as stored:
        hop, seconds, floor, visible, bright = (float(value) for value in stored["facts"])
        return detect.Levels(stored["power"], stored["bright"], hop, seconds, floor, bool(visible), bright)


def render_print(place: Place, node: dict[str, Any], folder: str) -> tuple[str, str]:
    """Render a node to a float WAV in a folder: the audio hash and the file's path."""
    renderer, parsed = place.renderer(), NodeAdapter.validate_python(node)
    audio, rate = renderer.audio(parsed)
    digest = files.AudioHash(rate, audio.shape[1])
    digest.add(np.asarray(audio))
    path = Path(folder) / f"print-{digest.value()}.wav"
    files.write(path, np.asarray(audio), rate, 32)
    return digest.value(), str(path)


def sum_meters(place: Place, node: dict[str, Any]) -> dict[str, Any]:
    """Render a design and read its meters: measures, length, and crest, correlation, shares and highest peak."""
    from oskren.core.stack.shares import sum_facts

    parsed, renderer = NodeAdapter.validate_python(node), place.renderer()
    assert isinstance(parsed, Mix)
    audio, rate = renderer.audio(parsed)
    return {
        "measures": _measured(audio, renderer.output_shape(parsed), slow=False).model_dump(),
        "seconds": len(audio) / rate,
        "facts": sum_facts(renderer, parsed).model_dump(),
    }


def picture(kind: str, params: dict[str, Any], rate: int) -> dict[str, Any] | None:
    """What a step does with its settings, drawn."""
    from oskren.core.steps.base import checked

    drawn = kind_of(kind).picture(checked(kind, params), rate)
    return None if drawn is None else drawn.model_dump()


def crowding(place: Place, node: dict[str, Any]) -> dict[str, Any]:
    """Which layers of a design crowd each other, and what a dip would do about it."""
    from oskren.core.stack.crowding import crowding

    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Mix)
    return crowding(place.renderer(), parsed).model_dump(mode="json")


def tones(place: Place, nodes: list[dict[str, Any]]) -> list[tuple[float | None, float | None]]:
    """Fundamental (Hz) and confidence of nodes as they are heard, each measured once."""
    from oskren.core.measure.pitch import fundamental

    renderer = place.renderer()
    found: list[tuple[float | None, float | None]] = []
    for node in nodes:
        parsed = NodeAdapter.validate_python(node)
        key = node_hash(Excerpt(node=parsed, start_s=0, end_s=0))  # a name beside the audio's own
        kept = renderer.cache.summary(key)
        if kept is None:
            audio, rate = renderer.audio(parsed)
            hz, sure = fundamental(np.asarray(audio).mean(axis=1, dtype=np.float32), rate)
            kept = {"tone": np.array([np.nan if hz is None else hz, 0.0 if sure is None else sure])}
            renderer.cache.keep_summary(key, kept)
        hz, sure = (float(value) for value in kept["tone"])
        found.append((None if np.isnan(hz) else hz, sure))
    return found


def parse(node: dict[str, Any]) -> Node:
    """A node from its description."""
    return NodeAdapter.validate_python(node)


def suggest_parts(place: Place, node: dict[str, Any], keep: str) -> None:
    """Suggestions for a take, from one pass over it, kept in a file."""
    from oskren.core.mend.suggest import suggest

    parsed = NodeAdapter.validate_python(node)
    renderer = place.renderer()
    found = suggest(renderer.stream(parsed), renderer.output_shape(parsed).rate)
    with files.replacing(Path(keep)) as temporary:
        temporary.write_text(found.model_dump_json())


def listed(place: Place, node: dict[str, Any]) -> list[dict[str, Any]]:
    """What the last step of a chain found, one by one, in the time of the chain's input."""
    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Chained)
    renderer = place.renderer()
    steps = active(parsed.chain)
    if not steps or not kind_of(steps[-1].kind).analyses:
        return []
    back = renderer.time_map(Chained(node=parsed.node, chain=steps[:-1])).to_input
    found = kind_of(steps[-1].kind).listed(*renderer.learned(parsed))
    return [{"at_s": round(back(one.at_s), 6), "end_s": round(back(one.end_s), 6), "channel": one.channel, "height_db": one.height_db} for one in found]


def outcome(place: Place, before: dict[str, Any], after: dict[str, Any]) -> dict[str, Any]:
    """Sample peak and loudness of a node before and after a chain; or the reason why it cannot be rendered. Nothing is cached."""
    renderer = place.renderer(scratch=True)
    told: dict[str, Any] = {}
    for name, node in (("before", before), ("after", after)):
        try:
            audio, rate = renderer.audio(NodeAdapter.validate_python(node))
            loud, highest = loudness.loudness(np.asarray(audio), rate), levels.peak(audio)
        except Cancelled:
            raise
        except (OskrenError, OSError, ValueError, MemoryError) as error:
            return {"reason": str(error)}
        told[f"{name}_dbfs"] = round(levels.db(highest), 2) if highest > 1e-10 else None
        told[f"{name}_lufs"] = None if loud.integrated_lufs is None else round(loud.integrated_lufs, 2)
        told["over"] = bool(highest > 1.0)
    return told
