"""A film with another sound: its picture copied as it is, or encoded anew."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import soundfile as sf

from oskren.core.audio.layouts import convert, layout_of
from oskren.core.audio.replacing import replacing
from oskren.core.errors import OskrenError
from oskren.core.picture.film import Film
from oskren.core.picture.reading import Watching, frames, opened

SOUNDS = {".webm": "libopus", ".mkv": "flac"}
"""What the sound is encoded in, by the ending of the file; AAC in all others."""

AAC = "aac"
BIT_RATE = 320_000
CHUNK = 4096


def write_with_sound(path: Path, film: Film, mix: Path, out: Path, picture: str, told: Watching = lambda done, total: None) -> None:
    """Write a film with a mix (an audio file that begins with its first frame) as its only sound.

    Parameters
    ----------
    picture : {"copy", "h264", "vp9"}
        What becomes of the picture.

    Raises
    ------
    OskrenError
        When the picture cannot be kept in a file of that kind.
    """
    suffix = out.suffix.lower()
    with replacing(out) as half:
        try:
            with opened(path) as source, av.open(str(half), "w", format=_container(suffix)) as target:
                stream = source.streams.video[0]
                picture_out: Any
                if picture == "copy":
                    picture_out = target.add_stream_from_template(stream)
                else:
                    picture_out = target.add_stream("libx264" if picture == "h264" else "libvpx-vp9", rate=film.counted.rate)
                    picture_out.width, picture_out.height = film.width // 2 * 2, film.height // 2 * 2
                    picture_out.pix_fmt = "yuv420p"
                    fast = {"preset": "medium", "crf": "18"}
                    picture_out.options = fast if picture == "h264" else {"crf": "24", "b": "0", "deadline": "good", "cpu-used": "5", "row-mt": "1"}
                with sf.SoundFile(str(mix)) as sound:
                    voice: Any = target.add_stream(SOUNDS.get(suffix, AAC), rate=_rate(suffix, sound.samplerate), layout=_layout(sound.channels))
                    if suffix not in SOUNDS or SOUNDS[suffix] != "flac":
                        voice.bit_rate = BIT_RATE if sound.channels <= 2 else 3 * BIT_RATE
                    packets = _copied(source, stream, picture_out) if picture == "copy" else _encoded(path, film, picture_out)
                    _interleave(target, packets, voice, sound, film, told)
        except (av.FFmpegError, ValueError) as error:
            raise OskrenError(f"{out.name}: cannot be written ({error}); choose H.264 or VP9 for the picture.") from None


def _container(suffix: str) -> str:
    return {".mp4": "mp4", ".mov": "mov", ".webm": "webm"}.get(suffix, "matroska")


def _rate(suffix: str, own: int) -> int:
    """Opus knows 48 kHz; AAC up to 96 kHz."""
    return 48_000 if suffix == ".webm" or own > 96_000 else own


def _layout(channels: int) -> str:
    return {1: "mono", 2: "stereo", 4: "quad", 6: "5.1", 8: "7.1"}.get(channels, "stereo")


def _copied(source: Any, stream: Any, out: Any) -> Iterator[tuple[float, Any]]:
    begun = (stream.start_time or 0) * stream.time_base
    for packet in source.demux(stream):
        if not packet.size:
            continue
        # the picture begins at nought, as the sound does
        shift = int(begun / packet.time_base)
        packet.pts, packet.dts = (None if one is None else one - shift for one in (packet.pts, packet.dts))
        at = next((one for one in (packet.dts, packet.pts) if one is not None), 0)
        moment = float(at * packet.time_base)
        packet.stream = out
        yield moment, packet


def _encoded(path: Path, film: Film, out: Any) -> Iterator[tuple[float, Any]]:
    for number, frame in enumerate(frames(path, film)):
        copy = av.VideoFrame.from_ndarray(frame.to_ndarray(), format="yuv420p")
        copy.pts, copy.time_base = number, 1 / film.counted.rate
        for packet in out.encode(copy):
            yield number / float(film.counted.rate), packet
    for packet in out.encode():
        yield film.seconds, packet


def _interleave(target: Any, packets: Iterator[tuple[float, Any]], voice: Any, sound: Any, film: Film, told: Watching) -> None:
    """Picture and sound, written side by side as they come in time."""
    rate, at, wide = sound.samplerate, 0, len(_channels(sound.channels))
    resampler = av.AudioResampler(format=voice.codec_context.format, layout=voice.codec_context.layout, rate=voice.codec_context.sample_rate)

    def up_to(moment: float) -> None:
        nonlocal at
        while at < moment * rate:
            block = sound.read(CHUNK, dtype="float32", always_2d=True)
            if not len(block):
                return
            if sound.channels not in (1, 2, 4, 6, 8):
                block = convert(block, "stereo", layout_of(sound.channels))
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block.reshape(1, -1)), format="flt", layout=_layout(wide))
            frame.sample_rate, frame.pts, frame.time_base = rate, at, Fraction(1, rate)
            at += len(block)
            for ready in resampler.resample(frame):
                target.mux(voice.encode(ready))

    for moment, packet in packets:
        up_to(moment)
        target.mux(packet)
        told(int(moment * film.counted.rate), film.frames)
    up_to(film.seconds + 1)
    for ready in resampler.resample(None):
        target.mux(voice.encode(ready))
    target.mux(voice.encode(None))


def _channels(count: int) -> tuple[int, ...]:
    return tuple(range(count)) if count in (1, 2, 4, 6, 8) else (0, 1)
