"""Words of FLAC and Ogg files: Vorbis comments, written through mutagen."""

from __future__ import annotations

from pathlib import Path

from oskren.core.audio.metadata import VORBIS, Metadata
from oskren.core.errors import OskrenError


def embed(path: Path, data: Metadata, rate: int, channels: int = 1) -> None:
    """Put metadata into a finished FLAC or Ogg file as Vorbis comments; what it held of these tags before is replaced. The sound is not touched."""
    import mutagen

    file = mutagen.File(path)
    if file is None:
        raise OskrenError(f"{path}: its tags cannot be written; export it again.")
    for key, name in VORBIS.items():
        value = getattr(data, key)
        if value:
            file[name] = [value]
    if data.keywords:
        file["keywords"] = [", ".join(data.keywords)]
    file.save()
