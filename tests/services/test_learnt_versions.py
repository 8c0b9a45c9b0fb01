"""A workshop learns from its closed jobs: versions, what is used, what is held back, a chain; nothing of another's."""

from __future__ import annotations

import json
from contextlib import nullcontext
from dataclasses import replace

import pytest
from sqlalchemy import select

from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.learning.closed import read_closed
from mesotrope.core.learning.counts import Counts
from mesotrope.core.learning.prequential import LEAST
from mesotrope.demo.closed_year import closed_case
from mesotrope.errors import InvalidInput, NotAllowed, NotFound
from mesotrope.interchange.learnt import read_learnt, write_learnt
from mesotrope.knowledge import knowledge
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services import learner, learnt_versions
from mesotrope.services.answers import Remembered
from mesotrope.services.chain import chain_of, leave_chain_out, own_counts, take_chain_in
from mesotrope.services.closed_cases import closed_jobs
from mesotrope.services.jobs import add_document
from mesotrope.services.learner import Learner, learn_all
from mesotrope.services.learning import Learnt, learn_from
from mesotrope.services.learnt_versions import (
    ask_to_learn,
    asked_workshops,
    course_of,
    is_learning,
    jobs_that_teach_nothing,
    latest_version,
    learn_in,
    version_of,
    versions_of,
)
from mesotrope.services.outcomes import close_job, note_outcome, open_again, take_comeback_in
from mesotrope.services.rule_changes import set_rules
from mesotrope.services.rules import OFF, SET_ASIDE, row_key
from mesotrope.services.signing_in import who_is
from mesotrope.store.learning_tables import TaughtCase
from mesotrope.store.tables import Workshop

REAR_LEFT = Corner("rear_left")


def closed_job(database, clock, who, number, how="seen", found=None):
    """A closed job of a simulated vehicle, with what was really wrong, or something else."""
    case = closed_case(number)
    by_place = {place: [] for place in (VEHICLE, *case["inspection"]["findings"]["corners"])}
    for one in case["found"] if found is None else found:
        by_place.setdefault(one["corner"] or VEHICLE, []).append(one["fault"])
    with database.of_workshop(who.workshop_id) as session, session.begin():
        inspection = parse_inspection(json.dumps(case["inspection"]))
        job = add_document(session, inspection, by=who.person_id, now=clock(), state="open").id
    note_outcome(database, knowledge(), job, by_place, how, by=who, now=clock(), close=True)
    return job


def learn(database, clock, who):
    return learn_in(database, knowledge(), knowledge_key(), who.workshop_id, now=clock())


def now_as(database, who):
    """The person as the next request knows them: with what their workshop's row says now."""
    with database.at_the_door() as session:
        row = session.get_one(Workshop, who.workshop_id)
        return replace(who, rules_version=row.rules_version, learnt_version=row.learnt_version)


def rows_of(database, who):
    with database.of_workshop(who.workshop_id) as session:
        return {row.job_id: row for row in session.scalars(select(TaughtCase))}


# -- what a closed job teaches --------------------------------------------------------------------------------------


def test_a_closed_job_becomes_a_closed_case_without_names_and_knows_what_is_not_known(database, someone, clock):
    who = someone("lead")
    job = closed_job(database, clock, who, 3)
    open_again(database, job, by=who, now=clock())
    note_outcome(database, knowledge(), job, {REAR_LEFT: ["worn_out_normally"]}, "cured", by=who, now=clock())
    note_outcome(database, knowledge(), job, {"front_left": []}, "guessed", by=who, now=clock())
    note_outcome(database, knowledge(), job, {"front_right": None}, "seen", by=who, now=clock())
    with database.of_workshop(who.workshop_id) as session, session.begin():
        assert closed_jobs(session, knowledge()) == []  # it is open again
    close_job(database, job, by=who, now=clock())
    with database.of_workshop(who.workshop_id) as session, session.begin():
        (line,) = [one.line for one in closed_jobs(session, knowledge())]
    case, document = read_closed(line, knowledge()), json.loads(line)
    assert case.known == {VEHICLE, REAR_LEFT, Corner("rear_right")}
    assert case.at(REAR_LEFT) == set()  # merely worn is no fault
    assert not {"label", "registration", "vin"} & document["inspection"]["vehicle"].keys()
    assert "complaint" not in document["inspection"]["visit"]
    assert document["certain"] == "cured"


