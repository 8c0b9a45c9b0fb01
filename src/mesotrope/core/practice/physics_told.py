"""Why an instrument showed what it showed: the force, torque or thickness behind a reading, from the simulation."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from mesotrope.core.language.corner import Corner
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, chance_of, joined, mm, nm, plain, said, verbatim
from mesotrope.core.practice.acts import Step, flat
from mesotrope.core.practice.steady import steady
from mesotrope.core.practice.vehicle import Mystery
from mesotrope.core.simulator.instruments import MISJUDGED, NOISE
from mesotrope.core.simulator.parts import SimulatedCorner
from mesotrope.core.simulator.readings import AT_CORNER, At

#: Torque under which a cause is not named, N·m.
NAMED_NM = 0.05


def why(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
    """The physics behind a step's reading, in one sentence; "" where nothing was read."""
    act = step.act
    if act.kind != "test":
        return ""
    if isinstance(act.place, Corner):
        tells = _AT_CORNER.get(act.what)
        return tells(mystery, step, knowledge) if tells else _seen(mystery, step, knowledge)
    of_vehicle = _OF_VEHICLE.get(act.what)
    return of_vehicle(mystery) if of_vehicle else ""


def _seen(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
    """What is really there, where an eye judged it."""
    field = knowledge.corner_finding[step.act.what]
    true = dict(flat(AT_CORNER[step.act.what](At.as_found(steady(), mystery.vehicle, _place(step))), step.act.what))
    if field.possible:
        return said("really {figure}", figure=joined([plain(float(v), field.unit, 2) for v in true.values()], ", "))
    parts = dict.fromkeys(field.values.get(str(value), str(value)) for value in true.values())
    wrong = any(value != true.get(path, value) for path, value in {**step.found, **step.shown}.items())
    there = said("really {truth}", truth=joined(list(parts), ", "))
    return joined([there, said("an eye errs once in {most}", most=plain(round(1 / MISJUDGED)))]) if wrong else there


def _place(step: Step) -> Corner:
    assert isinstance(step.act.place, Corner)
    return step.act.place


def _corner(mystery: Mystery, step: Step) -> SimulatedCorner:
    return mystery.vehicle.corners[_place(step)]


def _held(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
    """What held the wheel when it was turned, by cause."""
    base = mystery.vehicle.base_nm[_place(step).axle]
    parts: list[Sayable] = [
        said("{torque} {cause}", torque=nm(held), cause=knowledge.words(cause))
        for cause, held in sorted(step.held.items(), key=lambda one: -one[1])
        if held > NAMED_NM
    ]
    parts.append(said("{torque} driveline and seal", torque=nm(base)))
    return said("held by {parts}", parts=joined(parts, ", "))


def _freed(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
    return joined([_held(mystery, step, knowledge), "a hand calls it freed when more than half of that is gone"])


def _linings(error: str) -> Callable[[Mystery, Step, Knowledge], Sayable]:
    def told(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
        corner = _corner(mystery, step)
        return said(
            "in the middle {inner} inside and {outer} outside; thicker at the leading end by {lead_in} and {lead_out}; "
            "this is read to {error} either way",
            inner=mm(max(0.0, corner.inner.mean_mm), 2), outer=mm(max(0.0, corner.outer.mean_mm), 2),
            lead_in=mm(corner.inner.fore_aft_mm, 2), lead_out=mm(corner.outer.fore_aft_mm, 2),
            error=mm(NOISE[error], 2),
        )  # fmt: skip

    return told


def _force(
    parts: Callable[[SimulatedCorner], Mapping[Sayable, float]],
) -> Callable[[Mystery, Step, Knowledge], Sayable]:
    def told(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
        each = [said("{part} {force}", part=name, force=plain(force, "N", 0))
                for name, force in parts(_corner(mystery, step)).items()]  # fmt: skip
        return said("to move it takes: {each}; a hand errs by a third", each=joined(each, ", "))

    return told


def _gaps(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
    corner = _corner(mystery, step)
    return said("{inner} inside and {outer} outside; a feeler gauge errs by {error}",
                inner=mm(corner.inner.gap_mm, 2), outer=mm(corner.outer.gap_mm, 2),
                error=mm(NOISE["feeler_mm"], 2))  # fmt: skip


def _response(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
    corner = _corner(mystery, step)
    return said(
        "of its way the inner pad makes {moves_in} and draws back {back_in}, the outer {moves_out} and {back_out}",
        moves_in=chance_of(corner.inner.moves), back_in=chance_of(corner.inner.returns),
        moves_out=chance_of(corner.outer.moves), back_out=chance_of(corner.outer.returns),
    )  # fmt: skip


def _hub(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
    true, air = mystery.vehicle.hub_c[_place(step)], mystery.vehicle.ambient_c
    return said("{true} in air of {air}: what braking leaves, and what {drag} of drag put in",
                true=plain(true, "C", 0), air=plain(air, "C", 0), drag=nm(_corner(mystery, step).drag_nm))  # fmt: skip


def _rotor(mystery: Mystery, step: Step, knowledge: Knowledge) -> Sayable:
    corner, axle = _corner(mystery, step), mystery.vehicle.build.axle_of(_place(step))
    return said("true thickness {thin} to {thick}, discard {discard}, as new {new}",
                thin=mm(min(corner.rotor_mm), 3), thick=mm(max(corner.rotor_mm), 3), discard=mm(axle.rotor_discard_mm),
                new=mm(axle.rotor_new_mm))  # fmt: skip


def _pistons(corner: SimulatedCorner) -> dict[Sayable, float]:
    return {
        said("piston {n}", n=verbatim(n)): force + corner.hose_n for n, force in enumerate(corner.pistons_n, start=1)
    }


_AT_CORNER: Mapping[str, Callable[[Mystery, Step, Knowledge], Sayable]] = {
    "spin": _held,
    "pull_n": _held,
    "bleeder_opened": _freed,
    "line_loosened_at_master": _freed,
    "caliper_bolts_slackened": _freed,
    "parking_cable_slackened": _freed,
    "pad_mm": _linings("depth_gauge_mm"),
    "window_pad_mm": _linings("window_mm"),
    "pad_gap_mm": _gaps,
    "pedal_response": _response,
    "hub_temperature_c": _hub,
    "rotor_mm": _rotor,
    "pin": _force(lambda corner: {f"{name} pin": force for name, force in corner.pins_n.items()}),
    "pad_fit": _force(lambda corner: {"inner pad": corner.inner.ear_n, "outer pad": corner.outer.ear_n}),
    "retaining_pin": _force(lambda corner: {"the pin": corner.retaining_n}),
    "piston_pushback": _force(_pistons),
}

_OF_VEHICLE: Mapping[str, Callable[[Mystery], Sayable]] = {
    "pedal_travel": lambda m: said("it goes {share} of its way", share=chance_of(m.vehicle.pedal_travel)),
    "fluid_level": lambda m: said("it stands at {share} between MIN and MAX",
                                  share=plain(float(m.vehicle.fluid["level"]), "", 2)),
    "fluid_water_percent": lambda m: said("{water} % of water", water=plain(float(m.vehicle.fluid["water"]), "", 1)),
    "fluid_boiling_c": lambda m: said("it boils at {boils}", boils=plain(float(m.vehicle.fluid["boils"]), "C", 0)),
}  # fmt: skip
