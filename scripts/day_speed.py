"""How fast a workshop's day is: finding among 60 000 visits, Today with 200 open jobs. Prints rows for `make bench`."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

from mesotrope.knowledge import knowledge
from mesotrope.services.answers import Remembered
from mesotrope.services.day import list_day
from mesotrope.services.day_plan import plan_of_the_day
from mesotrope.services.finding import find
from mesotrope.services.jobs import take_in
from mesotrope.services.people import add_person, add_workshop
from mesotrope.services.planned_jobs import planned_job
from mesotrope.services.signing_in import Who, open_session, who_is
from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from scripts.bench.big_workshop import fill
from tests.conftest import Clock, free_port

VEHICLES, VISITS, OPEN = 15_000, 60_000, 200

#: What is asked for, and what it is.
ASKED = {
    "a plate": "0-BIG-7321", "the end of a plate": "9999", "a telephone": "0-555-000123", "an owner": "mona crane",
    "a vehicle and its owner": "copper van lund", "a complaint": "scrapes rear", "a day": "2021-06-14",
    "a common word": "pulls", "two letters": "br", "nothing that is there": "zebra",
}  # fmt: skip


def day_rows(timed_ms: Callable[[Callable[[], object], int], list[float]]) -> Iterator[tuple[str, list[float], str]]:
    """Rows of the table: what, its times, and the target."""
    with tempfile.TemporaryDirectory() as folder:
        instance = Instance(Path(folder), free_port(), buffer_mib=256)
        instance.start()
        migrate(instance.url())
        database, clock = Database(instance.url()), Clock()
        number = add_workshop(database, "Big", "Town")
        person = add_person(database, number, "big", "Big", "lead", "-")
        who = who_is(database, open_session(database, person, now=clock(), hours=9), now=clock())
        fill(database.engine, number, person, VEHICLES, VISITS)
        for what, words in ASKED.items():
            found = timed_ms(lambda words=words: find(database, words, by=who), 12)  # type: ignore[misc]
            yield f"find {what} among {VISITS:,} visits: {words}", found, "under 50"
        yield from _today(database, clock, who, timed_ms)
        database.close()
        instance.stop()


def _today(
    database: Database, clock: Clock, who: Who, timed_ms: Callable[[Callable[[], object], int], list[float]]
) -> Iterator[tuple[str, list[float], str]]:
    for number in range(OPEN):
        take_in(
            database, knowledge(), label=f"Open {number}", kind="car", registration="", odometer_km=None, usage="",
            complaint="drags", by=who, now=clock(),
        )  # fmt: skip
    remember = Remembered(knowledge())

    def read() -> object:
        return list_day(
            database, knowledge(), lambda job: planned_job(database, knowledge(), answered, job, by=who), by=who,
            knowledge_key="bench", makes_for_s=None,
        )  # fmt: skip

    def answered(job):  # type: ignore[no-untyped-def]
        return remember.answer(job.inspection, ())

    jobs = read()
    yield f"Today read, {OPEN} open jobs, nothing changed", timed_ms(read, 12), ""
    plan = lambda: plan_of_the_day(database, jobs, by=who, now=clock())  # type: ignore[arg-type]  # noqa: E731
    yield f"plan of the day, {OPEN} open jobs", timed_ms(plan, 12), ""
