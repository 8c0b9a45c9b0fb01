"""Heat in rotors: what a stop puts in, what the air takes out, what drag costs, and how pads are bedded."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.language.fluids_and_heat import BeddingSchool, HeatFigures
from mesotrope.core.language.quantity import require_at_least, require_positive
from mesotrope.core.language.saying import Sayable, plain, said, verbatim
from mesotrope.errors import InvalidInput

KMH = 1 / 3.6


def stop_heat_k(
    mass_kg: float,
    from_kmh: float,
    to_kmh: float,
    axle_share: float,
    rotor_mass_kg: float,
    specific_heat_j_kg_k: float,
) -> float:
    r"""Temperature rise of one of an axle's two rotors in one slowing, K.

    .. math:: \Delta T = \frac{\tfrac12 m (v_1^2 - v_2^2) \, s / 2}{m_r c}

    axle_share : s, the axle's share of the braking, 0 to 1. All the energy is taken as going into the rotor.
    Raises `InvalidInput`. The rubbing face and the pads get hotter than this mean. Source: [limpert],
    thermal analysis.

    >>> round(stop_heat_k(1450, 100, 0, 0.7, 7.5, 480), 1)
    54.4
    """
    require_positive(mass_kg=mass_kg, rotor_mass_kg=rotor_mass_kg, specific_heat_j_kg_k=specific_heat_j_kg_k)
    require_at_least(0, from_kmh=from_kmh, to_kmh=to_kmh)
    if to_kmh > from_kmh:
        raise InvalidInput(
            "to_kmh",
            to_kmh,
            said("a slowing ends at or under its first speed, {from_kmh} km/h", from_kmh=verbatim(f"{from_kmh:g}")),
        )
    if not 0 <= axle_share <= 1:
        raise InvalidInput("axle_share", axle_share, "allowed: 0 to 1")
    energy_j = 0.5 * mass_kg * ((from_kmh * KMH) ** 2 - (to_kmh * KMH) ** 2) * axle_share / 2
    return energy_j / (rotor_mass_kg * specific_heat_j_kg_k)


def specific_heat_j_kg_k(temperature_c: float, figures: HeatFigures) -> float:
    """Specific heat of gray iron at a temperature, between its two handbook figures, J/(kg·K).

    Source: [handbook].

    >>> from mesotrope.knowledge import knowledge
    >>> round(specific_heat_j_kg_k(20.0, knowledge().heat))
    460
    """
    share = (temperature_c - figures.iron_cold_c) / (figures.iron_hot_c - figures.iron_cold_c)
    share = min(1.0, max(0.0, share))
    return figures.iron_cold_j_kg_k + share * (figures.iron_hot_j_kg_k - figures.iron_cold_j_kg_k)


def cooling_time_constant_s(speed_kmh: float, figures: HeatFigures) -> float:
    r"""Time constant of a rotor's cooling at a road speed: :math:`\tau = \tau_0 / (1 + v / v_0)`, s: an estimate.

    Source: [practice].

    >>> from mesotrope.knowledge import knowledge
    >>> round(cooling_time_constant_s(50.0, knowledge().heat))
    300
    """
    require_at_least(0, speed_kmh=speed_kmh)
    return figures.cooling_at_rest_s / (1 + speed_kmh / figures.cooling_speed_kmh)


def cooled_c(temperature_c: float, ambient_c: float, seconds: float, time_constant_s: float) -> float:
    r"""Temperature after cooling: :math:`T_a + (T - T_a) e^{-t/\tau}`, °C. Raises `InvalidInput`.

    Source: [physics].

    >>> round(cooled_c(220.0, 20.0, 300.0, 300.0), 1)
    93.6
    """
    require_at_least(0, seconds=seconds)
    require_positive(time_constant_s=time_constant_s)
    return ambient_c + (temperature_c - ambient_c) * math.exp(-seconds / time_constant_s)


def drag_heat_w(drag_torque_nm: float, speed_kmh: float, wheel_radius_mm: float) -> float:
    r"""Heat that a dragging brake makes at road speed: :math:`P = M v / r`, W.

    Raises `InvalidInput`. As evidence: the heat, and the wear, of a corner that drags. Source: [physics].

    >>> round(drag_heat_w(8.0, 90.0, 310.0))
    645
    """
    require_at_least(0, drag_torque_nm=drag_torque_nm, speed_kmh=speed_kmh)
    require_positive(wheel_radius_mm=wheel_radius_mm)
    return drag_torque_nm * speed_kmh * KMH / (wheel_radius_mm / 1000)


def drag_force_n(drag_torque_nm: float, wheel_radius_mm: float) -> float:
    """Force at the road that a dragging brake costs: F = M / r, N. Raises `InvalidInput`.

    Source: [physics].

    >>> round(drag_force_n(8.0, 310.0), 1)
    25.8
    """
    require_at_least(0, drag_torque_nm=drag_torque_nm)
    require_positive(wheel_radius_mm=wheel_radius_mm)
    return drag_torque_nm / (wheel_radius_mm / 1000)


def drag_fuel_l_per_100_km(drag_torque_nm: float, wheel_radius_mm: float, figures: HeatFigures) -> float:
    r"""Fuel that a dragging brake costs, liters for 100 km: :math:`F \cdot 100\,km / (\eta H)`: an estimate.

    Source: [physics]; efficiency and heating value by [practice].

    >>> from mesotrope.knowledge import knowledge
    >>> round(drag_fuel_l_per_100_km(8.0, 310.0, knowledge().heat), 2)
    0.29
    """
    energy_j = drag_force_n(drag_torque_nm, wheel_radius_mm) * 100_000
    return energy_j / (figures.engine_efficiency * figures.fuel_j_per_l)


def drag_lining_mm_per_1000_km(
    drag_torque_nm: float, wheel_radius_mm: float, pad_length_mm: float, pad_height_mm: float, figures: HeatFigures
) -> float:
    r"""Lining that drag alone wears from each of the two pads in 1000 km, mm: an estimate.

    .. math:: \frac{k F \cdot 1000\,km}{2 A}, \qquad A = s\,l\,h

    k : wear for the energy of friction, after Archard; A : lining face, the share s of length by height.
    Raises `InvalidInput`. Source: [archard]; k and s by [practice].

    >>> from mesotrope.knowledge import knowledge
    >>> round(drag_lining_mm_per_1000_km(8.0, 310.0, 110.0, 46.0, knowledge().heat), 2)
    0.17
    """
    require_positive(pad_length_mm=pad_length_mm, pad_height_mm=pad_height_mm)
    energy_mj = drag_force_n(drag_torque_nm, wheel_radius_mm)  # 1 N over 1000 km is 1 MJ
    face_mm2 = figures.lining_face_share * pad_length_mm * pad_height_mm
    return figures.lining_mm3_per_mj * energy_mj / 2 / face_mm2


def steady_temperature_c(
    power_w: float, speed_kmh: float, rotor_diameter_mm: float, ambient_c: float, figures: HeatFigures
) -> float:
    r"""Temperature at which a dragging rotor loses what the drag puts in, °C: an estimate.

    .. math:: P = h A (T - T_a), \qquad h = h_0 + h_1 v, \qquad A = 2 \cdot \tfrac{\pi}{4} D^2 a

    a : share of the disc that is face. Raises `InvalidInput`. Source: [physics]; h by [practice].

    >>> from mesotrope.knowledge import knowledge
    >>> round(steady_temperature_c(645.0, 90.0, 260.0, 20.0, knowledge().heat))
    104
    """
    require_at_least(0, power_w=power_w, speed_kmh=speed_kmh)
    require_positive(rotor_diameter_mm=rotor_diameter_mm)
    area_m2 = 2 * math.pi / 4 * (rotor_diameter_mm / 1000) ** 2 * figures.face_share
    film = figures.film_at_rest_w_m2_k + figures.film_per_kmh_w_m2_k * speed_kmh
    return ambient_c + power_w / (film * area_m2)


@dataclass(frozen=True)
class Slowing:
    """One slowing of a bedding plan: speeds, rotor temperature before and after, and the pause that follows."""

    from_kmh: float
    to_kmh: float
    before_c: float
    after_c: float
    pause_s: float


@dataclass(frozen=True)
class BeddingPlan:
    """A whole plan, with the curve of the rotor's mean temperature over time (seconds, °C)."""

    school: str
    words: Sayable
    slowings: tuple[Slowing, ...]
    curve: tuple[tuple[float, float], ...]
    distance_km: float
    minutes: float
    peak_c: float
    target_c: float
    reaches_target: bool
    warnings: tuple[Sayable, ...]


