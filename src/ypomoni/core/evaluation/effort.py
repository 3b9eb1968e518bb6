"""How long the figures of a supply will take to work out, before they are."""

from ypomoni.core.outage.case import Case, has_known_currents
from ypomoni.core.outage.gathering import MOST_COST, pattern_cost
from ypomoni.core.seasons.cuts import cut_pattern
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply

# Measured on two slow cores: a supply without bursts, each of its loads, and each change of demand that is walked. [s]
BARE_S = 0.03
LOAD_S = 0.002
CHANGE_S = 2e-5
# Two years of sun, a week's pattern, and each cut of a history, played several times.
SUN_S, WEEK_S, CUT_S = 0.4, 0.1, 1e-3


def _season_s(supply: Supply) -> float:
    """Return about how long the season of a supply takes: today and at its worst, and what would mend it. [s]"""
    if supply.of_kind.is_sunlit and supply.solar is not None:
        return SUN_S
    pattern = cut_pattern(supply)
    if pattern is None:
        return 0.0
    return WEEK_S if pattern.repeats else CUT_S * len(pattern.spans)


def estimate_s(supply: Supply, loads: tuple[Load, ...]) -> float:
    """Return about how long `evaluate_supply` takes. [s]"""
    if not has_known_currents(supply, loads):
        return BARE_S
    cost = 0.0
    if any(load.bursts for load in loads):
        cost = pattern_cost(Case(supply, loads).timelines(cold=False), loads, supply.requirement.alarm_h)
    return BARE_S + _season_s(supply) + LOAD_S * len(loads) + CHANGE_S * min(cost, MOST_COST)
