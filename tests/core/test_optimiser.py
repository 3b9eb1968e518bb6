"""The fewest moves, against trying every placement; bus groups, rails, limits and company kept; nothing where nothing helps."""

import itertools
import random

import pytest
from builders import core_plan, document, merged

from ypomoni.core.balancing import fixed_reason
from ypomoni.core.optimiser import fewest_moves, holds


def plan_of(loads, supplies):
    """Return a plan of supplies s0, s1 … with loads that name theirs."""
    found = document(loads=loads)
    plan = found["plans"][0]
    plan["supplies"] = [merged(plan["supplies"][0], {"key": f"s{n}", "name": f"Bay {n}", **s}) for n, s in enumerate(supplies)]
    return core_plan(found)


def by_trying_all(plan):
    """Return the fewest moves of all placements that keep the rules and hold; None where none does."""
    best = None
    for choice in itertools.product(plan.supplies, repeat=len(plan.loads)):
        moves = sum(load.supply_key != s.key for load, s in zip(plan.loads, choice, strict=True))
        if best is not None and moves >= best:
            continue
        groups = {}
        for load, s in zip(plan.loads, choice, strict=True):
            groups.setdefault(load.bus_group or load.key, set()).add(s.key)
        if any(len(g) > 1 for g in groups.values()):
            continue
        if any(load.supply_key != s.key and fixed_reason(load, s) for load, s in zip(plan.loads, choice, strict=True)):
            continue
        on = {s.key: tuple(load for load, c in zip(plan.loads, choice, strict=True) if c is s) for s in plan.supplies}
        if any({"life_safety", "convenience"} <= {load.purpose for load in loads if load.purpose} for loads in on.values()):
            continue
        if all(holds(s, on[s.key]) for s in plan.supplies):
            best = moves
    return best


@pytest.mark.parametrize("seed", range(25))
def test_the_fewest_moves_are_those_of_trying_every_placement(seed):
    """Random plans of up to six loads on three supplies, with buses, powers, bursts, limits, rails and purposes."""
    draw = random.Random(seed)
    loads = []
    for n in range(draw.randint(3, 6)):
        load = {
            "key": f"l{n}",
            "supply": f"s{draw.randint(0, 1)}",
            "behaviour": draw.choice(["constant_current", "constant_power"]),
            "standby": {"current_a": round(draw.uniform(0.05, 0.6), 3)},
            "alarm": {"current_a": round(draw.uniform(0.1, 1.2), 3), "provenance": "measured"},
            "bus_group": draw.choice([None, None, "B"]),
            "purpose": draw.choice([None, None, "life_safety", "convenience"]),
        }
        if draw.random() < 0.3:
            load["bursts"] = [{"current_a": 1.2, "duration_s": 10, "per_hour": 1}]
        loads.append(load)
    supplies = [{"bank": {"capacity_ah": draw.choice([7, 17, 26])}, "output_limit_a": draw.choice([1.0, 2.0, 3.0])} for _ in range(3)]
    plan = plan_of(loads, supplies)
    expected, found = by_trying_all(plan), fewest_moves(plan)
    assert found.is_proven
    assert (len(found.moves) if found.is_found else None) == expected


def test_an_answer_that_is_followed_holds_and_a_good_plan_is_left_alone():
    """Ten loads too many for one bay: moved as told, every supply passes the simulation; asked again, there is nothing to move."""
    loads = [{"key": f"l{n}", "supply": "s0", "standby": {"current_a": 0.1 + 0.01 * n}} for n in range(10)]
    plan = plan_of(loads, [{}, {}, {"bank": {"capacity_ah": 38}}])
    found = fewest_moves(plan)
    to = {m.load_key: m.to_key for m in found.moves}
    from dataclasses import replace

    moved = replace(plan, loads=tuple(replace(load, supply_key=to.get(load.key, load.supply_key)) for load in plan.loads))
    assert found.moves
    assert all(holds(s, moved.loads_on(s.key)) for s in moved.supplies)
    assert fewest_moves(moved).moves == ()


def test_where_no_placement_holds_it_says_so():
    """One load that no bank here carries."""
    found = fewest_moves(plan_of([{"key": "a", "supply": "s0", "standby": {"current_a": 1.9}}], [{}, {}]))
    assert (found.is_found, found.is_proven, found.moves) == (False, True, ())


def test_nothing_is_moved_to_a_supply_that_feeds_ac_and_a_burst_that_never_comes_costs_nothing():
    """The holdover of such a supply is not known; a burst first due after the outage rules no placement out."""
    heavy = [{"key": f"l{n}", "supply": "s0", "standby": {"current_a": 0.45}} for n in range(2)]
    fed = {"key": "ac", "supply": "s1", "ac": {"power_w": 20.0}}
    assert not fewest_moves(plan_of([*heavy, fed], [{}, {}])).is_found
    assert {m.to_key for m in fewest_moves(plan_of([*heavy, fed], [{}, {}, {}])).moves} == {"s2"}
    late = {"current_a": 1.9, "duration_s": 20_000, "per_hour": 0.01, "offset_s": 300_000}
    waiting = fewest_moves(plan_of([{"key": "a", "supply": "s0", "standby": {"current_a": 0.4}, "bursts": [late]}], [{}]))
    assert (waiting.is_found, waiting.moves) == (True, ())
