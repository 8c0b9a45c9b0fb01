"""How far the work of a job has come, held against what is planned now: what was ticked off, measured, agreed to,
ordered or released before more was planned does not stand for that."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.work import Done
from mesotrope.core.plan.came_since import AT, came_since, written
from mesotrope.core.plan.card_step import CardStep
from mesotrope.services.records import Record, StandingRecords

#: The kinds of record by which people choose what is done.
CHOOSING = ("package", "overruled")


@dataclass(frozen=True)
class Progress:
    """How far the work has come.

    ticked, struck : the steps that are, for all that is planned now. more : by step that was ticked off or struck out,
    what came to it since. done : the work that is done, with its places. release : as the vehicle left, where it did
    and nothing came since; overtaken : a release after which more was planned, and what.
    """

    ticked: frozenset[str] = frozenset()
    struck: frozenset[str] = frozenset()
    more: Mapping[str, frozenset[str]] = field(default_factory=dict)
    done: tuple[Done, ...] = ()
    release: Record | None = None
    overtaken: tuple[Record, frozenset[str]] | None = None


def progress_of(steps: Sequence[CardStep], work: Sequence[Done], records: StandingRecords, last_entry: int) -> Progress:
    """Hold what was recorded against the steps and the work that are planned now."""
    more: dict[str, frozenset[str]] = {}
    closed: dict[str, set[str]] = {"tick": set(), "struck": set()}
    for step in steps:
        kept = {kind: record.value for kind in closed if (record := records.get((kind, step.id)))}
        came = {kind: came_since(value, step.done_for) for kind, value in kept.items()}
        for kind in (kind for kind in came if not came[kind]):
            closed[kind].add(step.id)
        if came and all(came.values()):
            more[step.id] = next(iter(came.values()))

    def is_done(one: Done) -> bool:
        place, action = one
        came = more.get(action, ())
        return ("tick", action) in records and place not in came and not any(AT in what for what in came)

    release, overtaken = _release(records, work, last_entry)
    done = tuple(one for one in work if is_done(one))
    return Progress(frozenset(closed["tick"]), frozenset(closed["struck"]), more, done, release, overtaken)


def _release(
    records: StandingRecords, work: Iterable[Done], last_entry: int
) -> tuple[Record | None, tuple[Record, frozenset[str]] | None]:
    """The release that stands, or the one after which somebody found or chose more.

    What the product alone would plan otherwise by now (a price, a rule) takes no release back.
    """
    record = records.get(("release", ""))
    if record is None or record.value["as"] == "unsafe":
        return record, None
    came = came_since(record.value.get("planned"), written(work))
    went_on = last_entry > record.value.get("entry", last_entry) or any(
        other.at > record.at for (kind, _), other in records.items() if kind in CHOOSING
    )
    return (None, (record, came)) if came and went_on else (record, None)


def told_of_work(place: Place, work: Iterable[Done]) -> frozenset[str]:
    """The work that something measured afterwards tells of: at a corner that of its axle, else all of it."""
    if not isinstance(place, Corner):
        return written(work)
    return written(one for one in work if isinstance(one[0], Corner) and one[0].axle == place.axle)


def agreed_to(record: Record | None, work: Iterable[Done]) -> tuple[str, bool]:
    """What the owner said of the work, "" where nothing; and whether more was planned since."""
    if record is None:
        return "", False
    kept: Any = record.value
    return str(kept["as"]), bool(came_since(kept.get("planned"), written(work)))
