"""Choosing, overruling, signing, ticking, proving, releasing, links, outcomes: who may, what is kept."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.plan.hand_back import Check
from mesotrope.core.plan.release import possible_releases
from mesotrope.core.plan.sign_off import SignOff
from mesotrope.errors import InvalidInput, NotAllowed, NotFound
from mesotrope.knowledge import knowledge
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import open_job, take_in
from mesotrope.services.outcomes import (
    close_job,
    note_outcome,
    open_again,
    outcome_of,
    take_comeback_in,
)
from mesotrope.services.owner_links import LINK_DAYS, links_of, make_link, open_link, withdraw_links
from mesotrope.services.plans import (
    NO_PACKAGE,
    approve_verdict,
    choose_package,
    overrule_verdict,
    plan_for,
    sign_verdict,
)
from mesotrope.services.proving import (
    KnownTorque,
    StopGap,
    inspection_after,
    keep_after,
    keep_stop_gap,
    keep_torque,
    release,
    stop_gap_of,
    tick_step,
    torques_before,
)
from mesotrope.services.records import keep_record, records_of, standing
from mesotrope.store.tables import Person
from mesotrope.words import PLAINLY

FRONT_LEFT, REAR_LEFT, REAR_RIGHT = Corner.FRONT_LEFT, Corner.REAR_LEFT, Corner.REAR_RIGHT

TORN = [(REAR_LEFT, "piston_boot", "torn"), (REAR_LEFT, "spin.turns", "1"), (REAR_LEFT, "spin.seconds", "1.2"),
        (REAR_RIGHT, "spin.turns", "6"), (REAR_RIGHT, "spin.seconds", "7")]  # fmt: skip


@pytest.fixture
def job_of(database, clock):
    """Return a maker of jobs with a torn piston boot at the rear left."""

    def make(who, found=TORN, registration=""):
        job = take_in(
            database, knowledge(), label="Red van", kind="car", registration=registration, odometer_km=None, usage="",
            complaint="", confirmed=True, by=who, now=clock(),
        )  # fmt: skip
        for corner, path, value in found:
            record_finding(
                database, knowledge(), job, corner, path, value, by=who, now=clock(),
                idempotency_key=f"{job}-{corner}-{path}", confirmed=True,
            )  # fmt: skip
        return job

    return make


def planned(database, who, job):
    opened = open_job(database, job, by=who, knowledge=knowledge())
    answer = diagnose(opened.inspection, knowledge())
    return plan_for(database, knowledge(), opened, answer, by=who), answer


def kept(database, who, job):
    return standing(records_of(database, job, by=who))


def test_another_package_with_a_reason_is_the_plan_and_goes_back(database, someone, clock, job_of):
    who = someone(role="lead")
    job = job_of(who)
    plan, _ = planned(database, who, job)
    other = plan.comparisons[0].packages[1].actions
    choose_package(database, plan, job, "rear", 1, "owner's wish", by=who, now=clock())
    after, _ = planned(database, who, job)
    work = {(step.corner, step.action) for step in after.actions if step.action != "find_the_cause"}
    assert work == set(other)
    assert after.records["package", "rear"].note == "owner's wish"
    choose_package(database, after, job, "rear", NO_PACKAGE, "", by=who, now=clock())
    assert planned(database, who, job)[0].key == plan.key


#: A wheel that drags with a twisted hose whose pads stay on: the hose or the seal, as long as no bleeder was opened.
UNSETTLED = [(FRONT_LEFT, "spin.turns", "1"), (FRONT_LEFT, "spin.seconds", "1.2"), (FRONT_LEFT, "hose", "twisted"),
             (FRONT_LEFT, "pedal_response.inner", "moves_and_stays"), (FRONT_LEFT, "pin.upper", "free"),
             (FRONT_LEFT, "pedal_response.outer", "moves_and_stays"), (FRONT_LEFT, "pin.lower", "free"),
             (FRONT_LEFT, "pad_fit.inner", "free"), (FRONT_LEFT, "pad_fit.outer", "free")]  # fmt: skip


def test_what_the_evidence_says_may_be_chosen_unsettled_and_is_not_against_the_recommendation(
    database, someone, clock, job_of
):
    who = someone()
    job = job_of(who, UNSETTLED)
    plan, _ = planned(database, who, job)
    (front,) = plan.comparisons
    assert front.test.unsettled
    assert plan.actions[0].action == "find_the_cause"
    choose_package(database, plan, job, "front", 0, "", by=who, now=clock())
    after, _ = planned(database, who, job)
    assert after.chosen == {"front": front.by_evidence}
    assert after.against == frozenset()
    assert {(step.corner, step.action) for step in after.actions} >= set(front.by_evidence)
    sign_verdict(database, after, job, by=who, now=clock())
    assert planned(database, who, job)[0].sign_off.state == "stands"


def test_another_package_without_a_reason_or_that_is_not_there(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)
    plan, _ = planned(database, who, job)
    with pytest.raises(InvalidInput, match="reason for another package"):
        choose_package(database, plan, job, "rear", 1, "  ", by=who, now=clock())
    with pytest.raises(InvalidInput, match="choose one of those"):
        choose_package(database, plan, job, "front", 0, "", by=who, now=clock())
    assert kept(database, who, job) == {}


def test_overruling_needs_a_reason_is_kept_and_leaves_the_products_verdict(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)
    _, answer = planned(database, who, job)
    with pytest.raises(InvalidInput, match="reason for another verdict"):
        overrule_verdict(
            database, answer, job, REAR_LEFT, "service", ["clean_and_lubricate_slides"], "", by=who, now=clock()
        )
    with pytest.raises(InvalidInput, match="allowed: sound, service, replace, unsafe"):
        overrule_verdict(database, answer, job, REAR_LEFT, "fine", [], "x", by=who, now=clock())
    overrule_verdict(database, answer, job, REAR_LEFT, "service", ["clean_and_lubricate_slides"], "boot only scuffed",
                     by=who, now=clock())  # fmt: skip
    plan, answer = planned(database, who, job)
    assert (plan.overruled[REAR_LEFT].what.verdict, plan.overruled[REAR_LEFT].by) == ("service", who.name)
    assert answer.decision.corners[REAR_LEFT].verdict == "replace"
    overrule_verdict(database, answer, job, REAR_LEFT, "replace", [], "", by=who, now=clock())
    assert planned(database, who, job)[0].overruled == {}


def test_an_apprentices_verdict_waits_for_a_lead_and_a_new_finding_opens_it_again(database, someone, clock, job_of):
    apprentice, lead = someone("apprentice", "One shop"), someone("lead", "One shop")
    job = job_of(apprentice)
    sign_verdict(database, planned(database, apprentice, job)[0], job, by=apprentice, now=clock())
    waiting, _ = planned(database, lead, job)
    assert waiting.sign_off.state == "waits"
    with pytest.raises(NotAllowed, match="needs the role lead"):
        approve_verdict(database, waiting, job, by=apprentice, now=clock())
    approve_verdict(database, waiting, job, by=lead, now=clock())
    stands, _ = planned(database, apprentice, job)
    assert (stands.sign_off.state, lead.name in PLAINLY(stands.sign_off.words)) == ("stands", True)
    kept = len(records_of(database, job, by=lead))
    approve_verdict(database, stands, job, by=lead, now=clock())  # sent again, for its answer was lost
    assert len(records_of(database, job, by=lead)) == kept
    with pytest.raises(InvalidInput, match="no signed verdict waits"):
        approve_verdict(database, stands, job, by=someone("lead", "One shop"), now=clock())
    record_finding(
        database, knowledge(), job, FRONT_LEFT, "piston_boot", "wet", by=apprentice, now=clock(),
        idempotency_key="something-new",
    )  # fmt: skip
    assert planned(database, lead, job)[0].sign_off.state == "changed"


def test_steps_are_ticked_and_opened_again_and_only_those_of_the_card(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)
    tick_step(database, job, "pump", {"pump": ()}, True, by=who, now=clock())
    assert ("tick", "pump") in kept(database, who, job)
    tick_step(database, job, "pump", {"pump": ()}, False, by=who, now=clock())
    assert ("tick", "pump") not in kept(database, who, job)
    assert len(records_of(database, job, by=who)) == 2  # both are kept
    with pytest.raises(InvalidInput, match="not on this work card"):
        tick_step(database, job, "dance", {"pump": ()}, True, by=who, now=clock())


def test_a_torque_needs_its_source_and_is_kept_in_newton_metres(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)

    def keep(asked="", source="", read=""):
        keep_torque(database, job, "bolts", ["bolts"], asked, source, read, by=who, now=clock())

    with pytest.raises(InvalidInput, match="where the maker's torque came from"):
        keep(asked="30")
    with pytest.raises(InvalidInput, match="allowed: over 0 to 1000"):
        keep(asked="-4", source="book")
    with pytest.raises(InvalidInput, match="a number is needed"):
        keep(read="tight")
    keep("30", "service information, page 4", "31 N·m")
    assert kept(database, who, job)["torque", "bolts"].value == {
        "asked": 30.0, "read": 31.0, "source": "service information, page 4",
    }  # fmt: skip
    keep()
    assert kept(database, who, job) == {}


def test_what_is_not_explained_is_closed_by_a_lead_with_a_reason(database, someone, clock, job_of):
    lead, technician = someone("lead", "Open"), someone("technician", "Open")
    job = job_of(technician)

    def plan():
        opened = open_job(database, job, by=lead, knowledge=knowledge())
        now = plan_for(database, knowledge(), opened, diagnose(opened.inspection, knowledge()), by=lead)
        return replace(now, unexplained=True)

    sign_verdict(database, plan(), job, by=technician, now=clock())  # it waits for a lead
    waits = replace(plan(), sign_off=SignOff("waits", ""))
    for by, act in ((lead, sign_verdict), (lead, approve_verdict)):
        with pytest.raises(InvalidInput, match="reason for closing what is not explained"):
            act(database, waits, job, by=by, now=clock())
    approve_verdict(database, waits, job, by=lead, now=clock(), reason="rides home behind the tow truck")
    assert kept(database, lead, job)["approved", ""].note == "rides home behind the tow truck"


def test_a_torque_is_remembered_for_the_vehicles_next_visit_and_for_nobody_else(database, someone, clock, job_of):
    who, stranger = someone(), someone()
    first, other_vehicle = job_of(who, registration="0-AAA-7"), job_of(who, registration="0-AAA-8")
    for asked, source in (("28", "an old sheet"), ("30", "service information, page 4")):
        keep_torque(database, first, "bolts", ["bolts"], asked, source, "", by=who, now=clock())
    keep_torque(database, first, "nuts", ["nuts"], "", "", "110", by=who, now=clock())  # read, but nowhere asked for
    keep_torque(database, other_vehicle, "bolts", ["bolts"], "99", "another", "", by=who, now=clock())
    again = job_of(who, registration="0-AAA-7")
    known = torques_before(database, again, by=who)
    assert known == {"bolts": KnownTorque(30.0, "service information, page 4", clock().date())}
    assert torques_before(database, first, by=who) == {}
    with pytest.raises(NotFound):
        torques_before(database, again, by=stranger)
    keep_torque(database, first, "bolts", ["bolts"], "", "", "", by=who, now=clock())  # taken back
    assert torques_before(database, again, by=who) == {}


def test_what_is_measured_after_is_an_inspection_of_its_own(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)

    def measure(corner, path, text):
        keep_after(database, knowledge(), job, corner, path, text, (), by=who, now=clock())

    measure(REAR_LEFT, "spin.turns", "5")
    measure(REAR_LEFT, "spin.seconds", "6,5")
    measure("system", "pedal_hold", "holds")
    for corner, path, text, message in [
        (REAR_LEFT, "spin.turns", "five", "a number is needed"),
        (REAR_LEFT, "spin.turns", "1000000", "allowed: 0 to 100"),
        ("system", "pedal_hold", "<b>", "allowed: holds, sinks"),
        (REAR_LEFT, "pin.upper", "free", "measured after"),
        ("boot", "leak", "none", "corner"),
    ]:
        with pytest.raises(InvalidInput, match=message):
            measure(corner, path, text)
    before = open_job(database, job, by=who, knowledge=knowledge()).inspection
    after = inspection_after(before, kept(database, who, job), ())
    assert (after.corner(REAR_LEFT).spin.turns, after.corner(REAR_LEFT).spin.seconds) == (5, 6.5)
    assert after.system.pedal_hold == "holds"
    assert after.corner(REAR_LEFT).piston_boot is None
    assert before.corner(REAR_LEFT).spin.turns == 1


OPEN = Check("x", REAR_LEFT, "drag of the wheel", "", "", "open")
FREE_TO_GO = possible_releases([], found_unsafe=False, put_right=True, stop_gap="", approved=True)


def test_a_release_is_kept_with_its_name_and_what_was_open(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)
    for without in ("", "rear left spin"):
        with pytest.raises(InvalidInput, match="released without: rear left drag of the wheel"):
            release(database, job, "released", "", [OPEN], FREE_TO_GO, without, by=who, now=clock())
    with pytest.raises(InvalidInput, match="a restriction is written: release it with the restriction"):
        release(database, job, "released", "town only", [], FREE_TO_GO, by=who, now=clock())
    named = "rear left drag of the wheel"
    release(database, job, "released", "", [OPEN], FREE_TO_GO, named, by=who, now=clock())
    record = kept(database, who, job)["release", ""]
    assert (record.by, record.at, record.value) == (
        who.name, clock(), {"as": "released", "open": ["rear left drag of the wheel"], "until": "", "done": [],
                            "planned": [], "entry": 0},
    )  # fmt: skip


def test_a_release_that_may_not_be(database, someone, clock, job_of):
    who, apprentice = someone("technician", "Rel"), someone("apprentice", "Rel")
    job = job_of(who)

    def let_go(how, words="", by=who, refused=FREE_TO_GO):
        release(database, job, how, words, [], refused, by=by, now=clock())

    with pytest.raises(InvalidInput, match="allowed: released, restricted, unsafe"):
        let_go("gone")
    with pytest.raises(InvalidInput, match="restriction"):
        let_go("restricted")
    with pytest.raises(InvalidInput, match="fluid leaks"):
        let_go("released", refused={**FREE_TO_GO, "released": "fluid leaks"})
    with pytest.raises(NotAllowed, match="technician or lead"):
        let_go("released", by=apprentice)
    assert kept(database, who, job) == {}
    let_go("unsafe", by=apprentice)  # anybody may stop a vehicle
    assert kept(database, who, job)["release", ""].value["as"] == "unsafe"


def test_a_stop_gap_stands_until_it_is_taken_back(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)
    keep_stop_gap(database, job, StopGap(" piston wound out ", until="Friday"), by=who, now=clock())
    assert stop_gap_of(kept(database, who, job)) == StopGap("piston wound out", until="Friday")
    keep_stop_gap(database, job, StopGap(), by=who, now=clock())
    assert stop_gap_of(kept(database, who, job)) == StopGap()
    assert kept(database, who, job) == {}
    with pytest.raises(InvalidInput, match="record"):
        keep_record(database, job, "gossip", "", "x", by=who, now=clock())
    with pytest.raises(InvalidInput, match="at most 500"):
        keep_record(database, job, "stop_gap", "", "x", note="n" * 501, by=who, now=clock())


def test_a_link_opens_one_job_for_a_while_and_can_be_closed(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)
    token = make_link(database, job, by=who, now=clock())
    assert len(token) >= 40
    shared = open_link(database, token, now=clock())
    assert (shared.job_id, shared.who.workshop_id, shared.who.change_token) == (job, who.workshop_id, "")
    assert len(links_of(database, job, by=who, now=clock())) == 1
    for wrong in (token[:-1], token.swapcase(), ""):
        with pytest.raises(NotFound):
            open_link(database, wrong, now=clock())
    clock.forward(60 * 24 * LINK_DAYS + 1)
    with pytest.raises(NotFound):
        open_link(database, token, now=clock())
    fresh = make_link(database, job, by=who, now=clock())
    assert withdraw_links(database, job, by=who, now=clock()) == 2
    with pytest.raises(NotFound):
        open_link(database, fresh, now=clock())


def _found(database, job, who):
    """What was found in a job: by place the faults, how that is known, and what corrected it."""
    found = outcome_of(database, job, by=who).found
    return {place: (one.faults, one.how, one.corrected_by) for place, one in found.items()}


def test_what_was_really_found_is_noted_place_by_place_and_what_was_noted_last_stands(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)

    def note(found, how, **more):
        note_outcome(database, knowledge(), job, found, how, by=who, now=clock(), **more)

    note({REAR_LEFT: ["piston_seized_applied", "hose_restricted"], REAR_RIGHT: []}, "seen", note="pitted")
    note({FRONT_LEFT: None, VEHICLE: ["fluid_degraded"], REAR_LEFT: ["piston_seized_applied"]}, "guessed")
    assert _found(database, job, who) == {
        REAR_LEFT: (("piston_seized_applied",), "guessed", None), REAR_RIGHT: ((), "seen", None),
        FRONT_LEFT: (None, "guessed", None), VEHICLE: (("fluid_degraded",), "guessed", None),
    }  # fmt: skip
    note({REAR_LEFT: ["worn_out_normally"]}, "seen", close=True)
    assert open_job(database, job, by=who, knowledge=knowledge()).state == "closed"


def test_a_comeback_corrects_what_was_cured_or_guessed_and_leaves_what_was_seen(database, someone, clock, job_of):
    who = someone()
    job = job_of(who)
    cured, seen = (
        {REAR_LEFT: ["piston_not_releasing"], FRONT_LEFT: ["pad_bound_inner"]},
        {REAR_RIGHT: ["hose_restricted"]},
    )
    note_outcome(database, knowledge(), job, cured, "cured", by=who, now=clock())
    note_outcome(database, knowledge(), job, seen, "seen", by=who, now=clock())
    back = take_comeback_in(database, job, "hot again", by=who, now=clock())
    opened = open_job(database, back, by=who, knowledge=knowledge())
    assert (opened.comes_from, opened.label, opened.inspection.visit.complaint) == (job, "Red van", "hot again")
    assert outcome_of(database, job, by=who).comebacks == (back,)
    assert _found(database, job, who) == {  # it came back: nothing was cured, and what it was is not known
        REAR_LEFT: (None, "cured", back), FRONT_LEFT: (None, "cured", back),
        REAR_RIGHT: (("hose_restricted",), "seen", None),
    }  # fmt: skip
    found = {REAR_LEFT: ["hose_restricted"], FRONT_LEFT: [], REAR_RIGHT: ["shield_contact"]}
    note_outcome(database, knowledge(), back, found, "seen", by=who, now=clock())
    assert _found(database, job, who) == {
        REAR_LEFT: (("hose_restricted",), "seen", back), FRONT_LEFT: (("pad_bound_inner",), "cured", None),
        REAR_RIGHT: (("hose_restricted",), "seen", None),
    }  # fmt: skip
    again = take_comeback_in(database, back, "and again", by=who, now=clock())
    note_outcome(database, knowledge(), again, {REAR_LEFT: []}, "guessed", by=who, now=clock())
    assert _found(database, job, who)[REAR_LEFT] == (("hose_restricted",), "seen", back)


@pytest.mark.parametrize(
    ("found", "how", "message"),
    [
        ({REAR_LEFT: ["gremlins"]}, "seen", "choose a fault of the list for the rear left"),
        ({VEHICLE: ["piston_seized_applied"]}, "seen", "for the whole system"),
        ({REAR_LEFT: ["air_in_hydraulics"]}, "seen", "choose a fault of the list"),
        ({"roof": []}, "seen", "where it was found"),
        ({}, "seen", "say of at least one place"),
        ({REAR_LEFT: []}, "dreamt", "seen in the parts, cured by the work, only guessed"),
    ],
)
def test_an_outcome_that_cannot_be(database, someone, clock, job_of, found, how, message):
    who = someone()
    job = job_of(who)
    with pytest.raises(InvalidInput, match=message):
        note_outcome(database, knowledge(), job, found, how, by=who, now=clock(), close=True)
    with pytest.raises(InvalidInput, match="what it came back with"):
        take_comeback_in(database, job, "", by=who, now=clock())
    assert outcome_of(database, job, by=who).found == {}
    assert open_job(database, job, by=who, knowledge=knowledge()).state == "open"


def test_an_apprentice_notes_what_was_found_and_leaves_closing_to_others(database, someone, clock, job_of):
    who = someone("apprentice")
    job = job_of(who)
    with pytest.raises(NotAllowed):
        note_outcome(database, knowledge(), job, {REAR_LEFT: []}, "seen", by=who, now=clock(), close=True)
    assert _found(database, job, who) == {}
    note_outcome(database, knowledge(), job, {REAR_LEFT: []}, "seen", by=who, now=clock())
    assert _found(database, job, who) == {REAR_LEFT: ((), "seen", None)}


def test_a_closed_job_leaves_today_and_comes_back(database, someone, clock, job_of, day_of):
    who = someone()
    job = job_of(who)
    close_job(database, job, by=who, now=clock())
    assert day_of(who) == []
    open_again(database, job, by=who, now=clock())
    assert [each.id for each in day_of(who)] == [job]


def test_another_workshops_job_is_not_found(database, someone, clock, job_of):
    who, stranger = someone(), someone()
    job = job_of(who)
    tries = [
        lambda: records_of(database, job, by=stranger),
        lambda: keep_record(database, job, "tick", "pump", True, by=stranger, now=clock()),
        lambda: make_link(database, job, by=stranger, now=clock()),
        lambda: links_of(database, job, by=stranger, now=clock()),
        lambda: withdraw_links(database, job, by=stranger, now=clock()),
        lambda: outcome_of(database, job, by=stranger),
        lambda: note_outcome(database, knowledge(), job, {REAR_LEFT: []}, "seen", by=stranger, now=clock()),
        lambda: take_comeback_in(database, job, "x", by=stranger, now=clock()),
        lambda: close_job(database, job, by=stranger, now=clock()),
    ]
    for attempt in tries:
        with pytest.raises(NotFound):
            attempt()
    assert records_of(database, job, by=who) == []


def test_who_signed_as_an_apprentice_signed_as_one_whatever_they_become(database, someone, clock, job_of):
    who = someone(role="apprentice")
    job = job_of(who)
    plan, _ = planned(database, who, job)
    sign_verdict(database, plan, job, by=who, now=clock())
    with database.of_workshop(who.workshop_id) as session, session.begin():
        session.get(Person, who.person_id).role = "lead"
    assert kept(database, who, job)["signed", ""].role == "apprentice"
    assert planned(database, who, job)[0].sign_off.state == "waits"
