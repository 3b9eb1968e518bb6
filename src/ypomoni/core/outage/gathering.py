"""Patterns of bursts that would take too long to follow: their cost, and the fewer, longer bursts that are followed in their place.

Bursts of unrelated intervals hardly ever repeat as a whole, so every one of them would have to be looked at. What stands in for them has the
same charge and the same peak, comes less often, lasts longer, and begins for all loads together: no burst of the true pattern asks more of a
battery. So an outage ends no later than with the true pattern, but for one thing: between two of these bursts nothing is asked, and the true end
may lie there. Therefore the hours found are too long by the longest interval at most; by how much too short nobody knows, and they are never
longer than with bursts spread evenly.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from ypomoni.core.outage.demand import MOST_EDGES_OF_PATTERN, LoadCurrents, Timeline, burst_levels_a, common_period_h
from ypomoni.core.things.loads import Burst, During, Load
from ypomoni.core.units import SECONDS_PER_HOUR

# Changes of demand that one supply may cost to walk: two to three seconds of a slow machine.
MOST_COST = 120_000.0
# An answer takes about so many outages, and two more for each load with bursts, whose figures are moved one at a time.
OUTAGES_COUNT = 30
# What is walked one by one before an end, and how often a whole period of the pattern is looked through for a start that fails. [h, 1]
WALKED_H = 6.0
LOOKS_COUNT = 5
# And how many alarms are tried to their end for it.
ALARMS_TRIED_COUNT = 10
# Where an alarm draws now more and now less than standby, an alarm is tried from every change of either pattern, all through the time in which both
# repeat. That may take longer: such patterns are rare, and what is gathered is known less well.
MOST_MIXED_COST = 600_000.0
# What is done for every alarm that is tried, counted in changes.
ALARM_COST = 2.0
# What a train of bursts behind a cable costs at every change, as a share of the change itself.
TRAIN_OF_FLOOR_SHARE = 0.2
# And at every look at the demand each train of bursts is asked, however rarely it comes.
MOST_TRAINS = 1_000
MOST_DOUBLINGS = 24
# More loads with bursts than this are not computed on one supply, however they are gathered.
MOST_BUSY_LOADS = 300


def pattern_cost(timelines: tuple[Timeline, Timeline], loads: tuple[Load, ...], alarm_h: float) -> float:
    """Return how many changes of demand an answer has to walk for the bursts of a supply's loads: an estimate, before anything is computed.

    Parameters
    ----------
    timelines
        Standby and alarm.
    alarm_h
        How long an alarm lasts: so much is walked for every alarm that is tried. [h]
    """
    busy_count = sum(1 for load in loads if load.bursts)
    standby, alarm = timelines
    changes = [_changes_count(t.edges_per_hour, t.common_period_h, h) for t, h in ((standby, 0.0), (alarm, alarm_h))]
    # Only in standby all is walked from the beginning until the pattern repeats.
    changes[0] += standby.edges_per_hour * _late_h(standby)
    return (OUTAGES_COUNT + 2 * busy_count) * max(changes[0] * _looks_ratio(standby), changes[1] * _looks_ratio(alarm))


def _looks_ratio(timeline: Timeline) -> float:
    """Return how much more a change costs where each load at the end of a cable is looked at with its bursts."""
    return 1.0 + TRAIN_OF_FLOOR_SHARE * sum(len(floor.trains) for floor in timeline.floors)


def mixed_cost(timelines: tuple[Timeline, Timeline], loads: tuple[Load, ...], alarm_h: float) -> float:
    """Return `pattern_cost` where an alarm draws now more and now less than standby; to be held against `MOST_MIXED_COST`."""
    standby, alarm = timelines
    edges_per_hour = standby.edges_per_hour + alarm.edges_per_hour
    if edges_per_hour <= 0 or alarm_h <= 0:
        return 0.0
    both_h = common_period_h(w.period_h for line in timelines for t in line.trains for w in t.waves)
    per_outage = _mixed_changes_count(edges_per_hour, min(both_h, MOST_EDGES_OF_PATTERN / edges_per_hour), alarm.edges_per_hour * alarm_h)
    return (OUTAGES_COUNT + 2 * sum(1 for load in loads if load.bursts)) * per_outage * _looks_ratio(alarm)


def _mixed_changes_count(edges_per_hour: float, period_h: float, changes_of_alarm: float) -> float:
    return 2.0 * edges_per_hour * period_h * (ALARM_COST + changes_of_alarm)


def _late_h(timeline: Timeline) -> float:
    """Return how long after the mains fails the last of the bursts first comes, beyond a few of its own intervals. [h]"""
    return max((max(0.0, w.offset_h - 2.0 * w.period_h) for t in timeline.trains for w in t.waves), default=0.0)


def _changes_count(edges_per_hour: float, period_h: float, alarm_h: float) -> float:
    if edges_per_hour <= 0:
        return 0.0
    walked_h = max(WALKED_H, ALARMS_TRIED_COUNT * alarm_h)
    return edges_per_hour * (walked_h + LOOKS_COUNT * min(period_h, MOST_EDGES_OF_PATTERN / edges_per_hour))


@dataclass(frozen=True, slots=True)
class Gathering:
    """How the bursts of a supply are gathered: by load, the interval from a burst of one of its pieces to that of the next. [h]"""

    intervals_h: dict[str, float]

    @property
    def longest_h(self) -> float:
        """The longest interval: so much too long the hours may be at most. [h]"""
        return max(self.intervals_h.values(), default=0.0)

    def follow(self, currents: LoadCurrents) -> LoadCurrents:
        """Return a load's currents with its bursts gathered: at most one that goes on always, and one that belongs to the alarm."""
        interval_h = self.intervals_h.get(currents.load.key)
        if interval_h is None:
            return currents
        load = currents.load
        period_h = interval_h * load.quantity
        # Measured from the lower of both, so that neither in standby nor in alarm less is drawn than before.
        rest_a = min(currents.standby_current_a, currents.alarm_current_a)
        pairs = list(zip(load.bursts, currents.burst_currents_a, strict=True))
        bursts: list[Burst] = []
        levels_a: list[float] = []
        begins_h = 0.0
        for during in (During.ALWAYS, During.ALARM):
            own = [(burst, level_a) for burst, level_a in pairs if burst.during is during and level_a > rest_a]
            if not own:
                continue
            peak_a = max(level_a for _, level_a in own)
            share = sum(burst.duty_ratio * (level_a - rest_a) / (peak_a - rest_a) for burst, level_a in own)
            # The same charge at the greatest of their currents: so neither the hours nor the dip is flattered.
            lasts_h = min(share * period_h, period_h - begins_h)
            strongest = max(own, key=lambda pair: pair[1])[0]
            bursts.append(
                replace(
                    strongest,
                    duration_s=lasts_h * SECONDS_PER_HOUR,
                    per_hour=1.0 / period_h,
                    offset_s=begins_h * SECONDS_PER_HOUR,
                    current_a=peak_a,
                )
            )
            levels_a.append(peak_a)
            begins_h += lasts_h
        return replace(currents, load=replace(load, bursts=tuple(bursts)), burst_currents_a=tuple(levels_a), gathered=True)


