"""The work card: what to order, to fetch and to do, in an order that is safe, with the numbers of this job.

Basis: common practice; the maker's procedure and torques win over every line. No torque is given here.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from mesotrope.core.decision.verdict import PlannedAction
from mesotrope.core.evidence.job_numbers import JobNumbers
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place
from mesotrope.core.language.how import Overlooked
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Figure, Sayable, joined, marked, ml, placed, plain, said
from mesotrope.core.physics.heat import BeddingPlan, bedding_plan
from mesotrope.core.plan.came_since import written
from mesotrope.core.plan.card_step import CardStep
from mesotrope.core.plan.care import (
    closing,
    into_service_position,
    opening,
    out_of_service_position,
    with_new_pads,
)
from mesotrope.core.plan.how_it_is_done import OwnWays, ToldDetail, details_of, overlooked_of
from mesotrope.core.plan.parts import Part, Places, parts_of

RELIES_ON = relies_on("work card", "water_change_percent", "fluid_age_months", "nuts_again_km", "temperature_look_k")

#: The phases whose steps come after all of the work.
CLOSING = ("torque", "prove", "wheels", "drive")


@dataclass(frozen=True)
class Own:
    """What people added to a card: steps, parts, the numbers of parts by their words, and the workshop's ways."""

    steps: tuple[CardStep, ...] = ()
    parts: tuple[Part, ...] = ()
    numbers: Mapping[str, str] = field(default_factory=dict)
    ways: OwnWays = field(default_factory=OwnWays)


@dataclass(frozen=True)
class Fastener:
    """What is torqued afterwards. No figure is known here: it is asked for, with where it came from."""

    id: str
    words: str
    where: Place


@dataclass(frozen=True)
class WorkCard:
    parts: tuple[Part, ...]
    tools: tuple[str, ...]
    steps: tuple[CardStep, ...]
    fasteners: tuple[Fastener, ...]
    bedding: BeddingPlan | None
    measure_at_handback: tuple[str, ...]
    details: Mapping[str, tuple[ToldDetail, ...]] = field(default_factory=dict)
    overlooked: tuple[Overlooked, ...] = ()


def work_card(
    plan: Sequence[PlannedAction],
    inspection: Inspection,
    specification: Specification,
    numbers: JobNumbers,
    schools: Mapping[str, str],
    knowledge: Knowledge,
    own: Own | None = None,
) -> WorkCard:
    """Put the card together for what is planned, with what people added to it.

    schools : the workshop's choice for every question in which practitioners disagree.
    """
    own = own or Own()
    places: dict[str, list[Place]] = {}
    for planned in plan:
        if planned.action != "no_action":
            places.setdefault(planned.action, []).append(planned.corner)
    made = _steps(places, inspection, specification, numbers, schools, knowledge) if places else []
    made = [replace(step, notes=_what_to_test(plan)) if step.id == "find_the_cause" else step for step in made]
    made = [replace(step, follows=step.follows | _followed(step, places, knowledge)) for step in made]
    order = list(knowledge.phases)
    steps = tuple(sorted([*made, *own.steps], key=lambda step: order.index(step.phase)))
    return WorkCard(
        parts=(*parts_of(places, own.numbers, knowledge), *own.parts),
        tools=tuple(dict.fromkeys(tool for action in places for tool in knowledge.work[action].tools)),
        steps=steps,
        fasteners=_fasteners(places, specification, knowledge),
        bedding=_bedding(places, inspection, specification, schools, knowledge),
        measure_at_handback=_at_handback(places, knowledge) if places else (),
        details=details_of(steps, specification, inspection, knowledge, own.ways),
        overlooked=overlooked_of(
            (place for there in places.values() for place in there), specification, inspection, knowledge
        ),
    )


def _followed(step: CardStep, places: Places, knowledge: Knowledge) -> frozenset[str]:
    """The planned work that a step comes after: bleeding after what opened the hydraulics, bedding after new linings
    and rotors, and whatever closes and proves after all of it."""
    if step.id in ("bleed_order", "bleed_system"):
        actions: Collection[str] = knowledge.opening_actions
    elif step.id == "bed":
        actions = knowledge.actions_that["bedded"]
    elif step.phase in CLOSING and step.id not in places:
        actions = places
    else:
        return frozenset()
    return written((place, action) for action in actions for place in places.get(action, ()))


