"""Drag of a wheel: from how a hand-spun wheel comes to rest, or from a steady pull."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from mesotrope.core.language.quantity import require_at_least, require_positive


@dataclass(frozen=True)
class DragMeasure:
    """Torque that holds the wheel back, N·m, with the standard uncertainty of its logarithm.

    `held_fast`: the wheel could not be turned by hand; `torque_nm` is then the least that it can be. `shared_log_sd`:
    what of the uncertainty is the inertia's, the same at every wheel of the vehicle.
    """

    torque_nm: float
    log_sd: float
    held_fast: bool = False
    shared_log_sd: float = 0.0

    @property
    def own_log_sd(self) -> float:
        """The uncertainty without what all wheels share: that of a comparison of two."""
        return math.sqrt(max(0.0, self.log_sd**2 - self.shared_log_sd**2))

    @property
    def sd_nm(self) -> float:
        return self.torque_nm * self.log_sd


def drag_torque_from_spin_nm(turns: float, seconds: float, inertia_kg_m2: float) -> float:
    r"""Drag torque of a hand-spun wheel that turned N times in t seconds until it stopped.

    Under a constant torque, whatever the first speed was:

    .. math:: \alpha = 4 \pi N / t^2, \qquad T = I \alpha

    turns : N; seconds : t, s; inertia_kg_m2 : I of wheel, tire, hub and rotor. Raises `InvalidInput`.

    As evidence: under about 3 N·m the wheel is free, over 8 N·m is a fault, over 20 N·m unsafe heat
    ([practice]). Source: [physics].

    >>> round(drag_torque_from_spin_nm(3, 4, 1.1), 3)
    2.592
    """
    require_positive(turns=turns, seconds=seconds, inertia_kg_m2=inertia_kg_m2)
    return inertia_kg_m2 * 4 * math.pi * turns / seconds**2


def drag_from_spin(
    turns: float,
    seconds: float,
    inertia_kg_m2: float,
    inertia_relative_sd: float,
    turns_sd: float,
    seconds_sd: float,
    held_fast_nm: float,
) -> DragMeasure:
    r"""As `drag_torque_from_spin_nm`, with its uncertainty; no turns at all means that it cannot be turned.

    .. math:: u(\ln T)^2 = (u_N/N)^2 + (2 u_t/t)^2 + (u_I/I)^2

    First order; source: [jcgm-100]. Raises `InvalidInput` for turns without seconds.

    >>> free = drag_from_spin(3, 4, 1.1, 0.15, 0.25, 0.2, 25.0)
    >>> round(free.torque_nm, 2), round(free.log_sd, 3)
    (2.59, 0.199)
    >>> drag_from_spin(0, 0, 1.1, 0.15, 0.25, 0.2, 25.0).held_fast
    True
    """
    if turns == 0:
        return DragMeasure(held_fast_nm, inertia_relative_sd, held_fast=True)
    torque_nm = drag_torque_from_spin_nm(turns, seconds, inertia_kg_m2)
    log_sd = math.sqrt((turns_sd / turns) ** 2 + (2 * seconds_sd / seconds) ** 2 + inertia_relative_sd**2)
    return DragMeasure(torque_nm, log_sd, shared_log_sd=inertia_relative_sd)


def drag_from_hand_spin(
    turns: float,
    seconds: float,
    inertia_kg_m2: float,
    inertia_relative_sd: float,
    turns_sd: float,
    seconds_sd: float,
    held_fast_nm: float,
    swing_turns_per_s: float,
    swing_log_sd: float,
) -> DragMeasure:
    r"""As `drag_from_spin`, weighed with how fast a hand swings a wheel.

    Where a wheel stops within a turn, neither turns nor seconds are read well, and that it stopped so soon tells more.

    The first speed is read as :math:`\omega_0 = 4 \pi N / t`, with an error that it shares with the torque:

    .. math::
        \ln T' = \ln T - b \ln(\omega_0 / \omega_h), \quad b = (u_N^2 + 2 u_t^2) / (u_N^2 + u_t^2 + u_h^2)

    with relative :math:`u_N, u_t` of turns and seconds; swing_turns_per_s, swing_log_sd : median :math:`\omega_h` of
    the hand's swing, turns/s, and spread :math:`u_h` of its logarithm. The best linear estimate, first order.
    Source: [jcgm-100]. Raises `InvalidInput` for turns without seconds.

    >>> known = (1.1, 0.15, 0.144, 0.2, 25.0, 1.5, 0.35)
    >>> long, short = drag_from_hand_spin(6, 8, *known), drag_from_hand_spin(0.5, 0.7, *known)
    >>> round(long.torque_nm, 2), round(long.log_sd, 2)      # nothing to add to turns and seconds
    (1.3, 0.16)
    >>> round(short.torque_nm, 1), round(short.log_sd, 2)    # 0.66 by turns and seconds alone
    (14.7, 0.47)
    """
    read = drag_from_spin(turns, seconds, inertia_kg_m2, inertia_relative_sd, turns_sd, seconds_sd, held_fast_nm)
    if read.held_fast:
        return read
    of_turns, of_seconds = (turns_sd / turns) ** 2, (seconds_sd / seconds) ** 2
    shared = of_turns + 2 * of_seconds
    slope = shared / (of_turns + of_seconds + swing_log_sd**2)
    too_fast = math.log(2 * turns / seconds / swing_turns_per_s)
    return replace(
        read, torque_nm=read.torque_nm * math.exp(-slope * too_fast), log_sd=math.sqrt(read.log_sd**2 - slope * shared)
    )


def drag_from_pull(pull_n: float, radius_mm: float, relative_sd: float) -> DragMeasure:
    """Drag torque from a steady pull F at radius r that keeps the wheel turning: T = F·r.

    pull_n : N; radius_mm : mm; relative_sd : of the scale. Raises `InvalidInput`. Source: [physics].

    >>> drag_from_pull(40.0, 300.0, 0.1).torque_nm
    12.0
    """
    require_positive(radius_mm=radius_mm)
    require_at_least(0, pull_n=pull_n)
    return DragMeasure(max(pull_n * radius_mm / 1000, 0.05), relative_sd)


def combined(measures: list[DragMeasure]) -> DragMeasure | None:
    """One drag from several readings of the same wheel, each weighted by its own uncertainty.

    A reading is one fact about the wheel, so two readings sharpen it and do not count twice.

    Source: [jcgm-100].

    >>> both = combined([DragMeasure(8.0, 0.2), DragMeasure(8.0, 0.2)])
    >>> round(both.torque_nm, 6), round(both.log_sd, 4)
    (8.0, 0.1414)
    """
    if not measures or len(measures) == 1:
        return measures[0] if measures else None
    turned = [measure for measure in measures if not measure.held_fast] or measures
    weights = [measure.log_sd**-2 for measure in turned]
    log_torque = sum(w * math.log(m.torque_nm) for w, m in zip(weights, turned, strict=True)) / sum(weights)
    shared_log_sd = sum(w * m.shared_log_sd for w, m in zip(weights, turned, strict=True)) / sum(weights)
    return DragMeasure(math.exp(log_torque), sum(weights) ** -0.5, turned[0].held_fast, shared_log_sd)


def wheel_inertia_kg_m2(
    wheel_mass_kg: float, wheel_radius_mm: float, ring_radius_share: float, hub_kg_m2: float
) -> float:
    """Inertia of a wheel taken as a thick ring, with hub and rotor: I = m·(s·r)² + I_hub.

    A default for a vehicle whose inertia is not known, and said to be one. Common practice.

    Source: [practice].

    >>> round(wheel_inertia_kg_m2(18, 310, 0.72, 0.12), 2)
    1.02
    """
    require_positive(wheel_mass_kg=wheel_mass_kg, wheel_radius_mm=wheel_radius_mm)
    return wheel_mass_kg * (ring_radius_share * wheel_radius_mm / 1000) ** 2 + hub_kg_m2
