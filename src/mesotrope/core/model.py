"""The shape of the knowledge that is handed to the core. The values are data in `mesotrope.knowledge`."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

Chance = Annotated[float, Field(gt=0, lt=1)]
Chances = tuple[Chance, ...]
#: The answer that a corner has no fault.
NO_FAULT = "no_fault"

#: As `Chances`, where a cause may add nothing to a value.
Shares = tuple[Annotated[float, Field(ge=0, le=1)], ...]
Basis = Literal["common practice", "published", "physics"]


class Known(BaseModel):
    """A piece of knowledge: frozen, nothing beside its named fields."""

    model_config = ConfigDict(extra="forbid", frozen=True, ignored_types=(cached_property,))

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Copy with changes, and without what was worked out from the values before the change."""
        copied = super().model_copy(update=update, deep=deep)
        for name in set(copied.__dict__) - set(type(self).model_fields):
            del copied.__dict__[name]
        return copied


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
    split_sd: float = 0.0
    fore_aft_sd_mm: float = 0.0
    radial_sd_mm: float = 0.0
    spares_pads: bool = False


class Fault(Known):
    """A fault with its place in the world: how often, on which vehicles, by which mechanisms."""

    id: str
    words: str
    scope: Literal["corner", "system"]
    odds: Annotated[float, Field(gt=0)]
    both_sides_lift: Annotated[float, Field(ge=1)] = 1.0
    needs: tuple[str, ...] = ()
    mechanism: tuple[Mechanism, ...] = (Mechanism(),)


class Likelihood(Known):
    """What each fault does to one finding: chances over the values, from normal to worst.

    For a measured quantity `order` are grades and `mean`, `sd` what each grade measures; or, where the trade draws a
    line (a discard thickness), the grades are above and under `threshold`, as surely as the gauge can tell. A `sided`
    finding of the whole vehicle is a pull to one side; its rows are the chances to pull away from the faulty side and
    toward it. `drag` is what a level of the corner's drag does, by whatever fault: heat marks a face, so that the mark
    is not counted again for each fault that drags.
    """

    key: str
    finding: str = ""
    order: tuple[str, ...]
    healthy: Chances
    leak: Chances | None = None
    rows: dict[str, Chances] = {}
    drag: dict[str, Shares] = {}
    why: dict[str, str] = {}
    mean: tuple[float, ...] | None = None
    sd: tuple[float, ...] | None = None
    gauge_sd: float = 0.0
    threshold: float | None = None
    basis: Basis = "common practice"
    source: str = ""
    sided: bool = False

    @model_validator(mode="after")
    def _rows_fit(self) -> Likelihood:
        rows = {} if self.sided else self.rows
        given = {"healthy": self.healthy, "leak": self.leak or self.healthy, **rows, **self.drag}
        for name, row in given.items():
            if len(row) != len(self.order) or abs(sum(row) - 1) > 1e-9:
                raise ValueError(f"{self.key}, row {name}: {len(self.order)} chances that add to 1 are needed")
        return self

    @cached_property
    def name(self) -> str:
        """The finding as the inspection format names it."""
        return self.finding or self.key.split(".")[0]

    def row(self, fault: str, mechanism: str) -> Chances | None:
        """Return what `fault` by `mechanism` does to this finding; None where it is silent."""
        return self.rows.get(f"{fault}/{mechanism}") or self.rows.get(fault)

    def why_of(self, fault: str) -> str:
        """Return the sentence that ties the finding to the fault, or nothing."""
        return self.why.get(fault, "")


class Count(Known):
    chances: Chances
    note: str


class Drag(Known):
    levels: tuple[str, ...]
    torque_nm: tuple[float, ...]
    torque_log_sd: tuple[float, ...]
    wear_log: tuple[float, ...]
    wear_log_sd: tuple[float, ...]
    healthy: Chances
    held_fast_nm: float
    note: str = ""


class Warmth(Known):
    """What each drag level does to a hub's temperature over ambient after a drive, K, with its spread."""

    rise_k: tuple[float, ...]
    rise_sd_k: tuple[float, ...]
    usual_k: float
    usual_sd_k: float
    note: str = ""


class Spread(Known):
    median: float
    log_sd: float


class Driveline(Known):
    undriven_nm: Spread
    driven_nm: Spread
    points: int


class Wear(Known):
    inner: float
    outer: float
    corner_log_sd: float
    split_log_sd: float
    floor_mm: float
    lead_taper_mm: float
    fore_aft_sd_mm: float
    radial_sd_mm: float
    fresh_onset: Chance
    lately: Annotated[float, Field(ge=1)]
    misread: Chance
    points: int
    note: str = ""


class Named(Known):
    id: str
    words: str


class Value(Known):
    """A limit or a gauge error with its provenance."""

    id: str
    value: float
    basis: Basis
    source: str = ""
    note: str = ""


