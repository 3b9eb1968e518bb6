"""The linear picture of supplies: limits that every placement which holds keeps.

Output peaks and the charge current left for the bank are linear as they are. Of a battery the picture is drawn by the simulation itself: how
much constant standby current it carries beside how much alarm current, along a staircase outside the true edge, and the hull of that. What a
load draws at least, at any instant and voltage, counts; more never lengthens a holdover, so nothing that holds lies outside the hull.
"""

import math
from dataclasses import replace
from typing import NamedTuple

from ypomoni.core.balance.limits import ROUNDING_RATIO
from ypomoni.core.balance.search.edge import eased, edge_of, levels_of, sides_of
from ypomoni.core.bracketing import bracket
from ypomoni.core.judgement.bank import cell_limits_a
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import LoadCurrents, burst_levels_a, mean_draw, peak_draw, total_draw
from ypomoni.core.outage.loading import amount_of, limits_of_output, of_itself
from ypomoni.core.outage.recharge import recovery_beside
from ypomoni.core.outage.run import HoldoverRun
from ypomoni.core.requirements import Method
from ypomoni.core.sizing.standard_formula import AGEING_RATIO
from ypomoni.core.sizing.standby_alarm_margin import MARGIN_RATIO
from ypomoni.core.things.batteries import Pack
from ypomoni.core.things.loads import NO_DRAW, Draw, Load
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import SECONDS_PER_HOUR

RECHARGE_HALVINGS_COUNT = 15
# A burst is looked at so shortly after it starts. [h]
INSTANT_H = 1e-5
MOST_INSTANTS = 3
MOST_STARTS = 60

Constraint = tuple[list[float], float]


def rows_of(supply: Supply, units: list[tuple[Load, ...]]) -> tuple[list[Constraint], list[Constraint]]:
    """Return the linear limits on the units of a supply, each as (weights, upper bound): first those of output and recharge, then those of charge."""
    if supply.bank is None:
        return [], []
    bare = replace(supply, totals=())
    cases = [Case(bare, tuple(replace(load, supply_key=supply.key) for load in loads)) for loads in units]
    charge = [*_charge_rows(bare, cases), *_formula_rows(bare, cases)]
    return [*_output_rows(bare, cases), *_current_rows(bare, cases), *_recharge_rows(bare, cases)], charge


def _output_rows(supply: Supply, cases: list[Case]) -> list[Constraint]:
    found: list[Constraint] = []
    for in_alarm in (False, True):
        for quantity, limit in limits_of_output(supply, in_alarm=in_alarm):
            weights = [amount_of(supply, quantity, c.currents, peak_draw, in_alarm=in_alarm) for c in cases]
            found.append((weights, limit * (1 + ROUNDING_RATIO) - of_itself(supply, quantity)))
    return found


def _current_rows(supply: Supply, cases: list[Case]) -> list[Constraint]:
    """Return what the battery's cells give on average and at the peak, and what the supply gives beside mains."""
    found: list[Constraint] = []
    mean_limit_a, peak_limit_a = cell_limits_a(supply.bank) if supply.bank else (None, None)
    mains_a = supply.supply_current_a if supply.of_kind.shares_charger else None
    wanted = ((mean_draw, (False, True), mean_limit_a), (peak_draw, (False, True), peak_limit_a), (mean_draw, (False,), mains_a))
    for draw, states, limit_a in wanted:
        for in_alarm in states if limit_a is not None else ():
            weights = [_sum_a(supply, [draw(p, in_alarm=in_alarm) for p in c.currents]) for c in cases]
            found.append((weights, (limit_a or 0.0) * (1 + ROUNDING_RATIO) - supply.own_draw.at_nominal_a(supply.nominal_v)))
    return found


def _recharge_rows(supply: Supply, cases: list[Case]) -> list[Constraint]:
    """Return the greatest standby current beside which the bank is recharged in time: bisect the currents, since every load leaves the charger less."""
    allowed_h = supply.requirement.recharge_h

    def in_time(standby_a: float) -> bool:
        found = recovery_beside(supply, standby_a)
        return found is None or (found.recovery_h is not None and found.recovery_h <= (allowed_h or 0.0) * (1 + ROUNDING_RATIO))

    # Where mains carries the loads they leave the charger as it is.
    if allowed_h is None or supply.of_kind.mains_carries or recovery_beside(supply, 0.0) is None:
        return []
    low_a, high_a = 0.0, (supply.supply_current_a or 0.0)
    if in_time(high_a):
        return []
    # Not even alone: then nothing may hang there, and the search finds that out by itself.
    _, high_a = bracket(in_time, low_a, high_a, rounds=RECHARGE_HALVINGS_COUNT)
    weights = [_sum_a(supply, [mean_draw(p, in_alarm=False) for p in c.currents]) for c in cases]
    return [(weights, high_a - supply.own_draw.at_nominal_a(supply.nominal_v))]


