"""What every step of the registry must keep to, whatever it does: a new step is held to all of it by being there."""

import tracemalloc
import unittest
from itertools import pairwise
from typing import Any

import numpy as np

from oskren.core.audio.resample import fit
from oskren.core.controls import controls_of
from oskren.core.errors import OskrenError
from oskren.core.nodes import Cache, Chained, Renderer, Step
from oskren.core.steps import REGISTRY, Context, StepKind
from tests.core.test_steps import through
from tests.support import RATE, InFolder, noise

PARAMS = {
    "fade": {"in_s": 0.2, "out_s": 0.3},
    "gain": {"gain_db": 3.0},
    "pitch": {"semitones": -5.0, "mode": "keep length"},
    "noise_reduction": {"start_s": 0.0, "end_s": 0.4},
    "trim": {"start_s": 0.3, "end_s": 1.7},
    "rate": {"rate": 44_100},
    "limiter": {"ceiling_dbtp": -12.0},
    "width": {"side_db": 4.0, "balance_db": 1.0},
    "band": {"kind": "notch", "frequency_hz": 50.0, "q": 20.0},
    "space": {"decay_s": 0.3, "pre_delay_ms": 3.0},
    "normalise": {"peak_dbfs": -3.0},
}
"""Settings with which a step does something that can be seen."""

NULLS: dict[str, tuple[dict[str, Any], float]] = {
    "compressor": ({"ratio": 1.0}, 1e-7),
    "shaper": ({"attack_db": 0.0}, 1e-7),
    "delay": ({"wet_db": -60.0}, 2e-3),
    "chorus": ({"mix": 0.0}, 1e-7),
    "flanger": ({"mix": 0.0}, 1e-7),
    "drive": ({"mix": 0.0}, 1e-7),
    "crush": ({"mix": 0.0}, 1e-7),
    "limiter": ({"ceiling_dbtp": 0.0}, 1e-7),
    "gate": ({"range_db": 0.0}, 1e-7),
    "fade": ({}, 0.0),
    "trim": ({}, 0.0),
    "band": ({"gain_db": 0.0}, 1e-6),
    "tilt": ({}, 1e-6),
    "space": ({"wet_db": -60.0}, 2e-3),
    "impulse": ({"wet_db": -60.0}, 2e-3),
    "grains": ({"stretch": 1.0, "scatter_ms": 0.0}, 1e-5),
    "smear": ({"mix": 0.0}, 1e-7),
    "gain": ({}, 0.0),
    "width": ({}, 1e-7),
    "even": ({"share": 0.0}, 1e-7),
    "layout": ({"layout": "stereo"}, 0.0),
    "loop_seam": ({}, 0.0),
    "ring": ({"mix": 0.0}, 1e-7),
    "shift": ({"mix": 0.0}, 1e-7),
    "phaser": ({"mix": 0.0}, 1e-7),
    "moving_filter": ({"mix": 0.0}, 1e-7),
    "tremolo": ({"depth": 0.0}, 1e-7),
    "auto_pan": ({"depth": 0.0}, 1e-6),
    "noise_reduction": ({"reduction_db": 0.0, "parts": [[0.0, 0.4]]}, 1e-5),
    "pitch": ({}, 0.0),
    "rate": ({"rate": RATE}, 0.0),
    "hum": ({}, 1e-7),
    "clicks": ({}, 1e-7),
    "clipped": ({}, 1e-7),
    "bumps": ({}, 1e-7),
    "room_reduction": ({"reduction_db": 0.0}, 1e-5),
    "plugin": ({}, 0.0),
}
"""Settings with which a step must leave a sound as it is, and how closely."""

NEVER = {"level to", "reverse", "high_pass", "low_pass", "mono_below", "normalise", "mono", "one_channel", "dc", "mirror", "lead_in", "hold", "headphones"}
"""Steps that have no such setting: what they do is held to other truths."""


