"""A closed job takes nothing more; who closes it, and who opens it again, is kept."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mesotrope.core.language.corner import Corner
from mesotrope.errors import Clash, JobClosed, NotAllowed
from mesotrope.knowledge import knowledge
from mesotrope.services.audit import trail_of
from mesotrope.services.exchange import import_figures
from mesotrope.services.findings import record_finding, undo_last_entry
from mesotrope.services.jobs import describe, take_in
from mesotrope.services.outcomes import close_job, note_outcome, open_again, take_comeback_in
from mesotrope.services.owner_links import make_link
from mesotrope.services.photographs import add_photograph, list_photographs, remove_photograph
from mesotrope.services.plans import overrule_verdict
from mesotrope.services.records import keep_record, records_of
from scripts.campaign.surroundings import picture

CORNER = Corner("front_left")


def _enter(database, who, job, clock, key, value="3.0", **more):
    return record_finding(
        database, knowledge(), job, CORNER, "pad_mm.inner.lead_rim", value, by=who, now=clock(), idempotency_key=key,
        **more,
    )  # fmt: skip


@pytest.fixture
def closed(database, someone, clock):
    """A technician, and a job of theirs with an entry and a picture that is closed."""
    who = someone()
    job = take_in(
        database, knowledge(), label="Red van", kind="car", registration="", odometer_km=None, usage="", complaint="",
        by=who, now=clock(),
    )  # fmt: skip
    _enter(database, who, job, clock, "before-closing")
    add_photograph(database, job, CORNER, "look", picture(), by=who, now=clock())
    close_job(database, job, by=who, now=clock())
    return who, job


TRIES = {
    "entry": lambda d, who, job, c: _enter(d, who, job, c, "after-closing"),
    "undo": lambda d, who, job, c: undo_last_entry(
        d, knowledge(), job, by=who, now=c(), idempotency_key="undo-after-closing"
    ),
    "tick": lambda d, who, job, c: keep_record(d, job, "tick", "pump", True, by=who, now=c()),
    "signature": lambda d, who, job, c: keep_record(d, job, "signed", "", "key", by=who, now=c()),
    "outcome": lambda d, who, job, c: note_outcome(
        d, knowledge(), job, {CORNER: ["hose_restricted"]}, "seen", by=who, now=c()
    ),
    "table": lambda d, who, job, c: import_figures(
        d, job, {(CORNER, "rotor_lip_mm"): 1.0}, by=who, now=c(), batch="table-after"
    ),
    "picture": lambda d, who, job, c: add_photograph(d, job, CORNER, "look", picture((80, 60)), by=who, now=c()),
    "picture gone": lambda d, who, job, c: remove_photograph(d, job, list_photographs(d, job, by=who)[0].id, by=who),
    "visit": lambda d, who, job, c: describe(d, knowledge(), job, lambda _: (None, {"complaint": "x"}), by=who),
}


@pytest.mark.parametrize("what", TRIES)
def test_a_closed_job_takes_nothing(database, closed, clock, what):
    with pytest.raises(JobClosed, match="This job is closed and takes nothing more"):
        TRIES[what](database, *closed, clock)
    open_again(database, closed[1], by=closed[0], now=clock())
    TRIES[what](database, *closed, clock)


def test_an_entry_that_was_acknowledged_before_is_still_answered_to_its_retry(database, closed, clock):
    assert _enter(database, *closed, clock, "before-closing").repeated


def test_a_closed_job_still_comes_back_and_still_has_its_owners_sheet(database, closed, clock):
    who, job = closed
    assert take_comeback_in(database, job, "hot again", by=who, now=clock()) != job
    assert make_link(database, job, by=who, now=clock())


def test_closing_and_opening_again_are_kept_with_who_and_when_once_each(database, closed, someone, clock):
    who, job = closed
    lead = someone(role="lead", workshop=who.workshop)
    open_again(database, job, by=lead, now=clock())
    open_again(database, job, by=lead, now=clock())
    kept = [(record.kind, record.value, record.by) for record in records_of(database, job, by=who)]
    assert kept == [("closed", True, who.name), ("closed", None, lead.name)]
    acts = [(line.act, line.subject) for line in trail_of(database, by=lead)]
    assert acts == [("opened_again", f"job {job}"), ("closed", f"job {job}")]


def test_an_apprentice_neither_closes_nor_overrules(database, closed, someone, clock):
    who, job = closed
    apprentice = someone(role="apprentice", workshop=who.workshop)
    for act in (close_job, open_again):
        with pytest.raises(NotAllowed, match="technician or lead"):
            act(database, job, by=apprentice, now=clock())
    with pytest.raises(NotAllowed, match="Overruling a verdict needs the role technician or lead"):
        overrule_verdict(database, None, job, CORNER, "sound", [], "because", by=apprentice, now=clock())


def test_one_person_with_two_tablets_is_asked_like_two_people(database, closed, clock):
    who, job = closed
    open_again(database, job, by=who, now=clock())
    first, second = replace(who, device="tablet-1"), replace(who, device="tablet-2")
    seen = _enter(database, first, job, clock, "tablet-entry-1", "3.0").entry_id
    _enter(database, first, job, clock, "tablet-entry-2", "3.5", seen_entry=seen)
    with pytest.raises(Clash) as clash:
        _enter(database, second, job, clock, "tablet-entry-3", "3.7", seen_entry=seen)
    assert (clash.value.mine, clash.value.theirs, clash.value.who) == (3.7, 3.5, who.name)
    _enter(database, first, job, clock, "tablet-entry-4", "3.8", seen_entry=seen)  # one device asks itself nothing
