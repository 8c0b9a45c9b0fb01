"""Alembic's environment: one connection, the tables of `mesotrope.store.tables`."""

from alembic import context
from sqlalchemy import create_engine

from mesotrope.store.tables import Base

engine = create_engine(context.config.get_main_option("sqlalchemy.url"))
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
