"""The site file: every fault at once with its path and what would be right; the schema in docs is the one in force."""

import json
import math
import subprocess
import sys
from pathlib import Path

import pytest
from builders import audited, document, evaluate, reading
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.measuring.reconciliation import reconcile_plan
from ypomoni.core.requirements import Method
from ypomoni.documents.faults import DocumentFaults
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import json_schema, read_site, read_site_text, write_site

ROOT = Path(__file__).parent.parent.parent


def faults(found):
    with pytest.raises(DocumentFaults) as caught:
        read_site(found)
    return {f.path: f.message for f in caught.value.faults}


def test_all_faults_are_told_at_once_with_path_and_what_would_be_right():
    """Shape, range, unknown keys, references, rails, duty, cells, doubles: in one answer."""
    found = document(
        supply={"bank": {"capacity_ah": -7, "block_v": 13}, "cutof_v": 11, "output_limit_a": "2 A", "requirement": "fire"},
        loads=[
            {"rail_v": 5},
            {"supply": "bay-c", "bursts": [{"current_a": 1, "duration_s": 3600, "per_hour": 2}]},
            {"quantity": 1.5, "standby": {"provenance": "guess"}},
        ],
        site={"min_degc": 25},
    )
    del found["plans"][0]["supplies"][0]["charge_v"]
    found["plans"][0]["loads"][2]["key"] = "l1"
    told = faults(found)
    at = "plans[0].supplies[0]"
    assert told[f"{at}.bank.capacity_ah"] == "must be above 0, was -7."
    assert told[f"{at}.cutof_v"].endswith("the nearest is cutoff_v.")
    assert told[f"{at}.output_limit_a"] == "must be a number, was '2 A'."
    assert told[f"{at}.charge_v"] == "is missing."
    assert "not in requirements ('r')" in told[f"{at}.requirement"]
    assert "within 20 % of the supply's nominal_v (12 V)" in told["plans[0].loads[0].rail_v"]
    assert "('s')" in told["plans[0].loads[1].supply"]
    assert "active 200% of the time" in told["plans[0].loads[1]"]
    assert told["plans[0].loads[2].quantity"] == "must be a whole number, was 1.5."
    assert "must be one of" in told["plans[0].loads[2].standby.provenance"]
    assert "key of entry 1 already" in told["plans[0].loads[2].key"]
    assert "must not be above the typical one (20 °C)" in told["site.min_degc"]
    assert "12 V or 14 V would be right" in faults(document(supply={"bank": {"block_v": 13}}))[f"{at}.bank"]


def test_optional_keys_may_be_left_out_and_null_means_none():
    """Only what the definition calls optional; a bare requirement gets the usual factors."""
    site_file = read_site(document())
    assert site_file.requirements[0].derating.usable_ratio == 0.65
    assert evaluate(supply={"cutoff_v": None}).limited_by == "end_voltage"
    assert evaluate(loads=[{"alarm": None}]).alarm_current_a == evaluate().standby_current_a


def test_what_is_written_reads_back_the_same():
    """Every key, numbers to the last digit."""
    site_file = read_site(document(loads=[{"standby": {"current_a": 0.1 + 0.2}}]))
    assert read_site_text(write_site(site_file)) == site_file


def test_the_schema_in_docs_is_the_one_in_force():
    """Written by tools/write_schema.py."""
    assert json.loads((ROOT / "docs" / "site-file.schema.json").read_text()) == json.loads(json.dumps(json_schema()))


JSON_VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8), lambda inner: st.lists(inner, max_size=3), max_leaves=4
)


