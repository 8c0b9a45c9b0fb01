"""Every vehicle in its own words: a motorcycle's pages know no bonnet, no parking brake, no pedal without its lever."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

import mesotrope
from mesotrope.cli import answer_text
from mesotrope.core.answer.answer import diagnose
from mesotrope.core.plan.whole_document import whole_document
from mesotrope.knowledge import knowledge
from mesotrope.words import plainly_of
from tests.documents import inspect
from tests.web.test_units import AFTER, STAGES, readers, text_of  # noqa: F401

#: The demo's two motorcycles.
MOTORCYCLES = (4, 5)

#: What a motorcycle does not have; a pedal or lever stands together with the other.
FOREIGN = re.compile(
    r"bonnet|hood|parking brake|in the steering|wheel nuts|driveline|hub temperature|floor\b|splash shield"
    r"|engine starts|(?<!or )(?<!and )(?<!lever, )\bpedal\b(?! or lever)(?! and fluid)",
    re.IGNORECASE,
)


@pytest.mark.parametrize("job", MOTORCYCLES)
@pytest.mark.parametrize("page", [*STAGES, *(name for name in AFTER if name not in ("vehicle", "board"))])
def test_a_motorcycles_pages_speak_of_what_it_has(readers, job, page):  # noqa: F811
    metric, _ = readers
    answer = metric.get(f"/jobs/{job}/{page}")
    assert answer.status_code == 200
    assert FOREIGN.findall(text_of(answer.text)) == []


@pytest.mark.parametrize(
    ("corners", "system"),
    [
        ({}, {"pedal_hold": "sinks", "pedal_travel": 0.95, "pedal_pump": "rises"}),
        ({}, {"pedal_feel": "hard", "pedal_release": "no_free_play"}),
        ({"rear": {"hub_temperature_c": 210, "bearing": "rough", "shield": "touching", "rotor_runout_mm": 0.09}}, {}),
    ],
)
def test_the_command_line_and_the_answer_document_speak_of_it_too(corners, system):
    inspection = inspect(corners, system, kind="motorcycle", front_discs=1)
    told = diagnose(inspection, knowledge())
    document = whole_document(told, inspection, plainly_of("motorcycle", knowledge()), knowledge())
    for text in (answer_text(told), json.dumps(document)):
        assert FOREIGN.findall(re.sub(r"\w+_\w+", "", text)) == []  # but for the names of the open format


def test_a_car_keeps_its_pedal_and_its_parking_brake(readers):  # noqa: F811
    metric, _ = readers
    page = text_of(metric.get("/jobs/1/pedal").text)
    assert "Pedal feel" in page
    assert "lever or pedal" not in page.lower()
    assert "parking brake" in text_of(metric.get("/jobs/1/take-in").text).lower()


def test_one_front_wheel_is_spun_once_for_both_its_discs(readers):  # noqa: F811
    metric, _ = readers
    lift = metric.get("/jobs/4/lift?axle=front").text
    assert 'id="front-left-spin-turns"' in lift
    assert 'id="front-right-spin-turns"' not in lift
    prove = metric.get("/jobs/4/prove").text
    assert 'id="after-front_left-spin-turns"' in prove
    assert 'id="after-front_right-spin-turns"' not in prove


def test_every_own_sentence_is_one_that_the_product_says():
    """A sentence that was changed and is not said any more would leave the motorcycle with the car's."""
    said = "\n".join(path.read_text(encoding="utf-8") for path in _sources())
    for kind, words in knowledge().own_words.items():
        missing = [sentence for sentence in words if sentence not in said]
        assert missing == [], kind


def _sources():
    root = Path(mesotrope.__file__).parent
    for path in sorted(root.rglob("*")):
        if path.suffix in (".py", ".toml", ".html") and path.name != "own_words.toml":
            yield path
