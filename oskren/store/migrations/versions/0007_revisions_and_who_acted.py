"""revisions of what people edit, drafts that stay, and who made an edit of what kind"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    for table in ("designs", "plans", "reels", "sounds"):
        op.add_column(table, sa.Column("revision", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("edits", sa.Column("actor", sa.String(40), nullable=False, server_default=""))
    op.add_column("edits", sa.Column("kind", sa.String(12), nullable=False, server_default="sounds"))
    op.create_table(
        "drafts",
        sa.Column("project", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(60), primary_key=True),
        sa.Column("revision", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("body", sa.JSON(), nullable=False),
    )


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
