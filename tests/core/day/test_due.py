"""When things fall due, against cases worked out by hand."""

from __future__ import annotations

import datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.day.due import EndedVisit, distance_per_month, due_because, due_of, due_words
from mesotrope.core.evidence.readings import VisitReadings
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.evidence.wear_log import wear_log
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY

FIRST, LAST = datetime.date(2025, 1, 1), datetime.date(2026, 1, 1)
SCHOOLS = {"nuts": "again_after_50"}
CAR = parse_inspection(
    '{"vehicle": {"kind": "car", "axles": {"front": {"caliper": "floating", "pad_new_mm": 11, "pad_limit_mm": 3,'
    ' "rotor_new_mm": 24, "rotor_discard_mm": 22}}}}'
)
HERE = complete_specification(CAR, knowledge())


def pads(number, km, mm, rotor=None):
    """A visit that measured both pads of the front left, and its rotor."""
    read = {f"pad_mm.{side}.lead_rim": mm for side in ("inner", "outer")} | ({"rotor_mm.1": rotor} if rotor else {})
    return VisitReadings(number, km, {"front_left": read})


def due(visits, *, log=None, schools=SCHOOLS):
    return {fact.key: fact for fact in due_of(visits, log, HERE, schools, knowledge())}


def test_nuts_come_a_week_after_work_at_a_wheel_and_the_yearly_look_a_year():
    found = due([EndedVisit(1, LAST, done=((Corner.FRONT_LEFT, "replace_pads"),))])
    assert {key: fact.day for key, fact in found.items()} == {
        "nuts": datetime.date(2026, 1, 8), "brakes": datetime.date(2027, 1, 1)
    }  # fmt: skip


def test_a_workshop_that_torques_once_asks_nobody_back_for_it():
    assert "nuts" not in due(
        [EndedVisit(1, LAST, done=((Corner.FRONT_LEFT, "replace_pads"),))], schools={"nuts": "once"}
    )


def test_fluid_of_eighteen_months_is_due_six_months_later_and_new_fluid_in_two_years():
    """The interval is the knowledge's 24 months; half a year of a year of 365.25 days is 183 days."""
    assert knowledge().limit["fluid_age_months"] == 24
    assert due([EndedVisit(1, LAST, fluid_age_months=18)])["fluid"].day == datetime.date(2026, 7, 3)
    changed = due([EndedVisit(1, LAST, fluid_age_months=30, done=((VEHICLE, "flush_fluid"),))])
    assert changed["fluid"].day == LAST + datetime.timedelta(days=730)


def test_fluid_that_was_old_already_is_due_since_then():
    assert due([EndedVisit(1, LAST, fluid_age_months=30)])["fluid"].day == datetime.date(2025, 7, 2)


def test_a_restriction_ends_on_its_day_and_one_without_a_day_at_once():
    until = LAST + datetime.timedelta(days=14)
    assert due([EndedVisit(1, LAST, restriction="no trailer", restricted_until=until)])["restriction"].day == until
    at_once = due([EndedVisit(1, LAST, stop_gap="piston freed")])["stop_gap"]
    assert at_once.day == LAST
    assert "no day was named" in PLAINLY(due_because("stop_gap", at_once.told, knowledge()))


def test_what_was_declined_is_asked_again_a_month_later_and_not_after_the_next_visit():
    declined = EndedVisit(1, FIRST, declined="rear rotors")
    assert due([declined])["declined"].day == datetime.date(2025, 1, 31)
    assert PLAINLY(due_words("declined", due([declined])["declined"].told, knowledge())).endswith(": rear rotors")
    assert "declined" not in due([declined, EndedVisit(2, LAST)])


def test_a_thousand_kilometers_a_month():
    """40 000 to 52 000 km in 365 days: 12 000 / 365 × 30.4375 = 1 000.7 km a month."""
    visits = [EndedVisit(1, FIRST, 40_000.0), EndedVisit(2, LAST, 52_000.0)]
    assert distance_per_month(visits, knowledge()) == pytest.approx(1000.7, abs=0.05)


@pytest.mark.parametrize(
    "visits",
    [
        [],
        [EndedVisit(1, FIRST, 40_000.0)],
        [EndedVisit(1, FIRST, 40_000.0), EndedVisit(2, FIRST + datetime.timedelta(days=20), 42_000.0)],
        [EndedVisit(1, FIRST, 40_000.0), EndedVisit(2, LAST, 40_000.0)],
        [EndedVisit(1, FIRST), EndedVisit(2, LAST, 40_000.0)],
    ],
)
def test_where_the_visits_do_not_tell_its_distance_none_is_made_up(visits):
    assert distance_per_month(visits, knowledge()) is None


def _two_years_of_pads(done=()):
    visits = [EndedVisit(1, FIRST, 40_000.0), EndedVisit(2, LAST, 52_000.0, done=done)]
    log = wear_log([pads(1, 40_000.0, 9.0), pads(2, 52_000.0, 6.6)], HERE, knowledge())
    return visits, log


def test_pads_meet_their_limit_along_their_line_at_the_vehicles_own_distance():
    """By hand: 2.4 mm in 12 000 km, 3.6 mm left to 3 mm: 18 000 km at 1 000.7 km a month, 17.99 months: 547 days."""
    visits, log = _two_years_of_pads()
    found = due(visits, log=log)["pads_front"]
    assert abs((found.day - datetime.date(2027, 7, 2)).days) <= 1
    assert found.first < found.day < found.last
    assert (found.kind, found.told["at_km"], found.told["part"]) == ("pads", 70_000, "inner pad")


def test_new_pads_last_as_long_as_the_last_ones_did():
    """By hand: 8 mm at 0.2 mm for 1 000 km are 40 000 km, 39.97 months later, beyond the three years that are called
    due; pads worn twice as fast are due in 20 months."""
    visits, log = _two_years_of_pads(((Corner.FRONT_LEFT, "replace_pads"),))
    assert "pads_front" not in due(visits, log=log)
    faster = wear_log([pads(1, 40_000.0, 9.0), pads(2, 52_000.0, 4.2)], HERE, knowledge())
    found = due(visits, log=faster)["pads_front"]
    assert abs((found.day - datetime.date(2027, 9, 1)).days) <= 3
    assert found.told["new_pads"]


def test_a_rotor_that_the_next_pads_outlast_is_said():
    """By hand: 0.6 mm in 12 000 km, 0.4 mm left to discard: 8 000 km, 8 months: sooner than the next pads."""
    visits, _ = _two_years_of_pads()
    log = wear_log([pads(1, 40_000.0, 9.0, 23.0), pads(2, 52_000.0, 6.6, 22.4)], HERE, knowledge())
    found = due(visits, log=log)["rotor_front"]
    assert abs((found.day - datetime.date(2026, 9, 1)).days) <= 2
    assert PLAINLY(due_words("rotor", found.told, knowledge())) == "Rotor will not outlast the pads, front"


@given(st.floats(0.2, 3.0))
def test_a_faster_wear_is_never_due_later(more):
    visits, slow = _two_years_of_pads()
    fast = wear_log([pads(1, 40_000.0, 9.0), pads(2, 52_000.0, 6.6 - more)], HERE, knowledge())
    assert due(visits, log=fast)["pads_front"].day <= due(visits, log=slow)["pads_front"].day


def test_every_kind_has_words_for_the_workshop_and_for_an_owner():
    plain = knowledge().owner.plain.never
    for kind in knowledge().falls_due.values():
        assert kind.words
        assert kind.because
        assert not [word for word in plain if word in kind.owner.lower().split()], kind.owner
