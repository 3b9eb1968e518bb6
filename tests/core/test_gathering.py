"""Patterns that are too dear to follow: how far off what stands in for them may be, and no accepted pattern costs more than it may."""

import random

import pytest
from builders import case_of, codes, document, evaluate
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.evaluation.evaluate import try_supply
from ypomoni.core.outage import case as case_module
from ypomoni.core.outage.demand import common_period_h, contribution, mean_draw, peak_draw, trains_count
from ypomoni.core.outage.gathering import MOST_BUSY_LOADS, MOST_COST, OUTAGES_COUNT, pattern_cost
from ypomoni.documents.faults import DocumentFaults
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site


def odd_loads(draw, loads_count, bursts_count, fastest_per_hour, quantity=1, alarm_a=None):
    """Return loads whose bursts come at unrelated intervals."""
    found = []
    for _ in range(loads_count):
        bursts = []
        for n in range(bursts_count):
            per_hour = fastest_per_hour * draw.uniform(0.3, 1.0)
            longest_s = min(60.0, 3000.0 / per_hour / bursts_count)
            bursts.append(
                {
                    "name": f"b{n}",
                    "current_a": draw.uniform(0.06, 0.5),
                    "per_hour": per_hour,
                    "duration_s": longest_s * draw.uniform(0.3, 1.0),
                    "offset_s": draw.uniform(0.0, 900.0),
                    "during": draw.choice(["always", "always", "alarm"]),
                }
            )
        alarm = {} if alarm_a is None else {"alarm": {"current_a": alarm_a, "provenance": "measured"}}
        standby = {"standby": {"current_a": 0.05, "provenance": "measured"}}
        found.append(
            {"quantity": quantity, "behaviour": draw.choice(["constant_power", "constant_current"]), "bursts": bursts, **standby, **alarm}
        )
    return found


@settings(max_examples=25, deadline=None)
@given(
    seed=st.integers(0, 10**6),
    loads_count=st.integers(1, 3),
    quantity=st.sampled_from([1, 3, 80]),
    alarm_a=st.sampled_from([None, 0.02, 0.2]),
)
def test_gathered_bursts_keep_charge_and_peak_and_the_error_that_is_stated(seed, loads_count, quantity, alarm_a):
    """Against the same bursts followed one by one and spread evenly, for patterns that both ways can walk."""
    draw = random.Random(seed)
    loads = odd_loads(draw, loads_count, draw.choice([1, 2]), draw.choice([0.5, 3.0, 20.0]), quantity, alarm_a)
    supply = {"output_limit_a": 100.0, "bank": {"capacity_ah": 17 * loads_count * quantity}}
    followed = case_of(supply, loads)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(case_module, "MOST_COST", -1.0)
        gathered = case_of(supply, loads)
        assert gathered.gathering is not None
    for in_alarm in (False, True):
        for before, after in zip(gathered.currents, gathered.followed, strict=True):
            most_a = sum(peak_draw(before, in_alarm=in_alarm))
            assert sum(peak_draw(after, in_alarm=in_alarm)) == pytest.approx(most_a, rel=1e-9)
            assert sum(mean_draw(after, in_alarm=in_alarm)) >= sum(mean_draw(before, in_alarm=in_alarm)) * (1 - 1e-9)
    shown_h = gathered.holdover().holdover_h
    assert shown_h <= followed.holdover(averaged=True).holdover_h * (1 + 1e-3)
    if pattern_cost(followed.timelines(cold=False), followed.loads, 0.5) <= MOST_COST:
        too_long_h = gathered.gathering.longest_h
        # Where a pattern never repeats, what is followed one by one is averaged over a part of it: half a percent.
        assert shown_h - too_long_h <= followed.holdover().holdover_h * (1 + 5e-3)


@pytest.mark.parametrize(
    ("loads_count", "bursts_count", "fastest_per_hour", "quantity"),
    [(1, 20, 3.0, 1), (5, 4, 3.0, 1), (100, 1, 2.0, 1), (1, 20, 200.0, 1), (40, 20, 150.0, 1), (30, 3, 100.0, 60), (10, 2, 3000.0, 5000)],
)
def test_no_pattern_costs_more_than_it_may(loads_count, bursts_count, fastest_per_hour, quantity):
    """Whatever is entered, the changes of demand that are walked are bounded, and the longest interval repeats with all others."""
    loads = odd_loads(random.Random(1), loads_count, bursts_count, fastest_per_hour, quantity)
    case = case_of({"bank": {"capacity_ah": 1000}}, loads)
    lines = case.timelines(cold=False)
    assert pattern_cost(lines, (), 0.5) <= MOST_COST
    for line in lines:
        intervals_h = {wave.period_h for train in line.trains for wave in train.waves}
        assert common_period_h(intervals_h) == pytest.approx(max(intervals_h, default=0.0), rel=1e-3)


