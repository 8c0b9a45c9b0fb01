"""Foundation: workshops, people, sessions, vehicles, jobs, findings as entered, outcomes."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "refused_sign_ins",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("sign_in_name", sa.String(length=120), nullable=False),
        sa.Column("address", sa.String(length=64), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("refused_by_address", "refused_sign_ins", ["address", "at"], unique=False)
    op.create_index("refused_by_name", "refused_sign_ins", ["sign_in_name", "at"], unique=False)
    op.create_table(
        "workshops",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("town", sa.String(length=120), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "people",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("sign_in_name", sa.String(length=120), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("password_hash", sa.String(length=200), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.CheckConstraint("role in ('apprentice', 'technician', 'lead')", name="people_role"),
        sa.ForeignKeyConstraint(
            ["workshop_id"],
            ["workshops.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("sign_in_name"),
        sa.UniqueConstraint("workshop_id", "id"),
    )
    op.create_table(
        "vehicles",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(length=120), nullable=False),
        sa.Column("registration", sa.String(length=20), nullable=True),
        sa.Column("specification", sa.JSON(), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["workshop_id"],
            ["workshops.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("workshop_id", "id"),
        sa.UniqueConstraint("workshop_id", "registration"),
    )
    op.create_table(
        "jobs",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("vehicle_id", sa.Integer(), nullable=False),
        sa.Column("opened_by", sa.Integer(), nullable=False),
        sa.Column("opened_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("visit", sa.JSON(), nullable=False),
        sa.Column("waits_for", sa.String(length=200), nullable=True),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.CheckConstraint("state in ('open', 'closed')", name="jobs_state"),
        sa.ForeignKeyConstraint(
            ["workshop_id", "opened_by"],
            ["people.workshop_id", "people.id"],
        ),
        sa.ForeignKeyConstraint(
            ["workshop_id", "vehicle_id"],
            ["vehicles.workshop_id", "vehicles.id"],
        ),
        sa.ForeignKeyConstraint(
            ["workshop_id"],
            ["workshops.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("workshop_id", "id"),
    )
    op.create_index("jobs_by_state", "jobs", ["workshop_id", "state", "opened_at"], unique=False)
    op.create_table(
        "sessions",
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("change_token", sa.String(length=64), nullable=False),
        sa.Column("expires_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["workshop_id", "person_id"],
            ["people.workshop_id", "people.id"],
        ),
        sa.ForeignKeyConstraint(
            ["workshop_id"],
            ["workshops.id"],
        ),
        sa.PrimaryKeyConstraint("digest"),
    )
    op.create_table(
        "finding_entries",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("corner", sa.String(length=20), nullable=False),
        sa.Column("path", sa.String(length=80), nullable=False),
        sa.Column("value", sa.JSON(none_as_null=True), nullable=True),
        sa.Column("entered_by", sa.Integer(), nullable=False),
        sa.Column("entered_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("idempotency_key", sa.String(length=64), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["workshop_id", "entered_by"],
            ["people.workshop_id", "people.id"],
        ),
        sa.ForeignKeyConstraint(
            ["workshop_id", "job_id"],
            ["jobs.workshop_id", "jobs.id"],
        ),
        sa.ForeignKeyConstraint(
            ["workshop_id"],
            ["workshops.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("job_id", "idempotency_key"),
    )
    op.create_index("findings_of_job", "finding_entries", ["workshop_id", "job_id", "id"], unique=False)
    op.create_table(
        "outcomes",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("corner", sa.String(length=20), nullable=False),
        sa.Column("fault", sa.String(length=60), nullable=False),
        sa.Column("came_back", sa.Boolean(), nullable=False),
        sa.Column("noted_by", sa.Integer(), nullable=False),
        sa.Column("noted_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["workshop_id", "job_id"],
            ["jobs.workshop_id", "jobs.id"],
        ),
        sa.ForeignKeyConstraint(
            ["workshop_id", "noted_by"],
            ["people.workshop_id", "people.id"],
        ),
        sa.ForeignKeyConstraint(
            ["workshop_id"],
            ["workshops.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("outcomes_of_job", "outcomes", ["workshop_id", "job_id"], unique=False)
