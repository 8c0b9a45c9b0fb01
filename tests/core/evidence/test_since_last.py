"""Wear since the last visit as evidence, by hand and by trade reasoning."""

from __future__ import annotations

import datetime
import json

import pytest

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.evidence.readings import VisitReadings, readings_of
from mesotrope.core.evidence.since_last import with_earlier_visits
from mesotrope.core.language.corner import CORNERS, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.saying import placed
from mesotrope.errors import InvalidDocument
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import ALL_FREE, FREE, pads

TODAY = datetime.date(2026, 7, 1)

THEN = {
    "odometer_km": 60000.0,
    Corner.FRONT_LEFT: {"inner": 8.0, "outer": 8.1},
    Corner.FRONT_RIGHT: {"inner": 8.0, "outer": 8.2},
}


def visit(left, right, earlier=None, odometer_km=70000.0, **more):
    corner = {"spin": FREE, **ALL_FREE}
    corners = {Corner.FRONT_LEFT: {**corner, "pad_mm": left}, Corner.FRONT_RIGHT: {**corner, "pad_mm": right}}
    written = {"odometer_km": odometer_km, **({"earlier_pads": earlier} if earlier else {}), **more}
    return parse_inspection(
        json.dumps({"vehicle": {"kind": "car"}, "visit": written, "findings": {"corners": corners}})
    )


def said(inspection):
    pads_seen = [item for item in overview(inspection, knowledge()).evidence if item.finding == "pad_mm"]
    return [PLAINLY(placed(item.corner, item.sentence)) for item in pads_seen]


def test_the_wear_of_each_pad_is_what_it_lost():
    """8.0 to 5.0 and 8.1 to 7.5 mm, in 10 000 km."""
    (sentence,) = [words for words in said(visit(pads(5.0, 7.5), pads(7.3, 7.4), THEN)) if "front left since" in words]
    assert "10\u00a0000 km ago: inner worn by 3.0 mm, outer by 0.6 mm" in sentence
    assert "its partner 0.7 and 0.8 mm" in sentence


def test_a_pad_worn_lately_speaks_louder_than_over_its_whole_life():
    """3 mm against 0.6 since the last visit, 6 against 3.5 in all: what holds the inner pad is likelier."""
    with_it = diagnose(visit(pads(5.0, 7.5), pads(7.3, 7.4), THEN), knowledge())
    without = diagnose(visit(pads(5.0, 7.5), pads(7.3, 7.4)), knowledge())
    held = (Corner.FRONT_LEFT, "pad_bound_inner")
    assert with_it.chances[held] > 2 * without.chances.get(held, 0.0)


def test_pads_that_wore_alike_clear_an_old_difference():
    """The inner was thinner by 2 mm then and is now: since then both lost as much, so whatever it was is over."""
    then = {**THEN, Corner.FRONT_LEFT: {"inner": 6.0, "outer": 8.0}}
    with_it = diagnose(visit(pads(4.8, 6.9), pads(6.9, 7.0), then), knowledge())
    without = diagnose(visit(pads(4.8, 6.9), pads(6.9, 7.0)), knowledge())
    assert with_it.chances[Corner.FRONT_LEFT, "no_fault"] > without.chances[Corner.FRONT_LEFT, "no_fault"]


@pytest.mark.parametrize(
    ("left", "right", "earlier", "odometer_km"),
    [
        (pads(10.8, 10.9), pads(10.8, 10.9), THEN, 70000.0),  # new pads since
        (pads(7.8, 7.9), pads(7.8, 7.9), THEN, 70000.0),  # too little wear to tell
        (pads(5.0, 7.5), pads(7.3, 7.4), THEN, 60000.0),  # no way gone
        (pads(5.0, 7.5), pads(7.3, 7.4), {**THEN, Corner.FRONT_RIGHT: None}, 70000.0),  # one side not measured then
    ],
)
def test_otherwise_the_whole_life_of_the_pads_counts(left, right, earlier, odometer_km):
    assert not [words for words in said(visit(left, right, earlier, odometer_km)) if "since the last visit" in words]


def test_the_latest_earlier_visit_with_pads_is_taken():
    now = visit(pads(5.0, 7.5), pads(7.3, 7.4))
    older = visit(pads(9.5, 9.6), pads(9.5, 9.6), odometer_km=50000.0)
    newer = visit(pads(8.0, 8.1), pads(8.0, 8.2), odometer_km=60000.0)
    later = visit(pads(3.0, 3.1), pads(3.0, 3.2), odometer_km=90000.0)
    then = with_earlier_visits(
        now, TODAY, [readings_of(1, older), readings_of(1, later), readings_of(1, newer)], knowledge()
    ).visit.earlier_pads
    assert (then.odometer_km, then.front_left.inner, then.front_right.outer) == (60000.0, 8.0, 8.2)
    assert with_earlier_visits(now, TODAY, [readings_of(1, later)], knowledge()) is now


