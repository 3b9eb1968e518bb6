"""One supply walked through time, discharging and charging by turns, with the load carried and its bursts in their own time.

Between charges the battery is walked as in any outage. Far from its end bursts are spread over their time, which moves no state by more than
one of them; wherever the end could be near every one is walked.
"""

import math
from dataclasses import dataclass
from functools import cached_property

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import Timeline
from ypomoni.core.outage.law import relax, terminal
from ypomoni.core.outage.recharge import discharged_at_20h
from ypomoni.core.outage.run import HoldoverRun
from ypomoni.core.outage.walk import Stop, walk
from ypomoni.core.seasons.charging import State, charge_for
from ypomoni.core.things.loads import Draw

# With more changes than this in one stretch, bursts that cannot matter are spread over their time.
MOST_EDGES = 16
# How far the draw of a power may lie above its average while the voltage falls.
POWER_MARGIN_RATIO = 1.05


@dataclass(frozen=True, slots=True, kw_only=True)
class Assumed:
    """How a season is looked at: with which condition of its bank (None: today's), in the cold or not."""

    condition_ratio: float | None = None
    cold: bool = False


class Walker:
    """A case under assumptions, walked from state to state. It keeps no time of its own."""

    def __init__(self, case: Case, assumed: Assumed, extra_a: float = 0.0) -> None:
        self.case = case
        self.chemistry = case.bank.chemistry
        run = case.run(condition_ratio=assumed.condition_ratio, cold=assumed.cold)
        if extra_a > 0.0:
            run = _with_extra(run, extra_a)
        self.run: HoldoverRun = run
        self.pack = run.pack
        self.mean_a = self._mean_a(assumed) + extra_a

    def _mean_a(self, assumed: Assumed) -> float:
        """Return the average standby current at nominal voltage. [A]"""
        sleeps = self.case.light_load is not None and self.case.light_load.sleeps_between_bursts
        if sleeps or assumed.cold:
            line = self.case.timelines(cold=assumed.cold)[0]
            return line.averaged().base.at_nominal_a(self.case.supply.nominal_v)
        return self.case.mean_current_a(in_alarm=False)

    @property
    def start(self) -> State:
        """The state of a bank that its charger has filled as far as it can."""
        return self.pack.start_u_ah, 0.0

    def left_ratio(self, u_ah: float) -> float:
        """Return 1 − u/q: the charge that is left, as a share of present capacity."""
        return 1.0 - u_ah / self.pack.capacity_ah

    @cached_property
    def _burst_ah(self) -> float:
        """The charge of one burst of every train, at the lowest voltage: by no more is a state off whose bursts were spread."""
        trains = (t for line in (self.run.standby, self.run.alarm) for t in line.trains)
        return sum(
            self._most_a(t.unit.times(t.peak_excess_a())) * sum(w.duration_h for w in t.waves) for t in trains if t.peak_excess_a() > 0
        )

    def _most_a(self, draw: Draw) -> float:
        """Return the most that a draw takes at any voltage between the end and a full bank. [A]"""
        return max(draw.at_nominal_a(max(self.run.threshold_v, 0.5 * self.pack.empty_v)), draw.at_nominal_a(self.pack.full_v))

    @cached_property
    def _ceiling_v(self) -> float:
        """The highest voltage that anything on it asks for. [V]"""
        floors = [f.highest_v() for line in (self.run.standby, self.run.alarm) for f in line.floors]
        return max([self.run.threshold_v, *floors])

    @cached_property
    def _alarm_ah(self) -> float:
        """What an alarm takes at most, with a burst of every train on top. [Ah]"""
        if self.run.alarm_h <= 0:
            return 0.0
        return POWER_MARGIN_RATIO * self._most_a(self.run.alarm.averaged().base) * self.run.alarm_h

    def is_sure(self, u: float, d: float) -> bool:
        """Say whether a state, reached with its bursts spread, is surely far from any end, an alarm and every burst at once included."""
        # Twice: once for what spreading may have moved into the past, once for the bursts that come now.
        more_ah = self._alarm_ah + 2.0 * self._burst_ah
        # Drawn in an instant, none of it has spread yet: no slower draw of the same charge leaves more unavailable.
        u1, d1 = u + more_ah, max(d, 0.0) + min(1.0, self.pack.k_per_h * self.pack.r1_h) * more_ah
        return all(terminal(self.pack, u1, d1, *peak)[1] > self._ceiling_v for peak in self.run.peak_draws())

    def _spread(self, a: float, b: float, state: State) -> Stop:
        """Walk standby from a to b with the bursts that fall between spread over that time."""
        return walk(self.pack, self.run.threshold_v, *state, [self.run.standby.spread(a, b)], b)

    def rest(self, a: float, b: float, state: State) -> Stop:
        """Walk standby from a to b without charge, to the end of the equipment."""
        line = self.run.standby
        # A burst a second over a week is half a million steps; spread out it is one, and near the end they are walked all the same.
        if line.trains and line.edges_per_hour * (b - a) > MOST_EDGES:
            stop = self._spread(a, b, state)
            if not stop.ended and self.is_sure(stop.u_ah, stop.d_ah):
                return stop
            return self._near_end(a, b, state)
        return self.run.walk_standby(a, b, *state)

    def _near_end(self, a: float, b: float, state: State) -> Stop:
        """Walk a stretch near whose end the battery's may lie: bursts spread as long as that is surely far, and from there one by one."""
        near_h, state = self._sure_until(a, b, state)
        return self.run.walk_standby(near_h, b, *state)

    def carries(self, a: float, b: float, state: State, end: Stop) -> bool:
        """Say whether a cut from a to b is carried, an alarm at any moment of it included; ``end`` is where its standby stopped."""
        if end.ended or b - a > self.run.latest_h or self.run.alarm_is_cut:
            return False
        if self.is_sure(end.u_ah, end.d_ah):
            return True
        # An alarm may begin at any moment of the cut, so that every one is asked from the state of its start.
        run = self.run.from_state(a, *state)
        line = self.run.standby
        if line.trains and line.edges_per_hour * (b - a) > 80 * MOST_EDGES:
            # Of a long cut only its last part is in doubt.
            near_h, near = self._sure_until(a, b, state)
            run = self.run.from_state(near_h, *near)
            # An output that switches off counts from the start of the cut, not from where the close look begins.
            run.latest_h = self.run.latest_h + a
        return run.carries_cut(b)

    def _sure_until(self, a: float, b: float, state: State) -> tuple[float, State]:
        """Return a time until which nothing can fail, an alarm from then on included, and the state at it. [h]

        It is only where to begin looking closely, so a coarse look will do.
        """
        low, high = a, b
        while high - low > max(1.0, 0.02 * (b - a)):
            middle = 0.5 * (low + high)
            stop = self._spread(low, middle, state)
            if not stop.ended and self.is_sure(stop.u_ah, stop.d_ah):
                low, state = middle, (stop.u_ah, stop.d_ah)
            else:
                high = middle
        return low, state

    def charge(self, hours_h: float, state: State, source_a: float | None, *, limit_a: float | None) -> tuple[State, bool]:
        """Return the state after hours with charge, and whether the bank gave out in them.

        ``source_a`` carries the load first, and the bank makes up what it lacks; None: mains carries the load, and the charger has the
        bank alone to feed. What is left goes in, at most ``limit_a``. [A]
        """
        spare_a = math.inf if source_a is None else source_a - self.mean_a
        most_a = min(math.inf if limit_a is None else limit_a, spare_a)
        if spare_a >= 0.0:
            return charge_for(self.pack, self.chemistry, most_a, self.case.supply.charge_v, state, hours_h), False
        stop = walk(self.pack, self.run.threshold_v, *state, [(0.0, -spare_a, 0.0, 0.0)], hours_h)
        if not stop.ended:
            return (stop.u_ah, stop.d_ah), False
        # What is empty gives nothing more, and lies until there is more than the loads take.
        return relax(self.pack, stop.u_ah, stop.d_ah, 0.0, hours_h - stop.t_h), True

    def drained(self, hours_h: float, state: State, current_a: float | None = None) -> State:
        """Return the state after hours without charge, whatever its voltage; an empty bank gives nothing more. ``current_a`` None: all loads'. [A]"""
        u, d = relax(self.pack, *state, self.mean_a if current_a is None else current_a, hours_h)
        # No more can be unavailable than there is: what a tiny bank was asked for and could not give need not spread before it charges.
        return min(u, self.pack.capacity_ah), min(d, self.pack.capacity_ah)

    def discharged_at_20h(self) -> State:
        """Return the state of a bank that was discharged at C/20 to its end voltage."""
        stop = discharged_at_20h(self.pack, self.case.bank.end_v)
        return stop.u_ah, stop.d_ah


def _with_extra(run: HoldoverRun, extra_a: float) -> HoldoverRun:
    """Return an outage in which a controller draws as well. [A]"""

    def more(line: Timeline) -> Timeline:
        return Timeline(line.base.plus(Draw(extra_a, 0.0, 0.0)), line.trains, line.floors)

    return HoldoverRun(run.pack, more(run.standby), more(run.alarm), run.alarm_h, run.threshold_v, run.light_load)
