"""Many outages at once: the battery model of `simulation.state` stepped over an axis of samples. Called by `survival` only.

Every sample has its own pack and its own draws, all share the instants at which demand changes. The rules are those of the scalar run:
a piece of constant current is exact, a power is walked with the current at the middle of steps in which it hardly changes, and the
holdover is the first alarm start that is not carried.
"""

from dataclasses import dataclass

import numpy as np

from ypomoni.core.batteries import Pack
from ypomoni.core.simulation import Outage, Timeline
from ypomoni.core.simulation.demand import SAME_TIME_H
from ypomoni.core.simulation.run import HORIZON_H, NUDGE_H
from ypomoni.core.simulation.state import CURRENT_CHANGE_RATIO, SHORTEST_STEP_H

Array = np.ndarray
CROSSING_COUNT = 44
SEEK_COUNT = 40
# A pattern of more pieces than this is walked with its bursts spread evenly: nobody could tell the difference.
MOST_PATTERN_PIECES = 1_500
MOST_ROUNDS = 4


@dataclass(frozen=True, slots=True)
class Pattern:
    """Demand of all samples in one state: starts of pieces shared by all (n,), draws (s, n, 3), voltage of the end (s, n)."""

    starts_h: Array
    draws: Array
    ends_v: Array
    settled_h: float
    period_h: float

    def at(self, t: Array) -> tuple[Array, Array]:
        """Return which piece is in force just after each time, and when it ends. [h]"""
        if self.period_h == 0.0:
            return np.zeros(len(t), dtype=int), np.full(len(t), np.inf)
        whole_h = self.settled_h + self.period_h
        later = t >= whole_h - SAME_TIME_H
        phase = np.where(later, self.settled_h + np.mod(t - self.settled_h + SAME_TIME_H, self.period_h), t + SAME_TIME_H)
        index = np.maximum(np.searchsorted(self.starts_h, phase, side="right") - 1, 0)
        following = np.append(self.starts_h, whole_h)[index + 1]
        return index, t + np.maximum(following - phase, 0.0) + SAME_TIME_H

    @property
    def edges_h(self) -> Array:
        """The instants of one settled period at which demand changes. [h]"""
        return self.starts_h[self.starts_h >= self.settled_h - SAME_TIME_H] if self.period_h else np.empty(0)


def build_pattern(timelines: list[Timeline], threshold_v: float) -> Pattern:
    """Return the pattern of the samples' timelines in one state."""
    if any(t.trains and t.edges_per_hour * (t.settled_h + t.common_period_h) > MOST_PATTERN_PIECES for t in timelines):
        timelines = [t.averaged() for t in timelines]
    period_h = max(t.common_period_h for t in timelines)
    settled_h = max(t.settled_h for t in timelines)
    if period_h == 0.0:
        draws = np.array([[tuple(t.base)] for t in timelines])
        ends_v = np.array([[max(threshold_v, t.floor_v(0.0))] for t in timelines])
        return Pattern(np.zeros(1), draws, ends_v, 0.0, 0.0)
    found = [t.pieces(0.0, settled_h + period_h) for t in timelines]
    starts_h = np.unique(np.round(np.array([p[0] for pieces in found for p in pieces]), 10))
    starts_h = starts_h[np.concatenate([[True], np.diff(starts_h) > SAME_TIME_H])]
    draws = np.empty((len(timelines), len(starts_h), 3))
    ends_v = np.full((len(timelines), len(starts_h)), threshold_v)
    for s, (timeline, pieces) in enumerate(zip(timelines, found, strict=True)):
        own_h = np.array([p[0] for p in pieces])
        index = np.maximum(np.searchsorted(own_h, starts_h + 2 * SAME_TIME_H, side="right") - 1, 0)
        draws[s] = np.array([p[1:] for p in pieces])[index]
        if timeline.floors:
            ends_v[s] = np.maximum(threshold_v, [timeline.floor_v(t) for t in starts_h])
    return Pattern(starts_h, draws, ends_v, settled_h, period_h)


