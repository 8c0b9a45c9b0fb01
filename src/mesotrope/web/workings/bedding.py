"""The bedding planner: the schools side by side, with the rotor's temperature as a curve."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, marked, plain, said, verbatim
from mesotrope.core.physics.heat import BeddingPlan, bedding_plan
from mesotrope.errors import InvalidInput
from mesotrope.web.plate.graph import Frame
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.web.workings.drawings import temperature_curve
from mesotrope.words import Speaker

#: What a plan stands on: name, label, unit, what stands in where nothing is given.
INPUTS = (
    ("mass_kg", marked("Mass of the vehicle"), "kg", 1450.0),
    ("axle_share", marked("The axle's share of the braking"), "", 0.7),
    ("rotor_mass_kg", marked("Mass of one rotor"), "kg", 7.5), ("ambient_c", marked("Outside"), "C", 20.0),
)  # fmt: skip


@dataclass(frozen=True)
class SchoolPlan:
    words: str
    curve: Plate | None
    facts: tuple[tuple[Sayable, Sayable], ...]
    slowings: tuple[tuple[Sayable, str, str, str], ...]
    warnings: tuple[str, ...]


@dataclass(frozen=True)
class BeddingPage:
    fields: tuple[tuple[str, str, str, str], ...]
    plans: tuple[SchoolPlan, ...]
    message: str


def bedding_page(typed: Mapping[str, str], knowledge: Knowledge, say: Speaker) -> BeddingPage:
    """Work every school out for one axle. What is typed wrong is said, and no plan is shown."""
    fields, values, message = [], {}, ""
    for name, label, unit, default in INPUTS:
        text = typed.get(name, "")
        fields.append(
            (
                name,
                say(label),
                say.unit(unit) if unit else "",
                text or say.units.shown(default, unit).replace("\u00a0", ""),
            )
        )
        try:
            values[name] = say.units.read(text, unit, name=label) if text else default
        except InvalidInput as error:
            message = message or say.refusal(error)
    plans: list[SchoolPlan] = []
    if not message:
        try:
            made = [
                bedding_plan(school, knowledge.heat, values["mass_kg"], values["axle_share"], values["rotor_mass_kg"],
                             values["ambient_c"])
                for school in knowledge.bedding_schools
            ]  # fmt: skip
            high = max(plan.peak_c for plan in made) * 1.15
            plans = [_school(plan, high, say) for plan in made]
        except InvalidInput as error:
            message = say.refusal(error)
    return BeddingPage(tuple(fields), tuple(plans), message)


def _school(plan: BeddingPlan, high_c: float, say: Speaker) -> SchoolPlan:
    curve = None
    if plan.slowings:
        pen = Pen(say=say)
        points = [(seconds / 60, celsius) for seconds, celsius in plan.curve]
        temperature_curve(pen, Frame(15, 9, 112, 42, 0, max(1.0, points[-1][0]), 0, high_c), points, say)
        curve = Plate(
            132,
            68,
            tuple(pen.shapes),
            say(
                said(
                    "rotor temperature over {minutes} minutes, peak {peak}",
                    minutes=plain(plan.minutes, "", 0),
                    peak=plain(plan.peak_c, "C", 0),
                )
            ),
        )
    facts: list[tuple[Sayable, Sayable]] = [
        (said("Distance"), plain(round(plan.distance_km), "km")), (said("Minutes"), plain(plan.minutes, "", 0)),
    ]  # fmt: skip
    if plan.slowings:
        facts += [
            (said("Slowings"), verbatim(len(plan.slowings))),
            (said("Pause between"), plain(plan.slowings[0].pause_s, "s", 0)),
            (said("Hottest, rotor's mean"), plain(plan.peak_c, "C", 0)),
        ]

    steps = tuple(
        (said("{fast} to {slow}", fast=verbatim(say.units.shown(s.from_kmh, "km/h", 0)),
              slow=verbatim(say.units.shown(s.to_kmh, "km/h", 0))),
         say.units.shown(s.before_c, "C", 0), say.units.shown(s.after_c, "C", 0), f"{s.pause_s:.0f} s")
        for s in plan.slowings
    )  # fmt: skip
    return SchoolPlan(say(plan.words), curve, tuple(facts), steps, tuple(map(say, plan.warnings)))
