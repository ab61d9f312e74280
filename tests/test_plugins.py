"""Plug-ins: one built for the tests (``make .stamps/plugin``) is opened, set, rendered; it crashes, hangs and goes missing on purpose."""

import os
import pickle
import shutil
from pathlib import Path
from unittest import mock

import numpy as np

from oskren.core.errors import OskrenError
from oskren.core.nodes.chains import passed_over
from oskren.core.nodes.digest import digest_of, node_hash
from oskren.core.nodes.model import Chained, Member, Mix, Step, active
from oskren.core.nodes.render import Renderer
from oskren.core.plugins import outside, shelf
from oskren.core.plugins.outside import PluginError
from oskren.core.ship.items import Item
from oskren.core.ship.target import Target
from oskren.core.ship.write import render_file
from oskren.work.engine.workers import patiently
from tests.support import InFolder, noise

TINY = Path(__file__).parents[1] / ".stamps" / "Tiny.vst3"


class OnTheShelf(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.assertTrue(TINY.exists(), "the tests' plug-in is built by make .stamps/plugin")
        holder = mock.patch.dict(os.environ, {shelf.VARIABLE: str(self.folder / "plugins.json")})
        holder.start()
        self.addCleanup(holder.stop)
        self.path = self.folder / "Tiny.vst3"
        shutil.copytree(TINY, self.path)
        (self.tiny,) = outside.open_file(self.path)

    def step(self, **values: float) -> Step:
        return Step(kind="plugin", id="own", params={"plugin": self.tiny.key, "state": self.tiny.state, "values": values})


class Opening(OnTheShelf):
    def test_what_a_file_holds(self) -> None:
        self.assertEqual((self.tiny.name, self.tiny.maker), ("Tiny gain", "Saltglass Observatory"))
        self.assertEqual([(one.name, one.label, one.default) for one in self.tiny.parameters], [("gain", "Gain", 0.5), ("mishap", "Mishap", 0.0)])
        self.assertEqual(shelf.plugins()[self.tiny.key], self.tiny)
        self.assertTrue(self.tiny.state)

    def test_what_is_no_plug_in_is_refused_in_one_sentence(self) -> None:
        (self.folder / "text.vst3").write_text("not a plug-in")
        (self.folder / "empty.vst3").mkdir()
        (self.folder / "sound.wav").write_bytes(b"")
        for name, said in (
            ("text.vst3", "cannot be opened as a plug-in"),
            ("empty.vst3", "cannot be opened|holds no"),
            ("sound.wav", r"no \.vst3"),
            ("no", "nothing"),
        ):
            with self.subTest(name=name), self.assertRaisesRegex(OskrenError, said) as caught:
                outside.open_file(self.folder / name)
            self.assertNotIn("\n", str(caught.exception))
        self.assertEqual(list(shelf.plugins()), [self.tiny.key])

    def test_a_shelf_that_cannot_be_read_is_an_empty_one(self) -> None:
        (self.folder / "plugins.json").write_text("{broken")
        self.assertEqual(shelf.plugins(), {})


class Rendering(OnTheShelf):
    def test_values_states_and_channels(self) -> None:
        """The plug-in multiplies by twice its gain; it takes two channels and nothing else."""
        for channels in (1, 2, 4):
            samples = noise(0.3, -20, channels=channels)
            node = self.source(samples, name=f"{channels}.wav")
            own = self.renderer.read(node, 0, 10**6)
            for gain in (0.0, 0.25, 1.0):
                out = self.renderer.read(Chained(node=node, chain=(self.step(gain=gain),)), 0, 10**6)
                np.testing.assert_allclose(out, 2 * gain * own, atol=1e-6)
        # what is not named keeps the state it began with
        plain = self.renderer.read(Chained(node=node, chain=(self.step(),)), 0, 10**6)
        np.testing.assert_allclose(plain, own, atol=1e-6)

    def test_it_rings_on_as_long_as_it_is_let(self) -> None:
        node = self.source(noise(0.2, -20))
        step = self.step()
        longer = step.model_copy(update={"params": {**step.params, "tail_s": 0.5}})
        self.assertEqual(self.renderer.shape(Chained(node=node, chain=(longer,))).frames, round(0.7 * 48_000))
        self.assertEqual(len(self.renderer.read(Chained(node=node, chain=(longer,)), 0, 10**6)), round(0.7 * 48_000))

    def test_from_any_position_and_limited_to_a_part(self) -> None:
        node = self.source(noise(1.0, -20))
        own = self.renderer.read(node, 0, 10**6)
        chain = (self.step(gain=1.0), Step(kind="high_pass"))
        whole, part = self.renderer.read(Chained(node=node, chain=chain), 0, 10**6), self.renderer.read(Chained(node=node, chain=chain), 7001, 3000)
        np.testing.assert_allclose(part, whole[7001:10_001], atol=2e-6)
        limited = self.step(gain=1.0).model_copy(update={"start_s": 0.4, "end_s": 0.6})
        out = self.renderer.read(Chained(node=node, chain=(limited,)), 0, 10**6)
        np.testing.assert_array_equal(out[:18_000], own[:18_000])
        np.testing.assert_allclose(out[20_000:28_000], 2 * own[20_000:28_000], atol=1e-6)

    def test_values_state_and_build_are_in_the_hash(self) -> None:
        node = self.source(noise(0.1))

        def key(step: Step) -> str:
            return node_hash(Chained(node=node, chain=(step,)))

        before = key(self.step(gain=0.5))
        self.assertNotEqual(before, key(self.step(gain=0.6)))
        self.assertEqual(before, key(self.step(gain=0.5)))
        (binary,) = self.path.rglob("*.so")
        os.utime(binary, (1, 1))
        self.assertNotEqual(before, key(self.step(gain=0.5)))


class Failing(OnTheShelf):
    def heard(self, step: Step) -> tuple[np.ndarray, Chained]:
        """What is heard, asked for as a worker does: described anew for every try."""
        source = self.source(noise(0.2, -20))
        described = Chained(node=source, chain=(step, Step(kind="gain", params={"gain_db": -6.0}))).model_dump()
        out = patiently(lambda: self.renderer.read(Chained.model_validate(described), 0, 10**6))
        return out, Chained.model_validate(described)

    def passes(self, step: Step, said: str) -> None:
        out, node = self.heard(step)
        dry = self.renderer.read(node.node, 0, 10**6) * np.float32(10 ** (-6 / 20))
        np.testing.assert_allclose(out, dry, atol=1e-6)
        (sentence,) = passed_over(Mix(members=(Member(node=node),)))
        self.assertRegex(sentence, said)
        self.assertEqual(node_hash(node), node_hash(node.model_copy(update={"chain": node.chain[1:]})))

    def test_one_that_crashes_is_told_passed_over_and_can_be_tried_again(self) -> None:
        samples = noise(0.1)
        with self.assertRaisesRegex(PluginError, r"The plug-in Tiny gain crashed \(SIGSEGV\); it is passed over"):
            outside.through(self.tiny, samples, 48_000, "", {"mishap": 1.0})
        shelf.try_again(self.tiny.key)
        self.passes(self.step(mishap=1.0), r"Plug-in Tiny gain crashed \(SIGSEGV\)")
        # all steps with it are passed over, until it is given another try
        self.assertEqual(active((self.step(gain=1.0),)), ())
        shelf.try_again(self.tiny.key)
        self.assertEqual(len(active((self.step(gain=1.0),))), 1)

    def test_one_that_never_comes_back_is_ended(self) -> None:
        with mock.patch.object(outside, "LEAST_S", 1.0):
            self.passes(self.step(mishap=0.5), "took longer than 2 s and was ended")

    def test_one_that_is_gone(self) -> None:
        shutil.rmtree(self.path)
        self.passes(self.step(gain=1.0), "is missing: there is nothing at")

    def test_one_that_was_never_opened_here_is_not_loaded(self) -> None:
        """A bundle from elsewhere names a plug-in by its key; nothing but the shelf says where it lies."""
        unknown = Step(kind="plugin", params={"plugin": "0123456789abcdef", "values": {"gain": 1.0}})
        self.passes(unknown, "is not on this machine's shelf")
        shelf.remove(self.tiny.key)
        self.passes(self.step(gain=1.0), "is not on this machine's shelf")

    def test_a_shipped_file_says_what_was_passed_over(self) -> None:
        node = Chained(node=self.source(noise(0.3, -20)), chain=(self.step(gain=1.0),))
        item = Item(sound="1", name="Bolt", node=node)
        renderer = Renderer(lambda audio: self.media[audio], self.renderer.cache)
        good = render_file(renderer, item, Target(), self.folder / "a.wav", "a.wav")
        self.assertNotIn("steps", [check.name for check in good.checks])
        shutil.rmtree(self.path)
        gone = render_file(renderer, item.model_copy(update={"node": Chained.model_validate(node.model_dump())}), Target(), self.folder / "b.wav", "b.wav")
        (check,) = [check for check in gone.checks if check.name == "steps"]
        self.assertFalse(check.ok or gone.ok)
        self.assertIn("is missing", check.note)

    def test_what_was_begun_before_another_try_says_nothing_of_it(self) -> None:
        """A crash of a task that is late must not take away the try that was given meanwhile."""
        shelf.fail(self.tiny.key, "crashed")
        late = shelf.plugins()[self.tiny.key]
        shelf.try_again(self.tiny.key)
        shelf.fail(self.tiny.key, "crashed again", late.tries)
        self.assertEqual(shelf.plugins()[self.tiny.key].failed, "")
        shelf.fail(self.tiny.key, "crashed in this try", shelf.plugins()[self.tiny.key].tries)
        self.assertEqual(shelf.plugins()[self.tiny.key].failed, "crashed in this try")
        shelf.try_again(self.tiny.key)

    def test_what_waited_for_a_worker_while_another_try_was_given_says_nothing_of_it(self) -> None:
        """It was asked for in the try before, though it runs in this one; it is not done again without the plug-in, since nobody waits for it."""
        before = shelf.tries()
        shelf.try_again(self.tiny.key)
        with shelf.asked_in(before), self.assertRaisesRegex(PluginError, "crashed") as late:
            self.heard(self.step(mishap=1.0))
        self.assertTrue(late.exception.late)
        self.assertEqual(shelf.plugins()[self.tiny.key].failed, "")
        with shelf.asked_in(shelf.tries()):
            self.passes(self.step(mishap=1.0), r"crashed \(SIGSEGV\)")
        shelf.try_again(self.tiny.key)

    def test_a_task_sees_the_shelf_as_it_was_when_it_began(self) -> None:
        """What fails in one process must not change the mind of another in the middle of its work; the next try sees it."""
        node = Chained(node=self.source(noise(0.2, -20)), chain=(self.step(gain=1.0),))
        with shelf.as_it_is():
            before = digest_of(node)
            shelf.fail(self.tiny.key, "crashed (elsewhere)")
            self.assertEqual(len(active(node.chain)), 1)
            self.assertEqual(len(self.renderer.read(node, 0, 10**6)), 9600)
        again = pickle.loads(pickle.dumps(node))
        self.assertEqual(active(again.chain), ())
        self.assertNotEqual(node_hash(again), before)
