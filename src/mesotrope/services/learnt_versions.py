"""What a workshop learnt, as versions: made outside requests, swapped in one transaction, used while they lead.

Each closed job is read once with the expert's tables and kept; a run reads those that are new or were corrected,
predicts the new ones by what was learnt before, and adds them up. Implausible new ones are held back.
"""

from __future__ import annotations

import datetime
import logging
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field

from sqlalchemy import delete, func, select, text

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.learning.chain import ALL, weight_that_predicts_best
from mesotrope.core.learning.counts import Counts, counts_from, total
from mesotrope.core.learning.prequential import LAST, Predicted, Standing, implausible, predicted_from, standing
from mesotrope.core.learning.tables import that_fit
from mesotrope.errors import NotAllowed, NotFound
from mesotrope.services.again import done_again
from mesotrope.services.audit import note
from mesotrope.services.closed_cases import ClosedJob, closed_jobs
from mesotrope.services.learning import ByWeight, on_all_cores, predict_in_turn, read_by_expert
from mesotrope.services.outcomes import FOUND
from mesotrope.services.signing_in import Who
from mesotrope.store.learning_tables import ChainCounts, LearntVersion, TaughtCase
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, JobRecord, Workshop

LOG = logging.getLogger("mesotrope.learning")


@dataclass(frozen=True)
class Version:
    """One version of a workshop's learnt tables.

    own_cases : closed jobs of the workshop's own in it; held : those held back; chain_weight : the share of the chain's
    counts in it.
    """

    number: int
    made_at: datetime.datetime
    knowledge_key: str
    own_cases: int
    held: int
    chain_weight: float
    counts: Counts
    standing: Standing


@dataclass(frozen=True)
class InUse:
    """The learnt tables that answer in a workshop; two are alike where they are the same version."""

    workshop_id: int
    number: int
    counts: Counts = field(compare=False)


@dataclass
class _Case:
    """A closed job that teaches, as it is known while a run goes on; `key` names all that it was read from."""

    job: ClosedJob
    key: str
    counts: Counts
    expert: Predicted
    learnt: ByWeight
    new: bool
    held: bool = False


# -- a run ----------------------------------------------------------------------------------------------------


def learn_in(
    database: Database, knowledge: Knowledge, knowledge_key: str, workshop_id: int, *, now: datetime.datetime
) -> Version | None:
    """Learn from all closed jobs of a workshop, and swap to what was learnt. None where another run is at it, or where
    nothing has changed.

    knowledge : the expert's; knowledge_key : its name. Long: for a command or the clock, not for a request.
    """
    with _alone(database, workshop_id) as alone:
        if not alone:
            return None
        with database.of_workshop(workshop_id) as session, session.begin():
            jobs = closed_jobs(session, knowledge)
            before = _latest(session)
            asked = session.get_one(Workshop, workshop_id).learning_asked_at
            kept = {row.job_id: row for row in session.scalars(select(TaughtCase))}
            shared = session.scalars(select(ChainCounts))
            chain = total(that_fit(counts_from(row.counts), knowledge) for row in shared)
        if before is not None and before.knowledge_key != knowledge_key:
            kept = {}  # the product's tables changed: all is read and predicted anew
        cases = _read(jobs, knowledge_key, kept, chain)
        _hold_back(cases)
        weight = weight_that_predicts_best([case.learnt for case in cases]) if chain.cases else 0.0
        counted = [case for case in cases if not case.held]
        counts = total([chain.times(weight), *(case.counts for case in counted)])
        held = _standing(cases, weight)

        @done_again
        def swap() -> Version | None:
            with database.of_workshop(workshop_id) as session, session.begin():
                workshop = session.get_one(Workshop, workshop_id, with_for_update=True)
                latest = _latest(session)
                if (latest and latest.number) != (before and before.number):
                    return None  # another server of a cluster, which knows nothing of this lock, was faster
                if workshop.learning_asked_at == asked:  # else it was asked for again meanwhile
                    workshop.learning_asked_at = None
                return _swap(session, workshop, knowledge_key, cases, counts, weight, held, before, now)

        return swap()


