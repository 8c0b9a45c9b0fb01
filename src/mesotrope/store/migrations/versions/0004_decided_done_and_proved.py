"""What is chosen, signed, done and proved in a job; links to owner's sheets; which job a comeback comes from."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "job_records",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("subject", sa.String(length=120), nullable=False),
        sa.Column("value", sa.JSON(none_as_null=True), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("made_by", sa.Integer(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id", "job_id"], ["jobs.workshop_id", "jobs.id"]),
        sa.ForeignKeyConstraint(["workshop_id", "made_by"], ["people.workshop_id", "people.id"]),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("records_of_job", "job_records", ["workshop_id", "job_id", "id"], unique=False)
    op.create_table(
        "owner_links",
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("made_by", sa.Integer(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("expires_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id", "job_id"], ["jobs.workshop_id", "jobs.id"]),
        sa.ForeignKeyConstraint(["workshop_id", "made_by"], ["people.workshop_id", "people.id"]),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
        sa.PrimaryKeyConstraint("digest"),
    )
    op.add_column("jobs", sa.Column("comes_from", sa.Integer(), nullable=True))
    op.create_foreign_key(None, "jobs", "jobs", ["workshop_id", "comes_from"], ["workshop_id", "id"])
