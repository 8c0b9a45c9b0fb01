"""How each step of a card is done: the details that apply to this vehicle and this work, and no others.

Basis: common practice; the maker's procedure wins.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import Axle, Corner, Place
from mesotrope.core.language.how import Detail, Overlooked
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable
from mesotrope.core.plan.card_step import CardStep


@dataclass(frozen=True)
class OwnWays:
    """What a workshop made of the details: those it leaves out, and its own lines, by phase of the work."""

    left_out: frozenset[str] = frozenset()
    lines: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class ToldDetail:
    """One detail under a step, with the drawing that says it better, where there is one."""

    words: Sayable
    picture: str = ""


def details_of(
    steps: Sequence[CardStep],
    specification: Specification,
    inspection: Inspection,
    knowledge: Knowledge,
    own: OwnWays,
) -> dict[str, tuple[ToldDetail, ...]]:
    """By step, what is to be minded there: each detail once, under the first step that it belongs to."""
    axles = {place.axle if isinstance(place, Corner) else place for step in steps for place in step.where}
    worked = frozenset(axle for axle in axles if isinstance(axle, Axle))
    out: dict[str, list[ToldDetail]] = {}
    for detail in knowledge.details:
        if detail.id in own.left_out or not _applies(detail, worked, specification, inspection):
            continue
        under = next((step.id for step in steps if _belongs(detail, step, knowledge)), None)
        if under is not None:
            out.setdefault(under, []).append(ToldDetail(detail.said, detail.picture))
    for phase, lines in own.lines.items():
        first = next((step.id for step in steps if step.phase == phase), None)
        if first is not None:
            out.setdefault(first, []).extend(ToldDetail(line) for line in lines)
    return {step: tuple(told) for step, told in out.items()}


def _belongs(detail: Detail, step: CardStep, knowledge: Knowledge) -> bool:
    if detail.phase:
        return step.phase == detail.phase
    names = knowledge.step_groups.get(detail.step, (detail.step,))
    return any(step.id == name or step.id.startswith(f"{name}_at_") for name in names)


def _applies(
    detail: Detail | Overlooked, worked: Collection[Axle], specification: Specification, inspection: Inspection
) -> bool:
    """Whether it is of this kind of vehicle, and of an axle that is worked on."""
    if detail.kinds and specification.kind not in detail.kinds:
        return False
    if isinstance(detail, Detail):
        if detail.axle and detail.axle not in worked:
            return False
        year = inspection.vehicle.model_year
        if detail.older_than and (year is None or year >= detail.older_than):
            return False
    return all(_has(need, worked, specification) for need in detail.needs)


def _has(need: str, worked: Iterable[Axle], specification: Specification) -> bool:
    if need == "any_parking_brake":
        return specification.has(need)
    return any(specification.axles[axle].has(need) for axle in worked)


def overlooked_of(
    places: Iterable[Place], specification: Specification, inspection: Inspection, knowledge: Knowledge
) -> tuple[Overlooked, ...]:
    """What is often overlooked, of this vehicle and the axles that are worked on."""
    worked = frozenset(place.axle for place in places if isinstance(place, Corner))
    return tuple(one for one in knowledge.overlooked if _applies(one, worked, specification, inspection))
