"""The media of a library: audio by its hash, held in its folder or referred to where it lies."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from sqlalchemy import select

from oskren.core.audio import files
from oskren.core.audio.replacing import replacing
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Node, Source
from oskren.core.nodes.walk import leaves
from oskren.store.database import Database, in_parts
from oskren.store.tables import Media, SoundPath

GONE = "the file of this sound is missing; put it back or import it again."


def _unknown(audio: str) -> str:
    return f"The library does not hold the sound {audio[:12]}; import its file again."


class HoldingMedia(Database):
    """A library's database with the audio it holds, refers to, or only listens to."""

    def __init__(self, folder: Path):
        super().__init__(folder)
        (folder / "media").mkdir(exist_ok=True)
        self._guests: dict[str, Path] = {}

    def media(self, audio: str) -> Path:
        """Where the audio with a hash lies."""
        if audio in self._guests:
            return self._guests[audio]
        with self.reading() as session:
            found = session.get(Media, audio)
        if found is None:
            raise OskrenError(_unknown(audio))
        path = self._file(found.path)
        if not path.exists():
            raise OskrenError(f"{path}: {GONE}")
        return path

    def media_found(self, *nodes: Node) -> tuple[dict[str, str], dict[str, str]]:
        """Paths of the audio nodes are made of, as sent to workers; and for what cannot be had, a sentence that names it."""
        wanted = {leaf.audio for node in nodes for leaf in leaves(node)}
        found: dict[str, str] = {}
        gone = {audio: _unknown(audio) for audio in wanted}
        for audio in self._guests.keys() & gone.keys():
            found[audio] = str(self._guests[audio])
            gone.pop(audio)
        with self.reading() as session:
            for some in in_parts(list(gone)):
                for audio, path in session.execute(select(Media.audio, Media.path).where(Media.audio.in_(some))):
                    file = self._file(path)
                    if file.exists():
                        found[audio] = str(file)
                        gone.pop(audio)
                    else:
                        gone[audio] = f"{file}: {GONE}"
        return found, gone

    def audio_at(self, path: Path) -> str:
        """Hash of the audio of a file the library knows and that was not changed since; empty for any other, which must be read."""
        with self.reading() as session:
            row = session.get(SoundPath, str(path.resolve()))
        if row is None or not row.audio:
            return ""
        try:
            facts = path.stat()
        except OSError:
            return ""
        return row.audio if (facts.st_size, facts.st_mtime) == (row.size, row.modified) else ""

    def listen_to(self, path: Path) -> Source:
        """A file that is only listened to, as it lies there: it is known until the server ends, and is no sound of the library."""
        info, audio = files.probe(path), files.audio_hash(path)
        with self.reading() as session:
            known = session.get(Media, audio) is not None
        if not known:
            self._guests[audio] = path
        return Source(audio=audio, rate=info.rate, channels=info.channels, frames=info.frames, layout=info.layout)

    def _file(self, path: str) -> Path:
        """The file a media path means: its own, or one in the library's folder."""
        return Path(path) if Path(path).is_absolute() else self.folder / path

    def keep_media(self, audio: str, path: Path, *, refer: bool = False) -> None:
        """Copy a file into the library under its hash, or note where it lies; the original is never changed."""
        where = self._place_media(audio, path, refer=refer)
        if where:
            with self.writing() as session:
                session.merge(Media(audio=audio, path=where, referred=refer))

    def _place_media(self, audio: str, path: Path, *, refer: bool, move: bool = False) -> str:
        """Where the media of an audio lies from now on, copied (or moved) there if need be; empty when it lies in its place already."""
        with self.reading() as session:
            known = session.get(Media, audio)
        if known is not None and self._file(known.path).exists():
            return ""
        if refer:
            return str(path.resolve())
        relative = Path("media") / audio[:2] / (audio + path.suffix.lower())
        if move:
            self._move_media(relative, path)
        else:
            with replacing(self.folder / relative) as temporary:
                shutil.copyfile(path, temporary)
        return str(relative)

    def _move_media(self, relative: Path, path: Path) -> None:
        (self.folder / relative).parent.mkdir(parents=True, exist_ok=True)
        os.replace(path, self.folder / relative)

    def adopt_media(self, audio: str, path: Path) -> None:
        """Move a file that Oskren made into the library."""
        relative = Path("media") / audio[:2] / (audio + path.suffix.lower())
        self._move_media(relative, path)
        with self.writing() as session:
            session.merge(Media(audio=audio, path=str(relative), referred=False))
