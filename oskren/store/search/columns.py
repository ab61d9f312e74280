"""Search columns in memory: arrays over all sounds of a library, kept in step with its database."""

from __future__ import annotations

import threading
from bisect import bisect_right
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from oskren.core.audio.layouts import layout_of
from oskren.core.measure import likeness
from oskren.core.measure.key import KEYS
from oskren.core.measure.strength import proposed
from oskren.store.search.vector import ANCHORS, FIELDS, table_of

Mask = NDArray[np.bool_]
Whole = NDArray[np.int64]

CODED = ("category", "kind", "arrival", "format", "folder", "layout", "mark", "channels", "rate", "bits", "rating")

_PLAIN = (*CODED, "duration_s", "sure", "name", "created", "recorded", "trashed", "mended", "missing", "strength", "tags", "vector")
_QUERY = """SELECT id, category, kind, coalesce(arrival_id, ''), format, folder, layout, mark, channels, rate, coalesce(bits, ''), rating,
 frames * 1.0 / rate, category_sure * 100, name, created, recorded, trashed IS NOT NULL, chain != '[]', missing, strength, tags, vector FROM sounds"""


class Columns:
    """Arrays over all sounds of a library; ``touch`` marks a sound as changed, the next use reads it again."""

    def __init__(self) -> None:
        self._lock = threading.RLock()
        self._changed: set[int] = set()
        self._loaded = self._sets_stale = self._uses_stale = False
        self.ids: Whole = np.zeros(0, np.int64)
        self._plain: dict[str, NDArray[Any]] = {}
        self._codes: dict[str, Whole] = {}
        self._labels: dict[str, list[str]] = {}
        self._many: dict[str, tuple[Whole, Whole, Whole]] = {}
        self._place_of: Whole = np.zeros(1, np.int64)
        self._vectors: NDArray[np.float32] = np.zeros((0, len(FIELDS)), np.float32)
        self._used: dict[int, Mask] = {}
        self._orders: dict[str, Whole] = {}
        self._likeness: likeness.Compared | None = None
        self._last: tuple[str, Whole, dict[str, dict[str, int]]] | None = None

    def touch(self, *numbers: int) -> None:
        with self._lock:
            self._changed.update(numbers)

    def touch_sets(self) -> None:
        self._sets_stale = True

    def touch_uses(self) -> None:
        self._uses_stale = True

    def touch_notes(self) -> None:
        """Notes of an arrival were changed: what was found before may be found no longer."""
        with self._lock:
            self._last = None

    # ---- loading

    def refresh(self, session: Session) -> None:
        """Bring the arrays in step with the database: everything the first time, then only what was touched."""
        with self._lock:
            changed, self._changed = self._changed, set()
            if changed or self._sets_stale or self._uses_stale:
                self._last = None
            if changed or not self._loaded:
                self._read(session, changed if self._loaded and len(changed) < 20_000 else None)
                self._loaded = self._sets_stale = self._uses_stale = True
            if self._sets_stale:
                self._sets_stale = False
                self._read_sets(session)
            if self._uses_stale:
                self._uses_stale = False
                self._read_uses(session)

    def _read(self, session: Session, only: set[int] | None) -> None:
        # the driver's own cursor: a library of 200,000 sounds is read in a third of the time of result objects
        cursor: Any = session.connection().connection.cursor()
        rows: list[Any] = []
        if only is None:
            rows = cursor.execute(_QUERY + " ORDER BY id").fetchall()
        else:
            wanted = sorted(only)
            for at in range(0, len(wanted), 900):
                part = wanted[at : at + 900]
                rows += cursor.execute(f"{_QUERY} WHERE id IN ({','.join('?' * len(part))}) ORDER BY id", part).fetchall()
        cursor.close()
        fresh_ids = np.array([row[0] for row in rows], np.int64)
        keep = np.zeros(len(self.ids), bool) if only is None else ~np.isin(self.ids, np.array(sorted(only), np.int64))
        joined = np.concatenate([self.ids[keep], fresh_ids])
        order = np.argsort(joined, kind="stable")
        columns: list[Sequence[Any]] = list(zip(*rows, strict=True)) if rows else [()] * (len(_PLAIN) + 1)
        for name, values in zip(_PLAIN, columns[1:], strict=True):
            if name == "vector":
                self._vectors = np.concatenate([self._vectors[keep], table_of(values)])[order]
                continue
            if name in CODED:
                labels = self._labels.get(name, []) if only is not None else []
                places: dict[Any, int] = {label: i for i, label in enumerate(labels)}
                if name == "layout":
                    usual = columns[1 + _PLAIN.index("channels")]
                    values = [value or layout_of(channels) for value, channels in zip(values, usual, strict=True)]
                elif name in ("arrival", "channels", "rate", "bits", "rating"):
                    known = {value: str(value) for value in set(values)}
                    values = [known[value] for value in values]
                coded = np.fromiter((places.setdefault(value, len(places)) for value in values), np.int64, len(values))
                self._labels[name] = list(places)
                self._codes[name] = np.concatenate([self._codes[name][keep], coded])[order] if only is not None else coded[order]
                continue
            array: NDArray[Any]
            if name == "name":
                array = np.array([value.lower() for value in values], dtype=object)
            elif name in ("created", "recorded", "tags"):
                array = np.array(values, dtype=object)
            elif name in ("trashed", "mended", "missing"):
                array = np.array(values, dtype=bool)
            else:
                array = np.array([np.nan if value is None else value for value in values], np.float64)
            self._plain[name] = np.concatenate([self._plain[name][keep], array])[order] if only is not None else array[order]
        before, self.ids = self.ids, joined[order]
        self._place_of = np.full(int(self.ids.max(initial=0)) + 2, -1, np.int64)
        self._place_of[self.ids] = np.arange(len(self.ids))
        self._reorder(before, fresh_ids)
        self._likeness = None
        self._code_tags(keep if only is not None else None, before, fresh_ids)
        self._code_strength()
        keys = self._vectors[:, FIELDS.index("key")]
        self._labels["key"] = ["", *KEYS]
        self._codes["key"] = np.where(np.isnan(keys), 0, np.nan_to_num(keys) + 1).astype(np.int64)
        self._labels["anchor"] = list(ANCHORS)
        self._codes["anchor"] = np.nan_to_num(self._vectors[:, FIELDS.index("anchor")], nan=ANCHORS.index("start")).astype(np.int64)

    def _reorder(self, before: Whole, fresh: Whole) -> None:
        """After a change: orders of texts are mended where few rows changed, all others are made anew when they are wanted."""
        old = {name: order for name, order in self._orders.items() if name in ("name", "created", "recorded")}
        self._orders.clear()
        if not len(before) or len(fresh) > 2000 or len(self.ids) < 10_000:
            return
        moved = np.isin(self.ids, fresh)
        for name, order_before in old.items():
            said = self._plain[name]
            # positions of the old order, without what changed, as positions of now
            still = self._place_of[before[order_before]]
            still = still[(still >= 0) & ~moved[still]]
            keys = said[still].tolist()
            added = sorted(np.flatnonzero(moved).tolist(), key=said.__getitem__)
            where = [bisect_right(keys, said[place]) for place in added]
            self._orders[name] = np.insert(still, where, added)

    def _code_tags(self, keep: Mask | None, before: Whole, fresh: Whole) -> None:
        """Tags as entries (sound, tag). After a change of some rows only theirs are split again."""
        partly = keep is not None and "tag" in self._many
        places: dict[str, int] = {tag: i for i, tag in enumerate(self._labels["tag"])} if partly else {}
        at: list[int] = []
        codes: list[int] = []
        said = self._plain["tags"]
        for place in self._place_of[fresh].tolist() if partly else range(len(said)):
            for tag in said[place].split():
                at.append(place)
                codes.append(places.setdefault(tag, len(places)))
        self._labels["tag"] = list(places)
        all_at, all_codes = np.array(at, np.int64), np.array(codes, np.int64)
        if partly:
            assert keep is not None
            old_at, old_codes, _ = self._many["tag"]
            still = keep[old_at]
            all_at = np.concatenate([self._place_of[before[old_at[still]]], all_at])
            all_codes = np.concatenate([old_codes[still], all_codes])
            order = np.argsort(all_at, kind="stable")
            all_at, all_codes = all_at[order], all_codes[order]
        self._many["tag"] = self._together(all_at, all_codes)

    def _together(self, at: Whole, codes: Whole) -> tuple[Whole, Whole, Whole]:
        """Entries of a facet with several values a sound: positions in order, codes, and where each sound's entries begin."""
        return at, codes, np.searchsorted(at, np.arange(len(self.ids) + 1))

    def _code_strength(self) -> None:
        given = self._plain["strength"]
        force = self._vectors[:, FIELDS.index("force")].astype(np.float64)
        values = np.where(np.isnan(given), proposed(force), given)
        self._strength = values
        self._labels["strength"] = ["", *(str(step) for step in range(1, 6))]
        self._codes["strength"] = np.nan_to_num(values).astype(np.int64)

    def _read_sets(self, session: Session) -> None:
        names = session.connection().exec_driver_sql("SELECT id FROM sets ORDER BY id").all()
        places = {number: i for i, (number,) in enumerate(names)}
        rows = session.connection().exec_driver_sql("SELECT set_id, sound_id FROM set_members").all()
        self._labels["set"] = [str(number) for number in places]
        sounds = np.array([row[1] for row in rows], np.int64)
        at = np.searchsorted(self.ids, sounds)
        order = np.argsort(at, kind="stable")
        self._many["set"] = self._together(at[order], np.array([places[row[0]] for row in rows], np.int64)[order])

    def _read_uses(self, session: Session) -> None:
        rows = session.connection().exec_driver_sql("SELECT DISTINCT s.id, u.project FROM uses u JOIN sounds s ON s.key = u.key WHERE u.what != 'reel'").all()
        self._used = {}
        for number_, project in rows:
            self._used.setdefault(project, np.zeros(len(self.ids), bool))[np.searchsorted(self.ids, number_)] = True

    def strength_of(self, numbers: list[int]) -> list[int | None]:
        """Strength of sounds as it counts: given by hand, else proposed."""
        places = np.searchsorted(self.ids, np.array(numbers, np.int64))
        return [None if np.isnan(self._strength[place]) else int(self._strength[place]) for place in places]
