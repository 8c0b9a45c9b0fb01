"""The vocabulary of findings, and messages for documents that cannot be."""

from __future__ import annotations

import json
import pickle

import pytest

from mesotrope.core.language.corner import Corner
from mesotrope.core.language.entries import check, nearest_field, read_entry
from mesotrope.core.language.inspection import CornerFindings, SystemFindings, parse_inspection
from mesotrope.core.language.paths import nest
from mesotrope.errors import InvalidDocument, InvalidInput, Surprising
from mesotrope.knowledge import knowledge
from tests.documents import document

#: The names as the vocabulary of findings lists them.
CORNER_NAMES = set(
    """
    spin pull_n pull_radius_mm hub_temperature_c noise window_pad_mm pad_gap_mm pedal_response hose leak leak_at
    bleeder rotor_face rotor_lip_mm wear_sensor bleeder_opened line_loosened_at_master caliper_bolts_slackened
    parking_cable_slackened pad_mm pad_fit pad_condition pad_material pin pin_condition pin_boot retaining_pin
    piston_pushback piston_boot bracket_lands hardware rotor_mm rotor_runout_mm parking_lever parking_shoes shield
    bearing
    """.split()  # noqa: SIM905
)
SYSTEM_NAMES = set(
    """
    pull_braking pull_coasting pedal_travel pedal_feel pedal_hold pedal_pump pedal_on_engine_start pedal_release
    fluid_level topped_up_since_service fluid_colour fluid_water_percent fluid_boiling_c fluid_copper_ppm
    fluid_age_months cap_seal visible_leak smell vibration warning_lamp parking_brake_holds brake_force_n
    """.split()  # noqa: SIM905
)


def test_the_format_has_every_name_of_the_vocabulary_and_no_other():
    assert set(CornerFindings.model_fields) == CORNER_NAMES
    assert set(SystemFindings.model_fields) == SYSTEM_NAMES


def test_every_finding_has_its_line_in_the_vocabulary():
    corner = {field.key.split(".")[0] for field in knowledge().corner_fields}
    system = {field.key.split(".")[0] for field in knowledge().system_fields}
    assert corner == CORNER_NAMES
    assert system == SYSTEM_NAMES


def _refused(findings: dict, message: str) -> None:
    with pytest.raises(InvalidDocument, match=message):
        check(parse_inspection(json.dumps(findings)), knowledge())


@pytest.mark.parametrize(
    ("corner", "message"),
    [
        ({"spin": {"turns": -1, "seconds": 3}}, r"front_left\.spin\.turns: -1\.0 .* allowed: 0 to 100"),
        ({"spin": {"turns": "3"}}, r"spin\.turns: '3' .* a number is needed, without quotation marks"),
        ({"spin": {"turns": True}}, r"spin\.turns: True .* a number is needed"),
        ({"spin": {"turns": 2, "seconds": 0}}, "more than 0 s is needed"),
        ({"pad_mm": {"inner": {"lead_rim": 75}}}, r"pad_mm\.inner\.lead_rim: 75\.0 .* allowed: 0 to 40 mm"),
        ({"pad_mm": {"inner": {"middle": 7}}}, "there is no field of this name here"),
        ({"pad_mm": 7}, r"pad_mm: 7 .* an object of named fields is needed"),
        ({"pin": {"upper": "<b>free</b>"}}, r"'<b>free</b>' .* allowed: 'free', 'stiff' or 'seized'"),
        ({"pad_fit": {"inner": ["free"]}}, r"pad_fit\.inner: \['free'\] .* allowed: 'free', 'tight' or 'bound'"),
        ({"piston_pushback": "easy"}, r"piston_pushback: 'easy' .* a list is needed"),
        ({"piston_pushback": ["easy"] * 9}, "piston_pushback: .* at most 8"),
        ({"piston_boot": "x" * 500}, r"piston_boot: 'x+\.\.\. cannot be used; allowed: 'sound', 'torn' or 'wet'"),
        ({"bleeder_opened": "yes"}, "allowed: 'frees' or 'no_change'"),
        ({"pad_gap_mm": {"inner": 1e30}}, r"pad_gap_mm\.inner: 1e\+30 .* allowed: 0 to 20 mm"),
        ({"frobs": 1}, "front_left.frobs: 1 .* there is no field of this name"),
    ],
)
def test_a_document_that_cannot_be_names_field_value_and_what_is_allowed(corner, message):
    _refused(document({Corner.FRONT_LEFT: corner}), message)


@pytest.mark.parametrize("number", ["NaN", "Infinity", "-Infinity", "1e999"])
def test_figures_that_are_no_numbers_are_refused(number):
    text = f'{{"findings": {{"corners": {{"front_left": {{"rotor_runout_mm": {number}}}}}}}}}'
    with pytest.raises(InvalidDocument, match=r"rotor_runout_mm: .* a finite number is needed"):
        parse_inspection(text)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "must be JSON in UTF-8"),
        ("[1]", "an object of named fields is needed|valid"),
        ('{"format": "other"}', "allowed: 'mesotrope-inspection'"),
        ('{"version": 2}', "allowed: 1"),
        ('{"visit": {"date": "4 May"}}', "a date written YYYY-MM-DD is needed"),
        ('{"vehicle": {"mass_kg": 1}}', "vehicle.mass_kg: 1.0 .* allowed: 50 to 12000"),
        (
            '{"vehicle": {"axles": {"front": {"pad_new_mm": 3, "pad_limit_mm": 4}}}}',
            r"front\.pad_limit_mm: 4\.0 .* it must be below pad_new_mm",
        ),
    ],
)
def test_a_broken_document_says_what_is_broken(text, message):
    with pytest.raises(InvalidDocument, match=message):
        check(parse_inspection(text), knowledge())


