"""MP3 (MPEG-1 and MPEG-2 layer III): lossy, two channels at most, words as ID3v2.4."""

from __future__ import annotations

from pathlib import Path

from oskren.core.audio.formats.base import Format, register
from oskren.core.audio.metadata import ID3, Metadata


def embed(path: Path, data: Metadata, rate: int, channels: int = 1) -> None:
    """Put metadata into a finished file as an ID3v2.4 tag before the sound; what it held of these frames before is replaced.

    Source: ID3 tag version 2.4.0, native frames (from memory, checked by mutagen).
    """
    from mutagen import id3
    from mutagen.mp3 import MP3 as File

    file = File(path)
    if file.tags is None:
        file.add_tags()
    tags = file.tags
    for key, name in ID3.items():
        value = getattr(data, key)
        if value:
            tags.setall(name, [getattr(id3, name)(encoding=id3.Encoding.UTF8, text=[value])])
    if data.comment:
        tags.setall("COMM", [id3.COMM(encoding=id3.Encoding.UTF8, lang="eng", desc="", text=[data.comment])])
    if data.keywords:
        tags.setall("TXXX:keywords", [id3.TXXX(encoding=id3.Encoding.UTF8, desc="keywords", text=[", ".join(data.keywords)])])
    file.save(v2_version=4)


MP3 = register(
    Format(
        key="mp3",
        label="MP3",
        suffix=".mp3",
        container="MP3",
        codecs={0: "MPEG_LAYER_III"},
        magic=(b"ID3", b"\xff\xfb", b"\xff\xfa", b"\xff\xf3", b"\xff\xf2", b"\xff\xe3", b"\xff\xe2"),
        embed=embed,
        peak_db=3.0,
        rms_db=1.5,
        # ISO/IEC 11172-3 and 13818-3: the rates of MPEG-1 and of MPEG-2; lower ones are an extension
        rates=(16_000, 22_050, 24_000, 32_000, 44_100, 48_000),
        most_channels=2,
        compression=0.1,
    )
)
