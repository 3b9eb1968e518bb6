"""Cables, thermostats, recharges and AC: the whole load register, against hand calculation and the one-second referee."""

import math

import pytest
import referee
from builders import audited, codes, document, evaluate, merged, reading

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.evaluation.workings import of_load
from ypomoni.core.outage.case import Case
from ypomoni.core.things.batteries import build_pack
from ypomoni.core.things.loads import Cable
from ypomoni.core.things.places import SPREAD_DEGC, Place, share_on
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site

BURST = {"current_a": 1.5, "duration_s": 8, "per_hour": 1}
CABLE = {"length_m": 20, "section_mm2": 1.0}


def test_cable_resistance_by_hand():
    """3 A through 10 m of 1.5 mm²: 0.69 V there and back; at 70 °C copper has 1.1965 times its resistance."""
    cable = Cable(length_m=10, section_mm2=1.5)
    assert 3 * cable.resistance_ohm(20) == pytest.approx(0.6896, abs=1e-4)
    assert cable.resistance_ohm(70) / cable.resistance_ohm(20) == pytest.approx(1.1965)


def case_of(loads, **more):
    plan = to_core(read_site(document(loads=loads, **more))).plans[0]
    return Case(plan.supplies[0], plan.loads)


@pytest.mark.parametrize("alarm_a", [0.9, 0.05])
def test_a_load_at_the_end_of_a_cable_ends_the_supply_when_the_referee_says(alarm_a):
    """Its floor is 10.8 V plus the drop of its own current at that moment: bursts and alarm move it. Holdover to 2 s of the referee's."""
    loads = [
        {"standby": {"current_a": 0.1, "provenance": "measured"}, "alarm": {"current_a": alarm_a, "provenance": "measured"}},
        {"standby": {"current_a": 0.12, "provenance": "measured"}, "min_v": 10.8, "cable": CABLE, "bursts": [BURST]},
    ]
    case = case_of(loads, supply={"bank": {"capacity_ah": 7}}, requirement={"alarm_min": 30})
    pack = build_pack(case.bank, condition_ratio=1.0, temperature_degc=20)
    plain = referee.plain(pack)
    theirs = [
        {"behaviour": "constant_current", "standby_a": 0.1, "alarm_a": alarm_a, "quantity": 1, "rail_v": 12.0, "bursts": []},
        {
            "behaviour": "constant_current",
            "standby_a": 0.12,
            "alarm_a": 0.12,
            "quantity": 1,
            "rail_v": 12.0,
            "bursts": [{**BURST, "offset_s": 0}],
        },
    ]
    ohm = 2 * 20 * 0.01724

    def ends_at(t_s, _):
        return max(10.5, 10.8 + ohm * (1.5 if t_s % 3600 < 8 else 0.12))

    found = case.holdover()
    assert found.end.cable_owner == "Beam"
    limit_s = found.holdover_h * 3600

    def carried(start_s):
        return referee.run(plain, theirs, 0.0, ends_at, start_s, 1800) is None

    # The referee's own first failing start: every start is tried to the second around the product's, coarser before.
    assert all(carried(s) for s in range(0, int(limit_s) - 3, 12_345))
    assert carried(limit_s - 2)
    assert not carried(limit_s + 2)
    assert case.run().carries(found.holdover_h - 0.01)
    assert not case.run().carries(found.holdover_h + 0.01)


def test_a_cable_never_lengthens_and_a_thicker_one_never_shortens():
    """Holdover falls with the length and rises with the section; without a least voltage a cable changes nothing."""
    base = {"standby": {"current_a": 0.4, "provenance": "measured"}, "min_v": 10.6}
    lengths = [evaluate(loads=[{**base, "cable": {"length_m": n, "section_mm2": 0.5}}]).holdover.expected for n in (1, 20, 60)]
    assert lengths == sorted(lengths, reverse=True)
    assert lengths[0] > lengths[2]
    thick = evaluate(loads=[{**base, "cable": {"length_m": 60, "section_mm2": 2.5}}]).holdover.expected
    assert lengths[2] < thick <= lengths[0] * 1.001
    free = {"standby": {"current_a": 0.4, "provenance": "measured"}}
    assert evaluate(loads=[{**free, "cable": CABLE}]).holdover == evaluate(loads=[free]).holdover


