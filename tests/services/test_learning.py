"""Learning from many closed cases: a world that differs is learnt, and what cannot be trusted is not used."""

from __future__ import annotations

import json
import random
from dataclasses import replace
from pathlib import Path

import pytest
from typer.testing import CliRunner

from mesotrope.cli import app
from mesotrope.core.learning.counts import Counts
from mesotrope.demo.closed_year import closed_case
from mesotrope.errors import InvalidInput
from mesotrope.interchange.learnt import CLOSED_SCHEMA_NAME, closed_schema, read_learnt, write_learnt
from mesotrope.knowledge import knowledge
from mesotrope.services.learning import learn_from, versions_at

CASES = 72


@pytest.fixture(scope="session")
def lines():
    return [json.dumps(closed_case(number)) for number in range(CASES)]


@pytest.fixture(scope="session")
def taught(lines):
    """What a few cases taught, said to lead."""
    few = learn_from(lines[:6])
    return replace(few, standing=replace(few.standing, leads=True, because="they lead"))


def test_a_world_that_differs_is_learnt_and_predicted_better(lines):
    taught = learn_from(lines)
    held = taught.standing
    assert taught.counts.cases == CASES
    assert held.learnt_log_score > held.expert_log_score
    assert held.leads, held.because
    here, expert = taught.tables(knowledge()), knowledge()
    assert here.fault["hose_restricted"].odds > 1.5 * expert.fault["hose_restricted"].odds  # five times as often there
    assert here.fault["slide_pins_seized"].odds < expert.fault["slide_pins_seized"].odds
    boot = "piston_boot"  # a torn boot is called sound there
    assert here.likelihood[boot].healthy[1] < expert.likelihood[boot].healthy[1]


def test_with_half_of_the_labels_wrong_the_experts_tables_stay(lines):
    dice = random.Random(5)
    cases = [json.loads(line) for line in lines[:44]]
    others = [case["found"] for case in cases]
    for case in cases:
        if dice.random() < 0.5:
            case["found"] = dice.choice(others)
    mixed = learn_from([json.dumps(case) for case in cases])
    assert not mixed.standing.leads
    assert mixed.tables(knowledge()) is knowledge()


def test_a_person_who_only_guesses_teaches_nothing(lines):
    guessed = learn_from([json.dumps(json.loads(line) | {"certain": "guessed"}) for line in lines[:12]])
    assert guessed.counts == Counts()
    assert guessed.tables(knowledge()) is knowledge()


def test_a_prior_is_added_to(lines):
    first = learn_from(lines[:3])
    both = learn_from(lines[3:6], first.counts)
    whole = learn_from(lines[:6])
    assert both.counts.cases == 6
    for fault, pair in whole.counts.there.items():
        assert both.counts.there[fault] == pytest.approx(pair)


def test_every_case_that_is_judged_was_predicted_before_it_was_learnt_from():
    for cases in (0, 1, 25, 26, 60, 100, 101, 130, 1000):
        for first in {0, max(0, cases - 100)}:
            starts = versions_at(cases, first)
            assert starts == sorted(set(starts))
            assert starts[0] == first
            assert all(start < max(cases, 1) for start in starts)
            assert all(later - start <= 400 for start, later in zip(starts, [*starts[1:], cases], strict=True))


# -- the file and the command ---------------------------------------------------------------------------------------


def test_what_was_learnt_comes_back_from_its_file(taught):
    again = read_learnt(write_learnt(taught), knowledge())
    assert again.counts.document() == taught.counts.document()
    assert again.standing.leads == taught.standing.leads


def _with_row(document, row):
    return document | {"counts": document["counts"] | {"rows": {"pin.upper": row}}}


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (lambda d: d | {"version": 2}, "mesotrope-learnt 1 is needed"),
        (lambda d: d | {"more": 1}, "not permitted"),
        (lambda d: d | {"standing": {}}, "missing"),
        (lambda d: d | {"counts": d["counts"] | {"there": {"gremlins": [1, 1]}}}, "gremlins"),
        (
            lambda d: d | {"counts": d["counts"] | {"rows": {"pin.upper": {"hose_restricted": [1, 1, 1]}}}},
            "a row of the",
        ),
        (lambda d: d | {"counts": d["counts"] | {"rows": {"pin.upper": {"healthy": [1, -1, 1]}}}}, "a row of the"),
    ],
)
def test_a_file_that_does_not_fit_the_tables_is_refused(taught, change, message):
    document = change(json.loads(write_learnt(taught)))
    with pytest.raises(InvalidInput, match=f"(?s){message}"):
        read_learnt(json.dumps(document), knowledge())


def _run(*words, given=None):
    return CliRunner().invoke(app, list(words), input=given)


def test_learning_and_diagnosing_with_what_was_learnt_by_command(lines, taught, tmp_path):
    closed, out = tmp_path / "closed.jsonl", tmp_path / "learnt.json"
    closed.write_text("\n".join(lines[:12]) + "\n")
    assert _run("learn", str(closed), "--out", str(out)).exit_code == 0
    assert read_learnt(out.read_text(), knowledge()).counts.cases == 12
    said = _run("learn", "--prior", str(out), "--report").stdout
    assert "12 closed cases learnt from" in said
    assert "the expert tables are used (too few closed cases: 12 of at least 40)" in said
    inspection = json.dumps(json.loads(lines[0])["inspection"])
    document = tmp_path / "inspection.json"
    document.write_text(inspection)
    expert = json.loads(_run("diagnose", str(document), "--json").stdout)
    unused = json.loads(_run("diagnose", str(document), "--json", "--learnt", str(out)).stdout)
    assert unused.pop("learnt") == {"cases": 12, "used": False, "because": "too few closed cases: 12 of at least 40"}
    assert unused == {name: part for name, part in expert.items() if name != "learnt"}
    out.write_text(write_learnt(taught))
    used = json.loads(_run("diagnose", str(document), "--json", "--learnt", str(out)).stdout)
    assert used["learnt"]["used"]
    assert used["beliefs"] != expert["beliefs"]


def test_a_line_that_is_wrong_leaves_nothing_learnt(lines, tmp_path):
    closed, out = tmp_path / "closed.jsonl", tmp_path / "learnt.json"
    closed.write_text(lines[0] + "\n{}\n")
    done = _run("learn", str(closed), "--out", str(out))
    assert isinstance(done.exception, InvalidInput)
    assert "line 2" in str(done.exception)
    assert not out.exists()


def test_the_schema_of_a_closed_case_takes_what_the_product_takes(lines):
    from jsonschema import Draft202012Validator

    schema = closed_schema()
    docs = Path(__file__).resolve().parents[2] / "docs"
    assert json.loads((docs / CLOSED_SCHEMA_NAME).read_text(encoding="utf-8")) == schema
    Draft202012Validator.check_schema(schema)
    validator = Draft202012Validator(schema)
    assert validator.is_valid(json.loads(lines[0]))
    assert not validator.is_valid({"inspection": {}})
