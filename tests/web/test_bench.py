"""The bench over HTTP: a device and a lot from nothing to what plans go by, faults at their fields, and a discharge that is timed while it runs."""

import json
import re
from datetime import UTC, datetime, timedelta

import pytest
from web.client import Client, rows

from ypomoni.core.things.discharge_tests import DischargeEnd


@pytest.fixture
def client(app):
    return Client(app)


DEVICE = {"name": "Cellular communicator", "supply_v": "12 V", "claim_current_a": "30 mA"}
LOT = {
    "name": "Shelf",
    "chemistry": "lead_agm",
    "block_v": "12 V",
    "capacity_ah": "7 Ah",
    "rate_h": "20 h",
    "is_charged": "y",
    "rested_h": "14 h",
}
LOT |= {"temperature_degc": "20 °C", "load_a": "3.5 A", "load_s": "10 s", "series": "2"}
LOT |= {"sag_doubtful_ratio": "10 %", "sag_reject_ratio": "20 %", "resistance_doubtful_ratio": "30 %", "resistance_reject_ratio": "50 %"}


def begun(client, room, form):
    answer = client.post(f"/bench/{room}/new", form, script=False)
    assert answer.status_code == 302, answer.text
    return answer.headers["Location"]


def test_a_device_is_stepped_through_its_modes_and_plans_go_by_it(client, conninfo):
    """Its verdict, the loads of its name with before and after, one click for those that are ticked, one for the library; undone in the history."""
    at = begun(client, "devices", DEVICE)
    for mode in (
        {"name": "armed", "use": "standby", "current_a": "66 mA", "least_a": "64 mA", "greatest_a": "68 mA"},
        {"name": "transmitting", "use": "burst", "current_a": "0.98 A", "duration_s": "8 s", "per_hour": "1 an hour"},
    ):
        assert client.post(f"{at}/parts", mode).json["words"].startswith(mode["name"])
    page = client.get(at).text
    assert "draws more than its sheet says" in page
    offered = re.findall(r'name="load" value="(\d+:\d+)"', page)
    loads = rows(
        conninfo, "SELECT l.* FROM load l JOIN plan p ON p.id = l.plan_id WHERE l.name = 'Cellular communicator' AND p.stage <> 'as_left'"
    )
    assert {int(o.partition(":")[0]) for o in offered} <= {r["id"] for r in loads}
    assert offered
    answer = client.post(f"{at}/correct", {"load": offered[:1]}, script=False, follow_redirects=True)
    assert "1 load now draws what was measured" in answer.text
    (load,) = rows(conninfo, "SELECT * FROM load WHERE id = %s", int(offered[0].partition(":")[0]))
    assert (load["standby_current_a"], load["standby_provenance"]) == (0.066, "measured")
    assert [(b["current_a"], b["duration_s"]) for b in load["bursts"]] == [(0.98, 8.0)]
    assert "library" in client.post(f"{at}/type", {}, script=False, follow_redirects=True).text
    (device,) = rows(conninfo, "SELECT * FROM device WHERE name = 'Cellular communicator'")
    assert (device["standby_current_a"], device["basis"]) == (0.066, "measured on our bench")


def test_the_same_mode_or_block_sent_twice_counts_once(client, conninfo):
    """A phone that lost its answer sends again; two people who measure one lot add to the same block."""
    at = begun(client, "devices", DEVICE)
    for _ in range(2):
        assert client.post(f"{at}/parts", {"name": "armed", "use": "standby", "current_a": "66 mA"}).status_code == 200
    assert [len(r["modes"]) for r in rows(conninfo, "SELECT modes FROM benched_device WHERE name = 'Cellular communicator'")] == [1]
    lot = begun(client, "lots", LOT)
    client.post(f"{lot}/parts", {"label": "B1", "rest_v": "12.9 V"})
    client.post(f"{lot}/parts", {"label": "b1", "load_v": "12.4 V"})
    (kept,) = rows(conninfo, "SELECT blocks FROM battery_lot WHERE name = 'Shelf'")
    assert [(b["rest_v"], b["load_v"]) for b in kept["blocks"]] == [(12.9, 12.4)]
    assert "good" in client.get(lot).text
    assert "B1" in client.get(f"{lot}/labels").text or "b1" in client.get(f"{lot}/labels").text


