"""Readings against sums: cases worked by hand, each cause earned by a case made for it, and an independent adding-up of random trees."""

import math
import random

import pytest
from builders import audited, core_plan, reading

from ypomoni.core.measuring.reconciliation import reconcile_plan
from ypomoni.core.things.readings import DEFAULT_INSTRUMENT, State, why_not_load

MEASURED, DATA_SHEET, ESTIMATE = "measured", "data_sheet", "estimate"


def load(key, current_a, provenance=MEASURED, quantity=1, **more):
    return {"key": key, "name": key.upper(), "quantity": quantity, "standby": {"current_a": current_a, "provenance": provenance}, **more}


def nodes(loads, readings, **more):
    found = reconcile_plan(core_plan(audited(loads=loads, readings=readings, supply={"own_current_a": 0.05}, **more)))
    return {(n.point_key, n.state): n for n in found}


def standby(loads, readings, point, **more):
    return nodes(loads, readings, **more)[(point, State.STANDBY)]


THREE = [load("a", 0.100), load("b", 0.050, quantity=2), load("c", 0.080, DATA_SHEET)]


def test_sum_and_combined_uncertainty_as_worked_by_hand():
    """100 + 2·50 + 80 mA = 280 mA; ±(1 % + 3 digits of 400 mA at 4,000 counts) of each reading, 15 % of a data sheet, equal pieces together.

    A: 1.0 + 0.3 = 1.3 mA. B: 2·(0.5 + 0.3) = 1.6 mA. C: 12 mA. Output read 290 mA: 2.9 + 0.3 = 3.2 mA. Root of squares of all: 12.59 mA.
    """
    node = standby(THREE, [reading("r", "output", 0.290)], "output")
    assert node.register_a == pytest.approx(0.280)
    assert node.sum_a == pytest.approx(0.280)
    assert node.residual_a == pytest.approx(0.010)
    assert node.read_limit_a == pytest.approx(0.0032)
    assert node.combined_a == pytest.approx(math.hypot(0.0013, 0.0016, 0.012, 0.0032))
    assert node.agrees is True
    assert node.causes == ()


def test_a_reading_behind_a_point_stands_in_place_of_the_register_there():
    """C read as 62 mA: the output's sum is 262 mA with its limit, the battery adds the supply's own 50 mA to what was read at the output."""
    readings = [reading("r1", "at-c", 0.062), reading("r2", "output", 0.263)]
    found = nodes(THREE, readings)
    assert found[("output", State.STANDBY)].sum_a == pytest.approx(0.262)
    assert found[("output", State.STANDBY)].combined_a == pytest.approx(math.hypot(0.0013, 0.0016, 0.00062 + 0.0003, 0.00263 + 0.0003))
    assert found[("battery", State.STANDBY)].sum_a == pytest.approx(0.313)
    assert found[("battery", State.STANDBY)].agrees is None


def test_half_the_span_seen_counts_with_the_instrument():
    """170 to 190 mA around 180: 1.8 + 0.3 mA of the meter and 10 mA of the span."""
    node = standby([load("a", 0.18)], [reading("r", "output", 0.180, min_a=0.170, max_a=0.190)], "output")
    assert node.read_limit_a == pytest.approx(0.0018 + 0.0003 + 0.010)


def test_a_power_load_is_expected_at_the_volts_it_was_read_at():
    """1 A at 12 V as a constant power is 0.882 A at 13.6 V."""
    beam = load("a", 1.0, behaviour="constant_power")
    node = standby([beam], [reading("r", "output", 12 / 13.6, battery_v=13.6)], "output")
    assert node.register_a == pytest.approx(12 / 13.6)
    assert node.residual_a == pytest.approx(0, abs=1e-9)


def test_frequent_bursts_are_seen_by_the_meter_and_rare_ones_are_not():
    """A burst twice a minute is part of a minute's mean, one an hour is not; while transmitting the meter shows its height."""
    often = load("a", 0.1, bursts=[{"current_a": 0.4, "duration_s": 3, "per_hour": 120}])
    rare = load("b", 0.1, bursts=[{"current_a": 1.1, "duration_s": 3, "per_hour": 1}])
    found = nodes([often, rare], [reading("r", "output", 1.2, state="transmitting")])
    assert found[("at-a", State.STANDBY)].register_a == pytest.approx(0.1 + 0.3 * 0.1)
    assert found[("at-b", State.STANDBY)].register_a == pytest.approx(0.1)
    assert found[("output", State.TRANSMITTING)].register_a == pytest.approx(0.13 + 0.3 + 1.1)


@pytest.mark.parametrize(
    ("loads", "readings", "point", "kind"),
    [
        (THREE, [reading("r", "output", 280.0)], "output", "unit"),
        (THREE, [reading("r", "output", 0.00028)], "output", "unit"),
        (THREE, [reading("r", "output", -0.281)], "output", "sign"),
        (THREE, [reading("r", "output", 0.330)], "output", "quantity"),
        ([load("a", 0.1), load("b", 0.06, quantity=4)], [reading("r", "output", 0.161)], "output", "quantity"),
        ([load("a", 0.1, alarm={"current_a": 0.43, "provenance": MEASURED})], [reading("r", "output", 0.431)], "output", "state"),
        ([load("a", 0.1), load("d", 0.213)], [reading("r", "output", 0.1)], "output", "idle"),
        ([load("a", 0.02), load("e", 0.2, ESTIMATE)], [reading("r", "output", 0.305)], "output", "guess"),
        ([load("a", 0.4), load("b", 0.4)], [reading("r", "output", 0.837)], "output", "unregistered"),
    ],
)
def test_the_cause_made_for_a_case_comes_first(loads, readings, point, kind):
    """Each slip is told from the others by its own figures, and says what speaks for it and what to do."""
    node = standby(loads, readings, point)
    assert node.agrees is False
    assert node.causes[0].kind == kind, [(c.kind, round(c.score_ratio, 2)) for c in node.causes]
    assert node.causes[0].evidence.endswith((".", ")"))
    assert node.causes[0].way_out
    assert [c.score_ratio for c in node.causes] == sorted([c.score_ratio for c in node.causes], reverse=True)