class Contract(InFolder):
    def setUp(self) -> None:
        super().setUp()
        samples = noise(2.1, -18, channels=2)
        samples[:, 1] *= 0.5
        self.node = self.source(samples)

    def test_every_step_states_its_facts(self) -> None:
        for key, kind in REGISTRY.items():
            at = Context(RATE, 2, 1000)
            params = kind.params()
            with self.subTest(step=key):
                self.assertTrue(kind.label and kind.family and kind.__doc__)
                self.assertGreaterEqual(kind.out_frames(params, at), 1)
                self.assertGreaterEqual(kind.lead(params, at), 0)

    def test_every_step_from_any_position(self) -> None:
        for key in REGISTRY:
            node = Chained(node=self.node, chain=(Step(kind=key, params=PARAMS.get(key, {})),))
            whole = np.asarray(self.renderer.audio(node)[0])
            fresh = Renderer(lambda audio: self.media[audio], Cache(self.folder / f"cache {key}"))
            with self.subTest(step=key):
                self.assertEqual(len(whole), self.renderer.output_shape(node).frames)
                for start in (0, 1, 30_011, 77_777):
                    part = fresh.read(node, start, 9001)
                    np.testing.assert_allclose(part, whole[start : start + 9001], atol=1e-6)

    def test_random_chains_from_random_positions(self) -> None:
        """Chains of three steps, one number of each anywhere in its usual range: cold reads anywhere equal the whole."""
        random = np.random.default_rng(20)
        keys = [key for key in REGISTRY if key not in ("plugin", "noise_reduction")]

        def step(key: str) -> Step:
            numbers = [
                one
                for one in controls_of(REGISTRY[key].params, REGISTRY[key].moving)
                if one.control == "number" and one.low is not None and one.high is not None
            ]
            moved = {}
            if numbers:
                one = numbers[random.integers(len(numbers))]
                low, high = one.usual or (one.low, one.high)
                value = random.uniform(low, high)
                moved = {one.name: round(value) if isinstance(one.default, int) else float(value)}
            try:
                REGISTRY[key].params(**{**PARAMS.get(key, {}), **moved})
            except ValueError:
                moved = {}
            return Step(kind=key, params={**PARAMS.get(key, {}), **moved})

        heard = 0
        for number in range(26):
            chain = tuple(step(keys[place]) for place in random.choice(len(keys), 3, replace=False))
            node = Chained(node=self.node, chain=chain)
            if self.renderer.output_shape(node).frames > 6 * RATE:
                continue
            with self.subTest(chain=[(one.kind, one.params) for one in chain]):
                whole = np.asarray(self.renderer.audio(node)[0])
                fresh = Renderer(lambda audio: self.media[audio], Cache(self.folder / f"chain {number}"))
                for _ in range(3):
                    first, frames = int(random.integers(len(whole))), int(random.integers(1, 30_000))
                    part = fresh.read(node, first, frames)
                    wanted = whole[first : first + frames]
                    np.testing.assert_allclose(part[: len(wanted)], wanted, atol=1e-5 * max(1.0, float(np.abs(whole).max())))
                heard += 1
        self.assertGreater(heard, 15)

    def test_every_stream_in_uneven_blocks(self) -> None:
        samples = noise(1.0, -12, channels=2, seed=4)
        for key, kind in REGISTRY.items():
            if kind.whole:
                continue
            at = Context(RATE, 2, len(samples))
            params = kind.params(**PARAMS.get(key, {}))
            summary = kind.analyse(params, iter([samples]), at) if kind.analyses else {}

            def run(sizes: list[int], kind=kind, params=params, summary=summary, at=at) -> np.ndarray:
                stream, out, here = kind.stream(params, summary, at, 0), [], 0
                for size in sizes:
                    out.append(stream.push(samples[here : here + size]))
                    here += size
                return np.concatenate([*out, stream.flush()])

            with self.subTest(step=key):
                np.testing.assert_allclose(run([1, 63, 5000, 17, 40_000, 2919]), run([len(samples)]), atol=1e-6)

    def test_what_a_whole_step_passes_on_in_blocks_is_what_it_gives_at_once(self) -> None:
        samples = noise(1.1, -12, channels=2, seed=5)
        at = Context(RATE, 2, len(samples))
        cases = (("rate", {"rate": 44_100}), ("rate", {"rate": 96_000}), ("rate", {"rate": RATE}))
        speeds = tuple(("pitch", {"semitones": semitones}) for semitones in (-24.0, -5.0, 0.0, 7.3))
        for key, values in cases + speeds:
            kind = REGISTRY[key]
            params = kind.params(**values)
            edges = [0, 1, 64, 64, 5064, 5081, 45_081, len(samples)]
            with self.subTest(step=key, **values):
                passing = kind.passes(params, (samples[a:b] for a, b in pairwise(edges)), at)
                assert passing is not None
                made = fit(np.concatenate(list(passing)), kind.out_frames(params, at))
                np.testing.assert_array_equal(made, kind.run(params, samples, at))
        others = {key for key, kind in REGISTRY.items() if kind.passes(kind.params(**PARAMS.get(key, {})), iter([samples]), at) is not None}
        self.assertEqual(others, {"rate"}, "a step that passes blocks on belongs among the cases")

    def test_a_long_sound_is_converted_without_holding_it(self) -> None:
        long = self.source(np.tile(noise(1.0, -18, channels=2), (60, 1)), name="long.wav")
        for step in (Step(kind="rate", params={"rate": 44_100}), Step(kind="pitch", params={"semitones": -2.0})):
            with self.subTest(step=step.kind):
                tracemalloc.start()
                try:
                    audio, _ = self.renderer.audio(Chained(node=long, chain=(step,)))
                    most = tracemalloc.get_traced_memory()[1]
                finally:
                    tracemalloc.stop()
                self.assertGreater(audio.nbytes, 20_000_000)
                self.assertLess(most, 6_000_000)

    def test_every_step_takes_mono_and_a_wide_sum(self) -> None:
        """One or six channels go through every step and come out as many as it says, each heard."""
        for channels in (1, 6):
            samples = noise(0.7, -18, channels=channels, seed=channels)
            source = self.source(samples, name=f"{channels}.wav")
            for key in REGISTRY:
                node = Chained(node=source, chain=(Step(kind=key, params=PARAMS.get(key, {})),))
                with self.subTest(step=key, channels=channels):
                    shape, out = self.renderer.output_shape(node), np.asarray(self.renderer.audio(node)[0])
                    self.assertEqual(out.shape, (shape.frames, shape.channels))
                    self.assertTrue(np.isfinite(out).all())
                    self.assertTrue((np.abs(out).max(axis=0) > 0).all())

    def test_every_step_that_keeps_time_can_be_limited(self) -> None:
        dry = np.asarray(self.renderer.audio(self.node)[0])
        for key, kind in REGISTRY.items():
            if not kind.keeps_time or kind.out_channels(kind.params(), 2) != 2:
                continue
            params = {"noise_reduction": {"parts": [[0.0, 0.4]]}, "gain": {"gain_db": 6.0}, "width": {"side_db": 6.0}}.get(key, {})
            out = np.asarray(self.renderer.audio(Chained(node=self.node, chain=(Step(kind=key, params=params, start_s=1.0, end_s=1.5),)))[0])
            with self.subTest(step=key):
                np.testing.assert_allclose(out[: round(0.99 * RATE)], dry[: round(0.99 * RATE)], atol=1e-7)
                np.testing.assert_allclose(out[round(1.51 * RATE) :][: RATE // 4], dry[round(1.51 * RATE) :][: RATE // 4], atol=1e-7)

    def test_every_step_at_both_ends_of_every_range(self) -> None:
        """Finite, no wild level and as long as stated: noise, a click, silence, a constant, a square and one frame; many channels at 192 kHz."""
        random, frames = np.random.default_rng(6), 9600
        click = np.zeros((frames, 1), np.float32)
        click[frames // 3] = 1.0
        sounds = {
            "noise": (random.standard_normal((frames, 1)) * 0.1).astype(np.float32),
            "click": click,
            "silence": np.zeros((frames, 1), np.float32),
            "constant": np.full((frames, 1), 0.3, np.float32),
            "square": 0.5 * np.sign(np.sin(np.arange(frames) * 0.05))[:, None].astype(np.float32),
            "one frame": np.full((1, 1), 0.5, np.float32),
        }
        for key, kind in REGISTRY.items():
            ends = [{control.name: end} for control in controls_of(kind.params, kind.moving) for end in (control.low, control.high) if end is not None]
            cases = [(RATE, samples, params, name) for params in [{}, *ends] for name, samples in sounds.items()]
            cases.append((192_000, (random.standard_normal((19_200, 8)) * 0.1).astype(np.float32), {}, "wide"))
            for rate, samples, params, name in cases:
                with self.subTest(step=key, sound=name, **params):
                    if key == "noise_reduction" and name in ("silence", "one frame"):
                        with self.assertRaisesRegex(OskrenError, "No quiet part"):
                            self.holds(kind, params, samples, rate)
                    else:
                        self.assertTrue(self.holds(kind, params, samples, rate))

    def holds(self, kind: StepKind, params: dict[str, Any], samples: np.ndarray, rate: int) -> bool:
        at, values = Context(rate, samples.shape[1], len(samples)), kind.params(**params)
        if kind.whole:
            out = kind.run(values, samples, at)
        else:
            summary = kind.analyse(values, iter([samples]), at) if kind.analyses else {}
            stream = kind.stream(values, summary, at, kind.skip(values, at))
            out = np.concatenate([stream.push(samples[kind.skip(values, at) :]), stream.flush()])
        return bool(np.isfinite(out).all() and np.abs(out).max(initial=0.0) < 300 and len(out) >= min(len(samples), kind.out_frames(values, at)))

    def test_a_sound_of_one_frame_passes_every_step(self) -> None:
        one = np.full((1, 2), 0.25, np.float32)
        for key in REGISTRY:
            if key == "noise_reduction":
                continue
            with self.subTest(step=key):
                self.assertTrue(np.isfinite(through(key, one)).all())

    def test_no_frames_pass_every_stream(self) -> None:
        for key, kind in REGISTRY.items():
            if kind.whole or kind.analyses:
                continue
            stream = kind.stream(kind.params(), {}, Context(RATE, 2, 1000), 0)
            with self.subTest(step=key):
                self.assertEqual(len(stream.push(np.zeros((0, 2), np.float32))), 0)

    def test_every_step_set_to_nothing_does_nothing(self) -> None:
        samples = noise(1.0, -24, channels=2)
        self.assertEqual(set(NULLS) | NEVER, set(REGISTRY))
        for key, (params, close) in NULLS.items():
            out = through(key, samples, **params)
            with self.subTest(step=key):
                np.testing.assert_allclose(out[: len(samples)], samples, atol=close)
                self.assertLess(float(np.abs(out[len(samples) :]).max(initial=0.0)), 2e-3)


if __name__ == "__main__":
    unittest.main()
