"""The posterior against a network worked on paper, and against a general-purpose exact inference library.

The reference network is written out here a second time, in plain Python from the descriptions in the docstrings,
node by node, and handed to the library: nothing of the engine is used to build it.
"""

from __future__ import annotations

import math
from itertools import pairwise, product
from statistics import NormalDist

import pyagrum
import pytest

from mesotrope.core.evidence.collect import collect
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.posterior import Posterior
from mesotrope.core.inference.story import decibans
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.faults import BothSides, Fault, Likelihood, Mechanism, Rust, RustLevel
from mesotrope.core.language.inspection import Inspection
from mesotrope.knowledge import knowledge
from tests.documents import inspect, pads

CORNERS = (Corner.FRONT_LEFT, Corner.FRONT_RIGHT)
ONLY_FRONT = {"axles": {"rear": {"caliper": "drum"}}}

#: How a car's two circuits are split where nobody said.
SPLITS = {"diagonal": 0.7, "front_rear": 0.3}


def _posterior(known, inspection: Inspection) -> Posterior:
    specification = complete_specification(inspection, known)
    measures = measure_all(inspection, specification, known)
    evidence = collect(inspection, specification, measures, known)
    return Posterior(known, specification, space_of(known, specification), evidence, {})


def test_a_small_network_worked_on_paper():
    """One wheel, faults A and B of odds 1/4 and 1/9, no rust or neglect, all come in: A 0.2, B 0.1, each by itself.

    A pin is seized with 0.8 where A is alone, with 0.1 where nothing is: a row is the whole chance. B does not speak.
    P(A | seized) = 0.2·0.8 / (0.2·0.8 + 0.8·0.1) = 0.16 / 0.24.
    """
    drag = (0.9, 0.04, 0.01, 0.01, 0.01, 0.01, 0.01, 0.01)
    known = knowledge().model_copy(
        update={
            "often": knowledge().often.model_copy(update={"unit": 1 / 36, "nothing_comes_in": 1 - 1e-12}),
            "rust": Rust(levels=(RustLevel(id="usual", chance=1 - 1e-12, times=1),), by_age=(), note=""),
            "faults": (
                Fault(id="A", words="A", scope="corner", odds=9, mechanism=(Mechanism(drag=drag),)),
                Fault(id="B", words="B", scope="corner", odds=4, mechanism=(Mechanism(drag=drag),)),
            ),
            "likelihoods": (
                Likelihood(key="pin.upper", order=("free", "seized"), healthy=(0.9, 0.1), rows={"A": (0.2, 0.8)}),
                knowledge().likelihood["piston_pushback.worst"],
            ),
        }
    )
    single = inspect({"front": {"pin": {"upper": "seized"}}}, kind="motorcycle", front_discs=1,
                     axles={"front": {"caliper": "floating", "pistons": 1}, "rear": {"caliper": "drum"}})  # fmt: skip
    suspects = _posterior(known, single).suspects()
    assert suspects["front", "A"] == pytest.approx(0.16 / 0.24, rel=1e-9)
    assert suspects["front", "B"] == pytest.approx(0.1, rel=1e-9)


def _one_fault_of_both_sides(**of_both_sides):
    """Two wheels, one fault of odds 1/4 at each: all there is to know."""
    fault = Fault(
        id="A", words="A", scope="corner", odds=9, both_sides=BothSides(**of_both_sides),
        mechanism=(Mechanism(drag=(0.9, 0.04, 0.01, 0.01, 0.01, 0.01, 0.01, 0.01)),),
    )  # fmt: skip
    row = Likelihood(key="pin.upper", order=("free", "seized"), healthy=(0.9, 0.1), rows={"A": (0.2, 0.8)})
    return knowledge().model_copy(
        update={
            "often": knowledge().often.model_copy(update={"unit": 1 / 36, "nothing_comes_in": 1 - 1e-12}),
            "rust": Rust(levels=(RustLevel(id="usual", chance=1 - 1e-12, times=1),), by_age=(), note=""),
            "faults": (fault,),
            "likelihoods": (row, knowledge().likelihood["piston_pushback.worst"]),
        }
    )


