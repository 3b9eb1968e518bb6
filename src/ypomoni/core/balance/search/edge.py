"""The edge of what a bank carries in constant currents, as half-planes that hold all of it."""

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any, NamedTuple

from ypomoni.core.outage.law import relax, terminal
from ypomoni.core.things.batteries import Pack

STEPS_COUNT = 100
EDGE_STEP_A = 1e-9
# So far below the threshold is as good as any farther. [V]
FAR_BELOW_V = 1e3
# A side is left out where the corner of its neighbours is so little outside it.
SAME_SIDE_RATIO = 5e-4
# The shares of what a bank carries from which it is looked at sinking, in so many steps of time.
SUNK_RATIOS = (0.6, 0.75, 0.85, 0.9, 0.94, 0.97, 0.985)
SUNK_STEPS_COUNT = 60
# Rounding of an edge is given away, never taken.
OUTSIDE_RATIO = 1.0 + 1e-6


@dataclass(frozen=True, slots=True)
class Edge:
    """A staircase that lies outside every pair of constant currents the bank carries, and whether an alarm above its last step is never carried."""

    corners: tuple[tuple[float, float], ...]
    is_cut: bool
    # It carries whatever may be asked.
    is_open: bool = False


@lru_cache(maxsize=256)
def edge_of(pack: Pack, threshold_v: float, standby_h: float, alarm_h: float, most_alarm_a: float, is_steady: bool) -> Edge:
    """Return the edge of what a bank carries: (standby, alarm) at each step; ``is_steady`` where the standby current flows at every instant."""
    # A quarter of a second to load, and only a search needs it.
    from scipy.optimize import brentq

    def spare_v(standby_a: float, alarm_a: float) -> float:
        # Constant currents only lower the voltage: what is carried at the end of a state was carried all through it.
        before = relax(pack, pack.start_u_ah, 0.0, standby_a, standby_h)
        after = relax(pack, *before, alarm_a, alarm_h)
        moments = ((before, standby_a if is_steady else 0.0), (before, alarm_a), (after, alarm_a))
        least_v = min(terminal(pack, u, d, current_a, 0.0, 0.0)[1] for (u, d), current_a in moments)
        return max(least_v - threshold_v, -FAR_BELOW_V)

    # Half as much again as would empty it exactly: surely more than it carries, so the root lies below.
    most_standby_a = pack.capacity_ah / max(standby_h, 0.05) * 1.5
    if spare_v(most_standby_a, 0.0) >= 0.0:
        return Edge((), False, True)
    greatest_alarm_a, is_cut = most_alarm_a, False
    if spare_v(0.0, most_alarm_a) < 0.0:
        # No alarm above this is carried at all, so the steps are spent below it.
        if spare_v(0.0, 0.0) < 0.0:
            return Edge((), True)
        greatest_alarm_a, is_cut = _outside(brentq(lambda a: spare_v(0.0, a), 0.0, most_alarm_a, xtol=EDGE_STEP_A)), True
    corners: list[tuple[float, float]] = []
    high_a = most_standby_a
    for n in range(STEPS_COUNT):
        # Short steps first: a placement that fills a bank asks for little alarm.
        alarm_a, next_a = (greatest_alarm_a * (m / STEPS_COUNT) ** 2 for m in (n, n + 1))
        if spare_v(0.0, alarm_a) < 0.0:
            break
        if spare_v(high_a, alarm_a) < 0.0:
            # The next step starts where this one ends: more alarm never lets more standby be carried.
            high_a = min(high_a, _outside(brentq(spare_v, 0.0, high_a, args=(alarm_a,), xtol=EDGE_STEP_A)))
        corners.append((high_a, next_a))
    return Edge(tuple(corners), is_cut)


def _outside(root_a: Any) -> float:
    """Return a current just above a root that is known to one step."""
    return float(root_a) * OUTSIDE_RATIO + 2.0 * EDGE_STEP_A


def sides_of(edge: Edge, all_standby_a: float, all_alarm_a: float) -> list[tuple[float, float, float]]:
    """Return half-planes (a, b, c) that hold all that is inside an edge, without those that nothing drawn reaches."""
    if edge.is_open:
        return []
    if not edge.corners:
        return [(1.0, 0.0, 0.0)]
    sides = [(0.0, 1.0, edge.corners[-1][1])] if edge.is_cut else []
    hull = _hull([(edge.corners[0][0], 0.0), *edge.corners])
    for (x0, y0), (x1, y1) in pairwise(hull):
        a, b = y1 - y0, x0 - x1
        # Other sides bound nothing from above: more of a current never makes room for more of the other.
        if a > 0 and b >= 0:
            sides.append((1.0, b / a, x0 + b / a * y0))
    return _fewer([side for side in sides if side[0] * all_standby_a + side[1] * all_alarm_a > side[2]])


