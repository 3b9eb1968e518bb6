"""Each finding from a site made to earn it, the verdicts, what limits, and workings that can be evaluated again."""

import math

import pytest
from builders import audited, codes, document, evaluate, merged, ups, watts

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site

QUIET = {"standby": {"current_a": 0.1, "provenance": "measured"}}
STRONG_BURST = {"current_a": 2.5, "duration_s": 10, "per_hour": 1}
FIRE = {"method": "standard_formula"}


EARNED = {
    "holdover_below_requirement": ("fails", {"loads": [{"quantity": 4}]}),
    "capacity_below_method": ("fails", {"requirement": {"method": "derated", "derating": {"usable_ratio": 0.3}}}),
    "meets_on_paper_only": ("risk", {"loads": [{"quantity": 2, "standby": {"current_a": 0.3, "provenance": "data_sheet"}}]}),
    "overload_standby": ("fails", {"supply": {"output_limit_a": 0.2}}),
    "overload_alarm": ("fails", {"loads": [{"alarm": {"current_a": 2.5, "provenance": "measured"}}]}),
    "no_cutoff": ("risk", {"supply": {"cutoff_v": None}}),
    "charger_never_recovers": ("fails", {"supply": {"supply_current_a": 0.3}}),
    "charger_too_slow": ("fails", {"supply": {"supply_current_a": 0.6}}),
    "charger_too_strong": ("risk", {"supply": {"charge_limit_a": 5.0, "supply_current_a": 6.0}}),
    "charger_not_known": ("risk", {"supply": {"charge_limit_a": None}}),
    "bank_too_large_for_charger": ("risk", {"supply": {"charge_limit_a": 0.4}}),
    "bank_past_age": ("risk", {"supply": {"bank": {"age_y": 6}}, "loads": [QUIET]}),
    "double_margin": ("note", {"requirement": FIRE, "supply": {"bank": {"age_y": 2}}}),
    "missing_margin": ("risk", {"requirement": {"method": "plain"}}),
    "burst_trips_cutoff": (
        "risk",
        {
            "loads": [merged(QUIET, {"bursts": [STRONG_BURST]})],
            "supply": {"output_limit_a": 3, "bank": {"capacity_ah": 7, "condition_ratio": 0.6}},
        },
    ),
    "charge_voltage_dangerous": (
        "danger",
        {"supply": {"bank": {"chemistry": "li_ion", "block_v": 11.1, "capacity_ah": 20}, "cutoff_v": 9.5, "charge_v": 13.65}},
    ),
    "charge_below_freezing": ("danger", {"supply": {"bank": {"chemistry": "lifepo4", "block_v": 12.8}}, "site": {"min_degc": -5}}),
    "bank_voltage_mismatch": ("danger", {"supply": {"bank": {"series": 2}}}),
    "cutoff_above_need": ("note", {"supply": {"cutoff_v": 12.0}}),
}


@pytest.mark.parametrize("code", EARNED)
def test_finding_is_earned_with_evidence_source_and_way_out(code):
    """The site made for it gets it with its severity; a comfortable site does not."""
    severity, changes = EARNED[code]
    result = evaluate(**changes)
    assert codes(result).get(code) == severity
    finding = next(f for f in result.findings if f.code == code)
    assert all((finding.evidence, finding.source, finding.way_out))
    assert code not in codes(evaluate(loads=[QUIET]))


def test_verdicts_follow_from_the_findings():
    """A comfortable supply holds, one that is short in the cold holds on paper only, one that is short fails."""
    assert evaluate(loads=[QUIET]).verdict == "holds"
    assert evaluate(**EARNED["meets_on_paper_only"][1]).verdict == "on_paper_only"
    assert evaluate(**EARNED["charger_too_slow"][1]).verdict == "fails"
    assert evaluate(**EARNED["overload_standby"][1]).verdict == "fails"


LIMITS = {
    "capacity": {},
    "burst": EARNED["burst_trips_cutoff"][1],
    "alarm": {"loads": [{"alarm": {"current_a": 40.0, "provenance": "measured"}}]},
    "voltage_collapse": {
        "loads": [{"behaviour": "constant_power", "standby": {"current_a": 8.0, "provenance": "measured"}}],
        "supply": {"cutoff_v": 3.0},
        "requirement": {"alarm_min": 0},
    },
    "end_voltage": {"supply": {"cutoff_v": None}},
    "cutoff_high": {"supply": {"cutoff_v": 12.0}},
    "no_bank": {"supply": {"bank": None}},
    "nothing_draws": {"loads": []},
    "not_modelled_yet": {"supply": {"kind": "ac_ups"}},
}


