"""What large workshops need: vehicles whose brakes can be copied are found by their kind, and what closed jobs count for
is kept by month. And what the product knows of its own running."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = "0014"
down_revision = "0013"

#: The kind of a vehicle whose brakes are specified; of others nothing can be copied.
SPECIFIED_KIND = """
update vehicles set specified_kind = coalesce(json_value(specification, '$.kind'), 'car')
where specified_kind is null and coalesce(json_length(specification, '$.axles'), 0) > 0
"""


#: The months in which jobs were closed, by any clock on a wall.
MONTHS = """
insert ignore into figure_months (workshop_id, month, changed, counted)
select distinct workshop_id, date_format(closed_at + interval h.hours hour, '%Y-%m'), 1, 0
from jobs join (select -14 as hours union select 14) h where state = 'closed' and closed_at is not null
"""


def upgrade() -> None:
    op.add_column("vehicles", sa.Column("specified_kind", sa.String(length=20), nullable=True))
    op.create_index("vehicles_by_kind", "vehicles", ["workshop_id", "specified_kind"])
    op.execute(SPECIFIED_KIND)
    op.create_index("jobs_of_vehicle", "jobs", ["workshop_id", "vehicle_id", "opened_at"])
    op.add_column("jobs", sa.Column("archived_at", mysql.DATETIME(fsp=6), nullable=True))
    op.add_column("jobs", sa.Column("archive_sha256", sa.String(length=64), nullable=False, server_default=""))
    op.add_column("jobs", sa.Column("to_count", sa.Boolean(), nullable=False, server_default="0"))
    op.execute("update jobs set to_count = 1 where state = 'closed' and figures is null")
    op.create_index("jobs_to_count", "jobs", ["workshop_id", "to_count"])
    op.create_index("jobs_to_archive", "jobs", ["workshop_id", "archived_at", "closed_at"])
    op.create_index("jobs_to_index", "jobs", ["workshop_id", "indexed"])
    op.create_index("vehicles_to_index", "vehicles", ["workshop_id", "indexed"])
    op.create_table(
        "figure_months",
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.Column("month", sa.String(length=7, collation="utf8mb4_bin"), nullable=False),
        sa.Column("changed", sa.Integer(), nullable=False),
        sa.Column("counted", sa.Integer(), nullable=False),
        sa.Column("sums", sa.JSON(), nullable=True),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
        sa.PrimaryKeyConstraint("workshop_id", "month"),
    )
    op.execute(MONTHS)
    op.create_table(
        "running_processes",
        sa.Column("name", sa.String(length=32, collation="utf8mb4_bin"), nullable=False),
        sa.Column("version", sa.String(length=20), nullable=False),
        sa.Column("started_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("heard_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("told", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )
    op.create_index("processes_by_last_heard", "running_processes", ["heard_at"])
    op.create_table(
        "backups_made",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("rows", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )


def downgrade() -> None:
    op.drop_table("backups_made")
    op.drop_table("running_processes")
    op.drop_table("figure_months")
    op.create_index("vehicle_id", "jobs", ["workshop_id", "vehicle_id"])
    op.drop_index("jobs_of_vehicle", "jobs")
    op.drop_index("jobs_to_index", "jobs")
    op.drop_index("jobs_to_archive", "jobs")
    op.drop_index("jobs_to_count", "jobs")
    op.drop_column("jobs", "to_count")
    op.drop_column("jobs", "archive_sha256")
    op.drop_column("jobs", "archived_at")
    op.drop_index("vehicles_to_index", "vehicles")
    op.drop_index("vehicles_by_kind", "vehicles")
    op.drop_column("vehicles", "specified_kind")
