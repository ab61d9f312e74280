"""One library: a folder with its database and media, self-contained."""

from __future__ import annotations

import os
import shutil
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, event, select
from sqlalchemy.orm import Session, sessionmaker

from oskren.core.audio import files
from oskren.core.audio.metadata import Metadata
from oskren.core.audio.replacing import replacing
from oskren.core.errors import NotFound, OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Chained, Node, NodeAdapter, Source, Step
from oskren.core.nodes.walk import leaves
from oskren.core.words.propose import Proposal
from oskren.store.originals import Added, Examined, displaced, noted, path_of, quality, with_audio
from oskren.store.search.asking import Asked, Asking, Matches
from oskren.store.search.vector import vector_of
from oskren.store.search.words import index_words, keep_in_step
from oskren.store.tables import Arrival, Media, Sound, SoundPath


@dataclass(frozen=True)
class MadeSound:
    """A sound Oskren made, as it goes into the library: its shape is rate (Hz), channels, frames; ``described`` are further columns."""

    name: str
    kind: str
    node: Node
    shape: tuple[int, int, int]
    measures: Measures
    outline: bytes
    proposal: Proposal
    described: dict[str, Any] = field(default_factory=dict)


GONE = "the file of this sound is missing; put it back or import it again."
_MIGRATING = threading.Lock()


def pragmas(connection: Any, _: Any) -> None:
    """Settings of every connection to a database of ours."""
    cursor = connection.cursor()
    for line in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=NORMAL", "busy_timeout=10000"):
        cursor.execute(f"PRAGMA {line}")
    cursor.close()


AT_ONCE = 500
"""Ids one question to the database names."""


def no_such_sound(id: int) -> OskrenError:
    """What is said of a sound that is not in the library."""
    return NotFound(f"There is no sound {id} in this library; it may have been removed.")


MIGRATIONS = Path(__file__).parent / "migrations"


def _up_to_date(engine: Engine) -> bool:
    """Whether the tables are those of this version; the migration library takes long to load."""
    newest = max(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))
    with engine.connect() as connection:
        known = connection.exec_driver_sql("SELECT name FROM sqlite_master WHERE name = 'alembic_version'").scalar()
        return known is not None and connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar() == newest


def _migrate(engine: Engine) -> None:
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    # the migration library keeps what it works on in one place for the whole process
    with _MIGRATING, engine.begin() as connection:
        # all or nothing, and one process at a time: a kill in the middle leaves the tables as they were
        connection.exec_driver_sql("BEGIN IMMEDIATE")
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


