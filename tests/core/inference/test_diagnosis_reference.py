"""The posterior against a network worked on paper, and against a general-purpose exact inference library.

The reference network is written out here a second time, in plain Python from the descriptions in the docstrings,
node by node, and handed to the library: nothing of the engine is used to build it.
"""

from __future__ import annotations

import math
from itertools import product
from statistics import NormalDist

import pyagrum
import pytest

from mesotrope.core.evidence.collect import collect
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.posterior import Posterior, decibans
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.faults import Count, Fault, Likelihood, Mechanism
from mesotrope.core.language.inspection import Inspection
from mesotrope.knowledge import knowledge
from tests.documents import inspect, pads

CORNERS = (Corner.FRONT_LEFT, Corner.FRONT_RIGHT)
ONLY_FRONT = {"axles": {"rear": {"caliper": "drum"}}}


def _posterior(known, inspection: Inspection) -> Posterior:
    specification = complete_specification(inspection, known)
    measures = measure_all(inspection, specification, known)
    evidence = collect(inspection, specification, measures, known)
    return Posterior(known, specification, space_of(known, specification), evidence, {})


def test_a_small_network_worked_on_paper():
    """One wheel, faults A and B with odds 3 and 1; none, one, two faults: 0.5, 0.4, 0.1.

    Prior: none 0.5; A 0.4·3/4 = 0.3; B 0.1; both 0.1. A pin is seized with 0.8 from A, 0.1 otherwise.
    Seized given A alone: 1 − 0.2·0.9 = 0.82, as given both; given none or B 0.1.
    P(A | seized) = (0.3 + 0.1)·0.82 / (0.4·0.82 + 0.6·0.1) = 0.328 / 0.388.
    """
    drag = (0.9, 0.04, 0.03, 0.02, 0.01)
    known = knowledge().model_copy(
        update={
            "count": Count(chances=(0.5, 0.4, 0.09999999, 1e-8), note=""),
            "faults": (
                Fault(id="A", words="A", scope="corner", odds=3, mechanism=(Mechanism(drag=drag),)),
                Fault(id="B", words="B", scope="corner", odds=1, mechanism=(Mechanism(drag=drag),)),
            ),
            "likelihoods": (
                Likelihood(key="pin.upper", order=("free", "seized"), healthy=(0.9, 0.1), rows={"A": (0.2, 0.8)}),
                knowledge().likelihood["piston_pushback.worst"],
            ),
        }
    )
    single = inspect({"front": {"pin": {"upper": "seized"}}}, kind="motorcycle", front_discs=1,
                     axles={"front": {"caliper": "floating", "pistons": 1}, "rear": {"caliper": "drum"}})  # fmt: skip
    assert _posterior(known, single).suspects()["front", "A"] == pytest.approx(0.328 / 0.388, rel=1e-6)


def _small_knowledge():
    """Three corner faults (one with two mechanisms) and a master cylinder that reaches both corners or one."""
    whole = knowledge()
    names = ("slide_pins_seized", "piston_not_releasing", "hose_restricted", "master_cylinder_not_releasing")
    keys = ("pin.upper", "bleeder_opened", "piston_pushback.worst", "pad_gap_mm.inner")
    return whole.model_copy(
        update={
            "faults": tuple(whole.fault[name] for name in names),
            "likelihoods": tuple(whole.likelihood[key] for key in keys),
            "wear": whole.wear.model_copy(update={"points": 4}),
            "driveline": whole.driveline.model_copy(update={"points": 3}),
        }
    )


