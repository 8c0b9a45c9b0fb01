"""The entries of a stage: which fields stand at a corner or at the whole vehicle, in the order a hand goes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.level import level_written
from mesotrope.core.language.saying import Sayable, joined, marked, said, verbatim
from mesotrope.core.language.units import KEPT_AS
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.services.job_rows import StandingFindings
from mesotrope.web.places import entry_id
from mesotrope.words import Speaker

#: How many places round a rotor have a field; more can be imported.
ROTOR_PLACES = 4

#: Findings entered in one row with another, and what stands between their fields.
WITH = {"pull_radius_mm": "pull_n"}

#: What is written beside the fields of a finding with several.
BESIDE = {
    "spin.turns": marked("turns in"), "spin.seconds": "s", "pull_n": marked("{unit} at a radius of"),
    "pull_radius_mm": "",
}  # fmt: skip


@dataclass(frozen=True)
class EntryField:
    """One field: where its finding belongs, how it is entered, and what stands in it.

    `name` says it whole, for those who hear it; `label` is what is written beside it. `seen_entry` numbers the entry
    that it shows.
    """

    id: str
    corner: str
    path: str
    name: str
    label: str
    unit: str
    value: str
    seen_entry: int
    options: tuple[tuple[str, str], ...] = ()
    simulated: bool = False


@dataclass(frozen=True)
class Block:
    """What is entered together: `kind` is figures, pad, choice or text; `rows` are the fields as they lie."""

    kind: str
    finding: str
    heading: str
    hint: str
    rows: tuple[tuple[EntryField, ...], ...]
    cautions: tuple[str, ...]
    later: bool = False

    @property
    def folded(self) -> bool:
        """Whether it waits folded: asked for after the others, and nothing entered yet."""
        return self.later and not any(field.value for field in self.fields)

    @property
    def simulated(self) -> bool:
        """Whether any of its figures is a reading of a simulated instrument."""
        return any(field.simulated for field in self.fields)

    @property
    def stacked(self) -> bool:
        """Whether every field has a row of its own, with its label before it."""
        return len(self.rows) > 1

    @property
    def joined(self) -> bool:
        """Whether the words between the fields make one sentence of them."""
        return self.finding in ("spin", "pull_n")

    @property
    def fields(self) -> tuple[EntryField, ...]:
        return tuple(field for row in self.rows for field in row)


@dataclass(frozen=True)
class _Maker:
    """Makes the fields of one corner (or of the whole vehicle) from what stands."""

    corner: str
    place: Sayable
    standing: StandingFindings
    say: Speaker

    def field(self, path: str, label: Sayable, known: VocabularyField, name: Sayable = "") -> EntryField:
        value = self.standing.findings.get((self.corner, path), "")
        return EntryField(
            id=entry_id(self.corner, path),
            corner=self.corner,
            path=path,
            name=self.say(joined((self.place, name or known.label), ", ")),
            label=self.say(label).format(unit=self.say.unit(known.unit)),
            unit=self.say.unit(known.unit),
            value=shown(value, known, self.say),
            seen_entry=self.standing.entry_ids.get((self.corner, path), 0),
            simulated=(self.corner, path) in self.standing.simulated,
            options=tuple((value, self.say(words)) for value, words in known.values.items()),
        )


def figure_in_words(value: Any, known: VocabularyField, say: Speaker) -> str:
    """A finding with its unit, or in the words of its choices."""
    if known.values:
        return say(str(known.values.get(value, value)))
    return f"{shown(value, known, say)} {say.unit(known.unit)}".strip()


def shown(value: Any, known: VocabularyField, say: Speaker) -> str:
    """A finding as it stands in its field: thicknesses with at least one decimal.

    >>> from mesotrope.core.language.units import Units
    >>> from mesotrope.knowledge import knowledge
    >>> from mesotrope.words import PLAINLY
    >>> field = knowledge().corner_field["rotor_mm"]
    >>> inches = Speaker(Units(length="in"))
    >>> shown(3.0, field, PLAINLY), shown(23.895, field, PLAINLY), shown(3.0, field, inches)
    ('3.0', '23.895', '0.118')
    """
    if isinstance(value, str) or value is None:
        return value or ""
    if known.said:
        return level_written(value)
    kept = KEPT_AS.get(known.unit)
    if kept and say.units.unit_for(kept, not known.lining) != kept:
        return say.units.shown(value, kept, fine=not known.lining)
    return f"{value:.1f}" if known.unit == "mm" and round(value, 1) == value else f"{value:g}"


def corner_blocks(
    corner: Corner, stages: Iterable[str], specification: Specification, standing: StandingFindings,
    knowledge: Knowledge, say: Speaker,
) -> tuple[Block, ...]:  # fmt: skip
    """Every block of a corner for some stages of the work."""
    axle = specification.axle_of(corner)
    maker = _Maker(corner, corner, standing, say)
    fields = [f for f in knowledge.corner_fields if f.stage in tuple(stages) and specification.asks(f, corner)]
    per_side = axle.pistons if axle.caliper == "floating" else max(1, axle.pistons // 2)
    lists = {"piston_pushback": per_side, "rotor_mm": _rotor_places(corner, standing)}

    def can_be(caution_needs: tuple[str, ...]) -> bool:
        return all(map(axle.has, caution_needs))

    return _blocks(fields, maker, knowledge, lists, can_be)


def system_blocks(
    stages: Iterable[str], specification: Specification, standing: StandingFindings, knowledge: Knowledge, say: Speaker
) -> tuple[Block, ...]:
    """Every block of the whole vehicle for some stages of the work."""
    maker = _Maker(VEHICLE, "", standing, say)
    fields = [f for f in knowledge.system_fields if f.stage in tuple(stages) and specification.asks(f)]
    blocks = _blocks(fields, maker, knowledge, {}, lambda needs: not needs)
    corners = specification.corners
    return tuple(_by_corner(block, maker, knowledge, corners) if block.finding == "brake_force_n" else block
                 for block in blocks)  # fmt: skip


def _by_corner(block: Block, maker: _Maker, knowledge: Knowledge, corners: Iterable[Corner]) -> Block:
    known = knowledge.system_field[block.finding]
    row = tuple(
        maker.field(f"{block.finding}.{corner}", corner, known, joined((known.label, corner), ", "))
        for corner in corners
    )  # fmt: skip
    return Block("figures", block.finding, block.heading, block.hint, tuple((field,) for field in row), block.cautions)


def _rotor_places(corner: str, standing: StandingFindings) -> int:
    given = [int(path.split(".")[1]) for at, path in standing.findings if at == corner and path.startswith("rotor_mm.")]
    return max(ROTOR_PLACES, *given) if given else ROTOR_PLACES


def _blocks(
    fields: list[VocabularyField], maker: _Maker, knowledge: Knowledge, lists: Mapping[str, int], can_be: Any
) -> tuple[Block, ...]:
    grouped: dict[str, list[VocabularyField]] = {}
    for field in fields:
        grouped.setdefault(WITH.get(field.finding, field.finding), []).append(field)
    return tuple(_block(name, together, maker, knowledge, lists, can_be) for name, together in grouped.items())


def _block(
    name: str, together: list[VocabularyField], maker: _Maker, knowledge: Knowledge, lists: Mapping[str, int],
    can_be: Any,
) -> Block:  # fmt: skip
    first = together[0]
    if name == "pad_mm":
        kind, rows = "pad", tuple(row for side in ("inner", "outer") for row in _pad_rows(side, maker, first))
    elif name == "window_pad_mm":
        kind, rows = "figures", (tuple(maker.field(f"{name}.{s}", s, first, words) for s, words in PAD_SIDES.items()),)
    elif name in lists:
        count = lists[name]
        made = tuple(
            maker.field(f"{name}.{n}", said("piston {n}", n=verbatim(n)) if first.values and count > 1 else "", first,
                        joined((first.label, verbatim(n)), ", ") if count > 1 else "")
            for n in range(1, count + 1)
        )  # fmt: skip
        kind, rows = ("choice", tuple((f,) for f in made)) if first.values else ("figures", (made,))
    elif first.values:
        kind = "choice"
        rows = tuple((maker.field(f.key, f.key.partition(".")[2], f),) for f in together)
    elif first.possible:
        kind = "figures"
        rows = (tuple(maker.field(f.key, BESIDE.get(f.key, f.key.partition(".")[2]), f) for f in together),)
    else:
        kind, rows = "text", ((maker.field(first.key, "", first),),)
    cautions = tuple(maker.say(c.words) for c in knowledge.cautions if name in c.when and can_be(c.needs))
    heading = maker.say(knowledge.headings.get(name, first.label))
    return Block(kind, name, heading, maker.say(knowledge.hints.get(name, "")), rows, cautions, first.folded)


PAD_SIDES = {"inner": marked("inner lining seen"), "outer": marked("outer lining seen")}


def _pad_rows(side: str, maker: _Maker, known: VocabularyField) -> tuple[tuple[EntryField, ...], ...]:
    """The four places of a lining as they lie on the pad: rim above hub, leading end before trailing end."""
    return tuple(
        tuple(
            maker.field(f"pad_mm.{side}.{end}_{edge}", "", known, joined((LININGS[side], PLACE_WORDS[end, edge]), ", "))
            for end in ("lead", "trail")
        )
        for edge in ("rim", "hub")
    )


LININGS = {"inner": marked("inner lining"), "outer": marked("outer lining")}
PLACE_WORDS = {
    ("lead", "rim"): marked("leading end, rim edge"), ("trail", "rim"): marked("trailing end, rim edge"),
    ("lead", "hub"): marked("leading end, hub edge"), ("trail", "hub"): marked("trailing end, hub edge"),
}  # fmt: skip
