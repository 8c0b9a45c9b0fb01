"""The tables of learning: what each closed job teaches, the versions of what was learnt, a chain's counts."""

from __future__ import annotations

import datetime
from typing import Any

from sqlalchemy import BigInteger, Boolean, Double, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from mesotrope.store.tables import EXACT, AppendOnly, Base, WorkshopOwned, same_workshop


class TaughtCase(WorkshopOwned, Base):
    """What a closed job teaches: its counts, how the expert's tables and the learnt ones predicted it before it was
    learnt from, and whether it is held back. `key` names all that this was made from."""

    __tablename__ = "taught_cases"
    __table_args__ = (same_workshop("job_id", "jobs"),)

    job_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    key: Mapped[str] = mapped_column(String(64))
    #: In which order the cases were learnt from.
    number: Mapped[int]
    held: Mapped[bool] = mapped_column(Boolean, default=False)
    counts: Mapped[dict[str, Any]]
    expert: Mapped[dict[str, Any]]
    learnt: Mapped[dict[str, Any]]


class LearntVersion(AppendOnly, WorkshopOwned, Base):
    """Tables that a workshop learnt, as counts beside the expert's: `number` counts up in each workshop."""

    __tablename__ = "learnt_versions"
    __table_args__ = (UniqueConstraint("workshop_id", "number", name="learnt_versions_by_number"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    number: Mapped[int]
    made_at: Mapped[datetime.datetime]
    knowledge_key: Mapped[str] = mapped_column(String(80))
    own_cases: Mapped[int]
    held: Mapped[int]
    chain_weight: Mapped[float] = mapped_column(Double)
    counts: Mapped[dict[str, Any]]
    standing: Mapped[dict[str, Any]]


class ChainCounts(WorkshopOwned, Base):
    """Counts that another workshop of a chain shares; a newer file of the same origin takes the place of the older."""

    __tablename__ = "chain_counts"
    __table_args__ = (same_workshop("imported_by", "people"),)

    workshop_id: Mapped[int] = mapped_column(ForeignKey("workshops.id"), primary_key=True)
    origin: Mapped[str] = mapped_column(String(32, collation=EXACT), primary_key=True)
    counts: Mapped[dict[str, Any]]
    imported_by: Mapped[int]
    imported_at: Mapped[datetime.datetime]
