"""Demand over time against a plain reading of the definition, instant by instant."""

import bisect

import pytest
import referee
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.outage.demand import LoadCurrents, build_timeline, common_period_h, mean_draw, peak_draw
from ypomoni.core.outage.order import Order, compare_demand
from ypomoni.core.things.loads import (
    NO_DRAW,
    Behaviour,
    Burst,
    Cable,
    Converter,
    ConverterKind,
    Draw,
    During,
    Load,
    Provenance,
    StatedCurrent,
)

BURST = st.fixed_dictionaries(
    {
        "current_a": st.sampled_from([0.0, 0.05, 0.4, 2.0]),
        "duration_s": st.sampled_from([11.0, 60.0, 250.0]),
        "per_hour": st.sampled_from([0.5, 1.0, 3.0, 7.0]),
        "offset_s": st.sampled_from([0.0, 33.0, 4000.0]),
    }
)
LOAD = st.fixed_dictionaries(
    {
        "behaviour": st.sampled_from(["constant_current", "constant_power", "resistive"]),
        "quantity": st.integers(1, 4),
        "rail_v": st.sampled_from([11.0, 12.0, 13.5]),
        "standby_a": st.sampled_from([0.0, 0.1, 0.3]),
        "alarm_a": st.sampled_from([0.0, 0.2, 1.0]),
        "bursts": st.lists(BURST, max_size=2),
    }
)


def currents_of(plain, **changes):
    """Return the product's value of a plain load."""
    stated = StatedCurrent(current_a=plain["standby_a"], provenance=Provenance.MEASURED)
    bursts = tuple(Burst(name="b", **b) for b in plain["bursts"])
    values = {"key": "l", "name": "l", "supply_key": "s", "quantity": plain["quantity"], "rail_v": plain["rail_v"]}
    load = Load(**{**values, "behaviour": Behaviour(plain["behaviour"]), "standby": stated, "alarm": stated, "bursts": bursts, **changes})
    levels = {"standby_current_a": plain["standby_a"], "alarm_current_a": plain["alarm_a"]}
    return LoadCurrents(load=load, burst_currents_a=tuple(b.current_a for b in load.bursts), **levels)


DURING = st.lists(st.sampled_from(list(During)), min_size=2, max_size=2)


@settings(max_examples=150, deadline=None)
@given(loads=st.lists(st.tuples(LOAD, DURING), min_size=1, max_size=3))
def test_an_order_of_alarm_and_standby_holds_at_every_instant(loads):
    """Bursts of one timing and of several, of the alarm alone, that draw less than rest: looked at after every change of a day."""
    currents = []
    for load, during in loads:
        bursts = tuple(Burst(name="b", during=d, **b) for b, d in zip(load["bursts"], during, strict=False))
        currents.append(currents_of(load, bursts=bursts))
    standby, alarm = (build_timeline(currents, NO_DRAW, in_alarm=state) for state in (False, True))
    order = compare_demand(standby, alarm, 9.0, 14.0)
    lines = [timeline.stretches(0.0, 24.0) for timeline in (standby, alarm)]
    starts = [[piece[0] for piece in line] for line in lines]
    edges = sorted({t for line in starts for t in line})
    for v in (9.0, 11.3, 14.0):
        standby_a, alarm_a = (
            [Draw(*line[bisect.bisect_right(own, t + 1e-8) - 1][1:]).at_nominal_a(v) for t in edges]
            for line, own in zip(lines, starts, strict=True)
        )
        more_a = [a - b for a, b in zip(alarm_a, standby_a, strict=True)]
        if order is Order.ALARM_IS_MORE:
            assert min(more_a) >= -1e-9
        elif order is Order.ALARM_IS_LESS:
            assert max(more_a) <= 1e-9
    if not any(load["bursts"] for load, _ in loads) and all(load["alarm_a"] >= load["standby_a"] for load, _ in loads):
        assert order is Order.ALARM_IS_MORE


