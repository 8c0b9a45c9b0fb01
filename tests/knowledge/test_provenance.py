"""Sources: every value with its origin, its unit and the parts of the program that use it."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from typing import Any

import pytest

import mesotrope.app  # every part of the product declares what it relies on when it is loaded
from mesotrope.core.answer.answer import diagnose
from mesotrope.core.evidence.job_numbers import job_numbers
from mesotrope.core.evidence.readings import readings_of
from mesotrope.core.evidence.wear_log import wear_log
from mesotrope.core.language.reliance import used_in
from mesotrope.demo.load import inspections
from mesotrope.knowledge import knowledge
from mesotrope.knowledge.provenance import sourced_values
from mesotrope.words import PLAINLY

KEPT = [*knowledge().limits, *knowledge().gauges]


@pytest.mark.parametrize("kept", KEPT, ids=lambda row: row.id)
def test_every_limit_and_gauge_error_is_relied_on_by_some_part_of_the_product(kept):
    assert mesotrope.app
    assert used_in(kept.id), f"{kept.id} is kept and nothing uses it"


class Noting(dict[str, Any]):
    """Values that note which module reads which of them."""

    def __init__(self, values: dict[str, float]) -> None:
        super().__init__(values)
        self.read: set[tuple[str, str]] = set()

    def __getitem__(self, name: str) -> Any:
        self.read.add((sys._getframe(1).f_globals["__name__"], name))
        return super().__getitem__(name)


def _read_while_answering() -> Iterator[tuple[str, str]]:
    known = knowledge().model_copy()
    noting = {name: Noting(getattr(knowledge(), name)) for name in ("limit", "gauge")}
    known.__dict__.update(noting)
    for inspection in inspections():
        answer = diagnose(inspection, known)
        job_numbers(inspection, answer.specification, answer.measures, known)
        wear_log([readings_of(1, inspection)], answer.specification, known)
    for values in noting.values():
        yield from values.read


def test_no_module_reads_a_value_that_it_does_not_declare_to_rely_on():
    read = set(_read_while_answering())
    assert len(read) > 20
    for module, name in sorted(read):
        assert name in sys.modules[module].RELIES_ON, f"{module} reads {name}"


def test_values_are_told_in_their_unit():
    by_name = {(row.group, PLAINLY(row.name)): PLAINLY(row.value) for row in sourced_values(knowledge())}
    # 06-references, common practice: over 8 N·m a fault; lining under 1.6 mm (49 CFR 393.47, from memory)
    assert by_name["Limits", "drag fault"] == "8 N·m"
    assert by_name["Limits", "lining legal floor"] == "1.6 mm"
    assert by_name["Limits", "fluid age"] == "24 months"


def test_a_value_is_common_practice_or_names_its_source_from_memory():
    for row in sourced_values(knowledge()):
        assert row.source
        if row.group in ("Limits", "Gauge errors", "Fluid grades"):
            assert row.source == "common practice" or row.source.endswith("(from memory)")
