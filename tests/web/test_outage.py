"""Endurance in depth over HTTP: the played outage, its CSV, survival, the schools, the battery sheet, own profiles, stock, tables."""

import csv
import io
import re
from html import unescape

import pytest
from builders import document
from web.client import SCRIPT, Client, other_organisation, rows

BASE = "/sites/{}/as-found/"


@pytest.fixture
def client(app):
    return Client(app)


@pytest.fixture
def archive(conninfo):
    return rows(conninfo, "SELECT id FROM site WHERE name LIKE 'Brackwater%%' ORDER BY id DESC")[0]["id"]


def play(client, site_id, supply, **values):
    query = "&".join(f"{k}={v}" for k, v in {"supply": supply, **values}.items())
    return client.get(f"{BASE.format(site_id)}outage/play?{query}")


def requirement_form(client, conninfo, site_id, **changes):
    """Return what a browser would send of the requirement's form, with changes."""
    plan_id = rows(conninfo, "SELECT id FROM plan WHERE site_id = %s", site_id)[0]["id"]
    html = client.get(f"/records/requirement/new?plan={plan_id}").json["html"]
    values = dict(re.findall(r'name="(\w+)"[^>]* value="([^"]*)"', html))
    return plan_id, {**values, "method": "simulation", "plan": plan_id, **changes}


def test_turning_a_control_moves_the_end_the_way_it_should(client, archive):
    """Older, colder and half full end sooner; the words say why; the burst of the communicator ends the panel before its charge is spent."""
    as_is = play(client, archive, "main-panel").json["lines"][0]
    assert as_is["code"] == "burst"
    assert "burst of Cellular communicator" in as_is["why"]
    assert as_is["end_h"] == pytest.approx(client_end(client, archive), rel=1e-3)
    ends = [
        as_is["end_h"],
        *(
            play(client, archive, "main-panel", **turned).json["lines"][0]["end_h"]
            for turned in ({"condition": 50}, {"degc": -5}, {"full": 50})
        ),
    ]
    assert all(other < ends[0] for other in ends[1:])
    with_alarm = play(client, archive, "main-panel", alarm=1, alarm_at=4, alarm_min=30).json["lines"][0]
    assert [m["kind"] for m in with_alarm["marks"]][:2] == ["alarm", "alarm_over"]
    lengths = {len(as_is[name]) for name in ("t", "v", "i", "full", "degc")}
    assert len(lengths) == 1
    assert as_is["t"] == sorted(set(as_is["t"]))
    assert "the end" in as_is["events"]


def client_end(client, site_id):
    """Return the end of the same outage as its CSV has it: the last time but for what comes after it."""
    text = client.get(f"{BASE.format(site_id)}outage/timeline.csv?supply=main-panel").text
    found = list(csv.DictReader(io.StringIO(text)))
    assert list(found[0]) == ["t_h", "terminal_v", "current_a", "charge_left_ratio", "temperature_degc"]
    return next(float(r["t_h"]) for r in found if float(r["terminal_v"]) <= 10.8)


def test_the_whole_plan_is_played_at_once_and_what_cannot_be_says_why(client, archive):
    """Four lines with their names; a temperature outside the tables, a supply that is not there, another organisation's site."""
    lines = play(client, archive, "all").json["lines"]
    assert [line["name"] for line in lines] == ["Main panel", "Bay A", "Bay B", "Fire panel"]
    assert all(len({len(line[column]) for column in ("t", "v", "i", "full", "degc")}) == 1 for line in lines)
    assert "This is standby alone: with the alarm that a supply must carry" in client.get(f"{BASE.format(archive)}outage?supply=all").text
    text = client.get(f"{BASE.format(archive)}outage/timeline.csv?supply=all").text
    assert list(dict.fromkeys(r["supply"] for r in csv.DictReader(io.StringIO(text)))) == ["Main panel", "Bay A", "Bay B", "Fire panel"]
    cold = play(client, archive, "main-panel", degc=-19, swing=10)
    assert (cold.status_code, "no figure is given outside it" in cold.json["message"]) == (422, True)
    for wrong in ({"condition": -5}, {"condition": "nan"}, {"full": 0}, {"swing": "-1"}, {"alarm_min": "1e9"}, {"degc": "warm"}):
        refused = play(client, archive, "main-panel", **wrong)
        assert (refused.status_code, f"{next(iter(wrong))} must be a number from" in refused.json["message"]) == (422, True)
        query = "&".join(f"{k}={v}" for k, v in wrong.items())
        assert client.get(f"{BASE.format(archive)}outage/timeline.csv?supply=main-panel&{query}").status_code == 422
    assert play(client, archive, "nowhere").status_code == 404
    for page in ("outage", "schools", "battery", "outage/survival", "outage/timeline.csv"):
        assert client.get(f"{BASE.format(archive)}{page}?supply=nowhere").status_code == 404
        assert client.get(f"/sites/{archive}/no-plan/{page}").status_code == 404


