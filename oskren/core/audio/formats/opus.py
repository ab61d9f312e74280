"""Opus in Ogg (RFC 7845): lossy, words as Vorbis comments. It knows five rates; a sound of another one is converted."""

from oskren.core.audio.formats.base import Format, register
from oskren.core.audio.formats.comments import embed

OPUS = register(
    Format(
        key="opus",
        label="Opus",
        suffix=".opus",
        container="OGG",
        codecs={0: "OPUS"},
        magic=(b"OggS",),
        embed=embed,
        write_frames=4096,
        peak_db=3.0,
        rms_db=1.5,
        rates=(8_000, 12_000, 16_000, 24_000, 48_000),  # RFC 6716, section 2: the rates it can be given
        compression=0.1,
    )
)
