"""The board over HTTP: what the lanes answer, moves, splits, pins, refusals, both states of a stale move, undo and redo, the search, the others."""

import json
import re
from html import unescape

import pytest
from builders import document, merged
from web.client import Client, other_organisation, rows

from ypomoni.actions.seed_demo import PASSWORD, PEOPLE
from ypomoni.actions.working import work_once


@pytest.fixture
def client(app):
    return Client(app)


@pytest.fixture
def ids(conninfo):
    found = {"site": rows(conninfo, "SELECT id FROM site WHERE name LIKE 'Brackwater%%' ORDER BY id DESC")[0]["id"]}
    found["plan"] = rows(conninfo, "SELECT id FROM plan WHERE site_id = %s AND key = 'as-found'", found["site"])[0]["id"]
    found |= {s["name"]: s["id"] for s in rows(conninfo, "SELECT id, name FROM supply WHERE plan_id = %s", found["plan"])}
    return found | {r["name"]: r["id"] for r in rows(conninfo, "SELECT id, name FROM load WHERE plan_id = %s", found["plan"])}


def load_of(conninfo, load_id):
    return rows(conninfo, "SELECT version, quantity, supply_id, pinned FROM load WHERE id = %s", load_id)[0]


def piece(conninfo, load_id, quantity=None):
    row = load_of(conninfo, load_id)
    return f"{load_id}:{row['version']}:{quantity or row['quantity']}"


def lanes_of(client, ids, *pieces):
    answer = client.get(f"/plans/{ids['plan']}/offers?" + "&".join(f"piece={p}" for p in pieces))
    return {lane["supply"]: lane for lane in answer.json["lanes"]}


def board_of(client, ids, **look):
    looking = "&".join(f"{k}={v}" for k, v in look.items())
    return unescape(client.get(f"/sites/{ids['site']}/as-found/regions?regions=board&{looking}").json["regions"]["board"])


def test_the_board_has_every_load_once_and_can_be_searched_taken_by_branch_and_shut(client, ids):
    """27 pieces on four lanes; by alarm; only the beams; a branch as one piece; a shut lane without pieces."""
    page = unescape(client.get(f"/sites/{ids['site']}/as-found/balance").text)
    assert len(re.findall(r'class="piece ', page)) == 27
    assert page.count('class="board-lane') == 5
    assert "peak 2.19 A of 3 A" in page
    assert "charges 1.7 A, back in 8.3 h of 24 h" in page
    assert "alarm, on Bay A" in board_of(client, ids, board_mode="alarm", board_touch=1)
    found = board_of(client, ids, board_find="perimeter beam")
    assert re.findall(r'data-name="([^"]+)"', found) == ["Perimeter beam ×6"]
    assert "1 of 27 loads match" in found
    grouped = re.findall(r'data-members="([^"]+)" data-quantity="1" data-name="([^"]+), \d loads"', board_of(client, ids, board_branch=1))
    assert grouped
    assert all("," in members for members, _ in grouped)
    assert len(re.findall(r'class="piece ', board_of(client, ids, board_shut=ids["Bay A"]))) == 17


def test_lanes_answer_pieces_picked_up_and_the_move_does_what_was_said(client, ids, conninfo):
    """Hours with it and without it; what may not says why; after the drop the lane shows those hours; undone, done again, undone."""
    magnet = ids["Door magnet, fail-safe"]
    lanes = lanes_of(client, ids, piece(conninfo, magnet, 1))
    assert lanes[str(ids["Bay B"])]["text"].startswith("Without it")
    assert re.match(r"With it \d+ h of 24 h, now 36 h", lanes[str(ids["Bay A"])]["text"])
    assert "may not: it runs at 12 v" in lanes[str(ids["Fire panel"])]["text"].lower()
    said = re.search(r"With it (\d+ h)", lanes[str(ids["Bay A"])]["text"]).group(1)
    before = load_of(conninfo, magnet)
    form = {"piece": piece(conninfo, magnet, 1), "supply": ids["Bay A"], "regions": "board,brief"}
    moved = client.post(f"/plans/{ids['plan']}/move", form)
    assert moved.status_code == 200
    assert re.search(rf"</button>Bay A.*?<b>{said}</b>", unescape(moved.json["regions"]["board"]), re.DOTALL)
    part = "SELECT quantity, cable_length_m FROM load WHERE name = 'Door magnet, fail-safe' AND supply_id = %s AND removed_at IS NULL"
    assert rows(conninfo, part, ids["Bay A"]) == [{"quantity": 1, "cable_length_m": 18.0}]
    for way, quantity in (("undo", before["quantity"]), ("redo", before["quantity"] - 1), ("undo", before["quantity"])):
        answer = client.post(f"/plans/{ids['plan']}/{way}", {"regions": "board"})
        assert answer.status_code == 200, answer.json
        assert load_of(conninfo, magnet)["quantity"] == quantity
    assert client.post(f"/plans/{ids['plan']}/undo").status_code == 409
    assert "Redo <small>1</small>" in board_of(client, ids)


