"""Files that become sounds: what was found out about one, which sound it is already, and what it displaces."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from oskren.core.nodes.examined import Examined
from oskren.store.tables import Media, Sound, SoundPath


class Added(NamedTuple):
    """The sound a file became, or was found to be; ``displaced`` are sounds whose only file that was before."""

    id: int
    fresh: bool
    displaced: tuple[int, ...] = ()


def quality(format_: str, rate: int, bits: int | None) -> tuple[bool, int, int]:
    """What makes one file better than another of the same recording: nothing lost, then rate, then bits."""
    return bits is not None, rate, bits or 0


def with_audio(session: Session, audio: str) -> Sound | None:
    """The original that is, or has among its formats, the audio with a hash."""
    known = session.scalar(select(Sound).where(Sound.audio == audio))
    if known is None:
        path = session.scalar(select(SoundPath).where(SoundPath.audio == audio).limit(1))
        known = session.get(Sound, path.sound_id) if path is not None else None
    return known


def displaced(session: Session, path: str, audio: str) -> list[int]:
    """A file that was changed where it lies holds another sound now: what it held before is missing, unless it lies elsewhere too."""
    before = session.get(SoundPath, path)
    if before is None or before.audio == audio:
        return []
    media = session.get(Media, before.audio)
    if media is None or not media.referred or media.path != path:
        return []
    other = session.scalar(select(SoundPath.path).where(SoundPath.audio == before.audio, SoundPath.path != path, SoundPath.missing.is_(False)).limit(1))
    if other is not None:
        media.path = other
        return []
    session.delete(media)
    sound = session.scalar(select(Sound).where(Sound.audio == before.audio))
    if sound is None:
        return []
    sound.missing = True
    return [sound.id]


def noted(found: Examined, sent: Path | None) -> str:
    """The path a sound is known by: its own, or that within what a browser sent."""
    return f"sent/{Path(found.path).relative_to(sent)}" if sent else str(Path(found.path).resolve())


def path_of(found: Examined, id: int, sent: Path | None) -> SoundPath:
    said = f"{found.format} {found.bits} bit" if found.bits else found.format
    path = noted(found, sent)
    return SoundPath(path=path, sound_id=id, size=found.size, modified=found.modified, audio=found.audio, format=f"{said} {found.rate / 1000:g} kHz")
