"""The band of a holdover: what each uncertain input alone does to it, added as root of squares."""

import math
from collections.abc import Callable

import numpy as np

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.conditioning import explained_square
from ypomoni.core.outage.demand import LoadCurrents, mean_draw
from ypomoni.core.outage.uncertainty import (
    CONDITION_SPREAD_RATIO,
    best_currents,
    worst_currents,
)
from ypomoni.core.telling.results import Band, BandInput
from ypomoni.core.things.outputs import OVERHEAD_SPREAD_RATIO, AcOutput

# A load that ends it at once: e^−12 of the time, a second of a month.
GREATEST_DELTA = 12.0
# As closely as a list shows it.
NEAR_RATIO = 0.01


def estimate_band(case: Case, expected_h: float) -> tuple[Band, tuple[BandInput, ...]]:
    """Return the 95 % band of a holdover and the share of each uncertain input in its low side.

    low = expected·exp(−√Σδᵢ²) with δᵢ = ln(expected / result with input i alone at its bad end); high likewise with the good ends.
    """
    runs = _band_runs(case, expected_h)
    falls, rises = _falls_and_rises(case, expected_h, runs)
    shares = _shares_of(falls)
    return band_of(expected_h, math.hypot(*falls), math.hypot(*rises)), tuple(
        BandInput(
            key=key,
            name=name,
            provenance=provenance,
            low_h=bad_h,
            high_h=good_h,
            share_ratio=share,
            fall_ratio=min(fall, GREATEST_DELTA),
        )
        for (key, name, provenance, bad_h, good_h), share, fall in zip(runs, shares, falls, strict=True)
    )


def low_end_near_h(case: Case, expected_h: float, must_h: float) -> float:
    """Return the low end of `estimate_band` to a hundredth, and surely on the right side of ``must_h``, for a fraction of the work. [h]

    What draws more at every instant shortens the hours no less. So a load that was moved bounds those that move the demand by less, and those
    that move it by more, and most of them need not be moved at all.
    """
    if case.supply.totals or case.light_load is not None or expected_h <= 0:
        # What explains a total explains parts of every load; and an output that switches off for want of load holds longer with more of it.
        falls, _ = _falls_and_rises(case, expected_h, _band_runs(case, expected_h, low_only=True))
        return band_of(expected_h, math.hypot(*falls), 0.0).low
    limit = math.log(expected_h / must_h) if must_h > 0 else math.inf
    moved = _Moved(case, expected_h)
    known = [_log_ratio(expected_h, bad_h) for *_, bad_h, _ in _bank_runs(case, expected_h, low_only=True)]
    # A load with bursts, or at the end of a cable, is like no other: it is moved by itself.
    pairs: list[tuple[LoadCurrents, LoadCurrents]] = []
    for currents in case.currents:
        worst = worst_currents(currents, case.climate_of(currents.load))
        if moved.moves_evenly(currents):
            pairs.append((currents, worst))
        else:
            known.append(_log_ratio(expected_h, moved.holdover_h(currents, worst)))
    falls = _Bounded(np.array([_moves(*pair) for pair in pairs]).reshape(len(pairs), 6))
    while True:
        least, most = math.hypot(*known, falls.least()), math.hypot(*known, falls.most())
        if (most <= limit or least > limit) and math.exp(-least) - math.exp(-most) <= NEAR_RATIO * math.exp(-least):
            return band_of(expected_h, most, 0.0).low
        n = falls.next()
        falls.learn(n, _log_ratio(expected_h, moved.holdover_h(*pairs[n])))


