"""What is open on the screen: part by part, with a way to the test that is made next, and said whole but once."""

from __future__ import annotations

import re

import pytest

from mesotrope.knowledge import knowledge
from tests.web.test_pages import enter, signed_in  # noqa: F401  (a fixture)

#: One wheel that drags, its lining thin, and nothing that tells why: inner and outer wear alike. Common practice.
HELD = {
    ("rear_left", "spin.turns"): "0.3", ("rear_left", "spin.seconds"): "0.4",
    ("rear_right", "spin.turns"): "4", ("rear_right", "spin.seconds"): "4",
    ("rear_left", "pad_mm.inner.lead_rim"): "3.1", ("rear_left", "pad_mm.outer.lead_rim"): "3.3",
    ("rear_right", "pad_mm.inner.lead_rim"): "7", ("rear_right", "pad_mm.outer.lead_rim"): "7.2",
}  # fmt: skip


@pytest.fixture
def client_and_verdict(signed_in):  # noqa: F811
    """A client, and the verdict's page of a wheel that is held by nobody knows what."""
    client, _, job = signed_in
    for number, ((corner, path), value) in enumerate(HELD.items()):
        assert enter(client, job, path, value, key=f"held-{number:06d}", corner=corner).status_code == 200
    return client, client.get(f"/jobs/{job}/verdict").text


def section(page, pattern):
    return re.search(pattern, page, re.DOTALL)[0]


def test_what_is_open_leads_to_the_field_of_its_next_test(client_and_verdict):
    client, page = client_and_verdict
    notice = section(page, r'<section class="open-notice".*?</section>')
    assert '<b class="first-letter:uppercase inline-block">rear left</b> 3.9\u00a0mm thinner than its partner' in notice
    assert re.search(r"could be parking brake does not let go \d+\s%, ", notice)
    links = re.findall(r'Next:\s*<a[^>]*\shref="([^"#]+)#([^"]+)"', notice)
    assert len(links) >= 2
    for address, field in links:
        assert f'id="{field}"' in client.get(address).text


def test_what_could_explain_it_is_said_once_and_not_with_every_action(client_and_verdict):
    _, page = client_and_verdict
    actions = section(page, r'<table class="ruled stacked" id="actions">.*?</table>')
    assert "find the cause before parts are ordered" in actions
    assert "rear left 3.9\u00a0mm thinner than its partner" in actions
    corners = section(page, r'<div class="verdict-grid".*?<h3 class="heading-3 mt-6">What to do')
    for part in actions, corners:
        assert "could be" not in part
        assert "next:" not in part


def test_actions_stand_in_the_order_of_the_work(signed_in):  # noqa: F811
    """Hydraulics before friction parts, and bled when they are together (common practice)."""
    client, _, job = signed_in
    seized = {"piston_pushback.1": "immovable", "pad_mm.inner.lead_rim": "2.1", "pad_mm.outer.lead_rim": "5"}
    for number, (path, value) in enumerate(seized.items()):
        assert enter(client, job, path, value, key=f"work-{number:06d}").status_code == 200
    actions = section(client.get(f"/jobs/{job}/verdict").text, r'<table class="ruled stacked" id="actions">.*?</table>')
    done = re.findall(r"<tr><td><b>([^<]+)</b>", actions)
    assert [one for one in done if one in ("new pads", "replace the caliper", "bleed the system")] == [
        "replace the caliper", "new pads", "bleed the system",
    ]  # fmt: skip


def test_packages_are_folded_under_their_price_while_the_cause_is_to_be_found(client_and_verdict):
    _, page = client_and_verdict
    costs = section(page, r'id="costs-rear".*?</details>')
    count, least, most = re.search(r"known now:\s*(\d+) packages, (\d+) to (\d+) EUR</summary>", costs).groups()
    prices = [int(price) for price in re.findall(r'data-head="price">(\d+)<', costs)]
    assert (len(prices), min(prices), max(prices)) == (int(count), int(least), int(most))
    assert '<details class="mt-2"><summary' in costs  # folded


def test_what_has_a_unit_is_measured_or_read_and_not_looked_at():
    known = knowledge()
    for field in (*known.corner_fields, *known.system_fields):
        looked_at = field.doing.startswith(("look at", "gap", "how"))
        assert not (looked_at and field.unit), field.doing


def test_odds_are_said_in_words_before_their_figure(signed_in):  # noqa: F811
    """At once with an entry, and on the page: four turns against a third of one, on a hand's judgement."""
    client, _, job = signed_in
    odds = re.compile(
        r'<span class="odds">(\w[\w ]*)</span>\s*<span class="percent">((?:over\s|under\s)?\d+\s%)</span>'
    )
    for number, ((corner, path), value) in enumerate(HELD.items()):
        at_once = enter(client, job, path, value, key=f"odds-{number:06d}", corner=corner).text
    on_page = odds.findall(section(client.get(f"/jobs/{job}/strip?axle=rear").text, r'<div id="suspect-list".*?</ol>'))
    assert on_page
    assert set(on_page) <= set(odds.findall(at_once))  # at once some are said that only stand where they stood before
    said = {words: int(figure.split()[-2]) for words, figure in on_page}
    assert 20 <= said["possible"] < 50
    assert said["unlikely"] < 20
