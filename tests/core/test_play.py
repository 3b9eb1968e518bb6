"""An outage played: against the referee with a moving temperature, against the holdover's own run, and why it ends."""

import math

import pytest
import referee
from builders import case_of, evaluate
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.errors import OutsideTableError
from ypomoni.core.outage.play import Mark
from ypomoni.core.outage.playing import Conditions, losses, play_supply
from ypomoni.core.outage.run import HORIZON_H
from ypomoni.core.outage.walk import walk
from ypomoni.core.outage.warning import low_battery_warning
from ypomoni.core.outage.why import WhyCode, why_it_ends
from ypomoni.core.things.batteries import build_pack

TRANSMIT = {"current_a": 1.9, "duration_s": 12, "per_hour": 2}
BLOCKS = {
    "lead_agm": (12.0, 10.5, 12),
    "lead_gel": (12.0, 10.8, 12),
    "lifepo4": (12.8, 11.2, 12.8),
    "li_ion": (11.1, 9.3, 11.1),
    "nimh": (12.0, 10.2, 12),
    "alkaline": (12.0, 9.0, 12),
    "li_mno2": (12.0, 9.5, 12),
    "li_fes2": (12.0, 9.5, 12),
    "li_socl2": (10.8, 9.3, 10.8),
}


@pytest.mark.parametrize("behaviour", ["constant_current", "constant_power", "resistive"])
@pytest.mark.parametrize("chemistry", BLOCKS)
def test_an_outage_with_a_days_temperature_curve_agrees_with_the_referee(chemistry, behaviour):
    """Every chemistry and behaviour, bursts, an alarm, 12 ± 7 °C over the day: the end within 1 s or 0.1 % of Euler at a second."""
    block_v, cutoff_v, rail_v = BLOCKS[chemistry]
    light = chemistry == "li_socl2"
    standby_a, alarm_a, burst_a = (0.004, 0.01, 0.02) if light else (0.5, 1.1, 1.6)
    full = 0.2 if light else 1.0
    capacity_ah = 2.4 if light else 7.0
    load = {
        "rail_v": rail_v,
        "behaviour": behaviour,
        "standby": {"current_a": standby_a, "provenance": "measured"},
        "alarm": {"current_a": alarm_a, "provenance": "measured"},
        "bursts": [{"current_a": burst_a, "duration_s": 20, "per_hour": 3}],
    }
    bank = {"chemistry": chemistry, "block_v": block_v, "capacity_ah": capacity_ah}
    case = case_of({"nominal_v": rail_v, "cutoff_v": cutoff_v, "bank": bank}, [load], requirement={"alarm_min": 0})
    conditions = Conditions(
        condition_ratio=0.85, mean_degc=12.0, swing_degc=7.0, failure_hour_h=18.0, alarm_at_h=4.0, alarm_h=0.5, start_ratio=full
    )
    played = play_supply(case, conditions)
    theirs = [
        {
            "behaviour": behaviour,
            "standby_a": standby_a,
            "alarm_a": alarm_a,
            "quantity": 1,
            "rail_v": rail_v,
            "bursts": [{**load["bursts"][0], "offset_s": 0}],
        }
    ]
    known = {}

    def pack_at(t_s):
        # A new one every ten seconds of the day: 0.0006 K.
        step = int(t_s // 10)
        if step not in known:
            degc = 12.0 - 7.0 * math.cos(2 * math.pi * (18.0 + (10 * step + 5) / 3600 - 5.0) / 24)
            known[step] = referee.plain(build_pack(case.bank, condition_ratio=0.85, temperature_degc=degc))
        return known[step]

    start = (0.0, (1 - full) * pack_at(0.0)["q"], 0.0)
    end_s = referee.run(pack_at, theirs, 0.0, cutoff_v, 4 * 3600, 1800, start=start)
    if end_s is None:
        # The alarm is carried; standby goes on from there.
        states = []
        referee.run(pack_at, theirs, 0.0, cutoff_v, 4 * 3600, 1800, states=states, start=start)
        t, u, d = states[-1]
        end_s = referee.run(pack_at, theirs, 0.0, cutoff_v, 1e9, 0, start=(4.5 * 3600, u, d))
        assert t == pytest.approx(4.5 * 3600, abs=1.5)
    assert abs(played.end.t_h * 3600 - end_s) <= max(1.5, 0.001 * end_s)


@settings(max_examples=25, deadline=None)
@given(
    behaviour=st.sampled_from(["constant_current", "constant_power", "resistive"]),
    current_a=st.floats(0.02, 4.0),
    burst_a=st.floats(0.0, 8.0).map(lambda x: round(x, 6)),
    per_hour=st.sampled_from([0.25, 1, 6]),
    cutoff_v=st.sampled_from([None, 10.5, 11.5, 12.1]),
    min_v=st.sampled_from([None, 9.0, 11.0]),
    cable_m=st.sampled_from([0, 30]),
    age_y=st.floats(0.0, 8.0).map(lambda x: round(x, 6)),
)
def test_plan_and_played_outage_name_one_cause(behaviour, current_a, burst_a, per_hour, cutoff_v, min_v, cable_m, age_y):
    """With no alarm both end at one instant, of one cause; a cable or an overload is the narrower word for a bank that gives no more."""
    load = {"behaviour": behaviour, "min_v": min_v, "standby": {"current_a": current_a, "provenance": "measured"}}
    load["bursts"] = [{"current_a": max(burst_a, current_a), "duration_s": 15, "per_hour": per_hour}]
    if cable_m:
        load["cable"] = {"length_m": cable_m, "section_mm2": 1.0}
    changes = {"supply": {"cutoff_v": cutoff_v, "bank": {"age_y": age_y}}, "loads": [load], "requirement": {"alarm_min": 0}}
    plan = evaluate(**changes)
    case = case_of(**changes)
    played = play_supply(case, Conditions())
    assert played.end.t_h == pytest.approx(plan.endurance_h, rel=1e-3, abs=1e-3)
    told = why_it_ends(case, Conditions(), played).code.value
    assert plan.limited_by.value in {"cable": ("capacity",), "overload": ("capacity", "end_voltage")}.get(told, (told,))


@settings(max_examples=25, deadline=None)
@given(
    behaviour=st.sampled_from(["constant_current", "constant_power", "resistive"]),
    current_a=st.floats(0.02, 4.0),
    burst_a=st.floats(0.0, 6.0).map(lambda x: round(x, 6)),
    condition=st.floats(0.3, 1.05),
    degc=st.floats(-20.0, 40.0),
    swing=st.floats(0.0, 10.0).map(lambda x: round(x, 6)),
    full=st.floats(0.05, 1.0),
    worse=st.floats(0.0, 1.0).map(lambda x: round(x, 6)),
    what=st.sampled_from(["load", "cold", "age", "start", "capacity"]),
)
def test_more_load_cold_age_or_less_charge_never_lengthens_an_outage(
    behaviour, current_a, burst_a, condition, degc, swing, full, worse, what
):
    """And no figure of a timeline is ever negative or no number, and every end has a reason."""
    swing = min(swing, degc + 20.0)

    def end_h(current_a, condition, degc, full, capacity_ah):
        load = {"behaviour": behaviour, "standby": {"current_a": current_a, "provenance": "measured"}}
        load["bursts"] = [{"current_a": max(burst_a, current_a), "duration_s": 15, "per_hour": 2}]
        case = case_of({"bank": {"capacity_ah": capacity_ah}}, [load])
        conditions = Conditions(condition_ratio=condition, mean_degc=degc, swing_degc=swing, start_ratio=full)
        played = play_supply(case, conditions)
        for s in played.samples:
            assert all(math.isfinite(x) and x >= 0 for x in (s.t_h, s.terminal_v, s.current_a, s.charge_left_ratio))
        why = why_it_ends(case, conditions, played)
        assert why.text
        assert why.code in list(WhyCode)
        return played.end.t_h if played.end else played.until_h

    base = {"current_a": current_a, "condition": condition, "degc": degc, "full": full, "capacity_ah": 17.0}
    change = {
        "load": {"current_a": current_a * (1 + worse)},
        "cold": {"degc": degc - worse * (degc - swing + 20.0)},
        "age": {"condition": condition - worse * (condition - 0.3)},
        "start": {"full": full * (1 - 0.9 * worse)},
        "capacity": {"capacity_ah": 17.0 / (1 + worse)},
    }[what]
    assert end_h(**{**base, **change}) <= end_h(**base) * (1 + 1e-4) + 1 / 1800


def test_a_played_outage_ends_where_the_holdovers_own_run_ends():
    """Two ways through the model: the walk of the holdover, and the played one, within half a second; and with very many bursts."""
    loads = [{"min_v": 10.9}, {"behaviour": "constant_power", "bursts": [TRANSMIT]}]
    often = [{"standby": {"current_a": 0.002}, "bursts": [{"current_a": 0.5, "duration_s": 2, "per_hour": 60}]}]
    # Begins late, and draws less than between bursts: the pattern has to settle before it may be spread.
    late = [
        {"quantity": 3, "standby": {"current_a": 0.3}, "bursts": [{"current_a": 0.1, "duration_s": 37, "per_hour": 80, "offset_s": 1000}]}
    ]
    for found in (loads, often, late):
        case = case_of(None, found)
        played = play_supply(case, Conditions())
        assert played.end.t_h == pytest.approx(case.holdover().endurance_h, rel=1e-4, abs=2e-4)
    assert played.averaged_until_h > 0


WHYS = {
    "overload": ({"bank": {"capacity_ah": 1.2}, "output_limit_a": 20}, [{"standby": {"current_a": 8.0}}], Conditions()),
    "capacity": ({}, [{}], Conditions()),
    "burst": ({"bank": {"capacity_ah": 7, "condition_ratio": 0.6}}, [{}, {"name": "Communicator", "bursts": [TRANSMIT]}], Conditions()),
    "cutoff_high": ({"cutoff_v": 12.0}, [{}], Conditions()),
    "cable": (
        {},
        [{"min_v": 10.8, "name": "Far siren", "standby": {"current_a": 1.0}, "cable": {"length_m": 30, "section_mm2": 0.5}}],
        Conditions(),
    ),
    "voltage_collapse": ({"cutoff_v": 1.0}, [{"behaviour": "constant_power", "standby": {"current_a": 25.0}}], Conditions()),
    "alarm": (
        {"bank": {"capacity_ah": 2}},
        [{"standby": {"current_a": 0.02}, "alarm": {"current_a": 9.0, "provenance": "measured"}}],
        Conditions(alarm_at_h=1.0, alarm_h=2.0),
    ),
}


@pytest.mark.parametrize("code", WHYS)
def test_why_it_ends_is_said_with_its_figures(code):
    """Each reason from a supply made for it: the words name the culprit, the voltage and the charge left."""
    supply, loads, conditions = WHYS[code]
    case = case_of(supply, loads)
    played = play_supply(case, conditions)
    why = why_it_ends(case, conditions, played)
    assert why.code == code
    assert f"{played.end.event.charge_left_ratio * 100:.0f} %" in why.text
    named = {
        "burst": "1.9 A burst of Communicator",
        "cable": "Far siren gets too little voltage through 30 m of 0.5 mm²",
        "cutoff_high": "That wastes",
    }
    assert named.get(code, " V") in why.text


def test_overload_and_outlasting_are_said_too():
    """Above its output limit all holds only if it stays up; an outage cut short says how far it was played."""
    case = case_of({"output_limit_a": 0.2}, [{}])
    played = play_supply(case, Conditions(), until_h=1.0)
    why = why_it_ends(case, Conditions(), played)
    assert (why.code, played.events[-1].mark) == (WhyCode.OUTLASTS, Mark.HORIZON)
    assert "only if it does not shut down" in why.overload


def test_loads_are_lost_in_the_order_of_what_they_need_with_their_cables():
    """A voltage a load needs, and the drop of its own cable on top; one that may drop does not end the supply."""
    loads = [
        {"name": "Camera", "min_v": 11.4, "essential": False},
        {"name": "Beam", "min_v": 10.7},
        {"name": "Siren", "min_v": 10.7, "standby": {"current_a": 0.2}, "cable": {"length_m": 40, "section_mm2": 0.5}},
    ]
    case = case_of({"cutoff_v": 10.5, "low_battery_v": 11.6}, loads)
    played = play_supply(case, Conditions())
    assert [e.owner for e in losses(played)] == ["Camera", "Siren", "Beam", "cut-off of Bay"]
    assert played.end.event.owner == "Siren"
    drop_v = 2 * 40 * 0.01724 / 0.5 * 0.2
    assert played.end.event.limit_v == pytest.approx(10.7 + drop_v, abs=1e-3)
    warning = low_battery_warning(case, case.holdover().endurance_h)
    assert warning.at_h + warning.standby_h == pytest.approx(played.end.t_h)
    assert 0 < warning.alarm_h <= warning.standby_h + 1e-6


WARNED = {
    "a steady current": ({}, [{"standby": {"current_a": 0.3}, "alarm": {"current_a": 1.2, "provenance": "measured"}}]),
    "bursts that dip below it": ({}, [{"standby": {"current_a": 0.2}, "bursts": [{"current_a": 2.5, "duration_s": 10, "per_hour": 1}]}]),
    "very many bursts": ({}, [{"standby": {"current_a": 0.05}, "bursts": [{"current_a": 1.2, "duration_s": 3, "per_hour": 60}]}]),
    "a power": (
        {},
        [{"behaviour": "constant_power", "standby": {"current_a": 0.3}, "alarm": {"current_a": 1.5, "provenance": "measured"}}],
    ),
    "bursts in alarm only": (
        {"bank": {"condition_ratio": 0.7}},
        [{"standby": {"current_a": 0.3}, "bursts": [{"current_a": 2.0, "duration_s": 20, "per_hour": 6, "during": "alarm"}]}],
    ),
    "a cable": ({}, [{"min_v": 10.8, "standby": {"current_a": 0.25}, "cable": {"length_m": 30, "section_mm2": 0.5}}]),
}


@pytest.mark.parametrize("low_v", [11.0, 11.6, 12.4])
@pytest.mark.parametrize("shape", WARNED)
def test_the_warning_is_that_of_the_played_outage(shape, low_v):
    """When it comes, how long it is to the end in standby, and in an alarm that starts with it, as an outage shows that is played to its end;
    where many early bursts are played spread evenly, and none dips, as when every one of them is walked."""
    supply, loads = WARNED[shape]
    case = case_of({**supply, "low_battery_v": low_v}, loads)
    played = play_supply(case, Conditions(), until_end=True)
    warned = next((e for e in played.events if e.mark is Mark.WARNING), None)
    if warned is None:
        # A load at the end of its cable is lost first.
        assert low_battery_warning(case, case.holdover().endurance_h) is None
        return
    run = case.run()
    explicit = walk(run.pack, low_v, run.pack.start_u_ah, 0.0, run.standby.stretches(0.0, played.lasts_h), played.lasts_h)
    assert low_battery_warning(case, case.holdover().endurance_h).at_h == pytest.approx(explicit.t_h, rel=2e-3, abs=1e-3)
    if warned.t_h <= played.averaged_until_h:
        return
    alarm_end_h = play_supply(case, Conditions(alarm_at_h=warned.t_h, alarm_h=HORIZON_H), until_end=True).lasts_h
    found = low_battery_warning(case, case.holdover().endurance_h)
    assert found.at_h == pytest.approx(warned.t_h, rel=2e-3, abs=1e-3)
    assert found.at_h + found.standby_h == pytest.approx(played.lasts_h, rel=2e-3)
    assert found.at_h + found.alarm_h == pytest.approx(alarm_end_h, rel=2e-3)


def test_a_temperature_outside_the_tables_is_refused_at_any_hour():
    """The mean may lie inside and the night outside."""
    with pytest.raises(OutsideTableError):
        play_supply(case_of(), Conditions(mean_degc=-15.0, swing_degc=10.0))
    assert set(BLOCKS) == set(CHEMISTRIES)


def test_a_limit_no_full_battery_reaches_is_said_as_that():
    """A cut-off that is turned to 13.5 V is above what it shows at rest: over at once, and neither spent nor overloaded."""
    case, turned = case_of({}, [{}]), Conditions(cutoff_v=13.5)
    why = why_it_ends(case, turned, play_supply(case, turned))
    assert (why.code, "This battery shows 12.9 V at rest" in why.text) == (WhyCode.OVERLOAD, True)


def test_years_of_self_discharge_end_in_spent_charge_and_a_waiting_alarm_is_carried_till_then():
    """A microampere, and nothing at all until the alarm: about three years of AGM, no collapse without a power load, holdover close to endurance."""
    slow = case_of({"bank": {"capacity_ah": 100}}, [{"standby": {"current_a": 1e-6}}])
    assert why_it_ends(slow, Conditions(), play_supply(slow, Conditions())).code is WhyCode.CAPACITY
    waiting = case_of(None, [{"standby": {"current_a": 0.0}, "alarm": {"current_a": 1.0, "provenance": "measured"}}])
    found = waiting.holdover()
    assert 2.5 * 8766 < found.holdover_h < found.endurance_h < 5 * 8766
    assert waiting.run().is_carried(found.holdover_h - 1)
    assert not waiting.run().is_carried(found.holdover_h + 1)
