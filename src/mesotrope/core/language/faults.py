"""The shape of what is known of faults: how often they come, what they do to findings, to wear and to drag."""

from __future__ import annotations

import math
from functools import cached_property
from itertools import pairwise
from statistics import NormalDist, median
from typing import Annotated, Literal

from pydantic import Field, model_validator

from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.known import Basis, Chance, Chances, Known, Shares

#: The answer that a corner has no fault.
NO_FAULT = "no_fault"

#: How narrowly a fault's torque may lie about its median beside what a level spreads by itself, of its logarithm.
NARROWEST = 0.14


class Mechanism(Known):
    """One way in which a fault works. Most faults have one; `key` is then the fault's own id."""

    id: str = ""
    share: Annotated[float, Field(gt=0, le=1)] = 1.0
    words: str = ""
    needs: tuple[str, ...] = ()
    touches: Literal["", "all", "circuit_1", "circuit_2"] = ""
    drag: Chances | None = None
    inner: float = 0.0
    outer: float = 0.0
    inner_share: Annotated[float, Field(ge=0, le=1)] = 0.5
    split_sd: float = 0.0
    fore_aft: float = 0.0
    radial: float = 0.0
    spares_pads: bool = False
    from_new: bool = False

    @property
    def rubs(self) -> bool:
        """Whether it drags, and the pads take the work."""
        return bool(self.drag) and not self.spares_pads


class BothSides(Known):
    """What the two sides of an axle have in common, that brings a fault to both: how many times likelier both have it
    than if each had it by itself; what the axle must have for it; and in words, why."""

    times: Annotated[float, Field(ge=1)]
    needs: tuple[str, ...] = ()
    why: str


class Fault(Known):
    """A fault with its place in the world: how often, on which vehicles, by which mechanisms."""

    id: str
    words: str
    scope: Literal["corner", "system"]
    odds: Annotated[float, Field(gt=0)]
    condition: bool = False
    rusts: Annotated[float, Field(ge=0, le=1)] = 0.0
    needs: tuple[str, ...] = ()
    not_of: tuple[str, ...] = ()
    both_sides: BothSides | None = None
    mechanism: tuple[Mechanism, ...] = (Mechanism(),)

    @property
    def acts_at_corners(self) -> bool:
        """Whether it is of the system and holds brakes on."""
        return any(way.touches for way in self.mechanism)

    @property
    def wears_pads(self) -> bool:
        """Whether it wears pads in any of its ways: by their drag, or one of them faster than the axle wears."""
        return any(
            not way.spares_pads and (max(way.inner, way.outer) > 0 or bool(way.drag and sum(way.drag[2:]) > 0.1))
            for way in self.mechanism
        )


class Likelihood(Known):
    """What each fault does to one finding: chances over the values, from normal to worst.

    For a measured quantity `order` are grades and `mean`, `sd` what each grade measures; or, where the trade draws a
    line (a discard thickness), the grades are above and under `threshold`, as surely as the gauge can tell. A `sided`
    finding of the whole vehicle is a pull to one side; its rows are the chances to pull away from the faulty side and
    toward it, and `rear_share` what a rear corner pulls of that. `drag` is what a level of the corner's drag does, by
    whatever fault of those whose work the pads take: heat marks a face, so that the mark is not counted again for each
    fault that drags. `rust` is what happens anyway at each level of the vehicle's rust. A row is the whole chance where
    that fault is there alone. In a finding of the whole vehicle a row may be of one axle only
    (`rear.rotor_worn_or_damaged`). It tells nothing where another was made that tells the same more exactly (`unless`).
    """

    key: str
    finding: str = ""
    unless: str = ""
    order: tuple[str, ...]
    healthy: Chances
    leak: Chances | None = None
    rows: dict[str, Chances] = {}
    drag: dict[str, Shares] = {}
    rust: dict[str, Chances] = {}
    why: dict[str, str] = {}
    mean: tuple[float, ...] | None = None
    sd: tuple[float, ...] | None = None
    gauge_sd: float = 0.0
    threshold: float | None = None
    basis: Basis = "common practice"
    source: str = ""
    sided: bool = False
    rear_share: Annotated[float, Field(gt=0, le=1)] = 1.0

    @model_validator(mode="after")
    def _rows_fit(self) -> Likelihood:
        rows = {} if self.sided else self.rows
        given = {"healthy": self.healthy, "leak": self.leak or self.healthy, **rows, **self.drag, **self.rust}
        for name, row in given.items():
            if len(row) != len(self.order) or abs(sum(row) - 1) > 1e-9:
                raise ValueError(f"{self.key}, row {name}: {len(self.order)} chances that add to 1 are needed")
        return self

    @cached_property
    def name(self) -> str:
        """The finding as the inspection format names it."""
        return self.finding or self.key.split(".")[0]

    def row_name(self, fault: str, mechanism: str) -> str:
        """Under which name `fault` by `mechanism` speaks to this finding; nothing where it is silent."""
        exact = f"{fault}/{mechanism}"
        return exact if exact in self.rows else fault if fault in self.rows else ""

    def row(self, fault: str, mechanism: str) -> Chances | None:
        """Return what `fault` by `mechanism` does to this finding; None where it is silent."""
        return self.rows.get(self.row_name(fault, mechanism))

    def name_at(self, fault: str, axle: str) -> str:
        """Under which name `fault` at an axle ("" for the system) speaks to this finding of the whole vehicle."""
        own = f"{axle}.{fault}"
        return own if own in self.rows else fault if fault in self.rows else ""

    def row_at(self, fault: str, axle: str) -> Chances | None:
        """What `fault` at an axle does to this finding of the whole vehicle; None where it is silent."""
        return self.rows.get(self.name_at(fault, axle))

    def rows_of(self, fault: str) -> tuple[tuple[str, Chances], ...]:
        """Every row of a fault in a finding of the whole vehicle, each with its axle, or none."""
        parted = ((*name.rpartition("."), row) for name, row in self.rows.items())
        return tuple((axle, row) for axle, _, name, row in parted if name == fault)

    def why_of(self, fault: str) -> str:
        """Return the sentence that ties the finding to the fault, or nothing."""
        return self.why.get(fault, "")


