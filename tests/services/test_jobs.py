"""Taking vehicles in: found again, new, specified, and what a visit was about."""

from __future__ import annotations

import pytest

from mesotrope.errors import InvalidInput, NotFound, Surprising
from mesotrope.knowledge import knowledge
from mesotrope.services.jobs import (
    describe,
    find_vehicles,
    open_job,
    similar_vehicles,
    take_in,
)
from mesotrope.services.outcomes import close_job

VIN = "1M8GDM9AXKP042788"


def _take_in(database, who, clock, **more):
    given = {"label": "Red van", "kind": "car", "registration": "", "odometer_km": None, "usage": "", "complaint": ""}
    given["confirmed"] = True  # also where the vehicle is in the shop
    return take_in(database, knowledge(), by=who, now=clock(), **{**given, **more})


def test_a_vehicle_is_found_again_by_plate_vin_or_name(database, someone, clock):
    who = someone()
    _take_in(database, who, clock, registration="0-abc-1", vin=VIN)
    for words in ("0-ABC-1", "0abc1", "0-ABC", "bc-1", VIN, VIN.lower()[:6], "042788", "Red", "red v", "van", "d va"):
        assert [v.label for v in find_vehicles(database, words, by=who)] == ["Red van"]
    assert find_vehicles(database, "blue", by=who) == []
    assert find_vehicles(database, "%", by=who) == []
    assert find_vehicles(database, "%%", by=who) == []
    assert find_vehicles(database, "red", by=someone()) == []


def test_the_same_plate_or_vin_opens_a_job_for_the_same_vehicle(database, someone, clock):
    who = someone()
    first = open_job(
        database, _take_in(database, who, clock, registration="0-ABC-1", vin=VIN), by=who, knowledge=knowledge()
    )
    by_plate = open_job(
        database, _take_in(database, who, clock, label="van", registration="0-abc-1"), by=who, knowledge=knowledge()
    )
    by_vin = open_job(
        database, _take_in(database, who, clock, label="van", vin=VIN.lower()), by=who, knowledge=knowledge()
    )
    by_choice = open_job(
        database, _take_in(database, who, clock, label="x", vehicle_id=first.vehicle_id), by=who, knowledge=knowledge()
    )
    assert {by_plate.vehicle_id, by_vin.vehicle_id, by_choice.vehicle_id} == {first.vehicle_id}


def test_a_returning_vehicle_is_taken_in_by_choosing_it_and_a_second_open_job_is_asked_about(database, someone, clock):
    who = someone()
    first = _take_in(database, who, clock, registration="0-ABC-9", odometer_km=84200.0)
    vehicle = open_job(database, first, by=who, knowledge=knowledge()).vehicle_id
    for known in ({"vehicle_id": vehicle, "label": ""}, {"registration": "0-abc-9"}):
        with pytest.raises(Surprising, match=f"in the shop already, as job {first}"):
            _take_in(database, who, clock, confirmed=False, **known)
    close_job(database, first, by=who, now=clock())
    again = _take_in(database, who, clock, confirmed=False, vehicle_id=vehicle, label="")
    opened = open_job(database, again, by=who, knowledge=knowledge())
    assert (opened.vehicle_id, opened.label, opened.registration) == (vehicle, "Red van", "0-ABC-9")


def test_a_distance_below_the_last_visits_is_asked_about(database, someone, clock):
    who = someone()
    first = _take_in(database, who, clock, registration="0-ABC-8", odometer_km=84200.0)
    close_job(database, first, by=who, now=clock())
    told = {"registration": "0-ABC-8", "odometer_km": 8420.0}
    with pytest.raises(Surprising, match=r"at its last visit it had 84.200.km"):
        _take_in(database, who, clock, confirmed=False, **told)
    assert _take_in(database, who, clock, **told) > first


def test_another_workshops_vehicle_cannot_be_chosen_or_copied(database, someone, clock):
    theirs = someone()
    number = open_job(database, _take_in(database, theirs, clock), by=theirs, knowledge=knowledge()).vehicle_id
    for choice in ({"vehicle_id": number}, {"copy_from": number}):
        with pytest.raises(NotFound, match="no such vehicle"):
            _take_in(database, someone(), clock, **choice)


