"""Brake fluid: boiling point from its water, and what a meter, a tester, a strip and an eye say of it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from mesotrope.core.language.fluids_and_heat import FluidGrade
from mesotrope.core.language.inspection import SystemFindings
from mesotrope.core.language.quantity import require_at_least
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, marked, plain, said
from mesotrope.errors import InvalidInput

RELIES_ON = relies_on(
    marked("fluid verdict"),
    "water_fine_percent",
    "water_change_percent",
    "copper_change_ppm",
    "fluid_age_months",
    "wet_water_percent",
)


def boiling_point_c(dry_c: float, wet_c: float, water_percent: float, wet_water_percent: float) -> float:
    r"""Boiling point of a glycol fluid that holds some water, °C: an estimate.

    An exponential through the grade's dry and wet reference points:

    .. math:: T = T_{dry} (T_{wet} / T_{dry})^{w / w_{wet}}

    water_percent : w; wet_water_percent : the water at which the grades state their wet point. Raises `InvalidInput`.
    Source: the reference points are [fmvss-116], S5.1.1 and S5.1.2; the curve between them
    is [practice].

    >>> boiling_point_c(230.0, 155.0, 0.0, 3.7), round(boiling_point_c(230.0, 155.0, 3.7, 3.7), 6)
    (230.0, 155.0)
    """
    if not (math.isfinite(water_percent) and 0 <= water_percent <= 100):
        raise InvalidInput("water_percent", water_percent, "allowed: 0 to 100 %")
    require_at_least(1, dry_c=dry_c, wet_c=wet_c)
    boils: float = dry_c * (wet_c / dry_c) ** (water_percent / wet_water_percent)
    return boils


@dataclass(frozen=True)
class FluidVerdict:
    """``fine``, ``change`` or ``contaminated``, with every reason. `verdict` is None where nothing was looked at."""

    verdict: str | None
    reasons: tuple[Sayable, ...]
    boiling_c: float | None


def judge_fluid(system: SystemFindings, grade: FluidGrade, limits: Mapping[str, float]) -> FluidVerdict:
    """Judge the fluid from what was found of it, by its grade and the workshop's limits.

    limits : `water_change_percent`, `water_fine_percent`, `copper_change_ppm`, `fluid_age_months`.

    Source: [practice], and [fmvss-116], S5.1.2 for the wet limit.

    >>> from mesotrope.knowledge import knowledge
    >>> dot4 = knowledge().fluid_grade["DOT 4"]
    >>> judge_fluid(SystemFindings(fluid_water_percent=3.4), dot4, knowledge().limit).verdict
    'change'
    """
    bad: list[Sayable] = []
    change: list[Sayable] = []
    fine: list[Sayable] = []
    boiling = system.fluid_boiling_c
    if system.cap_seal == "swollen":
        bad.append(marked("the cap seal is swollen: mineral oil until proven otherwise"))
    if system.fluid_colour == "cloudy":
        bad.append(marked("the fluid is cloudy"))
    if boiling is not None:
        words = said(
            "it boils at {boils}, the wet limit of {grade} is {limit}",
            boils=plain(boiling, "C", 0), grade=grade.id, limit=plain(grade.wet_c, "C", 0),
        )  # fmt: skip
        (change if boiling < grade.wet_c else fine).append(words)
    if (water := system.fluid_water_percent) is not None:
        estimate = boiling_point_c(grade.dry_c, grade.wet_c, water, limits["wet_water_percent"])
        message = "{water} water: boils at about {boils}"
        if limits["water_fine_percent"] <= water < limits["water_change_percent"]:
            message = "{water} water: boils at about {boils}, test it again at the next service"
        words = said(message, water=plain(water, "%"), boils=plain(estimate, "C", 0))
        (change if water >= limits["water_change_percent"] else fine).append(words)
        boiling = boiling if boiling is not None else estimate
    if (copper := system.fluid_copper_ppm) is not None:
        words = said("{copper} copper", copper=plain(copper, "ppm"))
        (change if copper >= limits["copper_change_ppm"] else fine).append(words)
    if system.fluid_colour in ("brown", "black"):
        change.append(said("it is {color}", color=system.fluid_colour))
    elif system.fluid_colour in ("clear", "amber"):
        fine.append(said("it is {color}", color=system.fluid_colour))
    if (age := system.fluid_age_months) is not None:
        words = said("{age} months old", age=plain(age))
        (change if age > limits["fluid_age_months"] else fine).append(words)
    verdict = "contaminated" if bad else "change" if change else "fine" if fine else None
    return FluidVerdict(verdict, tuple(bad + change if bad or change else fine), boiling)


def descent_margin_k(boiling_c: float, caliper_c: float) -> float:
    """How far fluid in a caliper at `caliper_c` stays under its boiling point, K; below zero the pedal goes soft.

    Source: [physics].

    >>> descent_margin_k(172.0, 150.0)
    22.0
    """
    return boiling_c - caliper_c
