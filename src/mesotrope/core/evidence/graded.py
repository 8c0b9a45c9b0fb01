"""A value of a finding as evidence: from entry to entry most findings of a vehicle stand as they were, so it is made
once."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from mesotrope.core.evidence.emission import emission_of
from mesotrope.core.evidence.pieces import Graded, Uses
from mesotrope.core.evidence.sentences import finding_in_words
from mesotrope.core.language.corner import Place
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey


def graded(place: Place, likelihood: Likelihood, value: Any, knowledge: Knowledge, uses: Uses = ()) -> Graded:
    """What a value of a finding tells, and how it is said.

    >>> from mesotrope.core.language.corner import Corner
    >>> from mesotrope.knowledge import knowledge
    >>> torn = graded(Corner.REAR_LEFT, knowledge().likelihood["piston_boot"], "torn", knowledge())
    >>> torn.emission.tolist()
    [0.0, 1.0, 0.0]
    """
    return _graded(KnowledgeKey(knowledge), place, likelihood.key, value, uses)


@lru_cache(maxsize=1024, typed=True)
def _graded(key: KnowledgeKey, place: Place, name: str, value: Any, uses: Uses) -> Graded:
    likelihood = key.knowledge.likelihood[name]
    emission = emission_of(likelihood, value)
    emission.flags.writeable = False
    words = finding_in_words(likelihood, value, key.knowledge)
    return Graded(place, likelihood.name, words, likelihood, emission, uses)


def forget_graded() -> None:
    """Forget every piece of evidence: for whoever goes on with other tables."""
    _graded.cache_clear()
