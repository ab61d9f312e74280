"""WAV, as RF64 beyond 4 GiB: words as Broadcast WAV, iXML and LIST INFO, markers as cue points, loops as a sampler chunk."""

from oskren.core.audio.formats.base import Format, register
from oskren.core.audio.metadata import embed_riff

WAV = register(
    Format(
        key="wav",
        label="WAV",
        suffix=".wav",
        container="WAV",
        codecs={16: "PCM_16", 24: "PCM_24", 32: "FLOAT"},
        magic=(b"RIFF", b"RF64"),
        embed=embed_riff,
        beyond_4gb="RF64",
    )
)
