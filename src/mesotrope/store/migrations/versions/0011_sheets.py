"""What a workshop says of itself on an owner's sheet, how it writes moments, the sheets as they were given; readings of
simulated instruments are marked, photographs can be of a step."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from mesotrope.store.migrations.steps import refuse_changes

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    for name, length, start in (("address", 300, ""), ("telephone", 60, ""), ("time_zone", 60, "UTC"),
                                ("date_style", 20, "year_first")):  # fmt: skip
        op.add_column("workshops", sa.Column(name, sa.String(length=length), nullable=False, server_default=start))
    op.add_column("workshops", sa.Column("logo", sa.LargeBinary(length=200_000), nullable=True))
    op.alter_column("photographs", "stage", existing_type=sa.String(length=20), type_=sa.String(length=60),
                    existing_nullable=False)  # fmt: skip
    op.add_column("finding_entries", sa.Column("simulated", sa.Boolean(), nullable=False, server_default="0"))
    op.create_table(
        "frozen_sheets",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("made_by", sa.Integer(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("sheet", sa.JSON(), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
        sa.ForeignKeyConstraint(["workshop_id", "job_id"], ["jobs.workshop_id", "jobs.id"]),
        sa.ForeignKeyConstraint(["workshop_id", "made_by"], ["people.workshop_id", "people.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("job_id", "number", name="frozen_sheets_by_number"),
    )
    refuse_changes("frozen_sheets")


def downgrade() -> None:
    op.drop_table("frozen_sheets")
    op.drop_column("finding_entries", "simulated")
    op.execute("update photographs set stage = left(stage, 20)")
    op.alter_column("photographs", "stage", existing_type=sa.String(length=60), type_=sa.String(length=20),
                    existing_nullable=False)  # fmt: skip
    for name in ("address", "telephone", "time_zone", "date_style", "logo"):
        op.drop_column("workshops", name)
