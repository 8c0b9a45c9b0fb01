"""Signed-in clients for the tests over HTTP."""

from __future__ import annotations

import re

import pytest
from starlette.testclient import TestClient

from mesotrope.services.signing_in import open_session
from mesotrope.web.cookies import SESSION


@pytest.fixture
def client_of(app, database, clock):
    def client(who):
        made = TestClient(app, base_url="http://testserver", follow_redirects=False)
        made.cookies.set(SESSION, open_session(database, who.person_id, now=clock(), hours=1))
        made.headers["X-Change-Token"] = re.search(r'name="change_token" value="([^"]+)"', made.get("/").text)[1]
        return made

    return client
