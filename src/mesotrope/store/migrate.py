"""Brings a database to the schema of this version. Migrations only go forward."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, create_engine
from sqlalchemy.pool import NullPool


def alembic_config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(files("mesotrope.store") / "migrations"))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    return config


def migrate(url: str) -> None:
    """Apply every migration that the database does not have yet."""
    with create_engine(url, poolclass=NullPool).connect() as connection:
        current = is_current(connection)
    if not current:
        command.upgrade(alembic_config(url), "head")


@lru_cache(maxsize=1)
def newest() -> str | None:
    """The migration that a database of this version has come to."""
    return ScriptDirectory.from_config(alembic_config("")).get_current_head()


def is_current(connection: Connection) -> bool:
    """Whether a database has every migration of this version, and none of a later one."""
    return MigrationContext.configure(connection).get_current_revision() == newest()