def gather(currents: tuple[LoadCurrents, ...], alarm_h: float, *, mixed: bool) -> Gathering:
    """Return how the bursts of a supply's loads are gathered, so that their pattern costs no more than it may. There must be some.

    ``mixed`` where an alarm draws now more and now less than standby.

    Intervals are the longest one of the supply, halved or doubled a whole number of times: so all of them repeat together.
    """
    # Staggered pieces come one after the other, so together as many times as often.
    own_h = {c.load.key: max(periods) / c.load.quantity for c in currents if (periods := _periods_h(c))}
    longest_h = max(own_h.values())
    on_ladder = _ladder(longest_h)
    least_h = on_ladder(min(own_h.values()))
    intervals_h: dict[str, float] = {}
    # The most frequent bursts cost most: they are made rarer first, until the whole can be walked.
    for _ in range(MOST_DOUBLINGS):
        intervals_h = {key: on_ladder(max(h, least_h)) for key, h in own_h.items()}
        # Two bursts at most of each, with a beginning and an end.
        edges_per_hour = sum(4.0 / h for h in intervals_h.values())
        longest = max(intervals_h.values())
        mixed_changes = _mixed_changes_count(edges_per_hour, longest, edges_per_hour * alarm_h) if mixed else 0.0
        if (
            OUTAGES_COUNT * _changes_count(edges_per_hour, longest, alarm_h) <= MOST_COST
            and OUTAGES_COUNT * mixed_changes <= MOST_MIXED_COST
        ):
            break
        least_h *= 2.0
    return Gathering(intervals_h)


def _ladder(longest_h: float) -> Callable[[float], float]:
    """Return what rounds an interval up to the longest one, halved or doubled a whole number of times. [h]"""
    return lambda h: longest_h * 2.0 ** math.ceil(math.log2(h / longest_h) - 1e-9)


def _periods_h(currents: LoadCurrents) -> list[float]:
    """Return the intervals of those bursts of a load that change what it draws. [h]"""
    levels = burst_levels_a(currents, in_alarm=True)
    return [
        1.0 / burst.per_hour
        for burst, level_a in zip(currents.load.bursts, levels, strict=True)
        if burst.per_hour > 0 and burst.duration_s > 0 and level_a is not None
    ]
