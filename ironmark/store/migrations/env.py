"""Alembic's entry: the address comes from ``store.database.migrate``."""

from alembic import context
from sqlalchemy import create_engine

from ironmark.store.models import Base

engine = create_engine(context.config.attributes["url"])
with engine.begin() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    context.run_migrations()
engine.dispose()
