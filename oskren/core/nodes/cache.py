"""Rendered audio on disk: raw float32 behind a short header, memory-mapped, under the node's hash."""

from __future__ import annotations

import contextlib
import itertools
import json
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from oskren.core.errors import OskrenError
from oskren.core.steps.base import Summary
from oskren.core.types import Samples

HEADER = 256


class Cache:
    """A folder of rendered audio with a byte budget; the least recently used goes first.

    Parameters
    ----------
    folder : Path
    budget : int
        Bytes kept at most; checked now and then while writing.
    """

    def __init__(self, folder: Path, budget: int = 8 << 30):
        self.folder, self.budget, self._place = folder, budget, str(folder)
        self._written = 0
        folder.mkdir(parents=True, exist_ok=True)

    def _path(self, digest: str, suffix: str = ".f32") -> Path:
        return self.folder / digest[:2] / (digest + suffix)

    def _audio_at(self, digest: str) -> str:
        """Joined as text: it is looked for several times a sound, and at every edit for each layer of a mix."""
        return f"{self._place}/{digest[:2]}/{digest}.f32"

    def open(self, digest: str) -> tuple[Samples, int] | None:
        """Memory-mapped samples (frames, channels) and their rate, or None."""
        path = self._audio_at(digest)
        try:
            with open(path, "rb") as stream:
                head = json.loads(stream.read(HEADER).decode())
            os.utime(path)
            samples: Samples = np.memmap(path, np.float32, "r", HEADER, (head["frames"], head["channels"]))
            return samples, head["rate"]
        except (OSError, ValueError, KeyError):
            return None

    def has(self, digest: str) -> bool:
        return os.path.exists(self._audio_at(digest))

    def path(self, digest: str) -> Path:
        return self._path(digest)

    @contextlib.contextmanager
    def _temporary(self, path: Path) -> Iterator[Path]:
        path.parent.mkdir(exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=".new-")
        os.close(handle)
        try:
            yield Path(name)
            os.replace(name, path)
        except OSError as error:
            Path(name).unlink(missing_ok=True)
            raise OskrenError(f"The cache {self.folder} cannot be written ({error.strerror}); free some space on its disk.") from error
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise

    def write(self, digest: str, blocks: Iterator[Samples], rate: int, channels: int) -> None:
        """Write blocks under a digest, whole or not at all."""
        with self._temporary(self._path(digest)) as temporary:
            frames = 0
            with open(temporary, "wb") as stream:
                stream.write(b" " * HEADER)
                for block in blocks:
                    stream.write(np.ascontiguousarray(block, np.float32).data)
                    frames += len(block)
                stream.seek(0)
                stream.write(json.dumps({"frames": frames, "channels": channels, "rate": rate}).encode())
        self._written += frames * channels * 4
        if self._written > self.budget // 16:
            self.evict()

    def summary(self, digest: str) -> Summary | None:
        """What a step learned from an input, by hash."""
        try:
            with np.load(self._path(digest, ".npz")) as stored:
                return {name: stored[name] for name in stored.files}
        except (OSError, ValueError):
            return None

    def keep_summary(self, digest: str, summary: Summary) -> None:
        with self._temporary(self._path(digest, ".npz")) as temporary, open(temporary, "wb") as stream:
            np.savez(stream, **summary)  # type: ignore[arg-type]

    def evict(self) -> int:
        """Remove the least recently used until the budget holds; returns the bytes removed."""
        self._written = 0
        entries = []
        for path in self.folder.glob("??/*"):
            with contextlib.suppress(OSError):
                facts = path.stat()
                entries.append((facts.st_mtime, facts.st_size, path))
        total = sum(size for _, size, _ in entries)
        removed = 0
        for _, size, path in sorted(entries):
            if total - removed <= self.budget:
                break
            path.unlink(missing_ok=True)
            removed += size
        return removed


HELD_BYTES = 1 << 27
"""Audio that takes more is long: six minutes of 48 kHz stereo."""


class Scratch(Cache):
    """Reads from a cache's folder but keeps what is new in memory: for batches of items, rendered once each.

    With ``long_on_disk`` what is long goes into the cache all the same.
    """

    def __init__(self, folder: Path, *, long_on_disk: bool = False):
        super().__init__(folder)
        self._most = HELD_BYTES if long_on_disk else None
        self._audio: dict[str, tuple[Samples, int]] = {}
        self._summaries: dict[str, Summary] = {}

    def open(self, digest: str) -> tuple[Samples, int] | None:
        return self._audio.get(digest) or super().open(digest)

    def has(self, digest: str) -> bool:
        return digest in self._audio or super().has(digest)

    def write(self, digest: str, blocks: Iterator[Samples], rate: int, channels: int) -> None:
        parts, held = [], 0
        for block in blocks:
            parts.append(block)
            held += block.nbytes
            if self._most is not None and held > self._most:
                super().write(digest, itertools.chain(parts, blocks), rate, channels)
                return
        self._audio[digest] = (np.concatenate(parts) if parts else np.zeros((0, channels), np.float32), rate)

    def summary(self, digest: str) -> Summary | None:
        return self._summaries.get(digest) or super().summary(digest)

    def keep_summary(self, digest: str, summary: Summary) -> None:
        self._summaries[digest] = summary

    def forget(self) -> None:
        """Drop what is held in memory, between items."""
        self._audio.clear()
        self._summaries.clear()
