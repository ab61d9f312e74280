"""Takes, offloading and excerpts below the API: nothing recorded is lost, every copy is compared, every part is what was marked."""

import json
import os
import shutil
import subprocess
import sys
import time
import unittest.mock
from pathlib import Path

import numpy as np
import wavinfo
from sqlalchemy import select

from oskren.core.audio import files, metadata
from oskren.core.audio.metadata import Metadata
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import NodeAdapter, Step
from oskren.core.words.wanting import Entry
from oskren.devices.card import Card
from oskren.devices.recorder import Recorder
from oskren.store.describe import arrivals, wanted
from oskren.store.describe.arrivals import ArrivalNotes
from oskren.store.search.asking import Asked
from oskren.store.tables import Arrival, Sound, SoundPath
from oskren.work.engine.progress import Progress
from oskren.work.gather import card, excerpts, offloading
from oskren.work.gather.excerpts import Part
from oskren.work.gather.finishing import RECOVER, RECOVERED, Finished, Recovering, finish, recover
from oskren.work.gather.takes import TakeChange, TakeFacts, Takes
from tests.support import RATE, noise, sine, struck
from tests.test_work import InStudio, ended


def facts(name: str = "x", **values: object) -> TakeFacts:
    return TakeFacts(**{"name": name, "rate": RATE, "channels": 1, **values})  # type: ignore[arg-type]


class WithTakes(InStudio):
    def setUp(self) -> None:
        super().setUp()
        self.takes = Takes(self.studio.home.folder / "takes", quiet_s=0.0)

    def only(self) -> Sound:
        with self.library.reading() as session:
            return session.scalars(select(Sound)).one()

    def stored(self, sound: Sound) -> np.ndarray:
        return files.read(self.library.media(NodeAdapter.validate_python(sound.node).audio))[0]


