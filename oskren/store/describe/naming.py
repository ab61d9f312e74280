"""Names of selects: from a template, with words completed from what the library says already, checked before they are given."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import select, text

from oskren.core.words.names import SELECT_TOKENS, check_template, numbered, problems
from oskren.core.words.propose import Vocabulary, words_of
from oskren.core.words.starting import tag_words
from oskren.store.describe.tree import categories
from oskren.store.library import Library
from oskren.store.tables import Sound

MOST_OFFERED = 12


def code_of(path: str, codes: dict[str, str]) -> str:
    """A category's code: its own, that of what it lies in, or the first four letters of its name."""
    parts = path.split("/")
    for depth in range(len(parts), 0, -1):
        code = codes.get("/".join(parts[:depth]))
        if code:
            return code
    return "".join(letter for letter in parts[-1] if letter.isalnum())[:4].upper()


def codes(library: Library) -> dict[str, str]:
    """Codes of categories that have one."""
    return {category.path: category.code for category in categories(library) if category.code}


def offered(library: Library, start: str) -> list[str]:
    """Words that begin so: of the tree, of tags, and of names in the library, the most used first."""
    start = start.lower().strip()
    if not start or not start.isalnum():
        return []
    with library.reading() as session:
        session.execute(text("CREATE VIRTUAL TABLE IF NOT EXISTS temp.all_words USING fts5vocab(main, 'sound_words', 'row')"))
        rows = session.execute(
            text("SELECT term, doc FROM temp.all_words WHERE term >= :start AND term < :end ORDER BY doc DESC LIMIT :most"),
            {"start": start, "end": start + "\U0010ffff", "most": MOST_OFFERED},
        ).all()
    counted = {term: int(count) for term, count in rows if not any(letter.isdigit() for letter in term)}
    for category in categories(library):
        for word in (*words_of(category.name), *(one.rstrip("!?").lower() for one in category.words)):
            if word.startswith(start):
                counted.setdefault(word, 0)
    for word in tag_words():
        if word.startswith(start):
            counted.setdefault(word, 0)
    return sorted(counted, key=lambda word: (-counted[word], word))[:MOST_OFFERED]


def names_like(library: Library, start: str) -> set[str]:
    """Names of sounds that begin so."""
    with library.reading() as session:
        return set(session.scalars(select(Sound.name).where(Sound.name.startswith(start, autoescape=True), Sound.trashed.is_(None))))


def known(library: Library, word: str, vocabulary: Vocabulary) -> bool:
    """Whether a word is said in the library, its tree or its tags already."""
    if vocabulary.propose(word).category or word in tag_words() or any(letter.isdigit() for letter in word):
        return True
    with library.reading() as session:
        return session.execute(text("SELECT 1 FROM sound_words WHERE sound_words MATCH :word LIMIT 1"), {"word": f'"{word}"'}).first() is not None


def named(library: Library, template: str, rows: Sequence[Mapping[str, object]]) -> list[tuple[str, list[str]]]:
    """A name for each row (fields of ``SELECT_TOKENS``), and what is wrong with it."""
    check_template(template, SELECT_TOKENS)
    with library.reading() as session:
        taken = set(session.scalars(select(Sound.name).where(Sound.trashed.is_(None))).all())
    names = numbered(template, rows, taken)
    seen = {name.casefold() for name in taken}
    answer = []
    for name in names:
        wrong = problems(name)
        if name.casefold() in seen:
            wrong.append("is taken; put {number} into the template")
        seen.add(name.casefold())
        answer.append((name, wrong))
    return answer
