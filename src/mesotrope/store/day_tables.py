"""The tables of the workshop's day: owners, words to search by, what falls due, what was sent."""

from __future__ import annotations

import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Date, ForeignKey, Index, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from mesotrope.store.tables import EXACT, AppendOnly, Base, WorkshopOwned, same_workshop


class Owner(WorkshopOwned, Base):
    """Whose vehicle it is: a name, how they can be reached, and what they allowed. No more is kept of anybody."""

    __tablename__ = "owners"
    __table_args__ = (UniqueConstraint("workshop_id", "id"), Index("owners_by_name", "workshop_id", "name"))

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    telephone: Mapped[str] = mapped_column(String(60), default="")
    email: Mapped[str] = mapped_column(String(200), default="")
    #: The ways in which they may be reminded.
    allowed: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))


class SearchWord(WorkshopOwned, Base):
    """A word under which a vehicle is found: its own (``v``, its owner's among them), of one of its jobs (``j``), or of
    an owner (``o``), whose `vehicle` is 0."""

    __tablename__ = "search_words"
    __table_args__ = (
        Index("words_of_thing", "workshop_id", "kind", "thing"),
        Index("words_of_vehicle", "workshop_id", "vehicle", "word"),
    )

    workshop_id: Mapped[int] = mapped_column(ForeignKey("workshops.id"), primary_key=True)
    word: Mapped[str] = mapped_column(String(40, collation=EXACT), primary_key=True)
    vehicle: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    kind: Mapped[str] = mapped_column(String(1, collation=EXACT), primary_key=True)
    thing: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)


class FigureMonth(WorkshopOwned, Base):
    """What the jobs that a workshop closed in a month count for together. `changed` counts what may have altered that;
    `counted` is what it stood at when `sums` were made: where the two differ they are made again."""

    __tablename__ = "figure_months"

    workshop_id: Mapped[int] = mapped_column(ForeignKey("workshops.id"), primary_key=True)
    month: Mapped[str] = mapped_column(String(7, collation=EXACT), primary_key=True)
    changed: Mapped[int] = mapped_column(default=1)
    counted: Mapped[int] = mapped_column(default=0)
    sums: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))


class DueItem(WorkshopOwned, Base):
    """Something of a vehicle that falls due: the day, the days between which it is expected where it was predicted, and
    what its words are made from. Worked out from a job; made again when the vehicle's jobs change."""

    __tablename__ = "due_items"
    __table_args__ = (
        same_workshop("vehicle_id", "vehicles"),
        same_workshop("job_id", "jobs"),
        UniqueConstraint("vehicle_id", "key", name="due_items_by_key"),
        Index("due_items_by_day", "workshop_id", "day"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    vehicle_id: Mapped[int]
    job_id: Mapped[int]
    key: Mapped[str] = mapped_column(String(80, collation=EXACT))
    kind: Mapped[str] = mapped_column(String(20))
    day: Mapped[datetime.date] = mapped_column(Date)
    first: Mapped[datetime.date | None] = mapped_column(Date)
    last: Mapped[datetime.date | None] = mapped_column(Date)
    told: Mapped[dict[str, Any]]


class DueAnswer(AppendOnly, WorkshopOwned, Base):
    """What became of something that fell due: done or dismissed, with the reason; the latest stands, none: open again.

    It is of the vehicle, of the job it was worked out from and of its key."""

    __tablename__ = "due_answers"
    __table_args__ = (
        same_workshop("vehicle_id", "vehicles"),
        same_workshop("made_by", "people"),
        Index("due_answers_of_vehicle", "workshop_id", "vehicle_id", "id"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    vehicle_id: Mapped[int]
    job_id: Mapped[int]
    key: Mapped[str] = mapped_column(String(80, collation=EXACT))
    answer: Mapped[str] = mapped_column(String(20))
    reason: Mapped[str] = mapped_column(String(500), default="")
    made_by: Mapped[int]
    made_at: Mapped[datetime.datetime]


class Message(WorkshopOwned, Base):
    """What was sent to an owner, or printed for them, and through which way."""

    __tablename__ = "messages"
    __table_args__ = (
        same_workshop("owner_id", "owners"),
        same_workshop("made_by", "people"),
        Index("messages_of_owner", "workshop_id", "owner_id", "id"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    owner_id: Mapped[int]
    way: Mapped[str] = mapped_column(String(20))
    words: Mapped[str] = mapped_column(Text)
    made_by: Mapped[int]
    made_at: Mapped[datetime.datetime]
