"""Long sounds heard by estimates: close to what is measured later, kept nowhere, and refused where only all of the sound says."""

import unittest
from typing import Any

import numpy as np

from oskren.core.measure.levels import db, rms
from oskren.core.measure.loudness import loudness
from oskren.core.nodes import Cache, Chained, Node, Row, Step
from oskren.core.nodes.glance import LONG_S, Glance, parts_of
from oskren.core.nodes.model import Excerpt, Loop, Member, Mix
from oskren.core.steps import REGISTRY
from oskren.core.steps.base import GLANCED_PARTS, GLANCED_S, Context, Summary, spread
from oskren.core.types import Samples
from tests.support import InFolder, noise, struck

RATE = 8000
SECONDS = LONG_S + 8.0
CHAIN = (Step(kind="noise_reduction"), Step(kind="even"), Step(kind="dc"), Step(kind="normalise", params={"peak_dbfs": -6.0}))


def take(seconds: float = SECONDS) -> Samples:
    """A hit every half second over a steady floor, the right side quieter, all of it off centre."""
    out = noise(seconds, -58, RATE, channels=2)
    hit = struck(0.3, 0.05, seed=2, rate=RATE)
    for at in np.arange(0.1, seconds - 0.5, 0.5):
        first = round(at * RATE)
        out[first : first + len(hit)] += hit * np.array([1.0, 0.5], np.float32)
    return np.asarray(out + np.float32(0.02))


