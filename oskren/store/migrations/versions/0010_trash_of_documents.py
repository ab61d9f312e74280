"""designs, their versions, reels and saved chains go into the trash instead of for good"""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    for table in ("designs", "versions", "reels", "chains"):
        op.add_column(table, sa.Column("trashed", sa.JSON(), nullable=True))


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
