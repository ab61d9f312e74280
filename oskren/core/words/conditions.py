"""The search language: words, then conditions that read as plain words.

    glass creak where length under 2 s and rating at least 3 and not category Metal or Wood

Words before ``where`` are searched in names, categories, tags and notes. After it stand conditions, joined by ``and``;
each names a field, says how it compares, and gives one value or several with ``or`` between them.
"""

from __future__ import annotations

import re
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from oskren.core.errors import OskrenError
from oskren.core.measure.key import KEYS

Kind = Literal["number", "text", "choice", "date", "truth", "key"]
How = Literal["is", "under", "over", "at least", "at most", "between", "has", "begins with", "before", "after", "agrees with"]

FIELDS: dict[str, tuple[Kind, str]] = {
    "length": ("number", "s"),
    "rate": ("number", "kHz"),
    "bits": ("number", ""),
    "channels": ("number", ""),
    "peak": ("number", "dBFS"),
    "loudness": ("number", "LUFS"),
    "brightness": ("number", "Hz"),
    "bandwidth": ("number", "Hz"),
    "pitch": ("number", "Hz"),
    "noise": ("number", "dBFS"),
    "rating": ("number", ""),
    "strength": ("number", ""),
    "sure": ("number", "%"),
    "name": ("text", ""),
    "notes": ("text", ""),
    "rights": ("text", ""),
    "folder": ("text", ""),
    "place": ("text", ""),
    "microphone": ("text", ""),
    "props": ("text", ""),
    "weather": ("text", ""),
    "permission": ("text", ""),
    "category": ("choice", ""),
    "tag": ("choice", ""),
    "mark": ("choice", ""),
    "format": ("choice", ""),
    "layout": ("choice", ""),
    "kind": ("choice", ""),
    "arrival": ("choice", ""),
    "set": ("choice", ""),
    "used": ("choice", ""),
    "anchor": ("choice", ""),
    "key": ("key", ""),
    "added": ("date", ""),
    "recorded": ("date", ""),
    "mended": ("truth", ""),
    "missing": ("truth", ""),
    "clipped": ("truth", ""),
}
"""Every field a condition may name, with its unit. Fields of the user's own are named by their own name."""

ALSO = {"tags": "tag", "imported": "added", "date": "recorded", "categories": "category", "duration": "length", "bright": "brightness"}
"""What fields are called too; a field of the user's own of that name comes first."""

COMPARISONS: dict[Kind, tuple[How, ...]] = {
    "number": ("under", "over", "is", "at least", "at most", "between"),
    "text": ("has", "is", "begins with"),
    "choice": ("is",),
    "date": ("after", "before", "is", "between"),
    "truth": ("is",),
    "key": ("agrees with", "is"),
}


class Condition(BaseModel):
    """One condition; several values mean any of them, two for ``between``. ``inverted`` turns it round."""

    model_config = ConfigDict(frozen=True)

    field: str = Field(min_length=1, max_length=60)
    how: How
    values: tuple[str, ...] = Field(min_length=1, max_length=100)
    inverted: bool = False


class Search(BaseModel):
    """Words and conditions."""

    model_config = ConfigDict(frozen=True)

    words: str = ""
    conditions: tuple[Condition, ...] = ()


MOST_WORDS, MOST_CONDITIONS, MOST_VALUES = 40, 24, 120
"""What one search may hold: everybody waits while it is answered."""

_WORD = re.compile(r"[^\W\d_]+|\d+")
_TOKEN = re.compile(r'\s*("(?:[^"\\]|\\.)*"|,|[^\s",]+)')
_DATE = re.compile(r"^\d{4}(-\d\d(-\d\d)?)?$")
_NUMBER = re.compile(r"^([+-]?(?:\d+\.?\d*|\.\d+))\s*([a-zA-Z%]*)$")
_UNITS: dict[str, dict[str, float]] = {
    "s": {"s": 1, "ms": 0.001, "min": 60, "h": 3600, "": 1},
    "kHz": {"khz": 1, "hz": 0.001, "k": 1, "": 1},
    "Hz": {"hz": 1, "khz": 1000, "k": 1000, "": 1},
    "dBFS": {"dbfs": 1, "db": 1, "": 1},
    "LUFS": {"lufs": 1, "lu": 1, "db": 1, "": 1},
    "%": {"%": 1, "": 1},
    "": {"": 1, "bit": 1, "bits": 1, "ch": 1, "channels": 1},
}
_STOPS = {"and", "or", "not", "where", "to"}


