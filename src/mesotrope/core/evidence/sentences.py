"""Findings and differences as sentences say them."""

from __future__ import annotations

from typing import Any

from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.saying import Figure, Sayable, fine_mm, marked, mm, plain, said
from mesotrope.core.language.units import KEPT_AS


def difference_in_words(difference: Measure) -> Sayable:
    """Say a difference with its size against gauge error.

    >>> difference_in_words(Measure(-3.4, 0.2)).message, difference_in_words(Measure(0.1, 0.2))
    ('{by} thinner ({times} × gauge error)', 'alike within gauge error')
    """
    if not difference.beyond_gauge_error:
        return marked("alike within gauge error")
    thinner = difference.value < 0
    message = "{by} thinner ({times} × gauge error)" if thinner else "{by} thicker ({times} × gauge error)"
    return said(message, by=mm(abs(difference.value)), times=plain(difference.sds_from_zero, "", 0))


#: How findings are said that only a comparison or the work before makes.
_SAID = {
    ("pad_material_differs", "alike"): marked("same lining code as its partner"),
    ("pad_material_differs", "differs"): marked("another lining code than its partner"),
    ("recent_pads", "yes"): marked("pads were changed lately"),
    ("recent_pads", "no"): marked("pads were not changed lately"),
    ("recent_parking_brake", "yes"): marked("the parking brake was worked on lately"),
    ("recent_parking_brake", "no"): marked("the parking brake was not worked on lately"),
    ("recent_pad_work", "yes"): marked("pistons were pushed home for pads or rotors lately"),
    ("recent_pad_work", "no"): marked("no pads were changed lately"),
    ("recent_hydraulic_work", "yes"): marked("the hydraulics were opened lately"),
    ("recent_hydraulic_work", "no"): marked("the hydraulics were not opened lately"),
    ("pedal_hard", "hard"): marked("pedal feel: hard"),
    ("pedal_hard", "not_hard"): marked("pedal feel: not hard"),
    ("gaps_alike", "no"): marked("no axle where pads stand off at both wheels"),
    ("gaps_alike", "yes"): marked("pads stand off at both wheels of an axle"),
    ("corner_leak", "none"): marked("no leak at any wheel looked at"),
    ("corner_leak", "seep"): marked("fluid seeps at a wheel"),
    ("corner_leak", "drip"): marked("fluid drips at a wheel"),
    ("line_leak", "seep"): marked("fluid seeps at a hose’s union or a line"),
    ("line_leak", "drip"): marked("fluid drips at a hose’s union or a line"),
}


#: Findings whose figures are read by a micrometer, a dial gauge or a feeler.
FINE = ("rotor", "pad_gap")


def finding_in_words(likelihood: Likelihood, value: Any, knowledge: Knowledge) -> Sayable:
    """Say one finding: its name and its value, in the trade's words."""
    if likelihood.key == "rotor_margin_mm":
        message = "rotor at its thinnest place {by} under its discard thickness"
        if value > 0:
            message = "rotor at its thinnest place {by} over its discard thickness"
        return said(message, by=fine_mm(abs(value)))
    if likelihood.key == "rotor_variation_mm":
        return said("rotor thickness varies by {by}", by=fine_mm(value, 3))
    if likelihood.key == "brake_force_share":
        return said("brakes with {share} of its partner's force", share=plain(100 * value, "%", 0))
    if sentence := _SAID.get((likelihood.key, str(value))):
        return sentence
    fields = knowledge.corner_field if likelihood.name in knowledge.corner_names else knowledge.system_field
    field = fields.get(likelihood.key) or next(f for f in fields.values() if f.finding == likelihood.name)
    label = field.label
    if likelihood.key == "piston_pushback.best":
        label = marked("the best of its pistons back into the bore")
    elif likelihood.key == "piston_pushback.worst":
        label = marked("piston back into its bore")
    found: Sayable
    if isinstance(value, str):
        found = field.values.get(value, value)
    else:
        found = Figure(value, KEPT_AS.get(field.unit, field.unit), fine=field.key.startswith(FINE))
    return said("{finding}: {value}", finding=label, value=found)
