"""The rows of docs/performance.md. Each makes its own material, does the work, and does it again with a peer."""

from __future__ import annotations

import concurrent.futures
import multiprocessing
import shutil
import statistics
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from oskren.core.audio import files
from oskren.core.nodes import Cache, Chained, Member, Mix, Renderer, Source, Step
from oskren.core.ship.items import Item
from oskren.core.ship.sheet import Sheet
from oskren.core.ship.target import Target
from oskren.core.slice import detect
from oskren.core.slice.finish import Finish, one_shot
from oskren.core.types import Samples
from oskren.core.vary.recipe import Recipe, default_recipe
from oskren.store import Home
from oskren.work.engine import tasks
from oskren.work.engine.place import Workplace
from oskren.work.engine.studio import Studio
from oskren.work.gather import tasks as examining
from oskren.work.gather.importing import import_paths
from oskren.work.ship.sheets import ship
from oskren.work.vary.drawing import take as take_draws

Row = tuple[str, str, str, str, str]


def take(seconds: float, rate: int, channels: int, every: float, seed: int = 1) -> Samples:
    """Hits of different length and level over a floor of -62 dBFS."""
    random = np.random.default_rng(seed)
    out = (random.standard_normal((round(seconds * rate), channels), dtype=np.float32) * np.float32(10 ** (-62 / 20))).astype(np.float32)
    at = 0.3
    while at < seconds - 3.2:
        t = np.arange(round((0.3 + 1.2 * random.random()) * rate)) / rate
        hit = random.standard_normal(len(t)) * np.exp(-t * (3 + 20 * random.random())) * 0.3 * (0.2 + 0.8 * random.random())
        out[round(at * rate) : round(at * rate) + len(t)] += hit[:, None].astype(np.float32)
        at += every * (0.8 + 0.4 * random.random())
    return out


def timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def source_of(path: Path) -> Source:
    info = files.probe(path)
    return Source(audio=files.audio_hash(path), rate=info.rate, channels=info.channels, frames=info.frames)


def bench_ship(folder: Path) -> Row:
    """1,000 one-shots (0.2 to 3 s) from one 30-minute file, with chain, normalise, mono, 24 bit, read back and verified."""
    path = folder / "long.wav"
    files.write(path, take(1800, 48_000, 2, 1.7), 48_000, 24)
    node = source_of(path)
    random = np.random.default_rng(3)
    parts = [(float(s), float(s + 0.2 + 2.8 * random.random() ** 2)) for s in np.linspace(1, 1790, 1000)]
    chain = (Step(kind="high_pass", params={"cutoff_hz": 60.0}), Step(kind="band", params={"gain_db": 3.0, "frequency_hz": 2500.0}))
    finish = Finish(peak_dbfs=-1.0, mono="mid", chain=chain)
    items = tuple(Item(node=one_shot(node, detect.FoundSlice(start_s=a, end_s=b, attack_s=a), finish), name=f"hit {i:04d}") for i, (a, b) in enumerate(parts))
    studio = Studio(Home(folder / "home"))
    library = studio.home.library(create=True)
    library.keep_media(node.audio, path, refer=True)
    list(studio.batch([(tasks.shape, studio.place(library, node), node.model_dump(mode="json"))] * 2))
    result = []
    ours = timed(lambda: result.append(ship(studio, library, Sheet(items=items, targets=(Target(),)), folder / "out")))
    assert len(result[0].reports) == 1000 and not result[0].failed, result[0].failed[:2]
    studio.close()
    sox = folder / "sox"
    sox.mkdir()

    def by_sox() -> None:
        def one(entry: tuple[int, tuple[float, float]]) -> None:
            i, (a, b) = entry
            subprocess.run(
                [
                    "sox",
                    path,
                    "-b",
                    "24",
                    sox / f"{i}.wav",
                    "trim",
                    f"{a}",
                    f"={b}",
                    "highpass",
                    "60",
                    "equalizer",
                    "2500",
                    "1q",
                    "3",
                    "remix",
                    "-",
                    "fade",
                    "h",
                    "0.001",
                    "0",
                    "0.012",
                    "gain",
                    "-n",
                    "-1",
                ],
                check=True,
                capture_output=True,
            )

        with concurrent.futures.ThreadPoolExecutor(threads) as pool:
            list(pool.map(one, enumerate(parts)))

    threads = 1
    peer = timed(by_sox) if shutil.which("sox") else None
    threads = 2
    both = timed(by_sox) if peer else 0.0
    return (
        "ship 1,000 one-shots from 30 min, chain, normalised, mono, 24 bit, verified",
        "under 12 s, faster than SoX a file",
        f"{ours:.1f} s",
        f"SoX, one process a file, nothing verified: {peer:.1f} s; two at a time {both:.1f} s" if peer else "SoX is not installed here",
        f"{peer / ours:.1f}x, {both / ours:.1f}x" if peer else "",
    )


