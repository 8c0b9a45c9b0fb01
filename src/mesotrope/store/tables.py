"""The tables. Rows that belong to a workshop say so, and refer only to rows of the same workshop."""

from __future__ import annotations

import datetime
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    CheckConstraint,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    LargeBinary,
    String,
    Text,
    UniqueConstraint,
)
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship, validates

from mesotrope.core.language.plate import plate_key

Moment = DATETIME(fsp=6)

#: Text that is compared byte for byte.
EXACT = "utf8mb4_bin"


class Base(DeclarativeBase):
    """Root of all tables."""

    type_annotation_map = {datetime.datetime: Moment, dict[str, Any]: JSON}  # noqa: RUF012


class WorkshopOwned:
    """A row of one workshop. Queries on such tables are held to the signed-in workshop by the session."""

    workshop_id: Mapped[int] = mapped_column(ForeignKey("workshops.id"))


class AppendOnly:
    """A row that is written once: the session refuses to change it or to take it away."""


def same_workshop(column: str, table: str) -> ForeignKeyConstraint:
    return ForeignKeyConstraint(["workshop_id", column], [f"{table}.workshop_id", f"{table}.id"])


class Workshop(Base):
    __tablename__ = "workshops"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    town: Mapped[str] = mapped_column(String(120))
    rules_version: Mapped[int] = mapped_column(default=0)
    #: The number of the learnt version that answers here; 0 for the expert's tables. When learning was asked for.
    learnt_version: Mapped[int] = mapped_column(default=0)
    learning_asked_at: Mapped[datetime.datetime | None]
    #: What a shared file of counts says of where it is from: a number drawn once, no name.
    origin: Mapped[str] = mapped_column(String(32, collation=EXACT), default="")
    #: What stands on an owner's sheet, and how moments are written here.
    address: Mapped[str] = mapped_column(String(300), default="")
    telephone: Mapped[str] = mapped_column(String(60), default="")
    time_zone: Mapped[str] = mapped_column(String(60), default="UTC")
    date_style: Mapped[str] = mapped_column(String(20), default="year_first")
    logo: Mapped[bytes | None] = mapped_column(LargeBinary(200_000), deferred=True)
    #: When it is open, by day of the week; where vehicles are worked on; in which units whoever is new here reads.
    opening: Mapped[dict[str, Any]] = mapped_column(default=dict)
    places: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    units: Mapped[dict[str, Any]] = mapped_column(default=dict)
    #: The digest of the address under which the calendar of what is due can be read; empty: under none.
    feed_digest: Mapped[str] = mapped_column(String(64, collation=EXACT), default="")


class SetUpToken(Base):
    """The digest of a token that a server without any person prints: who has it sets the first workshop up."""

    __tablename__ = "set_up_tokens"

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    expires_at: Mapped[datetime.datetime]


class Person(WorkshopOwned, Base):
    __tablename__ = "people"
    __table_args__ = (
        UniqueConstraint("workshop_id", "id"),
        UniqueConstraint("sign_in_name"),
        CheckConstraint("role in ('apprentice', 'technician', 'lead')", name="people_role"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    sign_in_name: Mapped[str] = mapped_column(String(120))
    name: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(String(20))
    password_hash: Mapped[str] = mapped_column(String(200))
    units: Mapped[dict[str, Any]] = mapped_column(default=dict)
    made_up: Mapped[bool] = mapped_column(Boolean, default=False)
    #: Whoever is switched off has no session and gets none; what they entered, signed and did stays theirs.
    active: Mapped[bool] = mapped_column(Boolean, default=True)
    #: Their hours by day of the week, where they are not the workshop's; the days that they are away, from and to.
    hours: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    away: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    workshop: Mapped[Workshop] = relationship()


class SignedIn(WorkshopOwned, Base):
    """A session: its token is known only to the browser, here stands its digest; so also of the device it is on."""

    __tablename__ = "sessions"
    __table_args__ = (same_workshop("person_id", "people"), Index("sessions_by_expiry", "expires_at"))

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int]
    change_token: Mapped[str] = mapped_column(String(64))
    expires_at: Mapped[datetime.datetime]
    device: Mapped[str] = mapped_column(String(64), default="")


class KnownDevice(WorkshopOwned, Base):
    """A browser on which a person has signed in before: others' guesses at their name do not slow it down."""

    __tablename__ = "known_devices"
    __table_args__ = (same_workshop("person_id", "people"), Index("devices_by_last_seen", "last_seen"))

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int] = mapped_column(primary_key=True)
    last_seen: Mapped[datetime.datetime]