@pytest.mark.parametrize("limit", LIMITS)
def test_what_limits_is_named(limit):
    """Each reason from a site made for it."""
    result = evaluate(**LIMITS[limit])
    assert result.limited_by == limit
    if limit == "no_bank":
        assert result.holdover.expected == 0
    if limit in ("nothing_draws", "not_modelled_yet"):
        assert result.holdover is None
    if limit == "alarm":
        assert result.holdover.expected == 0
        assert result.endurance_h > 20


PRIMARY = {"kind": "primary", "nominal_v": 3.6, "cutoff_v": None, "charge_v": None, "charge_limit_a": None, "supply_current_a": None}


def test_primary_cells_are_run_by_size_and_say_what_no_figure_shows():
    """A D cell at 2 mA lasts most of a year; it is told of its film, of a burst above its greatest current, and of a charger on it."""
    bank = {"chemistry": "li_socl2", "block_v": 3.6, "capacity_ah": 19, "rate_h": 1000}
    load = {"rail_v": 3.6, "standby": {"current_a": 0.002}, "bursts": [{"current_a": 0.5, "duration_s": 5, "per_hour": 1}]}
    result = evaluate(supply={**PRIMARY, "bank": bank}, loads=[{**load, "bursts": []}], requirement={"standby_h": 4000, "recharge_h": None})
    assert 7000 < result.holdover.expected < 9500
    assert codes(result)["voltage_delay"] == "note"
    assert result.recommended_bank.chemistry == "li_socl2"
    assert result.charge_current_a is None
    strained = evaluate(supply={**PRIMARY, "charge_limit_a": 0.1, "bank": bank}, loads=[load], requirement={"standby_h": 4000})
    assert {"current_above_cell": "fails", "primary_charged": "danger", "voltage_delay": "risk"}.items() <= codes(strained).items()
    odd = evaluate(supply={**PRIMARY, "bank": {**bank, "capacity_ah": 5}}, loads=[load])
    assert codes(odd)["cell_size_unknown"] == "note"


def plan_of(*currents_a):
    """Return the result of a plan with a supply for each current."""
    found = document()
    plan = found["plans"][0]
    supply = plan["supplies"][0]
    load = plan["loads"][0]
    plan["supplies"] = [merged(supply, {"key": f"s{n}", "name": f"Bay {n}"}) for n in range(len(currents_a))]
    plan["loads"] = [merged(load, {"key": f"l{n}", "supply": f"s{n}", "standby": {"current_a": a}}) for n, a in enumerate(currents_a)]
    return evaluate_plan(to_core(read_site(found)).plans[0])


def test_weakest_supply_decides_the_plan_and_a_weak_link_is_called_out():
    """The smallest expected over required is the weakest; under half of the next it is a weak link."""
    plan = plan_of(0.2, 1.2, 0.3)
    assert (plan.weakest_supply, plan.verdict) == ("s1", "fails")
    assert "weak_link" in codes(plan.weakest)
    assert "can hang on Bay 0." in next(f.way_out for f in plan.weakest.findings if f.code == "weak_link")
    # Nothing is sent to a supply that fails itself, though it holds longest.
    failing = plan_of(0.8, 1.9)
    assert "can hang elsewhere." in next(f.way_out for f in failing.weakest.findings if f.code == "weak_link")
    even = plan_of(0.3, 0.35)
    assert "weak_link" not in codes(even.weakest)


def test_currents_are_battery_side_averages_with_bursts():
    """By hand: 2 pieces of 0.1 A with 1 A for 36 s twice an hour; 5 V at 0.6 A through a converter of 0.8; a third on a resistor."""
    burst = {"current_a": 1.0, "duration_s": 36, "per_hour": 2}
    result = evaluate(
        supply={"own_current_a": 0.05},
        loads=[
            {"quantity": 2, "standby": {"current_a": 0.1, "provenance": "measured"}, "bursts": [burst]},
            {
                "rail_v": 5,
                "converter": {"kind": "switching", "efficiency_ratio": 0.8},
                "standby": {"current_a": 0.6, "provenance": "measured"},
            },
            {"behaviour": "resistive", "rail_v": 13.5, "standby": {"current_a": 0.3, "provenance": "measured"}},
        ],
    )
    by_hand_a = 0.05 + 2 * (0.1 * 0.98 + 1.0 * 0.02) + 5 * 0.6 / 0.8 / 12 + 12 / (13.5 / 0.3)
    assert result.standby_current_a == pytest.approx(by_hand_a)
    assert result.peak_current_a == pytest.approx(0.05 + 2 * 1.0 + 0.3125 + 12 / 45)


