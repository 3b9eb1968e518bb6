"""How long the figures of a supply will take to work out, before they are."""

from ypomoni.core.outage.case import Case, has_known_currents
from ypomoni.core.outage.gathering import MOST_COST, pattern_cost
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply

# Measured on two slow cores: a supply without bursts, each of its loads, and each change of demand that is walked. [s]
BARE_S = 0.03
LOAD_S = 0.002
CHANGE_S = 2e-5


def estimate_s(supply: Supply, loads: tuple[Load, ...]) -> float:
    """Return about how long `evaluate_supply` takes. [s]"""
    if not has_known_currents(supply, loads):
        return BARE_S
    cost = 0.0
    if any(load.bursts for load in loads):
        cost = pattern_cost(Case(supply, loads).timelines(cold=False), loads, supply.requirement.alarm_h)
    return BARE_S + LOAD_S * len(loads) + CHANGE_S * min(cost, MOST_COST)
