"""The words a sound is found by, kept in step with its fields; and what a user typed as words of the full-text table."""

from __future__ import annotations

import re
from pathlib import Path

from sqlalchemy import text
from sqlalchemy.orm import Session

from oskren.core.audio.metadata import Metadata
from oskren.core.words.conditions import MOST_WORDS
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


_TOKEN = re.compile(r'(?<!\S)(-(?=[^\W\d_]|"))?(?:"([^"]*)"|(\S+))')
"""A word or a phrase in quotes; a minus before a number is part of it."""


def _expression(phrase: str, word: str) -> list[str]:
    """FTS5 expressions of one typed token: a phrase as it stands, the words of anything else as prefixes."""
    inner = re.findall(r"\w+", phrase)
    return ['"' + " ".join(inner) + '"'] if inner else [f'"{one}"*' for one in re.findall(r"[^\W\d_]+|\d+", word)]


def match_parts(query: str) -> tuple[list[str], list[str]]:
    """FTS5 expressions of what a user typed: those a sound must have, and those it must not.

    Words are prefixes, quoted phrases stand as they are, ``-`` before either leaves it out, ``or`` between two asks for one of them.

    >>> match_parts('glass "slow creak" -rim')
    (['"slow creak"', '"glass"*'], ['"rim"*'])
    >>> match_parts("creak or squeak wet")
    (['("creak"* OR "squeak"*)', '"wet"*'], [])
    """
    tokens = [(bool(minus), _expression(phrase, word), word) for minus, phrase, word in _TOKEN.findall(query)]
    wanted: list[str] = []
    words: list[str] = []
    unwanted: list[str] = []
    at = 0
    while at < len(tokens):
        minus, parts, _ = tokens[at]
        at += 1
        if not parts:
            continue
        if minus:
            unwanted.append(" AND ".join(parts))
            continue
        choices = [parts]
        while at + 1 < len(tokens) and tokens[at][2].lower() == "or" and tokens[at + 1][1] and not tokens[at + 1][0]:
            choices.append(tokens[at + 1][1])
            at += 2
        if len(choices) > 1:
            wanted.append("(" + " OR ".join(one[0] if len(one) == 1 else f"({' AND '.join(one)})" for one in choices) + ")")
        elif parts[0].endswith("*"):
            words += [part[1:-2] for part in parts]
        else:
            wanted += parts
    # what begins another word is found with it
    words = list(dict.fromkeys(words))[: 4 * MOST_WORDS]
    kept = [word for word in words if not any(other != word and other.startswith(word) for other in words)]
    return (wanted + [f'"{word}"*' for word in kept])[:MOST_WORDS], unwanted[:MOST_WORDS]
