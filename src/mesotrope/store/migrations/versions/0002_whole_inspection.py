"""The whole inspection: units per person, VINs, photographs, entries that undo."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("people", sa.Column("units", sa.JSON(), nullable=False, server_default="{}"))
    op.alter_column("people", "units", existing_type=sa.JSON(), existing_nullable=False, server_default=None)
    op.add_column("vehicles", sa.Column("vin", sa.String(length=17), nullable=True))
    op.create_index("vehicles_by_vin", "vehicles", ["workshop_id", "vin"], unique=False)
    op.create_index("vehicles_by_label", "vehicles", ["workshop_id", "label"], unique=False)
    op.add_column("finding_entries", sa.Column("undoes", sa.BigInteger(), nullable=True))
    op.create_table(
        "photographs",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("corner", sa.String(length=20), nullable=False),
        sa.Column("stage", sa.String(length=20), nullable=False),
        sa.Column("taken_by", sa.Integer(), nullable=False),
        sa.Column("taken_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("picture", mysql.MEDIUMBLOB(), nullable=False),
        sa.Column("small", mysql.MEDIUMBLOB(), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["workshop_id", "job_id"],
            ["jobs.workshop_id", "jobs.id"],
        ),
        sa.ForeignKeyConstraint(
            ["workshop_id", "taken_by"],
            ["people.workshop_id", "people.id"],
        ),
        sa.ForeignKeyConstraint(
            ["workshop_id"],
            ["workshops.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("job_id", "digest"),
    )
    op.create_index("photographs_of_job", "photographs", ["workshop_id", "job_id", "id"], unique=False)