def test_pads_that_were_new_at_the_last_visit_are_judged_from_what_they_were_then():
    """8.0 mm came in, 11.0 mm left: what is worn since is counted from that, and not from the old pads."""
    now = visit(pads(9.0, 10.6), pads(10.5, 10.6))
    came = {
        corner: {f"pad_mm.{side}.lead_rim": 8.0 for side in ("inner", "outer")} for corner in THEN if corner in CORNERS
    }
    left = {corner: {f"pad_mm.{side}.lead_rim": 11.0 for side in ("inner", "outer")} for corner in came}
    seen = with_earlier_visits(now, TODAY, [VisitReadings(1, 60000.0, came, left)], knowledge())
    assert seen.visit.earlier_pads.front_left.inner == 11.0
    (sentence,) = [words for words in said(seen) if "front left since" in words]
    assert "inner worn by 2.0 mm, outer by 0.4 mm" in sentence


def front_pads(thick_mm, **more):
    corners = ("front_left", "front_right")
    measured = {corner: {f"pad_mm.{side}.lead_rim": thick_mm for side in ("inner", "outer")} for corner in corners}
    return {"measured": measured, **more}


NEW_AT_THE_FRONT = {"front_left": ["replace_pads"], "front_right": ["replace_pads"]}


def test_pads_that_were_renewed_and_not_measured_are_no_ones_earlier_ones():
    """7.0 mm came in and new ones left; 5.0 now: worn since then is not 2.0 mm, nor 4.0 since the visit before."""
    now = visit(pads(5.0, 5.1), pads(5.0, 5.1), odometer_km=90000.0)
    renewed = VisitReadings(2, 60000.0, **front_pads(7.0), made_new=NEW_AT_THE_FRONT)
    older = VisitReadings(1, 40000.0, **front_pads(9.0))
    assert with_earlier_visits(now, TODAY, [older], knowledge()).visit.earlier_pads.front_left.inner == 9.0
    assert with_earlier_visits(now, TODAY, [older, renewed], knowledge()).visit.earlier_pads is None


def test_how_far_the_pads_have_gone_counts_from_where_they_were_renewed():
    now = visit(pads(5.0, 5.1), pads(5.0, 5.1), odometer_km=90000.0)
    renewed = VisitReadings(2, 60000.0, **front_pads(7.0), made_new=NEW_AT_THE_FRONT)
    older = VisitReadings(1, 20000.0, **front_pads(3.0), made_new=NEW_AT_THE_FRONT)
    known = with_earlier_visits(now, TODAY, [older, renewed], knowledge()).vehicle.axles
    assert (known.front.pads_fitted_odometer_km, known.rear) == (60000.0, None)
    mistyped = VisitReadings(3, 690000.0, **front_pads(7.0), made_new=NEW_AT_THE_FRONT)
    known = with_earlier_visits(now, TODAY, [older, renewed, mistyped], knowledge()).vehicle.axles
    assert known.front.pads_fitted_odometer_km == 60000.0  # pads have not gone less than nothing

    told = parse_inspection('{"vehicle": {"axles": {"front": {"pads_fitted_odometer_km": 75000, "pad_new_mm": 12.5}}}}')
    here = now.model_copy(update={"vehicle": told.vehicle})
    assert with_earlier_visits(here, TODAY, [renewed], knowledge()).vehicle == told.vehicle  # later, and elsewhere
    told = parse_inspection('{"vehicle": {"axles": {"front": {"pads_fitted_odometer_km": 30000, "pad_new_mm": 12.5}}}}')
    here = now.model_copy(update={"vehicle": told.vehicle})
    known = with_earlier_visits(here, TODAY, [renewed], knowledge()).vehicle.axles.front
    assert (known.pads_fitted_odometer_km, known.pad_new_mm) == (60000.0, 12.5)


def test_one_side_alone_is_no_axle_on_new_pads():
    now = visit(pads(5.0, 5.1), pads(5.0, 5.1), odometer_km=90000.0)
    renewed = VisitReadings(1, 60000.0, **front_pads(7.0), made_new={"front_left": ["replace_pads"]})
    known = with_earlier_visits(now, TODAY, [renewed], knowledge())
    assert known.vehicle.axles is None
    assert (known.visit.earlier_pads.front_left, known.visit.earlier_pads.front_right.inner) == (None, 7.0)


@pytest.mark.parametrize(
    ("earlier", "message"),
    [
        ({"odometer_km": -1.0}, "visit.earlier_pads.odometer_km: -1.0 cannot be used; allowed: 0 to"),
        ({"odometer_km": 1.0, "rear": {"inner": 90.0}}, "visit.earlier_pads.rear.inner: 90.0 cannot be used"),
    ],
)
def test_figures_of_an_earlier_visit_are_held_to_what_is_possible(earlier, message):
    with pytest.raises(InvalidDocument, match=message.replace(".", r"\.")):
        diagnose(visit(pads(5, 5), pads(5, 5), earlier), knowledge())


def test_the_latest_change_of_the_fluid_counts_and_of_its_own_visit_none():
    """A year and half a year before are 12 and 6 months. Nothing is known of a change of which no day was kept."""
    now = visit(pads(5.0, 5.1), pads(5.0, 5.1))

    def age(*days):
        changed = [
            VisitReadings(n, None, {}, made_new={"system": ["flush_fluid"]}, day=day) for n, day in enumerate(days)
        ]
        return with_earlier_visits(now, TODAY, changed, knowledge()).system.fluid_age_months

    assert age() is None
    assert age(None) is None
    assert age(datetime.date(2025, 7, 1)) == 12
    assert age(datetime.date(2026, 1, 1), datetime.date(2025, 7, 1)) == 6