@pytest.mark.parametrize(
    ("left", "right", "on_paper"),
    [
        # Nothing, one side, the other, both: 16 : 4 : 4 : 1 + 7. A seized pin weighs 0.8 with A, 0.1 without.
        ("seized", None, (4 * 0.8 + 8 * 0.8) / (16 * 0.1 + 4 * 0.8 + 4 * 0.1 + 8 * 0.8)),
        (None, "seized", (4 * 0.1 + 8 * 0.8) / (16 * 0.1 + 4 * 0.8 + 4 * 0.1 + 8 * 0.8)),
        ("seized", "seized", (4 * 0.08 + 8 * 0.64) / (16 * 0.01 + 4 * 0.08 + 4 * 0.08 + 8 * 0.64)),
        ("seized", "free", (4 * 0.8 * 0.9 + 8 * 0.8 * 0.2) / (16 * 0.09 + 4 * 0.72 + 4 * 0.02 + 8 * 0.16)),
    ],
)
def test_what_two_sides_share_worked_on_paper(left, right, on_paper):
    known = _one_fault_of_both_sides(times=7, why="both")
    found = {c: {"pin": {"upper": word}} for c, word in zip(CORNERS, (left, right), strict=True) if word}
    posterior = _posterior(known, inspect(found, **ONLY_FRONT))
    assert posterior.suspects()[Corner.FRONT_LEFT, "A"] == pytest.approx(on_paper, rel=1e-9)
    if right:  # the chance of what was found there, beside A here and beside nothing here
        with_it = {"seized": (4 * 0.1 + 8 * 0.8) / 12, "free": (4 * 0.9 + 8 * 0.2) / 12}[right]
        without = {"seized": (16 * 0.1 + 4 * 0.8) / 20, "free": (16 * 0.9 + 4 * 0.2) / 20}[right]
        assert posterior.share_of_partner(Corner.FRONT_LEFT, "A") == pytest.approx(with_it / without, rel=1e-9)


def test_what_an_axle_has_not_its_sides_do_not_share():
    known = _one_fault_of_both_sides(times=7, needs=("parking_brake_by_hand",), why="both")
    electric = {"axles": {"front": {"parking_brake": "electric_on_caliper"}, "rear": {"caliper": "drum"}}}
    found = {Corner.FRONT_LEFT: {"pin": {"upper": "seized"}}}
    beside = _posterior(known, inspect(found, **electric)).suspects()[Corner.FRONT_RIGHT, "A"]
    assert beside == pytest.approx(0.2, rel=1e-9)


