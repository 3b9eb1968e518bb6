"""How the demand of an alarm compares with that of standby."""

from enum import StrEnum
from functools import lru_cache

from ypomoni.core.outage.demand import Timeline, Train


class Order(StrEnum):
    """How the alarm's demand compares with that of standby, at every instant."""

    ALARM_IS_MORE = "alarm_is_more"
    ALARM_IS_LESS = "alarm_is_less"
    MIXED = "mixed"


# Sizing asks the same of every bank it tries.
@lru_cache(maxsize=64)
def compare_demand(standby: Timeline, alarm: Timeline, lowest_v: float, highest_v: float) -> Order:
    """Return whether alarm draws at least, or at most, what standby draws at every instant, at any voltage in between. [V]

    Bursts of one timing are active in both states at the same instants, so of them the difference counts; of any other burst, all it draws.
    """
    groups = _by_timing(standby, alarm)
    least, most = float("inf"), float("-inf")
    for v in (lowest_v + (highest_v - lowest_v) * n / 4 for n in range(5)):
        base_a = alarm.base.plus(standby.base.times(-1.0)).at_nominal_a(v)
        ranges_a = [_differs_by_a(of_alarm, of_standby, v) for of_standby, of_alarm in groups]
        least = min(least, base_a + sum(low for low, _ in ranges_a))
        most = max(most, base_a + sum(high for _, high in ranges_a))
    if least >= -1e-12:
        return Order.ALARM_IS_MORE
    return Order.ALARM_IS_LESS if most <= 1e-12 else Order.MIXED


def _by_timing(standby: Timeline, alarm: Timeline) -> list[tuple[list[Train], list[Train]]]:
    """Return the trains of standby and of alarm that come at the same instants, timing by timing."""
    groups: dict[tuple[tuple[float, float, float], ...], tuple[list[Train], list[Train]]] = {}
    for n, line in enumerate((standby, alarm)):
        for train in line.trains:
            timing = tuple((w.offset_h, w.period_h, w.duration_h) for w in train.waves)
            groups.setdefault(timing, ([], []))[n].append(train)
    return list(groups.values())


def _differs_by_a(of_alarm: list[Train], of_standby: list[Train], v: float) -> tuple[float, float]:
    """Return between what the difference of some trains of one timing lies, 0 included: between bursts there is none. [A]"""
    # A train draws the greatest of what is active in it. Whatever is active, the difference of two such maxima lies between those of single bursts.
    low = high = 0.0
    for n in range(max(len(of_alarm), len(of_standby))):
        alarm_a = of_alarm[n].excesses_a(v) if n < len(of_alarm) else None
        standby_a = of_standby[n].excesses_a(v) if n < len(of_standby) else None
        if alarm_a is None or standby_a is None:
            differences_a = alarm_a or [-a for a in standby_a or []]
        else:
            differences_a = [a - s for a, s in zip(alarm_a, standby_a, strict=True)]
        low, high = low + min(0.0, *differences_a), high + max(0.0, *differences_a)
    return low, high
