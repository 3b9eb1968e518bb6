"""The outage: standby with bursts until an alarm that must be carried to its end.

Holdover is the largest T such that an alarm starting at any t ≤ T is carried. Whether an alarm is carried is not monotone in its start:
just after a burst, or with a burst near its own end, it is worse. So the first start that fails is sought among all instants at which
the pattern of bursts changes, within one whole period of the pattern before a start known to fail. An earlier start in the same phase has more
charge left, so a whole period without a failure proves the rest. Where alarm never draws less than standby, `_seek_dominated` is quicker.
"""

import bisect
import itertools
import math
from dataclasses import replace
from functools import cached_property

from ypomoni.core.bracketing import bracket
from ypomoni.core.outage.demand import MOST_EDGES_OF_PATTERN, Stretch, Timeline, common_period_h
from ypomoni.core.outage.ends import NUDGE_H, End, EndCause, Holdover, end_of
from ypomoni.core.outage.law import COLLAPSED, relax, terminal
from ypomoni.core.outage.light_load import LightLoad
from ypomoni.core.outage.order import Order, compare_demand
from ypomoni.core.outage.walk import Stop, walk
from ypomoni.core.things.batteries import Pack
from ypomoni.core.things.loads import Draw

HORIZON_H = 87_600.0
# With more bursts than this before the end, the early ones are averaged; all near the end stay explicit.
EXPLICIT_EDGES = 600
# Where the explicit walk begins: so much of the holdover with averaged bursts, and of the time for which the greatest burst is carried.
START_SHARE_RATIO = 0.96
PEAK_SHARE_RATIO = 0.97
# More changes of demand than this are not walked before an end: years of bursts would be seconds of work for every input of the band.
MOST_EXPLICIT_EDGES = 30_000
EDGES_PER_CHUNK = 120.0
LONGEST_CHUNK_EDGES = 2_000.0
AVERAGED_STEPS = 24
MANY_CHANGES_COUNT = 200
# So many periods are looked through one by one before a start that fails; further back they are halved.
MOST_PERIODS_BACK = 4
BISECTION_H = 0.1 / 3600.0


