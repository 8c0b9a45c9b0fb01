"""The practice cases, each held to what must be named, must not, must be done and must not be done."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.plan.packages import compare_all, plan_of
from mesotrope.knowledge import knowledge
from scripts.acceptance_doc import table
from tests.practice.cases import CASES, Case

PLACES = {"fl": Corner.FRONT_LEFT, "fr": Corner.FRONT_RIGHT, "rl": Corner.REAR_LEFT, "rr": Corner.REAR_RIGHT,
          "f": Corner.FRONT, "r": Corner.REAR, "v": VEHICLE}  # fmt: skip


def _inspection(case: Case):
    corners = {PLACES[place]: found for place, found in case.found.items()}
    document = {
        "vehicle": {"kind": "car", **(case.vehicle or {})},
        "visit": case.visit or {},
        "findings": {"corners": corners, "system": case.system or {}},
    }
    return parse_inspection(json.dumps(document))


def _pairs(words):
    return [(PLACES[place], what) for place, what in (word.split() for word in words)]


@pytest.mark.parametrize("case", CASES, ids=[case.name for case in CASES])
def test_a_practice_case_is_judged_as_a_master_would(case):
    known, inspection = knowledge(), _inspection(case)
    answer = diagnose(inspection, known)
    chances = answer.chances
    for suspect in _pairs(case.named):
        assert chances.get(suspect, 0.0) >= 0.5, (suspect, chances.get(suspect))
    for suspect in _pairs(case.not_named):
        assert chances.get(suspect, 0.0) < 0.5, (suspect, chances.get(suspect))
    decided = {(step.corner, step.action) for step in answer.decision.actions}
    planned = {(s.corner, s.action) for s in plan_of(answer.decision.actions, compare_all(answer, inspection, known))}
    for place, action in _pairs(case.done):
        ways = {(place, one) for one in {action} | known.in_place_of.get(action, frozenset())}
        assert ways & decided, (place, action, sorted(decided))
        assert ways & planned, (place, action, sorted(planned))
    for done in _pairs(case.not_done):
        assert done not in decided | planned
    if case.verdict:
        assert answer.decision.verdict in case.verdict.split(), (answer.decision.verdict, answer.decision.open)
    open_at = {one.place for one in answer.decision.open}
    for place in case.open:
        assert PLACES[place] in open_at
        assert answer.decision.verdict != "sound"
    assert not open_at & {PLACES[place] for place in case.settled}
    first = next(((test.corner, test.finding) for test in answer.next_tests), None)
    assert not case.next or first in _pairs(case.next)


def test_the_cases_cover_every_kind_of_vehicle_and_several_faults_at_once():
    assert len(CASES) >= 60
    assert {(case.vehicle or {}).get("kind", "car") for case in CASES} == {"car", "light_truck", "motorcycle"}
    assert sum(len(case.named) >= 4 for case in CASES) >= 2


def test_the_acceptance_table_is_fresh():
    page = Path(__file__).resolve().parents[2] / "docs" / "acceptance.md"
    assert page.read_text(encoding="utf-8") == table(), "make the table again: python scripts/acceptance_doc.py"