def test_share_of_time_of_a_thermostat_by_hand():
    """At its threshold half the time, one spread below 84.13 %; months of their own; the other side is the rest."""
    assert share_on(5.0, below_degc=5.0, above_degc=None) == pytest.approx(0.5)
    assert share_on(5.0 - SPREAD_DEGC, below_degc=5.0, above_degc=None) == pytest.approx(0.8413, abs=1e-4)
    assert share_on(8.0, below_degc=None, above_degc=5.0) == pytest.approx(1 - share_on(8.0, below_degc=5.0, above_degc=None))
    place = Place(key="p", name="Cabinet", typical_degc=12, min_degc=-10, monthly_degc=(1.0,) * 6 + (25.0,) * 6)
    winter = share_on(1.0, below_degc=5.0, above_degc=None)
    assert place.mean_share_ratio(below_degc=5.0, above_degc=None) == pytest.approx(winter / 2, abs=1e-6)
    assert place.greatest_share_ratio(below_degc=5.0, above_degc=None) == pytest.approx(winter)
    assert place.cold_share_ratio(below_degc=5.0, above_degc=None) == pytest.approx(1.0, abs=1e-3)


HEATER = {"name": "Heater", "standby": {"current_a": 0.0, "provenance": "measured"}, "thermostats": [{"current_a": 1.0, "below_degc": 5}]}


def test_a_heater_counts_on_average_in_the_cold_and_at_its_peak():
    """Average by the year's share, the cold scenario and sizing as on the coldest days, the peak in full; formulas get the hardest month."""
    months = [1.0] * 6 + [25.0] * 6
    found = document(loads=[{}, {**HEATER, "place": "cabinet"}], site={"min_degc": -5})
    found["places"] = [{"key": "cabinet", "name": "Cabinet", "typical_degc": 13, "min_degc": -5, "monthly_degc": months}]
    result = evaluate_plan(to_core(read_site(found)).plans[0]).supplies[0]
    winter = share_on(1.0, below_degc=5, above_degc=None)
    cold = share_on(-5.0, below_degc=5, above_degc=None)
    assert result.standby_current_a == pytest.approx(0.3 + winter / 2, abs=1e-6)
    assert result.peak_current_a == pytest.approx(1.3)
    plain = next(m.required_ah for m in result.methods if m.method == "plain")
    assert plain == pytest.approx(24.5 * (0.3 + cold))
    without = evaluate(loads=[{}], site={"min_degc": -5})
    # In the cold about 1.3 A are drawn in place of 0.3 A.
    assert result.scenarios.cold < without.scenarios.cold / 4
    assert result.holdover.low < result.holdover.expected * 0.8


def test_a_recharged_device_takes_its_energy_on_average():
    """2,600 mAh at 3.7 V, 80 % of it once a day at 0.8: 9.62 Wh a day, 0.4008 W, 33.4 mA at 12 V."""
    handset = {"charge_ah": 2.6, "battery_v": 3.7, "depth_ratio": 0.8, "per_day": 1, "efficiency_ratio": 0.8}
    result = evaluate(loads=[{"standby": {"current_a": 0.0, "provenance": "measured"}, "recharges": [handset]}])
    assert result.standby_current_a == pytest.approx(2.6 * 3.7 * 0.8 / 0.8 / 24 / 12)
    same = evaluate(
        loads=[
            {"standby": {"current_a": 0.0, "provenance": "measured"}, "recharges": [{"energy_wh": 9.62, "depth_ratio": 0.8, "per_day": 1}]}
        ]
    )
    assert same.standby_current_a == pytest.approx(result.standby_current_a)


def test_an_ac_load_is_kept_and_its_supply_not_modelled():
    """Watts come from volt-amperes and power factor; of a UPS whose output is not told no hours are named, and the register's judgements still are."""
    ac = {"name": "Recorder", "rail_v": 230, "ac": {"power_w": 32, "apparent_va": 32, "power_factor_ratio": 0.6}}
    found = document(loads=[ac], supply={"kind": "ac_ups"})
    del found["plans"][0]["loads"][0]["standby"]
    plan = to_core(read_site(found)).plans[0]
    assert plan.loads[0].ac.real_power_w == 32
    assert plan.loads[0].standby.current_a == pytest.approx(32 / 230)
    result = evaluate_plan(plan).supplies[0]
    assert (result.limited_by, result.holdover, result.verdict) == ("not_modelled_yet", None, "unknown")
    assert codes(result) == {"va_taken_for_w": "risk", "part_missing": "note"}
    assert "19.2 W" in result.findings[0].evidence


