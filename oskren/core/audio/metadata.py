"""Words, marks and loops inside audio files: Broadcast WAV, iXML, LIST INFO, cue and label, smpl, AIFF text, Vorbis comments, ID3.

Chunk layouts: bext after EBU Tech 3285 v2; LIST INFO, cue, labl, ltxt and smpl after the Multimedia Programming
Interface and Data Specifications 1.0 (1991); AIFF after its 1989 specification; iXML after its open specification.
"""

from __future__ import annotations

import os
import struct
import unicodedata
from collections.abc import Iterator
from pathlib import Path
from xml.etree import ElementTree

from pydantic import BaseModel, ConfigDict

LARGEST_CHUNK = 4 << 20
"""Bytes of a text chunk that are looked at; more is taken for damage."""

MOST_MARKERS = 20_000


class Marker(BaseModel):
    """A moment (s from the file's start) with its label; ``length_s`` is 0 for a point."""

    model_config = ConfigDict(frozen=True)

    at_s: float
    label: str = ""
    length_s: float = 0.0


class LoopPart(BaseModel):
    """A part that repeats without a seam (s from the file's start)."""

    model_config = ConfigDict(frozen=True)

    start_s: float
    end_s: float


class Metadata(BaseModel):
    """What a file says of itself besides its sound. Empty where it says nothing."""

    model_config = ConfigDict(frozen=True)

    title: str = ""
    description: str = ""
    artist: str = ""
    date: str = ""
    rights: str = ""
    comment: str = ""
    category: str = ""
    keywords: tuple[str, ...] = ()
    project: str = ""
    scene: str = ""
    take: str = ""
    tape: str = ""
    note: str = ""
    software: str = ""
    history: str = ""
    time_reference_s: float | None = None
    channel_names: tuple[str, ...] = ()
    markers: tuple[Marker, ...] = ()
    loops: tuple[LoopPart, ...] = ()
    root_note: int | None = None

    @property
    def empty(self) -> bool:
        return self == Metadata()

    def words(self) -> list[str]:
        """Every text in it, for the search."""
        texts = [self.title, self.description, self.artist, self.comment, self.category, self.project, self.scene, self.tape, self.note]
        return [text for text in [*texts, *self.keywords, *(mark.label for mark in self.markers)] if text]


def _text(raw: bytes) -> str:
    raw = raw.split(b"\0", 1)[0]
    try:
        return raw.decode("utf-8").strip()
    except UnicodeDecodeError:
        return raw.decode("cp1252", "replace").strip()


def in_ascii(text: str) -> bytes:
    """Text as a chunk that holds nothing but ASCII can say it: without accents, other letters left out."""
    return unicodedata.normalize("NFKD", text).encode("ascii", "ignore")


# ---- reading


def read(path: Path, rate: int) -> Metadata:
    """Read everything a file says of itself; damaged parts are passed over, never raised.

    Parameters
    ----------
    rate : int
        Sample rate (Hz), by which positions in frames become seconds.
    """
    try:
        with open(path, "rb") as stream:
            magic = stream.read(12)
        if magic[:4] in (b"RIFF", b"RF64", b"BW64") and magic[8:] == b"WAVE":
            return _riff(path, rate)
        if magic[:4] == b"FORM" and magic[8:] in (b"AIFF", b"AIFC"):
            return _aiff(path, rate)
        return _tagged(path)
    except (OSError, struct.error, ValueError):
        return Metadata()


def chunks(path: Path, order: str = "<") -> Iterator[tuple[bytes, bytes]]:
    """Chunks of a RIFF, RF64 or IFF file in order: (four letters, content); the content of sound chunks is left out.

    ``order`` is the byte order of sizes: "<" for RIFF, ">" for IFF. Stops where the file is damaged.
    """
    size = path.stat().st_size
    with open(path, "rb") as stream:
        stream.seek(12)
        long_data = None
        while len(head := stream.read(8)) == 8:
            name, length = head[:4], struct.unpack(order + "I", head[4:])[0]
            if name in (b"data", b"SSND"):
                length = long_data if length == 0xFFFFFFFF and long_data is not None else length
                yield name, b""
                stream.seek(length + (length & 1), os.SEEK_CUR)
                continue
            if length > LARGEST_CHUNK or stream.tell() + length > size:
                stream.seek(length + (length & 1), os.SEEK_CUR)
                if stream.tell() >= size:
                    return
                continue
            content = stream.read(length + (length & 1))[:length]
            if name == b"ds64" and length >= 16:
                long_data = struct.unpack("<Q", content[8:16])[0]
            yield name, content