class DoorCount(Base):
    """How many guesses came lately from one place at the door; the key is a digest, so no address is kept."""

    __tablename__ = "door_counts"
    __table_args__ = (Index("door_counts_by_age", "last_at"),)

    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    guesses: Mapped[int]
    last_at: Mapped[datetime.datetime]


class PasswordLink(WorkshopOwned, Base):
    """A link with which a person sets a new password, once: its token is known only to who has it."""

    __tablename__ = "password_links"
    __table_args__ = (same_workshop("person_id", "people"),)

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int]
    expires_at: Mapped[datetime.datetime]


class AuditEntry(AppendOnly, WorkshopOwned, Base):
    """One line of the trail: who did what, to what, when and from where. The database refuses to change it too."""

    __tablename__ = "audit_entries"
    __table_args__ = (Index("audit_of_workshop", "workshop_id", "id"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[datetime.datetime]
    by: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(String(20))
    act: Mapped[str] = mapped_column(String(40))
    subject: Mapped[str] = mapped_column(String(200))
    address: Mapped[str] = mapped_column(String(64))


class DoneOnce(WorkshopOwned, Base):
    """What came of a change that was sent under a key: the same key again is answered with it, not done again."""

    __tablename__ = "done_once"
    __table_args__ = (same_workshop("made_by", "people"), Index("done_once_by_age", "made_at"))

    workshop_id: Mapped[int] = mapped_column(ForeignKey("workshops.id"), primary_key=True)
    key: Mapped[str] = mapped_column(String(64, collation=EXACT), primary_key=True)
    what: Mapped[str] = mapped_column(String(80))
    made_by: Mapped[int]
    made_at: Mapped[datetime.datetime]
    result: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))


