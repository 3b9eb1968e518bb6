"""A supply with its loads, ready to be run under any assumption."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from typing import TypedDict, Unpack

from ypomoni.core.outage.conditioning import shift_of_loads
from ypomoni.core.outage.demand import (
    Floor,
    LoadCurrents,
    Timeline,
    asleep_between_bursts,
    build_timeline,
    contribution,
    floors_of,
    mean_draw,
    peak_draw,
    total_draw,
    trains_count,
)
from ypomoni.core.outage.ends import Holdover
from ypomoni.core.outage.gathering import MOST_COST, MOST_MIXED_COST, MOST_TRAINS, Gathering, gather, mixed_cost, pattern_cost
from ypomoni.core.outage.identifying import identified
from ypomoni.core.outage.light_load import LightLoad, light_load_of
from ypomoni.core.outage.order import Order, compare_demand
from ypomoni.core.outage.run import HoldoverRun
from ypomoni.core.outage.uncertainty import (
    best_currents,
    capacity_spread_ratio,
    expected_currents,
    half_width_a,
    sizing_currents,
    worst_currents,
)
from ypomoni.core.things.batteries import Bank, build_pack
from ypomoni.core.things.loads import NO_DRAW, Draw, Load
from ypomoni.core.things.places import Place
from ypomoni.core.things.supplies import Supply
from ypomoni.core.things.totals import MeasuredTotal

# A meter read for a minute sees a burst that comes this often.
OFTEN_PER_HOUR = 60.0


class ThresholdOrigin(StrEnum):
    """Whose voltage ends the run."""

    CUTOFF = "cutoff"
    PROTECTION = "protection"
    EQUIPMENT = "equipment"
    CHEMISTRY = "chemistry"


@dataclass(frozen=True, slots=True, kw_only=True)
class Threshold:
    """The voltage at which the equipment's end is reached, and whose it is. [V]"""

    threshold_v: float
    origin: ThresholdOrigin
    owner: str


def end_threshold(supply: Supply, loads: tuple[Load, ...], bank: Bank) -> Threshold:
    """Return the highest of the cut-off, the battery's own cut-off, the least input of its output and every essential load's minimum.

    Where there is none of them it is the chemistry's end voltage.
    """
    found: list[Threshold] = []
    if supply.cutoff_v is not None:
        found.append(Threshold(threshold_v=supply.cutoff_v, origin=ThresholdOrigin.CUTOFF, owner=supply.name))
    if bank.own_cutoff_v is not None:
        found.append(Threshold(threshold_v=bank.own_cutoff_v, origin=ThresholdOrigin.PROTECTION, owner="the battery's own protection"))
    found += [
        Threshold(threshold_v=load.battery_min_v, origin=ThresholdOrigin.EQUIPMENT, owner=load.name)
        for load in loads
        if load.essential and load.battery_min_v is not None
    ]
    if supply.least_input_v is not None:
        found.append(Threshold(threshold_v=supply.least_input_v, origin=ThresholdOrigin.EQUIPMENT, owner=f"the output of {supply.name}"))
    ends = Threshold(threshold_v=bank.end_v, origin=ThresholdOrigin.CHEMISTRY, owner=bank.chemistry.name)
    return max(found, key=lambda t: t.threshold_v, default=ends)


class Hindrance(StrEnum):
    """Why the hours of a supply cannot be computed."""

    KIND = "kind"
    AC_LOAD = "ac_load"
    NO_BANK = "no_bank"
    TOO_COLD = "too_cold"
    TOO_HOT = "too_hot"


def hindrance_of(supply: Supply, loads: tuple[Load, ...]) -> Hindrance | None:
    """Return why the hours of a supply with these loads cannot be computed; None where they can."""
    if not supply.is_modelled:
        return Hindrance.KIND
    if any(is_ac_on_dc(supply, load) for load in loads):
        return Hindrance.AC_LOAD
    if supply.bank is None:
        return Hindrance.NO_BANK
    chemistry = supply.bank.chemistry
    if min(supply.min_degc, supply.typical_degc) < chemistry.lowest_degc:
        return Hindrance.TOO_COLD
    return Hindrance.TOO_HOT if supply.hottest_degc > chemistry.highest_degc else None


def is_ac_on_dc(supply: Supply, load: Load) -> bool:
    """Say whether a load draws from AC on a supply that gives none, with nothing between that would make it."""
    return load.ac is not None and load.converter is None and not supply.of_kind.is_inverter


