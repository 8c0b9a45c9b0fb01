"""Findings one by one: written once, kept for ever, built into the open document and back."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.findings import CORNERS, parse_inspection
from mesotrope.errors import InvalidInput, NotFound, Surprising
from mesotrope.knowledge import knowledge
from mesotrope.services.findings import build_inspection, history_of, places_of, record_finding
from mesotrope.services.jobs import earlier_visits, list_bays, open_job, take_in


@pytest.fixture
def job(database, someone, clock):
    """A job of a fresh workshop: who opened it, and its number."""
    who = someone()
    number = take_in(
        database, knowledge(), label="Red van", kind="car", registration="", odometer_km=12000.0, usage="town",
        complaint="drags", by=who, now=clock(),
    )  # fmt: skip
    return who, number


def _record(database, job, path, text, key="key-00000001", clock=None, corner="front_left", **more):
    who, number = job
    return record_finding(
        database, knowledge(), number, corner, path, text, by=who, now=clock(), idempotency_key=key, **more
    )


def test_an_entry_stands_in_the_open_document(database, job, clock):
    _record(database, job, "pad_mm.inner.lead_rim", "7,5", clock=clock)
    who, number = job
    assert open_job(database, number, by=who).inspection.corner("front_left").pad_mm.inner.lead_rim == 7.5


def test_the_same_key_again_changes_nothing(database, job, clock):
    first = _record(database, job, "pin.upper", "free", clock=clock)
    again = _record(database, job, "pin.upper", "seized", clock=clock)
    assert not first.repeated
    assert again.repeated
    assert again.value == "free"
    assert len(history_of(database, job[1], "front_left", "pin.upper", by=job[0])) == 1


def test_every_figure_keeps_its_history(database, job, clock):
    for number, text in enumerate(["7.5", "7.2", ""]):
        clock.forward(1)
        _record(database, job, "pad_mm.outer.trail_hub", text, f"key-0000000{number}", clock)
    entries = history_of(database, job[1], "front_left", "pad_mm.outer.trail_hub", by=job[0])
    assert [entry.value for entry in entries] == [7.5, 7.2, None]
    assert entries[0].at < entries[1].at < entries[2].at
    assert open_job(database, job[1], by=job[0]).findings == {}


@pytest.mark.parametrize(
    ("corner", "path", "text", "error", "message"),
    [
        ("front_left", "pad_mm.inner.lead_rim", "-3", InvalidInput, "allowed: 0 to 40 mm"),
        ("front_left", "pad_mm.inner.middle", "3", InvalidInput, "there is no such finding"),
        ("front_left", "pad_mm", "3", InvalidInput, "there is no such finding"),
        ("front_left", "piston_pushback.99", "easy", InvalidInput, "numbered 1 to 12"),
        ("front_left", "piston_pushback.9", "easy", InvalidInput, "there is no such finding"),
        ("front_left", "pin.upper.x", "free", InvalidInput, "there is no such finding"),
        ("middle", "pin.upper", "free", InvalidInput, "corner: 'middle' .* allowed: front_left"),
        ("front_left", "spin.turns", "25", Surprising, "usual: 0 to 20"),
    ],
)
def test_a_refused_entry_writes_nothing(database, job, clock, corner, path, text, error, message):
    with pytest.raises(error, match=message):
        _record(database, job, path, text, clock=clock, corner=corner)
    assert open_job(database, job[1], by=job[0]).findings == {}


def test_an_entry_needs_a_key_of_its_own(database, job, clock):
    with pytest.raises(InvalidInput, match="8 to 64 characters"):
        _record(database, job, "pin.upper", "free", key="short", clock=clock)


def test_another_workshops_job_is_not_found(database, job, someone, clock):
    stranger = someone(role="lead")
    for use in (
        lambda: open_job(database, job[1], by=stranger),
        lambda: history_of(database, job[1], "front_left", "pin.upper", by=stranger),
        lambda: earlier_visits(database, job[1], by=stranger),
        lambda: _record(database, (stranger, job[1]), "pin.upper", "free", clock=clock),
    ):
        with pytest.raises(NotFound, match="There is no such job in this workshop"):
            use()
    assert list_bays(database, by=stranger) == []


def test_a_vehicle_is_found_again_by_its_plate(database, someone, clock):
    who = someone()
    common = {"label": "Red van", "kind": "car", "registration": "0-test-1", "usage": "", "complaint": "", "by": who}
    first = take_in(database, knowledge(), odometer_km=10.0, now=clock(), **common)
    clock.forward(1000)
    second = take_in(database, knowledge(), odometer_km=20.0, now=clock(), **common)
    assert [visit.id for visit in earlier_visits(database, second, by=who)] == [first]


@pytest.mark.parametrize(
    ("changes", "message"),
    [
        ({"label": " "}, "a name of 1 to 120 characters"),
        ({"registration": "x" * 21}, "at most 20 characters"),
        ({"odometer_km": -5.0}, "visit.odometer_km: -5.0 .* allowed: 0 to 5e"),
    ],
)
def test_a_vehicle_that_cannot_be_is_not_taken_in(database, someone, clock, changes, message):
    who = someone()
    form = {"label": "Red van", "kind": "car", "registration": "", "odometer_km": None, "usage": "", "complaint": ""}
    with pytest.raises(InvalidInput, match=message):
        take_in(database, knowledge(), **{**form, **changes}, by=who, now=clock())
    assert list_bays(database, by=who) == []


figure = st.floats(0, 40, allow_nan=False).map(lambda value: round(value, 3))
found = st.fixed_dictionaries(
    {},
    optional={
        "spin": st.fixed_dictionaries({}, optional={"turns": figure, "seconds": figure}),
        "pad_mm": st.fixed_dictionaries(
            {}, optional={"inner": st.fixed_dictionaries({}, optional={"lead_rim": figure})}
        ),
        "pin": st.fixed_dictionaries({}, optional={"upper": st.sampled_from(["free", "seized"])}),
        "piston_pushback": st.lists(st.one_of(st.none(), st.sampled_from(["easy", "firm"])), min_size=1, max_size=4),
        "rotor_mm": st.lists(st.one_of(st.none(), figure), min_size=1, max_size=12),
        "pad_material": st.text("abcÄ <>&'\"", min_size=1, max_size=20),
        "leak": st.sampled_from(["none", "drip"]),
    },
)


@given(
    st.dictionaries(st.sampled_from(CORNERS), found),
    st.fixed_dictionaries({}, optional={"pedal_hold": st.just("sinks"), "fluid_level": st.floats(-1, 2)}),
)
def test_a_document_goes_into_entries_and_back_without_loss(corners, system):
    """What is lost is only what says nothing: empty objects, nulls, and nulls at the end of a list."""
    inspection = parse_inspection(json.dumps({"findings": {"corners": corners, "system": system}}))
    places = places_of(inspection)
    rebuilt = build_inspection({}, {}, places)
    assert places_of(rebuilt) == places
    for corner in CORNERS:
        for name, value in (corners.get(corner) or {}).items():
            again = getattr(rebuilt.corner(corner), name)
            if isinstance(value, list):
                assert list(again or [])[: len(value)] == value[: len(again or [])]
                assert all(item is None for item in value[len(again or []) :])
            elif isinstance(value, str):
                assert again == value
