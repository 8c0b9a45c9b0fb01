"""Every value the product relies on, with where it comes from and where it is used: read off the knowledge and
what each part of the product declares to rely on."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import used_in
from mesotrope.core.language.saying import Sayable, joined, marked, plain, said, verbatim
from mesotrope.core.workings import WORKINGS
from mesotrope.knowledge.citations import cited_by

COMMON = "common practice"

UNITS = {
    "mm": "mm",
    "nm": "N·m",
    "percent": "%",
    "ppm": "ppm",
    "months": marked("months"),
    "minutes": marked("minutes"),
    "days": marked("days"),
    "k": "K",
    "c": "°C",
    "ml": "mL",
    "times": marked("times"),
    "relative": marked("of the reading"),
    "share": marked("of the whole"),
    "level": marked("of MIN to MAX"),
    "seconds": "s",
    "turns": "turns",
}


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
    used_in: tuple[Sayable, ...]


def _source(basis: str, source: str, note: str, knowledge: Knowledge) -> tuple[str, str]:
    """Where a value comes from, and its note without what the source already says."""
    if basis != "published":
        return COMMON, note
    return knowledge.cite(source), note.removeprefix("from memory").lstrip("; ")


def sourced_values(knowledge: Knowledge) -> list[SourcedValue]:
    """All of them, group by group."""
    out: list[SourcedValue] = []
    for group, values in ((marked("Limits"), knowledge.limits), (marked("Gauge errors"), knowledge.gauges)):
        for known in values:
            source, note = _source(known.basis, known.source, known.note, knowledge)
            name, unit = named(known.id)
            used = used_in(known.id)
            out.append(SourcedValue(group, name, joined((plain(known.value), unit), " "), source, note, used))
    out += [
        SourcedValue(
            marked("How sure is sure enough"),
            verbatim(one.id.replace("_", " ")),
            plain(one.value),
            COMMON,
            one.note,
            (marked("answers"),),
        )
        for one in knowledge.thresholds
    ]
    out += [
        SourcedValue(
            marked("How sure is sure enough"),
            one.words,
            plain(one.least),
            COMMON,
            marked("a chance is called so from here on"),
            (marked("answers"),),
        )
        for one in knowledge.odds
    ]
    out += [
        SourcedValue(
            marked("The day"),
            name,
            joined((plain(one.value), unit), " "),
            COMMON,
            one.note,
            (marked("the day, what is due"),),
        )
        for one in knowledge.day_values
        for name, unit in [named(one.id)]
    ]
    for grade in knowledge.fluid_grades:
        source, note = _source("published", grade.source, grade.note, knowledge)
        value = said("{dry} dry, {wet} wet", dry=plain(grade.dry_c, "C"), wet=plain(grade.wet_c, "C"))
        out.append(
            SourcedValue(
                marked("Fluid grades"),
                verbatim(grade.id),
                value,
                source,
                note,
                (marked("fluid verdict, boiling-point"),),
            )
        )
    for name, basis in knowledge.heat.basis.items():
        heat = plain(getattr(knowledge.heat, name))
        out.append(
            SourcedValue(
                marked("Heat"),
                verbatim(name.replace("_", " ")),
                heat,
                basis,
                "",
                (marked("drag-heat, drag-temperature, bedding"),),
            )
        )
    out += [
        SourcedValue(marked("Bedding schools"), s.said, verbatim(s.id), COMMON, "", (marked("bedding planner"),))
        for s in knowledge.bedding_schools
    ]
    for kind, table in knowledge.specification.items():
        if kind != "inertia":
            names = ", ".join(f"{key} {value:g}" for key, value in table.items() if isinstance(value, int | float))
            words = marked("typical middle sizes; the maker's figure wins")
            out.append(
                SourcedValue(
                    marked("Defaults by kind"),
                    kind.replace("_", " "),
                    verbatim(names),
                    COMMON,
                    words,
                    (marked("where not known"),),
                )
            )
    for fault in knowledge.faults:
        words = marked("odds {odds}, likelier with rust") if fault.rusts else marked("odds {odds}")
        out.append(
            SourcedValue(
                marked("How often faults come"),
                fault.words,
                said(words, odds=plain(fault.odds)),
                COMMON,
                "",
                (marked("diagnosis"),),
            )
        )
    for row in knowledge.likelihoods:
        heading = knowledge.headings.get(row.name, row.key)
        part = row.key.partition(".")[2]
        heading = heading.replace("_", " ")
        about: Sayable = said("{finding} ({part})", finding=heading, part=part.replace("_", " ")) if part else heading
        order = verbatim(", ".join(row.order).replace("_", " "))
        rows = said("{count} rows over {order}", count=plain(len(row.rows) + 1), order=order)
        source = COMMON if row.basis == COMMON else row.source
        out.append(SourcedValue(marked("What faults do to findings"), about, rows, source, "", (marked("diagnosis"),)))
    for field in (*knowledge.corner_fields, *knowledge.system_fields):
        minutes = said("{minutes} min", minutes=plain(field.minutes))
        out.append(
            SourcedValue(
                marked("Minutes of the tests"),
                field.label,
                minutes,
                COMMON,
                marked("the workshop can change them"),
                (marked("check next"),),
            )
        )
    out += _prices(knowledge)
    in_data = [(row.id, row.source) for row in (*knowledge.limits, *knowledge.gauges)]
    in_data += [(grade.id, grade.source) for grade in knowledge.fluid_grades]
    in_data += [(f"workings {working.name}", working.source) for working in WORKINGS]
    for cited in knowledge.sources:
        by = [*cited_by().get(cited.key, ()), *(name for name, text in in_data if f"[{cited.key}]" in text)]
        cites = tuple(dict.fromkeys(verbatim(name.replace("_", " ")) for name in by))
        out.append(
            SourcedValue(
                marked("What is cited"), verbatim(cited.words), verbatim(f"[{cited.key}]"), cited.basis, "", cites
            )
        )
    for working in WORKINGS:
        out.append(
            SourcedValue(
                marked("Formulas"),
                working.title,
                verbatim(working.formula),
                knowledge.cite(working.source),
                "",
                (verbatim(f"workings {working.name}"),),
            )
        )
    return out


def _prices(knowledge: Knowledge) -> list[SourcedValue]:
    """What work costs, how surely it cures, and the schools: starting values that a workshop's own rules replace."""
    own, used = marked("the workshop's own wins"), (marked("packages, check next"),)
    out = [
        SourcedValue(
            marked("What work costs"), knowledge.action[cost.id].words,
            said("{minutes} min, parts {price}, comes back {share} %", minutes=plain(cost.minutes),
                 price=plain(cost.parts), share=plain(100 * cost.again)), COMMON, own, used,
        )
        for cost in knowledge.costs
    ]  # fmt: skip
    out += [
        SourcedValue(marked("What work costs"), verbatim(name.replace("_", " ")), verbatim(value), COMMON, own, used)
        for name, value in knowledge.money.model_dump().items()
    ]
    for remedy in knowledge.remedies:
        cures = joined(
            (said("{action} {chance}", action=knowledge.action[action].words, chance=plain(p))
             for action, p in remedy.cures.items()),
            ", ",
        )  # fmt: skip
        used = (marked("packages"),)
        out.append(SourcedValue(marked("How surely work cures"), knowledge.words(remedy.id), cures, COMMON, "", used))
    out += [
        SourcedValue(
            marked("Schools"),
            s.question,
            s.chosen(s.default).said,
            COMMON,
            s.chosen(s.default).reason,
            (marked("work card"),),
        )
        for s in knowledge.schools
    ]
    return out
