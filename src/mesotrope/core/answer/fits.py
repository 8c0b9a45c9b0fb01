"""What fits nothing else that was found: findings to make again, and corners where another fault may be."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from mesotrope.core.decision.due_figures import Figures
from mesotrope.core.evidence.measures import PADS, measured_places_mm
from mesotrope.core.evidence.pieces import Evidence
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, joined, marked, mm, placed, said
from mesotrope.core.physics.pads import odd_place

RELIES_ON = relies_on(
    marked("verdict"),
    "drag_beside_partner_times",
    "drag_free_nm",
    "lining_off_plane_mm",
    "temperature_look_k",
    "window_differs_mm",
)

#: A finding and how well it fits what is now believed.
Fits = Sequence[tuple[Evidence, float]]


def contradictions_of(fits: Fits, knowledge: Knowledge) -> tuple[Sayable, ...]:
    """Findings that no fault explains beside the others."""
    return tuple(
        said("measure again: {finding}; it fits nothing else found here", finding=placed(item.corner, item.sentence))
        for item, fit in fits
        if fit < knowledge.threshold["contradicts_fit"]
    )


def let_go_of(figures: Mapping[Place, Figures], knowledge: Knowledge) -> tuple[Sayable, ...]:
    """Wheels that came hot from the drive and are free on the lift: they are to be spun while what held them holds.

    figures : of every corner, as `figures_of` gives them.
    """
    limit = knowledge.limit

    def free(found: Figures) -> bool:
        drag, more = found.get("drag_nm"), found.get("drag_over_partner_nm")
        if drag is None:
            return False
        partner_nm = 0.0 if more is None else drag.value - more.value
        return drag.value <= max(limit["drag_beside_partner_times"] * partner_nm, limit["drag_free_nm"])

    return tuple(
        said(
            "{place}: hot after the drive, and free on the lift. What held it may have let go: have the pedal pressed "
            "hard and spin it at once, or spin it straight after a drive",
            place=corner,
        )
        for corner, found in figures.items()
        if (hub := found.get("hub_over_partner_k")) and hub.value >= limit["temperature_look_k"] and free(found)
    )


def off_plane_of(corners: Iterable[Corner], inspection: Inspection, knowledge: Knowledge) -> tuple[Sayable, ...]:
    """Places of a lining that lie off the plane of its other three, as worn lining does not."""
    out = []
    for corner in corners:
        for side in PADS:
            measured_mm = measured_places_mm(inspection.corner(corner), side)
            odd = odd_place(measured_mm)
            if odd and abs(odd[1] - measured_mm[odd[0]]) >= knowledge.limit["lining_off_plane_mm"]:
                where, flat_mm = odd
                out.append(
                    said(
                        "{place}: the {side} pad reads {read} at its {where}, where the other three places put it at "
                        "{flat}, and lining wears flat. Measure it again; if it stands, look whether a piece broke off",
                        place=corner,
                        side=side,
                        where=where.replace("lead_", "leading ").replace("trail_", "trailing "),
                        read=mm(measured_mm[where]),
                        flat=mm(flat_mm),
                    )
                )
    return tuple(out)


def unlike_through_window_of(
    corners: Iterable[Corner], inspection: Inspection, knowledge: Knowledge
) -> tuple[Sayable, ...]:
    """Linings that read otherwise on the bench than through the window, by more than an eye errs."""
    out = []
    for corner in corners:
        found = inspection.corner(corner)
        for side in PADS:
            seen_mm, places = getattr(found.window_pad_mm, side, None), measured_places_mm(found, side).values()
            errs_mm = knowledge.limit["window_differs_mm"]
            if seen_mm is None or not places or min(places) - errs_mm <= seen_mm <= max(places) + errs_mm:
                continue
            told = said(
                "{place}: the {side} pad looked like {seen} through the window, and reads {read} at its thinnest. "
                "Measure it again",
                place=corner,
                side=side,
                seen=mm(seen_mm),
                read=mm(min(places)),
            )
            out.append(told)
    return tuple(out)


def fits_nothing_of(fits: Fits, knowledge: Knowledge) -> tuple[Sayable, ...]:
    """Corners, or the whole system, where several findings fit no fault of the list: it may be another."""
    poor: dict[Place, list[str]] = {}
    for item, fit in fits:
        if fit < knowledge.threshold["poor_fit"] and item.finding in knowledge.how_it_works:
            poor.setdefault(item.corner, []).append(_named(item.finding, knowledge))
    return tuple(
        said(
            "{place}: fits nothing well. No fault of the list, alone or with others, explains {findings}. Make them "
            "again; if they stand, look for something else",
            place=corner,
            findings=joined(dict.fromkeys(names), ", "),
        )
        for corner, names in poor.items()
        if len(set(names)) >= knowledge.threshold["poor_fits_many"]
    )


def _named(finding: str, knowledge: Knowledge) -> str:
    known = knowledge.field_of_finding.get(finding)
    return known.label if known else finding.replace("_", " ")
