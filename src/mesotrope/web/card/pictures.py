"""Small drawings beside a step, where a drawing says it better than a line."""

from __future__ import annotations

import math
from collections.abc import Callable

from mesotrope.core.language.saying import marked, said
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.words import Speaker

WIDTH, HEIGHT = 120.0, 70.0


def picture_of(name: str, say: Speaker) -> tuple[str, Plate]:
    """A drawing by its name, with what it says. Raises KeyError for one that there is not."""
    sentence, draw = _PICTURES[name]
    pen, words = Pen(say=say), say(sentence)
    draw(pen)
    return words, Plate(WIDTH, HEIGHT, tuple(pen.shapes), words)


def names() -> tuple[str, ...]:
    return tuple(_PICTURES)


def _rotor(pen: Pen, x: float = 58.0) -> None:
    pen.box("plate-rotor", x, 8, x + 6, 62)


def _inner_pad(pen: Pen) -> None:
    """Seen from behind: the piston's side is the inner pad, lining to the rotor on both."""
    _rotor(pen)
    for side, plate, lining in ((-1, 46, 49), (1, 76, 73)):
        pen.box("plate-backing", min(plate, plate + 3 * side), 20, max(plate, plate + 3 * side), 50)
        low, high = sorted((lining, 58 if side < 0 else 64))
        pen.box("plate-lining", low, 20, high, 50)
    pen.box("plate-free", 26, 26, 43, 44)
    pen.text("plate-caption", 34, 38, said("piston"))
    pen.text("plate-caption", 44, 16, said("inner"))
    pen.text("plate-caption", 80, 16, said("outer"))
    pen.line("plate-axis", 12, 8, 12, 62)
    pen.text("plate-note", 12, 68, said("vehicle"))
    pen.text("plate-note", 104, 68, said("wheel"))


def _hung_caliper(pen: Pen) -> None:
    """The caliper hangs from a hook, the hose is slack."""
    pen.curve("graph-axis", [(20, 6), (100, 6)])
    pen.curve("plate-hose", [(60, 6), (60, 20), (63, 24), (60, 28), (57, 24)])
    pen.box("plate-caliper", 44, 28, 76, 50)
    pen.text("plate-caption", 60, 41, said("caliper"))
    pen.curve("plate-hose-unknown", [(76, 40), (92, 50), (100, 34), (106, 14), (106, 6)])
    pen.text("plate-note", 94, 62, said("hose slack"))
    pen.text("plate-note", 34, 22, said("hook"))


def _boot_seat(pen: Pen) -> None:
    """A boot sits in two grooves: that of the pin or piston, and that of the bore."""
    pen.box("plate-rotor", 10, 26, 110, 44)
    pen.box("plate-free", 36, 16, 44, 54)
    pen.box("plate-free", 84, 20, 92, 50)
    pen.curve("plate-hose", [(40, 22), (50, 14), (58, 22), (66, 14), (74, 22), (88, 24)])
    pen.curve("plate-hose", [(40, 48), (50, 56), (58, 48), (66, 56), (74, 48), (88, 46)])
    pen.text("plate-note", 40, 66, said("groove"))
    pen.text("plate-note", 88, 66, said("groove"))
    pen.text("plate-note", 63, 9, said("boot"))


def _clip_direction(pen: Pen) -> None:
    """The clip's hook points away from the rotor."""
    _rotor(pen, 92)
    pen.box("plate-backing", 20, 44, 80, 56)
    pen.text("plate-note", 50, 66, said("bracket"))
    pen.curve("plate-hose", [(74, 44), (74, 36), (30, 36), (30, 44), (20, 44), (20, 26), (12, 26)])
    pen.text("plate-caption", 24, 20, said("hook away"))
    pen.text("plate-note", 95, 68, said("rotor"))


def _hose_without_twist(pen: Pen) -> None:
    """The stripe along the hose stays on one side."""
    pen.curve("plate-hose", [(10, 58), (30, 26), (54, 16)])
    pen.curve("graph-axis", [(13, 58), (33, 28), (56, 18)])
    pen.text("plate-caption", 32, 68, said("right"))
    pen.curve("plate-hose", [(66, 58), (86, 26), (110, 16)])
    pen.curve("graph-axis", [(63, 56), (73, 46), (75, 38), (86, 32), (86, 24), (98, 24), (108, 14)])
    pen.text("plate-caption", 88, 68, said("twisted"))


def _star_order(pen: Pen) -> None:
    """Five nuts, every second one."""
    x, y, radius = 60.0, 36.0, 24.0
    pen.circle("plate-bleeder", x, y, 30)
    angles = [math.radians(-90 + 72 * n) for n in range(5)]
    spots = [(x + radius * math.cos(a), y + radius * math.sin(a)) for a in angles]
    order = [0, 2, 4, 1, 3]
    pen.curve("graph-grid", [spots[n] for n in [*order, 0]])
    for number, n in enumerate(order, start=1):
        pen.circle("plate-free", *spots[n], 5)
        pen.text("plate-caption", spots[n][0], spots[n][1] + 1.8, str(number))


_PICTURES: dict[str, tuple[str, Callable[[Pen], None]]] = {
    "inner_pad": (marked("The inner pad is the one at the piston; lining to the rotor on both"), _inner_pad),
    "hung_caliper": (marked("Hung by a hook, the hose slack"), _hung_caliper),
    "boot_seat": (marked("A boot sits in both grooves, all round"), _boot_seat),
    "clip_direction": (marked("The clip’s hook points away from the rotor"), _clip_direction),
    "hose_without_twist": (marked("The stripe on the hose stays on one side"), _hose_without_twist),
    "star_order": (marked("In a star: every second nut"), _star_order),
}