INFO = {
    b"INAM": "title",
    b"ISBJ": "description",
    b"IART": "artist",
    b"ICRD": "date",
    b"ICOP": "rights",
    b"ICMT": "comment",
    b"IGNR": "category",
    b"ISFT": "software",
    b"IPRD": "project",
}


def _sub_chunks(content: bytes) -> Iterator[tuple[bytes, bytes]]:
    at = 4
    while at + 8 <= len(content):
        length = struct.unpack_from("<I", content, at + 4)[0]
        yield content[at : at + 4], content[at + 8 : at + 8 + length]
        at += 8 + length + (length & 1)


def _riff(path: Path, rate: int) -> Metadata:
    found: dict[str, object] = {}
    points: dict[int, int] = {}
    labels: dict[int, str] = {}
    lengths: dict[int, int] = {}
    whole: dict[str, str] = {}
    tagged = Metadata()
    for name, content in chunks(path):
        try:
            if name == b"bext" and len(content) >= 346:
                _bext(content, rate, found)
            elif name in (b"iXML", b"IXML"):
                _ixml(content, rate, found)
            elif name == b"LIST" and content[:4] == b"INFO":
                for key, text in _sub_chunks(content):
                    if key in INFO and _text(text):
                        whole[INFO[key]] = _text(text)
                        found.setdefault(INFO[key], _text(text))
                    elif key == b"IKEY":
                        found["keywords"] = _keywords(_text(text))
            elif name == b"LIST" and content[:4] == b"adtl":
                for key, entry in _sub_chunks(content):
                    if len(entry) >= 4 and key in (b"labl", b"note"):
                        number = struct.unpack_from("<I", entry)[0]
                        labels.setdefault(number, _text(entry[4:]))
                    elif key == b"ltxt" and len(entry) >= 8:
                        number, length = struct.unpack_from("<II", entry)
                        lengths[number] = length
            elif name == b"cue ":
                for i in range(min(struct.unpack_from("<I", content)[0], MOST_MARKERS, (len(content) - 4) // 24)):
                    number, _, _, _, _, offset = struct.unpack_from("<II4sIII", content, 4 + 24 * i)
                    points[number] = offset
            elif name == b"smpl" and len(content) >= 36:
                _smpl(content, rate, found)
            elif name in (b"id3 ", b"ID3 "):
                tagged = _tagged(path)
        except (struct.error, ValueError):
            continue
    # what bext says in ASCII, and no further than its room goes, LIST INFO may say as it is written
    for field, room in _BEXT_ROOM.items():
        if field in whole and found.get(field) == _text(in_ascii(whole[field])[:room]):
            found[field] = whole[field]
    found["markers"] = tuple(
        Marker(at_s=offset / rate, label=labels.get(number, ""), length_s=lengths.get(number, 0) / rate)
        for number, offset in sorted(points.items(), key=lambda point: point[1])
    )
    # what the file's own chunks say counts more than tags put around it
    return tagged.model_copy(update={key: value for key, value in found.items() if value})


_BEXT_ROOM = {"description": 256, "artist": 32}
"""Bytes of the texts a bext chunk begins with."""


def _bext(content: bytes, rate: int, found: dict[str, object]) -> None:
    description, originator = _text(content[:256]), _text(content[256:288])
    day, hour = _text(content[320:330]), _text(content[330:338])
    low, high = struct.unpack_from("<II", content, 338)
    found.setdefault("description", description)
    found.setdefault("artist", originator)
    if day.strip("-:0 "):
        found["date"] = day.replace(":", "-").replace("_", "-") + (f"T{hour.replace('-', ':')}" if hour else "")
    found["time_reference_s"] = ((high << 32) + low) / rate or None
    if len(content) > 602:
        found["history"] = _text(content[602:])


def _ixml(content: bytes, rate: int, found: dict[str, object]) -> None:
    body = content.split(b"\0", 1)[0].strip()
    if b"<!" in body[:4096] and (b"<!DOCTYPE" in body or b"<!ENTITY" in body):
        return  # no entities: a small file must stay small
    try:
        root = ElementTree.fromstring(body)
    except ElementTree.ParseError:
        return

    def text(*path: str) -> str:
        return (root.findtext("/".join(path)) or "").strip()

    for key, tag in (("project", "PROJECT"), ("scene", "SCENE"), ("take", "TAKE"), ("tape", "TAPE"), ("note", "NOTE")):
        if text(tag):
            found[key] = text(tag)
    for key, tag in (("title", "TITLE"), ("description", "DESCRIPTION"), ("category", "CATEGORY"), ("rights", "RIGHTS")):
        if text("USER", tag):
            found[key] = text("USER", tag)
    if text("USER", "KEYWORDS"):
        found["keywords"] = _keywords(text("USER", "KEYWORDS"))
    names = [(int(track.findtext("INTERLEAVE_INDEX") or 0), (track.findtext("NAME") or "").strip()) for track in root.iterfind("TRACK_LIST/TRACK")]
    if any(name for _, name in names):
        found["channel_names"] = tuple(name for _, name in sorted(names))


def _smpl(content: bytes, rate: int, found: dict[str, object]) -> None:
    root, count = struct.unpack_from("<I", content, 12)[0], struct.unpack_from("<I", content, 28)[0]
    if root < 128:
        found["root_note"] = root
    loops = []
    for i in range(min(count, (len(content) - 36) // 24)):
        start, end = struct.unpack_from("<II", content, 36 + 24 * i + 8)
        if end > start:
            loops.append(LoopPart(start_s=start / rate, end_s=(end + 1) / rate))  # the last frame belongs to the loop
    found["loops"] = tuple(loops)


def _aiff(path: Path, rate: int) -> Metadata:
    found: dict[str, object] = {}
    tagged = Metadata()
    for name, content in chunks(path, ">"):
        if name in (b"NAME", b"AUTH", b"(c) ", b"ANNO"):
            found[{b"NAME": "title", b"AUTH": "artist", b"(c) ": "rights", b"ANNO": "comment"}[name]] = _text(content)
        elif name == b"MARK" and len(content) >= 2:
            marks, at = [], 2
            for _ in range(min(struct.unpack(">H", content[:2])[0], MOST_MARKERS)):
                if at + 7 > len(content):
                    break
                position, size = struct.unpack_from(">IB", content, at + 2)
                marks.append(Marker(at_s=position / rate, label=_text(content[at + 7 : at + 7 + size])))
                at += 7 + size + (0 if size & 1 else 1)
            found["markers"] = tuple(sorted(marks, key=lambda mark: mark.at_s))
        elif name in (b"ID3 ", b"id3 "):
            tagged = _tagged(path)
    return tagged.model_copy(update={key: value for key, value in found.items() if value})


def _keywords(text: str) -> tuple[str, ...]:
    parts = text.replace(";", ",").split(",") if "," in text or ";" in text else text.split()
    return tuple(dict.fromkeys(part.strip() for part in parts if part.strip()))


ID3 = {
    "title": "TIT2",
    "artist": "TPE1",
    "category": "TCON",
    "date": "TDRC",
    "rights": "TCOP",
    "project": "TALB",
    "description": "TIT3",
    "software": "TSSE",
}
VORBIS = {
    "title": "title",
    "artist": "artist",
    "category": "genre",
    "date": "date",
    "rights": "copyright",
    "project": "album",
    "description": "description",
    "comment": "comment",
    "software": "encoder",
}


def _tagged(path: Path) -> Metadata:
    """Vorbis comments and ID3, through mutagen."""
    import mutagen

    try:
        file = mutagen.File(path)
    except (mutagen.MutagenError, OSError, ValueError, IndexError, KeyError):
        return Metadata()
    if file is None or not file.tags:
        return Metadata()
    tags = file.tags
    found: dict[str, object] = {}
    if hasattr(tags, "getall"):
        for key, frame in ID3.items():
            texts = [str(one) for one in tags.getall(frame)]
            if texts and texts[0].strip():
                found[key] = texts[0].strip()
        comments = [str(one).strip() for one in tags.getall("COMM")]
        found["comment"] = next((text for text in comments if text), "")
        for one in tags.getall("TXXX"):
            if one.desc.lower() in ("keywords", "description") and one.text:
                found[one.desc.lower()] = _keywords(str(one.text[0])) if one.desc.lower() == "keywords" else str(one.text[0])
    else:
        for key, name in VORBIS.items():
            values = tags.get(name)
            if values and str(values[0]).strip():
                found[key] = str(values[0]).strip()
        if tags.get("keywords"):
            found["keywords"] = _keywords(", ".join(str(value) for value in tags["keywords"]))
    return Metadata.model_validate({key: value for key, value in found.items() if value})
