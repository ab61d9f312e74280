"""judgements of a spread have revisions, and they and recipes have steps back and forth; what is of a deleted design goes with it"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"

WITH_A_DESIGN = "DELETE FROM drafts WHERE name = 'recipe ' || OLD.id; DELETE FROM histories WHERE what = 'recipe' AND item = OLD.id;"


def upgrade() -> None:
    op.add_column("spreads", sa.Column("revision", sa.Integer(), nullable=False, server_default="0"))
    op.execute("CREATE TRIGGER forget_history_of_spreads AFTER DELETE ON spreads BEGIN DELETE FROM histories WHERE what = 'spread' AND item = OLD.id; END")
    # an id may be given again to another design: it must not find the recipe of the one before
    op.execute(f"CREATE TRIGGER forget_recipe_of_designs AFTER DELETE ON designs BEGIN {WITH_A_DESIGN} END")
    op.execute("DELETE FROM drafts WHERE name LIKE 'recipe %' AND CAST(substr(name, 8) AS INTEGER) NOT IN (SELECT id FROM designs)")


def downgrade() -> None:
    raise NotImplementedError("a library is not taken back to an older Oskren; open its backup instead")
