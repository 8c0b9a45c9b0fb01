"""What each closed job counts for in the workshop's figures: worked out once it is closed, and kept with it."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from sqlalchemy import func, select, true, update

from mesotrope.core.answer.glance import leading_suspect
from mesotrope.core.day.figures import ClosedFigures, Sums, spared_calipers
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.errors import InvalidInput
from mesotrope.services.again import done_again
from mesotrope.services.figure_months import span_of
from mesotrope.services.findings import FROM_A_DOCUMENT
from mesotrope.services.for_a_while import for_a_while
from mesotrope.services.job_rows import EntryRow, StandingFindings, build_inspection, read_job
from mesotrope.services.learnt_versions import all_workshops
from mesotrope.services.outcomes import FoundByPlace, OutcomeOfJob, outcomes_in
from mesotrope.services.planned_jobs import Answered
from mesotrope.services.read_before import ReadBefore
from mesotrope.services.signing_in import Who
from mesotrope.store.day_tables import FigureMonth
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import FindingEntry, Job, JobRecord
from mesotrope.words import Dates

#: So many tests at the end of a job are looked at, whether they were made after enough was known.
MOST_LOOKED_BACK = 12

#: With more closed jobs than this to be worked out, a process of its own does it.
MOST_WAITING = 20

#: For so long a page works figures out, seconds.
WORKS_FOR_S = 1.0


@dataclass(frozen=True)
class _Month:
    """A month of the figures as it is kept; `dates` of the workshop."""

    name: str
    changed: int
    sums: Sums | None
    dates: Dates

    @property
    def span(self) -> tuple[datetime.datetime, datetime.datetime]:
        """The moments between which it lies."""
        return span_of(self.name, self.dates)


#: The sums of the latest years that were read, by the months they are of and what those were counted at.
_years: ReadBefore[dict[str, Sums]] = ReadBefore(256)


def _months(session: WorkshopSession, dates: Dates) -> list[_Month]:
    """Every month in which anything was closed, the latest first; without its sums where they are to be made.

    What a month came to is read once for what it was counted at: a year that is over is not read again.
    """
    told = func.group_concat(func.concat_ws(":", FigureMonth.month, FigureMonth.changed, FigureMonth.counted))
    out: list[_Month] = []
    for of_year in session.scalars(select(told).group_by(func.left(FigureMonth.month, 4))):
        rows = [month.split(":") for month in of_year.split(",")]
        counted = tuple(sorted((month, at) for month, changed, at in rows if at == changed))
        sums = _years.of(session, counted, partial(_sums_of, session, [month for month, _ in counted]))
        out += [_Month(month, int(changed), sums.get(month), dates) for month, changed, _ in rows]
    return sorted(out, key=lambda month: month.name, reverse=True)


def _sums_of(session: WorkshopSession, months: list[str]) -> dict[str, Sums]:
    kept = select(FigureMonth.month, FigureMonth.sums).where(
        FigureMonth.month.in_(months), FigureMonth.counted == FigureMonth.changed
    )
    return {month: Sums.kept_as(sums) for month, sums in session.execute(kept) if sums}


def figures_by_month(
    database: Database, *, by: Who, works_for_s: float | None = WORKS_FOR_S, reading: Database | None = None
) -> tuple[dict[str, Sums], int]:
    """What the closed jobs count for, month by month, as far as that is worked out; and how many are left.

    A month is put together again only where something of it changed, and kept once all of it is worked out; what does
    not fit into the time is left, the earliest months last. works_for_s : None puts all of them together; reading :
    from where what is kept is read, if not from `database`.
    """
    with (reading or database).of_workshop(by.workshop_id) as session:
        months = _months(session, by.dates)
    out = {month.name: month.sums for month in months if month.sums is not None}
    again = [month for month in months if month.sums is None]
    left = 0
    for month in for_a_while(again, works_for_s):
        out[month.name], waiting = _put_together(database, month, by)
        left += waiting
    return out, left + sum(_closed_in(database, by, month) for month in months if month.name not in out)


def _closed_in(database: Database, by: Who, month: _Month) -> int:
    with database.of_workshop(by.workshop_id) as session:
        within = (Job.closed_at >= month.span[0], Job.closed_at < month.span[1])
        return session.scalar(select(func.count()).select_from(Job).where(Job.state == "closed", *within)) or 0


@done_again
def _put_together(database: Database, month: _Month, by: Who) -> tuple[Sums, int]:
    """A month's sums, kept where all of it is worked out, and how many of its jobs are not."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        cases, waiting = _closed_figures(session, by.dates, month.span)
        sums = Sums.of(cases)
        if not waiting:
            # `changed` as it was read: who changes anything meanwhile counts it on, and it is made again
            session.execute(
                update(FigureMonth)
                .where(FigureMonth.month == month.name)
                .values(counted=month.changed, sums=sums.kept())
            )
        return sums, waiting


def closed_figures(database: Database, *, by: Who) -> tuple[list[ClosedFigures], int]:
    """What each closed job counts for, as far as that is worked out; and how many are left."""
    with database.of_workshop(by.workshop_id) as session:
        return _closed_figures(session, by.dates, None)


def _closed_figures(
    session: WorkshopSession, dates: Dates, span: tuple[datetime.datetime, datetime.datetime] | None
) -> tuple[list[ClosedFigures], int]:
    query = select(Job.id, Job.figures, Job.closed_at).where(Job.state == "closed").order_by(Job.closed_at)
    if span is not None:
        query = query.where(Job.closed_at >= span[0], Job.closed_at < span[1])
    rows = session.execute(query).all()
    known = [job_id for job_id, kept, _ in rows if kept is not None]
    outcomes = outcomes_in(session, known)
    out = []
    for job_id, kept, closed_at in rows:
        if kept is not None:
            counted = dict(kept)
            month = dates.local(closed_at).strftime("%Y-%m") if closed_at else ""
            first = counted.pop("suspect", None)
            right = _right(first, outcomes[job_id])
            faults = tuple(sorted({f for one in outcomes[job_id].found.values() if one.sure for f in one.faults or ()}))
            came = bool(outcomes[job_id].comebacks)
            out.append(ClosedFigures(month, right=right, came_back=came, faults=faults, **counted))
    return out, len(rows) - len(known)


