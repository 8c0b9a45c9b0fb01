"""The command line: ``mesotrope``."""

from __future__ import annotations

import json
import os
import signal
import sys
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from mesotrope.core.answer.answer import Answer, diagnose
from mesotrope.core.decision.open_words import open_in_words
from mesotrope.core.decision.watched import watched_in_words
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.units import WRITTEN
from mesotrope.core.plan.whole_document import whole_document
from mesotrope.core.workings import Result
from mesotrope.errors import InvalidInput, MesotropeError
from mesotrope.frugal import be_frugal
from mesotrope.knowledge import knowledge
from mesotrope.settings import settings
from mesotrope.words import PLAINLY, plainly_of

if TYPE_CHECKING:
    from mesotrope.services.learning import Learnt

#: A document larger than this is refused unread.
LARGEST_DOCUMENT_BYTES = 1_000_000

app = typer.Typer(
    help="Why a wheel drags or a pedal is low, and what to do about it.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)


def answer_text(answer: Answer) -> str:
    """The answer as a person reads it."""
    say, decision = plainly_of(answer.specification.kind, answer.knowledge), answer.decision
    none = "none: something is open" if decision.open else "none yet, too little was found"
    lines = [f"Verdict: {decision.verdict or none}"]
    lines += [f"  UNSAFE, not to be driven: {say(danger)}" for danger in decision.unsafe]
    lines += [f"  {action.action}{_at(action.corner)}: {say(action.because)}" for action in decision.actions]
    lines += [f"  OPEN: {say(open_in_words(one, answer.knowledge))}" for one in decision.open]
    lines += [f"  not judged here: {say(one.because)}" for one in decision.answered if one.how == "outside"]
    lines += [f"  watch: {say(watched_in_words(one))}" for one in decision.watched]
    lines += ["", "Suspects"] if answer.suspects else ["", "No suspects: nothing found speaks for a fault."]
    for suspect in answer.suspects:
        lines.append(f"  {suspect.probability:4.0%}  {say(suspect.corner)}: {say(suspect.words)}")
        if suspect.mechanism:
            lines.append(f"        fits best: {say(suspect.mechanism)}")
        for reason in (*suspect.reasons_for[:4], *suspect.reasons_against[:2]):
            lines.append(f"        {reason.decibans:+5.1f} dB  {say(reason.because)}")
    for title, items in (
        ("Cleared", [f"{say(c.corner)}: {say(c.words)} ({say(c.because)})" for c in answer.cleared]),
        (
            "Check next",
            [
                f"{say(t.corner)}: {t.finding}, {t.minutes:g} min, {t.bits:.2f} bits; {say(t.because)}"
                for t in answer.next_tests
            ],
        ),
        ("Fits nothing well", list(map(say, answer.fits_nothing))),
        ("Contradictions", list(map(say, answer.contradictions))),
        ("Defaults used", list(answer.defaults_used)),
        ("Notes", list(map(say, answer.notes))),
        ("Cautions", list(map(say, decision.cautions))),
    ):
        if items:
            lines += ["", title, *(f"  {item}" for item in items)]
    return "\n".join(lines)


def _at(place: Place) -> str:
    return f" ({place.words})" if isinstance(place, Corner) else ""


@dataclass(frozen=True)
class _Tables:
    """The tables to diagnose with, and what is said of them where they are not the product's own."""

    known: Knowledge
    said: dict[str, Any] | None = None

    @classmethod
    def of(cls, file: str) -> _Tables:
        """The product's own; with a file of what was learnt, the learnt ones while they lead."""
        if not file:
            return cls(knowledge())
        from mesotrope.interchange.learnt import read_learnt

        learnt = read_learnt(_read(file), knowledge())
        held = learnt.standing
        return cls(
            learnt.tables(knowledge()),
            {"cases": learnt.counts.cases, "used": held.leads, "because": held.because},
        )

    def document(self, text: str) -> dict[str, Any]:
        """The answer document to an inspection document, with the product's own prices and schools."""
        answer = self.answer(text)
        say = plainly_of(answer.specification.kind, answer.knowledge)
        document = whole_document(answer, parse_inspection(text), say, self.known)
        return document if self.said is None else document | {"learnt": (document["learnt"] or {}) | self.said}

    def answer(self, text: str) -> Answer:
        if len(text.encode()) > LARGEST_DOCUMENT_BYTES:
            words = f"at most {LARGEST_DOCUMENT_BYTES} bytes are allowed"
            raise InvalidInput("document", f"{len(text)} characters", words)
        return diagnose(parse_inspection(text), self.known)


def _read(file: str) -> str:
    try:
        data = sys.stdin.buffer.read() if file == "-" else Path(file).read_bytes()
        return data.decode("utf-8")
    except OSError as error:
        raise InvalidInput("file", file, f"it cannot be read: {error.strerror}") from None
    except UnicodeDecodeError:
        raise InvalidInput("file", file, "it must be text in UTF-8") from None


def _compact(document: dict[str, Any]) -> str:
    return json.dumps(document, ensure_ascii=False, separators=(",", ":"), allow_nan=False)


@app.command("diagnose")
def diagnose_command(
    file: Annotated[str, typer.Argument(help="An inspection document; - reads standard input.")],
    as_json: Annotated[bool, typer.Option("--json", help="Answer with the answer document.")] = False,
    as_jsonl: Annotated[
        bool, typer.Option("--jsonl", help="One document a line in, one answer document a line out.")
    ] = False,
    learnt: Annotated[str, typer.Option(help="A file that `learn` wrote: its tables are used while they lead.")] = "",
) -> None:
    """Say what is wrong, how sure that is, what to check next and what to do."""
    text, tables = _read(file), _Tables.of(learnt)
    if as_jsonl:
        numbered = [(n, line) for n, line in enumerate(text.splitlines(), start=1) if line.strip()]
        answers = []
        for number, line in numbered:  # nothing is written until every line has been answered
            try:
                answers.append(_compact(tables.document(line)))
            except MesotropeError as error:
                raise InvalidInput(f"line {number}", "the document", str(error)) from None
        for answer in answers:
            typer.echo(answer)
    elif as_json:
        typer.echo(json.dumps(tables.document(text), ensure_ascii=False, indent=2, allow_nan=False))
    else:
        typer.echo(answer_text(tables.answer(text)))


@app.command("learn")
def learn_command(
    file: Annotated[str, typer.Argument(help="Closed cases, one a line; - reads standard input.")] = "",
    out: Annotated[str, typer.Option(help="Where what was learnt is written.")] = "",
    prior: Annotated[str, typer.Option(help="What was learnt before, here or by a chain; it is added to.")] = "",
    report: Annotated[
        bool, typer.Option("--report", help="Print how the learnt tables stand beside the expert's.")
    ] = False,
) -> None:
    """Learn from closed cases: counts beside the expert's tables, used only while they lead."""
    from mesotrope.core.learning.closed import read_all_closed
    from mesotrope.interchange.learnt import read_learnt, write_learnt
    from mesotrope.services.learning import learn_from

    before = read_learnt(_read(prior), knowledge()) if prior else None
    if file:
        lines = [line for line in _read(file).splitlines() if line.strip()]
        read_all_closed(lines, knowledge())  # nothing is learnt before every line has been checked
        learnt = learn_from(lines, before.counts if before else None)
    elif before is not None:
        learnt = before
    else:
        raise InvalidInput("learn", "nothing", "closed cases, or --prior with --report, are needed")
    if out:
        try:
            Path(out).write_text(write_learnt(learnt), encoding="utf-8")
        except OSError as error:
            raise InvalidInput("--out", out, f"it cannot be written: {error.strerror}") from None
    if report or not out:
        typer.echo(standing_text(learnt))


def standing_text(learnt: Learnt) -> str:
    """How learnt tables stand, as a person reads it."""
    held = learnt.standing

    def share(value: float | None) -> str:
        return "nothing was found" if value is None else f"{value:.1%}"

    used = "learnt" if held.leads else "expert"
    judged = f"judged over the last {held.cases}, each predicted before it was learnt from"
    lines = [
        f"{learnt.counts.cases:g} closed cases learnt from; {judged}.",
        f"{'':24}{'expert':>10}{'learnt':>10}",
        f"{'log score, a case':24}{held.expert_log_score:>10.3f}{held.learnt_log_score:>10.3f}",
        f"{'first suspect right':24}{share(held.expert_hits):>10}{share(held.learnt_hits):>10}",
        f"{'calibration error':24}{held.expert_calibration_error:>10.3f}{held.learnt_calibration_error:>10.3f}",
        f"Lead {held.lead:+.3f} ± {held.lead_standard_error:.3f}: the {used} tables are used ({held.because}).",
    ]
    return "\n".join(lines)


@app.command("learn-here")
def learn_here_command(
    asked: Annotated[bool, typer.Option("--asked", help="Only for the workshops that asked for it.")] = False,
) -> None:
    """Learn from the closed jobs of every workshop, and put old ones into files: for a timer, at night."""
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))  # so that what it started ends with it
    os.nice(10)  # pages that people wait for come first
    from mesotrope.clock import utc_now
    from mesotrope.operate import archive_by_the_clock, database_of
    from mesotrope.services.learner import learn_all

    with database_of(settings()) as database:
        for workshop_id, version in learn_all(database, now=utc_now(), only_asked=asked).items():
            if version is None:
                typer.echo(f"workshop {workshop_id}: nothing new")
            else:
                used = "used" if version.standing.leads else f"not used: {version.standing.because}"
                typer.echo(
                    f"workshop {workshop_id}: version {version.number} of {version.own_cases} closed jobs, {used}"
                )
        archive_by_the_clock(database, settings())


