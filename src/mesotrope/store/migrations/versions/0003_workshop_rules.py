"""Rules of a workshop: prices, minutes, schools; each change kept."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.create_table(
        "workshop_rules",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("key", sa.String(length=80), nullable=False),
        sa.Column("value", sa.JSON(none_as_null=True), nullable=True),
        sa.Column("set_by", sa.Integer(), nullable=False),
        sa.Column("set_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id", "set_by"], ["people.workshop_id", "people.id"]),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("rules_of_workshop", "workshop_rules", ["workshop_id", "key", "id"], unique=False)
