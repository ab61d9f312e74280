"""The simulated recorder and its card: gain, low-cut, clipping, numbered and split takes, files as a real one leaves them."""

import tempfile
import threading
import unittest
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import wavinfo

from oskren.core.audio import files, metadata
from oskren.core.errors import OskrenError
from oskren.devices.card import Card, WavFile
from oskren.devices.places import PLACES
from oskren.devices.recorder import CONVERTER_NOISE_DB, LOW_CUT_HZ, RATE, SENSITIVITY_DB, Recorder, RecorderSettings, Running

MORNING = datetime(2026, 9, 14, 6, 12, 30)


def rms_db(samples: np.ndarray) -> float:
    return float(20 * np.log10(np.sqrt(np.mean(samples.astype(np.float64) ** 2))))


class WithCard(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.card = Card(Path(holder.name) / "card")

    def recorder(self, **settings: object) -> Recorder:
        recorder = Recorder(self.card, RecorderSettings(**settings), clock=lambda: MORNING)  # type: ignore[arg-type]
        self.addCleanup(lambda: recorder.recording and recorder.stop())
        return recorder

    def tone(self, hz: float, pascal: float, seconds: float = 1.0) -> np.ndarray:
        wave = pascal * np.sqrt(2) * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)
        return np.stack([wave, wave], axis=1)


