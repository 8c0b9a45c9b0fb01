"""Simulated instruments: what a gauge, a thumb or a foot makes of the truth, with its noise and its mistakes."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from mesotrope.core.language.corner import Corner
from mesotrope.core.simulator.build import Random
from mesotrope.core.simulator.parts import Pad
from mesotrope.core.simulator.truth import SimulatedVehicle

#: Standard deviation of each instrument in its own unit; feel errs in the logarithm of a force.
NOISE = {
    "depth_gauge_mm": 0.14, "window_mm": 0.55, "feeler_mm": 0.07, "micrometer_mm": 0.004, "seconds": 0.17,
    "spring_scale": 0.08, "infrared_c": 6.0, "water_percent": 0.32, "boiling_c": 4.5, "copper": 0.2, "foot": 0.05,
    "level": 0.05, "feel": 0.35, "torque_wrench": 0.02, "dial_mm": 0.008, "lip_mm": 0.1,
}  # fmt: skip

MOST_TURNS = 60

SCALE_ENDS_N = 1000

#: How often a word is taken for its neighbor, whatever the truth.
MISJUDGED = 0.035


@dataclass(frozen=True)
class Reading:
    """One reading as an instrument sends it: a value and its unit."""

    value: float
    unit: str

    @property
    def line(self) -> str:
        """The line of text that a keyboard wedge would type.

        >>> Reading(7.5, "mm").line
        '7.5 mm'
        """
        return f"{self.value:g} {self.unit}".strip()


def thickness_mm(random: Random, pad: Pad, place: str) -> float:
    return round(max(0.0, pad.at(place) + random.normal(0, NOISE["depth_gauge_mm"])), 1)


def seen_mm(random: Random, pad: Pad) -> float:
    return round(max(0.0, pad.mean_mm + random.normal(0, NOISE["window_mm"])) * 2) / 2


def gap_mm(random: Random, pad: Pad) -> float:
    return round(max(0.0, pad.gap_mm + random.normal(0, NOISE["feeler_mm"])), 2)


def spin(random: Random, torque_nm: float, inertia_kg_m2: float) -> tuple[float, float]:
    """Turns (to the quarter) and seconds of a wheel spun by hand and left; none where a hand cannot turn it.

    A wheel that runs on and on is given a lighter swing: nobody counts more turns than `MOST_TURNS`.
    """
    if torque_nm > random.normal(45, 6) * max(0.4, inertia_kg_m2):
        return 0.0, 0.0
    speed = 2 * math.pi * random.uniform(1.0, 2.2)
    speed = min(speed, math.sqrt(4 * math.pi * MOST_TURNS * torque_nm / inertia_kg_m2))
    seconds = inertia_kg_m2 * speed / torque_nm
    turns = speed * seconds / 2 / (2 * math.pi)
    return max(0.25, round(turns * 4) / 4), max(0.2, round(seconds + random.normal(0, NOISE["seconds"]), 1))


def pull_n(random: Random, torque_nm: float, radius_mm: float) -> float:
    pull = torque_nm / (radius_mm / 1000) * float(np.exp(random.normal(0, NOISE["spring_scale"])))
    return min(SCALE_ENDS_N, round(pull))


def felt(random: Random, force_n: float, words: tuple[str, str, str], limits: tuple[float, float]) -> str:
    """The word a hand gives a force: it judges the logarithm, and now and then takes the neighbor."""
    judged = force_n * math.exp(random.normal(0, NOISE["feel"]))
    place = sum(judged > limit for limit in limits)
    if random.random() < MISJUDGED:
        place += int(random.choice([-1, 1]))
    return words[min(2, max(0, place))]


def slide(random: Random, force_n: float) -> str:
    return felt(random, force_n, ("free", "stiff", "seized"), (48.0, 230.0))


def fit(random: Random, force_n: float) -> str:
    return felt(random, force_n, ("free", "tight", "bound"), (32.0, 110.0))


def pushed_back(random: Random, force_n: float) -> str:
    return felt(random, force_n, ("easy", "firm", "immovable"), (250.0, 1500.0))


def response(random: Random, pad: Pad) -> str:
    """What a helper's foot makes a pad do, as the eye sees it."""
    still = pad.moves < 0.28 + random.normal(0, 0.08)
    stays = pad.returns < 0.4 + random.normal(0, 0.1)
    word = "still" if still else "moves_and_stays" if stays else "moves_and_returns"
    if random.random() > MISJUDGED:
        return word
    return "moves_and_stays" if word == "moves_and_returns" else "moves_and_returns"


def word(random: Random, truth: str, others: tuple[str, ...]) -> str:
    """What the eye says of a part: nearly always the truth."""
    return truth if random.random() > MISJUDGED or not others else str(random.choice(others))


#: Where the scale of the infrared thermometer ends, °C.
INFRARED_ENDS_C = 850.0


def hub_c(random: Random, vehicle: SimulatedVehicle, corner: Corner) -> float:
    return min(INFRARED_ENDS_C, float(round(vehicle.hub_c[corner] + random.normal(0, NOISE["infrared_c"]))))


def let_go(torque: Mapping[str, float], takes_away: Mapping[str, float]) -> dict[str, float]:
    """What still holds a wheel, by cause, when some of it is taken away: shares by cause."""
    return {cause: held * (1 - takes_away.get(cause, 0.0)) for cause, held in torque.items()}


def varied(random: Random, share: float) -> float:
    """A share that differs from vehicle to vehicle: its log-odds spread by one.

    >>> 0 < varied(np.random.default_rng(1), 0.3) < 1
    True
    """
    odds = np.exp(random.normal(0, 1.0))
    return float(share / (share + (1 - share) * odds))


def frees(random: Random, torque: Mapping[str, float], base_nm: float, takes_away: Mapping[str, float]) -> str:
    """Whether a wheel comes free when some of what holds it (torque by cause) is taken away.

    A hand calls a wheel freed when most of what held it beyond its driveline is gone.
    """
    lets_go = {cause: varied(random, share) for cause, share in takes_away.items()}
    held, left = sum(torque.values()), sum(let_go(torque, lets_go).values())
    freed = held > 0 and left + 0.3 * base_nm < 0.45 * (held + 0.3 * base_nm) * math.exp(random.normal(0, 0.2))
    return ("frees" if freed else "no_change") if random.random() > 0.02 else "no_change"
