"""What each fault does to the parts of a corner: the mechanism of the trade in forces, distances and heat."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from mesotrope.core.simulator.build import WEAR_MM3_J, AxleBuild, Build, Random
from mesotrope.core.simulator.parts import Fault, Pad, SimulatedCorner, about, about_alike, pick

#: Share of dragging wheels that a bump or a turned wheel frees, or that cool and let go, on the way in.
UNDONE = 0.05
#: What holds the wheel where the shoes in the rotor's hat do: they are pulled on, or they drag of themselves, set too
#: tight or with their lining come loose, and slackening the cable takes little away.
IN_HAT = {"by_cable": "parking_shoes_pulled", "by_shoes": "parking_shoes_tight"}

#: Share of parking brakes that hold since they were last set, as hard as they were set; and of hoses that keep the
#: pressure of the last stop: two or three bar hold a wheel fast.
STUCK_ON = 0.12
#: Share of wheels that are spun on the lift without anybody having pressed the pedal.
UNPRESSED = 0.2


def wear(corner: SimulatedCorner, mean_mm: float, inner_share: float) -> None:
    """Wear both pads by a mean, the inner by its share of the work; below zero restores what was worn."""
    corner.inner.mean_mm -= 2 * mean_mm * inner_share
    corner.outer.mean_mm -= 2 * mean_mm * (1 - inner_share)


@dataclass(frozen=True)
class Scene:
    """One fault at one corner. `rate` is each pad's healthy wear, mm a km; `inner_share` the inner's part of it."""

    random: Random
    build: Build
    axle: AxleBuild
    corner: SimulatedCorner
    fault: Fault
    rate: float
    inner_share: float

    @property
    def inner(self) -> Pad:
        return self.corner.inner

    @property
    def outer(self) -> Pad:
        return self.corner.outer

    @property
    def severity(self) -> float:
        return self.fault.severity

    @property
    def since(self) -> float:
        """Healthy wear since the fault began, mm."""
        return self.rate * self.fault.onset_km

    def drag(self, median_nm: float, spread: float, inner: float, live: float = 0.6) -> float:
        """Give the corner drag: its torque now, and the lining it has worn off since; `inner` is the inner's share.

        `live` is the part of the time it drags. Hot linings wear faster.
        """
        small = self.build.inertia_kg_m2 / 1.05  # what a hand feels and lives with is torque over inertia
        torque = about(self.random, median_nm * (0.6 + 0.8 * self.severity) * small, spread)
        self.corner.torque[self.fault.name] = torque
        on_the_way = self.beside()
        if on_the_way.random() < UNDONE:
            self.corner.left[self.fault.name] = on_the_way.uniform(0.0, 0.3)
        area_mm2 = 0.85 * self.axle.pad_length_mm * self.axle.pad_height_mm
        energy_j_km = live * torque / (self.build.wheel_radius_mm / 1000) * 1000
        gone = WEAR_MM3_J * (1 + torque / 30) * energy_j_km / area_mm2 * self.fault.onset_km
        gone = min(gone, 1.3 * self.axle.pad_new_mm)
        self.inner.mean_mm -= gone * inner
        self.outer.mean_mm -= gone * (1 - inner)
        return torque

    def seeps(self, minutes: float) -> None:
        """Pressure that is kept in seeps away, by a time constant; one wheel in five is spun without a press before."""
        on_the_lift = self.beside()
        pressed = on_the_lift.random() >= UNPRESSED
        waited = about(on_the_lift, 0.4 if pressed else 8.0, 0.5)
        self.corner.left[self.fault.name] = float(np.exp(-waited / about(on_the_lift, minutes, 0.7)))

    def sticks(self, cause: str) -> None:
        """Now and then it holds as hard as it was last set."""
        stuck = self.beside()
        if stuck.random() < STUCK_ON:
            self.corner.torque[cause] *= about(stuck, 5.0, 0.5)

    def beside(self) -> Random:
        """Chance of its own: what happens on the way in changes nothing of how the vehicle was made."""
        return self.random.spawn(1)[0]

    def share(self, middle: float, spread: float) -> float:
        return float(np.clip(self.random.normal(middle, spread), 0.3, 0.9))


def _rests(scene: Scene, mean_mm: float, spread_mm: float) -> float:
    """A gap that is nearly none."""
    return max(0.0, scene.random.normal(mean_mm, spread_mm))


def _piston_not_releasing(scene: Scene) -> None:
    """The seal no longer draws the piston back: both pads rub, the piston still goes home."""
    scene.drag(9.0, 0.45, scene.share(0.54, 0.07))
    scene.corner.pistons_n = about_alike(scene.random, 215, 0.45, 0.22, len(scene.corner.pistons_n))
    scene.corner.piston_boot = pick(scene.random, sound=0.52, torn=0.33, wet=0.15)
    scene.inner.returns, scene.outer.returns = scene.random.uniform(0, 0.42), scene.random.uniform(0, 0.7)
    scene.inner.gap_mm, scene.outer.gap_mm = 0.0, _rests(scene, 0.04, 0.05)


def _pistons_seize(scene: Scene, median_n: float, spread: float) -> None:
    """One piston at least is fast in its bore; of several, the others mostly with it."""
    first = int(scene.random.integers(len(scene.corner.pistons_n)))
    for number in range(len(scene.corner.pistons_n)):
        if number == first or scene.random.random() < 0.65:
            scene.corner.pistons_n[number] = about(scene.random, median_n, spread)


def _piston_seized_applied(scene: Scene) -> None:
    """The piston is fast in its bore, out: the inner pad is pressed on without end."""
    scene.drag(22.0, 0.5, scene.share(0.66, 0.08), 0.8)
    scene.corner.brakes = scene.random.uniform(0.7, 1.0)
    _pistons_seize(scene, 3600, 0.6)
    scene.corner.piston_boot = pick(scene.random, sound=0.3, torn=0.48, wet=0.22)
    scene.inner.returns, scene.outer.returns = 0.0, scene.random.uniform(0, 0.4)
    scene.inner.moves, scene.outer.moves = scene.random.uniform(0.0, 0.6), scene.random.uniform(0.1, 0.7)
    scene.inner.gap_mm, scene.outer.gap_mm = 0.0, _rests(scene, 0.03, 0.05)


def _piston_seized_released(scene: Scene) -> None:
    """The piston is fast in its bore, in: this stretch was not worn, and a gap is left."""
    wear(scene.corner, -scene.since * 0.95, 0.5)
    _pistons_seize(scene, 2600, 0.7)
    scene.corner.piston_boot = pick(scene.random, sound=0.42, torn=0.4, wet=0.18)
    scene.inner.moves = scene.outer.moves = scene.random.uniform(0.0, 0.12)
    scene.inner.gap_mm, scene.outer.gap_mm = about(scene.random, 1.0, 0.45), about(scene.random, 0.7, 0.5)
    scene.corner.brakes = scene.random.uniform(0.02, 0.25)
    if scene.fault.onset_km > 1500:
        rusts = {"rust_scaled": 0.75, "smooth": 0.15, "scored": 0.1}
        scene.corner.face = {side: pick(scene.random, **rusts) for side in scene.corner.face}
    if scene.axle.parking_brake == "integral_cable":
        scene.corner.lever = pick(scene.random, returns=0.55, slow=0.27, stuck=0.18)


def _piston_hung_one_of_several(scene: Scene) -> None:
    """One piston lags: the pads are pressed at the other end only."""
    scene.drag(4.0, 0.6, 0.52)
    which = int(scene.random.integers(len(scene.corner.pistons_n)))
    scene.corner.pistons_n[which] = about(scene.random, 2000, 0.8)
    lean = (1 if which == 0 else -1) * scene.since * scene.random.uniform(0.35, 0.8)
    scene.inner.fore_aft_mm += lean
    scene.outer.fore_aft_mm += lean * scene.random.uniform(0.4, 0.9)
    scene.corner.brakes = scene.random.uniform(0.6, 0.9)
    scene.inner.returns, scene.outer.returns = scene.random.uniform(0.1, 0.8), scene.random.uniform(0.1, 0.9)
    scene.inner.moves, scene.outer.moves = (scene.random.uniform(0.2, 1.0) for _ in range(2))
    scene.corner.piston_boot = pick(scene.random, sound=0.5, torn=0.36, wet=0.14)


def _slide_pins_seized(scene: Scene) -> None:
    """The caliper cannot float: it never comes across, or it does not come back."""
    for pin in scene.corner.pins_n:
        scene.corner.pins_n[pin] = about(scene.random, 300, 0.65)
        scene.corner.pin_boot[pin] = pick(scene.random, sound=0.47, torn=0.4, missing=0.13)
        scene.corner.pin_surface[pin] = pick(scene.random, dry=0.3, corroded=0.48, pitted=0.22)
    scene.corner.brakes = scene.random.uniform(0.72, 1.0)
    wear(scene.corner, -scene.since, scene.inner_share)  # this stretch is worn again, as the stuck caliper shares it
    if scene.fault.way == "never_across":
        share = 0.5 + 0.42 * scene.severity
        wear(scene.corner, scene.since * 0.88, share)
        scene.drag(3.8, 0.6, 0.85)
        scene.outer.moves, scene.outer.gap_mm = scene.random.uniform(0.0, 0.8), _rests(scene, 0.35, 0.3)
    else:
        wear(scene.corner, scene.since * 0.95, 0.5 - 0.1 * scene.severity)
        scene.drag(6.0, 0.5, 0.16)
        scene.outer.returns, scene.outer.gap_mm = scene.random.uniform(0, 0.25), 0.0


def _slide_pin_seized_one(scene: Scene) -> None:
    """The caliper pivots about the pin that is fast: the pads wear to wedges."""
    scene.corner.pins_n[scene.fault.way] = about(scene.random, 300, 0.65)
    scene.corner.pin_boot[scene.fault.way] = pick(scene.random, sound=0.45, torn=0.42, missing=0.13)
    scene.corner.pin_surface[scene.fault.way] = pick(scene.random, dry=0.3, corroded=0.49, pitted=0.21)
    scene.drag(3.0, 0.6, 0.58)
    lean = (1 if scene.fault.way == "upper" else -1) * scene.since * scene.random.uniform(0.3, 0.8)
    scene.inner.fore_aft_mm += lean
    scene.outer.fore_aft_mm += lean * (-0.8 if scene.random.random() < 0.7 else 0.6)
    scene.outer.returns = scene.random.uniform(0.15, 1.0)


def _pad_bound(scene: Scene) -> None:
    """One pad is gripped by its bracket and does not draw back."""
    pad, share = (scene.inner, 0.92) if scene.fault.name.endswith("inner") else (scene.outer, 0.08)
    scene.drag(4.2, 0.55, share)
    pad.ear_n, pad.returns, pad.gap_mm = about(scene.random, 170, 0.6), scene.random.uniform(0, 0.3), 0.0
    pad.moves = scene.random.uniform(0.12, 0.9)
    pad.fore_aft_mm += scene.random.normal(0, 0.15) * scene.since
    scene.corner.lands = pick(scene.random, rusted=0.6, grooved=0.22, pitted=0.14, clean=0.04)
    if scene.axle.caliper == "fixed":
        scene.corner.retaining_n = about(scene.random, 70, 0.8)


def _hose_restricted(scene: Scene) -> None:
    """The hose lets fluid in and not out: pressure stays, both pads rub alike."""
    scene.drag(9.5, 0.5, 0.505)
    scene.corner.brakes = scene.random.uniform(0.75, 1.0)
    scene.seeps(3.0)
    scene.sticks(scene.fault.name)
    scene.corner.hose_n = about(scene.random, 260, 0.5)
    scene.corner.hose = pick(scene.random, sound=0.48, swollen=0.22, cracked=0.18, twisted=0.08, kinked=0.04)
    scene.inner.returns, scene.outer.returns = scene.random.uniform(0, 0.4), scene.random.uniform(0, 0.45)
    scene.inner.gap_mm, scene.outer.gap_mm = 0.0, 0.0


def _parking_brake_holding(scene: Scene) -> None:
    """The parking brake holds: through the caliper it wears the pads, in the hat it does not."""
    cause = IN_HAT.get(scene.fault.way, scene.fault.name)
    if scene.fault.way in IN_HAT:
        scene.corner.torque[cause] = about(scene.random, 9.0 * (0.6 + 0.8 * scene.severity), 0.5)
        if scene.fault.way == "by_cable":
            scene.corner.shoes = pick(scene.random, tight=0.6, delaminated=0.03, worn=0.1, sound=0.27)
            scene.corner.lever = pick(scene.random, returns=0.15, slow=0.47, stuck=0.38)
        else:
            scene.corner.shoes = pick(scene.random, tight=0.7, delaminated=0.27, worn=0.02, sound=0.01)
            scene.corner.lever = pick(scene.random, returns=0.9, slow=0.09, stuck=0.01)
    else:
        scene.drag(9.0, 0.5, scene.share(0.55, 0.06))
        scene.corner.lever = pick(scene.random, returns=0.15, slow=0.4, stuck=0.45)
        scene.inner.returns, scene.outer.returns = scene.random.uniform(0, 0.5), scene.random.uniform(0, 0.8)
        scene.inner.gap_mm, scene.outer.gap_mm = 0.0, _rests(scene, 0.03, 0.05)
    scene.sticks(cause)


def _pad_or_hardware_misfitted(scene: Scene) -> None:
    """A pad or clip is wrong: the lining wears askew and rattles or rubs."""
    scene.drag(1.5, 0.7, 0.5, 0.3)
    scene.inner.radial_mm += scene.random.normal(0, 0.35) * scene.since
    scene.outer.radial_mm += scene.random.normal(0, 0.35) * scene.since
    scene.inner.fore_aft_mm += scene.random.normal(0, 0.25) * scene.since
    if scene.fault.way == "backwards":
        (scene.inner if scene.random.random() < 0.5 else scene.outer).condition = "backwards"
    elif scene.fault.way == "wrong_side":
        scene.corner.bleeder = "low"
    elif scene.fault.way == "wrong_pad":
        scene.corner.material = "EE"
        for pad in (scene.inner, scene.outer):
            pad.ear_n = about(scene.random, 38, 0.7)
    else:
        scene.corner.hardware = scene.fault.way
    scene.corner.noise = pick(scene.random, none=0.35, squeal=0.27, click=0.2, scrape=0.18)


def _lining_contaminated(scene: Scene) -> None:
    """The lining slips: it brakes and wears less."""
    scene.corner.brakes = scene.random.uniform(0.35, 0.75)
    wear(scene.corner, -scene.since * 0.35, 0.5)
    for pad in (scene.inner, scene.outer):
        pad.condition = pick(scene.random, oiled=0.7, glazed=0.25, sound=0.05)
    for side in scene.corner.face:
        if scene.random.random() < 0.35:
            scene.corner.face[side] = "glazed"
    scene.corner.noise = pick(scene.random, none=0.62, squeal=0.32, rumble=0.02, scrape=0.04)
    if scene.fault.way == "leak":
        scene.corner.leak = pick(scene.random, seep=0.6, drip=0.25, none=0.15)
        scene.corner.piston_boot = pick(scene.random, wet=0.5, sound=0.5)


def _rotor_worn_or_damaged(scene: Scene) -> None:
    """The rotor itself; its figures are made with its axle."""
    scene.corner.rotor_way = scene.fault.way
    scene.corner.noise = pick(scene.random, none=0.45, scrape=0.22, grind=0.15, squeal=0.12, rumble=0.06)


def _shield_contact(scene: Scene) -> None:
    """A thin sheet rubs: noise, and no torque worth the name."""
    scene.corner.torque[scene.fault.name] = about(scene.random, 0.5, 0.5)
    scene.corner.shield = pick(scene.random, touching=0.92, rotten=0.08)
    scene.corner.noise = pick(scene.random, scrape=0.8, squeal=0.1, none=0.1)


def _bearing_or_driveline_drag(scene: Scene) -> None:
    """The bearing turns hard whatever the brake does."""
    scene.corner.torque[scene.fault.name] = about(scene.random, 4.5 * (0.6 + 0.8 * scene.severity), 0.5)
    scene.corner.bearing = pick(scene.random, rough=0.58, play=0.14, quiet=0.28)
    scene.corner.noise = pick(scene.random, rumble=0.6, none=0.4)


def _master_cylinder_not_releasing(scene: Scene) -> None:
    """Pressure stays in the circuit: its corners rub alike."""
    scene.drag(9.0, 0.35, 0.51)
    scene.seeps(12.0)
    scene.inner.returns, scene.outer.returns = scene.random.uniform(0, 0.4), scene.random.uniform(0, 0.45)
    scene.inner.gap_mm = scene.outer.gap_mm = 0.0


def _fluid_contaminated_mineral_oil(scene: Scene) -> None:
    """Swollen seals hold some pistons on."""
    if scene.random.random() < 0.6:
        scene.drag(6.5, 0.5, 0.51)
        scene.inner.returns, scene.inner.gap_mm = scene.random.uniform(0, 0.35), 0.0


ACTS: dict[str, Callable[[Scene], None]] = {
    "piston_not_releasing": _piston_not_releasing,
    "piston_seized_applied": _piston_seized_applied,
    "piston_seized_released": _piston_seized_released,
    "piston_hung_one_of_several": _piston_hung_one_of_several,
    "slide_pins_seized": _slide_pins_seized,
    "slide_pin_seized_one": _slide_pin_seized_one,
    "pad_bound_inner": _pad_bound,
    "pad_bound_outer": _pad_bound,
    "hose_restricted": _hose_restricted,
    "parking_brake_holding": _parking_brake_holding,
    "pad_or_hardware_misfitted": _pad_or_hardware_misfitted,
    "lining_contaminated": _lining_contaminated,
    "rotor_worn_or_damaged": _rotor_worn_or_damaged,
    "shield_contact": _shield_contact,
    "bearing_or_driveline_drag": _bearing_or_driveline_drag,
    "master_cylinder_not_releasing": _master_cylinder_not_releasing,
    "fluid_contaminated_mineral_oil": _fluid_contaminated_mineral_oil,
}
