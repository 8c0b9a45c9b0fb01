"""What weighs too much or too little: made-up suspects whose truth is drawn by known chances."""

from __future__ import annotations

import numpy as np
import pytest

from scripts.calibration.weighing import DB, Weighed, weighed_of, weighing_table, wrong_weights


def drawn(tells: float, count: int = 16000) -> list[Weighed]:
    """Suspects at even odds but for one finding of up to 2 nats either way, that in truth tells `tells` times that."""
    random = np.random.default_rng(5)
    out = []
    for weight in random.uniform(-2, 2, count):
        said, true = (1 / (1 + np.exp(-factor * weight)) for factor in (1.0, tells))
        out.append(Weighed(float(said), bool(random.random() < true), {"gap": float(weight * DB)}))
    return out


@pytest.mark.parametrize(("tells", "share"), [(1.0, 0.0), (1.5, 0.5), (0.5, -0.5)])
def test_what_a_finding_should_weigh_is_found(tells, share):
    """For and against; three standard errors of so many suspects."""
    made = wrong_weights(drawn(tells))
    assert {one.speaks for one in made} == {"for", "against"}
    assert [one.share for one in made] == pytest.approx([share, share], abs=0.12)


def beside() -> list[Weighed]:
    """Another finding, that tells what it should."""
    return [Weighed(one.said, one.true, {"noise": one.decibans["gap"]}) for one in drawn(1.0)]


def test_only_what_is_off_by_more_than_chance_is_told():
    fine, heavy = weighing_table([*drawn(1.0), *beside()]), weighing_table([*drawn(0.3), *beside()])
    assert fine == "No kind of finding weighs too much or too little by more than chance."
    assert "| gap | for | -" in heavy
    assert "| gap | against | -" in heavy
    assert "noise" not in heavy


def test_the_weights_of_a_vehicle_are_those_of_its_story():
    made = [one for number in range(4) for one in weighed_of(number, 11)]
    assert made
    assert all(0.02 < one.said < 0.98 for one in made)
    assert any("pad_mm, as worn" in one.decibans or "spin, as dragging" in one.decibans for one in made)
