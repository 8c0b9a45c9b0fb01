"""The answer document with its packages: what the screens show, as the open format writes it."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from mesotrope.core.answer.answer import Answer
from mesotrope.core.answer.document import Say, answer_document
from mesotrope.core.language.corner import Corner, Place, listed
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, chance_of, marked, said
from mesotrope.core.plan.comparison import Comparison
from mesotrope.core.plan.packages import compare_all
from mesotrope.core.plan.worth import Package


def whole_document(
    answer: Answer,
    inspection: Inspection,
    say: Say,
    knowledge: Knowledge,
    schools: Mapping[str, str] = MappingProxyType({}),
) -> dict[str, Any]:
    """The answer to an inspection as the open format writes it, packages included.

    knowledge : with the workshop's own prices; schools : its choices.
    """
    out = answer_document(answer, say)
    packages = []
    for comparison in compare_all(answer, inspection, knowledge, schools):
        for package in comparison.packages:
            recommended = package is comparison.recommended and comparison.recommends
            packages.append(_document(package, comparison.axle, recommended, say(_because(package, comparison))))
    return out | {"packages": packages}


def _because(package: Package, comparison: Comparison) -> Sayable:
    least = chance_of(comparison.least_cure)
    if why := comparison.why_none:
        return said("find the cause first: {why}", why=why) if comparison.find_out_first else why
    if package.cure < comparison.least_cure:
        return said("cures with less than {least}", least=least)
    if package is comparison.recommended:
        return marked("the least expected cost of those that cure what is suspected")
    return marked("dearer, all in all, than the one recommended")


def _document(package: Package, axle: str, recommended: bool, because: str) -> dict[str, Any]:
    def where(place: Place) -> str | None:
        return place if isinstance(place, Corner) else None

    ordered = sorted(package.actions, key=lambda done: (listed(done[0]), done[1]))
    return {
        "axle": axle,
        "actions": [{"action": action, "corner": where(place)} for place, action in ordered],
        "price": round(package.price, 2),
        "minutes": round(package.minutes, 1),
        "cures": round(package.cure, 4),
        "comes_back": round(package.comeback, 4),
        "expected_cost": round(package.expected, 2),
        "recommended": recommended,
        "because": because,
    }
