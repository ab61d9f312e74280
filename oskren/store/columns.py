"""Search columns in memory: what the table of Gather sorts, filters and counts by, without touching SQLite per row."""

from __future__ import annotations

import re
import threading
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from oskren.store.tables import Sound

CODED = ("category", "kind", "arrival", "format")
NUMBERS = ("duration_s", "rate", "channels", "bits", "peak", "loudness", "brightness", "pitch", "rating")
SORTS = ("name", "created", *CODED, *NUMBERS)
_PHRASE = re.compile(r'"([^"]*)"|(\S+)')


def match_expression(query: str) -> str:
    """An FTS5 expression from what a user typed: all words as prefixes, quoted phrases as they stand; '' when there is none.

    >>> match_expression('glass "slow creak')
    '"glass"* AND "slow"* AND "creak"*'
    """
    parts = []
    for phrase, word in _PHRASE.findall(query):
        if phrase and (inner := re.findall(r"\w+", phrase)):
            parts.append('"' + " ".join(inner) + '"')
        parts += [f'"{piece}"*' for piece in re.findall(r"[^\W\d_]+|\d+", word)]
    return " AND ".join(parts)


class Columns:
    """Arrays over all sounds of a library; ``touch`` marks a sound as changed, the next use reads it again."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._changed: set[int] = set()
        self._loaded = False
        self.ids: NDArray[np.int64] = np.zeros(0, np.int64)
        self._numbers: dict[str, NDArray[np.float64]] = {}
        self._codes: dict[str, NDArray[np.int32]] = {}
        self._labels: dict[str, list[str]] = {name: [] for name in CODED}
        self._texts: dict[str, NDArray[Any]] = {}
        self._orders: dict[str, NDArray[np.int64]] = {}

    def touch(self, number: int) -> None:
        with self._lock:
            self._changed.add(number)

    def _rows(self, session: Session, only: set[int] | None) -> dict[str, list[Any]]:
        found: dict[str, list[Any]] = {name: [] for name in ("id", "name", "created", *CODED, *NUMBERS)}
        query = select(
            Sound.id,
            Sound.name,
            Sound.created,
            Sound.category,
            Sound.kind,
            Sound.arrival_id,
            Sound.format,
            Sound.frames,
            Sound.rate,
            Sound.channels,
            Sound.bits,
            Sound.rating,
            Sound.measures,
        ).order_by(Sound.id)
        if only is not None:
            query = query.where(Sound.id.in_(only))
        for number, name, created, category, kind, arrival, format_, frames, rate, channels, bits, rating, measures in session.execute(query):
            values = (
                number,
                name.lower(),
                created,
                category,
                kind,
                str(arrival or ""),
                format_,
                frames / rate,
                rate,
                channels,
                bits,
                measures.get("sample_peak_dbfs"),
                measures.get("integrated_lufs"),
                measures.get("brightness_hz"),
                measures.get("pitch_hz"),
                rating,
            )
            for column, value in zip(found.values(), values, strict=True):
                column.append(value)
        return found

    def refresh(self, session: Session) -> None:
        """Bring the arrays in step with the database: everything the first time, then only what was touched."""
        with self._lock:
            changed, self._changed = self._changed, set()
            if self._loaded and not changed:
                return
            partly = self._loaded and len(changed) < 20_000
            rows = self._rows(session, changed if partly else None)
            ids = np.array(rows["id"], np.int64)
            keep = ~np.isin(self.ids, np.array(sorted(changed))) if partly else np.zeros(len(self.ids), bool)
            joined = np.concatenate([self.ids[keep], ids])
            order = np.argsort(joined, kind="stable")
            for name in NUMBERS:
                fresh = np.array([np.nan if value is None else value for value in rows[name]], np.float64)
                self._numbers[name] = np.concatenate([self._numbers[name][keep], fresh])[order] if partly else fresh
            for name in CODED:
                places = {label: i for i, label in enumerate(self._labels[name])}
                fresh_codes = np.array([places.setdefault(label, len(places)) for label in rows[name]], np.int32)
                self._labels[name] = list(places)
                self._codes[name] = np.concatenate([self._codes[name][keep], fresh_codes])[order] if partly else fresh_codes
            for name in ("name", "created"):
                fresh_texts = np.array(rows[name], dtype=object)
                self._texts[name] = np.concatenate([self._texts[name][keep], fresh_texts])[order] if partly else fresh_texts
            self.ids = joined[order] if partly else ids
            self._orders.clear()
            self._loaded = True

    def _order(self, field: str) -> NDArray[np.int64]:
        if field not in self._orders:
            values: NDArray[Any]
            if field in self._texts:
                values = self._texts[field]
            elif field in self._codes:
                ranks = np.argsort(np.argsort(np.array(self._labels[field], dtype=object))) if self._labels[field] else np.zeros(0, np.int64)
                values = ranks[self._codes[field]]
            else:
                values = self._numbers[field]
            self._orders[field] = np.argsort(values, kind="stable")
        return self._orders[field]

    def search(
        self,
        session: Session,
        query: str = "",
        facets: dict[str, list[str]] | None = None,
        sort: str = "name",
        descending: bool = False,
        offset: int = 0,
        limit: int = 100,
    ) -> tuple[int, list[int], dict[str, dict[str, int]]]:
        """Total, ids of one page, and counts of every facet within all *other* chosen facets.

        A category facet takes its sub-categories along.
        """
        self.refresh(session)
        chosen = facets or {}
        base = np.ones(len(self.ids), bool)
        expression = match_expression(query)
        if expression:
            hits = np.array([row[0] for row in session.execute(text("SELECT rowid FROM sound_words WHERE sound_words MATCH :m"), {"m": expression})], np.int64)
            base = np.isin(self.ids, hits)
        masks = {name: self._mask(name, values) for name, values in chosen.items() if values}
        counts: dict[str, dict[str, int]] = {}
        for name in (*CODED, "channels", "rate"):
            others = base.copy()
            for other, mask in masks.items():
                if other != name:
                    others &= mask
            counts[name] = self._counts(name, others)
        for mask in masks.values():
            base &= mask
        order = self._order(sort if sort in SORTS else "name")
        picked = order[base[order]]
        if descending:
            picked = picked[::-1]
        return len(picked), self.ids[picked[offset : offset + limit]].tolist(), counts

    def _mask(self, name: str, values: list[str]) -> NDArray[np.bool_]:
        if name in self._codes:
            under = name == "category"
            wanted = [i for i, label in enumerate(self._labels[name]) if label in values or (under and any(label.startswith(value + "/") for value in values))]
            return np.isin(self._codes[name], wanted)
        return np.isin(self._numbers[name], [float(value) for value in values])

    def _counts(self, name: str, mask: NDArray[np.bool_]) -> dict[str, int]:
        if name in self._codes:
            counts = np.bincount(self._codes[name][mask], minlength=len(self._labels[name]))
            return {label: int(count) for label, count in sorted(zip(self._labels[name], counts, strict=True)) if count}
        values, numbers = np.unique(self._numbers[name][mask], return_counts=True)
        return {f"{value:g}": int(count) for value, count in zip(values, numbers, strict=True)}
