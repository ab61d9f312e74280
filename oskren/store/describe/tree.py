"""The categories of a library: a tree its user owns. Changing it changes the sounds filed in it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound, OskrenError
from oskren.core.words.categories import Category, clean, from_csv, moved, to_csv, under, with_parents
from oskren.core.words.propose import Vocabulary
from oskren.store.describe.undoing import note, tree_as_is
from oskren.store.library import Library
from oskren.store.search.words import keep_in_step
from oskren.store.tables import CategoryRow, Lesson, Sound


def categories(library: Library) -> list[Category]:
    """The tree, in the order of its paths."""
    with library.reading() as session:
        rows = session.scalars(select(CategoryRow)).all()
    return sorted((Category(path=row.path, code=row.code, words=tuple(row.words.split())) for row in rows), key=lambda one: one.path.casefold())


def vocabulary(library: Library) -> Vocabulary:
    """What proposals are made from: the tree and what corrections taught."""
    learned: dict[str, dict[str, int]] = {}
    with library.reading() as session:
        for row in session.scalars(select(Lesson)):
            learned.setdefault(row.word, {})[row.category] = row.count
    return Vocabulary(categories(library), learned)


def add(library: Library, path: str, code: str = "", words: Sequence[str] = (), actor: str = "") -> Category:
    """Add a category (and what lies above it), or give a known one its code and words."""
    category = Category(path=clean(path), code=code, words=tuple(words))
    with library.writing() as session, _noted(session, f"the category {category.path}", actor):
        for part in with_parents([category.path]):
            if session.get(CategoryRow, part) is None:
                session.add(CategoryRow(path=part))
        session.flush()
        row = session.get(CategoryRow, category.path)
        assert row is not None
        row.code, row.words = category.code, " ".join(category.words)
    return category


def move(library: Library, old: str, new: str, actor: str = "") -> int:
    """Rename a category, move it elsewhere in the tree, or merge it into one that exists; how many sounds went along.

    What lies below goes along; where a path exists already, both become one and keep the words of both.
    """
    old, new = clean(old), clean(new)
    with library.writing() as session:
        rows = {row.path: row for row in session.scalars(select(CategoryRow))}
        if old not in rows:
            raise NotFound(f"There is no category {old} in this library.")
        ways = moved(rows, old, new)
        touched = _filed(session, ways)
        before = tree_as_is(session, touched)
        kept = {path: (rows[path].code, rows[path].words) for path in ways}
        session.execute(delete(CategoryRow).where(CategoryRow.path.in_(ways)))
        session.flush()
        session.expunge_all()
        for path, way in sorted(ways.items()):
            there = session.get(CategoryRow, way)
            code, words = kept[path]
            if there is None:
                session.add(CategoryRow(path=way, code=code, words=words))
            else:
                there.code = there.code or code
                there.words = " ".join(dict.fromkeys([*there.words.split(), *words.split()]))
            session.flush()
        for path in with_parents([new]):
            if session.get(CategoryRow, path) is None:
                session.add(CategoryRow(path=path))
        _relearn(session, ways)
        changed = _refile(session, ways)
        session.flush()
        note(session, f"the category {old} moved to {new}", before, tree_as_is(session, touched), actor, "tree")
    library.columns.touch(*changed)
    return len(changed)


def remove(library: Library, path: str, instead: str = "", actor: str = "") -> int:
    """Delete a category and what lies below it; its sounds get the category ``instead`` (none by default). How many they were."""
    path, instead = clean(path), clean(instead) if instead.strip() else ""
    if instead and under(instead, path):
        raise OskrenError(f"The sounds of {path} cannot go to {instead}, which is deleted with it; choose another category.")
    with library.writing() as session:
        gone = [row.path for row in session.scalars(select(CategoryRow)) if under(row.path, path)]
        if not gone:
            raise NotFound(f"There is no category {path} in this library.")
        touched = _filed(session, dict.fromkeys(gone, instead))
        before = tree_as_is(session, touched)
        session.execute(delete(CategoryRow).where(CategoryRow.path.in_(gone)))
        if instead:
            for part in with_parents([instead]):
                if session.get(CategoryRow, part) is None:
                    session.add(CategoryRow(path=part))
            _relearn(session, dict.fromkeys(gone, instead))
        else:
            session.execute(delete(Lesson).where(Lesson.category.in_(gone)))
        changed = _refile(session, dict.fromkeys(gone, instead))
        session.flush()
        note(session, f"the category {path} deleted", before, tree_as_is(session, touched), actor, "tree")
    library.columns.touch(*changed)
    return len(changed)


def _filed(session: Session, ways: dict[str, str]) -> set[int]:
    """The sounds filed in categories."""
    return set(session.scalars(select(Sound.id).where(Sound.category.in_(ways))))


@contextmanager
def _noted(session: Session, title: str, actor: str) -> Iterator[None]:
    """Keep what the tree was before and after, so that it can be undone."""
    before = tree_as_is(session)
    yield
    session.flush()
    after = tree_as_is(session)
    if after != before:
        note(session, title, before, after, actor, "tree")


def _relearn(session: Session, ways: dict[str, str]) -> None:
    for lesson in session.scalars(select(Lesson).where(Lesson.category.in_(ways))).all():
        word, way, count = lesson.word, ways[lesson.category], lesson.count
        session.delete(lesson)
        session.flush()
        there = session.get(Lesson, (word, way))
        if there is None:
            session.add(Lesson(word=word, category=way, count=count))
        else:
            there.count += count
        session.flush()


def _refile(session: Session, ways: dict[str, str]) -> list[int]:
    changed = []
    for sound in session.scalars(select(Sound).where(Sound.category.in_(ways))).all():
        sound.category = ways[sound.category]
        if not sound.category:
            sound.category_sure = 0.0
        keep_in_step(session, sound)
        changed.append(sound.id)
    return changed


def export_csv(library: Library) -> str:
    """The tree as CSV."""
    return to_csv(categories(library))


def import_csv(library: Library, table: str, *, replace: bool = False, actor: str = "") -> int:
    """Load categories from CSV beside those there are, or instead of those that hold no sound; how many the table had."""
    found = from_csv(table)
    with library.writing() as session, _noted(session, f"{len(found)} categories loaded", actor):
        if replace:
            held = set(with_parents(session.execute(text("SELECT DISTINCT category FROM sounds WHERE category != ''")).scalars().all()))
            for row in session.scalars(select(CategoryRow)).all():
                if row.path not in held:
                    session.delete(row)
            session.flush()
        rows = {row.path.casefold(): row for row in session.scalars(select(CategoryRow))}
        for category in found:
            known = rows.get(category.path.casefold())
            if known is None:
                session.add(CategoryRow(path=category.path, code=category.code, words=" ".join(category.words)))
            else:
                known.code = category.code or known.code
                known.words = " ".join(dict.fromkeys([*known.words.split(), *category.words]))
    return len(found)


def counts(library: Library) -> dict[str, int]:
    """How many sounds are filed right in each category."""
    with library.reading() as session:
        return dict(session.execute(select(Sound.category, func.count()).where(Sound.trashed.is_(None)).group_by(Sound.category)).all())
