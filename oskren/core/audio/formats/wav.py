"""WAV, as RF64 beyond 4 GiB: words as Broadcast WAV, iXML and LIST INFO, markers as cue points, loops as a sampler chunk.

Chunk layouts: bext after EBU Tech 3285 v2; LIST INFO, cue, labl, ltxt and smpl after the Multimedia Programming
Interface and Data Specifications 1.0 (1991); iXML after its open specification.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO
from xml.etree import ElementTree

from oskren.core.audio.formats.base import Format, Levels, register
from oskren.core.audio.metadata import INFO, Metadata, in_ascii
from oskren.core.errors import OskrenError


def _chunk(name: bytes, content: bytes) -> bytes:
    return name + struct.pack("<I", len(content)) + content + (b"\0" if len(content) & 1 else b"")


_UNSTATED = 0x7FFF
"""A level that was not measured, as EBU Tech 3285 v2 asks."""

_LEVELS_AT = 412
"""Where the levels stand in a bext chunk: loudness, its range, true peak, highest momentary and short-term loudness, each in hundredths."""


def _fixed(text: str, size: int) -> bytes:
    """A field of bext, which holds ASCII alone; the text as it is written stands in iXML and LIST INFO."""
    return in_ascii(text)[:size].ljust(size, b"\0")


def chunks(data: Metadata, rate: int, channels: int = 1) -> bytes:
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
            struct.pack("<5h", *[_UNSTATED] * 5),
            bytes(180),
            in_ascii(data.history),
        )
    )
    out = [_chunk(b"bext", bext), _chunk(b"iXML", _written_ixml(data, channels))]
    info = b"".join(_chunk(key, getattr(data, name).encode("utf-8") + b"\0") for key, name in INFO.items() if getattr(data, name))
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


def _places(stream: BinaryIO) -> Iterator[tuple[bytes, int, int]]:
    """Chunks of a file: name, where each begins, length of what it holds; the chunk that says how long 64-bit data is counts for that."""
    at, size, long_data = 12, os.fstat(stream.fileno()).st_size, None
    while at + 8 <= size:
        stream.seek(at)
        name, length = struct.unpack("<4sI", stream.read(8))
        if name == b"ds64":
            long_data = struct.unpack("<QQ", stream.read(16))[1]
        if name == b"data" and length == 0xFFFFFFFF and long_data is not None:
            length = long_data
        yield name, at, length
        at += 8 + length + (length & 1)


def state(path: Path, said: Levels) -> None:
    """Put what was measured of a finished file into its bext chunk (EBU Tech 3285 v2); nothing else of the file changes."""
    values = [_UNSTATED if one is None or not -99.99 <= one <= 99.99 else round(100 * one) for one in said]
    with open(path, "r+b") as stream:
        for name, at, length in _places(stream):
            if name == b"bext" and length >= _LEVELS_AT + 10:
                stream.seek(at + 8 + _LEVELS_AT)
                stream.write(struct.pack("<5h", *values))
                return


def embed(path: Path, data: Metadata, rate: int, channels: int = 1) -> None:
    """Append our chunks behind the sound, blank out old ones of the same names, and set the sizes right."""
    with open(path, "r+b") as stream:
        magic, ds64 = stream.read(12)[:4], None
        for name, at, _ in _places(stream):
            if name == b"ds64":
                ds64 = at + 8
            stream.seek(at + 8)
            if name in _OURS or (name == b"LIST" and stream.read(4) in (b"INFO", b"adtl")):
                stream.seek(at)
                stream.write(b"JUNK")
        stream.seek(0, os.SEEK_END)
        if stream.tell() & 1:
            stream.write(b"\0")
        stream.write(chunks(data, rate, channels))
        total = stream.tell() - 8
        if magic == b"RF64" and ds64 is not None:
            stream.seek(ds64)
            stream.write(struct.pack("<Q", total))
        elif total > 0xFFFFFFFF:
            raise OskrenError(f"{path}: is over 4 GiB and cannot hold words as a plain WAV; export it as RF64.")
        else:
            stream.seek(4)
            stream.write(struct.pack("<I", total))


WAV = register(
    Format(
        key="wav",
        label="WAV",
        suffix=".wav",
        container="WAV",
        codecs={16: "PCM_16", 24: "PCM_24", 32: "FLOAT"},
        magic=(b"RIFF", b"RF64"),
        embed=embed,
        state=state,
        beyond_4gb="RF64",
        marks=True,
    )
)
