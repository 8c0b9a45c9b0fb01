"""The plan of a day: its laws, and small days against every order and every way of sharing them out."""

from __future__ import annotations

from itertools import permutations, product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.day.schedule import Task, Worker, WorkPlace, in_order, place_in_order, plan_day

DAY = ((480.0, 720.0), (780.0, 1020.0))


def _overlap(a, b):
    return a[0] < b[1] and b[0] < a[1]


@st.composite
def days(draw, most=6, breaks=True, skills=True, places=True):
    """A small day: some jobs, some people, some places."""
    people = [
        Worker(number, draw(st.integers(0, 2)) if skills else 0, DAY if breaks else ((0.0, 10_000.0),))
        for number in range(draw(st.integers(1, 3)))
    ]
    spots = [WorkPlace(f"lift {n}", lift=draw(st.booleans())) for n in range(draw(st.integers(0, 3)))] if places else []
    tasks = [
        Task(
            number,
            draw(st.integers(1, 300)),
            promised=draw(st.one_of(st.none(), st.integers(480, 1100))),
            since=draw(st.integers(0, 400)),
            not_before=draw(st.sampled_from([0, 0, 500, 900])) if breaks else 0,
            who=draw(st.one_of(st.none(), st.sampled_from([w.id for w in people]))) if skills else None,
            skill=draw(st.integers(0, 2)) if skills else 0,
            lift=draw(st.booleans()) if places else False,
        )
        for number in range(draw(st.integers(1, most)))
    ]
    return tasks, people, spots


@given(days())
def test_nobody_is_in_two_places_and_no_place_holds_two_vehicles(day):
    tasks, people, places = day
    slots = plan_day(tasks, people, places).slots
    for one, other in ((a, b) for a in slots for b in slots if a.task.id < b.task.id):
        same = one.who == other.who or (places and one.place == other.place)
        assert not (same and _overlap((one.start, one.end), (other.start, other.end)))


@given(days())
def test_every_job_is_in_the_plan_or_said_not_to_be_with_a_reason(day):
    tasks, people, places = day
    plan = plan_day(tasks, people, places)
    assert {slot.task.id for slot in plan.slots} | set(plan.without) == {task.id for task in tasks}
    assert not {slot.task.id for slot in plan.slots} & set(plan.without)
    for number, why in plan.without.items():
        task = tasks[number]
        able = [w for w in people if w.skill >= task.skill and task.who in (None, w.id)]
        fit = [p for p in places if p.lift >= task.lift]
        assert why == ("person" if not able else "place" if places and not fit else "time")


@given(days())
def test_a_job_takes_its_minutes_while_its_person_is_there_and_no_others(day):
    tasks, people, places = day
    there = {worker.id: worker.there for worker in people}
    skill = {worker.id: worker.skill for worker in people}
    for slot in plan_day(tasks, people, places).slots:
        worked = sum(max(0.0, min(end, slot.end) - max(start, slot.start)) for start, end in there[slot.who])
        assert worked == pytest.approx(slot.task.minutes)
        assert slot.start >= slot.task.not_before
        assert skill[slot.who] >= slot.task.skill
        assert slot.task.who in (None, slot.who)


@given(days())
def test_the_plan_is_the_same_however_the_jobs_are_listed(day):
    tasks, people, places = day
    assert plan_day(list(reversed(tasks)), people, places).slots == plan_day(tasks, people, places).slots


@given(days(skills=False, places=False, breaks=False, most=5))
def test_no_order_of_one_persons_jobs_makes_the_latest_less_late(day):
    """Jackson's rule, against every order."""
    tasks, people, _ = day
    tasks = [Task(t.id, t.minutes, promised=t.promised if t.promised is not None else 10_000) for t in tasks]

    def latest(order):
        return max(slot.end - slot.task.promised for slot in place_in_order(order, people[:1], []).slots)

    assert latest(in_order(tasks)) == min(latest(order) for order in permutations(tasks))