class _Bounded:
    """Between what the fall of each load lies, as far as those that are known tell. ``moves``: what each adds to the demand, shape (n, 6)."""

    def __init__(self, moves: np.ndarray) -> None:
        self.moves, self.sizes = moves, moves.sum(axis=1)
        self.lower, self.upper = np.zeros(len(moves)), np.full(len(moves), math.inf)

    def least(self) -> float:
        """Return the root of squares of what they are at least."""
        return float(np.sqrt(np.sum(self.lower**2)))

    def most(self) -> float:
        """Return the root of squares of what they are at most."""
        return float(np.sqrt(np.sum(self.upper**2)))

    def learn(self, n: int, fall: float) -> None:
        """Take in the fall of one load: no more have those that move the demand by less, no less those that move it by more."""
        smaller, greater = (self.moves <= self.moves[n]).all(axis=1), (self.moves >= self.moves[n]).all(axis=1)
        self.upper[smaller] = np.minimum(self.upper[smaller], fall)
        self.lower[greater] = np.maximum(self.lower[greater], fall)
        self.lower[n] = self.upper[n] = fall

    def next(self) -> int:
        """Return the load of which to learn next: the greatest of those nothing is known of, else the middle one of the widest bounds."""
        unbounded = np.isinf(self.upper) & (self.lower < math.inf)
        if unbounded.any():
            return int(np.argmax(np.where(unbounded, self.sizes, -math.inf)))
        gaps = self.upper**2 - self.lower**2
        widest = int(np.argmax(gaps))
        alike = np.flatnonzero((self.upper == self.upper[widest]) & (self.lower == self.lower[widest]))
        return int(alike[np.argsort(self.sizes[alike])[len(alike) // 2]])


def _falls_and_rises(case: Case, expected_h: float, runs: list[tuple[str, str, str, float, float]]) -> tuple[list[float], list[float]]:
    falls = [_log_ratio(expected_h, bad_h) for *_, bad_h, _ in runs]
    rises = [_log_ratio(good_h, expected_h) for *_, good_h in runs]
    return _narrowed(case, expected_h, falls, rises) if case.supply.totals else (falls, rises)


def band_deltas(case: Case, expected_h: float) -> tuple[list[float], list[float]]:
    """Return the fall and the rise of ln(holdover) with each input alone at its ends: the loads in their order, then the bank's."""
    runs = _band_runs(case, expected_h)
    falls = [min(_log_ratio(expected_h, bad_h), GREATEST_DELTA) for *_, bad_h, _ in runs]
    return falls, [min(_log_ratio(good_h, expected_h), GREATEST_DELTA) for *_, good_h in runs]


def band_of(expected_h: float, fall: float, rise: float) -> Band:
    """Return the band of a whole fall and rise of ln(holdover)."""
    return Band(
        low=expected_h * math.exp(-fall),
        expected=expected_h,
        high=min(expected_h * math.exp(min(rise, 50.0)), max([expected_h, 87_600.0])),
    )


def _band_runs(case: Case, expected_h: float, *, low_only: bool = False) -> list[tuple[str, str, str, float, float]]:
    """Return key, name, provenance and the holdover at the bad and the good end of each uncertain input; ``low_only`` leaves the good ends out. [h]"""
    runs: list[tuple[str, str, str, float, float]] = []
    moved = _Moved(case, expected_h)
    for currents in case.currents:
        load, climate = currents.load, case.climate_of(currents.load)
        bad_h = moved.holdover_h(currents, worst_currents(currents, climate))
        good_h = expected_h if low_only else moved.holdover_h(currents, best_currents(currents, climate))
        runs.append((load.key, load.name, load.standby.provenance.value, bad_h, good_h))
    return runs + _bank_runs(case, expected_h, low_only=low_only)


def _bank_runs(case: Case, expected_h: float, *, low_only: bool) -> list[tuple[str, str, str, float, float]]:
    """Return of `_band_runs` those of the bank and the output. [h]"""
    runs: list[tuple[str, str, str, float, float]] = []

    def ends_h(lasts_h: Callable[[float], float]) -> tuple[float, float]:
        return lasts_h(-1.0), expected_h if low_only else lasts_h(1.0)

    # A discharge table says more than a nameplate.
    spread = case.capacity_spread_ratio
    bad_h, good_h = ends_h(lambda sign: case.holdover(capacity_ratio=1 + sign * spread).holdover_h)
    runs.append(("bank_capacity", "battery capacity", "discharge table" if case.bank.table else "nameplate", bad_h, good_h))
    if case.bank.condition_ratio is None:
        c = case.condition_today_ratio
        bad_h, good_h = ends_h(lambda sign: case.holdover(condition_ratio=c + sign * CONDITION_SPREAD_RATIO).holdover_h)
        runs.append(("bank_condition", "battery condition", "from its age", bad_h, good_h))
    if isinstance(case.supply.output, AcOutput) and case.supply.output.is_overhead_guessed:
        # More overhead is the bad end.
        bad_h, good_h = ends_h(lambda sign: case.with_overhead(1 - sign * OVERHEAD_SPREAD_RATIO).holdover().holdover_h)
        runs.append(("overhead", f"overhead of {case.supply.name}", "estimate", bad_h, good_h))
    return runs


def _narrowed(case: Case, expected_h: float, falls: list[float], rises: list[float]) -> tuple[list[float], list[float]]:
    """Return the deltas with what measured totals of standby explain taken off those of the loads, in proportion to their squares."""
    totals, parts = case.total_parts_a(in_alarm=False)
    if not totals:
        return falls, rises
    limits_a = [t.uncertainty_a for t in totals]
    bad, good = standby_deltas(case, expected_h)
    count = len(case.loads)

    def taken_off(deltas: list[float], standby: list[float]) -> list[float]:
        whole = sum(d * d for d in deltas[:count])
        if whole <= 0 or math.isinf(whole):
            return deltas
        left = max(0.0, whole - explained_square(standby, parts, limits_a))
        return [d * math.sqrt(left / whole) for d in deltas[:count]] + deltas[count:]

    return taken_off(falls, bad), taken_off(rises, good)


class _Moved:
    """Holdovers with one load moved. Loads that move the demand by as much, and do so all the time, have the same one: it is run once.

    Where bursts are gathered (`Case.gathering`) a load moves the holdover by the ratio by which it moves that with bursts spread evenly:
    with very many loads nobody waits for each of them to be walked twice.
    """

    def __init__(self, case: Case, expected_h: float) -> None:
        self.case = case
        self.known: dict[tuple[float, ...], float] = {}
        self.averaged = case.gathering is not None
        even_h = case.holdover(averaged=True).holdover_h if self.averaged else 0.0
        self.scale_ratio = expected_h / even_h if even_h > 0 else 1.0

    def moves_evenly(self, currents: LoadCurrents) -> bool:
        """Say whether a load moves the demand by the same all the time."""
        return self.averaged or not (currents.load.bursts or currents.load.cable)

    def holdover_h(self, before: LoadCurrents, after: LoadCurrents) -> float:
        """Return the holdover with a load's currents changed. [h]"""
        if not self.moves_evenly(before):
            return self.case.holdover(changed=after).holdover_h
        key = _moves(before, after)
        if key not in self.known:
            self.known[key] = self.case.holdover(changed=after, averaged=self.averaged).holdover_h * self.scale_ratio
        return self.known[key]


def _moves(before: LoadCurrents, after: LoadCurrents) -> tuple[float, ...]:
    """Return by how much a load moves the demand in standby and in alarm. (A, W, S, A, W, S)"""
    return tuple(
        round(b - a, 12)
        for state in (False, True)
        for a, b in zip(mean_draw(before, in_alarm=state), mean_draw(after, in_alarm=state), strict=True)
    )


def standby_deltas(case: Case, expected_h: float) -> tuple[list[float], list[float]]:
    """Return for each load the fall and the rise of ln(holdover) with its standby current alone at its bad and its good end."""
    bad: list[float] = []
    good: list[float] = []
    moved = _Moved(case, expected_h)
    for currents in case.currents:
        climate = case.climate_of(currents.load)
        bad_h = moved.holdover_h(currents, worst_currents(currents, climate, standby_only=True))
        good_h = moved.holdover_h(currents, best_currents(currents, climate, standby_only=True))
        bad.append(min(_log_ratio(expected_h, bad_h), GREATEST_DELTA))
        good.append(min(_log_ratio(good_h, expected_h), GREATEST_DELTA))
    return bad, good


def _log_ratio(longer_h: float, shorter_h: float) -> float:
    """Return ln(longer/shorter), not below zero; infinite where the shorter run does not hold at all."""
    if longer_h <= 0 or longer_h <= shorter_h:
        return 0.0
    return math.inf if shorter_h <= 0 else math.log(longer_h / shorter_h)


def _shares_of(deltas: list[float]) -> list[float]:
    certain = [d for d in deltas if math.isinf(d)]
    if certain:
        return [1.0 / len(certain) if math.isinf(d) else 0.0 for d in deltas]
    total = sum(d * d for d in deltas)
    return [d * d / total if total > 0 else 0.0 for d in deltas]
