"""Films, shots, taps, rooms and balance against what is burnt in, drawn, tapped and published."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path

import numpy as np

from oskren.core.audio import files
from oskren.core.measure.loudness import loudness
from oskren.core.nodes import Cache, Excerpt, Member, Mix, Renderer, Source
from oskren.core.picture.balance import loudest, over_time
from oskren.core.picture.muxing import write_with_sound
from oskren.core.picture.reading import named_rate, probe, still, write_proxy, write_sound
from oskren.core.picture.scene import Place, Scene, heard, nearest_frame, on_frame
from oskren.core.picture.shots import shot_changes
from oskren.core.timecode import FRAME_RATES, moment_of
from tests.films import number_of, write_film
from tests.support import RATE, struck

RATES = ("23.976", "24", "25", "29.97", "30", "50", "59.94")


class Films(unittest.TestCase):
    """The numbers burnt into frames are the truth; common practice, no source: a picture and its number belong together to the frame."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_frames_are_exact_at_every_rate_and_in_every_container(self) -> None:
        kinds = itertools.cycle((("mp4", "libx264"), ("mkv", "libx264"), ("webm", "libvpx-vp9"), ("mov", "libx264")))
        for name, (suffix, codec) in zip(RATES, kinds, strict=False):
            with self.subTest(rate=name, container=suffix):
                path = write_film(self.folder / f"film.{suffix}", FRAME_RATES[name].rate, 70, codec=codec)
                film = probe(path)
                self.assertEqual((film.frame_rate, film.frames, film.variable), (name, 70, False))
                write_proxy(path, film, self.folder / "played.mp4")
                for number in (0, 1, 34, 35, 69):
                    self.assertEqual(number_of(still(self.folder / "played.mp4", film, number)), number)
                    self.assertEqual(number_of(still(path, film, number)), number)

    def test_uneven_frames_are_shown_when_they_begin(self) -> None:
        moments = list(itertools.accumulate((Fraction(1, 25) if k % 7 else Fraction(1, 10) for k in range(59)), initial=Fraction(0)))
        film = probe(path := write_film(self.folder / "uneven.mp4", Fraction(25), 60, pts=moments))
        self.assertEqual((film.variable, film.frame_rate), (True, "25"))
        self.assertIn("do not follow each other evenly", film.said[0])
        write_proxy(path, film, self.folder / "played.mp4")
        for number in range(0, film.frames, 5):
            # a frame that begins less than half a frame after its moment is on by then
            at = (number + Fraction(2, 5)) / film.counted.rate
            self.assertEqual(number_of(still(self.folder / "played.mp4", film, number)), max(k for k, begin in enumerate(moments) if begin <= at))

    def test_rates_that_cannot_be_counted_go_by_a_multiple(self) -> None:
        for rate, name, same in ((Fraction(24000, 1001), "23.976", True), (Fraction(15), "30", False), (Fraction(12), "24", False), (Fraction(25), "25", True)):
            self.assertEqual(named_rate(rate), (name, same))

    def test_a_mix_goes_into_the_film_to_the_sample(self) -> None:
        for suffix, codec in (("mp4", "libx264"), ("webm", "libvpx-vp9"), ("mkv", "libx264")):
            path = write_film(self.folder / f"film.{suffix}", FRAME_RATES["29.97"].rate, 90, codec=codec, sound_s=1.0)
            film = probe(path)
            mix = np.zeros((round(film.seconds * RATE), 2), np.float32)
            frames = [9, 40, 77]
            for frame in frames:
                mix[round(moment_of(frame, film.counted) * RATE) :][:48] = 0.8
            files.write(self.folder / "mix.wav", mix, RATE, 24)
            out = self.folder / f"out.{suffix}"
            write_with_sound(path, film, self.folder / "mix.wav", out, "copy")
            self.assertTrue(write_sound(out, self.folder / "back.wav"))
            back, rate = files.read(self.folder / "back.wav")
            mono = np.abs(back[:, 0])
            for frame in frames:
                first = round((moment_of(frame, film.counted) - 0.02) * rate)
                near = mono[first : first + round(0.04 * rate)]
                found = (first + int(np.argmax(near > 0.4 * near.max()))) / rate
                self.assertAlmostEqual(found, moment_of(frame, film.counted), delta=0.0005)

    def test_shot_changes_are_found_and_neither_motion_nor_a_flash_is_one(self) -> None:
        random = np.random.default_rng(4)
        shots = [np.kron(random.integers(0, 255, (3, 4, 3)), np.ones((3, 4, 1))) for _ in range(6)]
        film, cuts = [], []
        for shot in shots:
            cuts.append(len(film))
            for k in range(40):
                moved = np.roll(shot, k // 6, axis=1)
                film.append(np.clip(moved + random.normal(0, 3, shot.shape), 0, 255))
        film[100] = np.full((9, 16, 3), 250)  # a flash
        slow = [np.full((9, 16, 3), 20 + 2 * k) for k in range(100)]  # a slow change of light
        self.assertEqual(shot_changes(np.array([*film, *slow]).astype(np.uint8)), [*cuts[1:], len(film)])


class Rooms(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        files.write(self.folder / "hit.wav", struck(0.3, 0.05, seed=2), RATE, 24)
        self.audio = files.audio_hash(self.folder / "hit.wav")
        info = files.probe(self.folder / "hit.wav")
        self.node = Source(audio=self.audio, rate=RATE, channels=1, frames=info.frames)
        self.renderer = Renderer(lambda _: self.folder / "hit.wav", Cache(self.folder / "cache"))

    def scene(self, places: tuple[Place, ...] = (), rate: str = "25", **values: float) -> Scene:
        members = tuple(Member(id=f"m{k}", name=f"hit {k}", node=self.node, at_s=on_frame(frame, FRAME_RATES[rate])) for k, frame in enumerate((10, 60)))
        return Scene(film=1, frame_rate=rate, frames=150, mix=Mix(members=members), places=places)

    def test_a_scene_is_as_long_as_its_film_and_rings_where_its_place_is(self) -> None:
        dry, _ = self.renderer.audio(heard(self.scene()))
        self.assertEqual(len(dry), round(moment_of(150, FRAME_RATES["25"]) * RATE))
        wet, _ = self.renderer.audio(heard(self.scene((Place(id="p", frame=50, until=100, space="hall", amount="far"),))))
        first, second = (slice(round((at + 0.5) * RATE), round((at + 0.9) * RATE)) for at in (10 / 25, 60 / 25))
        self.assertTrue(np.array_equal(np.asarray(dry[first]), np.asarray(wet[first])))
        self.assertGreater(float(np.mean(np.asarray(wet[second]) ** 2)), 100 * float(np.mean(np.asarray(dry[second]) ** 2) + 1e-12))
        left, _ = self.renderer.audio(heard(self.scene((Place(id="p", frame=50, until=100, amounts={"m1": "dry"}),))))
        self.assertTrue(np.array_equal(np.asarray(dry), np.asarray(left)))

    def test_what_lies_outside_the_film_is_cut_and_silence_stays(self) -> None:
        early = Mix(members=(Member(id="a", node=self.node, at_s=-0.1), Member(id="b", node=self.node, at_s=5.9)), length_s=6.0)
        audio, _ = self.renderer.audio(early)
        self.assertEqual(len(audio), 6 * RATE)
        whole, _ = self.renderer.audio(Mix(members=early.members))
        self.assertLess(float(np.max(np.abs(np.asarray(audio) - np.asarray(whole[round(0.1 * RATE) :][: len(audio)])))), 1e-7)
        silent, _ = self.renderer.audio(Mix(length_s=1.0))
        self.assertEqual((len(silent), float(np.abs(np.asarray(silent)).max())), (RATE, 0.0))
        part = self.renderer.read(Excerpt(node=early, start_s=5.8, end_s=6.0), 0, RATE)
        self.assertTrue(np.array_equal(part, np.asarray(audio[round(5.8 * RATE) :])))

    def test_balance_is_the_loudness_that_is_measured(self) -> None:
        """ITU-R BS.1770-5 through this project's own meter, which tests/reference/test_loudness.py holds to the recommendation."""
        mix = heard(self.scene())
        samples, rate = files.read(self.folder / "hit.wav")
        for value in loudest(self.renderer, mix).values():
            self.assertAlmostEqual(value or 0, loudness(samples, rate).max_momentary_lufs or 0, delta=0.05)
        over = over_time(self.renderer, mix)
        whole, rate = self.renderer.audio(mix)
        self.assertAlmostEqual(over.integrated_lufs or 0, loudness(np.asarray(whole), rate).integrated_lufs or 0, delta=0.01)

    def test_frames_and_moments_go_there_and_back(self) -> None:
        for name in RATES:
            counted = FRAME_RATES[name]
            for frame in (0, 1, 599, 17_982, 215_784):
                self.assertEqual(nearest_frame(on_frame(frame, counted), counted), frame)
