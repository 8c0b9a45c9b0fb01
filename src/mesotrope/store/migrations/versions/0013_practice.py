"""Practice: runs of mystery vehicles, what was done in them, and what a lead has set. The learnt version with which a
job's verdict was signed."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from mesotrope.store.migrations.steps import refuse_changes

revision = "0013"
down_revision = "0012"


def _of_workshop(column: str, table: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(["workshop_id", column], [f"{table}.workshop_id", f"{table}.id"])


def _workshop() -> list:
    return [
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
    ]


def upgrade() -> None:
    op.add_column("jobs", sa.Column("signed_with", sa.Integer(), nullable=True))
    op.create_table(
        "practice_runs",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("pictures", sa.Boolean(), nullable=False),
        sa.Column("started_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("committed_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("committed", sa.JSON(), nullable=True),
        sa.Column("result", sa.JSON(), nullable=True),
        *_workshop(),
        _of_workshop("person_id", "people"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("workshop_id", "id"),
    )
    op.create_index("practice_runs_of_person", "practice_runs", ["workshop_id", "person_id", "id"])
    op.create_table(
        "practice_acts",
        sa.Column("run_id", sa.Integer(), nullable=False, autoincrement=False),
        sa.Column("nth", sa.Integer(), nullable=False, autoincrement=False),
        sa.Column("act", sa.JSON(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        *_workshop(),
        _of_workshop("run_id", "practice_runs"),
        sa.PrimaryKeyConstraint("run_id", "nth"),
    )
    refuse_changes("practice_acts")
    op.create_table(
        "practice_set",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("note", sa.String(length=200), nullable=False),
        sa.Column("set_by", sa.Integer(), nullable=False),
        sa.Column("set_at", mysql.DATETIME(fsp=6), nullable=False),
        *_workshop(),
        _of_workshop("person_id", "people"),
        _of_workshop("set_by", "people"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("practice_set_of_person", "practice_set", ["workshop_id", "person_id", "id"])


def downgrade() -> None:
    for table in ("practice_set", "practice_acts", "practice_runs"):
        op.drop_table(table)
    op.drop_column("jobs", "signed_with")
