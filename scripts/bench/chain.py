"""A chain of workshops beside the demo alone: every page of the same workshop, asked in turn at both.

The demo's workshop is grown to 60 000 visits, and 299 others are put beside it: one million visits of 250 000 vehicles,
seven million entries. Then each page is asked at a server that has only the demo, and at one that has all of this.

    python -m scripts.bench.chain [--workshops 300] [--visits 1000000]
"""

from __future__ import annotations

import argparse
import statistics
import sys
import time
from collections.abc import Callable, Sequence
from contextlib import ExitStack

from sqlalchemy import Connection, create_engine, text

from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.people import add_person, add_workshop
from mesotrope.store.session import Database
from scripts.bench.big_workshop import fill
from scripts.bench.client import Client
from tests.served import in_a_process, served_demo

TIMES, WARM = 15, 3

#: Of the visits of the chain, those of its largest workshop; and of how many visits each vehicle has.
LARGEST, VISITS_PER_VEHICLE = 60_000, 4

#: What is asked of both, by what it is.
PAGES = {
    "Today": "/", "plan of the day": "/plan", "job, first axle": "/jobs/1/strip?axle=rear",
    "what follows an entry": "/jobs/1/strip/refresh?axle=rear", "board": "/jobs/1/board",
    "verdict": "/jobs/1/verdict", "work card": "/jobs/1/card", "proving": "/jobs/1/prove",
    "owner's sheet": "/jobs/1/owner", "history of a job": "/jobs/1/history", "vehicle": "/vehicles/1",
    "wear": "/vehicles/1/wear", "take in": "/take-in", "known vehicles, by plate": "/vehicles?search=0-QLB",
    "known vehicles, by a part of a name": "/vehicles?search=hatch", "find, a plate": "/find?q=0-QLB-01",
    "find, a beginning": "/find?q=pul", "find, any part of a plate": "/find?q=QLB",
    "find, two words": "/find?q=rear+hot",
    "due": "/due", "owners": "/owners", "figures": "/figures", "orders": "/orders", "rules": "/rules",
    "people": "/people", "trail": "/trail", "learnt": "/learnt", "practice": "/practice", "import": "/import",
}  # fmt: skip

#: What a workshop's rows stand in; those that are numbered over all workshops, to whose numbers a copy adds their span.
NUMBERED = ("owners", "vehicles", "jobs", "finding_entries", "due_items")
COPIED = (*NUMBERED, "search_words", "figure_months")


