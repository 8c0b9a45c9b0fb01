"""What a page needs beside itself: fetched once a release, and never an older one's with the pages of a newer."""

from __future__ import annotations

import re

import pytest
from starlette.testclient import TestClient

from mesotrope.web.assets import RELEASE, STATIC, asset, shell

OF_AN_OLDER_RELEASE = "/static/0123456789abcdef"


@pytest.fixture
def device(app):
    return TestClient(app, base_url="http://testserver", follow_redirects=False)


def test_whatever_the_head_of_a_page_names_is_kept_for_ever(device):
    head = device.get("/sign-in").text.partition("</head>")[0]
    named = re.findall(r'(?:src|href)="(/static/[^"]+)"', head)
    assert {address.rpartition("/")[2] for address in named} >= {"app.css", "app.js", "htmx.min.js"}
    for address in named:
        answer = device.get(address)
        assert (answer.status_code, answer.headers["cache-control"]) == (200, "public, max-age=31536000, immutable")


def test_a_page_of_an_older_release_gets_the_files_of_now_and_keeps_none_of_them(device):
    now = (STATIC / "built" / "app.js").read_bytes()
    for older in (f"{OF_AN_OLDER_RELEASE}/built/app.js", "/static/built/app.js"):
        answer = device.get(older)
        assert (answer.content, answer.headers["cache-control"]) == (now, "no-cache")


def test_what_is_not_there_is_not_there_under_any_release(device):
    for where in (asset("built/none.js"), f"{OF_AN_OLDER_RELEASE}/built/none.js", asset("../rendering.py")):
        assert device.get(where).status_code == 404


def test_the_worker_of_a_release_keeps_that_releases_files(device):
    worker = device.get("/device-worker.js")
    assert f'"/static/{RELEASE}/"' in worker.text
    assert worker.headers["cache-control"] == "no-cache"
    kept = device.get("/shell.json").json()
    assert kept == shell()
    assert {device.get(address).status_code for address in kept} == {200}
    assert asset("fonts/atkinson-hyperlegible-next.woff2") in kept


def test_the_style_sheet_asks_for_the_font_that_the_page_names(device):
    sheet = asset("built/app.css")
    font = re.search(r"url\(([^)]*woff2)\)", device.get(sheet).text)[1]
    assert font == "../fonts/atkinson-hyperlegible-next.woff2"  # beside the sheet, under the same release
    assert asset("fonts/atkinson-hyperlegible-next.woff2") in device.get("/sign-in").text
