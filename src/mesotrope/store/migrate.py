"""Brings a database to the schema of this version. Migrations only go forward."""

from __future__ import annotations

from importlib.resources import files

from alembic import command
from alembic.config import Config


def alembic_config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(files("mesotrope.store") / "migrations"))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    return config


def migrate(url: str) -> None:
    """Apply every migration that the database does not have yet."""
    command.upgrade(alembic_config(url), "head")