def test_pages_of_a_foreign_site_are_not_there(client, conninfo):
    """Whatever the page."""
    foreign = other_organisation(conninfo, document())
    for page in ("outage", "schools", "battery", "outage/play?supply=s", "outage/survival?supply=s", "outage/timeline.csv?supply=s"):
        assert client.get(f"{BASE.format(foreign['site'])}{page}").status_code == 404


def test_the_survival_curve_grows_and_is_the_same_again(client, archive):
    """A hundred samples, then four hundred: deterministic, and worded beside the band."""
    first, second, again = (client.get(f"{BASE.format(archive)}outage/survival?supply=bay-b&chunks={n}").json for n in (1, 2, 1))
    assert (first["samples"], first["more"], second["samples"]) == (100, True, 400)
    assert first == again
    assert "practically never" in second["text"]
    assert second["holds"][0] == 100


def test_the_schools_open_to_their_working_and_name_their_factors(client, archive):
    """Every Ah and every hour of the table opens; the prescribed one is marked; what parts them is said."""
    page = unescape(client.get(f"{BASE.format(archive)}schools?supply=fire-panel").text)
    assert re.search(r"Standard formula <em>prescribed</em>", page)
    links = set(re.findall(r'data-open="(/sites/[^"]+/working/fire-panel/[^"]+)"', page))
    assert len([link for link in links if "/method_" in link]) == 8
    assert len([link for link in links if "/standby_" in link]) == 8
    for link in links:
        assert client.get(link, headers=SCRIPT).status_code == 200
    assert "leaves out cold" in page
    assert "Source:" in client.get(next(link for link in links if "standby_section" in link), headers=SCRIPT).text


def test_the_battery_sheet_shows_the_table_with_its_suspect_row(client, archive):
    """Eleven rows, one suspect; ratings at other hours and ends; a battery without a table is told what one would do."""
    page = client.get(f"{BASE.format(archive)}battery?supply=fire-panel").text
    assert page.count("row-suspect") == 1
    assert "within ±3 %" in page
    assert "Paste the maker" in client.get(f"{BASE.format(archive)}battery?supply=bay-a").text


def test_a_pasted_table_with_a_bad_row_is_asked_about_and_faults_are_told_by_line(client, archive, conninfo):
    """A line that cannot be read stands beside the field; a row off by a slip of ten is asked, and kept when it is said to be right."""
    (supply,) = rows(conninfo, "SELECT id, version FROM supply WHERE name = 'Bay A' AND plan_id = 1 AND removed_at IS NULL")
    plan_id = rows(conninfo, "SELECT plan_id AS id FROM supply WHERE id = %s", supply["id"])[0]["id"]
    html = client.get(f"/records/supply/{supply['id']}?plan={plan_id}").json["html"]
    form = {name: unescape(value) for name, value in re.findall(r'name="(\w+)"[^>]* value="([^"]*)"', html)}
    form |= {
        n: re.search(rf'name="{n}".*?<option selected value="([^"]*)"', html, re.DOTALL).group(1)
        for n in ("kind", "requirement_id", "bank_chemistry", "charge_mode", "charge_compensated", "current_limited")
    }
    form |= {"plan": plan_id, "dc_wakes_on_load": ""}
    form.pop("enclosure_gas_tight", None)
    good = "0.85 A; 20 h; 10.5 V\n1.58 A; 10 h; 10.5 V\n2.91 A; 5 h; 10.5 V\n10.3 A; 1 h; 10.5 V\n17.5 A; 30 min; 10.5 V"
    unread = client.post(f"/records/supply/{supply['id']}", {**form, "bank_discharge_table": good + "\n12 5 10.5"})
    assert (unread.status_code, "Line 6" in unread.json["html"]) == (422, True)
    bad = good.replace("2.91 A", "29.1 A")
    asked = client.post(f"/records/supply/{supply['id']}", {**form, "bank_discharge_table": bad})
    assert asked.status_code == 422
    assert "does not go with the other rows" in asked.json["html"]
    assert "29.1 A; 5 h" in asked.json["html"]
    kept = client.post(f"/records/supply/{supply['id']}", {**form, "bank_discharge_table": bad, "sure": "1"})
    assert kept.status_code == 200
    (row,) = rows(conninfo, "SELECT discharge_table AS t FROM bank WHERE supply_id = %s", supply["id"])
    assert len(row["t"]) == 5
    assert "29.1 A for 5 h" in unescape(client.get(f"{BASE.format(archive)}battery?supply=bay-a").text)


