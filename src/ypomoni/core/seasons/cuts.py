"""Repeated cuts: does the bank survive them for good, and if not, on which day does it fail.

A cut is carried where standby lasts to its end and an alarm from any moment of it, as far as that falls before its end: what falls after it,
mains carries. Between the cuts the charger is at work beside the load. A week that repeats is walked until it has settled, or for a year.
"""

import math
from dataclasses import dataclass, field

from ypomoni.core.outage.case import Case
from ypomoni.core.requirements.patterns import WEEK_H, YEAR_H, Day, Span, TimePattern
from ypomoni.core.seasons.charging import State
from ypomoni.core.seasons.walking import Assumed, Walker
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import HOURS_PER_DAY

# Two weeks that end so close to each other are the same week. [ratio of capacity]
SETTLED_RATIO = 0.001
# A round of a day or a week that changes so little changes a week by less than that.
ROUND_RATIO = 1e-4
# Lead that stays below this all the time sulphates. [ratio]
NEARLY_FULL_RATIO = 0.95
HOURS_PER_YEAR = 8_760.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Carried:
    """One cut that was played: from when to when, and the charge left at its start and at its end (None: it was not carried). [h, ratio]"""

    start_h: float
    end_h: float
    left_at_start_ratio: float
    left_at_end_ratio: float | None


@dataclass(frozen=True, kw_only=True)
class CutsPlayed:
    """What became of a bank under a pattern.

    ``fails_at_h`` is where the first cut starts that is not carried, ``dies_at_h`` when the bank gives out in standby then (None: only an alarm
    would not be carried). ``trace`` holds (t, charge left) at every turn. ``longest_low_h`` is the longest time below 95 %.
    """

    survives: bool
    settled: bool
    lowest_charge_ratio: float
    taken_ah_per_y: float
    walked_h: float
    fails_at_h: float | None = None
    dies_at_h: float | None = None
    longest_low_h: float = 0.0
    cuts: tuple[Carried, ...] = field(default=())
    trace: tuple[tuple[float, float], ...] = field(default=())

    @property
    def fails_on_day(self) -> int | None:
        """The day, from 1, on which the cut starts that is not carried."""
        return None if self.fails_at_h is None else int(self.fails_at_h / HOURS_PER_DAY + 1e-9) + 1


def cut_pattern(supply: Supply) -> TimePattern | None:
    """Return the pattern that a supply lives with: its windows of charge, or the cuts its requirement names; None where there is none."""
    if supply.of_kind.has_windows:
        return supply.windows
    is_primary = supply.bank is not None and supply.bank.chemistry.is_primary
    return None if is_primary or supply.of_kind.is_sunlit else supply.requirement.cuts


def cuts_of(supply: Supply, pattern: TimePattern, end_h: float) -> list[Span]:
    """Return the cuts of a supply until a time: the spans themselves, or, of windows of charge, the time between them. [h]"""
    return list(pattern.between(end_h) if supply.of_kind.has_windows else pattern.until(end_h))


def unknown_of_charger(supply: Supply) -> tuple[str, ...]:
    """Return what of a charger must be known before any pattern is computed, under its names in the site file."""
    bank = supply.bank
    if supply.charge_limit_a == 0:
        return ()
    missing: list[str] = []
    if supply.charge_limit_a is None:
        missing.append("charge_limit_a")
    if supply.supply_current_a is None and not supply.of_kind.mains_carries:
        missing.append("supply_current_a")
    if bank is not None and supply.charge_v is None and not bank.chemistry.charges_at_constant_current:
        missing.append("charge_v")
    return tuple(missing)


def _source_a(supply: Supply) -> float | None:
    """Return the current that carries the loads first and charges with what is left; None where mains carries the loads. [A]"""
    # With nothing to charge and no current stated, mains carries the loads by whatever it is.
    is_loads_alone = supply.charge_limit_a == 0 and supply.supply_current_a is None
    return None if supply.of_kind.mains_carries or is_loads_alone else supply.supply_current_a or 0.0


def gives_back_ratio(case: Case, pattern: TimePattern) -> float | None:
    """Return what the charger can give back in a week over what the cuts of a week take; None of a history, or where nothing is taken.

    Under 1 no battery lasts for good, however large: it only goes down more slowly.
    """
    if not pattern.repeats:
        return None
    walker, supply = Walker(case, Assumed()), case.supply
    # Windows say when there is charge, cuts when there is none.
    cut_h = WEEK_H - pattern.covered_h if supply.of_kind.has_windows else pattern.covered_h
    charge_h = WEEK_H - cut_h
    source_a = _source_a(supply)
    spare_a = math.inf if source_a is None else source_a - walker.mean_a
    taken_ah = walker.mean_a * cut_h + walker.pack.self_a * WEEK_H + max(0.0, -spare_a) * charge_h
    given_ah = walker.chemistry.charge_ratio * max(0.0, min(spare_a, supply.charge_limit_a or 0.0)) * charge_h
    return given_ah / taken_ah if taken_ah > 0 else None


