"""Unsafe and unknown wherever a verdict is shown, what was not checked, and the new fields from form to file."""

import json
import re
from html import unescape

import pytest
from builders import SUPPLY, document, merged
from web.client import Client, rows
from web.test_edits import form_values
from web.test_site_files import send

LITHIUM = {"chemistry": "li_ion", "block_v": 11.1, "capacity_ah": 10}


@pytest.fixture
def client(app):
    return Client(app)


def brought_in(client, supplies, loads=None):
    """Bring a site of some supplies in, each with one load unless said otherwise; return its address."""
    found = document(
        loads=[{"key": f"l{n}", "name": f"Load {n}", "supply": s["key"]} for n, s in enumerate(supplies)] if loads is None else loads
    )
    found["site"]["name"] = "Pump house"
    found["plans"][0]["supplies"] = [merged(SUPPLY, s) for s in supplies]
    done = send(client, json.dumps(found))
    assert done.status_code == 302, done.text
    return done.headers["Location"]


def test_a_danger_leads_everywhere(client):
    """Headline, strip, sites list, board: unsafe, in a word and a shape, before a site that only fails."""
    address = brought_in(
        client, [{"key": "a", "name": "Gate logger", "charge_v": 13.65, "cutoff_v": 9.6, "bank": LITHIUM}, {"key": "b", "name": "Panel"}]
    )
    page = unescape(client.get(address).text)
    assert re.search(r"answer-unsafe.*?Unsafe at Gate logger\. 13\.65 V on 3 cells is 4\.55 V a cell", page, re.DOTALL)
    assert re.search(r'class="lane lane-unsafe.*?shape-unsafe.*?unsafe', page, re.DOTALL)
    assert "Nothing was found" not in page
    sites = client.get("/").text
    names = re.findall(r'href="/sites/\d+">([^<]+)</a>', sites)
    assert names.index("Pump house") == 0
    assert "shape-unsafe" in sites
    board = client.get(f"{address}/as-found/balance").text
    assert re.search(r'aria-label="Gate logger, [^"]*, unsafe', board)


def test_what_is_not_computed_is_unknown_and_never_an_all_clear(client):
    """A supply whose hours are not computed: the plan is unknown, no lane claims hours of it, and the other one still shows its own."""
    address = brought_in(client, [{"key": "a", "name": "Office UPS", "kind": "ac_ups"}, {"key": "b", "name": "Panel"}])
    page = unescape(client.get(address).text)
    assert "Unknown: nothing is computed for Office UPS." in page
    assert "Every supply holds" not in page
    lane = re.search(r'<div class="lane lane-unknown.*?</svg>', page, re.DOTALL).group()
    assert "not computed yet" in lane
    assert "of 24 h" not in lane
    assert "shape-unknown" in client.get("/").text
    moves = client.get(f"{address}/as-found/balance").text
    assert re.search(r'aria-label="Office UPS, not computed yet, unknown', moves)


def test_an_all_clear_lists_what_was_not_checked(client):
    """Nothing was found, and beside it by name what nobody looked at; with the figure entered it is gone from the list."""
    address = brought_in(client, [{"key": "a", "name": "Panel", "max_degc": None}], [{"supply": "a", "standby": {"current_a": 0.05}}])
    page = client.get(address).text
    assert "Nothing was found in what was looked at." in page
    listed = re.search(r'class="unchecked" open>.*?</details>', page, re.DOTALL).group()
    assert "How hot it gets" in listed
    assert "Fuses and wiring of the battery" in listed
    address = brought_in_again(client, address)
    listed = re.search(r'class="unchecked" open>.*?</details>', client.get(address).text, re.DOTALL).group()
    assert "How hot it gets" not in listed


def brought_in_again(client, address):
    """Say how hot it gets, and bring the site in beside itself."""
    found = json.loads(client.get(f"{address}/export").text)
    found["plans"][0]["supplies"][0]["max_degc"] = 30
    return send(client, json.dumps(found), choice="add").headers["Location"]


def test_the_new_fields_go_from_the_form_into_the_file(client, conninfo):
    """Charge, protection, box and heat with the supply; lock and escape route with the load; the kind of system with the requirement."""
    address = brought_in(
        client, [{"key": "a", "name": "Panel", "bank": {"chemistry": "lifepo4", "block_v": 12.8, "capacity_ah": 20}, "cutoff_v": 11.2}]
    )
    said = {
        "supply": {
            "charge_mode": "cyclic",
            "charge_compensated": "yes",
            "current_limited": "yes",
            "max_degc": "41 °C",
            "enclosure_volume_m3": "50 l",
            "enclosure_gas_tight": "y",
            "bank_bms_limit_a": "20 A",
            "bank_bms_cutoff_v": "10 V",
            "bank_bms_charges_from_degc": "0 °C",
        },
        "load": {"lock": "fail_secure", "escape_route": "y", "ride_through_ms": "20 ms"},
        "requirement": {"purpose": "fire"},
    }
    for name, values in said.items():
        (record,) = rows(conninfo, f"SELECT id FROM {name} ORDER BY id DESC LIMIT 1")
        (plan,) = rows(conninfo, "SELECT id FROM plan ORDER BY id DESC LIMIT 1")
        form = form_values(client, name, record["id"], plan["id"])
        answer = client.post(f"/records/{name}/{record['id']}", {**form, **values})
        assert answer.status_code == 200, answer.json
    found = json.loads(client.get(f"{address}/export").text)
    (supply,), (load,) = found["plans"][0]["supplies"], found["plans"][0]["loads"]
    assert {k: supply[k] for k in ("charge_mode", "charge_compensated", "current_limited", "max_degc", "enclosure")} == {
        "charge_mode": "cyclic",
        "charge_compensated": True,
        "current_limited": True,
        "max_degc": 41,
        "enclosure": {"volume_m3": 0.05, "gas_tight": True},
    }
    assert supply["bank"]["bms"] == {"limit_a": 20, "cutoff_v": 10, "charges_from_degc": 0}
    assert (load["lock"], load["escape_route"], load["ride_through_ms"]) == ("fail_secure", True, 20)
    assert found["requirements"][0]["purpose"] == "fire"
    assert "People could be shut in." in unescape(client.get(address).text)