class Glancing(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.node = self.source(take(), RATE)
        self.learned: dict[str, Summary] = {}

    def glance(self) -> Glance:
        return Glance(lambda audio: self.media[audio], Cache(self.folder / "cache"), self.learned)

    def chained(self, *steps: Step, node: Node | None = None) -> Chained:
        return Chained(node=node or self.node, chain=steps)

    def kept(self) -> list[str]:
        """What the cache holds on disk."""
        return [path.name for path in (self.folder / "cache").rglob("*.*")]

    def test_it_is_close_to_what_is_measured_and_kept_nowhere(self) -> None:
        chained = self.chained(*CHAIN)
        self.assertTrue(self.glance().will_do(chained))
        about = self.glance().read(chained, 3 * RATE, 10 * RATE)
        self.assertEqual(self.kept(), [])
        self.assertEqual(len(self.learned), len(CHAIN))
        exact = self.renderer.read(chained, 3 * RATE, 10 * RATE)
        self.assertLess(abs(db(rms(about)) - db(rms(exact))), 1.0)
        for lane in range(2):
            self.assertLess(abs(db(rms(about[:, lane])) - db(rms(exact[:, lane]))), 1.0)

    def test_once_it_is_measured_nothing_is_estimated(self) -> None:
        chained = self.chained(*CHAIN)
        self.renderer.read(chained, 0, 1)
        self.assertFalse(self.glance().will_do(chained))
        np.testing.assert_array_equal(self.glance().read(chained, RATE, RATE), self.renderer.read(chained, RATE, RATE))
        self.assertEqual(self.learned, {})

    def test_estimates_are_those_of_the_parts_looked_at(self) -> None:
        """Normalise brings the highest peak of these parts to its level: no more is known then."""
        step = Step(kind="normalise", params={"peak_dbfs": -6.0})
        looking = self.glance()
        parts = np.concatenate(list(spread(lambda start, frames: looking.read(self.node, start, frames), Context(RATE, 2, self.node.frames))))
        self.assertEqual(len(parts), round(GLANCED_PARTS * GLANCED_S * RATE))
        np.testing.assert_allclose(looking.read(self.chained(step), 0, RATE), take()[:RATE] * (10 ** (-6 / 20) / np.abs(parts).max()), rtol=1e-4, atol=1e-6)

    def test_parts_spread_over_all_of_it_from_first_to_last(self) -> None:
        asked: list[tuple[int, int]] = []

        def read(start: int, frames: int) -> Samples:
            asked.append((start, frames))
            return np.zeros((frames, 1), np.float32)

        for frames in (round(0.3 * RATE), round(SECONDS * RATE)):
            asked.clear()
            list(spread(read, Context(RATE, 1, frames)))
            self.assertTrue(all(start >= 0 and start + count <= frames for start, count in asked))
        steps = np.diff([start for start, _ in asked])
        self.assertLess(np.ptp(steps), 2)

    def test_marked_parts_are_where_the_noise_is_learned(self) -> None:
        quiet = take()
        quiet[: 2 * RATE] = noise(2.0, -40, RATE, channels=2)
        node = self.source(quiet, RATE, "marked.wav")
        step = Step(kind="noise_reduction", params={"parts": ((0.2, 1.8),)})
        self.glance().read(self.chained(step, node=node), 0, RATE)
        [about] = self.learned.values()
        exact = self.renderer.summary(self.chained(step, node=node))
        np.testing.assert_allclose(about["profile"], exact["profile"])
        np.testing.assert_allclose(about["parts"], exact["parts"])

    def test_single_places_are_heard_as_they_are(self) -> None:
        for kind in ("clicks", "bumps", "clipped"):
            with self.subTest(kind=kind):
                chained = self.chained(Step(kind=kind))
                self.assertTrue(self.glance().will_do(chained))
                np.testing.assert_allclose(self.glance().read(chained, RATE, RATE), take()[RATE : 2 * RATE], atol=1e-6)

    def test_hum_is_found_in_one_stretch(self) -> None:
        time = np.arange(round(SECONDS * RATE)) / RATE
        hum = sum(np.sin(2 * np.pi * 50.02 * k * time) / k for k in range(1, 6))
        node = self.source((take() + 0.05 * np.asarray(hum)[:, None]).astype(np.float32), RATE, "hum.wav")
        self.glance().read(self.chained(Step(kind="hum"), node=node), 0, 1)
        [about] = self.learned.values()
        self.assertAlmostEqual(float(about["frequency"]), 50.02, delta=0.1)

    def test_where_it_is_refused(self) -> None:
        short = self.source(take(LONG_S - 1), RATE, "short.wav")
        other = self.source(take(3.0), RATE, "other.wav")
        even = Step(kind="even")
        refused: dict[str, Node] = {
            "a short sound": self.chained(even, node=short),
            "nothing to measure": self.chained(Step(kind="gain")),
            "a step that needs the whole sound": self.chained(even, Step(kind="reverse")),
            "the same before it": self.chained(Step(kind="reverse"), even),
            "a step that follows from beginning to end": self.chained(Step(kind="gate")),
            "learned elsewhere, following here": self.chained(Step(kind="noise_reduction", params={"follow": "slowly"}, learned_on=other)),
            "a design": Mix(members=(Member(node=self.node, chain=(even,)),)),
        }
        for name, node in refused.items():
            with self.subTest(name):
                self.assertFalse(self.glance().will_do(node))
                self.assertEqual(self.renderer.needs_whole(node), name != "nothing to measure")

    def test_it_reaches_into_what_a_sound_is_made_of(self) -> None:
        inner = self.chained(Step(kind="even"))
        nested: dict[str, Node] = {
            "a row": Row(nodes=(inner, self.node)),
            "an excerpt": Excerpt(node=inner, start_s=1.0, end_s=3.0),
            "a loop": Loop(node=inner, start_s=1.0, end_s=3.0, length_s=30.0, crossfade_s=0.1),
            "a chain over a chain": self.chained(Step(kind="gain"), node=inner),
        }
        for name, node in nested.items():
            with self.subTest(name):
                self.assertTrue(self.glance().will_do(node))
                self.assertGreater(rms(self.glance().read(node, 0, RATE)), 0)
        self.assertEqual(self.kept(), [])

    def test_levels_of_parts_stand_for_those_of_all(self) -> None:
        for chain in ((), CHAIN, (Step(kind="high_pass"), Step(kind="drive"))):
            chained = self.chained(*chain)
            about = loudness(parts_of(self.glance(), chained), RATE).integrated_lufs
            exact = loudness(np.asarray(self.renderer.audio(chained)[0]), RATE).integrated_lufs
            assert about is not None and exact is not None
            self.assertAlmostEqual(about, exact, delta=1.0)

    def test_every_step_that_learns_estimates_or_says_that_it_cannot(self) -> None:
        """No kind is left to a default nobody thought of."""
        at = Context(RATE, 2, self.node.frames)
        looking = self.glance()

        def read(start: int, frames: int) -> Samples:
            return looking.read(self.node, start, frames)

        never = {key for key, kind in REGISTRY.items() if kind.analyses and not kind.beside and kind.glance(kind.params(), read, at) is None}
        self.assertEqual(never, {"gate"})

    def test_a_stream_goes_on_as_it_would_at_once(self) -> None:
        """Whatever is asked for first, the same samples come: a playhead may be put anywhere."""
        chained: Any = self.chained(*CHAIN)
        once = self.glance().read(chained, 0, 6 * RATE)
        np.testing.assert_allclose(self.glance().read(chained, 4 * RATE, RATE), once[4 * RATE : 5 * RATE], atol=2e-5)


if __name__ == "__main__":
    unittest.main()
