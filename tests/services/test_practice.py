"""Practice in the database: each person's own runs, nothing of them among the jobs, and a lead who sees and sets."""

from __future__ import annotations

import datetime
from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.practice.acts import Act
from mesotrope.core.practice.judged import Commitment
from mesotrope.core.practice.numbers import meaning_of
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.errors import InvalidInput, NotAllowed, NotFound, NotNow, Unchangeable
from mesotrope.knowledge import knowledge
from mesotrope.services.closed_cases import closed_jobs
from mesotrope.services.figures import closed_figures
from mesotrope.services.jobs import take_in
from mesotrope.services.outcomes import note_outcome, outcomes_in
from mesotrope.services.practice import commit, do_act, run_of, runs_of, start_run
from mesotrope.services.practice_progress import (
    fresh_number,
    learners,
    number_of_the_week,
    progress_of,
    set_for,
    set_vehicle,
    vehicles_found,
)
from mesotrope.store.practice_tables import PracticeAct
from mesotrope.store.tables import Base

KNOWN = knowledge()
LEFT, RIGHT = Corner.FRONT_LEFT, Corner.FRONT_RIGHT
HOSE = Commitment(frozenset({(RIGHT, "hose_restricted")}), frozenset({(RIGHT, "replace_hose")}), True)

#: Tables that practice may write to.
OWN = ("practice_runs", "practice_acts", "practice_set", "done_once")


def everything_else(database, workshop_id):
    """Every row of every table that a workshop has, but for those of practice."""
    out = {}
    with database.engine.connect() as connection:
        for table in Base.metadata.sorted_tables:
            if "workshop_id" in table.c and table.name not in OWN:
                rows = connection.execute(select(table).where(table.c.workshop_id == workshop_id))
                out[table.name] = sorted(repr(tuple(row)) for row in rows)
    return out


def worked(database, who, clock, number=2, commitment=HOSE, acts=()):
    run = start_run(database, KNOWN, number, False, by=who, now=clock())
    for act in (Act("press"), Act("test", "spin", RIGHT), *acts):
        do_act(database, KNOWN, run, act, by=who, now=clock())
    commit(database, KNOWN, run, commitment, by=who, now=clock())
    return run


def test_a_run_is_its_acts_and_is_found_again(database, someone, clock):
    apprentice = someone(role="apprentice")
    run = start_run(database, KNOWN, 2, False, by=apprentice, now=clock())
    acts = [Act("press"), Act("test", "spin", RIGHT), Act("hint", "next"), Act("test", "fluid_level", VEHICLE)]
    for act in acts:
        do_act(database, KNOWN, run, act, by=apprentice, now=clock())
    found = run_of(database, run, by=apprentice)
    assert list(found.acts) == acts
    bay = found.bay(KNOWN)
    assert bay.clock == 0.5 + 1 + 0 + 1
    assert bay.findings[RIGHT, "spin.turns"] == 0.75


def test_a_double_tap_is_one_act_and_the_same_test_twice_is_refused(database, someone, clock):
    apprentice = replace(someone(role="apprentice"), key="a-tap-of-a-glove")
    run = start_run(database, KNOWN, 2, False, by=replace(apprentice, key=""), now=clock())
    for _ in range(2):
        do_act(database, KNOWN, run, Act("test", "noise", LEFT), by=apprentice, now=clock())
    assert len(run_of(database, run, by=apprentice).acts) == 1
    with pytest.raises(NotNow, match="it is made"):
        do_act(database, KNOWN, run, Act("test", "noise", LEFT), by=replace(apprentice, key=""), now=clock())


def test_what_cannot_be_done_leaves_nothing_behind(database, someone, clock):
    apprentice = someone(role="apprentice")
    run = start_run(database, KNOWN, 2, False, by=apprentice, now=clock())
    with pytest.raises(NotNow, match="spin the wheel first"):
        do_act(database, KNOWN, run, Act("test", "bleeder_opened", RIGHT), by=apprentice, now=clock())
    for number in (0, 47119):
        with pytest.raises(InvalidInput, match="no vehicle has it"):
            start_run(database, KNOWN, number, False, by=apprentice, now=clock())
    with pytest.raises(InvalidInput, match="a corner that this vehicle has"):
        commit(database, KNOWN, run, Commitment(frozenset({(Corner.REAR, "booster_weak")}), frozenset(), True),
               by=apprentice, now=clock())  # fmt: skip
    assert run_of(database, run, by=apprentice).acts == ()
    assert len(runs_of(database, apprentice.person_id, by=apprentice)) == 1