def rich():
    """Return a file that has every key there is."""
    loads = [
        {"key": "a", "place": "p", "branch": "N", "bus_group": "B", "purpose": "security", "cable": {"length_m": 30, "section_mm2": 0.5}},
        {"key": "b", "thermostats": [{"current_a": 1, "below_degc": 5}], "recharges": [{"charge_ah": 1, "battery_v": 4, "per_day": 2}]},
        {"key": "c", "rail_v": 230, "ac": {"apparent_va": 40, "power_factor_ratio": 0.7}, "supply": None},
        {"key": "d", "standby": {"current_a": 0.1, "provenance": "measured", "uncertainty_a": 0.002, "reading": "r1"}},
        {"key": "e", "rail_v": 230, "ac": {"power_factor_ratio": 0.7}, "supply": None},
    ]
    readings = [
        reading("r1", "at-d", 0.1, instrument="meter", taken_at="2026-11-20T10:00:00+00:00"),
        reading("r2", "output", 0.5, min_a=0.4, max_a=0.6, supersedes="r1", reason="x", battery_v=12.5),
    ]
    found = audited(loads=loads, readings=readings, places=[{"key": "p", "name": "P", "monthly_degc": [1.0] * 12}])
    found["plans"][0]["points"] = [p for p in found["plans"][0]["points"] if p.get("load") not in ("c", "e")]
    found["plans"][0]["supplies"][0] |= {
        "charge_mode": "cyclic",
        "charge_compensated": True,
        "current_limited": True,
        "max_degc": 41,
        "enclosure": {"volume_m3": 0.3, "gas_tight": False},
    }
    found["plans"][0]["supplies"][0]["bank"]["bms"] = {"limit_a": 20, "cutoff_v": 10, "charges_from_degc": 0}
    found["plans"][0]["loads"][0] |= {"lock": "fail_secure", "escape_route": True, "ride_through_ms": 20}
    found["requirements"][0]["purpose"] = "fire"
    found["plans"][0]["supplies"][0]["totals"] = [{"point": "output", "current_a": 0.5, "uncertainty_a": 0.01, "at_v": 12, "reading": "r2"}]
    return found


def test_a_file_with_every_key_reads_back_the_same_and_is_computed():
    """Written and read again it is the same, and every supply gets its answer."""
    once = write_site(read_site(rich()))
    assert write_site(read_site_text(once)) == once
    result = evaluate_plan(to_core(read_site(rich())).plans[0])
    assert result.supplies[0].holdover is not None


@pytest.mark.parametrize(
    ("change", "path", "words"),
    [
        (lambda p: p["points"][3].update(parent="at-a"), "points[3].parent", "must not be a device"),
        (lambda p: p["points"][0].update(parent="output"), "points[0].parent", "measuring points form a tree"),
        (lambda p: p["points"][2].update(load=None), "points[2].load", "a device's point names its load"),
        (lambda p: p["points"][1].update(load="a"), "points[1].load", "only a device's point names a load"),
        (lambda p: p["points"][2].update(load="c"), "points[2].load", "is not on the supply 's'"),
        (lambda p: p["points"][1].update(supply="x"), "points[1].supply", "names 'x', which is not among the supplies"),
        (lambda p: p["readings"][0].update(point="x"), "readings[0].point", "('at-a', 'at-b', 'at-d', 'battery', 'output')"),
        (lambda p: p["readings"][0].update(instrument="x"), "readings[0].instrument", "('meter')"),
        (lambda p: p["readings"][1].update(supersedes="r2"), "readings[1].supersedes", "other readings of this plan ('r1')"),
        (lambda p: p["readings"][1].update(reason=" "), "readings[1]", "says why"),
        (lambda p: p["readings"][1].update(min_a=0.7), "readings[1]", "min_a must not be above max_a"),
        (lambda p: p["readings"][0].update(taken_at="2026-11-20 10:00"), "readings[0].taken_at", "must say its zone"),
        (lambda p: p["readings"][0].update(state="stnadby"), "readings[0].state", "Did you mean standby?"),
        (lambda p: p["supplies"][0]["totals"][0].update(point="x"), "supplies[0].totals[0].point", "its points"),
        (lambda p: p["loads"][3]["standby"].update(reading="x"), "loads[3].standby.reading", "readings of this plan"),
        (lambda p: p["loads"][0].update(place="x"), "loads[0].place", "among the places ('p')"),
        (lambda p: p["loads"][1]["thermostats"][0].update(above_degc=30), "loads[1].thermostats[0]", "one of below_degc and above_degc"),
        (lambda p: p["loads"][1]["recharges"][0].update(charge_ah=None), "loads[1].recharges[0]", "energy_wh is missing"),
        (lambda p: p["loads"][2]["ac"].update(power_w=50), "loads[2].ac", "power_w must not be above apparent_va (40 VA)"),
        (lambda p: p["loads"][0]["cable"].update(section_mm2=0), "loads[0].cable.section_mm2", "must be at least 0.01"),
    ],
)
def test_each_fault_of_an_audit_has_its_path_and_says_what_would_be_right(change, path, words):
    """References, trees, moments, possible watts."""
    found = rich()
    change(found["plans"][0])
    told = faults(found)
    assert words in told[f"plans[0].{path}"]


