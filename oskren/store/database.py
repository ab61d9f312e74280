"""The database of a library: brought up to date when it is opened; many read it, one writes."""

from __future__ import annotations

import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

from sqlalchemy import Engine, create_engine, event
from sqlalchemy.orm import Session, sessionmaker

_MIGRATING = threading.Lock()


def pragmas(connection: Any, _: Any) -> None:
    """Settings of every connection to a database of ours."""
    cursor = connection.cursor()
    for line in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=NORMAL", "busy_timeout=10000"):
        cursor.execute(f"PRAGMA {line}")
    cursor.close()


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


AT_ONCE = 500
"""Ids one question to the database names."""

Named = TypeVar("Named")


def in_parts(names: Sequence[Named]) -> Iterator[Sequence[Named]]:
    """Ids or hashes, as many at a time as one question names."""
    return (names[at : at + AT_ONCE] for at in range(0, len(names), AT_ONCE))


class Database:
    """Opens (or makes) the database in a library's folder and brings its tables up to date."""

    def __init__(self, folder: Path):
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self.engine = create_engine(f"sqlite:///{folder / 'library.db'}")
        event.listen(self.engine, "connect", pragmas)
        if not _up_to_date(self.engine):
            _migrate(self.engine)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._writing = threading.RLock()

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
