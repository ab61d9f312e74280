"""Files we write, read back by other libraries."""

import wave

import mutagen
import numpy as np
import wavinfo

from oskren.core.audio import files
from oskren.core.audio.metadata import Metadata
from tests.support import RATE, InFolder, noise, sine


class OtherReaders(InFolder):
    def test_24_bit_wav_by_the_standard_library(self) -> None:
        path = self.folder / "a.wav"
        samples = sine(440, 0.1, -6, channels=2)
        files.write(path, samples, RATE, 24)
        with wave.open(str(path)) as stream:
            self.assertEqual((stream.getnchannels(), stream.getsampwidth(), stream.getframerate(), stream.getnframes()), (2, 3, RATE, 4800))
            raw = np.frombuffer(stream.readframes(4800), np.uint8).reshape(-1, 3)
        values = (raw[:, 0].astype(np.int32) << 8 | raw[:, 1].astype(np.int32) << 16 | raw[:, 2].astype(np.int32) << 24) >> 8
        np.testing.assert_allclose(values.reshape(-1, 2) / 2**23, samples, atol=2**-23)

    def test_lossy_files_by_another_decoder(self) -> None:
        """MP3 and Vorbis decoded by pedalboard: the same moment, level and pitch, to the frame and within a decibel; Opus by its own header (RFC 7845)."""
        from pedalboard.io import AudioFile

        wave_ = np.concatenate([noise(0.2, -70), sine(1000, 0.6, -9), noise(0.2, -70, seed=3)])
        for name in ("a.mp3", "a.ogg"):
            path = self.folder / name
            files.write(path, wave_, RATE, 24)
            with AudioFile(str(path)) as stream:
                back = stream.read(stream.frames)[0]
            with self.subTest(name=name):
                lag = int(np.argmax(np.correlate(back[: RATE // 2], wave_[: RATE // 2, 0], "full"))) - (RATE // 2 - 1)
                self.assertLessEqual(abs(lag) % 48, 1)  # a tone of 1 kHz repeats every 48 frames
                self.assertAlmostEqual(20 * np.log10(np.sqrt(np.mean(back**2)) / np.sqrt(np.mean(wave_**2))), 0, delta=1.0)
        path = self.folder / "a.opus"
        files.write(path, wave_, RATE, 24)
        head = path.read_bytes()
        at = head.index(b"OpusHead")
        self.assertEqual((head[:4], head[at + 8], head[at + 9]), (b"OggS", 1, 1))  # version 1, one channel
        self.assertAlmostEqual(mutagen.File(path).info.length, 1.0, delta=0.02)

    def test_tags_of_wav_by_wavinfo(self) -> None:
        path = self.folder / "a.wav"
        files.write(path, sine(440, 0.1), RATE, 24, said=Metadata(title="Bolt drop", category="Mechanism/Lock", comment="hard heavy"))
        info = wavinfo.WavInfoReader(str(path))
        self.assertEqual((info.info.title, info.info.genre, info.info.comment), ("Bolt drop", "Mechanism/Lock", "hard heavy"))

    def test_tags_of_flac_and_vorbis_by_mutagen(self) -> None:
        for name in ("a.flac", "a.ogg"):
            path = self.folder / name
            files.write(path, noise(0.5, -20), RATE, 24, said=Metadata(title="Kelp", category="Plant"))
            tags = mutagen.File(path)
            with self.subTest(name=name):
                self.assertEqual((tags["title"], tags["genre"]), (["Kelp"], ["Plant"]))
                self.assertAlmostEqual(tags.info.length, 0.5, places=3)
