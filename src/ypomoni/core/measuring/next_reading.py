"""The next reading that would tell most: the one that narrows the holdover band of a supply most.

Each candidate is taken as if it had been read, with the value expected there: a device's own reading replaces its load's uncertainty, a total's
explains part of that of the loads behind it (see `totals`).
"""

import math
from dataclasses import dataclass, replace

from ypomoni.core.measuring.reconciliation import Tree
from ypomoni.core.outage.band import GREATEST_DELTA, band_deltas, band_of, standby_deltas
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.conditioning import explained_square
from ypomoni.core.outage.uncertainty import best_currents, half_width_a, worst_currents
from ypomoni.core.telling.results import Band
from ypomoni.core.things.loads import Load, Provenance, StatedCurrent
from ypomoni.core.things.readings import DEFAULT_INSTRUMENT, Instrument, MeasuringPoint, PointKind, State

# A battery lead is opened only where that tells clearly more.
# A reading that narrows the range by less is not worth a trip to the cupboard.
LEAST_GAIN_RATIO = 0.1
RISK_RATIO = 0.95


@dataclass(frozen=True, slots=True, kw_only=True)
class Suggestion:
    """A reading not taken yet: what it is expected to show, and the band with it."""

    point_key: str
    state: State
    expected_a: float
    before: Band
    after: Band

    @property
    def gain_ratio(self) -> float:
        """By how much it narrows the band: the fall of ln(high/low)."""
        return _width(self.before) - _width(self.after)


def suggest_readings(tree: Tree, instruments: tuple[Instrument, ...] = ()) -> tuple[Suggestion, ...]:
    """Return every reading of a supply that would narrow its band, the one that tells most first."""
    case = tree.case
    if case.supply.bank is None or case.draws_nothing or not case.supply.is_modelled or case.supply.feed is not None:
        return ()
    expected_h = case.holdover().holdover_h
    if expected_h <= 0:
        return ()
    falls, rises = (list(side) for side in band_deltas(case, expected_h))
    standby = standby_deltas(case, expected_h)
    meter = min(
        [i for i in instruments if i.hookup.value in ("series", "clamp")] or [DEFAULT_INSTRUMENT],
        key=lambda i: i.limit_a(0.1),
        default=DEFAULT_INSTRUMENT,
    )
    before = _band(case, expected_h, falls, rises, standby, None)
    found: list[Suggestion] = []
    for point in tree.in_order():
        for state in (State.STANDBY, State.ALARM):
            if (point.key, state) in tree.readings:
                continue
            expected_a, _ = tree.sum_behind(point, state, case.supply.nominal_v)
            after = _after(tree, point, state, meter.limit_a(expected_a), (expected_h, falls, rises, standby))
            if after is not None and _is_worth_it(before, after, case.requirement.standby_h):
                found.append(Suggestion(point_key=point.key, state=state, expected_a=expected_a, before=before, after=after))
    leads = {p.key for p in tree.points.values() if p.kind is PointKind.BATTERY}
    # Where they tell as much, the one that leaves the battery lead alone comes first.
    return tuple(sorted(found, key=lambda s: -s.gain_ratio * (RISK_RATIO if s.point_key in leads else 1.0)))


Deltas = tuple[float, list[float], list[float], tuple[list[float], list[float]]]


def _after(tree: Tree, point: MeasuringPoint, state: State, limit_a: float, known: Deltas) -> Band | None:
    """Return the band with a reading of this limit taken into the register, or None where it cannot be taken."""
    case = tree.case
    expected_h, falls, rises, standby = known
    if point.kind is PointKind.DEVICE:
        n = next((n for n, load in enumerate(case.loads) if load.key == point.load_key), None)
        if n is None:
            return None
        load = case.loads[n]
        if state is State.ALARM and load.alarm_is_standby:
            return None
        measured = with_measured(
            load, state, case.currents[n].standby_current_a, case.currents[n].alarm_current_a, limit_a, case.supply.nominal_v
        )
        now_a, then_a = (half_width_a(m.alarm if state is State.ALARM else m.standby) for m in (load, measured))
        # A meter coarser than what is known already would tell nothing.
        if then_a >= now_a:
            return None
        currents, climate = replace(case.currents[n], load=measured), case.climate_of(load)
        worse, better = (case.holdover(changed=ends(currents, climate)).holdover_h for ends in (worst_currents, best_currents))
        falls, rises = list(falls), list(rises)
        falls[n], rises[n] = _ln(expected_h, worse), _ln(better, expected_h)
        own = [list(side) for side in standby]
        # What totals explain is taken off standby alone, so that part has to shrink with it.
        if state is State.STANDBY:
            for side in own:
                side[n] *= then_a / now_a
        return _band(case, expected_h, falls, rises, (own[0], own[1]), None)
    if state is State.ALARM:
        return None
    # At any other point a reading is a total: it narrows the sum of what hangs behind, and no load by itself.
    behind = set(tree.loads_behind(point))
    parts_a = [
        load.draw_per_amp.at_nominal_a(case.supply.nominal_v) * load.quantity * half_width_a(load.standby) if load.key in behind else 0.0
        for load in case.loads
    ]
    return _band(case, expected_h, falls, rises, standby, (parts_a, limit_a))


def _band(
    case: Case,
    expected_h: float,
    falls: list[float],
    rises: list[float],
    standby: tuple[list[float], list[float]],
    total: tuple[list[float], float] | None,
) -> Band:
    """Return the band of deltas with the totals already taken, and one more."""
    totals, parts = case.total_parts_a(in_alarm=False)
    limits_a = [t.uncertainty_a for t in totals]
    if total:
        parts, limits_a = [*parts, total[0]], [*limits_a, total[1]]
    squares = [
        max(0.0, sum(d * d for d in deltas) - explained_square(own, parts, limits_a))
        for deltas, own in zip((falls, rises), standby, strict=True)
    ]
    return band_of(expected_h, math.sqrt(squares[0]), math.sqrt(squares[1]))


def with_measured(load: Load, state: State, standby_a: float, alarm_a: float, limit_a: float, at_v: float) -> Load:
    """Return a load whose current of a state was measured at its supply's side with a limit. [A, V]"""
    own_a = limit_a / (load.draw_per_amp.at_nominal_a(at_v) * load.quantity)
    if state is State.ALARM:
        return replace(load, alarm=StatedCurrent(current_a=alarm_a, provenance=Provenance.MEASURED, uncertainty_a=own_a))
    stated = StatedCurrent(current_a=standby_a, provenance=Provenance.MEASURED, uncertainty_a=own_a)
    return replace(load, standby=stated, alarm=stated if load.alarm_is_standby else load.alarm)


def _ln(longer_h: float, shorter_h: float) -> float:
    if longer_h <= 0 or longer_h <= shorter_h:
        return 0.0
    return GREATEST_DELTA if shorter_h <= 0 else min(GREATEST_DELTA, math.log(longer_h / shorter_h))


def _is_worth_it(before: Band, after: Band, must_h: float) -> bool:
    """Return whether a reading narrows the range by a tenth at least, or puts it on one side of what is required."""
    if _width(after) <= (1.0 - LEAST_GAIN_RATIO) * _width(before) - 1e-9:
        return True
    decided = after.low >= must_h or after.high < must_h
    return before.low < must_h <= before.high and decided


def _width(band: Band) -> float:
    return math.log(max(band.high, 1e-6) / max(band.low, 1e-6))