@pytest.mark.parametrize(
    ("room", "change", "field", "said"),
    [
        ("devices", {"claim_h": "80 h"}, "claim_ah", "hours mean something on a battery only"),
        ("devices", {"out_v": "5 V"}, "out_a", "go together"),
        ("devices", {"supply_v": "-3 V"}, "supply_v", "must"),
        ("devices", {"name": ""}, "name", "must not be empty"),
        ("lots", {"block_v": "7 V"}, "block_v", "whole number of"),
        ("lots", {"load_s": ""}, "load_s", "a load has seconds as well"),
        ("lots", {"sag_doubtful_ratio": "30 %"}, "sag_doubtful_ratio", "below the limit"),
        ("lots", {"tested_on": "2026-02-30"}, "tested_on", "must be a day"),
        ("lots", {"series": "0"}, "series", "must"),
    ],
)
def test_what_cannot_be_is_told_at_its_field_and_stays_typed(client, room, change, field, said):
    """With what would be right, and nothing that was typed is lost."""
    form = {**(DEVICE if room == "devices" else LOT), **change}
    answer = client.post(f"/bench/{room}/new", form, script=False)
    assert answer.status_code == 422
    entry = re.search(rf'<div class="entry entry-wrong">\s*<label for="{field}">.*?</div>', answer.text, re.DOTALL)
    assert entry, answer.text
    assert said in entry.group()
    assert all(f'value="{v}"' in answer.text for k, v in change.items() if v)


@pytest.mark.parametrize(
    ("room", "part", "field", "said"),
    [
        ("devices", {"name": "x", "use": "standby", "current_a": "60"}, "current_a", "unit"),
        ("devices", {"name": "x", "use": "burst", "current_a": "60 mA"}, "duration_s", "how long it lasts"),
        ("devices", {"name": "x", "use": "standby", "current_a": "60 mA", "least_a": "70 mA"}, "least_a", "above the mean"),
        (
            "devices",
            {"name": "x", "use": "burst", "current_a": "1 A", "duration_s": "8 s", "per_hour": "900 an hour"},
            "per_hour",
            "too often",
        ),
        ("lots", {"label": "1", "rest_v": "12.4 V", "load_v": "12.9 V"}, "load_v", "above the volts at rest"),
        ("lots", {"label": "", "rest_v": "12.4 V"}, "label", "empty"),
        ("lots", {"label": "1", "rest_v": "48 V"}, "rest_v", "look at the reading"),
        ("lots", {"label": "1", "made": "2023"}, "made", "month"),
        ("lots", {"label": "1", "resistance_ohm": "22"}, "resistance_ohm", "mΩ"),
    ],
)
def test_what_cannot_be_read_is_told_at_its_field(client, room, part, field, said):
    """As the page's script asks, and nothing is kept."""
    at = begun(client, room, DEVICE if room == "devices" else LOT)
    answer = client.post(f"{at}/parts", part)
    assert answer.status_code == 422
    assert said in answer.json["faults"][field]


def test_a_reading_that_cannot_be_corrects_nothing(client, conninfo):
    """Below the floor of its converter nothing is offered, and asking all the same is refused in words."""
    at = begun(client, "devices", {**DEVICE, "out_v": "5 V", "out_a": "0.42 A"})
    client.post(f"{at}/parts", {"name": "armed", "use": "standby", "current_a": "66 mA"})
    page = client.get(at).text
    assert "cannot be below 175 mA" in page
    assert 'name="load"' not in page
    assert "look at it again" in client.post(f"{at}/type", {}, script=False, follow_redirects=True).text
    assert rows(conninfo, "SELECT 1 FROM device WHERE name = 'Cellular communicator'") == []


# -- a discharge that is timed while it runs -------------------------------------------------------------------------------------------

TESTS = "/sites/1/as-found/tests"
BEGIN = {"supply": "bay-b", "run_degc": "18 °C", "run_current": "0.9 A", "run_end_v": "10.5 V", "run_meter": ""}


def run_begun(client, **more):
    answer = client.post(f"{TESTS}/running", {**BEGIN, **more}, script=False)
    assert answer.status_code == 302, answer.text
    return answer.headers["Location"]