def test_a_hundred_distinct_intervals_have_a_common_period():
    """It is as long as it may be, not more than a number can be."""
    assert common_period_h(1.0 / (1 + n / 997.0) for n in range(400)) == pytest.approx(30.0)
    assert common_period_h([1.0, 0.5, 1 / 3]) == pytest.approx(1.0)


def test_what_is_gathered_is_said_with_its_error():
    """A note; a risk, and so no all-clear, where the error leaves the hours open. A pattern that repeats soon is followed burst by burst."""
    loads = odd_loads(random.Random(2), 4, 5, 6.0)
    result = evaluate(supply={"output_limit_a": 50, "bank": {"capacity_ah": 100}}, loads=loads)
    assert codes(result)["bursts_gathered"] == "note"
    must_h = result.holdover.expected - 0.1
    close = evaluate(supply={"output_limit_a": 50, "bank": {"capacity_ah": 100}}, loads=loads, requirement={"standby_h": must_h})
    assert codes(close)["bursts_gathered"] == "risk"
    assert close.verdict != "holds"
    (finding,) = [f for f in result.findings if f.code == "bursts_gathered"]
    assert result.holdover.expected < result.averaged_holdover_h
    assert "begin together" in finding.evidence
    for load in loads:
        for burst in load["bursts"]:
            burst["per_hour"] = 2.0
    assert "bursts_gathered" not in codes(evaluate(supply={"output_limit_a": 50, "bank": {"capacity_ah": 100}}, loads=loads))


def test_what_is_gathered_when_warm_is_gathered_in_the_cold():
    """A heater adds to it what it takes on the coldest days, and nothing else differs."""
    heater = {
        "standby": {"current_a": 0.0, "provenance": "measured"},
        "thermostats": [{"name": "Heater", "current_a": 0.4, "below_degc": 8}],
    }
    case = case_of(supply={"output_limit_a": 50, "bank": {"capacity_ah": 100}}, loads=[*odd_loads(random.Random(2), 4, 5, 6.0), heater])
    assert case.gathering is not None
    for warm, cold in zip(case.timelines(cold=False), case.timelines(cold=True), strict=True):
        assert cold.trains == warm.trains
        assert cold.base.current_a > warm.base.current_a


def test_trains_are_counted_as_they_are_made():
    """Thousands of pieces whose frequent bursts come in alarm only are told apart in standby, by the rare ones that are left."""
    bursts = [
        {"name": "often", "current_a": 0.5, "per_hour": 0.4, "duration_s": 60, "offset_s": 0, "during": "alarm"},
        {"name": "rare", "current_a": 0.5, "per_hour": 0.01, "duration_s": 1, "offset_s": 0, "during": "always"},
    ]
    (load,) = case_of(loads=[{"quantity": 2_000, "bursts": bursts}]).currents
    _, made = contribution(load, in_alarm=False)
    assert len(made) == 2_000 == trains_count(load)


def test_the_cost_counts_every_load_whose_figures_are_moved():
    """Two more outages for each load with bursts."""
    one, ten = (case_of(loads=odd_loads(random.Random(3), n, 1, 1.0)) for n in (1, 10))
    assert pattern_cost(one.timelines(cold=False), one.loads, 0.5) < pattern_cost(ten.timelines(cold=False), ten.loads, 0.5)
    assert pattern_cost(case_of().timelines(cold=False), (), 0.5) == 0.0
    assert OUTAGES_COUNT < MOST_COST


def test_more_loads_with_bursts_than_are_computed_are_refused_and_what_was_kept_is_unknown():
    """At entry beside their supply; a stored site opens, and says why there are no hours."""
    loads = odd_loads(random.Random(4), MOST_BUSY_LOADS + 1, 1, 1.0)
    with pytest.raises(DocumentFaults, match="301 loads with bursts"):
        read_site(document(loads=loads))
    strong = {"output_limit_a": 100, "supply_current_a": 100}
    plan = to_core(read_site(document(strong, loads), stored=True)).plans[0]
    result, error = try_supply(plan, plan.supplies[0])
    assert (error, result.verdict, codes(result)["too_many_bursts"]) == (None, "unknown", "risk")
    assert result.standby_current_a > 10
    plan = to_core(read_site(document(strong | {"charge_v": 25.2}, loads), stored=True)).plans[0]
    result, _ = try_supply(plan, plan.supplies[0])
    assert (result.verdict, codes(result)["charge_voltage_dangerous"]) == ("unsafe", "danger")