def number(text: str, unit: str) -> float:
    """A typed value in a field's unit: "2 s", "250ms", "96 kHz"; OskrenError when it is none.

    >>> number("250 ms", "s"), number("1.5k", "Hz")
    (0.25, 1500.0)
    """
    match = _NUMBER.match(text.strip())
    factors = _UNITS.get(unit, {"": 1.0})
    if not match or match[2].lower() not in factors:
        raise OskrenError(f"'{text}' is no value{f' in {unit}' if unit else ''}; write a number{f', with {unit} after it if you like' if unit else ''}.")
    return float(match[1]) * factors[match[2].lower()]


def kind_of(field: str, own: dict[str, Kind] | None = None) -> tuple[Kind, str]:
    """Kind and unit of a field, built in or the user's own; OskrenError when there is none of that name."""
    if field in FIELDS:
        return FIELDS[field]
    if own and field in own:
        return own[field], ""
    raise OskrenError(f"There is no field called '{field}' to search by; there are {', '.join([*FIELDS, *(own or {})])}.")


def checked(condition: Condition, own: dict[str, Kind] | None = None) -> Condition:
    """A condition whose comparison and values fit its field; one sentence otherwise."""
    kind, unit = kind_of(condition.field, own)
    if condition.how not in COMPARISONS[kind]:
        raise OskrenError(f"'{condition.field} {condition.how}' does not go together; {condition.field} can be compared by {', '.join(COMPARISONS[kind])}.")
    if condition.how == "between" and len(condition.values) != 2:
        raise OskrenError(f"'{condition.field} between' needs two values: between 1 and 2.")
    condition = condition.model_copy(update={"values": tuple(_as_meant(condition.field, kind, value) for value in condition.values)})
    for value in condition.values:
        if kind == "number":
            number(value, unit)
        elif kind == "date" and not _DATE.match(value):
            raise OskrenError(f"'{value}' is no date; write 2026-11-23, 2026-11 or 2026.")
        elif kind == "truth" and value not in ("yes", "no"):
            raise OskrenError(f"'{condition.field} is {value}' does not go together; say yes or no.")
        elif kind == "key" and value not in KEYS:
            raise OskrenError(f"'{value}' is no key; write one like A minor or Eb major.")
        elif condition.field == "used" and value not in ("here", "elsewhere", "no"):
            raise OskrenError(f"'used is {value}' does not go together; say here, elsewhere or no.")
    return condition


_KEYS = {key.casefold(): key for key in KEYS}


def _as_meant(field: str, kind: Kind, value: str) -> str:
    """A value as the field writes it, however its letters were typed: Yes, a minor, HERE."""
    if kind == "key":
        return _KEYS.get(value.casefold(), value)
    return value.lower() if kind == "truth" or field == "used" else value


def write(search: Search) -> str:
    """The text form of a search; :func:`parse` reads it back to the same search.

    >>> write(Search(words="glass", conditions=(Condition(field="length", how="under", values=("2 s",)),)))
    'glass where length under 2 s'
    """

    def quoted(value: str, field: str) -> str:
        kind = FIELDS.get(field, ("text", ""))[0]
        plain = re.fullmatch(r"[^\s\",]+", value) and value.lower() not in _STOPS
        if plain or (kind in ("number", "key") and re.fullmatch(r"[^\s\",]+ [^\s\",]+", value)):
            return value
        return '"' + value.replace("\\", "\\\\").replace('"', '\\"') + '"'

    parts = []
    for one in search.conditions:
        joint = " and " if one.how == "between" else " or "
        field = one.field if re.fullmatch(r"[^\s\",]+", one.field) else f'"{one.field}"'
        parts.append(f"{'not ' if one.inverted else ''}{field} {one.how} {joint.join(quoted(value, one.field) for value in one.values)}")
    return (search.words + (" where " if search.words else "where ") + " and ".join(parts)).strip() if parts else search.words


