"""Whether a lining is worn out, as surely as the gauge can tell."""

from __future__ import annotations

from statistics import NormalDist

from mesotrope.core.evidence.measures import CornerMeasures


def chance_lining_worn_out(measures: CornerMeasures, limit_mm: float) -> float | None:
    """Chance that either lining of a corner is at or under its limit, given gauge error; None if not measured.

    >>> from mesotrope.core.physics.pads import pad_measure
    >>> pad = pad_measure({"lead_rim": 3.0, "trail_rim": 3.0, "lead_hub": 3.0, "trail_hub": 3.0}, 0.15)
    >>> round(chance_lining_worn_out(CornerMeasures(inner=pad), 3.0), 9)
    0.5
    """
    pads = [pad.mean for pad in (measures.inner, measures.outer) if pad]
    if not pads:
        return None
    above = 1.0
    for pad in pads:
        above *= 1 - NormalDist(pad.value, pad.sd).cdf(limit_mm)
    return 1 - above
