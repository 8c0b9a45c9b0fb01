"""Faults of the whole system, and what corners do to the whole vehicle: practice cases by trade reasoning.

Source of every case: common practice (how each fault shows, and by what the others are cleared).
"""

from __future__ import annotations

import json
from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.evidence.collect import collect
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.posterior import Posterior
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import ALL_FREE, DRAGS, FREE, FRONT_LEFT, FRONT_RIGHT, REAR_LEFT, REAR_RIGHT, document, pads

FIRM = {
    "pedal_travel": 0.3, "pedal_feel": "firm", "pedal_hold": "holds", "pedal_pump": "no_change",
    "pedal_on_engine_start": "drops", "pedal_release": "full",
}  # fmt: skip
NORMAL = {"spin": FREE, "pad_mm": pads(7.0, 7.2), **ALL_FREE}
WHOLE = dict.fromkeys((FRONT_LEFT, FRONT_RIGHT, REAR_LEFT, REAR_RIGHT), NORMAL)
ALL_DRAG = {corner: {**NORMAL, "spin": DRAGS} for corner in WHOLE}


def written(system, corners=None, visit=None, **vehicle):
    text = document(corners or {}, **vehicle)
    text["findings"]["system"] = system
    text["visit"] = visit or {}
    return parse_inspection(json.dumps(text))


def answered(system, corners=None, visit=None, **vehicle):
    return diagnose(written(system, corners, visit, **vehicle), knowledge())