def has_known_currents(supply: Supply, loads: tuple[Load, ...]) -> bool:
    """Say whether the currents at a battery follow from those of its loads: not through an inverter of which nothing is known."""
    is_unknown = supply.of_kind.is_inverter and not supply.is_modelled
    return not is_unknown and not any(is_ac_on_dc(supply, load) for load in loads)


class Assumptions(TypedDict, total=False):
    """What a run may assume; see `Case.run`."""

    condition_ratio: float | None
    cold: bool
    capacity_ratio: float
    changed: LoadCurrents | None
    averaged: bool
    threshold_v: float | None
    bank: Bank | None
    sizing: bool


class Case:
    """One supply that is modelled and has a bank, with the currents expected of its loads."""

    def __init__(self, supply: Supply, loads: tuple[Load, ...]) -> None:
        self.supply = supply = identified(supply)
        self.loads = loads = supply.feeding(loads)
        self.requirement = supply.requirement
        self.currents = self._reconciled(tuple(expected_currents(load, self.climate_of(load)) for load in loads))

    @cached_property
    def light_load(self) -> LightLoad | None:
        """What its output does because so little hangs on it; None where it goes on."""
        return light_load_of(self.supply, self.currents, self.requirement.alarm_h)

    @cached_property
    def gathering(self) -> Gathering | None:
        """How bursts that would take too long to follow are gathered; None where every one of them is followed."""
        alarm_h, mixed = self.requirement.alarm_h, self._is_mixed
        if self._has_thousands_of_trains:
            return gather(self.currents, alarm_h, mixed=mixed)
        lines = self._stated_timelines
        costs_too_much = pattern_cost(lines, self.loads, alarm_h) > MOST_COST or (
            mixed and mixed_cost(lines, self.loads, alarm_h) > MOST_MIXED_COST
        )
        return gather(self.currents, alarm_h, mixed=mixed) if costs_too_much else None

    @cached_property
    def _has_thousands_of_trains(self) -> bool:
        """Whether its bursts would be so many trains that not even their demand is to be made."""
        return sum(trains_count(c) for c in self.currents) > MOST_TRAINS

    @property
    def _is_mixed(self) -> bool:
        """Whether an alarm draws now more and now less than standby, with the bursts that are stated."""
        if self.requirement.alarm_h <= 0 or not any(load.bursts for load in self.loads):
            return False
        pack = build_pack(self.bank, condition_ratio=self.condition_today_ratio, temperature_degc=self.supply.typical_degc)
        if not self._has_thousands_of_trains:
            lines = self._stated_timelines
        else:
            # In step the pieces of a load are one train, and ask for the same at most and at least in all as they do one after the other.
            in_step = [replace(c, pieces_coincide=True) for c in self.currents]
            lines = self._timeline(in_step, in_alarm=False), self._timeline(in_step, in_alarm=True)
        order = compare_demand(*lines, self.threshold.threshold_v, pack.full_v)
        return order is Order.MIXED or (order is Order.ALARM_IS_LESS and any(line.floors for line in lines))

    def follow(self, currents: LoadCurrents) -> LoadCurrents:
        """Return the currents of a load as they are walked."""
        return currents if self.gathering is None else self.gathering.follow(currents)

    @cached_property
    def followed(self) -> tuple[LoadCurrents, ...]:
        """The currents as they are walked."""
        return tuple(self.follow(c) for c in self.currents)

    def climate_of(self, load: Load) -> Place:
        """How warm it is where a load is."""
        return load.place or self.supply.climate

    def total_parts_a(self, *, in_alarm: bool) -> tuple[list[MeasuredTotal], list[list[float]]]:
        """Return the totals taken in a state, and for each the limit of every load's part of it. [A], shape (n_totals, n_loads)"""
        totals = [t for t in self.supply.totals if t.in_alarm is in_alarm]
        parts = [
            [
                self._given_ratio(t)
                * load.draw_per_amp.at_nominal_a(t.at_v)
                * load.quantity
                * half_width_a(load.alarm if in_alarm else load.standby)
                if load.key in t.load_keys
                else 0.0
                for load in self.loads
            ]
            for t in totals
        ]
        return totals, parts

    def _reconciled(self, currents: tuple[LoadCurrents, ...]) -> tuple[LoadCurrents, ...]:
        """Return the currents moved to what measured totals say of their sum, each by its share of the uncertainty."""
        for in_alarm in (False, True):
            totals, parts = self.total_parts_a(in_alarm=in_alarm)
            if not totals:
                continue
            residuals = [t.current_a - self._sum_at_a(currents, t) for t in totals]
            shifts = shift_of_loads(parts, [t.uncertainty_a for t in totals], residuals)
            currents = tuple(_shifted(c, shift, in_alarm=in_alarm) for c, shift in zip(currents, shifts, strict=True))
        return currents

    def _sum_at_a(self, currents: tuple[LoadCurrents, ...], total: MeasuredTotal) -> float:
        """Return what the register says flows where a total was read, at its voltage. [A]"""
        behind = [c for c in currents if c.load.key in total.load_keys]
        own_a = self.supply.own_draw.at_nominal_a(total.at_v) if total.own_included else 0.0
        return own_a + self._given_ratio(total) * sum(read_draw(c, in_alarm=total.in_alarm).at_nominal_a(total.at_v) for c in behind)

    def _given_ratio(self, total: MeasuredTotal) -> float:
        """Return how much of the battery's power passes where a total was read: behind a regulated output what that gives. [ratio]"""
        return 1.0 if total.own_included or self.supply.feed is None else self.supply.feed.efficiency_ratio

    @property
    def bank(self) -> Bank:
        """The bank; only asked for where there is one."""
        if self.supply.bank is None:
            raise ValueError(f"supply {self.supply.key} has no bank")
        return self.supply.bank

    @cached_property
    def threshold(self) -> Threshold:
        """The equipment's end."""
        return end_threshold(self.supply, self.loads, self.bank)

    @property
    def needed_v(self) -> float:
        """The voltage that battery and essential equipment need at the battery, whatever the cut-off. [V]"""
        own_v = self.bank.own_cutoff_v or 0.0
        needs = [load.battery_min_v for load in self.loads if load.essential and load.battery_min_v is not None]
        return max([self.bank.end_v, own_v, *needs])

    @cached_property
    def condition_today_ratio(self) -> float:
        """The condition of the bank as it is. [ratio]"""
        return self.bank.condition_today_ratio(self.supply.typical_degc)

    def mean_draw(self, *, in_alarm: bool) -> Draw:
        """Return the average draw with bursts, the supply's own included."""
        return total_draw([self.supply.own_draw, *(mean_draw(c, in_alarm=in_alarm) for c in self.currents)])

    @cached_property
    def capacity_spread_ratio(self) -> float:
        """How far the bank's capacity may be off at this supply's current. [ratio]"""
        return capacity_spread_ratio(self.bank, self.mean_current_a(in_alarm=False))

    def mean_current_a(self, *, in_alarm: bool) -> float:
        """Return the average current at nominal voltage. [A]"""
        return self.mean_draw(in_alarm=in_alarm).at_nominal_a(self.supply.nominal_v)

    def peak_current_a(self, *, in_alarm: bool) -> float:
        """Return the greatest current that can coincide, at nominal voltage. [A]"""
        draws = [peak_draw(c, in_alarm=in_alarm) for c in self.currents]
        return total_draw([self.supply.own_draw, *draws]).at_nominal_a(self.supply.nominal_v)

    def sizing_current_a(self, *, in_alarm: bool) -> float:
        """Return the average current a formula is given: thermostats as when they are on most. [A]"""
        if not any(load.thermostats for load in self.loads):
            return self.mean_current_a(in_alarm=in_alarm)
        extra = {load.key: sizing_currents(load, self.climate_of(load)).extra_current_a for load in self.loads}
        draws = [mean_draw(replace(c, extra_current_a=extra[c.load.key]), in_alarm=in_alarm) for c in self.currents]
        return total_draw([self.supply.own_draw, *draws]).at_nominal_a(self.supply.nominal_v)

    @cached_property
    def _cold_timelines(self) -> tuple[Timeline, Timeline]:
        if not any(load.thermostats for load in self.loads):
            return self._expected_timelines
        # As they are walked when it is warm: bursts that are gathered there cost no less here.
        cold = [
            replace(c, extra_current_a=expected_currents(c.load, self.climate_of(c.load), cold=True).extra_current_a) for c in self.followed
        ]
        return self._timeline(cold, in_alarm=False), self._timeline(cold, in_alarm=True)

    @cached_property
    def draws_nothing(self) -> bool:
        """Whether neither standby nor alarm draws anything."""
        return self.peak_current_a(in_alarm=False) == 0 and self.peak_current_a(in_alarm=True) == 0

    @cached_property
    def current_ends(self) -> tuple[tuple[LoadCurrents, LoadCurrents], ...]:
        """The currents of each load at their bad and at their good end."""
        return tuple((worst_currents(c, self.climate_of(c.load)), best_currents(c, self.climate_of(c.load))) for c in self.currents)

    @cached_property
    def _demand(self) -> tuple["_Demand", "_Demand"]:
        return _Demand(self, in_alarm=False), _Demand(self, in_alarm=True)

    @cached_property
    def _expected_timelines(self) -> tuple[Timeline, Timeline]:
        if self.gathering is None:
            return self._stated_timelines
        return self._timeline(self.followed, in_alarm=False), self._timeline(self.followed, in_alarm=True)

    @cached_property
    def _stated_timelines(self) -> tuple[Timeline, Timeline]:
        return self._timeline(self.currents, in_alarm=False), self._timeline(self.currents, in_alarm=True)

    def _timeline(self, currents: Iterable[LoadCurrents], *, in_alarm: bool, averaged: bool = False) -> Timeline:
        """Return the demand of some currents in a state, with what the supply itself takes, asleep where it sleeps."""
        if self.light_load is None or not self.light_load.sleeps_between_bursts or in_alarm:
            return build_timeline(currents, self.supply.own_draw, in_alarm=in_alarm, averaged=averaged)
        awake = build_timeline(currents, self.supply.own_draw, in_alarm=in_alarm)
        line = asleep_between_bursts(awake, Draw(self.supply.own_current_a, 0.0, 0.0), self.light_load.after_h, wakes=self.light_load.wakes)
        return line.averaged() if averaged else line

    def _timelines(self, changed: LoadCurrents | None, *, averaged: bool, cold: bool) -> tuple[Timeline, Timeline]:
        # One load moved is a matter of the band, which is told at the usual temperature.
        if cold and changed is None and not averaged:
            return self._cold_timelines
        if averaged:
            currents = [c if changed is None or c.load.key != changed.load.key else changed for c in self.currents]
            return tuple(self._timeline(currents, in_alarm=state, averaged=True) for state in (False, True))  # type: ignore[return-value]
        if changed is None:
            return self._expected_timelines
        # Asleep, all that hangs on the output goes on and off together: no load's part can be exchanged by itself.
        if self.light_load is not None and self.light_load.sleeps_between_bursts:
            changed = self.follow(changed)
            currents = [changed if c.load.key == changed.load.key else c for c in self.followed]
            return self._timeline(currents, in_alarm=False), self._timeline(currents, in_alarm=True)
        standby, alarm = self._demand
        changed = self.follow(changed)
        return standby.with_changed(changed), alarm.with_changed(changed)

    def timelines(self, *, cold: bool) -> tuple[Timeline, Timeline]:
        """Return the expected demand in standby and in alarm; ``cold`` with thermostats as on the coldest days."""
        return self._cold_timelines if cold else self._expected_timelines

    def run(
        self,
        *,
        condition_ratio: float | None = None,
        cold: bool = False,
        capacity_ratio: float = 1.0,
        changed: LoadCurrents | None = None,
        averaged: bool = False,
        threshold_v: float | None = None,
        bank: Bank | None = None,
        sizing: bool = False,
    ) -> HoldoverRun:
        """Return an outage under assumptions; whatever is not given is as expected today, at the typical temperature.

        Parameters
        ----------
        cold
            At the lowest temperature, with thermostats as on the coldest days.
        changed
            Other currents of one load.
        averaged
            With every burst spread evenly over its period.
        """
        pack = build_pack(
            bank or self.bank,
            condition_ratio=self.condition_today_ratio if condition_ratio is None else condition_ratio,
            temperature_degc=self.supply.min_degc if cold else self.supply.typical_degc,
            sizing=sizing,
            capacity_ratio=capacity_ratio,
            starts_at_ratio=self.supply.starts_at_ratio,
        )
        standby, alarm = self._timelines(changed, averaged=averaged, cold=cold)
        ends_v = self.threshold.threshold_v if threshold_v is None else threshold_v
        return HoldoverRun(pack, standby, alarm, self.requirement.alarm_h, ends_v, self.light_load)

    def run_of(
        self, currents: tuple[LoadCurrents, ...], *, condition_ratio: float, capacity_ratio: float, overhead_ratio: float = 1.0
    ) -> HoldoverRun:
        """Return the outage of other currents of every load, with a bank of another condition and capacity, and so many times the overhead."""
        if overhead_ratio != 1.0:
            other = self.with_overhead(overhead_ratio)
            return other.run_of(currents, condition_ratio=condition_ratio, capacity_ratio=capacity_ratio)
        degc = self.supply.typical_degc
        pack = build_pack(
            self.bank,
            condition_ratio=condition_ratio,
            temperature_degc=degc,
            capacity_ratio=capacity_ratio,
            starts_at_ratio=self.supply.starts_at_ratio,
        )
        followed = tuple(self.follow(c) for c in currents)
        standby, alarm = (self._timeline(followed, in_alarm=state) for state in (False, True))
        return HoldoverRun(pack, standby, alarm, self.requirement.alarm_h, self.threshold.threshold_v, self.light_load)

    def with_overhead(self, times_ratio: float) -> "Case":
        """Return the same supply with an inverter that burns so many times as much."""
        output = self.supply.ac
        if output is None:
            raise ValueError(f"{self.supply.key} has no inverter")
        return Case(replace(self.supply, ac=replace(output, overhead_w=times_ratio * output.burns_w)), self.loads)

    def holdover(self, **assumptions: Unpack[Assumptions]) -> Holdover:
        """Return the holdover under assumptions; see `run`."""
        return self.run(**assumptions).holdover()