def test_a_person_who_only_guesses_teaches_nothing(database, someone, clock):
    who = someone("lead")
    closed_job(database, clock, who, 1, how="guessed")
    assert learn(database, clock, who).counts == Counts()
    assert rows_of(database, who) == {}
    assert jobs_that_teach_nothing(database, by=who) == 1


def test_a_run_counts_what_the_command_line_counts_and_a_second_run_finds_nothing_new(database, someone, clock):
    who = someone("lead")
    jobs = [closed_job(database, clock, who, number) for number in range(4)]
    version = learn(database, clock, who)
    with database.of_workshop(who.workshop_id) as session, session.begin():
        lines = [one.line for one in closed_jobs(session, knowledge())]
    by_command = learn_from(lines).counts
    assert by_command.cases == 4
    for fault, pair in by_command.there.items():
        assert version.counts.there[fault] == pytest.approx(pair)
    for table, rows in by_command.rows.items():
        for row, seen in rows.items():
            assert version.counts.rows[table][row] == pytest.approx(seen)
    for figure, told in by_command.figures.items():
        assert version.counts.figures[figure] == pytest.approx(told)
    assert (version.number, version.own_cases, version.held) == (1, 4, 0)
    assert version.standing.because == f"too few closed cases: 4 of at least {LEAST}"
    assert now_as(database, who).learnt_version == 0  # it does not lead, so the product's tables answer
    assert learn(database, clock, who) is None
    assert len(versions_of(database, by=who)) == 1
    assert list(rows_of(database, who)) == jobs


def test_a_comeback_takes_back_what_its_earlier_job_taught_and_no_other(database, someone, clock):
    who = someone("lead")
    kept = closed_job(database, clock, who, 0)
    hose = [{"corner": "rear_left", "fault": "hose_restricted"}]
    job = closed_job(database, clock, who, 1, how="cured", found=hose)
    before = learn(database, clock, who)
    assert before.counts.there["hose_restricted"][0] == 1
    back = take_comeback_in(database, job, "hot again", by=who, now=clock())
    after = learn(database, clock, who)
    assert after.counts.there["hose_restricted"][0] == 0
    note_outcome(database, knowledge(), back, {REAR_LEFT: ["piston_not_releasing"]}, "seen", by=who, now=clock())
    again = learn(database, clock, who)
    assert again.counts.there["piston_not_releasing"][0] == before.counts.there["piston_not_releasing"][0] + 1
    numbers = {job_id: row.number for job_id, row in rows_of(database, who).items()}
    assert numbers == {kept: 0, job: 1}


# -- what is used ---------------------------------------------------------------------------------------------------


@pytest.fixture
def lenient(monkeypatch):
    """Let what was learnt lead from the first case on, so that a few are enough."""

    def leads(expert, learnt):
        told = real(expert, learnt)
        return replace(told, leads=True, because="they lead")

    real = learnt_versions.standing
    monkeypatch.setattr(learnt_versions, "standing", leads)


def test_what_leads_is_used_by_every_process_until_it_is_set_aside(database, someone, clock, lenient):
    who = someone("lead")
    for number in range(3):
        closed_job(database, clock, who, number)
    version = learn(database, clock, who)
    one, other = Remembered(knowledge()), Remembered(knowledge())
    who = now_as(database, who)
    assert who.learnt_version == version.number
    figures = one.figures(database, who)
    used = one.known(figures)
    assert (used.learnt.version, used.learnt.cases) == (1, 3)
    assert other.known(other.figures(database, who)) == used
    assert used.likelihood["pin.upper"].healthy != knowledge().likelihood["pin.upper"].healthy
    set_rules(database, knowledge(), {row_key("pin.upper", "healthy"): SET_ASIDE}, by=who, now=clock())
    who = now_as(database, who)
    aside = one.known(one.figures(database, who))
    assert aside.likelihood["pin.upper"].healthy == knowledge().likelihood["pin.upper"].healthy
    assert aside.likelihood["pin.lower"].healthy == used.likelihood["pin.lower"].healthy
    set_rules(database, knowledge(), {OFF: SET_ASIDE}, by=who, now=clock())
    who = now_as(database, who)
    assert one.known(one.figures(database, who)).learnt is None
    set_rules(database, knowledge(), {OFF: "", row_key("pin.upper", "healthy"): ""}, by=who, now=clock())
    who = now_as(database, who)
    assert one.known(one.figures(database, who)) == used


