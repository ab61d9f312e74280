"""recipes are kept by name; a spread keeps what it was matched to and which numbers it took instead, and may be of a sound alone"""

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


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
