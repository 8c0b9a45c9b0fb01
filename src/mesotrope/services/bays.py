"""The bays: the workshop's open jobs, each at a glance. A glance is kept with its job, and made again when what it was
made from has changed: an entry, the vehicle, the visit, the knowledge or the workshop's rules."""

from __future__ import annotations

import datetime
import hashlib
import json
from dataclasses import dataclass

from sqlalchemy import func, select, tuple_
from sqlalchemy.orm import aliased

from mesotrope.core.answer.answer import overview
from mesotrope.core.answer.glance import Glance, glance_at
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.errors import InvalidInput
from mesotrope.services.answers import Remembered
from mesotrope.services.job_rows import read_job
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import Job, Vehicle, Workshop

#: More jobs than this are not shown at once.
MOST_BAYS = 40


@dataclass(frozen=True)
class Bay:
    """One open job. `glance` is None where the job cannot be read; `unreadable` then says why."""

    id: int
    label: str
    registration: str | None
    complaint: str
    opened_at: datetime.datetime
    waits_for: str | None
    glance: Glance | None
    unreadable: str = ""


def list_bays(database: Database, knowledge: Knowledge, *, by: Who, knowledge_key: str = "") -> list[Bay]:
    """The open jobs of the workshop, the longest waiting first.

    knowledge : with the workshop's own figures; knowledge_key : names the knowledge that ships with the product.
    """
    with database.of_workshop(by.workshop_id) as session, session.begin():
        visit = aliased(Job)
        same = visit.vehicle_id == Job.vehicle_id
        before = tuple_(visit.opened_at, visit.id) < tuple_(Job.opened_at, Job.id)
        earlier = select(func.max(visit.last_entry)).where(same, before).scalar_subquery()
        rows = session.execute(
            select(Job, Vehicle, earlier)
            .join(Vehicle, Vehicle.id == Job.vehicle_id)
            .where(Job.state == "open")
            .order_by(Job.opened_at, Job.id)
            .limit(MOST_BAYS)
        ).all()
        bays = []
        for job, vehicle, entry in rows:
            key, why = _made_from(job, vehicle, entry, f"{knowledge_key}/{by.rules_version}/{by.learnt_version}"), ""
            if job.shown_key != key:
                try:
                    seen = read_job(session, job.id).opened(knowledge).inspection
                    job.shown, job.shown_key = glance_at(seen, overview(seen, knowledge), knowledge).kept(), key
                except InvalidInput as error:  # one job that cannot be read takes no other with it
                    job.shown, job.shown_key, why = None, None, str(error)
            bays.append(
                Bay(
                    job.id, vehicle.label, vehicle.registration, job.visit.get("complaint") or "", job.opened_at,
                    job.waits_for, Glance.of(job.shown) if job.shown else None, why,
                )
            )  # fmt: skip
        return bays


def refresh_bays(database: Database, knowledge: Knowledge, workshop_id: int, knowledge_key: str) -> None:
    """Make the glances of a workshop's open jobs, so that nobody who opens the bays waits for it.

    knowledge : that ships with the product; knowledge_key : its name.
    """
    with database.at_the_door() as session:
        row = session.get_one(Workshop, workshop_id)
        nobody = Who(0, workshop_id, "", "", row.name, "", row.rules_version, row.learnt_version)
    remember = Remembered(knowledge)
    known = remember.known(remember.figures(database, nobody))
    list_bays(database, known, by=nobody, knowledge_key=knowledge_key)


def _made_from(job: Job, vehicle: Vehicle, earlier: int | None, knowledge: str) -> str:
    """A short key of all that a glance is made from; `earlier` is the last entry of the vehicle's visits before."""
    known = json.dumps([knowledge, job.last_entry, earlier, job.visit, vehicle.specification], sort_keys=True)
    return hashlib.sha256(known.encode()).hexdigest()
