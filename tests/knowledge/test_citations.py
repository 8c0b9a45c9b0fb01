"""Citing: every calculation names its source by a key of the one list, and nothing stands in the list uncited."""

from __future__ import annotations

import re

import pytest

from mesotrope.core.language.known import CITED
from mesotrope.core.workings import WORKINGS
from mesotrope.knowledge import knowledge
from mesotrope.knowledge.citations import CALCULATING, calculations_of, cited_by, modules_of

CALCULATIONS = [
    (f"{module.__name__.rpartition('.')[2]}.{name}", doc)
    for package in CALCULATING
    for module in modules_of(package)
    for name, doc in calculations_of(module)
]


@pytest.mark.parametrize(("name", "doc"), CALCULATIONS, ids=[name for name, _ in CALCULATIONS])
def test_a_calculation_cites_its_source_in_its_own_docstring(name, doc):
    assert re.search(r"[Ss]ource: ", doc), f"{name} names no source"
    assert CITED.findall(doc), f"{name} cites nothing of the list"


def test_what_is_cited_is_in_the_list_and_what_is_in_the_list_is_cited():
    known = knowledge()
    rows = [row.source for row in (*known.limits, *known.gauges, *known.fluid_grades)]
    in_data = {key for text in (*rows, *(working.source for working in WORKINGS)) for key in CITED.findall(text)}
    assert in_data | cited_by().keys() == known.source.keys()


def test_a_citation_is_written_out_and_said_to_be_from_memory():
    cite = knowledge().cite
    assert cite("[good]") == "Good, Probability and the Weighing of Evidence, 1950 (from memory)"
    assert cite("[practice]") == "common practice"
    with pytest.raises(KeyError, match="nobody"):
        cite("[nobody]")


def test_a_published_row_names_its_source_by_key():
    for row in (*knowledge().limits, *knowledge().gauges):
        assert bool(CITED.search(row.source)) == (row.basis == "published"), row.id