def test_brakes_are_copied_from_a_similar_vehicle_but_not_its_names(database, someone, clock):
    who = someone()
    job = _take_in(database, who, clock, registration="0-ABC-1")
    axles = {"front": {"pad_new_mm": 12.5}}
    written = {"label": "Red van", "kind": "car", "axles": axles}
    describe(database, knowledge(), job, lambda _: (written, None), by=who)
    _take_in(database, who, clock, label="Nothing is known of its brakes")
    like = similar_vehicles(database, "car", by=who)
    assert [vehicle.label for vehicle in like] == ["Red van"]
    assert similar_vehicles(database, "motorcycle", by=who) == []
    assert similar_vehicles(database, "car", by=someone()) == []
    copied = open_job(
        database, _take_in(database, who, clock, label="Blue van", copy_from=like[0].id), by=who, knowledge=knowledge()
    )
    assert copied.inspection.vehicle.axles.front.pad_new_mm == 12.5
    assert copied.inspection.vehicle.label == "Blue van"
    assert copied.inspection.vehicle.registration is None


@pytest.mark.parametrize(
    ("more", "message"),
    [
        ({"vin": "1234"}, "17 characters are needed"),
        ({"vin": "IM8GDM9AXKP042788"}, "never stands in it"),
        ({"odometer_km": -4.0}, "allowed: 0 to"),
        ({"kind": "boat"}, "allowed: 'car'"),
    ],
)
def test_what_cannot_be_is_refused_and_nothing_is_opened(database, someone, clock, more, message):
    who = someone()
    with pytest.raises(InvalidInput, match=message):
        _take_in(database, who, clock, **more)
    assert find_vehicles(database, "Red van", by=who) == []


def test_a_plate_belongs_to_one_vehicle(database, someone, clock):
    who = someone()
    _take_in(database, who, clock, label="First", registration="0-ABC-1")
    second = _take_in(database, who, clock, label="Second")
    taken = {"label": "Second", "registration": "0-abc-1"}
    with pytest.raises(InvalidInput, match="it belongs to First"):
        describe(database, knowledge(), second, lambda _: (taken, None), by=who)


def test_a_visit_can_be_described_later(database, someone, clock):
    who = someone()
    job = _take_in(database, who, clock)
    visit = {
        "odometer_km": 1200.0,
        "usage": "towing",
        "recent_work": ["hoses"],
        "complaint": "pulls",
        "ambient_c": None,
    }
    describe(database, knowledge(), job, lambda _: (None, visit), by=who)
    kept = open_job(database, job, by=who, knowledge=knowledge()).inspection.visit
    assert (kept.odometer_km, kept.usage, kept.recent_work, kept.complaint) == (1200.0, "towing", ["hoses"], "pulls")
    assert kept.date == clock().date().isoformat()


@pytest.mark.parametrize("written", ["G100", "g 100", "G-100", "g–100", "G\u00a0100"])
def test_a_plate_is_the_same_however_it_is_written(database, someone, clock, written):
    who = someone()
    first = _take_in(database, who, clock, registration="G100")
    again = _take_in(database, who, clock, label="van", registration=written)
    vehicles = {open_job(database, job, by=who, knowledge=knowledge()).vehicle_id for job in (first, again)}
    assert len(vehicles) == 1
    assert [found.registration for found in find_vehicles(database, written, by=who)] == ["G100"]


@pytest.mark.parametrize(("one", "other"), [("BÖ A 77", "BO A 77"), ("SS 1", "ß 1x"), ("A 1", "A 11")])
def test_another_plate_never_opens_this_vehicle(database, someone, clock, one, other):
    who = someone()
    jobs = [_take_in(database, who, clock, label=plate, registration=plate) for plate in (one, other)]
    assert len({open_job(database, job, by=who, knowledge=knowledge()).vehicle_id for job in jobs}) == 2
