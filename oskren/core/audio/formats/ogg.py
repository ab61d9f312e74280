"""Ogg Vorbis: lossy, words as Vorbis comments. The encoder rounds off single steep peaks, not the level (own rule for what it may change).

It takes any rate, and leaves out what lies above about 20 kHz whatever the rate is: white noise at 96 kHz came back 4 dB lower, at 192 kHz 7 dB
(measured). So it is given the rates it was made for, and higher ones are converted first, which is said before.
"""

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
        rates=(8_000, 11_025, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000),
    )
)