class Recording(WithTakes):
    def test_a_killed_server_keeps_what_was_recorded(self) -> None:
        samples = sine(300, 1.0, -12)
        take = self.takes.begin("test", facts("Lost and found", bits=32))
        self.takes.add(take, 0, samples[: RATE // 2].tobytes())
        again = Takes(self.studio.home.folder / "takes", quiet_s=0.0)  # as after a restart
        [left] = again.unfinished()
        self.assertEqual((left.take, left.name, left.seconds), (take, "Lost and found", 0.5))
        [number] = recover(self.studio, again)
        self.finished(number)
        sound = self.only()
        self.assertEqual((sound.name, sound.kind, sound.bits), ("Lost and found", "take", 32))
        self.assertIn(RECOVERED, sound.notes)
        np.testing.assert_array_equal(self.stored(sound), samples[: RATE // 2])
        self.assertEqual((again.unfinished(), list((self.studio.home.folder / "takes").iterdir())), ([], []))
        self.assertEqual(recover(self.studio, again), [])

    def test_a_server_killed_when_the_take_had_come_in_leaves_nothing_of_it_behind(self) -> None:
        take = self.takes.begin("test", facts("Once"))
        self.takes.add(take, 0, sine(300, 0.5, -12).tobytes())
        with unittest.mock.patch.object(Takes, "let_go", side_effect=OskrenError("killed")):
            [number] = recover(self.studio, self.takes)
            self.assertEqual(ended(self.studio.jobs, number).state, "failed")
        self.assertEqual(len(self.takes.unfinished()), 1)
        [number] = recover(self.studio, self.takes)
        self.assertEqual(ended(self.studio.jobs, number).state, "done")
        self.assertEqual((self.only().name, list((self.studio.home.folder / "takes").iterdir())), ("Once", []))
        # taken up with its note: nothing is imported again
        self.takes.begin("test", facts("Once"))
        noted = Finished(library="test", name="Once", seconds=0.5, imported=1, arrival=1, sound=self.only().id, good=False, note="", said="")
        progress = unittest.mock.Mock(noted=lambda key: noted.model_dump() if key == "came" else None)
        self.assertEqual(RECOVER.run(self.studio, self.library, Recovering(take="take-0001"), progress), noted)
        self.assertEqual(list((self.studio.home.folder / "takes").iterdir()), [])
        for job in self.studio.jobs.all():  # what was begun behind it writes to the home too
            ended(self.studio.jobs, job.id)

    def finished(self, number: int) -> None:
        ended(self.studio.jobs, number)
        for other in self.studio.jobs.all():  # what it started behind it
            self.assertEqual(ended(self.studio.jobs, other.id).state, "done")

    def test_a_page_that_is_still_there_is_not_taken_for_gone(self) -> None:
        takes = Takes(self.studio.home.folder / "takes", quiet_s=60.0)
        takes.add(takes.begin("test", facts()), 0, sine(300, 0.1).tobytes())
        self.assertEqual(takes.abandoned(), [])
        part = next((self.studio.home.folder / "takes").glob("*.part"))
        os.utime(part, (time.time() - 61, time.time() - 61))
        self.assertEqual(len(takes.abandoned()), 1)

    def test_a_take_that_holds_nothing_is_forgotten(self) -> None:
        self.takes.begin("test", facts())
        self.assertEqual(recover(self.studio, self.takes), [])
        self.assertEqual(list((self.studio.home.folder / "takes").iterdir()), [])

    def test_a_half_written_last_frame_is_left_out(self) -> None:
        take = self.takes.begin("test", facts(channels=2))
        self.takes.add(take, 0, noise(0.2, -20, channels=2).tobytes())
        part = self.studio.home.folder / "takes" / f"{take}.part"
        part.write_bytes(part.read_bytes() + b"\x01\x02\x03")
        self.assertAlmostEqual(finish(self.studio, self.takes, take).seconds, 0.2)

    def test_blocks_may_come_twice_and_in_one_piece(self) -> None:
        """A block whose answer was lost is sent again; what waited for the connection comes at once."""
        samples = noise(0.5, -20)
        take = self.takes.begin("test", facts(bits=32))
        self.takes.add(take, 0, samples[:4000].tobytes())
        self.takes.add(take, 0, samples[:4000].tobytes())
        self.takes.add(take, 3000, samples[3000:20_000].tobytes())
        self.takes.add(take, 20_000, samples[20_000:].tobytes())
        finish(self.studio, self.takes, take)
        np.testing.assert_array_equal(self.stored(self.only()), samples)

    def test_what_was_said_about_a_take_is_in_its_file_and_its_row(self) -> None:
        """bext read back by wavinfo: slate note, day, time of day, samples since midnight less the seconds before the start."""
        entry = wanted.add(self.library, 1, [Entry(what="kelp torn")])[0]
        arrival = self.library.arrival("Session")
        said = facts("Kelp 04", number=4, note="torn slowly", device="Built-in", pre_s=0.25, wanted=entry, arrival=arrival, started="2026-09-14T06:12:30.500")
        take = self.takes.begin("test", said)
        self.takes.add(take, 0, noise(1.0, -20).tobytes())
        self.takes.describe(take, TakeChange(good=True))
        self.takes.describe(take, TakeChange(marks=[0.75, 0.5, 99.0]))
        done = finish(self.studio, self.takes, take)
        self.assertEqual((done.name, done.good, done.arrival, done.said), ("Kelp 04", True, arrival, ""))
        sound = self.only()
        self.assertEqual((sound.mark, sound.tags.split()[-1], sound.notes, sound.arrival_id), ("glass", "good", "torn slowly", arrival))
        self.assertEqual([mark["label"] for mark in sound.said["markers"]], ["start pressed", "moment 1", "moment 2"])
        self.assertEqual([mark["at_s"] for mark in sound.said["markers"]], [0.25, 0.5, 0.75])
        info = wavinfo.WavInfoReader(str(self.library.media(sound.audio)))
        self.assertEqual((info.bext.description, info.bext.originator_date, info.bext.originator_time), ("torn slowly", "2026-09-14", "06:12:30"))
        self.assertEqual(info.bext.time_reference, round((6 * 3600 + 12 * 60 + 30.25) * RATE))
        self.assertEqual(info.ixml.take, "4")
        [kept] = wanted.listed(self.library, 1)
        self.assertEqual((kept.entry.state, kept.answers[0].name), ("recorded", "Kelp 04"))

    def test_a_take_joins_its_session_or_begins_an_arrival(self) -> None:
        for arrival, wanted_name in ((0, "Recorded"), (self.library.arrival("Session"), "Session"), (999, "Recorded")):
            take = self.takes.begin("test", facts(arrival=arrival))
            self.takes.add(take, 0, noise(0.1, -20, seed=arrival + 1).tobytes())
            done = finish(self.studio, self.takes, take)
            with self.library.reading() as session:
                row = session.get(Arrival, done.arrival)
                self.assertTrue(row is not None and row.name.startswith(wanted_name))

    def test_a_full_disk_ends_the_take_and_keeps_what_came(self) -> None:
        """A process whose files may not grow beyond 400 kB, which the system refuses as it refuses to fill a disk."""
        script = """
import json, resource, sys
import numpy as np
from pathlib import Path
from oskren.core.errors import OskrenError
from oskren.work.gather.takes import TakeFacts, Takes
resource.setrlimit(resource.RLIMIT_FSIZE, (400_000, 400_000))
takes = Takes(Path(sys.argv[1]))
take = takes.begin("test", TakeFacts(name="Until it was full", rate=48000, channels=1, bits=32))
samples = np.linspace(-0.5, 0.5, 240_000, dtype=np.float32)
said = []
for at in range(0, len(samples), 4096):
    try:
        takes.add(take, at, samples[at:at + 4096].tobytes())
    except OskrenError as error:
        said.append(str(error))
print(json.dumps(said))
"""
        run = subprocess.run([sys.executable, "-c", script, str(self.studio.home.folder / "takes")], capture_output=True, text=True, check=True)
        said = json.loads(run.stdout)
        self.assertEqual(len(set(said)), 1)
        self.assertIn("Until it was full has ended after 2.1 s, which are kept", said[0])
        [left] = self.takes.unfinished()
        self.assertIn("is full", left.ended)
        done = finish(self.studio, self.takes, left.take)
        self.assertEqual(done.said, said[0])
        sound = self.only()
        self.assertIn("is full", sound.notes)
        kept = self.stored(sound)[:, 0]
        self.assertEqual(len(kept), 400_000 // 4)
        np.testing.assert_array_equal(kept, np.linspace(-0.5, 0.5, 240_000, dtype=np.float32)[: len(kept)])

    def test_room_is_left_for_the_file_a_take_becomes(self) -> None:
        take = self.takes.begin("test", facts())
        self.takes.add(take, 0, noise(0.1).tobytes())
        nearly = shutil._ntuple_diskusage(1 << 40, 1 << 40, 1 << 20)
        with unittest.mock.patch("shutil.disk_usage", return_value=nearly), self.assertRaisesRegex(OskrenError, "has ended after 0.1 s"):
            self.takes.add(take, 4800, noise(0.1).tobytes())
        with self.assertRaisesRegex(OskrenError, "has ended after 0.1 s"):  # also once there is room again
            self.takes.add(take, 4800, noise(0.1).tobytes())

    def test_what_cannot_be_recorded_is_refused(self) -> None:
        for rate, channels in ((10, 1), (RATE, 0), (RATE, 17)):
            with self.assertRaisesRegex(OskrenError, "cannot be recorded"):
                self.takes.begin("test", facts(rate=rate, channels=channels))
        take = self.takes.begin("test", facts(channels=2))
        for position, data, words in ((0, b"\0" * 5, "whole frames"), (10, b"\0" * 8, "missing before")):
            with self.assertRaisesRegex(OskrenError, words):
                self.takes.add(take, position, data)
        with self.assertRaisesRegex(OskrenError, "Nothing was recorded"):
            finish(self.studio, self.takes, take)
        with self.assertRaisesRegex(OskrenError, "has ended"):
            self.takes.add(take, 0, b"\0" * 8)
        with self.assertRaisesRegex(OskrenError, "no take"):
            self.takes.add("../../etc", 0, b"")

    def test_takes_are_numbered_apart(self) -> None:
        self.assertEqual(len({self.takes.begin("test", facts()) for _ in range(4)}), 4)

    def test_a_finish_that_fails_loses_nothing(self) -> None:
        take = self.takes.begin("test", facts())
        samples = noise(0.2, -20)
        self.takes.add(take, 0, samples.tobytes())
        with unittest.mock.patch("oskren.core.audio.files.sf.SoundFile", side_effect=OSError(28, "No space left")), self.assertRaisesRegex(OskrenError, "full"):
            finish(self.studio, self.takes, take)
        self.assertEqual([path.suffix for path in sorted((self.studio.home.folder / "takes").iterdir())], [".json", ".part"])
        finish(self.studio, self.takes, take)
        self.assertEqual(len(self.stored(self.only())), len(samples))


class Offloading(InStudio):
    def setUp(self) -> None:
        super().setUp()
        self.disk = self.folder / "reader" / "card"
        self.seed = 0

    def record(self, gestures: int = 2, split_s: float = 600.0) -> list[Path]:
        self.seed += 1
        recorder = Recorder(Card(self.disk), split_s=split_s, seed=self.seed)
        for number in range(gestures):
            recorder.play(recorder.gesture("glass", 0.5 + 0.2 * number))
            recorder.start()
            recorder.advance(30_000)
            recorder.stop()
            recorder.advance(160_000)
        return sorted(path for path in self.disk.rglob("*.WAV"))

    def offload(self, **values: object) -> offloading.Offloaded:
        return offloading.offload(self.studio, self.library, self.disk, **values)  # type: ignore[arg-type]

    def test_takes_come_in_named_compared_and_with_their_notes(self) -> None:
        paths = self.record()
        before = {path: (path.read_bytes(), path.stat().st_mtime_ns) for path in paths}
        notes = ArrivalNotes(place="Reed beds", weather="drizzle", microphone="spaced pair")
        second = self.folder / "second disk"
        result = self.offload(template="{project} {date} {place} RAW {number:3}", notes=notes, second=second)
        self.assertEqual((result.copied, result.verified, result.second_copies, result.failed), (2, 2, 2, []))
        with self.library.reading() as session:
            sounds = session.scalars(select(Sound).order_by(Sound.name)).all()
        day = metadata.read(paths[0], RATE).date[:10]
        self.assertEqual([sound.name for sound in sounds], [f"First project {day} Reed beds RAW {number:03d}" for number in (1, 2)])
        self.assertEqual({(sound.kind, sound.arrival_id) for sound in sounds}, {("take", result.arrival)})
        for sound, path in zip(sounds, paths, strict=True):
            self.assertEqual(self.library.media(sound.audio).read_bytes(), path.read_bytes())
            self.assertEqual((second / f"{sound.name}.wav").read_bytes(), path.read_bytes())
            self.assertIn("gain 38 dB", sound.notes)
        self.assertEqual(self.library.search(Asked(words="drizzle")).total, 2)
        self.assertEqual({path: (path.read_bytes(), path.stat().st_mtime_ns) for path in paths}, before)
        self.assertEqual(list((self.folder / "home" / "run").glob("offload-*")), [])

    def test_the_same_card_again_brings_only_what_is_new(self) -> None:
        self.record(1)
        self.assertEqual(self.offload().copied, 1)
        self.record(1)
        view = card.look(self.library, self.disk)
        self.assertEqual([take.known for take in view.takes], [True, False])
        again = self.offload()
        self.assertEqual((again.copied, again.already_there), (1, 1))
        self.assertEqual((self.offload().copied, self.offload().arrival), (0, 0))

    def test_a_number_used_again_on_an_emptied_card_is_another_take(self) -> None:
        self.record(1)
        self.offload()
        Card(self.disk).erase()
        recorder = Recorder(Card(self.disk), seed=9)
        recorder.start()
        recorder.advance(20_000)
        recorder.stop()
        self.assertEqual(self.offload().copied, 1)
        with self.library.reading() as session:
            self.assertEqual(len(session.scalars(select(Sound)).all()), 2)
            self.assertEqual(len([path for path in session.scalars(select(SoundPath.path)) if path.startswith("card/T0001.WAV/")]), 2)

    def test_parts_of_a_split_take_keep_together(self) -> None:
        self.record(2, split_s=0.3)
        names = [take.name for take in card.look(self.library, self.disk, "{name} {number}").takes]
        self.assertEqual(names, ["T0001 1", "T0001_2 1, part 2", "T0001_3 1, part 3", "T0002 2", "T0002_2 2, part 2", "T0002_3 2, part 3"])

    def test_numbered_takes_are_no_parts_of_one(self) -> None:
        """gull_2 was begun minutes after gull had ended: another take, whatever its name looks like."""
        for minute, name in enumerate(("gull", "gull_2", "gull_3", "step_01", "step_02", "step_03")):
            said = Metadata(date=f"2026-09-14T06:{minute:02d}:00")
            files.write(self.disk / f"{name}.wav", struck(0.2, seed=minute), RATE, 24, said=said)
        self.assertEqual([take.name for take in card.look(self.library, self.disk, "{number} {name}").takes][-1], "6 step_03")

    def test_any_folder_with_recordings_is_a_card(self) -> None:
        (self.disk / "DAY 1" / "B").mkdir(parents=True)
        files.write(self.disk / "DAY 1" / "B" / "door.wav", struck(0.3), RATE, 24, said=Metadata(date="2025-02-03T10:11:12", description="back door"))
        files.write(self.disk / "DAY 1" / "gate.flac", struck(0.4, seed=2), RATE, 24)
        (self.disk / "settings.txt").write_text("gain 30")
        (self.disk / "cut.wav").write_bytes((self.disk / "DAY 1" / "B" / "door.wav").read_bytes()[:4000])
        view = card.look(self.library, self.disk, "{date} {time} {name}")
        self.assertEqual(view.takes[0].name, "2025-02-03 101112 door")
        self.assertEqual((view.takes[0].note, view.takes[1].path), ("back door", "DAY 1/gate.flac"))
        self.assertEqual(sorted(Path(one["path"]).name for one in view.skipped), ["cut.wav", "settings.txt"])
        result = self.offload(template="{name}", only=["DAY 1/gate.flac"])
        self.assertEqual((result.copied, len(result.skipped)), (1, 2))

    def test_names_that_would_be_alike_are_told_apart(self) -> None:
        self.record(2)
        self.assertEqual([take.name for take in card.look(self.library, self.disk, "RAW").takes], ["RAW 001", "RAW 002"])

    def test_a_copy_that_is_not_what_was_read_is_refused(self) -> None:
        [path] = self.record(1)
        digest = offloading.copied(path, self.folder / "copy.wav")
        offloading.verify(self.folder / "copy.wav", digest, path)
        raw = bytearray((self.folder / "copy.wav").read_bytes())
        raw[len(raw) // 2] ^= 1
        (self.folder / "copy.wav").write_bytes(raw)
        with self.assertRaisesRegex(OskrenError, "not what was read"):
            offloading.verify(self.folder / "copy.wav", digest, path)

    def test_a_take_that_cannot_be_copied_fails_alone(self) -> None:
        paths = self.record(2)

        def worn(source: Path, target: Path) -> str:
            digest = real(source, target)
            if source == paths[0]:
                with open(target, "r+b") as stream:  # as a worn card reader would
                    stream.seek(900)
                    stream.write(b"\x55")
            return digest

        real = offloading.copied
        with unittest.mock.patch("oskren.work.gather.offloading.copied", worn):
            result = self.offload()
        self.assertEqual((result.copied, len(result.failed)), (1, 1))
        self.assertIn("T0001", result.failed[0]["path"])
        self.assertIn("not what was read", result.failed[0]["reason"])
        again = self.offload()
        self.assertEqual((again.copied, again.already_there), (1, 1))

    def test_it_can_be_cancelled_and_gone_on_with(self) -> None:
        self.record(3)
        calls = iter([False, True, True])
        self.assertEqual(self.offload(progress=Progress(stop=lambda: next(calls, True))).copied, 1)
        self.assertEqual(self.offload().copied, 2)

    def test_what_makes_no_sense_is_refused_before_anything_is_copied(self) -> None:
        self.record(1)
        (self.folder / "in the way").write_text("a file")
        for values, word in (
            ({"template": "{nonsense}"}, "does not exist"),
            ({"only": ["gone.wav"]}, "no longer on the card"),
            ({"second": self.folder / "in the way"}, "cannot be used"),
        ):
            with self.subTest(values=values), self.assertRaisesRegex(OskrenError, word):
                self.offload(**values)
        with self.assertRaisesRegex(OskrenError, "no such folder"):
            card.look(self.library, self.folder / "nowhere")
        with self.library.reading() as session:
            self.assertEqual(session.scalars(select(Sound)).all(), [])


class Excerpts(InStudio):
    def test_an_excerpt_is_the_part_to_the_frame(self) -> None:
        samples = noise(2.0, -20, channels=2)
        sound = self.bring("take", samples)
        numbers = excerpts.cut(self.studio, self.library, sound.id, [Part(start_s=0.25, end_s=0.75), Part(start_s=1.0, end_s=9.0, name="The rest")])
        rows = [self.library.sound(number) for number in numbers]
        self.assertEqual([(row.name, row.kind, row.frames) for row in rows], [("take part 01", "excerpt", 24_000), ("The rest", "excerpt", 48_000)])
        for row, (start, end) in zip(rows, ((12_000, 36_000), (48_000, 96_000)), strict=True):
            key, shape = self.studio.open(self.library, NodeAdapter.validate_python(row.node))
            heard = np.frombuffer(self.studio.block(key, 0, shape.frames), np.float32).reshape(-1, 2)
            np.testing.assert_array_equal(heard, files.read(self.library.media(sound.audio))[0][start:end])
        self.assertEqual([(one.start_s, one.end_s) for one in excerpts.cuts(self.library, sound.id)], [(0.25, 0.75), (1.0, 2.0)])

    def test_it_is_described_as_its_sound_is_and_found_by_the_arrival(self) -> None:
        sound = self.bring("gulls", noise(1.0, -20))
        arrivals.describe(self.library, sound.arrival_id or 0, ArrivalNotes(place="Causeway"))
        self.library.change(sound.id, {"category": "Animal/Bird", "rights": "ours", "tags": "raw", "recorded": "2026-09-14"})
        [number] = excerpts.cut(self.studio, self.library, sound.id, [Part(start_s=0.1, end_s=0.4)], tags="near raw")
        made = self.library.sound(number)
        self.assertEqual((made.category, made.rights, made.tags, made.recorded), ("Animal/Bird", "ours", "raw near", "2026-09-14"))
        self.assertIn(number, self.library.search(Asked(words="causeway near")).ids)

    def test_what_is_heard_is_what_is_cut(self) -> None:
        """A mended sound's excerpt holds what its chain made of it, and stays so when the chain is changed."""
        sound = self.bring("take", noise(1.0, -20))
        self.library.change(sound.id, {"chain": [Step(kind="reverse", id="r").model_dump()]})
        [number] = excerpts.cut(self.studio, self.library, sound.id, [Part(start_s=0.0, end_s=0.5)])
        self.library.change(sound.id, {"chain": []})
        key, shape = self.studio.open(self.library, NodeAdapter.validate_python(self.library.sound(number).node))
        heard = np.frombuffer(self.studio.block(key, 0, shape.frames), np.float32)
        np.testing.assert_allclose(heard, files.read(self.library.media(sound.audio))[0][::-1, 0][:24_000], atol=1e-7)

    def test_parts_that_are_none_are_refused_and_nothing_is_made(self) -> None:
        sound = self.bring("take", noise(1.0, -20))
        for start, end in ((0.5, 0.5), (0.6, 0.5), (2.0, 3.0), (0.0, 0.001)):
            with self.subTest(start=start, end=end), self.assertRaisesRegex(OskrenError, "is no part of take"):
                excerpts.cut(self.studio, self.library, sound.id, [Part(start_s=0.1, end_s=0.4), Part(start_s=start, end_s=end)])
        with self.assertRaisesRegex(OskrenError, "No part is marked"):
            excerpts.cut(self.studio, self.library, sound.id, [])
        self.assertEqual(excerpts.cuts(self.library, sound.id), [])

    def test_numbers_go_on_and_a_trashed_one_is_not_shown(self) -> None:
        sound = self.bring("take", noise(1.0, -20))
        first = excerpts.cut(self.studio, self.library, sound.id, [Part(start_s=0.5, end_s=0.6)])
        second = excerpts.cut(self.studio, self.library, sound.id, [Part(start_s=0.1, end_s=0.2)])
        self.assertEqual([one.name for one in excerpts.cuts(self.library, sound.id)], ["take part 02", "take part 01"])
        self.library.change(first[0], {"trashed": "2026-09-14T06:00:00Z"})
        self.assertEqual([one.id for one in excerpts.cuts(self.library, sound.id)], second)
