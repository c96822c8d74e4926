"""Alembic's environment; the connection is handed in by Database.migrate."""

from alembic import context

from glowdial.store.tables import Base

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    render_as_batch=True,
)
with context.begin_transaction():
    context.run_migrations()
