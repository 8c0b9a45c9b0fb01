"""The command line, as a person or a script meets it."""

from __future__ import annotations

import json
import subprocess
import sys

import pytest

from tests.by_command import by_command
from tests.documents import DRAGS, document, pads

GOOD = document({"rear_left": {"spin": DRAGS, "pad_mm": pads(3.5, 4.1)}, "rear_right": {"pad_mm": pads(7, 7.1)}})


def test_it_is_a_command_of_its_own():
    done = subprocess.run(
        [sys.executable, "-m", "mesotrope.cli", "diagnose", "-"], input=json.dumps(GOOD), capture_output=True,
        text=True, check=True,
    )  # fmt: skip
    assert "Suspects" in done.stdout


def test_a_readable_answer_names_suspect_reasons_and_what_to_check():
    done = by_command("diagnose", "-", text=json.dumps(GOOD))
    assert done.returncode == 0
    assert "Suspects" in done.stdout
    assert "rear left" in done.stdout
    assert " dB " in done.stdout
    assert "Check next" in done.stdout


def test_the_answer_document_has_the_fields_of_the_format(tmp_path):
    file = tmp_path / "inspection.json"
    file.write_text(json.dumps(GOOD), encoding="utf-8")
    done = by_command("diagnose", str(file), "--json")
    answer = json.loads(done.stdout)
    assert set(answer) >= {
        "suspects", "cleared", "measures", "next_tests", "decision", "defaults_used", "contradictions",
    }  # fmt: skip
    assert set(answer["suspects"][0]) >= {"corner", "fault", "probability", "for", "against"}
    assert set(answer["decision"]) >= {"verdict", "actions", "unsafe", "cautions"}
    assert answer["measures"]["rear_left"]["inner_mean_mm"] == pytest.approx(3.5)
    assert any(s["corner"] == "rear_right" and s["fault"] == "no_fault" for s in answer["suspects"])


def test_one_document_a_line_gives_one_answer_a_line():
    done = by_command("diagnose", "-", "--jsonl", text=json.dumps(GOOD) + "\n\n" + json.dumps(document({})) + "\n")
    first, second = map(json.loads, done.stdout.splitlines())
    assert first["suspects"]
    assert second["suspects"] == []


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (
            '{"findings": {"corners": {"rear_left": {"pin": {"upper": "loose"}}}}}',
            "allowed: 'free', 'stiff' or 'seized'",
        ),
        ('{"findings": {"corners": {"rear_left": {"spin": {"turns": -2}}}}}', "spin.turns: -2.0 cannot be used"),
        ("not json", "it must be JSON in UTF-8"),
        ('{"visit": {"complaint": "' + "x" * 1_100_000 + '"}}', "at most 1000000 bytes are allowed"),
    ],
)
def test_an_invalid_document_says_why_and_ends_with_2(text, said):
    done = by_command("diagnose", "-", text=text)
    assert done.returncode == 2
    assert said in done.stderr
    assert done.stdout == ""


def test_one_bad_line_stops_all_and_writes_nothing():
    done = by_command("diagnose", "-", "--jsonl", text=json.dumps(GOOD) + '\n{"frobs": 1}\n')
    assert done.returncode == 2
    assert "line 2" in done.stderr
    assert done.stdout == ""


def test_a_file_that_is_not_there_is_named():
    done = by_command("diagnose", "nowhere.json")
    assert done.returncode == 2
    assert "nowhere.json" in done.stderr
    assert "it cannot be read" in done.stderr


def test_bytes_that_are_no_text_are_refused(tmp_path):
    file = tmp_path / "bad.json"
    file.write_bytes(b"\xff\xfe\x00")
    assert "it must be text in UTF-8" in by_command("diagnose", str(file)).stderr


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        ([], "drag-from-spin     Drag from a spin: turns seconds inertia_kg_m2"),
        (["drag-from-spin", "turns=3", "seconds=4", "inertia_kg_m2=1.1"], "drag torque: 2.59 ± 0.51 N·m"),
        (["vin", "number=1M8GDM9AXKP042788"], "model year 2019 or 1989"),
        (["convert", "value=9/32", "from=in", "to=mm", "--json"], '"value": 7.14375'),
    ],
)
def test_workings_are_listed_and_computed(arguments, said):
    done = by_command("workings", *arguments)
    assert done.returncode == 0
    assert said in done.stdout


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["nothing"], "there are drag-from-spin"),
        (["drag-from-spin", "turns"], "figures are written key=value"),
        (["drag-from-spin", "turns=1", "turns=2"], "it is given twice"),
        (["drag-from-spin", "turns=-1", "seconds=2"], "allowed: 0.05 to 200"),
    ],
)
def test_a_working_that_cannot_be_computed_exits_2_with_the_reason(arguments, message):
    done = by_command("workings", *arguments)
    assert done.returncode == 2
    assert message in done.stderr
    assert done.stdout == ""
