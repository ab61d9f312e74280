"""Jobs on disk, beside the libraries they work on: they outlast the server, and so do the words on how they ended."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import JSON, Boolean, Engine, ForeignKey, Integer, String, Text, create_engine, delete, event, func, select, update
from sqlalchemy.orm import DeclarativeBase, Mapped, Session, mapped_column

from oskren.core.errors import NotFound, OskrenError
from oskren.store.database import pragmas
from oskren.store.tables import now

KEPT = 500
"""Ended jobs that are remembered."""

VERSION = 1
"""Of these tables; noted in the file."""


class Tables(DeclarativeBase):
    """Tables of the home itself."""

    type_annotation_map = {dict[str, Any]: JSON}


class JobRow(Tables):
    """One job. ``state`` is running, done, failed, cancelled or interrupted; ``ended`` counts the jobs of this home as they end.

    ``unwanted`` was cancelled by hand and has not ended yet; ``heard`` says whether a page was told of its end.
    """

    __tablename__ = "jobs"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    kind: Mapped[str] = mapped_column(String(16))
    library: Mapped[str] = mapped_column(Text)
    title: Mapped[str] = mapped_column(Text)
    arguments: Mapped[dict[str, Any]] = mapped_column()
    state: Mapped[str] = mapped_column(String(12), default="running", index=True)
    done: Mapped[int] = mapped_column(Integer, default=0)
    total: Mapped[int] = mapped_column(Integer, default=0)
    message: Mapped[str] = mapped_column(Text, default="")
    result: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    begun: Mapped[str] = mapped_column(String(20), default=now)
    ended: Mapped[int] = mapped_column(Integer, default=0, index=True)
    unwanted: Mapped[bool] = mapped_column(Boolean, default=False)
    heard: Mapped[bool] = mapped_column(Boolean, default=False)


class JobNote(Tables):
    """Something a job noted for after a restart."""

    __tablename__ = "notes"
    job: Mapped[int] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(Text, primary_key=True)
    value: Mapped[Any] = mapped_column(JSON)


class JobStore:
    """The jobs of a home, in ``jobs.db``; opened at the first use."""

    def __init__(self, file: Path):
        self._file = file
        self._engine: Engine | None = None
        self._lock = threading.Lock()

    def _opened(self) -> Engine:
        with self._lock:
            if self._engine is None:
                engine = create_engine(f"sqlite:///{self._file}")
                event.listen(engine, "connect", pragmas)
                with engine.begin() as connection:
                    if (found := connection.exec_driver_sql("PRAGMA user_version").scalar() or 0) > VERSION:
                        raise OskrenError(f"{self._file}: was written by a newer Oskren; start that one, or move this file away.")
                    Tables.metadata.create_all(connection)
                    if found < VERSION:
                        connection.exec_driver_sql(f"PRAGMA user_version = {VERSION}")
                self._engine = engine
            return self._engine

    @contextmanager
    def _session(self) -> Iterator[Session]:
        with Session(self._opened(), expire_on_commit=False) as session:
            yield session
            session.commit()

    def close(self) -> None:
        with self._lock:
            if self._engine is not None:
                self._engine.dispose()
                self._engine = None

    def begin(self, kind: str, library: str, title: str, arguments: dict[str, Any]) -> JobRow:
        """Write a job down before it runs."""
        with self._session() as session:
            old = select(JobRow.id).where(JobRow.ended > 0).order_by(JobRow.ended.desc()).offset(KEPT)
            session.execute(delete(JobRow).where(JobRow.id.in_(old)))
            row = JobRow(kind=kind, library=library, title=title, arguments=arguments)
            session.add(row)
        return row

    def get(self, id: int) -> JobRow:
        """A job; OskrenError when there is none."""
        with self._session() as session:
            row = session.get(JobRow, id)
        if row is None:
            raise NotFound(f"There is no job {id}; it ended long ago.")
        return row

    def running(self, kind: str | None = None) -> list[JobRow]:
        """Jobs that have not ended, oldest first: those of this server, and what an earlier one left."""
        query = select(JobRow).where(JobRow.state == "running").order_by(JobRow.id)
        with self._session() as session:
            return list(session.scalars(query if kind is None else query.where(JobRow.kind == kind)))

    def recent(self, count: int = 200) -> list[JobRow]:
        """The newest jobs, oldest first."""
        with self._session() as session:
            return list(session.scalars(select(JobRow).order_by(JobRow.id.desc()).limit(count)))[::-1]

    def at(self, id: int, done: int, total: int) -> None:
        """Note how far a job is."""
        self._set(id, done=done, total=total)

    def unwanted(self, id: int) -> None:
        """Note that a job was cancelled, before it has ended."""
        self._set(id, unwanted=True)

    def end(self, id: int, state: str, message: str, result: dict[str, Any] | None, *, heard: bool) -> JobRow:
        """Write down how a job ended."""
        with self._session() as session:
            last = session.scalar(select(func.max(JobRow.ended))) or 0
            row = session.get(JobRow, id)
            if row is None:
                raise NotFound(f"There is no job {id}; it ended long ago.")
            row.state, row.message, row.result, row.ended, row.heard = state, message, result, last + 1, heard
            session.execute(delete(JobNote).where(JobNote.job == id))
        return row

    def last(self) -> int:
        """The end of the job that ended last, counted; 0 when none has."""
        with self._session() as session:
            return session.scalar(select(func.max(JobRow.ended))) or 0

    def unheard(self, after: int | None = None) -> list[JobRow]:
        """Ended jobs no page was told of, or, with ``after``, all that ended after that one did; they count as told from now on."""
        wanted = JobRow.heard.is_(False) if after is None else JobRow.ended > after
        with self._session() as session:
            rows = list(session.scalars(select(JobRow).where(JobRow.state != "running", wanted).order_by(JobRow.ended)))
            if rows:
                session.execute(update(JobRow).where(JobRow.id.in_([row.id for row in rows])).values(heard=True))
        return rows

    def noted(self, id: int, key: str) -> Any:
        """What a job noted under a key; None when nothing."""
        with self._session() as session:
            row = session.get(JobNote, (id, key))
            return None if row is None else row.value

    def note(self, id: int, key: str, value: Any) -> None:
        """Keep a note of a job."""
        with self._session() as session:
            session.merge(JobNote(job=id, key=key, value=value))

    def _set(self, id: int, **values: Any) -> None:
        with self._session() as session:
            session.execute(update(JobRow).where(JobRow.id == id).values(**values))