def test_several_go_at_once_and_are_undone_at_once_and_a_new_edit_ends_what_could_be_redone(client, ids, conninfo):
    """Beams and readers to Bay A in one step; another edit after the undo leaves nothing to do again; others' edits are not mine to undo."""
    two = [piece(conninfo, ids[name]) for name in ("Perimeter beam", "Card reader")]
    moved = client.post(f"/plans/{ids['plan']}/move", {"piece": two, "supply": ids["Bay A"], "regions": "board"})
    assert moved.json["notice"] == "2 loads hang on Bay A."
    # What was read of the lanes as they were says nothing of them now.
    assert all(not r["totals"] for r in rows(conninfo, "SELECT totals FROM supply WHERE id = ANY(%s)", [ids["Bay A"], ids["Bay B"]]))
    other = Client(client.http.application, PEOPLE[1][0], PASSWORD)
    assert other.post(f"/plans/{ids['plan']}/undo").status_code == 409
    assert client.post(f"/plans/{ids['plan']}/undo", {"regions": "board"}).status_code == 200
    assert {load_of(conninfo, ids[n])["supply_id"] for n in ("Perimeter beam", "Card reader")} == {ids["Bay B"]}
    client.post(f"/plans/{ids['plan']}/move", {"piece": piece(conninfo, ids["Card reader"]), "supply": ids["Bay A"], "regions": "board"})
    assert client.post(f"/plans/{ids['plan']}/redo").status_code == 409


def test_what_may_not_and_a_wrong_count_are_refused_and_a_pin_holds(client, ids, conninfo):
    """And nothing is changed; the tray takes anything but what is pinned."""
    magnet = ids["Door magnet, fail-safe"]
    before = load_of(conninfo, magnet)
    address = f"/plans/{ids['plan']}/move"
    refused = client.post(address, {"piece": piece(conninfo, magnet), "supply": ids["Fire panel"]})
    assert (refused.status_code, "may not hang on Fire panel" in refused.json["message"]) == (422, True)
    assert client.post(address, {"piece": piece(conninfo, magnet, 9), "supply": ids["Bay A"]}).status_code == 422
    assert client.get(f"/plans/{ids['plan']}/offers?piece=nonsense").status_code == 422
    assert client.post(address, {"supply": ids["Bay A"]}).status_code == 400
    bus = client.post(address, {"piece": piece(conninfo, ids["Zone expander, stores"]), "supply": ids["Bay A"]})
    assert (bus.status_code, "they move together or not at all" in bus.json["message"]) == (422, True)
    assert load_of(conninfo, magnet) == before
    assert (
        client.post(f"/plans/{ids['plan']}/pin", {"piece": piece(conninfo, magnet), "pinned": "1", "regions": "board"}).status_code == 200
    )
    pinned = client.post(address, {"piece": piece(conninfo, magnet), "supply": ""})
    assert (pinned.status_code, "is pinned" in pinned.json["message"]) == (422, True)
    client.post(f"/plans/{ids['plan']}/pin", {"piece": piece(conninfo, magnet), "pinned": "0", "regions": "board"})
    off = client.post(address, {"piece": piece(conninfo, magnet), "supply": "", "regions": "board"})
    assert "waits in the tray" in off.json["notice"]
    assert load_of(conninfo, magnet)["supply_id"] is None