def bedding_plan(
    school: BeddingSchool,
    figures: HeatFigures,
    mass_kg: float,
    axle_share: float,
    rotor_mass_kg: float,
    ambient_c: float,
) -> BeddingPlan:
    """Work a bedding school out for one axle: pauses so that the rotor nears its target and stays under its limit.

    The pause between slowings is the shortest (in steps of 5 s, at least the school's own) that keeps every peak
    at or under the school's limit. A school without slowings is a distance of gentle driving. Raises
    `InvalidInput`. Pads get hotter than the rotor's mean. Source: [limpert] for the heat; the schools
    are [practice].

    >>> from mesotrope.knowledge import knowledge
    >>> known = knowledge()
    >>> plan = bedding_plan(known.bedding_school["medium_slowings"], known.heat, 1450, 0.7, 7.5, 20)
    >>> len(plan.slowings), plan.peak_c <= known.bedding_school["medium_slowings"].limit_c
    (15, True)
    """
    require_positive(mass_kg=mass_kg, rotor_mass_kg=rotor_mass_kg)
    speeds = [(step.from_kmh, step.to_kmh) for step in school.steps for _ in range(step.times)]
    warnings: list[Sayable] = list(school.warnings)
    if not speeds:
        return BeddingPlan(
            school.id, school.said, (), ((0.0, ambient_c),), school.distance_km,
            60 * school.distance_km / school.average_kmh, ambient_c, ambient_c, True, tuple(warnings),
        )  # fmt: skip
    pause = school.least_pause_s
    run = _run(speeds, pause, school, figures, mass_kg, axle_share, rotor_mass_kg, ambient_c)
    while run[2] > school.limit_c and pause < 600:
        pause += 5
        run = _run(speeds, pause, school, figures, mass_kg, axle_share, rotor_mass_kg, ambient_c)
    slowings, curve, peak, distance_km = run
    if peak > school.limit_c:
        limit = plain(school.limit_c, "C", 0)
        warnings.append(said("even with 10 min pauses the rotor passes {limit}: choose a gentler school", limit=limit))
    if peak < school.target_c:
        warnings.append(
            said(
                "the rotor's mean only reaches {peak} of the {target} aimed for: the linings take longer to bed",
                peak=plain(peak, "C", 0),
                target=plain(school.target_c, "C", 0),
            )
        )
    return BeddingPlan(
        school.id, school.said, tuple(slowings), tuple(curve), distance_km, curve[-1][0] / 60, peak, school.target_c,
        peak >= school.target_c, tuple(warnings),
    )  # fmt: skip


