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

from oskren.core.errors import OskrenError

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


_INFO = {
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
    tagged = Metadata()
    for name, content in chunks(path):
        try:
            if name == b"bext" and len(content) >= 346:
                _bext(content, rate, found)
            elif name in (b"iXML", b"IXML"):
                _ixml(content, rate, found)
            elif name == b"LIST" and content[:4] == b"INFO":
                for key, text in _sub_chunks(content):
                    if key in _INFO and _text(text):
                        found.setdefault(_INFO[key], _text(text))
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
    found["markers"] = tuple(
        Marker(at_s=offset / rate, label=labels.get(number, ""), length_s=lengths.get(number, 0) / rate)
        for number, offset in sorted(points.items(), key=lambda point: point[1])
    )
    # what the file's own chunks say counts more than tags put around it
    return tagged.model_copy(update={key: value for key, value in found.items() if value})


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


_ID3 = {
    "title": "TIT2",
    "artist": "TPE1",
    "category": "TCON",
    "date": "TDRC",
    "rights": "TCOP",
    "project": "TALB",
    "description": "TIT3",
    "software": "TSSE",
}
_VORBIS = {
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
        for key, frame in _ID3.items():
            texts = [str(one) for one in tags.getall(frame)]
            if texts and texts[0].strip():
                found[key] = texts[0].strip()
        comments = [str(one).strip() for one in tags.getall("COMM")]
        found["comment"] = next((text for text in comments if text), "")
        for one in tags.getall("TXXX"):
            if one.desc.lower() in ("keywords", "description") and one.text:
                found[one.desc.lower()] = _keywords(str(one.text[0])) if one.desc.lower() == "keywords" else str(one.text[0])
    else:
        for key, name in _VORBIS.items():
            values = tags.get(name)
            if values and str(values[0]).strip():
                found[key] = str(values[0]).strip()
        if tags.get("keywords"):
            found["keywords"] = _keywords(", ".join(str(value) for value in tags["keywords"]))
    return Metadata.model_validate({key: value for key, value in found.items() if value})


# ---- writing


def embed_comments(path: Path, data: Metadata, rate: int, channels: int = 1) -> None:
    """Put metadata into a finished FLAC or Ogg file as Vorbis comments; what it held of these tags before is replaced. The sound is not touched."""
    import mutagen

    file = mutagen.File(path)
    if file is None:
        raise OskrenError(f"{path}: its tags cannot be written; export it again.")
    for key, name in _VORBIS.items():
        value = getattr(data, key)
        if value:
            file[name] = [value]
    if data.keywords:
        file["keywords"] = [", ".join(data.keywords)]
    file.save()


def _chunk(name: bytes, content: bytes) -> bytes:
    return name + struct.pack("<I", len(content)) + content + (b"\0" if len(content) & 1 else b"")


def _ascii(text: str) -> bytes:
    """What a bext field may hold: ASCII. The text as it is written stands in iXML and LIST INFO."""
    return unicodedata.normalize("NFKD", text).encode("ascii", "ignore")


def _fixed(text: str, size: int) -> bytes:
    return _ascii(text)[:size].ljust(size, b"\0")


def riff_chunks(data: Metadata, rate: int, channels: int = 1) -> bytes:
    """The chunks that say in a WAV file what ``data`` says: bext, iXML, LIST INFO, cue, LIST adtl, smpl."""
    day, _, hour = data.date.partition("T")
    reference = round((data.time_reference_s or 0.0) * rate)
    bext = b"".join(
        (
            _fixed(data.description or data.title, 256),
            _fixed(data.artist or "Oskren", 32),
            _fixed("", 32),
            _fixed(day, 10),
            _fixed(hour[:8] if len(hour) >= 8 else "", 8),
            struct.pack("<IIH", reference & 0xFFFFFFFF, reference >> 32, 2),
            bytes(64),
            struct.pack("<5h", *[0x7FFF] * 5),  # loudness left unstated, as the document asks
            bytes(180),
            _ascii(data.history),
        )
    )
    out = [_chunk(b"bext", bext), _chunk(b"iXML", _written_ixml(data, channels))]
    info = b"".join(_chunk(key, getattr(data, name).encode("utf-8") + b"\0") for key, name in _INFO.items() if getattr(data, name))
    if data.keywords:
        info += _chunk(b"IKEY", ", ".join(data.keywords).encode("utf-8") + b"\0")
    if info:
        out.append(_chunk(b"LIST", b"INFO" + info))
    if data.markers:
        frames = [round(mark.at_s * rate) for mark in data.markers]
        points = b"".join(struct.pack("<II4sIII", i + 1, at, b"data", 0, 0, at) for i, at in enumerate(frames))
        out.append(_chunk(b"cue ", struct.pack("<I", len(frames)) + points))
        adtl = b"".join(_chunk(b"labl", struct.pack("<I", i + 1) + mark.label.encode("utf-8") + b"\0") for i, mark in enumerate(data.markers))
        for i, mark in enumerate(data.markers):
            if mark.length_s:
                adtl += _chunk(b"ltxt", struct.pack("<II4sHHHH", i + 1, round(mark.length_s * rate), b"rgn ", 0, 0, 0, 0))
        out.append(_chunk(b"LIST", b"adtl" + adtl))
    if data.loops or data.root_note is not None:
        head = struct.pack("<9I", 0, 0, round(1e9 / rate), data.root_note if data.root_note is not None else 60, 0, 0, 0, len(data.loops), 0)
        body = b"".join(struct.pack("<6I", i, 0, round(loop.start_s * rate), round(loop.end_s * rate) - 1, 0, 0) for i, loop in enumerate(data.loops))
        out.append(_chunk(b"smpl", head + body))
    return b"".join(out)


def _written_ixml(data: Metadata, channels: int) -> bytes:
    root = ElementTree.Element("BWFXML")
    ElementTree.SubElement(root, "IXML_VERSION").text = "2.0"
    for tag, value in (("PROJECT", data.project), ("SCENE", data.scene), ("TAKE", data.take), ("TAPE", data.tape), ("NOTE", data.note)):
        if value:
            ElementTree.SubElement(root, tag).text = value
    user = {"TITLE": data.title, "DESCRIPTION": data.description, "CATEGORY": data.category, "RIGHTS": data.rights, "KEYWORDS": ", ".join(data.keywords)}
    if any(user.values()):
        section = ElementTree.SubElement(root, "USER")
        for tag, value in user.items():
            if value:
                ElementTree.SubElement(section, tag).text = value
    if data.channel_names and len(data.channel_names) == channels:
        tracks = ElementTree.SubElement(root, "TRACK_LIST")
        ElementTree.SubElement(tracks, "TRACK_COUNT").text = str(channels)
        for i, name in enumerate(data.channel_names, 1):
            track = ElementTree.SubElement(tracks, "TRACK")
            ElementTree.SubElement(track, "CHANNEL_INDEX").text = str(i)
            ElementTree.SubElement(track, "INTERLEAVE_INDEX").text = str(i)
            ElementTree.SubElement(track, "NAME").text = name
    return b'<?xml version="1.0" encoding="UTF-8"?>' + bytes(ElementTree.tostring(root))


_OURS = {b"bext", b"iXML", b"cue ", b"smpl"}


def embed_riff(path: Path, data: Metadata, rate: int, channels: int = 1) -> None:
    """Append our chunks behind the sound, blank out old ones of the same names, and set the sizes right."""
    with open(path, "r+b") as stream:
        magic = stream.read(12)[:4]
        at, size, long_data, ds64 = 12, os.fstat(stream.fileno()).st_size, None, None
        while at + 8 <= size:
            stream.seek(at)
            name, length = struct.unpack("<4sI", stream.read(8))
            if name == b"ds64":
                ds64 = at + 8
                long_data = struct.unpack("<QQ", stream.read(16))[1]
            if name == b"data" and length == 0xFFFFFFFF and long_data is not None:
                length = long_data
            if name in _OURS or (name == b"LIST" and stream.read(4) in (b"INFO", b"adtl")):
                stream.seek(at)
                stream.write(b"JUNK")
            at += 8 + length + (length & 1)
        stream.seek(0, os.SEEK_END)
        if stream.tell() & 1:
            stream.write(b"\0")
        stream.write(riff_chunks(data, rate, channels))
        total = stream.tell() - 8
        if magic == b"RF64" and ds64 is not None:
            stream.seek(ds64)
            stream.write(struct.pack("<Q", total))
        elif total > 0xFFFFFFFF:
            raise OskrenError(f"{path}: is over 4 GiB and cannot hold words as a plain WAV; export it as RF64.")
        else:
            stream.seek(4)
            stream.write(struct.pack("<I", total))
