"""The wear log of a vehicle: every pad and rotor over distance, with the fitted line where there is one to fit."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import cast

from mesotrope.core.evidence.measures import PADS
from mesotrope.core.evidence.readings import VisitReadings
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, marked
from mesotrope.core.physics.wear import WearFit, fit_wear
from mesotrope.errors import InvalidInput, NoWearMeasurable

RELIES_ON = relies_on(marked("wear log"), "micrometer_mm", "new_lining_mm", "new_pad_rise_mm", "new_rotor_rise_mm")


@dataclass(frozen=True, slots=True)
class Reading:
    """One part at one visit; `fitted`: new or worked over then, so that its wear counts from here; `another`: it was so
    since the reading before, and nobody measured it."""

    odometer_km: float
    thickness: Measure
    visit: int
    fitted: bool = False
    another: bool = False


@dataclass(frozen=True)
class Series:
    """One part over its visits. `current` are the readings since it was last new; `why_not` says why none is fitted."""

    corner: Corner
    part: str
    limit_mm: float
    new_mm: float
    readings: tuple[Reading, ...]
    current: tuple[Reading, ...]
    fit: WearFit | None
    why_not: Sayable


@dataclass(frozen=True)
class WearLog:
    specification: Specification
    series: tuple[Series, ...]

    def of(self, corner: Corner, part: str) -> Series | None:
        return next((s for s in self.series if s.corner == corner and s.part == part), None)


def wear_log(visits: Sequence[VisitReadings], specification: Specification, knowledge: Knowledge) -> WearLog | None:
    """Build a vehicle's log from its visits; None where no visit has a distance.

    Readings of one part from the time it was last new are fitted. Where it is known when the pads were fitted, a new
    lining then is a reading too, measured or not; so is what was measured after the work of a visit: a new lining, and
    a rotor that was renewed or resurfaced. Where nobody measured such a rotor, its wear counts from the next reading.
    """
    dated = sorted((visit.odometer_km, visit.number, visit) for visit in visits if visit.odometer_km is not None)
    if not dated:
        return None
    micrometer_mm = knowledge.gauge["micrometer_mm"]
    gathered: dict[tuple[Corner, str], list[Reading]] = {}
    for corner in specification.corners:
        another = False
        for odometer_km, number, visit in dated:
            for side in PADS:
                pads = _pads(visit, corner, side, specification, knowledge)
                gathered.setdefault((corner, f"{side} pad"), []).extend(
                    Reading(odometer_km, thickness, number, fitted=new) for new, thickness in pads
                )
            for worked_over, thick_mm in _rotors(visit, corner, knowledge):
                gathered.setdefault((corner, "rotor"), []).append(
                    Reading(odometer_km, Measure(thick_mm, micrometer_mm), number, worked_over, another)
                )
                another = False
            another = another or (visit.has_another_rotor(corner) and visit.rotor_after_mm(corner) is None)
    return WearLog(
        specification,
        tuple(_series(key, readings, specification, knowledge) for key, readings in gathered.items() if readings),
    )


def _pads(
    visit: VisitReadings, corner: Corner, side: str, specification: Specification, knowledge: Knowledge
) -> Iterator[tuple[bool, Measure]]:
    """A pad of a corner as it came in, and the new one that it left with: as it was measured, else as one is."""
    if (pad := visit.pad(corner, side, knowledge)) is not None:
        yield False, pad.mean
    if (new := visit.new_pad(corner, side, knowledge)) is not None:
        yield True, new.mean
    elif visit.has_new_pads(corner):
        yield True, Measure(specification.axle_of(corner).pad_new_mm, knowledge.gauge["new_lining_mm"])


def _rotors(visit: VisitReadings, corner: Corner, knowledge: Knowledge) -> Iterator[tuple[bool, float]]:
    """The rotor of a corner as it came in, and as it left where it was renewed or resurfaced meanwhile: as the work
    says, or a thickness that is another by so much as no reading is wrong."""
    before, after = visit.thinnest_rotor_mm(corner), visit.rotor_after_mm(corner)
    if before is not None:
        yield False, before
    if after is None:
        return
    rise_mm = knowledge.limit["new_rotor_rise_mm"]
    if before is None or abs(after - before) > rise_mm or visit.has_another_rotor(corner):
        yield True, after


def _series(
    key: tuple[Corner, str], readings: list[Reading], specification: Specification, knowledge: Knowledge
) -> Series:
    corner, part = key
    axle = specification.axle_of(corner)
    pad = part != "rotor"
    new, limit = (axle.pad_new_mm, axle.pad_limit_mm) if pad else (axle.rotor_new_mm, axle.rotor_discard_mm)
    fitted = axle.pads_fitted_odometer_km
    told = any(r.fitted and r.odometer_km == fitted for r in readings)
    if pad and fitted is not None and not told and any(r.odometer_km > fitted for r in readings):
        when_new = Reading(fitted, Measure(new, knowledge.gauge["new_lining_mm"]), 0, fitted=True)
        readings = sorted([*readings, when_new], key=lambda r: (r.odometer_km, r.fitted))
    current = _since_new(readings, knowledge.limit["new_pad_rise_mm" if pad else "new_rotor_rise_mm"])
    fit: WearFit | None = None
    why_not: Sayable = ""
    try:
        fit = fit_wear(
            [r.odometer_km for r in current],
            [r.thickness.value for r in current],
            [r.thickness.sd for r in current],
            limit,
        )
    except NoWearMeasurable as error:
        why_not = cast(Sayable, error.requirement)
    except InvalidInput as error:
        why_not = str(error)
    return Series(corner, part, limit, new, tuple(readings), current, fit, why_not)


def _since_new(readings: Sequence[Reading], rise_mm: float) -> tuple[Reading, ...]:
    """The readings since the part was last new: since it was fitted, or since its thickness last rose. A part that was
    fitted at the last reading has gone nowhere yet: until it has, what is known is the wear of the one before it."""
    start, end = 0, len(readings) - (len(readings) > 1 and readings[-1].fitted)
    for number in range(1, end):
        rose = readings[number].thickness.value - readings[number - 1].thickness.value > rise_mm
        if readings[number].fitted or readings[number].another or rose:
            start = number
    return tuple(readings[start:end])


def rates(log: WearLog) -> Mapping[tuple[str, str], Measure]:
    """Wear rates, mm for 1 000 km, of every part that has one."""
    return {(s.corner, s.part): s.fit.rate_mm_per_1000_km for s in log.series if s.fit}


def next_pads_km(log: WearLog, corner: Corner) -> float | None:
    """How far the next pads of a corner go at the rate of these; None where no rate is known."""
    axle = log.specification.axle_of(corner)
    known = [s.fit.rate_mm_per_1000_km.value for s in log.series if s.corner == corner and s.part != "rotor" and s.fit]
    return 1000 * (axle.pad_new_mm - axle.pad_limit_mm) / max(known) if known else None


def rotor_outlasts_next_pads(log: WearLog, corner: Corner) -> tuple[float, bool] | None:
    """How far a rotor goes before its discard thickness, and whether the next pads are worn first.

    None where no rate of the rotor or of its pads is known.
    """
    rotor, next_pads = log.of(corner, "rotor"), next_pads_km(log, corner)
    if rotor is None or rotor.fit is None or not next_pads:
        return None
    return rotor.fit.left_km, rotor.fit.left_km > next_pads