class FluidGrade(Known):
    """A fluid's least boiling points, °C, by its standard."""

    id: str
    dry_c: float
    wet_c: float
    family: Literal["glycol", "silicone"]
    source: str
    note: str


class HeatFigures(Known):
    """Figures of rotors and of the air that cools them."""

    iron_cold_c: float
    iron_cold_j_kg_k: float
    iron_hot_c: float
    iron_hot_j_kg_k: float
    cooling_at_rest_s: float
    cooling_speed_kmh: float
    film_at_rest_w_m2_k: float
    film_per_kmh_w_m2_k: float
    face_share: float
    engine_efficiency: float
    fuel_j_per_l: float
    lining_mm3_per_mj: float
    lining_face_share: float
    basis: dict[str, str]


class BeddingStep(Known):
    from_kmh: float
    to_kmh: float
    times: Annotated[int, Field(ge=1)]


class BeddingSchool(Known):
    """One way of bedding pads in. Without steps it is a distance of gentle driving."""

    id: str
    words: str
    steps: tuple[BeddingStep, ...] = ()
    target_c: float = 0.0
    limit_c: float = 0.0
    least_pause_s: float = 0.0
    deceleration_m_s2: float = 3.0
    cooling_drive_kmh: float = 60.0
    cooling_drive_minutes: float = 0.0
    distance_km: float = 0.0
    average_kmh: float = 50.0
    warnings: tuple[str, ...] = ()
    basis: Basis = "common practice"


class VocabularyField(Known):
    """How one finding or figure is called, when it is made, and which values can be."""

    key: str
    label: str
    stage: str = ""
    minutes: float = 0
    unit: str = ""
    values: dict[str, str] = {}
    needs: tuple[str, ...] = ()
    while_dragging: bool = False
    possible: tuple[float, float] | None = None
    likely: tuple[float, float] | None = None
    tries: tuple[float, ...] = ()

    @property
    def finding(self) -> str:
        """The finding that this field is, or is a part of."""
        return self.key.partition(".")[0]


class Action(Known):
    """One thing that is done about a fault."""

    id: str
    words: str
    both_sides: str = ""


class Cure(Known):
    """What is done when a fault is found: verdict and actions."""

    fault: str
    verdict: Literal["sound", "service", "replace", "unsafe"]
    actions: tuple[str, ...]
    unsafe: str = ""


class Cost(Known):
    """What one action takes: minutes of labour, price of its parts, and the chance that it comes back within a year.

    For one corner, or with `per` "vehicle" for the vehicle once.
    """

    id: str
    minutes: Annotated[float, Field(ge=0)]
    parts: Annotated[float, Field(ge=0)]
    part: str = ""
    again: Annotated[float, Field(ge=0, lt=1)] = 0.0
    per: Literal["corner", "vehicle"] = "corner"


class Remedy(Known):
    """How surely each action cures a fault, the sensible ways to do it, and what leaving it costs."""

    id: str
    left: Literal["drags", "unsafe", "visit"]
    cures: dict[str, Chance]
    ways: tuple[tuple[str, ...], ...] = ()
    corrodes: bool = False


class SchoolChoice(Known):
    """One way of doing it, with the reason its practitioners give."""

    id: str
    words: str
    reason: str


class School(Known):
    """A question in which good practitioners disagree, with the product's default."""

    id: str
    question: str
    default: str
    choice: tuple[SchoolChoice, ...]

    def chosen(self, id_: str) -> SchoolChoice:
        return next(choice for choice in self.choice if choice.id == id_)


class Work(Known):
    """Where in the order of the work an action stands, and what it needs."""

    action: str
    phase: str
    tools: tuple[str, ...] = ()
    fasteners: tuple[str, ...] = ()


class ReturnVisit(Known):
    """Why and when a vehicle comes back after work; `after` names the actions that ask for it, none: all."""

    id: str
    words: str
    because: str
    days: Annotated[int, Field(gt=0)]
    after: tuple[str, ...] = ()


class Money(Known):
    """Prices that no single action has, in the workshop's currency."""

    currency: str
    labour_per_hour: Annotated[float, Field(gt=0)]
    comeback_minutes: Annotated[float, Field(ge=0)]
    comeback_trust: Annotated[float, Field(ge=0)]
    spoiled_pads_and_rotors: Annotated[float, Field(ge=0)]
    unsafe_at_stake: Annotated[float, Field(ge=0)]
    bit_of_knowing: Annotated[float, Field(ge=0)]
    partner_within_a_year: Chance

    @property
    def labour_per_minute(self) -> float:
        return self.labour_per_hour / 60


class Caution(Known):
    id: str
    words: str
    when: tuple[str, ...]
    needs: tuple[str, ...] = ()


