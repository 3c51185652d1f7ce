"""Alembic's environment: migrations run on the connection that `canaleta.plant.database.connection` hands over."""

from alembic import context

from canaleta.plant.database.tables import metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=metadata)
with context.begin_transaction():
    context.run_migrations()
