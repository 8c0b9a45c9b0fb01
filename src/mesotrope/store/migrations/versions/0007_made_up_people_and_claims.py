"""People of the demo are marked as made up; what an archive claims of an entry is kept as its claim."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.add_column("people", sa.Column("made_up", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("finding_entries", sa.Column("claimed_by", sa.String(length=120), nullable=True))
    op.add_column("finding_entries", sa.Column("claimed_at", mysql.DATETIME(fsp=6), nullable=True))
    # The people of the scenario as it stood when this was written: a demo that is upgraded stays one.
    op.execute(
        "update people join workshops on workshops.id = people.workshop_id set people.made_up = true "
        "where (workshops.name, workshops.town) in "
        "(('Quarry Lane Brakes', 'Ostrey Fold'), ('Sallow Bridge Garage', 'Nether Sallow')) "
        "and people.sign_in_name in ('ilse', 'bram', 'wen', 'petra')"
    )
