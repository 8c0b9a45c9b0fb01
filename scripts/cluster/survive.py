"""What a cluster survives: nodes and applications killed under writing clients, a node that comes back, a rolling
restart with a change of the tables, and two people who enter the same at once at two applications."""

from __future__ import annotations

import itertools
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial

import httpx2
from sqlalchemy import create_engine, select, text

from mesotrope.clock import utc_now
from mesotrope.knowledge import knowledge
from mesotrope.services.jobs import take_in
from mesotrope.services.signing_in import nobody_of
from mesotrope.store import tables
from mesotrope.store.session import Database
from scripts.campaign.serving import Application
from scripts.cluster.node import Node
from scripts.cluster.running import Cluster
from tests.served import sign_in

#: Who writes, how many of them at once, and who enters the same at once.
WRITER, WRITERS, RIVAL = "Bram Oddie", 6, "Wen Hallam"

#: How long it is written on before and after each blow, seconds.
PAUSE_S = 6.0

#: Writes go on after a blow within this, seconds.
LONGEST_SILENCE_S = 10.0

#: How long somebody goes on trying, seconds.
PATIENCE_S = 90.0

#: A change of tables as a version could bring it, and back.
CHANGE, CHANGE_BACK = "alter table jobs add column tried int null", "alter table jobs drop column tried"


class Person:
    """Somebody at a browser: entries under keys of their own, each sent until it is answered."""

    def __init__(self, address: str, name: str) -> None:
        self._http = httpx2.Client(base_url=address, timeout=20)
        self.statuses: Counter[int | str] = Counter()
        self._token = sign_in(self._http, name)

    def enter(self, job: int, key: str, value: str, seen: int | None = None) -> httpx2.Response:
        """Enter a thickness; sent again under its key while the answer is that it has to wait, or none comes."""
        return self._until_ready(
            lambda: self._http.post(
                f"/jobs/{job}/findings",
                data={
                    "corner": "front_left", "path": "pad_mm.inner.lead_rim", "value": value, "confirmed": "yes",
                    "stage": "strip", "axle": "front", **({} if seen is None else {"seen_entry": str(seen)}),
                },
                headers={"x-change-token": self._token, "hx-request": "true", "idempotency-key": key},
            )
        )  # fmt: skip

    def _until_ready(self, ask: Callable[[], httpx2.Response]) -> httpx2.Response:
        end = time.monotonic() + PATIENCE_S
        while time.monotonic() < end:
            try:
                answer = ask()
            except httpx2.HTTPError as error:
                self.statuses[type(error).__name__] += 1
                time.sleep(0.2)
                continue
            self.statuses[answer.status_code] += 1
            if answer.status_code <= 500:
                return answer
            time.sleep(0.2)
        raise TimeoutError(f"not answered for {PATIENCE_S:.0f} s: {self.statuses}")


@dataclass
class Survived:
    """What was counted."""

    acknowledged: int = 0
    lost: int = 0
    doubled: int = 0
    apart: int = 0
    races: int = 0
    clashes_unnoticed: int = 0
    statuses: Counter[int | str] = field(default_factory=Counter)
    blows: list[tuple[str, float, float]] = field(default_factory=list)

    @property
    def held(self) -> bool:
        return not (
            self.lost or self.doubled or self.apart or self.clashes_unnoticed or self.statuses[500]
            or any(gap > LONGEST_SILENCE_S for _, gap, _ in self.blows)
        )  # fmt: skip


class Writers:
    """Clients that write without a pause, each at a job of its own, and remember what was acknowledged."""

    def __init__(self, cluster: Cluster, jobs: list[int]) -> None:
        self.acknowledged: dict[str, float] = {}
        self._ended = threading.Event()
        self.people = [Person(cluster.address, WRITER) for _ in jobs]
        self._threads = [
            threading.Thread(target=self._write, args=(number, person, job), daemon=True)
            for number, (person, job) in enumerate(zip(self.people, jobs, strict=True))
        ]
        for thread in self._threads:
            thread.start()

    def _write(self, number: int, person: Person, job: int) -> None:
        for count in itertools.count():
            if self._ended.is_set():
                return
            key = f"written-{number}-{count:06d}"
            if person.enter(job, key, f"{3 + count % 7000 / 1000:.3f}").status_code == 200:
                self.acknowledged[key] = time.monotonic()

    def longest_silence_s(self, since: float) -> float:
        """The longest time without anything acknowledged since a moment."""
        times = sorted([since, *(when for when in list(self.acknowledged.values()) if when >= since), time.monotonic()])
        return max(later - earlier for earlier, later in itertools.pairwise(times))

    def end(self) -> None:
        self._ended.set()
        for thread in self._threads:
            thread.join()


