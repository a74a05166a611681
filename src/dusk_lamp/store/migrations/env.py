"""Alembic's way in: the connection comes from the store, so there is no configuration file."""

from alembic import context

from dusk_lamp.store.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
connection.commit()
