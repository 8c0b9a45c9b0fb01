"""Plates are compared by one visible normalization, and keys of entries byte for byte."""

from alembic import op
import sqlalchemy as sa

from mesotrope.core.language.plate import plate_key

revision = "0008"
down_revision = "0007"

EXACT = "utf8mb4_bin"


def upgrade() -> None:
    connection = op.get_bind()
    indexes = sa.inspect(connection).get_indexes("vehicles")
    op.create_index("vehicles_by_registration", "vehicles", ["workshop_id", "registration"])
    for index in indexes:
        if index["unique"] and index["column_names"] == ["workshop_id", "registration"]:
            op.drop_index(index["name"], table_name="vehicles")
    op.add_column("vehicles", sa.Column("plate_key", sa.String(length=20, collation=EXACT), nullable=True))
    taken = set()
    rows = connection.execute(
        sa.text("select id, workshop_id, registration from vehicles where registration is not null order by id")
    )
    for number, workshop, registration in rows.fetchall():
        key = (workshop, plate_key(registration))
        if key not in taken:  # of two vehicles that had one plate in two ways of writing, the older one keeps it
            taken.add(key)
            written = {"key": key[1], "id": number}
            connection.execute(sa.text("update vehicles set plate_key = :key where id = :id"), written)
    op.create_unique_constraint("vehicles_by_plate", "vehicles", ["workshop_id", "plate_key"])
    kept = sa.String(length=64, collation=EXACT)
    op.alter_column("finding_entries", "idempotency_key", existing_type=sa.String(length=64), type_=kept, nullable=False)
