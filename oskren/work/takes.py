"""Recording: audio is stored as it arrives, so that a closed tab or a killed server keeps what was recorded."""

from __future__ import annotations

import json
import re
import threading
from pathlib import Path

import numpy as np

from oskren.core.audio import files
from oskren.core.errors import OskrenError
from oskren.store import Library
from oskren.work.importing import import_paths
from oskren.work.studio import Studio


class Takes:
    """Takes in progress: raw float32 in a ``.part`` file each, with its facts in a ``.json`` beside it."""

    def __init__(self, folder: Path):
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self._lock = threading.Lock()

    def _paths(self, take: str) -> tuple[Path, Path]:
        if not re.fullmatch(r"take-\d{4,}", take):
            raise OskrenError(f"There is no take '{take}'.")
        return self.folder / f"{take}.part", self.folder / f"{take}.json"

    def begin(self, library: str, name: str, rate: int, channels: int, bits: int) -> str:
        """Begin a take; its key."""
        if not 8000 <= rate <= 384_000 or not 1 <= channels <= 2 or bits not in (24, 32):
            raise OskrenError(f"A take of {channels} channels at {rate} Hz and {bits} bit cannot be recorded; 1 or 2 channels, 24 bit or 32 bit float can.")
        with self._lock:
            numbers = [int(path.stem[5:]) for path in self.folder.glob("take-*.*")]
            take = f"take-{max(numbers, default=0) + 1:04d}"
            part, facts = self._paths(take)
            facts.write_text(json.dumps({"library": library, "name": name, "rate": rate, "channels": channels, "bits": bits}))
            part.touch()
        return take

    def add(self, take: str, position: int, data: bytes) -> int:
        """Store raw float32 at a frame position; what arrives twice is written over itself. Frames stored so far."""
        part, facts_path = self._paths(take)
        if not part.exists():
            raise OskrenError(f"The take {take} has ended; start a new one.")
        channels = json.loads(facts_path.read_text())["channels"]
        if len(data) % (4 * channels):
            raise OskrenError("A block of the recording is damaged; it does not hold whole frames.")
        if position * 4 * channels > part.stat().st_size:
            raise OskrenError("A block of the recording is missing before this one; send it first.")
        with open(part, "r+b") as stream:
            stream.seek(position * 4 * channels)
            stream.write(data)
            stream.flush()
        return part.stat().st_size // (4 * channels)

    def unfinished(self) -> list[str]:
        """Takes that were begun and never ended."""
        return sorted(path.stem for path in self.folder.glob("take-*.part"))

    def finish(self, studio: Studio, take: str) -> dict[str, object]:
        """Make the take a WAV of the library; its name, length and sound id."""
        part, facts_path = self._paths(take)
        if not part.exists():
            raise OskrenError(f"The take {take} has ended already.")
        facts = json.loads(facts_path.read_text())
        raw = np.fromfile(part, np.float32, count=part.stat().st_size // (4 * facts["channels"]) * facts["channels"])
        samples = raw.reshape(-1, facts["channels"])
        if not len(samples):
            part.unlink()
            facts_path.unlink(missing_ok=True)
            raise OskrenError("Nothing was recorded; check the input and its level, then record again.")
        library: Library = studio.home.library(facts["library"])
        wav = self.folder / f"{take}.wav"
        files.write(wav, np.nan_to_num(samples).clip(-1, 1) if facts["bits"] == 24 else np.nan_to_num(samples), facts["rate"], facts["bits"])
        result = import_paths(studio, library, [wav], f"Recorded: {facts['name']}", names={str(wav): facts["name"]}, kind="take")
        if result.skipped:
            raise OskrenError(result.skipped[0]["reason"])
        for path in (part, facts_path, wav):
            path.unlink(missing_ok=True)
        return {"name": facts["name"], "seconds": len(samples) / facts["rate"], "imported": result.imported, "arrival": result.arrival}