def test_months_are_twelve_and_temperatures_in_order():
    """Of a place too."""
    found = rich()
    found["places"][0] |= {"monthly_degc": [1.0] * 11, "typical_degc": 2.0, "min_degc": 9.0}
    told = faults(found)
    assert "places[0].monthly_degc" in told
    assert "must not be above the typical one" in told["places[0].min_degc"]


@settings(max_examples=300, deadline=None)
@given(data=st.data(), value=JSON_VALUES)
def test_any_value_anywhere_is_taken_or_refused_with_a_path(data, value):
    """Replacing any entry of a good file by anything never raises anything but faults; what is taken is computed."""
    found = rich()
    here = found
    while isinstance(here, (dict, list)) and here:
        key = data.draw(st.sampled_from(sorted(here) if isinstance(here, dict) else range(len(here))))
        if not isinstance(here[key], (dict, list)) or data.draw(st.booleans()):
            here[key] = value
            break
        here = here[key]
    told = []
    try:
        taken = read_site(found)
    except DocumentFaults as error:
        told = error.faults
    else:
        for plan in to_core(taken).plans:
            assert all(math.isfinite(n.sum_a) for n in reconcile_plan(plan))
    assert all(f.message for f in told)


@pytest.fixture
def file(tmp_path):
    return tmp_path / "site.json"


def command(*arguments):
    return subprocess.run(
        [sys.executable, "-m", "ypomoni", *map(str, arguments)], capture_output=True, text=True, check=False, env={"PATH": ""}
    )


def calc(*arguments):
    return command("calc", *arguments)


def test_calc_answers_in_the_published_shape_without_a_database(file):
    """Exit 0 with every published key; the table without --json names the verdict and the weak supply."""
    file.write_text(json.dumps(document(loads=[{"quantity": 3}])))
    done = calc(file, "--json", "--survival")
    assert done.returncode == 0
    plan = json.loads(done.stdout)["plans"][0]
    assert (plan["verdict"], plan["meets_requirement"], plan["weakest_supply"]) == ("fails", False, "s")
    supply = plan["supplies"][0]
    assert set(supply["holdover_h"]) == {"low", "expected", "high"}
    assert set(supply["scenarios_h"]) == {"fresh", "cold", "end_of_life", "worst"}
    assert [m["method"] for m in supply["methods"]] == [m.value for m in Method if m.value != "simulation"] + ["simulation"]
    assert all(m["holdover_h"] > 0 for m in supply["methods"])
    band, survival = supply["holdover_h"], supply["survival"]
    assert survival["samples_count"] == 1000
    assert survival["low_h"] == pytest.approx(band["low"], rel=0.1)
    assert survival["high_h"] == pytest.approx(band["high"], rel=0.1)
    assert set(supply["recommended_bank"]) == {"chemistry", "block_v", "capacity_ah", "rate_h", "series", "parallel"}
    assert set(supply["findings"][0]) == {"code", "severity", "evidence", "source", "way_out"}
    assert "Bay gives out first" in calc(file).stdout


def test_calc_takes_places_points_readings_and_instruments(file):
    """An audited file is computed, and what its readings say against each other is among the findings."""
    found = audited(loads=[{"key": "a"}], readings=[reading("r1", "output", 302.0, instrument="meter")])
    file.write_text(json.dumps(found))
    done = calc(file, "--json")
    assert done.returncode == 0, done.stderr
    (supply,) = json.loads(done.stdout)["plans"][0]["supplies"]
    assert "unit_slip_suspected" in [f["code"] for f in supply["findings"]]
    found["plans"][0]["readings"][0]["point"] = "nowhere"
    file.write_text(json.dumps(found))
    done = calc(file, "--json")
    assert done.returncode == 2
    assert json.loads(done.stdout)["faults"][0]["path"] == "plans[0].readings[0].point"


