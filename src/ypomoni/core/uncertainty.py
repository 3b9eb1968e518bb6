"""Where a current comes from decides what is expected of it and how far off it may be. Called by `case` and `evaluation`.

Limits are 95 %. Common practice [M]: a meter ±(1 % + 3 digits); a data sheet ±15 %; an estimate ±40 %; a nameplate rating is a ceiling:
0.7 of it is expected, in a range of 0.4 to 1.0. Equal pieces of one load are not independent of each other.
"""

import math
from dataclasses import replace

from ypomoni.core.loads import Load, Provenance, StatedCurrent
from ypomoni.core.simulation.demand import LoadCurrents

EXPECTED_SHARE_RATIO = {Provenance.MEASURED: 1.0, Provenance.DATA_SHEET: 1.0, Provenance.NAMEPLATE: 0.7, Provenance.ESTIMATE: 1.0}
SPREAD_RATIO = {Provenance.DATA_SHEET: 0.15, Provenance.ESTIMATE: 0.40}
NAMEPLATE_RANGE_RATIO = (0.4, 1.0)
METER_SHARE_RATIO = 0.01
METER_DIGITS = 3
METER_COUNTS = 4000
LEAST_METERED_A = 1e-12
CAPACITY_SPREAD_RATIO = 0.10
CONDITION_SPREAD_RATIO = 0.10


def meter_limit_a(current_a: float) -> float:
    """Return ±(1 % + 3 digits) of a meter of 4,000 counts on the smallest range that shows the reading. [A]"""
    if current_a < LEAST_METERED_A:
        return METER_SHARE_RATIO * max(0.0, current_a)
    range_a = METER_COUNTS / 1000 * 10.0 ** math.ceil(math.log10(current_a / (METER_COUNTS / 1000)))
    return METER_SHARE_RATIO * current_a + METER_DIGITS * range_a / METER_COUNTS


def expected_a(stated: StatedCurrent) -> float:
    """Return the current expected of a stated one. [A]"""
    return stated.current_a * EXPECTED_SHARE_RATIO[stated.provenance]


def limits_a(stated: StatedCurrent) -> tuple[float, float]:
    """Return the least and greatest current a stated one may stand for. [A]"""
    if stated.provenance is Provenance.MEASURED:
        limit_a = meter_limit_a(stated.current_a)
        return max(0.0, stated.current_a - limit_a), stated.current_a + limit_a
    if stated.provenance is Provenance.NAMEPLATE:
        return stated.current_a * NAMEPLATE_RANGE_RATIO[0], stated.current_a * NAMEPLATE_RANGE_RATIO[1]
    spread = SPREAD_RATIO[stated.provenance]
    return stated.current_a * (1 - spread), stated.current_a * (1 + spread)


def expected_currents(load: Load) -> LoadCurrents:
    """Return the currents a run is made with: bursts as stated, their pieces staggered."""
    return LoadCurrents(
        load=load,
        standby_current_a=expected_a(load.standby),
        alarm_current_a=expected_a(load.alarm),
        burst_currents_a=tuple(b.current_a for b in load.bursts),
    )


def worst_currents(load: Load) -> LoadCurrents:
    """Return the bad end: the greatest currents, and the bursts of equal pieces all at once."""
    return replace(
        expected_currents(load),
        standby_current_a=limits_a(load.standby)[1],
        alarm_current_a=limits_a(load.alarm)[1],
        burst_currents_a=tuple(b.current_a + _burst_limit_a(load, b.current_a) for b in load.bursts),
        pieces_coincide=True,
    )


def best_currents(load: Load) -> LoadCurrents:
    """Return the good end: the least currents, pieces staggered."""
    return replace(
        expected_currents(load),
        standby_current_a=limits_a(load.standby)[0],
        alarm_current_a=limits_a(load.alarm)[0],
        burst_currents_a=tuple(b.current_a - _burst_limit_a(load, b.current_a) for b in load.bursts),
    )


def _burst_limit_a(load: Load, current_a: float) -> float:
    """Return how far a burst's current may be off: as far as the standby figure beside it; a nameplate is taken as it stands. [A]"""
    if load.standby.provenance is Provenance.NAMEPLATE:
        return 0.0
    return limits_a(StatedCurrent(current_a=current_a, provenance=load.standby.provenance))[1] - current_a
