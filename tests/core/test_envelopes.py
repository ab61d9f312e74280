"""Envelopes: their curves, how they follow trims and pitch, and that blocks and the whole agree along them."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.envelope import Envelope, smoothed
from oskren.core.errors import OskrenError
from oskren.core.nodes import Member, Mix
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Chained, Step, check_chain
from oskren.core.steps.base import REGISTRY
from tests.support import RATE, InFolder, noise, sine

points = st.lists(st.tuples(st.floats(0.01, 0.6), st.floats(-30, 12)), min_size=1, max_size=10).map(
    lambda some: tuple((round(float(at), 4), value) for at, (_, value) in zip(np.cumsum([gap for gap, _ in some]), some, strict=True))
)


def moving(kind: str, control: str, *way: tuple[float, float], curve: str = "lines", **params: object) -> Step:
    return Step(kind=kind, params=params, envelopes=(Envelope(control=control, points=way, curve=curve),))  # type: ignore[arg-type]


class Curves(InFolder):
    def test_lines_eases_and_steps(self) -> None:
        at = np.array([-1.0, 0.0, 0.5, 1.0, 1.5, 2.0, 9.0])
        way = ((0.0, 0.0), (1.0, 10.0), (2.0, -10.0))
        self.assertEqual(Envelope(control="x", points=way).at(at).tolist(), [0, 0, 5, 10, 0, -10, -10])
        self.assertEqual(Envelope(control="x", points=way, curve="eased").at(at).round(9).tolist(), [0, 0, 5, 10, 0, -10, -10])
        self.assertEqual(Envelope(control="x", points=way, curve="steps").at(at).tolist(), [0, 0, 0, 10, 10, -10, -10])
        self.assertAlmostEqual(float(Envelope(control="x", points=way, curve="eased").at(np.array(0.25))), 10 * (1 - np.cos(np.pi / 4)) / 2)

    @given(points, st.sampled_from(["lines", "eased", "steps"]))
    def test_straight_pieces_follow_the_curve(self, way: tuple[tuple[float, float], ...], curve: str) -> None:
        envelope = Envelope(control="x", points=way, curve=curve)  # type: ignore[arg-type]
        times, values = envelope.straight()
        middle = np.linspace(way[0][0] - 0.1, way[-1][0] + 0.1, 500)
        middle = middle[np.abs(middle[:, None] - np.array([at for at, _ in way])[None]).min(axis=1) > 1e-4]
        np.testing.assert_allclose(np.interp(middle, times, values), envelope.at(middle), atol=0.15)

    def test_points_out_of_order_are_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "follow each other"):
            Envelope(control="gain_db", points=((1.0, 0.0), (0.5, 0.0)))

    @given(points, st.floats(0.05, 2))
    def test_smoothing_leaves_fewer_points_near_the_mean(self, way: tuple[tuple[float, float], ...], tolerance: float) -> None:
        found = smoothed(way, 0.02, tolerance)
        self.assertEqual((found[0][0], found[-1][0]), (round(way[0][0], 6), round(way[-1][0], 6)))
        low, high = min(value for _, value in way), max(value for _, value in way)
        self.assertTrue(all(low - 1e-3 <= value <= high + 1e-3 for _, value in found))

    def test_captured_jitter_becomes_a_line(self) -> None:
        random = np.random.default_rng(1)
        captured = tuple((round(0.01 * i, 3), 0.05 * i + 0.05 * random.standard_normal()) for i in range(200))
        self.assertLess(len(smoothed(captured, 0.1, 0.2)), 8)


class OnMembers(InFolder):
    def heard(self, **values: object) -> np.ndarray:
        mix = Mix(members=(Member(id="a", node=self.source(sine(400, 1.0, -6)), **values),))  # type: ignore[arg-type]
        return np.asarray(self.renderer.audio(mix)[0])

    def test_gain_moves_by_the_decibel_and_renders_nothing_again(self) -> None:
        plain = self.heard()
        renders = dict(self.renderer.renders)
        moved = self.heard(envelopes=(Envelope(control="gain_db", points=((0.0, 0.0), (1.0, -24.0))),))
        at = np.arange(RATE) / RATE
        np.testing.assert_allclose(moved, plain * 10 ** (-24 * at[:, None] / 20), atol=2e-6)
        self.assertEqual({kind: count for kind, count in self.renderer.renders.items() if kind != "mix"}, {k: v for k, v in renders.items() if k != "mix"})

    def test_pan_keeps_the_power(self) -> None:
        moved = self.heard(envelopes=(Envelope(control="pan", points=((0.0, -1.0), (1.0, 1.0))),))
        power = np.sum(moved.astype(np.float64) ** 2, axis=1).reshape(50, -1).mean(axis=1)
        np.testing.assert_allclose(power, np.full(50, power[0]), rtol=0.01)
        self.assertLess(np.abs(moved[:480, 1]).max(), 0.01)
        self.assertLess(np.abs(moved[-480:, 0]).max(), 0.01)

    def test_points_stay_on_the_sound_when_it_is_trimmed_reversed_and_pitched(self) -> None:
        """A dip at 0.7 s of the source lies where 0.7 s of the source is heard, whatever was done to it."""
        dip = (Envelope(control="gain_db", points=((0.68, 0.0), (0.7, -60.0), (0.72, 0.0))),)
        for values, where in (
            ({}, 0.7),
            ({"start_s": 0.5}, 0.2),
            ({"reverse": True}, 0.3),
            ({"pitch_st": -12.0}, 1.4),
            ({"pitch_st": -12.0, "start_s": 0.5, "reverse": True}, 0.6),
        ):
            out = np.abs(self.heard(envelopes=dip, **values)[:, 0])
            level = out[: len(out) // 480 * 480].reshape(-1, 480).max(axis=1)
            with self.subTest(values=values):
                self.assertAlmostEqual((int(np.argmin(level[5:-5])) + 5.5) * 480 / RATE, where, delta=0.025)

    def test_pitch_that_moves_by_varispeed_changes_the_length_and_the_anchor_moves_along(self) -> None:
        envelope = Envelope(control="pitch_st", points=((0.0, 0.0), (1.0, -12.0)))
        member = Member(id="a", node=self.source(sine(400, 1.0, -6)), anchor_s=0.5, envelopes=(envelope,))
        _, shape, start = self.renderer.placed(Mix(members=(member,)), member)
        self.assertEqual(shape.frames, round(RATE / np.log(2)))  # the integral of 2^s from 0 to 1
        self.assertAlmostEqual(-start / RATE, (2**0.5 - 1) / np.log(2), places=4)
        kept = member.model_copy(update={"keep_length": True})
        self.assertEqual(self.renderer.placed(Mix(members=(kept,)), kept)[1].frames, RATE)

    def test_an_envelope_that_is_off_or_empty_changes_nothing(self) -> None:
        source = self.source(noise(0.2))
        plain = Mix(members=(Member(node=source),))
        for envelope in (Envelope(control="gain_db"), Envelope(control="pitch_st", points=((0.0, 5.0),), on=False)):
            self.assertEqual(node_hash(Mix(members=(Member(node=source, envelopes=(envelope,)),))), node_hash(plain))
        self.assertNotEqual(node_hash(Mix(members=(Member(node=source, envelopes=(Envelope(control="pan", points=((0.0, 0.1),)),)),))), node_hash(plain))


WAYS = {
    ("gain", "gain_db"): ((0.1, 0.0), (0.9, -30.0)),
    ("width", "side_db"): ((0.0, -30.0), (1.0, 6.0)),
    ("width", "balance_db"): ((0.0, -6.0), (1.0, 6.0)),
    ("width", "mid_db"): ((0.0, -6.0), (1.0, 6.0)),
    ("high_pass", "cutoff_hz"): ((0.0, 40.0), (1.0, 4000.0)),
    ("low_pass", "cutoff_hz"): ((0.0, 12_000.0), (1.0, 200.0)),
    ("band", "frequency_hz"): ((0.0, 300.0), (1.0, 3000.0)),
    ("band", "gain_db"): ((0.0, -12.0), (1.0, 12.0)),
    ("band", "q"): ((0.0, 0.5), (1.0, 9.0)),
    ("space", "wet_db"): ((0.0, -60.0), (1.0, 0.0)),
    ("space", "dry_db"): ((0.0, 0.0), (1.0, -60.0)),
    ("compressor", "threshold_db"): ((0.0, -40.0), (1.0, -6.0)),
    ("compressor", "makeup_db"): ((0.0, 0.0), (1.0, 12.0)),
    ("compressor", "mix"): ((0.0, 0.0), (1.0, 1.0)),
    ("shaper", "attack_db"): ((0.0, -12.0), (1.0, 12.0)),
    ("shaper", "sustain_db"): ((0.0, -12.0), (1.0, 12.0)),
    ("shaper", "output_db"): ((0.0, -12.0), (1.0, 0.0)),
    ("drive", "drive_db"): ((0.0, 0.0), (1.0, 24.0)),
    ("drive", "output_db"): ((0.0, 0.0), (1.0, -12.0)),
    ("drive", "mix"): ((0.0, 0.0), (1.0, 1.0)),
    ("crush", "bits"): ((0.0, 12.0), (1.0, 2.0)),
    ("crush", "mix"): ((0.0, 0.0), (1.0, 1.0)),
    ("delay", "wet_db"): ((0.0, -60.0), (1.0, 0.0)),
    ("delay", "dry_db"): ((0.0, 0.0), (1.0, -60.0)),
    ("impulse", "wet_db"): ((0.0, -60.0), (1.0, 0.0)),
    ("impulse", "dry_db"): ((0.0, 0.0), (1.0, -60.0)),
    ("chorus", "rate_hz"): ((0.0, 0.2), (1.0, 8.0)),
    ("chorus", "mix"): ((0.0, 0.0), (1.0, 1.0)),
    ("flanger", "rate_hz"): ((0.0, 0.2), (1.0, 8.0)),
    ("flanger", "mix"): ((0.0, 0.0), (1.0, 1.0)),
    ("phaser", "rate_hz"): ((0.0, 0.2), (1.0, 8.0)),
    ("phaser", "mix"): ((0.0, 0.0), (1.0, 1.0)),
    ("ring", "frequency_hz"): ((0.0, 50.0), (1.0, 900.0)),
    ("ring", "mix"): ((0.0, 0.0), (1.0, 1.0)),
    ("shift", "shift_hz"): ((0.0, -200.0), (1.0, 300.0)),
    ("shift", "mix"): ((0.0, 0.0), (1.0, 1.0)),
    ("moving_filter", "cutoff_hz"): ((0.0, 200.0), (1.0, 6000.0)),
    ("moving_filter", "q"): ((0.0, 0.7), (1.0, 12.0)),
    ("moving_filter", "rate_hz"): ((0.0, 0.2), (1.0, 8.0)),
    ("moving_filter", "mix"): ((0.0, 0.0), (1.0, 1.0)),
    ("tremolo", "depth"): ((0.0, 0.0), (1.0, 1.0)),
    ("tremolo", "rate_hz"): ((0.0, 2.0), (1.0, 12.0)),
    ("auto_pan", "depth"): ((0.0, 0.0), (1.0, 1.0)),
    ("auto_pan", "rate_hz"): ((0.0, 0.3), (1.0, 4.0)),
    ("tilt", "tilt_db"): ((0.0, -9.0), (1.0, 9.0)),
}
SWINGING = {("moving_filter", "rate_hz"): {"swing_oct": 2.0}}
"""What must be set beside it for a moving parameter to be heard."""


class OnSteps(InFolder):
    def test_every_parameter_that_may_move_is_tried_here(self) -> None:
        said = {(key, control) for key, kind in REGISTRY.items() for control in kind.moving}
        self.assertEqual(said - {("pitch", "semitones")}, set(WAYS))

    def test_blocks_agree_with_the_whole_from_anywhere(self) -> None:
        source = self.source(noise(1.2, -20, channels=2))
        for (kind, control), way in WAYS.items():
            node = Chained(
                node=source,
                chain=(moving(kind, control, *way, **({"gain_db": 6.0} if kind == "band" and control != "gain_db" else SWINGING.get((kind, control), {}))),),
            )
            whole = np.concatenate(list(self.renderer.stream(node)))
            for start in (1, 20_011, 40_000):
                with self.subTest(kind=kind, control=control, start=start):
                    # another place than the cache: read from the middle as a playhead does
                    part = np.concatenate(list(self.renderer._compute(node, start)))
                    np.testing.assert_allclose(part, whole[start:], atol=3e-6)

    def test_a_flat_envelope_is_the_plain_parameter(self) -> None:
        source = self.source(noise(0.6, -20, channels=2))
        for (kind, control), way in WAYS.items():
            value = way[0][1]
            flat = Chained(node=source, chain=(moving(kind, control, (0.3, value)),))
            plain = Chained(node=source, chain=(Step(kind=kind, params={control: value}),))
            with self.subTest(kind=kind, control=control):
                np.testing.assert_allclose(self.renderer.audio(flat)[0], self.renderer.audio(plain)[0], atol=2e-6)

    def test_a_moving_cut_off_follows_its_envelope(self) -> None:
        """Two tones: the low one is taken away once the high-pass has moved over it, the high one stays."""
        source = self.source(sine(100, 2, -12) + sine(5000, 2, -12))
        out = np.asarray(self.renderer.audio(Chained(node=source, chain=(moving("high_pass", "cutoff_hz", (0.9, 20.0), (1.1, 800.0), slope="48"),)))[0])[:, 0]
        early, late = (np.abs(np.fft.rfft(part * np.hanning(len(part)))) for part in (out[9600:38_400], out[57_600:86_400]))
        bins = [round(hz * 28_800 / RATE) for hz in (100, 5000)]
        self.assertAlmostEqual(20 * np.log10(late[bins[1]] / early[bins[1]]), 0, delta=0.1)
        self.assertLess(20 * np.log10(late[bins[0]] / early[bins[0]]), -100)

    def test_moments_of_a_sums_chain_count_from_the_strike_line(self) -> None:
        """A swell on the sum at the strike line stays there when a layer is moved out before everything else."""
        source = self.source(sine(500, 2.0, -20))
        step = moving("gain", "gain_db", (-0.05, -60.0), (0.0, 0.0), (0.05, -60.0))
        for early in (0.0, -1.0):
            members = (Member(id="a", node=source, anchor_s=1.0), Member(id="b", node=source, anchor_s=0.0, at_s=early - 1.5, gain_db=-96))
            mix = Mix(members=members, chain=(step,))
            audio = np.abs(np.asarray(self.renderer.audio(mix)[0])[:, 0])
            zero = self.renderer.output_shape(mix).zero
            level = audio[: len(audio) // 96 * 96].reshape(-1, 96).max(axis=1)
            self.assertAlmostEqual(int(np.argmax(level)) * 96, zero, delta=200)

    def test_what_cannot_move_is_refused_in_a_sentence(self) -> None:
        with self.assertRaisesRegex(OskrenError, "Ceiling limiter: ceiling_dbtp cannot follow an envelope"):
            check_chain([moving("limiter", "ceiling_dbtp", (0.0, -1.0))])

    @settings(max_examples=15, deadline=None)
    @given(points)
    def test_gain_along_any_envelope_is_the_input_times_it(self, way: tuple[tuple[float, float], ...]) -> None:
        samples = noise(0.5, -20)
        out = np.asarray(self.renderer.audio(Chained(node=self.source(samples), chain=(moving("gain", "gain_db", *way),)))[0])
        gain = 10 ** (np.interp(np.arange(len(samples)) / RATE, *zip(*way, strict=True)) / 20)
        np.testing.assert_allclose(out, samples * gain[:, None], rtol=1e-5, atol=1e-7)
