"""Inspection documents as files, and the schema that is published with them."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.errors import InvalidInput
from mesotrope.interchange.inspections import MOST_DOCUMENTS, SCHEMA_NAME, read_inspections, schema, write_inspection
from mesotrope.knowledge import knowledge
from tests.documents import document, inspect, pads

ROOT = Path(__file__).resolve().parents[2]
ONE = json.dumps(document({"front_left": {"pad_mm": pads(5, 6)}}))


def _read(text):
    return read_inspections(text.encode(), knowledge())


@pytest.mark.parametrize("text", [ONE, f"[{ONE}, {ONE}]", f"{ONE}\n{ONE}\n", f"\ufeff{ONE}"])
def test_one_document_a_list_or_one_a_line(text):
    read = _read(text)
    assert len(read) == max(1, text.count('"findings"'))
    assert read[0].corner("front_left").pad_mm.inner.lead_rim == 4.9


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "must be JSON"),
        ("[]", "at least one inspection document is needed"),
        (f'{ONE}\n{{"findings": {{"corners": {{"front_left": {{"pull_n": -4}}}}}}}}', "line 2.*allowed: 0 to 1000 N"),
        (f'[{ONE}, {{"vehicle": {{"kind": "boat"}}}}]', "document 2.*allowed: 'car'"),
        ('{"findings": {"corners": {"front_left": {"pin": {"top": "free"}}}}}', "no field of this name"),
        ("[" * 100_000, "must be JSON"),
    ],
)
def test_a_file_with_a_fault_is_refused_whole_with_its_place(text, message):
    with pytest.raises(InvalidInput, match=f"(?s){message}"):
        _read(text)


def test_too_many_documents_are_refused():
    with pytest.raises(InvalidInput, match=f"up to {MOST_DOCUMENTS} at once"):
        _read("{}\n" * (MOST_DOCUMENTS + 1))


figures = st.floats(0, 15).map(lambda v: round(v, 2))


@given(
    st.dictionaries(st.sampled_from(["lead_rim", "lead_hub", "trail_rim", "trail_hub"]), figures, min_size=1), figures
)
def test_a_document_comes_back_as_it_was_written(places, lip):
    before = inspect({"rear_right": {"pad_mm": {"outer": places}, "rotor_lip_mm": min(lip, 10)}}, model_year=2014)
    assert _read(write_inspection(before)) == [before]


def test_the_schema_in_docs_is_the_one_that_is_served():
    assert json.loads((ROOT / "docs" / SCHEMA_NAME).read_text(encoding="utf-8")) == schema()


def test_the_schema_takes_what_the_product_takes_and_refuses_what_it_refuses():
    jsonschema.Draft202012Validator.check_schema(schema())
    check = jsonschema.Draft202012Validator(schema())
    example = json.loads((ROOT / "docs/example-inspection.json").read_text())
    assert not list(check.iter_errors(example))
    for wrong in ({"version": 2}, {"findings": {"corners": {"middle": {}}}}, {"vehicle": {"kind": "boat"}}):
        assert list(check.iter_errors(wrong))