def test_after_an_upgrade_of_the_product_nothing_learnt_is_used_until_it_is_read_again(
    database, someone, clock, lenient
):
    who = someone("lead")
    closed_job(database, clock, who, 0)
    learn_in(database, knowledge(), "another", who.workshop_id, now=clock())
    who, remembered = now_as(database, who), Remembered(knowledge())
    assert who.learnt_version == 1
    assert remembered.known(remembered.figures(database, who)).learnt is None
    assert learn(database, clock, who).number == 2
    who = now_as(database, who)
    assert remembered.known(remembered.figures(database, who)).learnt.version == 2
    with database.of_workshop(who.workshop_id) as session, session.begin():
        (job,) = closed_jobs(session, knowledge())
    assert rows_of(database, who)[job.job_id].key == job.key(knowledge_key())  # read with the product's new tables


def test_implausible_jobs_are_held_back_said_and_taken_in_once_they_are_corrected(
    database, someone, clock, lenient, monkeypatch
):
    who = someone("lead")
    good = [closed_job(database, clock, who, number) for number in range(2)]
    before = learn(database, clock, who)
    monkeypatch.setattr("mesotrope.core.learning.prequential.LEAST", 3)
    wrong = [{"corner": "rear_left", "fault": "bearing_or_driveline_drag"}]
    bad = [closed_job(database, clock, who, number, found=wrong) for number in range(2, 6)]
    held = learn(database, clock, who)
    assert (held.own_cases, held.held) == (2, 4)
    assert "held back" in held.standing.because
    assert held.counts == before.counts
    assert held.standing.leads  # what was learnt before goes on
    assert course_of(database, by=who).held == 4
    for job in bad:
        open_again(database, job, by=who, now=clock())
        truth = closed_case(2 + bad.index(job))["found"]
        found = {REAR_LEFT: [one["fault"] for one in truth if one["corner"] == "rear_left"]}
        note_outcome(database, knowledge(), job, found, "seen", by=who, now=clock(), close=True)
    assert learn(database, clock, who).held == 0
    assert rows_of(database, who).keys() == {*good, *bad}


# -- who may, and whose it is ---------------------------------------------------------------------------------------


def test_learning_is_asked_for_by_a_lead_and_done_for_those_who_asked(database, someone, clock):
    lead, technician = someone("lead"), someone()
    with pytest.raises(NotAllowed):
        ask_to_learn(database, by=technician, now=clock())
    closed_job(database, clock, lead, 0)
    ask_to_learn(database, by=lead, now=clock())
    assert is_learning(database, by=lead)
    assert lead.workshop_id in asked_workshops(database)
    assert technician.workshop_id not in asked_workshops(database)
    done = learn_all(database, now=clock(), only_asked=True)
    assert done[lead.workshop_id].own_cases == 1
    assert not is_learning(database, by=lead)


def test_a_process_of_its_own_learns_for_those_who_asked(database, someone, clock):
    who, beside = someone("lead"), Learner()
    closed_job(database, clock, who, 0)
    ask_to_learn(database, by=who, now=clock())
    try:
        assert beside.learn_asked(database)
    finally:
        beside.stop()
    assert latest_version(database, by=who).own_cases == 1
    assert not is_learning(database, by=who)


def test_an_ask_whose_run_fails_is_given_up_and_takes_no_other_along(database, someone, clock, monkeypatch):
    broken, whole = someone("lead"), someone("lead")
    for who in (broken, whole):
        closed_job(database, clock, who, 0)
        ask_to_learn(database, by=who, now=clock())
    real = learner.learn_in

    def learn_in_all_but_one(database, knowledge, key, workshop_id, *, now):
        if workshop_id == broken.workshop_id:
            raise ValueError("a fault of the program")
        return real(database, knowledge, key, workshop_id, now=now)

    monkeypatch.setattr(learner, "learn_in", learn_in_all_but_one)
    done = learn_all(database, now=clock(), only_asked=True)
    assert done[broken.workshop_id] is None
    assert done[whole.workshop_id].own_cases == 1
    assert not is_learning(database, by=broken)


