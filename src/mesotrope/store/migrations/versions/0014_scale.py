"""What large workshops need: vehicles whose brakes can be copied are found by their kind."""

from alembic import op
import sqlalchemy as sa

revision = "0014"
down_revision = "0013"

#: The kind of a vehicle whose brakes are specified; of others nothing can be copied.
SPECIFIED_KIND = """
update vehicles set specified_kind = coalesce(json_value(specification, '$.kind'), 'car')
where specified_kind is null and coalesce(json_length(specification, '$.axles'), 0) > 0
"""


def upgrade() -> None:
    op.add_column("vehicles", sa.Column("specified_kind", sa.String(length=20), nullable=True))
    op.create_index("vehicles_by_kind", "vehicles", ["workshop_id", "specified_kind"])
    op.execute(SPECIFIED_KIND)


def downgrade() -> None:
    op.drop_index("vehicles_by_kind", "vehicles")
    op.drop_column("vehicles", "specified_kind")
