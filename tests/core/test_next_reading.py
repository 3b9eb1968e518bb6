"""The next reading and measured totals: against taking every reading for real, and against drawing the loads at random."""

import copy
import math
import random

import pytest
from builders import audited, core_plan, points_of

from ypomoni.core.evaluation.evaluate import evaluate_supply
from ypomoni.core.measuring.next_reading import suggest_readings
from ypomoni.core.measuring.reconciliation import Tree
from ypomoni.core.outage.conditioning import explained_square, shift_of_loads, solve
from ypomoni.core.things.readings import DEFAULT_INSTRUMENT, State


def load(key, current_a, provenance, quantity=1, **more):
    return {"key": key, "name": key, "quantity": quantity, "standby": {"current_a": current_a, "provenance": provenance}, **more}


LOADS = [
    load("a", 0.30, "estimate"),
    load("b", 0.05, "data_sheet", 4),
    load("c", 0.20, "nameplate"),
    load("d", 0.10, "measured"),
    load("e", 0.12, "estimate", alarm={"current_a": 0.5, "provenance": "estimate"}),
]
BRANCHES = {"a": "B1", "b": "B1", "c": "B2", "e": "B2"}


def tree_of(plan):
    return Tree(plan.supplies[0], plan.loads_on("s"), list(plan.points), plan.readings, plan.instruments)


def band_with_reading_taken(document, point, state, expected_a):
    """Return ln(high/low) after the reading was put into the register by hand, as an engineer would."""
    found = copy.deepcopy(document)
    plan = found["plans"][0]
    limit_a = DEFAULT_INSTRUMENT.limit_a(expected_a)
    if point.kind.value == "device":
        part = next(x for x in plan["loads"] if x["key"] == point.load_key)
        name = state.value
        stated = part.get(name) or part["standby"]
        current_a = stated["current_a"] * (0.7 if stated["provenance"] == "nameplate" else 1.0)
        part[name] = {"current_a": current_a, "provenance": "measured", "uncertainty_a": limit_a / part["quantity"]}
    else:
        plan["supplies"][0]["totals"] = [
            {"point": point.key, "state": state.value, "current_a": expected_a, "uncertainty_a": limit_a, "at_v": 12}
        ]
    core = core_plan(found)
    band = evaluate_supply(core, core.supplies[0]).holdover
    return math.log(band.high / band.low), band


def test_the_next_reading_is_the_one_that_taking_each_for_real_finds_best():
    """Every candidate is taken into the register and the whole supply evaluated anew: same order at the top, bands within 1 %."""
    document = audited(loads=LOADS, branches=BRANCHES, instruments=())
    plan = core_plan(document)
    found = suggest_readings(tree_of(plan))
    points = {p.key: p for p in plan.points}
    widths = {}
    for suggestion in found:
        width, band = band_with_reading_taken(document, points[suggestion.point_key], suggestion.state, suggestion.expected_a)
        widths[suggestion.point_key, suggestion.state] = width
        assert suggestion.after.low == pytest.approx(band.low, rel=0.01), suggestion
        assert suggestion.after.high == pytest.approx(band.high, rel=0.01), suggestion
    # The battery lead tells as much as the output, but has to be opened: the output comes first.
    best = min((key for key in widths if key[0] != "battery"), key=lambda key: widths[key])
    assert (found[0].point_key, found[0].state) == best == ("output", State.STANDBY)
    order = [(s.point_key, s.state) for s in found if s.point_key != "battery"]
    assert order == sorted(order, key=lambda key: widths[key])
    # What narrows the range by less than a tenth is not offered.
    assert len(found) >= 3
    assert all(s.gain_ratio >= 0.1 * math.log(s.before.high / s.before.low) - 1e-9 for s in found)
    assert all(s.after.low > s.before.low and s.after.high < s.before.high for s in found)


def test_with_the_total_taken_what_tells_most_is_another():
    """Once the output is in the register its own reading is not offered again, and the band is the narrow one."""
    document = audited(loads=LOADS, branches=BRANCHES, instruments=())
    document["plans"][0]["supplies"][0]["totals"] = [
        {"point": "output", "state": "standby", "current_a": 0.86, "uncertainty_a": 0.0116, "at_v": 12}
    ]
    plan = core_plan(document)
    found = suggest_readings(tree_of(plan))
    before = evaluate_supply(plan, plan.supplies[0]).holdover
    # Nothing that is left to read would narrow the range by a tenth, so nothing is offered.
    assert found == ()
    del document["plans"][0]["supplies"][0]["totals"]
    wide = evaluate_supply(core_plan(document), core_plan(document).supplies[0]).holdover
    assert before.high / before.low < wide.high / wide.low


