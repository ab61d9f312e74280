"""Alembic environment: migrates the library whose connection it is given."""

from alembic import context

from oskren.store.tables import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
