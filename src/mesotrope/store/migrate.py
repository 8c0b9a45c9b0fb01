"""Brings a database to the schema of this version. Migrations only go forward."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files
from typing import TYPE_CHECKING

from sqlalchemy import Connection, create_engine, inspect, text
from sqlalchemy.pool import NullPool

if TYPE_CHECKING:
    from alembic.config import Config

MIGRATIONS = files("mesotrope.store") / "migrations"


def alembic_config(url: str) -> Config:
    from alembic.config import Config  # 10 MB with what it needs: only where a database is not current

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    return config


def migrate(url: str) -> None:
    """Apply every migration that the database does not have yet."""
    with create_engine(url, poolclass=NullPool).connect() as connection:
        current = is_current(connection)
    if not current:
        from alembic import command

        command.upgrade(alembic_config(url), "head")


@lru_cache(maxsize=1)
def newest() -> str:
    """The migration that a database of this version has come to: they are numbered, in their order."""
    return max(name[:4] for file in (MIGRATIONS / "versions").iterdir() if (name := file.name)[:4].isdigit())


def is_current(connection: Connection) -> bool:
    """Whether a database has every migration of this version, and none of a later one."""
    if not inspect(connection).has_table("alembic_version"):
        return False
    return bool(connection.scalar(text("select version_num from alembic_version")) == newest())
