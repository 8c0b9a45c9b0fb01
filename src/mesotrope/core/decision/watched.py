"""What is no fault yet and is noted: its figure, and when to look again.

The rows are the knowledge's (`due.toml`). What is acted on is not watched: a row says which actions make an end of it.
Source: [practice]; distances by [archard].
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.decision.answered import Answered, Finding
from mesotrope.core.decision.due_figures import Figures, Judged
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, marked, placed, plain, said
from mesotrope.core.language.work import Watch

RELIES_ON = relies_on(
    marked("verdict"),
    "copper_change_ppm",
    "fluid_age_months",
    "inner_outer_fault_mm",
    "least_wear_mm",
    "rotor_lip_mm",
    "runout_mm",
    "stiff_by_itself",
    "taper_fault_mm",
    "variation_mm",
    "watched_lining_mm",
    "watched_rotor_mm",
    "watched_share",
    "water_change_percent",
)

#: A distance that a lining is likely to go is told in steps of so many km.
STEP_KM = 500


@dataclass(frozen=True)
class Watched:
    """Something noted: where, which finding, the figure in words, when to look again, and the row that speaks of it."""

    place: Place
    finding: str
    because: Sayable
    again: Sayable
    row: Watch

    def ended_by(self, actions: Collection[tuple[str, Place]]) -> bool:
        """Whether some actions, each with its place, make an end of it."""
        return any((action, where) in actions for action in self.row.moot_by for where in (self.place, VEHICLE))


def watched(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    figures: Mapping[Place, Figures],
    bad: Sequence[Finding],
    actions: Collection[tuple[str, Place]],
    knowledge: Knowledge,
) -> tuple[Watched, ...]:
    """Everything to be watched, corner by corner, then of the whole vehicle.

    figures : as `figures_of` makes them. bad : the bad findings: what is bad itself is not watched beside.
    actions : what is planned, with its places.
    """
    out = []
    for place, here in figures.items():
        for row in knowledge.watches:
            figure = here.get(row.figure)
            of_place = (row.scope == "system") == (place is VEHICLE)
            if figure is None or not of_place or not _noted(row, figure, knowledge):
                continue
            is_bad = any(one.place == place and one.due and one.due.figure == row.figure for one in bad)
            again = _again(row, place, inspection, specification, measures, knowledge)
            noted = Watched(place, row.finding, said(row.because, value=figure.shown), again, row)
            if not is_bad and not noted.ended_by(actions):
                out.append(noted)
    return tuple(out)


def _noted(row: Watch, figure: Judged, knowledge: Knowledge) -> bool:
    """Whether a figure is not beyond its limit, and near it."""
    if row.under:
        return 0 < figure.value < knowledge.limit[row.under]
    limit = knowledge.limit[row.over]
    return figure.beyond(knowledge.limit["watched_share"] * limit) and not figure.beyond(limit)


def _again(
    row: Watch,
    place: Place,
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> Sayable:
    """When to look again."""
    if row.again == "age":
        age = inspection.system.fluid_age_months or 0.0
        return said("change it in {months} months", months=plain(math.ceil(knowledge.limit["fluid_age_months"] - age)))
    if row.again != "wear" or not isinstance(place, Corner):
        return row.again
    thinnest_mm = measures[place].thinnest_mm
    assert thinnest_mm is not None
    left_mm = thinnest_mm - specification.axle_of(place).pad_limit_mm
    own = own_rate_mm_per_1000_km(place, thinnest_mm, inspection, specification, knowledge)
    rate = own or knowledge.wear_rate_mm_per_1000_km[inspection.visit.usage or "mixed"]
    km = max(STEP_KM, STEP_KM * int(1000 * left_mm / rate / STEP_KM))
    if own:
        return said("at its own wear it meets its limit in {km}: look again before", km=plain(km, "km", -1))
    return said("at the usual wear it meets its limit in {km}: look again before", km=plain(km, "km", -1))


def own_rate_mm_per_1000_km(
    corner: Corner, thinnest_mm: float, inspection: Inspection, specification: Specification, knowledge: Knowledge
) -> float | None:
    """How fast the thinnest place of a corner's pads has worn since they were fitted, mm for 1 000 km; None where the
    distance is not known or too little was worn to tell. Source: [archard]."""
    axle = specification.axle_of(corner)
    now, fitted = inspection.visit.odometer_km, axle.pads_fitted_odometer_km
    worn_mm = axle.pad_new_mm - thinnest_mm
    if now is None or fitted is None or now <= fitted or worn_mm < knowledge.limit["least_wear_mm"]:
        return None
    return 1000 * worn_mm / (now - fitted)


def watched_in_words(one: Watched) -> Sayable:
    """Something noted with its place, and when to look again."""
    return placed(one.place, watched_under(one))


def watched_under(one: Watched) -> Sayable:
    """The same under a heading that names the place."""
    return said("{noted}; {again}", noted=one.because, again=one.again)


def as_answered(notes: Sequence[Watched], answered: Sequence[Answered]) -> list[Answered]:
    """How what is watched was answered, where its finding has no graver answer."""
    told = {(one.place, one.finding) for one in answered}
    fresh: dict[tuple[Place, str], Sayable] = {}
    for one in notes:
        if (one.place, one.finding) not in told:
            fresh.setdefault((one.place, one.finding), one.because)
    return [Answered(place, name, "watch", because) for (place, name), because in fresh.items()]
