"""The wear log of a vehicle: pictures and tables, also on paper."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.evidence.wear_log import Reading, Series, WearLog, wear_log
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.saying import mm, plain, said, verbatim
from mesotrope.core.language.units import THOUSANDS
from mesotrope.core.physics.wear import NINETY_PERCENT
from mesotrope.services.jobs import visits_of
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.outcome.views import outcome_words
from mesotrope.web.plate.graph import Frame, axes, band, curve, dot
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.web.rendering import render
from mesotrope.words import Speaker

router = APIRouter()


@dataclass(frozen=True)
class LogRow:
    part: str
    readings: tuple[tuple[str, str, str], ...]
    rate: str
    left: str
    note: str


@dataclass(frozen=True)
class LogCorner:
    words: str
    picture: Plate
    rows: tuple[LogRow, ...]


@router.get("/vehicles/{vehicle_id}/wear")
def wear_page(request: Request, vehicle_id: int, shop: InShop, who: SignedIn) -> Response:
    vehicle = visits_of(shop.database, vehicle_id, by=who)
    specification = complete_specification(vehicle.described, shop.knowledge)
    log = wear_log(vehicle.readings, specification, shop.knowledge)
    corners = [_corner(log, name, shop.say(who)) for name in log.specification.corners] if log else []
    shown = [corner for corner in corners if corner.rows]
    outcomes = {visit.job_id: outcome_words(visit.outcome, shop.knowledge, shop.say(who)) for visit in vehicle.visits}
    return render("wear/page.html", request, who=who, vehicle=vehicle, corners=shown, outcomes=outcomes)


def _corner(log: WearLog, name: Corner, say: Speaker) -> LogCorner:
    series = [s for s in log.series if s.corner == name]
    pads = [s for s in series if s.part != "rotor"]
    return LogCorner(say(name), _picture(name, pads, say), tuple(_row(s, say) for s in series))


def _row(series: Series, say: Speaker) -> LogRow:
    rotor = series.part == "rotor"
    digits = 2 if rotor else 1
    readings = tuple(
        (say.units.with_unit(r.odometer_km, "km"), say.units.with_unit(r.thickness.value, "mm", digits, fine=rotor),
         _when(r, say))
        for r in series.readings
    )  # fmt: skip
    fit, part = series.fit, say(series.part)
    if fit is None:
        return LogRow(part, readings, "", "", say(said("no wear measurable yet: {why}", why=series.why_not)))
    rate = fit.rate_mm_per_1000_km
    value, spread = (say.units.per_distance(one, 1000) for one in (rate.value, rate.sd))
    unit, distance = say.unit("mm"), say.unit("km")
    worn = " ± ".join(say.units.shown(one, "mm", 3, fine=True) for one in (value, spread))
    rate_words = say(
        said(
            "{worn} for {distance}",
            worn=verbatim(f"{worn} {unit}"),
            distance=verbatim(f"1{THOUSANDS}000\u00a0{distance}"),
        )
    )
    low, high = (say.units.shown(max(0.0, km), "km") for km in (fit.left_km_low, fit.left_km_high))
    if fit.left_km_high <= 0:
        return LogRow(part, readings, rate_words, say("none"), say("at its limit"))
    at = plain(fit.last_km + max(0.0, fit.left_km), "km")
    left = say(said("{low} to {high}", low=verbatim(low), high=verbatim(f"{high} {distance}")))
    return LogRow(part, readings, rate_words, left, say(said("meets its limit at about {distance}", distance=at)))


def _when(reading: Reading, say: Speaker) -> str:
    """The visit of a reading; before any, and where the specification says so, it was new then."""
    number = verbatim(reading.visit)
    if reading.fitted and reading.visit:
        return say(said("job {number}, after the work", number=number))
    return say("new then") if reading.fitted else say(said("job {number}", number=number))


def _picture(name: Corner, pads: list[Series], say: Speaker) -> Plate:
    """Thickness over distance: readings, fitted line with its 90 % band, limit, and where the line meets it."""
    pen = Pen(say=say)
    readings = [r for s in pads for r in s.readings]
    if readings:
        ends = [s.fit.last_km + max(0.0, s.fit.left_km) for s in pads if s.fit]
        first, last = min(r.odometer_km for r in readings), max([r.odometer_km for r in readings] + ends)
        high = max([s.new_mm for s in pads] + [r.thickness.value for r in readings])
        frame = Frame(20, 10, 150, 56, first, last + 0.06 * (last - first) + 1, 0, high * 1.05)
        axes(
            pen, frame, say.unit("km"), say(said("lining, {unit}", unit=verbatim(say.unit("mm")))),
            lambda v: say.units.shown(v, "km"), lambda v: say.units.shown(v, "mm", 1),
        )  # fmt: skip
        limit = pads[0].limit_mm
        curve(pen, frame, "plate-limit", [(frame.x_low, limit), (frame.x_high, limit)])
        for visit in sorted({r.odometer_km for r in readings if not r.fitted}):
            curve(pen, frame, "graph-visit", [(visit, 0), (visit, high)])
        for s in pads:
            _fitted(pen, frame, s)
            for r in s.readings:
                style = "graph-dot" if s.part.startswith("inner") else "graph-dot graph-dot-outer"
                dot(pen, frame, style, r.odometer_km, r.thickness.value)
    return Plate(
        182,
        84,
        tuple(pen.shapes),
        say(said("{place}: lining over distance, limit {limit}", place=name, limit=mm(pads[0].limit_mm, None)))
        if pads
        else "",
    )


def _fitted(pen: Pen, frame: Frame, series: Series) -> None:
    fit = series.fit
    if fit is None:
        return
    start, end = series.current[0].odometer_km, fit.last_km + max(0.0, fit.left_km)
    along = [start + (end - start) * n / 24 for n in range(25)]
    line = [(x, fit.thickness_mm(x)) for x in along]
    half = NINETY_PERCENT
    band(
        pen,
        frame,
        "graph-band",
        [(x, m.value - half * m.sd) for x, m in line],
        [(x, m.value + half * m.sd) for x, m in line],
    )
    style = "graph-line" if series.part.startswith("inner") else "graph-line graph-line-outer"
    curve(pen, frame, style, [(x, m.value) for x, m in line])
    if fit.left_km > 0:
        dot(pen, frame, "graph-meets", end, series.limit_mm, 2)