class Knowledge(Known):
    """Everything the core is told about the trade."""

    count: Count
    faults: tuple[Fault, ...]
    likelihoods: tuple[Likelihood, ...]
    system_likelihoods: tuple[Likelihood, ...] = ()
    silent: dict[str, str] = {}
    warmth: Warmth
    drag: Drag
    driveline: Driveline
    wear: Wear
    wear_rate_mm_per_1000_km: dict[str, float]
    worn: Named
    none: Named
    limits: tuple[Value, ...] = ()
    gauges: tuple[Value, ...] = ()
    corner_fields: tuple[VocabularyField, ...] = ()
    system_fields: tuple[VocabularyField, ...] = ()
    vehicle_fields: tuple[VocabularyField, ...] = ()
    axle_fields: tuple[VocabularyField, ...] = ()
    visit_fields: tuple[VocabularyField, ...] = ()
    access_minutes: dict[str, float] = {}
    headings: dict[str, str] = {}
    hints: dict[str, str] = {}
    fluid_grades: tuple[FluidGrade, ...] = ()
    heat: HeatFigures
    bedding_schools: tuple[BeddingSchool, ...] = ()
    specification: dict[str, Any] = {}
    actions: tuple[Action, ...] = ()
    cures: tuple[Cure, ...] = ()
    cautions: tuple[Caution, ...] = ()
    costs: tuple[Cost, ...] = ()
    remedies: tuple[Remedy, ...] = ()
    money: Money
    schools: tuple[School, ...] = ()
    work_phases: tuple[Named, ...] = ()
    works: tuple[Work, ...] = ()
    returns: tuple[ReturnVisit, ...] = ()

    @cached_property
    def phases(self) -> dict[str, str]:
        """The phases of the work in their order, in words."""
        return {phase.id: phase.words for phase in self.work_phases}

    @cached_property
    def work(self) -> dict[str, Work]:
        return {work.action: work for work in self.works}

    @cached_property
    def school(self) -> dict[str, School]:
        return {school.id: school for school in self.schools}

    @cached_property
    def likelihood(self) -> dict[str, Likelihood]:
        return {row.key: row for row in (*self.likelihoods, *self.system_likelihoods)}

    @cached_property
    def fault(self) -> dict[str, Fault]:
        return {fault.id: fault for fault in self.faults}

    @cached_property
    def limit(self) -> dict[str, float]:
        return {row.id: row.value for row in self.limits}

    @cached_property
    def gauge(self) -> dict[str, float]:
        return {row.id: row.value for row in self.gauges}

    @cached_property
    def fluid_grade(self) -> dict[str, FluidGrade]:
        return {grade.id: grade for grade in self.fluid_grades}

    @cached_property
    def bedding_school(self) -> dict[str, BeddingSchool]:
        return {school.id: school for school in self.bedding_schools}

    @cached_property
    def cure(self) -> dict[str, Cure]:
        return {cure.fault: cure for cure in self.cures}

    @cached_property
    def cost(self) -> dict[str, Cost]:
        return {cost.id: cost for cost in self.costs}

    @cached_property
    def remedy(self) -> dict[str, Remedy]:
        return {remedy.id: remedy for remedy in self.remedies}

    @cached_property
    def action(self) -> dict[str, Action]:
        return {action.id: action for action in self.actions}

    @cached_property
    def system_field(self) -> dict[str, VocabularyField]:
        return {field.key: field for field in self.system_fields}

    @cached_property
    def corner_field(self) -> dict[str, VocabularyField]:
        return {field.key: field for field in self.corner_fields}

    @cached_property
    def likelihood_place(self) -> dict[str, int]:
        """At which place the likelihoods of corners stand: the order of the work within a stage."""
        return {row.key: place for place, row in enumerate(self.likelihoods)}

    @cached_property
    def corner_finding(self) -> dict[str, VocabularyField]:
        """The first field of every finding made at corners, by the finding's name."""
        return {field.finding: field for field in reversed(self.corner_fields)}

    @cached_property
    def system_finding(self) -> dict[str, VocabularyField]:
        """The first field of every finding of the whole vehicle, by the finding's name."""
        return {field.finding: field for field in reversed(self.system_fields)}

    @cached_property
    def corner_names(self) -> frozenset[str]:
        """Names of the findings made at corners."""
        return frozenset(field.finding for field in self.corner_fields)

    def words(self, fault: str) -> str:
        """Return a fault's id in the trade's words."""
        if fault in (self.worn.id, self.none.id):
            return self.worn.words if fault == self.worn.id else self.none.words
        return self.fault[fault].words


class KnowledgeKey:
    """Lets a cache tell knowledge apart by identity: it is frozen, and hashing all of it would be slow."""

    def __init__(self, knowledge: Knowledge) -> None:
        self.knowledge = knowledge

    def __hash__(self) -> int:
        return id(self.knowledge)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, KnowledgeKey) and other.knowledge is self.knowledge
