"""What is to be ordered: the parts of every open job whose verdict stands, together and job by job."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from sqlalchemy import select

from mesotrope.core.plan.work_card import Part
from mesotrope.services.planned_jobs import Planned
from mesotrope.services.records import Record, keep_record
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import Job, JobRecord

#: What it is kept as that the parts of a job are ordered.
ORDERED = "parts_ordered"

#: And that they are here.
HERE = "parts_here"


@dataclass(frozen=True)
class JobParts:
    """The parts of one job, and who ordered them."""

    job_id: int
    label: str
    registration: str | None
    parts: tuple[Part, ...]
    ordered: Record | None
    here: Record | None = None


@dataclass(frozen=True)
class Line:
    """One part over several jobs, with its numbers and where it is for."""

    words: str
    numbers: tuple[str, ...]
    count: int
    jobs: tuple[int, ...]


@dataclass(frozen=True)
class Orders:
    """What is to be ordered: each part once, the jobs it is for, and the jobs whose parts are ordered."""

    lines: tuple[Line, ...]
    to_order: tuple[JobParts, ...]
    ordered: tuple[JobParts, ...]


def orders_of(database: Database, planned: Callable[[int], Planned], *, by: Who) -> Orders:
    """Everything to be ordered in the signed-in person's workshop. planned : a job with its plan, by its number.

    A job is asked about only where somebody signed its verdict, and counts only where the verdict stands.
    """
    signed = (
        select(JobRecord.job_id)
        .join(Job, Job.id == JobRecord.job_id)
        .where(Job.state == "open", JobRecord.kind == "signed")
        .distinct()
        .order_by(JobRecord.job_id)
    )
    with database.of_workshop(by.workshop_id) as session:
        numbers = list(session.scalars(signed))
    jobs = []
    for here in map(planned, numbers):
        if here.plan.sign_off.state == "stands" and here.card.parts:
            ordered = here.plan.records.get(("tick", ORDERED))
            arrived = here.plan.records.get(("tick", HERE))
            jobs.append(JobParts(here.job.id, here.job.label, here.job.registration, here.card.parts, ordered, arrived))
    waiting = tuple(job for job in jobs if not job.ordered and not job.here)
    return Orders(summed(waiting), waiting, tuple(job for job in jobs if job.ordered or job.here))


def summed(jobs: Sequence[JobParts]) -> tuple[Line, ...]:
    """Each part once over all jobs, in the order in which it is first needed.

    >>> pads = Part("axle set of pads", 1, "P-1")
    >>> [line] = summed([JobParts(1, "", None, (pads,), None), JobParts(2, "", None, (pads,), None)])
    >>> line.count, line.numbers, line.jobs
    (2, ('P-1',), (1, 2))
    """
    together: dict[str, list[tuple[int, Part]]] = {}
    for job in jobs:
        for part in job.parts:
            together.setdefault(part.words, []).append((job.job_id, part))
    return tuple(
        Line(
            words,
            tuple(dict.fromkeys(part.number for _, part in of if part.number)),
            sum(part.count for _, part in of),
            tuple(dict.fromkeys(job for job, _ in of)),
        )
        for words, of in together.items()
    )


def mark_ordered(database: Database, job_id: int, ordered: bool, *, by: Who, now: datetime.datetime) -> None:
    """Keep that the parts of a job are ordered, or take it back."""
    keep_record(database, job_id, "tick", ORDERED, True if ordered else None, by=by, now=now)


def mark_here(database: Database, job_id: int, here: bool, *, by: Who, now: datetime.datetime) -> None:
    """Keep that the parts of a job have come, or take it back."""
    keep_record(database, job_id, "tick", HERE, True if here else None, by=by, now=now)
