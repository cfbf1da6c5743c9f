"""Alembic's entry: runs the migrations over the connection that it is given."""

from alembic import context

from fenrain.store.tables import Table

context.configure(connection=context.config.attributes["connection"], target_metadata=Table.metadata)
with context.begin_transaction():
    context.run_migrations()
