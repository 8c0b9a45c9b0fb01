"""The calibration report: its figures by hand, and a small run of the whole."""

from __future__ import annotations

import numpy as np
import pytest

from scripts import calibrate
from scripts.calibration import cases, ceiling
from scripts.calibration.cases import Case, case_of, vehicle_of
from scripts.calibration.regret import NOT_LOOKED_AT, NOT_TOLD, SHOWS_NOTHING, Regret, _calipers, _needless, regret_of
from scripts.calibration.report import by_fault, decision_table, figures, regret_table, reliability, top_right
from scripts.calibration.settling import settle


def case(truth, chances, corners=("rear_left", "rear_right")):
    return Case(frozenset(truth), corners, chances, {}, {})


HOSE, PISTON = ("rear_left", "hose_restricted"), ("rear_left", "piston_not_releasing")
OTHER = ("rear_right", "hose_restricted")
TESTED = [
    case({HOSE}, {HOSE: 0.9, PISTON: 0.1, OTHER: 0.0}),
    case({HOSE}, {HOSE: 0.3, PISTON: 0.7, OTHER: 0.6}),
    case(set(), {HOSE: 0.1, PISTON: 0.1, OTHER: 0.1}),
]


def test_expected_calibration_error_by_hand():
    """0.9 said once and true, 0.6 said four times and true twice: |0.9-1| x 1/5 + |0.6-0.5| x 4/5 = 0.1."""
    made = reliability([0.9, 0.6, 0.6, 0.6, 0.6], [True, True, True, False, False])
    assert made.error == pytest.approx(0.1)


def test_the_farthest_tenth_is_one_with_cases_enough():
    """0.55 said a hundred times and true 60 times is 0.05 off; 0.95 said once and not true does not count."""
    made = reliability([0.55] * 100 + [0.95], [True] * 60 + [False] * 41)
    assert made.farthest == pytest.approx(0.05)


def test_the_top_suspect_counts_only_where_there_is_a_fault():
    assert top_right(TESTED, [c.chances for c in TESTED]) == pytest.approx(1 / 2)


def test_figures_by_hand():
    """Healthy corners: rear right twice of the faulty vehicles, both of the sound one; one is named at 0.6: 1 of 4."""
    made = figures(TESTED, [c.chances for c in TESTED])
    assert made.false_alarms == pytest.approx(1 / 4)
    squares = [0.01, 0.01, 0.0, 0.49, 0.49, 0.36, 0.01, 0.01, 0.01]
    assert made.brier == pytest.approx(sum(squares) / 9)


def test_a_fault_is_counted_where_it_is_there_and_where_it_is_not():
    rows = {fault: (there, named, third, falsely) for fault, there, named, third, falsely in by_fault(TESTED)}
    assert rows["hose_restricted"] == (2, 0.5, 1.0, 1)


def test_the_same_number_is_the_same_vehicle():
    first, second = (case_of(7, 11, "measure") for _ in range(2))
    assert first.truth == second.truth
    assert first.chances == second.chances


def test_what_is_stripped_does_not_follow_from_the_truth():
    """Stripped as often where a fault shows nothing as where there is none: nobody knows the truth beforehand."""

    def stripped(faulty):
        shares = []
        for number in range(400):
            vehicle, inspection = vehicle_of(3, number)
            silent = {"rotor_worn_or_damaged", "pad_or_hardware_misfitted", "lining_contaminated"}
            names = {fault for _, fault in vehicle.truth}
            if vehicle.build.kind != "car" or (names and not names <= silent):
                continue
            shares += [
                inspection.corner(corner).pad_mm is not None
                for corner in vehicle.build.corners
                if any(where == corner for where, _ in vehicle.truth) == faulty
            ]
        return float(np.mean(shares))

    assert stripped(True) < stripped(False) + 0.35


def test_knowing_the_truth_never_costs_more_than_another_way_of_deciding():
    for number in range(12):
        made = regret_of(number, 5)
        assert made.best <= min(made.recommended, made.left, made.renewed) + 1e-6


def test_the_regret_of_a_row_is_its_mean_excess_over_the_best():
    """Two vehicles: 10 and 30 over the best of 100 and 200: 20 on the mean, never none."""
    table = regret_table([Regret(100, 110, 150, 900, True), Regret(200, 230, 200, 900, True)])
    assert "| the package recommended | 170 | 20 | 0.0 % |" in table
    assert "| only what a hard rule demands | 175 | 25 | 50.0 % |" in table


def test_a_vehicle_is_settled_sooner_than_in_the_whole_order():
    for number in (0, 1):
        done = settle(number, 5)
        assert 0 < done.minutes < done.fixed_minutes
        assert done.tests < done.fixed_tests


class InThisProcess:
    """In place of processes of its own, each of which would first learn every kind of vehicle."""

    def map(self, make, numbers, chunksize):
        return map(make, numbers)


def test_the_report_is_written_whole(tmp_path, monkeypatch):
    monkeypatch.setattr(cases, "_pool", InThisProcess)
    monkeypatch.setattr(ceiling, "ROUNDS", 4)
    sizes = "--learnt 24 --tested 12 --settled 1 --closed 4 --held-out 4 --practised 1"
    calibrate.main([*sizes.split(), "--into", str(tmp_path)])
    written = (tmp_path / "calibration.md").read_text(encoding="utf-8")
    assert "{" not in written
    assert "12 vehicles that are tested" in written
    assert "| all | 1 |" in (tmp_path / "calibration" / "practice.md").read_text(encoding="utf-8")
    for picture in ("reliability.svg", "minutes.svg", "learning.svg"):
        assert (tmp_path / "calibration" / picture).read_text(encoding="utf-8").rstrip().endswith("</svg>")


def test_a_caliper_is_needless_where_no_fault_there_and_no_rule_asks_for_it():
    """Of three: a seal that does not pull back asks for the first, a rule for the second, nothing for the third."""
    calipers = {("rear_left", "rebuild_caliper"), ("rear_right", "replace_caliper"), ("front_left", "rebuild_caliper")}
    demanded = frozenset({("rear_right", "replace_caliper")})
    done = calipers | {("rear_left", "replace_pads")}
    assert len(_calipers(frozenset(done))) == 3
    truth = frozenset({PISTON, ("front_left", "slide_pin_seized_one")})
    assert _needless(frozenset(done), demanded, truth) == {"front_left"}


def test_a_danger_is_missed_for_a_reason_that_is_told():
    """Of one that shows nothing nobody could tell; of one that nobody looked at the next look tells."""
    made = [
        Regret(1, 1, 1, 1, True, danger=True, missed=why) for why in (SHOWS_NOTHING, NOT_LOOKED_AT, NOT_LOOKED_AT, "")
    ]
    table = decision_table(made)
    assert "nothing open | 3 of 4 |" in table
    assert f"| of them: {SHOWS_NOTHING} | 1 |" in table
    assert f"| of them: {NOT_LOOKED_AT} | 2 |" in table
    assert f"| of them: {NOT_TOLD} | 0 |" in table