def _fewer(sides: list[tuple[float, float, float]]) -> list[tuple[float, float, float]]:
    """Return half-planes in the order of their slope, leaving out each whose neighbours nearly imply it."""
    kept = list(sides)
    # Each side is one more row of the program, for each supply: a handful says nearly as much as a hundred.
    while len(kept) > 2:
        least, at = min((_sticks_out_ratio(*kept[n - 1 : n + 2]), n) for n in range(1, len(kept) - 1))
        if least > SAME_SIDE_RATIO:
            break
        del kept[at]
    return kept


def _sticks_out_ratio(one: tuple[float, float, float], side: tuple[float, float, float], other: tuple[float, float, float]) -> float:
    """Return how far the corner of two sides lies outside the one between them, of its limit."""
    turned = one[0] * other[1] - other[0] * one[1]
    if turned == 0.0 or side[2] <= 0.0:
        return math.inf
    x, y = (one[2] * other[1] - other[2] * one[1]) / turned, (one[0] * other[2] - other[0] * one[2]) / turned
    return (side[0] * x + side[1] * y) / side[2] - 1.0


class Sunk(NamedTuple):
    """A bank that gives at least some current: upper bounds on its mean voltage, as power loads see it, and on its voltage at the end. [V]"""

    mean_v: float
    end_v: float
    # Below this, so counted, the next level does not apply. [A]
    until_a: float


@lru_cache(maxsize=256)
def levels_of(pack: Pack, until_h: float, most_a: float, added_a: float) -> tuple[Sunk, ...]:
    """Return how far a bank sinks, level by level: the least current at one level gives the voltages of the next, at which power loads draw more.

    ``added_a``: the part of that which may not have flowed yet, since it is counted earlier than it comes.
    """
    full_v = pack.full_v
    found = [Sunk(full_v, full_v, SUNK_RATIOS[0] * most_a)]
    for ratio in (*SUNK_RATIOS[1:], math.inf):
        from_a = found[-1].until_a - added_a
        volts: list[float] = []
        for n in range(SUNK_STEPS_COUNT if from_a > 0 else 0):
            # At the start of each step, where the voltage is highest in it.
            u, d = relax(pack, pack.start_u_ah, 0.0, from_a, until_h * n / SUNK_STEPS_COUNT)
            volts.append(min(full_v, terminal(pack, u, d, from_a, 0.0, 0.0)[1]))
        u, d = relax(pack, pack.start_u_ah, 0.0, max(0.0, from_a), until_h)
        end_v = pack.open_circuit_v(max(0.0, 1.0 - (u + d) / pack.capacity_ah))
        # So much current empties it on the way: deeper levels say nothing.
        if min(volts, default=full_v) <= 0 or end_v <= 0:
            break
        mean_v = SUNK_STEPS_COUNT / sum(1.0 / v for v in volts) if volts else full_v
        found.append(Sunk(mean_v, min(full_v, end_v), ratio * most_a))
    return (*found[:-1], found[-1]._replace(until_a=math.inf))


def eased(edge: Edge, levels: tuple[Sunk, ...]) -> Edge:
    """Return an edge that holds what is inside one, with its powers counted at the voltages of the last level, whatever level it is at."""
    last = levels[-1]
    steps = sorted(
        ((min(x, at.until_a) * at.mean_v / last.mean_v, y * at.end_v / last.end_v) for at in levels for x, y in edge.corners),
        key=lambda step: -step[1],
    )
    corners: list[tuple[float, float]] = []
    widest_a = 0.0
    for x, y in steps:
        if x > widest_a:
            widest_a = x
            corners.append((x, y))
    return Edge(tuple(reversed(corners)), edge.is_cut)


def _hull(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return the convex hull of points whose first coordinate falls while the second rises."""
    found: list[tuple[float, float]] = []
    for point in points:
        while len(found) >= 2:
            # A corner that lies inside the line past it holds nothing more in.
            (x0, y0), (x1, y1) = found[-2:]
            if (x1 - x0) * (point[1] - y0) - (y1 - y0) * (point[0] - x0) >= 0:
                break
            found.pop()
        found.append(point)
    return found
