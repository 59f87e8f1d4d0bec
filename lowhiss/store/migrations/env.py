"""Alembic's entry point: runs on the connection it is handed, never on one of its own."""

from alembic import context

from lowhiss.store.tables import TABLES

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=TABLES,
    compare_type=True,
)
with context.begin_transaction():
    context.run_migrations()
