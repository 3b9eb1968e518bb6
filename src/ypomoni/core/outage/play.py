"""An outage played: what a supply does from the moment the mains fails, under conditions one can turn, sampled for a timeline.

The same battery model as `run`, with what a holdover has no need of: a temperature that moves over the day, a bank
that is not full, an alarm at a given instant, and everything that is crossed on the way down: warning, each load's least voltage, cut-off.
A current in Ah per h does not depend on temperature, only what is left of the capacity and the resistance do; so a stretch of constant
current stays exact, and the temperature is taken at its ends.
"""

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import StrEnum

from ypomoni.core.bracketing import bracket
from ypomoni.core.outage.demand import Stretch, Timeline
from ypomoni.core.outage.law import COLLAPSED, relax, terminal
from ypomoni.core.outage.walk import CURRENT_CHANGE_RATIO, SHORTEST_STEP_H
from ypomoni.core.things.batteries import Pack
from ypomoni.core.units import HOURS_PER_DAY

# While the temperature moves no step is longer, so that its ends see every crossing.
LONGEST_STEP_H = 0.25
# Nor is one longer than this part of the whole, so that a curve is drawn where it bends.
STEPS_COUNT = 160
CROSSING_H = 0.05 / 3600.0
MOST_STRETCHES = 6_000
COLLAPSE_RATIO = 1.002
COLDEST_HOUR_H = 5.0


@dataclass(frozen=True, slots=True, kw_only=True)
class DayCurve:
    """A temperature over the day: a cosine about a mean, coldest at five in the morning; ``swing_degc`` is half its width. [°C, h]"""

    mean_degc: float
    swing_degc: float = 0.0
    failure_hour_h: float = 18.0

    def at(self, t_h: float) -> float:
        """Return the temperature so long after mains failure. [°C]"""
        if self.swing_degc == 0.0:
            return self.mean_degc
        hour_h = self.failure_hour_h + t_h - COLDEST_HOUR_H
        return self.mean_degc - self.swing_degc * math.cos(2.0 * math.pi * hour_h / HOURS_PER_DAY)


class Mark(StrEnum):
    """What happens on the way down."""

    WARNING = "warning"
    ALARM = "alarm"
    ALARM_OVER = "alarm_over"
    LOAD_LOST = "load_lost"
    CUTOFF = "cutoff"
    END_VOLTAGE = "end_voltage"
    COLLAPSE = "collapse"
    LIGHT_LOAD = "light_load"
    HORIZON = "horizon"


@dataclass(frozen=True, slots=True, kw_only=True)
class WatchedVoltage:
    """A voltage that is watched: whose it is, and whether the equipment's end is reached there. ``at_v`` gives it just after a time. [V]"""

    mark: Mark
    owner: str
    at_v: Callable[[float, bool], float]
    ends_equipment: bool
    ends_run: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Event:
    """Something crossed: when, what, whose, and the terminals then. [h, V, A]"""

    t_h: float
    mark: Mark
    owner: str
    limit_v: float | None
    terminal_v: float
    current_a: float
    charge_left_ratio: float
    in_alarm: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Sample:
    """One instant of the timeline; two at the same time stand for a step. [h, V, A, ratio, °C]"""

    t_h: float
    terminal_v: float
    current_a: float
    charge_left_ratio: float
    temperature_degc: float


@dataclass(frozen=True, slots=True, kw_only=True)
class EndInstant:
    """The equipment's end: where and in which state, for the words about it."""

    t_h: float
    u_ah: float
    d_ah: float
    pack: Pack
    event: Event


@dataclass(frozen=True, slots=True, kw_only=True)
class Played:
    """A played outage. ``end`` is the equipment's, None when it outlasts what was played."""

    samples: tuple[Sample, ...]
    events: tuple[Event, ...]
    end: EndInstant | None
    averaged_until_h: float
    until_h: float

    @property
    def lasts_h(self) -> float:
        """How long it lasts: to the equipment's end, or as far as it was played. [h]"""
        return self.end.t_h if self.end else self.until_h


