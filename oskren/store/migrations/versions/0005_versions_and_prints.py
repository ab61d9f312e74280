"""kept versions of designs, and which design a print was made from"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "versions",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("design_id", sa.Integer(), sa.ForeignKey("designs.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("notes", sa.Text(), nullable=False, server_default=""),
        sa.Column("mix", sa.JSON(), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False, server_default="{}"),
        sa.Column("row", sa.LargeBinary(), nullable=False, server_default=""),
        sa.Column("created", sa.String(20), nullable=False, server_default=""),
    )
    op.create_index("ix_versions_design_id", "versions", ["design_id"])
    op.create_table(
        "prints",
        sa.Column("sound_id", sa.Integer(), sa.ForeignKey("sounds.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("design_id", sa.Integer(), sa.ForeignKey("designs.id", ondelete="CASCADE"), nullable=False),
        sa.Column("key", sa.String(40), nullable=False),
    )
    op.create_index("ix_prints_design_id", "prints", ["design_id"])


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
