"""What worker processes do for Gather: files read once, measures that follow, copies of one recording, anchors."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.audio import files, metadata
from oskren.core.audio.layouts import CHANNELS
from oskren.core.errors import AudioFileError
from oskren.core.measure import anchor, noise, peaks, report, sameness
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.examined import Examined
from oskren.core.words.propose import words_of
from oskren.work.engine.place import Workplace


def examine(place: Workplace, path: str) -> Examined | tuple[str, str]:
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
            outline=waveform.outline(),
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
    for id, path, layout in paths:
        try:
            answers.append((id, report.slow_measures_of_file(Path(path), layout or None).model_dump()))
        except Exception:  # one that cannot be measured is left, the others are measured
            answers.append((id, None))
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
    for id, path in items:
        try:
            info = files.probe(Path(path))
            levels = np.concatenate([anchor.envelope(block, info.rate) for block in files.blocks(Path(path), size=max(1, round(info.rate * 0.05)) * 100)])
        except Exception:  # one that cannot be measured keeps its anchor
            continue
        proposed = anchor.of_kind(levels, kind) if kind else anchor.propose(levels)  # type: ignore[arg-type]
        found.append((id, round(min(proposed.seconds, info.seconds), 6), proposed.kind))
    return found