def _what_to_test(plan: Sequence[PlannedAction]) -> tuple[Sayable, ...]:
    """What is not known yet, and the test that tells it, at every place where the cause comes first."""
    asked = [(one.corner, one.because) for one in plan if one.action == "find_the_cause"]
    return tuple(why if len(asked) == 1 else placed(place, why) for place, why in asked)


def _steps(
    places: Places,
    inspection: Inspection,
    specification: Specification,
    numbers: JobNumbers,
    schools: Mapping[str, str],
    knowledge: Knowledge,
) -> list[CardStep]:
    """All steps; within a phase as the knowledge lists the work."""
    corners = [corner for corner in specification.corners if any(corner in there for there in places.values())]
    out: list[CardStep] = [*opening(corners), *with_new_pads(places, specification, knowledge)]
    home = sorted(_axles_of(knowledge.actions_that["pistons_home"], places))
    out += into_service_position(home, specification)
    for number, (axle, pushed) in enumerate(_pushed_home(home, places, knowledge).items()):
        steps = _fluid_out(axle, pushed, numbers, "pistons_home" if number else "fluid_out")
        steps.append(_pistons_home(axle, inspection, specification, schools, knowledge))
        out += [replace(step, follows=frozenset(map(str, pushed))) for step in steps]
    out += [
        CardStep(action, knowledge.work[action].phase, knowledge.action[action].words, tuple(places[action]),
             _by_school(action, schools, knowledge))
        for action in knowledge.work if action in places
    ]  # fmt: skip
    if knowledge.actions_that["opens"] & set(places):
        opened = _done_at(knowledge.opening_actions, places)
        out.append(_bleeding(opened, inspection, specification, numbers, schools, knowledge))
    if any(knowledge.work[action].fasteners for action in places):
        out.append(
            CardStep("torque", "torque", marked("every fastener to the maker's torque, ticked off with the value read"))
        )
    out += closing(corners)
    out += out_of_service_position(home, specification)
    out.append(_pump(home, numbers))
    out.append(CardStep("spin_again", "prove", marked("spin every wheel: free, and alike on both sides")))
    out.append(CardStep("leak_check", "prove", marked("firm foot for 30 s: the pedal holds, and nothing is wet")))
    if corners:
        out.append(CardStep("nuts", "wheels", marked("wheel nuts in star order, to the maker's torque, on the ground")))
    if knowledge.actions_that["bedded"] & set(places):
        how = knowledge.school["bedding"].chosen(schools["bedding"]).said
        out.append(CardStep("bed", "drive", said("bed the linings in: {how}", how=how)))
    apart = plain(knowledge.limit["temperature_look_k"], "K")
    alike = said("after the drive, the hubs of an axle within {apart} of each other", apart=apart)
    out.append(CardStep("temperatures", "drive", alike))
    if corners and schools["nuts"] == "again_after_50":
        out.append(
            CardStep(
                "nuts_again",
                "drive",
                said("wheel nuts again after {distance}", distance=plain(knowledge.limit["nuts_again_km"], "km", -1)),
                notes=(marked("paint and rust settle"),),
            )
        )
    return out


def _done_at(actions: Iterable[str], places: Places) -> set[Place]:
    """Where any of the actions is done."""
    return {place for action in actions for place in places.get(action, ())}


def _axles_of(actions: Iterable[str], places: Places) -> set[Axle]:
    """The axles at which any of the actions is done."""
    return {place.axle for place in _done_at(actions, places) if isinstance(place, Corner)}


def _pushed_home(home: Iterable[Axle], places: Places, knowledge: Knowledge) -> dict[Axle, list[Corner]]:
    """By axle, the corners whose pistons are pushed home: not those of calipers that come off their hose, whose fluid
    leaves there."""
    off_its_hose = knowledge.actions_that["caliper"] & knowledge.opening_actions
    pushed = _done_at(knowledge.actions_that["pistons_home"], places) - _done_at(off_its_hose, places)
    by_axle = {axle: [corner for corner in Corner if corner in pushed and corner.axle == axle] for axle in home}
    return {axle: there for axle, there in by_axle.items() if there}