def _read(jobs: Sequence[ClosedJob], knowledge_key: str, kept: dict[int, TaughtCase], chain: Counts) -> list[_Case]:
    """Every case, in the order in which it was learnt from: read again where it is new or was changed."""
    keys = {job.job_id: job.key(knowledge_key) for job in jobs}
    counted = [job for job in jobs if job.job_id in kept and not kept[job.job_id].held]
    known = sorted(counted, key=lambda job: kept[job.job_id].number)
    same = [job for job in known if kept[job.job_id].key == keys[job.job_id]]
    changed = [job for job in known if kept[job.job_id].key != keys[job.job_id]]
    fresh = [job for job in jobs if job.job_id not in kept or kept[job.job_id].held]
    by_id: dict[int, _Case] = {}
    for job in same:
        row = kept[job.job_id]
        by_weight = {float(weight): predicted_from(told) for weight, told in row.learnt.items()}
        by_id[job.job_id] = _Case(
            job, row.key, counts_from(row.counts), predicted_from(row.expert), by_weight, new=False
        )
    own = total(case.counts for case in by_id.values())
    with on_all_cores(len(changed) + len(fresh)) as each:
        for some, new in ((changed, False), (fresh, True)):
            lines = [job.line for job in some]
            read = list(each(read_by_expert, lines))
            # what was corrected is predicted without itself: its old counts are not among those of the same
            told = predict_in_turn(each, lines, read, own, chain, done=len(by_id)) if lines else []
            for job, (counts, expert), learnt in zip(some, read, told, strict=True):
                by_id[job.job_id] = _Case(job, keys[job.job_id], counts, expert, learnt, new=new)
            own = total([own, *(counts for counts, _ in read)])
    return [by_id[job.job_id] for job in (*known, *fresh)]  # those learnt from before, then the new ones


def _hold_back(cases: Sequence[_Case]) -> None:
    """Hold the new cases back where they, with the last before them, cannot be believed."""
    new = [case for case in cases if case.new]
    window = [case.expert for case in cases[-max(LAST, len(new)) :]]
    if new and (implausible([case.expert for case in new]) or implausible(window)):
        for case in new:
            case.held = True


def _standing(cases: Sequence[_Case], weight: float) -> Standing:
    """How the learnt tables stand; cases that are held back are looked at, so that it is said why."""
    shares = [case for case in cases if not case.held]
    told = standing([case.expert for case in shares], [_told(case.learnt, weight) for case in shares])
    if any(case.held for case in cases):
        new = [case.expert for case in cases if case.new]
        window = [case.expert for case in cases[-max(LAST, len(new)) :]]
        return told.held_back(implausible(new) or implausible(window))
    return told


def _told(by_weight: ByWeight, weight: float) -> Predicted:
    """How a case was predicted with a share of the chain's counts, or as it was before there was a chain."""
    return by_weight[weight] if weight in by_weight else by_weight[ALL]


def _swap(
    session: WorkshopSession, workshop: Workshop, knowledge_key: str, cases: Sequence[_Case], counts: Counts,
    weight: float, held: Standing, before: LearntVersion | None, now: datetime.datetime,
) -> Version | None:  # fmt: skip
    """Keep what every case teaches, and the new version, and let it answer from now on if it leads."""
    document, stands = counts.document(), held.document()
    ids = [case.job.job_id for case in cases]
    session.execute(delete(TaughtCase).where(TaughtCase.job_id.not_in(ids or [0])))
    for number, case in enumerate(cases):
        row = session.get(TaughtCase, case.job.job_id)
        if row is not None and row.key == case.key and (row.held, row.number) == (case.held, number):
            continue
        session.merge(
            TaughtCase(
                job_id=case.job.job_id, workshop_id=workshop.id, key=case.key, number=number, held=case.held,
                counts=case.counts.document(), expert=asdict(case.expert),
                learnt={str(share): asdict(told) for share, told in case.learnt.items()},
            )
        )  # fmt: skip
    same = before is not None and (before.counts, before.standing) == (document, stands)
    if same and before is not None and before.knowledge_key == knowledge_key:
        return None
    own = sum(not case.held for case in cases)
    version = LearntVersion(
        number=(before.number if before else 0) + 1, made_at=now, knowledge_key=knowledge_key, own_cases=own,
        held=len(cases) - own, chain_weight=weight, counts=document, standing=stands,
    )  # fmt: skip
    session.add(version)
    workshop.learnt_version = version.number if held.leads else 0
    used = "used" if held.leads else f"not used: {held.because}"
    note(session, "learnt", f"version {version.number} of {own} closed jobs, {used}", by="the clock", role="", now=now)
    session.flush()
    return _version(version)


@contextmanager
def _alone(database: Database, workshop_id: int) -> Iterator[bool]:
    """Whether no other process learns for the workshop meanwhile: a lock of the server's, gone with the process.

    It holds on one server of a cluster only; the versions' numbers tell a run on another.
    """
    name = f"{database.engine.url.database} learning {workshop_id}"[-64:]
    with database.engine.connect() as connection:
        got = connection.execute(text("select get_lock(:name, 0)"), {"name": name}).scalar() == 1
        try:
            yield got
        finally:
            if got:
                connection.execute(text("select release_lock(:name)"), {"name": name})


# -- what stands ----------------------------------------------------------------------------------------------


def _latest(session: WorkshopSession) -> LearntVersion | None:
    return session.scalars(select(LearntVersion).order_by(LearntVersion.number.desc()).limit(1)).first()


def _version(row: LearntVersion) -> Version:
    return Version(
        row.number, row.made_at, row.knowledge_key, row.own_cases, row.held, row.chain_weight,
        counts_from(row.counts), Standing(**row.standing),
    )  # fmt: skip


