"""The walks of CONTRIBUTING, followed: a new finding and a new fault are data; the engine takes them as they come."""

from __future__ import annotations

from typing import Literal

from pydantic import create_model

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.faults import Fault, Likelihood, Mechanism
from mesotrope.core.language.inspection import CornerFindings, Corners, Findings, Inspection
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.core.language.work import Cure, Remedy
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import DRAGS, inspect

#: Step 2: a field of the format, with its permitted words.
WithRock = create_model(
    "WithRock", __base__=CornerFindings, caliper_rock=(Literal["rocks", "still"] | None, None)
)  # fmt: skip

#: Step 3: a line of the vocabulary.
FIELD = VocabularyField(
    key="caliper_rock", label="caliper rocked by hand", doing="rock the caliper by hand", stage="wheel_off", minutes=1,
    values={"rocks": "rocks", "still": "does not move"}, needs=("floating",),
)  # fmt: skip

#: Step 4: rows that say what faults do to it.
ROWS = Likelihood(
    key="caliper_rock", order=("rocks", "still"), healthy=(0.95, 0.05),
    rows={"slide_pins_seized": (0.1, 0.9), "slide_pin_seized_one": (0.3, 0.7)},
    why={"slide_pins_seized": "a caliper that cannot be rocked cannot float"},
)  # fmt: skip


def _with_rock(rock):
    spun = inspect({Corner.FRONT_LEFT: {"spin": DRAGS}}).corner(Corner.FRONT_LEFT)
    found = WithRock(**spun.model_dump(exclude_none=True), **({"caliper_rock": rock} if rock else {}))
    return Inspection(findings=Findings(corners=Corners.model_construct(front_left=found)))


def test_a_new_finding_is_a_field_a_line_and_rows():
    known = knowledge().model_copy(
        update={
            "corner_fields": (*knowledge().corner_fields, FIELD),
            "likelihoods": (*knowledge().likelihoods, ROWS),
        }
    )
    seized = (Corner.FRONT_LEFT, "slide_pins_seized")
    untold, still, rocks = (diagnose(_with_rock(rock), known) for rock in (None, "still", "rocks"))
    assert still.chances[seized] > untold.chances[seized] > rocks.chances[seized]
    suspect = next(s for s in still.suspects if (s.corner, s.fault) == seized)
    assert any(
        PLAINLY(reason.because).endswith("(a caliper that cannot be rocked cannot float)")
        for reason in suspect.reasons_for
    )
    offered = {(test.corner, test.finding) for test in untold.tests}
    assert (Corner.FRONT_LEFT, "caliper_rock") in offered
    assert (Corner.FRONT_LEFT, "caliper_rock") not in {(test.corner, test.finding) for test in still.tests}


def test_a_new_fault_is_its_rows_with_what_is_done_about_it():
    iced = Fault(
        id="iced_up", words="ice between pad and rotor", scope="corner", odds=5.0,
        mechanism=(Mechanism(drag=(0.02, 0.03, 0.02, 0.03, 0.1, 0.3, 0.4, 0.1), spares_pads=True),),
    )  # fmt: skip
    assert len(iced.mechanism[0].drag) == len(knowledge().drag.levels)
    known = knowledge().model_copy(
        update={
            "faults": (*knowledge().faults, iced),
            "cures": (*knowledge().cures, Cure(fault="iced_up", verdict="service", actions=("straighten_shield",))),
            "remedies": (*knowledge().remedies, Remedy(id="iced_up", left="visit", cures={"straighten_shield": 0.9})),
        }
    )
    answer = diagnose(inspect({Corner.REAR_LEFT: {"spin": DRAGS}}), known)
    assert answer.chances[Corner.REAR_LEFT, "iced_up"] > 0.05
    assert "ice between pad and rotor" in {suspect.words for suspect in answer.suspects}
