"""Hard rules of the trade: what a finding demands by itself, whatever the suspects and whatever the cost.

Every rule is a function from what was found at a corner to a `Demand`, or to None where it does not fire.
Source: [practice], but for the lining floors, whose sources stand in the knowledge.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import AxleSpecification
from mesotrope.core.language.inspection import CornerFindings
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, fine_mm, marked, mm, said

RELIES_ON = relies_on(
    marked("verdict"),
    "lining_legal_floor_mm",
    "lining_dangerous_mm",
    "lining_dangerous_motorcycle_mm",
)


@dataclass(frozen=True)
class Demand:
    """What a rule demands: at least this verdict, these actions, and why. `unsafe` says the danger in words;
    `when_opened` is due beside them where the hydraulics of the corner are opened."""

    verdict: str
    actions: tuple[str, ...]
    because: Sayable
    unsafe: Sayable = ""
    finding: str = ""
    when_opened: tuple[str, ...] = ()


@dataclass(frozen=True)
class CornerFacts:
    """Everything a rule may look at; `given` : what was found, by finding."""

    found: CornerFindings
    given: Mapping[str, list[tuple[str, Any]]]
    measures: CornerMeasures
    axle: AxleSpecification
    kind: str
    knowledge: Knowledge

    def any_is(self, finding: str, *values: str) -> str:
        """The first part of a finding that has one of the values: its path, or nothing."""
        return next((path for path, value in self.given.get(finding, ()) if value in values), "")


Rule = Callable[[CornerFacts], Demand | None]


def piston_boot_torn_or_wet(corner: CornerFacts) -> Demand | None:
    if corner.found.piston_boot == "wet":
        return Demand(
            "unsafe", ("rebuild_caliper",), marked("the piston is wet behind its boot"), marked("a piston seal weeps")
        )
    if corner.found.piston_boot == "torn":
        return Demand(
            "replace", ("rebuild_caliper",), marked("the piston boot is torn, even if the piston moves today")
        )
    return None


def piston_immovable(corner: CornerFacts) -> Demand | None:
    if corner.any_is("piston_pushback", "immovable"):
        return Demand("replace", ("replace_caliper",), marked("a piston does not move in its bore"))
    return None


def piston_firm_where_thumbs_should_do(corner: CornerFacts) -> Demand | None:
    by_thumb = corner.kind == "motorcycle" or corner.axle.caliper == "fixed"
    if by_thumb and corner.any_is("piston_pushback", "firm"):
        return Demand("replace", ("rebuild_caliper",), marked("a piston is firm where thumbs should do: overhaul"))
    return None


def pin_seized(corner: CornerFacts) -> Demand | None:
    path = corner.any_is("pin", "seized")
    if path and corner.axle.has("floating"):
        actions = ("clean_and_lubricate_slides", "replace_pins_and_boots")
        return Demand(
            "service",
            actions,
            said("the {which} slide pin is seized: free it, new pin and boot", which=path.split(".")[1]),
        )
    return None


def pin_pitted(corner: CornerFacts) -> Demand | None:
    path = corner.any_is("pin_condition", "pitted")
    if path and corner.axle.has("floating"):
        return Demand(
            "replace", ("replace_bracket",), said("the {which} slide pin is pitted", which=path.split(".")[1])
        )
    return None


def pin_boot_torn_or_missing(corner: CornerFacts) -> Demand | None:
    path = corner.any_is("pin_boot", "torn", "missing")
    if path and corner.axle.has("floating"):
        actions = ("clean_and_lubricate_slides", "replace_pins_and_boots")
        return Demand("service", actions, said("the {which} pin boot is torn or missing", which=path.split(".")[1]))
    return None


def bracket_lands_catch_the_ears(corner: CornerFacts) -> Demand | None:
    if corner.found.bracket_lands == "pitted":
        return Demand("replace", ("replace_bracket",), marked("pits in the bracket lands would catch the pads' ears"))
    if corner.found.bracket_lands == "grooved":
        return Demand("replace", ("replace_bracket",), marked("the pads' ears have worn divots into the bracket lands"))
    if corner.found.bracket_lands == "rusted":
        return Demand("service", ("clean_bracket_lands",), marked("the bracket lands are rusted"))
    return None


def pads_need_force(corner: CornerFacts) -> Demand | None:
    path = corner.any_is("pad_fit", "bound")
    if path:
        side = path.split(".")[1]
        return Demand(
            "service",
            ("clean_bracket_lands", "replace_hardware"),
            said("the {side} pad had to be forced out", side=side),
        )
    return None


def rotor_at_or_under_discard(corner: CornerFacts) -> Demand | None:
    thinnest_mm = corner.found.thinnest_rotor_mm
    if thinnest_mm is not None and thinnest_mm <= corner.axle.rotor_discard_mm:
        because = said(
            "rotor {left} at its thinnest, discard {discard}",
            left=fine_mm(thinnest_mm), discard=fine_mm(corner.axle.rotor_discard_mm),
        )  # fmt: skip
        return Demand("replace", ("replace_rotor", "replace_pads"), because)
    return None


def rotor_cracked_or_grooved(corner: CornerFacts) -> Demand | None:
    path = corner.any_is("rotor_face", "cracked", "grooved")
    if path:
        side = path.split(".")[1]
        cracked = getattr(corner.found.rotor_face, side) == "cracked"
        message = "the {side} rotor face is cracked" if cracked else "the {side} rotor face is grooved"
        because = said(message, side=side)
        return Demand(
            "unsafe" if cracked else "replace",
            ("replace_rotor", "replace_pads"),
            because,
            marked("a rotor is cracked") if cracked else "",
        )
    return None


def pads_spoiled(corner: CornerFacts) -> Demand | None:
    if path := corner.any_is("pad_condition", "metal_to_metal"):
        because = said("the {side} pad runs metal on metal", side=path.split(".")[1])
        return Demand("unsafe", ("replace_pads", "replace_rotor"), because, marked("a pad runs metal on metal"))
    if path := corner.any_is("pad_condition", "oiled", "cracked", "delaminated"):
        side = path.split(".")[1]
        condition = getattr(corner.found.pad_condition, side)
        because = said("the {side} lining is {condition}: find the source", side=side, condition=condition)
        return Demand("replace", ("replace_pads",), because)
    if path := corner.any_is("pad_condition", "backwards"):
        because = said("the {side} pad is fitted backwards", side=path.split(".")[1])
        return Demand(
            "unsafe", ("replace_pads", "refit_pads_and_hardware"), because, marked("a pad is fitted backwards")
        )
    return None


def lining_at_or_under_its_limit(corner: CornerFacts) -> Demand | None:
    thinnest = corner.measures.thinnest_mm
    if thinnest is None:
        return None
    limits = corner.knowledge.limit
    floor = {
        "light_truck": limits["lining_legal_floor_mm"],
        "motorcycle": limits["lining_dangerous_motorcycle_mm"],
    }.get(corner.kind, limits["lining_dangerous_mm"])
    if thinnest <= floor:
        because = said("lining {left} at its thinnest, the floor is {floor}", left=mm(thinnest), floor=mm(floor))
        return Demand(
            "unsafe", ("replace_pads",), because, marked("a lining is at or under its legal or dangerous floor")
        )
    if thinnest <= corner.axle.pad_limit_mm:
        limit = mm(corner.axle.pad_limit_mm)
        because = said("lining {left} at its thinnest, the limit is {limit}", left=mm(thinnest), limit=limit)
        return Demand("replace", ("replace_pads", "replace_hardware"), because)
    return None


def hose_unsound(corner: CornerFacts) -> Demand | None:
    if corner.found.hose in ("cracked", "swollen"):
        return Demand(
            "replace", ("replace_hose", "bleed_system"), said("the hose is {condition}", condition=corner.found.hose)
        )
    return None


def leaks(corner: CornerFacts) -> Demand | None:
    if corner.found.leak in ("seep", "drip"):
        because: Sayable = marked("fluid seeps") if corner.found.leak == "seep" else marked("fluid drips")
        if corner.found.leak_at:
            because = said("{fluid} at the {part}", fluid=because, part=corner.found.leak_at.replace("_", " "))
        seal = ("rebuild_caliper",) if corner.found.leak_at == "piston" else ()
        return Demand("unsafe", ("repair_leak", *seal, "bleed_system"), because, marked("fluid leaks"))
    return None


def caliper_on_the_wrong_side(corner: CornerFacts) -> Demand | None:
    if corner.found.bleeder == "low" and corner.axle.has("disc"):
        because = marked("the bleeder is not uppermost: the caliper is on the wrong side; look at the other one too")
        return Demand("service", ("refit_pads_and_hardware", "bleed_system"), because)
    return None


def lever_stuck_with_its_cable_slack(corner: CornerFacts) -> Demand | None:
    stuck = corner.found.parking_lever == "stuck" and corner.found.parking_cable_slackened == "no_change"
    if stuck and corner.axle.has("parking_brake_by_cable"):
        because = marked("the parking lever is stuck with its cable slack: the caliper's own mechanism")
        return Demand("replace", ("rebuild_caliper",), because)
    return None


#: Every rule, with the finding that it answers.
CORNER_RULES: dict[Rule, str] = {
    lining_at_or_under_its_limit: "pad_mm",
    pads_spoiled: "pad_condition",
    piston_boot_torn_or_wet: "piston_boot",
    piston_immovable: "piston_pushback",
    piston_firm_where_thumbs_should_do: "piston_pushback",
    pin_seized: "pin",
    pin_pitted: "pin_condition",
    pin_boot_torn_or_missing: "pin_boot",
    bracket_lands_catch_the_ears: "bracket_lands",
    pads_need_force: "pad_fit",
    rotor_at_or_under_discard: "rotor_mm",
    rotor_cracked_or_grooved: "rotor_face",
    hose_unsound: "hose",
    leaks: "leak",
    caliper_on_the_wrong_side: "bleeder",
    lever_stuck_with_its_cable_slack: "parking_lever",
}


def corner_demands(view: CornerFacts) -> list[Demand]:
    """What the findings at one corner demand by themselves."""
    return [replace(demand, finding=name) for rule, name in CORNER_RULES.items() if (demand := rule(view))]
