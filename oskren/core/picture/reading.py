"""Reading films: their frames on an even grid, the copy a browser plays, and their sound."""

from __future__ import annotations

import contextlib
import io
import itertools
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import soundfile as sf
from av.filter import Graph

from oskren.core.audio.replacing import replacing
from oskren.core.errors import OskrenError
from oskren.core.picture.film import Film, sized
from oskren.core.timecode import FRAME_RATES, frame_of
from oskren.core.types import AnyArray

PROXY_WIDTH = 640
"""Width (px) of the copy that is played; narrower films keep theirs."""

KEY_EVERY = 6
"""Frames from one key frame of the copy to the next: few, so that any frame is shown at once."""

SMALL = (16, 9)
"""Width and height (px) of what is looked at for shot changes."""

NEAR = 0.002
"""Share by which the rate of a file may lie beside one that is counted in and still be called so."""

EARLY = 0.4
"""Share of a frame a frame may begin before its moment on the grid: containers round to a millisecond."""

LOOKED_AT = 4000
"""Packets that are looked at before a film is opened: whether frames are even shows in them."""

LONGEST_S = 6 * 3600.0
LARGEST = 8192


def opened(path: Path) -> Any:
    """A video file, open for reading; OskrenError when it cannot be read as one."""
    try:
        container = av.open(str(path))
    except (av.FFmpegError, OSError, ValueError) as error:
        raise OskrenError(f"{path.name} cannot be read as a video ({_reason(error)}); give a WebM, MP4, MOV or MKV file.") from None
    if not container.streams.video:
        container.close()
        raise OskrenError(f"{path.name} holds no picture; import it in Gather if it is a sound, or give a video file.")
    return container


def _reason(error: Exception) -> str:
    return str(getattr(error, "strerror", "") or error).split("]")[-1].strip().rstrip(".")


def named_rate(rate: Fraction) -> tuple[str, bool]:
    """The frame rate closest to that of a file (frames/s), and whether it is the same one; slower files get a multiple of theirs where there is one."""
    names = [name for name, one in FRAME_RATES.items() if not one.dropped]
    for times in (1, 2, 3, 4):
        for name in names:
            if abs(float(FRAME_RATES[name].rate / (rate * times)) - 1) < NEAR:
                # 23.976 and 24 lie closer than that: the nearer one
                best = min(names, key=lambda one: abs(FRAME_RATES[one].rate - rate * times))
                return best, times == 1
    return min(names, key=lambda one: abs(FRAME_RATES[one].rate - rate)), False


def probe(path: Path) -> Film:
    """What a video file holds.

    Raises
    ------
    OskrenError
        When it cannot be read, holds no picture, or is longer or larger than what is taken in.
    """
    with opened(path) as container:
        stream = container.streams.video[0]
        try:
            first = next(container.decode(stream))
        except (StopIteration, av.FFmpegError) as error:
            raise OskrenError(f"{path.name}: not one frame of it can be decoded ({_reason(error) or 'it is empty'}); convert it to MP4 or WebM.") from None
        told = stream.average_rate or stream.guessed_rate or Fraction(25)
        moments, whole = _moments(container, stream)
        variable, usual = False, float(1 / told)
        if len(moments) > 1:
            apart = np.diff(moments)
            usual = float(np.median(apart))
            variable = bool(usual > 0 and np.mean(np.abs(apart - usual) > max(0.0015, 0.2 * usual)) > 0.02)
        seconds = float(moments[-1] - moments[0]) + usual if whole and len(moments) else _stated(container, stream, usual)
        # uneven frames are counted as most of them follow each other
        name, same = named_rate(Fraction(1 / usual).limit_denominator(100_000) if variable else Fraction(told))
        if seconds > LONGEST_S:
            raise OskrenError(f"{path.name} is {seconds / 3600:.1f} h long, more than {LONGEST_S / 3600:.0f} h; cut it into reels.")
        turned = int(getattr(first, "rotation", 0) or 0) % 360
        shape = stream.codec_context.sample_aspect_ratio or Fraction(1)
        wide, high = round(first.width * float(shape)), first.height
        if turned in (90, 270):
            wide, high = high, wide
        if max(wide, high) > LARGEST:
            raise OskrenError(f"{path.name} is {wide} by {high} pixels, more than {LARGEST}; give a smaller copy of it.")
        audio = container.streams.audio[0] if container.streams.audio else None
        code = next((str(found) for found in _codes(container) if found), "")
    said = []
    if variable:
        said.append(f"Its frames do not follow each other evenly; they are counted at {name} frames a second.")
    elif not same:
        said.append(f"Its {float(told):.3g} frames a second cannot be counted in time code; they are counted at {name}.")
    interlaced = bool(first.interlaced_frame)
    if interlaced:
        said.append("It is interlaced; what is shown is made of whole frames.")
    if turned:
        said.append(f"It is turned by {turned} degrees, as its file says.")
    if audio is None:
        said.append("It has no sound of its own.")
    if ";" in code and f"{name} drop" in FRAME_RATES:
        name = f"{name} drop"
    start = 0
    if code:
        try:
            start = frame_of(code, FRAME_RATES[name])
        except OskrenError as error:
            said.append(f"Its time code cannot be used: {error}")
    return Film(
        frame_rate=name,
        frames=max(1, round(seconds * FRAME_RATES[name].rate)),
        start=start,
        width=wide,
        height=high,
        rotated=turned,
        variable=variable,
        interlaced=interlaced,
        codec=stream.codec_context.name,
        audio_channels=0 if audio is None else audio.codec_context.channels,
        audio_rate=0 if audio is None else audio.codec_context.sample_rate,
        said=said,
    )