def test_a_micro_ampere_and_an_ampere_in_one_load_keep_their_digits():
    """3.1 µA asleep, 0.9 A for 0.4 s every 10 min: 3.1e-6·(1 − d) + 0.9·d, to the last digit."""
    burst = {"current_a": 0.9, "duration_s": 0.4, "per_hour": 6}
    result = evaluate(loads=[{"standby": {"current_a": 3.1e-6, "provenance": "measured"}, "bursts": [burst]}])
    duty = 6 * 0.4 / 3600
    assert result.standby_current_a == pytest.approx(3.1e-6 * (1 - duty) + 0.9 * duty, rel=1e-12)


EARNED = {
    "mains_on_counted_as_load": lambda: audited(
        loads=[{"key": "l0", "standby": {"current_a": 0.3, "provenance": "measured", "reading": "r"}}],
        readings=[reading("r", "battery", 0.3, mains="on")],
    ),
    "sum_total_disagree": lambda: audited(loads=[{"key": "l0"}], readings=[reading("r", "output", 0.47)]),
    "unit_slip_suspected": lambda: audited(loads=[{"key": "l0"}], readings=[reading("r", "output", 302.0)]),
    "nameplate_used_as_draw": lambda: document(loads=[{"standby": {"current_a": 0.3, "provenance": "nameplate"}}]),
    "own_battery_by_power_meter": lambda: audited(
        loads=[
            {
                "key": "l0",
                "standby": {"current_a": 0.01, "provenance": "measured", "reading": "r"},
                "recharges": [{"energy_wh": 10, "per_day": 1}],
            }
        ],
        readings=[reading("r", "at-l0", 0.045, hookup="power_meter")],
    ),
    "convenience_on_life_safety": lambda: document(loads=[{"purpose": "life_safety"}, {"name": "Lamp", "purpose": "convenience"}]),
    "cable_drop_starves": lambda: document(
        loads=[
            {
                "alarm": {"current_a": 0.9, "provenance": "measured"},
                "min_v": 10.5,
                "essential": False,
                "cable": {"length_m": 60, "section_mm2": 0.5},
            }
        ]
    ),
}


@pytest.mark.parametrize("code", EARNED)
def test_each_finding_of_the_audit_is_earned(code):
    """A site made to earn it does, with evidence, source and a way out; the same site without its cause does not."""
    result = evaluate_plan(to_core(read_site(EARNED[code]())).plans[0]).supplies[0]
    found = next(f for f in result.findings if f.code == code)
    assert found.severity.value in ("risk", "note")
    assert found.evidence.endswith((".", ").", "?")), found.evidence
    assert found.source
    assert found.way_out.endswith((".", "?"))
    assert code not in codes(evaluate())


def test_a_bus_group_over_two_supplies_is_called_out_on_both():
    """Devices on one data bus share a supply."""
    found = document(loads=[{"bus_group": "Bus 1"}])
    plan = found["plans"][0]
    plan["supplies"].append(merged(plan["supplies"][0], {"key": "t", "name": "Bay T"}))
    plan["loads"].append(merged(plan["loads"][0], {"key": "other", "name": "Keypad", "supply": "t"}))
    result = evaluate_plan(to_core(read_site(found)).plans[0])
    assert all(codes(s)["bus_group_split"] == "risk" for s in result.supplies)
    assert "Bay: Beam; Bay T: Keypad" in next(f.evidence for f in result.supplies[0].findings if f.code == "bus_group_split")
    plan["loads"][1]["supply"] = "s"
    assert "bus_group_split" not in codes(evaluate_plan(to_core(read_site(found)).plans[0]).supplies[0])


def test_the_working_of_a_load_can_be_evaluated_again():
    """Average and alarm of a load with a burst always, one in alarm only, a converter and a heater, from its own inputs."""
    load = {
        "quantity": 3,
        "rail_v": 5,
        "converter": {"kind": "switching", "efficiency_ratio": 0.8},
        "standby": {"current_a": 0.1, "provenance": "measured"},
        "alarm": {"current_a": 0.2, "provenance": "measured"},
        "bursts": [BURST, {"current_a": 0.15, "duration_s": 30, "per_hour": 12, "during": "alarm"}],
        "thermostats": [{"current_a": 0.5, "below_degc": 20}],
    }
    case = case_of([load])
    working = of_load(case.currents[0], 12.0)
    values = {i.symbol: i.value for i in working.inputs}
    for step in working.steps:
        assert eval(step.expression, {"__builtins__": {}, "max": max}, values) == pytest.approx(step.value)  # noqa: S307
    assert working.steps[0].value == pytest.approx(case.mean_current_a(in_alarm=False))
    assert working.steps[1].value == pytest.approx(case.mean_current_a(in_alarm=True))
    assert math.isfinite(working.value)
