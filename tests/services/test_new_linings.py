"""New linings as they were measured at hand-back: the next visit's wear counts from them. Common practice."""

from __future__ import annotations

import pytest

from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.plan.release import RELEASES
from mesotrope.knowledge import knowledge
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import open_job, take_in, visits_of
from mesotrope.services.proving import keep_after, release

SIDES = ("inner", "outer")


@pytest.fixture
def visit(database, clock):
    """Return what takes a vehicle in at a distance, and measures its front left pads."""

    def make(who, odometer_km, thick_mm):
        job = take_in(
            database, knowledge(), label="Red van", kind="car", registration="0-NEW-1", odometer_km=odometer_km,
            usage="", complaint="", confirmed=True, by=who, now=clock(),
        )  # fmt: skip
        for side in SIDES:
            record_finding(
                database, knowledge(), job, "front_left", f"pad_mm.{side}.lead_rim", thick_mm, by=who, now=clock(),
                idempotency_key=f"pads-{job}-{side}", confirmed=True,
            )  # fmt: skip
        return job

    return make


@pytest.fixture
def fit_new(database, clock):
    def fit(who, job, thick_mm):
        work = [(Corner.FRONT_LEFT, "replace_pads")]
        for side in SIDES:
            path = f"pad_mm.{side}.lead_rim"
            keep_after(database, knowledge(), job, "front_left", path, thick_mm, work, by=who, now=clock())

    return fit


def earlier(database, who, job):
    return open_job(database, job, by=who, knowledge=knowledge()).inspection.visit.earlier_pads


def test_the_next_visit_counts_from_the_pads_that_were_fitted(database, someone, visit, fit_new):
    who = someone()
    first, second = visit(who, 50000.0, "2.0"), visit(who, 70000.0, "9.0")
    assert earlier(database, who, second).front_left.inner == 2.0
    fit_new(who, first, "11.0")  # also where the second visit was looked at already
    assert earlier(database, who, second).front_left.inner == 11.0
    fit_new(who, first, "10.8")  # put right
    assert earlier(database, who, second).front_left.inner == 10.8
    fit_new(who, first, "")  # and taken back
    assert earlier(database, who, second).front_left.inner == 2.0


def test_the_wear_log_has_both_what_came_in_and_what_left(database, someone, visit, fit_new):
    who = someone()
    first, second = visit(who, 50000.0, "2.0"), visit(who, 70000.0, "9.0")
    fit_new(who, first, "11.0")
    vehicle = open_job(database, second, by=who, knowledge=knowledge()).vehicle_id
    one, other = visits_of(database, vehicle, by=who).readings
    assert one.pad(Corner.FRONT_LEFT, "inner", knowledge()).mean.value == pytest.approx(2.0)
    assert one.new_pad(Corner.FRONT_LEFT, "inner", knowledge()).mean.value == pytest.approx(11.0)
    assert other.after == {}


@pytest.mark.parametrize(("how", "km"), [("released", 50000.0), ("restricted", 50000.0), ("unsafe", None)])
def test_new_pads_that_nobody_measured_are_known_by_the_release(database, someone, clock, visit, how, km):
    who = someone()
    first, second = visit(who, 50000.0, "2.0"), visit(who, 70000.0, "9.0")
    work = [(Corner.FRONT_LEFT, "replace_pads"), (Corner.FRONT_RIGHT, "replace_pads"), (VEHICLE, "flush_fluid")]
    restriction = "to be looked at in a month" if how == "restricted" else ""
    release(
        database, first, how, restriction, [], dict.fromkeys(RELEASES, ""), until="2027-01-31", done=work,
        planned=work, by=who, now=clock(),
    )  # fmt: skip
    here = open_job(database, second, by=who, knowledge=knowledge())
    front = here.inspection.vehicle.axles and here.inspection.vehicle.axles.front
    assert (front and front.pads_fitted_odometer_km) == km
    assert (here.inspection.visit.earlier_pads is None) == (km is not None)
    own = open_job(database, first, by=who, knowledge=knowledge()).inspection.vehicle.axles
    assert own is None  # at the visit itself the pads that came in are judged


@pytest.mark.parametrize(
    ("how", "action", "months"),
    [("released", "flush_fluid", 19), ("unsafe", "flush_fluid", None), ("released", "correct_fluid_level", None)],
)
def test_fluid_that_was_changed_here_has_an_age_at_the_next_visit(database, someone, clock, visit, how, action, months):
    """579 days are 19 months of a twelfth of a year. What somebody enters stands: it may have been changed since."""
    who = someone()
    first, work = visit(who, 50000.0, "8.0"), [(VEHICLE, action)]
    release(
        database, first, how, "", [], dict.fromkeys(RELEASES, ""), done=work, planned=work, by=who, now=clock()
    )  # fmt: skip
    clock.forward(579 * 24 * 60)
    second = visit(who, 70000.0, "7.0")

    def age(job):
        return open_job(database, job, by=who, knowledge=knowledge()).inspection.system.fluid_age_months

    assert (age(first), age(second)) == (None, months)
    record_finding(
        database, knowledge(), second, "system", "fluid_age_months", "4", by=who, now=clock(),
        idempotency_key="asked-the-owner",
    )  # fmt: skip
    assert age(second) == 4


def test_what_is_no_thickness_leaves_the_readings_alone(database, someone, clock, visit):
    who = someone()
    job = visit(who, 50000.0, "2.0")
    keep_after(database, knowledge(), job, "front_left", "spin.turns", "5", (), by=who, now=clock())
    vehicle = open_job(database, job, by=who, knowledge=knowledge()).vehicle_id
    assert visits_of(database, vehicle, by=who).readings[0].after == {}
