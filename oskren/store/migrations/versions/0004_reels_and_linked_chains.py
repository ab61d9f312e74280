"""review reels, sounds that follow a saved chain, and states of a chain kept to compare with"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "reels",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("project", sa.Integer(), nullable=False, server_default="1"),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("reel", sa.JSON(), nullable=False),
        sa.Column("created", sa.String(20), nullable=False, server_default=""),
    )
    op.add_column("sounds", sa.Column("follows", sa.Integer(), nullable=True))
    op.add_column("sounds", sa.Column("states", sa.JSON(), nullable=False, server_default="[]"))
    op.create_index("ix_sounds_follows", "sounds", ["follows"])


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
