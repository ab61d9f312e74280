"""Rows of the table, read in one go without models: ten thousand sounds are listed in the time of a hundred models."""

from __future__ import annotations

import base64
import json
from typing import Any

from sqlalchemy.orm import Session

from oskren.core.audio.layouts import layout_of
from oskren.store.search.vector import measured_key, measured_of


def small(outline: bytes) -> str:
    """The small waveform for JSON."""
    return base64.b64encode(outline).decode()


_ROW = """SELECT id, name, kind, category, category_sure, tags, rating, mark, strength, layout, channels, missing, trashed IS NOT NULL, created, recorded,
 folder, fields, rate, frames, bits, format, chain != '[]', row, vector,
 json_extract(measures, '$.anchor_s'), json_extract(measures, '$.anchor_kind') FROM sounds"""


def rows_of(session: Session, ids: list[int], strengths: list[int | None]) -> list[dict[str, Any]]:
    """Rows of sounds (the fields of SoundRow) in the order given, read in one go without models; each with its strength as it counts."""
    if not ids:
        return []
    cursor: Any = session.connection().connection.cursor()
    found = {row[0]: row for row in cursor.execute(f"{_ROW} WHERE id IN ({','.join('?' * len(ids))})", ids)}
    cursor.close()
    rows = []
    for id, strength in zip(ids, strengths, strict=True):
        if id not in found:
            continue
        (_, name, kind, category, sure, tags, rating, mark, given, layout, channels, missing, trashed, created, recorded) = found[id][:15]
        (folder, fields, rate, frames, bits, format_, mended, outline, vector, anchor_s, anchor_kind) = found[id][15:]
        measured = measured_of(vector)
        rows.append(
            {
                "id": id,
                "name": name,
                "kind": kind,
                "category": category,
                "category_sure": sure,
                "tags": tags,
                "rating": rating,
                "mark": mark,
                "strength": given or strength,
                "layout": layout or layout_of(channels),
                "missing": bool(missing),
                "trashed": bool(trashed),
                "created": created,
                "recorded": recorded,
                "folder": folder,
                "bandwidth": measured.get("bandwidth"),
                "pitch": measured.get("pitch"),
                "key": measured_key(vector),
                "fields": json.loads(fields or "{}"),
                "seconds": frames / rate,
                "rate": rate,
                "channels": channels,
                "bits": bits,
                "format": format_,
                "peak": measured.get("peak"),
                "loudness": measured.get("loudness"),
                "brightness": measured.get("brightness"),
                "anchor_s": anchor_s or 0.0,
                "anchor_kind": anchor_kind or "start",
                "mended": bool(mended),
                "outline": small(outline),
            }
        )
    return rows