def bench_slice(folder: Path) -> Row:
    """Find slices in 30 min at 96 kHz stereo; librosa on five minutes of it, mixed to mono and already in memory."""
    import librosa

    part = take(300, 96_000, 2, 1.7)
    path = folder / "long.wav"
    files.write(path, np.concatenate([part] * 6), 96_000, 24)
    found: list[detect.FoundSlice] = []
    ours = timed(lambda: found.extend(detect.detect(detect.analyse(files.blocks(path), 96_000), detect.SliceSettings())))
    mono = part.mean(axis=1)
    librosa.onset.onset_detect(y=mono[:96_000], sr=96_000)
    peer = timed(lambda: librosa.onset.onset_detect(y=mono, sr=96_000, units="time")) * 6
    return (
        "find slices in 30 min, 96 kHz stereo, from the file",
        "over 300x real time, faster than librosa",
        f"{1800 / ours:.0f}x real time ({ours:.1f} s)",
        f"librosa onset detector on mono in memory: {1800 / peer:.0f}x",
        f"{peer / ours:.1f}x",
    )


def _straightforward(path: str) -> float:
    import librosa
    import pyloudnorm

    samples, rate = librosa.load(path, sr=None, mono=True)
    loud = pyloudnorm.Meter(rate).integrated_loudness(samples)
    librosa.feature.spectral_centroid(y=samples, sr=rate)
    librosa.onset.onset_detect(y=samples, sr=rate)
    return float(loud + np.max(np.abs(samples)))


def bench_import(folder: Path) -> Row:
    """Import 2 s, 48 kHz mono files: hash, peaks, levels, loudness, brightness, pitch, anchor, copied and in the database."""
    names = folder / "in"
    names.mkdir()
    for i in range(300):
        files.write(names / f"glass creak {i}.wav", take(4.0, 48_000, 1, 0.8, i)[:96_000], 48_000, 24)
    studio = Studio(Home(folder / "home"))
    library = studio.home.library(create=True)
    list(studio.batch([(examining.examine, studio.place(), str(names / "glass creak 0.wav"))] * 2))
    ours = timed(lambda: import_paths(studio, library, [names], "bench"))
    studio.close()
    with concurrent.futures.ProcessPoolExecutor(2, mp_context=multiprocessing.get_context("forkserver")) as pool:
        list(pool.map(_straightforward, [str(names / "glass creak 0.wav")] * 4))
        peer = timed(lambda: list(pool.map(_straightforward, [str(path) for path in sorted(names.iterdir())])))
    return (
        "import 2 s, 48 kHz mono files, measured",
        "over 60 files/s, at least twice a plain loop",
        f"{300 / ours:.0f} files/s",
        f"librosa + pyloudnorm loop on two processes: {300 / peer:.0f} files/s",
        f"{peer / ours:.1f}x",
    )


def _design(folder: Path, rate: int = 48_000) -> tuple[Mix, dict[str, str]]:
    members, media = [], {}
    for k in range(5):
        path = folder / f"layer{k}.wav"
        files.write(path, take(6.5, rate, 1 + k % 2, 0.9, 20 + k)[: 3 * rate], rate, 24)
        node = source_of(path)
        media[node.audio] = str(path)
        members.append(Member(id=str(k), node=node, pitch_st=-2.0 * k, gain_db=-6.0))
    return Mix(members=tuple(members), chain=(Step(kind="limiter"),)), media


def bench_vary(folder: Path) -> Row:
    """32 variations of a five-layer 3 s design, rendered, measured, matched and guarded; the peer renders one without the cache of layers."""
    mix, media = _design(folder)
    studio = Studio(Home(folder / "home"))
    place = Workplace(str(studio.home.cache.folder), str(studio.peaks_folder), media)
    recipe = default_recipe(mix)
    list(studio.batch([(tasks.shape, place, mix.model_dump(mode="json"))] * 2))
    every = timed(lambda: take_draws(studio, place, mix, recipe, 7, 32))
    # two of its layers move: the other three are rendered once
    two = Recipe(freedoms=recipe.freedoms[:6])
    ours = timed(lambda: take_draws(studio, place, mix, two, 8, 32))
    studio.close()
    renderer = Renderer(lambda audio: Path(media[audio]), Cache(folder / "one"))
    renderer.audio(mix)
    moved = mix.model_copy(update={"members": (*mix.members[:4], mix.members[4].model_copy(update={"pitch_st": -9.0}))})
    again = timed(lambda: renderer.audio(moved))
    fresh = Renderer(lambda audio: Path(media[audio]), Cache(folder / "two"))
    anew = timed(lambda: fresh.audio(moved))
    return (
        "32 variations of a five-layer 3 s design",
        "under 5 s; an edit renders only its layer",
        f"{every:.1f} s where every layer moves, {ours:.1f} s where two do; one layer changed: {again * 1000:.0f} ms",
        f"the same edit with every layer rendered anew: {anew * 1000:.0f} ms",
        f"{anew / again:.1f}x",
    )


