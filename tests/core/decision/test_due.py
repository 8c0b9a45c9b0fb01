"""What single findings are due: every value of the table, alone on an otherwise healthy vehicle (common practice)."""

from __future__ import annotations

import pytest

from mesotrope.core.decision.verdict import VERDICTS
from mesotrope.core.language.corner import Corner
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import ALL_FREE, FREE, answer, pads

HEALTHY = {"spin": FREE, "pad_mm": pads(8.0, 8.2), **ALL_FREE}

#: An axle that has what a finding needs: the rear, with the parking brake in the caliper or in the rotor's hat.
BRAKES = {"parking_brake_in_caliper": "integral_cable", "parking_brake_in_drum": "drum_in_hat"}

ROWS = [(due, value) for due in knowledge().dues for value in due.values]


def _answered(due, value):
    named = [field.key for field in knowledge().corner_fields if field.finding == due.finding]
    part = named[0].partition(".")[2]
    found = {**HEALTHY, due.finding: {part: value} if part else value}
    vehicle = {}
    for need in due.needs:
        if need in BRAKES:
            vehicle = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": BRAKES[need]}}}
    return answer({corner: found if corner == Corner.REAR_LEFT else HEALTHY for corner in list(Corner)[:4]}, **vehicle)


@pytest.mark.parametrize(("due", "value"), ROWS, ids=[f"{due.finding} {value}" for due, value in ROWS])
def test_a_bad_value_alone_is_acted_on_and_never_called_sound(due, value):
    decision = _answered(due, value).decision
    verdict = decision.corners[Corner.REAR_LEFT].verdict
    assert VERDICTS.index(verdict) >= VERDICTS.index(due.verdict)
    done = {(step.corner, step.action) for step in decision.actions}
    for action in due.actions:
        assert any(name == action for _, name in done), (action, done)
    if due.unsafe:
        assert f"rear left: {due.unsafe}" in map(PLAINLY, decision.unsafe)


def test_the_table_names_findings_values_and_actions_that_there_are():
    known = knowledge()
    for due in known.dues:
        assert set(due.actions) <= known.action.keys()
        assert set(due.values) <= known.corner_finding[due.finding].values.keys(), due.finding


def test_a_worse_value_is_never_milder():
    """Within a finding the vocabulary goes from usual to worst; the verdict never falls on the way."""
    for finding in ("bearing", "shield", "parking_lever", "pin_condition"):
        words = list(knowledge().corner_finding[finding].values)
        by_value = {value: due.verdict for due in knowledge().dues if due.finding == finding for value in due.values}
        ranks = [VERDICTS.index(by_value.get(word, "sound")) for word in words if word in by_value]
        assert ranks == sorted(ranks)
