"""Asking the table of Gather: words, conditions, facets with counts, sorting and likeness, all on the arrays in memory."""

from __future__ import annotations

import re
import sys
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import text
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound, OskrenError
from oskren.core.measure import likeness
from oskren.core.measure.key import KEYS, scale
from oskren.core.words.conditions import Condition, Kind, number
from oskren.core.words.conditions import kind_of as field_kind
from oskren.store.search.columns import CODED, Columns, Mask, Whole
from oskren.store.search.vector import FIELDS, MEASURED
from oskren.store.search.words import match_parts

FACETS = (*CODED, "anchor", "key", "strength", "tag", "set", "used")
NUMBERS = ("duration_s", "sure", *MEASURED)
SORTS = ("name", "created", "recorded", "strength", "anchor", *CODED, *NUMBERS)
MOST_SHOWN = 80
"""Values of a facet that are listed; the rest is reached by typing."""
SHARED_WORD = 0.12
"""A word that two names share brings them as near as this; two sounds of different kinds are at about 1.4."""
RANKED_EXACTLY = 5000
"""More like this ranks so many exactly; what is further away than all of them comes in no order."""

NOTED = ("place", "microphone", "props", "weather", "permission")
"""Fields that stand in the notes of a sound's arrival."""


@dataclass
class Asked:
    """What is asked of the table. ``facets`` are values by field; ``like`` a sound the others are ranked by; ``project`` the one worked in."""

    words: str = ""
    conditions: tuple[Condition, ...] = ()
    facets: dict[str, list[str]] = field(default_factory=dict)
    sort: str = "name"
    descending: bool = False
    offset: int = 0
    limit: int = 100
    like: int | None = None
    trash: bool = False
    project: int = 1


@dataclass
class Matches:
    """Ids of one page, how many there are in all, and counts of every facet within all *other* chosen facets."""

    total: int
    ids: list[int]
    facets: dict[str, dict[str, int]]


