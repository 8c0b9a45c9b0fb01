"""What is open because it is not settled: the leading explanation asks for work, and another may be true. Source: every
finding gets its answer, the state *open*; common practice."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.decision.answered import Open, Planned, Share, acting_at, likeliest
from mesotrope.core.decision.cures import Cures, puts_right
from mesotrope.core.decision.in_question import is_unsettled
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves
from mesotrope.core.language.saying import Sayable, marked

NOT_SETTLED = marked("what was found here is not settled")
WHOLE_NOT_SETTLED = marked("what is wrong with the whole system is not settled")
NOBODY_LOOKED = marked("nobody looked at this wheel yet")


def due_of(planned: Planned, knowledge: Knowledge) -> frozenset[tuple[str, Place]]:
    """Work that is due by what was found, with what it brings."""
    brought = {(more, place) for action, place in planned for more in knowledge.action[action].brings}
    return frozenset(planned) | brought


def could_be(corner: Corner, what: Sayable, acting: Sequence[Share]) -> list[Open]:
    """What is open at a corner, and could be any of what acts there; nothing where nothing does."""
    here = likeliest(one for one in acting if one[2] > 0)
    about = tuple(dict.fromkeys(fault for _, fault, _ in acting))
    return [Open(corner, what, here, about=about)] if here else []


@dataclass(frozen=True)
class Unsettled:
    """Where what is planned is for something that is not settled, or does not put right what is wrong.

    due : what is due by itself (`due_of`); suspects : the chance of every fault.
    """

    due: Collection[tuple[str, Place]]
    suspects: Mapping[Suspect, float]
    cures: Cures

    def at_corners(self, planned: Planned, left_open: Sequence[Open]) -> list[Open]:
        """What is wrong at the corners that have nothing open yet: while no work alone is likely enough to be what is
        asked for, and more is planned than is due by what was found, or that puts it right too seldom; or while nobody
        looked."""
        inspection, knowledge = self.cures.inspection, self.cures.knowledge
        out: list[Open] = []
        for corner in self.cures.specification.discs:
            if any(one.place == corner for one in left_open):
                continue
            more = any(at == corner for _, at in planned.keys() - self.due)
            acting = acting_at(corner, self.suspects, knowledge)
            if more and not leaves(inspection.corner(corner)):
                out += could_be(corner, NOBODY_LOOKED, acting)
            elif is_unsettled(corner, self.suspects, inspection, knowledge) and (
                more or not self._sound_after(corner, planned, acting)
            ):
                out += could_be(corner, NOT_SETTLED, acting)
        return out

    def _sound_after(self, corner: Corner, planned: Planned, acting: Sequence[Share]) -> bool:
        """Whether a corner is likely sound once what is planned is done, or what most likely acts there is of the whole
        system."""
        knowledge = self.cures.knowledge
        known = knowledge.threshold
        place, _, most = max(acting, key=lambda one: one[2])
        if place is VEHICLE and most >= known["named_chance"]:
            return True

        none, every = self.suspects.get((corner, knowledge.none.id), 0.0), sum(chance for *_, chance in acting)
        right = sum(chance for at, fault, chance in acting if puts_right(planned, at, fault, knowledge)) / every
        return none + (1 - none) * right >= known["sound_chance"]

    def of_vehicle(self, left_open: Sequence[Open]) -> list[Open]:
        """Which fault of the whole vehicle is there, where nothing is open of it yet and one is acted on."""
        known = self.cures.knowledge.threshold
        doubted = [(*who, p) for who, p in self.suspects.items() if who[0] is VEHICLE and p < known["settled_chance"]]
        acted_on = tuple(
            fault
            for _, fault, chance in doubted
            if chance >= known["named_chance"]
            and any((action, VEHICLE) not in self.due for action in self.cures.at(VEHICLE, fault).actions)
        )
        if any(one.place is VEHICLE for one in left_open) or not acted_on:
            return []
        here = likeliest(one for one in doubted if one[2] >= known["told_share"])
        tests = dict.fromkeys(test for fault in acted_on for test in self.cures.at(VEHICLE, fault).shown_by)
        return [Open(VEHICLE, WHOLE_NOT_SETTLED, here, tuple(tests), about=acted_on)]
