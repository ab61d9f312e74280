"""notes and photos of arrivals, what an excerpt was cut from, and the wanted list"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.execute("CREATE VIRTUAL TABLE arrival_words USING fts5(words, tokenize='unicode61 remove_diacritics 2', prefix='2 3')")
    op.add_column("arrivals", sa.Column("notes", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("arrivals", sa.Column("photos", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("sounds", sa.Column("cut_from", sa.Integer(), nullable=True))
    op.create_index("ix_sounds_cut_from", "sounds", ["cut_from"])
    op.create_table(
        "wanted",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("project", sa.Integer(), nullable=False, server_default="1"),
        sa.Column("what", sa.Text(), nullable=False),
        sa.Column("how_many", sa.Integer(), nullable=False, server_default="1"),
        sa.Column("priority", sa.Integer(), nullable=False, server_default="2"),
        sa.Column("notes", sa.Text(), nullable=False, server_default=""),
        sa.Column("state", sa.String(12), nullable=False, server_default="wanted"),
        sa.Column("created", sa.String(20), nullable=False, server_default=""),
    )
    op.create_index("ix_wanted_project", "wanted", ["project"])
    op.create_table(
        "wanted_answers",
        sa.Column("wanted_id", sa.Integer(), sa.ForeignKey("wanted.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("kind", sa.String(8), primary_key=True),
        sa.Column("item", sa.Integer(), primary_key=True),
    )
    op.create_index("ix_wanted_answers_item", "wanted_answers", ["kind", "item"])


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