def _codes(container: Any) -> Iterator[str | None]:
    yield container.metadata.get("timecode")
    for stream in container.streams:
        yield stream.metadata.get("timecode")


def _moments(container: Any, stream: Any) -> tuple[Any, bool]:
    """When frames begin (s), in order, from the first packets of a film, and whether those are all of it; nothing is decoded."""
    container.seek(stream.start_time or 0, stream=stream)
    found: list[float] = []
    for packet in container.demux(stream):
        if packet.pts is not None:
            found.append(float(packet.pts * packet.time_base))
        if len(found) >= LOOKED_AT:
            return np.sort(np.array(found)), False
    return np.sort(np.array(found)), True


def _stated(container: Any, stream: Any, frame_s: float) -> float:
    """How long a film is (s) as its file says."""
    if stream.duration:
        return float(stream.duration * stream.time_base)
    return float(container.duration or 0) / 1e6 or frame_s


def frames(path: Path, film: Film, width: int = 0, kind: str = "yuv420p", deinterlaced: bool = True) -> Iterator[Any]:
    """The frames of a film on its even grid, as they are shown: one for every number from 0 on.

    Parameters
    ----------
    path : Path
    film : Film
    width : int
        Pixels; that of the film when 0.
    kind : str
        Pixel format.

    Yields
    ------
    av.VideoFrame
        The frame that is on at its moment: the last one that began by then; before the first one that one.
    """
    size = sized(film, width)
    count, now, begun = 0, None, 0.0
    with opened(path) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        prepared = _Prepared(film, size, kind, deinterlaced)
        period = float(1 / film.counted.rate)
        try:
            for raw in container.decode(stream):
                if raw.pts is None:
                    continue
                at = float(raw.pts * raw.time_base)
                if now is None:
                    begun = at
                # every number whose moment comes before this frame begins shows the one before
                while now is not None and count < film.frames and (count + EARLY) * period <= at - begun:
                    yield now
                    count += 1
                now = prepared(raw)
        except av.FFmpegError as error:
            if now is None:
                raise OskrenError(f"{path.name}: its picture cannot be decoded ({_reason(error)}).") from None
        while now is not None and count < film.frames:
            yield now
            count += 1


class _Prepared:
    """Turns, deinterlaces and scales frames as they come."""

    def __init__(self, film: Film, size: tuple[int, int], kind: str, deinterlaced: bool):
        self._film, self._size, self._kind = film, size, kind
        self._turns = film.rotated in (90, 180, 270)
        self._whole = deinterlaced and film.interlaced
        self._graph: Graph | None = None

    def _build(self, frame: Any) -> Graph:
        graph = Graph()
        nodes = [graph.add_buffer(template=None, width=frame.width, height=frame.height, format=frame.format, time_base=frame.time_base)]
        if self._whole:
            nodes.append(graph.add("bwdif", "mode=send_frame:deint=all"))
        # a rotation of 90 says: turn it counter-clockwise by so much to be shown
        turns = {90: ["cclock"], 270: ["clock"], 180: ["clock", "clock"]}.get(self._film.rotated, [])
        nodes += [graph.add("transpose", one) for one in turns]
        nodes.append(graph.add("buffersink"))
        for one, other in itertools.pairwise(nodes):
            one.link_to(other)
        graph.configure()
        return graph

    def __call__(self, frame: Any) -> Any:
        if self._turns or self._whole:
            self._graph = self._graph or self._build(frame)
            self._graph.push(frame)
            with contextlib.suppress(BlockingIOError, av.FFmpegError):  # deinterlacing looks one frame ahead: the first one is shown as it came
                frame = self._graph.pull()
        return frame.reformat(width=self._size[0], height=self._size[1], format=self._kind)