class Player:
    """Plays one supply once. Packs come from ``pack_at`` a temperature; a constant temperature asks for one of them."""

    def __init__(
        self,
        pack_at: Callable[[float], Pack],
        standby: Timeline,
        alarm: Timeline,
        limits: Iterable[WatchedVoltage],
        curve: DayCurve,
        *,
        alarm_at_h: float | None,
        alarm_h: float,
        start_ratio: float,
        until_h: float,
        switches_off: tuple[float, str] | None = None,
    ) -> None:
        # When the output switches off for want of load, and whose output that is. [h]
        self.switches_off = switches_off if switches_off and switches_off[0] <= until_h else None
        if self.switches_off:
            until_h = self.switches_off[0]
        self.curve, self.until_h = curve, until_h
        self.pack_at = pack_at
        # At one temperature one pack does for all of it; building it at every step would be most of the work.
        self.fixed = pack_at(curve.mean_degc) if curve.swing_degc == 0.0 else None
        self.standby, self.alarm = standby, alarm
        self.limits = list(limits)
        self.alarm_at_h, self.alarm_h = alarm_at_h, alarm_h
        self.start_ratio = start_ratio
        self.samples: list[Sample] = []
        self.events: list[Event] = []
        self.end: EndInstant | None = None
        self.over = False
        self.longest_h = until_h / STEPS_COUNT if self.fixed else min(LONGEST_STEP_H, until_h / STEPS_COUNT)

    def pack(self, t: float) -> Pack:
        """Return the pack as it is at a time."""
        return self.fixed or self.pack_at(self.curve.at(t))

    def play(self, averaged_until_h: float = 0.0) -> Played:
        """Play until the last limit that ends a run, or the horizon; bursts are spread evenly before ``averaged_until_h``."""
        u, d = (1.0 - self.start_ratio) * self.pack(0.0).capacity_ah, 0.0
        t = 0.0
        spread_h = self._spread_h(averaged_until_h)
        for timeline, in_alarm, end_h in self._legs(*spread_h):
            if in_alarm and t == self.alarm_at_h:
                self._note(t, u, d, timeline.stretches(t, end_h)[0][1:], Mark.ALARM, "the alarm begins", None, in_alarm=True)
            u, d = self._leg(timeline, t, end_h, u, d, in_alarm=in_alarm)
            if self.over:
                break
            t = end_h
            if in_alarm and self.alarm_at_h is not None and abs(t - self.alarm_at_h - self.alarm_h) < 1e-9:
                self._note(t, u, d, timeline.base, Mark.ALARM_OVER, "the alarm has been carried", None, in_alarm=True)
        if not self.over and self.switches_off:
            in_alarm = self.alarm_at_h is not None and self.alarm_at_h < t <= self.alarm_at_h + self.alarm_h
            draw = (self.alarm if in_alarm else self.standby).base
            event = self._note(t, u, d, draw, Mark.LIGHT_LOAD, self.switches_off[1], None, in_alarm=in_alarm)
            self.end = self.end or EndInstant(t_h=t, u_ah=u, d_ah=d, pack=self.pack(t), event=event)
        elif not self.over:
            self._note(t, u, d, self.standby.base, Mark.HORIZON, "as far as this was played", None, in_alarm=False)
        return Played(
            samples=tuple(self.samples),
            events=tuple(self.events),
            end=self.end,
            averaged_until_h=spread_h[1],
            until_h=self.samples[-1].t_h if self.samples else 0.0,
        )

    @property
    def _alarm_begins_h(self) -> float:
        return self.until_h if self.alarm_at_h is None or self.alarm_h <= 0 else min(self.alarm_at_h, self.until_h)

    def _spread_h(self, until_h: float) -> tuple[float, float]:
        """Return from when to when bursts are spread evenly: whole periods of the pattern, once it repeats; (0, 0) where none fits. [h]"""
        from_h, periods_count = self.standby.whole_periods(min(until_h, self._alarm_begins_h))
        return (from_h, from_h + periods_count * self.standby.common_period_h) if periods_count > 0 else (0.0, 0.0)

    def _legs(self, spread_from_h: float, spread_until_h: float) -> list[tuple[Timeline, bool, float]]:
        begin_h = self._alarm_begins_h
        legs: list[tuple[Timeline, bool, float]] = []
        if spread_until_h > 0:
            legs += [(self.standby, False, spread_from_h), (self.standby.averaged(), False, spread_until_h)]
        legs.append((self.standby, False, begin_h))
        if begin_h < self.until_h:
            over_h = min(self.until_h, begin_h + self.alarm_h)
            legs.append((self.alarm, True, over_h))
            if over_h < self.until_h:
                legs.append((self.standby, False, self.until_h))
        return legs

    def _leg(self, timeline: Timeline, a: float, b: float, u: float, d: float, *, in_alarm: bool) -> tuple[float, float]:
        if b <= a:
            return u, d
        stretches = timeline.stretches(a, b)
        for n, stretch in enumerate(stretches):
            end_h = stretches[n + 1][0] if n + 1 < len(stretches) else b
            u, d = self._stretch(stretch, end_h, u, d, in_alarm=in_alarm)
            if self.over:
                break
        return u, d

    def _stretch(self, stretch: Stretch, end_h: float, u: float, d: float, *, in_alarm: bool) -> tuple[float, float]:
        """Walk one stretch of constant demand in steps, noting what is crossed; the limits of its start hold throughout."""
        t, draw = stretch[0], stretch[1:]
        limits = [(limit, limit.at_v(t, in_alarm)) for limit in self.limits]
        i0, v0 = terminal(self.pack(t), u, d, *draw)
        self._sample(t, u, d, i0, v0)
        self._cross(limits, t, t, u, d, draw, i0, v0, in_alarm=in_alarm)
        dt = min(end_h - t, self.longest_h)
        while t < end_h and not self.over:
            dt = min(dt, end_h - t, self.longest_h)
            i0, v0 = terminal(self.pack(t), u, d, *draw)
            mean, u1, d1 = self._mean(t, u, d, draw, i0, dt)
            i1, v1 = terminal(self.pack(t + dt), u1, d1, *draw)
            change = abs(i1 - i0) / i0 if i0 and v1 > COLLAPSED else 0.0
            too_coarse = change > CURRENT_CHANGE_RATIO or (v1 == COLLAPSED and (draw[1] > 0 or draw[2] > 0))
            if too_coarse and dt > SHORTEST_STEP_H:
                dt *= 0.25 if v1 == COLLAPSED else max(0.1, 0.8 * CURRENT_CHANGE_RATIO / change)
                continue
            self._cross(limits, t, t + dt, u, d, draw, mean, v1, in_alarm=in_alarm)
            if self.over:
                return u1, d1
            t, u, d = t + dt, u1, d1
            self._sample(t, u, d, i1, v1)
            # A burst is followed by rest, where hardly anything changes: the step grows back within a few tries.
            dt *= 4.0 if change == 0 else min(4.0, 0.8 * CURRENT_CHANGE_RATIO / change)
        return u, d

    def _mean(self, t: float, u: float, d: float, draw: tuple[float, float, float], i0: float, dt: float) -> tuple[float, float, float]:
        if draw[1] == 0.0 and draw[2] == 0.0:
            return i0 or draw[0], *relax(self.pack(t), u, d, draw[0], dt)
        middle = self.pack(t + 0.5 * dt)
        mean, v = terminal(middle, *relax(middle, u, d, i0, 0.5 * dt), *draw)
        if v == COLLAPSED:
            mean = i0
        return mean, *relax(middle, u, d, mean, dt)

    def _cross(
        self,
        limits: list[tuple[WatchedVoltage, float]],
        t0: float,
        t1: float,
        u0: float,
        d0: float,
        draw: tuple[float, float, float],
        mean: float,
        v1: float,
        *,
        in_alarm: bool,
    ) -> None:
        """Note every limit that lies above the voltage at the end of a step (v1), in the order in which they were crossed."""
        found: list[tuple[float, WatchedVoltage, float]] = []
        for limit, limit_v in limits:
            # What has been crossed is told once: a voltage that recovers and falls again is no news.
            if limit not in self.limits or v1 >= limit_v:
                continue

            def stands(after: float, limit_v: float = limit_v) -> bool:
                state = relax(self.pack(t0), u0, d0, mean, after)
                return terminal(self.pack(t0 + after), *state, *draw)[1] >= limit_v

            found.append((bracket(stands, 0.0, t1 - t0, width=CROSSING_H)[0], limit, limit_v))
        # Crossed at the same instant, the higher voltage came first.
        for after, limit, limit_v in sorted(found, key=lambda f: (f[0], -f[2])):
            u, d = relax(self.pack(t0), u0, d0, mean, after) if after > 0 else (u0, d0)
            self.limits.remove(limit)
            event = self._note(t0 + after, u, d, draw, limit.mark, limit.owner, limit_v, in_alarm=in_alarm)
            if limit.ends_equipment and self.end is None:
                self.end = EndInstant(t_h=t0 + after, u_ah=u, d_ah=d, pack=self.pack(t0 + after), event=event)
            if limit.ends_run:
                self.over = True
                return

    def _note(
        self, t: float, u: float, d: float, draw: Iterable[float], mark: Mark, owner: str, limit_v: float | None, *, in_alarm: bool
    ) -> Event:
        pack = self.pack(t)
        i, v = terminal(pack, u, d, *draw)
        # The last instant before a collapse still shows a voltage well above the limit. Without a power load it is charge that is spent.
        asks_power = tuple(draw)[1] > 0
        if asks_power and limit_v is not None and mark is not Mark.LOAD_LOST and (v == COLLAPSED or v > COLLAPSE_RATIO * limit_v):
            mark = Mark.COLLAPSE
        event = Event(
            t_h=t,
            mark=mark,
            owner=owner,
            limit_v=limit_v,
            terminal_v=max(0.0, v),
            current_a=i,
            charge_left_ratio=_left(pack, u),
            in_alarm=in_alarm,
        )
        self.events.append(event)
        self._sample(t, u, d, i, v)
        return event

    def _sample(self, t: float, u: float, d: float, i: float, v: float) -> None:
        self.samples.append(
            Sample(
                t_h=t,
                terminal_v=max(0.0, v),
                current_a=i,
                charge_left_ratio=_left(self.pack(t), u),
                temperature_degc=self.curve.at(t),
            )
        )


def _left(pack: Pack, u: float) -> float:
    return max(0.0, 1.0 - u / pack.capacity_ah)