def read_draw(currents: LoadCurrents, *, in_alarm: bool) -> Draw:
    """Return what a meter shows of a load within a minute: at rest, with those bursts that come at least once a minute.

    A battery of its own is full most of the time, so what its recharges take on average is not there then.
    """
    seen = [n for n, b in enumerate(currents.load.bursts) if b.per_hour >= OFTEN_PER_HOUR]
    load = replace(currents.load, bursts=tuple(currents.load.bursts[n] for n in seen))
    extra_a = max(0.0, currents.extra_current_a - currents.load.recharge_current_a)
    levels_a = tuple(currents.burst_currents_a[n] for n in seen)
    often = replace(currents, load=load, burst_currents_a=levels_a, extra_current_a=extra_a)
    return mean_draw(often, in_alarm=in_alarm)


def _shifted(currents: LoadCurrents, shift: float, *, in_alarm: bool) -> LoadCurrents:
    """Return currents of which that of one state has moved by so many of its limits; an alarm that is as standby goes with it."""
    if in_alarm:
        return replace(currents, alarm_current_a=max(0.0, currents.alarm_current_a + shift * half_width_a(currents.load.alarm)))
    standby_a = max(0.0, currents.standby_current_a + shift * half_width_a(currents.load.standby))
    alarm_a = standby_a if currents.load.alarm_is_standby else currents.alarm_current_a
    return replace(currents, standby_current_a=standby_a, alarm_current_a=alarm_a)


