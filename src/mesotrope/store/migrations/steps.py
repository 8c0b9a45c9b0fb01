"""Steps of migrations that can be taken again.

MariaDB keeps each change of a table at once, so a migration that is interrupted leaves its first steps done. Run
again, a step that is done already is passed over: the implementation below replaces the library's for this database.
"""

from __future__ import annotations

import logging

import sqlalchemy as sa
from alembic import op
from alembic.ddl.mysql import MySQLImpl
from sqlalchemy.exc import DatabaseError

LOG = logging.getLogger("mesotrope.migrations")

#: The server keeps a binary log and lets only its administrator make triggers.
ADMINISTRATOR_ONLY = 1419


class Repeatable(MySQLImpl):
    """The library's steps for MariaDB, each passed over where it is done already."""

    __dialect__ = "mysql"

    def _inspect(self):
        return sa.inspect(self.connection)

    def _names(self, table, kind):
        found = getattr(self._inspect(), f"get_{kind}")(table)
        return {one["name"] for one in found}

    def create_table(self, table, **options):
        if not self._inspect().has_table(table.name):
            super().create_table(table, **options)

    def drop_table(self, table, **options):
        if self._inspect().has_table(table.name):
            super().drop_table(table, **options)

    def add_column(self, table_name, column, **options):
        if column.name not in self._names(table_name, "columns"):
            super().add_column(table_name, column, **options)

    def drop_column(self, table_name, column, **options):
        if column.name in self._names(table_name, "columns"):
            super().drop_column(table_name, column, **options)

    def create_index(self, index, **options):
        if index.name not in self._names(index.table.name, "indexes"):
            super().create_index(index, **options)

    def drop_index(self, index, **options):
        if index.name in self._names(index.table.name, "indexes"):
            super().drop_index(index, **options)

    def add_constraint(self, constraint, **options):
        table = constraint.table.name
        if isinstance(constraint, sa.UniqueConstraint) and constraint.name in self._names(table, "indexes"):
            return
        if isinstance(constraint, sa.ForeignKeyConstraint):
            columns = [column.name for column in constraint.columns]
            if any(one["constrained_columns"] == columns for one in self._inspect().get_foreign_keys(table)):
                return
        super().add_constraint(constraint, **options)


def refuse_changes(table: str, *, but_erasing: bool = False) -> None:
    """Let the database refuse to change or delete rows of a table, where it lets the application say so.

    but_erasing : not where a person's data is taken away, which the application says of its transaction.
    """
    for change in ("update", "delete"):
        refused = f"signal sqlstate '45000' set message_text = 'rows of {table} are only ever written'"
        guard = f"if @mesotrope_erasing is null then {refused}; end if" if but_erasing else refused
        how = "or replace trigger" if but_erasing else "trigger if not exists"
        try:
            op.execute(f"create {how} {table}_no_{change} before {change} on {table} for each row {guard}")
        except DatabaseError as error:
            if error.orig.args[0] != ADMINISTRATOR_ONLY:
                raise
            LOG.warning("%s is guarded by the application alone: the server lets only root make triggers", table)


def is_ours(thing, name, kind, reflected, counterpart):
    """Whether something of the database is compared: not the indexes that it makes by itself for foreign keys."""
    made_by_itself = kind == "index" and reflected and counterpart is None and name.startswith("workshop_id")
    return not made_by_itself


def other_type(context, inspected, column, found, wanted):
    """Whether a column's type differs: the database has its own sizes of blobs; of the rest the library judges."""
    return False if isinstance(wanted, sa.LargeBinary) and isinstance(found, sa.types._Binary) else None
