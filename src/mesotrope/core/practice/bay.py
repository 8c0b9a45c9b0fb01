"""The bay in which a mystery vehicle is worked: tests take their minutes, and change what they touch.

What is kept of a run are its acts. The same acts on the same vehicle give the same readings, on any machine.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from zlib import crc32

from mesotrope.core.decision.access import access_minutes, rank, reach_of
from mesotrope.core.evidence.specification import Specification, complete_specification
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import nest
from mesotrope.core.language.saying import Sayable, marked, said, verbatim
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.core.practice.acts import Act, Step, Value, flat
from mesotrope.core.practice.steady import steady
from mesotrope.core.practice.vehicle import Mystery, random_of
from mesotrope.core.simulator.instruments import let_go
from mesotrope.core.simulator.readings import AT_CORNER, OF_VEHICLE, TAKES_AWAY, At
from mesotrope.core.simulator.truth import NOT_THE_PADS
from mesotrope.errors import NotNow

#: What is read as a picture, where somebody wants to read the instruments themselves.
PICTURED = ("spin", "pad_mm", "window_pad_mm", "pedal_travel", "pedal_hold", "fluid_level", "hub_temperature_c")

#: Tests that turn the wheel.
SPUN = ("spin", "pull_n")

#: Findings that come with another one.
WITH = {"pull_n": ("pull_radius_mm",)}

#: Tests for which a foot is on the pedal, beside all that are made at the pedal or on the road.
PRESSES = ("pedal_response", "brake_force_n")


@dataclass
class _Corner:
    """How a corner stands: the furthest stage reached, whether its caliper is off, and what of its drag let go."""

    reached: int = 0
    stripped: bool = False
    slack: set[str] = field(default_factory=set)
    loose: set[str] = field(default_factory=set)


class Bay:
    """A mystery vehicle on the lift, and a clock."""

    def __init__(
        self, mystery: Mystery, knowledge: Knowledge, *, pictures: bool = False, truthful: bool = False
    ) -> None:
        """pictures : instruments are read by whoever works; truthful : every instrument shows the truth."""
        self.truthful = truthful
        self.mystery = mystery
        self.knowledge = knowledge
        self.pictures = pictures
        self.clock = 0.0
        self.steps: list[Step] = []
        self.findings: dict[tuple[Place, str], Value] = {}
        self._corners = {name: _Corner() for name in mystery.vehicle.build.corners}
        self._pressed = False
        self._air = False
        self._pushed_home: set[Corner] = set()
        self._unread: dict[tuple[Place, str], Step] = {}

    @classmethod
    def after(cls, mystery: Mystery, acts: Iterable[Act], knowledge: Knowledge, *, pictures: bool = False) -> Bay:
        """The bay after some acts. Raises `NotNow` for an act that could not be done then."""
        bay = cls(mystery, knowledge, pictures=pictures)
        for act in acts:
            bay.do(act)
        return bay

    @cached_property
    def specification(self) -> Specification:
        document = self.mystery.document()
        return complete_specification(parse_inspection(json.dumps(document)), self.knowledge)

    def inspection(self) -> Inspection:
        """The open document with what was found so far."""
        by_place: dict[Place, dict[str, Value]] = {}
        for (place, path), value in self.findings.items():
            by_place.setdefault(place, {})[path] = value
        system = nest(by_place.pop(VEHICLE, {}))
        corners = {place: nest(paths) for place, paths in by_place.items()}
        findings = {"system": system, "corners": corners}
        return parse_inspection(json.dumps({**self.mystery.document(), "findings": findings}))

    # -- what can be done --------------------------------------------------------------------------------------

    def tests(self) -> list[tuple[Place, VocabularyField]]:
        """Every test that this vehicle can have: of the whole, then corner by corner, as the vocabulary lists them."""
        return self._tests

    @cached_property
    def _tests(self) -> list[tuple[Place, VocabularyField]]:
        known, second = self.knowledge, {name for names in WITH.values() for name in names}
        of_vehicle = {field.finding: known.system_finding[field.finding] for field in known.system_fields}
        at_corner = {field.finding: known.corner_finding[field.finding] for field in known.corner_fields}
        out: list[tuple[Place, VocabularyField]] = [
            (VEHICLE, test) for name, test in of_vehicle.items() if name in OF_VEHICLE and self.specification.asks(test)
        ]
        for corner in self.specification.corners:
            out += [
                (corner, test)
                for name, test in at_corner.items()
                if name in AT_CORNER and name not in second and self.specification.asks(test, corner)
            ]
        return out

    def made(self, place: Place, finding: str) -> bool:
        """Whether a test was made, and, where it has to be read, written down."""
        return any(where == place and path.partition(".")[0] == finding for where, path in self.findings)

    def unread(self, place: Place, finding: str) -> Step | None:
        """A test whose instrument still shows what nobody has written down."""
        return self._unread.get((place, finding))

    def minutes_of(self, place: Place, test: VocabularyField) -> float:
        """Minutes that a test takes as the corner stands: itself, and getting there."""
        if not isinstance(place, Corner):
            return test.minutes
        corner = self._corners[place]
        away = access_minutes(reach_of(test), corner.reached, self.knowledge)
        if test.assembled and corner.stripped and not self._after_firm(place, test):
            away += self.knowledge.access_minutes["strip"]  # put together again first
        if test.way_minutes and not any(self.made(other, test.finding) for other in self._corners):
            away += test.way_minutes
        return test.minutes + away

    def why_not(self, place: Place, test: VocabularyField) -> str:
        """Why a test cannot be made now; "" where it can."""
        name = test.finding
        if (place, name) in self._unread:
            return marked("it is made: write down what the instrument shows")
        if self.made(place, name) and not self._again(place, name):
            return marked("it is made")
        if test.stage == "road" and any(c.reached >= rank("wheel_off") for c in self._corners.values()):
            return marked("a wheel is off: nobody drives it now")
        if self._air and test.stage == "pedal":
            return marked("a line was opened: until it is bled the pedal tells nothing of the vehicle")
        if self._pushed_home and name == "fluid_level":
            return marked("pistons were pushed home: the fluid stands higher than it did")
        if isinstance(place, Corner):
            if test.while_dragging and not self._after_firm(place, test):
                return self._nothing_to_free(place)
            if name in SPUN and self._corners[place].slack:
                return marked("it was freed by what was slackened: it cannot be spun dragging any more")
        return ""

    def _after_firm(self, place: Corner, test: VocabularyField) -> bool:
        """Whether a test is made with the caliper off, for a piston that went home only firmly."""
        return test.after_firm_piston and any(
            where == place and path.startswith("piston_pushback") and value == "firm"
            for (where, path), value in self.findings.items()
        )

    def _again(self, place: Place, finding: str) -> bool:
        """Whether a test tells something new: a wheel that was spun before the pedal was pressed, and was since."""
        if finding not in SPUN or not self._pressed:
            return False
        made = [s for s in self.steps if (s.act.kind, s.act.place, s.act.what) == ("test", place, finding)]
        return bool(made[-1].spoiled)

    def _nothing_to_free(self, corner: Corner) -> str:
        wheel = self._wheel(corner)
        spun = [s for s in self.steps if s.act.kind == "test" and s.act.what in SPUN and s.act.place in wheel]
        if not spun:
            return marked("spin the wheel first: nobody knows yet whether it drags")
        held = sum(spun[-1].held.values())
        torque = self._torque()
        now = sum(sum(torque[one].values()) for one in wheel)
        if held and now < self.knowledge.practice.work["still_dragging"] * held:
            return marked("the wheel was freed already: press the pedal, or put together what is slack")
        if held + self.mystery.vehicle.base_nm[corner.axle] < self.knowledge.limit["drag_free_nm"]:
            return marked("it turns free: there is nothing to let go")
        return ""

    def _wheel(self, corner: Corner) -> tuple[Corner, ...]:
        shared = self.specification.shares_wheel(corner) and corner.partner
        return (corner, corner.partner) if shared and corner.partner else (corner,)

    # -- doing it ----------------------------------------------------------------------------------------------

    def do(self, act: Act) -> Step:
        """Do one thing. Raises `NotNow` where it cannot be done now."""
        does = {
            "test": self._test, "read": self._read, "press": self._press, "together": self._together,
            "hint": self._hint,
        }  # fmt: skip
        step = does[act.kind](act)
        self.clock = step.clock
        self.steps.append(step)
        return step

    def _hint(self, act: Act) -> Step:
        if act.what not in ("next", "suspects"):
            raise NotNow(said("there is no hint “{what}”", what=verbatim(act.what)))
        return Step(act, 0.0, self.clock)

    def _press(self, act: Act) -> Step:
        minutes = self.knowledge.practice.work["press_minutes"]
        minutes, mishap = self._foot_down(minutes)
        return Step(act, minutes, self.clock + minutes, mishap=mishap)

    @property
    def stripped(self) -> list[Corner]:
        """The corners whose caliper is off."""
        return [name for name, corner in self._corners.items() if corner.stripped]

    @staticmethod
    def presses(test: VocabularyField) -> bool:
        """Whether a foot is on the pedal for a test."""
        return test.stage in ("pedal", "road") or test.finding in PRESSES

    def _foot_down(self, minutes: float) -> tuple[float, Sayable]:
        """The pedal is pressed: what a bleeder let go is pressed on again; a piston without its caliper is out."""
        off = self.stripped
        mishap: Sayable = ""
        if off:
            minutes += self.knowledge.practice.work["mishap_minutes"]
            mishap = said("the pedal was pressed with the caliper off, {place}: the piston is out", place=off[0])
            self._air = True
            for name in off:
                self._put_together(name)
        self._pressed = True
        for corner in self._corners.values():
            corner.loose -= {"bleeder_opened", "line_loosened_at_master", "stripped"}
        return minutes, mishap

    def _together(self, act: Act) -> Step:
        if not isinstance(act.place, Corner) or act.place not in self.stripped:
            raise NotNow("no caliper is off there")
        self._put_together(act.place)
        minutes = self.knowledge.access_minutes["strip"]
        return Step(act, minutes, self.clock + minutes)

    def _put_together(self, name: Corner) -> None:
        corner = self._corners[name]
        corner.stripped = False
        corner.slack -= {"caliper_bolts_slackened"}
        corner.reached = min(corner.reached, rank("isolate"))

    def _test(self, act: Act) -> Step:
        test = self._field(act)
        if why := self.why_not(act.place, test):
            raise NotNow(why)
        minutes = self.minutes_of(act.place, test)
        mishap: Sayable = ""
        if isinstance(act.place, Corner):
            self._get_to(act.place, test)
        if self.presses(test):
            minutes, mishap = self._foot_down(minutes)
        held, spoiled = self._holds(act, test)
        shown = dict(self._reads(act.place, test))
        self._changes(act.place, test)
        if not (self.pictures and test.finding in PICTURED):
            self.findings |= {(act.place, path): value for path, value in shown.items()}
            return Step(act, minutes, self.clock + minutes, shown, {}, spoiled, mishap, held)
        step = Step(act, minutes, self.clock + minutes, {}, shown, spoiled, mishap, held)
        self._unread[act.place, test.finding] = step
        return step

    def _read(self, act: Act) -> Step:
        step = self._unread.get((act.place, act.what))
        if step is None:
            raise NotNow("nothing is shown there to be written down")
        read = dict(act.read)
        if not read or not set(read) <= set(step.shown):
            raise NotNow("write down what the instrument shows")
        del self._unread[act.place, act.what]
        self.findings |= {(act.place, path): value for path, value in read.items()}
        return Step(act, 0.0, self.clock, read, step.shown)

    def _field(self, act: Act) -> VocabularyField:
        test = next((t for place, t in self.tests() if (place, t.finding) == (act.place, act.what)), None)
        if test is None:
            raise NotNow("this vehicle has nothing there to be tested so")
        return test

    def _get_to(self, place: Corner, test: VocabularyField) -> None:
        corner = self._corners[place]
        if test.assembled and corner.stripped and not self._after_firm(place, test):
            self._put_together(place)
        if test.stage in self.knowledge.access_minutes:
            corner.reached = max(corner.reached, reach_of(test))
        if rank(test.stage) >= rank("strip"):
            corner.stripped = True
            corner.loose.add("stripped")

    def _holds(self, act: Act, test: VocabularyField) -> tuple[dict[str, float], Sayable]:
        """What holds the wheel now, and why a reading of it is not what it would have been."""
        if not isinstance(act.place, Corner) or not (test.of_wheel or test.while_dragging):
            return {}, ""
        torque = self._torque()
        held: dict[str, float] = {}
        for corner in self._wheel(act.place):
            for cause, nm in torque[corner].items():
                held[cause] = held.get(cause, 0.0) + nm
        would = sum(sum(self.mystery.vehicle.corners[corner].torque.values()) for corner in self._wheel(act.place))
        spoiled: Sayable = ""
        if test.of_wheel and would - sum(held.values()) > 0.1 * would:
            loose = any(self._corners[corner].loose for corner in self._wheel(act.place))
            spoiled = (
                marked("it was freed before it was spun") if loose else marked("nobody had pressed the pedal before")
            )
        return held, spoiled

    def _torque(self) -> dict[Corner, dict[str, float]]:
        """What holds each wheel as it stands, by cause, N·m."""
        out = {}
        for name, corner in self._corners.items():
            torque = dict(self.mystery.vehicle.corners[name].torque)
            if not self._pressed:
                left = self.knowledge.practice.unpressed
                torque = {cause: held * left.get(cause, 1.0) for cause, held in torque.items()}
            for test in sorted(corner.slack | corner.loose):
                torque = self._without_pads(torque) if test == "stripped" else let_go(torque, TAKES_AWAY[test])
            out[name] = torque
        return out

    @staticmethod
    def _without_pads(torque: Mapping[str, float]) -> dict[str, float]:
        return {cause: held if cause in NOT_THE_PADS else 0.0 for cause, held in torque.items()}

    def _changes(self, place: Place, test: VocabularyField) -> None:
        """What a test leaves behind it."""
        name = test.finding
        if not isinstance(place, Corner):
            return
        corner = self._corners[place]
        if name in ("bleeder_opened", "line_loosened_at_master"):
            corner.loose.add(name)
            self._air = self._air or name == "line_loosened_at_master"
        if name in ("caliper_bolts_slackened", "parking_cable_slackened"):
            corner.slack.add(name)
        if name == "piston_pushback":
            self._pushed_home.add(place)

    # -- reading -----------------------------------------------------------------------------------------------

    def _reads(self, place: Place, test: VocabularyField) -> Iterator[tuple[str, Value]]:
        for name in (test.finding, *WITH.get(test.finding, ())):
            act = ("test", place, test.finding)
            before = sum((s.act.kind, s.act.place, s.act.what) == act for s in self.steps)
            random = random_of(self.mystery.number, 7, crc32(f"{place}/{name}".encode()), before)
            random = steady() if self.truthful else random
            vehicle = self.mystery.vehicle
            if isinstance(place, Corner):
                value = AT_CORNER[name](At(random, vehicle, place, self._torque()))
            else:
                value = OF_VEHICLE[name](random, vehicle)
            yield from flat(value, name)
