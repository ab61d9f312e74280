"""FLAC: whole numbers without loss, words as Vorbis comments."""

from oskren.core.audio.formats.base import Format, register
from oskren.core.audio.formats.comments import embed

FLAC = register(
    Format(
        key="flac",
        label="FLAC",
        suffix=".flac",
        container="FLAC",
        codecs={16: "PCM_16", 24: "PCM_24"},
        magic=(b"fLaC",),
        embed=embed,
    )
)
