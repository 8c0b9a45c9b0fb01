"""${message}"""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = ${repr(up_revision)}
down_revision = ${repr(down_revision)}


def upgrade() -> None:
    ${upgrades if upgrades else "pass"}
