"""Findings and differences as sentences say them."""

from __future__ import annotations

from typing import Any

from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure


def difference_in_words(difference: Measure) -> str:
    """Say a difference with its size against gauge error.

    >>> difference_in_words(Measure(-3.4, 0.2))
    '3.4 mm thinner (17 × gauge error)'
    >>> difference_in_words(Measure(0.1, 0.2))
    'alike within gauge error'
    """
    if not difference.beyond_gauge_error:
        return "alike within gauge error"
    word = "thinner" if difference.value < 0 else "thicker"
    return f"{abs(difference.value):.1f} mm {word} ({difference.sds_from_zero:.0f} × gauge error)"


#: How findings are said that only a comparison or the work before makes.
_SAID = {
    ("pad_material_differs", "alike"): "same lining code as its partner",
    ("pad_material_differs", "differs"): "another lining code than its partner",
    ("recent_pads", "yes"): "pads were changed lately",
    ("recent_pads", "no"): "pads were not changed lately",
    ("recent_parking_brake", "yes"): "the parking brake was worked on lately",
    ("recent_parking_brake", "no"): "the parking brake was not worked on lately",
    ("recent_hydraulic_work", "yes"): "the hydraulics were opened lately",
    ("recent_hydraulic_work", "no"): "the hydraulics were not opened lately",
    ("pedal_hard", "hard"): "pedal feel: hard",
    ("pedal_hard", "not_hard"): "pedal feel: not hard",
    ("corner_leak", "none"): "no leak at any wheel looked at",
    ("corner_leak", "seep"): "fluid seeps at a wheel",
    ("corner_leak", "drip"): "fluid drips at a wheel",
}


def finding_in_words(likelihood: Likelihood, value: Any, knowledge: Knowledge) -> str:
    """Say one finding: its name and its value, in the trade's words."""
    if likelihood.key == "rotor_margin_mm":
        side = "over" if value > 0 else "under"
        return f"rotor at its thinnest place {abs(value):.2f} mm {side} its discard thickness"
    if likelihood.key == "rotor_variation_mm":
        return f"rotor thickness varies by {value:.3f} mm"
    if likelihood.key == "brake_force_share":
        return f"brakes with {value:.0%} of its partner's force".replace("%", " %")
    if said := _SAID.get((likelihood.key, str(value))):
        return said
    fields = knowledge.corner_field if likelihood.name in knowledge.corner_names else knowledge.system_field
    field = fields.get(likelihood.key) or next(f for f in fields.values() if f.finding == likelihood.name)
    label = field.label
    if likelihood.key == "piston_pushback.best":
        label = "the best of its pistons back into the bore"
    elif likelihood.key == "piston_pushback.worst":
        label = "piston back into its bore"
    said = field.values.get(value, value) if isinstance(value, str) else f"{value:g} {field.unit}"
    return f"{label}: {said}"
