"""Changes are done once under their key, and again only where the database asked for it."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import pymysql
import pytest
from prometheus_client import REGISTRY
from sqlalchemy import func, select
from sqlalchemy.exc import OperationalError

from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge
from mesotrope.services.again import TRIES, UNDONE_BY_THE_SERVER, again
from mesotrope.services.finding import find
from mesotrope.services.jobs import take_in
from mesotrope.services.once import token_for
from mesotrope.services.outcomes import note_outcome, take_comeback_in
from mesotrope.services.owner_links import links_of, make_link
from mesotrope.services.owners import Contact
from mesotrope.services.passwords import whose_link
from mesotrope.services.people import add_colleague, add_person
from mesotrope.services.records import keep_record, records_of
from mesotrope.store.tables import Job, Vehicle


def _take_in(database, clock, who, plate="K 1", label="Grey van", key="", owner=None):
    return take_in(
        database, knowledge(), label=label, kind="car", registration=plate, odometer_km=None, usage="", complaint="",
        confirmed=True, owner=owner, by=replace(who, key=key), now=clock(),
    )  # fmt: skip


def _count(database, who, table):
    with database.of_workshop(who.workshop_id) as session:
        return session.scalar(select(func.count()).select_from(table))


def test_a_retry_under_the_same_key_makes_no_second_job(database, someone, clock):
    who = someone()
    first = _take_in(database, clock, who, key="take-in-key-1")
    clock.forward(1)
    assert _take_in(database, clock, who, key="take-in-key-1") in (first,)
    assert _count(database, who, Job) == 1
    assert _take_in(database, clock, who, key="take-in-key-2") != first


def test_the_same_key_at_once_makes_one_job(database, someone, clock):
    who = someone()
    with ThreadPoolExecutor(8) as crowd:
        jobs = set(crowd.map(lambda _: _take_in(database, clock, who, key="double-tap-1"), range(8)))
    assert len(jobs) == 1
    assert _count(database, who, Job) == 1


def test_two_people_taking_in_one_new_plate_at_once_make_one_vehicle(database, someone, clock):
    who = someone()
    with ThreadPoolExecutor(8) as crowd:
        jobs = list(crowd.map(lambda number: _take_in(database, clock, who, "K-77", f"Van {number}"), range(8)))
    assert len(set(jobs)) == 8
    assert _count(database, who, Vehicle) == 1


def test_vehicles_taken_in_at_once_do_not_undo_one_another(database, someone, clock):
    """A deadlock is survived by doing it again, but not for ever: a crowd at the door must not make one at all."""
    who = someone()
    before = _done_again()
    with ThreadPoolExecutor(8) as crowd:
        owners = (Contact(name=f"Owner {number}", telephone=f"0100 {number}") for number in range(10, 50))
        jobs = list(crowd.map(lambda owner: _take_in(database, clock, who, owner.name, owner=owner), owners))
    assert len(set(jobs)) == _count(database, who, Vehicle) == 40
    assert _done_again() == before
    assert len(find(database, "owner 17", by=who).vehicles) == 1


def test_of_people_who_are_given_one_sign_in_name_at_once_one_has_it_and_the_others_are_told(database, someone):
    workshop = someone().workshop_id

    def add(number):
        try:
            return add_person(database, workshop, "at-once", f"Person {number}", "lead", "-")
        except InvalidInput as refused:
            return str(refused)

    with ThreadPoolExecutor(8) as crowd:
        answers = list(crowd.map(add, range(8)))
    assert sum(isinstance(answer, int) for answer in answers) == 1
    assert all("it is taken; choose another" in answer for answer in answers if isinstance(answer, str))


def _done_again():
    """How many transactions the server undid for others' sake so far."""
    counted = (
        REGISTRY.get_sample_value("mesotrope_done_again_total", {"number": str(one)}) for one in UNDONE_BY_THE_SERVER
    )
    return sum(one or 0 for one in counted)


def test_a_key_that_comes_again_with_something_else_is_refused_not_swallowed(database, someone, clock):
    who = someone()
    job = _take_in(database, clock, who, key="reused-key-1")
    with pytest.raises(InvalidInput, match="it was used for another change"):
        _take_in(database, clock, who, label="Another van", key="reused-key-1")
    keyed = replace(who, key="reused-key-2")
    keep_record(database, job, "tick", "pump", True, by=keyed, now=clock())
    with pytest.raises(InvalidInput, match="it was used for another change"):
        keep_record(database, job, "tick", "pump", None, by=keyed, now=clock())
    assert [record.value for record in records_of(database, job, by=who)] == [True]