def _small_knowledge():
    """Two hidden faults of a corner and a condition, some in several ways, and a master cylinder that reaches both."""
    whole = knowledge()
    names = ("slide_pins_seized", "piston_not_releasing", "rotor_worn_or_damaged", "master_cylinder_not_releasing")
    keys = ("pin.upper", "pin_condition.upper", "bleeder_opened", "piston_pushback.worst", "pad_gap_mm.inner")
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
        odds = [f.odds * known.often.unit for f in (self.system,)]
        self._node("R", len(known.rust.levels), [], lambda _: list(known.rust.chances))
        for corner, fault in product(CORNERS, self.faults):
            size = 1 + len(fault.mechanism)
            self._node(f"{corner}:{fault.id}", size, [], lambda _, size=size: [1 / size] * size)
        splits = SPLITS if inspection.vehicle.circuit_split is None else {inspection.vehicle.circuit_split: 1.0}
        self.ways = [
            (m, split, m.share * chance)
            for m in self.system.mechanism
            for split, chance in ({"": 1.0} if m.touches == "all" else splits).items()
        ]
        size = 1 + len(self.ways)
        shares = [1.0, *(odds[0] * share for _, _, share in self.ways)]
        self._node("system", size, [], lambda _: [share / (1 + odds[0]) for share in shares])
        self._node("W", 4, [], lambda _: [0.25] * 4)
        self._node("G", 3, [], lambda _: [1 / 3] * 3)
        self._priors()
        for corner in CORNERS:
            self._corner(corner)
        self._of_vehicle()

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
            mechanism, split, _ = self.ways[values[-1] - 1]
            right = "circuit_2" if split == "diagonal" else "circuit_1"
            circuit = {Corner.FRONT_LEFT: "circuit_1", Corner.FRONT_RIGHT: right}[corner]
            if mechanism.touches in ("all", circuit):
                acting.append((self.system, mechanism))
        return acting

    def _priors(self):
        """Corners by themselves, given rust and visitors; of vehicles without a hidden fault only some come in."""
        for corner in CORNERS:
            parents = [*self._corner_parents(corner), "R"]
            own = list(product(*(range(1 + len(f.mechanism)) for f in self.faults)))

            def weight(values, level):
                chosen = [(f, v) for f, v in zip(self.faults, values, strict=True) if v]
                of, unit = self.known.rust.levels[level], self.known.often.unit
                neglected = {True: 1.0, False: of.neglect}  # a condition is there whoever looks after the vehicle
                return math.prod(
                    unit * f.odds * of.times**f.rusts * neglected[f.condition] * f.mechanism[v - 1].share
                    for f, v in chosen
                )

            def chance(*values, corner=corner, own=own, weight=weight):
                *chosen, system, level = values
                visited = bool(self._causes(corner, [*([0] * len(self.faults)), system]))

                def fits(sets):
                    hidden = sum(1 for f, v in zip(self.faults, sets, strict=True) if v and not f.condition)
                    beside = any(v and f.condition for f, v in zip(self.faults, sets, strict=True))
                    return hidden <= 3 - visited - beside

                total = sum(weight(sets, level) for sets in own if fits(sets))
                return weight(chosen, level) / total if fits(chosen) else 0.0

            self._seen(f"own {corner}", parents, chance)
        for fault in self.faults:
            if fault.both_sides:
                self._seen(
                    f"both {fault.id}", [*(f"{c}:{fault.id}" for c in CORNERS), "R"],
                    lambda left, right, level, f=fault: 1 + self._shared(f, level) * (left > 0) * (right > 0),
                )  # fmt: skip
        parents = [f"{c}:{f.id}" for c in CORNERS for f in self.faults if not f.condition] + ["system"]
        self._seen("came in", parents, lambda *v: 1.0 if any(v) else self.known.often.nothing_comes_in)

    def _shared(self, fault, level):
        """How many times likelier the two sides have a fault together than each by itself; rust brings it once."""
        of = self.known.rust.levels[level]
        return fault.both_sides.times / (of.times**fault.rusts * (1.0 if fault.condition else of.neglect))

    def _worst(self, rows, leak):
        """The worst that any cause adds to what happens anyway; a row is the whole chance where its cause is alone."""
        at_most = [sum(leak[: v + 1]) for v in range(len(leak))]
        for row in rows:
            added = [min(1.0, sum(row[: v + 1]) / sum(leak[: v + 1])) for v in range(len(leak))]
            added = [min(added[v:]) for v in range(len(leak))]
            at_most = [p * q for p, q in zip(at_most, added, strict=True)]
        at_most[-1] = 1.0
        return [at_most[0], *(b - a for a, b in pairwise(at_most))]

    def _finding(self, key, corner, values, level=None):
        row = self.known.likelihood[key]
        speaking = [c for f, m in self._causes(corner, values) if (c := row.row(f.id, m.id))]
        if not level or not row.rust:
            return self._worst(speaking, row.leak or row.healthy) if speaking else list(row.healthy)
        if not speaking:
            return list(row.rust[level])
        at_most = [1.0] * len(row.order)  # what the causes add is worked out beside what is usual, then joined to this
        for cause in speaking:
            added = [min(1.0, sum(cause[: v + 1]) / sum(row.healthy[: v + 1])) for v in range(len(row.order))]
            at_most = [p * min(added[v:]) for v, p in enumerate(at_most)]
        at_most = [p * sum(row.rust[level][: v + 1]) for v, p in enumerate(at_most)]
        at_most[-1] = 1.0
        return [at_most[0], *(b - a for a, b in pairwise(at_most))]

    def _of_vehicle(self):
        """Smell and pull: findings of the whole vehicle to which corners speak."""
        parents = [f"{c}:{f.id}" for c in CORNERS for f in self.faults] + ["system"]
        names = [(c, f.id) for c in CORNERS for f in self.faults] + [("", self.system.id)]

        def present(values):
            return [name for name, value in zip(names, values, strict=True) if value]

        def smells(*values):
            row = self.known.likelihood["smell"]
            worst = self._worst([row.rows[f] for _, f in present(values) if f in row.rows], row.healthy)
            return worst[row.order.index(self.inspection.system.smell)]

        def pulls(*values):
            row = self.known.likelihood["pull_coasting"]
            _, left, right = row.healthy
            stays = {"left": 1 - left, "right": 1 - right}
            for corner, fault in present(values):
                if corner and fault in row.rows:
                    away, toward = row.rows[fault]
                    here, other = ("left", "right") if corner.endswith("left") else ("right", "left")
                    stays[here] *= 1 - toward
                    stays[other] *= 1 - away
            left, right = 1 - stays["left"], 1 - stays["right"]
            table = {"none": (1 - left) * (1 - right), "left": left * (1 - right) + left * right / 2}
            table["right"] = right * (1 - left) + left * right / 2
            return table[self.inspection.system.pull_coasting]

        if self.inspection.system.smell:
            self._seen("smell", parents, smells)
        if self.inspection.system.pull_coasting:
            self._seen("pull", parents, pulls)

    def _corner(self, corner):
        known, parents, found = self.known, self._corner_parents(corner), self.inspection.corner(corner)
        drag = known.drag

        def drag_row(v):
            return self._worst([m.drag for _, m in self._causes(corner, v) if m.drag], drag.healthy)

        self._node(f"drag {corner}", len(drag.levels), parents, drag_row)
        self._seen(f"spin {corner}", [f"drag {corner}", "G"], lambda d, g: self._spin(corner, d, g))
        self._node(f"age {corner}", len(known.age.km), [f"drag {corner}"], lambda v: list(known.age.chances[v[0]]))
        self._seen(
            f"wear {corner}", [*parents, f"drag {corner}", f"age {corner}", "W"],
            lambda *v: self._wear(corner, self._causes(corner, v[:-3]), *v[-3:]),
        )  # fmt: skip
        for key, value in (("pin.upper", found.pin and found.pin.upper), ("bleeder_opened", found.bleeder_opened)):
            if value:
                at = known.likelihood[key].order.index(value)
                self._seen(f"{key} {corner}", parents, lambda *v, k=key, a=at: self._finding(k, corner, v)[a])
        if found.bleeder_opened:  # nobody isolates a wheel that does not drag
            self._seen(f"isolated {corner}", [f"drag {corner}"], lambda d: drag.isolated[d])
        if found.pin_condition:
            row = known.likelihood["pin_condition.upper"]
            at = row.order.index(found.pin_condition.upper)
            levels = [level.shows_as or level.id for level in known.rust.levels]
            self._seen(
                f"surface {corner}", [*parents, "R"],
                lambda *v, a=at: self._finding(row.key, corner, v[:-1], levels[v[-1]])[a],
            )  # fmt: skip
        if found.pad_gap_mm:
            row = known.likelihood["pad_gap_mm.inner"]
            sds = [math.hypot(sd, row.gauge_sd) for sd in row.sd]
            assert found.pad_gap_mm.inner < min(row.mean)  # no gap at all: at most the least
            dense = [NormalDist(m, sd).cdf(min(row.mean)) + 1e-4 for m, sd in zip(row.mean, sds, strict=True)]
            self._seen(
                f"gap {corner}", parents,
                lambda *v: sum(p * q for p, q in zip(self._finding(row.key, corner, v), dense, strict=True)),
            )  # fmt: skip

    def _spin(self, corner, level, g):
        scale = self.spec.wheel_inertia_kg_m2 / self.known.drag.of_inertia_kg_m2
        spread = self.known.driveline.driven_nm  # the front is driven by default
        base = scale * spread.median * math.exp(spread.log_sd * NormalDist().inv_cdf((g + 0.5) / 3))
        torque, sd = scale * self.known.drag.torque_nm[level], self.known.drag.torque_log_sd[level]
        measured = self.measures[corner].drag_weighed
        inertia_sd = 0.25  # not given: a default, and the same at all wheels
        total = torque + base
        own = measured.log_sd**2 - inertia_sd**2
        spread_log = math.sqrt((torque / total) ** 2 * (sd**2 + inertia_sd**2) + own)
        return NormalDist(math.log(total), spread_log).pdf(math.log(measured.torque_nm)) + 1e-4

    def _wear(self, corner, causes, level, age, w):
        """The lining lost before the fault and with it, by braking and by the work of the drag (Archard)."""
        wear, drag, axle = self.known.wear, self.known.drag, self.spec.axles["front"]
        base = (w + 0.5) / 4 * axle.pad_new_mm
        gone_km = 1000 * base / self.known.wear_rate_mm_per_1000_km["mixed"]
        age_km = min(gone_km, self.known.age.km[age])
        acting = [m for _, m in causes]
        rub = [m for m in acting if m.drag and not m.spares_pads]
        on_road = drag.let_go_nm if drag.levels[level] == "let go" else drag.torque_nm[level]
        torque = on_road * self.spec.wheel_inertia_kg_m2 / drag.of_inertia_kg_m2 * drag.heat[level]
        work_mj = torque * age_km / self.spec.wheel_radius_mm if rub and drag.wears[level] else 0.0
        area = axle.pad_length_mm * axle.pad_height_mm * wear.pad_filled
        by_drag = wear.mm3_per_mj * work_mj / (2 * area)
        with_fault = base * age_km / gone_km * drag.brakes[level]
        before = base - base * age_km / gone_km
        share = max((m.inner_share for m in rub), key=lambda x: (abs(x - 0.5), x), default=0.5)
        mean, var, seen, dragged = [], [], [], []
        lost = with_fault + by_drag
        split_sd = max((m.split_sd for m in acting), default=0.0)
        split = ((wear.split_log_sd * (before + with_fault)) ** 2 + (split_sd * lost) ** 2) / 4
        for side, part in (("inner", share), ("outer", 1 - share)):
            push = max(-0.8, min(0.8, sum(getattr(m, side) for m in acting)))
            dragged.append(2 * part * by_drag)
            worn = math.exp(getattr(wear, side)) * (before + with_fault * math.exp(push)) + dragged[-1]
            mean.append(min(worn, axle.pad_new_mm))
            pad = getattr(self.measures[corner], side).mean
            own = wear.corner_log_sd**2 * mean[-1] ** 2 + (wear.by_drag_relative_sd * dragged[-1]) ** 2
            var.append(own + split + wear.floor_mm**2 + pad.sd**2)
            seen.append(axle.pad_new_mm - pad.value)
        between = wear.corner_log_sd**2 * mean[0] * mean[1] - split
        between += wear.by_drag_relative_sd**2 * dragged[0] * dragged[1]
        outer_sd = math.sqrt(var[1] - between**2 / var[0])  # inner first, then outer given inner
        outer_mean = mean[1] + between / var[0] * (seen[0] - mean[0])
        density = NormalDist(mean[0], math.sqrt(var[0])).pdf(seen[0]) * NormalDist(outer_mean, outer_sd).pdf(seen[1])
        # Each pad is 0.2 mm thinner at its leading end: a slip at one of four places would make all tapers alike, and
        # carry the mean by half of that; it has no twist, as a flat lining has none.
        unlike = ((0.2 - 0.2 / 3) ** 2 + 2 * (0.2 / 3) ** 2) / wear.slip_sd_mm**2
        carries = 1 - math.exp(-((0.1 / 3 / wear.slip_sd_mm) ** 2) / 2)
        at = NormalDist().pdf(0)
        one = 4 * wear.misread * math.exp(-unlike / 2) * at / (2 * wear.slip_sd_mm)
        two = 6 * wear.misread**2 / wear.misread_tapers_mm
        flat = at * ((1 - wear.not_flat) / wear.flat_twist_sd_mm + wear.not_flat / wear.not_flat_twist_sd_mm)
        flat *= 1 - 4 * wear.misread
        misread = 2 * (one * carries + two) / (one + two + flat)
        return (1 - misread) * density + misread / axle.pad_new_mm**2

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
    "everything rusty, it smells and pulls": {
        Corner.FRONT_LEFT: {
            "spin": {"turns": 0.5, "seconds": 0.8}, "pad_mm": pads(2.0, 5.0), "pin": {"upper": "seized"},
            "pin_condition": {"upper": "pitted"},
        },
        Corner.FRONT_RIGHT: {
            "spin": {"turns": 1, "seconds": 1.1}, "pad_mm": pads(2.4, 5.2), "pin": {"upper": "seized"},
            "pin_condition": {"upper": "corroded"},
        },
    },
}  # fmt: skip
SPLIT = {"trapped pressure": None, "both sides alike": "front_rear"}  # else diagonal
OF_VEHICLE = {"everything rusty, it smells and pulls": {"smell": "hot", "pull_coasting": "left"}}


@pytest.mark.parametrize("shared", [(), ("slide_pins_seized",), ("piston_not_releasing", "rotor_worn_or_damaged")])
@pytest.mark.parametrize("case", CASES)
def test_the_same_network_in_a_general_library_agrees_to_nine_places(case, shared):
    split = SPLIT.get(case, "diagonal")
    vehicle = {**ONLY_FRONT, "circuit_split": split}
    known, inspection = _small_knowledge(), inspect(CASES[case], OF_VEHICLE.get(case), **vehicle)
    both = {name: BothSides(times=30, why="both") for name in shared}
    faults = [f.model_copy(update={"both_sides": both.get(f.id)}) for f in known.faults]
    known = known.model_copy(update={"faults": tuple(faults)})
    ours, theirs = _posterior(known, inspection).suspects(), Reference(known, inspection).suspects()
    for suspect, chance in theirs.items():
        assert ours[suspect] == pytest.approx(chance, abs=1e-9), suspect


def test_ten_decibans_are_odds_of_ten():
    """Good 1950 (from memory): 10 decibans multiply the odds by 10."""
    assert decibans(10 / 11, 0.5) == pytest.approx(10)
    assert decibans(0.5, 10 / 11) == pytest.approx(-10)
