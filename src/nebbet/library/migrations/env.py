"""Runs the migrations on the connection that nebbet.library.migrate hands over."""

from alembic import context

from nebbet.library.schema import metadata

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=metadata,
    transactional_ddl=True,
)
with context.begin_transaction():
    context.run_migrations()
