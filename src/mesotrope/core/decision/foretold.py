"""What each answer to a test would do, told before the test is made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import product

import numpy as np

from mesotrope.core.evidence.emission import emission_of
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.quantity import ALIKE
from mesotrope.core.language.saying import Sayable, joined, marked, said

#: As many answers are told of each test; one rarer than this is not.
MOST_TOLD, LEAST_TOLD = 3, 0.03

#: Steps in which a measured quantity is seen over its range.
STEPS = 9

#: A grade that is not worth a word beside the finding's others.
UNSAID = marked("not hard")

#: How a hand would say the levels of drag that a spin shows.
SPINS: Mapping[str, Sayable] = {
    "free": marked("turns freely"), "idle": marked("turns freely"), "let go": marked("turns freely"),
    "slight": marked("drags lightly"),
    "light": marked("drags lightly"), "moderate": marked("drags"), "strong": marked("drags hard"),
    "very strong": marked("drags hard"),
}  # fmt: skip


@dataclass(frozen=True)
class Foretold:
    """One answer, how likely it is, and the suspect it speaks of, with its chance then.

    leads : what would then lead; where that is what leads now, and another became plainly likelier, that other.
    """

    answer: Sayable
    chance: float
    leads: str
    probability: float


def seen_in_steps(likelihood: Likelihood, steps: int = STEPS) -> Floats:
    """How likely each grade of a measured quantity is seen in each step over its range, shape (steps, grades): the
    outermost steps are all that is beyond."""
    assert likelihood.mean is not None
    values, width = np.linspace(min(likelihood.mean), max(likelihood.mean), steps, retstep=True)
    seen = np.array([emission_of(likelihood, value) for value in values])
    seen[1:-1] *= width
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
    answers: Sequence[Sayable], outcomes: Floats, weights: Floats, names: Sequence[str], rise: float
) -> tuple[Foretold, ...]:
    """The likeliest answers to a test and what each would do, one that speaks of something else among them.

    outcomes : chances of every outcome by case, shape (cases, outcomes), named by `answers`; weights : chance of each
    case, in each column where it holds what `names` says, the last column all cases; rise : from how much more on an
    answer speaks of what it makes likelier, and not of what leads anyhow.

    >>> weights = np.array([[0.9, 0.0, 0.9], [0.06, 0.06, 0.06], [0.0, 0.04, 0.04]])  # piston, oiled lining; of all
    >>> shows = np.array([[1.0, 0.0], [0.2, 0.8], [0.1, 0.9]])
    >>> told = foretell(["dry", "oiled"], shows, weights, ["piston", "oiled lining"], 0.05)
    >>> [(one.answer, round(one.chance, 3), one.leads, round(one.probability, 2)) for one in told]
    [('dry', 0.916, 'piston', 1.0), ('oiled', 0.084, 'oiled lining', 1.0)]
    """
    total = weights[:, -1].sum()
    now = weights[:, :-1].sum(axis=0) / total
    by_outcome = weights.T @ outcomes
    places: dict[Sayable, list[int]] = {}
    for place, answer in enumerate(answers):
        places.setdefault(answer, []).append(place)
    out = []
    for answer, here in places.items():
        together = by_outcome[:, here].sum(axis=1)
        chance = float(together[-1] / total)
        if chance > 0:
            after = together[:-1] / together[-1]
            leads, risen = int(after.argmax()), int((after - now).argmax())
            if leads == now.argmax() and after[risen] - now[risen] >= rise:
                leads = risen
            out.append(Foretold(answer, chance, names[leads], float(after[leads])))
    out.sort(key=lambda told: -round(told.chance, ALIKE))  # those alike stay in the order of the list
    shown = [told for told in out[:MOST_TOLD] if told.chance >= LEAST_TOLD]
    if all(told.leads == out[0].leads for told in shown):  # what would be otherwise is told, rare as it is
        other = [told for told in out if told.leads != out[0].leads][:1]
        shown = [*shown[: MOST_TOLD - len(other)], *other]
    return tuple(shown)
