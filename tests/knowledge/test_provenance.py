"""Sources: every value with its origin, its unit and the parts of the program that use it."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

import mesotrope
from mesotrope.knowledge import knowledge
from mesotrope.knowledge.provenance import PARTS, sourced_values, used_in

KEPT = [*knowledge().limits, *knowledge().gauges]
CODE = Path(mesotrope.__file__).parent


@pytest.mark.parametrize("kept", KEPT, ids=lambda row: row.id)
def test_every_limit_and_gauge_error_is_asked_for_by_name_somewhere(kept):
    asking = [path for path in CODE.rglob("*.py") if re.search(rf"[\"']{kept.id}[\"']", path.read_text("utf-8"))]
    assert asking, f"{kept.id} is kept and nothing uses it"
    told = set(used_in(kept.id))
    assert told
    named = {PARTS[where] for path in asking if (where := path.relative_to(CODE).as_posix()) in PARTS}
    assert told == named


def test_values_are_told_in_their_unit():
    by_name = {(row.group, row.name): row.value for row in sourced_values(knowledge())}
    # 06-references, common practice: over 8 N·m a fault; lining under 1.6 mm (49 CFR 393.47, from memory)
    assert by_name["Limits", "drag fault"] == "8 N·m"
    assert by_name["Limits", "lining legal floor"] == "1.6 mm"
    assert by_name["Limits", "fluid age"] == "36 months"


def test_a_value_is_common_practice_or_names_its_source_from_memory():
    for row in sourced_values(knowledge()):
        assert row.source
        if row.group in ("Limits", "Gauge errors", "Fluid grades"):
            assert row.source == "common practice" or row.source.endswith("(from memory)")
