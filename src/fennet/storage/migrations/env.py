"""Alembic's environment: the connection comes from storage.database.migrate."""

from alembic import context

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=None, transaction_per_migration=False)
with context.begin_transaction():
    context.run_migrations()
