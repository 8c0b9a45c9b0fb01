"""The role that somebody had on the day is kept with what they chose, signed, did or proved."""

from alembic import op
import sqlalchemy as sa

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.add_column("job_records", sa.Column("role", sa.String(length=20), nullable=True))
    op.execute("update job_records join people on people.id = job_records.made_by set job_records.role = people.role")
    op.alter_column("job_records", "role", existing_type=sa.String(length=20), nullable=False)
