"""What is to be ordered: the parts of every open job whose verdict stands, together and job by job."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

from sqlalchemy import select

from mesotrope.core.plan.parts import Part, counted, not_among
from mesotrope.services.planned_jobs import Planned
from mesotrope.services.records import Record, keep_record
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import Job, JobRecord

#: What it is kept as that the parts of a job are ordered.
ORDERED: Final = "parts_ordered"

#: And that they are here.
HERE: Final = "parts_here"


@dataclass(frozen=True)
class JobParts:
    """Parts of one job (of all that it needs, those that are to be ordered, or those that are), and who ordered
    them."""

    job_id: int
    label: str
    registration: str | None
    parts: tuple[Part, ...]
    all_parts: tuple[Part, ...]
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

    A job is asked about only where somebody signed its verdict, and counts only where the verdict stands. What came to
    it since its parts were ordered is to be ordered.
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
    waiting, done = [], []
    for here in map(planned, numbers):
        if here.plan.sign_off.state == "stands" and here.card.parts:
            ordered = here.plan.records.get(("tick", ORDERED))
            arrived = here.plan.records.get(("tick", HERE))
            parts = here.card.parts
            missing = not_ordered(parts, ordered, arrived)
            there = not_among(parts, counted(missing))
            arrived = arrived if arrived and not not_among(there, arrived.value) else None
            job = JobParts(here.job.id, here.job.label, here.job.registration, parts, parts, ordered, arrived)
            waiting += [replace(job, parts=missing)] if missing else []
            done += [replace(job, parts=there)] if there and (ordered or arrived) else []
    return Orders(summed(waiting), tuple(waiting), tuple(done))


def not_ordered(parts: Sequence[Part], ordered: Record | None, arrived: Record | None) -> tuple[Part, ...]:
    """The parts that are neither ordered nor here."""
    kept = [record.value for record in (ordered, arrived) if record]
    left = [not_among(parts, value) for value in kept]
    return min(left, key=lambda missing: sum(part.count for part in missing), default=tuple(parts))


def lines_of(parts: Sequence[Part]) -> dict[str, str]:
    """How many of each part there are, as a page sends back that it showed them."""
    return {words: str(count) for words, count in counted(parts).items()}


def _shown(parts: Sequence[Part], seen: Mapping[str, str] | None) -> dict[str, int]:
    """How many of each part there are, at most as many as the page showed; all where it did not say."""
    now = counted(parts)
    if seen is None:
        return now
    shown = {words: int(count) for words, count in seen.items() if count.isdecimal()}
    return {words: min(count, shown.get(words, 0)) for words, count in now.items()}


def summed(jobs: Sequence[JobParts]) -> tuple[Line, ...]:
    """Each part once over all jobs, in the order in which it is first needed.

    >>> pads = Part("axle set of pads", 1, "P-1")
    >>> [line] = summed([JobParts(1, "", None, (pads,), (), None), JobParts(2, "", None, (pads,), (), None)])
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


def mark_parts(
    database: Database, job_id: int, what: Literal["parts_ordered", "parts_here"], parts: Sequence[Part] | None,
    seen: Mapping[str, str] | None = None, *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Keep that the parts of a job are ordered, or have come; None takes it back.

    parts : all of the job's; seen : those that the page showed (`lines_of`): what came meanwhile is not among them.
    """
    kept = None if parts is None else _shown(parts, seen)
    keep_record(database, job_id, "tick", what, kept, by=by, now=now)
