"""More like this: how many of the five nearest are of a sound's own kind, beside plain MFCC, on recordings labelled by their names.

The recordings are not part of the project: a folder of them is named by OSKREN_RECORDINGS, as for the mixes of slices.
Half of the folders build the turn that ships (``python -m bench.likeness --build``), the others judge it.
"""

from __future__ import annotations

import os
import re
import sys
import zlib
from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

import librosa
import numpy as np
from numpy.typing import NDArray

from oskren.core.audio import files
from oskren.core.audio.layouts import to_mono
from oskren.core.measure import likeness, timbre
from oskren.core.measure.report import measure

Values = NDArray[np.float64]

DRUMS = {
    "kick": "kick|bd|bassdrum", "snare": "snare|sd", "rim": "rim|sidestick", "clap": "clap", "snap": "snap", "tom": "tom", "crash": "crash|splash|china",
    "ride": "ride|paistebell", "hat": "hat|hh", "cowbell": "cowbell", "tambourine": "tambourine", "djembe": "djembe|conga|bongo", "maraca": "maraca|shaker",
    "wood": "woodblock|claves", "glass": "glass", "whistle": "whistle",
}  # fmt: skip
"""Kinds by words in the names of files of drum kits."""

LEAST, MOST, SECONDS = 4, 30, 20.0
"""A kind has so many recordings at least and at most, each of so many seconds at most."""

HALVES = 8

KEPT, SHRUNK = 100, 0.3
"""Principal directions that are kept, and the share of a plain sphere in the covariance within kinds."""


@dataclass(frozen=True)
class Recording:
    """A recording, its kind, whether it is of the half to judge; its features, its measures of before and a plain MFCC distance's row."""

    kind: str
    judged: bool
    features: Values
    plain: Values
    mfcc: Values


def _kind(path: Path) -> tuple[str, str]:
    """The kind of a recording by its name, and the group that goes to one half whole: a drum kit; of all else the single file."""
    name = path.stem.lower()
    if "drum" in str(path.parent).lower():
        found = next((kind for kind, words in DRUMS.items() if re.search(words, name)), "")
        return found, path.parent.name
    if "voice" in str(path).lower():
        return "voice", path.name
    if "asterisk" in str(path).lower() or "speech" in str(path).lower():
        return "speech", path.name
    stem = re.sub(r"[-_]*\d+$", "", name)
    return f"{path.parts[-3]}: " + re.sub("old-|female-|small-|big-|-miss|_big|_small|_light|_heavy", "", stem), path.name


def _chosen(folder: Path) -> list[tuple[Path, str, bool]]:
    kinds: dict[str, list[tuple[Path, bool]]] = defaultdict(list)
    layers: Counter[tuple[str, str, str]] = Counter()
    found = [path for path in folder.rglob("*") if path.suffix.lower() in {".wav", ".flac", ".ogg"} and "music" not in str(path)]
    for path in sorted(found, key=lambda one: zlib.crc32(one.name.encode())):
        kind, group = _kind(path)
        layer = kind, group, re.sub("[^a-z]|hard|soft|est|med", "", path.stem.lower())[:14]
        # of the strengths of one drum two count, or a kit would find itself
        if kind and layers[layer] < 2 and len(kinds[kind]) < (MOST if group == path.name else 2 * MOST):
            layers[layer] += 1
            kinds[kind].append((path, bool(zlib.crc32(group.encode()) % 2)))
    return [(path, kind, judged) for kind, those in sorted(kinds.items()) if len(those) >= LEAST for path, judged in those]


def recordings(folder: Path) -> list[Recording]:
    """The labelled recordings under a folder that sound at all."""
    made = []
    for path, kind, judged in _chosen(folder):
        with files.reading(path) as file:
            rate, length = file.samplerate, file.frames
        samples, _ = files.read(path, 0, min(length, round(SECONDS * rate)))
        mono = to_mono(samples)[:, 0]
        found = timbre.features(mono, rate, len(mono) / rate)
        plain = likeness.describe(measure(samples, rate, slow=False).model_dump(), len(mono) / rate)
        if found is not None and plain is not None:
            mfcc = librosa.feature.mfcc(y=mono, sr=rate, n_mfcc=20).astype(np.float64)
            made.append(Recording(kind, judged, found, plain, np.concatenate([mfcc.mean(axis=1), mfcc.std(axis=1)])))
    return made