@app.command("workings")
def workings_command(
    name: Annotated[str, typer.Argument(help="Which working; leave it out for the list.")] = "",
    figures: Annotated[list[str] | None, typer.Argument(help="What is given, as key=value.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Answer as JSON.")] = False,
) -> None:
    """Compute one of the trade's formulas, or list them."""
    from mesotrope.core.workings import WORKINGS, compute, working_named

    if not name:
        for working in WORKINGS:
            typer.echo(f"{working.name:18} {working.title}: {' '.join(given.name for given in working.given)}")
        return
    working = working_named(name)
    typed: dict[str, str] = {}
    for figure in figures or []:
        key, equals, value = figure.partition("=")
        if not equals:
            raise InvalidInput(name, figure, "figures are written key=value, for example turns=3")
        if key in typed:
            raise InvalidInput(key, value, "it is given twice")
        typed[key] = value
    result = compute(working, typed, knowledge())
    if as_json:
        typer.echo(json.dumps(result.document(PLAINLY), ensure_ascii=False, allow_nan=False))
    else:
        typer.echo(working_text(result))


def working_text(result: Result) -> str:
    """A working's answer as a person reads it."""
    working = result.working
    lines = [f"{working.title}{' (an estimate)' if working.estimate else ''}"]
    for found in working.found:
        value = result.values.get(found.name)
        if value is not None:
            said = f"{value:.{found.digits}f}" if isinstance(value, float) else str(value)
            spread = result.uncertainty.get(found.name)
            said += f" ± {spread:.{found.digits}f}" if spread else ""
            lines.append(f"  {found.label}: {said} {WRITTEN.get(found.unit, found.unit)}".rstrip())
    lines += [f"  {PLAINLY(words)}" for words in result.warnings if words]
    lines += [f"  default used: {words}" for words in result.defaults]
    return "\n".join([*lines, f"  {working.formula}", f"  Source: {result.knowledge.cite(working.source)}"])


