"""Where a current comes from decides what is expected of it and how far off it may be.

Limits are 95 %. Common practice [M]: a meter ±(1 % + 3 digits); a data sheet ±15 %; an estimate ±40 %; a nameplate rating is a ceiling:
0.7 of it is expected, in a range of 0.4 to 1.0. Equal pieces of one load are not independent of each other.
"""

from collections.abc import Callable
from dataclasses import replace

from ypomoni.core.chemistries.discharge_table import Untold
from ypomoni.core.outage.demand import LoadCurrents
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import Load, Provenance, StatedCurrent
from ypomoni.core.things.metering import meter_limit_a
from ypomoni.core.things.places import Place

EXPECTED_SHARE_RATIO = {Provenance.MEASURED: 1.0, Provenance.DATA_SHEET: 1.0, Provenance.NAMEPLATE: 0.7, Provenance.ESTIMATE: 1.0}
SPREAD_RATIO = {Provenance.DATA_SHEET: 0.15, Provenance.ESTIMATE: 0.40}
NAMEPLATE_RANGE_RATIO = (0.4, 1.0)
CAPACITY_SPREAD_RATIO = 0.10
TABLED_SPREAD_RATIO = 0.03
CONDITION_SPREAD_RATIO = 0.10


def capacity_spread_ratio(bank: Bank, current_a: float) -> float:
    """Return how far the capacity may be off at a current: less with a discharge table, where that speaks of such currents. [ratio]"""
    fit = bank.table_fit
    if bank.table is None or fit is None or Untold.HOURS in fit.untold:
        return CAPACITY_SPREAD_RATIO
    if Untold.OTHER_RATES in fit.untold and not bank.table.is_near(current_a / bank.parallel):
        return CAPACITY_SPREAD_RATIO
    return TABLED_SPREAD_RATIO


def expected_a(stated: StatedCurrent) -> float:
    """Return the current expected of a stated one. [A]"""
    return stated.current_a * EXPECTED_SHARE_RATIO[stated.provenance]


def limits_a(stated: StatedCurrent) -> tuple[float, float]:
    """Return the least and greatest current a stated one may stand for: its own limit where a reading gave one. [A]"""
    if stated.provenance is Provenance.MEASURED:
        limit_a = meter_limit_a(stated.current_a) if stated.uncertainty_a is None else stated.uncertainty_a
        return max(0.0, stated.current_a - limit_a), stated.current_a + limit_a
    if stated.provenance is Provenance.NAMEPLATE:
        return stated.current_a * NAMEPLATE_RANGE_RATIO[0], stated.current_a * NAMEPLATE_RANGE_RATIO[1]
    spread = SPREAD_RATIO[stated.provenance]
    return stated.current_a * (1 - spread), stated.current_a * (1 + spread)


def half_width_a(stated: StatedCurrent) -> float:
    """Return half the width between the limits of a stated current. [A]"""
    low_a, high_a = limits_a(stated)
    return 0.5 * (high_a - low_a)


def expected_currents(load: Load, climate: Place, *, cold: bool = False) -> LoadCurrents:
    """Return the currents a run is made with: bursts as stated, their pieces staggered; thermostats as on the year's average, or in the cold."""
    share = Place.cold_share_ratio if cold else Place.mean_share_ratio
    return LoadCurrents(
        load=load,
        standby_current_a=expected_a(load.standby),
        alarm_current_a=expected_a(load.alarm),
        burst_currents_a=tuple(b.current_a for b in load.bursts),
        extra_current_a=_extra_a(load, climate, share),
        extra_peak_a=sum(t.current_a for t in load.thermostats) + load.recharge_current_a,
    )


def sizing_currents(load: Load, climate: Place) -> LoadCurrents:
    """Return the currents a formula is to be given: thermostats as in the month, or the cold, that asks most of them."""
    return replace(expected_currents(load, climate), extra_current_a=_extra_a(load, climate, _hardest_share))


def worst_currents(currents: LoadCurrents, climate: Place, *, standby_only: bool = False) -> LoadCurrents:
    """Return the bad end: the greatest currents, bursts of equal pieces all at once, thermostats as in the month that asks most.

    ``standby_only`` moves the standby current and nothing else.
    """
    load = currents.load
    moved = replace(currents, standby_current_a=currents.standby_current_a + _room_a(load.standby)[1])
    if load.alarm_is_standby or not standby_only:
        moved = replace(moved, alarm_current_a=currents.alarm_current_a + _room_a(load.alarm)[1])
    if standby_only:
        return moved
    return replace(
        moved,
        burst_currents_a=tuple(b.current_a + burst_limit_a(load, b.current_a) for b in load.bursts),
        pieces_coincide=True,
        extra_current_a=_extra_a(load, climate, Place.greatest_share_ratio),
    )


def best_currents(currents: LoadCurrents, climate: Place, *, standby_only: bool = False) -> LoadCurrents:
    """Return the good end: the least currents, pieces staggered, thermostats as in the month that asks least."""
    load = currents.load
    moved = replace(currents, standby_current_a=max(0.0, currents.standby_current_a - _room_a(load.standby)[0]))
    if load.alarm_is_standby or not standby_only:
        moved = replace(moved, alarm_current_a=max(0.0, currents.alarm_current_a - _room_a(load.alarm)[0]))
    if standby_only:
        return moved
    return replace(
        moved,
        burst_currents_a=tuple(b.current_a - burst_limit_a(load, b.current_a) for b in load.bursts),
        extra_current_a=_extra_a(load, climate, Place.least_share_ratio),
    )


def _room_a(stated: StatedCurrent) -> tuple[float, float]:
    """Return how far below and above what is expected a stated current may lie. [A]"""
    low_a, high_a = limits_a(stated)
    middle_a = expected_a(stated)
    return middle_a - low_a, high_a - middle_a


def _extra_a(load: Load, climate: Place, share: Callable[..., float]) -> float:
    """Return what thermostats add with their share of time, and recharges on average, for one piece. [A]"""
    heating_a = sum(t.current_a * share(climate, below_degc=t.below_degc, above_degc=t.above_degc) for t in load.thermostats)
    return heating_a + load.recharge_current_a


def _hardest_share(climate: Place, *, below_degc: float | None, above_degc: float | None) -> float:
    greatest = climate.greatest_share_ratio(below_degc=below_degc, above_degc=above_degc)
    return max(greatest, climate.cold_share_ratio(below_degc=below_degc, above_degc=above_degc))


def burst_limit_a(load: Load, current_a: float) -> float:
    """Return how far a burst's current may be off: as far as the standby figure beside it; a nameplate is taken as it stands. [A]"""
    if load.standby.provenance is Provenance.NAMEPLATE:
        return 0.0
    return limits_a(StatedCurrent(current_a=current_a, provenance=load.standby.provenance))[1] - current_a