class Often(Known):
    """How often faults are there: `unit` turns a fault's odds into a chance; of the vehicles without any hidden fault
    only a share comes through the door."""

    unit: Chance
    nothing_comes_in: Chance
    note: str


class RustLevel(Known):
    """What the corners of a vehicle share, a level of its rust or neglect: how often; how many times likelier it makes
    the faults that corrosion brings, and every hidden fault (`neglect`); `shows_as`: the level of rust that is seen."""

    id: str
    chance: Chance
    times: Annotated[float, Field(gt=0)]
    neglect: Annotated[float, Field(gt=0)] = 1.0
    shows_as: str = ""

    def odds_of(self, fault: Fault, unit: float) -> float:
        """Odds that a fault is there at a vehicle of this level."""
        return unit * fault.odds * self.likelier(fault)

    def likelier(self, fault: Fault) -> float:
        """How many times likelier this level makes a fault."""
        rusty: float = self.times**fault.rusts
        return rusty * (1.0 if fault.condition else self.neglect)

    @property
    def seen(self) -> str:
        """The level of rust that is seen at such a vehicle."""
        return self.shows_as or self.id


class RustAtAge(Known):
    """Chances of the levels of rust from an age of the vehicle on."""

    years: float
    chances: Chances


class Rust(Known):
    """What the corners of a vehicle share of salt, age and neglect."""

    levels: tuple[RustLevel, ...]
    by_age: tuple[RustAtAge, ...]
    note: str

    @cached_property
    def chances(self) -> Chances:
        return tuple(level.chance for level in self.levels)

    @cached_property
    def seen(self) -> tuple[str, ...]:
        """The levels of rust that can be seen."""
        return tuple(dict.fromkeys(level.seen for level in self.levels))

    @cached_property
    def place_seen(self) -> list[int]:
        """Where the level of rust that each level shows stands among those that can be seen."""
        return [self.seen.index(level.seen) for level in self.levels]

    def at_age(self, years: float | None) -> Chances:
        """Chances of the levels for a vehicle of an age, or of one whose age is not known."""
        known = [row for row in self.by_age if years is not None and years >= row.years]
        return known[-1].chances if known else self.chances


class HeldBy(Known):
    """How a fault holds its wheel where it is alone: the chance that the wheel is free all the same, that its brake is
    idle, and else by what torque (log-normal: median and spread of the logarithm) on a wheel of `of_inertia_kg_m2`.

    `lets_go` is the share of those held on the road that are free again by the time they are spun on the lift.
    """

    free: Chance
    idle: Chance
    lets_go: Chance = 0.0
    torque_nm: Annotated[float, Field(gt=0)]
    log_sd: Annotated[float, Field(gt=0)]


