"""The linear picture of supplies: limits that every placement which holds keeps. Called by the search.

Output peaks and the charge current left for the bank are linear as they are. Of a battery the picture is drawn by the simulation itself: how
much constant standby current it carries beside how much alarm current, along a staircase outside the true edge, and the hull of that. What a
load draws at least, at any instant and voltage, counts; more never lengthens a holdover, so nothing that holds lies outside the hull.
"""

import math
from dataclasses import replace
from functools import lru_cache
from itertools import pairwise

from ypomoni.core.batteries import Pack
from ypomoni.core.case import Case
from ypomoni.core.loads import Draw, Load
from ypomoni.core.meeting import ROUNDING_RATIO, recovery_beside
from ypomoni.core.requirements import Method
from ypomoni.core.simulation import LoadCurrents, Outage
from ypomoni.core.simulation.demand import burst_levels_a, mean_draw, peak_draw
from ypomoni.core.simulation.state import relax, terminal
from ypomoni.core.sizing.standard_formula import AGEING_RATIO
from ypomoni.core.sizing.standby_alarm_margin import MARGIN_RATIO
from ypomoni.core.supplies import Supply

STEPS_COUNT = 40
RECHARGE_HALVINGS_COUNT = 15
HALVINGS_COUNT = 30
# Rounding of a bisected edge is given away, never taken.
OUTSIDE_RATIO = 1.0 + 1e-6

# A burst is looked at so shortly after it starts. [h]
INSTANT_H = 1e-5
MOST_INSTANTS = 3
MOST_STARTS = 60

Row = tuple[list[float], float]


def rows_of(supply: Supply, units: list[tuple[Load, ...]]) -> tuple[list[Row], list[Row]]:
    """Return linear limits on which units a supply may carry, as weights and most: all of them, and those of its charge alone."""
    if supply.bank is None:
        return [], []
    bare = replace(supply, totals=())
    cases = [Case(bare, tuple(replace(load, supply_key=supply.key) for load in loads)) for loads in units]
    charge = [*_charge_rows(bare, cases), *_formula_rows(bare, cases)]
    return [*_output_rows(bare, cases), *_recharge_rows(bare, cases), *charge], charge


def _output_rows(supply: Supply, cases: list[Case]) -> list[Row]:
    found: list[Row] = []
    for in_alarm in (False, True):
        limit_a = supply.output_limit_of(in_alarm=in_alarm)
        if limit_a is not None:
            weights = [_sum_a(supply, [peak_draw(p, in_alarm=in_alarm) for p in c.currents]) for c in cases]
            found.append((weights, limit_a * (1 + ROUNDING_RATIO) - supply.own_current_a))
    return found


def _recharge_rows(supply: Supply, cases: list[Case]) -> list[Row]:
    """Return the greatest standby beside which the bank is back in time; less is left for it with every load more."""
    allowed_h = supply.requirement.recharge_h

    def in_time(standby_a: float) -> bool:
        found = recovery_beside(supply, standby_a)
        return found is None or (found.recovery_h is not None and found.recovery_h <= (allowed_h or 0.0) * (1 + ROUNDING_RATIO))

    if allowed_h is None or recovery_beside(supply, 0.0) is None:
        return []
    low_a, high_a = 0.0, (supply.supply_current_a or 0.0)
    if in_time(high_a):
        return []
    # Not even alone: then nothing may hang there, and the search finds that out by itself.
    for _ in range(RECHARGE_HALVINGS_COUNT):
        middle_a = 0.5 * (low_a + high_a)
        low_a, high_a = (middle_a, high_a) if in_time(middle_a) else (low_a, middle_a)
    weights = [_sum_a(supply, [mean_draw(p, in_alarm=False) for p in c.currents]) for c in cases]
    return [(weights, high_a - supply.own_current_a)]


def _formula_rows(supply: Supply, cases: list[Case]) -> list[Row]:
    """Return what the prescribed formula asks, where it is linear in the currents, or the least it can ask."""
    requirement, bank = supply.requirement, supply.bank
    derating, autonomy = requirement.derating, requirement.autonomy
    derated_ratio = 1.0 / (derating.usable_ratio * derating.age_ratio * derating.activity_ratio)
    factors: dict[Method, tuple[float, float]] = {
        Method.PLAIN: (1.0, 1.0),
        Method.DERATED: (derated_ratio, derated_ratio),
        Method.STANDARD_FORMULA: (AGEING_RATIO, AGEING_RATIO),
        Method.STANDBY_ALARM_MARGIN: (MARGIN_RATIO, MARGIN_RATIO),
        Method.ENERGY_AUTONOMY: (1.0, 0.0),
        Method.AUTONOMY_WITH_LOSSES: (1.0 / (autonomy.depth_ratio * autonomy.inverter_ratio), 0.0),
    }
    if bank is None or requirement.method not in factors:
        return []
    standby_ratio, alarm_ratio = factors[requirement.method]
    hours = ((False, standby_ratio * requirement.standby_h), (True, alarm_ratio * requirement.alarm_h))
    own_a = supply.own_current_a
    weights = [sum(h * (c.sizing_current_a(in_alarm=state) - own_a) for state, h in hours) for c in cases]
    return [(weights, bank.rated_c20_ah * (1 + ROUNDING_RATIO) - sum(h * own_a for _, h in hours))]