@app.command("serve")
def serve_command(
    demo: Annotated[bool, typer.Option("--demo", help="With the made-up workshop and one-click sign-in.")] = False,
    processes: Annotated[int | None, typer.Option(min=1, max=64, help="Application processes on the one port.")] = None,
) -> None:
    """Run the application, with its private database unless MESOTROPE_DATABASE_URL names another."""
    from mesotrope.operate import serve  # the web and the database: only where they are needed

    chosen = settings()
    many = chosen.processes if processes is None else processes
    serve(chosen.model_copy(update={"demo": demo or chosen.demo, "processes": many}))


@app.command("serve-on", hidden=True)
def serve_on_command(descriptor: Annotated[int, typer.Argument()]) -> None:
    """One of several processes: run the application on a socket that was inherited, with a database that is ready."""
    from mesotrope.operate import serve_on

    serve_on(settings(), descriptor)


@app.command("stop")
def stop_command() -> None:
    """Stop what this checkout has running."""
    from mesotrope.operate import stop

    stop(settings())


@app.command("reset")
def reset_command(
    delete_real_people: Annotated[
        bool, typer.Option("--delete-real-people", help="Also where the database holds more than the demo's people.")
    ] = False,
) -> None:
    """Stop, and throw the private database away, if it holds nothing but the demo."""
    from mesotrope.operate import reset

    reset(settings(), even_real_people=delete_real_people)