class Drag(Known):
    """The levels of drag: what torque a hand feels at each on a wheel of `of_inertia_kg_m2`, how the corner then
    `brakes` against usual, whether it `wears` the pads beside that, by how much heat makes them wear faster, and how
    likely it is that such a corner is isolated, beside one that drags hard.

    At the level `let_go` a hand feels nothing of the torque that held the wheel on the road, `let_go_nm`.
    """

    levels: tuple[str, ...]
    of_inertia_kg_m2: float
    torque_nm: tuple[float, ...]
    let_go: str
    let_go_nm: Annotated[float, Field(gt=0)]
    torque_log_sd: tuple[float, ...]
    brakes: tuple[float, ...]
    wears: tuple[bool, ...]
    heat: tuple[float, ...]
    healthy: Chances
    isolated: Shares
    least_chance: Chance
    held_fast_nm: float
    note: str = ""

    @property
    def first_felt(self) -> int:
        """From which level on a hand feels the wheel being held."""
        return self.levels.index(self.let_go) + 1

    @property
    def on_the_road_nm(self) -> tuple[float, ...]:
        """What holds the wheel at each level while the vehicle is driven, as `torque_nm`."""
        return tuple(
            self.let_go_nm if level == self.let_go else nm
            for level, nm in zip(self.levels, self.torque_nm, strict=True)
        )

    def chances_of(self, held: HeldBy) -> Chances:
        """Chances of the levels where a fault holds the wheel so: the log-normal of its torque between the middles of
        the levels (geometric); under the lowest of them the wheel is free.

        What a level spreads by itself is taken off the spread, as far as `NARROWEST` is left; no level is less likely
        than `least_chance`.

        >>> from mesotrope.knowledge import knowledge
        >>> hose = HeldBy(free=0.01, idle=0.005, lets_go=0.2, torque_nm=9.5, log_sd=0.5)
        >>> levels = knowledge().drag.levels
        >>> dict(zip(levels[2:], (round(chance, 2) for chance in knowledge().drag.chances_of(hose)[2:])))
        {'let go': 0.2, 'slight': 0.0, 'light': 0.07, 'moderate': 0.48, 'strong': 0.23, 'very strong': 0.01}
        """
        first = self.first_felt
        middles = [math.log(low * high) / 2 for low, high in pairwise((self.torque_nm[0], *self.torque_nm[first:]))]
        within = median(self.torque_log_sd[first:])
        spread = math.sqrt(max(held.log_sd**2 - within**2, NARROWEST**2))
        at_most = NormalDist(math.log(held.torque_nm), spread).cdf
        free, *others = (high - low for low, high in pairwise((0.0, *map(at_most, middles), 1.0)))
        held_on_road = 1 - held.free - held.idle
        holds = held_on_road * (1 - held.lets_go)
        let_go = held_on_road * held.lets_go
        out = [held.free + holds * free, held.idle, let_go, *(holds * chance for chance in others)]
        raised = [max(chance, self.least_chance) for chance in out]
        return tuple(chance / sum(raised) for chance in raised)


class Warmth(Known):
    """What each drag level does to a hub's temperature over ambient after a drive, K, with its spread."""

    rise_k: tuple[float, ...]
    rise_sd_k: tuple[float, ...]
    usual_k: float
    usual_sd_k: float
    beside_partner_share: float
    driven_hard: dict[str, Chance]
    driven_hard_sd_k: float
    note: str = ""


class Standing(Known):
    """A vehicle that stood: how often one that comes in did, until its rotor faces scaled; how likely each face then
    is; `otherwise` the chances that none, one or both of the faces seen at a wheel are, by how many were seen."""

    chance: Chance
    scales: Chance
    otherwise: tuple[tuple[float, ...], ...]
    note: str = ""


class StandsBack(Known):
    """Pistons that work and stand back from their pads: how often, by what speaks for it, and the gaps they leave."""

    wound_home: Chance
    pushed_home: Chance
    both_sides: Chance
    both_screws: Chance
    from_mm: float
    to_mm: float
    note: str = ""

    def beside(self, emission: Floats, gap_mm: float, chance: float) -> Floats:
        """How likely each grade of a gap makes one, density per mm, where by some chance it is such a gap."""
        if gap_mm < self.from_mm:
            return emission
        return (1 - chance) * emission + chance / (self.to_mm - self.from_mm)


class Spread(Known):
    median: float
    log_sd: float


class Driveline(Known):
    undriven_nm: Spread
    driven_nm: Spread
    points: int
