"""The shape of the knowledge that is handed to the core. The values are data in `mesotrope.knowledge`."""

from __future__ import annotations

from functools import cached_property
from typing import Any

from mesotrope.core.language.day import FallsDue
from mesotrope.core.language.faults import (
    Drag,
    Driveline,
    Fault,
    Likelihood,
    Often,
    Rust,
    Standing,
    StandsBack,
    Warmth,
)
from mesotrope.core.language.fluids_and_heat import BeddingSchool, FluidGrade, HeatFigures
from mesotrope.core.language.how import Detail, Overlooked
from mesotrope.core.language.known import CITED, Known, Named, Odds, Source, Threshold, TriedOut, Value
from mesotrope.core.language.practice import PracticeFigures
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.core.language.work import (
    Action,
    Caution,
    Complaint,
    Cost,
    Cure,
    Due,
    Money,
    OwnerWords,
    Remedy,
    ReturnVisit,
    School,
    Watch,
    Work,
)
from mesotrope.core.language.worn import FaultAge, LedgerFigures, Wear


class LearntFrom(Known):
    """That the tables are not the expert's alone: the version of what was learnt, and of how many closed cases."""

    version: int
    cases: float


class Knowledge(Known):
    """Everything the core is told about the trade."""

    learnt: LearntFrom | None = None
    often: Often
    rust: Rust
    age: FaultAge
    faults: tuple[Fault, ...]
    likelihoods: tuple[Likelihood, ...]
    system_likelihoods: tuple[Likelihood, ...] = ()
    silent: dict[str, str] = {}
    warmth: Warmth
    standing: Standing
    stands_back: StandsBack
    ledger: LedgerFigures
    drag: Drag
    driveline: Driveline
    wear: Wear
    wear_rate_mm_per_1000_km: dict[str, float]
    worn: Named
    none: Named
    limits: tuple[Value, ...] = ()
    gauges: tuple[Value, ...] = ()
    thresholds: tuple[Threshold, ...] = ()
    odds: tuple[Odds, ...] = ()
    sources: tuple[Source, ...] = ()
    how_it_works: frozenset[str] = frozenset()
    tried: TriedOut
    opens_hydraulics: frozenset[str] = frozenset()
    pushes_home: frozenset[str] = frozenset()
    dark_fluid: frozenset[str] = frozenset()
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
    dues: tuple[Due, ...] = ()
    at_drums: frozenset[str] = frozenset()
    made_again: tuple[str, ...] = ()
    watches: tuple[Watch, ...] = ()
    complaints: tuple[Complaint, ...] = ()
    routine_words: tuple[str, ...] = ()
    fault_groups: dict[str, tuple[str, ...]] = {}
    costs: tuple[Cost, ...] = ()
    remedies: tuple[Remedy, ...] = ()
    money: Money
    schools: tuple[School, ...] = ()
    work_phases: tuple[Named, ...] = ()
    works: tuple[Work, ...] = ()
    returns: tuple[ReturnVisit, ...] = ()
    details: tuple[Detail, ...] = ()
    overlooked: tuple[Overlooked, ...] = ()
    step_groups: dict[str, tuple[str, ...]] = {}
    #: By kind of vehicle, what a sentence is on it where it differs.
    own_words: dict[str, dict[str, str]] = {}
    owner: OwnerWords
    practice: PracticeFigures
    day_values: tuple[Threshold, ...] = ()
    day_due: tuple[FallsDue, ...] = ()

    @cached_property
    def of_the_day(self) -> dict[str, float]:
        """What the plan of a day, and what falls due, count with."""
        return {row.id: row.value for row in self.day_values}

    @cached_property
    def falls_due(self) -> dict[str, FallsDue]:
        """What can fall due: what work asks for, and what a workshop left or foresees."""
        asked = (FallsDue(id=r.id, words=r.words, owner=r.owner, because=r.because) for r in self.returns)
        return {kind.id: kind for kind in (*asked, *self.day_due)}

    @cached_property
    def phases(self) -> dict[str, str]:
        """The phases of the work in their order, in words."""
        return {phase.id: phase.words for phase in self.work_phases}

    @cached_property
    def work(self) -> dict[str, Work]:
        return {work.action: work for work in self.works}

    @cached_property
    def order_of_work(self) -> dict[str, int]:
        """When each action is done among all of them: by its phase, then as the work is listed."""
        phases = list(self.phases)
        in_order = sorted(self.works, key=lambda work: phases.index(work.phase))
        return {work.action: place for place, work in enumerate(in_order)}

    @cached_property
    def dues_on(self) -> dict[tuple[str, str], list[tuple[int, Due]]]:
        """What is due, each with its place in the table: by what it speaks of (a corner or the system) and by the
        figure, or else the finding, that it needs."""
        out: dict[tuple[str, str], list[tuple[int, Due]]] = {}
        for number, due in enumerate(self.dues):
            out.setdefault((due.scope, due.figure or due.finding), []).append((number, due))
        return out

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
    def conditions(self) -> frozenset[str]:
        """The faults that are seen or measured at the part itself."""
        return frozenset(fault.id for fault in self.faults if fault.condition)

    @cached_property
    def limit(self) -> dict[str, float]:
        return {row.id: row.value for row in self.limits}

    @cached_property
    def threshold(self) -> dict[str, float]:
        return {row.id: row.value for row in self.thresholds}

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
    def in_place_of(self) -> dict[str, frozenset[str]]:
        """For an action, those that make it needless."""
        stood_in_for = {name for action in self.actions for name in action.stands_in_for}
        return {name: frozenset(a.id for a in self.actions if name in a.stands_in_for) for name in stood_in_for}

    @cached_property
    def actions_that(self) -> dict[str, frozenset[str]]:
        """The actions of which something holds: `pistons_home`, `opens`, `bedded`, `of_one_age`, `caliper`,
        `new_rotor`."""
        traits = ("pistons_home", "opens", "bedded", "of_one_age", "caliper", "new_rotor")
        return {trait: frozenset(a.id for a in self.actions if getattr(a, trait)) for trait in traits}

    @cached_property
    def opening_actions(self) -> frozenset[str]:
        """The actions that open the hydraulics, so that they are bled afterwards."""
        return frozenset(a.id for a in self.actions if a.opens or "bleed_system" in a.brings) - {"bleed_system"}

    @cached_property
    def system_field(self) -> dict[str, VocabularyField]:
        return {field.key: field for field in self.system_fields}

    @cached_property
    def corner_field(self) -> dict[str, VocabularyField]:
        return {field.key: field for field in self.corner_fields}

    @cached_property
    def vehicle_field(self) -> dict[str, VocabularyField]:
        return {field.key: field for field in self.vehicle_fields}

    @cached_property
    def axle_field(self) -> dict[str, VocabularyField]:
        return {field.key: field for field in self.axle_fields}

    @cached_property
    def visit_field(self) -> dict[str, VocabularyField]:
        return {field.key: field for field in self.visit_fields}

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
    def field_of_finding(self) -> dict[str, VocabularyField]:
        """The first field of every finding, by its name, wherever it is made."""
        return {**self.system_finding, **self.corner_finding}

    @cached_property
    def corner_names(self) -> frozenset[str]:
        """Names of the findings made at corners."""
        return frozenset(field.finding for field in self.corner_fields)

    @cached_property
    def source(self) -> dict[str, Source]:
        return {source.key: source for source in self.sources}

    def cite(self, text: str) -> str:
        """A text with its sources written out, and said to be from memory where they are.

        Raises KeyError for a source that is not in the list.
        """
        keys = CITED.findall(text)
        shown = CITED.sub(lambda cited: self.source[cited[1]].words, text)
        return f"{shown} (from memory)" if any(self.source[key].basis == "from memory" for key in keys) else shown

    def faults_in(self, names: tuple[str, ...]) -> tuple[str, ...]:
        """Faults by their ids or by the names of groups of them, which may be of groups themselves, each once."""
        groups = self.fault_groups
        parts = (self.faults_in(groups[name]) if name in groups else (name,) for name in names)
        return tuple(dict.fromkeys(fault for part in parts for fault in part))

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