def build(rows: Iterable[Recording]) -> timbre.Turn:
    """The turn that tells the kinds of some recordings apart."""
    rows = list(rows)
    kinds = np.array([row.kind for row in rows])
    table = np.array([row.features for row in rows])
    middle, spread = table.mean(axis=0), table.std(axis=0) + 1e-6
    _, _, axes = np.linalg.svd((table - middle) / spread, full_matrices=False)
    first = axes[:KEPT].T / spread[:, None]
    turned = (table - middle) @ first
    within = np.zeros((first.shape[1],) * 2)
    means, weights, free = [], [], 0
    for kind in sorted(set(kinds)):
        one = turned[kinds == kind]
        means.append(one.mean(axis=0))
        weights.append(np.sqrt(len(one)))
        within += (one - means[-1]).T @ (one - means[-1])
        free += len(one) - 1
    within /= free
    within = (1 - SHRUNK) * within + SHRUNK * np.eye(len(within)) * np.trace(within) / len(within)
    white = np.linalg.cholesky(np.linalg.inv(within))
    _, _, kept = np.linalg.svd((np.array(means) @ white) * np.array(weights)[:, None], full_matrices=False)
    return timbre.Turn(middle.astype(np.float32), (first @ white @ kept[: timbre.NUMBERS].T).astype(np.float32))


def precision(rows: list[Recording], table: Values) -> float:
    """Mean share of the five nearest rows that are of a row's own kind, where that has three others."""
    kinds = np.array([row.kind for row in rows])
    shares = []
    for place, kind in enumerate(kinds):
        if (kinds == kind).sum() > 3:
            apart = np.square(table - table[place]).sum(axis=1)
            apart[place] = np.inf
            shares.append(float((kinds[np.argsort(apart, kind="stable")[:5]] == kind).mean()))
    return float(np.mean(shares))


def table(rows: list[Recording], turn: timbre.Turn) -> dict[str, float]:
    """Precision on the half to judge: ours with a turn, its descriptors alone, and MFCC in two plain ways."""
    half = [row for row in rows if row.judged]
    mfcc, plain = np.array([row.mfcc for row in half]), np.array([row.plain for row in half])
    return {
        "ours": precision(half, likeness.table(plain, turn.place(np.array([row.features for row in half])))),
        "thirteen descriptors (before)": precision(half, likeness.scaled(plain)),
        "MFCC 1 to 12, means": precision(half, mfcc[:, 1:13]),
        "MFCC 0 to 19, means and deviations, standardised": precision(half, (mfcc - mfcc.mean(axis=0)) / mfcc.std(axis=0)),
    }


def halved(rows: list[Recording], seed: int) -> dict[str, float]:
    """The same with halves drawn at random, the turn built on the other."""
    judged = np.random.default_rng(seed).random(len(rows)) < 0.5
    drawn = [replace(row, judged=bool(one)) for row, one in zip(rows, judged, strict=True)]
    return table(drawn, build(row for row in drawn if not row.judged))


def main() -> None:
    """Judge what ships, or build it."""
    folder = os.environ.get("OSKREN_RECORDINGS")
    if not folder:
        sys.exit("Name a folder of recordings by OSKREN_RECORDINGS; docs/performance.md says which were used.")
    rows = recordings(Path(folder))
    if "--build" in sys.argv:
        made = build(row for row in rows if not row.judged)
        np.savez_compressed(timbre.BUILT, middle=made.middle, matrix=made.matrix)
        timbre.built.cache_clear()
    print(f"{len(rows)} recordings of {len({row.kind for row in rows})} kinds, {sum(row.judged for row in rows)} of them judge what ships")
    ships, drawn = table(rows, timbre.built()), [halved(rows, seed) for seed in range(HALVES)]
    print(f"what ships; mean of {HALVES} halves drawn at random, each with a turn of its own")
    for name, value in ships.items():
        print(f"{value:.3f}  {np.mean([one[name] for one in drawn]):.3f}  {name}")


if __name__ == "__main__":
    main()