def test_a_supply_without_bank_or_load_has_no_next_reading():
    """Nothing to narrow."""
    assert suggest_readings(tree_of(core_plan(audited(supply={"bank": None}, loads=LOADS)))) == ()
    assert suggest_readings(tree_of(core_plan(audited(loads=[load("a", 0.0, "measured")])))) == ()


def test_a_total_moves_its_loads_by_their_share_of_the_uncertainty():
    """Two loads of 100 ± 40 and 200 ± 30 mA, total read 350 ± 5 mA: +50 mA in the ratio of the squares 16 : 9, but for the total's own 25/2525."""
    parts, residual_a = [[0.040, 0.030]], 0.050
    shifts = shift_of_loads(parts, [0.005], [residual_a])
    scale = residual_a / (0.040**2 + 0.030**2 + 0.005**2)
    assert [s * p for s, p in zip(shifts, parts[0], strict=True)] == pytest.approx([scale * 0.040**2, scale * 0.030**2])
    document = audited(loads=[load("a", 0.1, "estimate"), load("b", 0.2, "data_sheet")], instruments=())
    plan_part = document["plans"][0]
    plan_part["supplies"][0]["totals"] = [{"point": "output", "state": "standby", "current_a": 0.35, "uncertainty_a": 0.005, "at_v": 12}]
    plan = core_plan(document)
    result = evaluate_supply(plan, plan.supplies[0])
    assert result.standby_current_a == pytest.approx(0.3 + 0.05 * 2500 / 2525, rel=1e-6)
    shares = {s.key: s.standby_current_a for s in result.shares}
    assert shares["a"] - 0.1 == pytest.approx((shares["b"] - 0.2) * 16 / 9, rel=1e-6)


def test_what_a_total_explains_is_what_remains_when_loads_are_drawn_at_random():
    """20,000 draws of four loads, each kept with the likelihood of the total read: mean and spread as the closed form says."""
    draw = random.Random(5)
    limits, deltas, limit_a = [0.04, 0.02, 0.03, 0.01], [0.20, 0.05, 0.12, 0.02], 0.01
    residual_a = 0.03
    weights, values = [], []
    for _ in range(20_000):
        moves = [draw.gauss(0.0, 0.5) for _ in limits]
        total_a = sum(m * u for m, u in zip(moves, limits, strict=True))
        weights.append(math.exp(-0.5 * ((total_a - residual_a) / (limit_a / 2)) ** 2))
        values.append(sum(m * d for m, d in zip(moves, deltas, strict=True)))
    whole = sum(weights)
    mean = sum(w * v for w, v in zip(weights, values, strict=True)) / whole
    spread = math.sqrt(sum(w * (v - mean) ** 2 for w, v in zip(weights, values, strict=True)) / whole)
    shifts = shift_of_loads([limits], [limit_a], [residual_a])
    assert sum(s * d for s, d in zip(shifts, deltas, strict=True)) == pytest.approx(mean, rel=0.03)
    left = sum(d * d for d in deltas) - explained_square(deltas, [limits], [limit_a])
    assert math.sqrt(left) == pytest.approx(2 * spread, rel=0.03)


def test_solve_by_hand():
    """[[4, 2], [2, 3]]·x = [2, 5] gives x = (−0.5, 2)."""
    assert solve([[4.0, 2.0], [2.0, 3.0]], [2.0, 5.0]) == pytest.approx([-0.5, 2.0])


def test_states_without_a_total_keep_their_band():
    """A supply without totals has the band of the definition, unchanged by points and readings."""
    with_points = core_plan(audited(loads=LOADS, branches=BRANCHES))
    bare = audited(loads=LOADS)
    bare["plans"][0]["points"] = []
    without = core_plan(bare)
    bands = [evaluate_supply(p, p.supplies[0]).holdover for p in (with_points, without)]
    assert bands[0] == bands[1]
    assert {p["kind"] for p in points_of("s", ["a"])} == {"battery", "output", "device"}
    assert State.STANDBY.value == "standby"
