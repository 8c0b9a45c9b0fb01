"""What a visit left with that is new is kept with its thicknesses, new fluid too: of visits that tell of it they are
read again."""

from alembic import op

revision = "0016"
down_revision = "0015"

#: Of a job that is archived the entries are in its file: what is kept of it stands.
READ_AGAIN = """
update jobs set measured_at = -1
where archived_at is null and id in (select job_id from job_records where kind = 'release')
"""


def upgrade() -> None:
    op.execute(READ_AGAIN)


def downgrade() -> None:
    pass