class Asking(Columns):
    """Answers questions to the table of a library."""

    def search(self, session: Session, asked: Asked) -> Matches:
        """Answer one question. A category facet takes its sub-categories along."""
        with self._lock:
            self.refresh(session)
            # the next page of the same question needs no counting again; own fields and notes are not in these arrays
            same = repr(replace(asked, offset=0, limit=0))
            if self._last is not None and self._last[0] == same and not asked.conditions:
                return self._page(self._last[1], self._last[2], asked)
            base = self._plain["trashed"] if asked.trash else ~self._plain["trashed"]
            base = base & self._words(session, asked.words) & self._all(session, asked)
            masks = {name: self._facet(name, values, asked.project) for name, values in asked.facets.items() if values}
            counts: dict[str, dict[str, int]] = {}
            within = base
            for mask in masks.values():
                within = within & mask
            held = np.flatnonzero(within)
            for name in FACETS:
                if name not in masks:
                    counts[name] = self._counts(name, within, held, asked)
                    continue
                others = base
                for other, mask in masks.items():
                    if other != name:
                        others = others & mask
                counts[name] = self._counts(name, others, np.flatnonzero(others), asked)
            order = self._ranked(session, asked)
            picked = order[within[order]]
            if asked.descending and asked.like is None:
                picked = picked[::-1]
            self._last = (same, picked, counts)
            return self._page(picked, counts, asked)

    def _page(self, picked: Whole, counts: dict[str, dict[str, int]], asked: Asked) -> Matches:
        return Matches(len(picked), self.ids[picked[asked.offset : asked.offset + asked.limit]].tolist(), counts)

    def all_ids(self, session: Session, asked: Asked) -> list[int]:
        """Ids of everything that a question finds, in its order."""
        # how many there are is not known before the table is read, which the question does
        return self.search(session, replace(asked, offset=0, limit=sys.maxsize)).ids

    def _words(self, session: Session, words: str) -> Mask:
        """Sounds that have every word that is wanted, and none that is not: about themselves, or in the notes of their arrival."""
        mask = np.ones(len(self.ids), bool)
        plain = []
        wanted, unwanted = match_parts(words)
        for part in wanted:
            noted = self._noted(session, part)
            if noted:
                mask &= self._of_arrivals(noted) | self._matching(session, part)
            else:
                plain.append(part)
        for part in unwanted:
            mask &= ~(self._of_arrivals(self._noted(session, part)) | self._matching(session, part))
        return mask & self._matching(session, " AND ".join(plain)) if plain else mask

    def _noted(self, session: Session, expression: str) -> Sequence[int]:
        return session.execute(text("SELECT rowid FROM arrival_words WHERE arrival_words MATCH :m"), {"m": expression}).scalars().all()

    def _matching(self, session: Session, expression: str) -> Mask:
        row = session.execute(text("SELECT group_concat(rowid) FROM sound_words WHERE sound_words MATCH :m"), {"m": expression}).scalar()
        return self._mask_of(np.fromstring(row, np.int64, sep=",") if row else np.zeros(0, np.int64))

    def _of_arrivals(self, numbers: Sequence[int]) -> Mask:
        wanted = {str(number_) for number_ in numbers}
        good = np.array([label in wanted for label in self._labels["arrival"]], bool)
        return good[self._codes["arrival"]] if len(good) else np.zeros(len(self.ids), bool)

    def _mask_of(self, numbers: Whole) -> Mask:
        mask = np.zeros(len(self.ids), bool)
        places = self._place_of[numbers[numbers < len(self._place_of)]]
        mask[places[places >= 0]] = True
        return mask

    def _all(self, session: Session, asked: Asked) -> Mask:
        mask = np.ones(len(self.ids), bool)
        for condition in asked.conditions:
            one = self._condition(session, condition, asked.project)
            mask &= ~one if condition.inverted else one
        return mask

    def _condition(self, session: Session, condition: Condition, project: int) -> Mask:
        name, how, values = condition.field, condition.how, condition.values
        own: dict[str, Kind] = {row[0]: row[1] for row in session.execute(text("SELECT name, kind FROM fields"))}
        kind, unit = field_kind(name, own)
        if name in own:
            return self._own(session, name, kind, condition)
        if name == "key":
            if how == "is":
                return np.isin(self._codes["key"], [KEYS.index(value) + 1 for value in values])
            notes = np.nan_to_num(self._vectors[:, FIELDS.index("notes")]).astype(np.int64)
            sounds = np.zeros(len(self.ids), bool)
            for value in values:
                sounds |= (notes != 0) & (notes & ~scale(value) == 0)
            return sounds
        if kind == "number":
            return _compared(self._values(name), how, [number(value, unit) * (1000 if unit == "kHz" else 1) for value in values])
        if kind == "date":
            return _dated(self._plain["created" if name == "added" else name], how, values)
        if kind == "truth":
            held = self._vectors[:, FIELDS.index("clipped")] > 0 if name == "clipped" else self._plain[name]
            return held if values[0] == "yes" else ~held
        if kind == "text":
            return self._text(session, name, how, [value.casefold() for value in values])
        if name in ("set", "arrival"):
            table, folded = "sets" if name == "set" else "arrivals", {value.casefold() for value in values}
            wanted = [str(row[0]) for row in session.execute(text(f"SELECT id, name FROM {table}")) if row[1].casefold() in folded or str(row[0]) in values]
            return self._facet(name, wanted, project)
        return self._facet(name, self._as_filed(name, values), project)

    def _as_filed(self, name: str, values: Sequence[str]) -> list[str]:
        """Values of a choice as they stand in the library, however their letters were typed; all that are meant when there are several."""
        found: list[str] = []
        for value in values:
            folded = value.casefold()
            if name in ("category", "folder"):
                labels = {label[: len(value)] for label in self._labels[name] if label.casefold() == folded or label.casefold().startswith(folded + "/")}
            else:
                labels = {label for label in self._labels.get(name, ()) if label.casefold() == folded}
            found += sorted(labels) or [value]
        return found

    def _values(self, name: str) -> NDArray[Any]:
        if name == "length":
            return self._plain["duration_s"]
        if name == "sure":
            return self._plain["sure"]
        if name == "strength":
            return self._strength
        if name in CODED:
            return np.array([float(label) if label else np.nan for label in self._labels[name]])[self._codes[name]]
        return self._vectors[:, FIELDS.index(name)]

    def _text(self, session: Session, name: str, how: str, values: list[str]) -> Mask:
        if name == "folder":
            good = np.array([_fits(label.casefold(), how, values) for label in self._labels["folder"]], bool)
            return good[self._codes["folder"]] if len(good) else np.zeros(len(self.ids), bool)
        if name == "name":
            return np.fromiter((_fits(said.casefold(), how, values) for said in self._plain["name"]), bool, len(self.ids))
        if name in NOTED:
            rows = session.execute(text(f"SELECT id, json_extract(notes, '$.{name}') FROM arrivals WHERE notes != '{{}}'"))
            return self._of_arrivals([number_ for number_, said in rows if said and _fits(said.casefold(), how, values)])
        column = {"notes": "notes", "rights": "rights"}[name]
        rows = session.execute(text(f"SELECT id, {column} FROM sounds WHERE {column} != ''"))
        return self._mask_of(np.array(sorted(number_ for number_, said in rows if _fits(said.casefold(), how, values)), np.int64))

    def _own(self, session: Session, name: str, kind: Kind, condition: Condition) -> Mask:
        path = '$."' + name.replace('"', "") + '"'
        rows = session.execute(text("SELECT id, json_extract(fields, :path) FROM sounds WHERE json_extract(fields, :path) IS NOT NULL"), {"path": path}).all()
        held = np.array([row[0] for row in rows], np.int64)
        said = [row[1] for row in rows]
        if kind == "number":
            good = _compared(np.array(said, np.float64), condition.how, [number(value, "") for value in condition.values])
        elif kind == "date":
            good = _dated(np.array([str(value) for value in said], dtype=object), condition.how, condition.values)
        else:
            wanted = [value.casefold() for value in condition.values]
            good = np.fromiter((_fits(str(value).casefold(), condition.how, wanted) for value in said), bool, len(said))
        return self._mask_of(held[good] if len(held) else held)

    def _facet(self, name: str, values: list[str], project: int) -> Mask:
        if name == "used":
            here = self._used.get(project, np.zeros(len(self.ids), bool))
            other = np.zeros(len(self.ids), bool)
            for number_, mask in self._used.items():
                if number_ != project:
                    other |= mask
            parts = {"here": here, "elsewhere": other, "no": ~(here | other)}
            sounds = np.zeros(len(self.ids), bool)
            for value in values:
                sounds |= parts.get(value, np.zeros(len(self.ids), bool))
            return sounds
        if name in self._many:
            at, codes, _ = self._many[name]
            # two tags together narrow; a sound in any of the chosen sets is in
            wanted = [self._labels[name].index(value) if value in self._labels[name] else -1 for value in values]
            masks = []
            for code in wanted:
                mask = np.zeros(len(self.ids), bool)
                mask[at[codes == code]] = True
                masks.append(mask)
            return np.asarray(np.logical_and.reduce(masks) if name == "tag" else np.logical_or.reduce(masks))
        if name not in self._codes:
            raise OskrenError(f"There is no facet called '{name}'; there are {', '.join(FACETS)}.")
        labels = self._labels[name]
        if name in ("category", "folder"):
            good = np.array([any(label == value or (value and label.startswith(value + "/")) for value in values) for label in labels], bool)
        else:
            wanted_labels = {f"{float(value):g}" if name in ("channels", "rate", "bits", "rating") and value else value for value in values}
            good = np.array([label in wanted_labels for label in labels], bool)
        return good[self._codes[name]] if len(good) else np.zeros(len(self.ids), bool)

    def _counts(self, name: str, mask: Mask, held: Whole, asked: Asked) -> dict[str, int]:
        """Counts of a facet's values among the sounds of a mask, whose positions are ``held``."""
        if name == "used":
            return {value: count for value in ("here", "elsewhere", "no") if (count := int((self._facet("used", [value], asked.project) & mask).sum()))}
        labels = self._labels[name]
        if name in self._many:
            at, codes, begins = self._many[name]
            if not len(at):
                return {}
            if len(held) * 4 < len(mask):
                # few sounds: only their own entries are looked at, which lie together
                first = begins[held]
                sizes = begins[held + 1] - first
                places = np.arange(int(sizes.sum())) + np.repeat(first - np.concatenate([[0], np.cumsum(sizes)[:-1]]), sizes)
                counts = np.bincount(codes[places], minlength=len(labels))
            else:
                counts = np.bincount(codes[mask[at]], minlength=len(labels))
        else:
            codes = self._codes[name]
            counts = np.bincount(codes if len(held) == len(codes) else codes[held], minlength=len(labels))
        shown = np.flatnonzero(counts)
        if name not in ("category", "arrival") and len(shown) > MOST_SHOWN:
            shown = shown[np.argsort(-counts[shown], kind="stable")[:MOST_SHOWN]]
        return {label: count for label, count in sorted((labels[i], int(counts[i])) for i in shown) if label or name in ("category", "mark", "rating")}

    def _ranked(self, session: Session, asked: Asked) -> Whole:
        if asked.like is not None:
            return self._alike(session, asked.like)
        if asked.sort.startswith("set:"):
            rows = session.execute(text("SELECT sound_id FROM set_members WHERE set_id = :n ORDER BY place"), {"n": asked.sort[4:]}).scalars().all()
            first = np.searchsorted(self.ids, np.array(rows, np.int64))
            rest = np.setdiff1d(np.arange(len(self.ids)), first)
            return np.concatenate([first, rest])
        return self._order(asked.sort if asked.sort in SORTS else "name")

    def _order(self, name: str) -> Whole:
        if name not in self._orders:
            values: NDArray[Any]
            if name in ("channels", "rate", "bits", "rating"):
                values = np.array([float(label or -1) for label in self._labels[name]])[self._codes[name]]
            elif name in self._codes and name != "strength":
                values = np.argsort(np.argsort(np.array(self._labels[name], dtype=object)))[self._codes[name]]
            elif name in ("name", "created", "recorded"):
                said = self._plain[name].tolist()
                self._orders[name] = np.array(sorted(range(len(said)), key=said.__getitem__), np.int64)
                return self._orders[name]
            elif name in self._plain and name != "strength":
                values = self._plain[name]
            else:
                values = self._values(name)
            self._orders[name] = np.argsort(values, kind="stable")
        return self._orders[name]

    def _alike(self, session: Session, number_: int) -> Whole:
        """All sounds, most alike first: by distance of descriptors, each shared word of the names counting like :data:`SHARED_WORD` less."""
        if self._likeness is None:
            first, then = FIELDS.index(f"likeness {likeness.NAMES[0]}"), FIELDS.index("timbre 0")
            self._likeness = likeness.Compared.of(self._vectors[:, first:then], self._vectors[:, then:])
        place = int(np.searchsorted(self.ids, number_))
        if place >= len(self.ids) or self.ids[place] != number_:
            raise NotFound(f"There is no sound {number_} in this library; it may have been removed.")
        if np.isnan(self._likeness.rows[place, -1]):
            raise OskrenError("This sound is silent or not measured yet, so nothing can be called like it.")
        apart = self._likeness.ranked(place)
        for word in set(re.findall(r"[^\W\d_]{3,}", self._plain["name"][place])):
            apart -= np.float32(SHARED_WORD) * self._words(session, f'"{word}"')
        apart[place] = -np.inf
        apart = np.where(np.isnan(apart), np.inf, apart)
        if len(apart) <= RANKED_EXACTLY:
            return np.argsort(apart, kind="stable")
        nearest = np.argpartition(apart, RANKED_EXACTLY)
        head = nearest[:RANKED_EXACTLY]
        return np.concatenate([head[np.argsort(apart[head], kind="stable")], nearest[RANKED_EXACTLY:]])


