"""Ogg Vorbis: lossy, words as Vorbis comments. The encoder rounds off single steep peaks, not the level (own rule for what it may change)."""

from oskren.core.audio.formats.base import Format, register
from oskren.core.audio.formats.comments import embed

OGG = register(
    Format(
        key="ogg",
        label="Ogg Vorbis",
        suffix=".ogg",
        container="OGG",
        codecs={0: "VORBIS"},
        magic=(b"OggS",),
        embed=embed,
        write_frames=4096,  # the encoder keeps each write on its stack
        peak_db=3.0,
        rms_db=1.5,
    )
)
