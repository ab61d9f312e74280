"""Reading and writing of open audio formats, with one clear reason for every file that cannot be used."""

from __future__ import annotations

import contextlib
import hashlib
import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile as sf

from oskren.core.audio import formats
from oskren.core.audio.layouts import MAX_CHANNELS, layout_of
from oskren.core.audio.metadata import Metadata
from oskren.core.audio.replacing import replacing
from oskren.core.errors import AudioFileError, OskrenError
from oskren.core.types import AnyArray, Samples

BLOCK = 1 << 18
"""Frames read at a time from a file."""

EXTENSIONS = {".wav", ".wave", ".rf64", ".w64", ".aif", ".aiff", ".aifc", ".flac", ".ogg", ".oga", ".opus", ".mp3", ".caf", ".au", ".snd"}

BITS = {
    "PCM_S8": 8,
    "PCM_U8": 8,
    "PCM_16": 16,
    "PCM_24": 24,
    "PCM_32": 32,
    "FLOAT": 32,
    "DOUBLE": 64,
    "ULAW": 16,
    "ALAW": 16,
    "ALAC_16": 16,
    "ALAC_20": 20,
    "ALAC_24": 24,
    "ALAC_32": 32,
}


@dataclass(frozen=True)
class FileInfo:
    """What a file says of itself; ``bits`` is None for lossy formats."""

    path: Path
    frames: int
    rate: int
    channels: int
    format: str
    bits: int | None

    @property
    def layout(self) -> str:
        return layout_of(self.channels)

    @property
    def seconds(self) -> float:
        return self.frames / self.rate


def probe(path: Path | str) -> FileInfo:
    """Read a file's header and refuse what cannot be used.

    Parameters
    ----------
    path : Path or str
        The file.

    Returns
    -------
    FileInfo
        Its frames, rate (Hz), channels, format and bits (None for a lossy format). No sample is decoded.

    Raises
    ------
    AudioFileError
        For missing, empty, truncated, non-audio files and for absurd headers.
    """
    path = Path(path)
    if not path.exists():
        raise AudioFileError(path, "there is no such file; check the path")
    if path.is_dir():
        raise AudioFileError(path, "is a folder, not a file; give the files in it")
    size = path.stat().st_size
    if size == 0:
        raise AudioFileError(path, "the file is empty; copy it again from its source")
    try:
        info = sf.info(str(path))
    except (sf.LibsndfileError, RuntimeError, TypeError) as error:
        known = path.suffix.lower() in EXTENSIONS
        reason = "is named like audio, but holds none that can be read (damaged or another kind of file); export it again" if known else "is not an audio file"
        raise AudioFileError(path, reason) from error
    if info.frames <= 0:
        raise AudioFileError(path, "holds no samples; record or export it again")
    if not 1 <= info.channels <= MAX_CHANNELS:
        raise AudioFileError(path, f"has {info.channels} channels; up to {MAX_CHANNELS} can be used, so split it first")
    if not 1000 <= info.samplerate <= 768_000:
        raise AudioFileError(path, f"states a sample rate of {info.samplerate} Hz; 1 to 768 kHz can be used, so mend its header or export it again")
    _refuse_truncated(path, size)
    return FileInfo(path, info.frames, info.samplerate, info.channels, info.format, BITS.get(info.subtype))


def _refuse_truncated(path: Path, size: int) -> None:
    """Raise when a RIFF file's data chunk states more bytes than the file has (libsndfile silently shortens it)."""
    with open(path, "rb") as stream:
        head = stream.read(12)
        if head[:4] != b"RIFF" or head[8:12] != b"WAVE":
            return
        while len(chunk := stream.read(8)) == 8:
            length = int.from_bytes(chunk[4:], "little")
            if chunk[:4] == b"data":
                missing = stream.tell() + length - size
                if length not in (0, 0xFFFFFFFF) and missing > 0:
                    raise AudioFileError(path, f"is truncated: {missing} bytes of sound are missing at its end; copy it again from its source")
                return
            stream.seek(length + (length & 1), os.SEEK_CUR)


@contextlib.contextmanager
def reading(path: Path) -> Iterator[sf.SoundFile]:
    """Open an audio file for reading; errors of the library become AudioFileError."""
    try:
        with sf.SoundFile(str(path)) as stream:
            yield stream
    except (sf.LibsndfileError, RuntimeError) as error:
        raise AudioFileError(path, "cannot be decoded to its end; export it again") from error


def blocks(path: Path, start: int = 0, stop: int | None = None, size: int = BLOCK) -> Iterator[Samples]:
    """Yield float32 blocks of shape (frames, channels) from ``start`` to ``stop`` (frames); refuses NaN and infinity."""
    with reading(path) as stream:
        stop = stream.frames if stop is None else min(stop, stream.frames)
        if start:
            stream.seek(start)
        at = start
        while at < stop:
            block: Samples = stream.read(min(size, stop - at), dtype="float32", always_2d=True)
            if not len(block):
                raise AudioFileError(path, "ends before the length its header states; copy it again from its source")
            if stream.subtype in ("FLOAT", "DOUBLE") and not np.isfinite(block).all():
                raise AudioFileError(path, "holds samples that are not numbers (NaN or infinite); export it again from its source")
            at += len(block)
            yield block


