"""The workshop's day: owners, hours and places, words to search by, what falls due and what became of it, messages,
what a closed job counts for, and the token of a first start."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from mesotrope.store.migrations.steps import refuse_changes

revision = "0012"
down_revision = "0011"

EXACT = "utf8mb4_bin"

#: When a job was closed stands among its records; of one that was written closed, the day it was opened is all.
CLOSED_AT = """
update jobs j set j.closed_at = coalesce((select max(r.made_at) from job_records r
    where r.workshop_id = j.workshop_id and r.job_id = j.id and r.kind = 'closed'), j.opened_at)
where j.state = 'closed' and j.closed_at is null
"""


def _of_workshop(column: str, table: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(["workshop_id", column], [f"{table}.workshop_id", f"{table}.id"])


def _workshop() -> list:
    return [
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
    ]


def upgrade() -> None:
    op.add_column("workshops", sa.Column("opening", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("workshops", sa.Column("places", sa.JSON(), nullable=True))
    op.add_column("workshops", sa.Column("units", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column(
        "workshops", sa.Column("feed_digest", sa.String(length=64, collation=EXACT), nullable=False, server_default="")
    )
    op.add_column("people", sa.Column("hours", sa.JSON(), nullable=True))
    op.add_column("people", sa.Column("away", sa.JSON(), nullable=True))
    op.create_table(
        "set_up_tokens",
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("expires_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("digest"),
    )
    op.create_table(
        "owners",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("telephone", sa.String(length=60), nullable=False),
        sa.Column("email", sa.String(length=200), nullable=False),
        sa.Column("allowed", sa.JSON(), nullable=True),
        *_workshop(),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("workshop_id", "id"),
    )
    op.create_index("owners_by_name", "owners", ["workshop_id", "name"])
    op.add_column("vehicles", sa.Column("owner_id", sa.Integer(), nullable=True))
    op.create_foreign_key(None, "vehicles", "owners", ["workshop_id", "owner_id"], ["workshop_id", "id"])
    op.add_column("vehicles", sa.Column("due_key", sa.String(length=80, collation=EXACT), nullable=True))
    op.add_column("vehicles", sa.Column("indexed", sa.Boolean(), nullable=False, server_default="0"))
    op.create_index("vehicles_by_due", "vehicles", ["workshop_id", "due_key"])
    op.drop_column("jobs", "waits_for")  # what a job waits for is worked out; what people know is a record of it
    op.add_column("jobs", sa.Column("closed_at", mysql.DATETIME(fsp=6), nullable=True))
    op.add_column("jobs", sa.Column("figures", sa.JSON(), nullable=True))
    op.add_column("jobs", sa.Column("indexed", sa.Boolean(), nullable=False, server_default="0"))
    op.create_index("jobs_by_end", "jobs", ["workshop_id", "closed_at"])
    op.execute(CLOSED_AT)
    op.create_table(
        "search_words",
        sa.Column("word", sa.String(length=40, collation=EXACT), nullable=False),
        sa.Column("vehicle", sa.Integer(), nullable=False, autoincrement=False),
        sa.Column("kind", sa.String(length=1, collation=EXACT), nullable=False),
        sa.Column("thing", sa.Integer(), nullable=False, autoincrement=False),
        *_workshop(),
        sa.PrimaryKeyConstraint("workshop_id", "word", "vehicle", "kind", "thing"),
    )
    op.create_index("words_of_thing", "search_words", ["workshop_id", "kind", "thing"])
    op.create_index("words_of_vehicle", "search_words", ["workshop_id", "vehicle", "word"])
    op.create_table(
        "due_items",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("vehicle_id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=80, collation=EXACT), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("first", sa.Date(), nullable=True),
        sa.Column("last", sa.Date(), nullable=True),
        sa.Column("told", sa.JSON(), nullable=False),
        *_workshop(),
        _of_workshop("vehicle_id", "vehicles"),
        _of_workshop("job_id", "jobs"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("vehicle_id", "key", name="due_items_by_key"),
    )
    op.create_index("due_items_by_day", "due_items", ["workshop_id", "day"])
    op.create_table(
        "due_answers",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("vehicle_id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=80, collation=EXACT), nullable=False),
        sa.Column("answer", sa.String(length=20), nullable=False),
        sa.Column("reason", sa.String(length=500), nullable=False),
        sa.Column("made_by", sa.Integer(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        *_workshop(),
        _of_workshop("vehicle_id", "vehicles"),
        _of_workshop("made_by", "people"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("due_answers_of_vehicle", "due_answers", ["workshop_id", "vehicle_id", "id"])
    refuse_changes("due_answers")
    refuse_changes("frozen_sheets", but_erasing=True)
    op.create_table(
        "messages",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("owner_id", sa.Integer(), nullable=False),
        sa.Column("way", sa.String(length=20), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("made_by", sa.Integer(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        *_workshop(),
        _of_workshop("owner_id", "owners"),
        _of_workshop("made_by", "people"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("messages_of_owner", "messages", ["workshop_id", "owner_id", "id"])


def downgrade() -> None:
    for change in ("update", "delete"):
        op.execute(f"drop trigger if exists frozen_sheets_no_{change}")
    refuse_changes("frozen_sheets")
    for table in ("messages", "due_answers", "due_items", "search_words", "set_up_tokens"):
        op.drop_table(table)
    op.drop_index("jobs_by_end", "jobs")
    for column in ("closed_at", "figures", "indexed"):
        op.drop_column("jobs", column)
    op.add_column("jobs", sa.Column("waits_for", sa.String(length=200), nullable=True))
    op.drop_index("vehicles_by_due", "vehicles")
    for key in sa.inspect(op.get_bind()).get_foreign_keys("vehicles"):
        if key["referred_table"] == "owners":
            op.drop_constraint(key["name"], "vehicles", type_="foreignkey")
    for column in ("owner_id", "due_key", "indexed"):
        op.drop_column("vehicles", column)
    op.drop_table("owners")
    for column in ("hours", "away"):
        op.drop_column("people", column)
    for column in ("opening", "places", "units", "feed_digest"):
        op.drop_column("workshops", column)
