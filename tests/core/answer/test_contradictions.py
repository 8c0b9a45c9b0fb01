"""Findings that fit nothing else that was found, and how well a finding fits what is believed."""

from __future__ import annotations

import json

import numpy as np
import pytest

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import ALL_FREE, DRAGS, FREE, document, inspect, pads

HEALTHY = {"spin": FREE, "pad_mm": pads(7.0, 7.1), **ALL_FREE, "pad_gap_mm": {"inner": 0.2, "outer": 0.2}}


def contradictions(front_left, system=None):
    written = document({Corner.FRONT_LEFT: front_left, Corner.FRONT_RIGHT: HEALTHY})
    written["findings"]["system"] = system or {}
    written["visit"] = {"ambient_c": 20}
    return tuple(map(PLAINLY, diagnose(parse_inspection(json.dumps(written)), knowledge()).contradictions))


def test_a_wheel_that_spins_freely_and_is_hot_is_measured_again():
    """Common practice: heat on an ordinary drive comes from drag; a free wheel at 190 °C was measured wrongly."""
    said = contradictions({**HEALTHY, "spin": {"turns": 9, "seconds": 12}, "hub_temperature_c": 190})
    assert said
    assert all(sentence.startswith("measure again: ") for sentence in said)
    assert any("190" in sentence or "hub" in sentence for sentence in said)


@pytest.mark.parametrize(
    ("hub_c", "spin", "told"),
    [(150, FREE, True), (80, FREE, False), (150, DRAGS, False)],
    ids=["hot and free", "hardly warmer", "hot and dragging"],
)
def test_what_is_hot_from_the_drive_and_free_on_the_lift_is_spun_again_while_it_holds(hub_c, spin, told):
    """Common practice: pressure that a hose keeps in seeps away until the wheel is on the lift."""
    corners = {Corner.FRONT_LEFT: {"spin": spin, "hub_temperature_c": hub_c}}
    corners[Corner.FRONT_RIGHT] = {"spin": FREE, "hub_temperature_c": 62}
    written = {**document(corners), "visit": {"ambient_c": 20}}
    said = [PLAINLY(words) for words in diagnose(parse_inspection(json.dumps(written)), knowledge()).contradictions]
    assert any(words.startswith("front left: hot after the drive, and free on the lift") for words in said) == told


@pytest.mark.parametrize(
    "front_left",
    [
        HEALTHY,
        {**HEALTHY, "hub_temperature_c": 45},
        {
            **HEALTHY,
            "spin": DRAGS,
            "hub_temperature_c": 170,
            "piston_pushback": ["immovable"],
            "pad_mm": pads(3.0, 4.0),
        },
    ],
    ids=["healthy", "healthy and warm", "dragging, hot and stuck"],
)
def test_findings_that_tell_one_story_are_not_questioned(front_left):
    """Common practice: what a healthy or a seized brake shows together needs no second measuring."""
    assert contradictions(front_left) == ()


@pytest.mark.parametrize("seed", range(6))
def test_how_well_a_finding_fits_is_a_share_and_for_the_vehicle_is_what_its_definition_says(seed):
    """By the definition: the chance of what was found under all that is believed, over the best that any gives it."""
    random = np.random.default_rng(seed)
    vehicle = simulate_vehicle(random, "car")
    seen = parse_inspection(json.dumps(inspect_vehicle(random, vehicle, thorough=1)))
    posterior = overview(seen, knowledge()).posterior
    assert posterior is not None
    for item in posterior.evidence:
        fit = posterior.fit(item)
        assert 0 <= fit <= 1 + 1e-9
        if item.corner is VEHICLE and not posterior.found.speaks_of_corners(item):
            by_set = posterior.space.chances_by_set(item.likelihood) @ item.emission
            singles = posterior.space.system_members.sum(axis=1) <= 1
            if by_set[singles].max() >= 0.4 * item.emission.max():
                assert fit == pytest.approx((posterior.set_chances * by_set).sum() / by_set[singles].max(), rel=1e-9)
            else:
                assert fit == 1.0


def test_a_finding_of_the_vehicle_that_corners_speak_to_fits_as_their_faults_do():
    """It smells hot and a piston is seized on: that fits; on a vehicle all free and cool it hardly does."""
    hot = {"smell": "hot"}
    stuck = {**HEALTHY, "spin": {"turns": 0, "seconds": 0}, "piston_pushback": ["immovable"]}
    fits = [
        min(posterior.fit(item) for item in posterior.found.items)
        for posterior in (
            overview(inspect({Corner.FRONT_LEFT: corner}, hot), knowledge()).posterior for corner in (stuck, HEALTHY)
        )
    ]
    assert fits[0] > fits[1] + 0.2


def test_a_small_thing_that_just_happens_is_never_questioned():
    """Common practice: a vibration or a lamp has causes outside the brakes."""
    assert contradictions(HEALTHY, {"warning_lamp": "none", "vibration": "none"}) == ()


def read_at_four(lead_rim, lead_hub, trail_rim, trail_hub):
    inner = {"lead_rim": lead_rim, "lead_hub": lead_hub, "trail_rim": trail_rim, "trail_hub": trail_hub}
    return [words for words in contradictions(HEALTHY | {"pad_mm": {"inner": inner}}) if "wears flat" in words]


def test_a_place_that_lies_off_the_plane_of_the_others_is_measured_again():
    """Geometry: the other three of 7.9, 7.9 and 7.8 put the fourth at 7.8, and it reads 4.2."""
    (told,) = read_at_four(7.9, 7.9, 7.8, 4.2)
    assert told.startswith("front left: the inner pad reads 4.2 mm at its trailing hub")
    assert "at 7.8 mm" in told


@pytest.mark.parametrize("wedge", [(7.9, 7.9, 4.2, 4.2), (7.9, 4.2, 7.9, 4.2), (3.0, 4.5, 6.0, 7.5)])
def test_a_wedge_is_flat_and_not_measured_again(wedge):
    assert read_at_four(*wedge) == []


@pytest.mark.parametrize(("seen_mm", "told"), [(2.0, True), (11.5, True), (6.0, False), (9.0, False)])
def test_a_lining_that_looked_otherwise_through_the_window_is_measured_again(seen_mm, told):
    """Common practice: an eye at the window errs by a millimeter or so. On the bench the pad reads 7.0 mm."""
    said = contradictions(HEALTHY | {"window_pad_mm": {"inner": seen_mm}})
    assert any(words.startswith("front left: the inner pad looked like") for words in said) == told


@pytest.mark.parametrize(
    ("found", "missing"),
    [
        ({"pull_n": 60}, "the radius it was read at is missing"),
        ({"spin": {"turns": 0.5}}, "turns and seconds tell the drag only together"),
        ({"leak_at": "hose_union"}, "it is not said that anything leaks"),
        ({"pull_n": 60, "pull_radius_mm": 300}, ""),
        ({"spin": {"turns": 0}}, ""),  # that no hand turns it is said whole
    ],
)
def test_what_is_only_half_written_is_said_to_tell_nothing(found, missing):
    notes = [PLAINLY(words) for words in diagnose(inspect({"front_left": found}), knowledge()).notes]
    assert any(missing in words for words in notes) if missing else not notes