Watching = Callable[[int, int], None]


def write_proxy(path: Path, film: Film, out: Path, told: Watching = lambda done, total: None) -> AnyArray:
    """Write the copy a browser plays (H.264 in MP4, every frame of the grid, few frames between key frames), and give what is looked at for shot changes.

    Parameters
    ----------
    told : callable
        Is told how many frames of how many are done; what it raises ends the work, and nothing is left.

    Returns
    -------
    ndarray of uint8 [shape=(frames, 9, 16, 3)]
        Each frame, small.
    """
    size = sized(film, PROXY_WIDTH)
    small: AnyArray = np.zeros((film.frames, SMALL[1], SMALL[0], 3), np.uint8)
    with replacing(out) as half, av.open(str(half), "w", format="mp4", options={"movflags": "faststart"}) as container:
        stream = container.add_stream("libx264", rate=film.counted.rate)
        stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
        stream.options = {"preset": "veryfast", "crf": "23", "g": str(KEY_EVERY), "keyint_min": str(KEY_EVERY), "bf": "0", "sc_threshold": "0"}
        for number, frame in enumerate(frames(path, film, PROXY_WIDTH)):
            small[number] = frame.reformat(width=SMALL[0], height=SMALL[1], format="rgb24").to_ndarray()
            copy = av.VideoFrame.from_ndarray(frame.to_ndarray(), format="yuv420p")
            copy.pts, copy.time_base = number, 1 / film.counted.rate
            for packet in stream.encode(copy):
                container.mux(packet)
            told(number + 1, film.frames)
        for packet in stream.encode():
            container.mux(packet)
    return small


def still(path: Path, film: Film, number: int, width: int = PROXY_WIDTH) -> bytes:
    """One frame of a film as a JPEG, out of its copy (see :func:`write_proxy`) or, found from the start, out of its file.

    Raises
    ------
    OskrenError
        When the film has no such frame.
    """
    if not 0 <= number < film.frames:
        raise OskrenError(f"The film has frames 0 to {film.frames - 1}; there is no frame {number}.")
    with opened(path) as container:
        stream = container.streams.video[0]
        wanted = number / film.counted.rate
        begun = Fraction(stream.start_time or 0) * stream.time_base
        container.seek(int((wanted + begun) / stream.time_base), stream=stream, backward=True)
        prepared = _Prepared(film, sized(film, width), "rgb24", deinterlaced=False)
        found = None
        for frame in container.decode(stream):
            if frame.pts is None:
                continue
            if found is not None and frame.pts * frame.time_base - begun > wanted + Fraction(1, 2) / film.counted.rate:
                break
            found = frame
    if found is None:
        raise OskrenError(f"Frame {number} of the film cannot be decoded.")
    image, whole = prepared(found).to_image(), io.BytesIO()
    image.save(whole, "JPEG", quality=88)
    return whole.getvalue()


def write_sound(path: Path, out: Path, told: Watching = lambda done, total: None) -> bool:
    """Write a film's own sound as a WAV file that begins with its first frame; False when it has none.

    What begins later than the picture is preceded by silence, what begins earlier is cut.
    """
    with opened(path) as container:
        if not container.streams.audio:
            return False
        stream, picture = container.streams.audio[0], container.streams.video[0]
        rate, channels = stream.codec_context.sample_rate, stream.codec_context.channels
        begun = float((picture.start_time or 0) * picture.time_base)
        with replacing(out) as half, sf.SoundFile(str(half), "w", rate, channels, format="WAV", subtype="PCM_24") as file:
            at = 0
            resampler = av.AudioResampler(format="flt", layout=stream.codec_context.layout, rate=rate)
            for raw in container.decode(stream):
                first = round((float(raw.pts * raw.time_base) - begun) * rate) if raw.pts is not None else at
                for block in resampler.resample(raw):
                    samples = block.to_ndarray().reshape(-1, channels)
                    # a gap of more than a few samples is silence; what lies before the picture goes
                    if first > at + rate // 50 or at == 0:
                        file.write(np.zeros((max(0, first - at), channels), np.float32))
                        at = max(at, first)
                    samples = samples[max(0, at - first) :] if first < 0 else samples
                    file.write(samples)
                    at += len(samples)
                    first = at
                told(at, 0)
    return True
