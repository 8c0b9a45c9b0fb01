"""What the panel of figures beside a stage's entries is made of, and from what."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import quote, urlencode

from mesotrope.core.evidence.job_numbers import JobNumbers
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import AxleSpecification
from mesotrope.core.evidence.wear_log import WearLog
from mesotrope.core.language.corner import Axle, Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.saying import Sayable, verbatim
from mesotrope.words import Speaker


@dataclass(frozen=True)
class Row:
    """One quantity, a cell for each corner of the axle."""

    label: Sayable
    cells: tuple[Sayable, ...]


@dataclass(frozen=True)
class Note:
    """One quantity of the axle or the vehicle. `weighty` is beyond what is usual; `href` leads to its working."""

    label: Sayable
    value: Sayable
    note: Sayable
    weighty: bool
    href: str


@dataclass(frozen=True)
class NumbersPanel:
    columns: tuple[str, ...]
    rows: tuple[Row, ...]
    notes: tuple[Note, ...]

    @property
    def anything(self) -> bool:
        return bool(self.rows or self.notes)


@dataclass(frozen=True)
class Scene:
    """What a panel is made from."""

    stage: str
    axle_name: Axle
    axle: AxleSpecification
    corners: tuple[Corner, ...]
    measures: dict[Corner, CornerMeasures]
    inspection: Inspection
    numbers: JobNumbers
    log: WearLog | None
    say: Speaker
    knowledge: Knowledge


def working(name: str, **given: object) -> str:
    """The address of a working that carries these figures."""
    carried = {key: f"{value:.6g}" if isinstance(value, float) else str(value) for key, value in given.items()}
    return f"/workings/{name}?{urlencode(carried, quote_via=quote)}"


def spread(measure: Measure | None, unit: str, say: Speaker, digits: int) -> Sayable:
    """A measure with its uncertainty, in one person's unit; nothing where there is none."""
    if measure is None:
        return ""

    def shown(figure: float, to: int) -> str:
        return say.units.shown(figure, unit, to) if unit else f"{figure:.{to}f}"

    digits += not any(digit in shown(measure.sd, digits) for digit in "123456789")  # never "± 0"
    low, value = shown(measure.sd, digits), shown(measure.value, digits)
    return verbatim(f"{value} ± {low} {say.unit(unit) if unit else ''}".rstrip())
