"""Findings one by one: written once, kept for ever, built into the open document and back."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from threading import Barrier

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.language.corner import CORNERS
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.units import Units
from mesotrope.errors import Clash, InvalidInput, NotFound, Surprising
from mesotrope.knowledge import knowledge
from mesotrope.services.exchange import import_documents
from mesotrope.services.findings import history_of, last_entry_of, places_of, record_finding, undo_last_entry
from mesotrope.services.job_rows import JobRows, build_inspection
from mesotrope.services.jobs import open_job, take_in


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
    assert (
        open_job(database, number, by=who, knowledge=knowledge()).inspection.corner("front_left").pad_mm.inner.lead_rim
        == 7.5
    )


def test_the_same_key_again_changes_nothing(database, job, clock):
    first = _record(database, job, "pin.upper", "free", clock=clock)
    again = _record(database, job, "pin.upper", "free", clock=clock)
    assert not first.repeated
    assert again.repeated
    assert again.value == "free"
    assert len(history_of(database, job[1], by=job[0])) == 1


def test_every_figure_keeps_its_history(database, job, clock):
    for number, text in enumerate(["7.5", "7.2", ""]):
        clock.forward(1)
        _record(database, job, "pad_mm.outer.trail_hub", text, f"key-0000000{number}", clock)
    entries = history_of(database, job[1], by=job[0])
    assert [(entry.before, entry.value) for entry in entries] == [(None, 7.5), (7.5, 7.2), (7.2, None)]
    assert entries[0].at < entries[1].at < entries[2].at
    assert open_job(database, job[1], by=job[0], knowledge=knowledge()).findings == {}


@pytest.mark.parametrize(
    ("corner", "path", "text", "error", "message"),
    [
        ("front_left", "pad_mm.inner.lead_rim", "-3", InvalidInput, "allowed: 0 to 40 mm"),
        ("front_left", "pad_mm.inner.middle", "3", InvalidInput, "there is no such finding"),
        ("front_left", "pad_mm", "3", InvalidInput, "there is no such finding"),
        ("front_left", "piston_pushback.99", "easy", InvalidInput, "numbered 1 to 12"),
        ("front_left", "piston_pushback.9", "easy", InvalidInput, "there is no such finding"),
        ("front_left", "pin.upper.x", "free", InvalidInput, "there is no such finding"),
        ("middle", "pin.upper", "free", InvalidInput, "corner: 'middle' .* allowed: front left, front right"),
        ("front_left", "spin.turns", "25", Surprising, "usual: 0 to 20"),
    ],
)
def test_a_refused_entry_writes_nothing(database, job, clock, corner, path, text, error, message):
    with pytest.raises(error, match=message):
        _record(database, job, path, text, clock=clock, corner=corner)
    assert open_job(database, job[1], by=job[0], knowledge=knowledge()).findings == {}


def test_an_entry_needs_a_key_of_its_own(database, job, clock):
    with pytest.raises(InvalidInput, match="8 to 64 characters"):
        _record(database, job, "pin.upper", "free", key="short", clock=clock)


def test_another_workshops_job_is_not_found(database, job, someone, clock, day_of):
    stranger = someone(role="lead")
    for use in (
        lambda: open_job(database, job[1], by=stranger, knowledge=knowledge()),
        lambda: history_of(database, job[1], by=stranger),
        lambda: open_job(database, job[1], by=stranger, knowledge=knowledge()).earlier,
        lambda: _record(database, (stranger, job[1]), "pin.upper", "free", clock=clock),
    ):
        with pytest.raises(NotFound, match="There is no such job in this workshop"):
            use()
    assert day_of(stranger) == []


def test_a_vehicle_is_found_again_by_its_plate(database, someone, clock):
    who = someone()
    common = {"label": "Red van", "kind": "car", "registration": "0-test-1", "usage": "", "complaint": "", "by": who}
    first = take_in(database, knowledge(), odometer_km=10.0, now=clock(), **common)
    clock.forward(1000)
    second = take_in(database, knowledge(), odometer_km=20.0, now=clock(), confirmed=True, **common)
    assert [visit.id for visit in open_job(database, second, by=who, knowledge=knowledge()).earlier] == [first]


@pytest.mark.parametrize(
    ("changes", "message"),
    [
        ({"label": " "}, "a name of 1 to 120 characters"),
        ({"registration": "x" * 21}, "at most 20 characters"),
        ({"odometer_km": -5.0}, "visit.odometer_km: -5.0 .* allowed: 0 to 5e"),
    ],
)
def test_a_vehicle_that_cannot_be_is_not_taken_in(database, someone, clock, day_of, changes, message):
    who = someone()
    form = {"label": "Red van", "kind": "car", "registration": "", "odometer_km": None, "usage": "", "complaint": ""}
    with pytest.raises(InvalidInput, match=message):
        take_in(database, knowledge(), **{**form, **changes}, by=who, now=clock())
    assert day_of(who) == []


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


# -- two people, and taking back -------------------------------------------------------------------------------


@pytest.fixture
def colleague(job, someone):
    """Somebody else of the same workshop."""
    return someone(workshop=job[0].workshop)


def test_somebody_elses_newer_value_is_a_clash_and_stands(database, job, colleague, clock):
    who, number = job
    _record(database, (colleague, number), "pin.upper", "seized", "key-00000001", clock)
    with pytest.raises(Clash, match=f"{colleague.name} entered seized in the meantime; you entered free") as caught:
        _record(database, job, "pin.upper", "free", "key-00000002", clock, seen_entry=0)
    assert open_job(database, number, by=who, knowledge=knowledge()).findings["front_left", "pin.upper"] == "seized"
    kept = _record(database, job, "pin.upper", "free", "key-00000003", clock, seen_entry=caught.value.entry_id)
    assert kept.value == "free"
    assert open_job(database, number, by=who, knowledge=knowledge()).findings["front_left", "pin.upper"] == "free"


def test_of_two_who_enter_at_the_same_moment_one_is_told_of_the_other(database, job, colleague, clock):
    """Whoever waited for the other's lock sees what the other entered meanwhile."""
    who, number = job
    together, seen = Barrier(2), 0

    def enter(person, value, key):
        together.wait()
        try:
            return _record(database, (person, number), "pin.upper", value, key, clock, seen_entry=seen).entry_id
        except Clash:
            return None

    for turn in range(12):
        one, other = (("seized", "free"), ("stiff", "seized"))[turn % 2]
        with ThreadPoolExecutor(2) as both:
            told = list(both.map(enter, (who, colleague), (one, other), (f"mine-{turn:06d}", f"theirs-{turn:06d}")))
        assert sorted(entry is None for entry in told) == [False, True], turn
        seen = next(entry for entry in told if entry is not None)


