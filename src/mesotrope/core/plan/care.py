"""What a good technician does anyway: opening with care, pins and lands with new pads, closing, a last look.

These steps follow from the others; nobody decides for them. Basis: common practice.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import marked
from mesotrope.core.plan.card_step import CardStep


def opening(corners: Sequence[Corner]) -> list[CardStep]:
    """Wheels off, and the brake opened: nothing where no corner is worked on."""
    if not corners:
        return []
    return [
        CardStep("before_wheel_off", "open", marked("before a wheel comes off"), tuple(corners)),
        CardStep("open_up", "open", marked("open the brake, and note how everything sits"), tuple(corners)),
    ]


def closing(corners: Sequence[Corner]) -> list[CardStep]:
    """The look over everything that was put together."""
    return (
        [CardStep("close_up", "torque", marked("put together: look once over everything"), tuple(corners))]
        if corners
        else []
    )


def with_new_pads(
    places: Mapping[str, Sequence[Place]], specification: Specification, knowledge: Knowledge
) -> list[CardStep]:
    """Pins and lands of every corner that gets new pads, and its rotor measured, where no other step does it."""
    out = []
    fitted = [corner for corner in places.get("replace_pads", ()) if isinstance(corner, Corner)]
    floating = [corner for corner in fitted if specification.axle_of(corner).has("floating")]
    fixed = [corner for corner in fitted if specification.axle_of(corner).has("fixed")]
    renewed = knowledge.actions_that["new_rotor"]
    for step, phase, words, corners, others in (
        (
            "pins_at_new_pads",
            "slides",
            marked("clean and grease the slide pins"),
            floating,
            {"clean_and_lubricate_slides", "replace_pins_and_boots"},
        ),
        (
            "retaining_pins_at_new_pads",
            "slides",
            marked("clean and grease the retaining pins"),
            fixed,
            {"free_retaining_pin"},
        ),
        (
            "lands_at_new_pads",
            "slides",
            marked("clean the seats of the pads"),
            fitted,
            {"clean_bracket_lands", "replace_bracket"},
        ),
        ("rotor_at_new_pads", "friction", marked("measure the rotor at its thinnest place"), fitted, renewed),
    ):
        left = [corner for corner in corners if not _done_at(corner, others, places)]
        if left:
            out.append(CardStep(step, phase, words, tuple(left)))
    return out


def _done_at(corner: Corner, actions: Collection[str], places: Mapping[str, Sequence[Place]]) -> bool:
    return any(corner in places.get(action, ()) for action in actions)


def into_service_position(axles: Iterable[str], specification: Specification) -> list[CardStep]:
    """The electric parking brake goes into its service position before the brake is opened."""
    words = marked("electric parking brake in its service position first: it crushes fingers")
    return _where_electric("service_position", "open", words, axles, specification)


def out_of_service_position(axles: Iterable[str], specification: Specification) -> list[CardStep]:
    """It comes out of it again."""
    words = marked("electric parking brake out of its service position again, and set as the maker says")
    return _where_electric("service_position_ended", "prove", words, axles, specification)


def _where_electric(
    step: str, phase: str, words: str, axles: Iterable[str], specification: Specification
) -> list[CardStep]:
    """A step at the axles whose parking brake is electric, where any is."""
    electric = [axle for axle in specification.axles if axle in set(axles)
                and specification.axles[axle].parking_brake == "electric_on_caliper"]  # fmt: skip
    return [CardStep(step, phase, words, tuple(electric))] if electric else []
