"""Hydraulics: fluid that moves when pistons do, and what it does to the pedal and the reservoir."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from mesotrope.core.language.quantity import Measure, require_at_least, require_positive
from mesotrope.errors import InvalidInput


def piston_area_mm2(diameters_mm: Sequence[float]) -> float:
    r"""Area of several pistons together: :math:`A = \sum \pi d^2 / 4`, mm².

    diameters_mm : one for each piston. Raises `InvalidInput` for none, or one that is not above 0.

    Source: [physics].

    >>> round(piston_area_mm2([57.0]), 1)
    2551.8
    """
    if not diameters_mm:
        raise InvalidInput("piston_diameter_mm", [], "at least one piston is needed")
    for diameter in diameters_mm:
        require_positive(piston_diameter_mm=diameter)
    return math.fsum(math.pi * diameter**2 / 4 for diameter in diameters_mm)


def fluid_returned_floating_ml(
    diameters_mm: Sequence[float], inner_wear_mm: float, outer_wear_mm: float, rotor_wear_mm: float
) -> float:
    r"""Fluid pushed back to the reservoir when a floating caliper's pistons go home, mL.

    The pistons of the one side take up the wear of both pads and of the rotor:

    .. math:: V = A (w_i + w_o + w_r)

    diameters_mm : of every piston of that side; wears : mm of lining and of rotor thickness since the pistons
    were last home. Raises `InvalidInput` naming the argument.

    As evidence: a reservoir that stands higher than MAX less the sum of this over the corners has been topped
    up, one that stands lower is losing fluid. Source: [physics]. [practice]: one or two US fluid ounces
    come back from a worn front axle.

    >>> round(fluid_returned_floating_ml([54.0], 5.0, 4.8, 0.4), 2)
    23.36
    """
    require_at_least(0, inner_wear_mm=inner_wear_mm, outer_wear_mm=outer_wear_mm, rotor_wear_mm=rotor_wear_mm)
    return piston_area_mm2(diameters_mm) * (inner_wear_mm + outer_wear_mm + rotor_wear_mm) / 1000


def fluid_returned_fixed_ml(
    diameters_mm: Sequence[float], inner_wear_mm: float, outer_wear_mm: float, rotor_wear_mm: float
) -> float:
    r"""Fluid pushed back when a fixed caliper's opposed pistons go home, mL.

    Each side takes up its own pad and half the rotor: :math:`V = A (w_i + w_r/2) + A (w_o + w_r/2)`.

    diameters_mm : the pistons of one side. Raises `InvalidInput`. Source: [physics].

    >>> round(fluid_returned_fixed_ml([30.2, 33.9], 2.0, 2.0, 0.2), 3)
    6.799
    """
    return fluid_returned_floating_ml(diameters_mm, inner_wear_mm, outer_wear_mm, rotor_wear_mm)


def pedal_travel_mm(volume_ml: float, master_bore_mm: float, pedal_ratio: float) -> float:
    r"""Pedal travel that a volume of fluid costs: :math:`s = V / A_m \cdot i`, mm at the pedal's pad.

    volume_ml : fluid to close the gaps; master_bore_mm : bore of the master cylinder; pedal_ratio : i.
    Raises `InvalidInput`. As evidence: a low pedal whose lost travel is that of the gaps seen needs no air to
    explain it. Source: [physics].

    >>> round(pedal_travel_mm(5.1, 22.2, 4.0), 1)
    52.7
    """
    require_at_least(0, volume_ml=volume_ml)
    require_positive(master_bore_mm=master_bore_mm, pedal_ratio=pedal_ratio)
    return volume_ml * 1000 / piston_area_mm2([master_bore_mm]) * pedal_ratio


def stroke_volume_ml(master_bore_mm: float, useful_stroke_mm: float) -> float:
    """Fluid that one useful stroke of the master cylinder moves, mL: V = A·s. Raises `InvalidInput`.

    Source: [physics].

    >>> round(stroke_volume_ml(22.2, 28.0), 2)
    10.84
    """
    require_positive(master_bore_mm=master_bore_mm, useful_stroke_mm=useful_stroke_mm)
    return piston_area_mm2([master_bore_mm]) * useful_stroke_mm / 1000


def pedal_strokes(volume_ml: float, master_bore_mm: float, useful_stroke_mm: float) -> float:
    r"""Full strokes that bring the pedal back after pistons were pushed home: :math:`n = V / (A_m s)`.

    volume_ml : fluid the calipers must take up again. Raises `InvalidInput`. Source: [physics];
    [practice]: 5 to 7 full strokes on a typical front axle.

    >>> round(pedal_strokes(61.0, 22.2, 28.0), 1)
    5.6
    """
    require_at_least(0, volume_ml=volume_ml)
    return volume_ml / stroke_volume_ml(master_bore_mm, useful_stroke_mm)


def refill_strokes(usable_ml: float, master_bore_mm: float, useful_stroke_mm: float) -> float:
    r"""Strokes between refills while bleeding, with a safety half: :math:`n = \tfrac12 V_u / (A_m s)`.

    usable_ml : reservoir from where it stands down to the port. Raises `InvalidInput`. Common practice: refill
    every 10 to 15 strokes, never let the reservoir run dry.

    Source: [physics]; the safety half is [practice].

    >>> round(refill_strokes(220.0, 22.2, 10.0), 1)
    28.4
    """
    require_at_least(0, usable_ml=usable_ml)
    return usable_ml / stroke_volume_ml(master_bore_mm, useful_stroke_mm) / 2


@dataclass(frozen=True)
class BleedVolume:
    """Fluid to let out at one corner, mL: until no bubble comes, and until it is all new."""

    content_ml: float
    bleed_ml: float
    full_change_ml: float


def bleed_volume(
    line_length_mm: float, line_bore_mm: float, caliper_ml: float, bleed_times: float, change_times: float
) -> BleedVolume:
    r"""Fluid to let out at one corner from the content of its line and caliper.

    .. math:: V_0 = \tfrac{\pi}{4} d^2 L + V_c

    bleed_times, change_times : how many times the content is let out for a bubble-free bleed and for a full
    change. Raises `InvalidInput`. Source: [physics]; the multiples are [practice].

    >>> bleed_volume(4000.0, 3.4, 40.0, 1.5, 3.0).content_ml.__round__(1)
    76.3
    """
    require_at_least(0, line_length_mm=line_length_mm, caliper_ml=caliper_ml)
    require_positive(line_bore_mm=line_bore_mm, bleed_times=bleed_times, change_times=change_times)
    content = piston_area_mm2([line_bore_mm]) * line_length_mm / 1000 + caliper_ml
    return BleedVolume(content, content * bleed_times, content * change_times)


@dataclass(frozen=True)
class Clamp:
    """What a foot on the pedal does at one corner."""

    pressure_bar: float
    clamp_force_n: float
    brake_torque_nm: float


def clamp(
    pedal_force_n: float,
    pedal_ratio: float,
    boost: float,
    master_bore_mm: float,
    diameters_mm: Sequence[float],
    friction: float,
    effective_radius_mm: float,
) -> Clamp:
    r"""Line pressure, clamp force and brake torque of one corner from the pedal force.

    .. math:: p = F i b / A_m, \qquad N = p A, \qquad M = 2 \mu N r

    boost : the booster's multiplication (1: none); diameters_mm : pistons of ONE side; friction : of the lining.
    Raises `InvalidInput`. Source: [limpert], hydraulic brakes.

    >>> foot = clamp(300.0, 4.0, 4.0, 22.2, [57.0], 0.38, 118.0)
    >>> round(foot.pressure_bar, 1), round(foot.clamp_force_n), round(foot.brake_torque_nm)
    (124.0, 31644, 2838)
    """
    require_at_least(0, pedal_force_n=pedal_force_n)
    require_positive(pedal_ratio=pedal_ratio, boost=boost, friction=friction, effective_radius_mm=effective_radius_mm)
    pressure_n_mm2 = pedal_force_n * pedal_ratio * boost / piston_area_mm2([master_bore_mm])
    force = pressure_n_mm2 * piston_area_mm2(diameters_mm)
    return Clamp(pressure_n_mm2 * 10, force, 2 * friction * force * effective_radius_mm / 1000)


def brake_imbalance_percent(left_n: float, right_n: float) -> float:
    r"""Imbalance of an axle's brake forces: :math:`(F_{max} - F_{min}) / F_{max} \cdot 100`, %.

    Raises `InvalidInput` for a negative force, or where neither side brakes. Source: [eu-2014-45],
    Annex I, 1.2.1: under 70 % of the other side is a major defect (imbalance over 30 %), under
    50 % on a steered axle dangerous.

    >>> brake_imbalance_percent(2400.0, 1800.0)
    25.0
    """
    require_at_least(0, left_n=left_n, right_n=right_n)
    larger, smaller = max(left_n, right_n), min(left_n, right_n)
    if larger == 0:
        raise InvalidInput("left_n", left_n, "at least one side must brake: a force above 0 N is needed")
    return (larger - smaller) / larger * 100


@dataclass(frozen=True)
class FluidBalance:
    """Whether the level is what the measured wear explains. Levels: 0 at MIN, 1 at MAX.

    `excess_ml` is what stands in the reservoir beyond what the wear explains (below zero: what is missing).
    """

    expected_level: Measure
    excess_ml: Measure

    @property
    def reading(self) -> str:
        """``as_expected``, ``topped_up`` or ``losing``."""
        if not self.excess_ml.beyond_gauge_error:
            return "as_expected"
        return "topped_up" if self.excess_ml.value > 0 else "losing"


def fluid_balance(level: Measure, taken_up_ml: Measure, min_to_max_ml: float) -> FluidBalance:
    r"""Compare the fluid level with what the wear of all corners took out of the reservoir.

    .. math:: L = 1 - V / V_{marks}, \qquad \Delta = (l - L) V_{marks}

    level : as seen, with its reading error; taken_up_ml : V, the sum over all corners of the fluid their pistons
    hold for wear; min_to_max_ml : volume between the marks. The reservoir is taken as filled to MAX when the
    pads were new and never since. Raises `InvalidInput`. Source: [physics].

    >>> balance = fluid_balance(Measure(0.9, 0.05), Measure(75.0, 6.0), 150.0)
    >>> balance.expected_level.value, round(balance.excess_ml.value), balance.reading
    (0.5, 60, 'topped_up')
    """
    require_positive(min_to_max_ml=min_to_max_ml)
    require_at_least(0, taken_up_ml=taken_up_ml.value)
    expected = Measure(1 - taken_up_ml.value / min_to_max_ml, taken_up_ml.sd / min_to_max_ml)
    difference = level - expected
    return FluidBalance(expected, Measure(difference.value * min_to_max_ml, difference.sd * min_to_max_ml))


@dataclass(frozen=True)
class Homecoming:
    """What the reservoir does when pistons go home. Levels: 0 at MIN, 1 at MAX."""

    level_after: float
    overflow_ml: float
    take_out_ml: float
    level_after_taking_out: float


def homecoming(
    level: float, returning_ml: float, min_to_max_ml: float, max_to_brim_ml: float, margin_level: float
) -> Homecoming:
    """Whether the reservoir overflows when an axle's pistons go home, and how much to take out first.

    Taken out is what brings the level to MAX afterwards, but never so much that it would stand under
    `margin_level` before the pistons move, so that the port is not uncovered; what is over MAX then still is
    said by `level_after_taking_out`. Raises `InvalidInput`. Source: [physics].

    >>> home = homecoming(0.9, 60.0, 150.0, 60.0, 0.1)
    >>> round(home.level_after, 2), round(home.overflow_ml, 1), round(home.take_out_ml, 1)
    (1.3, 0.0, 45.0)
    """
    require_positive(min_to_max_ml=min_to_max_ml)
    require_at_least(0, returning_ml=returning_ml, max_to_brim_ml=max_to_brim_ml)
    after = level + returning_ml / min_to_max_ml
    brim = 1 + max_to_brim_ml / min_to_max_ml
    room_to_take = max(0.0, (level - margin_level) * min_to_max_ml)
    take_out = min(max(0.0, (after - 1) * min_to_max_ml), room_to_take)
    return Homecoming(
        level_after=after,
        overflow_ml=max(0.0, (after - brim) * min_to_max_ml),
        take_out_ml=take_out,
        level_after_taking_out=after - take_out / min_to_max_ml,
    )
