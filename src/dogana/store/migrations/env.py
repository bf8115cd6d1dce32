"""Alembic's entry; the URL comes from `store.migrate`."""

from alembic import context
from sqlalchemy import create_engine

from dogana.store.tables.base import Table

engine = create_engine(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Table.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