def _fluid_out(axle: Axle, pushed: Sequence[Corner], numbers: JobNumbers, phase: str) -> list[CardStep]:
    """What is taken out of the reservoir before an axle's pistons go home; before the second axle's, what the first
    brought back is there again."""

    def step(words: Sayable, *notes: Sayable) -> list[CardStep]:
        return [CardStep(f"fluid_out_{axle}", phase, words, (axle,), notes)]

    back = numbers.reservoir.returning(pushed)
    if back is None:
        return step(
            marked(
                "look at the level before any piston goes home, and take fluid out: how much comes back is not known"
            )
        )
    take, fluid = back.home.take_out_ml, back.fluid_ml
    if take < 1:
        return step(marked("nothing to take out first: it will not rise over MAX"))
    volume = Figure(fluid.value, "mL", 0, fluid.sd if fluid.sd >= 0.5 else None)
    notes: list[Sayable] = [said("{volume} come back as its pistons go home", volume=volume)]
    if numbers.reservoir.level is None:
        notes.append(
            marked("reckoned from MAX, for nobody looked at the level: less where it stands lower, never under MIN")
        )
    return step(said("take {volume} out of the reservoir", volume=ml(take)), *notes)


def _pistons_home(
    axle: Axle, inspection: Inspection, specification: Specification, schools: Mapping[str, str], knowledge: Knowledge
) -> CardStep:
    """How pistons go home on this axle: pushed or turned, bleeder open or closed, service position first."""
    build = specification.axles[axle]
    turn = build.parking_brake == "integral_cable"
    words: Sayable = marked("turn the pistons home while pushing") if turn else marked("push the pistons home, slowly")
    notes: list[Sayable] = [said("bleeder {how}", how=_bleeder(inspection, schools, knowledge))]
    if build.pistons > 1:
        notes.append(marked("block one piston while the other goes in"))
    return CardStep(f"pistons_home_{axle}", "pistons_home", words, (axle,), tuple(notes))


def _bleeder(inspection: Inspection, schools: Mapping[str, str], knowledge: Knowledge) -> str:
    """Whether the bleeder is open as pistons go home, by the workshop's school, and why."""
    school = schools["pistons_home"]
    if school == "open":
        return marked("open, hose clamped softly: old fluid leaves there")
    system = inspection.system
    water = system.fluid_water_percent
    old = (
        system.fluid_colour in knowledge.dark_fluid
        or (system.fluid_age_months or 0) > knowledge.limit["fluid_age_months"]
        or (water is not None and water >= knowledge.limit["water_change_percent"])
    )
    if school == "by_fluid" and old:
        return marked(
            "open, hose clamped softly: the fluid is dark, old or wet, and must not go back through the ABS unit"
        )
    return marked("closed, cap loose, level watched")


def _bleeding(
    opened: Collection[Place],
    inspection: Inspection,
    specification: Specification,
    numbers: JobNumbers,
    schools: Mapping[str, str],
    knowledge: Knowledge,
) -> CardStep:
    side = inspection.vehicle.steering_side or "left"
    whole = bleed_order(specification, side, schools["bleed_order"])
    circuits = {specification.circuit_of(place) for place in opened if isinstance(place, Corner)}
    if specification.circuits_are_apart and circuits and VEHICLE not in opened:
        whole = [corner for corner in whole if specification.circuit_of(corner) in circuits]
    order = joined(whole, ", then ")
    volumes = [there.bleed.bleed_ml for there in numbers.corners.values()]
    strokes = plain(numbers.refill_strokes, "", 0)
    notes: list[Sayable] = [
        knowledge.school["bleed_method"].chosen(schools["bleed_method"]).said,
        said("refill at the latest after {strokes} strokes", strokes=strokes),
    ]
    if volumes:
        notes.append(said("about {volume} a corner until no bubble comes", volume=ml(max(volumes))))
    words = said("bleed in this order, if the maker gives no other: {order}", order=order)
    return CardStep("bleed_order", "bleed", words, (), tuple(notes))