def test_band_is_the_root_of_squares_of_each_input_alone():
    """By the definition, from the runs that the result itself reports; a nameplate counts 0.7 and may be the whole rating."""
    result = evaluate(loads=[{"quantity": 2, "standby": {"current_a": 0.2, "provenance": "nameplate"}}, QUIET])
    falls = [math.log(result.holdover.expected / i.low_h) for i in result.band_inputs]
    assert result.holdover.low == pytest.approx(result.holdover.expected * math.exp(-math.hypot(*falls)))
    assert [i.share_ratio for i in result.band_inputs] == pytest.approx([f * f / sum(x * x for x in falls) for f in falls])
    assert result.standby_current_a == pytest.approx(0.7 * 0.4 + 0.1)
    alone = evaluate(loads=[{"quantity": 2, "standby": {"current_a": 0.2 / 0.7, "provenance": "nameplate"}}, QUIET])
    assert result.band_inputs[0].low_h == pytest.approx(alone.holdover.expected, rel=1e-4)


TABLE = [
    {"current_a": current_a, "run_h": run_h, "end_v": 10.5}
    for current_a, run_h in ((0.85, 20.0), (1.58, 10.0), (2.91, 5.0), (10.3, 1.0), (17.5, 0.5))
]
TOTAL = {"point": "output", "state": "standby", "current_a": 0.35, "uncertainty_a": 0.005, "at_v": 12}
LFP_AT_13V3 = {"charge_v": 13.3, "cutoff_v": 11.2, "bank": {"chemistry": "lifepo4", "block_v": 12.8, "capacity_ah": 20}}
SUNNY = {
    "kind": "solar",
    "charge_limit_a": None,
    "supply_current_a": None,
    "solar": {"controller": "pwm", "panel_w": 20, "panel_imp_a": 1.15, "controller_current_a": 0.01, "sun_h_by_month": [2.0] * 12},
}
# What shapes a working: supply, loads, requirement.
SHAPES = {
    "bursts and age": ({"own_current_a": 0.04, "bank": {"age_y": 2}}, [{"bursts": [STRONG_BURST]}, QUIET], FIRE),
    "a discharge table": ({"bank": {"discharge_table": TABLE, "condition_ratio": 0.9}}, [{}], None),
    "a measured resistance": ({"bank": {"resistance_ohm": 0.022, "block_v": 6, "series": 2, "parallel": 2}}, [{}], None),
    "cold and converters": (
        {"min_degc": -10, "typical_degc": 2},
        [{"rail_v": 5, "converter": {"kind": "switching", "efficiency_ratio": 0.85}}, {"rail_v": 9, "converter": {"kind": "linear"}}],
        None,
    ),
    "part-charged": (LFP_AT_13V3, [QUIET], {"recharge_h": None}),
    "primaries": (
        {
            "kind": "primary",
            "nominal_v": 3,
            "cutoff_v": 2,
            "charge_limit_a": 0,
            "bank": {"chemistry": "alkaline", "block_v": 1.5, "series": 2},
        },
        [{"rail_v": 3, "standby": {"current_a": 0.01}}],
        {"recharge_h": None},
    ),
    "cuts": ({"charge_limit_a": 0.3}, [{}], {"cuts": {"week": [{"day": "daily", "start": "06:00", "duration_h": 3}]}}),
    "the sun": (SUNNY, [QUIET], {"recharge_h": None}),
    "the sun tracked": (merged(SUNNY, {"solar": {"controller": "mppt"}}), [QUIET], {"recharge_h": None}),
    "timed runs": (ups(timed_runs=[{"output_w": 26, "run_h": 1.4}, {"output_w": 120, "run_h": 0.6}]), [watts(20)], None),
    "a measured total": ({"totals": [TOTAL]}, [{"standby": {"current_a": 0.3, "provenance": "data_sheet"}}], None),
}


FUNCTIONS = {"min": min, "max": max, "exp": math.exp, "sqrt": math.sqrt, "asinh": math.asinh}


def evaluated_again(working):
    """Evaluate every step of a working over its inputs, and return how many there were."""
    names = {i.symbol: i.value for i in working.inputs}
    for step in working.steps:
        value = eval(step.expression, {"__builtins__": {}, **FUNCTIONS}, names)  # noqa: S307 - our own expressions
        assert value == pytest.approx(step.value, rel=1e-9), (working.title, step.symbol)
        names[step.symbol] = step.value
    if working.steps and not working.simulated:
        assert working.steps[-1].value == pytest.approx(working.value), working.title
    return len(working.steps)


@pytest.mark.parametrize("shape", SHAPES)
def test_workings_can_be_evaluated_again_to_the_figures_shown(shape):
    """Every step of every working is arithmetic over its inputs; the last step of a closed form is the figure itself."""
    supply, loads, requirement = SHAPES[shape]
    found = audited(supply, loads, requirement=requirement)
    result = evaluate_plan(to_core(read_site(found)).plans[0]).supplies[0]
    workings = {**result.workings, **{f"method_{m.method}": m.working for m in result.methods}}
    assert sum(evaluated_again(working) for working in workings.values()) > 15
    if shape != "primaries":
        assert result.workings["charge_current"].value == result.charge_current_a
    assert result.workings["holdover"].value == result.holdover.expected
    assert workings["method_standard_formula"].value == result.methods[2].required_ah
