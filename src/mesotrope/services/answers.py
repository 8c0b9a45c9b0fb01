"""Answers that are remembered: the same document with the same figures has the same answer, whoever asks."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import lru_cache
from threading import Lock
from typing import Generic, TypeVar

from mesotrope.core.answer.answer import Answer, diagnose
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.services.rules import Figures, figures_of, own_knowledge
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database

Kept = TypeVar("Kept")


class Latest(Generic[Kept]):
    """The latest of something that is made from a key; the oldest is forgotten. Safe for several threads."""

    def __init__(self, most: int) -> None:
        self._kept: OrderedDict[Hashable, Kept] = OrderedDict()
        self._most = most
        self._lock = Lock()

    def of(self, key: Hashable, make: Callable[[], Kept]) -> Kept:
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        with self._lock:
            self._kept[key] = made
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return made


class Remembered:
    """`diagnose` for every workshop's own figures, remembering its latest answers."""

    def __init__(self, knowledge: Knowledge, most: int = 256) -> None:
        @lru_cache(maxsize=64)
        def known(figures: Figures) -> Knowledge:
            return own_knowledge(knowledge, figures) if figures else knowledge

        self.known = known
        self._answers: Latest[Answer] = Latest(most)
        self._figures: Latest[Figures] = Latest(1024)

    def answer(self, inspection: Inspection, figures: Figures) -> Answer:
        document = inspection.model_dump_json(exclude_none=True)
        return self._answers.of((document, figures), lambda: diagnose(inspection, self.known(figures)))

    def figures(self, database: Database, by: Who) -> Figures:
        """The figures of a person's workshop; read again only when its rules have changed."""
        return self._figures.of((by.workshop_id, by.rules_version), lambda: figures_of(database, by=by))