@app.command("add-person")
def add_person_command(
    workshop: Annotated[str, typer.Option(help="The workshop's name; made if it is new.")],
    town: Annotated[str, typer.Option()],
    sign_in_name: Annotated[str, typer.Option()],
    name: Annotated[str, typer.Option()],
    role: Annotated[str, typer.Option(help="apprentice, technician or lead")],
    password: Annotated[str, typer.Option(prompt=True, hide_input=True, confirmation_prompt=True)],
) -> None:
    """Add a person (and their workshop) to the database."""
    from mesotrope.operate import database_of
    from mesotrope.services.passwords import Passwords, require_password
    from mesotrope.services.people import add_person, add_workshop

    chosen = settings()
    hashed = Passwords.with_cost(chosen.password_memory_kib, chosen.password_rounds).hash(require_password(password))
    with database_of(chosen) as database:
        add_person(database, add_workshop(database, workshop, town), sign_in_name, name, role, hashed)
    typer.echo(f"{name} can sign in as {sign_in_name.strip().lower()}.")


@app.command("set-password")
def set_password_command(
    sign_in_name: Annotated[str, typer.Option()],
    password: Annotated[str, typer.Option(prompt=True, hide_input=True, confirmation_prompt=True)],
) -> None:
    """Set a person's password where it was lost; every session of theirs ends."""
    from mesotrope.clock import utc_now
    from mesotrope.operate import database_of
    from mesotrope.services.passwords import Passwords, set_password_by_command

    chosen = settings()
    passwords = Passwords.with_cost(chosen.password_memory_kib, chosen.password_rounds)
    with database_of(chosen) as database:
        set_password_by_command(database, passwords, sign_in_name, password, now=utc_now())
    typer.echo(f"{sign_in_name.strip().lower()} signs in with the new password from now on.")


@app.command("backup")
def backup_command(
    folder: Annotated[Path, typer.Argument(help="A new folder for the backup.")],
) -> None:
    """Copy the whole database, photographs too, into a folder, while the application runs."""
    from mesotrope.clock import utc_now
    from mesotrope.operate import database_url
    from mesotrope.services.system import back_up_and_note

    with database_url(settings()) as url:
        manifest = back_up_and_note(url, folder, now=utc_now())
    typer.echo(f"{folder} holds {manifest.rows} rows of {len(manifest.tables)} tables, {manifest.bytes:,} bytes.")


@app.command("restore")
def restore_command(
    folder: Annotated[Path, typer.Argument(help="The folder of a backup.")],
) -> None:
    """Read a backup into an empty database, and bring it to this version."""
    from mesotrope.operate import database_url
    from mesotrope.store.backup import restore
    from mesotrope.store.migrate import migrate

    with database_url(settings()) as url:
        manifest = restore(url, folder)
        migrate(url)
    typer.echo(f"Restored {manifest.rows} rows of {len(manifest.tables)} tables, as they were on {manifest.made_at}.")


def main() -> None:
    """Run the command line; what is wrong with the input is said on standard error, exit 2."""
    be_frugal()
    try:
        app(standalone_mode=True)
    except MesotropeError as error:
        typer.echo(str(error), err=True)
        raise SystemExit(2) from None


if __name__ == "__main__":
    main()
