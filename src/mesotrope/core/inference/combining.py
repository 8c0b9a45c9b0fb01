"""How the causes of one finding of the whole vehicle combine, wherever on the vehicle they are.

Each cause adds a row of figures; what the rows add up to says how likely each value of the finding is.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.faults import Fault, Likelihood


class Combining(Protocol):
    """How causes of a finding of the whole vehicle combine: each adds a row of figures."""

    def nothing(self) -> Floats: ...
    def part(self, fault: Fault, place: Place) -> Floats: ...


@dataclass(frozen=True)
class Held:
    """How many of some faults are held: wherever they are, or, where corners are given, at each of these."""

    faults: tuple[str, ...]
    corners: tuple[Corner, ...]

    def nothing(self) -> Floats:
        return np.zeros(len(self.faults) * max(1, len(self.corners)))

    def part(self, fault: Fault, place: Place) -> Floats:
        out = self.nothing()
        if fault.id in self.faults and (place in self.corners or not self.corners):
            number = self.corners.index(place) if isinstance(place, Corner) and self.corners else 0
            out[number * len(self.faults) + self.faults.index(fault.id)] = 1.0
        return out


@dataclass(frozen=True)
class Worst:
    """The worst that any cause gives (noisy-MAX): logarithms of "at most this bad"; the last counts causes."""

    likelihood: Likelihood

    def nothing(self) -> Floats:
        return np.zeros(len(self.likelihood.order) + 1)

    def part(self, fault: Fault, place: Place) -> Floats:
        row = self.likelihood.rows.get(fault.id)
        return np.append(np.log(np.cumsum(row)), 1.0) if row else self.nothing()

    def chances(self, total: Floats) -> Floats:
        healthy = np.array(self.likelihood.healthy)
        leak = np.array(self.likelihood.leak or healthy)
        at_most = np.exp(total[:, :-1] + np.log(np.cumsum(leak)))
        at_most[:, -1] = 1.0
        out: Floats = np.diff(at_most, prepend=0.0, axis=1)
        out[total[:, -1] == 0] = healthy
        return out


@dataclass(frozen=True)
class Sided:
    """A pull to one side: logarithms of "not to the left" and "not to the right". Both at once: either, evenly."""

    likelihood: Likelihood

    def nothing(self) -> Floats:
        return np.zeros(2)

    def part(self, fault: Fault, place: Place) -> Floats:
        row = self.likelihood.rows.get(fault.id)
        if row is None or not isinstance(place, Corner) or not place.side:
            return self.nothing()
        share = 1.0 if place.axle == "front" else self.likelihood.rear_share
        away, toward = np.log(1 - share * np.array(row))
        return np.array([toward, away]) if place.side == "left" else np.array([away, toward])

    def chances(self, total: Floats) -> Floats:
        _, leak_left, leak_right = self.likelihood.healthy
        left = 1 - np.exp(total[:, 0]) * (1 - leak_left)
        right = 1 - np.exp(total[:, 1]) * (1 - leak_right)
        both = left * right / 2
        return np.column_stack([(1 - left) * (1 - right), left * (1 - right) + both, right * (1 - left) + both])
