"""Measurements as a table: both ways, without loss, without formulas."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.errors import InvalidDocument, InvalidInput
from mesotrope.interchange.cells import defused, undefused
from mesotrope.interchange.measurements import Row, read_measurements, write_measurements
from mesotrope.knowledge import knowledge

PLACES = st.sampled_from(
    [("front_left", "pad_mm.inner.lead_rim"), ("rear_right", "rotor_mm.3"), ("rear_left", "hub_temperature_c"),
     ("system", "fluid_level"), ("system", "fluid_water_percent"), ("front_right", "pull_n")]
)  # fmt: skip
FIGURES = st.floats(1.0, 10.0).map(lambda v: round(v, 3))
WORDS = st.sampled_from(
    [("front_left", "pin.upper", "seized"), ("system", "pedal_hold", "sinks"), ("rear_left", "hose", "sound")]
)
CODES = st.text(
    st.characters(codec="utf-8", exclude_categories=["Cc", "Cs", "Zl", "Zp"]), min_size=1, max_size=30
).filter(lambda t: t.strip() == t)


def _read(text):
    return read_measurements(text.encode(), knowledge())


@given(st.dictionaries(PLACES, FIGURES), st.lists(WORDS, max_size=3), CODES)
def test_a_table_comes_back_as_it_was_written(numbers, words, code):
    rows = {**{place: round(min(v, 2.5), 3) if place[1] == "fluid_level" else v for place, v in numbers.items()},
            **{(c, f): v for c, f, v in words}, ("front_left", "pad_material"): code}  # fmt: skip
    text = write_measurements([Row(c, f, v, "=cmd()") for (c, f), v in rows.items()], knowledge())
    assert _read(text) == pytest.approx(rows)


@given(CODES)
def test_no_cell_can_be_run_and_every_cell_can_be_read_back(text):
    assert not defused(text).startswith(("=", "+", "-", "@", "\t"))
    assert undefused(defused(text)) == text


def test_a_figure_carries_its_unit_and_who_entered_it():
    text = write_measurements([Row("front_left", "pad_mm.inner.lead_rim", 7.5, "Ilse")], knowledge())
    [row] = csv.DictReader(io.StringIO(text))
    assert (row["value"], row["unit"], row["entered_by"]) == ("7.5", "mm", "Ilse")


@pytest.mark.parametrize(
    ("value", "unit", "kept"),
    [("9/32", "in", 7.14375), ("7,5", "", 7.5), ('"7,5"', "mm", 7.5), ('".295"""', "", 7.493)],
)
def test_values_are_read_as_people_write_them(value, unit, kept):
    text = f"corner;finding;value;unit\nfront_left;pad_mm.inner.lead_rim;{value};{unit}\n"
    assert list(_read(text).values()) == [pytest.approx(kept)]


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("a,b\n1,2\n", "these columns are needed: corner, finding, value"),
        ("corner,finding,value\n", "at least one figure"),
        ("corner,finding,value\nmiddle,hose,sound\n", "row 2, corner.*allowed: front left, front right"),
        ("corner,finding,value\nfront_left,hose,purple\n", "row 2, hose.*allowed: sound"),
        ("corner,finding,value\nfront_left,pull_n,-3\n", "row 2.*allowed: 0 to 1000 N"),
        ("corner,finding,value\nfront_left,pull_n,\n", "a value is needed in every row"),
        ("corner,finding,value\nfront_left,nothing,3\n", "no finding of this name"),
        ("corner,finding,value\nfront_left,hose," + "x" * 131_073 + "\n", "it cannot be read as a table"),
    ],
)
def test_a_table_with_a_fault_is_refused_with_row_and_reason(text, message):
    with pytest.raises((InvalidDocument, InvalidInput), match=f"(?s){message}"):
        _read(text)


def test_every_fault_of_a_table_is_told_at_once():
    with pytest.raises(InvalidDocument) as caught:
        _read("corner,finding,value\nfront_left,hose,purple\nfront_left,pull_n,x\n")
    assert len(caught.value.faults) == 2
