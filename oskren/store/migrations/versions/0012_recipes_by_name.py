"""recipes are kept by name; a spread keeps what it was matched to and which numbers it took instead, and may be of a sound alone"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.add_column("spreads", sa.Column("facts", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("spreads", sa.Column("sound_id", sa.Integer(), nullable=True))
    op.create_table(
        "recipes",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("saved", sa.JSON(), nullable=False),
        sa.Column("trashed", sa.JSON(), nullable=True),
    )
    # steps back and forth of recipes hold freedoms as they were written before: by layer and control
    connection = op.get_bind()
    for item, past, future in connection.execute(sa.text("SELECT item, past, future FROM histories WHERE what = 'recipe'")).all():
        fresh = {"item": item, "past": json.dumps(by_path(json.loads(past))), "future": json.dumps(by_path(json.loads(future)))}
        connection.execute(sa.text("UPDATE histories SET past = :past, future = :future WHERE what = 'recipe' AND item = :item"), fresh)


def by_path(what: Any) -> Any:
    """What holds recipes of before, with their freedoms named by path; all else as it is."""
    if isinstance(what, list):
        return [by_path(one) for one in what]
    if not isinstance(what, dict):
        return what
    if "freedoms" in what or ("layer" in what and "control" in what):
        # frozen here as the models of that day read them
        from oskren.core.vary.recipe import Freedom, Recipe

        return (Recipe if "freedoms" in what else Freedom).model_validate(what).model_dump(mode="json")
    return {name: by_path(value) for name, value in what.items()}


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