def test_the_same_value_from_two_people_is_no_clash(database, job, colleague, clock):
    _record(database, (colleague, job[1]), "pin.upper", "seized", "key-00000001", clock)
    assert _record(database, job, "pin.upper", "seized", "key-00000002", clock, seen_entry=0).value == "seized"


def test_ones_own_newer_entry_is_no_clash(database, job, clock):
    _record(database, job, "pin.upper", "seized", "key-00000001", clock)
    assert _record(database, job, "pin.upper", "free", "key-00000002", clock, seen_entry=0).value == "free"


def _undo(database, job, clock, key):
    return undo_last_entry(database, knowledge(), job[1], by=job[0], now=clock(), idempotency_key=key)


def test_undo_goes_back_entry_by_entry_and_ends(database, job, clock):
    for number, (path, text) in enumerate([("pin.upper", "free"), ("pin.upper", "stiff"), ("hose", "cracked")]):
        _record(database, job, path, text, f"key-0000000{number}", clock)
    undone = [_undo(database, job, clock, f"undo-000000{n}") for n in range(4)]
    assert [(u.path, u.value) for u in undone[:3]] == [("hose", None), ("pin.upper", "free"), ("pin.upper", None)]
    assert undone[3] is None
    assert open_job(database, job[1], by=job[0], knowledge=knowledge()).findings == {}
    assert len(history_of(database, job[1], by=job[0])) == 6


def test_a_simulated_reading_that_an_undo_brings_back_is_marked_as_one_again(database, job, clock):
    who, number = job
    for text, simulated, key in (("7.1", True, "bench-000001"), ("7.4", False, "hand-0000001")):
        record_finding(
            database, knowledge(), number, "front_left", "rotor_mm.1", text, by=who, now=clock(), confirmed=True,
            idempotency_key=key, simulated=simulated,
        )  # fmt: skip
    assert open_job(database, number, by=who, knowledge=knowledge()).simulated == 0
    assert _undo(database, job, clock, "undo-0000001").value == 7.1
    assert open_job(database, number, by=who, knowledge=knowledge()).simulated == 1


def test_undo_leaves_alone_what_somebody_else_changed_since(database, job, colleague, clock):
    _record(database, job, "pin.upper", "free", "key-00000001", clock)
    _record(database, (colleague, job[1]), "pin.upper", "seized", "key-00000002", clock)
    assert _undo(database, job, clock, "undo-0000001") is None
    assert open_job(database, job[1], by=job[0], knowledge=knowledge()).findings["front_left", "pin.upper"] == "seized"