CASES = {
    "the pedal sinks under a steady foot, no leak to be found, level steady": (
        {**FIRM, "pedal_hold": "sinks", "visible_leak": "none", "fluid_level": 0.6}, WHOLE,
        (VEHICLE, "master_cylinder_bypass"), ["external_leak", "air_in_hydraulics"],
    ),
    "the pedal sinks, fluid is seen under the body and the level is low": (
        {**FIRM, "pedal_hold": "sinks", "visible_leak": "underbody", "fluid_level": -0.2, "warning_lamp": "brake"},
        WHOLE,
        (VEHICLE, "external_leak"), ["booster_weak", "reservoir_overfilled"],
    ),
    "spongy, long, rises when pumped, holds: air": (
        {**FIRM, "pedal_feel": "spongy", "pedal_travel": 0.6, "pedal_pump": "rises"}, WHOLE,
        (VEHICLE, "air_in_hydraulics"), ["master_cylinder_bypass", "booster_weak"],
    ),
    "low, pumps up firm, holds, no air: clearance": (
        {**FIRM, "pedal_travel": 0.62, "pedal_pump": "rises"}, WHOLE,
        (VEHICLE, "excess_running_clearance"), ["master_cylinder_bypass", "external_leak"],
    ),
    "hard, and no drop as the engine starts": (
        {**FIRM, "pedal_feel": "hard", "pedal_on_engine_start": "no_change"}, WHOLE,
        (VEHICLE, "booster_weak"), ["air_in_hydraulics", "master_cylinder_bypass"],
    ),
    "all four drag, no free play, the line loosened at the master frees": (
        {**FIRM, "pedal_release": "no_free_play", "smell": "hot"},
        {**ALL_DRAG,
         FRONT_LEFT: {**ALL_DRAG[FRONT_LEFT], "line_loosened_at_master": "frees", "bleeder_opened": "frees"}},
        (VEHICLE, "master_cylinder_not_releasing"), ["external_leak", "booster_weak"],
    ),
    "wet, dark and old": (
        {**FIRM, "fluid_water_percent": 3.8, "fluid_colour": "brown", "fluid_age_months": 70}, WHOLE,
        (VEHICLE, "fluid_degraded"), ["fluid_contaminated_mineral_oil", "external_leak"],
    ),
    "cloudy, with a swollen cap seal": (
        {**FIRM, "fluid_colour": "cloudy", "cap_seal": "swollen"}, WHOLE,
        (VEHICLE, "fluid_contaminated_mineral_oil"), ["external_leak", "booster_weak"],
    ),
    "over MAX on worn pads, topped up": (
        {**FIRM, "fluid_level": 1.3, "topped_up_since_service": "yes"}, WHOLE,
        (VEHICLE, "reservoir_overfilled"), ["external_leak", "air_in_hydraulics"],
    ),
    "a low pedal whose reason is a piston stuck in its bore": (
        {**FIRM, "pedal_travel": 0.5, "pedal_pump": "rises", "pull_braking": "right"},
        {**WHOLE, FRONT_LEFT: {"spin": FREE, "pad_mm": pads(10.5, 10.6), "pad_gap_mm": {"inner": 1.3, "outer": 0.9},
                                 "piston_pushback": ["immovable"]}},
        (FRONT_LEFT, "piston_seized_released"), ["air_in_hydraulics", "master_cylinder_bypass"],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_a_practice_case_names_what_it_must_and_not_what_it_must_not(name):
    system, corners, (corner, fault), cleared = CASES[name]
    answer = answered(system, corners)
    suspects = [s for s in answer.suspects if s.fault not in ("no_fault", "worn_out_normally")]
    assert (suspects[0].corner, suspects[0].fault) == (corner, fault)
    assert suspects[0].probability > 0.5
    for other in cleared:
        assert answer.chances[VEHICLE, other] < 0.1


def test_a_pull_speaks_for_the_weak_side_and_mirrors():
    left, right = (answered({"pull_braking": side}).chances for side in ("left", "right"))
    for fault in ("piston_seized_released", "lining_contaminated"):
        assert left[FRONT_RIGHT, fault] > 2 * left[FRONT_LEFT, fault]
        assert left[FRONT_RIGHT, fault] == pytest.approx(right[FRONT_LEFT, fault], rel=1e-9)


def test_a_hot_hub_against_a_cool_partner_is_a_dragging_corner():
    hot = {REAR_LEFT: {"hub_temperature_c": 190.0}, REAR_RIGHT: {"hub_temperature_c": 60.0}}
    answer = answered({}, hot, {"ambient_c": 20.0})
    assert answer.chances[REAR_LEFT, "no_fault"] < 0.2
    assert answer.chances[REAR_RIGHT, "no_fault"] > 0.7  # one cable may hold both, and 40 °C is what braking makes
    assert any("170 °C over the outside" in PLAINLY(r.because) for s in answer.suspects for r in s.reasons_for)


def test_a_free_wheel_that_is_hot_is_to_be_measured_again():
    strange = {FRONT_LEFT: {"spin": {"turns": 8, "seconds": 9}, "hub_temperature_c": 290.0},
               FRONT_RIGHT: {"spin": {"turns": 8, "seconds": 9}, "hub_temperature_c": 45.0}}  # fmt: skip
    answer = answered({}, strange, {"ambient_c": 20.0}, driven="rear")
    assert any("front left hub 270 °C over the outside" in words for words in map(PLAINLY, answer.contradictions))


def test_both_sides_alike_warm_accuse_nobody():
    warm = {FRONT_LEFT: {"hub_temperature_c": 70.0}, FRONT_RIGHT: {"hub_temperature_c": 66.0}}
    answer = answered({}, warm, {"ambient_c": 20.0})
    assert answer.chances[FRONT_LEFT, "no_fault"] > 0.8


def test_all_wheels_hot_is_the_master_cylinder_where_they_are_held_and_the_drive_where_they_are_free():
    """Common practice: all four hot is a master cylinder that does not release, or a foot on the pedal."""
    four = (FRONT_LEFT, FRONT_RIGHT, REAR_LEFT, REAR_RIGHT)
    master = VEHICLE, "master_cylinder_not_releasing"
    hot, free, held = (
        answered({}, {corner: {"hub_temperature_c": 140.0, **spin} for corner in four}, {"ambient_c": 20.0}).chances
        for spin in ({}, {"spin": {"turns": 3, "seconds": 5}}, {"spin": {"turns": 0.6, "seconds": 0.8}})
    )
    assert held[master] > 0.6 > hot[master] > 0.1 > free[master]
    assert all(free[corner, "no_fault"] > 0.8 for corner in four)


@pytest.mark.parametrize("finding", ["hub_temperature_c", "rotor_face"])
def test_what_lets_go_on_the_way_in_is_pressure_before_it_is_rust(finding):
    """Common practice: what a hose keeps in seeps away; a seized piston does not free itself. The odds of the two are
    held against those where the wheel was not spun."""
    seen = {"hub_temperature_c": {"hub_temperature_c": 160.0}, "rotor_face": {"rotor_face": {"inner": "blued"}}}[
        finding
    ]
    beside = {FRONT_RIGHT: {"hub_temperature_c": 60.0, "spin": {"turns": 3, "seconds": 5}}}
    unspun, free = (
        answered({}, {FRONT_LEFT: seen | spin, **beside}, {"ambient_c": 20.0}).chances
        for spin in ({}, {"spin": {"turns": 3, "seconds": 5}})
    )
    hose, piston = (FRONT_LEFT, "hose_restricted"), (FRONT_LEFT, "piston_seized_applied")
    assert free[hose] / free[piston] > 3 * unspun[hose] / unspun[piston]


def test_different_lining_codes_and_weak_braking_are_comparisons():
    codes = {FRONT_LEFT: {"pad_material": "FF"}, FRONT_RIGHT: {"pad_material": "ee "}}
    alike = {FRONT_LEFT: {"pad_material": "FF"}, FRONT_RIGHT: {"pad_material": "ff"}}
    misfit = FRONT_LEFT, "pad_or_hardware_misfitted"
    assert answered({}, codes).chances[misfit] > 5 * answered({}, alike).chances[misfit]
    forces = {"brake_force_n": {FRONT_LEFT: 2400.0, FRONT_RIGHT: 300.0}}
    answer = answered(forces, {FRONT_RIGHT: {"hose": "sound"}})
    assert answer.chances[FRONT_RIGHT, "piston_seized_released"] > 0.5
    assert answer.chances[FRONT_LEFT, "piston_seized_released"] < 0.05


def test_hydraulics_opened_lately_speak_for_air():
    spongy = {"pedal_feel": "spongy"}
    after, never = (
        answered(spongy, visit={"recent_work": work}).chances[VEHICLE, "air_in_hydraulics"] for work in (["hoses"], [])
    )
    assert after > 2 * never


def test_the_level_is_judged_against_the_wear_that_was_measured():
    """Half-worn all round: 0.6 is what the wear explains; the same level on new pads is not."""
    half, new = (
        answered({"fluid_level": 0.35}, {c: {"pad_mm": pads(*thick)} for c in WHOLE}).chances[VEHICLE, "external_leak"]
        for thick in ((5.0, 5.2), (10.8, 10.8))
    )  # fmt: skip
    assert new > 10 * half


def test_unknown_is_no_evidence():
    assert answered({"topped_up_since_service": "unknown"}).suspects == ()


def test_nothing_of_the_pedal_is_asked_of_a_motorcycles_booster():
    tests = answered({"pedal_feel": "hard"}, kind="motorcycle").tests
    assert "pedal_on_engine_start" not in {t.finding for t in tests}
    assert not {t.finding for t in tests if t.finding.startswith("pull_")}


def test_the_pedal_is_asked_about_before_a_wheel_comes_off():
    answer = answered({"pedal_travel": 0.65})
    offered = {t.finding for t in answer.next_tests if t.corner is VEHICLE}
    assert offered & {"pedal_pump", "pedal_feel", "pedal_hold"}


ANYTHING = st.fixed_dictionaries({}, optional={
    "pedal_hold": st.sampled_from(["holds", "sinks"]), "pedal_pump": st.sampled_from(["no_change", "rises"]),
    "pull_braking": st.sampled_from(["none", "left", "right"]), "pedal_travel": st.floats(0.1, 0.95),
    "fluid_level": st.floats(-0.4, 1.4), "smell": st.sampled_from(["none", "hot"]),
    "fluid_water_percent": st.floats(0, 6), "cap_seal": st.sampled_from(["sound", "swollen"]),
})  # fmt: skip


@given(ANYTHING)
def test_chances_of_the_whole_vehicle_are_chances(system):
    assert all(0 <= p <= 1 for p in overview(written(system), knowledge()).chances.values())


def test_the_terms_of_findings_of_the_vehicle_against_plain_enumeration():
    """Noisy-MAX and the sided pull, worked out cause by cause for vehicles with any number of faults."""
    known = knowledge()
    space = space_of(known, complete_specification(written({}), known))
    random = np.random.default_rng(2)
    pump, pulls = known.likelihood["pedal_pump"], known.likelihood["pull_braking"]
    _, leak_left, leak_right = pulls.healthy
    for chance in (0.02, 0.1, 0.4):
        at_corners = {
            corner: [name for name in here.spoken if random.random() < chance] for corner, here in space.corners.items()
        }
        of_system = [fault.id for fault in space.system_faults if random.random() < chance]
        speaking = [f for f in (*of_system, *(f for here in at_corners.values() for f in here)) if f in pump.rows]
        stays = pump.healthy[0] * np.prod([pump.rows[f][0] / pump.healthy[0] for f in speaking])
        assert _values(space, pump, at_corners, of_system) == pytest.approx([stays, 1 - stays])
        not_left, not_right = 1 - leak_left, 1 - leak_right
        for corner, here in at_corners.items():
            for away, toward in (pulls.rows[fault] for fault in here if fault in pulls.rows):
                share = 1.0 if corner.axle == "front" else pulls.rear_share
                to_left, to_right = (toward, away) if corner.side == "left" else (away, toward)
                not_left, not_right = not_left * (1 - share * to_left), not_right * (1 - share * to_right)
        left, right = (1 - not_left) * (1 + not_right) / 2, (1 - not_right) * (1 + not_left) / 2
        assert _values(space, pulls, at_corners, of_system) == pytest.approx([not_left * not_right, left, right])


def _values(space, likelihood, at_corners, of_system):
    """Chances of a finding's values for one vehicle, from its terms."""
    found = space.elementary(likelihood)
    log = found.terms.system @ [float(fault.id in of_system) for fault in space.system_faults]
    for corner, logs in found.terms.corners.items():
        log = log + logs @ [float(name in at_corners[corner]) for name in space.corners[corner].spoken]
    return (found.terms.coefficient * np.exp(log)) @ found.counts


def _few(known):
    """A hidden fault and a condition at each corner, two hidden faults and a condition of the system."""
    names = ("piston_seized_released", "lining_contaminated", "air_in_hydraulics", "external_leak", "fluid_degraded")
    return known.model_copy(update={"faults": tuple(known.fault[name] for name in names)})


def test_four_bad_corners_and_a_bad_system_against_brute_force():
    """Every vehicle that there can be, one by one: faults at all corners, of the system, and findings of both."""
    known = _few(knowledge())
    bad = {"piston_pushback": ["immovable"], "piston_boot": "torn"}
    found = {
        FRONT_LEFT: bad, FRONT_RIGHT: {**bad, "bleeder": "seized"}, REAR_LEFT: {"bleeder": "rusted"},
        REAR_RIGHT: {"piston_pushback": ["immovable"], "pad_condition": {"outer": "sound"}},
    }  # fmt: skip
    seen = {"pedal_pump": "rises", "smell": "hot", "pull_braking": "left", "parking_brake_holds": "weak",
            "fluid_colour": "brown"}  # fmt: skip
    inspection = written(seen, found)
    specification = complete_specification(inspection, known)
    space = space_of(known, specification)
    evidence = collect(inspection, specification, measure_all(inspection, specification, known), known)
    ours = Posterior(known, specification, space, evidence, {}).suspects()
    totals, whole = dict.fromkeys(ours, 0.0), 0.0
    sets = list(product((0, 1), repeat=2))  # of a corner's faults, in the order of the data
    corners = [FRONT_LEFT, FRONT_RIGHT, REAR_LEFT, REAR_RIGHT]
    at_corner = {(c, r, s): _by_hand(known, evidence, c, r, s) for c in corners for r in range(4) for s in sets}
    system = [f for f in known.faults if f.scope == "system"]
    of_corner = [f for f in known.faults if f.scope == "corner"]
    for level, chance in enumerate(known.rust.chances):
        for held in product(sets, repeat=4):
            here = chance * np.prod([at_corner[c, level, s] for c, s in zip(corners, held, strict=True)])
            for of_system in product((0, 1), repeat=len(system)):
                weight = here * _of_vehicle_by_hand(known, seen, corners, held, of_system)
                whole += weight
                for fault, there in zip(system, of_system, strict=True):
                    totals[VEHICLE, fault.id] += weight * there
                for corner, own in zip(corners, held, strict=True):
                    for fault, there in zip(of_corner, own, strict=True):
                        totals[corner, fault.id] += weight * there
    for suspect, total in totals.items():
        if suspect[1] != "no_fault":
            assert ours[suspect] == pytest.approx(total / whole, rel=1e-9), suspect


def _by_hand(known, evidence, corner, level, held):
    """Prior of a corner's faults at a level of rust, times how likely what was found there is."""
    faults = [f for f in known.faults if f.scope == "corner"]
    shared, unit = known.rust.levels[level], known.often.unit
    odds = [unit * f.odds * shared.times**f.rusts * (1 if f.condition else shared.neglect) for f in faults]
    weight = np.prod([o if there else 1.0 for o, there in zip(odds, held, strict=True)])
    weight /= np.prod([1 + o for o in odds])
    causes = [f for f, there in zip(faults, held, strict=True) if there]
    for item in evidence:
        if item.corner != corner:
            continue
        row = item.likelihood
        now = row.rust.get(shared.shows_as or shared.id, row.healthy)
        speaking = [row.rows[f.id] for f in causes if f.id in row.rows]
        levels = range(len(known.drag.levels)) if row.drag else [None]
        rubbing = [f.id for f in causes if f.mechanism[0].drag and not f.mechanism[0].spares_pads]
        drag = _worst([f.mechanism[0].drag for f in causes], known.drag.healthy, known.drag.healthy)
        total = 0.0
        for at in levels:
            marks = row.drag.get(known.drag.levels[at]) if row.drag and rubbing else None
            beside = np.cumsum(row.healthy)
            if row.drag:
                table = [
                    np.cumsum(row.drag[name]) if name in row.drag else np.ones(len(now)) for name in known.drag.levels
                ]
                marked = {f.id: np.array(f.mechanism[0].drag) @ table if f.id in rubbing else 1.0 for f in causes}
                besides = {name: beside * by_drag for name, by_drag in marked.items()}
            at_most = np.cumsum(now) * (np.cumsum(marks) if marks else 1.0)
            for f in causes:
                if f.id in row.rows:
                    against = besides[f.id] if row.drag else beside
                    added = np.minimum(np.cumsum(row.rows[f.id]) / against, 1)
                    at_most = at_most * np.minimum.accumulate(added[::-1])[::-1]
            at_most[-1] = 1
            share = drag[at] if row.drag else 1.0
            total += share * (np.diff(at_most, prepend=0) @ item.emission)
        assert speaking or total > 0
        weight *= total
    return weight


def _worst(rows, leak, nobody):
    if not rows:
        return np.array(nobody)
    at_most = np.cumsum(leak)
    for row in rows:
        added = np.minimum(np.cumsum(row) / np.cumsum(leak), 1)
        at_most = at_most * np.minimum.accumulate(added[::-1])[::-1]
    at_most[-1] = 1
    return np.diff(at_most, prepend=0)


def _of_vehicle_by_hand(known, seen, corners, held, of_system):
    """Prior of the system's faults, who comes in, and how likely what was found of the vehicle is."""
    system = [f for f in known.faults if f.scope == "system"]
    of_corner = [f for f in known.faults if f.scope == "corner"]
    odds = [known.often.unit * f.odds for f in system]
    weight = np.prod([o / (1 + o) if there else 1 / (1 + o) for o, there in zip(odds, of_system, strict=True)])
    here = {
        c: [f for f, there in zip(of_corner, own, strict=True) if there] for c, own in zip(corners, held, strict=True)
    }
    present = [f for f, there in zip(system, of_system, strict=True) if there]
    everything = [*present, *(f for found in here.values() for f in found)]
    names = [[f.id] for f in present] + [[f"{c.axle}.{f.id}", f.id] for c, found in here.items() for f in found]
    if all(fault.condition for fault in everything):
        weight *= known.often.nothing_comes_in
    for key, value in seen.items():
        row = known.likelihood[key]
        if not row.sided:
            told = [row.rows[own[0]] for of in names if (own := [name for name in of if name in row.rows])]
            table = _worst(told, row.healthy, row.healthy)
            weight *= table[row.order.index(value)]
            continue
        stays = {"left": 1 - row.healthy[1], "right": 1 - row.healthy[2]}
        for corner, found in here.items():
            other = "right" if corner.side == "left" else "left"
            share = 1.0 if corner.axle == "front" else row.rear_share
            for away, toward in (row.rows[f.id] for f in found if f.id in row.rows):
                stays[corner.side] *= 1 - share * toward
                stays[other] *= 1 - share * away
        weight *= (1 - stays["left"]) * (1 + stays["right"]) / 2  # it pulls to the left
    return weight