def read(path: Path | str, start: int = 0, frames: int | None = None) -> tuple[Samples, int]:
    """Read a part of a file: samples of shape (frames, channels) and the sample rate in Hz.

    Parameters
    ----------
    path : Path or str
        A file of any format that can be read.
    start : int
        First frame.
    frames : int, optional
        How many at most; the rest of the file when left out.

    Returns
    -------
    samples : array of float32, shape (frames, channels)
    rate : int
        Sample rate in Hz.

    Raises
    ------
    AudioFileError
        When the file is missing, cannot be decoded to its end, or holds what is no number.

    Examples
    --------
    >>> import tempfile
    >>> from pathlib import Path
    >>> import numpy as np
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     write(Path(folder) / "step.wav", np.array([[0.0], [0.5], [-0.25]], np.float32), 48_000)
    ...     samples, rate = read(Path(folder) / "step.wav", start=1)
    >>> samples[:, 0].tolist(), rate
    ([0.5, -0.25], 48000)
    """
    info = probe(path)
    stop = info.frames if frames is None else min(info.frames, start + frames)
    parts = list(blocks(info.path, start, stop))
    samples = np.concatenate(parts) if parts else np.zeros((0, info.channels), np.float32)
    return samples, info.rate


class AudioHash:
    """Content hash of sound: of its rate, its channels and its samples, whatever file holds them."""

    def __init__(self, rate: int, channels: int):
        self._digest = hashlib.blake2b(f"{rate}/{channels}/".encode(), digest_size=20)

    def add(self, block: Samples) -> None:
        self._digest.update(np.ascontiguousarray(block, dtype="<f4").data)

    def value(self) -> str:
        return self._digest.hexdigest()


def audio_hash(path: Path) -> str:
    """Hash of a whole file's sound, read block by block."""
    info = probe(path)
    digest = AudioHash(info.rate, info.channels)
    for block in blocks(path):
        digest.add(block)
    return digest.value()


@contextlib.contextmanager
def writing(path: Path, rate: int, channels: int, bits: int = 24, *, frames: int = 0, said: Metadata | None = None) -> Iterator[Callable[[Samples], Samples]]:
    """Write a file block by block, atomically; its format (:mod:`oskren.core.audio.formats`) follows its extension.

    Gives a function that takes blocks of shape (frames, channels) and tells what a lossless file holds of them. Nothing is left behind when the body
    raises.

    Parameters
    ----------
    bits : {16, 24, 32}
        32 is float; ignored by lossy formats.
    frames : int
        How many frames will come at most: beyond 4 GiB a WAV becomes RF64.
    said : Metadata, optional
        Words, markers and loops to put into the file: what each format has for them.
    """
    form = formats.of_file(path)
    subtype = form.subtype(bits)
    if form.most_channels and channels > form.most_channels:
        raise OskrenError(f"{path}: {form.label} holds {form.most_channels} channels at most, this has {channels}; fold it down, or choose another format.")
    if rate != form.rate_for(rate):
        raise OskrenError(f"{path}: {form.label} holds no {rate / 1000:g} kHz; convert it to {form.rate_for(rate) / 1000:g} kHz first.")
    large = frames * channels * 4 > (1 << 32) - 65536
    if large and form.ends_at_4gb:
        raise OskrenError(f"{path}: would be over 4 GiB, more than {form.label} holds; write WAV, which becomes RF64.")
    size = form.write_frames or BLOCK
    with replacing(path) as temporary:
        container = form.beyond_4gb if large and form.beyond_4gb else form.container
        with sf.SoundFile(str(temporary), "w", rate, channels, subtype, format=container, compression_level=form.compression) as stream:

            def put(samples: Samples) -> Samples:
                whole = _integers(samples, bits) if subtype.startswith("PCM") else samples
                for at in range(0, len(whole), size):
                    stream.write(whole[at : at + size])
                # no more than 24 bits of each are set, so that nothing is rounded here
                return samples if whole is samples else np.ldexp(whole.astype(np.float32), -31)

            yield put
        if said is not None:
            formats.words_into(temporary, said, rate, channels)


def write(path: Path, samples: Samples, rate: int, bits: int = 24, *, dither: bool = False, seed: int = 0, said: Metadata | None = None) -> None:
    """Write samples to a file whose format follows its extension, atomically; see :func:`writing`.

    Parameters
    ----------
    samples : array, shape (frames, channels)
    dither : bool
        Add flat dither before rounding (see :class:`oskren.core.audio.dither.Dither`).
    """
    from oskren.core.audio.dither import Dither

    if dither and formats.of_file(path).lossless and bits < 32:
        samples = Dither(bits, samples.shape[1], rate, seed).rounded(samples)
    with writing(path, rate, samples.shape[1], bits, frames=len(samples), said=said) as put:
        put(samples)


def _integers(samples: Samples, bits: int) -> AnyArray:
    """Samples rounded to ``bits``, left-justified in int32: 1.0 is 2^(bits-1), so that what was read is written bit for bit.

    (The library's own conversion of floats scales by 2^(bits-1) - 1 and would move every sample a little.)
    """
    full = np.float32(2.0 ** (bits - 1))
    # by a power of two: nothing is rounded but by rint, since single precision holds every half up to there
    scaled = samples * full
    np.rint(scaled, out=scaled)
    np.clip(scaled, -full, full - 1, out=scaled)
    whole = scaled.astype(np.int32)
    np.left_shift(whole, 32 - bits, out=whole)
    return whole
