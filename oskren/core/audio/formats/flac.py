"""FLAC: whole numbers without loss, words as Vorbis comments."""

from oskren.core.audio.formats.base import Format, register
from oskren.core.audio.metadata import embed_comments

FLAC = register(
    Format(
        key="flac",
        label="FLAC",
        suffix=".flac",
        container="FLAC",
        codecs={16: "PCM_16", 24: "PCM_24"},
        magic=(b"fLaC",),
        embed=embed_comments,
    )
)
