"""The knowledge as data: whole, within its bounds, and with its provenance."""

from __future__ import annotations

import typing

import pytest
from pydantic import ValidationError

from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.language.inspection import STAGES, CornerFindings, SystemFindings
from mesotrope.core.language.worn import FaultAge
from mesotrope.knowledge import knowledge
from tests.documents import inspect

CORNER_FAULTS = {
    "piston_not_releasing", "piston_seized_applied", "piston_seized_released", "piston_hung_one_of_several",
    "slide_pins_seized", "slide_pin_seized_one", "pad_bound_inner", "pad_bound_outer", "hose_restricted",
    "parking_brake_holding", "pad_or_hardware_misfitted", "lining_contaminated", "rotor_worn_or_damaged",
    "shield_contact", "bearing_or_driveline_drag",
}  # fmt: skip
SYSTEM_FAULTS = {
    "external_leak", "air_in_hydraulics", "master_cylinder_bypass", "master_cylinder_not_releasing",
    "excess_running_clearance", "fluid_degraded", "fluid_contaminated_mineral_oil", "reservoir_overfilled",
    "booster_weak",
}  # fmt: skip
ACTIONS = set(
    """
    clean_and_lubricate_slides replace_pins_and_boots clean_bracket_lands replace_bracket rebuild_caliper
    replace_caliper replace_hose replace_pads refit_pads_and_hardware replace_hardware resurface_rotor replace_rotor
    adjust_parking_brake replace_parking_brake_cable replace_parking_brake_shoes free_parking_brake_lever
    replace_parking_brake_actuator repair_leak bleed_system flush_fluid correct_fluid_level replace_master_cylinder
    adjust_pushrod replace_all_rubber_parts inspect_booster inspect_bearing_or_driveline straighten_shield
    clean_contaminated_corner no_action
    find_the_cause refit_hose service_bleeder replace_wear_sensor deglaze_linings clean_rotor_faces free_retaining_pin
    """.split()  # noqa: SIM905
)


def test_every_fault_of_the_trade_is_there():
    known = {fault.id: fault.scope for fault in knowledge().faults}
    assert {fault for fault, scope in known.items() if scope == "corner"} == CORNER_FAULTS
    assert {fault for fault, scope in known.items() if scope == "system"} == SYSTEM_FAULTS
    assert knowledge().worn.id == "worn_out_normally"
    assert knowledge().none.id == "no_fault"


def test_every_action_of_the_format_is_there():
    assert set(knowledge().action) == ACTIONS


#: Made by comparing sides, or from the work done lately: no words of the vocabulary.
DERIVED = {
    "pad_material_differs", "recent_pads", "recent_parking_brake", "recent_hydraulic_work", "recent_pad_work",
    "gaps_alike", "pedal_hard", "corner_leak", "line_leak", "fluid_balance", "rotor_margin_mm",
}  # fmt: skip
ALL_ROWS = (*knowledge().likelihoods, *knowledge().system_likelihoods)


@pytest.mark.parametrize("row", ALL_ROWS, ids=lambda row: row.key)
def test_every_likelihood_has_provenance_and_speaks_of_known_faults(row):
    assert row.basis == "common practice" or row.source
    known = {f.id for f in knowledge().faults} | {f"{f.id}/{m.id}" for f in knowledge().faults for m in f.mechanism}
    assert {name.removeprefix("front.").removeprefix("rear.") for name in row.rows} <= known
    assert set(row.why) <= {fault.id for fault in knowledge().faults}
    assert (row.mean is None) == (row.sd is None)
    assert row.mean is None or len(row.mean) == len(row.sd) == len(row.order)


WORDED = [row for row in ALL_ROWS if row.mean is None and row.key not in DERIVED]


@pytest.mark.parametrize("row", WORDED, ids=lambda row: row.key)
def test_every_likelihood_covers_every_permitted_word(row):
    """The order of a finding's values holds each word of the format, once."""
    name, _, part = row.key.partition(".")
    of_corner = name in CornerFindings.model_fields
    annotation = (CornerFindings if of_corner else SystemFindings).model_fields[name].annotation
    if name == "piston_pushback":
        words = {"easy", "firm", "immovable"}
    else:
        inner = typing.get_args(annotation)[0]
        if part:
            inner = typing.get_args(inner.model_fields[part].annotation)[0]
        words = set(typing.get_args(inner)) - NOT_GRADED.get(name, set())
    assert set(row.order) == words
    assert len(row.order) == len(words)


#: Words that say nothing here: not known, or told by a row of their own.
NOT_GRADED = {"topped_up_since_service": {"unknown"}, "pedal_feel": {"hard"}}


