"""What must hold for any site: more load or cold never lengthens, more capacity never shortens; figures are finite."""

import math

from builders import core_plan, document, evaluate
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.ends import EndCause
from ypomoni.documents.into_core import to_core
from ypomoni.documents.results_json import dump_supply_result, load_supply_result
from ypomoni.documents.site_file import read_site, read_site_text, write_site

# Ends are located to a tenth of a second or better than one in ten thousand.
SLACK, SLACK_H = 1 + 1e-4, 1 / 3600


def amount(most):
    """Return amounts as people enter them: none, or at least a billionth."""
    return st.floats(0.0, most).map(lambda x: round(x, 8))


BURSTS = st.lists(
    st.fixed_dictionaries(
        {
            "current_a": amount(2.0),
            "duration_s": st.floats(0.1, 300.0),
            "per_hour": st.sampled_from([0.5, 1.0, 4.0, 6.0]),
            "offset_s": amount(4000.0),
            "during": st.sampled_from(["always", "alarm"]),
        }
    ),
    max_size=2,
)


def load(behaviour, current_a, bursts=(), alarm_a=None, quantity=1):
    found = {"behaviour": behaviour, "quantity": quantity, "bursts": list(bursts)}
    found["standby"] = {"current_a": current_a, "provenance": "data_sheet"}
    found["alarm"] = None if alarm_a is None else {"current_a": alarm_a, "provenance": "measured"}
    return found


def holdover(**changes):
    """Return holdover today, and in the cold."""
    result = evaluate(requirement={"method": "plain", "recharge_h": None}, **changes)
    return result.holdover.expected, result.scenarios.cold


@settings(max_examples=15, deadline=None)
@given(
    behaviour=st.sampled_from(["constant_current", "constant_power"]),
    current_a=st.floats(0.02, 1.5),
    more=st.floats(1.0, 2.0),
    capacity_ah=st.floats(2.0, 60.0),
    larger=st.floats(1.0, 3.0),
    cold_degc=st.floats(-20.0, 20.0),
    colder=st.floats(0.0, 1.0),
)
def test_more_load_or_cold_never_lengthens_and_more_capacity_never_shortens(
    behaviour, current_a, more, capacity_ah, larger, cold_degc, colder
):
    """For constant current and power."""
    lower_degc = cold_degc - colder * (cold_degc + 20)
    today_h, cold_h = holdover(
        loads=[load(behaviour, current_a, alarm_a=2 * current_a)],
        supply={"bank": {"capacity_ah": capacity_ah}},
        site={"min_degc": cold_degc},
    )
    heavier_h, colder_h = holdover(
        loads=[load(behaviour, current_a * more, alarm_a=2 * current_a * more)],
        supply={"bank": {"capacity_ah": capacity_ah}},
        site={"min_degc": lower_degc},
    )
    larger_h, _ = holdover(
        loads=[load(behaviour, current_a, alarm_a=2 * current_a)],
        supply={"bank": {"capacity_ah": capacity_ah * larger}},
        site={"min_degc": cold_degc},
    )
    assert heavier_h <= today_h * SLACK + SLACK_H
    assert colder_h <= cold_h * SLACK + SLACK_H
    assert larger_h * SLACK + SLACK_H >= today_h


@settings(max_examples=25, deadline=None)
@given(
    behaviour=st.sampled_from(["constant_current", "constant_power", "resistive"]),
    current_a=amount(3.0),
    alarm_a=st.none() | amount(6.0),
    quantity=st.integers(1, 5),
    bursts=BURSTS,
    capacity_ah=st.floats(0.5, 100.0),
    chemistry=st.sampled_from([("lead_agm", 12.0), ("lead_gel", 12.0), ("lifepo4", 12.8), ("li_ion", 11.1), ("nimh", 12.0)]),
    cutoff_v=st.none() | st.floats(6.0, 12.5),
    age_y=amount(30.0),
    alarm_min=st.sampled_from([0, 5, 30]),
)
def test_any_supply_gets_finite_ordered_figures_and_a_reason(
    behaviour, current_a, alarm_a, quantity, bursts, capacity_ah, chemistry, cutoff_v, age_y, alarm_min
):
    """Never NaN, a band around its middle, a reason for the end; the result survives the store, and the site its file."""
    bank = {"chemistry": chemistry[0], "block_v": chemistry[1], "capacity_ah": capacity_ah, "age_y": age_y}
    if sum(b["per_hour"] * b["duration_s"] for b in bursts) > 3600:
        bursts = []
    site = {
        "supply": {"cutoff_v": cutoff_v, "bank": bank},
        "loads": [load(behaviour, current_a, bursts, alarm_a, quantity)],
        "requirement": {"alarm_min": alarm_min},
    }
    result = evaluate(**site)
    assert result.limited_by is not None
    again = read_site_text(write_site(read_site(document(**site))))
    assert evaluate_plan(to_core(again).plans[0]).supplies[0] == result
    assert load_supply_result(dump_supply_result(result)) == result
    if result.holdover is None:
        assert result.limited_by == "nothing_draws"
        return
    band = result.holdover
    assert 0 <= band.low <= band.expected <= band.high < math.inf
    assert band.expected <= result.endurance_h + 1e-6
    assert sum(i.share_ratio for i in result.band_inputs) < 1 + 1e-9
    assert (result.recommended_bank is None) == (result.no_bank_reason is not None)


@settings(max_examples=25, deadline=None)
@given(
    behaviour=st.sampled_from(["constant_current", "constant_power", "resistive"]),
    current_a=st.floats(0.02, 2.0),
    burst_a=st.floats(0.02, 3.0),
    per_hour=st.sampled_from([1.0, 12.0, 60.0, 120.0]),
    duration_s=st.floats(1.0, 25.0),
    quantity=st.integers(1, 3),
    capacity_ah=st.floats(1.0, 100.0),
    alarm_min=st.sampled_from([0, 30]),
    times=st.floats(1.02, 30.0),
)
def test_what_is_carried_is_what_the_holdover_says(
    behaviour, current_a, burst_a, per_hour, duration_s, quantity, capacity_ah, alarm_min, times
):
    """Asked for hours just short of it, yes; for longer ones, no, however much longer and however many bursts lie between; what ended it is named."""
    burst = {"name": "b", "current_a": burst_a, "per_hour": per_hour, "duration_s": duration_s, "offset_s": 100}
    plan = core_plan(
        document(
            loads=[load(behaviour, current_a, [burst], 1.5 * current_a, quantity)],
            supply={"bank": {"capacity_ah": capacity_ah}},
            requirement={"alarm_min": alarm_min},
        )
    )
    case = Case(plan.supplies[0], plan.loads)
    found = case.holdover()
    holdover_h = found.holdover_h
    assert found.end.cause is not EndCause.HORIZON
    if holdover_h > 0.05:
        assert case.run().carries(0.98 * holdover_h)
    assert not case.run().carries(holdover_h * times + 0.01)