def _formula_rows(supply: Supply, cases: list[Case]) -> list[Constraint]:
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
    own_a = supply.own_draw.at_nominal_a(supply.nominal_v)
    weights = [sum(h * (c.sizing_current_a(in_alarm=state) - own_a) for state, h in hours) for c in cases]
    return [(weights, bank.rated_c20_ah * (1 + ROUNDING_RATIO) - sum(h * own_a for _, h in hours))]


def _charge_rows(supply: Supply, cases: list[Case]) -> list[Constraint]:
    """Return the sides of the hull of what the bank carries: a·standby + b·alarm at most c, in least currents.

    So too for the instants near the end of standby and of the alarm at which most bursts coincide: a·before + b·draw at that instant. What an
    alarm draws more than standby is then spread over all the time before: charge taken early lets a battery rest, so that is the better case.
    """
    outage, requirement = _emptiest(supply, cases), supply.requirement
    standby_h, alarm_h = requirement.standby_h, requirement.alarm_h
    before, then = ([_least_draw_of(case, in_alarm=state) for case in cases] for state in (False, True))
    ends = [_End(standby_h, alarm_h, then, in_alarm=True)] if alarm_h > 0 else []
    if not ends or any(load.bursts for case in cases for load in case.loads):
        ends.append(_End(standby_h, INSTANT_H, before))
    for at_h, draws in _instants(outage, cases, max(INSTANT_H, standby_h - 2.0), standby_h, in_alarm=False):
        ends.append(_End(at_h, INSTANT_H, draws))
    # An alarm that is just ending at that instant began before the end of standby.
    alarm_ends_h = standby_h + alarm_h if alarm_h > 0 else 0.0
    for at_h, draws in _instants(outage, cases, max(alarm_h, standby_h - 1.0), alarm_ends_h, in_alarm=True):
        ends.append(_End(at_h, INSTANT_H, draws, in_alarm=True, part_ratio=alarm_h / at_h))
    found: list[Constraint] = []
    for end in ends:
        # Behind a regulated output its limit is one of another current.
        limit_a = supply.output_limit_of(in_alarm=end.in_alarm) if supply.feed is None else None
        bursts = [_burst_draw_of(case, outage.pack, end.until_h, end.until_h * (1.0 - end.part_ratio)) for case in cases]
        alarms = [_excess(d, more, end.part_ratio) for d, more in zip(before, then, strict=True)]
        found += _sides_of(outage, end, before, bursts, alarms, _at_least_a(supply.own_draw, outage.pack.full_v, 0.0), limit_a)
    return found


class _End(NamedTuple):
    """An instant that a bank must reach: when, how long the draw then lasts, and how much of the time before may have been alarm. [h]"""

    until_h: float
    lasts_h: float
    then: list[Draw]
    in_alarm: bool = False
    part_ratio: float = 0.0


def _sides_of(
    outage: HoldoverRun, end: _End, steady: list[Draw], bursts: list[Draw], alarms: list[Draw], own_a: float, limit_a: float | None
) -> list[Constraint]:
    """Return the half-planes of one such instant. They count what is drawn at least until then and at that moment, powers once at full voltage and once at the sinking one.

    What bursts and alarms add is spread evenly, and so comes earlier than it does: that is no draw at any instant.
    """
    pack, threshold_v, full_v = outage.pack, outage.threshold_v, outage.pack.full_v
    added = [b.plus(a) for b, a in zip(bursts, alarms, strict=True)]
    before = [d.plus(more) for d, more in zip(steady, added, strict=True)]
    # Rounded up: supplies alike but for a milliamp share one picture.
    every_a = [sum(_at_least_a(d, threshold_v, threshold_v) for d in draws) + own_a for draws in (end.then, before)]
    greatest_a, all_a = (math.ceil(100 * part_a) / 100 for part_a in every_a)
    # More than its output limit it never gives at all.
    greatest_a = max(greatest_a if limit_a is None else min(greatest_a, limit_a * (1 + ROUNDING_RATIO)), 0.01)
    edge = edge_of(pack, threshold_v, end.until_h, end.lasts_h, greatest_a, not any(any(d) for d in added))
    seen = [(edge, full_v, full_v)]
    if edge.corners and any(d.power_w for d in (*before, *end.then)):
        added_a = math.ceil(1e3 * sum(max(0.0, _at_least_a(d, threshold_v, full_v)) for d in added)) / 1e3
        levels = levels_of(pack, end.until_h, edge.corners[0][0], added_a)
        seen.append((eased(edge, levels), levels[-1].mean_v, levels[-1].end_v))
    found: list[Constraint] = []
    for at_edge, mean_v, end_v in seen:
        x_a = [_at_least_a(d, mean_v, threshold_v) for d in before]
        y_a = [_at_least_a(d, end_v, threshold_v) for d in end.then]
        for a, b, c in sides_of(at_edge, all_a, greatest_a):
            found.append(([a * x + b * y for x, y in zip(x_a, y_a, strict=True)], c - (a + b) * own_a))
    return found


