"""Random plans to place, and the brute force that tries every placement, memoised per subset. Shared by the optimiser's tests."""

import random
from dataclasses import replace

from builders import core_plan, document, merged

from ypomoni.core.balance.limits import meets
from ypomoni.core.balance.moves import fixed_reason, moved
from ypomoni.core.balance.search.units import run_m, units_of
from ypomoni.core.things.loads import Burst, Run
from ypomoni.core.things.places import Place

EASY = {"standby_h": 12, "alarm_min": 30}


def plan_of(loads, supplies, **site):
    """Return a plan of supplies s0, s1 … with loads that name theirs."""
    found = merged(document(loads=loads), site)
    plan = found["plans"][0]
    plan["supplies"] = [merged(plan["supplies"][0], {"key": f"s{n}", "name": f"Bay {n}", **s}) for n, s in enumerate(supplies)]
    return core_plan(found)


def random_plan(seed, most_loads=10):
    """Return up to ten loads on three supplies, with buses, powers, bursts, limits, rails, purposes, pins, formulas and chargers."""
    draw = random.Random(seed)
    count = draw.randint(3, most_loads)
    loads = []
    for n in range(count):
        load = {
            "key": f"l{n}",
            "supply": f"s{draw.choice([0, 0, 1, 2])}",
            "behaviour": draw.choice(["constant_current", "constant_current", "constant_power", "resistive"]),
            "standby": {"current_a": round(draw.uniform(0.02, 2.4 / count), 3)},
            "alarm": {"current_a": round(draw.uniform(0.05, 4.0 / count), 3), "provenance": "measured"},
            "bus_group": draw.choice([None, None, None, "B"]),
            "purpose": draw.choice([None, None, "security", "life_safety", "convenience"]),
            "pinned": draw.random() < 0.08,
            "min_v": draw.choice([None, None, 10.2]),
        }
        if draw.random() < 0.25:
            load["bursts"] = [{"current_a": 0.8, "duration_s": 10, "per_hour": 1, "during": draw.choice(["always", "always", "alarm"])}]
        if draw.random() < 0.2:
            load |= {"rail_v": 5, "min_v": None, "converter": {"kind": "switching", "efficiency_ratio": 0.85}}
        loads.append(load)
    supplies = [
        {
            "bank": {"capacity_ah": draw.choice([12, 17, 26, 38])},
            "output_limit_a": draw.choice([2.0, 3.0, 4.0]),
            "supply_current_a": draw.choice([2.0, 4.0]),
            "convenience_free": draw.random() < 0.2,
        }
        for _ in range(3)
    ]
    found = merged(document(loads=loads), {})
    found["requirements"][0]["method"] = draw.choice(["simulation", "plain", "standard_formula", "derated"])
    plan = found["plans"][0]
    plan["supplies"] = [merged(plan["supplies"][0], {"key": f"s{n}", "name": f"Bay {n}", **s}) for n, s in enumerate(supplies)]
    return core_plan(found)


def bursty_plan(seed):
    """Return a random plan with many bursts, in pieces in turn too, short and long hours, with and without alarm."""
    draw, plan = random.Random(seed), random_plan(seed)
    loads = []
    for load in plan.loads:
        bursts = load.bursts
        if draw.random() < 0.5:
            often, lasts_s, later_s = (
                draw.choice([1.0, 2.0, 6.0, 12.0, 60.0, 120.0]),
                draw.choice([1.0, 5.0, 25.0]),
                draw.choice([0, 100, 1000]),
            )
            bursts = (Burst(name="b", current_a=draw.uniform(0.1, 1.2), duration_s=lasts_s, per_hour=often, offset_s=later_s),)
        standby = replace(load.standby, current_a=load.standby.current_a * draw.uniform(0.3, 1.5))
        loads.append(replace(load, pinned=False, standby=standby, bursts=bursts, quantity=draw.choice([1, 1, 3])))
    supplies = [
        replace(
            s,
            requirement=replace(
                s.requirement, standby_h=draw.choice([2.0, 6.0, 24.0, 60.0]), alarm_min=draw.choice([0.0, 5.0, 30.0, 120.0])
            ),
            bank=replace(s.bank, capacity_ah=draw.choice([7.0, 12.0, 17.0, 38.0])),
        )
        for s in plan.supplies
    ]
    return replace(plan, loads=tuple(loads), supplies=tuple(supplies))