def _fits(said: str, how: str, values: list[str]) -> bool:
    """Whether a text has, is, or begins with any of some values; all in small letters."""
    return any(value in said if how == "has" else said == value if how == "is" else said.startswith(value) for value in values)


def _compared(values: NDArray[Any], how: str, wanted: list[float]) -> Mask:
    if how == "between":
        low, high = sorted(wanted)
        return (values >= low) & (values <= high)
    result = np.zeros(len(values), bool)
    for value in wanted:
        if how == "is":
            result |= np.isclose(values, value, rtol=1e-3, atol=5e-3 if abs(value) < 100 else 0.5)
        else:
            result |= {"under": values < value, "over": values > value, "at least": values >= value, "at most": values <= value}[how]
    return result


def _dated(values: NDArray[Any], how: str, wanted: tuple[str, ...]) -> Mask:
    """Compare dates as text, as far as they are given: 2026-11 is all of November."""
    if how == "between":
        low, high = sorted(wanted)
        return np.fromiter((bool(value) and value[: len(low)] >= low and value[: len(high)] <= high for value in values), bool, len(values))

    def fits(value: str) -> bool:
        for one in wanted:
            cut = value[: len(one)]
            if value and ((how == "is" and cut == one) or (how == "after" and cut > one) or (how == "before" and cut < one)):
                return True
        return False

    return np.fromiter((fits(value) for value in values), bool, len(values))
