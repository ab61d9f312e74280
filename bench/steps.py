"""How fast steps run, beside general-purpose libraries on the same work; and crowding."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from bench.rows import Row, source_of, timed
from oskren.core.audio import files
from oskren.core.nodes import Cache, Member, Mix, Renderer
from oskren.core.stack.crowding import crowding
from oskren.core.steps import REGISTRY, Context
from oskren.core.steps.space import SpaceParams, response
from oskren.core.types import Samples

RATE, SECONDS = 48_000, 20.0
DESIGNING = ("compressor", "shaper", "drive", "crush", "delay", "chorus", "flanger", "phaser", "ring", "shift", "moving_filter", "tremolo", "auto_pan")
WHOLE = ("mirror", "lead_in", "grains", "hold", "smear")


def _noise() -> Samples:
    return (np.random.default_rng(3).standard_normal((round(SECONDS * RATE), 2)) * 0.1).astype(np.float32)


def _through(key: str, samples: Samples) -> None:
    kind, at = REGISTRY[key], Context(RATE, 2, len(samples))
    params = kind.params()
    if kind.whole:
        kind.run(params, samples, at)
        return
    stream = kind.stream(params, {}, at, 0)
    for begin in range(0, len(samples), 1 << 16):
        stream.push(samples[begin : begin + (1 << 16)])
    stream.flush()


def bench_steps(folder: Path) -> Row:
    """Every designing step on 20 s, 48 kHz stereo, in blocks; the same kind of step in pedalboard (compiled) where it has one."""
    import pedalboard

    samples = _noise()
    _through("compressor", samples[:RATE])  # compiled loops are loaded
    took = {key: timed(lambda key=key: _through(key, samples)) for key in DESIGNING}
    whole = {key: timed(lambda key=key: _through(key, samples)) for key in WHOLE}
    peers = {
        "compressor": pedalboard.Compressor(-18, 4, 10, 120),
        "chorus": pedalboard.Chorus(),
        "phaser": pedalboard.Phaser(),
        "delay": pedalboard.Delay(),
    }
    turned = np.ascontiguousarray(samples.T)
    theirs = {key: timed(lambda one=one: one(turned, RATE)) for key, one in peers.items()}
    # a limiter has work to do where it is loud
    loud, limiter = samples * 5, pedalboard.Limiter(-1, 80)
    took["limiter"], theirs["limiter"] = timed(lambda: _through("limiter", loud)), timed(lambda: limiter(np.ascontiguousarray(loud.T), RATE))
    slowest = max(took, key=took.__getitem__)
    slow = max(whole, key=whole.__getitem__)
    return (
        "steps that design, 20 s, 48 kHz stereo, one core",
        "over 20x real time",
        f"{len(took)} block by block: {SECONDS / max(took.values()):.0f}x ({slowest}) to {SECONDS / min(took.values()):.0f}x; "
        f"{len(whole)} on the whole: {SECONDS / max(whole.values()):.0f}x ({slow}) to {SECONDS / min(whole.values()):.0f}x",
        "pedalboard: " + ", ".join(f"{key} {SECONDS / value:.0f}x" for key, value in theirs.items()),
        "ours takes " + ", ".join(f"{took[key] / value:.1f}" for key, value in theirs.items()) + " times as long",
    )


def bench_space(folder: Path) -> Row:
    """A cathedral of 6.5 s on 20 s of stereo: its response made, then convolved block by block."""
    from scipy.signal import oaconvolve

    samples, params = _noise(), SpaceParams(decay_s=6.5, size_m=60.0)
    made = timed(lambda: response(params, RATE, 2))
    impulse = response(params, RATE, 2)
    kind, at = REGISTRY["space"], Context(RATE, 2, len(samples))

    def ours() -> None:
        stream = kind.stream(params, {}, at, 0)
        for begin in range(0, len(samples), 1 << 13):
            stream.push(samples[begin : begin + (1 << 13)])
        stream.flush()

    took = timed(ours)
    theirs = timed(lambda: oaconvolve(samples, impulse, axes=0))
    return (
        "a space of 6.5 s, 20 s, 48 kHz stereo, in blocks of 0.17 s",
        "over 20x real time",
        f"{SECONDS / took:.0f}x real time; its response in {1000 * made:.0f} ms",
        f"scipy oaconvolve, all at once: {SECONDS / theirs:.0f}x",
        f"{theirs / took:.1f}x",
    )


def bench_crowding(folder: Path) -> Row:
    """Which of five layers of 3 s crowd each other, with dips rendered and measured; then once more after one layer's gain changed."""
    random, media, members = np.random.default_rng(5), {}, []
    for k in range(5):
        path = folder / f"{k}.wav"
        files.write(path, (random.standard_normal((3 * RATE, 2)) * 0.05).astype(np.float32), RATE, 24)
        node = source_of(path)
        media[node.audio] = path
        members.append(Member(id=f"l{k}", node=node))
    renderer, mix = Renderer(lambda audio: media[audio], Cache(folder / "cache")), Mix(members=tuple(members))
    first = timed(lambda: crowding(renderer, mix))
    changed = mix.model_copy(update={"members": (members[0].model_copy(update={"gain_db": -3.0}), *members[1:])})
    again = timed(lambda: crowding(renderer, changed))
    return ("crowding of five layers, 3 s, dips measured", "", f"{1000 * first:.0f} ms; one layer changed {1000 * again:.0f} ms", "none", "")


ALL = {"steps": bench_steps, "space": bench_space, "crowding": bench_crowding}
