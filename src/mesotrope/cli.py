"""The command line: ``mesotrope``."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from mesotrope.core.answer import Answer, answer_document, diagnose
from mesotrope.core.evidence import in_words
from mesotrope.core.findings import parse_inspection
from mesotrope.errors import InvalidInput, MesotropeError
from mesotrope.knowledge import knowledge

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
    lines: list[str] = []
    decision = answer.decision
    lines.append(f"Verdict: {decision.verdict or 'none yet, too little was found'}")
    lines += [f"  UNSAFE, not to be driven: {danger}" for danger in decision.unsafe]
    lines += [f"  {action.action}{_at(action.corner)}: {action.because}" for action in decision.actions]
    lines += ["", "Suspects"] if answer.suspects else ["", "No suspects: nothing found speaks for a fault."]
    for suspect in answer.suspects:
        lines.append(f"  {suspect.probability:4.0%}  {in_words(suspect.corner) or 'system'}: {suspect.words}")
        if suspect.mechanism:
            lines.append(f"        fits best: {suspect.mechanism}")
        for reason in (*suspect.reasons_for[:4], *suspect.reasons_against[:2]):
            lines.append(f"        {reason.decibans:+5.1f} dB  {reason.because}")
    for title, items in (
        ("Cleared", [f"{in_words(c.corner) or 'system'}: {c.words} ({c.because})" for c in answer.cleared]),
        (
            "Check next",
            [
                f"{in_words(t.corner)}: {t.finding}, {t.minutes:g} min, {t.bits:.2f} bits; {t.because}"
                for t in answer.next_tests
            ],
        ),
        ("Contradictions", list(answer.contradictions)),
        ("Defaults used", list(answer.defaults_used)),
        ("Notes", list(answer.notes)),
        ("Cautions", list(decision.cautions)),
    ):
        if items:
            lines += ["", title, *(f"  {item}" for item in items)]
    return "\n".join(lines)


def _at(corner: str) -> str:
    return f" ({in_words(corner)})" if corner else ""


def _answer(text: str) -> Answer:
    if len(text.encode()) > LARGEST_DOCUMENT_BYTES:
        raise InvalidInput(
            "document", f"{len(text)} characters", f"at most {LARGEST_DOCUMENT_BYTES} bytes are allowed"
        )
    return diagnose(parse_inspection(text), knowledge())


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
) -> None:
    """Say what is wrong, how sure that is, what to check next and what to do."""
    text = _read(file)
    if as_jsonl:
        numbered = [(n, line) for n, line in enumerate(text.splitlines(), start=1) if line.strip()]
        answers = []
        for number, line in numbered:  # nothing is written until every line has been answered
            try:
                answers.append(_compact(answer_document(_answer(line))))
            except MesotropeError as error:
                raise InvalidInput(f"line {number}", "the document", str(error)) from None
        for answer in answers:
            typer.echo(answer)
    elif as_json:
        typer.echo(json.dumps(answer_document(_answer(text)), ensure_ascii=False, indent=2, allow_nan=False))
    else:
        typer.echo(answer_text(_answer(text)))


@app.callback()
def _options() -> None:
    """Keeps `diagnose` a named command beside those that follow."""


def main() -> None:
    """Run the command line; what is wrong with the input is said on standard error, exit 2."""
    try:
        app(standalone_mode=True)
    except MesotropeError as error:
        typer.echo(str(error), err=True)
        raise SystemExit(2) from None


if __name__ == "__main__":
    main()
