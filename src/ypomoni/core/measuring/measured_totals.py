"""What was read as a total against what the load list gives there: a load that nobody listed, or a list that says too much.

A total is valid where it can be nothing but the loads of one supply: mains off, sign right, at the battery, or at an output with all loads behind it.
Of a plan as left every reading counts at its own point: what was promised there is what the load list gives there.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

from ypomoni.core.measuring.reconciliation import is_believed
from ypomoni.core.outage.case import Case, end_threshold, has_known_currents, is_ac_on_dc
from ypomoni.core.outage.demand import LoadCurrents, burst_levels_a, mean_draw, total_draw
from ypomoni.core.outage.uncertainty import half_width_a
from ypomoni.core.things.loads import NO_DRAW, Draw, Load
from ypomoni.core.things.readings import DEFAULT_INSTRUMENT, Mains, MeasuringPoint, PointKind, Reading, State, loads_behind, why_not_load
from ypomoni.core.things.supplies import Plan, Stage, Supply
from ypomoni.core.things.totals import UnlistedLoad

TOTAL_KINDS = (PointKind.BATTERY, PointKind.OUTPUT)


@dataclass(frozen=True, slots=True, kw_only=True)
class TotalCheck:
    """One valid total: what was read, the range the list gives there, what it expects, and how far both may be off together. [A]"""

    point: MeasuringPoint
    reading: Reading
    low_a: float
    high_a: float
    expected_a: float
    joint_a: float

    @property
    def agrees(self) -> bool:
        """Whether what was read lies within the range the list gives, give or take the joint uncertainty."""
        return self.excess_a is None and self.shortfall_a is None

    @property
    def excess_a(self) -> float | None:
        """What was read beyond the expected current, where it is above the range by more than the joint uncertainty; else None. [A]"""
        above = self.reading.drawn_a - self.high_a > self.joint_a
        return self.reading.drawn_a - self.expected_a if above else None

    @property
    def shortfall_a(self) -> float | None:
        """By how much less was read than expected, where it is below the range by more than the joint uncertainty; else None. [A]"""
        below = self.low_a - self.reading.drawn_a > self.joint_a
        return self.expected_a - self.reading.drawn_a if below else None


def check_totals(plan: Plan, supply: Supply, *, as_listed: bool = False) -> tuple[TotalCheck, ...]:
    """Return every valid total of a supply, held against the load list. ``as_listed``: without what totals have moved in it."""
    points = [p for p in plan.points if p.supply_key == supply.key and (plan.stage is Stage.AS_LEFT or p.kind in TOTAL_KINDS)]
    if not points or not plan.readings:
        return ()
    latest = {(r.point_key, r.state): r for r in plan.readings if _may_count(r, {p.key: p for p in points})}
    bare, loads = replace(supply, unlisted=None, totals=() if as_listed else supply.totals), plan.loads_on(supply.key)
    if not latest or not has_known_currents(bare, loads):
        return ()
    fed = tuple(load for load in loads if not is_ac_on_dc(bare, load))
    behind = loads_behind([p for p in plan.points if p.supply_key == supply.key], [load.key for load in fed])
    found: list[TotalCheck] = []
    for point in points:
        is_whole = point.kind is PointKind.BATTERY or set(behind[point.key]) == {load.key for load in fed}
        if not is_whole and plan.stage is not Stage.AS_LEFT:
            continue
        seen = _Seen(bare, fed, point, frozenset(behind[point.key]))
        for state in (State.STANDBY, State.ALARM):
            reading = latest.get((point.key, state))
            if reading is not None:
                found += seen.held_against(reading, plan)
    return tuple(found)


def _may_count(reading: Reading, points: dict[str, MeasuringPoint]) -> bool:
    point = points.get(reading.point_key)
    if point is None or reading.drawn_a <= 0 or why_not_load(reading, point) is not None:
        return False
    # With mains on a charger may flow where the battery is; a branch and a device carry their loads all the same.
    return reading.mains is Mains.OFF or point.kind not in TOTAL_KINDS


class _Seen:
    """The loads of a supply as a meter at one of its points sees them."""

    def __init__(self, supply: Supply, loads: tuple[Load, ...], point: MeasuringPoint, behind: frozenset[str]) -> None:
        self.supply, self.point = supply, point
        at_output = point.kind is not PointKind.BATTERY
        # Behind a regulated output a meter sees what the output gives, at its voltage.
        self.is_regulated = at_output and supply.feed is not None
        seen = supply.as_wire(supply.feed.output_v) if at_output and supply.feed is not None else supply
        found = Case(seen, loads).currents
        self.currents = found if point.kind is PointKind.BATTERY else tuple(c for c in found if c.load.key in behind)
        self.own = NO_DRAW if at_output else supply.own_draw

    def held_against(self, reading: Reading, plan: Plan) -> Iterator[TotalCheck]:
        """Yield a reading against the list; nothing where nobody would believe it."""
        in_alarm = reading.state is State.ALARM
        volts = self._volts(reading)
        at_v = reading.battery_v if reading.battery_v and not self.is_regulated else volts[0] if len(volts) == 1 else self.supply.nominal_v
        expected_a = total_draw([self.own, *(mean_draw(c, in_alarm=in_alarm) for c in self.currents)]).at_nominal_a(at_v)
        if not is_believed(reading.drawn_a, expected_a):
            return
        least, most = (self._draw(in_alarm=in_alarm, most=m) for m in (False, True))
        instrument = next((i for i in plan.instruments if i.key == reading.instrument_key), DEFAULT_INSTRUMENT)
        list_a = math.hypot(*(self._limit_a(c, in_alarm, at_v) for c in self.currents))
        yield TotalCheck(
            point=self.point,
            reading=reading,
            low_a=min(least.at_nominal_a(v) for v in volts),
            high_a=max(most.at_nominal_a(v) for v in volts),
            expected_a=expected_a,
            joint_a=math.hypot(reading.limit_a(instrument), list_a),
        )

    def _volts(self, reading: Reading) -> list[float]:
        """Return the voltages at which it may have been read: as stated, or from the supply's end to full. [V]"""
        supply, bank = self.supply, self.supply.bank
        if self.is_regulated and supply.feed is not None:
            return [supply.feed.output_v]
        if reading.battery_v:
            return [reading.battery_v]
        return [supply.nominal_v] if bank is None else [end_threshold(supply, (), bank).threshold_v, bank.full_v]

    def _draw(self, *, in_alarm: bool, most: bool) -> Draw:
        """Return the least the list gives, every thermostat and burst off; or the most, every thermostat on and the greatest burst running."""
        draws = [self.own]
        rises: list[Draw] = []
        for currents in self.currents:
            load = currents.load
            rest_a = currents.alarm_current_a if in_alarm else currents.standby_current_a
            extra_a = sum(t.current_a for t in load.thermostats) + load.recharge_peak_a if most else 0.0
            draws.append(load.draw_per_amp.times((rest_a + extra_a) * load.quantity))
            levels = [a for a in burst_levels_a(currents, in_alarm=in_alarm) if a is not None]
            rises.append(load.draw_per_amp.times(max([0.0, *(a - rest_a for a in levels)]) * load.quantity))
        if most and rises:
            draws.append(max(rises, key=lambda d: d.at_nominal_a(self.supply.nominal_v)))
        return total_draw(draws)

    def _limit_a(self, currents: LoadCurrents, in_alarm: bool, at_v: float) -> float:
        load = currents.load
        # Equal pieces are off together, so their limits add up plainly.
        return half_width_a(load.alarm if in_alarm else load.standby) * load.draw_per_amp.at_nominal_a(at_v) * load.quantity