def test_calc_gives_null_where_there_is_no_figure(file):
    """Nothing draws, and what is not modelled yet; no bank holds nothing."""
    file.write_text(json.dumps(document(loads=[])))
    supply = json.loads(calc(file, "--json").stdout)["plans"][0]["supplies"][0]
    assert (supply["holdover_h"], supply["limited_by"], supply["verdict"]) == (None, "nothing_draws", None)
    file.write_text(json.dumps(document(supply={"kind": "ac_ups"})))
    supply = json.loads(calc(file, "--json").stdout)["plans"][0]["supplies"][0]
    assert (supply["holdover_h"], supply["limited_by"], supply["verdict"]) == (None, "not_modelled_yet", "unknown")
    assert supply["meets_requirement"] is None
    file.write_text(json.dumps(document(supply={"bank": None})))
    supply = json.loads(calc(file, "--json").stdout)["plans"][0]["supplies"][0]
    assert (supply["holdover_h"]["expected"], supply["limited_by"], supply["recommended_bank"]) == (0, "no_bank", None)


def test_calc_gives_a_plan_findings_of_its_own_and_says_what_it_begins_with_and_did_not_check(file):
    """A sounder for life safety on nothing fails the plan; LiFePO4 at 3.325 V a cell begins at about 0.8; the table says both."""
    lfp = {"charge_v": 13.3, "cutoff_v": 11.2, "bank": {"chemistry": "lifepo4", "block_v": 12.8, "capacity_ah": 20}}
    sounder = {"name": "Sounder", "supply": None, "purpose": "life_safety"}
    file.write_text(json.dumps(document(supply=lfp, loads=[{}, sounder], requirement={"recharge_h": None})))
    plan = json.loads(calc(file, "--json").stdout)["plans"][0]
    assert [(f["code"], f["severity"]) for f in plan["findings"]] == [("load_unassigned", "fails")]
    (supply,) = plan["supplies"]
    assert (plan["verdict"], plan["meets_requirement"], supply["verdict"]) == ("fails", False, "holds")
    assert supply["starts_at_ratio"] == pytest.approx(0.83, abs=0.01)
    assert "fuses and wiring of the battery" in supply["not_checked"]
    said = calc(file).stdout
    assert "No supply feeds Sounder (for life safety)" in said
    assert "not checked of Bay:" in said


def test_calc_tells_all_faults_and_exits_with_2(file):
    """As JSON where that was asked for; a missing file too."""
    file.write_text(json.dumps(document(supply={"bank": {"capacity_ah": 0}, "nominal_v": -12})))
    done = calc(file, "--json")
    assert done.returncode == 2
    assert {f["path"] for f in json.loads(done.stdout)["faults"]} == {
        "plans[0].supplies[0].bank.capacity_ah",
        "plans[0].supplies[0].nominal_v",
    }
    missing = calc(file.with_name("none.json"), "--json")
    assert missing.returncode == 2
    assert "cannot be read" in json.loads(missing.stdout)["faults"][0]["message"]


def test_simulate_plays_one_outage_and_names_what_is_not_there(file, tmp_path):
    """Why, events and samples as JSON; the same timeline as CSV; a key or a temperature that cannot be exits with 2 and says so."""
    bursts = [{"current_a": 1.9, "duration_s": 12, "per_hour": 2}]
    file.write_text(json.dumps(document(supply={"low_battery_v": 11.8}, loads=[{"bursts": bursts}])))
    out = tmp_path / "timeline.csv"
    asked = ("--plan", "as-found", "--supply", "s")
    done = command("simulate", file, *asked, "--json", "--csv", out)
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    assert found["end_h"] == pytest.approx(json.loads(calc(file, "--json").stdout)["plans"][0]["supplies"][0]["endurance_h"], rel=1e-3)
    assert [e["mark"] for e in found["events"]] == ["warning", "cutoff"]
    assert len(out.read_text().splitlines()) == len(found["samples"]) + 1
    assert found["why"]["text"] in command("simulate", file, *asked).stdout
    aged = json.loads(
        command("simulate", file, *asked, "--json", "--condition", "0.6", "--degc", "0", "--full", "0.5", "--alarm-at", "1").stdout
    )
    assert aged["end_h"] < found["end_h"]
    for wrong in (("--plan", "x", "--supply", "s"), ("--plan", "as-found", "--supply", "x"), (*asked, "--degc", "-40")):
        refused = command("simulate", file, *wrong, "--json")
        assert refused.returncode == 2
        assert json.loads(refused.stdout)["faults"][0]["message"]


