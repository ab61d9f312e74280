"""Bundles carry a design whole, and refuse what is not one."""

import json
import zipfile
from pathlib import Path

from oskren.core import bundle
from oskren.core.envelope import Envelope
from oskren.core.errors import OskrenError
from oskren.core.nodes import Member, Mix, Source
from oskren.core.nodes.model import Group, Print, Step
from oskren.core.vary.recipe import default_recipe
from tests.support import InFolder, noise, struck


class Bundles(InFolder):
    def setUp(self) -> None:
        super().setUp()
        nodes = [self.source(struck(0.4, seed=k), name=f"{k}.wav") for k in (1, 2)]
        self.mix = Mix(members=tuple(Member(id=str(k), node=node, name=f"layer {k}", at_s=0.1 * k) for k, node in enumerate(nodes)))
        self.path = self.folder / "design.zip"
        bundle.save(self.path, "Latch", self.mix, lambda audio: self.media[audio], default_recipe(self.mix))

    def test_what_was_saved_is_loaded(self) -> None:
        loaded = bundle.load(self.path, self.folder / "out")
        self.assertEqual((loaded.name, loaded.mix, loaded.recipe), ("Latch", self.mix, default_recipe(self.mix)))
        for audio, path in loaded.audio.items():
            self.assertEqual(path.read_bytes(), self.media[audio].read_bytes())

    def write(self, document: object, **audio: bytes) -> None:
        with zipfile.ZipFile(self.path, "w") as archive:
            archive.writestr("design.json", json.dumps(document))
            for name, data in audio.items():
                archive.writestr(f"audio/{name}.wav", data)

    def test_a_bundle_written_by_hand_names_its_files(self) -> None:
        wav = next(iter(self.media.values())).read_bytes()
        self.write(
            {
                "format": "oskren-bundle",
                "version": 1,
                "name": "hand",
                "mix": {"kind": "mix", "members": [{"node": {"kind": "source", "file": "audio/a.wav"}, "gain_db": -3}]},
            },
            a=wav,
        )
        loaded = bundle.load(self.path, self.folder / "out")
        self.assertEqual(loaded.mix.members[0].node.frames, round(0.4 * 48_000))

    def test_what_is_no_bundle_is_refused_and_nothing_is_kept(self) -> None:
        head = {"format": "oskren-bundle", "version": 1}
        cases: dict[str, object] = {
            "format": {"format": "other"},
            "version 9": {**head, "version": 9},
            "design cannot be used": {**head, "mix": {"kind": "mix", "members": [{"gain_db": "loud", "node": {"file": "audio/a.wav"}}]}},
            "not a bundle": {**head, "mix": {"kind": "mix", "members": [{"node": {"file": "audio/missing.wav"}}]}},
            "not in the bundle": {
                **head,
                "mix": {"kind": "mix", "members": [{"node": {"kind": "source", "audio": "1" * 40, "rate": 48000, "channels": 1, "frames": 9}}]},
            },
        }
        for words, document in cases.items():
            self.write(document, a=next(iter(self.media.values())).read_bytes())
            with self.subTest(words=words), self.assertRaisesRegex(OskrenError, words):
                bundle.load(self.path, self.folder / "out")
            self.assertEqual([path for path in (self.folder / "out").rglob("*") if path.is_file()], [])

    def test_paths_that_leave_the_bundle_are_refused(self) -> None:
        with zipfile.ZipFile(self.path, "a") as archive:
            archive.writestr("../outside.txt", "x")
        with self.assertRaisesRegex(OskrenError, "leaves the bundle"):
            bundle.load(self.path, self.folder / "out")

    def test_other_sound_than_the_design_was_made_with_is_refused(self) -> None:
        document = json.loads(zipfile.ZipFile(self.path).read("design.json"))
        names = list(document["audio"])
        document["audio"] = {names[0]: document["audio"][names[1]], names[1]: document["audio"][names[0]]}
        parts = {name: zipfile.ZipFile(self.path).read(name) for name in document["audio"].values()}
        with zipfile.ZipFile(self.path, "w") as archive:
            archive.writestr("design.json", json.dumps(document))
            for name, data in parts.items():
                archive.writestr(name, data)
        with self.assertRaisesRegex(OskrenError, "other sound"):
            bundle.load(self.path, self.folder / "out")

    def test_a_text_file_is_no_bundle(self) -> None:
        self.path.write_text("hello")
        with self.assertRaisesRegex(OskrenError, "is not a bundle"):
            bundle.load(self.path, self.folder / "out")

    def test_an_original_that_went_missing_is_named(self) -> None:
        with self.assertRaises(OskrenError):
            bundle.save(
                self.folder / "b.zip", "x", Mix(members=(Member(node=self.source(noise(0.1), name="gone.wav")),)), lambda audio: self.folder / "nowhere.wav"
            )
        self.assertFalse((self.folder / "b.zip").exists())

    def test_a_bundle_with_curves_groups_and_frozen_audio_comes_back_whole(self) -> None:
        frozen = self.source(struck(0.2, seed=9), name="frozen.wav")
        held = Print(audio=frozen.audio, rate=frozen.rate, channels=frozen.channels, frames=frozen.frames)
        curve = Envelope(control="pitch_st", points=((0.0, 0.0), (0.3, -5.0)), curve="eased")
        wet = Step(kind="space", envelopes=(Envelope(control="wet_db", points=((0.0, -30.0), (1.0, -6.0))),))
        first = self.mix.members[0].model_copy(update={"envelopes": (curve,), "group": "g"})
        second = self.mix.members[1].model_copy(update={"frozen": held})
        mix = Mix(members=(first, second), groups=(Group(id="g", name="Low", gain_db=-3.0),), chain=(wet,))
        bundle.save(self.path, "Whole", mix, lambda audio: self.media[audio])
        loaded = bundle.load(self.path, self.folder / "out")
        self.assertEqual(loaded.mix, mix)
        self.assertEqual(sorted(loaded.originals), sorted({member.node.audio for member in mix.members}))
        self.assertIn(frozen.audio, loaded.audio)

    def test_the_schema_in_docs_is_that_of_the_code(self) -> None:
        kept = Path(__file__).parents[2] / "docs" / "bundle.schema.json"
        self.assertEqual(json.loads(kept.read_text()), json.loads(json.dumps(bundle.schema())))

    def test_limits_on_paths_text_and_count(self) -> None:
        for name in ("../out.wav", "a\\b.wav", "C:/b.wav", "/b.wav"):
            with zipfile.ZipFile(self.path, "w") as archive:
                archive.writestr("design.json", "{}")
                archive.writestr(name, b"x")
            with self.subTest(name=name), self.assertRaisesRegex(OskrenError, "leaves the bundle"):
                bundle.load(self.path, self.folder / "out")
        with zipfile.ZipFile(self.path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("design.json", b" " * (bundle.MOST_TEXT + 1))
        with self.assertRaisesRegex(OskrenError, "larger than 64 MiB"):
            bundle.load(self.path, self.folder / "out")
        with zipfile.ZipFile(self.path, "w") as archive:
            for number in range(bundle.MOST_FILES + 1):
                archive.writestr(f"audio/{number}.wav", b"")
        with self.assertRaisesRegex(OskrenError, "more than 512 files"):
            bundle.load(self.path, self.folder / "out")
        with zipfile.ZipFile(self.path, "w") as archive:
            archive.writestr("design.json", "[" * 100_000)
        with self.assertRaisesRegex(OskrenError, "is not a bundle"):
            bundle.load(self.path, self.folder / "out")

    def test_too_many_sounds_are_not_bundled(self) -> None:
        path = next(iter(self.media.values()))
        members = tuple(Member(node=Source(audio=f"{k:040x}", rate=48_000, channels=1, frames=9)) for k in range(bundle.MOST_FILES))
        with self.assertRaisesRegex(OskrenError, "Print some of its layers"):
            bundle.save(self.folder / "many.zip", "Many", Mix(members=members), lambda audio: path)
        self.assertFalse((self.folder / "many.zip").exists())
