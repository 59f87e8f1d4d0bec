"""Alembic's entry point: runs on the connection it is handed, never on one of its own."""

from alembic import context

import lowhiss.store.finding_models
import lowhiss.store.learning_models
import lowhiss.store.seal_models
import lowhiss.store.trace_models  # noqa: F401
from lowhiss.store.models import Base

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    compare_type=True,
)
with context.begin_transaction():
    context.run_migrations()
