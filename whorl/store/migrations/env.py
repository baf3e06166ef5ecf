"""Alembic's way in; Whorl runs it at start, on the connection it is given."""

from alembic import context

from whorl.store.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