def bench_key_to_sound(folder: Path) -> Row:
    """First block from the playhead of 60 s at 96 kHz stereo through eight length-keeping steps, as the live worker gives it."""
    path = folder / "long.wav"
    files.write(path, take(60, 96_000, 2, 1.1), 96_000, 24)
    studio = Studio(Home(folder / "home"))
    library = studio.home.library(create=True)
    node = source_of(path)
    library.keep_media(node.audio, path, refer=True)
    steps = [
        Step(kind="high_pass"),
        Step(kind="low_pass"),
        *(Step(kind="band", params={"frequency_hz": hz, "gain_db": 2.0}) for hz in (120.0, 800.0, 3000.0)),
        Step(kind="width", params={"side_db": 2.0}),
        Step(kind="gain"),
        Step(kind="limiter"),
    ]
    first = []
    for k in range(9):
        # each of the eight is turned off in turn; the first press warms the worker up
        chain = tuple(step.model_copy(update={"on": False}) if i == k - 1 else step for i, step in enumerate(steps))
        fresh = Chained(node=node, chain=chain)

        def press(fresh: Chained = fresh, k: int = k) -> None:
            key, _ = studio.open(library, fresh)
            place = studio.place(library, fresh)
            studio.workers.live(tasks.block, place, fresh.model_dump(mode="json"), (20 + 3 * k) * 96_000, 11_520)
            assert key

        first.append(timed(press))
    studio.workers.live(tasks.whole, studio.place(library, fresh), fresh.model_dump(mode="json"))
    key, _ = studio.open(library, fresh)
    cached = statistics.median(timed(lambda k=k: studio.block(key, (5 + k) * 96_000, 11_520)) for k in range(20))
    layer = Chained(
        node=node, chain=(Step(kind="trim", params={"start_s": 1.0, "end_s": 4.0}), Step(kind="pitch", params={"semitones": -5.0, "mode": "keep length"}))
    )
    kept = timed(lambda: studio.workers.live(tasks.block, studio.place(library, layer), layer.model_dump(mode="json"), 0, 11_520))
    decode = timed(lambda: files.read(path))
    studio.close()
    now, slowest = statistics.median(first[1:]), max(first[1:])
    return (
        "any of eight steps toggled, to the first block from the playhead, 60 s, 96 kHz stereo",
        "under 120 ms, cached under 30 ms; length-kept 3 s layer under 400 ms",
        f"{now * 1000:.0f} ms, at most {slowest * 1000:.0f} ms; cached {cached * 1000:.1f} ms; length-kept layer {kept * 1000:.0f} ms",
        f"reading the whole file, no step at all: {decode * 1000:.0f} ms",
        f"{decode / now:.1f}x",
    )


def bench_noise(folder: Path) -> Row:
    """Noise reduction on 60 s mono 48 kHz; noisereduce on the same."""
    import noisereduce

    from oskren.core.steps import Context, kind_of

    samples = take(60, 48_000, 1, 0.9)
    kind, at = kind_of("noise_reduction"), Context(48_000, 1, len(samples))
    params = kind.params(parts=((0.0, 0.3),), reduction_db=12.0)

    def reduce() -> None:
        stream = kind.stream(params, kind.analyse(params, iter([samples]), at), at, 0)
        for here in range(0, len(samples), 65_536):
            stream.push(samples[here : here + 65_536])
        stream.flush()

    reduce()
    ours = timed(reduce)
    peer = timed(lambda: noisereduce.reduce_noise(y=samples[:, 0], sr=48_000, y_noise=samples[:14_400, 0], stationary=True, prop_decrease=0.75))
    return (
        "noise reduction, 60 s mono 48 kHz, one core",
        "over 50x real time",
        f"{60 / ours:.0f}x real time",
        f"noisereduce (stationary): {60 / peer:.0f}x",
        f"{peer / ours:.1f}x",
    )


ALL: dict[str, Callable[[Path], Row]] = {
    "ship": bench_ship,
    "slice": bench_slice,
    "import": bench_import,
    "vary": bench_vary,
    "key-to-sound": bench_key_to_sound,
    "noise": bench_noise,
}
