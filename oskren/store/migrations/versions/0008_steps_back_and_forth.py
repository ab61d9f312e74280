"""what can be undone and done again in every editor, kept with the library"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"

OWNERS = {"design": ("designs", "id"), "reel": ("reels", "id"), "chain": ("sounds", "id"), "plan": ("plans", "sound_id"), "sheet": ("projects", "id")}
"""Table and column of what each kind of history is of: an id may be given again to something new."""


def upgrade() -> None:
    op.create_table(
        "histories",
        sa.Column("what", sa.String(12), primary_key=True),
        sa.Column("item", sa.Integer(), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("past", sa.JSON(), nullable=False),
        sa.Column("future", sa.JSON(), nullable=False),
    )
    for what, (table, column) in OWNERS.items():
        op.execute(
            f"CREATE TRIGGER forget_history_of_{table} AFTER DELETE ON {table} BEGIN DELETE FROM histories WHERE what = '{what}' AND item = OLD.{column}; END"
        )


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