def test_a_stale_move_is_answered_with_both_states_and_a_choice_and_the_others_hear_of_it(client, ids, conninfo):
    """Idris moved the beams; Wren, who saw them before, sees his lane and hers with hours, and may insist."""
    other = Client(client.http.application, PEOPLE[1][0], PASSWORD)
    seen = piece(conninfo, ids["Perimeter beam"])
    since = client.get(f"/plans/{ids['plan']}/news?since=0").json["since"]
    assert other.get(f"/plans/{ids['plan']}/news?since={since}").json["others"] == [PEOPLE[0][1]]
    assert other.post(f"/plans/{ids['plan']}/move", {"piece": seen, "supply": ids["Bay A"], "regions": "board"}).status_code == 200
    news = client.get(f"/plans/{ids['plan']}/news?since={since}&regions=board").json
    assert news["others"] == [PEOPLE[1][1]]
    assert len(news["said"]) == 1
    assert news["said"][0].startswith(f"{PEOPLE[1][1]}: Perimeter beam: on Bay B → Bay A")
    assert "Perimeter beam ×6, 363 mA standby, on Bay A" in unescape(news["regions"]["board"])
    assert client.get(f"/plans/{ids['plan']}/news?since={news['since']}").json["said"] == []
    stale = client.post(f"/plans/{ids['plan']}/move", {"piece": seen, "supply": ids["Main panel"], "regions": "board"})
    assert (stale.status_code, stale.json["choice"]) == (409, True)
    html = unescape(stale.json["html"])
    assert re.search(rf"{PEOPLE[1][1]}.*It hangs on</th><td>Bay A</td><td>Main panel</td>.*Bay A holds.*Main panel holds", html, re.DOTALL)
    assert load_of(conninfo, ids["Perimeter beam"])["supply_id"] == ids["Bay A"]
    sure = client.post(f"/plans/{ids['plan']}/move", {"piece": seen, "supply": ids["Main panel"], "anyway": "1", "regions": "board"})
    assert (sure.status_code, load_of(conninfo, ids["Perimeter beam"])["supply_id"]) == (200, ids["Main panel"])


def test_a_group_split_by_somebody_else_is_stale_and_insisting_takes_what_is_left(client, ids, conninfo):
    """Two magnets were seen; one went meanwhile: both states, and all the same the one that is left."""
    other = Client(client.http.application, PEOPLE[1][0], PASSWORD)
    seen = piece(conninfo, ids["Door magnet, fail-safe"])
    one = seen.rpartition(":")[0] + ":1"
    assert other.post(f"/plans/{ids['plan']}/move", {"piece": one, "supply": ids["Bay A"], "regions": "board"}).status_code == 200
    form = {"piece": seen, "supply": "", "regions": "board"}
    stale = client.post(f"/plans/{ids['plan']}/move", form)
    assert (stale.status_code, stale.json["choice"]) == (409, True)
    assert client.post(f"/plans/{ids['plan']}/move", {**form, "anyway": "1"}).status_code == 200
    assert load_of(conninfo, ids["Door magnet, fail-safe"]) | {"version": 0} == {
        "version": 0,
        "quantity": 1,
        "supply_id": None,
        "pinned": False,
    }


def test_what_is_sent_twice_is_done_once(client, ids, conninfo):
    """The answer was lost, the same move comes again with its token: acknowledged, and logged once."""
    token = "0f" * 16
    form = {"piece": piece(conninfo, ids["Door magnet, fail-safe"], 1), "supply": ids["Bay A"], "token": token, "regions": "board"}
    assert client.post(f"/plans/{ids['plan']}/move", form).status_code == 200
    again = client.post(f"/plans/{ids['plan']}/move", form)
    assert (again.status_code, again.json["notice"]) == (200, "It had arrived: the board shows it.")
    assert load_of(conninfo, ids["Door magnet, fail-safe"])["quantity"] == 1
    assert rows(conninfo, "SELECT count(*) AS n FROM change WHERE batch = %s AND verb = 'create'", token) == [{"n": 1}]


def test_a_distance_is_asked_where_it_matters_and_answers_once_it_is_known(client, ids, conninfo):
    """The beams' way to the panel is not known; 60 m entered, the lane says what that cable would do."""
    held = piece(conninfo, ids["Perimeter beam"])
    asked = lanes_of(client, ids, held)[str(ids["Main panel"])]["asks"]
    assert re.match(r"How far is Perimeter.* from Main panel\? Up to \d+ m of", asked[0]["text"])
    form = client.get(f"/records/run/new?plan={ids['plan']}&place={asked[0]['place']}&supply={asked[0]['supply']}").json["html"]
    assert '<option selected value="main-panel">' in form
    place = rows(conninfo, "SELECT id FROM place WHERE site_id = %s AND key = %s", ids["site"], asked[0]["place"])[0]["id"]
    run = {"plan": ids["plan"], "place": place, "supply": "main-panel", "length_m": "60 m", "section_mm2": "0.5 mm²", "regions": "board"}
    assert client.post("/records/run/new", run).status_code == 200
    again = client.post("/records/run/new", run)
    assert (again.status_code, "has a run from this place already" in again.json["html"]) == (422, True)
    lane = lanes_of(client, ids, held)[str(ids["Main panel"])]
    assert (lane["asks"], "60 m of 0.5 mm² drop" in lane["text"]) == ([], True)


