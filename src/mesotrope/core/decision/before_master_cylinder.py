"""What comes before a master cylinder is condemned. Basis: common practice.

Where the pedal sinks or is low: pistons that were wound home come out with the parking brake; fluid that leaves the
system is looked for; then the master cylinder. Where it lets no pressure go: its pushrod has free play; then it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mesotrope.core.decision.answered import Open, Planned
from mesotrope.core.evidence.lately import pistons_were_wound_home
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import VEHICLE, Axle
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import marked

RELIES_ON = relies_on(marked("verdict"), "pedal_long")

#: Why no master cylinder is condemned yet.
WOUND_HOME = marked(
    "pads or calipers were new at an axle whose pistons are wound home: cycle the parking brake many times first"
)
NOT_LOOKED_FOR = marked("a leak is looked for before a master cylinder is condemned")
PUSHROD = marked("the pedal's free play is looked at before a master cylinder is condemned")

BYPASS, LEAK = (VEHICLE, "master_cylinder_bypass"), (VEHICLE, "external_leak")
HOLDS_ON = (VEHICLE, "master_cylinder_not_releasing")


@dataclass(frozen=True)
class BeforeMasterCylinder:
    """What the order of leak, parking brake, pushrod and master cylinder changes in a plan."""

    inspection: Inspection
    specification: Specification
    suspects: Mapping[Suspect, float]
    knowledge: Knowledge

    @property
    def wound_home(self) -> bool:
        """Whether it sinks or is low after pads were renewed at an axle with the parking brake in its calipers: the
        screw mechanisms then stand back from their pistons."""
        system = self.inspection.system
        low = system.pedal_hold == "sinks" or (system.pedal_travel or 0.0) >= self.knowledge.limit["pedal_long"]
        return low and pistons_were_wound_home(Axle.REAR, self.inspection, self.specification)

    @property
    def _looked_for_leaks(self) -> bool:
        """Whether anybody looked all over the vehicle, or found a leak at a wheel."""
        corners = map(self.inspection.corner, self.specification.corners)
        at_wheel = any(corner.leak in ("seep", "drip") for corner in corners)
        return at_wheel or self.inspection.system.visible_leak is not None

    def first(self, planned: Planned) -> Planned:
        """The plan with what comes before all else."""
        return {("adjust_parking_brake", VEHICLE): WOUND_HOME, **planned} if self.wound_home else planned

    def pushrod_not_looked_at(self) -> list[Open]:
        """Whether a pushrod holds the brakes on is open, where the master cylinder does and nobody looked."""
        chance = self.suspects.get(HOLDS_ON, 0.0)
        if self.inspection.system.pedal_release or chance < self.knowledge.threshold["settled_chance"]:
            return []
        return [Open(VEHICLE, PUSHROD, ((*HOLDS_ON, chance),), ("pedal_release",), about=HOLDS_ON[1:])]

    def condemned_too_soon(self, planned: Planned) -> list[Open]:
        """Take a new master cylinder out of the plan where something comes before it: whether it needs one is open."""
        unseen = self.inspection.system.pedal_hold == "sinks" and not self._looked_for_leaks
        if not (self.wound_home or unseen) or not planned.pop(("replace_master_cylinder", VEHICLE), None):
            return []
        why, tests = (WOUND_HOME, ()) if self.wound_home else (NOT_LOOKED_FOR, ("visible_leak",))
        return [Open(VEHICLE, why, ((*BYPASS, self.suspects.get(BYPASS, 0.0)),), tests, about=BYPASS[1:])]

    def leak_where_it_was_found(self, planned: Planned) -> None:
        """A leak that was found at a wheel is not looked for again all over the vehicle, unless fluid was seen
        elsewhere; nor is one repaired where everything is dry."""
        seen = self.inspection.system.visible_leak
        at_wheel = any(action == "repair_leak" and place is not VEHICLE for action, place in planned)
        dry = seen == "none" and self.suspects.get(LEAK, 0.0) < self.knowledge.threshold["named_chance"]
        if dry or (at_wheel and seen not in ("under_bonnet", "underbody")):
            because = planned.pop(("repair_leak", VEHICLE), None)
            if because is not None and planned.get(("bleed_system", VEHICLE)) == because:
                del planned["bleed_system", VEHICLE]  # it was to be bled for the leak alone