def test_when_it_is_committed_it_is_over(database, someone, clock):
    apprentice = someone(role="apprentice")
    run = worked(database, apprentice, clock)
    over = run_of(database, run, by=apprentice)
    assert over.commitment == HOSE
    assert over.result["grades"]["fault:hose_restricted"] == 3
    assert over.result["points"] <= 100
    for change in (
        lambda: do_act(database, KNOWN, run, Act("press"), by=apprentice, now=clock()),
        lambda: commit(database, KNOWN, run, HOSE, by=apprentice, now=clock()),
    ):
        with pytest.raises(NotNow, match="this run is over"):
            change()


def test_acts_are_only_ever_written(database, someone, clock):
    apprentice = someone(role="apprentice")
    run = start_run(database, KNOWN, 2, False, by=apprentice, now=clock())
    do_act(database, KNOWN, run, Act("press"), by=apprentice, now=clock())
    with database.of_workshop(apprentice.workshop_id) as session, pytest.raises(Unchangeable), session.begin():
        session.get(PracticeAct, (run, 0)).act = {"kind": "press", "what": "", "place": "front_left"}


@settings(deadline=None, max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_nothing_of_practice_reaches_jobs_figures_learning_or_sheets(database, someone, clock, data):
    """A property over the store: whatever is done in practice, no other table of the workshop has another row."""
    lead = someone(role="lead")
    take_in(database, KNOWN, label="A real one", kind="car", registration="", odometer_km=1000.0, usage="",
            complaint="drags", by=lead, now=clock())  # fmt: skip
    before = everything_else(database, lead.workshop_id)
    number = data.draw(st.sampled_from([1, 2, 5, 9, 10, 471112, 471131]))
    run = start_run(database, KNOWN, number, data.draw(st.booleans()), by=lead, now=clock())
    for _ in range(data.draw(st.integers(0, 8))):
        bay = run_of(database, run, by=lead).bay(KNOWN)
        can = [(place, test) for place, test in bay.tests() if not bay.why_not(place, test)]
        place, test = data.draw(st.sampled_from(can))
        act = data.draw(st.sampled_from([Act("test", test.finding, place), Act("press"), Act("hint", "next")]))
        do_act(database, KNOWN, run, act, by=lead, now=clock())
    if data.draw(st.booleans()):
        commit(database, KNOWN, run, Commitment(frozenset(mystery_of(number, KNOWN).truth), frozenset(), False),
               by=lead, now=clock())  # fmt: skip
    set_vehicle(database, KNOWN, lead.person_id, number, "again", by=lead, now=clock())
    progress_of(database, KNOWN, lead.person_id, by=lead, now=clock())
    assert everything_else(database, lead.workshop_id) == before
    with database.of_workshop(lead.workshop_id) as session:
        assert closed_jobs(session, KNOWN) == []
        assert outcomes_in(session, []) == {}
    assert closed_figures(database, by=lead) == ([], 0)


def test_a_run_is_ones_own_and_a_lead_looks_but_does_not_work_it(database, someone, clock):
    lead = someone(role="lead")
    apprentice = someone(role="apprentice", workshop=lead.workshop)
    other = someone(role="technician", workshop=lead.workshop)
    elsewhere = someone(role="lead")
    run = start_run(database, KNOWN, 2, False, by=apprentice, now=clock())
    assert run_of(database, run, by=lead).person == apprentice.name
    for who in (other, elsewhere):
        with pytest.raises(NotFound):
            run_of(database, run, by=who)
    for who in (lead, other, elsewhere):
        with pytest.raises(NotFound):
            do_act(database, KNOWN, run, Act("press"), by=who, now=clock())
    for ask in (runs_of, set_for):
        with pytest.raises(NotAllowed):
            ask(database, apprentice.person_id, by=other)
    with pytest.raises(NotAllowed):
        progress_of(database, KNOWN, apprentice.person_id, by=other, now=clock())
    with pytest.raises(NotFound):
        progress_of(database, KNOWN, apprentice.person_id, by=elsewhere, now=clock())


def test_progress_comes_from_what_was_committed_to_and_chooses_what_was_missed(database, someone, clock):
    apprentice = someone(role="apprentice")
    fresh = progress_of(database, KNOWN, apprentice.person_id, by=apprentice, now=clock())
    assert (fresh.done, fresh.standing) == (0, {})
    missed = Commitment(frozenset({(RIGHT, "piston_not_releasing")}), frozenset(), True)
    worked(database, apprentice, clock, commitment=missed)
    clock.at += datetime.timedelta(days=3)
    later = progress_of(database, KNOWN, apprentice.person_id, by=apprentice, now=clock())
    assert later.done == 1
    assert later.standing["fault:hose_restricted"].last == 1
    assert later.next_key in later.standing
    assert later.standing[later.next_key].is_due(clock())
    meaning_of(later.next_number, KNOWN.practice)


def test_a_lead_sets_vehicles_and_sees_whether_they_were_worked(database, someone, clock):
    lead = someone(role="lead")
    apprentice = someone(role="apprentice", workshop=lead.workshop)
    set_vehicle(database, KNOWN, apprentice.person_id, 2, "hose or piston", by=lead, now=clock())
    assert [(one.number, one.by, one.run_id) for one in set_for(database, apprentice.person_id, by=apprentice)] == [
        (2, lead.name, None)
    ]
    clock.forward(5)
    run = worked(database, apprentice, clock)
    (given_,) = set_for(database, apprentice.person_id, by=lead)
    assert (given_.run_id, given_.over) == (run, True)
    assert [(one.name, one.done) for one in learners(database, by=lead)] == sorted(
        [(lead.name, 0), (apprentice.name, 1)]
    )
    with pytest.raises(NotAllowed):
        set_vehicle(database, KNOWN, apprentice.person_id, 2, "", by=apprentice, now=clock())
    with pytest.raises(NotFound):
        set_vehicle(database, KNOWN, someone().person_id, 2, "", by=lead, now=clock())
    with pytest.raises(InvalidInput, match="at most 200 characters"):
        set_vehicle(database, KNOWN, apprentice.person_id, 2, "x" * 201, by=lead, now=clock())


def test_a_fresh_number_is_one_that_this_person_has_not_had(database, someone, clock):
    apprentice = someone(role="apprentice")
    had = set()
    for _ in range(3):
        number = fresh_number("car", "one_fault", KNOWN, by=apprentice, database=database)
        assert number not in had
        had.add(number)
        start_run(database, KNOWN, number, False, by=apprentice, now=clock())
    with pytest.raises(InvalidInput, match="allowed: car, light truck, motorcycle"):
        fresh_number("boat", "one_fault", KNOWN, by=apprentice, database=database)


def test_the_vehicle_of_the_week_is_one_for_everybody_and_another_next_week():
    monday = datetime.date(2026, 11, 23)
    week = {number_of_the_week(monday + datetime.timedelta(days=n), KNOWN) for n in range(7)}
    assert len(week) == 1
    year = {number_of_the_week(monday + datetime.timedelta(weeks=n), KNOWN) for n in range(52)}
    assert len(year) == 52
    kinds = {meaning_of(number, KNOWN.practice).difficulty for number in year}
    assert kinds == set(KNOWN.practice.difficulties)


def test_a_closed_job_gives_its_kind_and_faults_and_nothing_else(database, someone, clock):
    lead = someone(role="lead")
    job = take_in(database, KNOWN, label="Plain Roadster", kind="light_truck", registration="0-KNOWN-1",
                  odometer_km=1234.0, usage="", complaint="Mrs Telling: it drags", by=lead, now=clock())  # fmt: skip
    found = {LEFT: ("hose_restricted",), VEHICLE: ()}
    note_outcome(database, KNOWN, job, found, "seen", "", by=lead, now=clock(), close=True)
    (told,) = vehicles_found(database, KNOWN, by=lead)
    assert (told.kind, told.faults) == ("light_truck", ((LEFT, "hose_restricted"),))
    assert "Roadster" not in repr(told)
    with pytest.raises(NotAllowed):
        vehicles_found(database, KNOWN, by=someone(role="technician", workshop=lead.workshop))
