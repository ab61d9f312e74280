"""The wanted list: its states, its table form, and how well a sound fits what is wanted."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

from pydantic import BaseModel, ConfigDict, Field

from oskren.core.errors import OskrenError
from oskren.core.words.propose import forms, words_of

STATES = ("wanted", "found", "to record", "recorded", "designed", "done")
"""In the order the work goes."""

PRIORITIES = {1: "must", 2: "should", 3: "may"}
"""How important an entry is."""

COLUMNS = ("what", "how many", "priority", "state", "notes", "answers")
MOST_ENTRIES = 20_000
EMPTY_WORDS = frozenset(("and", "for", "from", "into", "off", "out", "over", "per", "some", "that", "the", "through", "with"))
"""Small words that say nothing; shorter ones are passed over anyway."""


class Entry(BaseModel):
    """What a project needs: ``how_many`` different ones, ``priority`` 1 to 3."""

    model_config = ConfigDict(extra="forbid")

    what: str = Field(min_length=1, max_length=300)
    how_many: int = Field(1, ge=1, le=10_000)
    priority: int = Field(2, ge=1, le=3)
    state: str = "wanted"
    notes: str = Field("", max_length=8000)


def content_words(text: str) -> list[str]:
    """The words of a text that say something: plainest forms, without numbers, small words and doubles.

    >>> content_words("Two glass doors, creaking in the wind")
    ['two', 'glass', 'door', 'creak', 'wind']
    """
    found = []
    for word in words_of(text):
        if word.isdigit() or len(word) < 3 or word in EMPTY_WORDS:
            continue
        plain = forms(word)
        stem = plain[1] if len(plain) > 1 and word.endswith(("s", "ing", "ed")) else word
        found.append(stem)
    return list(dict.fromkeys(found))


def fit(wanted: Sequence[str], name: Iterable[str], said: Iterable[str], same_category: bool, rating: int = 0) -> float:
    """How well a sound fits an entry, 0..1.

    Parameters
    ----------
    wanted : sequence of str
        Content words of the entry.
    name : iterable of str
        Content words of the sound's name; each counts whole.
    said : iterable of str
        Content words of its category, tags and notes; each counts three quarters.
    same_category : bool
        Whether the words of the entry speak for the sound's category: worth a fifth.
    rating : int
        0 to 5; breaks ties only.
    """
    if not wanted:
        return 0.0
    in_name, around = set(name), set(said)
    share = sum(1.0 if word in in_name else 0.75 if word in around else 0.0 for word in wanted) / len(wanted)
    return min(1.0, 0.8 * share + (0.2 if same_category else 0.0)) - 0.001 * (5 - rating) if share or same_category else 0.0


def checked_state(state: str) -> str:
    """A state as it is written; OskrenError when there is none like it."""
    plain = " ".join(state.lower().replace("_", " ").split()) or "wanted"
    if plain not in STATES:
        raise OskrenError(f"There is no state '{state}' on a wanted list; there are {', '.join(STATES)}.")
    return plain


def write_csv(rows: Iterable[tuple[Entry, Sequence[str]]]) -> str:
    """Entries with the names of what answers them, as CSV with a header row."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")  # as RFC 4180 asks
    table.writerow(COLUMNS)
    for entry, answers in rows:
        table.writerow([entry.what, entry.how_many, PRIORITIES[entry.priority], entry.state, entry.notes, "; ".join(answers)])
    return out.getvalue()


def read_csv(text: str) -> list[Entry]:
    """Entries of a CSV with a header row; only ``what`` must be there, other columns of a foreign table are left alone.

    Raises
    ------
    OskrenError
        Naming the line that cannot be read.
    """
    text = text.lstrip("\ufeff")
    first = text.split("\n", 1)[0]
    table = csv.reader(io.StringIO(text), delimiter=";" if first.count(";") > first.count(",") else "\t" if "\t" in first else ",")
    try:
        rows = [row for row in table if any(cell.strip() for cell in row)]
    except csv.Error as error:
        raise OskrenError(f"The wanted list cannot be read as CSV ({error}); export it again as CSV with a header row.") from error
    if not rows:
        raise OskrenError("The wanted list is empty; its first row names the columns, one of them 'what'.")
    head = [" ".join(cell.lower().replace("_", " ").split()) for cell in rows[0]]
    if "what" not in head:
        raise OskrenError(f"The wanted list needs a column 'what'; it has {', '.join(cell for cell in head if cell) or 'none that is named'}.")
    if len(rows) > MOST_ENTRIES:
        raise OskrenError(f"The wanted list holds more than {MOST_ENTRIES} rows; split it.")
    names = {name: number for number, name in PRIORITIES.items()}
    entries = []
    for line, row in enumerate(rows[1:], 2):
        cells = dict(zip(head, (cell.strip() for cell in row), strict=False))
        if not cells.get("what"):
            raise OskrenError(f"Row {line} of the wanted list says nothing under 'what'; fill it in or delete the row.")
        count, priority = cells.get("how many") or "1", (cells.get("priority") or "should").lower()
        if not count.isdigit() or not 1 <= int(count) <= 10_000:
            raise OskrenError(f"Row {line} of the wanted list: '{count}' under 'how many' is no number from 1 to 10000.")
        if priority not in names and priority not in ("1", "2", "3"):
            raise OskrenError(f"Row {line} of the wanted list: '{priority}' under 'priority' is none of {', '.join(names)} or 1 to 3.")
        try:
            state = checked_state(cells.get("state") or "wanted")
        except OskrenError as error:
            raise OskrenError(f"Row {line} of the wanted list: {error}") from error
        notes = (cells.get("notes") or "")[:8000]
        entries.append(Entry(what=cells["what"][:300], how_many=int(count), priority=names.get(priority) or int(priority), state=state, notes=notes))
    return entries
