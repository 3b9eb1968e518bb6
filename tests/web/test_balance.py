"""The board over HTTP: what the lanes answer, a move, a split, a refusal, a stale piece, undo."""

import re
from html import unescape

import pytest
from builders import document
from web.client import Client, other_organisation, rows


@pytest.fixture
def client(app):
    return Client(app)


@pytest.fixture
def ids(conninfo):
    found = {"site": rows(conninfo, "SELECT id FROM site WHERE name LIKE 'Brackwater%%' ORDER BY id DESC")[0]["id"]}
    plan = rows(conninfo, "SELECT id FROM plan WHERE site_id = %s", found["site"])[0]["id"]
    found |= {s["name"]: s["id"] for s in rows(conninfo, "SELECT id, name FROM supply WHERE plan_id = %s", plan)}
    return found | {r["name"]: r["id"] for r in rows(conninfo, "SELECT id, name FROM load WHERE plan_id = %s", plan)}


def load_of(conninfo, load_id):
    return rows(conninfo, "SELECT version, quantity, supply_id FROM load WHERE id = %s", load_id)[0]


def test_the_board_has_every_load_once_and_a_mode_for_each_current(client, ids):
    """27 pieces on four lanes; thickness by standby, alarm or peak."""
    page = unescape(client.get(f"/sites/{ids['site']}/as-found/balance").text)
    assert len(re.findall(r'class="piece ', page)) == 27
    assert page.count('class="board-lane') == 5
    address = f"/sites/{ids['site']}/as-found/regions?regions=board&board_mode=alarm&board_touch=1"
    assert "alarm, on Bay A" in unescape(client.get(address).json["regions"]["board"])


def test_lanes_answer_a_load_picked_up_and_the_move_does_what_was_said(client, ids, conninfo):
    """Hours with it and without it; what may not says why; after the drop the lane shows those hours; undo takes it back."""
    magnet = ids["Door magnet, fail-safe"]
    lanes = {lane["supply"]: lane for lane in client.get(f"/loads/{magnet}/offers?quantity=1").json["lanes"]}
    assert lanes[str(ids["Bay B"])]["text"].startswith("Without it")
    assert re.match(r"With it \d+ h, now 36 h", lanes[str(ids["Bay A"])]["text"])
    assert "may not: it runs at 12 v" in lanes[str(ids["Fire panel"])]["text"].lower()
    said = re.search(r"With it (\d+ h)", lanes[str(ids["Bay A"])]["text"]).group(1)
    before = load_of(conninfo, magnet)
    moved = client.post(
        f"/loads/{magnet}/move", {"version": before["version"], "quantity": 1, "supply": ids["Bay A"], "regions": "board,brief"}
    )
    assert moved.status_code == 200
    assert re.search(rf"Bay A</span><span class=\"lane-hours\"><b>{said}</b>", unescape(moved.json["regions"]["board"]))
    assert load_of(conninfo, magnet)["quantity"] == before["quantity"] - 1
    parts = rows(
        conninfo, "SELECT quantity FROM load WHERE name = 'Door magnet, fail-safe' AND supply_id = %s AND removed_at IS NULL", ids["Bay A"]
    )
    assert [p["quantity"] for p in parts] == [1]
    assert client.post(moved.json["undo"]).status_code in (200, 302)
    assert load_of(conninfo, magnet)["quantity"] == before["quantity"]


def test_a_move_that_may_not_be_a_stale_one_and_a_wrong_count_are_refused(client, ids, conninfo):
    """And nothing is changed; the tray takes anything."""
    magnet = ids["Door magnet, fail-safe"]
    before = load_of(conninfo, magnet)
    form = {"version": before["version"], "quantity": before["quantity"], "supply": ids["Fire panel"]}
    refused = client.post(f"/loads/{magnet}/move", form)
    assert (refused.status_code, "may not hang on Fire panel" in refused.json["message"]) == (422, True)
    assert client.post(f"/loads/{magnet}/move", {**form, "supply": ids["Bay A"], "quantity": 9}).status_code == 422
    assert client.get(f"/loads/{magnet}/offers?quantity=0").status_code == 422
    assert client.post(f"/loads/{magnet}/move", {"quantity": 1}).status_code == 400
    stale = client.post(f"/loads/{magnet}/move", {**form, "version": 99, "supply": ids["Bay A"], "regions": "board"})
    assert (stale.status_code, "board" in stale.json["regions"]) == (409, True)
    assert load_of(conninfo, magnet) == before
    off = client.post(f"/loads/{magnet}/move", {**form, "supply": "", "regions": "board"})
    assert "waits in the tray" in off.json["notice"]
    assert load_of(conninfo, magnet)["supply_id"] is None


def test_loads_of_others_are_neither_asked_about_nor_moved(client, ids, conninfo):
    """Nor hung on another organisation's supply."""
    foreign = other_organisation(conninfo, document())
    assert client.get(f"/loads/{foreign['load']}/offers?quantity=1").status_code == 404
    assert client.post(f"/loads/{foreign['load']}/move", {"version": 1, "quantity": 1, "supply": ids["Bay A"]}).status_code == 404
    magnet = ids["Door magnet, fail-safe"]
    form = {"version": load_of(conninfo, magnet)["version"], "quantity": 1, "supply": foreign["supply"]}
    assert client.post(f"/loads/{magnet}/move", form).status_code == 404
    assert client.get(f"/sites/{foreign['site']}/as-found/balance").status_code == 404


def test_the_fewest_moves_are_proposed_made_and_undone_or_said_to_be_impossible(client, ids, conninfo):
    """As found no placement holds; with a larger battery in Bay A two supplies' worth of loads can move, and do, in one step."""
    plan = rows(conninfo, "SELECT id FROM plan WHERE site_id = %s", ids["site"])[0]["id"]
    assert "No placement of these loads" in client.get(f"/plans/{plan}/proposal").json["html"]
    assert client.post(f"/plans/{plan}/proposal", {"regions": "board"}).json["notice"] == "0 loads moved."
    for name, capacity in (("Bay A", 100), ("Main panel", 17)):
        row = rows(conninfo, "SELECT id, version FROM supply WHERE id = %s", ids[name])[0]
        html = client.get(f"/records/supply/{row['id']}?plan={plan}").json["html"]
        form = {n: unescape(v) for n, v in re.findall(r'name="(\w+)"[^>]* value="([^"]*)"', html)}
        for choice in ("kind", "requirement_id", "bank_chemistry"):
            form[choice] = re.search(rf'name="{choice}".*?<option selected value="([^"]*)"', html, re.DOTALL).group(1)
        changed = {"bank_capacity_ah": f"{capacity} Ah", "output_limit_a": "5 A", "alarm_output_limit_a": "", "plan": plan, "sure": "1"}
        assert client.post(f"/records/supply/{row['id']}", {**form, **changed}).status_code == 200
    html = unescape(client.get(f"/plans/{plan}/proposal").json["html"])
    assert "Fewer do not do it: proven." in html
    done = client.post(f"/plans/{plan}/proposal", {"regions": "board,brief"})
    assert re.match(r"[1-9]\d* loads? moved", done.json["notice"])
    assert "nothing has to move" in client.get(f"/plans/{plan}/proposal").json["html"]
    assert client.post(done.json["undo"]).status_code in (200, 302)
    assert "Fewer do not do it: proven." in client.get(f"/plans/{plan}/proposal").json["html"]
