"""Answers that are remembered: the same document with the same figures has the same answer, whoever asks."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from mesotrope.core.answer.answer import Answer, Overview, overview, whole_answer
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.remembering import Latest
from mesotrope.core.learning.tables import learnt
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.metrics import diagnosing
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.learnt_versions import InUse, in_use
from mesotrope.services.rules import LEARNT, OFF, SET_ASIDE, Figures, figures_of, own_knowledge, row_of_key
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database

#: As many short answers are kept for the whole ones that follow them; each holds its arrays.
MOST_OVERVIEWS = 4

#: Under which key the learnt version stands among a workshop's figures.
VERSION = f"{LEARNT}version"


class Remembered:
    """`diagnose` for every workshop's own figures, remembering its latest answers."""

    def __init__(self, knowledge: Knowledge, most: int = 64) -> None:
        @lru_cache(maxsize=64)
        def known(figures: Figures) -> Knowledge:
            return own_knowledge(_with_learnt(knowledge, figures), figures) if figures else knowledge

        self.known = known
        self._answers: Latest[Answer] = Latest(most)
        self._overviews: Latest[Overview] = Latest(MOST_OVERVIEWS)
        self._figures: Latest[Figures] = Latest(1024)
        self._signed: Latest[InUse | None] = Latest(64)

    def answer(self, inspection: Inspection, figures: Figures) -> Answer:
        key = (inspection.model_dump_json(exclude_none=True), figures)

        def make() -> Answer:
            short = self._overview(inspection, key)
            with diagnosing("whole"):
                answer = whole_answer(inspection, short)
            self._overviews.forget(key)  # it holds much more than the answer that was made of it
            return answer

        return self._answers.of(key, make)

    def overview(self, inspection: Inspection, figures: Figures) -> Overview:
        """The short answer; the whole answer to the same goes on from it."""
        return self._overview(inspection, (inspection.model_dump_json(exclude_none=True), figures))

    def _overview(self, inspection: Inspection, key: tuple[str, Figures]) -> Overview:
        def make() -> Overview:
            with diagnosing("short"):
                return overview(inspection, self.known(key[1]))

        return self._overviews.of(key, make)

    def answer_of(self, database: Database, job: OpenJob, figures: Figures, *, by: Who) -> Answer:
        """Diagnose a job: with the learnt tables that its verdict was signed with, else with those in use."""
        return self.answer(job.inspection, self.as_signed(database, job.signed_with, figures, by))

    def as_signed(self, database: Database, number: int | None, figures: Figures, by: Who) -> Figures:
        """A workshop's figures with the learnt version that a job's verdict was signed with, where it is signed and the
        version can still be read; else with the version in use."""
        used: InUse | None = dict(figures).get(VERSION)
        if number is None or number == (used.number if used else 0):
            return figures
        if number == 0:
            return with_version(figures, None)
        then = replace(by, learnt_version=number)
        signed = self._signed.of((by.workshop_id, number), lambda: in_use(database, knowledge_key(), by=then))
        return with_version(figures, signed) if signed else figures

    def figures(self, database: Database, by: Who) -> Figures:
        """The figures of a person's workshop, and what it learnt; read again only when either has changed."""

        def read() -> Figures:
            figures = figures_of(database, by=by)
            used = None if (OFF, SET_ASIDE) in figures else in_use(database, knowledge_key(), by=by)
            return with_version(figures, used)

        return self._figures.of((by.workshop_id, by.rules_version, by.learnt_version), read)


def with_version(figures: Figures, used: InUse | None) -> Figures:
    """A workshop's figures with the learnt version that answers, in place of any other."""
    others = tuple(figure for figure in figures if figure[0] != VERSION)
    return (*others, (VERSION, used)) if used else others


def _with_learnt(knowledge: Knowledge, figures: Figures) -> Knowledge:
    """The knowledge with what was learnt, but for the rows that are set aside."""
    used: InUse | None = dict(figures).get(VERSION)
    if used is None:
        return knowledge
    aside = [row for key, _ in figures if (row := row_of_key(key))]
    return learnt(knowledge, used.counts.without(aside), version=used.number)
