"""films, and the scenes that sounds are put to them in"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.create_table(
        "films",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("path", sa.Text, nullable=False),
        sa.Column("film", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("message", sa.Text, nullable=False),
        sa.Column("shots", sa.JSON(), nullable=False),
        sa.Column("guide", sa.JSON(), nullable=True),
        sa.Column("created", sa.String(20), nullable=False),
    )
    op.create_table(
        "scenes",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("film_id", sa.Integer, nullable=False, index=True),
        sa.Column("scene", sa.JSON(), nullable=False),
        sa.Column("created", sa.String(20), nullable=False),
        sa.Column("project", sa.Integer, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("trashed", sa.JSON(), nullable=True),
    )
    op.execute("CREATE TRIGGER forget_history_of_scenes AFTER DELETE ON scenes BEGIN DELETE FROM histories WHERE what = 'scene' AND item = OLD.id; END")


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
