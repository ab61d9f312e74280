"""kept versions of scenes"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.create_table(
        "scene_versions",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("scene_id", sa.Integer, sa.ForeignKey("scenes.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("notes", sa.Text, nullable=False),
        sa.Column("scene", sa.JSON(), nullable=False),
        sa.Column("created", sa.String(20), nullable=False),
        sa.Column("trashed", sa.JSON(), nullable=True),
    )


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
