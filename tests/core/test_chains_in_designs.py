"""Chains where they stand: what goes through the chain of a layer, a group or the sum; what is passed over; the demo's chains on sounds."""

import unittest

import numpy as np

from oskren.core.errors import OskrenError
from oskren.core.nodes.blocks import Reader, cut, pumped, skip_frames
from oskren.core.nodes.chains import chain_in, passed_over
from oskren.core.nodes.model import Chained, Group, Member, Mix, Step
from oskren.core.steps.base import Simple
from oskren.demo.chains import chains
from tests.support import RATE, InFolder, noise, struck


class Blocks(unittest.TestCase):
    def blocks(self) -> list[np.ndarray]:
        return [np.full((size, 1), k, np.float32) for k, size in enumerate((3, 1, 5))]

    def test_exact_counts_with_silence_after_the_end(self) -> None:
        reader = Reader(iter(self.blocks()), 1)
        self.assertEqual(reader.take(4)[:, 0].tolist(), [0, 0, 0, 1])
        self.assertEqual(reader.take(7)[:, 0].tolist(), [2, 2, 2, 2, 2, 0, 0])
        self.assertEqual(reader.take(2)[:, 0].tolist(), [0, 0])

    def test_skipped_cut_and_filled(self) -> None:
        left = np.concatenate(list(skip_frames(iter(self.blocks()), 4)))
        self.assertEqual(left[:, 0].tolist(), [2] * 5)
        for frames in (0, 2, 9, 12):
            given = list(cut(iter(self.blocks()), frames))
            joined = np.concatenate(given) if given else np.zeros((0, 1))
            self.assertEqual(len(joined), frames)
            self.assertEqual(float(np.abs(joined[9:]).max(initial=0.0)), 0.0)

    def test_what_a_stream_gives_at_the_end_is_given_too(self) -> None:
        class Late(Simple):
            def flush(self) -> np.ndarray:
                return np.ones((2, 1), np.float32)

        out = np.concatenate(list(pumped(Late(lambda block: block * 2, 1), iter(self.blocks()))))
        self.assertEqual(out[:, 0].tolist(), [0, 0, 0, 2, 4, 4, 4, 4, 4, 1, 1])


class Whose(InFolder):
    def mix(self) -> Mix:
        gain = Step(kind="gain", params={"gain_db": -6.0})
        member = Member(id="a", node=self.source(noise(0.4, -20)), group="g", start_s=0.1, pitch_st=-12.0, chain=(gain.model_copy(update={"id": "own"}),))
        return Mix(members=(member,), groups=(Group(id="g", chain=(gain.model_copy(update={"id": "all"}),)),), chain=(gain.model_copy(update={"id": "sum"}),))

    def test_every_chain_is_found_with_what_goes_through_it(self) -> None:
        mix = self.mix()
        for number, own, kinds in (("a", {"own"}, ["trim", "pitch", "gain"]), ("g", {"all"}, ["gain"]), ("", {"sum"}, ["gain"])):
            node, ids = chain_in(mix, number)
            with self.subTest(of=number):
                self.assertEqual((ids, [step.kind for step in node.chain]), (own, kinds))
        with self.assertRaisesRegex(OskrenError, "not in the design any more"):
            chain_in(mix, "gone")

    def test_the_chain_of_the_sum_gives_what_the_sum_is(self) -> None:
        mix = self.mix()
        node, _ = chain_in(mix, "")
        np.testing.assert_array_equal(self.renderer.read(node, 0, 10**6), self.renderer.read(mix, 0, 10**6))

    def test_what_is_passed_over_is_said_wherever_it_stands_and_once(self) -> None:
        unknown = Step(kind="from later", params={})
        mix = self.mix()
        mix = mix.model_copy(update={"chain": (*mix.chain, unknown), "groups": (mix.groups[0].model_copy(update={"chain": (unknown,)}),)})
        self.assertEqual(passed_over(Chained(node=mix, chain=(unknown,))), ["Steps called from later are not known to this version."])
        off = unknown.model_copy(update={"on": False})
        self.assertEqual(passed_over(Chained(node=self.mix(), chain=(off,))), [])
        np.testing.assert_array_equal(self.renderer.read(mix.model_copy(update={"chain": self.mix().chain}), 0, 99).shape, (99, 2))


class OfTheDemo(InFolder):
    def test_every_chain_makes_a_sound_of_a_sound(self) -> None:
        """On a knock and on a wider bed: heard, finite, changed, and not out of hand (within 24 dB of what went in)."""
        response = self.source(struck(0.3, 0.05), name="response.wav")
        knock, bed = self.source(struck(0.6, 0.1), name="knock.wav"), self.source(noise(1.5, -24, channels=2), name="bed.wav")
        for name, _, chain in chains(response, response):
            for source in (knock, bed):
                with self.subTest(chain=name, channels=source.channels):
                    dry, out = self.renderer.read(source, 0, 10**7), self.renderer.read(Chained(node=source, chain=chain), 0, 10**7)
                    self.assertTrue(np.isfinite(out).all())
                    change = 20 * np.log10(float(np.abs(out).max()) / float(np.abs(dry).max()))
                    self.assertLess(abs(change), 24.0)
                    same = min(len(dry), len(out))
                    self.assertGreater(float(np.abs(out[:same, 0] - dry[:same, 0]).max()), 1e-3)

    def test_levels_do_not_hang_on_the_rate(self) -> None:
        """The same knock at three rates through each of the spaces' neighbours comes out as loud, within 2 dB."""
        for key in ("drive", "compressor", "space", "delay", "moving_filter", "smear"):
            levels = []
            for rate in (44_100, RATE, 96_000):
                source = self.source(np.repeat(struck(0.4, 0.05, rate=rate), 1, axis=1), rate, f"{key} {rate}.wav")
                out = self.renderer.read(Chained(node=source, chain=(Step(kind="low_pass", params={"cutoff_hz": 8000.0}), Step(kind=key))), 0, 10**7)
                levels.append(10 * np.log10(float((out.astype(np.float64) ** 2).sum()) / rate))
            with self.subTest(step=key):
                self.assertLess(max(levels) - min(levels), 4.5)  # white noise at 96 kHz has 3 dB less of it below 8 kHz