def unlisted_load_of(checks: tuple[TotalCheck, ...]) -> UnlistedLoad | None:
    """Return the load that nobody listed, by the largest of several totals; None where none shows one."""
    over = [(c.excess_a, c) for c in checks if c.excess_a is not None]
    if not over:
        return None
    excess_a, check = max(over, key=lambda found: found[0])
    return UnlistedLoad(
        current_a=excess_a,
        point_key=check.point.key,
        point_name=check.point.name,
        reading_key=check.reading.key,
        read_a=check.reading.drawn_a,
        expected_a=check.expected_a,
        in_alarm=check.reading.state is State.ALARM,
    )


def with_unlisted_loads(plans: tuple[Plan, ...]) -> tuple[Plan, ...]:
    """Return plans in which every supply carries the load that its totals show and nobody listed.

    What was read as found hangs there still in a proposal, and as left, until a total is read there again.
    """
    as_found = next((p for p in plans if p.stage is Stage.AS_FOUND), None)
    first = {} if as_found is None else {s.key: unlisted_load_of(check_totals(as_found, s)) for s in as_found.supplies}

    def of(plan: Plan, supply: Supply) -> Supply:
        if plan is as_found:
            return replace(supply, unlisted=first[supply.key])
        checks = check_totals(plan, supply)
        return replace(supply, unlisted=unlisted_load_of(checks) if checks else first.get(supply.key))

    return tuple(replace(p, supplies=tuple(of(p, s) for s in p.supplies)) for p in plans)