@settings(max_examples=100, deadline=None)
@given(loads=st.lists(LOAD, min_size=1, max_size=3), begin_h=st.sampled_from([0.0, 0.9, 26.3]), least_v=st.sampled_from([9.0, 10.9, 12.5]))
def test_what_loads_behind_cables_ask_for_is_followed_as_it_is_looked_up(loads, begin_h, least_v):
    """Walked along with the bursts it is, after every change of half a day, what each load asks for at that instant alone."""
    currents = [currents_of(load, cable=Cable(length_m=10.0 * n, section_mm2=0.5), min_v=10.4 + 0.2 * n) for n, load in enumerate(loads, 1)]
    timeline = build_timeline(currents, NO_DRAW, in_alarm=False)
    assert len(timeline.floors) == len(loads)
    starts_h = [stretch[0] for stretch in timeline.stretches(begin_h, begin_h + 12.0)]
    asked_v = [max(least_v, timeline.floor_v(t)) for t in starts_h]
    assert timeline.ends_v(starts_h, least_v) == pytest.approx(asked_v, abs=1e-9)


def test_bursts_that_draw_less_leave_the_order_as_it_is():
    """A magnet lets go now and then, in standby only, in many staggered pieces; an alarm has a burst of its own."""
    magnet = {"standby_a": 0.2, "alarm_a": 0.2, "quantity": 30, "rail_v": 12.0, "behaviour": "constant_current"}
    lets_go = Burst(name="b", current_a=0.0, duration_s=60.0, per_hour=3.9, offset_s=0.0)
    beacon = {"standby_a": 0.0, "alarm_a": 0.1, "quantity": 1, "rail_v": 12.0, "behaviour": "constant_current"}
    flash = Burst(name="f", current_a=2.0, duration_s=1.0, per_hour=60.0, offset_s=0.0, during=During.ALARM)
    currents = [currents_of(magnet | {"bursts": []}, bursts=(lets_go,)), currents_of(beacon | {"bursts": []}, bursts=(flash,))]
    standby, alarm = (build_timeline(currents, NO_DRAW, in_alarm=state) for state in (False, True))
    assert compare_demand(standby, alarm, 10.5, 13.0) is Order.ALARM_IS_MORE


def demand_at(pieces, t):
    return next(piece[1:] for piece in reversed(pieces) if piece[0] <= t)


@settings(max_examples=80, deadline=None)
@given(loads=st.lists(LOAD, min_size=1, max_size=3), begin_h=st.floats(0.0, 9.0), in_alarm=st.booleans(), data=st.data())
def test_demand_at_any_instant_is_what_the_definition_says(loads, begin_h, in_alarm, data):
    """Bursts replace the rest, pieces are staggered, the larger counts in alarm; `window` cuts the same from what it remembers."""
    loads = [load for load in loads if sum(b["duration_s"] * b["per_hour"] for b in load["bursts"]) <= 3600]
    timeline = build_timeline([currents_of(load) for load in loads], Draw(0.04, 0.0, 0.0), in_alarm=in_alarm)
    end_h = begin_h + 3.0
    whole, cut = timeline.stretches(begin_h, end_h), timeline.window(begin_h + 0.5, end_h - 0.5)
    for t in data.draw(st.lists(st.floats(begin_h, end_h - 1e-3), min_size=1, max_size=20)):
        if any(abs(t - edge) * 3600 < 1e-3 for edge in timeline.edges(begin_h, end_h)):
            continue
        expected = referee.demand(loads, 0.04, t * 3600, in_alarm)
        assert demand_at(whole, t) == pytest.approx(expected, abs=1e-9)
        if begin_h + 0.5 <= t < end_h - 0.5:
            assert demand_at(cut, t) == pytest.approx(expected, abs=1e-9)


