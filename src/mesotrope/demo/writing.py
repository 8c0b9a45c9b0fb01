"""How the demo writes what somebody is said to have settled: past the services, at a moment of its own."""

from __future__ import annotations

import datetime
from typing import Any

from mesotrope.store.session import WorkshopSession
from mesotrope.store.tables import Job, JobRecord


def write_record(
    session: WorkshopSession, job: Job, kind: str, subject: str, value: Any, by: int, at: datetime.datetime,
    *, note: str = "", role: str = "technician",
) -> None:  # fmt: skip
    """One record of a job, made by a person at a moment."""
    session.add(
        JobRecord(
            job_id=job.id, kind=kind, subject=subject, value=value, note=note, role=role, made_by=by, made_at=at
        )
    )  # fmt: skip
