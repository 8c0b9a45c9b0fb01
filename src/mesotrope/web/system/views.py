"""How the product does, in words and pictures."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from mesotrope.core.language.saying import Sayable, said, verbatim
from mesotrope.services.system import MinuteOfAll, Process, System
from mesotrope.web.plate.graph import Frame, curve, steps
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.words import Speaker

MB = 1_000_000


@dataclass(frozen=True)
class SystemPage:
    """attention : what somebody should look at. states : what is looked at, and how it is."""

    attention: tuple[str, ...]
    states: tuple[tuple[str, str], ...]
    processes: tuple[tuple[str, str, str, str], ...]
    pictures: tuple[Plate, ...]


def system_page(system: System, say: Speaker) -> SystemPage:
    return SystemPage(
        tuple(say(one) for one in system.attention),
        tuple((say(name), say(state)) for name, state in _states(system, say)),
        tuple(_process(one, say) for one in system.processes),
        (
            _bars(system.minutes, lambda one: one.requests, said("requests answered in a minute"), say),
            _times(system.minutes, say),
            _bars(system.minutes, lambda one: one.waiting, said("most that waited for their turn at once"), say),
        ),
    )


def _states(system: System, say: Speaker) -> list[tuple[Sayable, Sayable]]:
    runs = sum(one.runs for one in system.processes)
    answered = verbatim(f"{system.database_ms:.1f}")
    database: Sayable = said("answers in {ms} ms, {version}", ms=answered, version=verbatim(system.database_version))
    if system.nodes:
        database = said("{state}; {count} nodes are in step", state=database, count=verbatim(system.nodes))
    backup: Sayable = said("none yet")
    if system.backup:
        at, size, rows = system.backup
        moment, counted, mb = (verbatim(one) for one in (say.dates.moment(at), f"{rows:,}", f"{size / MB:.1f}"))
        backup = said("{moment}: {rows} rows, {size} MB", moment=moment, rows=counted, size=mb)
    tables = said("are those of this version") if system.tables_current else said("are of another version")
    return [
        (said("Database"), database),
        (said("Its tables"), tables),
        (said("Processes that serve"), verbatim(runs)),
        (said("Last backup"), backup),
        (said("Workshops that wait to learn"), verbatim(system.learning)),
        (said("Months whose figures are to be counted again, here"), verbatim(system.figures)),
        (said("Vehicles whose dates are to be worked out, here"), verbatim(system.dates)),
        (said("Open jobs that cannot be found by their words yet, here"), verbatim(system.unfound)),
    ]  # fmt: skip


def _process(one: Process, say: Speaker) -> tuple[str, str, str, str]:
    state = say(said("runs")) if one.runs else say(said("gone since {moment}", moment=_moment(one, say)))
    return (
        one.version,
        say.dates.moment(one.started_at),
        say(said("{size} MB", size=verbatim(f"{one.memory_mb:.0f}"))),
        state,
    )


def _moment(one: Process, say: Speaker) -> Sayable:
    return verbatim(say.dates.moment(one.heard_at))


def _frame(pen: Pen, minutes: Sequence[MinuteOfAll], most: float, words: Sayable) -> Frame:
    """Axes over the last hour: how many minutes ago, and from nothing to the most that there was."""
    high = max(most, 1.0)
    frame = Frame(20, 10, 150, 46, -len(minutes), 0, 0, high * 1.1)
    right, bottom = frame.left + frame.width, frame.top + frame.height
    for y in steps(0, frame.y_high, 3):
        _, py = frame.at(0, y)
        pen.line("graph-grid", frame.left, py, right, py)
        pen.text("graph-figure", frame.left - 2, py + 1.5, f"{y:g}", "end")
    for ago in range(-len(minutes), 1, 15):
        px, _ = frame.at(ago, 0)
        pen.text("graph-figure", px, bottom + 6.5, said("{minutes} min", minutes=verbatim(ago)) if ago else said("now"))
    pen.line("graph-axis", frame.left, bottom, right, bottom)
    pen.text("graph-words", frame.left, frame.top - 3, words, "start")
    return frame


def _bars(minutes: Sequence[MinuteOfAll], of: Callable[[MinuteOfAll], int], words: Sayable, say: Speaker) -> Plate:
    pen = Pen(say=say)
    most = max(map(of, minutes), default=0)
    frame = _frame(pen, minutes, most, words)
    for number, minute in enumerate(minutes):
        if count := of(minute):
            x, y = frame.at(number - len(minutes), count)
            over, bottom = frame.at(number - len(minutes) + 0.8, 0)
            pen.box("plate-lining", x, y, over, bottom)
    told = said("{words}: {most} at the most in the last hour", words=words, most=verbatim(most))
    return Plate(180, 70, tuple(pen.shapes), say(told))


def _times(minutes: Sequence[MinuteOfAll], say: Speaker) -> Plate:
    """How long answers took: the middle one, and the one that 95 in 100 did not reach."""
    pen = Pen(say=say)
    most = max((one.most_ms for one in minutes), default=0.0)
    frame = _frame(pen, minutes, most, said("how long they took, ms: the middle one, and 95 in 100"))
    for style, times_ms in (
        ("graph-line", [one.middle_ms for one in minutes]), ("graph-visit", [one.most_ms for one in minutes])
    ):  # fmt: skip
        there = [(n - len(minutes) + 0.4, times_ms[n]) for n, one in enumerate(minutes) if one.requests]
        for points in _unbroken(there):
            curve(pen, frame, style, points)
    told = said("how long answers took in the last hour: 95 in 100 at most {ms} ms", ms=verbatim(math.ceil(most)))
    return Plate(180, 70, tuple(pen.shapes), say(told))


def _unbroken(points: Sequence[tuple[float, float]]) -> list[list[tuple[float, float]]]:
    """Points in runs of following minutes; one alone becomes a short stroke."""
    runs: list[list[tuple[float, float]]] = []
    for point in points:
        if runs and point[0] - runs[-1][-1][0] < 1.5:
            runs[-1].append(point)
        else:
            runs.append([point])
    return [run if len(run) > 1 else [(run[0][0] - 0.3, run[0][1]), (run[0][0] + 0.3, run[0][1])] for run in runs]