def survives_cuts(case: Case, pattern: TimePattern) -> bool:
    """Say whether a case survives a pattern, and no more: a day that is as the one before it, far from any end, is followed by days like it."""
    walker = Walker(case, Assumed())
    end_h = YEAR_H if pattern.repeats else pattern.length_h
    # Asked in every step of a search, so it stops as soon as the answer can no longer change.
    return _Play(walker, pattern, end_h, stops_settled=pattern.repeats, look_h=None, is_brief=pattern.repeats).run().survives


def play_cuts(
    case: Case, pattern: TimePattern, assumed: Assumed | None = None, *, until_h: float | None = None, look_h: float | None = None
) -> CutsPlayed:
    """Return what becomes of a case under a pattern.

    Parameters
    ----------
    until_h
        How far a week that repeats is followed at most; a year where it is not said. With it, it is followed beyond its settled week. [h]
    look_h
        For a picture: the charge is noted at least so often. [h]
    """
    walker = Walker(case, assumed or Assumed())
    end_h = (until_h or YEAR_H) if pattern.repeats else pattern.length_h
    return _Play(walker, pattern, end_h, stops_settled=pattern.repeats and until_h is None, look_h=look_h).run()


class _Play:
    """One pattern being played."""

    def __init__(
        self, walker: Walker, pattern: TimePattern, end_h: float, *, stops_settled: bool, look_h: float | None, is_brief: bool = False
    ) -> None:
        # Briefly: the state at the start of each cut, by its hour of the day, or of the week; None where every week is walked.
        days_alike = pattern.week is not None and all(s.day is Day.DAILY for s in pattern.week)
        self.round_h = HOURS_PER_DAY if days_alike else WEEK_H
        self.before: dict[float, State] | None = {} if is_brief else None
        self.look_h = look_h
        self.walker, self.pattern, self.end_h, self.stops_settled = walker, pattern, end_h, stops_settled
        supply = walker.case.supply
        self.cuts = cuts_of(supply, pattern, end_h)
        self.limit_a = supply.charge_limit_a
        self.source_a = _source_a(supply)
        self.state: State = walker.start
        self.t = 0.0
        self.taken_ah = 0.0
        self.lowest_ratio = walker.left_ratio(self.state[0])
        self.trace: list[tuple[float, float]] = [(0.0, self.lowest_ratio)]
        self.low_since_h: float | None = 0.0 if self.lowest_ratio < NEARLY_FULL_RATIO else None
        self.longest_low_h = 0.0
        self.played: list[Carried] = []
        self.died_h: float | None = None
        self.all_sure = True
        # The charge missing, and taken out so far, at the end of each week.
        self.week_ends: list[tuple[float, float]] = [(self.state[0], 0.0)]

    def run(self) -> CutsPlayed:
        """Play it to its end, to the week that repeats, or to the cut that is not carried."""
        for start, stop in self.cuts:
            if self._charge_until(start) or self._is_as_before(start):
                return self._done(survives=True, settled=True)
            carried = self._cut(start, stop)
            if not carried:
                return self._done(survives=False, settled=False)
            if self._has_settled():
                return self._done(survives=True, settled=True)
        settled = self._charge_until(self.end_h)
        return self._done(survives=True, settled=settled or not self.stops_settled)

    def _is_as_before(self, start: float) -> bool:
        """Say whether a cut begins as the one a round before did; only while no end came near does that say enough."""
        if self.before is None or not self.all_sure:
            return False
        at = round(start % self.round_h, 6)
        state, self.before[at] = self.before.get(at), self.state
        # The first round of this hour: there is nothing yet to compare it with.
        if state is None:
            return False
        return abs(state[0] - self.state[0]) + abs(state[1] - self.state[1]) <= ROUND_RATIO * self.walker.pack.capacity_ah

    def _charge_until(self, until_h: float) -> bool:
        """Charge until a time, noting the state at the end of each week; say whether the weeks have settled on the way."""
        while self.t < until_h - 1e-9:
            stop_h = min(until_h, WEEK_H * (int(self.t / WEEK_H + 1e-9) + 1))
            if self.look_h is not None:
                stop_h = min(stop_h, self.t + self.look_h)
            before_ah, d = self.state[0], stop_h - self.t
            self.state, _ = self.walker.charge(d, self.state, self.source_a, limit_a=self.limit_a)
            short_a = self.walker.mean_a - self.source_a if self.source_a is not None else 0.0
            if short_a > 0.0:
                self.taken_ah += min(short_a * d, max(0.0, self.state[0] - before_ah))
            self._note(stop_h, self.state)
            if self._week_ended() and self._has_settled():
                return True
        return False

    def _cut(self, start: float, stop: float) -> bool:
        """Play one cut; say whether it is carried."""
        at_start, left = self.state, self.walker.left_ratio(self.state[0])
        end, drawn_ah = None, 0.0
        a, state = start, at_start
        weeks: list[tuple[float, State]] = []
        while a < stop - 1e-9:
            b = min(stop, WEEK_H * (int(a / WEEK_H + 1e-9) + 1))
            end = self.walker.rest(a, b, state)
            drawn_ah += end.u_ah - state[0] - self.walker.pack.self_a * (end.t_h - a)
            a, state = b, (end.u_ah, end.d_ah)
            if end.ended:
                break
            if b < stop - 1e-9:
                weeks.append((b, state))
        if end is None:
            return True
        carried = self.walker.carries(start, stop, at_start, end)
        self.all_sure = self.all_sure and self.walker.is_sure(end.u_ah, end.d_ah)
        self.played.append(
            Carried(
                start_h=start,
                end_h=stop,
                left_at_start_ratio=left,
                left_at_end_ratio=self.walker.left_ratio(end.u_ah) if carried else None,
            )
        )
        # A cut over the end of a week passes through it: that state belongs to the weeks that are compared.
        for b, passed in weeks:
            self._note(b, passed)
            self._week_ended()
        self.state = state
        self.taken_ah += drawn_ah
        self._note(end.t_h, state)
        self.died_h = end.t_h if end.ended else None
        if carried:
            self._week_ended()
        return carried

    def _note(self, t: float, state: State) -> None:
        left = self.walker.left_ratio(state[0])
        if left < NEARLY_FULL_RATIO:
            if self.low_since_h is None:
                self.low_since_h = self.t
            self.longest_low_h = max(self.longest_low_h, t - self.low_since_h)
        elif self.low_since_h is not None:
            self.longest_low_h = max(self.longest_low_h, self.t - self.low_since_h)
            self.low_since_h = None
        self.t = t
        self.lowest_ratio = min(self.lowest_ratio, left)
        self.trace.append((t, left))

    def _week_ended(self) -> bool:
        """Note the state where a week ends just now; say whether one did."""
        if self.t < WEEK_H * len(self.week_ends) - 1e-9:
            return False
        self.week_ends.append((self.state[0], self.taken_ah))
        return True

    def _has_settled(self) -> bool:
        ends = self.week_ends
        return self.stops_settled and len(ends) > 2 and abs(ends[-1][0] - ends[-2][0]) <= SETTLED_RATIO * self.walker.pack.capacity_ah

    def _taken_ah_per_y(self, *, survives: bool) -> float:
        """Return the charge taken out in a year of the pattern: of its settled week; where it fails, what it asks for. [Ah]"""
        pattern, is_windows = self.pattern, self.walker.case.supply.of_kind.has_windows
        if not survives:
            share = pattern.covered_h / pattern.period_h if pattern.period_h > 0 else 0.0
            return self.walker.mean_a * HOURS_PER_YEAR * (1.0 - share if is_windows else share)
        if not pattern.repeats:
            return self.taken_ah * HOURS_PER_YEAR / pattern.period_h if pattern.period_h > 0 else 0.0
        if len(self.week_ends) < 2:
            return self.taken_ah * HOURS_PER_YEAR / max(self.t, 1e-9)
        return (self.week_ends[-1][1] - self.week_ends[-2][1]) * HOURS_PER_YEAR / WEEK_H

    def _done(self, *, survives: bool, settled: bool) -> CutsPlayed:
        return CutsPlayed(
            survives=survives,
            settled=settled,
            lowest_charge_ratio=max(0.0, self.lowest_ratio),
            taken_ah_per_y=self._taken_ah_per_y(survives=survives),
            walked_h=self.t,
            fails_at_h=None if survives else self.played[-1].start_h,
            dies_at_h=None if survives else self.died_h,
            longest_low_h=self.longest_low_h,
            cuts=tuple(self.played),
            trace=tuple(self.trace),
        )
