"""Pad thickness and taper: the plane through the measured places of a lining."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from operator import mul

import numpy as np

from mesotrope.core.language.quantity import Measure, Slips
from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput

#: Where each place lies: along the pad (+½ leading end) and across it (+½ toward the rotor's rim).
PLACES = {
    "lead_rim": (0.5, 0.5),
    "lead_hub": (0.5, -0.5),
    "trail_rim": (-0.5, 0.5),
    "trail_hub": (-0.5, -0.5),
}


@dataclass(frozen=True, slots=True)
class PadMeasure:
    """One pad's lining. A taper that the measured places cannot tell is None.

    `fore_aft` = mean(lead) − mean(trail); `radial` = mean(rim) − mean(hub); `twist`, of a pad measured at all four
    places, what these differ by along either diagonal; all in mm. `places` : how many were measured.
    """

    mean: Measure
    thinnest_mm: float
    fore_aft: Measure | None
    radial: Measure | None
    twist: float | None = None
    places: int = 0

    def slip_chance(self, of: Slips) -> float:
        r"""Chance that what the places differ by is nothing but a slip at one of them (or, hardly ever, at two).

        One wrong place of four makes both tapers and the twist alike in size, so that they tell it from a wedge:
        weighed by :math:`e^{-\chi^2/2}` of what they differ by. Two slips would have to agree besides. A lining that
        wears flat has no twist but for the gauge, hardly ever for a piece that broke off; Bayes' rule between them.
        With fewer places nothing tells it.

        Source: [practice].

        >>> gauge = Slips(0.004, 0.25, 10, 0.2, 0.05, 0.8)
        >>> wedge = {"lead_rim": 7.9, "trail_rim": 7.9, "lead_hub": 4.2, "trail_hub": 4.2}  # two places would agree
        >>> slip = {"lead_rim": 7.9, "trail_rim": 7.9, "lead_hub": 7.9, "trail_hub": 4.2}
        >>> [round(pad_measure(points, 0.15).slip_chance(gauge), 2) for points in (wedge, slip)]
        [0.0, 0.88]
        """
        if self.twist is None or self.fore_aft is None or self.radial is None:
            return of.misread * max(self.places, 1)
        one, two, flat = self._slips(of)
        return (one + two) / (one + two + flat)

    def mean_slip_chance(self, of: Slips) -> float:
        """As `slip_chance`, of a slip that carries the mean away: where all four places agree, none did.

        >>> gauge = Slips(0.004, 0.25, 10, 0.2, 0.05, 0.8)
        >>> even = {"lead_rim": 7.9, "trail_rim": 7.9, "lead_hub": 7.9, "trail_hub": 7.9}
        >>> round(pad_measure(even, 0.15).mean_slip_chance(gauge), 6)
        5e-06
        """
        if self.twist is None or self.fore_aft is None or self.radial is None:
            return self.slip_chance(of)
        one, two, flat = self._slips(of)
        carried_mm = (abs(self.fore_aft.value) + abs(self.radial.value) + abs(self.twist)) / 3 / 2
        carries = 1 - math.exp(-((carried_mm / of.sd_mm) ** 2) / 2)
        return (one * carries + two) / (one + two + flat)

    def _slips(self, of: Slips) -> tuple[float, float, float]:
        """How likely the twist is with a slip at one place, with slips at two, and with none, density per mm."""
        assert self.twist is not None
        assert self.fore_aft
        assert self.radial
        any_place = of.misread * self.places
        sizes = [abs(self.fore_aft.value), abs(self.radial.value), abs(self.twist)]
        middle = math.fsum(sizes) / len(sizes)
        chi2 = math.fsum((size - middle) ** 2 for size in sizes) / of.sd_mm**2
        one = any_place * math.exp(-chi2 / 2) / (2 * of.sd_mm * math.sqrt(2 * math.pi))
        flat = math.fsum(
            share * math.exp(-((self.twist / twist_sd) ** 2) / 2) / (twist_sd * math.sqrt(2 * math.pi))
            for share, twist_sd in ((1 - of.not_flat, of.flat_sd_mm), (of.not_flat, of.not_flat_sd_mm))
        )
        two = math.comb(self.places, 2) * of.misread**2 / of.reach_mm
        return one, two, (1 - any_place) * flat

    def fore_aft_angle_deg(self, pad_length_mm: float) -> float | None:
        """Angle of the wedge along the pad's length, in degrees; None where the taper is not known."""
        return None if self.fore_aft is None else math.degrees(math.atan(self.fore_aft.value / pad_length_mm))