class Reference:
    """The same model as a Bayesian network of a general-purpose library."""

    def __init__(self, known, inspection: Inspection) -> None:
        self.known, self.net, self.seen = known, pyagrum.BayesNet(), {}
        self.faults = [fault for fault in known.faults if fault.scope == "corner"]
        self.system = next(fault for fault in known.faults if fault.scope == "system")
        self.spec = complete_specification(inspection, known)
        self.inspection = inspection
        self.measures = measure_all(inspection, self.spec, known)
        for name, fault in [(f"{c}:{f.id}", f) for c in CORNERS for f in self.faults] + [("system", self.system)]:
            shares = [1.0, *(fault.odds * m.share for m in fault.mechanism)]
            self._node(name, len(shares), [], lambda _, s=shares: [x / sum(s) for x in s])
        self._node("W", 4, [], lambda _: [0.25] * 4)
        self._node("G", 3, [], lambda _: [1 / 3] * 3)
        self._priors()
        for corner in CORNERS:
            self._corner(corner)

    # A node with its table, row by row of its parents; `likely` is a node that was seen, with a chance to scale.
    def _node(self, name, size, parents, row):
        self.net.add(pyagrum.LabelizedVariable(name, name, size))
        for parent in parents:
            self.net.addArc(parent, name)
        for values in product(*(range(self.net.variable(p).domainSize()) for p in parents)):
            self.net.cpt(name)[dict(zip(parents, values, strict=True)) if parents else {}] = row(values)

    def _seen(self, name, parents, likelihood):
        table = {v: likelihood(*v) for v in product(*(range(self.net.variable(p).domainSize()) for p in parents))}
        most = max(table.values())
        self._node(name, 2, parents, lambda v: [1 - table[v] / most, table[v] / most])
        self.seen[name] = 1

    def _corner_parents(self, corner):
        return [f"{corner}:{fault.id}" for fault in self.faults] + ["system"]

    def _causes(self, corner, values):
        """The (fault, mechanism) pairs that act at a corner."""
        acting = [(f, f.mechanism[v - 1]) for f, v in zip(self.faults, values[:-1], strict=True) if v]
        if values[-1]:
            mechanism = self.system.mechanism[values[-1] - 1]
            circuit = {Corner.FRONT_LEFT: "circuit_1", Corner.FRONT_RIGHT: "circuit_2"}[corner]  # diagonal split
            if mechanism.touches in ("all", circuit):
                acting.append((self.system, mechanism))
        return acting

    def _priors(self):
        """How many faults there are, and that corrosion likes both sides."""
        parents = [f"{c}:{f.id}" for c in CORNERS for f in self.faults] + ["system"]
        weight = [0.0] * 4

        def lift(values):
            left, right = values[: len(self.faults)], values[len(self.faults) : -1]
            both = [f.both_sides_lift for f, a, b in zip(self.faults, left, right, strict=True) if a and b]
            return math.prod(both)

        for values in product(*(range(self.net.variable(p).domainSize()) for p in parents)):
            chosen = [*[(f, v) for f, v in zip(self.faults * 2, values[:-1], strict=True)], (self.system, values[-1])]
            odds = math.prod(f.odds * f.mechanism[v - 1].share for f, v in chosen if v)
            count = sum(1 for v in values if v)
            if count <= 3:
                weight[count] += odds * lift(values)
        chances = self.known.count.chances

        def factor(*values):
            count = sum(1 for v in values if v)
            return chances[count] / weight[count] * lift(values) if count <= 3 else 0.0

        self._seen("prior", parents, factor)

    def _worst(self, rows, leak):
        """Noisy-MAX by enumeration: the worst that any cause gives."""
        out = [0.0] * len(leak)
        for outcome in product(*(range(len(leak)) for _ in [*rows, leak])):
            out[max(outcome)] += math.prod(row[o] for row, o in zip([*rows, leak], outcome, strict=True))
        return out

    def _finding(self, key, corner, values):
        row = self.known.likelihood[key]
        speaking = [c for f, m in self._causes(corner, values) if (c := row.row(f.id, m.id))]
        return self._worst(speaking, row.leak or row.healthy) if speaking else list(row.healthy)

    def _corner(self, corner):
        known, parents, found = self.known, self._corner_parents(corner), self.inspection.corner(corner)
        drag = known.drag

        def drag_row(v):
            return self._worst([m.drag for _, m in self._causes(corner, v) if m.drag], drag.healthy)

        self._node(f"drag {corner}", 5, parents, drag_row)
        self._seen(f"spin {corner}", [f"drag {corner}", "G"], lambda d, g: self._spin(corner, d, g))
        self._seen(
            f"wear {corner}", [*parents, f"drag {corner}", "W"],
            lambda *v: self._wear(corner, self._causes(corner, v[:-2]), v[-2], v[-1]),
        )  # fmt: skip
        for key, value in (("pin.upper", found.pin and found.pin.upper), ("bleeder_opened", found.bleeder_opened)):
            if value:
                at = known.likelihood[key].order.index(value)
                self._seen(f"{key} {corner}", parents, lambda *v, k=key, a=at: self._finding(k, corner, v)[a])
        if found.pad_gap_mm:
            row = known.likelihood["pad_gap_mm.inner"]
            sds = [math.hypot(sd, row.gauge_sd) for sd in row.sd]
            dense = [NormalDist(m, sd).pdf(found.pad_gap_mm.inner) + 1e-4 for m, sd in zip(row.mean, sds, strict=True)]
            self._seen(
                f"gap {corner}", parents,
                lambda *v: math.sumprod(self._finding("pad_gap_mm.inner", corner, v), dense)
                if hasattr(math, "sumprod")
                else sum(p * q for p, q in zip(self._finding("pad_gap_mm.inner", corner, v), dense, strict=True)),
            )  # fmt: skip

    def _spin(self, corner, level, g):
        spread = self.known.driveline.driven_nm  # the front is driven by default
        base = spread.median * math.exp(spread.log_sd * NormalDist().inv_cdf((g + 0.5) / 3))
        torque, sd = self.known.drag.torque_nm[level], self.known.drag.torque_log_sd[level]
        measured = self.measures[corner].drag
        total = torque + base
        spread_log = math.sqrt((torque * sd / total) ** 2 + measured.log_sd**2)
        return NormalDist(math.log(total), spread_log).pdf(math.log(measured.torque_nm)) + 1e-4

    def _wear(self, corner, causes, level, w):
        wear, drag, axle = self.known.wear, self.known.drag, self.spec.axles["front"]
        base = (w + 0.5) / 4 * axle.pad_new_mm
        pads_drag = any(not m.spares_pads for _, m in causes)

        def density(acting, with_level):
            level_log = drag.wear_log[level] if with_level else 0.0
            common = wear.corner_log_sd**2 + (drag.wear_log_sd[level] ** 2 if with_level else 0.0)
            split = (wear.split_log_sd**2 + sum(m.split_sd**2 for _, m in acting)) / 4
            mean, var, seen = [], [], []
            for side in ("inner", "outer"):
                shift = getattr(wear, side) + sum(getattr(m, side) for _, m in acting) + level_log
                mean.append(min(base * math.exp(shift), axle.pad_new_mm))
                pad = getattr(self.measures[corner], side).mean
                var.append(mean[-1] ** 2 * (common + split) + wear.floor_mm**2 + pad.sd**2)
                seen.append(axle.pad_new_mm - pad.value)
            between = mean[0] * mean[1] * (common - split)
            outer_sd = math.sqrt(var[1] - between**2 / var[0])  # inner first, then outer given inner
            outer_mean = mean[1] + between / var[0] * (seen[0] - mean[0])
            return NormalDist(mean[0], math.sqrt(var[0])).pdf(seen[0]) * NormalDist(outer_mean, outer_sd).pdf(seen[1])

        fresh = wear.fresh_onset if causes else 0.0
        shown = (1 - fresh) * density(causes, pads_drag) + fresh * density([], False)
        return (1 - wear.misread) * shown + wear.misread / axle.pad_new_mm**2

    def suspects(self):
        inference = pyagrum.LazyPropagation(self.net)
        inference.setEvidence(self.seen)
        inference.makeInference()
        out = {
            (corner, fault.id): 1 - inference.posterior(f"{corner}:{fault.id}")[0]
            for corner in CORNERS
            for fault in self.faults
        }
        out[VEHICLE, self.system.id] = 1 - inference.posterior("system")[0]
        return out


