"""what Gather needs: categories, sets, fields, edits, watched folders, projects, uses, and search vectors"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

from oskren.core.nodes.model import NodeAdapter
from oskren.core.nodes.walk import hashes_in
from oskren.core.words.starting import starting_categories
from oskren.store.search.vector import vector_of

revision = "0002"
down_revision = "0001"


def _text(name: str, default: str | None = "") -> sa.Column[Any]:
    return sa.Column(name, sa.Text(), nullable=default is None, server_default=default)


def _number(name: str, default: str | None = "0") -> sa.Column[Any]:
    return sa.Column(name, sa.Integer(), nullable=default is None, server_default=default)


def _json(name: str, default: str = "{}") -> sa.Column[Any]:
    return sa.Column(name, sa.JSON(), nullable=False, server_default=default)


def upgrade() -> None:
    for column in (
        _text("audio"),
        _text("layout"),
        _text("mark"),
        _text("rights"),
        _number("strength", None),
        _text("recorded"),
        _json("fields"),
        _json("said"),
        _text("folder"),
        _text("trashed", None),
        _number("missing"),
        _number("followed"),
        sa.Column("vector", sa.LargeBinary(), nullable=False, server_default=""),
    ):
        op.add_column("sounds", column)
    op.create_index("ix_sounds_audio", "sounds", ["audio"])
    for column in (_text("audio"), _text("format"), _number("missing")):
        op.add_column("paths", column)
    op.create_index("ix_paths_audio", "paths", ["audio"])
    for table in ("designs", "spreads", "plans", "shipments"):
        op.add_column(table, _number("project", "1"))
    op.create_table("categories", sa.Column("path", sa.Text(), primary_key=True), _text("code"), _text("words"))
    op.create_table("lessons", sa.Column("word", sa.Text(), primary_key=True), sa.Column("category", sa.Text(), primary_key=True), _number("count"))
    op.create_table("searches", sa.Column("id", sa.Integer(), primary_key=True), _text("name"), _json("asked"))
    op.create_table("sets", sa.Column("id", sa.Integer(), primary_key=True), _text("name"))
    op.create_table(
        "set_members",
        sa.Column("set_id", sa.Integer(), sa.ForeignKey("sets.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("sound_id", sa.Integer(), sa.ForeignKey("sounds.id", ondelete="CASCADE"), primary_key=True),
        _number("place"),
    )
    op.create_index("ix_set_members_sound_id", "set_members", ["sound_id"])
    op.create_table("fields", sa.Column("name", sa.Text(), primary_key=True), _text("kind"), _json("options", "[]"))
    op.create_table(
        "edits", sa.Column("id", sa.Integer(), primary_key=True), _text("title"), _text("created"), _json("before"), _json("after"), _number("undone")
    )
    op.create_table("watched", sa.Column("path", sa.Text(), primary_key=True), _json("left_out", "[]"), _text("scanned"), _json("found"))
    op.create_table("chains", sa.Column("id", sa.Integer(), primary_key=True), _text("name"), _json("chain", "[]"))
    op.create_table("settings", sa.Column("name", sa.Text(), primary_key=True), _json("value"))
    op.create_table("projects", sa.Column("id", sa.Integer(), primary_key=True), _text("name"))
    op.create_table(
        "uses",
        sa.Column("key", sa.String(40), primary_key=True),
        sa.Column("what", sa.String(10), primary_key=True),
        sa.Column("item", sa.Integer(), primary_key=True),
        _number("project", "1"),
    )
    op.create_index("ix_uses_item", "uses", ["what", "item"])
    connection = op.get_bind()
    connection.execute(sa.text("INSERT INTO projects (id, name) VALUES (1, 'First project')"))
    for start in starting_categories():
        connection.execute(
            sa.text("INSERT INTO categories (path, code, words) VALUES (:path, '', :words)"), {"path": start.path, "words": " ".join(start.words)}
        )
    rows = connection.execute(sa.text("SELECT id, node, measures, frames, rate, category FROM sounds")).all()
    for number, node, measures, frames, rate, category in rows:
        parsed = json.loads(node)
        audio = parsed.get("audio", "") if parsed.get("kind") == "source" else ""
        connection.execute(
            sa.text("UPDATE sounds SET audio = :audio, vector = :vector, followed = 1 WHERE id = :id"),
            {"audio": audio, "vector": vector_of(json.loads(measures), frames / rate), "id": number},
        )
        if category:
            connection.execute(sa.text("INSERT OR IGNORE INTO categories (path, code, words) VALUES (:path, '', '')"), {"path": category})
    for what, table, field in (("design", "designs", "mix"), ("spread", "spreads", "mix"), ("plan", "plans", "node")):
        for number, node in connection.execute(sa.text(f"SELECT id, {field} FROM {table}")).all():
            for digest in hashes_in(NodeAdapter.validate_json(node)):
                connection.execute(sa.text("INSERT OR IGNORE INTO uses VALUES (:key, :what, :item, 1)"), {"key": digest, "what": what, "item": number})


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