def pad_measure(points_mm: Mapping[str, float], gauge_sd_mm: float, unseen_taper_sd_mm: float = 0.32) -> PadMeasure:
    r"""Mean, thinnest place and tapers of one lining from one to four measured places.

    The best plane :math:`t = m + a x + b y` over the pad's face, x = ±½ (lead, trail), y = ±½ (rim, hub),
    by least squares; m is the mean, a the fore-aft and b the radial taper. Where the places cannot tell a
    taper, it is taken as unknown with `unseen_taper_sd_mm` and widens the mean.

    points_mm : thickness by place (any of `PLACES`), mm; gauge_sd_mm : standard uncertainty of a reading, mm.
    Raises `InvalidInput` for no place, an unknown place, or a negative thickness.

    As evidence: a taper along the pad speaks for one stuck pin or one hung piston, a taper across it for a
    wrong or wrongly fitted pad. Source: least squares; [jcgm-100] for the uncertainty.

    >>> pad = pad_measure({"lead_rim": 5.0, "lead_hub": 5.4, "trail_rim": 7.0, "trail_hub": 7.4}, 0.15)
    >>> round(pad.mean.value, 3), round(pad.fore_aft.value, 3), round(pad.radial.value, 3)
    (6.2, -2.0, -0.4)
    >>> pad.thinnest_mm, round(pad.mean.sd, 3)
    (5.0, 0.075)
    """
    if not points_mm:
        raise InvalidInput("pad_mm", {}, "at least one measured place is needed")
    places, readings = tuple(points_mm), tuple(points_mm.values())
    (of_mean, of_fore_aft, of_radial), sds, told = _solution(places, gauge_sd_mm, unseen_taper_sd_mm)
    thinnest = min(readings)
    if not (thinnest >= 0 and sum(readings) < math.inf):
        _refuse(points_mm)
    mean = sum(map(mul, of_mean, readings))
    fore_aft = sum(map(mul, of_fore_aft, readings))
    radial = sum(map(mul, of_radial, readings))
    return PadMeasure(
        mean=Measure(mean, sds[0]),
        thinnest_mm=thinnest,
        fore_aft=Measure(fore_aft, sds[1]) if told[0] else None,
        radial=Measure(radial, sds[2]) if told[1] else None,
        twist=_twist(points_mm) if len(points_mm) == len(PLACES) else None,
        places=len(points_mm),
    )


def _twist(points_mm: Mapping[str, float]) -> float:
    """Half of what the places along one diagonal differ by from those along the other."""
    return math.fsum(4 * x * y * points_mm[place] for place, (x, y) in PLACES.items()) / 2


def odd_place(points_mm: Mapping[str, float]) -> tuple[str, float] | None:
    """The place that lies off the plane of the other three, and the thickness at which they put it, in mm.

    A lining wears flat against its rotor, so the places along one diagonal make together what those along the other
    make. Where they do not, any one place could be the odd one: it is the one without which the lining tapers least.
    None with fewer than four places. Source: [practice].

    points_mm : thickness by place (`PLACES`), mm.

    >>> odd_place({"lead_rim": 7.9, "lead_hub": 7.9, "trail_rim": 7.9, "trail_hub": 4.2})
    ('trail_hub', 7.9)
    """
    if len(points_mm) < len(PLACES):
        return None
    off_mm = 2 * _twist(points_mm)

    def tapers(place: str) -> tuple[float, float]:
        x, y = PLACES[place]
        points = {**points_mm, place: points_mm[place] - math.copysign(off_mm, x * y * off_mm)}
        slopes = [math.fsum(at[axis] * points[name] for name, at in PLACES.items()) for axis in (0, 1)]
        return math.hypot(*slopes), points[place]

    odd = min(PLACES, key=lambda place: tapers(place)[0])
    return odd, tapers(odd)[1]


def _refuse(points_mm: Mapping[str, float]) -> None:
    """Raise `InvalidInput` for the first place whose thickness cannot be."""
    for place, thickness in points_mm.items():
        if not 0 <= thickness < math.inf:
            raise InvalidInput(f"pad_mm.{place}", thickness, "a lining thickness of 0 mm or more is needed")


@lru_cache(maxsize=512)
def _solution(
    places: tuple[str, ...], gauge_sd_mm: float, unseen_taper_sd_mm: float
) -> tuple[list[list[float]], list[float], tuple[bool, bool]]:
    """What each reading counts for in mean and tapers, their uncertainties, and which tapers the places can tell."""
    design, told = _design(places)
    # The unknown tapers have a weak prior of zero: it matters only where the places cannot tell them.
    prior_precision = np.diag([0.0, unseen_taper_sd_mm**-2, unseen_taper_sd_mm**-2])
    for column, known in zip((1, 2), told, strict=True):
        if known:
            prior_precision[column, column] = 0.0
    covariance = np.linalg.inv(design.T @ design / gauge_sd_mm**2 + prior_precision)
    weights = covariance @ design.T / gauge_sd_mm**2
    return weights.tolist(), np.sqrt(np.diag(covariance)).tolist(), told


@lru_cache(maxsize=128)
def _design(places: tuple[str, ...]) -> tuple[np.ndarray, tuple[bool, bool]]:
    """The plane's design for these places, and whether they can tell the taper along and the taper across."""
    for place in places:
        if place not in PLACES:
            raise InvalidInput("pad_mm", place, said("places are {choices}", choices=verbatim(", ".join(PLACES))))
    design = np.array([[1.0, *PLACES[place]] for place in places])

    def tells(column: int) -> bool:
        others = np.delete(design, column, axis=1)
        return bool(np.linalg.matrix_rank(design) > np.linalg.matrix_rank(others))

    return design, (tells(1), tells(2))
