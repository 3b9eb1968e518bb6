"""Plans over HTTP: copied, renamed, removed and restored, compared; keys stay with things, and what was read stays where it was."""

import re
from html import unescape

import pytest
from builders import document
from web.client import Client, other_organisation, rows


@pytest.fixture
def client(app):
    return Client(app)


@pytest.fixture
def archive(conninfo):
    return rows(
        conninfo,
        "SELECT s.id, p.id AS plan_id FROM site s JOIN plan p ON p.site_id = s.id WHERE s.name LIKE 'Brackwater%%' AND p.key = 'as-found' ORDER BY s.id DESC",
    )[0]


def test_a_copy_has_the_same_things_under_the_same_keys_and_the_same_figures(client, archive, conninfo):
    """Supplies, banks with their table, loads with bursts and places; no reading; the first plan untouched; a second copy named apart."""
    before = rows(conninfo, "SELECT count(*) AS n FROM reading")[0]["n"]
    go = client.post(f"/plans/{archive['plan_id']}/clone").json["go"]
    assert go.endswith("/proposal-2")
    plans = rows(conninfo, "SELECT id, key, name, stage FROM plan WHERE site_id = %s AND key <> 'proposal' ORDER BY id", archive["id"])
    assert [(p["key"], p["name"], p["stage"]) for p in plans] == [
        ("as-found", "As found", "as_found"),
        ("proposal-2", "Proposal 2", "proposal"),
    ]
    columns = "key, name, chemistry, capacity_ah, discharge_table, low_battery_v, requirement_id"
    one, other = (
        rows(conninfo, f"SELECT {columns} FROM supply s JOIN bank b ON b.supply_id = s.id WHERE plan_id = %s ORDER BY key", p["id"])
        for p in plans
    )
    assert one == other
    columns = "key, name, quantity, standby_current_a, standby_provenance, standby_uncertainty_a, bursts, place_id, branch, cable_length_m"
    one, other = (rows(conninfo, f"SELECT {columns} FROM load WHERE plan_id = %s ORDER BY key", p["id"]) for p in plans)
    assert one == other
    assert rows(conninfo, "SELECT count(*) AS n FROM reading")[0]["n"] == before
    answers = [
        re.search(r'class="answer-line.*?</p>', client.get(f"/sites/{archive['id']}/{p['key']}").text, re.DOTALL).group(0) for p in plans
    ]
    assert re.sub(r"/as-found/|/proposal-2/", "/x/", answers[0]) == re.sub(r"/as-found/|/proposal-2/", "/x/", answers[1])
    assert client.post(f"/plans/{plans[1]['id']}/clone").json["go"].endswith("/proposal-3")
    left = client.post(f"/plans/{plans[1]['id']}/clone?stage=as_left").json["go"]
    assert left.endswith("/as-left")
    assert "On no supply" in client.get(f"{left}/balance").text
    page = unescape(client.get(f"/sites/{archive['id']}/compare?plan=as-found&plan=proposal-2").text)
    assert "Nothing differs yet" in page


def test_a_change_in_a_copy_shows_against_what_was_found(client, archive, conninfo):
    """A load moved and a battery enlarged there: hours and amps before and after, what moved, new parts, findings gone and new."""
    client.post(f"/plans/{archive['plan_id']}/clone")
    plan_id = rows(conninfo, "SELECT id FROM plan WHERE key = 'proposal-2' ORDER BY id DESC")[0]["id"]
    (load,) = rows(conninfo, "SELECT id, version FROM load WHERE plan_id = %s AND name = 'Door magnet, fail-safe'", plan_id)
    (bay_a,) = rows(conninfo, "SELECT id FROM supply WHERE plan_id = %s AND name = 'Bay A'", plan_id)
    assert client.cell(load, "supply", str(bay_a["id"])).status_code == 200
    page = unescape(client.get(f"/sites/{archive['id']}/compare?plan=as-found&plan=proposal-2").text)
    assert re.search(r"Door magnet, fail-safe</th><td>Bay B</td><td>Bay A</td><td>moved", page)
    assert "16 h of 24 h shorter" in page
    assert page.count('aria-label="Endurance strip') == 2
    assert "Nothing differs yet" not in page
    assert client.get(f"/sites/{archive['id']}/compare?plan=nowhere&plan=proposal").status_code == 200


def test_a_plan_is_renamed_removed_and_restored_and_the_last_one_stays(client, archive, conninfo):
    """Its key stays when its name changes; the site keeps at least one plan."""
    client.post(f"/plans/{archive['plan_id']}/clone")
    (plan,) = rows(conninfo, "SELECT id, version FROM plan WHERE key = 'proposal-2' AND site_id = %s", archive["id"])
    form = {"version": plan["version"], "plan": plan["id"], "name": "Larger battery", "stage": "proposal"}
    assert client.post(f"/records/plan/{plan['id']}", {**form, "name": ""}).status_code == 422
    saved = client.post(f"/records/plan/{plan['id']}", form)
    assert saved.status_code == 200
    assert "Larger battery" in saved.json["regions"]["title"] if "title" in saved.json["regions"] else saved.json["notice"]
    assert client.get(f"/sites/{archive['id']}/proposal-2").status_code == 200
    gone = client.post(f"/records/plan/{plan['id']}/remove", {"version": plan["version"] + 1, "plan": archive["plan_id"]})
    assert gone.json["go"] == f"/sites/{archive['id']}"
    assert client.get(f"/sites/{archive['id']}/proposal-2").status_code == 404
    assert client.post(f"/records/plan/{plan['id']}/restore", {"plan": archive["plan_id"]}).status_code == 200
    (plan,) = rows(conninfo, "SELECT id, version FROM plan WHERE key = 'proposal-2' AND site_id = %s", archive["id"])
    client.post(f"/records/plan/{plan['id']}/remove", {"version": plan["version"], "plan": archive["plan_id"]})
    (shipped,) = rows(conninfo, "SELECT id, version FROM plan WHERE key = 'proposal' AND site_id = %s", archive["id"])
    client.post(f"/records/plan/{shipped['id']}/remove", {"version": shipped["version"], "plan": archive["plan_id"]})
    (last,) = rows(conninfo, "SELECT id, version FROM plan WHERE key = 'as-found' AND site_id = %s", archive["id"])
    refused = client.post(f"/records/plan/{last['id']}/remove", {"version": last["version"], "plan": archive["plan_id"]})
    assert (refused.status_code, "only plan" in refused.json["message"]) == (422, True)


def test_plans_of_others_are_neither_copied_nor_compared(client, conninfo):
    """Another organisation's are not there."""
    foreign = other_organisation(conninfo, document())
    assert client.post(f"/plans/{foreign['plan']}/clone").status_code == 404
    assert client.get(f"/sites/{foreign['site']}/compare").status_code == 404