def test_a_discharge_is_timed_by_hand_and_becomes_a_test(client, conninfo):
    """The prediction is fixed first; readings count once; the first at the end voltage ends it; the page cries out, and says until when it is weak."""
    at = run_begun(client)
    (run,) = rows(conninfo, "SELECT * FROM discharge_run ORDER BY id DESC LIMIT 1")
    assert run["predicted"]["low"] < run["predicted"]["expected"] < run["predicted"]["high"]
    assert "Foreseen" in client.get(at).text
    begun_at = datetime.now(UTC) - timedelta(hours=13)
    with_psycopg = "UPDATE discharge_run SET begun_at = %s WHERE id = %s RETURNING id"
    rows(conninfo, with_psycopg, begun_at, run["id"])
    for n, (hours, volts) in enumerate(((1, "12.5 V"), (6, "11.9 V"), (11.5, "10.49 V"), (12, "10.1 V"))):
        reading = {"volts": volts, "current": "0.9 A", "token": f"{n:032x}", "read_at": (begun_at + timedelta(hours=hours)).isoformat()}
        for _ in range(2):
            assert client.post(f"{at}/readings", reading).status_code == 200
    page = client.get(at).text
    assert "the end voltage is reached" in page
    (plan,) = rows(conninfo, "SELECT version, tests FROM plan WHERE id = 1")
    before = len(plan["tests"])
    done = client.post(f"{at}/end", {"version": plan["version"]}, script=False, follow_redirects=True)
    assert "weak until about" in done.text
    (plan,) = rows(conninfo, "SELECT version, tests FROM plan WHERE id = 1")
    test = plan["tests"][-1]
    assert len(plan["tests"]) == before + 1
    assert (test["ended"], test["end_v"], test["ran_h"]) == (DischargeEnd.END_VOLTAGE.value, 10.5, pytest.approx(11.5, abs=0.01))
    assert (test["current_a"], len(test["samples"])) == (pytest.approx(0.9), 3)
    assert client.post(f"{at}/readings", {"volts": "12 V", "token": "f" * 32}).status_code == 422


def test_a_discharge_that_is_stopped_is_a_lower_bound_and_one_may_be_given_up(client, conninfo):
    """Above its end voltage it was stopped; without any volts it is no test; a second one of the same battery is refused."""
    at = run_begun(client, run_current="")
    assert "on average, by its own loads" in client.get(at).text
    second = client.post(f"{TESTS}/running", BEGIN, script=False)
    assert second.status_code == 422
    assert "being timed already" in second.text
    (plan,) = rows(conninfo, "SELECT version FROM plan WHERE id = 1")
    refused = client.post(f"{at}/end", {"version": plan["version"]}, script=False, follow_redirects=True)
    assert "must be read at least once" in refused.text
    (run,) = rows(conninfo, "UPDATE discharge_run SET begun_at = now() - interval '5 hours' WHERE ended_at IS NULL RETURNING *")
    client.post(f"{at}/readings", {"volts": "11.8 V", "current": "2 A", "token": "a" * 32})
    client.post(f"{at}/end", {"version": plan["version"]}, script=False)
    (plan,) = rows(conninfo, "SELECT version, tests FROM plan WHERE id = 1")
    assert plan["tests"][-1]["ended"] == "stopped"
    # What its loads drew at one instant is not what they draw.
    assert plan["tests"][-1]["current_a"] == pytest.approx(run["mean_a"])
    other = run_begun(client)
    assert "given up" in client.post(f"{other}/give-up", {}, script=False, follow_redirects=True).text
    assert len(rows(conninfo, "SELECT 1 FROM plan WHERE id = 1 AND jsonb_array_length(tests) = %s", len(plan["tests"]))) == 1


@pytest.mark.parametrize(
    ("change", "field", "said"),
    [
        ({"run_end_v": "9 V"}, "run_end_v", "below it this battery is ruined"),
        ({"run_end_v": "13.5 V"}, "run_end_v", "below what this battery shows full"),
        ({"run_degc": "hot"}, "run_degc", "must"),
        ({"run_current": "", "run_meter": "127.0.0.1:5025"}, "run_current", "electronic load"),
        ({"run_meter": "10.0.0.9:5025"}, "run_meter", "YPOMONI_METERS"),
    ],
)
def test_a_discharge_that_must_not_begin_does_not(client, conninfo, change, field, said):
    """With what would be right beside its field; nothing is begun."""
    answer = client.post(f"{TESTS}/running", {**BEGIN, **change}, script=False)
    assert answer.status_code == 422
    entry = re.search(rf'<div class="entry entry-wrong"><label for="{field}">.*?</div>', answer.text, re.DOTALL)
    assert said in entry.group()
    assert rows(conninfo, "SELECT 1 FROM discharge_run") == []


def test_who_looks_on_gets_what_is_new(client, conninfo):
    """Once as a stream from where the browser was, once when asked; a stream of a log that ended ends too."""
    log_id = rows(conninfo, "SELECT id FROM recording ORDER BY id LIMIT 1")[0]["id"]
    answer = client.get(f"/bench/logs/{log_id}/stream?after=7190")
    assert answer.mimetype == "text/event-stream"
    lines = answer.text.splitlines()
    assert lines[0] == "id: 7200"
    news = json.loads(lines[1].removeprefix("data: "))
    assert (len(news["t"]), news["state"]) == (10, "done")
    asked = client.get(f"/bench/logs/{log_id}/news?after=7195").json
    assert (len(asked["a"]), asked["n"]) == (5, 7200)
