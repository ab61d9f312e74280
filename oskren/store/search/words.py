"""The words a sound is found by, kept in step with its fields."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import text
from sqlalchemy.orm import Session

from oskren.core.audio.metadata import Metadata
from oskren.core.words.propose import words_of
from oskren.store.search.vector import vector_of
from oskren.store.tables import Sound


def keep_in_step(session: Session, sound: Sound) -> None:
    """After a change of a sound's fields: its search vector and its words."""
    sound.vector = vector_of(sound.measures, sound.frames / sound.rate)
    session.execute(text("DELETE FROM sound_words WHERE rowid = :id"), {"id": sound.id})
    index_words(session, sound)


def index_words(session: Session, sound: Sound) -> None:
    """Put a sound's words into the full-text table, digits and CamelCase split, the unsplit name too."""
    said = Metadata.model_validate(sound.said or {}).words()
    folders = [word for part in Path(sound.folder).parts[-2:] for word in words_of(part)] if sound.folder else []
    own = [str(value) for value in (sound.fields or {}).values()]
    texts = [*words_of(sound.name), sound.name, *words_of(sound.category), sound.tags, sound.notes, sound.rights or "", *folders, *own, *said]
    session.execute(text("INSERT INTO sound_words(rowid, words) VALUES (:id, :words)"), {"id": sound.id, "words": " ".join(texts)})
