"""What each answer to a test would do, told before the test is made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import product

import numpy as np

from mesotrope.core.evidence.emission import emission_of
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.saying import Sayable, joined, marked, said

#: As many answers are told of each test; one rarer than this is not.
MOST_TOLD, LEAST_TOLD = 3, 0.03

#: Steps in which a measured quantity is seen over its range.
STEPS = 9

#: A grade that is not worth a word beside the finding's others.
UNSAID = marked("not hard")

#: How a hand would say the levels of drag that a spin shows.
SPINS = (marked("turns freely"), marked("turns freely"), marked("drags lightly"), "drags", marked("drags hard"))


@dataclass(frozen=True)
class Foretold:
    """One answer, how likely it is, and the suspect that would then lead, with its chance."""

    answer: Sayable
    chance: float
    leads: str
    probability: float


def seen_in_steps(likelihood: Likelihood, steps: int = STEPS) -> Floats:
    """How likely each grade of a measured quantity is seen in each step over its range, shape (steps, grades)."""
    assert likelihood.mean is not None
    assert likelihood.sd is not None
    spread = np.hypot(np.array(likelihood.sd), likelihood.gauge_sd)
    low = (np.array(likelihood.mean) - 2 * spread).min()
    high = (np.array(likelihood.mean) + 2 * spread).max()
    seen = np.array([emission_of(likelihood, value) for value in np.linspace(low, high, steps)])
    shares: Floats = seen / seen.sum(axis=0)
    return shares


def answers_of(likelihoods: Sequence[Likelihood], knowledge: Knowledge, steps: int = STEPS) -> list[Sayable]:
    """What a test can show, in the order of its outcomes: of one with several parts, all of them together."""
    keys = tuple(likelihood.key for likelihood in likelihoods)
    return _answers(keys, KnowledgeKey(knowledge), steps)


@lru_cache(maxsize=256)
def _answers(keys: tuple[str, ...], key: KnowledgeKey, steps: int) -> list[Sayable]:
    knowledge = key.knowledge
    parts = [_part(knowledge.likelihood[name], knowledge, steps) for name in keys]
    named = [name.partition(".")[2] if len(keys) > 1 else "" for name in keys]
    return [
        joined(
            (
                said("{part} {word}", part=name, word=word) if name else word
                for name, word in zip(named, words, strict=True)
                if word != UNSAID
            ),
            ", ",
        )
        for words in product(*parts)
    ]


def _part(likelihood: Likelihood, knowledge: Knowledge, steps: int) -> list[str]:
    fields = knowledge.corner_field | knowledge.system_field
    field = fields.get(likelihood.key) or fields.get(likelihood.name)
    said = dict(field.values) if field else {}
    grades = [said.get(word, word.replace("_", " ")) for word in likelihood.order]
    if likelihood.mean is None:
        return grades
    return [grades[int(step.argmax())] for step in seen_in_steps(likelihood, steps)]


def foretell(
    answers: Sequence[Sayable], outcomes: Floats, weights: Floats, names: Sequence[str]
) -> tuple[Foretold, ...]:
    """The likeliest answers to a test and what each would do.

    outcomes : chances of every outcome by case, shape (cases, outcomes), named by `answers`; weights : chance of each
    case, in each column where it holds what `names` says, the last column all cases.
    """
    total = weights[:, -1].sum()
    out = []
    for answer in dict.fromkeys(answers):
        likely = outcomes[:, [place for place, word in enumerate(answers) if word == answer]].sum(axis=1)
        together = likely @ weights
        chance = float(together[-1] / total)
        if chance >= LEAST_TOLD:
            leads = int(together[:-1].argmax())
            out.append(Foretold(answer, chance, names[leads], float(together[leads] / together[-1])))
    return tuple(sorted(out, key=lambda told: -told.chance)[:MOST_TOLD])