class Library:
    """Opens (or makes) the library in a folder and brings its tables up to date."""

    def __init__(self, folder: Path):
        self.folder = folder
        (folder / "media").mkdir(parents=True, exist_ok=True)
        self.engine = create_engine(f"sqlite:///{folder / 'library.db'}")
        event.listen(self.engine, "connect", pragmas)
        if not _up_to_date(self.engine):
            _migrate(self.engine)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._writing = threading.RLock()
        self._guests: dict[str, Path] = {}
        self.columns = Asking()

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
        if audio in self._guests:
            return self._guests[audio]
        with self.reading() as session:
            found = session.get(Media, audio)
        if found is None:
            raise OskrenError(f"The library does not hold the sound {audio[:12]}; import its file again.")
        path = self._file(found.path)
        if not path.exists():
            raise OskrenError(f"{path}: {GONE}")
        return path

    def media_found(self, *nodes: Node) -> tuple[dict[str, str], dict[str, str]]:
        """Paths of the audio nodes are made of, as sent to workers; and for what cannot be had, a sentence that names it."""
        wanted = list({leaf.audio for node in nodes for leaf in leaves(node)})
        found: dict[str, str] = {}
        gone = {audio: f"The library does not hold the sound {audio[:12]}; import its file again." for audio in wanted}
        for audio in self._guests.keys() & gone.keys():
            found[audio] = str(self._guests[audio])
            gone.pop(audio)
        wanted = list(gone)
        with self.reading() as session:
            for at in range(0, len(wanted), 500):
                for audio, path in session.execute(select(Media.audio, Media.path).where(Media.audio.in_(wanted[at : at + 500]))):
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

    # ---- sounds

    def arrival(self, name: str) -> int:
        with self.writing() as session:
            row = Arrival(name=name)
            session.add(row)
            session.flush()
            return row.id

    def add_original(
        self,
        found: Examined,
        arrival: int,
        proposal: Proposal,
        *,
        refer: bool,
        kind: str = "original",
        name: str | None = None,
        sent: Path | None = None,
        move: bool = False,
    ) -> Added:
        """Add an examined file; not fresh when the same audio is already there (its path is then added to that sound).

        A sound that lies in the trash is taken out of it again. ``move`` takes the file itself into the library instead of a copy.
        """
        path = Path(found.path)
        where = self._place_media(found.audio, path, refer=refer, move=move)
        with self.writing() as session:
            if where:
                session.merge(Media(audio=found.audio, path=where, referred=refer))
            known = with_audio(session, found.audio)
            fresh = known is None or known.trashed is not None
            if known is None:
                said = Metadata.model_validate(found.said)
                known = self._insert(
                    session,
                    name or path.stem,
                    kind,
                    found.source(),
                    found.measures,
                    found.outline,
                    arrival,
                    bits=found.bits,
                    format_=found.format,
                    proposal=proposal,
                    audio=found.audio,
                    layout=found.layout,
                    said=found.said,
                    folder=str(Path(noted(found, sent)).parent) if kind == "original" else "",
                    notes="\n".join(dict.fromkeys(text for text in (said.description, said.note, said.comment) if text)),
                    rights=said.rights,
                    recorded=said.date[:20],
                )
            known.trashed = None
            known.missing = False
            lost = displaced(session, noted(found, sent), found.audio)
            session.merge(path_of(found, known.id, sent))
        self.columns.touch(known.id, *lost)
        return Added(known.id, fresh, tuple(lost))

    def add_format(self, found: Examined, id: int, *, refer: bool, sent: Path | None = None) -> None:
        """Add a file that holds the recording of a known sound in another format; the better of both is what the sound is from now on."""
        with self.writing() as session:
            sound = session.get(Sound, id)
            assert sound is not None
            session.merge(path_of(found, id, sent))
            better = quality(found.format, found.rate, found.bits) > quality(sound.format, sound.rate, sound.bits)
            if better:
                kept = ("anchor_s", "anchor_kind")
                node = found.source()
                sound.measures = {**found.measures, **{name: sound.measures[name] for name in kept if name in sound.measures}}
                sound.node, sound.digest, sound.audio = node.model_dump(mode="json"), node_hash(node), found.audio
                sound.rate, sound.channels, sound.bits, sound.format, sound.frames = found.rate, found.channels, found.bits, found.format, found.frames
                sound.outline, sound.followed = found.outline, False
                sound.vector = vector_of(sound.measures, sound.frames / sound.rate)
        if better:
            self.keep_media(found.audio, Path(found.path), refer=refer)
        self.columns.touch(id)

    def add_made(
        self,
        name: str,
        kind: str,
        node: Node,
        rate: int,
        channels: int,
        frames: int,
        measures: Measures,
        outline: bytes,
        arrival: int | None,
        category: str = "",
        *,
        tags: Sequence[str] = (),
        sure: float = 1.0,
        **described: Any,
    ) -> int:
        """Add a sound Oskren made: a print, a variation, a one-shot, an excerpt; ``described`` are further columns of it."""
        shape = (rate, channels, frames)
        made = MadeSound(name, kind, node, shape, measures, outline, Proposal(category, tuple(tags), sure), described)
        return self.add_all_made([made], arrival)[0]

    def add_all_made(self, sounds: Sequence[MadeSound], arrival: int | None) -> list[int]:
        """Add sounds Oskren made, all of them or none; their ids."""
        with self.writing() as session:
            rows = []
            for one in sounds:
                row = self._new(
                    one.name,
                    one.kind,
                    one.node,
                    one.measures.model_dump(),
                    one.outline,
                    arrival,
                    bits=32,
                    format_="Oskren",
                    proposal=one.proposal,
                    shape=one.shape,
                    **one.described,
                )
                row.followed = True
                rows.append(row)
            session.add_all(rows)
            session.flush()
            for row in rows:
                index_words(session, row)
            ids = [row.id for row in rows]
        self.columns.touch(*ids)
        return ids

    def _insert(self, session: Session, *told: Any, **described: Any) -> Sound:
        sound = self._new(*told, **described)
        session.add(sound)
        session.flush()
        index_words(session, sound)
        return sound

    @staticmethod
    def _new(
        name: str,
        kind: str,
        node: Node,
        measures: dict[str, Any],
        outline: bytes,
        arrival: int | None,
        *,
        bits: int | None,
        format_: str,
        proposal: Proposal,
        shape: tuple[int, int, int] | None = None,
        **described: Any,
    ) -> Sound:
        if shape is None:
            assert isinstance(node, Source)
            shape = (node.rate, node.channels, node.frames)
        return Sound(
            name=name,
            kind=kind,
            arrival_id=arrival,
            digest=node_hash(node),
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
            outline=outline,
            vector=vector_of(measures, shape[2] / shape[0]),
            **described,
        )

    def sound(self, id: int) -> Sound:
        with self.reading() as session:
            found = session.get(Sound, id)
        if found is None:
            raise no_such_sound(id)
        return found

    def sounds(self, ids: Sequence[int]) -> list[Sound]:
        """Sounds in the order asked for, read in one go; OskrenError names the first that is not there."""
        found: dict[int, Sound] = {}
        with self.reading() as session:
            for at in range(0, len(ids), AT_ONCE):
                found |= {sound.id: sound for sound in session.scalars(select(Sound).where(Sound.id.in_(ids[at : at + AT_ONCE])))}
        for id in ids:
            if id not in found:
                raise no_such_sound(id)
        return [found[id] for id in ids]

    def names_of(self, hashes: Sequence[str]) -> list[str]:
        """Names of the sounds that hold audio of these hashes."""
        with self.reading() as session:
            return list(session.scalars(select(Sound.name).where(Sound.audio.in_(hashes)).order_by(Sound.id)))

    def change(self, id: int, values: dict[str, Any]) -> Sound:
        """Change fields of a sound and keep the search in step."""
        with self.writing() as session:
            sound = session.get(Sound, id)
            if sound is None:
                raise no_such_sound(id)
            for field, value in values.items():
                setattr(sound, field, value)
            keep_in_step(session, sound)
        self.columns.touch(id)
        return sound

    def search(self, asked: Asked) -> Matches:
        """Ask the table."""
        with self.reading() as session:
            return self.columns.search(session, asked)

    def paths(self, id: int) -> list[tuple[str, str, bool]]:
        """Files a sound is found in: path, format, whether it is missing."""
        with self.reading() as session:
            rows = session.scalars(select(SoundPath).where(SoundPath.sound_id == id).order_by(SoundPath.path))
            return [(row.path, row.format, row.missing) for row in rows]


def node_of(sound: Sound) -> Node:
    """What a sound is now: its own node through the chain Mend gave it."""
    node = NodeAdapter.validate_python(sound.node)
    chain = tuple(Step.model_validate(step) for step in sound.chain)
    return Chained(node=node, chain=chain) if chain else node
