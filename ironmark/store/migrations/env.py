"""Alembic's entry: the address comes from ``store.database.migrate``."""

from alembic import context

from ironmark.store.database import connect
from ironmark.store.models import Base

engine = connect(context.config.attributes["url"])
with engine.begin() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    context.run_migrations()
engine.dispose()