def _grow(database: Database, workshops: int, visits: int) -> None:
    """Make a chain of so many workshops and visits around the demo's workshop, which becomes its largest.

    One of the others is written row by row, the rest are copies of it with numbers of their own, made by the database.
    """
    began = time.perf_counter()
    engine = create_engine(database.engine.url)  # without the time limits of the product
    with engine.connect() as connection:
        [(here, lead), *_] = connection.execute(text("select workshop_id, id from people where role = 'lead'"))
        zone = connection.scalar(text("select time_zone from workshops"))
    due_key = f"{knowledge_key()}/0/{zone}"
    largest = min(LARGEST, visits)
    fill(engine, here, lead, largest // VISITS_PER_VEHICLE, largest, due_key=due_key)
    each = (visits - largest) // max(1, workshops - 1)
    if not each:
        return
    first = add_workshop(database, "Chain 2", "Town")
    person = add_person(database, first, "lead@chain-2.example", "Lead 2", "lead", "-")
    fill(engine, first, person, each // VISITS_PER_VEHICLE, each, seed=2, due_key=due_key)
    with engine.begin() as connection:
        steps = {table: _span(connection, table, first) for table in NUMBERED}
    for number in range(3, workshops + 1):
        shop = add_workshop(database, f"Chain {number}", "Town")
        who = add_person(database, shop, f"lead@chain-{number}.example", f"Lead {number}", "lead", "-")
        with engine.begin() as connection:
            for table in COPIED:
                _copy(connection, table, steps, number - 2, first, shop, who)
    with engine.begin() as connection:
        connection.execute(text(f"analyze table {', '.join(COPIED)}"))
    told = f"{visits:,} visits in {workshops} workshops written in {time.perf_counter() - began:.0f} s"
    print(told, file=sys.stderr, flush=True)


def _span(connection: Connection, table: str, workshop: int) -> int:
    """How many numbers a workshop's rows of a table take."""
    query = text(f"select max(id) - min(id) + 1 from {table} where workshop_id = :shop")
    return int(connection.scalar(query, {"shop": workshop}) or 0)


#: Which table's numbers a column holds.
NUMBERS_OF = {
    "owner_id": "owners", "vehicle_id": "vehicles", "vehicle": "vehicles", "job_id": "jobs",
    "last_entry": "finding_entries", "measured_at": "finding_entries",
}  # fmt: skip


def _copy(
    connection: Connection, table: str, steps: dict[str, int], times: int, source: int, shop: int, who: int
) -> None:
    """Copy a workshop's rows of one table to another workshop, their numbers moved on by so many times their span."""
    columns = [row[0] for row in connection.execute(text(f"show columns from {table}"))]
    taken = []
    for column in columns:
        numbers = table if column == "id" else NUMBERS_OF.get(column)
        if column == "workshop_id":
            taken.append(str(shop))
        elif column in ("entered_by", "opened_by"):
            taken.append(str(who))
        elif (table, column) == ("search_words", "thing"):
            moved = " ".join(f"when '{kind}' then {steps[of] * times}" for kind, of in
                             (("v", "vehicles"), ("j", "jobs"), ("o", "owners")))  # fmt: skip
            taken.append(f"thing + case kind {moved} end")
        elif (table, column) == ("search_words", "vehicle"):
            taken.append(f"if(vehicle = 0, 0, vehicle + {steps['vehicles'] * times})")
        elif numbers:
            taken.append(f"`{column}` + {steps[numbers] * times}")
        else:
            taken.append(f"`{column}`")
    names = ", ".join(f"`{column}`" for column in columns)
    connection.execute(
        text(f"insert into {table} ({names}) select {', '.join(taken)} from {table} where workshop_id = {source}")
    )


def main(arguments: Sequence[str] | None = None) -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--workshops", type=int, default=300)
    asked.add_argument("--visits", type=int, default=1_000_000)
    asked.add_argument("--serve", action="store_true", help="serve one and print its address")
    chosen = asked.parse_args(arguments)
    if chosen.serve:
        grown = (lambda database: _grow(database, chosen.workshops, chosen.visits)) if chosen.visits else None
        with served_demo(whole_day=True, buffer_mib=1024, grow=grown) as address:
            print(address, flush=True)
            sys.stdin.read()
        return
    with ExitStack() as stack:
        alone, chain = (
            stack.enter_context(
                Client(
                    stack.enter_context(
                        in_a_process(
                            "scripts.bench.chain", "--serve", "--workshops", str(shops), "--visits", str(visits)
                        )
                    )
                )
            )
            for shops, visits in ((1, 0), (chosen.workshops, chosen.visits))
        )
        for client in (alone, chain):
            client.until_figures_are_made()
        print("| what | demo alone, ms | in the chain, ms | times |\n|---|---|---|---|", flush=True)
        for what, path in PAGES.items():
            _row(what, lambda path=path: alone.page(path), lambda path=path: chain.page(path))  # type: ignore[misc]
        _row("entry", alone.entry, chain.entry)
        _row("taking a vehicle in", alone.take_in, chain.take_in)


def _row(what: str, alone: Callable[[], object], chain: Callable[[], object]) -> None:
    took: tuple[list[float], list[float]] = ([], [])
    for number in range(WARM + TIMES):
        for ask, times in zip((alone, chain), took, strict=True):
            start = time.perf_counter()
            ask()
            if number >= WARM:
                times.append(1000 * (time.perf_counter() - start))
    one, many = (statistics.median(times) for times in took)
    print(f"| {what} | {one:.1f} | {many:.1f} | {many / one:.2f} |", flush=True)


if __name__ == "__main__":
    main()