@pytest.fixture
def small(client):
    """A site of three loads on two small batteries, too much by one; its addresses."""
    loads = [
        {"key": k, "name": k.title(), "standby": {"current_a": 0.2}, "supply": s} for k, s in (("pump", "s"), ("lamp", "s"), ("gate", "t"))
    ]
    found = document(loads=loads, site={"name": "Small"}, supply={"bank": {"capacity_ah": 7}})
    plan = found["plans"][0]
    plan["supplies"].append(merged(plan["supplies"][0], {"key": "t", "name": "Other"}))
    there = client.post("/import", {"text": json.dumps(found)}, script=False).headers["Location"].split("?")[0]
    page = client.get(f"{there}/as-found/balance").text
    return {"site": there.rpartition("/")[2], "plan": re.search(r'data-plan="(\d+)"', page).group(1)}


def ask(client, ids, app, **form):
    job = client.post(f"/plans/{ids['plan']}/jobs", {"objective": "moves", **form}).json["job"]
    assert client.get(f"/jobs/{job}").json["state"] == "queued"
    work_through(app)
    assert client.get(f"/jobs/{job}").json["state"] != "queued"
    return job


def work_through(app):
    """Do all that waits: on a slow machine there may be figures in front of a search."""
    while work_once(app.extensions["pool"]):
        pass


def test_the_search_says_what_would_do_it_and_its_moves_are_ghosts_accepted_one_by_one_or_whole(client, app, small):
    """No placement holds; a battery, a supply or a load less do: shown, then made whole; undone; a load left out by itself."""
    job = ask(client, small, app)
    seen = client.get(f"/jobs/{job}").json
    assert (seen["state"], seen["headline"]) == ("done", "Moving alone does not do it")
    board = board_of(client, small, board_job=job)
    assert "Moving loads does not make up for that" in board
    assert len(re.findall(r'data-state="\d" title="smallest of its kind', board)) == 3
    said = re.findall(r"→ <b>([^<]+)</b> with this", board_of(client, small, board_job=job, board_option=0))
    whole = client.post(f"/jobs/{job}/accept", {"option": "0", "regions": "board,brief"})
    assert whole.status_code == 200, whole.json
    assert said
    assert set(said) <= set(re.findall(r'class="lane-hours"><b>([^<]+)</b>', whole.json["regions"]["board"]))
    assert "fails" not in re.findall(r"board-lane lane-(\w+)", whole.json["regions"]["board"])
    assert "Nothing has to move" in board_of(client, small, board_job=ask(client, small, app))
    assert client.post(f"/plans/{small['plan']}/undo", {"regions": "board"}).status_code == 200
    assert client.post(f"/jobs/{job}/accept", {"option": "1"}).status_code == 422
    left_out = board_of(client, small, board_job=job, board_option=2)
    (only,) = re.findall(r'data-only="([^"]+)"', left_out)
    assert len(re.findall(r'class="ghost"', left_out)) == 1
    one = client.post(f"/jobs/{job}/accept", {"option": "2", "only": only, "regions": "board"})
    assert one.json["notice"] == "1 load moved."
    after = board_of(client, small, board_job=job, board_option=2)
    assert 'class="ghost"' not in after
    assert "The plan was changed since" in after
    assert client.post(f"/jobs/{job}/accept", {"option": "9"}).status_code == 404


def test_a_search_is_cancelled_and_one_that_a_dead_worker_left_is_taken_again(client, app, ids, conninfo):
    """Cancelled in the queue it never starts; a job whose worker fell silent is done by the next; given up after three."""
    job = client.post(f"/plans/{ids['plan']}/jobs", {"objective": "cable"}).json["job"]
    assert client.post(f"/jobs/{job}/cancel").status_code == 200
    assert client.get(f"/jobs/{job}").json["headline"] == "Cancelled"
    work_through(app)
    assert client.get(f"/jobs/{job}").json["headline"] == "Cancelled"
    plan = rows(conninfo, "SELECT id, site_id FROM plan WHERE site_id <> %s ORDER BY id", ids["site"])[0]
    left = client.post(f"/plans/{plan['id']}/jobs", {"objective": "moves"}).json["job"]
    silent = "UPDATE job SET state = 'running', attempts = %s, heartbeat_at = now() - interval '1 minute' WHERE id = %s RETURNING id"
    for attempts, state in ((1, "done"), (3, "failed")):
        rows(conninfo, silent, attempts, left)
        work_through(app)
        assert client.get(f"/jobs/{left}").json["state"] == state