def test_a_discharge_table_and_stock_in_a_file_are_checked(file):
    """Rows that no such block could give are a fault at the bank; a table of one row, an end voltage above that of a full block."""
    found = document(supply={"bank": {"discharge_table": [{"current_a": 1.0, "run_h": 10, "end_v": 14.0}]}})
    file.write_text(json.dumps(found))
    faults = json.loads(calc(file, "--json").stdout)["faults"]
    assert [(f["path"], "at least 2 rows" in f["message"]) for f in faults] == [("plans[0].supplies[0].bank", True)]


def test_balance_names_the_fewest_moves_of_a_file(file):
    """Two heavy loads on one bay and none on the other: one goes; where nothing helps it says so, and a wrong key exits with 2."""
    found = document(loads=[{"key": "a", "standby": {"current_a": 0.4}}, {"key": "b", "standby": {"current_a": 0.41}}])
    found["plans"][0]["supplies"].append({**found["plans"][0]["supplies"][0], "key": "t", "name": "Other"})
    file.write_text(json.dumps(found))
    done = json.loads(command("balance", file, "--plan", "as-found", "--json").stdout)
    assert (done["found"], done["proven"], len(done["moves"])) == (True, True, 1)
    assert done["moves"][0]["to"] == "t"
    assert command("balance", file, "--plan", "nowhere").returncode == 2
    file.write_text(json.dumps(document(loads=[{"standby": {"current_a": 1.9}}])))
    assert "No placement" in command("balance", file, "--plan", "as-found").stdout


LINEAR = {"kind": "linear"}
SWITCHING = {"kind": "switching", "efficiency_ratio": 0.85}
# What cannot be: supply, load, where it is told; and a twin that can.
IMPOSSIBLE = {
    "a cut-off above a full battery's rest": ({"cutoff_v": 13.2}, {}, "plans[0].supplies[0].cutoff_v", {"cutoff_v": 12.0}, {}),
    "a linear converter that lifts": ({}, {"rail_v": 15, "converter": LINEAR}, "plans[0].loads[0]", {}, {"rail_v": 9, "converter": LINEAR}),
    "a least voltage above its rail": (
        {},
        {"rail_v": 5, "min_v": 10.8, "converter": SWITCHING},
        "plans[0].loads[0].min_v",
        {},
        {"rail_v": 5, "min_v": 4.7, "converter": SWITCHING},
    ),
}


@pytest.mark.parametrize("what", IMPOSSIBLE)
def test_an_impossible_voltage_is_a_fault_of_the_input_but_a_stored_site_stays_readable(what):
    """Refused with its path on the way in; read where it was stored before; the twin that is possible passes."""
    supply, load, path, good_supply, good_load = IMPOSSIBLE[what]
    with pytest.raises(DocumentFaults) as refused:
        read_site(document(supply, [load]))
    assert any(f.path.startswith(path) for f in refused.value.faults), refused.value.faults
    assert read_site(document(supply, [load]), stored=True)
    assert read_site(document(good_supply, [good_load]))


def test_calc_says_unknown_where_a_calculation_fails(monkeypatch, capfd):
    """One of three supplies breaks: it is unknown, what failed is told, and the others have their hours. A danger is said of it even so."""
    from ypomoni.cli import calc as command_of_calc
    from ypomoni.core.evaluation import evaluate as computing

    found = document(loads=[{}])
    for key, charge_v in (("t", 13.65), ("u", 25.2)):
        found["plans"][0]["supplies"].append(
            {**found["plans"][0]["supplies"][0], "key": key, "name": key, "own_current_a": 0.1, "charge_v": charge_v}
        )
    plans = to_core(read_site(found)).plans
    whole = computing.evaluate_supply

    def breaks(plan, supply):
        if supply.key in "tu":
            raise OverflowError("too long a period")
        return whole(plan, supply)

    monkeypatch.setattr(computing, "evaluate_supply", breaks)
    (result,) = command_of_calc.evaluate_plans(plans)
    assert [s.verdict for s in result.supplies] == ["holds", "unknown", "unsafe"]
    assert [f.code for f in result.supplies[1].findings] == ["calculation_failed"]
    assert [f.code for f in result.supplies[2].findings] == ["charge_voltage_dangerous", "calculation_failed"]
    assert "t: the calculation failed (OverflowError: too long a period)." in capfd.readouterr().err
