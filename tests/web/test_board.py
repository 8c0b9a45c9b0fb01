"""The suspect board over HTTP."""

from __future__ import annotations

import pytest

from tests.web.test_pages import enter, signed_in  # noqa: F401  (a fixture)


def test_the_board_lays_out_suspects_against_findings(signed_in):  # noqa: F811
    client, _, job = signed_in
    for number, (path, value) in enumerate([("spin.turns", "1"), ("spin.seconds", "1.1"), ("pin.upper", "seized")]):
        enter(client, job, path, value, f"key-0000000{number}")
    page = client.get(f"/jobs/{job}/board").text
    assert 'aria-current="true">front left' in page
    assert "one slide pin seized" in page
    assert "board-for" in page
    assert 'popovertarget="said-1">' in page
    assert ">Slide pin</button>" in page
    assert "front left upper slide pin: seized</span>" in page


def test_a_corner_with_nothing_found_says_so(signed_in):  # noqa: F811
    client, _, job = signed_in
    assert "Nothing found here yet" in client.get(f"/jobs/{job}/board", params={"corner": "rear_left"}).text


def test_what_if_shows_every_answer_of_a_test(signed_in):  # noqa: F811
    client, _, job = signed_in
    enter(client, job, "spin.turns", "0")

    def tried(corner, finding):
        return client.get(
            f"/jobs/{job}/board/what-if", params={"corner": corner, "finding": finding, "path": finding}
        ).text

    part = tried("front_left", "bleeder_opened")
    assert part.count("what-if-value") == 2
    assert "it came free" in part
    assert "hose holds pressure" in part
    pedal = tried("system", "pedal_hold")
    assert "verdict-unsafe" in pedal
    assert "stopped after 2 turns in 2.3\u00a0s" in tried("front_right", "spin")


@pytest.mark.parametrize(
    "address",
    [
        "board?corner=middle",
        "board/what-if?corner=front_left&finding=nothing&path=nothing",
        "board/what-if?corner=front_left&finding=pull_n&path=pull_n",
        "board/what-if?corner=roof&finding=spin&path=spin",
    ],
)
def test_what_is_none_is_not_found(signed_in, address):  # noqa: F811
    client, _, job = signed_in
    assert client.get(f"/jobs/{job}/{address}").status_code == 404


def test_another_workshops_board_is_not_found(signed_in, someone):  # noqa: F811
    client, _, job = signed_in
    assert client.get(f"/jobs/{job + 9999}/board").status_code == 404