def survive(cluster: Cluster, races: int) -> Survived:
    """Kill, restart and race; then count on every node."""
    out = Survived()
    jobs = _new_jobs(cluster, WRITERS + 1)
    writers = Writers(cluster, jobs[:-1])
    for what, blow in _blows(cluster):
        time.sleep(PAUSE_S)
        began = time.monotonic()
        back_after_s = blow()
        time.sleep(PAUSE_S)
        out.blows.append((what, writers.longest_silence_s(began), back_after_s))
        print(f"{what}: silent for {out.blows[-1][1]:.1f} s at most, back after {back_after_s:.1f} s", flush=True)
    writers.end()
    out.acknowledged = len(writers.acknowledged)
    for person in writers.people:
        out.statuses += person.statuses
    on_nodes = list(_keys_on_each_node(cluster))
    out.lost = max(sum(key not in found for key in writers.acknowledged) for found in on_nodes)
    out.doubled = max(sum(count > 1 for count in found.values()) for found in on_nodes)
    out.apart = sum(found != on_nodes[0] for found in on_nodes)
    _race(cluster, jobs[-1], races, out)
    return out


def _blows(cluster: Cluster) -> Iterator[tuple[str, Callable[[], float]]]:
    """What is done to the cluster, each returning after how many seconds all was back."""
    for node in cluster.nodes:
        yield f"node {node.number} killed, and back", partial(_kill_node, node)
    for number, application in enumerate(cluster.applications, start=1):
        yield f"application {number} killed, and back", partial(_kill_application, application)
    yield "tables changed, and each application restarted in turn, twice", partial(_change_tables, cluster)


def _kill_node(node: Node) -> float:
    node.kill()
    time.sleep(PAUSE_S)
    node.begin()
    return node.wait_until_synced()


def _kill_application(application: Application) -> float:
    application.kill_application()
    time.sleep(PAUSE_S)
    began = time.monotonic()
    application.start()
    return time.monotonic() - began


def _change_tables(cluster: Cluster) -> float:
    began = time.monotonic()
    engine = create_engine(cluster.nodes[0].url())
    for change in (CHANGE, CHANGE_BACK):
        with engine.connect() as connection:
            connection.execute(text(change))
        for application in cluster.applications:
            application.stop()
            application.start()
    engine.dispose()
    return time.monotonic() - began


def _new_jobs(cluster: Cluster, count: int) -> list[int]:
    database = Database(cluster.nodes[0].url(), cluster=True)
    try:
        with database.at_the_door() as session:
            row = session.execute(select(tables.Person).where(tables.Person.name == WRITER)).scalar_one()
        who = replace(nobody_of(database, row.workshop_id), person_id=row.id, role=row.role)
        return [
            take_in(
                database, knowledge(), label=f"Survivor {number}", kind="car", registration="", odometer_km=None,
                usage="", complaint="", by=who, now=utc_now(),
            )
            for number in range(count)
        ]  # fmt: skip
    finally:
        database.close()


def _keys_on_each_node(cluster: Cluster) -> Iterator[Counter[str]]:
    """How often each key of a writer stands, on every node."""
    for node in cluster.nodes:
        engine = create_engine(node.url())
        with engine.connect() as connection:
            connection.execute(text("set session wsrep_sync_wait=7"))
            rows = connection.execute(
                text("select idempotency_key from finding_entries where idempotency_key like 'written-%'")
            )
            yield Counter(row[0] for row in rows)
        engine.dispose()


def _race(cluster: Cluster, job: int, races: int, out: Survived) -> None:
    """Two people enter another figure at the same place at once, each at an application of their own."""
    pair = [
        Person(application.address, name)
        for application, name in zip(cluster.applications, (WRITER, RIVAL), strict=True)
    ]
    seen = int(pair[0].enter(job, "race-begins-0001", "9.0").headers["x-entry"])
    with ThreadPoolExecutor(2) as at_once:
        for number in range(races):
            told = list(
                at_once.map(
                    lambda side, number=number, seen=seen: pair[side].enter(  # type: ignore[misc]
                        job, f"race-{number:06d}-{side}", f"{3 + (2 * number + side) % 6000 / 1000:.3f}", seen
                    ),
                    (0, 1),
                )
            )
            out.races += 1
            won = [answer for answer in told if answer.status_code == 200]
            out.clashes_unnoticed += len(won) != 1
            seen = max([seen, *(int(answer.headers["x-entry"]) for answer in won)])
    for person in pair:
        out.statuses += person.statuses


def words_of(result: Survived) -> str:
    """What was counted, as a person reads it."""
    statuses = ", ".join(f"{status}: {count}" for status, count in sorted(result.statuses.items(), key=str))
    lines = [
        f"{result.acknowledged} entries acknowledged: {result.lost} lost, {result.doubled} doubled, "
        f"{result.apart} nodes that hold others",
        f"{result.races} races: {result.clashes_unnoticed} clashes unnoticed",
        f"Answers: {statuses}",
        *(
            f"{what}: writes silent for {gap:.1f} s at most, back after {back:.1f} s"
            for what, gap, back in result.blows
        ),
        "held" if result.held else "DID NOT HOLD",
    ]
    return "\n".join(lines)
