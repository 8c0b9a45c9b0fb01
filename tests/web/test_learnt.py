"""What was learnt over HTTP: rows, is it better, versions, a chain; who may; the version in answer and card."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.learning.prequential import LAST, LEAST, Predicted
from mesotrope.demo.closed_year import closed_case
from mesotrope.knowledge import knowledge
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.jobs import add_document
from mesotrope.services.learnt_versions import learn_in
from mesotrope.web.learnt.views import compared
from mesotrope.words import PLAINLY
from tests.services.test_learnt_versions import closed_job, lenient, now_as

__all__ = ["lenient"]

PAGES = ("/learnt", "/learnt/better", "/learnt/versions")


@pytest.fixture
def taught(database, someone, clock, lenient):
    """A lead whose workshop learnt from a few jobs and uses it; with the number of one of them."""
    who = someone("lead")
    job, *_ = (closed_job(database, clock, who, number) for number in range(1, 4))
    learn_in(database, knowledge(), knowledge_key(), who.workshop_id, now=clock())
    return now_as(database, who), job


def test_a_workshop_that_learnt_nothing_is_told_how_to(client_of, someone):
    client = client_of(someone())
    for page in PAGES:
        said = client.get(page).text
        assert "Nothing learnt yet" in said
        assert f"{LEAST} closed jobs are the least" in said
        assert "Learn now" not in said  # a lead's


def test_every_row_stands_beside_the_products_and_is_set_aside_and_used_again(client_of, taught):
    client = client_of(taught[0])
    page = client.get("/learnt").text
    assert "Version 1 answers here" in page
    assert "Learnt from 3 closed jobs" in page
    for heading in ("How often each fault comes", "What each finding shows", "Wear and drag", "not known well enough"):
        assert heading in page
    client.post("/learnt/row", data={"table": "pin.upper", "row": "healthy", "aside": "true"})
    assert client.get("/learnt").text.count(">Use again</button>") == 1
    assert "what was learnt: pin.upper, healthy" in client.get("/rules").text
    client.post("/learnt/row", data={"table": "pin.upper", "row": "healthy", "aside": "false"})
    assert ">Use again</button>" not in client.get("/learnt").text


def test_the_version_is_in_the_answer_and_on_the_card_and_an_old_answer_is_given_again(client_of, taught):
    client, job = client_of(taught[0]), taught[1]
    now = client.get(f"/jobs/{job}/answer.json").json()
    assert now["learnt"] == {"version": 1, "cases": 3.0}
    assert "Judged with version 1 of what was learnt, from 3 closed jobs." in client.get(f"/jobs/{job}/card").text
    client.post("/learnt/switch", data={"to": "off"})
    assert "Switched off: the product" in client.get("/learnt").text
    product = client.get(f"/jobs/{job}/answer.json").json()
    assert product["learnt"] is None
    assert product["beliefs"] != now["beliefs"]
    assert "Judged with the product’s own tables." in client.get(f"/jobs/{job}/card").text
    assert client.get(f"/jobs/{job}/answer.json?learnt=1").json() == now
    client.post("/learnt/switch", data={"to": "on"})
    assert client.get(f"/jobs/{job}/answer.json?learnt=0").json() == product
    assert client.get(f"/jobs/{job}/answer.json?learnt=9").status_code == 404


def test_learning_is_asked_for_and_the_page_waits_for_it(client_of, taught, database, clock):
    client = client_of(taught[0])
    client.post("/learnt/learn")
    assert "Learning goes on" in client.get("/learnt").text
    assert client.get("/learnt/state").status_code == 204
    learn_in(database, knowledge(), knowledge_key(), taught[0].workshop_id, now=clock())
    assert client.get("/learnt/state").headers["HX-Refresh"] == "true"


def test_files_of_versions_counts_and_closed_jobs(client_of, someone, taught):
    client, other = client_of(taught[0]), client_of(someone("lead"))
    version = client.get("/learnt/versions/1.json").json()
    assert (version["format"], version["counts"]["cases"]) == ("mesotrope-learnt", 3)
    assert len(client.get("/learnt/closed.jsonl").text.splitlines()) == 3
    shared = client.get("/learnt/shared.json")
    assert not {"plate", "registration", "label"} & set(json.dumps(shared.json()).replace('"', " ").split())
    own = client.post("/learnt/chain", files={"file": ("shared.json", shared.content)})
    assert (own.status_code, "own, which count already" in own.text) == (422, True)
    assert other.get("/learnt/versions/1.json").status_code == 404
    other.post("/learnt/chain", files={"file": ("shared.json", shared.content)})
    page = other.get("/learnt/versions").text
    assert f"workshop {shared.json()['origin'][:6]}" in page
    other.post(f"/learnt/chain/{shared.json()['origin']}/leave-out")
    assert "workshop " + shared.json()["origin"][:6] not in other.get("/learnt/versions").text


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"{", "counts of a chain|learnt tables"),
        (b"\xff\xfe", "it must be text in UTF-8"),
        (b'{"format": "else", "version": 1}', "learnt tables"),
        (b" " * 1_000_001, "at most 1000000 bytes are allowed"),
    ],
)
def test_a_file_that_is_no_shared_counts_is_refused(client_of, someone, data, message):
    client = client_of(someone("lead"))
    answer = client.post("/learnt/chain", files={"file": ("x.json", data)})
    assert answer.status_code in (413, 422)
    assert any(one in answer.text for one in message.split("|"))
    assert "<td>workshop" not in client.get("/learnt/versions").text


def test_only_a_lead_changes_what_answers(client_of, someone):
    client = client_of(someone())
    for path, data in (
        ("learn", {}), ("switch", {"to": "off"}), ("row", {"table": "pin.upper", "row": "healthy"}),
        ("chain/0123/leave-out", {}),
    ):  # fmt: skip
        assert client.post(f"/learnt/{path}", data=data).status_code == 403, path
    for path in ("shared.json", "closed.jsonl"):
        assert client.get(f"/learnt/{path}").status_code == 403, path


def _told(score, hit, said):
    return Predicted(score, hit, tuple((1.0, said, float(hit)) if at == 7 else (0.0, 0.0, 0.0) for at in range(10)))


def test_the_curves_are_over_the_last_cases_and_say_which_is_better():
    expert = [_told(-3.0, n % 2 == 0, 0.75) for n in range(LAST + 60)]
    learnt = [_told(-2.0 if n >= 60 else -9.0, True, 0.75) for n in range(LAST + 60)]
    score, first, calibration = compared(expert, learnt)
    assert tuple(map(PLAINLY, (score.product, score.learnt, score.better))) == (
        "−3.00",
        "−2.00",
        "better",
    )  # the first 60 are long ago
    assert (PLAINLY(first.product), PLAINLY(first.learnt)) == ("50 %", "100 %")
    assert (PLAINLY(calibration.product), PLAINLY(calibration.learnt)) == ("25.0 %", "25.0 %")
    assert PLAINLY(calibration.better) == "alike"
    assert all(one.picture for one in (score, first, calibration))
    few = compared(expert[: LEAST - 1], learnt[: LEAST - 1])
    assert few[0].picture is None


def test_a_signed_verdict_keeps_the_tables_it_was_signed_with(database, someone, clock, client_of, lenient):
    """What the workshop learns later takes no signature away; whoever asks for another version still gets it."""
    who = someone("lead")
    inspection = parse_inspection(json.dumps(closed_case(1)["inspection"]))
    with database.of_workshop(who.workshop_id) as session, session.begin():
        signed, free = (
            add_document(session, inspection, by=who.person_id, now=clock(), state="open").id for _ in range(2)
        )
    client = client_of(who)
    client.post(f"/jobs/{signed}/verdict/sign", data={"reason": "looked at"})
    before = client.get(f"/jobs/{signed}/answer.json").json()
    assert before["learnt"] is None
    for number in range(1, 4):
        closed_job(database, clock, who, number)
    learn_in(database, knowledge(), knowledge_key(), who.workshop_id, now=clock())
    assert client.get(f"/jobs/{free}/answer.json").json()["learnt"]["version"] == 1
    assert client.get(f"/jobs/{signed}/answer.json").json() == before
    assert client.get(f"/jobs/{signed}/answer.json?learnt=1").json()["learnt"]["version"] == 1
    assert f"Signed by {who.name}" in client.get(f"/jobs/{signed}/verdict").text
    assert "Judged with the product’s own tables." in client.get(f"/jobs/{signed}/card").text
    assert "Judged with version 1" in client.get(f"/jobs/{free}/card").text
    client.post(f"/jobs/{free}/verdict/sign", data={"reason": "looked at"})
    client.post("/learnt/switch", data={"to": "off"})  # and the other way round
    assert client.get(f"/jobs/{free}/answer.json").json()["learnt"]["version"] == 1
    assert f"Signed by {who.name}" in client.get(f"/jobs/{free}/verdict").text
