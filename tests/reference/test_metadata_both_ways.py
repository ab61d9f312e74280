"""Words in files, both ways: ours read by wavinfo and mutagen, theirs and hand-built ones read by us.

Chunk layouts: EBU Tech 3285 v2 (bext), Multimedia Programming Interface and Data Specifications 1.0 (LIST, cue, smpl), the
iXML specification, AIFF 1.3; fields of these documents from memory, checked by the two libraries.
"""

import struct
import warnings

import mutagen
import mutagen.flac
import mutagen.id3
import mutagen.wave
import numpy as np
import soundfile as sf
import wavinfo

from oskren.core.audio import files, formats, metadata
from oskren.core.audio.formats.base import Levels
from oskren.core.audio.metadata import LoopPart, Marker, Metadata
from tests.support import RATE, InFolder, noise, sine

FULL = Metadata(
    title="Bolt drop",
    description="Iron bolt on stone, ümlaut",
    artist="Field team",
    date="2026-05-03T14:05:09",
    rights="Ours",
    comment="hard heavy",
    category="Mechanism/Lock",
    keywords=("hard", "heavy iron"),
    project="Observatory",
    scene="12",
    take="3",
    tape="A1",
    note="second half",
    software="Oskren",
    time_reference_s=3600.5,
    markers=(Marker(at_s=0.25, label="anchor"), Marker(at_s=0.5, label="ring", length_s=0.25)),
    loops=(LoopPart(start_s=0.25, end_s=0.75),),
    root_note=57,
)


