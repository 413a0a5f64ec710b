"""What alembic runs: one connection, given by the store."""

from alembic import context

from jukai.store.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
connection.commit()
