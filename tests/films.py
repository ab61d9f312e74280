"""Films with the number of every frame burnt in, as bright and dark squares, and how to read it off a picture again."""

from __future__ import annotations

import io
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from PIL import Image

BITS = 12
SIZE = (384, 216)


def numbered(number: int, size: tuple[int, int] = SIZE) -> np.ndarray:
    """A picture with a number in it: shape (height, width, 3)."""
    image = np.full((size[1], size[0], 3), 90, np.uint8)
    cell = size[0] // BITS
    for bit in range(BITS):
        image[size[1] // 3 : 2 * size[1] // 3, bit * cell : (bit + 1) * cell] = 235 if number >> bit & 1 else 16
    return image


def number_in(image: np.ndarray) -> int:
    """The number in a picture of any size."""
    cell = image.shape[1] / BITS
    row = image[int(image.shape[0] * 0.45) : int(image.shape[0] * 0.55)].mean(axis=(0, 2))
    return sum(1 << bit for bit in range(BITS) if row[int((bit + 0.3) * cell) : int((bit + 0.7) * cell)].mean() > 125)


def number_of(jpeg: bytes) -> int:
    """The number in a JPEG."""
    return number_in(np.asarray(Image.open(io.BytesIO(jpeg)).convert("RGB")))


def write_film(
    path: Path, rate: Fraction, frames: int, *, codec: str = "libx264", pts: list[Fraction] | None = None, sound_s: float | None = None, code: str = ""
) -> Path:
    """Write a film of numbered frames.

    ``pts`` are the moments (s) of the frames, even when not given; ``sound_s`` adds a tone of 440 Hz with a click at that moment; ``code`` is the
    time code of the first frame.
    """
    with av.open(str(path), "w") as out:
        if code:
            out.metadata["timecode"] = code
        picture = out.add_stream(codec, rate=rate)
        picture.width, picture.height, picture.pix_fmt = *SIZE, "yuv420p"
        picture.options = {"g": "50", "deadline": "realtime", "cpu-used": "8"} if "vp" in codec else {"g": "50", "bf": "2"}
        if pts is not None:
            picture.codec_context.time_base = Fraction(1, 90_000)
        tone = out.add_stream("libopus" if path.suffix == ".webm" else "aac", rate=48_000) if sound_s is not None else None
        for number in range(frames):
            frame = av.VideoFrame.from_ndarray(numbered(number), format="rgb24")
            if pts is None:
                frame.pts, frame.time_base = number, 1 / rate
            else:
                frame.pts, frame.time_base = int(pts[number] * 90_000), Fraction(1, 90_000)
            out.mux(picture.encode(frame))
        out.mux(picture.encode())
        if tone is not None:
            assert sound_s is not None
            count = int(48_000 * frames / rate)
            samples = (0.1 * np.sin(2 * np.pi * 440 * np.arange(count) / 48_000)).astype(np.float32)
            samples[round(48_000 * sound_s) :][:48] = 0.9
            for at in range(0, count, 960):
                part = samples[at : at + 960]
                block = av.AudioFrame.from_ndarray(part[None, :], format="fltp", layout="mono")
                block.sample_rate, block.pts, block.time_base = 48_000, at, Fraction(1, 48_000)
                out.mux(tone.encode(block))
            out.mux(tone.encode())
    return path