def _charge_rows(supply: Supply, cases: list[Case]) -> list[Row]:
    """Return the sides of the hull of what the bank carries: a·standby + b·alarm at most c, in least currents.

    So too for the instants near the end of standby and of the alarm at which most bursts coincide: a·before + b·draw at that instant. What an
    alarm draws more than standby is then spread over all the time before: charge taken early lets a battery rest, so that is the better case.
    """
    outage = _emptiest(supply, cases)
    own_a, requirement = supply.own_current_a, supply.requirement
    standby_h, alarm_h = requirement.standby_h, requirement.alarm_h
    standby, alarm = ([_least_a(case, outage, in_alarm=state) for case in cases] for state in (False, True))
    ends = [(standby_h, alarm_h, standby, alarm)]
    for at_h, draws in _instants(outage, cases, max(INSTANT_H, standby_h - 2.0), standby_h, in_alarm=False):
        ends.append((at_h, INSTANT_H, standby, draws))
    # An alarm that is just ending at that instant began before the end of standby.
    for at_h, draws in _instants(outage, cases, max(alarm_h, standby_h - 1.0), standby_h + alarm_h, in_alarm=True):
        part_ratio = alarm_h / at_h
        spread = [x + (y - x) * part_ratio if y > x else y for x, y in zip(standby, alarm, strict=True)]
        ends.append((at_h, INSTANT_H, spread, draws))
    found: list[Row] = []
    for until_h, lasts_h, before, then in ends:
        # Rounded up: supplies alike but for a milliamp share one picture.
        greatest_a, all_a = (math.ceil(100 * (sum(part) + own_a)) / 100 for part in (then, before))
        # More than its output limit it never gives at all.
        limit_a = supply.output_limit_of(in_alarm=until_h >= standby_h)
        greatest_a = greatest_a if limit_a is None else min(greatest_a, limit_a * (1 + ROUNDING_RATIO))
        for a, b, c in _sides(outage.pack, outage.threshold_v, until_h, lasts_h, max(greatest_a, 0.01), all_a):
            found.append(([a * x + b * y for x, y in zip(before, then, strict=True)], c - (a + b) * own_a))
    return found


def _instants(outage: Outage, cases: list[Case], from_h: float, until_h: float, *, in_alarm: bool) -> list[tuple[float, list[float]]]:
    """Return the instants in a stretch of time at which most is drawn, and what each case then draws at least. [h, A]"""
    lines = [case.timelines(cold=False)[in_alarm] for case in cases]
    waves = {(w.offset_h, w.period_h) for line in lines for train in line.trains for w in train.waves}
    starts = {
        round(offset_h + n * period_h, 9)
        for offset_h, period_h in waves
        for n in range(max(0, math.ceil((until_h - offset_h) / period_h) - 2), max(0, math.ceil((until_h - offset_h) / period_h)))
    }
    full_v = outage.pack.ocv_knots_v[-1]
    found: list[tuple[float, list[float]]] = []
    for at_h in sorted(t for t in starts if from_h <= t < until_h - INSTANT_H)[-MOST_STARTS:]:
        draws = [line.pieces(at_h + INSTANT_H / 2, at_h + INSTANT_H)[0] for line in lines]
        found.append((at_h, [i + p / full_v + g * outage.threshold_v for _, i, p, g in draws]))
    found.sort(key=lambda entry: -sum(entry[1]))
    return found[:MOST_INSTANTS]


def _emptiest(supply: Supply, cases: list[Case]) -> Outage:
    """Return an outage of the bank to the lowest voltage that any of these loads lets it go down to."""
    bank = Case(supply, ()).bank
    floors = [load.min_v for case in cases for load in case.loads if load.essential and load.min_v is not None]
    lowest_v = supply.cutoff_v if supply.cutoff_v is not None else min([bank.end_v, *floors])
    return Case(supply, ()).outage(threshold_v=lowest_v)


