"""The day's plan: who works on which vehicle where and when, what will be late, and what to move.

Earliest promise first, each job as early as a person who may do it and a place that takes it are both free. A job that
is begun is finished by the same person at the same place, over the times at which that person is away. Where everybody
can do everything and works without a break, no order of the jobs makes the latest one less late by more than the
longest job; with one person none does at all. Source: [jackson], [hall-shmoys].

Moments are minutes since some beginning that the caller chooses; spans are half-open.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right, insort
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import accumulate

#: From when until when, minutes.
Span = tuple[float, float]


@dataclass(frozen=True)
class Task:
    """A job of the day.

    minutes : still to go; promised : when it is to be ready, None where nothing was promised; since : when it came in;
    not_before : when what it waits for is expected; who : a person that has it, None: anybody who may; skill : the
    least that a person needs; place : where it stands, "" where it stands nowhere; lift : whether it needs one.
    """

    id: int
    minutes: float
    promised: float | None = None
    since: float = 0.0
    not_before: float = 0.0
    who: int | None = None
    skill: int = 0
    place: str = ""
    lift: bool = True


@dataclass(frozen=True)
class Worker:
    """A person: what they may do, and when they are there, in order."""

    id: int
    skill: int
    there: tuple[Span, ...]


@dataclass(frozen=True)
class WorkPlace:
    name: str
    lift: bool = True


@dataclass(frozen=True)
class Slot:
    """A job in the plan: begun and ended, by whom and where."""

    task: Task
    who: int
    place: str
    start: float
    end: float

    @property
    def late_by(self) -> float:
        """Minutes after its promise; none where it is kept, or nothing was promised."""
        return 0.0 if self.task.promised is None else max(0.0, self.end - self.task.promised)


@dataclass(frozen=True)
class Move:
    """What would let a late job be ready in time: another one later, or this one by somebody else."""

    late: int
    put_off: int | None = None
    give_to: int | None = None


@dataclass(frozen=True)
class DayPlan:
    """Every job in its slot, in the order in which they were placed; the jobs that find none, each with the reason
    ("person", "place" or "time"); what could be moved; and the late jobs for which that was looked at to the end."""

    slots: tuple[Slot, ...]
    without: Mapping[int, str]
    moves: tuple[Move, ...] = ()
    looked_at: frozenset[int] = frozenset()

    @property
    def late(self) -> tuple[Slot, ...]:
        """The slots that end after their promise, the latest first."""
        return tuple(sorted((slot for slot in self.slots if slot.late_by > 0), key=lambda slot: -slot.late_by))

    def of(self, task: int) -> Slot | None:
        return next((slot for slot in self.slots if slot.task.id == task), None)


#: So many other plans are tried to find what could be moved.
MOST_TRIED = 60


def in_order(tasks: Iterable[Task]) -> list[Task]:
    """Earliest promise first; what nobody waits for afterwards, the longest there first."""
    return sorted(tasks, key=lambda t: (t.promised is None, t.promised or 0.0, t.since, t.id))


def plan_day(
    tasks: Sequence[Task], workers: Sequence[Worker], places: Sequence[WorkPlace], *, moving: bool = True
) -> DayPlan:
    """Plan the jobs; moving : and say what could be moved where some are late.

    Without any place named, places are not what is short.

    >>> people = (Worker(1, skill=2, there=((0, 240), (300, 540))),)
    >>> brakes, fluid = Task(1, 120, promised=540), Task(2, 60, promised=60)
    >>> plan = plan_day([brakes, fluid], people, [WorkPlace("lift")])
    >>> [(slot.task.id, float(slot.start), float(slot.end)) for slot in plan.slots]
    [(2, 0.0, 60.0), (1, 60.0, 180.0)]
    >>> plan_day([Task(1, 60, skill=3)], people, []).without
    {1: 'person'}
    """
    plan = place_in_order(in_order(tasks), workers, places)
    if not moving:
        return plan
    moves, looked_at = _moves(plan, tasks, workers, places)
    return replace(plan, moves=moves, looked_at=looked_at)


def place_in_order(tasks: Sequence[Task], workers: Sequence[Worker], places: Sequence[WorkPlace]) -> DayPlan:
    """Place jobs one after the other, each where it ends first with those that are placed already."""
    people = [_Person(worker) for worker in workers]
    taken: dict[str, list[Span]] = {place.name: [] for place in places}
    slots: list[Slot] = []
    without: dict[int, str] = {}
    for task in tasks:
        able = [one for one in people if one.worker.skill >= task.skill and task.who in (None, one.worker.id)]
        fit = [p.name for p in places if task.place == p.name or (not task.place and p.lift >= task.lift)]
        if not able or (places and not fit):
            without[task.id] = "place" if able else "person"
            continue
        spots = [(name, taken[name]) for name in fit] if places else [(task.place, [])]
        best: Slot | None = None
        for one in able:
            found = one.earliest(task, spots, before=best.end if best else math.inf)
            if found and (best is None or (found.end, found.start) < (best.end, best.start)):
                best = found
        if best is None:
            without[task.id] = "time"
            continue
        slots.append(best)
        next(one for one in people if one.worker.id == best.who).take(best)
        if places:
            insort(taken[best.place], (best.start, best.end))
    return DayPlan(tuple(slots), without)


class _Person:
    """A person with the spans that are not given to a job yet, and the minutes of presence up to each of theirs."""

    def __init__(self, worker: Worker) -> None:
        self.worker = worker
        self.starts = [start for start, _ in worker.there]
        self.before = [0.0, *accumulate(end - start for start, end in worker.there)]
        self.gaps: list[Span] = [(self.starts[0], worker.there[-1][1])] if worker.there else []

    def take(self, slot: Slot) -> None:
        """Give a span to a job."""
        number = next(n for n, (start, end) in enumerate(self.gaps) if start <= slot.start and slot.end <= end)
        start, end = self.gaps[number]
        left = [(start, slot.start), (slot.end, end)]
        self.gaps[number : number + 1] = [gap for gap in left if gap[0] < gap[1]]

    def earliest(self, task: Task, spots: Sequence[tuple[str, Sequence[Span]]], before: float) -> Slot | None:
        """The first slot for a job in which the person is free and one of some places is, if it ends in time."""
        for start, end in self.gaps:
            if end <= task.not_before:
                continue
            if start >= before:
                return None
            found = [
                Slot(task, self.worker.id, name, *span)
                for name, taken in spots
                if (span := self._within(task, max(start, task.not_before), end, taken))
            ]
            if found:
                return min(found, key=lambda slot: (slot.end, slot.start))
        return None

    def _within(self, task: Task, moment: float, end: float, taken: Sequence[Span]) -> Span | None:
        """The first span from a moment on, up to an end, in which a place is free."""
        while True:
            start = self._present(moment)
            done = None if start is None else self._ended(start, task.minutes)
            if start is None or done is None or done > end:
                return None
            clash = next((stop for begin, stop in taken if begin < done and start < stop), None)
            if clash is None:
                return start, done
            moment = clash

    def _present(self, moment: float) -> float | None:
        """The first moment from this one on at which the person is there."""
        number = bisect_right(self.starts, moment) - 1
        if number >= 0 and moment < self.worker.there[number][1]:
            return moment
        return self.starts[number + 1] if number + 1 < len(self.starts) else None

    def _ended(self, start: float, minutes: float) -> float | None:
        """When work that begins while the person is there is done, over the times at which they are away."""
        number = bisect_right(self.starts, start) - 1
        wanted = self.before[number] + start - self.starts[number] + minutes
        last = bisect_left(self.before, wanted) - 1
        return self.starts[last] + wanted - self.before[last] if last < len(self.starts) else None


def _moves(
    plan: DayPlan, tasks: Sequence[Task], workers: Sequence[Worker], places: Sequence[WorkPlace]
) -> tuple[tuple[Move, ...], frozenset[int]]:
    """For each late job, the least that would let it be ready in time without making another late.

    First somebody else for it, where it is one person's; then another job put off that is in its way: the shortest
    that is enough. Also the late jobs for which everything of that was tried.
    """
    out: list[Move] = []
    late = {slot.task.id for slot in plan.late}
    looked_at: set[int] = set()
    left = MOST_TRIED
    for slot in plan.late:
        ways = _ways(slot, plan, tasks)
        for move, instead in ways[:left]:
            other = place_in_order(in_order(instead), workers, places)
            left -= 1
            if _cured(other, slot.task.id, {one for one in late if one != move.put_off}):
                moved = other.of(slot.task.id)
                out.append(replace(move, give_to=moved.who) if move.put_off is None and moved else move)
                looked_at.add(slot.task.id)
                break
        else:
            if left > 0:
                looked_at.add(slot.task.id)
    return tuple(out), frozenset(looked_at)


def _ways(late: Slot, plan: DayPlan, tasks: Sequence[Task]) -> list[tuple[Move, list[Task]]]:
    """What could be tried for a late job, the least first, each with the jobs as they would be then."""
    task = late.task
    ways: list[tuple[Move, list[Task]]] = []
    if task.who is not None:
        ways.append((Move(task.id), [replace(t, who=None) if t.id == task.id else t for t in tasks]))
    in_its_way = (
        slot.task
        for slot in plan.slots
        if slot.task.id != task.id
        and slot.start < late.end
        and (slot.who == late.who or (slot.place and slot.place == late.place))
    )
    ways += [
        (Move(task.id, put_off=other.id), [t for t in tasks if t.id != other.id])
        for other in sorted(in_its_way, key=lambda t: (t.minutes, t.id))
    ]
    return ways


def _cured(plan: DayPlan, task: int, late: set[int]) -> bool:
    """Whether a job is in time in a plan in which nothing else is late that was not before."""
    slot = plan.of(task)
    return slot is not None and not slot.late_by and {s.task.id for s in plan.late} <= late