class Levels(WithCard):
    def heard(self, recorder: Recorder, wave: np.ndarray) -> np.ndarray:
        recorder.play(wave)
        return np.concatenate([recorder.advance(2400) for _ in range(len(wave) // 2400)])

    def test_one_pascal_is_what_the_sensitivity_says(self) -> None:
        for gain in (20.0, 40.0):
            heard = self.heard(self.recorder(gain_db=gain), self.tone(1000, 1.0))
            self.assertAlmostEqual(rms_db(heard), SENSITIVITY_DB + gain, delta=0.05)

    def test_too_much_gain_clips_and_is_counted(self) -> None:
        recorder = self.recorder(gain_db=60.0)
        heard = self.heard(recorder, self.tone(1000, 1.0))
        self.assertGreater(recorder.clips, 1000)
        self.assertLessEqual(float(np.abs(heard).max()), 1.0)
        self.assertAlmostEqual(float(recorder.held.max()), 1.0, places=5)
        recorder.clear_meter()
        self.assertEqual((recorder.clips, recorder.held.max()), (0, 0.0))

    def test_more_gain_is_less_noise_of_its_own(self) -> None:
        """At low gain the converter is heard behind it: turned up later, such a take is noisier than one recorded right."""
        noise = []
        for gain in (0.0, 50.0):
            recorder = self.recorder(gain_db=gain)
            recorder._air.move(replace(PLACES["gear room"], tone_db=-60, hum_db=0, passing=""))
            noise.append(rms_db(self.heard(recorder, np.zeros((48_000, 2)))))
        self.assertAlmostEqual(noise[0], CONVERTER_NOISE_DB, delta=0.6)
        self.assertLess(noise[1] - 50, noise[0] - 10)

    def test_low_cut_is_second_order_at_its_frequency(self) -> None:
        """Butterworth: -3.01 dB at the cut-off, -12 dB an octave below (closed form: 10 log10(1 + 2^4))."""
        for hz, wanted in ((LOW_CUT_HZ, -3.01), (LOW_CUT_HZ / 2, -12.30), (1000.0, 0.0)):
            open_, cut = (self.heard(self.recorder(gain_db=40.0, low_cut=on), self.tone(hz, 1.0, 2.0))[RATE:] for on in (False, True))
            self.assertAlmostEqual(rms_db(cut) - rms_db(open_), wanted, delta=0.1)

    def test_settings_out_of_range_are_refused_in_one_sentence(self) -> None:
        recorder = self.recorder()
        for values, word in (({"gain_db": 99.0}, "gain_db"), ({"distance_m": 0.0}, "distance_m"), ({"place": "moon"}, "moon"), ({"angle_deg": 120.0}, "angle")):
            with self.subTest(values=values), self.assertRaisesRegex(OskrenError, word):
                recorder.set(values)
        self.assertEqual(recorder.settings, RecorderSettings())
        with self.assertRaisesRegex(OskrenError, "kazoo"):
            recorder.gesture("kazoo", 0.5)

    def test_another_place_leaves_its_air_behind(self) -> None:
        recorder = self.recorder(gain_db=40.0)
        recorder.play(self.tone(1000, 1.0, 3.0))
        loud = rms_db(recorder.advance(4800))
        recorder.set({"place": "glasshouse"})
        self.assertLess(rms_db(recorder.advance(4800)), loud - 20)
        recorder.start()
        with self.assertRaisesRegex(OskrenError, "end the take"):
            recorder.set({"place": "causeway"})

    def test_listening_along_gets_every_frame_once(self) -> None:
        recorder = self.recorder()
        first = recorder.advance(3000)
        at, heard = recorder.heard(1000)
        self.assertEqual(at, 1000)
        np.testing.assert_array_equal(heard, first[1000:])
        second = recorder.advance(2000)
        at, heard = recorder.heard(at + len(heard))
        self.assertEqual(at, 3000)
        np.testing.assert_array_equal(heard, second)
        self.assertEqual(recorder.heard(1 << 60)[0], 5000)
        for _ in range(8):
            recorder.advance(RATE)
        at, heard = recorder.heard(0)  # older than what is kept
        self.assertEqual(at + len(heard), recorder.position)
        self.assertLess(len(heard), 7 * RATE)


class Takes(WithCard):
    def test_a_take_is_a_broadcast_wav_that_another_reader_understands(self) -> None:
        """Read back by wavinfo (EBU Tech 3285: description, date, time, time reference in samples since midnight)."""
        recorder = self.recorder(place="glasshouse", gain_db=33.0, low_cut=True)
        recorder.play(recorder.gesture("brass", 0.7))
        self.assertEqual(recorder.start(), "T0001.WAV")
        heard = np.concatenate([recorder.advance(2400) for _ in range(30)])
        recorder.stop()
        path = self.card.folder / "260914" / "T0001.WAV"
        info = wavinfo.WavInfoReader(str(path))
        self.assertEqual((info.fmt.sample_rate, info.fmt.bits_per_sample, info.fmt.channel_count, info.data.frame_count), (RATE, 24, 2, len(heard)))
        self.assertEqual((info.bext.originator_date, info.bext.originator_time), ("2026-09-14", "06:12:30"))
        self.assertEqual(info.bext.time_reference, (6 * 3600 + 12 * 60 + 30) * RATE)
        self.assertIn("Glasshouse, gain 33 dB", info.bext.description)
        self.assertIn("low-cut", info.bext.description)
        self.assertEqual(info.ixml.take, "1")
        samples, rate = files.read(path)
        self.assertEqual(rate, RATE)
        np.testing.assert_allclose(samples, heard, atol=0.51 * 2.0**-23)

    def test_long_takes_are_split_and_join_to_the_frame(self) -> None:
        recorder = Recorder(self.card, split_s=0.5, clock=lambda: MORNING)
        recorder.play(recorder.gesture("glass", 0.9))
        recorder.start()
        heard = np.concatenate([recorder.advance(size) for size in (7000, 30_000, 999, 22_001)])
        self.assertEqual(recorder.recording, "T0001_3.WAV")
        recorder.stop()
        paths = [self.card.folder / one.name for one in self.card.files()]
        self.assertEqual([path.name for path in paths], ["T0001.WAV", "T0001_2.WAV", "T0001_3.WAV"])
        joined = np.concatenate([files.read(path)[0] for path in paths])
        np.testing.assert_allclose(joined, heard, atol=0.51 * 2.0**-23)
        begins = [metadata.read(path, RATE).time_reference_s or 0 for path in paths]
        self.assertAlmostEqual(begins[1] - begins[0], 0.5, places=4)
        self.assertAlmostEqual(begins[2] - begins[1], 0.5, places=4)

    def test_numbers_go_on_over_days_and_after_a_restart(self) -> None:
        for days in range(3):
            recorder = Recorder(self.card, clock=lambda days=days: MORNING + timedelta(days=days))
            self.assertEqual(recorder.start(), f"T{days + 1:04d}.WAV")
            recorder.advance(480)
            recorder.stop()
        self.assertEqual(sorted(path.name for path in self.card.folder.iterdir()), ["260914", "260915", "260916"])
        self.assertEqual(self.card.erase(), 3)
        self.assertEqual((self.card.files(), self.card.next_number()), ([], 1))

    def test_a_take_that_was_never_ended_is_whole_up_to_its_last_second(self) -> None:
        """The recorder loses its power: the file is valid all the same."""
        recorder = self.recorder()
        recorder.start()
        for _ in range(25):
            recorder.advance(4800)  # 2.5 s
        [found] = self.card.files()
        self.assertAlmostEqual(found.seconds, 2.0, delta=0.11)
        samples, _ = files.read(self.card.folder / found.name)
        self.assertEqual(len(samples), round(found.seconds * RATE))

    def test_a_card_that_cannot_be_written_ends_the_take_with_a_sentence(self) -> None:
        recorder = self.recorder()
        self.card.folder.parent.mkdir(exist_ok=True)
        self.card.folder.write_text("a file where the card should be")
        with self.assertRaisesRegex(OskrenError, "card cannot be written"):
            recorder.start()
        self.assertEqual(recorder.recording, "")

    def test_starting_twice_and_ending_nothing_are_refused(self) -> None:
        recorder = self.recorder()
        with self.assertRaisesRegex(OskrenError, "not running"):
            recorder.stop()
        recorder.start()
        with self.assertRaisesRegex(OskrenError, "running already"):
            recorder.start()
        recorder.stop()

    def test_odd_lengths_are_padded_as_riff_asks(self) -> None:
        file = WavFile(self.card.folder / "odd.wav", RATE, 1, metadata.Metadata())
        file.add(np.full((3, 1), 0.5, np.float32))
        file.close()
        raw = (self.card.folder / "odd.wav").read_bytes()
        self.assertEqual(len(raw) % 2, 0)
        self.assertEqual(int.from_bytes(raw[4:8], "little"), len(raw) - 8)
        np.testing.assert_allclose(files.read(self.card.folder / "odd.wav")[0], 0.5)


class InRealTime(WithCard):
    def test_it_runs_records_and_is_switched_off(self) -> None:
        running = Running(self.card.folder)
        with self.assertRaisesRegex(OskrenError, "off"):
            running.recorder()
        running.switch(True)
        moving = threading.Event()
        recorder = running.recorder()
        advance = recorder.advance

        def told(frames: int) -> np.ndarray:
            out = advance(frames)
            if recorder.recorded > 0.3 * RATE:
                moving.set()
            return out

        recorder.advance = told  # type: ignore[method-assign]
        with running.lock:
            recorder.start()
        self.assertTrue(moving.wait(90))
        running.switch(False)  # ends the take
        self.assertFalse(running.on)
        [found] = self.card.files()
        self.assertGreaterEqual(found.seconds, 0.3)
        running.switch(False)
