"""The tables of practice: runs of mystery vehicles, what was done in them, and what a lead has set.

Nothing of them is a job: no other table knows them, and none of theirs knows a job.
"""

from __future__ import annotations

import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Boolean, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from mesotrope.store.tables import AppendOnly, Base, WorkshopOwned, same_workshop


class PracticeRun(WorkshopOwned, Base):
    """One person at one mystery vehicle. `committed` is what they stood for in the end, `result` what it came to."""

    __tablename__ = "practice_runs"
    __table_args__ = (
        same_workshop("person_id", "people"),
        UniqueConstraint("workshop_id", "id"),
        Index("practice_runs_of_person", "workshop_id", "person_id", "id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int]
    number: Mapped[int] = mapped_column(BigInteger)
    #: Whether instruments are read off pictures.
    pictures: Mapped[bool] = mapped_column(Boolean, default=False)
    started_at: Mapped[datetime.datetime]
    committed_at: Mapped[datetime.datetime | None]
    committed: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    result: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))


class PracticeAct(AppendOnly, WorkshopOwned, Base):
    """One thing done in a run, in its order: from these everything else of the run is worked out."""

    __tablename__ = "practice_acts"
    __table_args__ = (same_workshop("run_id", "practice_runs"),)

    run_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    nth: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    act: Mapped[Any] = mapped_column(JSON)
    made_at: Mapped[datetime.datetime]


class PracticeSet(WorkshopOwned, Base):
    """A vehicle that a lead set for somebody."""

    __tablename__ = "practice_set"
    __table_args__ = (
        same_workshop("person_id", "people"),
        same_workshop("set_by", "people"),
        Index("practice_set_of_person", "workshop_id", "person_id", "id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int]
    number: Mapped[int] = mapped_column(BigInteger)
    note: Mapped[str] = mapped_column(String(200), default="")
    set_by: Mapped[int]
    set_at: Mapped[datetime.datetime]