class _Demand:
    """What each load adds to the demand of one state, summed from both sides, so that one of them can be exchanged at once."""

    def __init__(self, case: Case, *, in_alarm: bool) -> None:
        self.in_alarm = in_alarm
        self.place = {c.load.key: n for n, c in enumerate(case.currents)}
        self.parts = [contribution(c, in_alarm=in_alarm) for c in case.followed]
        self.floors: list[tuple[Floor, ...]] = [floors_of(c, *part) for c, part in zip(case.followed, self.parts, strict=True)]
        # Sums from the front and from the back: with one load exchanged the rest are two numbers, not a sum over all again.
        self.before = [case.supply.own_draw]
        for draw, _ in self.parts:
            self.before.append(self.before[-1].plus(draw))
        self.after = [NO_DRAW]
        for draw, _ in reversed(self.parts):
            self.after.append(self.after[-1].plus(draw))
        self.after.reverse()

    def with_changed(self, changed: LoadCurrents) -> Timeline:
        """Return the demand with other currents of one load."""
        n = self.place[changed.load.key]
        draw, trains = contribution(changed, in_alarm=self.in_alarm)
        others = [t for m, (_, found) in enumerate(self.parts) if m != n for t in found]
        floors = [floor for m, found in enumerate(self.floors) if m != n for floor in found]
        floors += floors_of(changed, draw, trains)
        return Timeline(self.before[n].plus(self.after[n + 1]).plus(draw), (*others, *trains), tuple(floors))