def bleed_order(specification: Specification, steering_side: str, school: str) -> list[Corner]:
    """The corners in the order they are bled, by school and circuit split, the master cylinder at the driver's side.

    >>> from mesotrope.core.language.inspection import parse_inspection
    >>> from mesotrope.core.evidence.specification import complete_specification
    >>> from mesotrope.knowledge import knowledge
    >>> car = '{"vehicle": {"kind": "car", "circuit_split": "diagonal"}}'
    >>> specification = complete_specification(parse_inspection(car), knowledge())
    >>> [corner.words for corner in bleed_order(specification, "left", "by_split")]
    ['rear right', 'front left', 'rear left', 'front right']
    """
    near, far = (steering_side, "right" if steering_side == "left" else "left")
    farthest = [f"rear_{far}", f"rear_{near}", "rear", f"front_{far}", f"front_{near}", "front"]
    if school == "by_split" and specification.circuit_split == "diagonal":
        farthest = [f"rear_{far}", f"front_{near}", f"rear_{near}", f"front_{far}", "rear", "front"]
    corners = [Corner(name) for name in farthest if name in specification.corners]
    return corners[::-1] if school == "nearest_first" else corners


def _pump(axles: Iterable[Axle], numbers: JobNumbers) -> CardStep:
    strokes = [round(there.strokes.value) for axle in axles if (there := numbers.axles.get(axle)) and there.strokes]
    words = marked("pump the pedal until it is firm, before the vehicle moves")
    notes = (said("about {strokes} strokes bring it back", strokes=plain(sum(strokes))),) if strokes else ()
    return CardStep("pump", "prove", words, (), notes)


def _by_school(action: str, schools: Mapping[str, str], knowledge: Knowledge) -> tuple[Sayable, ...]:
    """What the workshop's schools say of an action, and what to mind."""
    known = knowledge.action[action]
    chosen = [(knowledge.school[name], schools[name]) for name in known.schools]
    told: Iterable[Sayable] = (
        said("{question}: {choice}", question=school.question.lower(), choice=school.chosen(choice).said)
        for school, choice in chosen
    )
    return tuple(note for note in (*told, known.mind) if note)


def _fasteners(places: Places, specification: Specification, knowledge: Knowledge) -> tuple[Fastener, ...]:
    """Every fastener that was loosened, once for each corner; wheel nuts of every wheel that comes off."""
    out: dict[str, Fastener] = {}
    off: set[Corner] = set()
    for action, corners in places.items():
        for corner in corners or [VEHICLE]:
            off |= {corner} if isinstance(corner, Corner) else set()
            for words in knowledge.work[action].fasteners:
                key = f"{corner}/{words}"
                out.setdefault(key, Fastener(key, words, corner))
    for corner in specification.corners:
        if corner in off:
            out[f"{corner}/wheel nuts"] = Fastener(f"{corner}/wheel nuts", marked("wheel nuts"), corner)
    return tuple(out.values())


def _bedding(
    places: Places,
    inspection: Inspection,
    specification: Specification,
    schools: Mapping[str, str],
    knowledge: Knowledge,
) -> BeddingPlan | None:
    """The chosen school's plan for the harder worked axle that has new linings or rotors."""
    axles = sorted(_axles_of(knowledge.actions_that["bedded"], places))
    school = knowledge.bedding_school.get(knowledge.school["bedding"].chosen(schools["bedding"]).bedding)
    if not axles or school is None:
        return None
    axle = axles[0]
    usual, vehicle = knowledge.specification[specification.kind], inspection.vehicle
    front = vehicle.front_brake_share or usual["front_brake_share"]
    return bedding_plan(
        school, knowledge.heat, vehicle.mass_kg or usual["mass_kg"], front if axle == "front" else 1 - front,
        specification.axles[axle].rotor_mass_kg, specification.ambient_c,
    )  # fmt: skip


def _at_handback(places: Places, knowledge: Knowledge) -> tuple[str, ...]:
    out = [
        marked("spin of every wheel that was worked on, beside its partner"),
        marked("pedal travel, feel and hold"),
        marked("fluid level"),
    ]
    if {"replace_pads", "replace_rotor"} & set(places):
        out.append(marked("lining at four corners of every new pad, rotor at its thinnest place"))
    if knowledge.actions_that["opens"] & set(places):
        out.append(marked("every union, hose and bleeder dry"))
    return (*out, marked("hub temperatures after the drive"), marked("wheel nuts"))
