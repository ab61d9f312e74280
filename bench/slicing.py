"""Finding slices beside a plain gate and librosa: labelled mixes of recordings, half to build on, half to judge.

The recordings are not part of the project: a folder of sounds (drum kits in one, effects of games in another) is named by
OSKREN_RECORDINGS; without it the mixes are made of the demo's own effects.
"""

from __future__ import annotations

import os
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import mir_eval
import numpy as np
from numpy.typing import NDArray

from oskren.core.audio import files
from oskren.core.audio.resample import convert_rate
from oskren.core.slice.detect import SliceSettings, analyse, detect

Wave = NDArray[np.float32]

RATE = 48_000
KINDS = ("apart", "games", "drift", "overlapping", "all in turn")
SEEDS = range(100, 105)
"""A mix of each kind in each half; the detector was built on those of 0 to 4."""


@dataclass(frozen=True)
class Labelled:
    """A mix of shape (frames, 2), where its sounds begin, and where each meets the floor (s)."""

    kind: str
    samples: Wave
    starts: NDArray[np.float64]
    ends: NDArray[np.float64]


def _power(one: Wave, hop: int = RATE // 1000) -> NDArray[np.float64]:
    whole = len(one) // hop
    return np.asarray(np.square(one[: whole * hop].astype(np.float64)).mean(axis=1).reshape(whole, hop).mean(axis=1))


def _trimmed(one: Wave, longest_s: float) -> Wave | None:
    """From its first millisecond over -40 dB of its peak, without what is quiet at its end, its peak at 1; None when it is silent or long."""
    power = _power(one)
    if not len(power) or power.max() < 1e-8:
        return None
    clear = np.flatnonzero(power > power.max() * 1e-4)
    last = np.flatnonzero(power > power.max() * 1e-6)[-1]
    # what has a gap of its own is two sounds to any ear
    if np.diff(clear).max(initial=0) > 180:
        return None
    part = one[clear[0] * 48 : (last + 1) * 48]
    return None if not 0.02 * RATE < len(part) < longest_s * RATE else part / np.abs(part).max()


def _prepared(samples: Wave, rate: int, longest_s: float) -> Wave | None:
    """Two channels at the rate of the mixes, trimmed."""
    one = _trimmed(np.asarray(convert_rate(samples[:, :2], rate, RATE), np.float32), longest_s)
    return np.repeat(one, 2, axis=1) if one is not None and one.shape[1] == 1 else one


def _sounds(folder: Path, half: int, longest_s: float, most: int = 150) -> list[Wave]:
    found = []
    paths = sorted(path for path in folder.rglob("*") if path.suffix in (".wav", ".flac", ".ogg", ".aiff") and "music" not in str(path).lower())
    paths = [path for path in paths if zlib.crc32(path.name.encode()) % 2 == half]
    for path in np.random.default_rng(1).permutation(np.array(paths, object))[: most * 2]:
        try:
            samples, rate = files.read(path)
        except Exception:  # a file of a foreign package that is damaged
            continue
        if len(samples) / rate > 20:
            continue
        one = _prepared(samples, rate, longest_s)
        if one is not None:
            found.append(one)
        if len(found) == most:
            break
    return found


def _demo(half: int, longest_s: float) -> list[Wave]:
    from oskren.demo.scenario import RECORDINGS

    made = [(one.render(number), one.rate) for number, one in enumerate(RECORDINGS) if number % 2 == half]
    found = [_prepared(np.asarray(samples).reshape(len(samples), -1), rate, longest_s) for samples, rate in made]
    return [one for one in found if one is not None]


def _noise(random: np.random.Generator, frames: int, shape: Callable[[NDArray[np.float64]], NDArray[np.float64]]) -> Wave:
    """Two channels of noise at 0 dBFS RMS whose amplitudes over frequency (Hz) have a shape."""
    span = 1 << (frames - 1).bit_length()
    spectrum = np.fft.rfft(random.standard_normal((span, 2)), axis=0) * shape(np.fft.rfftfreq(span, 1 / RATE))[:, None]
    made = np.fft.irfft(spectrum, span, axis=0)[:frames]
    return np.asarray(made / np.std(made), np.float32)


def _floor(kind: str, random: np.random.Generator, frames: int, level_db: float) -> Wave:
    """Pink noise of a level (dBFS); for drift it drifts by 8 dB, over a rumble."""
    pink = _noise(random, frames, lambda hz: 1 / np.sqrt(np.maximum(hz, 20)))
    if kind == "drift":
        slow = np.interp(np.arange(frames), np.linspace(0, frames, 8), random.uniform(-4, 4, 8))
        rumble = _noise(random, frames, lambda hz: np.exp(-(((hz - 40) / 15) ** 2))) * np.float32(10 ** (-40 / 20))
        return np.asarray(pink * 10 ** ((level_db + slow[:, None]) / 20) + rumble, np.float32)
    return pink * np.float32(10 ** (level_db / 20))


def _laid(kind: str, random: np.random.Generator, sounds: list[Wave], count: int) -> Labelled:
    """Sounds one after the other over a floor; a label is where a sound comes out of the floor, one that never does is left out."""
    at, places, laid, heard = RATE, [], [], []
    noise_db = -52.0 if kind == "drift" else float(random.uniform(-78, -62))
    while len(laid) < count:
        one = sounds[random.integers(len(sounds))] * np.float32(10 ** (random.uniform(-18 if kind == "overlapping" else -24, -6) / 20))
        over = np.flatnonzero(np.convolve(_power(one), np.ones(5) / 5, "same") > 10 ** (noise_db / 10))
        if _power(one).max() < 10 ** ((noise_db + 12) / 10):
            continue
        places.append(at)
        laid.append(one)
        heard.append((over[0] + 2 if over[0] else 0, over[-1] + 1))
        at += round(random.uniform(0.16, 0.7) * RATE) if kind == "overlapping" else len(one) + round(random.uniform(0.25, 1.2) * RATE)
    frames = max(place + len(one) for place, one in zip(places, laid, strict=True)) + RATE
    mix = _floor(kind, random, frames, noise_db)
    for place, one in zip(places, laid, strict=True):
        mix[place : place + len(one)] += one
    edges = np.array(places)[:, None] / RATE + np.array(heard) / 1000
    return Labelled(kind, mix, edges[:, 0], edges[:, 1])


def _joined(parts: list[Labelled]) -> Labelled:
    samples, starts, ends, at = [], [], [], 0.0
    for part in parts:
        samples.append(part.samples)
        starts.append(part.starts + at)
        ends.append(part.ends + at)
        at += len(part.samples) / RATE
    return Labelled("all in turn", np.concatenate(samples), np.concatenate(starts), np.concatenate(ends))


def mixes(half: int) -> Iterator[Labelled]:
    """The mixes of a half (0 to build on, 1 to judge): always the same for the same recordings."""
    root = os.environ.get("OSKREN_RECORDINGS")
    folders = [one for one in sorted(Path(root).iterdir()) if one.is_dir()] if root else []
    kits = [folder for folder in folders if "drum" in folder.name]
    hits = [one for folder in kits for one in _sounds(folder, half, 4.0)] if kits else _demo(half, 2.0)
    effects = [one for folder in folders if folder not in kits for one in _sounds(folder, half, 6.0)] if kits else _demo(half, 6.0)
    for seed in SEEDS:
        random = np.random.default_rng((half, seed))
        made = {
            "apart": _laid("apart", random, hits, 40),
            "games": _laid("games", random, effects, 30),
            "drift": _laid("drift", random, hits + effects, 30),
            "overlapping": _laid("overlapping", random, hits, 60),
        }
        yield from made.values()
        order = random.permutation(np.array([*made], object))
        short = {kind: _laid(kind, random, effects if kind == "games" else hits, 20) for kind in made}
        yield _joined([short[kind] for kind in order])


def gate(mix: Labelled) -> list[float]:
    """A plain gate with hysteresis over the quietest tenth: the peer of few lines."""
    level = 10 * np.log10(np.convolve(_power(mix.samples), np.ones(10) / 10, "same") + 1e-12)
    low = np.percentile(level, 10)
    starts, on, quiet = [], False, 0
    for place, value in enumerate(level):
        if not on and value > low + 12:
            starts.append(place / 1000)
            on, quiet = True, 0
        elif on:
            quiet = quiet + 1 if value < low + 6 else 0
            on = quiet < 60
    return starts


def by_librosa(mix: Labelled) -> list[float]:
    """librosa's onset detector as it comes."""
    import librosa

    mono = mix.samples.mean(axis=1)
    return list(librosa.onset.onset_detect(y=mono, sr=RATE, units="time", backtrack=False))


def ours(mix: Labelled) -> list[float]:
    """Our attacks, every control as it comes."""
    return [one.attack_s for one in detect(analyse(iter([mix.samples]), RATE), SliceSettings())]


WAYS: dict[str, Callable[[Labelled], list[float]]] = {"ours": ours, "gate": gate, "librosa": by_librosa}


def measured(half: int, ways: dict[str, Callable[[Labelled], list[float]]] = WAYS, within_s: float = 0.05) -> dict[str, dict[str, float]]:
    """The F-measure of each kind of mix, a mean over its mixes, by each way (mir_eval.onset)."""
    scores: dict[str, dict[str, list[float]]] = {name: {kind: [] for kind in KINDS} for name in ways}
    for mix in mixes(half):
        for name, way in ways.items():
            scores[name][mix.kind].append(mir_eval.onset.f_measure(mix.starts, np.unique(way(mix)), window=within_s)[0])
    return {name: {kind: float(np.mean(values)) for kind, values in by.items()} for name, by in scores.items()}


def table(half: int = 1) -> list[str]:
    """Lines of Markdown: one row for every way."""
    found = measured(half)
    return [
        "## Slices on labelled mixes of " + ("real recordings" if os.environ.get("OSKREN_RECORDINGS") else "the demo's effects"),
        "",
        f"| F at 50 ms, half {half} | " + " | ".join(KINDS) + " |",
        "|---" * (len(KINDS) + 1) + "|",
        *(f"| {name} | " + " | ".join(f"{by[kind]:.3f}" for kind in KINDS) + " |" for name, by in found.items()),
    ]


if __name__ == "__main__":
    print("\n".join(table()))
