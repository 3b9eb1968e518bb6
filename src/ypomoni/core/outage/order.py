"""How the demand of an alarm compares with that of standby."""

from enum import StrEnum
from functools import lru_cache

from ypomoni.core.outage.demand import Timeline


class Order(StrEnum):
    """How the alarm's demand compares with that of standby, at every instant."""

    ALARM_IS_MORE = "alarm_is_more"
    ALARM_IS_LESS = "alarm_is_less"
    MIXED = "mixed"


# Sizing asks the same of every bank it tries.
@lru_cache(maxsize=64)
def compare_demand(standby: Timeline, alarm: Timeline, lowest_v: float, highest_v: float) -> Order:
    """Return whether alarm draws at least, or at most, what standby draws at every instant, at any voltage in between. [V]

    Trains are compared one by one: a burst that goes on always is active in both states at the same instants.
    """
    voltages_v = [lowest_v + (highest_v - lowest_v) * n / 4 for n in range(5)]
    least, most = float("inf"), float("-inf")
    for v in voltages_v:
        base_a = alarm.base.plus(standby.base.times(-1.0)).at_nominal_a(v)
        swings_a = [t.peak_excess_a() * t.unit.at_nominal_a(v) for t in alarm.trains]
        falls_a = [t.least_excess_a() * t.unit.at_nominal_a(v) for t in alarm.trains]
        standby_swings_a = [t.peak_excess_a() * t.unit.at_nominal_a(v) for t in standby.trains]
        standby_falls_a = [t.least_excess_a() * t.unit.at_nominal_a(v) for t in standby.trains]
        if len(alarm.trains) == len(standby.trains) and all(
            a.waves and len(a.waves) == len(s.waves) for a, s in zip(alarm.trains, standby.trains, strict=True)
        ):
            # The same bursts in both: each contributes its own difference, or nothing.
            differences_a = [a - s for a, s in zip(swings_a, standby_swings_a, strict=True)]
            differences_a += [a - s for a, s in zip(falls_a, standby_falls_a, strict=True)]
            least = min(least, base_a + sum(min(0.0, x) for x in differences_a))
            most = max(most, base_a + sum(max(0.0, x) for x in differences_a))
        else:
            least = min(least, base_a + sum(falls_a) - sum(standby_swings_a))
            most = max(most, base_a + sum(swings_a) - sum(standby_falls_a))
    if least >= -1e-12:
        return Order.ALARM_IS_MORE
    return Order.ALARM_IS_LESS if most <= 1e-12 else Order.MIXED
