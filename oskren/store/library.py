"""One library: a folder with its database and media, self-contained."""

from __future__ import annotations

import os
import shutil
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, event, select, text
from sqlalchemy.orm import Session, sessionmaker

from oskren.core.audio.files import replacing
from oskren.core.errors import OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.model import Chained, Node, NodeAdapter, Source, Step, leaves, node_hash
from oskren.core.words.propose import Proposal, words_of
from oskren.store.columns import Columns
from oskren.store.tables import Arrival, Media, Sound, SoundPath


@dataclass(frozen=True)
class Examined:
    """What a worker found out about a file to be imported."""

    path: str
    audio: str
    rate: int
    channels: int
    frames: int
    bits: int | None
    format: str
    size: int
    modified: float
    measures: dict[str, Any]
    row: bytes

    def source(self) -> Source:
        return Source(audio=self.audio, rate=self.rate, channels=self.channels, frames=self.frames)


def _pragmas(connection: Any, _: Any) -> None:
    cursor = connection.cursor()
    for line in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=NORMAL", "busy_timeout=10000"):
        cursor.execute(f"PRAGMA {line}")
    cursor.close()


class Library:
    """Opens (or makes) the library in a folder and brings its tables up to date."""

    def __init__(self, folder: Path):
        self.folder = folder
        (folder / "media").mkdir(parents=True, exist_ok=True)
        self.engine = create_engine(f"sqlite:///{folder / 'library.db'}")
        event.listen(self.engine, "connect", _pragmas)
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._writing = threading.RLock()
        self.columns = Columns()

    @property
    def name(self) -> str:
        title = self.folder / "title"
        return title.read_text().strip() if title.exists() else self.folder.name.replace("-", " ").title()

    def close(self) -> None:
        self.engine.dispose()

    @contextmanager
    def reading(self) -> Iterator[Session]:
        with self._sessions() as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """One transaction; SQLite has one writer, so this process queues its own."""
        with self._writing, self._sessions.begin() as session:
            yield session

    # ---- media

    def media(self, audio: str) -> Path:
        """Where the audio with a hash lies."""
        with self.reading() as session:
            found = session.get(Media, audio)
        if found is None:
            raise OskrenError(f"The library does not hold the sound {audio[:12]}; import its file again.")
        path = Path(found.path)
        path = path if path.is_absolute() else self.folder / path
        if not path.exists():
            raise OskrenError(f"{path}: the file of this sound is missing; put it back or import it again.")
        return path

    def media_of(self, *nodes: Node) -> dict[str, str]:
        """Paths of all originals that nodes are made of, as sent to workers."""
        return {audio: str(self.media(audio)) for audio in {leaf.audio for node in nodes for leaf in leaves(node)}}

    def keep_media(self, audio: str, path: Path, *, refer: bool = False) -> None:
        """Copy a file into the library under its hash, or note where it lies; the original is never changed."""
        with self.reading() as session:
            known = session.get(Media, audio)
        if known is not None and (Path(known.path) if Path(known.path).is_absolute() else self.folder / known.path).exists():
            return
        where = str(path.resolve())
        if not refer:
            relative = Path("media") / audio[:2] / (audio + path.suffix.lower())
            with replacing(self.folder / relative) as temporary:
                shutil.copyfile(path, temporary)
            where = str(relative)
        with self.writing() as session:
            session.merge(Media(audio=audio, path=where, referred=refer))

    def adopt_media(self, audio: str, path: Path) -> None:
        """Move a file that Oskren made into the library."""
        relative = Path("media") / audio[:2] / (audio + path.suffix.lower())
        (self.folder / relative).parent.mkdir(exist_ok=True)
        os.replace(path, self.folder / relative)
        with self.writing() as session:
            session.merge(Media(audio=audio, path=str(relative), referred=False))

    # ---- sounds

    def arrival(self, name: str) -> int:
        with self.writing() as session:
            row = Arrival(name=name)
            session.add(row)
            session.flush()
            return row.id

    def add_original(self, found: Examined, arrival: int, proposal: Proposal, *, refer: bool, kind: str = "original", name: str | None = None) -> bool:
        """Add an examined file; False when the same audio is already there (its path is then added to that sound)."""
        path = Path(found.path)
        node = found.source()
        key = node_hash(node)
        self.keep_media(found.audio, path, refer=refer)
        with self.writing() as session:
            known = session.scalar(select(Sound).where(Sound.key == key, Sound.kind.in_(("original", "take"))))
            fresh = known is None
            if known is None:
                known = self._insert(
                    session, name or path.stem, kind, node, found.measures, found.row, arrival, bits=found.bits, format_=found.format, proposal=proposal
                )
            session.merge(SoundPath(path=str(path.resolve()), sound_id=known.id, size=found.size, modified=found.modified))
        if fresh:
            self.columns.touch(known.id)
        return fresh

    def add_made(
        self, name: str, kind: str, node: Node, rate: int, channels: int, frames: int, measures: Measures, row: bytes, arrival: int, category: str = ""
    ) -> int:
        """Add a sound Oskren made: a print, a variation, a one-shot."""
        with self.writing() as session:
            proposal = Proposal(category, (), 1.0)
            sound = self._insert(
                session, name, kind, node, measures.model_dump(), row, arrival, bits=32, format_="Oskren", proposal=proposal, shape=(rate, channels, frames)
            )
        self.columns.touch(sound.id)
        return sound.id

    def _insert(
        self,
        session: Session,
        name: str,
        kind: str,
        node: Node,
        measures: dict[str, Any],
        row: bytes,
        arrival: int,
        *,
        bits: int | None,
        format_: str,
        proposal: Proposal,
        shape: tuple[int, int, int] | None = None,
    ) -> Sound:
        if shape is None:
            assert isinstance(node, Source)
            shape = (node.rate, node.channels, node.frames)
        sound = Sound(
            name=name,
            kind=kind,
            arrival_id=arrival,
            key=node_hash(node),
            node=node.model_dump(mode="json"),
            chain=[],
            rate=shape[0],
            channels=shape[1],
            frames=shape[2],
            bits=bits,
            format=format_,
            category=proposal.category,
            category_sure=proposal.confidence,
            tags=" ".join(proposal.tags),
            measures=measures,
            row=row,
        )
        session.add(sound)
        session.flush()
        index_words(session, sound)
        return sound

    def sound(self, number: int) -> Sound:
        with self.reading() as session:
            found = session.get(Sound, number)
        if found is None:
            raise OskrenError(f"There is no sound {number} in this library; it may have been removed.")
        return found

    def change(self, number: int, values: dict[str, Any]) -> Sound:
        """Change fields of a sound and keep the search in step."""
        with self.writing() as session:
            sound = session.get(Sound, number)
            if sound is None:
                raise OskrenError(f"There is no sound {number} in this library; it may have been removed.")
            for field, value in values.items():
                setattr(sound, field, value)
            session.execute(text("DELETE FROM sound_words WHERE rowid = :id"), {"id": number})
            index_words(session, sound)
        self.columns.touch(number)
        return sound

    def paths(self, number: int) -> list[str]:
        with self.reading() as session:
            return list(session.scalars(select(SoundPath.path).where(SoundPath.sound_id == number).order_by(SoundPath.path)))


def node_of(sound: Sound) -> Node:
    """What a sound is now: its own node through the chain Mend gave it."""
    node = NodeAdapter.validate_python(sound.node)
    chain = tuple(Step.model_validate(step) for step in sound.chain)
    return Chained(node=node, chain=chain) if chain else node


def index_words(session: Session, sound: Sound) -> None:
    """Put a sound's words into the full-text table, digits and CamelCase split, the unsplit name too."""
    words = " ".join([*words_of(sound.name), sound.name, *words_of(sound.category), sound.tags, sound.notes])
    session.execute(text("INSERT INTO sound_words(rowid, words) VALUES (:id, :words)"), {"id": sound.id, "words": words})