def full_site(seed, loads_count=200, mean_a=0.42):
    """Return a site file of eight alike bays that carry so much each on average, the first ones more; powers and bursts among them."""
    draw = random.Random(seed)
    found = document(site={"name": f"Board {loads_count}"})
    plan, share_a = found["plans"][0], mean_a * 8 / loads_count
    supply, load = plan["supplies"][0], plan["loads"][0]
    plan["supplies"] = [merged(supply, {"key": f"s{n}", "name": f"Bay {n + 1}", "output_limit_a": 5.0}) for n in range(8)]
    plan["loads"] = [
        merged(
            load,
            {
                "key": f"l{n}",
                "name": f"Device {n + 1}",
                "supply": f"s{min(7, int(8 * draw.random() ** 1.4))}",
                "branch": f"Branch {n % 20}",
                "behaviour": "constant_power" if n % 3 == 0 else "constant_current",
                "standby": {"current_a": round(draw.uniform(0.2, 1.8) * share_a, 4)},
                "alarm": {"current_a": round(draw.uniform(0.2, 3.0) * share_a, 4), "provenance": "data_sheet"},
                "bursts": [{"current_a": 0.3, "duration_s": 6, "per_hour": 1}] if n % 40 == 0 else [],
            },
        )
        for n in range(loads_count)
    ]
    return found


def with_runs(plan, seed):
    """Return a plan whose loads are in three places, most of them so many metres of cable from each supply."""
    draw = random.Random(seed)
    places = [Place(key=f"p{n}", name=f"Place {n}", typical_degc=20.0, min_degc=5.0) for n in range(3)]
    runs = tuple(
        Run(place_key=place.key, supply_key=s.key, length_m=float(draw.randint(3, 120)), section_mm2=1.5)
        for place in places
        for s in plan.supplies
        if draw.random() < 0.8
    )
    return replace(plan, runs=runs, loads=tuple(replace(load, place=draw.choice(places)) for load in plan.loads))


def metres_of(plan):
    """Return what a load's going to a supply costs where cable is to be least: its metres, and a hundredth for the move."""
    return lambda load, supply: 0.01 + run_m(plan, load, supply.key)[0]


def least_by_trying_all(plan, cost=None):
    """Return the least cost of all placements that keep the rules and every limit, or the fewest moves; None where there is none."""
    units, supplies = units_of(list(plan.loads)), plan.supplies
    known = {}

    def fine(s, chosen):
        if (s, chosen) not in known:
            loads = tuple(moved(plan, load, supplies[s].key) for u in sorted(chosen) for load in units[u])
            purposes = {load.purpose for load in loads if load.purpose}
            known[s, chosen] = not {"life_safety", "convenience"} <= purposes and meets(replace(supplies[s], totals=()), loads)
        return known[s, chosen]

    best = None

    def place(u, chosen, moves):
        nonlocal best
        if best is not None and moves >= best:
            return
        if u == len(units):
            best = moves
            return
        order = sorted(range(len(supplies)), key=lambda s: units[u][0].supply_key != supplies[s].key)
        for s in order:
            going = [load for load in units[u] if load.supply_key != supplies[s].key]
            if any(fixed_reason(plan, load, supplies[s]) for load in going):
                continue
            # More load never helps: what fails already is not filled up further.
            with_it = chosen[s] | {u}
            if fine(s, with_it):
                place(
                    u + 1, (*chosen[:s], with_it, *chosen[s + 1 :]), moves + sum(cost(load, supplies[s]) if cost else 1 for load in going)
                )

    empty = tuple(frozenset() for _ in supplies)
    if all(fine(s, frozenset()) for s in range(len(supplies))):
        place(0, empty, 0)
    return best