def test_two_runs_at_once_are_one(database, someone, clock):
    who = someone("lead")
    closed_job(database, clock, who, 0)
    with learnt_versions._alone(database, who.workshop_id) as alone:
        assert alone
        assert learn(database, clock, who) is None
    assert learn(database, clock, who).number == 1


def test_of_two_servers_of_a_cluster_that_learn_at_once_the_slower_leaves_what_the_faster_made(
    database, someone, clock, monkeypatch
):
    """A server's lock says nothing to another server: the second run reads all while the first swaps."""
    who, made = someone("lead"), []
    closed_job(database, clock, who, 0)
    real = learnt_versions._read

    def read_while_another_server_learns(*of):
        monkeypatch.setattr(learnt_versions, "_read", real)
        made.append(learn(database, clock, who))
        return real(*of)

    monkeypatch.setattr(learnt_versions, "_alone", lambda *_: nullcontext(True))
    monkeypatch.setattr(learnt_versions, "_read", read_while_another_server_learns)
    assert learn(database, clock, who) is None
    assert [version.number for version in made] == [1]
    assert len(rows_of(database, who)) == 1


def test_nothing_of_one_workshop_is_seen_in_another(database, someone, clock, lenient):
    who, stranger = someone("lead"), someone("lead")
    closed_job(database, clock, who, 0)
    learn(database, clock, who)
    assert latest_version(database, by=stranger) is None
    assert versions_of(database, by=stranger) == []
    assert course_of(database, by=stranger).expert == ()
    with pytest.raises(NotFound):
        version_of(database, 1, by=stranger)
    assert learn(database, clock, stranger).counts == Counts()
    used = Remembered(knowledge())
    assert used.known(used.figures(database, now_as(database, stranger))).learnt is None


# -- a chain --------------------------------------------------------------------------------------------------------


def test_a_chain_shares_counts_through_a_file_and_is_left_out_again(database, someone, clock):
    who, other = someone("lead"), someone("lead")
    for number in range(3):
        closed_job(database, clock, other, number)
    theirs = learn(database, clock, other)
    origin, counts = own_counts(database, by=other, now=clock())
    shared = read_learnt(write_learnt(Learnt(counts, theirs.standing), origin), knowledge())
    assert shared.counts.cases == 3
    with pytest.raises(InvalidInput, match="this workshop's own"):
        take_chain_in(database, shared.origin, shared.counts, by=other, now=clock())
    with pytest.raises(InvalidInput, match="does not say where it is from"):
        take_chain_in(database, "", shared.counts, by=who, now=clock())
    with pytest.raises(NotAllowed):
        take_chain_in(database, origin, counts, by=replace(who, role="technician"), now=clock())
    for _ in range(2):  # the same again takes the place of the older
        take_chain_in(database, shared.origin, shared.counts, by=who, now=clock())
    closed_job(database, clock, who, 7)
    mine = learn(database, clock, who)
    assert (mine.own_cases, mine.counts.cases, mine.chain_weight) == (1, 4, 1.0)
    assert own_counts(database, by=who, now=clock())[1].cases == 1  # the chain's are not handed on
    assert [(one.origin, one.cases) for one in chain_of(database, by=who)] == [(origin, 3)]
    leave_chain_out(database, origin, by=who, now=clock())
    with pytest.raises(NotFound):
        leave_chain_out(database, origin, by=who, now=clock())
    assert learn(database, clock, who).counts.cases == 1


def test_a_session_knows_the_version_that_answers(database, someone, clock, lenient):
    from mesotrope.services.signing_in import open_session

    who = someone("lead")
    token = open_session(database, who.person_id, now=clock(), hours=1)
    closed_job(database, clock, who, 0)
    assert who_is(database, token, now=clock()).learnt_version == 0
    learn(database, clock, who)
    assert who_is(database, token, now=clock()).learnt_version == 1