@given(days(skills=False, places=False, breaks=False, most=5))
def test_with_several_people_the_latest_is_at_most_a_job_later_than_it_has_to_be(day):
    """Every way of sharing the jobs out, each person in the order of promises: the best of them, and a longest job."""
    tasks, people, _ = day
    tasks = [Task(t.id, t.minutes, promised=t.promised if t.promised is not None else 10_000) for t in tasks]
    planned = max(slot.end - slot.task.promised for slot in plan_day(tasks, people, []).slots)
    best = min(
        max(_latest_alone([t for t, who in zip(tasks, shared, strict=True) if who == w.id]) for w in people)
        for shared in product([w.id for w in people], repeat=len(tasks))
    )
    longest = max(task.minutes for task in tasks)
    assert best <= planned <= best + longest * (1 - 1 / len(people)) + 1e-9


def _latest_alone(tasks):
    """How late the latest of one person's jobs is, in the order of their promises."""
    end, latest = 0.0, -1e9
    for task in sorted(tasks, key=lambda t: t.promised):
        end += task.minutes
        latest = max(latest, end - task.promised)
    return latest


@given(days(most=5))
def test_what_it_says_to_move_helps_and_makes_nothing_else_late(day):
    tasks, people, places = day
    plan = plan_day(tasks, people, places)
    late = {slot.task.id for slot in plan.late}
    for move in plan.moves:
        if move.put_off is not None:
            changed = [task for task in tasks if task.id != move.put_off]
        else:
            changed = [Task(**{**t.__dict__, "who": move.give_to if t.id == move.late else t.who}) for t in tasks]
        after = {slot.task.id for slot in plan_day(changed, people, places).late}
        assert move.late in late
        assert move.late not in after


def test_a_morning_worked_out_by_hand():
    """Common practice, on paper: two technicians and one lift, a car promised for ten, one for noon, one for nothing.

    The lift takes them one after the other: 8:00 to 9:00, then 9:00 to 10:30, then 10:30 to 12:00; the one without a
    promise comes last and the noon one is ready in time, so nothing is late.
    """
    two = [Worker(1, 1, DAY), Worker(2, 1, DAY)]
    ten, noon, some_day = Task(1, 60, promised=600), Task(2, 90, promised=720), Task(3, 90)
    plan = plan_day([some_day, noon, ten], two, [WorkPlace("lift")])
    assert [(slot.task.id, slot.start, slot.end) for slot in plan.slots] == [
        (1, 480, 540),
        (2, 540, 630),
        (3, 630, 720),
    ]
    assert plan.late == ()


def test_work_goes_on_after_the_break_by_the_same_person_at_the_same_place():
    plan = plan_day([Task(1, 300)], [Worker(1, 0, DAY)], [WorkPlace("lift")])
    assert (plan.slots[0].start, plan.slots[0].end) == (480, 840)  # four hours before noon, one after the break


def test_one_persons_job_is_given_to_another_before_anything_is_put_off():
    people = [Worker(1, 1, DAY), Worker(2, 1, DAY)]
    first, second = Task(1, 120, promised=600, who=1), Task(2, 120, promised=610, who=1)
    plan = plan_day([first, second], people, [])
    assert [slot.task.id for slot in plan.late] == [2]
    assert (plan.moves[0].late, plan.moves[0].give_to, plan.moves[0].put_off) == (2, 2, None)


def test_where_one_person_works_alone_the_shortest_job_that_is_enough_is_put_off():
    alone = [Worker(1, 1, DAY)]
    tasks = [Task(1, 30, promised=600), Task(2, 90, promised=600), Task(3, 60, promised=620)]
    plan = plan_day(tasks, alone, [])
    assert [(slot.task.id, slot.late_by) for slot in plan.late] == [(3, 40)]
    assert (plan.moves[0].late, plan.moves[0].put_off) == (3, 2)  # half an hour is not enough
