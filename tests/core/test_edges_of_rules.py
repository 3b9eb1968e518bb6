"""Where a rule turns: the side it must not fall to, each seen once to be broken without another test noticing."""

import math
from dataclasses import replace

import pytest
from builders import case_of, core_plan, document, evaluate, points_of

from ypomoni.core.balance.search.picture import least_draw, least_level_a
from ypomoni.core.balance.search.units import demand_of
from ypomoni.core.evaluation.figures import compute_figures
from ypomoni.core.evaluation.recommending import facts_of
from ypomoni.core.judgement.cables import cable_drop
from ypomoni.core.judgement.holdover import check_paper
from ypomoni.core.outage.conditioning import explained_square, shift_of_loads, solve
from ypomoni.core.outage.demand import MOST_PERIODS, common_period_h
from ypomoni.core.outage.play import Mark
from ypomoni.core.outage.playing import Conditions, play_supply
from ypomoni.core.outage.uncertainty import best_currents, expected_currents, worst_currents
from ypomoni.core.requirements.profiles import PROFILES
from ypomoni.core.things.readings import loads_behind

SIREN = {"standby": {"current_a": 0.02, "provenance": "data_sheet"}, "alarm": {"current_a": 0.5, "provenance": "data_sheet"}}


@pytest.mark.parametrize(
    "more",
    [
        {"bursts": [{"current_a": 1.0, "duration_s": 5, "per_hour": 1}]},
        {"thermostats": [{"current_a": 0.2, "below_degc": 5}]},
        {"recharges": [{"energy_wh": 5, "per_day": 1}]},
        {"cable": {"length_m": 10, "section_mm2": 1}},
    ],
)
def test_what_is_more_than_a_steady_demand_is_not_taken_for_one(more):
    """Two loads are alike for the search only where a few numbers say all of what they ask."""
    plain, other = case_of(loads=[{"min_v": 10.5}, more]).loads
    assert demand_of((other,)) is None
    assert demand_of((plain, other)) is None
    *drawn, least_v = demand_of((plain,))
    assert (drawn, least_v) == ([0.3, 0, 0, 0.3, 0, 0], 10.5)


def test_a_burst_that_comes_in_alarm_only_counts_in_alarm_only():
    """Where it takes less than the rest of the alarm, the least that is drawn in alarm is the burst's; standby knows nothing of it."""
    burst = {"current_a": 0.1, "duration_s": 5, "per_hour": 10, "during": "alarm"}
    (currents,) = case_of(loads=[{**SIREN, "bursts": [burst]}]).currents
    assert least_level_a(currents, in_alarm=False) == 0.02
    assert least_draw(currents, in_alarm=True).current_a == least_level_a(currents, in_alarm=True)
    assert case_of(loads=[{**SIREN, "bursts": [{**burst, "current_a": 2.0}]}]).peak_current_a(in_alarm=False) == pytest.approx(0.02)


def test_the_common_period_is_exact_up_to_thirty_of_the_longest():
    """Periods in step repeat after their least common multiple; those out of step are cut off, never taken for one of the two."""
    assert common_period_h([1.0, 1.5]) == pytest.approx(3.0)
    assert common_period_h([0.25, 1.0]) == pytest.approx(1.0)
    assert common_period_h([1.0, 1.0 / 1.0007]) == pytest.approx(MOST_PERIODS * 1.0)
    assert common_period_h([]) == 0.0


def test_ageing_counts_twice_only_where_the_method_has_a_factor_for_it():
    """The derated method with age at 100 % holds none, whatever the battery's own condition."""

    def found(age_ratio, condition_ratio):
        requirement = {"method": "derated", "standby_h": 4, "derating": {"age_ratio": age_ratio, "usable_ratio": 0.9}}
        result = evaluate({"bank": {"condition_ratio": condition_ratio}}, requirement=requirement)
        return "double_margin" in {f.code for f in result.findings}

    assert [found(1.0, 0.8), found(0.7, 0.8), found(0.7, 1.0)] == [False, True, False]


def test_nobody_who_is_short_is_told_to_fit_a_smaller_battery():
    """On paper only: what is offered is larger than what is there."""
    asked = ({"bank": {"capacity_ah": 12}}, [{}])
    just_h = 0.97 * evaluate(*asked, {"recharge_h": None}).holdover.expected
    result = evaluate(*asked, {"standby_h": just_h, "recharge_h": None})
    assert "meets_on_paper_only" in {f.code for f in result.findings}
    bank = result.recommended_bank
    assert bank.capacity_ah * bank.parallel > 12


def test_a_worn_bank_is_renewed_and_not_called_too_small():
    """A worn 24 Ah carries less than it must, a new 12 Ah would do: renewing is told, fitting a smaller one is not."""
    result = evaluate({"bank": {"capacity_ah": 24, "condition_ratio": 0.3}}, [{}], {"recharge_h": None})
    (way_out,) = [f.way_out for f in result.findings if f.code == "holdover_below_requirement"]
    assert way_out.startswith("A new 12 V 12 Ah is large enough, so renew the battery.")


def test_where_no_bank_is_recommended_none_is_offered_on_paper():
    """The charger could not bring the next size back in time: what is said on paper only names no battery to fit, nor why there is none."""
    supply = {"bank": {"capacity_ah": 17, "condition_ratio": 0.9}, "supply_current_a": 1.2, "charge_limit_a": 0.85}
    result = evaluate(supply, [{}], {"standby_h": 46, "recharge_h": 20})
    assert result.recommended_bank is None
    (way_out,) = [f.way_out for f in result.findings if f.code == "meets_on_paper_only"]
    assert "24 Ah" not in way_out


