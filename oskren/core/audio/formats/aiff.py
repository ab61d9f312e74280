"""AIFF (its specification 1.3, 1989), as AIFF-C for float: words as text chunks, markers as a marker chunk.

Only libsndfile writes the sound; the chunks behind it are ours. Text is written as UTF-8, which readers of ASCII read as far as it is that.
"""

from __future__ import annotations

import os
import struct
from pathlib import Path

from oskren.core.audio.formats.base import Format, register
from oskren.core.audio.metadata import Metadata
from oskren.core.errors import OskrenError

TEXTS = (b"NAME", b"AUTH", b"(c) ", b"ANNO")
MOST_MARKERS = 65_535
"""Their number is 16 bit."""


def _chunk(name: bytes, content: bytes) -> bytes:
    return name + struct.pack(">I", len(content)) + content + (b"\0" if len(content) & 1 else b"")


def _pascal(text: str) -> bytes:
    """A string behind its length, padded so that both together are even."""
    raw = text.encode()[:255]
    return bytes([len(raw)]) + raw + (b"" if len(raw) & 1 else b"\0")


def chunks(data: Metadata, rate: int) -> bytes:
    """The chunks that say in an AIFF file what ``data`` says."""
    said = (data.title, data.artist, data.rights, "\n".join(dict.fromkeys(text for text in (data.description, data.comment) if text)))
    texts = b"".join(_chunk(name, text.encode()) for name, text in zip(TEXTS, said, strict=True) if text)
    marks = data.markers[:MOST_MARKERS]
    if not marks:
        return texts
    listed = b"".join(struct.pack(">hI", i + 1, round(mark.at_s * rate)) + _pascal(mark.label) for i, mark in enumerate(marks))
    return texts + _chunk(b"MARK", struct.pack(">H", len(marks)) + listed)


def embed(path: Path, data: Metadata, rate: int, channels: int = 1) -> None:
    """Append the chunks behind the sound, rename old ones of their names so that they are passed over, and set the size of the whole right."""
    with open(path, "r+b") as stream:
        at, size = 12, os.fstat(stream.fileno()).st_size
        while at + 8 <= size:
            stream.seek(at)
            name, length = struct.unpack(">4sI", stream.read(8))
            if name in (*TEXTS, b"MARK"):
                stream.seek(at)
                stream.write(b"JUNK")
            at += 8 + length + (length & 1)
        stream.seek(0, os.SEEK_END)
        if stream.tell() & 1:
            stream.write(b"\0")
        stream.write(chunks(data, rate))
        total = stream.tell() - 8
        if total > 0xFFFFFFFF:
            raise OskrenError(f"{path}: is over 4 GiB, more than AIFF holds; write WAV, which becomes RF64.")
        stream.seek(4)
        stream.write(struct.pack(">I", total))


AIFF = register(
    Format(
        key="aiff",
        label="AIFF",
        suffix=".aiff",
        container="AIFF",
        codecs={16: "PCM_16", 24: "PCM_24", 32: "FLOAT"},
        magic=(b"FORM",),
        embed=embed,
        ends_at_4gb=True,
        marks=True,
    )
)