CASES = {
    "one corner drags": {
        Corner.FRONT_LEFT: {"spin": {"turns": 1, "seconds": 1.1}, "pad_mm": pads(3.5, 6.6), "pin": {"upper": "stiff"}},
        Corner.FRONT_RIGHT: {"spin": {"turns": 3, "seconds": 3.2}, "pad_mm": pads(6.8, 7.0)},
    },
    "trapped pressure": {
        Corner.FRONT_LEFT: {"spin": {"turns": 1, "seconds": 1.2}, "pad_mm": pads(5.1, 5.2), "bleeder_opened": "frees"},
        Corner.FRONT_RIGHT: {
            "spin": {"turns": 1.25, "seconds": 1.4},
            "pad_mm": pads(5.0, 5.2),
            "pad_gap_mm": {"inner": 0.0},
            "pin": {"upper": "free"},
        },
    },
    "both sides alike": {
        Corner.FRONT_LEFT: {"spin": {"turns": 3, "seconds": 3}, "pad_mm": pads(4.0, 7.5), "pin": {"upper": "seized"}},
        Corner.FRONT_RIGHT: {"spin": {"turns": 3, "seconds": 3}, "pad_mm": pads(4.4, 7.2), "pin": {"upper": "free"}},
    },
}


@pytest.mark.parametrize("case", CASES)
def test_the_same_network_in_a_general_library_agrees_to_nine_places(case):
    known, inspection = _small_knowledge(), inspect(CASES[case], **ONLY_FRONT)
    ours, theirs = _posterior(known, inspection).suspects(), Reference(known, inspection).suspects()
    for suspect, chance in theirs.items():
        assert ours[suspect] == pytest.approx(chance, abs=1e-9), suspect


def test_ten_decibans_are_odds_of_ten():
    """Good 1950 (from memory): 10 decibans multiply the odds by 10."""
    assert decibans(10 / 11, 0.5) == pytest.approx(10)
    assert decibans(0.5, 10 / 11) == pytest.approx(-10)
