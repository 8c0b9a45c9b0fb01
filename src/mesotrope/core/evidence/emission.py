"""How likely each grade of a finding makes the value that was found."""

from __future__ import annotations

from functools import lru_cache
from statistics import NormalDist
from typing import Any

import numpy as np

from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.faults import Likelihood


def emission_of(likelihood: Likelihood, value: Any) -> Floats:
    """How likely each grade makes the value: 1 and 0 for a word, a density per unit for a figure.

    A figure at or beyond the outermost grade counts as "at least that", with the chance of it: a worse one never tells
    less, and a gap of nothing is no gap.

    >>> from mesotrope.knowledge import knowledge
    >>> lip = knowledge().likelihood["rotor_lip_mm"]
    >>> bool((emission_of(lip, 3.0) == emission_of(lip, max(lip.mean))).all())
    True
    """
    if likelihood.threshold is not None:
        above = NormalDist(0.0, likelihood.gauge_sd).cdf(value - likelihood.threshold)
        return np.array([above, 1 - above])
    if likelihood.mean is None or likelihood.sd is None:
        return _one_of(likelihood.order, value)
    mean, sd = np.array(likelihood.mean), np.hypot(np.array(likelihood.sd), likelihood.gauge_sd)
    if not mean.min() < value < mean.max():
        outermost, side = (mean.min(), 1) if value <= mean.min() else (mean.max(), -1)
        beyond = [NormalDist().cdf(z) for z in side * (outermost - mean) / sd]
        return np.array(beyond) + 1e-4
    z = (value - mean) / sd
    density: Floats = np.exp(-0.5 * z**2) / (sd * np.sqrt(2 * np.pi)) + 1e-4
    return density


@lru_cache(maxsize=1024)
def _one_of(order: tuple[str, ...], value: Any) -> Floats:
    """1 for one of several words, 0 for the others. The same each time, so that it cannot be written to."""
    out: Floats = (np.array(order) == value).astype(float)
    out.flags.writeable = False
    return out