def _instants(outage: HoldoverRun, cases: list[Case], from_h: float, until_h: float, *, in_alarm: bool) -> list[tuple[float, list[Draw]]]:
    """Return the instants in a stretch of time at which most is drawn, and what each case then draws. [h]"""
    lines = [case.timelines(cold=False)[in_alarm] for case in cases]
    waves = {(w.offset_h, w.period_h) for line in lines for train in line.trains for w in train.waves}
    starts = {
        round(offset_h + n * period_h, 9)
        for offset_h, period_h in waves
        for n in range(max(0, math.ceil((until_h - offset_h) / period_h) - 2), max(0, math.ceil((until_h - offset_h) / period_h)))
    }
    full_v = outage.pack.full_v
    found: list[tuple[float, list[Draw]]] = []
    for at_h in sorted(t for t in starts if from_h <= t < until_h - INSTANT_H)[-MOST_STARTS:]:
        draws = [line.stretches(at_h + INSTANT_H / 2, at_h + INSTANT_H)[0] for line in lines]
        found.append((at_h, [Draw(i, p, g) for _, i, p, g in draws]))
    found.sort(key=lambda entry: -sum(_at_least_a(d, full_v, outage.threshold_v) for d in entry[1]))
    return found[:MOST_INSTANTS]


def _emptiest(supply: Supply, cases: list[Case]) -> HoldoverRun:
    """Return an outage of the bank to the lowest voltage that any of these loads lets it go down to."""
    bank = Case(supply, ()).bank
    floors = [load.battery_min_v for case in cases for load in case.loads if load.essential and load.battery_min_v is not None]
    disconnects = [v for v in (supply.cutoff_v, bank.own_cutoff_v, supply.least_input_v) if v is not None]
    lowest_v = max(disconnects, default=min([bank.end_v, *floors]))
    return Case(supply, ()).run(threshold_v=lowest_v)


def _at_least_a(draw: Draw, most_v: float, least_v: float) -> float:
    """Return the current of a draw at a battery voltage between two. [A]"""
    return draw.current_a + draw.power_w / most_v + draw.conductance_siemens * least_v


def _excess(standby: Draw, alarm: Draw, part_ratio: float) -> Draw:
    """Return what an alarm that takes a part of the time adds on average; where it draws less, all of that is taken away."""
    if part_ratio == 0.0:
        return NO_DRAW
    return Draw(*((y - x) * (part_ratio if y > x else 1.0) for x, y in zip(standby, alarm, strict=True)))


def _least_draw_of(case: Case, *, in_alarm: bool) -> Draw:
    """Return what the loads of a case draw at any instant at least."""
    return total_draw(least_draw(c, in_alarm=in_alarm) for c in case.currents)


def _burst_draw_of(case: Case, pack: Pack, until_h: float, standby_h: float) -> Draw:
    """Return a constant draw that, beside the least draw, empties a bank no further than the bursts of standby really do."""
    return total_draw(_burst_draw(c, pack, until_h, standby_h) for c in case.currents)


def _burst_draw(currents: LoadCurrents, pack: Pack, until_h: float, standby_h: float) -> Draw:
    """Return what the fullest burst of a load adds, as a constant draw.

    Each burst comes later than its charge spread over the period before it, and charge taken late leaves a bank lower; so n bursts stand for
    n − 1 periods of their mean from the start, and that for as much charge spread over the whole time as lowers the head alike at its end.
    """
    level = least_level_a(currents, in_alarm=False)
    best_a = 0.0
    k, r1 = pack.k_per_h, pack.r1_h
    faded = math.exp(-k * until_h)
    for burst, level_a in zip(currents.load.bursts, burst_levels_a(currents, in_alarm=False), strict=True):
        if level_a is None or level_a <= level or burst.per_hour <= 0:
            continue
        # Three periods: pieces in turn, the last one cut off, the first one that has none before it.
        mean_h = standby_h - burst.offset_s / SECONDS_PER_HOUR - 3.0 / burst.per_hour
        if mean_h > 0:
            lowered = mean_h + r1 * (math.exp(-k * (until_h - mean_h)) - faded)
            best_a = max(best_a, (level_a - level) * min(1.0, burst.duty_ratio) * lowered / (until_h + r1 * (1.0 - faded)))
    return currents.load.draw_per_amp.times(best_a * currents.load.quantity)


def least_level_a(currents: LoadCurrents, *, in_alarm: bool) -> float:
    """Return the least current that one piece of a load ever draws: between bursts, or in a burst that draws less. [A]"""
    rest_a = currents.alarm_current_a if in_alarm else currents.standby_current_a
    return min([rest_a, *(level for level in burst_levels_a(currents, in_alarm=in_alarm) if level is not None)])


def least_draw(currents: LoadCurrents, *, in_alarm: bool) -> Draw:
    """Return what all pieces of a load draw at any instant at least."""
    level_a = least_level_a(currents, in_alarm=in_alarm) + currents.extra_current_a
    return currents.load.draw_per_amp.times(level_a * currents.load.quantity)


def _sum_a(supply: Supply, draws: list[Draw]) -> float:
    return sum(d.at_nominal_a(supply.nominal_v) for d in draws)
