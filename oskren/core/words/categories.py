"""The tree of categories a library's user owns: paths like "Glass/Creak", each with a code and the words that speak for it."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence

from pydantic import BaseModel, ConfigDict, Field, field_validator

from oskren.core.errors import OskrenError

DEEPEST = 6
LONGEST = 300


class Category(BaseModel):
    """One category: its path in the tree, a short code (may be empty), and words that speak for it besides its own name."""

    model_config = ConfigDict(frozen=True)

    path: str = Field(min_length=1, max_length=300)
    code: str = Field("", max_length=40)
    words: tuple[str, ...] = ()

    @field_validator("path")
    @classmethod
    def _clean(cls, path: str) -> str:
        return clean(path)

    @property
    def name(self) -> str:
        return self.path.rsplit("/", 1)[-1]


def clean(path: str) -> str:
    """A path with single slashes and spaces; OskrenError when a part is empty or it is too deep.

    >>> clean(" Glass /  Slow  creak ")
    'Glass/Slow creak'
    """
    parts = [re.sub(r"\s+", " ", part).strip() for part in path.split("/")]
    if not all(parts):
        raise OskrenError(f"'{path}' is no category: give a name, or names with slashes between them, like Glass/Creak.")
    if len(parts) > DEEPEST:
        raise OskrenError(f"'{path[:200]}' is more than {DEEPEST} levels deep; leave some out.")
    if len("/".join(parts)) > LONGEST:
        raise OskrenError(f"'{path[:60]} ...' is longer than {LONGEST} letters; give it a shorter name.")
    return "/".join(parts)


def under(path: str, parent: str) -> bool:
    """Whether a path is a category or lies below it."""
    return path == parent or path.startswith(parent + "/")


def moved(paths: Iterable[str], old: str, new: str) -> dict[str, str]:
    """New path of every path that is ``old`` or below it; OskrenError when a category would land inside itself."""
    if new != old and under(new, old):
        raise OskrenError(f"{old} cannot be moved into {new}, which is a part of it; choose another place.")
    return {path: new + path[len(old) :] for path in paths if under(path, old)}


def with_parents(paths: Iterable[str]) -> list[str]:
    """The paths and everything above them, sorted, each once."""
    found = set()
    for path in paths:
        parts = path.split("/")
        found |= {"/".join(parts[: i + 1]) for i in range(len(parts))}
    return sorted(found, key=str.casefold)


def to_csv(categories: Sequence[Category]) -> str:
    """The tree as CSV: a column a level, code, words (by spaces)."""
    deep = max((category.path.count("/") + 1 for category in categories), default=1)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([*(f"level {i + 1}" for i in range(deep)), "code", "words"])
    for category in categories:
        parts = category.path.split("/")
        writer.writerow([*parts, *[""] * (deep - len(parts)), category.code, " ".join(category.words)])
    return out.getvalue()


_LEVEL = re.compile(r"^(level\s*\d+|(sub\s*)*-?_?\s*category(\s*\d+)?|group|class)$", re.I)
_CODE = re.compile(r"(^|[^a-z])(code|id|short|abbreviation)($|[^a-z])|(code|id)$", re.I)
_WORDS = re.compile(r"word|synonym|explanation|description|tag", re.I)
_PATH = re.compile(r"^(path|full.*name)$", re.I)


def from_csv(text: str) -> list[Category]:
    """Categories out of a CSV table with a header line, as studios and public lists have them.

    Columns are found by their titles: levels ("category", "sub-category", "level 1" ...) or one "path" with slashes; a
    "code" or "id"; "words" (with their ! and ?), "synonyms" or an "explanation", whose words are taken. Comma, semicolon and tab are understood.
    Names in capitals are written with small letters, but for tables of our own ("level 1").

    Raises
    ------
    OskrenError
        Naming the line and what is missing.
    """
    text = text.lstrip("\ufeff")
    if not text.strip():
        raise OskrenError("The table of categories is empty; it needs a header line with a column for the category.")
    header = text.split("\n", 1)[0]
    try:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=max(",;\t", key=header.count)))
    except csv.Error as error:
        raise OskrenError(f"The table of categories cannot be read ({error}); look for a quote that is not closed.") from error
    titles = [title.strip() for title in rows[0]]
    codes = [i for i, title in enumerate(titles) if _CODE.search(title)]
    paths = [i for i, title in enumerate(titles) if _PATH.match(title)]
    levels = [i for i, title in enumerate(titles) if _LEVEL.match(title) and i not in codes]
    words = [i for i, title in enumerate(titles) if _WORDS.search(title) and i not in levels and i not in codes]
    if not levels and not paths:
        raise OskrenError(f"The table of categories has no column for the category; its header says: {', '.join(titles)}. Call one of them 'category'.")
    own = titles[0].lower() == "level 1"
    found: dict[str, Category] = {}
    for row in rows[1:]:
        cells = [cell.strip() for cell in row] + [""] * (len(titles) - len(row))
        if not any(cells):
            continue
        parts = [cells[i].replace("/", " or ") for i in levels if cells[i]] if levels else [part for part in cells[paths[0]].split("/") if part.strip()]
        if not parts:
            continue
        path = clean("/".join(part.capitalize() if part.isupper() and len(part) > 3 and not own else part for part in parts))
        said = [word for i in words for word in re.findall(r"[^\W\d_]{2,}[!?]?" if titles[i].lower() == "words" else r"[^\W\d_]{3,}", cells[i].lower())]
        found[path.casefold()] = Category(path=path, code=next((cells[i] for i in codes if cells[i]), "")[:40], words=tuple(dict.fromkeys(said)))
    if not found:
        raise OskrenError("The table of categories has a header but no categories below it.")
    for path in with_parents(category.path for category in found.values()):
        found.setdefault(path.casefold(), Category(path=path))
    return sorted(found.values(), key=lambda category: category.path.casefold())
