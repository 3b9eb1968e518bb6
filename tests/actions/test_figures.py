"""What a request leaves to a worker: shown as being worked out, then there; given up, it is unknown."""

import json
from datetime import date

import pytest
from builders import document
from web.client import Client, other_organisation, rows

from ypomoni.actions import evaluate as evaluation
from ypomoni.actions import summaries
from ypomoni.actions.working import refresh_once, say_alive, work_once
from ypomoni.storage.connection import transaction
from ypomoni.storage.jobs import take_job


@pytest.fixture
def slow(monkeypatch):
    """Every supply is thought to take too long for a request."""
    for module in (evaluation, summaries):
        monkeypatch.setattr(module, "estimate_s", lambda *_: 60.0)


def site_of(client, name, current_a):
    text = json.dumps(document(site={"name": name}, loads=[{"standby": {"current_a": current_a}}]))
    return client.post("/import", {"text": text}, script=False).headers["Location"].split("?")[0]


@pytest.mark.usefixtures("slow")
def test_what_takes_long_is_shown_as_being_worked_out_and_then_there(app, conninfo):
    """The page shows the loads meanwhile; asked twice it is queued once; a worker does it."""
    client, pool = Client(app), app.extensions["pool"]
    say_alive(pool)
    address = site_of(client, "Slow", 0.21)
    for _ in range(2):
        page = client.get(f"{address}/as-found/audit").text
        assert "are being worked out" in page
        assert "data-again" in page
        assert "Beam" in page
    assert len(rows(conninfo, "SELECT id FROM job WHERE kind = 'figures'")) == 1
    listed = client.get("/").text
    assert "the figures of 1 are being worked out" in listed
    assert "Its figures are being worked out." in listed
    while work_once(pool):
        pass
    assert refresh_once(pool, conninfo, date.today())  # noqa: DTZ011 - whatever day it is here
    assert not refresh_once(pool, conninfo, date.today())  # noqa: DTZ011 - as above
    assert "being worked out" not in client.get("/").text
    assert "are being worked out" not in client.get(address).text
    assert rows(conninfo, "SELECT state FROM job WHERE kind = 'figures'") == [{"state": "done"}]


@pytest.mark.usefixtures("slow")
def test_what_a_worker_gives_up_is_unknown_and_nobody_waits_for_it(app, conninfo):
    """No all-clear, and no promise that it will appear."""
    client = Client(app)
    address = site_of(client, "Given up", 0.22)
    client.get(address)
    assert rows(conninfo, "UPDATE job SET state = 'failed' WHERE kind = 'figures' RETURNING id")
    page = client.get(address).text
    assert "could not be computed" in page
    assert "are being worked out" not in page


def test_organisations_take_turns(app, conninfo):
    """Whoever has less under way comes first, however much the other queued before."""
    theirs = other_organisation(conninfo, document())
    rows(conninfo, "DELETE FROM job RETURNING id")
    for organisation_id in (1, 1, 1, theirs["organisation"], theirs["organisation"]):
        rows(
            conninfo,
            "INSERT INTO job (organisation_id, kind, plan_key, objective, search_s, input_digest, input)"
            " VALUES (%s, 'figures', 'p', '', 0, '', '{}') RETURNING id",
            organisation_id,
        )
    with transaction(app.extensions["pool"]) as connection:
        taken = [take_job(connection)["organisation_id"] for _ in range(5)]
    assert taken == [1, theirs["organisation"], 1, theirs["organisation"], 1]
