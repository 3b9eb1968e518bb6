"""The units that a search places: loads that go together, what they ask, and how far they would go."""

from ypomoni.core.balance.moves import run_cable
from ypomoni.core.outage.uncertainty import expected_a
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Plan

UNKNOWN_RUN_M = 30.0


def run_m(plan: Plan, load: Load, supply_key: str) -> tuple[float, bool]:
    """Return how much new cable a load needs on a supply, and whether that is known. Where it is not, the longest known run is taken, or a usual length. [m]"""
    cable = run_cable(plan, load, supply_key)
    if cable is not None:
        return cable.length_m, True
    return max([run.length_m for run in plan.runs], default=UNKNOWN_RUN_M), False


def units_of(loads: list[Load]) -> list[tuple[Load, ...]]:
    """Return the loads that go together: a bus group is one."""
    groups: dict[str, list[Load]] = {}
    for load in loads:
        groups.setdefault(f"bus {load.bus_group}" if load.bus_group else f"load {load.key}", []).append(load)
    return [tuple(group) for group in groups.values()]


def demand_of(unit: tuple[Load, ...]) -> tuple[float, ...] | None:
    """Return the demand of a unit as numbers, each of which is harder on a supply the greater it is. None where a few numbers do not say all: with bursts, thermostats, cables."""
    if any(load.bursts or load.thermostats or load.recharges or load.cable for load in unit):
        return None
    states = ([expected_a(load.standby) * load.quantity for load in unit], [expected_a(load.alarm) * load.quantity for load in unit])
    drawn = [
        sum(load.draw_per_amp[n] * current_a for load, current_a in zip(unit, currents, strict=True))
        for currents in states
        for n in range(3)
    ]
    return (*drawn, max((load.battery_min_v or 0.0 for load in unit if load.essential), default=0.0))