def test_a_profile_fills_a_requirement_and_one_of_our_own_is_kept(client, archive, conninfo):
    """Shipped ones carry their source and a word of caution; ours come first, and are edited in the library."""
    plan_id, form = requirement_form(client, conninfo, archive)
    offered = unescape(client.get(f"/records/requirement/new?plan={plan_id}").json["html"])
    assert "Strongroom humidity, 8 h" in offered
    assert offered.index("Our own") < offered.index("EN 50131-6")
    assert "check the edition in force" in offered
    filled = client.get(f"/records/requirement/new?plan={plan_id}&profile=fire-24-5").json["html"]
    assert re.search(r'name="recharge_h"[^>]* value="48 h"', filled)
    assert re.search(
        r'name="standby_h"[^>]* value="8 h"',
        client.get(f"/records/requirement/new?plan={plan_id}&profile=own:strongroom-humidity-8-h").json["html"],
    )
    assert client.get(f"/records/requirement/new?plan={plan_id}&profile=nothing").status_code == 404
    added = client.post("/records/requirement/new", {**form, "name": "Plant room, 6 h", "standby_h": "6 h", "response_h": "2 h"})
    assert added.status_code == 200
    (requirement,) = rows(conninfo, "SELECT id FROM requirement WHERE name = 'Plant room, 6 h'")
    assert "is kept as a profile" in client.post(f"/library/profiles/keep/{requirement['id']}").json["notice"]
    assert "Plant room, 6 h" in client.get("/library/").text
    assert client.post("/library/profiles/keep/999999").status_code == 404


def test_blocks_in_stock_are_what_is_proposed(client, archive, conninfo):
    """One 45 Ah block on the shelf: the weak bay is to be fitted with it, and with what is sold again once it is removed."""
    form = {"name": "Shelf 45", "chemistry": "lead_agm", "block_v": "12 V", "capacity_ah": "45 Ah", "rate_h": "20 h"}
    assert client.post("/records/stock/new", {**form, "block_v": "13.1 V"}).status_code == 422
    before = unescape(client.get(f"/sites/{archive}").text)
    assert client.post("/records/stock/new", form).status_code == 200
    page = unescape(client.get(f"/sites/{archive}").text)
    assert "2 × 12 V 45 Ah in parallel" in page
    assert "2 × 12 V 24 Ah in parallel" in before
    (block,) = rows(conninfo, "SELECT id, version FROM stock WHERE name = 'Shelf 45'")
    assert client.post(f"/records/stock/{block['id']}/remove", {"version": block["version"]}).status_code == 200
    assert "2 × 12 V 24 Ah in parallel" in unescape(client.get(f"/sites/{archive}").text)


def test_a_site_with_nothing_in_it_teaches_the_next_step(client):
    """No supply, no battery, nothing that draws, and a kind that is not modelled yet."""
    site = client.post("/records/site/new", {"name": "Empty Quay", "typical_degc": "18", "min_degc": "5"}).json["go"]
    site_id = int(site.split("/")[2])
    for page, words in (("outage", "An outage is played once"), ("schools", "compared once"), ("battery", "comes with the first supply")):
        assert words in client.get(f"{BASE.format(site_id)}{page}").text