def _right(first: list[str] | None, outcome: OutcomeOfJob) -> bool | None:
    """Whether the first suspect was found where it was suspected; None where that is not known for sure."""
    if first is None:
        return None
    found = {str(place): one for place, one in outcome.found.items()}.get(first[0])
    return first[1] in (found.faults or ()) if found is not None and found.sure else None


def work_out_figures(
    database: Database, knowledge: Knowledge, answered: Answered, *, by: Who, works_for_s: float | None = WORKS_FOR_S
) -> int:
    """Work out what closed jobs count for, the latest first; returns how many are left.

    knowledge : with the workshop's own prices; works_for_s : None works all of them out.
    """
    with database.of_workshop(by.workshop_id) as session:
        ids = list(session.scalars(select(Job.id).where(Job.to_count == true()).order_by(Job.closed_at.desc())))
    done = 0
    for job_id in for_a_while(ids, works_for_s):
        _work_out(database, job_id, knowledge, answered, by)
        done += 1
    return len(ids) - done


@done_again
def _work_out(database: Database, job_id: int, knowledge: Knowledge, answered: Answered, by: Who) -> None:
    with database.of_workshop(by.workshop_id) as session, session.begin():
        counted = _figures(session, job_id, knowledge, answered)
        session.get_one(Job, job_id).figures = counted


def figures_wait(database: Database) -> list[int]:
    """The workshops of which so many closed jobs are not worked out that no page should do it."""
    out = []
    for workshop_id in all_workshops(database):
        with database.of_workshop(workshop_id) as session:
            waiting = select(func.count()).select_from(Job).where(Job.to_count == true())
            if (session.scalar(waiting) or 0) > MOST_WAITING:
                out.append(workshop_id)
    return out


def _figures(session: WorkshopSession, job_id: int, knowledge: Knowledge, answered: Answered) -> dict[str, Any]:
    rows = read_job(session, job_id)
    records = session.scalars(select(JobRecord).where(JobRecord.job_id == job_id).order_by(JobRecord.id)).all()
    signed = next((record.made_at for record in records if record.kind == "signed" and record.value), None)
    release: dict[str, Any] = next((r.value or {} for r in reversed(records) if r.kind == "release"), {})
    found = outcomes_in(session, [job_id])[job_id].found
    spared, money = _spared(found, release, knowledge)
    counted: dict[str, Any] = {
        "minutes": (signed - rows.job.opened_at).total_seconds() / 60 if signed else None,
        "spared": spared,
        "spared_money": money,
    }
    suspect = None
    try:
        first = answered(_as_of(session, rows.vehicle.specification, rows.job.visit, rows.entries, signed))
        suspect = leading_suspect(first.chances, knowledge)
        needless, tests = _needless(rows.vehicle.specification, rows.job.visit, rows.entries, answered)
        counted |= {"first": suspect[2] if suspect else None, "needless": needless, "tests": tests}
    except InvalidInput:
        pass  # one job that cannot be read takes no other with it
    return {**counted, "suspect": [str(suspect[0]), suspect[1]] if suspect else None}


def _as_of(
    session: WorkshopSession, specification: Mapping[str, Any], visit: Mapping[str, Any], entries: list[EntryRow],
    moment: datetime.datetime | None,
) -> Inspection:  # fmt: skip
    """The inspection as it stood when its verdict was first signed; without a signature as it stood at the end."""
    known = entries
    if moment is not None and entries:
        last = session.scalars(
            select(FindingEntry.id)
            .where(FindingEntry.id.in_([entry.id for entry in entries]), FindingEntry.entered_at <= moment)
            .order_by(FindingEntry.id.desc())
            .limit(1)
        ).first()
        known = [entry for entry in entries if entry.id <= (last or 0)]
    return build_inspection(specification, visit, StandingFindings.of(known).findings)


def _needless(
    specification: Mapping[str, Any], visit: Mapping[str, Any], entries: list[EntryRow], answered: Answered
) -> tuple[int | None, int]:
    """How many of the tests were made after enough was known, looking back from the last; None where nobody typed any.

    Enough is known where no test could change what is to be done.
    """
    typed = [entry for entry in entries if not entry.key.startswith(FROM_A_DOCUMENT) and entry.value is not None]
    tests: dict[tuple[str, str], int] = {}
    for entry in typed:
        tests.setdefault((entry.corner, entry.path.split(".")[0]), entry.id)
    if not tests:
        return None, 0
    begun = sorted(tests.values())
    needless = 0
    for first in reversed(begun[-MOST_LOOKED_BACK:]):
        before = StandingFindings.of([entry for entry in entries if entry.id < first]).findings
        if not before or not answered(build_inspection(specification, visit, before)).enough_is_known:
            break
        needless += 1
    return needless, len(tests)


def _spared(found: FoundByPlace, release: Mapping[str, Any], knowledge: Knowledge) -> tuple[int, float]:
    done = {(place, action) for place, action in release.get("done", ())}
    corners = [(place, one) for place, one in found.items() if isinstance(place, Corner) and one.sure]
    faults = [one.faults or () for _, one in corners]
    return spared_calipers(faults, [(str(place), "replace_caliper") in done for place, _ in corners], knowledge)