def test_the_last_entry_is_told_and_only_to_the_own_workshop(database, job, someone, clock):
    assert last_entry_of(database, job[1], by=job[0]) == 0
    entry = _record(database, job, "pin.upper", "free", clock=clock).entry_id
    assert last_entry_of(database, job[1], by=job[0]) == entry
    with pytest.raises(NotFound):
        last_entry_of(database, job[1], by=someone())


def test_a_person_types_in_their_own_units(database, job, clock):
    who = replace(job[0], units=Units(length="32nds", temperature="F"))
    assert _record(database, (who, job[1]), "pad_mm.inner.lead_rim", "9", "key-00000001", clock).value == pytest.approx(
        9 / 32 * 25.4
    )
    hot = _record(database, (who, job[1]), "hub_temperature_c", "212", "key-00000002", clock)
    assert hot.value == pytest.approx(100)


def test_a_key_is_compared_byte_for_byte_and_never_swallows_another_entry(database, job, clock):
    who, number = job[0], job[1]

    def enter(key, path="pin.upper", value="stiff"):
        return record_finding(
            database, knowledge(), number, "front_left", path, value, by=who, now=clock(), idempotency_key=key
        )

    assert not enter("key-Ä-00001").repeated
    assert enter("key-Ä-00001").repeated
    for like_it in ("KEY-Ä-00001", "key-A-00001", "key-ä-00001"):
        assert not enter(like_it).repeated
    for other in ({"path": "pin.lower"}, {"value": "seized"}):
        with pytest.raises(InvalidInput, match="it was used for another entry of this job"):
            enter("key-Ä-00001", **other)


def test_an_entry_that_never_was_committed_is_nowhere_though_its_number_comes_again(database, job, clock, monkeypatch):
    """A server that was killed gives the number of a lost entry to the next one: what a process had seen of the lost
    one must not stand for it."""
    numbers, add = [], JobRows.add

    def lost(rows, session, entry):
        add(rows, session, entry)
        numbers.append(entry.id)
        raise ConnectionError

    def with_its_number(rows, session, entry):
        entry.id = numbers[0]
        add(rows, session, entry)

    monkeypatch.setattr(JobRows, "add", lost)
    with pytest.raises(ConnectionError):
        _record(database, job, "pin.upper", "free", "key-of-the-lost", clock)
    monkeypatch.setattr(JobRows, "add", with_its_number)
    assert _record(database, job, "pin.lower", "stiff", "key-of-the-next", clock).entry_id == numbers[0]
    monkeypatch.setattr(JobRows, "add", add)
    assert open_job(database, job[1], by=job[0], knowledge=knowledge()).findings == {
        ("front_left", "pin.lower"): "stiff"
    }
    assert _record(database, job, "pin.lower", "stiff", "key-of-the-next", clock).repeated
    assert not _record(database, job, "pin.upper", "free", "key-of-the-lost", clock).repeated


def test_the_same_undo_sent_again_undoes_nothing_more(database, job, clock):
    who, number = job[0], job[1]
    for key, value in (("enter-key-1", "free"), ("enter-key-2", "stiff"), ("enter-key-3", "seized")):
        _record(database, job, "pin.upper", value, key, clock)
    for _ in range(2):  # an answer was lost on the way, and the device asks again
        undone = undo_last_entry(database, knowledge(), number, by=who, now=clock(), idempotency_key="undo-key-01")
        assert undone.value == "stiff"
    assert open_job(database, number, by=who, knowledge=knowledge()).findings["front_left", "pin.upper"] == "stiff"
    with pytest.raises(InvalidInput, match="8 to 64 characters"):
        undo_last_entry(database, knowledge(), number, by=who, now=clock(), idempotency_key="k" * 65)
    with pytest.raises(InvalidInput, match="belongs to an entry"):
        undo_last_entry(database, knowledge(), number, by=who, now=clock(), idempotency_key="enter-key-1")


def test_what_came_with_a_document_is_not_undone_by_the_hand_that_imported_it(database, someone, clock):
    who = someone()
    found = {"findings": {"corners": {"front_left": {"pin": {"upper": "stiff"}}}}}
    (number,) = import_documents(database, [parse_inspection(json.dumps(found))], by=who, now=clock())
    assert undo_last_entry(database, knowledge(), number, by=who, now=clock(), idempotency_key="undo-key-01") is None
    assert open_job(database, number, by=who, knowledge=knowledge()).findings["front_left", "pin.upper"] == "stiff"
