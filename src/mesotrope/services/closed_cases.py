"""A workshop's closed jobs as closed cases: what was found at each place, as far as it is known for sure."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from mesotrope.core.language.corner import CORNERS, VEHICLE
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.errors import InvalidInput
from mesotrope.services.job_rows import read_job
from mesotrope.services.outcomes import FOUND, FoundByPlace, outcomes_in
from mesotrope.store.session import WorkshopSession
from mesotrope.store.tables import Job, JobRecord


@dataclass(frozen=True)
class ClosedJob:
    """A closed job as a line of the open format."""

    job_id: int
    line: str

    def key(self, knowledge_key: str) -> str:
        """Names all that is read from it, and with which knowledge."""
        return hashlib.sha256(f"{knowledge_key}\n{self.line}".encode()).hexdigest()


def closed_jobs(session: WorkshopSession, knowledge: Knowledge) -> list[ClosedJob]:
    """Every closed job of the session's workshop of which it is known for sure what was found at any place, in the
    order in which they were first told of."""
    told = (
        select(JobRecord.job_id)
        .join(Job, Job.id == JobRecord.job_id)
        .where(JobRecord.kind == FOUND, Job.state == "closed", Job.archived_at.is_(None))
        .order_by(JobRecord.id)
    )
    job_ids = list(dict.fromkeys(session.scalars(told)))
    outcomes = outcomes_in(session, job_ids)
    teaching = []
    for job_id in job_ids:
        found = outcomes[job_id].found
        if not any(one.sure for one in found.values()):
            continue
        try:
            inspection = read_job(session, job_id).opened(knowledge).inspection
        except InvalidInput:  # one job that cannot be read takes no other with it
            continue
        session.expunge_all()
        teaching.append(ClosedJob(job_id, closed_case(inspection, found, knowledge)))
    return teaching


def closed_case(inspection: Inspection, found: FoundByPlace, knowledge: Knowledge) -> str:
    """A closed case as the open format writes it: what is not known for sure is unknown, names and plates stay here."""
    sure = {place: one for place, one in found.items() if one.sure}
    faults: list[dict[str, Any]] = [
        {"corner": None if place == VEHICLE else str(place), "fault": fault}
        for place, one in sorted(sure.items(), key=str)
        for fault in one.faults or ()
        if fault in knowledge.fault  # linings that are merely worn are no fault
    ]
    unknown = [None if place == VEHICLE else str(place) for place in (VEHICLE, *CORNERS) if place not in sure]
    document = json.loads(inspection.model_dump_json(exclude_none=True))
    for name in ("label", "registration", "vin"):
        document.get("vehicle", {}).pop(name, None)
    document.get("visit", {}).pop("complaint", None)
    seen = all(one.how == "seen" for one in sure.values())
    case = {"inspection": document, "found": faults, "certain": "seen" if seen else "cured", "unknown": unknown}
    return json.dumps(case, sort_keys=True)
