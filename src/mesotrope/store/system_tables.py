"""What the product knows of its own running: the processes that serve, the backups that were made."""

from __future__ import annotations

import datetime
from typing import Any

from sqlalchemy import BigInteger, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from mesotrope.store.tables import EXACT, Base


class RunningProcess(Base):
    """A process that serves, and what it said of itself when it was last heard of."""

    __tablename__ = "running_processes"
    __table_args__ = (Index("processes_by_last_heard", "heard_at"),)

    name: Mapped[str] = mapped_column(String(32, collation=EXACT), primary_key=True)
    version: Mapped[str] = mapped_column(String(20))
    started_at: Mapped[datetime.datetime]
    heard_at: Mapped[datetime.datetime]
    told: Mapped[dict[str, Any]]


class BackupMade(Base):
    """A backup that was made of the whole database; it stands in the one that follows it."""

    __tablename__ = "backups_made"

    id: Mapped[int] = mapped_column(primary_key=True)
    made_at: Mapped[datetime.datetime]
    bytes: Mapped[int] = mapped_column(BigInteger)
    rows: Mapped[int] = mapped_column(BigInteger)