def test_both_ends_move_the_alarm_too():
    """The good end has the least alarm current, the bad end the greatest, each by the data sheet's 15 %."""
    case = case_of(loads=[SIREN])
    expected = expected_currents(case.loads[0], case.supply.climate)
    assert best_currents(expected, case.supply.climate).alarm_current_a == pytest.approx(0.85 * 0.5)
    assert worst_currents(expected, case.supply.climate).alarm_current_a == pytest.approx(1.15 * 0.5)


def test_a_sole_output_carries_every_load_and_one_of_two_only_its_own():
    """What hangs on no branch still flows through the only output there is."""
    found = document(loads=[{}, {}])
    found["plans"][0]["points"] = points_of("s", ["l0"])
    plan = core_plan(found)
    assert set(loads_behind(list(plan.points), ["l0", "l1"])["output"]) == {"l0", "l1"}
    found["plans"][0]["points"].append({"key": "second", "name": "Second", "kind": "output", "supply": "s", "parent": "battery"})
    plan = core_plan(found)
    behind = loads_behind(list(plan.points), ["l0", "l1"])
    assert (behind["output"], behind["second"], set(behind["battery"])) == (["l0"], [], {"l0", "l1"})


def test_a_cable_is_judged_in_its_worse_state():
    """Alarm for a sounder, standby for a lock that lets go in alarm."""
    cable = {"cable": {"length_m": 50, "section_mm2": 0.5}}
    lock = {"standby": {"current_a": 0.5, "provenance": "measured"}, "alarm": {"current_a": 0.0, "provenance": "measured"}}
    for load, in_alarm in ((SIREN, True), (lock, False)):
        case = case_of(loads=[{**load, **cable}])
        drop = cable_drop(case.supply, case.loads[0])
        assert (drop.in_alarm, drop.current_a) == (in_alarm, 0.5)


def test_a_played_alarm_is_over_when_it_was_carried_and_standby_goes_on():
    """With its mark at its end, and the standby current after it."""
    played = play_supply(case_of(loads=[SIREN]), Conditions(alarm_at_h=1.0, alarm_h=2.0))
    (begins,) = [e for e in played.events if e.mark is Mark.ALARM]
    (over,) = [e for e in played.events if e.mark is Mark.ALARM_OVER]
    assert (begins.t_h, over.t_h) == (1.0, pytest.approx(3.0))
    after = next(s for s in played.samples if s.t_h > 3.01)
    assert after.current_a == pytest.approx(0.02, rel=0.01)
    short = play_supply(case_of({"bank": {"capacity_ah": 2}}, loads=[SIREN]), Conditions(alarm_at_h=1.0, alarm_h=200.0))
    assert [e for e in short.events if e.mark is Mark.ALARM_OVER] == []


def test_exactly_the_hours_asked_for_are_enough():
    """At the low end, in the cold and at the end of life; a hair less is not."""
    plan = core_plan(document({"bank": {"capacity_ah": 38}}))
    facts = facts_of(plan.supplies[0], plan.loads, compute_figures(plan.supplies[0], plan.loads, in_full=True))
    must_h = facts.result.standby_h

    def codes(low_h, scenario_h):
        band = replace(facts.result.holdover, low=low_h, expected=max(low_h, must_h) + 1)
        scenarios = replace(facts.result.scenarios, cold=scenario_h, end_of_life=scenario_h, worst=scenario_h)
        result = replace(facts.result, holdover=band, scenarios=scenarios)
        return {f.code for f in check_paper(replace(facts, result=result))} & {"meets_on_paper_only", "worst_case_short"}

    assert codes(must_h, must_h) == set()
    assert codes(math.nextafter(must_h, 0), must_h) == {"meets_on_paper_only"}
    assert codes(must_h, math.nextafter(must_h, 0)) == {"meets_on_paper_only"}


def test_totals_that_say_the_same_twice_move_the_loads_once():
    """Solved by numpy; a matrix without an inverse gives the least answer, and nothing explains more than there is."""
    assert solve([[2.0, 0.0], [0.0, 4.0]], [2.0, 8.0]) == pytest.approx([1.0, 2.0])
    assert solve([[1.0, 1.0], [1.0, 1.0]], [2.0, 2.0]) == pytest.approx([1.0, 1.0])
    assert shift_of_loads([], [], []) == []
    assert shift_of_loads([[1.0, 1.0]], [0.0], [1.0]) == pytest.approx([0.5, 0.5])
    assert explained_square([1.0, 1.0], [[1.0, 1.0]], [0.0]) == pytest.approx(2.0)


def test_the_profiles_that_ship_hold_the_published_figures():
    """Standby, alarm and recharge of each, with its source and the word to check the edition; a figure that moves is seen here."""
    published = {
        "intruder-12": (12, 15, 72, "EN 50131-6"),
        "intruder-60": (60, 15, 24, "EN 50131-6"),
        "intruder-30": (30, 15, 24, "EN 50131-6"),
        "fire-24": (24, 30, 24, "BS 5839-1"),
        "fire-72-unsupervised": (72, 30, 24, "BS 5839-1"),
        "fire-72": (72, 30, 24, "EN 54-14"),
        "fire-30": (30, 30, 24, "EN 54-14"),
        "fire-4": (4, 30, 24, "EN 54-14"),
        "fire-24-5": (24, 5, 48, "NFPA 72"),
        "fire-24-15": (24, 15, 48, "NFPA 72"),
    }
    by_key = {p.key: p for p in PROFILES}
    for key, (standby_h, alarm_min, recharge_h, source) in published.items():
        profile = by_key[key]
        assert (profile.standby_h, profile.alarm_min, profile.recharge_h, profile.recharge_to_ratio) == (
            standby_h,
            alarm_min,
            recharge_h,
            0.8,
        )
        assert source in profile.source
        assert "check the edition" in profile.source.lower()
