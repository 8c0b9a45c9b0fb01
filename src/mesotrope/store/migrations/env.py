"""Alembic's environment: one connection, the tables of `mesotrope.store`, one migration at a time.

Two processes that start together take turns by a lock of the server: the second finds nothing left to do. Every
migration is a transaction of its own, so that its number is kept as soon as it is done.
"""

from alembic import context
from sqlalchemy import create_engine, text
from sqlalchemy.pool import NullPool

from mesotrope.store.migrations.steps import is_ours, other_type
from mesotrope.store import day_tables, learning_tables, practice_tables  # noqa: F401  (all tables are compared)
from mesotrope.store.tables import Base

LOCK_S = 300

engine = create_engine(context.config.get_main_option("sqlalchemy.url"), poolclass=NullPool)
with engine.connect() as guard, engine.connect() as connection:
    name = f"mesotrope-migrate-{engine.url.database}"[:64]
    if not guard.scalar(text("select get_lock(:name, :seconds)"), {"name": name, "seconds": LOCK_S}):
        raise TimeoutError(f"another process has been migrating this database for {LOCK_S} s")
    try:
        context.configure(
            connection=connection,
            target_metadata=Base.metadata,
            compare_type=other_type,
            include_object=is_ours,
            transaction_per_migration=True,
        )
        with context.begin_transaction():
            context.run_migrations()
    finally:
        guard.execute(text("select release_lock(:name)"), {"name": name})
