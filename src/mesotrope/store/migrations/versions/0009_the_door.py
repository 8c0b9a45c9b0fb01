"""The door: people who are switched off, known devices, counted guesses, links for a lost password, a trail that
nobody changes; changes that are done once under their key; the device of an entry."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from mesotrope.store.migrations.steps import refuse_changes

revision = "0009"
down_revision = "0008"

EXACT = "utf8mb4_bin"


def _of_workshop(*columns, key):
    return (
        *columns,
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
        sa.PrimaryKeyConstraint(*key),
    )


def upgrade() -> None:
    op.add_column("people", sa.Column("active", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.add_column("sessions", sa.Column("device", sa.String(length=64), nullable=False, server_default=""))
    op.create_index("sessions_by_expiry", "sessions", ["expires_at"])
    op.add_column("finding_entries", sa.Column("device", sa.String(length=16), nullable=False, server_default=""))
    op.create_table(
        "known_devices",
        *_of_workshop(
            sa.Column("digest", sa.String(length=64), nullable=False),
            sa.Column("person_id", sa.Integer(), nullable=False),
            sa.Column("last_seen", mysql.DATETIME(fsp=6), nullable=False),
            sa.ForeignKeyConstraint(["workshop_id", "person_id"], ["people.workshop_id", "people.id"]),
            key=("digest", "person_id"),
        ),
    )
    op.create_index("devices_by_last_seen", "known_devices", ["last_seen"])
    op.create_table(
        "door_counts",
        sa.Column("key", sa.String(length=64), nullable=False),
        sa.Column("guesses", sa.Integer(), nullable=False),
        sa.Column("last_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    op.create_index("door_counts_by_age", "door_counts", ["last_at"])
    op.create_table(
        "password_links",
        *_of_workshop(
            sa.Column("digest", sa.String(length=64), nullable=False),
            sa.Column("person_id", sa.Integer(), nullable=False),
            sa.Column("expires_at", mysql.DATETIME(fsp=6), nullable=False),
            sa.ForeignKeyConstraint(["workshop_id", "person_id"], ["people.workshop_id", "people.id"]),
            key=("digest",),
        ),
    )
    op.create_table(
        "audit_entries",
        *_of_workshop(
            sa.Column("id", sa.BigInteger(), nullable=False),
            sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
            sa.Column("by", sa.String(length=120), nullable=False),
            sa.Column("role", sa.String(length=20), nullable=False),
            sa.Column("act", sa.String(length=40), nullable=False),
            sa.Column("subject", sa.String(length=200), nullable=False),
            sa.Column("address", sa.String(length=64), nullable=False),
            key=("id",),
        ),
    )
    op.create_index("audit_of_workshop", "audit_entries", ["workshop_id", "id"])
    op.create_table(
        "done_once",
        *_of_workshop(
            sa.Column("key", sa.String(length=64, collation=EXACT), nullable=False),
            sa.Column("what", sa.String(length=80), nullable=False),
            sa.Column("made_by", sa.Integer(), nullable=False),
            sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
            sa.Column("result", sa.JSON(none_as_null=True), nullable=True),
            sa.ForeignKeyConstraint(["workshop_id", "made_by"], ["people.workshop_id", "people.id"]),
            key=("workshop_id", "key"),
        ),
    )
    op.create_index("done_once_by_age", "done_once", ["made_at"])
    op.drop_table("refused_sign_ins")
    refuse_changes("audit_entries")