@settings(max_examples=60, deadline=None)
@given(load=LOAD, in_alarm=st.booleans())
def test_average_and_peak_are_those_of_the_demand_over_a_whole_period(load, in_alarm):
    """Where bursts do not overlap: the mean of the pieces is I_rest(1 − Σd) + ΣI·d, and no piece is above the peak."""
    load = {**load, "bursts": load["bursts"][:1]}
    currents = currents_of(load)
    timeline = build_timeline([currents], NO_DRAW, in_alarm=in_alarm)
    begin_h, period_h = timeline.settled_h, timeline.common_period_h or 1.0
    pieces = timeline.stretches(begin_h, begin_h + period_h)
    ends = [p[0] for p in pieces[1:]] + [begin_h + period_h]
    for n in range(3):
        mean = sum((end - piece[0]) * piece[n + 1] for piece, end in zip(pieces, ends, strict=True)) / period_h
        assert mean == pytest.approx(mean_draw(currents, in_alarm=in_alarm)[n], rel=1e-6, abs=1e-9)
        assert max(piece[n + 1] for piece in pieces) <= peak_draw(currents, in_alarm=in_alarm)[n] + 1e-9


@pytest.mark.parametrize(("per_hour", "period_h"), [([1], 1), ([2, 3], 1), ([6, 0.5], 2), ([4, 6], 0.5), ([1 / 24, 1], 24), ([7, 5], 1)])
def test_a_pattern_repeats_after_the_common_period_of_its_bursts(per_hour, period_h):
    """1/gcd of the frequencies."""
    assert common_period_h([1 / n for n in per_hour]) == pytest.approx(period_h)


def test_a_thousand_staggered_pieces_keep_their_charge():
    """Ten bursts an hour of 6 s each on a thousand pieces: seventeen are always active on average, in few edges."""
    plain = {"behaviour": "constant_current", "quantity": 1000, "rail_v": 12.0, "standby_a": 0.001, "alarm_a": 0.001}
    plain["bursts"] = [{"current_a": 0.1, "duration_s": 6.0, "per_hour": 10.0, "offset_s": 0.0}]
    currents = currents_of(plain)
    timeline = build_timeline([currents], NO_DRAW, in_alarm=False)
    pieces = timeline.stretches(1.0, 2.0)
    ends = [p[0] for p in pieces[1:]] + [2.0]
    charge_ah = sum((end - piece[0]) * piece[1] for piece, end in zip(pieces, ends, strict=True))
    assert charge_ah == pytest.approx(mean_draw(currents, in_alarm=False).current_a, rel=2e-3)
    assert len(pieces) < 1000


def test_converters_decide_how_a_rail_reaches_the_battery():
    """5 V at 0.6 A: by a switching converter of 0.8 a power of 3.75 W whatever the behaviour, by a linear one 0.6 A."""
    plain = {"behaviour": "resistive", "quantity": 1, "rail_v": 5.0, "standby_a": 0.6, "alarm_a": 0.6, "bursts": []}
    switching = Converter(kind=ConverterKind.SWITCHING, efficiency_ratio=0.8)
    linear = Converter(kind=ConverterKind.LINEAR)
    assert tuple(mean_draw(currents_of(plain, converter=switching), in_alarm=False)) == pytest.approx((0.0, 3.75, 0.0))
    assert tuple(mean_draw(currents_of(plain, converter=linear), in_alarm=False)) == pytest.approx((0.6, 0.0, 0.0))
    assert tuple(mean_draw(currents_of(plain), in_alarm=False)) == pytest.approx((0.0, 0.0, 0.12))


def test_a_burst_of_the_alarm_is_silent_in_standby():
    """And in alarm it replaces what the load draws then, even where that is more."""
    plain = {"behaviour": "constant_current", "quantity": 1, "rail_v": 12.0, "standby_a": 0.1, "alarm_a": 0.5, "bursts": []}
    strobe = Burst(name="gap", current_a=0.2, duration_s=900.0, per_hour=1.0, during=During.ALARM)
    currents = currents_of(plain, bursts=(strobe,))
    assert build_timeline([currents], NO_DRAW, in_alarm=False).trains == ()
    assert mean_draw(currents, in_alarm=True).current_a == pytest.approx(0.5 * 0.75 + 0.2 * 0.25)
