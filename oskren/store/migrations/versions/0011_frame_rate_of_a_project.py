"""a project counts the frames of its picture at a rate of its own"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("projects", sa.Column("frame_rate", sa.Text, nullable=False, server_default="25"))


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
