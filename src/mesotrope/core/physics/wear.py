"""Wear over distance: the fitted line through readings of several visits, and the distance left."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np

from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.quantity import Measure, require_at_least, require_positive
from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput, NoWearMeasurable

#: Half the width of a 90 % interval in standard uncertainties.
NINETY_PERCENT = NormalDist().inv_cdf(0.95)


@dataclass(frozen=True)
class WearFit:
    """A straight line through thicknesses over distance, with what it says of the distance left.

    `rate_mm_per_1000_km` is above 0 for a part that wears. `left_km` counts from the last reading to where the
    line meets the limit; below 0 the line met it before. The band is 90 %.
    """

    intercept_mm: float
    slope_mm_per_km: float
    covariance: tuple[tuple[float, float], tuple[float, float]]
    rate_mm_per_1000_km: Measure
    left_km: float
    left_km_low: float
    left_km_high: float
    last_km: float
    origin_km: float

    def thickness_mm(self, odometer_km: float) -> Measure:
        """The line's thickness at a distance, with the uncertainty of the line there."""
        x = odometer_km - self.origin_km
        (vaa, vab), (_, vbb) = self.covariance
        value = self.intercept_mm + self.slope_mm_per_km * x
        return Measure(value, math.sqrt(max(1e-18, vaa + 2 * x * vab + x * x * vbb)))


def fit_wear(
    odometer_km: Sequence[float], thickness_mm: Sequence[float], gauge_sd_mm: Sequence[float], limit_mm: float
) -> WearFit:
    r"""Fit wear over distance by weighted least squares and find the distance left.

    .. math:: t = a + b x, \quad w_i = 1/u_i^2, \qquad x_{left} = (t_{lim} - a)/b - x_{last}

    Source: the 90 % interval is first-order propagation ([jcgm-100]) with the covariance of intercept
    and slope, :math:`C = (X^T W X)^{-1}`, gauge uncertainty being known (normal quantile 1.645).

    odometer_km, thickness_mm, gauge_sd_mm : one of each for every reading, at least two distances.
    Raises `InvalidInput` for readings that cannot be, `NoWearMeasurable` where the slope is not beyond its own
    uncertainty by more than 1.645 times: noise is not extrapolated.

    >>> fit = fit_wear([0, 20000, 40000], [11.0, 9.0, 7.0], [0.15] * 3, 3.0)
    >>> round(fit.rate_mm_per_1000_km.value, 6), round(fit.left_km), round(fit.left_km_low), round(fit.left_km_high)
    (0.1, 40000, 34576, 45424)
    """
    x, t, u = (np.asarray(v, dtype=float) for v in (odometer_km, thickness_mm, gauge_sd_mm))
    if not len(x) == len(t) == len(u):
        raise InvalidInput(
            "thickness_mm", len(t), said("one thickness for each of the {x} distances is needed", x=verbatim(len(x)))
        )
    if len(x) < 2 or len(set(x.tolist())) < 2:
        raise NoWearMeasurable("odometer_km", odometer_km, "readings at two distances or more are needed")
    if not (np.isfinite(x).all() and (x >= 0).all()):
        raise InvalidInput("odometer_km", odometer_km, "distances of 0 km or more are needed")
    if not (np.isfinite(t).all() and (t >= 0).all()):
        raise InvalidInput("thickness_mm", thickness_mm, "thicknesses of 0 mm or more are needed")
    for sd in set(u.tolist()):
        require_positive(gauge_mm=sd)
    require_at_least(0, limit_mm=limit_mm)
    origin = float(x.mean())
    design = np.column_stack([np.ones(len(x)), x - origin])
    weight = u**-2
    covariance = np.linalg.inv((design * weight[:, None]).T @ design)
    intercept, slope = (float(value) for value in covariance @ (design.T @ (weight * t)))
    slope_sd = math.sqrt(covariance[1, 1])
    if slope >= -NINETY_PERCENT * slope_sd:
        raise NoWearMeasurable(
            "thickness_mm",
            thickness_mm,
            said(
                "{slope} ± {slope_sd} mm per 1 000 km is not beyond gauge error",
                slope=verbatim(f"{-1000 * slope:.3f}"),
                slope_sd=verbatim(f"{1000 * slope_sd:.3f}"),
            ),
        )
    last = float(x.max())
    left = (limit_mm - intercept) / slope + origin - last
    gradient = np.array([-1 / slope, -(limit_mm - intercept) / slope**2])
    half = NINETY_PERCENT * math.sqrt(float(gradient @ covariance @ gradient))
    return WearFit(
        intercept_mm=intercept,
        slope_mm_per_km=slope,
        covariance=(
            (float(covariance[0, 0]), float(covariance[0, 1])),
            (float(covariance[1, 0]), float(covariance[1, 1])),
        ),
        rate_mm_per_1000_km=Measure(-1000 * slope, 1000 * slope_sd),
        left_km=left,
        left_km_low=left - half,
        left_km_high=left + half,
        last_km=last,
        origin_km=origin,
    )


def faster_than_partner(here: Measure, partner: Measure) -> bool:
    """Whether a wear rate is above its partner's beyond chance (more than twice the uncertainty of both).

    Source: [jcgm-100].

    >>> faster_than_partner(Measure(0.20, 0.02), Measure(0.10, 0.02))
    True
    """
    difference = here - partner
    return difference.value > 0 and difference.beyond_gauge_error


def worn_by_drag_mm(
    torque_nm: Floats, km: Floats, wheel_radius_mm: float, pad_area_mm2: float, mm3_per_mj: float
) -> Floats:
    r"""Lining that each of two pads loses to a steady drag, by its work (Archard: volume in proportion to work).

    .. math:: W = T s / r, \qquad \Delta t = k W / (2 A)

    torque_nm : T of the drag, N·m; km : s, distance driven with it; wheel_radius_mm : r; pad_area_mm2 : A of a lining;
    mm3_per_mj : k, of both linings for each megajoule. Arrays broadcast. Raises `InvalidInput`.

    As evidence: a light drag over 30 000 km wears more than braking does on the motorway. Source: [archard]; [practice]
    for k.

    >>> round(float(worn_by_drag_mm(np.array(4.6), np.array(30000.0), 310.0, 5746.0, 55.0)), 2)
    2.13
    """
    require_positive(wheel_radius_mm=wheel_radius_mm, pad_area_mm2=pad_area_mm2, mm3_per_mj=mm3_per_mj)
    work_mj = torque_nm * km / wheel_radius_mm  # N·m · 1 000 m / (mm / 1 000) = 10⁶ J
    return np.asarray(mm3_per_mj * work_mj / (2 * pad_area_mm2))
