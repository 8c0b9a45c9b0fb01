"""A job knows its latest entry and keeps what is worked out from it; a workshop counts the changes of its rules."""

from alembic import op
import sqlalchemy as sa

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.add_column("workshops", sa.Column("rules_version", sa.Integer(), nullable=False, server_default="0"))
    for name in ("last_entry", "measured_at"):
        op.add_column("jobs", sa.Column(name, sa.BigInteger(), nullable=False, server_default="0"))
    for name in ("measured", "shown"):
        op.add_column("jobs", sa.Column(name, sa.JSON(), nullable=True))
    op.add_column("jobs", sa.Column("shown_key", sa.String(length=80), nullable=True))
    op.execute(
        "update jobs join (select job_id, max(id) as latest from finding_entries group by job_id) as made "
        "on made.job_id = jobs.id set jobs.last_entry = made.latest"
    )