def test_every_fault_of_a_document_is_named_at_once():
    with pytest.raises(InvalidDocument) as raised:
        parse_inspection('{"vehicle": {"kind": "boat"}, "findings": {"corners": {"front_left": {"hose": "red"}}}}')
    assert [fault.name for fault in raised.value.faults] == ["vehicle.kind", "findings.corners.front_left.hose"]


def test_null_means_not_looked_at():
    empty = parse_inspection('{"findings": {"corners": {"front_left": {"pin": null, "hose": null}}}}')
    assert empty.corner(Corner.FRONT_LEFT) == CornerFindings()


def test_an_entry_is_asked_about_once_when_it_surprises():
    with pytest.raises(Surprising, match=r"'22' is unusual; usual: 0 to 18 mm\. Enter it again to keep it"):
        read_entry(CornerFindings, "pad_mm.inner.lead_rim", "22", knowledge())
    assert read_entry(CornerFindings, "pad_mm.inner.lead_rim", "22", knowledge(), confirmed=True) == 22


@pytest.mark.parametrize(
    ("path", "text", "message"),
    [
        ("pad_mm.inner.lead_rim", "-1", "allowed: 0 to 40 mm"),
        ("pad_mm.inner.lead_rim", "1e9", "a number is needed"),
        ("pad_mm.inner.lead_rim", "nan", "a number is needed"),
        ("pad_mm.inner.lead_rim", "<script>", "a number is needed"),
        ("pin.upper", "loose", "allowed: free, stiff, seized"),
        ("pin.upper", "x" * 200, "at most 120 characters"),
        ("teeth", "3", "there is no finding of this name"),
        ("spin.turns", "101", "allowed: 0 to 100"),
    ],
)
def test_an_entry_that_cannot_be_is_refused_even_when_confirmed(path, text, message):
    with pytest.raises(InvalidInput, match=message):
        read_entry(CornerFindings, path, text, knowledge(), confirmed=True)


@pytest.mark.parametrize(
    ("text", "value"), [("MAX", 1.0), ("min", 0.0), ("Half", 0.5), ("75 %", 0.75), ("1.2", 1.2), ("0,8", 0.8)]
)
def test_a_level_is_said_in_words_as_a_share_or_as_a_figure(text, value):
    assert read_entry(SystemFindings, "fluid_level", text, knowledge()) == pytest.approx(value)


def test_an_emptied_entry_takes_the_finding_back():
    assert read_entry(CornerFindings, "pin.upper", "  ", knowledge()) is None


def test_a_part_of_a_finding_is_found_by_its_whole():
    assert nearest_field("rotor_mm.3", knowledge().corner_field).label == "rotor thickness"
    assert nearest_field("nothing.here", knowledge().corner_field) is None


FIGURES = [field for field in knowledge().corner_fields if field.possible]
WORDS = [field for field in knowledge().corner_fields if field.values]


def _at(key: str, value) -> dict:
    """A document with one value where a vocabulary key stands; whole findings get it at their first place."""
    first = {"pad_mm": "pad_mm.inner.lead_rim", "window_pad_mm": "window_pad_mm.inner", "rotor_mm": "rotor_mm.1"}
    path = {**first, "piston_pushback": "piston_pushback.1"}.get(key, key)
    return document({Corner.FRONT_LEFT: nest({path: value})})


@pytest.mark.parametrize("field", FIGURES, ids=lambda field: field.key)
def test_every_figure_of_a_document_is_held_to_what_is_possible(field):
    low, high = field.possible
    for bad in (low - 1, high + 1, 1e30, -1e30):
        _refused(_at(field.key, bad), r"cannot be used; allowed: .* to ")
    for bad in ("7", "<b>7</b>", True, [7], {"x": 7}):
        _refused(_at(field.key, bad), r"cannot be used; (a number is needed|there is no field)")
    check(parse_inspection(json.dumps(_at(field.key, high))), knowledge())


@pytest.mark.parametrize("field", WORDS, ids=lambda field: field.key)
def test_every_word_of_a_document_is_one_of_those_permitted(field):
    for bad in ("perhaps", "", 3, "<script>alert(1)</script>", "x" * 5000):
        _refused(_at(field.key, bad), r"cannot be used; allowed: '")
    for word in field.values:
        check(parse_inspection(json.dumps(_at(field.key, word))), knowledge())


@pytest.mark.parametrize("field", [*FIGURES, *WORDS], ids=lambda field: field.key)
@pytest.mark.parametrize("bad", ["-999", "1e5", "nan", "<i>7</i>", "9" * 119])
def test_every_entry_field_refuses_what_cannot_be(field, bad):
    with pytest.raises(InvalidInput, match=r"allowed: |a number is needed"):
        read_entry(CornerFindings, field.key, bad, knowledge(), confirmed=True)


@pytest.mark.parametrize("field", [f for f in FIGURES if f.likely], ids=lambda field: field.key)
def test_every_figure_that_is_possible_but_unlikely_is_asked_about(field):
    if field.likely[1] < field.possible[1]:
        with pytest.raises(Surprising, match="is unusual; usual: "):
            read_entry(CornerFindings, field.key, f"{field.possible[1]:g}", knowledge())


def test_faults_found_in_a_document_survive_the_way_to_another_process():
    """Vehicles are worked out in several processes: one that cannot be read must say so, not break the others."""
    faults = [InvalidInput("a", 1, "allowed: 2"), InvalidInput("b", 3, "allowed: 4")]
    again = pickle.loads(pickle.dumps(InvalidDocument(faults)))
    assert str(again) == "a: 1 cannot be used; allowed: 2\nb: 3 cannot be used; allowed: 4"