def latest_version(database: Database, *, by: Who) -> Version | None:
    """The latest version of the person's workshop, used or not."""
    with database.of_workshop(by.workshop_id) as session:
        row = _latest(session)
        return _version(row) if row else None


def jobs_that_teach_nothing(database: Database, *, by: Who) -> int:
    """How many closed jobs have an outcome that teaches nothing: it was only guessed, or nothing was found out.

    Those that were closed after the latest version are not among them: they have not been read.
    """
    with database.of_workshop(by.workshop_id) as session:
        latest = _latest(session)
        if latest is None:
            return 0
        told = select(JobRecord.job_id).where(JobRecord.kind == FOUND, JobRecord.made_at <= latest.made_at)
        query = (
            select(func.count(Job.id))
            .where(Job.state == "closed", Job.id.in_(told), Job.id.not_in(select(TaughtCase.job_id)))
        )  # fmt: skip
        return int(session.scalar(query) or 0)


def version_of(database: Database, number: int, *, by: Who) -> Version:
    """One version. Raises `NotFound`, also for another workshop's."""
    with database.of_workshop(by.workshop_id) as session:
        row = session.scalars(select(LearntVersion).where(LearntVersion.number == number)).first()
        if row is None:
            raise NotFound("version")
        return _version(row)


@dataclass(frozen=True)
class VersionLine:
    """A version in a list."""

    number: int
    made_at: datetime.datetime
    own_cases: int
    held: int
    leads: bool
    because: str


def versions_of(database: Database, *, by: Who, most: int = 50) -> list[VersionLine]:
    """The latest versions, the newest first."""
    row = LearntVersion
    columns = select(row.number, row.made_at, row.own_cases, row.held, row.standing)
    with database.of_workshop(by.workshop_id) as session:
        rows = session.execute(columns.order_by(row.number.desc()).limit(most)).all()
    return [VersionLine(n, at, own, held, stands["leads"], stands["because"]) for n, at, own, held, stands in rows]


def in_use(database: Database, knowledge_key: str, *, by: Who) -> InUse | None:
    """The learnt tables that answer in the person's workshop; None where the expert's do, also after an upgrade of the
    product until what was learnt has been read again with its tables."""
    if not by.learnt_version:
        return None
    try:
        version = version_of(database, by.learnt_version, by=by)
    except NotFound:
        return None
    if version.knowledge_key != knowledge_key:
        return None
    return InUse(by.workshop_id, version.number, version.counts)


@dataclass(frozen=True)
class Course:
    """How the cases that teach were predicted, in the order in which they were learnt from; how many are held back, and
    how many closed jobs were only guessed at or not found out."""

    expert: tuple[Predicted, ...]
    learnt: tuple[Predicted, ...]
    held: int


def course_of(database: Database, *, by: Who, most: int = 2000) -> Course:
    """How well the last cases were predicted."""
    row = TaughtCase
    with database.of_workshop(by.workshop_id) as session:
        latest = _latest(session)
        columns = select(row.held, row.expert, row.learnt).order_by(row.number.desc()).limit(most)
        rows = session.execute(columns).all()[::-1]
        weight = latest.chain_weight if latest else 0.0
    told = [
        (predicted_from(expert), _told({float(share): predicted_from(one) for share, one in learnt.items()}, weight))
        for held, expert, learnt in rows
        if not held
    ]
    held = sum(held for held, _, _ in rows)
    return Course(tuple(expert for expert, _ in told), tuple(learnt for _, learnt in told), held)


# -- what a lead asks for -------------------------------------------------------------------------------------


def require_lead(by: Who, what: str) -> None:
    if by.role != "lead":
        raise NotAllowed(what, "lead")


@done_again
def ask_to_learn(database: Database, *, by: Who, now: datetime.datetime) -> None:
    """Ask for a run; an application or the clock's command does it within seconds. Raises `NotAllowed`."""
    require_lead(by, "Learning")
    with database.of_workshop(by.workshop_id) as session, session.begin():
        session.get_one(Workshop, by.workshop_id, with_for_update=True).learning_asked_at = now


@done_again
def give_up(database: Database, workshop_id: int) -> None:
    """Take an ask away whose run failed: it would fail again and again."""
    with database.of_workshop(workshop_id) as session, session.begin():
        session.get_one(Workshop, workshop_id, with_for_update=True).learning_asked_at = None


def is_learning(database: Database, *, by: Who) -> bool:
    """Whether a run was asked for and has not ended."""
    with database.of_workshop(by.workshop_id) as session:
        return session.get_one(Workshop, by.workshop_id).learning_asked_at is not None


def asked_workshops(database: Database) -> list[int]:
    """The workshops for which a run was asked for."""
    with database.at_the_door() as session:
        asked = select(Workshop.id).where(Workshop.learning_asked_at.is_not(None)).order_by(Workshop.learning_asked_at)
        return list(session.scalars(asked))


def all_workshops(database: Database) -> list[int]:
    with database.at_the_door() as session:
        return list(session.scalars(select(Workshop.id).order_by(Workshop.id)))