class HoldoverRun:
    """One pack under one demand. Holds the walked states, so that many alarm starts can be asked of it."""

    def __init__(
        self,
        pack: Pack,
        standby: Timeline,
        alarm: Timeline,
        alarm_h: float,
        threshold_v: float,
        light_load: LightLoad | None = None,
        start: tuple[float, float, float] | None = None,
    ) -> None:
        self.pack = pack
        # The moment the mains fails and the state then: (t, u, d). Bursts come in their own time, whenever that is.
        self._start = (0.0, pack.start_u_ah, 0.0) if start is None else start
        self.light_load = light_load
        # An output that switches off for want of load ends it, however much charge is left.
        off_h = None if light_load is None else light_load.ends_at_h
        self.latest_h = HORIZON_H if off_h is None else min(off_h, HORIZON_H)
        self.standby = standby
        self.alarm = alarm
        self.alarm_h = alarm_h
        self.threshold_v = threshold_v
        # An alarm start is as bad as another one period of both patterns later. A pattern of very many changes is cut to what can be looked through.
        both_h = common_period_h(w.period_h for line in (standby, alarm) for t in line.trains for w in t.waves)
        self.period_h = min([both_h, *(MOST_EDGES_OF_PATTERN / t.edges_per_hour for t in (standby, alarm) if t.trains)])
        self._restart(0.0)

    @cached_property
    def order(self) -> Order:
        """How alarm compares with standby."""
        found = compare_demand(self.standby, self.alarm, self.threshold_v, self.pack.full_v)
        # An alarm may draw less in all and yet more through one cable.
        return Order.MIXED if found is Order.ALARM_IS_LESS and (self.standby.floors or self.alarm.floors) else found

    # -- the walk in standby ------------------------------------------------------------------------------------------------------

    def _restart(self, start_h: float) -> None:
        """Begin the explicit walk at about a time; whole periods before it are walked with the average of their bursts."""
        self._trace: list[tuple[float, float, float]] = [self._averaged_state(start_h) if start_h > 0 else self._start]
        self._stop: Stop | None = None

    def _walk(
        self,
        timeline: Timeline,
        u: float,
        d: float,
        stretches: list[Stretch],
        until_h: float,
        *,
        trace: list[tuple[float, float, float]] | None = None,
        locate: bool = True,
    ) -> Stop:
        """Walk stretches of a timeline to the end of the equipment; with cables each stretch has its own voltage at which that is."""
        # Without bursts behind cables the equipment's end is one voltage, and the whole list is walked in one call.
        if timeline.steady_floor_v is not None:
            return walk(self.pack, max(self.threshold_v, timeline.steady_floor_v), u, d, stretches, until_h, trace, locate=locate)
        ends_v = timeline.ends_v([stretch[0] for stretch in stretches], self.threshold_v)
        if min(ends_v) == max(ends_v):
            return walk(self.pack, ends_v[0], u, d, stretches, until_h, trace, locate=locate)
        stop = Stop(stretches[0][0], u, d, False)
        for n, (stretch, end_v) in enumerate(zip(stretches, ends_v, strict=True)):
            end_h = stretches[n + 1][0] if n + 1 < len(stretches) else until_h
            stop = walk(self.pack, end_v, stop.u_ah, stop.d_ah, [stretch], end_h, trace, locate=locate)
            if stop.ended:
                break
        return stop

    @property
    def _walked_h(self) -> float:
        return self._trace[-1][0]

    def _walk_to(self, t: float) -> None:
        """Extend the walk at least to t, or to the end of standby."""
        length_h = self._chunk_h()
        # Alarms are tried from many moments of one standby: it is walked once, chunk by chunk, and no further than anybody asks.
        while self._stop is None and self._walked_h < t:
            a = self._walked_h
            # Chunks end at whole multiples of their length, so that outages with other banks ask for the same ones and find them remembered.
            b = min(self.latest_h, (int(a / length_h + 1e-9) + 1) * length_h)
            _, u, d = self._trace[-1]
            stop = self._walk(self.standby, u, d, self.standby.chunk(a, b), b, trace=self._trace)
            if stop.ended or stop.t_h >= self.latest_h:
                self._stop = stop

    def _chunk_h(self) -> float:
        if not self.standby.trains:
            # Without bursts a constant current is walked in one step; a power is noted on the way, so that no state is walked twice.
            return HORIZON_H if self.standby.base.current_a == sum(self.standby.base) else self.pack.capacity_ah / self._mean_a() / 16
        return max(0.25, round(4 * min(EDGES_PER_CHUNK / self.standby.edges_per_hour, 256.0)) / 4)

    def _mean_a(self) -> float:
        """Return the average standby current of the full pack. [A]"""
        if not self.standby.trains:
            return terminal(self.pack, self.pack.start_u_ah, 0.0, *self.standby.base)[0] or 1e-9
        shares = self.standby.shares(self.standby.settled_h)
        return sum(share * terminal(self.pack, self.pack.start_u_ah, 0.0, i, p, s)[0] for share, i, p, s in shares)

    def standby_stop(self) -> Stop:
        """Return where standby alone ends."""
        if self._stop is None:
            self._walk_to(self.latest_h)
        assert self._stop is not None  # noqa: S101 - the walk to the horizon always sets it
        return self._stop

    def state_at(self, t: float) -> tuple[float, float]:
        """Return (u, d) at a time that standby reaches."""
        self._walk_to(t)
        n = bisect.bisect_right(self._trace, (t, float("inf"), 0.0)) - 1
        t0, u, d = self._trace[n]
        if t - t0 < 1e-12:
            return u, d
        # With no voltage as its end this walk only moves the state; standby is known to reach t.
        stop = walk(self.pack, COLLAPSED, u, d, self.standby.window(t0, t), t)
        return stop.u_ah, stop.d_ah

    def _averaged_state(self, until_h: float) -> tuple[float, float, float]:
        """Return (t, u, d) at the last whole period before a time: bursts explicit until they repeat, then averaged at each state."""
        period_h = self.standby.common_period_h
        begin_h, periods = self.standby.whole_periods(until_h)
        if periods < 1:
            return self._start
        # Before the pattern repeats there is no average to take.
        # A burst that first comes late belongs to no period before it: up to there every one is walked.
        settled = self._walk(self.standby, self.pack.start_u_ah, 0.0, self.standby.chunk(0.0, begin_h), begin_h)
        if settled.ended:
            return self._start
        u, d = settled.u_ah, settled.d_ah
        shares = self.standby.shares(begin_h)

        start_h = begin_h + periods * period_h
        # A bank that collapses on the way draws nothing any more and would look full: it is handed on empty, and the walk ends at once.
        ended = (start_h, self.pack.capacity_ah, 0.0)

        def mean(u: float, d: float) -> float | None:
            found = [(share, *terminal(self.pack, u, d, i, p, s)) for share, i, p, s in shares]
            return None if any(v == COLLAPSED for _, _, v in found) else sum(share * current_a for share, current_a, _ in found)

        # A mean of currents alone stays what it is, and one step is exact.
        steps = AVERAGED_STEPS if any(p or s for _, _, p, s in shares) else 1
        dt = periods * period_h / steps
        # The current at the middle of a step stands for the step, as in `walk`: taken at its start it would lag behind a falling voltage.
        for _ in range(steps):
            first_a = mean(u, d)
            middle_a = None if first_a is None else mean(*relax(self.pack, u, d, first_a, 0.5 * dt))
            if middle_a is None:
                return ended
            u, d = relax(self.pack, u, d, middle_a, dt)
        return start_h, u, d

    # -- one alarm ----------------------------------------------------------------------------------------------------------------

    def alarm_stop(self, t: float, *, locate: bool = False) -> Stop:
        """Return where an alarm that starts at t stops: at its end when it is carried."""
        u, d = self.state_at(t)
        return self._walk(self.alarm, u, d, self.alarm.window(t, t + self.alarm_h), t + self.alarm_h, locate=locate)

    def is_carried(self, t: float) -> bool:
        """Say whether an alarm that starts at t is carried to its end."""
        return not self.alarm_stop(t).ended

    def alarm_end_h(self, start: Stop) -> float:
        """Return when an alarm ends that starts at a time and state of standby and goes on for ever. [h]"""
        stop, length_h = start._replace(ended=False), max(self.alarm_h, 1.0)
        while not stop.ended and stop.t_h < HORIZON_H:
            until_h = min(stop.t_h + length_h, HORIZON_H)
            stop = self._walk(self.alarm, stop.u_ah, stop.d_ah, self.alarm.window(stop.t_h, until_h), until_h)
            length_h *= 2.0
        return stop.t_h

    # -- holdover -----------------------------------------------------------------------------------------------------------------

    def holdover(self) -> Holdover:
        """Return the holdover with the end that bounds it."""
        # Nothing has been walked yet, so it can still be decided where to begin.
        self._skip_ahead()
        alone = self._standby_alone()
        if self.alarm_is_cut:
            endurance_h, standby_end = self._standby_end(alone)
            cut = self._switched_off(Stop(0.0, self.pack.start_u_ah, 0.0, True), in_alarm=True)
            return Holdover(holdover_h=0.0, end=cut, endurance_h=endurance_h, standby_end=standby_end)
        t = self._first_failure_before(alone)
        # The averaged stretch leaves a ripple that fades with k. Where the end comes before it has faded, begin the explicit walk earlier.
        # Each round begins earlier than the one before, in the end from nought.
        while self._starts_too_late(t if t is not None else self._standby_end(alone)[0]):
            earlier_h = self._earlier_h()
            self._restart(earlier_h if earlier_h > self.period_h else 0.0)
            t = self._first_failure_before(alone)
        endurance_h, standby_end = self._standby_end(alone)
        # No alarm before the end of standby fails, so standby itself is what ends it.
        if t is None or t >= endurance_h:
            return Holdover(holdover_h=endurance_h, end=standby_end, endurance_h=endurance_h, standby_end=standby_end)
        # The first failing start is known to a step of the bisection.
        for later_h in (2 * NUDGE_H, BISECTION_H, 2 * BISECTION_H):
            failed = self.alarm_stop(min(t + later_h, endurance_h), locate=True)
            if failed.ended:
                break
        return Holdover(holdover_h=t, end=self._end(failed, in_alarm=True), endurance_h=endurance_h, standby_end=standby_end)

    def _standby_alone(self) -> Holdover | None:
        """Return the outage without any alarm where it goes on for very many bursts after the first alarm has failed; else None.

        Its own bursts are averaged until near its end, which this walk, that looks for the alarm, would pass one by one.
        """
        mean_a = self._mean_a()
        if self.alarm_h <= 0 or mean_a <= 0 or self.light_load is not None:
            return None
        left_h = min(self.latest_h, self.pack.capacity_ah / mean_a) - self._trace[0][0]
        if left_h < 2.0 * self._most_explicit_h:
            return None
        return HoldoverRun(self.pack, self.standby, self.standby, 0.0, self.threshold_v, None, self._start).holdover()

    def _standby_end(self, alone: Holdover | None) -> tuple[float, End]:
        """Return when and how standby ends."""
        if alone is not None:
            return alone.endurance_h, alone.standby_end
        stop = self.standby_stop()
        return stop.t_h, self._end(stop, in_alarm=False)

    def _first_failure_before(self, alone: Holdover | None) -> float | None:
        """Return the first alarm start that is not carried before standby ends, or None; a long standby is looked through from its beginning."""
        if alone is None:
            return self._first_failure(self.standby_stop().t_h)
        start_h, length_h = self._trace[0][0], self._most_explicit_h
        while start_h + length_h < alone.endurance_h:
            t = self._first_failure(start_h + length_h)
            if t is not None:
                return t
            length_h *= 4.0
        return self._first_failure(min(alone.endurance_h, self.standby_stop().t_h))

    def carries(self, standby_h: float) -> bool:
        """Say whether holdover is at least ``standby_h``."""
        if self.alarm_is_cut or standby_h > self.latest_h:
            return False
        if self.standby.edges_per_hour * standby_h > EXPLICIT_EDGES:
            # Five time constants before the question is put, the ripple of the averaged bursts has faded to under a percent.
            start_h = standby_h - 5.0 / self.pack.k_per_h - 3 * self.period_h
            if start_h > 0:
                self._restart(start_h)
        self._walk_to(standby_h)
        if self._stop is not None and self._stop.ended and self._stop.t_h < standby_h:
            return False
        return not self._fails_by(standby_h)

    def from_state(self, t: float, u: float, d: float) -> "HoldoverRun":
        """Return the same outage from another moment and state; an output that switches off counts from then."""
        run = HoldoverRun(self.pack, self.standby, self.alarm, self.alarm_h, self.threshold_v, self.light_load, (t, u, d))
        run.latest_h = self.latest_h + t
        run.order = self.order
        return run

    def walk_standby(self, a: float, b: float, u: float, d: float) -> Stop:
        """Return where standby from a state stops: at b, or at the end of the equipment."""
        length_h = max(1.0, LONGEST_CHUNK_EDGES / self.standby.edges_per_hour) if self.standby.trains else b - a
        stop = Stop(a, u, d, False)
        while not stop.ended and stop.t_h < b:
            until_h = b if b - stop.t_h < 1.5 * length_h else stop.t_h + length_h
            stop = self._walk(self.standby, stop.u_ah, stop.d_ah, self.standby.window(stop.t_h, until_h), until_h)
        return stop

    def carries_cut(self, until_h: float) -> bool:
        """Say whether standby lasts from its start until mains is back, and an alarm from any moment of that, as far as it falls before. [h]"""
        start_h = self._start[0]
        if self.alarm_is_cut or until_h > self.latest_h:
            return False
        self._walk_to(until_h)
        if self._stop is not None and self._stop.ended and self._stop.t_h < until_h:
            return False
        if self.alarm_h <= 0:
            return True
        # An alarm that begins later is still on when mains comes back, and mains carries the rest of it.
        last_full_h = until_h - self.alarm_h
        if last_full_h >= start_h and self._fails_by(last_full_h):
            return False
        # What is left are alarms that mains takes over. Where an alarm never draws less, by any instant the earliest of them has drawn most.
        begin_h = max(start_h, last_full_h)
        if not self._carries_until(begin_h, until_h):
            return False
        if self.order is Order.ALARM_IS_MORE:
            return True
        # Between two changes of the pattern nothing new is asked, so it is worst just before or just after one of them.
        edges = {e for line in (self.standby, self.alarm) for e in line.edges(begin_h, until_h)}
        return all(self._carries_until(e + n * NUDGE_H, until_h) for e in edges for n in (-1, 1) if begin_h <= e + n * NUDGE_H < until_h)

    def _carries_until(self, t: float, until_h: float) -> bool:
        """Say whether an alarm that starts at t is carried until mains is back."""
        if t >= until_h:
            return True
        u, d = self.state_at(t)
        return not self._walk(self.alarm, u, d, self.alarm.window(t, until_h), until_h, locate=False).ended

    def _starts_too_late(self, t: float) -> bool:
        """Say whether an end at t comes before the averaged stretch in front of the explicit walk could fade."""
        start_h = self._trace[0][0]
        return start_h > 0 and t <= start_h + self._fading_h

    @property
    def _fading_h(self) -> float:
        return 2 * self.period_h + 2.0 / self.pack.k_per_h

    def _earlier_h(self) -> float:
        """Return where to begin the explicit walk instead, when it began too late. [h]"""
        start_h = self._trace[0][0]
        # From half of it there may be years of bursts to walk.
        return self._begin_between_h(0.0, start_h) or 0.5 * start_h - self.period_h

    def _begin_between_h(self, low_h: float, high_h: float) -> float | None:
        """Return where to begin the explicit walk where it would be long: short looks from here and there find about where it ends. [h]

        A whole period without a failure proves that none came before: an earlier start in the same phase has more charge left.
        """
        # Not worth it for a short walk; and where the ripple fades slowly each look would itself be a long walk.
        if high_h - low_h <= 2.0 * self._most_explicit_h or self._fading_h > 0.1 * self._most_explicit_h:
            return None
        ends_h, _ = bracket(lambda t: not self._ends_soon(t), low_h, high_h, width=0.2 * self._most_explicit_h)
        return ends_h - 5.0 / self.pack.k_per_h - 2 * self.period_h

    def _ends_soon(self, t: float) -> bool:
        """Say whether an outage that is averaged up to t ends before its ripple could fade, in standby or by an alarm."""
        self._restart(t)
        until_h = self._trace[0][0] + self._fading_h
        self._walk_to(until_h)
        if self._stop is not None and self._stop.ended and self._stop.t_h <= until_h:
            return True
        return self._fails_by(until_h)

    def _skip_ahead(self) -> None:
        """Average the early bursts when there are very many before the end."""
        if not self.standby.trains or self._trace[0][0] > 0 or len(self._trace) > 1:
            return
        mean_a = self._mean_a()
        if mean_a <= 0 or self.standby.edges_per_hour * min(HORIZON_H, self.pack.capacity_ah / mean_a) < EXPLICIT_EDGES:
            return
        # Only where to start the explicit walk depends on this, so averages and 1 % will do.
        averaged = HoldoverRun(self.pack, self.standby.averaged(), self.alarm.averaged(), self.alarm_h, self.threshold_v, self.light_load)
        greatest = [*self.standby.greatest, *(self.alarm.greatest if self.alarm_h > 0 else ())]
        coarse_h, peak_h = averaged.coarse_holdover_h(0.1 * self._most_explicit_h), averaged.carries_peak_until_h(greatest)
        # What outlasts the horizon, its bursts too, has no end to be found: years of them would be walked for nothing.
        outlasts = min(coarse_h, peak_h) >= self.latest_h
        likely_h = min(coarse_h, peak_h)
        end_h = likely_h if outlasts else min(START_SHARE_RATIO * coarse_h, PEAK_SHARE_RATIO * peak_h)
        # Should the end lie before, that shows at the first burst, and the walk begins again earlier.
        end_h = max(end_h, likely_h - self._most_explicit_h)
        start_h = self._begin_between_h(end_h, coarse_h) or end_h - 5.0 / self.pack.k_per_h - 2 * self.period_h
        if start_h * self.standby.edges_per_hour > 0.3 * EXPLICIT_EDGES:
            self._restart(start_h)

    @property
    def _most_explicit_h(self) -> float:
        return MOST_EXPLICIT_EDGES / self.standby.edges_per_hour if self.standby.trains else math.inf

    def peak_draws(self) -> list[Draw]:
        """Return what is drawn at most in standby and in alarm, every burst at once."""
        return [self.standby.peak(), self.alarm.peak()] if self.alarm_h > 0 else [self.standby.peak()]

    def carries_peak_until_h(self, peaks: list[Draw]) -> float:
        """Return about how long each of several draws would still be carried for an instant. [h]"""

        def carries(t: float) -> bool:
            u, d = self.state_at(t)
            return all(terminal(self.pack, u, d, *peak)[1] >= self.threshold_v for peak in peaks)

        end_h = self.standby_stop().t_h
        return end_h if carries(end_h) else bracket(carries, 0.0, end_h, rounds=24)[0]

    def coarse_holdover_h(self, within_h: float = math.inf) -> float:
        """Return the holdover of a demand without trains to about 1 %, or more closely where that is not ``within_h``. [h]"""
        low, high = 0.0, self.standby_stop().t_h
        if self.alarm_h <= 0:
            return high
        while high - low > min(0.01 * high, within_h):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if self.is_carried(middle) else (low, middle)
        return low

    def _fails_by(self, limit_h: float) -> bool:
        """Say whether any alarm start in [0, limit] is not carried: `_first_failure` without looking for the first."""
        start_h = self._trace[0][0]
        if self.alarm_h <= 0:
            return False
        if not self.is_carried(start_h) or not self.is_carried(limit_h):
            return True
        # Where failing is monotone the last start tells; else every phase is looked at in the last period, where charge is least.
        if self.period_h == 0.0 or self.order is Order.ALARM_IS_LESS:
            return False
        return self._seek(max(self._floor_h(limit_h), limit_h - self.period_h), limit_h) is not None

    def _floor_h(self, high: float) -> float:
        """Return a time before which no alarm start up to another time has to be looked at. [h]"""
        start_h = self._trace[0][0]
        # Worth the look only where a period holds very many changes.
        changes_count = self.period_h * (self.standby.edges_per_hour + self.alarm.edges_per_hour)
        return max(start_h, self._surely_carried_until_h(high)) if changes_count > MANY_CHANGES_COUNT else start_h

    def _seek(self, begin: float, limit: float) -> float | None:
        """Return the first failing start in [begin, limit], no more than a period, or None."""
        return self._seek_dominated(begin, limit) if self.order is Order.ALARM_IS_MORE else self._scan(begin, limit)

    def _first_failure(self, limit_h: float) -> float | None:
        """Return the first alarm start in [0, limit] that is not carried (its infimum), or None."""
        start_h = self._trace[0][0]
        if self.alarm_h <= 0:
            return None
        # Nothing before this start is known, so it is the earliest that can be said to fail.
        if not self.is_carried(start_h):
            return start_h
        limit_carried = self.is_carried(limit_h)
        # Without bursts a later start has less charge left and nothing else: failing is monotone.
        if self.period_h == 0.0:
            return None if limit_carried else self._solve_smooth(start_h, limit_h)
        # The later an alarm that draws less than standby begins, the more has been drawn by any instant.
        if self.order is Order.ALARM_IS_LESS:
            return None if limit_carried else self._bisect(start_h, limit_h)
        high = limit_h
        if not limit_carried:
            _, high = bracket(self.is_carried, start_h, limit_h, width=0.25 * self.period_h)
        found = None if limit_carried else high
        floor_h = self._floor_h(high)
        for _ in range(MOST_PERIODS_BACK):
            # One whole period before a start that fails holds every phase there is: if none fails in it, none before it does.
            begin = max(floor_h, high - self.period_h)
            earlier = self._seek(begin, high)
            if earlier is None or (found is not None and earlier >= high):
                return found
            if begin == floor_h and earlier > begin:
                return earlier
            # The same phase may have failed many periods earlier: from there one period more is looked through.
            found = high = self._earliest_in_phase(earlier, floor_h)
        # Every phase may begin to fail a little earlier than the next. Once one fails in a period, it fails in every later one: that can be halved.
        low, high = bracket(lambda h: self._seek(max(floor_h, h - self.period_h), h) is None, floor_h, high, width=self.period_h)
        earlier = self._seek(low, high)
        return high if earlier is None else earlier

    def _earliest_in_phase(self, t: float, floor_h: float) -> float:
        """Return the earliest start, whole periods before one that fails, that fails too: period by period the way back may be long."""
        count, most = 0, int((t - floor_h) / self.period_h)
        while most > count:
            middle = (count + most + 1) // 2
            if self.is_carried(t - middle * self.period_h + 2 * NUDGE_H):
                most = middle - 1
            else:
                count = middle
        return t - count * self.period_h

    def _surely_carried_until_h(self, limit_h: float) -> float:
        """Return a time before which every alarm is carried, whatever the bursts: no start before it has to be looked at. [h]

        From the charge removed by then, with the most that was ever unavailable until then, an alarm of every burst at once all the time is
        carried. An earlier start has less removed, no more unavailable, and never draws more.
        """
        peak = self.peak_draws()[-1]
        threshold_v = max([self.threshold_v, *(floor.highest_v() for floor in self.alarm.floors)])

        def carries_every_burst(t: float) -> bool:
            u, d = self.state_at(t)
            most_ah = max([d, *(entry[2] for entry in self._trace[: bisect.bisect_right(self._trace, (t, math.inf, 0.0))])])
            return not walk(self.pack, threshold_v, u, most_ah, [(0.0, peak[0], peak[1], peak[2])], self.alarm_h, locate=False).ended

        # Most cuts end long before a battery does, and some bursts are never carried all at once: then one look is enough, or two.
        start_h = self._trace[0][0]
        if carries_every_burst(limit_h):
            return limit_h
        return bracket(carries_every_burst, start_h, limit_h, rounds=10)[0] if carries_every_burst(start_h) else start_h

    def _seek_dominated(self, begin: float, limit: float) -> float | None:
        """Return the first failing start in [begin, limit] where alarm never draws less than standby, or None.

        By any instant an earlier start has drawn more. So the first failing start fails at the very end of its alarm; and where an alarm
        that started at t and went on for ever would end at e, no start before e − alarm fails. Each round passes one stretch of demand.
        """
        t = begin
        while t < limit:
            stretches = self.alarm.window(t, limit + self.alarm_h)
            u, d = self.state_at(t)
            stop = self._walk(self.alarm, u, d, stretches, limit + self.alarm_h)
            if not stop.ended:
                return None
            if stop.t_h <= t + self.alarm_h:
                return t
            n = bisect.bisect_right([stretch[0] for stretch in stretches], stop.t_h)
            stretch_end_h = stretches[n][0] if n < len(stretches) else limit + self.alarm_h
            first, last = stop.t_h - self.alarm_h, min(limit, stretch_end_h - self.alarm_h - NUDGE_H)
            # It fails right behind the last start that is known to be carried: the change of demand itself is the first failing start.
            if last <= first or not self.is_carried(first + NUDGE_H):
                t = max(t + NUDGE_H, first)
                if not self.is_carried(min(limit, t + NUDGE_H)):
                    return t
            # The whole stretch is carried, so the next one is looked at.
            elif self.is_carried(last):
                t = last + 2 * NUDGE_H
            else:
                return self._bisect(first, last)
        return None

    def _scan(self, begin: float, limit: float) -> float | None:
        """Return the first failing start in [begin, limit], or None. Between two changes of the pattern failing is monotone."""
        edges = set(self.standby.edges(begin, limit)) | set(self.alarm.edges(begin, limit))
        edges |= {edge - self.alarm_h for edge in self.alarm.edges(begin + self.alarm_h, limit + self.alarm_h)}
        marks = [begin, *sorted(e for e in edges if begin < e < limit), limit]
        for left, right in itertools.pairwise(marks):
            # Shorter than the hair by which the edges are avoided; what begins there begins with the next stretch.
            if right - left < 3 * NUDGE_H:
                continue
            first, last = left + NUDGE_H, right - NUDGE_H
            if not self.is_carried(first):
                return left
            if not self.is_carried(last):
                return self._bisect(first, last)
        return None

    def _solve_smooth(self, low: float, high: float) -> float:
        """Return the failing start without bursts: e(t) − t = alarm, where an alarm that starts at t and goes on for ever ends at e(t)."""

        i, p, s = self.alarm.base

        def spare_h(t: float) -> float:
            u, d = self.state_at(t)
            return self._walk(self.alarm, u, d, [(t, i, p, s)], HORIZON_H).t_h - t - self.alarm_h

        # An alarm takes the charge of so many hours of standby: begin that close to the end, and follow that slope.
        standby_a, alarm_a = (
            terminal(self.pack, self.pack.start_u_ah, 0.0, *t.base)[0] + self.pack.self_a for t in (self.standby, self.alarm)
        )
        slope = max(0.02, alarm_a / standby_a) if standby_a > 0 else 1.0
        t = max(low, high - 1.2 * self.alarm_h * slope)
        # A step along the slope, and a halving where that leaves the bracket: it comes to an end whatever the slope is worth.
        for _ in range(80):
            spare = spare_h(t)
            if abs(spare) < 0.5 * BISECTION_H or high - low < BISECTION_H:
                return t
            low, high = (t, high) if spare > 0 else (low, t)
            following = t + spare * slope
            t = following if low < following < high else 0.5 * (low + high)
        return low

    def _bisect(self, low: float, high: float) -> float:
        return bracket(self.is_carried, low, high, width=BISECTION_H)[0]

    @property
    def alarm_is_cut(self) -> bool:
        """Whether the output switches off in an alarm before that is over."""
        return self.alarm_h > 0 and self.light_load is not None and self.light_load.ends_alarm

    def _switched_off(self, stop: Stop, *, in_alarm: bool) -> End:
        end = end_of(self.pack, self.alarm if in_alarm else self.standby, self.threshold_v, stop, in_alarm=in_alarm)
        return replace(end, cause=EndCause.LIGHT_LOAD, in_burst=False)

    def _end(self, stop: Stop, *, in_alarm: bool) -> End:
        if not in_alarm and not stop.ended and self.latest_h < HORIZON_H:
            return self._switched_off(stop, in_alarm=False)
        return end_of(self.pack, self.alarm if in_alarm else self.standby, self.threshold_v, stop, in_alarm=in_alarm)