def test_every_finding_of_the_vocabulary_speaks_or_is_said_to_be_silent():
    """Measured ones of wear, drag and warmth have densities of their own."""
    measured = {"spin", "pull_n", "pad_mm", "window_pad_mm", "hub_temperature_c"}
    names = {field.key.split(".")[0] for field in (*knowledge().corner_fields, *knowledge().system_fields)}
    speaking = {row.name for row in ALL_ROWS} | measured
    assert names - speaking == set(knowledge().silent)
    assert all(knowledge().silent.values())


def test_every_system_fault_is_told_by_something_that_is_its_own():
    for fault in SYSTEM_FAULTS:
        assert any(row.rows.get(fault) for row in knowledge().system_likelihoods), fault


def test_every_corner_fault_is_told_by_something_or_is_marked_silent():
    for fault in CORNER_FAULTS:
        fields = knowledge().fault[fault]
        spoken_of = any(
            row.row(fields.id, mechanism.id) for row in knowledge().likelihoods for mechanism in fields.mechanism
        )
        assert spoken_of, fault


def test_every_corner_fault_has_a_drag_row_over_all_levels():
    for fault in CORNER_FAULTS:
        for mechanism in knowledge().fault[fault].mechanism:
            assert len(mechanism.drag) == len(knowledge().drag.levels)
            assert sum(mechanism.drag) == pytest.approx(1)


def test_every_fault_has_a_cure_made_of_known_actions():
    assert set(knowledge().cure) == CORNER_FAULTS | SYSTEM_FAULTS | {"worn_out_normally"}
    for cure in knowledge().cures:
        assert set(cure.actions) <= ACTIONS


def test_every_limit_and_gauge_says_where_it_comes_from():
    for value in (*knowledge().limits, *knowledge().gauges):
        assert value.basis in ("published", "common practice", "physics")
        if value.basis == "published":
            assert value.source
            assert value.note == "from memory"


def test_the_lining_floors_are_the_published_ones():
    """49 CFR 393.47: 1.6 mm; DVSA inspection manual, section 1.1.13: under 1.5 mm (both from memory)."""
    assert knowledge().limit["lining_legal_floor_mm"] == 1.6
    assert knowledge().limit["lining_dangerous_mm"] == 1.5


def test_vocabulary_stages_are_stages_of_the_work():
    for field in (*knowledge().corner_fields, *knowledge().system_fields):
        assert field.stage in STAGES
        assert field.minutes > 0


def test_vocabulary_words_are_the_permitted_ones():
    for model, fields in ((CornerFindings, knowledge().corner_fields), (SystemFindings, knowledge().system_fields)):
        for field in fields:
            name, _, part = field.key.partition(".")
            inner = typing.get_args(model.model_fields[name].annotation)[0]
            if part:
                inner = typing.get_args(inner.model_fields[part].annotation)[0]
            if typing.get_origin(inner) is typing.Literal:
                assert set(field.values) == set(typing.get_args(inner)), field.key


@pytest.mark.parametrize("kind", ["car", "light_truck", "motorcycle"])
def test_defaults_complete_a_vehicle_of_every_kind(kind):
    spec = complete_specification(inspect({}, kind=kind), knowledge())
    assert spec.wheel_inertia_kg_m2 > 0
    for axle in spec.axles.values():
        assert 0 < axle.pad_limit_mm < axle.pad_new_mm
        assert axle.rotor_discard_mm < axle.rotor_new_mm
    assert "wheel_inertia_kg_m2" in spec.defaulted


@pytest.mark.parametrize(
    ("age", "words"),
    [
        ({"km": [800, 300], "chances": [[0.5, 0.5]]}, "above 0 and rising"),
        ({"km": [0, 300], "chances": [[0.5, 0.5]]}, "above 0 and rising"),
        ({"km": [300, 300], "chances": [[0.5, 0.5]]}, "above 0 and rising"),
        ({"km": [300, 800], "chances": [[0.5, 0.3, 0.2]]}, "one for each of 2 ages"),
    ],
)
def test_ages_of_a_fault_rise_and_each_has_a_chance(age, words):
    with pytest.raises(ValidationError, match=words):
        FaultAge(**age, note="")


def test_every_chance_has_a_word_and_what_is_acted_on_is_likely():
    known = knowledge()
    least = [one.least for one in known.odds]
    assert least == sorted(set(least), reverse=True)
    assert least[-1] == 0
    assert known.threshold["named_chance"] in {one.least for one in known.odds if one.words == "likely"}


def test_what_shows_a_fault_is_a_finding():
    known = knowledge()
    shown_by = {finding for cure in known.cures for finding in cure.shown_by}
    assert shown_by
    assert shown_by <= known.system_finding.keys() | known.corner_finding.keys()
    assert all(cure.shown_by for cure in known.cures if known.fault.get(cure.fault, known.none).id in SYSTEM_FAULTS)
