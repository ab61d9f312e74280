"""Reading refuses what cannot be used, each with one reason; writing is whole or not at all."""

import errno
import struct
import unittest.mock
from pathlib import Path

import numpy as np
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st

from oskren.core.audio import files
from oskren.core.audio.replacing import replacing
from oskren.core.errors import AudioFileError, OskrenError
from oskren.core.measure import peaks
from tests.support import RATE, InFolder, noise, sine


def wav_header(frames: int, rate: int = RATE, channels: int = 1, bits: int = 16) -> bytes:
    size = frames * channels * bits // 8
    form = struct.pack("<HHIIHH", 1, channels, rate, rate * channels * bits // 8, channels * bits // 8, bits)
    return b"RIFF" + struct.pack("<I", 36 + size) + b"WAVEfmt " + struct.pack("<I", 16) + form + b"data" + struct.pack("<I", size)


class BadFiles(InFolder):
    """Every bad file gives one clear line that names the file."""

    def reason(self, name: str, data: bytes) -> str:
        path = self.folder / name
        path.write_bytes(data)
        with self.assertRaises(AudioFileError) as caught:
            files.probe(path)
            list(files.blocks(path))
        self.assertIn(name, str(caught.exception))
        self.assertEqual(path.read_bytes(), data)
        return caught.exception.reason

    def test_each_has_its_reason(self) -> None:
        whole = wav_header(1000) + bytes(2000)
        cases = {
            ("empty.wav", b""): "is empty",
            ("notes.txt", b"hello there"): "not an audio file",
            ("text.wav", b"hello there, this is text"): "named like audio",
            ("short.wav", whole[:1500]): "truncated",
            ("nothing.wav", wav_header(0)): "no samples",
            ("zero_rate.wav", wav_header(10, rate=0) + bytes(20)): "",
            ("absurd_rate.wav", wav_header(10, rate=900_000_000) + bytes(20)): "sample rate",
            ("forty.wav", wav_header(10, channels=40) + bytes(800)): "40 channels",
        }
        for (name, data), words in cases.items():
            with self.subTest(name=name):
                self.assertIn(words, self.reason(name, data))

    def test_nan_and_infinity_are_refused(self) -> None:
        for value in (np.nan, np.inf):
            path = self.folder / "bad.wav"
            samples = noise(0.1)
            samples[100] = value
            sf.write(path, samples, RATE, subtype="FLOAT")
            with self.assertRaisesRegex(AudioFileError, "not numbers"):
                files.read(path)

    def test_missing_files_and_folders(self) -> None:
        with self.assertRaisesRegex(AudioFileError, "no such file"):
            files.probe(self.folder / "gone.wav")
        with self.assertRaisesRegex(AudioFileError, "is a folder"):
            files.probe(self.folder)

    def test_one_sample_is_a_sound(self) -> None:
        files.write(self.folder / "one.wav", np.full((1, 1), 0.5, np.float32), RATE, 24)
        self.assertEqual(files.probe(self.folder / "one.wav").frames, 1)

    @settings(deadline=None, max_examples=60)
    @given(st.binary(max_size=300), st.integers(0, 60))
    def test_damaged_headers_never_crash(self, junk: bytes, at: int) -> None:
        data = bytearray(wav_header(50) + bytes(100))
        data[at : at + len(junk)] = junk
        path = self.folder / "fuzz.wav"
        path.write_bytes(bytes(data))
        try:
            files.probe(path)
            list(files.blocks(path))
        except AudioFileError as error:
            self.assertTrue(error.reason)


class Writing(InFolder):
    def test_24_bit_and_float_come_back(self) -> None:
        samples = noise(0.3, -12, channels=2)
        for name, bits, error in (("a.wav", 24, 2**-23), ("a.flac", 24, 2**-23), ("a.wav", 32, 0), ("b.wav", 16, 2**-15)):
            files.write(self.folder / name, samples, RATE, bits)
            back, rate = files.read(self.folder / name)
            self.assertEqual((rate, back.shape), (RATE, samples.shape))
            self.assertLessEqual(float(np.abs(back - samples).max()), error)

    def test_vorbis_keeps_length_and_level(self) -> None:
        samples = sine(440, 3, -6, channels=2)
        files.write(self.folder / "a.ogg", samples, RATE)
        back, _ = files.read(self.folder / "a.ogg")
        self.assertEqual(len(back), len(samples))
        self.assertAlmostEqual(float(np.std(back) / np.std(samples)), 1.0, delta=0.03)

    def test_formats_that_cannot_be_written_are_refused(self) -> None:
        for name, bits in (("a.mp9", 24), ("a.flac", 32), ("a.wav", 12)):
            with self.assertRaises(OskrenError):
                files.write(self.folder / name, noise(0.1), RATE, bits)
        self.assertEqual(list(self.folder.glob("a*")), [])

    def test_a_full_disk_says_so_and_leaves_the_old_file(self) -> None:
        path = self.folder / "a.wav"
        files.write(path, noise(0.1), RATE, 24)
        before = path.read_bytes()
        with unittest.mock.patch("os.fsync", side_effect=OSError(errno.ENOSPC, "No space left on device")), self.assertRaisesRegex(OskrenError, "disk is full"):
            files.write(path, noise(0.2), RATE, 24)
        self.assertEqual(path.read_bytes(), before)
        self.assertEqual([one.name for one in self.folder.iterdir() if one.is_file()], ["a.wav"])

    def test_a_real_full_device_is_reported(self) -> None:
        """/dev/full refuses every byte, as a full disk does."""
        with self.assertRaises(OskrenError), replacing(Path("/dev/full/a.wav")):
            pass

    def test_the_hash_is_of_the_sound_not_of_the_file(self) -> None:
        samples = noise(0.2, -20)
        files.write(self.folder / "a.wav", samples, RATE, 24)
        files.write(self.folder / "b.flac", samples, RATE, 24)
        files.write(self.folder / "c.wav", samples * 0.5, RATE, 24)
        one, same, other = (files.audio_hash(self.folder / name) for name in ("a.wav", "b.flac", "c.wav"))
        self.assertEqual(one, same)
        self.assertNotEqual(one, other)


class Waveforms(InFolder):
    def build(self, samples: np.ndarray) -> peaks.Peaks:
        building = peaks.Building(samples.shape[1])
        for at in range(0, len(samples), 10_007):
            building.add(samples[at : at + 10_007])
        return building.finish()

    def test_a_view_holds_the_extremes_of_every_stretch(self) -> None:
        samples = noise(20, -20, channels=2)
        found = self.build(samples)
        for start, end, width in ((0, len(samples), 700), (100_000, 900_000, 333)):
            view = found.view(start, end, width)
            self.assertEqual(view.shape, (width, 2, 3))
            edges = np.linspace(start, end, width + 1)
            for i in (0, width // 2, width - 1):
                # stretches are rounded to the level used: compare with one coarse value on either side
                part = samples[max(0, int(edges[i]) - 4096) : int(edges[i + 1]) + 4096]
                self.assertLessEqual(view[i, :, 1].max(), np.ceil(part.max() * 32767) + 1)
            self.assertGreaterEqual(view[:, :, 1].max(), np.floor(samples[start + 4096 : end - 4096].max() * 32767) - 1)

    def test_close_up_asks_for_samples(self) -> None:
        self.assertIsNone(self.build(noise(2)).view(0, 1000, 500))
        view = peaks.of_samples(sine(100, 0.01, -6), 4000)
        self.assertEqual(len(view), 480)

    def test_saved_and_loaded(self) -> None:
        found = self.build(noise(3))
        found.save(self.folder / "p.npz")
        again = peaks.Peaks.load(self.folder / "p.npz")
        np.testing.assert_array_equal(again.levels[0], found.levels[0])
        (self.folder / "p.npz").write_bytes(b"x")
        self.assertIsNone(peaks.Peaks.load(self.folder / "p.npz"))

    def test_a_spectrogram_shows_a_tone_in_its_row(self) -> None:
        samples = sine(1000, 2, -6)
        view = peaks.spectrogram(lambda start, frames: samples[start : start + frames], 0, len(samples), 100, 96, RATE)
        rows = np.geomspace(20_000, 40, 97)
        loudest = int(np.argmax(view[:, 50]))
        self.assertTrue(rows[loudest + 1] <= 1040 and rows[loudest] >= 960)
        self.assertAlmostEqual(view[loudest, 50] / 255 * 108 - 108, -6, delta=1.5)