def _run(
    speeds: Sequence[tuple[float, float]],
    pause_s: float,
    school: BeddingSchool,
    figures: HeatFigures,
    mass_kg: float,
    axle_share: float,
    rotor_mass_kg: float,
    ambient_c: float,
) -> tuple[list[Slowing], list[tuple[float, float]], float, float]:
    """Drive the plan with one pause: slowings, temperature curve, peak and distance (the cooling drive included)."""
    now_s, temperature, distance_m = 0.0, ambient_c, 0.0
    curve = [(0.0, temperature)]
    slowings = []
    for number, (high, low) in enumerate(speeds):
        before = temperature
        heat = specific_heat_j_kg_k(temperature, figures)
        temperature += stop_heat_k(mass_kg, high, low, axle_share, rotor_mass_kg, heat)
        slowing_s = (high - low) * KMH / school.deceleration_m_s2
        now_s += slowing_s
        distance_m += slowing_s * (high + low) / 2 * KMH
        curve.append((now_s, temperature))
        last = number == len(speeds) - 1
        rest = 60 * school.cooling_drive_minutes if last else pause_s
        cruise = school.cooling_drive_kmh if last else speeds[number + 1][0]
        slowings.append(Slowing(high, low, before, temperature, rest))
        constant = cooling_time_constant_s(cruise, figures)
        times = [rest * part / 4 for part in range(1, 5)]
        curve += [(now_s + time, cooled_c(temperature, ambient_c, time, constant)) for time in times]
        now_s, temperature = curve[-1]
        distance_m += rest * cruise * KMH
    return slowings, curve, max(slowing.after_c for slowing in slowings), distance_m / 1000


def temperatures_compared(by_corner: Mapping[str, float], ambient_c: float) -> dict[str, float]:
    """How far every corner stands above ambient, K.

    Source: [physics].

    >>> temperatures_compared({"rear_left": 190.0, "rear_right": 60.0}, 20.0)
    {'rear_left': 170.0, 'rear_right': 40.0}
    """
    return {corner: temperature - ambient_c for corner, temperature in by_corner.items()}