@lru_cache(maxsize=256)
def _sides(
    pack: Pack, threshold_v: float, standby_h: float, alarm_h: float, greatest_alarm_a: float, all_standby_a: float
) -> list[tuple[float, float, float]]:
    """Return half-planes (a, b, c) that hold all pairs of constant currents which a bank carries."""

    all_alarm_a = greatest_alarm_a

    def carried(standby_a: float, alarm_a: float) -> bool:
        # Constant currents only lower the voltage: what is carried at the end of a state was carried all through it.
        before = relax(pack, 0.0, 0.0, standby_a, standby_h)
        after = relax(pack, *before, alarm_a, alarm_h)
        moments = ((before, standby_a), (before, alarm_a), (after, alarm_a)) if alarm_h > 0 else ((before, standby_a),)
        return all(terminal(pack, u, d, current_a, 0.0, 0.0)[1] >= threshold_v for (u, d), current_a in moments)

    if not carried(0.0, greatest_alarm_a):
        # No alarm above this is carried at all, so the steps are spent below it.
        low_a, high_a = 0.0, greatest_alarm_a
        for _ in range(HALVINGS_COUNT):
            middle_a = 0.5 * (low_a + high_a)
            low_a, high_a = (middle_a, high_a) if carried(0.0, middle_a) else (low_a, middle_a)
        greatest_alarm_a, is_cut = high_a * OUTSIDE_RATIO, True
    else:
        is_cut = False
    corners: list[tuple[float, float]] = []
    high_a = pack.capacity_ah / max(standby_h, 0.05) * 1.5
    for n in range(STEPS_COUNT):
        alarm_a, next_a = greatest_alarm_a * n / STEPS_COUNT, greatest_alarm_a * (n + 1) / STEPS_COUNT
        if n == 0 and carried(high_a, alarm_a):
            return []
        if carried(high_a, alarm_a):
            edge_a = high_a
        elif not carried(0.0, alarm_a):
            break
        else:
            low_a = 0.0
            for _ in range(HALVINGS_COUNT):
                middle_a = 0.5 * (low_a + high_a)
                low_a, high_a = (middle_a, high_a) if carried(middle_a, alarm_a) else (low_a, middle_a)
            edge_a = high_a
        # The next step starts where this one ended: more alarm never lets more standby be carried.
        high_a = edge_a * OUTSIDE_RATIO
        corners.append((edge_a * OUTSIDE_RATIO, next_a))
    if not corners:
        return [(1.0, 0.0, 0.0)]
    greatest_a = corners[-1][1]
    sides = [(0.0, 1.0, greatest_a)] if is_cut or greatest_a < greatest_alarm_a * (1 - 1e-9) else []
    hull = _hull([(corners[0][0], 0.0), *corners])
    for (x0, y0), (x1, y1) in pairwise(hull):
        a, b = y1 - y0, x0 - x1
        if a > 0 and b >= 0:
            sides.append((1.0, b / a, x0 + b / a * y0))
    return [side for side in sides if side[0] * all_standby_a + side[1] * all_alarm_a > side[2]]


def _hull(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return the outer edge of points whose second coordinate rises and first falls."""
    found: list[tuple[float, float]] = []
    for point in points:
        while len(found) >= 2:
            (x0, y0), (x1, y1) = found[-2:]
            if (x1 - x0) * (point[1] - y0) - (y1 - y0) * (point[0] - x0) >= 0:
                break
            found.pop()
        found.append(point)
    return found


def _least_a(case: Case, outage: Outage, *, in_alarm: bool) -> float:
    """Return what the loads of a case draw at any instant at least, at the voltage at which they draw least. [A]"""
    full_v = outage.pack.ocv_knots_v[-1]
    draws = [least_draw(c, in_alarm=in_alarm) for c in case.currents]
    return sum(d.current_a + d.power_w / full_v + d.conductance_siemens * outage.threshold_v for d in draws)


def least_draw(currents: LoadCurrents, *, in_alarm: bool) -> Draw:
    """Return what all pieces of a load draw at any instant at least: between bursts, or in one that draws less."""
    rest_a = currents.alarm_current_a if in_alarm else currents.standby_current_a
    levels = [level for level in burst_levels_a(currents, in_alarm=in_alarm) if level is not None]
    return currents.load.draw_per_amp.times((min([rest_a, *levels]) + currents.extra_current_a) * currents.load.quantity)


def _sum_a(supply: Supply, draws: list[Draw]) -> float:
    return sum(d.at_nominal_a(supply.nominal_v) for d in draws)
