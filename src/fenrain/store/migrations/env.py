"""Alembic's entry: runs the migrations against the database of the settings."""

from alembic import context

from fenrain.store.database import engine
from fenrain.store.tables import Table

with engine().connect() as connection:
    context.configure(connection=connection, target_metadata=Table.metadata)
    with context.begin_transaction():
        context.run_migrations()
