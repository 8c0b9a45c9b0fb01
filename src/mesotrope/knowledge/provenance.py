"""Every value the product relies on, with where it comes from and where it is used: read off the knowledge and
what each part of the product declares to rely on."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import used_in
from mesotrope.core.language.saying import Sayable
from mesotrope.core.workings import WORKINGS
from mesotrope.knowledge.citations import cited_by

COMMON = "common practice"

UNITS = {
    "mm": "mm", "nm": "N·m", "percent": "%", "ppm": "ppm", "months": "months", "minutes": "minutes", "days": "days",
    "k": "K", "c": "°C", "ml": "mL",
    "times": "times", "relative": "of the reading", "share": "of the whole", "level": "of MIN to MAX",
    "seconds": "s", "turns": "turns",
}  # fmt: skip


def named(name: str) -> tuple[str, str]:
    """A value's name in words, and its unit.

    >>> named("drag_free_nm"), named("pedal_travel")
    (('drag free', 'N·m'), ('pedal travel', ''))
    """
    words, _, last = name.rpartition("_")
    return (words.replace("_", " "), UNITS[last]) if words and last in UNITS else (name.replace("_", " "), "")


@dataclass(frozen=True)
class SourcedValue:
    """One value: what it is called, how much, where from, and what uses it."""

    group: str
    name: Sayable
    value: Sayable
    source: str
    note: str
    used_in: str


def _source(basis: str, source: str, note: str, knowledge: Knowledge) -> tuple[str, str]:
    """Where a value comes from, and its note without what the source already says."""
    if basis != "published":
        return COMMON, note
    return knowledge.cite(source), note.removeprefix("from memory").lstrip("; ")


def sourced_values(knowledge: Knowledge) -> list[SourcedValue]:
    """All of them, group by group."""
    out: list[SourcedValue] = []
    for group, values in (("Limits", knowledge.limits), ("Gauge errors", knowledge.gauges)):
        for known in values:
            source, note = _source(known.basis, known.source, known.note, knowledge)
            name, unit = named(known.id)
            used = ", ".join(used_in(known.id))
            out.append(SourcedValue(group, name, f"{known.value:g} {unit}".rstrip(), source, note, used))
    out += [
        SourcedValue("How sure is sure enough", one.id.replace("_", " "), f"{one.value:g}", COMMON, one.note, "answers")
        for one in knowledge.thresholds
    ]
    out += [
        SourcedValue("The day", name, f"{one.value:g} {unit}".rstrip(), COMMON, one.note, "the day, what is due")
        for one in knowledge.day_values
        for name, unit in [named(one.id)]
    ]
    for grade in knowledge.fluid_grades:
        source, note = _source("published", grade.source, grade.note, knowledge)
        value = f"{grade.dry_c:g} dry, {grade.wet_c:g} wet, °C"
        out.append(SourcedValue("Fluid grades", grade.id, value, source, note, "fluid verdict, boiling-point"))
    for name, basis in knowledge.heat.basis.items():
        value = f"{getattr(knowledge.heat, name):g}"
        out.append(
            SourcedValue("Heat", name.replace("_", " "), value, basis, "", "drag-heat, drag-temperature, bedding")
        )
    out += [
        SourcedValue("Bedding schools", s.said, s.id, COMMON, "", "bedding planner") for s in knowledge.bedding_schools
    ]
    for kind, table in knowledge.specification.items():
        if kind != "inertia":
            names = ", ".join(f"{key} {value:g}" for key, value in table.items() if isinstance(value, int | float))
            words = "typical middle sizes; the maker's figure wins"
            out.append(
                SourcedValue("Defaults by kind", kind.replace("_", " "), names, COMMON, words, "where not known")
            )
    for fault in knowledge.faults:
        rusts = ", likelier with rust" if fault.rusts else ""
        out.append(
            SourcedValue("How often faults come", fault.words, f"odds {fault.odds:g}{rusts}", COMMON, "", "diagnosis")
        )
    for row in knowledge.likelihoods:
        heading = knowledge.headings.get(row.name, row.key)
        part = row.key.partition(".")[2]
        name = f"{heading}{f' ({part})' if part else ''}".replace("_", " ")
        value = f"{len(row.rows) + 1} rows over {', '.join(row.order)}".replace("_", " ")
        source = COMMON if row.basis == COMMON else row.source
        out.append(SourcedValue("What faults do to findings", name, value, source, "", "diagnosis"))
    for field in (*knowledge.corner_fields, *knowledge.system_fields):
        value = f"{field.minutes:g} min"
        out.append(
            SourcedValue(
                "Minutes of the tests", field.label, value, COMMON, "the workshop can change them", "check next"
            )
        )
    out += _prices(knowledge)
    in_data = [(row.id, row.source) for row in (*knowledge.limits, *knowledge.gauges)]
    in_data += [(grade.id, grade.source) for grade in knowledge.fluid_grades]
    in_data += [(f"workings {working.name}", working.source) for working in WORKINGS]
    for cited in knowledge.sources:
        by = [*cited_by().get(cited.key, ()), *(name for name, text in in_data if f"[{cited.key}]" in text)]
        names = ", ".join(dict.fromkeys(name.replace("_", " ") for name in by))
        out.append(SourcedValue("What is cited", cited.words, f"[{cited.key}]", cited.basis, "", names))
    for working in WORKINGS:
        out.append(
            SourcedValue(
                "Formulas",
                working.title,
                working.formula,
                knowledge.cite(working.source),
                "",
                f"workings {working.name}",
            )
        )
    return out


def _prices(knowledge: Knowledge) -> list[SourcedValue]:
    """What work costs, how surely it cures, and the schools: starting values that a workshop's own rules replace."""
    own, used = "the workshop's own wins", "packages, check next"
    out = [
        SourcedValue(
            "What work costs", knowledge.action[cost.id].words,
            f"{cost.minutes:g} min, parts {cost.parts:g}, comes back {100 * cost.again:g} %", COMMON, own, used,
        )
        for cost in knowledge.costs
    ]  # fmt: skip
    out += [
        SourcedValue("What work costs", name.replace("_", " "), f"{value}", COMMON, own, used)
        for name, value in knowledge.money.model_dump().items()
    ]
    for remedy in knowledge.remedies:
        cures = ", ".join(f"{knowledge.action[action].words} {p:g}" for action, p in remedy.cures.items())
        out.append(SourcedValue("How surely work cures", knowledge.words(remedy.id), cures, COMMON, "", "packages"))
    out += [
        SourcedValue("Schools", s.question, s.chosen(s.default).said, COMMON, s.chosen(s.default).reason, "work card")
        for s in knowledge.schools
    ]
    return out
