"""targets, names and words of sheets are kept by name"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.create_table(
        "ready_sheets",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("saved", sa.JSON(), nullable=False),
        sa.Column("trashed", sa.JSON(), nullable=True),
    )


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