def test_the_history_is_read_filtered_and_the_plan_set_back_and_that_undone(client, ids, conninfo):
    """Beams moved, a load removed, one added; set back to before the first: all as it was, in one step that is undone in one."""
    before = rows(conninfo, "SELECT id, supply_id, quantity, removed_at FROM load WHERE plan_id = %s ORDER BY id", ids["plan"])
    form = {"piece": piece(conninfo, ids["Perimeter beam"]), "supply": ids["Bay A"], "regions": "board"}
    assert client.post(f"/plans/{ids['plan']}/move", form).status_code == 200
    siren = load_of(conninfo, ids["External siren and strobe"])
    client.post(f"/records/load/{ids['External siren and strobe']}/remove", {"version": siren["version"], "plan": ids["plan"]})
    added = {"name": "Hall lamp", "quantity": "1", "standby": "20 mA", "standby_provenance": "measured", "rail_v": "12 V"}
    added |= {
        "behaviour": "constant_current",
        "supply": str(ids["Bay A"]),
        "alarm_provenance": "measured",
        "plan": ids["plan"],
        **dict.fromkeys(("converter", "place", "purpose"), ""),
    }
    made = client.post("/records/load/new", added)
    assert made.status_code == 200, made.json
    page = unescape(client.get(f"/sites/{ids['site']}/as-found/history").text)
    assert re.search(r"Hall lamp: load added.*External siren and strobe: load removed.*Perimeter beam: on Bay B → Bay A", page, re.DOTALL)
    only = unescape(client.get(f"/sites/{ids['site']}/as-found/history?find=siren&who={PEOPLE[0][1]}&kind=load").text)
    assert (only.count('class="history-entry"'), "Hall lamp" in only) == (1, False)
    assert "Nothing in the history matches" in client.get(f"/sites/{ids['site']}/as-found/history?kind=place").text
    address = re.findall(r'data-open="(/plans/\d+/back/\d+)"', page)[-1]
    told = unescape(client.get(address).json["html"])
    assert "Hall lamp: load goes, it was not there yet" in told
    assert "External siren and strobe: load comes back" in told
    assert "on Bay A → Bay B" in told
    assert client.post(address).json["go"].endswith("/history")
    now = rows(conninfo, "SELECT id, supply_id, quantity, removed_at FROM load WHERE plan_id = %s ORDER BY id", ids["plan"])
    assert [r for r in now if r["removed_at"] is None] == before
    assert client.post(address).status_code == 422
    assert client.post(f"/plans/{ids['plan']}/undo", {"regions": "board"}).status_code == 200
    assert load_of(conninfo, ids["Perimeter beam"])["supply_id"] == ids["Bay A"]


def test_plans_loads_and_searches_of_others_are_neither_asked_about_nor_changed(client, ids, conninfo):
    """Nor a load hung on another organisation's supply, nor its history read."""
    foreign = other_organisation(conninfo, document())
    theirs = f"{foreign['load']}:1:1"
    assert client.get(f"/plans/{foreign['plan']}/offers?piece={theirs}").status_code == 404
    assert client.get(f"/plans/{ids['plan']}/offers?piece={theirs}").status_code == 404
    assert client.post(f"/plans/{ids['plan']}/move", {"piece": theirs, "supply": ids["Bay A"]}).status_code == 404
    mine = {"piece": piece(conninfo, ids["Card reader"]), "supply": foreign["supply"]}
    assert client.post(f"/plans/{ids['plan']}/move", mine).status_code == 404
    for address in (f"/sites/{foreign['site']}/as-found/balance", f"/sites/{foreign['site']}/as-found/history"):
        assert client.get(address).status_code == 404
    assert client.get(f"/plans/{foreign['plan']}/news").status_code == 404
    assert client.post(f"/plans/{foreign['plan']}/jobs").status_code == 404
