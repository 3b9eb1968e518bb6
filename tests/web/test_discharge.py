"""Timed discharges over HTTP: kept with what was read, judged, taken into the plan and taken out again; what cannot be read loses nothing."""

import json
import re

import pytest
from builders import document
from web.client import Client, rows

GOOD = {
    "supply": "s",
    "at": "2026-03-04 09:00",
    "degc": "18 °C",
    "current": "0,85 A",
    "ran": "15 h 30 min",
    "ended": "end_voltage",
    "end_v": "10.5 V",
    "samples": "1 h; 12.7 V; 0.85 A\n10 h;12.0",
}


@pytest.fixture
def client(app):
    return Client(app)


@pytest.fixture
def there(client):
    site = document(loads=[{"standby": {"current_a": 0.4}}])
    site["site"]["name"] = "Tested site"
    return client.post("/import", {"text": json.dumps(site)}, script=False).headers["Location"].split("?")[0].rstrip("/") + "/as-found"


def version_of(conninfo, table="plan"):
    return rows(conninfo, f"SELECT id, version FROM {table} ORDER BY id DESC LIMIT 1")[0]["version"]


def test_a_test_is_kept_and_taken_into_the_plan(client, there, conninfo):
    """Its test per cent and condition are said, what it does to the hours, and one click lets the plan go by it."""
    before = client.get(f"{there}/tests?supply=s").text
    assert "No discharge of this battery was timed yet" in before
    kept = client.post(f"{there}/tests", {**GOOD, "version": version_of(conninfo)}, script=False, follow_redirects=True)
    assert "The test is kept" in kept.text
    assert "of a new one" in kept.text
    assert len(re.findall('class="discharge-read"', kept.text)) == 2
    assert "would become" in kept.text
    key = rows(conninfo, "SELECT tests FROM plan ORDER BY id DESC LIMIT 1")[0]["tests"][0]["key"]
    taken = client.post(f"{there}/tests/{key}/take", {"version": version_of(conninfo, "supply")}, script=False, follow_redirects=True)
    assert "now goes by" in taken.text
    assert "the plan goes by it" in taken.text
    (bank,) = rows(conninfo, "SELECT condition_ratio FROM bank ORDER BY id DESC LIMIT 1")
    assert 0.7 < bank["condition_ratio"] < 0.9
    gone = client.post(f"{there}/tests/{key}/remove", {"version": version_of(conninfo)}, script=False, follow_redirects=True)
    assert "is taken out" in gone.text


def test_what_cannot_be_read_is_told_beside_its_field(client, there, conninfo):
    """Each bad text has its message, and all that was typed is still there; a stale plan is told."""
    bad = {**GOOD, "at": "March", "ran": "long", "current": "", "end_v": "15 V", "samples": "ten; twelve", "version": version_of(conninfo)}
    answer = client.post(f"{there}/tests", bad, script=False)
    assert answer.status_code == 422
    for field, words in (("at", "must be a day"), ("ran", "must be a time"), ("current", "must not be empty"), ("samples", "Line 1")):
        assert re.search(rf'id="{field}-help"><span class="entry-error">{words}', answer.text), field
    assert "ten; twelve" in answer.text
    full = client.post(f"{there}/tests", {**GOOD, "end_v": "15 V", "version": version_of(conninfo)}, script=False)
    assert "must be below what this battery shows full" in full.text
    stale = client.post(f"{there}/tests", {**GOOD, "version": 99}, script=False)
    assert "changed this plan meanwhile" in stale.text
    assert client.post(f"{there}/tests/nobody/take", {"version": 1}, script=False).status_code == 404


def test_a_test_that_was_stopped_gives_no_condition_to_go_by(client, there, conninfo):
    """It is called a lower bound, and nothing is offered to be taken."""
    stopped = {**GOOD, "ran": "5 h", "ended": "stopped", "end_v": "12 V", "samples": "", "version": version_of(conninfo)}
    page = client.post(f"{there}/tests", stopped, script=False, follow_redirects=True).text
    assert "a lower bound, which condemns nothing" in page
    assert "Let the plan go by" not in page
    key = rows(conninfo, "SELECT tests FROM plan ORDER BY id DESC LIMIT 1")[0]["tests"][0]["key"]
    answer = client.post(f"{there}/tests/{key}/take", {"version": version_of(conninfo, "supply")}, script=False, follow_redirects=True)
    assert "gives no condition" in answer.text