def parse(text: str, own: dict[str, Kind] | None = None) -> Search:
    """Read a search as it is typed; OskrenError with one sentence where it cannot be understood.

    Parameters
    ----------
    text : str
        Words, and behind ``where`` conditions.
    own : dict, optional
        Fields of the user's own, by name, with their kinds.

    Returns
    -------
    Search
        Its words and its conditions.

    Raises
    ------
    OskrenError
        With what cannot be understood, and what would be.

    Examples
    --------
    >>> search = parse("glass creak where length under 2 s")
    >>> search.words, [(one.field, one.how, one.values) for one in search.conditions]
    ('glass creak', [('length', 'under', ('2 s',))])
    """
    words, conditions = _split(text)
    if len(_WORD.findall(re.sub(r'"[^"]*"', " phrase ", words))) > MOST_WORDS:
        raise OskrenError(f"A search takes up to {MOST_WORDS} words; leave out those that matter least.")
    if conditions is None:
        return Search(words=words)
    tokens = _TOKEN.findall(conditions)
    found: list[Condition] = []
    at = 0
    while at < len(tokens):
        inverted = tokens[at].lower() == "not"
        at += inverted
        if at >= len(tokens):
            raise OskrenError("The search ends after 'not'; say a field, like: not category Glass.")
        field = _named(_plain(tokens[at]), own)
        kind, _ = kind_of(field, own)
        how, at = _how(tokens, at + 1, kind, field)
        values, at = _values(tokens, at, how, kind)
        if not values:
            raise OskrenError(f"The condition on '{field}' has no value; write one after '{how}'.")
        found.append(checked(Condition(field=field, how=how, values=tuple(values), inverted=inverted), own))
        if at < len(tokens) and tokens[at].lower() in ("and", ","):
            at += 1
            if at >= len(tokens):
                raise OskrenError("The search ends after 'and'; add a condition or take the word away.")
        if len(found) > MOST_CONDITIONS or sum(len(one.values) for one in found) > MOST_VALUES:
            raise OskrenError(f"A search takes up to {MOST_CONDITIONS} conditions with {MOST_VALUES} values; leave some out.")
    return Search(words=words, conditions=tuple(found))


def _named(field: str, own: dict[str, Kind] | None) -> str:
    """A field as it is called, however its letters were typed."""
    known = [*FIELDS, *(own or {})]
    if field in known:
        return field
    return next((name for name in known if name.casefold() == field.casefold()), ALSO.get(field.casefold(), field))


def _split(text: str) -> tuple[str, str | None]:
    """Words, and what stands after the first ``where`` outside quotes; None when there is none."""
    quoted = False
    for match in re.finditer(r'"|(?<!\S)where(?!\S)', text, re.I):
        if match[0] == '"':
            quoted = not quoted
        elif not quoted:
            return text[: match.start()].strip(), text[match.end() :]
    return text.strip(), None


def _plain(token: str) -> str:
    return re.sub(r"\\(.)", r"\1", token[1:-1]) if len(token) > 1 and token[0] == token[-1] == '"' else token


def _how(tokens: list[str], at: int, kind: Kind, field: str) -> tuple[How, int]:
    for how in sorted((how for hows in COMPARISONS.values() for how in hows), key=len, reverse=True):
        parts = how.split()
        if [token.lower() for token in tokens[at : at + len(parts)]] == parts:
            return how, at + len(parts)
    if kind in ("choice", "truth"):
        return "is", at  # "category Glass" reads as well as "category is Glass"
    raise OskrenError(f"'{field}' needs a comparison: {', '.join(COMPARISONS[kind])}.")


def _values(tokens: list[str], at: int, how: How, kind: Kind) -> tuple[list[str], int]:
    values: list[str] = []
    while at < len(tokens) and tokens[at].lower() not in ("and", "or", ",", "not"):
        parts = [_plain(tokens[at])]
        literal = tokens[at].startswith('"')
        at += 1
        # words up to the next joint belong to the value: "2 s", "A minor", "Slow creak"
        while not literal and at < len(tokens) and tokens[at].lower() not in ("and", "or", ",") and not tokens[at].startswith('"'):
            parts.append(tokens[at])
            at += 1
        values.append(" ".join(parts))
        joint = "and" if how == "between" and len(values) < 2 else "or"
        if at < len(tokens) and tokens[at].lower() == joint:
            at += 1
        else:
            break
    return values, at