class Batch:
    """Outages of all samples. Built from their scalar outages, so that both are the same model."""

    def __init__(self, outages: list[Outage]) -> None:
        packs = [o.pack for o in outages]
        first: Pack = packs[0]
        self.q, self.rb, self.lost = (np.array([getattr(p, n) for p in packs]) for n in ("capacity_ah", "resistance_ohm", "self_a"))
        self.g, self.k, self.r1 = first.g, first.k_per_h, first.r1_h
        self.heads, self.volts = np.array(first.ocv_knots_ratio), np.array(first.ocv_knots_v)
        self.alarm_h = outages[0].alarm_h
        self.standby = build_pattern([o.standby for o in outages], outages[0].threshold_v)
        self.alarm = build_pattern([o.alarm for o in outages], outages[0].threshold_v)
        self.count = len(outages)
        self.everyone = np.arange(self.count)
        self.mixed = bool(np.any(self.standby.draws[:, :, 1:]) or np.any(self.alarm.draws[:, :, 1:]))
        self._checkpoints: tuple[Array, Array, Array] | None = None

    def terminal(self, who: Array, u: Array, d: Array, draw: Array) -> tuple[Array, Array]:
        """Return battery current and terminal voltage; −∞ at a collapse. [A, V]"""
        h = 1.0 - (u + d) / self.q[who]
        safe = np.maximum(h, 1e-12)
        r = self.rb[who] * (1.0 + self.g * (1.0 - safe) / safe)
        e = np.interp(safe, self.heads, self.volts)
        if not self.mixed:
            return draw[:, 0], np.where(h > 0, e - draw[:, 0] * r, -np.inf)
        i, p, s = draw[:, 0], draw[:, 1], draw[:, 2]
        a, b = 1.0 + r * s, e - r * i
        root = b * b - 4.0 * a * r * p
        fine = (h > 0) & (root >= 0) & ((b > 0) | ((p == 0) & (s == 0)))
        v = np.where((p == 0) & (s == 0), b, (b + np.sqrt(np.maximum(root, 0.0))) / (2.0 * a))
        divisor = np.where(fine & (v != 0), v, 1.0)
        return np.where(fine, i + p / divisor + s * v, 0.0), np.where(fine, v, -np.inf)

    def relax(self, who: Array, u: Array, d: Array, i: Array, dt: Array) -> tuple[Array, Array]:
        """Return the state after dt at a constant current."""
        decay = np.exp(-self.k * dt)
        return u + (i + self.lost[who]) * dt, d * decay + i * self.r1 * (1.0 - decay)

    def walk(
        self,
        pattern: Pattern,
        t: Array,
        u: Array,
        d: Array,
        until_h: Array,
        *,
        trace: list[tuple[Array, Array, Array]] | None = None,
        locate: bool = False,
    ) -> tuple[Array, Array, Array, Array]:
        """Walk every sample from its own time to its own end. Returns (t, u, d, ended)."""
        t, u, d = t.copy(), u.copy(), d.copy()
        ended = np.zeros(self.count, dtype=bool)
        step_h = np.full(self.count, np.inf)
        who = self.everyone[t < until_h]
        while len(who):
            index, piece_end = pattern.at(t[who])
            draw, limit = pattern.draws[who, index], pattern.ends_v[who, index]
            left = np.minimum(piece_end, until_h[who]) - t[who]
            i0, v0 = self.terminal(who, u[who], d[who], draw)
            dt = np.minimum(left, step_h[who])
            mean = i0
            if self.mixed:
                middle = self.relax(who, u[who], d[who], i0, 0.5 * dt)
                im, vm = self.terminal(who, *middle, draw)
                mean = np.where(np.isneginf(vm), i0, im)
            u1, d1 = self.relax(who, u[who], d[who], mean, dt)
            i1, v1 = self.terminal(who, u1, d1, draw)
            accepted = np.ones(len(who), dtype=bool)
            if self.mixed:
                safe = np.where(i0 > 0, i0, 1.0)
                change = np.maximum(np.abs(i1 - i0), np.abs(mean - i0)) / safe
                change = np.where(np.isneginf(v1), 1.0, change)
                accepted = (change <= CURRENT_CHANGE_RATIO) | (dt <= SHORTEST_STEP_H) | (v0 < limit)
                growth = np.where(change > 0, 0.8 * CURRENT_CHANGE_RATIO / np.maximum(change, 1e-12), 4.0)
                step_h[who] = dt * np.clip(growth, 0.1, 4.0)
            fails = accepted & ((v0 < limit) | (v1 < limit))
            if np.any(fails):
                losers = who[fails]
                if locate:
                    after = self._crossing(
                        losers, u[losers], d[losers], draw[fails], mean[fails], np.where(v0 < limit, 0.0, dt)[fails], limit[fails]
                    )
                    u[losers], d[losers] = self.relax(losers, u[losers], d[losers], mean[fails], after)
                    t[losers] += after
                ended[losers] = True
            goes = accepted & ~fails
            movers = who[goes]
            t[movers] = np.where(dt >= left, np.minimum(piece_end, until_h[who]), t[who] + dt)[goes]
            u[movers], d[movers] = u1[goes], d1[goes]
            if trace is not None:
                trace.append((t.copy(), u.copy(), d.copy()))
            who = self.everyone[~ended & (t < until_h - SAME_TIME_H)]
        return t, u, d, ended

    def _crossing(self, who: Array, u: Array, d: Array, draw: Array, mean: Array, dt: Array, limit: Array) -> Array:
        low, high = np.zeros(len(who)), dt.copy()
        for _ in range(CROSSING_COUNT):
            middle = 0.5 * (low + high)
            below = self.terminal(who, *self.relax(who, u, d, mean, middle), draw)[1] < limit
            high, low = np.where(below, middle, high), np.where(below, low, middle)
        return low

    # -- the search ---------------------------------------------------------------------------------------------------------------

    def holdovers_h(self, begin: tuple[Array, Array, Array] | None = None) -> Array:
        """Return the holdover of every sample. ``begin`` is a state (t, u, d) before which bursts were spread evenly. [h]"""
        t0, u0, d0 = begin or (np.zeros(self.count), np.zeros(self.count), np.zeros(self.count))
        trace = [(t0.copy(), u0.copy(), d0.copy())]
        stop_h, *_ = self.walk(self.standby, t0, u0, d0, np.full(self.count, HORIZON_H), trace=trace, locate=True)
        self._checkpoints = tuple(np.array(column) for column in zip(*trace, strict=True))  # type: ignore[assignment]
        if self.alarm_h <= 0:
            return stop_h
        low, high = t0.copy(), stop_h.copy()
        carried_at_end = self.carries(stop_h)
        carried_at_start = self.carries(t0)
        for _ in range(SEEK_COUNT):
            middle = 0.5 * (low + high)
            fine = self.carries(middle)
            low, high = np.where(fine, middle, low), np.where(fine, high, middle)
            if np.all(high - low < 0.2 * NUDGE_H):
                break
        found = np.where(carried_at_end, stop_h, np.where(carried_at_start, low, t0))
        if not (self.standby.period_h or self.alarm.period_h):
            return found
        return self._earliest(found, t0)

    def _earliest(self, found: Array, floor_h: Array) -> Array:
        """Return the first failing start: every change of the pattern in the period before a known one is tried, as long as one is earlier."""
        period_h = max(self.standby.period_h, self.alarm.period_h)
        for _ in range(MOST_ROUNDS):
            before = found.copy()
            marks = self._marks(found, period_h)
            for n in range(marks.shape[1] - 1):
                left, right = marks[:, n], np.minimum(marks[:, n + 1], found)
                usable = (right - left > 3 * NUDGE_H) & (left >= floor_h - SAME_TIME_H) & (left < found - 3 * NUDGE_H)
                if not np.any(usable):
                    continue
                first = self.carries(np.where(usable, left + NUDGE_H, floor_h))
                last = self.carries(np.where(usable, right - NUDGE_H, floor_h))
                at_left = usable & ~first
                found = np.where(at_left, np.minimum(found, left), found)
                within = usable & first & ~last & (right - NUDGE_H < found)
                if np.any(within):
                    found = np.where(within, np.minimum(found, self._bisect(left + NUDGE_H, right - NUDGE_H, within)), found)
            if np.all(found >= before - 2 * NUDGE_H):
                break
        return found

    def _marks(self, high: Array, period_h: float) -> Array:
        """Return the changes of the pattern in one period before a time, per sample, sorted, with both ends. shape (s, n)"""
        edges = [self.standby.edges_h, self.alarm.edges_h, self.alarm.edges_h - self.alarm_h]
        offsets = np.unique(np.round(np.mod(np.concatenate(edges), period_h), 9))
        begin = high - period_h
        whole = np.floor((begin[:, None] - offsets[None, :]) / period_h) + 1.0
        marks = np.sort(offsets[None, :] + whole * period_h, axis=1)
        return np.concatenate([np.maximum(begin, 0.0)[:, None], np.clip(marks, 0.0, high[:, None]), high[:, None]], axis=1)

    def _bisect(self, low: Array, high: Array, who: Array) -> Array:
        low, high = low.copy(), high.copy()
        for _ in range(SEEK_COUNT):
            middle = np.where(who, 0.5 * (low + high), 0.0)
            fine = self.carries(middle)
            low, high = np.where(fine, middle, low), np.where(fine, high, middle)
            if np.all((high - low)[who] < 0.2 * NUDGE_H):
                break
        return low

    def carries(self, start_h: Array) -> Array:
        """Say of every sample whether an alarm that starts at its time is carried to its end."""
        u, d = self.state_at(start_h)
        return ~self.walk(self.alarm, start_h, u, d, start_h + self.alarm_h)[3]

    def state_at(self, t: Array) -> tuple[Array, Array]:
        """Return the state of every sample in standby at its time."""
        assert self._checkpoints is not None  # noqa: S101 - set by the walk that precedes every search
        times, us, ds = self._checkpoints
        row = np.maximum((times <= t[None, :] + SAME_TIME_H).sum(axis=0) - 1, 0)
        t0, u0, d0 = times[row, self.everyone], us[row, self.everyone], ds[row, self.everyone]
        _, u, d, _ = self.walk(_unending(self.standby), np.minimum(t0, t), u0, d0, t)
        return u, d


def _unending(pattern: Pattern) -> Pattern:
    """Return a pattern in which nothing ends: a state that was reached is walked to, whatever the voltage."""
    return Pattern(pattern.starts_h, pattern.draws, np.full_like(pattern.ends_v, -np.inf), pattern.settled_h, pattern.period_h)