def test_a_unit_slip_behind_a_point_speaks_where_it_was_made_and_nowhere_else():
    """B written as 100 A: its own point says so; output and battery are added up with the register in its place."""
    found = nodes(THREE, [reading("r1", "at-b", 100.0), reading("r2", "output", 0.281)])
    assert found[("at-b", State.STANDBY)].causes[0].kind == "unit"
    assert found[("output", State.STANDBY)].agrees is True


@pytest.mark.parametrize(
    ("more", "reason"),
    [
        ({"mains": "on", "positive_means": "charge"}, "charge, not load"),
        ({"mains": None}, "only a reading with mains off"),
        ({"state": "walk_about"}, "only standby, alarm and transmitting"),
        ({"open_questions": ["Is that right?"]}, "still open"),
    ],
)
def test_a_battery_lead_reading_with_mains_on_never_counts_as_load(more, reason):
    """Kept, with the reason why it does not count."""
    plan = core_plan(audited(loads=THREE, readings=[reading("r", "battery", 0.61, **more)]))
    point = next(p for p in plan.points if p.key == "battery")
    assert reason in (why_not_load(plan.readings[0], point) or "")
    assert all(n.read_a is None for n in reconcile_plan(plan))


def test_the_sign_convention_turns_a_reading():
    """Minus 0.33 A with plus meaning charge is 0.33 A towards the loads."""
    node = standby(THREE, [reading("r", "battery", -0.33, positive_means="charge")], "battery")
    assert node.read_a == pytest.approx(0.33)
    assert node.agrees is True


def test_a_superseded_reading_gives_way():
    """Only the newer one counts."""
    first = reading("r1", "output", 0.5)
    second = reading("r2", "output", 0.28, supersedes="r1", reason="wrong state")
    assert standby(THREE, [first, second], "output").read_a == 0.28


def added_up(tree, point, readings, state):
    """Add up a random tree in the plainest way: returns (sum, square of limit)."""
    kids = tree["children"].get(point, [])
    if not kids:
        return tree["figures"].get(point, (0.0, 0.0))
    total, square = tree["own"] if point == "battery" else 0.0, 0.0
    for kid in kids:
        if kid in readings:
            total += readings[kid]
            square += DEFAULT_INSTRUMENT.limit_a(readings[kid]) ** 2
        else:
            more, its = added_up(tree, kid, readings, state)
            total, square = total + more, square + its
    return total, square


@pytest.mark.parametrize("seed", range(12))
def test_random_trees_add_up_as_an_independent_adding_says(seed):
    """Up to twelve loads on up to four branches, readings at random points: every sum and combined limit as added by the plain referee."""
    draw = random.Random(seed)
    loads, branches, figures = [], {}, {}
    for n in range(draw.randint(2, 12)):
        key, current_a, quantity = f"d{n}", round(draw.uniform(0.005, 0.3), 4), draw.randint(1, 5)
        provenance = draw.choice([DATA_SHEET, ESTIMATE])
        loads.append(load(key, current_a, provenance, quantity))
        share = {DATA_SHEET: 0.15, ESTIMATE: 0.40}[provenance]
        figures[f"at-{key}"] = (current_a * quantity, (share * current_a * quantity) ** 2)
        if draw.random() < 0.7:
            branches[key] = f"B{draw.randint(1, 4)}"
    children = {"battery": ["output"], "output": []}
    for n in range(len(loads)):
        parent = f"branch-{branches[f'd{n}']}" if f"d{n}" in branches else "output"
        children.setdefault(parent, []).append(f"at-d{n}")
    children["output"] += [p for p in children if p.startswith("branch-")]
    tree = {"children": children, "figures": figures, "own": 0.05}
    points = ["battery", *children["output"], "output", *figures]
    taken = dict.fromkeys(draw.sample(points, k=min(len(points), 5)))
    for point in taken:
        # Near enough to be no unit slip, far enough to disagree now and then.
        taken[point] = round(added_up(tree, point, {}, State.STANDBY)[0] * draw.uniform(0.7, 1.4), 4)
    found = nodes(loads, [reading(f"r{n}", p, a) for n, (p, a) in enumerate(taken.items())], branches=branches, instruments=())
    for point in points:
        node = found[(point, State.STANDBY)]
        total, square = added_up(tree, point, {p: a for p, a in taken.items() if p != point}, State.STANDBY)
        assert node.sum_a == pytest.approx(total), point
        assert node.sum_limit_a == pytest.approx(math.sqrt(square)), point
        if point in taken:
            assert node.residual_a == pytest.approx(taken[point] - total, abs=1e-9)
            assert node.agrees is (abs(taken[point] - total) <= math.hypot(math.sqrt(square), DEFAULT_INSTRUMENT.limit_a(taken[point])))