def test_somebody_elses_key_is_refused_and_another_workshops_is_nobodys(database, someone, clock):
    who = someone()
    colleague, stranger = someone(workshop=who.workshop), someone()
    _take_in(database, clock, who, key="mine-alone-1")
    with pytest.raises(InvalidInput, match="it was used for another change"):
        _take_in(database, clock, colleague, key="mine-alone-1")
    assert _take_in(database, clock, stranger, key="mine-alone-1")


@pytest.mark.parametrize("key", ["short", "x" * 65])
def test_a_key_that_cannot_be_one(database, someone, clock, key):
    with pytest.raises(InvalidInput, match="8 to 64 characters"):
        _take_in(database, clock, someone(), key=key)


def test_outcomes_comebacks_and_records_are_kept_once_under_their_key(database, someone, clock):
    who = someone()
    job, keyed = _take_in(database, clock, who), replace(who, key="once-for-each-1")
    for _ in range(3):
        note_outcome(database, knowledge(), job, {"rear_left": ["hose_restricted"]}, "seen", by=keyed, now=clock())
    assert len(records_of(database, job, by=who)) == 1
    keyed = replace(who, key="once-for-each-2")
    assert len({take_comeback_in(database, job, "hot again", by=keyed, now=clock()) for _ in range(3)}) == 1
    keyed = replace(who, key="once-for-each-3")
    for _ in range(3):
        keep_record(database, job, "tick", "pump", True, by=keyed, now=clock())
    assert [record.kind for record in records_of(database, job, by=who)] == ["found", "tick"]


def test_a_link_and_a_person_are_made_once_and_the_retry_gets_the_same_link(database, someone, clock):
    lead = someone(role="lead")
    job, keyed = _take_in(database, clock, lead), replace(lead, key="link-once-1")
    first, second = (make_link(database, job, by=keyed, now=clock()) for _ in range(2))
    assert first == second
    assert len(links_of(database, job, by=lead, now=clock())) == 1
    assert make_link(database, job, by=replace(lead, key="link-once-2"), now=clock()) != first
    keyed = replace(lead, key="person-once-1")
    tokens = {add_colleague(database, f"once-{job}", "Once", "lead", by=keyed, now=clock()) for _ in range(2)}
    assert len(tokens) == 1
    assert whose_link(database, tokens.pop(), now=clock()) == f"once-{job}"
    stranger = someone(role="lead")
    with pytest.raises(InvalidInput, match="it is taken"):
        add_colleague(database, f"once-{job}", "Twice", "lead", by=stranger, now=clock())


def test_nobody_else_can_make_the_token_of_a_link(someone):
    lead, other = someone(role="lead"), someone(role="lead")
    keyed = [replace(who, key="the-same-key") for who in (lead, other)]
    assert len({token_for("owner link", who) for who in keyed}) == 2
    assert len({token_for(what, keyed[0]) for what in ("owner link of job 1", "owner link of job 2")}) == 2
    assert token_for("x", lead) != token_for("x", lead)  # without a key each is another


def test_the_same_record_again_is_no_other_and_another_value_is(database, someone, clock):
    who = someone()
    colleague = someone(workshop=who.workshop)
    job = _take_in(database, clock, who)

    def keep(value, by=who, note=""):
        keep_record(database, job, "after", "system/pedal_hold", value, by=by, now=clock(), note=note)

    for value in ("holds", "holds", "sinks", "holds", None, None):
        keep(value)
    keep(None, note="a reason")
    keep(None, by=colleague, note="a reason")
    kept = [(record.value, record.note, record.by) for record in records_of(database, job, by=who)]
    values = [("holds", ""), ("sinks", ""), ("holds", ""), (None, ""), (None, "a reason")]
    assert kept == [*((*one, who.name) for one in values), (None, "a reason", colleague.name)]


def _undone(code):
    return OperationalError("update", {}, pymysql.OperationalError(code, "undone"))


@pytest.mark.parametrize("code", [1213, 1205])
def test_what_the_server_undid_for_others_sake_is_done_again(code):
    left = [_undone(code)] * (TRIES - 1)

    def work():
        if left:
            raise left.pop()
        return "done"

    assert again(work) == "done"


def test_what_failed_for_another_reason_or_too_often_is_not(database):
    tries = []

    def work(code):
        tries.append(code)
        raise _undone(code)

    for code, most in ((2013, 1), (1213, TRIES)):
        tries.clear()
        with pytest.raises(OperationalError):
            again(lambda code=code: work(code))
        assert len(tries) == most