class Vehicle(WorkshopOwned, Base):
    """A vehicle with its brake specification, as the open format writes it."""

    __tablename__ = "vehicles"
    __table_args__ = (
        UniqueConstraint("workshop_id", "id"),
        UniqueConstraint("workshop_id", "plate_key", name="vehicles_by_plate"),
        same_workshop("owner_id", "owners"),
        Index("vehicles_by_due", "workshop_id", "due_key"),
        Index("vehicles_by_registration", "workshop_id", "registration"),
        Index("vehicles_by_vin", "workshop_id", "vin"),
        Index("vehicles_by_label", "workshop_id", "label"),
        Index("vehicles_by_kind", "workshop_id", "specified_kind"),
        Index("vehicles_to_index", "workshop_id", "indexed"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    label: Mapped[str] = mapped_column(String(120))
    registration: Mapped[str | None] = mapped_column(String(20))
    #: The plate as plates are compared; set with the plate.
    plate_key: Mapped[str | None] = mapped_column(String(20, collation=EXACT))
    vin: Mapped[str | None] = mapped_column(String(17))
    specification: Mapped[dict[str, Any]]
    #: Its kind where its brakes are specified, so that they can be copied; set with the specification.
    specified_kind: Mapped[str | None] = mapped_column(String(20))
    owner_id: Mapped[int | None]
    #: What its dates were worked out with; none: they are to be worked out (again).
    due_key: Mapped[str | None] = mapped_column(String(80, collation=EXACT))
    #: Whether it can be found by the words it has now.
    indexed: Mapped[bool] = mapped_column(Boolean, default=False)

    @validates("registration")
    def _compared_as(self, _name: str, plate: str | None) -> str | None:
        self.plate_key = plate_key(plate) if plate else None
        return plate

    @validates("specification")
    def _copied_as(self, _name: str, specification: dict[str, Any]) -> dict[str, Any]:
        self.specified_kind = specification.get("kind", "car") if specification.get("axles") else None
        return specification


class Job(WorkshopOwned, Base):
    """One visit of a vehicle; `visit` as the open format writes it."""

    __tablename__ = "jobs"
    __table_args__ = (
        UniqueConstraint("workshop_id", "id"),
        same_workshop("vehicle_id", "vehicles"),
        same_workshop("opened_by", "people"),
        same_workshop("comes_from", "jobs"),
        CheckConstraint("state in ('open', 'closed')", name="jobs_state"),
        Index("jobs_by_state", "workshop_id", "state", "opened_at"),
        Index("jobs_by_end", "workshop_id", "closed_at"),
        Index("jobs_of_vehicle", "workshop_id", "vehicle_id", "opened_at"),
        Index("jobs_to_index", "workshop_id", "indexed"),
        Index("jobs_to_count", "workshop_id", "to_count"),
        Index("jobs_to_archive", "workshop_id", "archived_at", "closed_at"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    vehicle_id: Mapped[int]
    opened_by: Mapped[int]
    opened_at: Mapped[datetime.datetime]
    closed_at: Mapped[datetime.datetime | None]
    state: Mapped[str] = mapped_column(String(10))
    visit: Mapped[dict[str, Any]]
    comes_from: Mapped[int | None]
    #: The number of the job's latest entry; every entry moves it on.
    last_entry: Mapped[int] = mapped_column(BigInteger, default=0)
    #: What is worked out from the job and kept with it: the thicknesses that wear logs need, with the entry they were
    #: read at; and what a list of jobs shows, with the key of all that it was made from.
    measured: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    measured_at: Mapped[int] = mapped_column(BigInteger, default=0)
    shown: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    shown_key: Mapped[str | None] = mapped_column(String(80))
    #: The learnt version whose tables answered when its verdict was first signed (0: the expert's); none: not signed.
    signed_with: Mapped[int | None]
    #: What a closed job counts for; none: to be worked out. Whether it can be found, and is to be counted.
    figures: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    indexed: Mapped[bool] = mapped_column(Boolean, default=False)
    to_count: Mapped[bool] = mapped_column(Boolean, default=False)
    #: When it went into a file, and the digest of that; none: it did not. An empty digest: its file was erased.
    archived_at: Mapped[datetime.datetime | None]
    archive_sha256: Mapped[str] = mapped_column(String(64), default="")
    vehicle: Mapped[Vehicle] = relationship(foreign_keys="Job.vehicle_id", primaryjoin="Job.vehicle_id == Vehicle.id")


class FindingEntry(AppendOnly, WorkshopOwned, Base):
    """One figure or word as it was entered, by whom and when. Never changed: what stands is the latest entry.

    `corner` is a corner's name, or ``system``. An entry without a value takes the finding back. `undoes` names the
    entry that this one undid.
    """

    __tablename__ = "finding_entries"
    __table_args__ = (
        same_workshop("job_id", "jobs"),
        same_workshop("entered_by", "people"),
        UniqueConstraint("job_id", "idempotency_key"),
        Index("findings_of_job", "workshop_id", "job_id", "id"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    job_id: Mapped[int]
    corner: Mapped[str] = mapped_column(String(20))
    path: Mapped[str] = mapped_column(String(80))
    value: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    entered_by: Mapped[int]
    entered_at: Mapped[datetime.datetime]
    idempotency_key: Mapped[str] = mapped_column(String(64, collation=EXACT))
    undoes: Mapped[int | None] = mapped_column(BigInteger)
    #: What an imported archive says of who made the entry and when: its claim, nothing that was seen here.
    claimed_by: Mapped[str | None] = mapped_column(String(120))
    claimed_at: Mapped[datetime.datetime | None]
    #: The device it was typed on, as the session knows it: one person with two tablets is asked like two people.
    device: Mapped[str] = mapped_column(String(16), default="")
    #: A reading of an instrument that is only simulated: marked as one wherever it shows.
    simulated: Mapped[bool] = mapped_column(Boolean, default=False)


class Photograph(WorkshopOwned, Base):
    """A picture of a part: re-encoded, so that nothing but the picture is kept. Never changed, only taken away."""

    __tablename__ = "photographs"
    __table_args__ = (
        same_workshop("job_id", "jobs"),
        same_workshop("taken_by", "people"),
        UniqueConstraint("job_id", "digest"),
        Index("photographs_of_job", "workshop_id", "job_id", "id"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    job_id: Mapped[int]
    corner: Mapped[str] = mapped_column(String(20))
    #: The stage at which it was taken, or the step of the work card: "step:" and its name.
    stage: Mapped[str] = mapped_column(String(60))
    taken_by: Mapped[int]
    taken_at: Mapped[datetime.datetime]
    width: Mapped[int]
    height: Mapped[int]
    digest: Mapped[str] = mapped_column(String(64))
    picture: Mapped[bytes] = mapped_column(LargeBinary(4_000_000), deferred=True)
    small: Mapped[bytes] = mapped_column(LargeBinary(200_000), deferred=True)


class WorkshopRule(AppendOnly, WorkshopOwned, Base):
    """One rule of a workshop as it was set, by whom and when: a price, a number of minutes, a school.

    Never changed: what holds is the latest of its key. Without a value the product's own starting value holds again.
    """

    __tablename__ = "workshop_rules"
    __table_args__ = (same_workshop("set_by", "people"), Index("rules_of_workshop", "workshop_id", "key", "id"))

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    key: Mapped[str] = mapped_column(String(80))
    value: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    set_by: Mapped[int]
    set_at: Mapped[datetime.datetime]


class JobRecord(AppendOnly, WorkshopOwned, Base):
    """One thing that somebody chose, signed, did or proved in a job. Never changed: what stands is the latest of its
    kind and subject; without a value it is taken back.

    The kinds are those of `mesotrope.services.records`.
    """

    __tablename__ = "job_records"
    __table_args__ = (
        same_workshop("job_id", "jobs"),
        same_workshop("made_by", "people"),
        Index("records_of_job", "workshop_id", "job_id", "id"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    job_id: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    subject: Mapped[str] = mapped_column(String(120))
    value: Mapped[Any | None] = mapped_column(JSON(none_as_null=True))
    note: Mapped[str] = mapped_column(Text, default="")
    role: Mapped[str] = mapped_column(String(20))
    made_by: Mapped[int]
    made_at: Mapped[datetime.datetime]


class OwnerLink(WorkshopOwned, Base):
    """A link to one job's owner's sheet: its token is known only to who has the link, here stands its digest."""

    __tablename__ = "owner_links"
    __table_args__ = (same_workshop("job_id", "jobs"), same_workshop("made_by", "people"))

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    job_id: Mapped[int]
    made_by: Mapped[int]
    made_at: Mapped[datetime.datetime]
    expires_at: Mapped[datetime.datetime]


class FrozenSheet(AppendOnly, WorkshopOwned, Base):
    """An owner's sheet as it was given: `number` counts up in each job, and what was given is never changed."""

    __tablename__ = "frozen_sheets"
    __table_args__ = (
        same_workshop("job_id", "jobs"),
        same_workshop("made_by", "people"),
        UniqueConstraint("job_id", "number", name="frozen_sheets_by_number"),
    )

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    job_id: Mapped[int]
    number: Mapped[int]
    made_by: Mapped[int]
    made_at: Mapped[datetime.datetime]
    sheet: Mapped[dict[str, Any]]