class Ours(InFolder):
    def test_wav_by_wavinfo(self) -> None:
        path = self.folder / "a.wav"
        samples = sine(440, 1.0, -6, channels=2)
        files.write(path, samples, RATE, 24, said=FULL)
        info = wavinfo.WavInfoReader(str(path))
        self.assertEqual((info.fmt.channel_count, info.fmt.sample_rate, info.data.frame_count), (2, RATE, RATE))
        # the document asks for ASCII there; the text as it is written stands in iXML and LIST INFO
        self.assertEqual(info.bext.description, "Iron bolt on stone, umlaut")
        self.assertEqual((info.bext.originator, info.bext.originator_date, info.bext.originator_time), ("Field team", "2026-05-03", "14:05:09"))
        self.assertEqual(info.bext.time_reference, round(3600.5 * RATE))
        self.assertEqual((info.info.title, info.info.artist, info.info.copyright, info.info.genre), ("Bolt drop", "Field team", "Ours", "Mechanism/Lock"))
        self.assertEqual((info.ixml.project, info.ixml.scene, info.ixml.take, info.ixml.tape), ("Observatory", "12", "3", "A1"))
        self.assertEqual([(cue.position, cue.sample_offset) for cue in info.cues.cues], [(12_000, 12_000), (24_000, 24_000)])
        self.assertEqual([label.text for label in info.cues.labels], ["anchor", "ring"])
        # the sound is what it was
        np.testing.assert_allclose(files.read(path)[0], samples, atol=2**-23)

    def test_flac_and_ogg_by_mutagen(self) -> None:
        for name in ("a.flac", "a.ogg", "a.opus"):
            path = self.folder / name
            files.write(path, noise(0.5, -20), RATE, 24, said=FULL)
            tags = mutagen.File(path)
            with self.subTest(name=name):
                self.assertEqual((tags["title"], tags["genre"], tags["copyright"]), (["Bolt drop"], ["Mechanism/Lock"], ["Ours"]))
                back = metadata.read(path, RATE)
                self.assertEqual((back.title, back.category, back.keywords, back.date), (FULL.title, FULL.category, FULL.keywords, FULL.date))

    def test_mp3_by_mutagen(self) -> None:
        path = self.folder / "a.mp3"
        files.write(path, noise(0.5, -20, channels=2), RATE, 24, said=FULL)
        tags = mutagen.id3.ID3(path)
        self.assertEqual((tags.version[:2], tags["TIT2"].text, tags["TCOP"].text), ((2, 4), ["Bolt drop"], ["Ours"]))
        self.assertEqual(tags["TIT3"].text, [FULL.description])
        back = metadata.read(path, RATE)
        self.assertEqual((back.title, back.category, back.keywords, back.comment), (FULL.title, FULL.category, FULL.keywords, FULL.comment))
        formats.words_into(path, FULL.model_copy(update={"title": "Another"}), RATE)
        self.assertEqual((metadata.read(path, RATE).title, files.probe(path).frames), ("Another", RATE // 2))

    def test_aiff_by_libsndfile_and_the_standard_library(self) -> None:
        """Text chunks as libsndfile reads them, markers and frames as Python's own reader of AIFF does."""
        for bits in (16, 24, 32):
            path = self.folder / f"a{bits}.aiff"
            files.write(path, sine(440, 1.0), RATE, bits, said=FULL)
            formats.words_into(path, FULL, RATE)  # once more: what it held before is passed over
            with self.subTest(bits=bits), sf.SoundFile(str(path)) as stream:
                self.assertEqual((stream.title, stream.copyright, stream.frames, stream.format), (FULL.title, FULL.rights, RATE, "AIFF"))
                self.assertIn(FULL.description.splitlines()[0].encode("ascii", "ignore").decode()[:10], stream.comment)
                back = metadata.read(path, RATE)
                self.assertEqual((back.title, back.rights, back.artist), (FULL.title, FULL.rights, FULL.artist))
                self.assertEqual([(round(mark.at_s, 4), mark.label) for mark in back.markers], [(round(mark.at_s, 4), mark.label) for mark in FULL.markers])
            if bits < 32:
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore", DeprecationWarning)
                    import aifc

                    with aifc.open(str(path)) as reader:
                        marks = [(position, name.decode()) for _, position, name in reader.getmarkers()]
                        self.assertEqual((reader.getnframes(), reader.getsampwidth() * 8), (RATE, bits))
                self.assertEqual(marks, [(round(mark.at_s * RATE), mark.label) for mark in FULL.markers])

    def test_what_is_written_is_read_again(self) -> None:
        path = self.folder / "a.wav"
        files.write(path, sine(440, 1.0), RATE, 24, said=FULL)
        self.assertEqual(metadata.read(path, RATE), FULL)

    def test_measured_levels_stand_in_bext(self) -> None:
        """Fields of EBU Tech 3285 v2 as another library reads them; what was not measured stays unstated, and the sound is as it was."""
        path = self.folder / "a.wav"
        samples = noise(1.0, -20)
        files.write(path, samples, RATE, 24, said=FULL)
        before = path.read_bytes()
        self.assertEqual(wavinfo.WavInfoReader(str(path)).bext.loudness_value, 0x7FFF / 100)
        formats.of_file(path).state(path, Levels(-23.04, None, -1.25, -20.5, 120.0))  # type: ignore[misc]
        told = wavinfo.WavInfoReader(str(path)).bext
        self.assertEqual((told.loudness_value, told.max_true_peak, told.max_momentary_loudness), (-23.04, -1.25, -20.5))
        self.assertEqual((told.loudness_range, told.max_shortterm_loudness), (0x7FFF / 100, 0x7FFF / 100))
        after = path.read_bytes()
        self.assertEqual(len(after), len(before))
        self.assertLessEqual(sum(one != other for one, other in zip(before, after, strict=True)), 6)
        self.assertEqual(metadata.read(path, RATE), FULL)

    def test_names_that_ascii_cannot_write_come_back(self) -> None:
        """bext holds ASCII alone; LIST INFO beside it says them as they are, unless it says something else."""
        for artist in ("Ann Ö", "Zoë Ångström, Observatory of the Saltglass", "\u5de5\u623f"):
            with self.subTest(artist=artist):
                path = self.folder / "a.wav"
                files.write(path, sine(440, 0.1), RATE, 24, said=Metadata(artist=artist, description=f"{artist}: {'long ' * 80}end"))
                back = metadata.read(path, RATE)
                self.assertEqual((back.artist, back.description), (artist, f"{artist}: {'long ' * 80}end"))
        plain = b"Ann O".ljust(32, b"\0")
        for other in ("Ben", "Ann A"):
            files.write(path, sine(440, 0.1), RATE, 24, said=Metadata(artist="Ann Ö"))
            held = path.read_bytes()
            self.assertEqual(held.count(plain), 1)
            path.write_bytes(held.replace(plain, other.encode().ljust(32, b"\0")))
            self.assertEqual(metadata.read(path, RATE).artist, other)

    def test_writing_again_replaces(self) -> None:
        path = self.folder / "a.wav"
        files.write(path, sine(440, 0.5), RATE, 16, said=FULL)
        formats.words_into(path, Metadata(title="Other", description="Other words"), RATE)
        back = metadata.read(path, RATE)
        self.assertEqual((back.title, back.description, back.markers, back.loops, back.rights), ("Other", "Other words", (), (), ""))
        self.assertEqual(files.probe(path).frames, RATE // 2)
        wavinfo.WavInfoReader(str(path))

    def test_rf64(self) -> None:
        path = self.folder / "big.wav"
        with sf.SoundFile(str(path), "w", RATE, 1, "PCM_24", format="RF64") as stream:
            stream.write(sine(440, 1.0))
        formats.words_into(path, FULL, RATE)
        self.assertEqual(metadata.read(path, RATE).description, FULL.description)
        self.assertEqual(files.probe(path).frames, RATE)

    def test_channel_names(self) -> None:
        path = self.folder / "b.wav"
        files.write(path, noise(0.2, -20, channels=4), RATE, 24, said=Metadata(title="x", channel_names=("W", "Y", "Z", "X")))
        self.assertEqual(metadata.read(path, RATE).channel_names, ("W", "Y", "Z", "X"))
        self.assertEqual([track.name for track in wavinfo.WavInfoReader(str(path)).ixml.track_list], ["W", "Y", "Z", "X"])

    def test_other_formats_are_refused_in_one_sentence(self) -> None:
        path = self.folder / "a.au"
        sf.write(path, sine(440, 0.1), RATE)
        with self.assertRaisesRegex(files.OskrenError, "export to .wav"):
            formats.words_into(path, FULL, RATE)


class Theirs(InFolder):
    def test_vorbis_comments_by_mutagen(self) -> None:
        path = self.folder / "a.flac"
        sf.write(path, sine(440, 0.2), RATE)
        tags = mutagen.flac.FLAC(path)
        tags["title"], tags["genre"], tags["description"], tags["date"] = "Kelp", "Plant", "wet kelp on rock", "2025-04"
        tags.save()
        back = metadata.read(path, RATE)
        self.assertEqual((back.title, back.category, back.description, back.date), ("Kelp", "Plant", "wet kelp on rock", "2025-04"))

    def test_id3_in_mp3_wav_and_aiff_by_mutagen(self) -> None:
        for name, format_ in (("a.mp3", "MP3"), ("b.wav", "WAV"), ("c.aiff", "AIFF")):
            path = self.folder / name
            sf.write(path, sine(440, 0.5), RATE, format=format_)
            file = mutagen.File(path)
            if file.tags is None:
                file.add_tags()
            for frame in (
                mutagen.id3.TIT2(text="Hull creak"),
                mutagen.id3.TPE1(text="Crew"),
                mutagen.id3.TCON(text="Wood"),
                mutagen.id3.COMM(lang="eng", desc="", text="at night"),
                mutagen.id3.TXXX(desc="keywords", text="slow, boat"),
            ):
                file.tags.add(frame)
            file.save()
            back = metadata.read(path, RATE)
            with self.subTest(name=name):
                self.assertEqual(
                    (back.title, back.artist, back.category, back.comment, back.keywords), ("Hull creak", "Crew", "Wood", "at night", ("slow", "boat"))
                )
                self.assertEqual(files.probe(path).rate, RATE)

    def test_strings_by_libsndfile(self) -> None:
        for name, format_ in (("a.wav", "WAV"), ("b.aiff", "AIFF")):
            path = self.folder / name
            with sf.SoundFile(str(path), "w", RATE, 1, format=format_) as stream:
                stream.title, stream.artist, stream.comment = "Reed snap", "Someone", "dry"
                stream.write(sine(440, 0.1))
            back = metadata.read(path, RATE)
            with self.subTest(name=name):
                self.assertEqual((back.title, back.artist, back.comment), ("Reed snap", "Someone", "dry"))


def riff(*chunks: tuple[bytes, bytes]) -> bytes:
    """A WAV with 100 frames of silence and chunks, built by hand."""
    fmt = struct.pack("<HHIIHH", 1, 1, RATE, RATE * 2, 2, 16)
    body = b"WAVE"
    for name, content in ((b"fmt ", fmt), (b"data", bytes(200)), *chunks):
        body += name + struct.pack("<I", len(content)) + content + (b"\0" if len(content) & 1 else b"")
    return b"RIFF" + struct.pack("<I", len(body)) + body


class Built(InFolder):
    def read(self, *chunks: tuple[bytes, bytes]) -> Metadata:
        path = self.folder / "built.wav"
        path.write_bytes(riff(*chunks))
        return metadata.read(path, RATE)

    def test_cue_points_in_any_order_with_labels(self) -> None:
        cue = struct.pack("<I", 2) + struct.pack("<II4sIII", 7, 0, b"data", 0, 0, 4800) + struct.pack("<II4sIII", 3, 0, b"data", 0, 0, 480)
        labels = b"adtl" + b"labl" + struct.pack("<II", 8, 7) + b"end\0" + b"labl" + struct.pack("<II", 10, 3) + b"begin\0"
        found = self.read((b"cue ", cue), (b"LIST", labels))
        self.assertEqual(found.markers, (Marker(at_s=0.01, label="begin"), Marker(at_s=0.1, label="end")))

    def test_loops_count_their_last_frame(self) -> None:
        smpl = struct.pack("<9I", 0, 0, 20833, 60, 0, 0, 0, 1, 0) + struct.pack("<6I", 0, 0, 0, 47_999, 0, 0)
        found = self.read((b"smpl", smpl))
        self.assertEqual((found.loops, found.root_note), ((LoopPart(start_s=0.0, end_s=1.0),), 60))

    def test_damage_is_passed_over(self) -> None:
        whole = (b"LIST", b"INFO" + b"INAM" + struct.pack("<I", 4) + b"Kelp")
        for damaged in (
            (b"cue ", struct.pack("<I", 4_000_000_000)),
            (b"cue ", b"\1"),
            (b"smpl", b"\0" * 20),
            (b"bext", b"short"),
            (b"iXML", b"<BWFXML><PROJECT>open"),
            (b"iXML", b'<!DOCTYPE a [<!ENTITY b "c">]><BWFXML><PROJECT>&b;</PROJECT></BWFXML>'),
            (b"LIST", b"adtl" + b"labl" + struct.pack("<I", 4_000_000)),
            (b"id3 ", b"ID3\4\0\0\xff\xff\xff\xff"),
        ):
            with self.subTest(chunk=damaged):
                found = self.read(damaged, whole)
                self.assertEqual((found.title, found.project), ("Kelp", ""))

    def test_every_cut_of_a_file_is_survived(self) -> None:
        path = self.folder / "a.wav"
        files.write(path, sine(440, 0.01), RATE, 16, said=FULL)
        raw = path.read_bytes()
        cut = self.folder / "cut.wav"
        for length in range(0, len(raw), 61):
            cut.write_bytes(raw[:length])
            metadata.read(cut, RATE)

    def test_text_that_is_not_utf_8(self) -> None:
        found = self.read((b"LIST", b"INFO" + b"INAM" + struct.pack("<I", 5) + "Türe".encode("cp1252") + b"\0\0"))
        self.assertEqual(found.title, "Türe")
