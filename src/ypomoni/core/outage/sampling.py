"""Many outages at once: the battery model of `walk` stepped over an axis of samples.

Every sample has its own pack and its own draws, all share the instants at which demand changes. The rules are those of the scalar run:
a stretch of constant current is exact, a power is walked with the current at the middle of steps in which it hardly changes, and the
holdover is the first alarm start that is not carried.
"""

import math
from dataclasses import dataclass

import numpy as np

from ypomoni.core.outage.demand import SAME_TIME_H, Timeline
from ypomoni.core.outage.ends import NUDGE_H
from ypomoni.core.outage.law import GUESSES
from ypomoni.core.outage.run import AVERAGED_STEPS, EXPLICIT_EDGES, HORIZON_H, PEAK_SHARE_RATIO, START_SHARE_RATIO, HoldoverRun
from ypomoni.core.outage.walk import CURRENT_CHANGE_RATIO, NEAR_V, SHORTEST_STEP_H
from ypomoni.core.things.batteries import Pack

Array = np.ndarray
CROSSING_COUNT = 26
SEEK_COUNT = 40
# A pattern of more stretches than this is walked with its bursts spread evenly: nobody could tell the difference.
MOST_PATTERN_STRETCHES = 1_500
MOST_ROUNDS = 12
# A sampled holdover is found to a quarter of a second. [h]
FOUND_TO_H = 0.25 / 3600.0
# The ripple of averaged bursts fades by e to this before the explicit walk counts.
FADED = 2.0


@dataclass(frozen=True, slots=True)
class Pattern:
    """Demand of all samples in one state: starts of stretches shared by all (n,), draws (s, n, 3), voltage of the end (s, n)."""

    starts_h: Array
    draws: Array
    ends_v: Array
    settled_h: float
    period_h: float

    def at(self, t: Array) -> tuple[Array, Array]:
        """Return which stretch is in force just after each time, and when it ends. [h]"""
        if self.period_h == 0.0:
            return np.zeros(len(t), dtype=int), np.full(len(t), np.inf)
        # From here on every instant is one of the first period again.
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
    if any(t.trains and t.edges_per_hour * (t.settled_h + t.common_period_h) > MOST_PATTERN_STRETCHES for t in timelines):
        timelines = [t.averaged() for t in timelines]
    period_h = max(t.common_period_h for t in timelines)
    settled_h = max(t.settled_h for t in timelines)
    if period_h == 0.0:
        draws = np.array([[tuple(t.base)] for t in timelines])
        ends_v = np.array([[max(threshold_v, t.floor_v(0.0))] for t in timelines])
        return Pattern(np.zeros(1), draws, ends_v, 0.0, 0.0)
    found = [t.stretches(0.0, settled_h + period_h) for t in timelines]
    # Samples may differ in which bursts they have: the instants of all are looked at by all, so that they go in step.
    starts_h = np.unique(np.round(np.array([p[0] for stretches in found for p in stretches]), 10))
    starts_h = starts_h[np.concatenate([[True], np.diff(starts_h) > SAME_TIME_H])]
    draws = np.empty((len(timelines), len(starts_h), 3))
    ends_v = np.full((len(timelines), len(starts_h)), threshold_v)
    for s, (timeline, stretches) in enumerate(zip(timelines, found, strict=True)):
        own_h = np.array([p[0] for p in stretches])
        index = np.maximum(np.searchsorted(own_h, starts_h + 2 * SAME_TIME_H, side="right") - 1, 0)
        draws[s] = np.array([p[1:] for p in stretches])[index]
        if timeline.floors:
            ends_v[s] = timeline.ends_v(starts_h.tolist(), threshold_v)
    return Pattern(starts_h, draws, ends_v, settled_h, period_h)


class Batch:
    """Outages of all samples. Built from their scalar outages, so that both are the same model."""

    def __init__(self, outages: list[HoldoverRun]) -> None:
        packs = [o.pack for o in outages]
        first: Pack = packs[0]
        self.q, self.rb, self.exchange, self.lost, self.start_u = (
            np.array([getattr(p, n) for p in packs]) for n in ("capacity_ah", "resistance_ohm", "exchange_a", "self_a", "start_u_ah")
        )
        self.g, self.k, self.r1, self.activation_v = first.g, first.k_per_h, first.r1_h, first.activation_v
        self.heads = np.array(first.curve.heads[:-1])
        self.volts = np.array([first.curve.at(h) for h in first.curve.heads[:-1]])
        self.alarm_h = outages[0].alarm_h
        self.standby = build_pattern([o.standby for o in outages], outages[0].threshold_v)
        self.alarm = build_pattern([o.alarm for o in outages], outages[0].threshold_v)
        self.count = len(outages)
        self.everyone = np.arange(self.count)
        self.is_more = self._alarm_is_more()
        both = np.concatenate([self.standby.draws, self.alarm.draws], axis=1)
        self.mixed, self.conducts = bool(np.any(both[:, :, 1:])), bool(np.any(both[:, :, 2]))
        self.always_power = bool(np.all(both[:, :, 1] > 0))
        # What each sample drew last in each stretch of a pattern: where the next look at the activation loss begins. [A]
        self._drawn = {id(line): np.full(line.draws.shape[:2], np.nan) for line in (self.standby, self.alarm)}
        self._checkpoints: tuple[Array, Array, Array] | None = None

    def terminal(self, who: Array, u: Array, d: Array, draw: Array, guess: Array | None = None) -> tuple[Array, Array]:
        """Return battery current and terminal voltage; −∞ at a collapse. With a guess of the current close by one pass is enough. [A, V]"""
        # Gathering costs as much as an operation: everybody at once needs none.
        q, rb, exchange = (self.q, self.rb, self.exchange) if len(who) == self.count else (self.q[who], self.rb[who], self.exchange[who])
        h = 1.0 - (u + d) / q
        # No branch for the empty ones: they are computed with a harmless head and thrown out at the end.
        safe = np.maximum(h, 1e-12)
        growth = 1.0 + self.g * (1.0 / safe - 1.0)
        r, per_a = rb * growth, growth / exchange
        e = np.interp(safe, self.heads, self.volts)
        i, p, s = draw[:, 0], draw[:, 1], draw[:, 2]
        if not self.mixed:
            return i, np.where(h > 0, e - i * r - self.activation_v * np.arcsinh(i * per_a), -np.inf)
        only_current = None if self.always_power else (p == 0) & (s == 0)
        rest = np.maximum(e, 1e-12)
        current_a = i + p / rest + s * rest if guess is None else guess
        v, fine = rest, (h > 0) if only_current is None else (h > 0) & ((e > 0) | only_current)
        for _ in GUESSES if guess is None else GUESSES[:1]:
            b = e - self.activation_v * np.arcsinh(current_a * per_a) - r * i
            a = 1.0 + r * s if self.conducts else 1.0
            root = b * b - 4.0 * a * r * p
            good = (root >= 0) & (b > 0)
            v = (b + np.sqrt(np.maximum(root, 0.0))) / (2.0 * a)
            if only_current is not None:
                v, good = np.where(only_current, b, v), good | only_current
            fine = fine & good
            current_a = i + p / np.where(fine & (v != 0), v, 1.0)
            if self.conducts:
                current_a = current_a + s * v
        return np.where(fine, current_a, 0.0), np.where(fine, v, -np.inf)

    def relax(self, who: Array, u: Array, d: Array, i: Array, dt: Array) -> tuple[Array, Array]:
        """Return the state after dt at a constant current."""
        decay = np.exp(-self.k * dt)
        lost = self.lost if len(who) == self.count else self.lost[who]
        return u + (i + lost) * dt, d * decay + i * self.r1 * (1.0 - decay)

    def walk(
        self,
        pattern: Pattern,
        who: Array,
        t: Array,
        u: Array,
        d: Array,
        until_h: Array,
        *,
        trace: list[tuple[Array, Array, Array]] | None = None,
        locate: bool = False,
        ends: bool = True,
    ) -> tuple[Array, Array, Array, Array]:
        """Walk samples, each from its own time to its own end; without ``ends`` whatever the voltage. Returns (t, u, d, ended)."""
        t, u, d = t.copy(), u.copy(), d.copy()
        ended = np.zeros(len(who), dtype=bool)
        step_h = np.full(len(who), np.inf)
        active = np.flatnonzero(t < until_h)
        while len(active):
            own = who[active]
            now = t[active]
            # Most samples go in step: then one look at the pattern is enough for all.
            in_step = now[0] == now[-1] and bool((now == now[0]).all())
            index, stretch_end = pattern.at(now[:1] if in_step else now)
            draw, limit = pattern.draws[own, index], pattern.ends_v[own, index]
            ua, da = u[active], d[active]
            left = np.minimum(stretch_end, until_h[active]) - now
            dt = np.minimum(left, step_h[active])
            if self.mixed:
                i0, v0, mean, u1, d1, v1, accepted = self._step(pattern, own, index, ua, da, draw, limit, dt, step_h, active)
            else:
                i0, v0 = self.terminal(own, ua, da, draw)
                mean, (u1, d1), accepted = i0, self.relax(own, ua, da, i0, dt), None
                v1 = self.terminal(own, u1, d1, draw)[1]
            fails = (v0 < limit) | (v1 < limit) if ends else np.zeros(len(active), dtype=bool)
            goes = ~fails
            if accepted is not None:
                fails, goes = fails & accepted, goes & accepted
            if fails.any():
                losers = active[fails]
                if locate:
                    start = np.where(v0 < limit, 0.0, dt)[fails]
                    after = self._crossing(who[losers], u[losers], d[losers], draw[fails], mean[fails], start, limit[fails])
                    u[losers], d[losers] = self.relax(who[losers], u[losers], d[losers], mean[fails], after)
                    t[losers] += after
                ended[losers] = True
            movers = active[goes]
            t[movers] = np.where(dt >= left, np.minimum(stretch_end, until_h[active]), now + dt)[goes]
            u[movers], d[movers] = u1[goes], d1[goes]
            if trace is not None:
                trace.append((t.copy(), u.copy(), d.copy()))
            # Samples that are through leave the arrays, so the last ones cost no more than they must.
            active = np.flatnonzero(~ended & (t < until_h - SAME_TIME_H))
        return t, u, d, ended

    def _step(
        self,
        pattern: Pattern,
        own: Array,
        index: Array,
        u: Array,
        d: Array,
        draw: Array,
        limit: Array,
        dt: Array,
        step_h: Array,
        active: Array,
    ) -> tuple[Array, Array, Array, Array, Array, Array, Array]:
        """Return a step with the mean of the currents at its ends: first current and voltage, mean, state and voltage after it, and where it is
        short enough. How long the next one may be goes into ``step_h``."""
        drawn = self._drawn[id(pattern)]
        guess = drawn[own, index]
        i0, v0 = self.terminal(own, u, d, draw, None if np.isnan(guess).any() else guess)
        u1, d1 = self.relax(own, u, d, i0, dt)
        i1, v1 = self.terminal(own, u1, d1, draw, i0)
        collapsed = np.isneginf(v1)
        more = np.where(collapsed, 0.0, 0.5 * (i1 - i0))
        mean = i0 + more
        # The state moves in proportion to the current, so the step is not taken again for the mean.
        u1, d1 = u1 + more * dt, d1 - more * self.r1 * np.expm1(-self.k * dt)
        change = np.where(collapsed, 1.0, 2.0 * np.abs(more) / np.where(i0 > 0, i0, 1.0))
        accepted = (change <= CURRENT_CHANGE_RATIO) | (dt <= SHORTEST_STEP_H) | (v0 < limit)
        # The voltage so far is that of the first current. Far from the end it does not matter at which current it was looked at.
        close = np.flatnonzero(accepted & (v1 < limit + NEAR_V))
        if len(close):
            v1[close] = self.terminal(own[close], u1[close], d1[close], draw[close], mean[close])[1]
        growth = np.where(change > 0, 0.8 * CURRENT_CHANGE_RATIO / np.maximum(change, 1e-12), 4.0)
        step_h[active] = dt * np.clip(growth, 0.1, 4.0)
        drawn[own, index] = np.where(i1 > 0, i1, np.nan)
        return i0, v0, mean, u1, d1, v1, accepted

    def _crossing(self, who: Array, u: Array, d: Array, draw: Array, mean: Array, dt: Array, limit: Array) -> Array:
        low, high = np.zeros(len(who)), dt.copy()
        for _ in range(CROSSING_COUNT):
            middle = 0.5 * (low + high)
            below = self.terminal(who, *self.relax(who, u, d, mean, middle), draw, mean)[1] < limit
            high, low = np.where(below, middle, high), np.where(below, low, middle)
        return low

    # -- many bursts --------------------------------------------------------------------------------------------------------------

    def carries_peak_until_h(self, peaks: list[Array], threshold_v: float) -> Array:
        """Return about how long each of several draws (s, 3) would still be carried for an instant. Asked after `holdovers_h`. [h]"""
        assert self._checkpoints is not None  # noqa: S101 - see above
        low, high = np.zeros(self.count), self._checkpoints[0][-1].copy()
        for _ in range(24):
            middle = 0.5 * (low + high)
            u, d = self.state_at(self.everyone, middle)
            fine = np.all([self.terminal(self.everyone, u, d, peak)[1] >= threshold_v for peak in peaks], axis=0)
            low, high = np.where(fine, middle, low), np.where(fine, high, middle)
        return low

    def averaged_start(self, coarse_h: Array, peak_h: Array) -> tuple[Array, Array, Array] | None:
        """Return a state (t, u, d) of every sample close before its end, its early bursts averaged at each state as the scalar run does.

        ``coarse_h`` are the holdovers with bursts spread evenly, ``peak_h`` how long the greatest burst is carried; None where there are
        few bursts. [h]
        """
        pattern = self.standby
        period_h = max(pattern.period_h, self.alarm.period_h)
        edges_per_hour = len(pattern.edges_h) / pattern.period_h if pattern.period_h else 0.0
        begin_h = pattern.period_h * math.ceil(pattern.settled_h / pattern.period_h) if pattern.period_h else 0.0
        start_h = np.minimum(START_SHARE_RATIO * coarse_h, PEAK_SHARE_RATIO * peak_h) - FADED / self.k - 2 * period_h
        if edges_per_hour * float(np.max(coarse_h)) < EXPLICIT_EDGES or np.any(start_h <= begin_h + pattern.period_h):
            return None
        zero = np.zeros(self.count)
        _, u, d, ended = self.walk(pattern, self.everyone, zero, self.start_u, zero, np.full(self.count, begin_h))
        if np.any(ended):
            return None
        # Each sample begins whole periods before its own end, in the same phase.
        periods = np.floor((start_h - begin_h) / pattern.period_h)
        inside = pattern.starts_h >= pattern.settled_h - SAME_TIME_H
        starts_h = pattern.starts_h[inside]
        weights = np.diff(np.append(starts_h, pattern.settled_h + pattern.period_h)) / pattern.period_h
        draws = pattern.draws[:, inside]

        def mean_a(u: Array, d: Array) -> Array:
            found = np.zeros(self.count)
            for n, weight in enumerate(weights):
                found += weight * self.terminal(self.everyone, u, d, draws[:, n])[0]
            return found

        steps_count = AVERAGED_STEPS if self.mixed else 1
        dt = periods * pattern.period_h / steps_count
        for _ in range(steps_count):
            middle = self.relax(self.everyone, u, d, mean_a(u, d), 0.5 * dt) if self.mixed else (u, d)
            u, d = self.relax(self.everyone, u, d, mean_a(*middle), dt)
        return begin_h + periods * pattern.period_h, u, d

    # -- the search ---------------------------------------------------------------------------------------------------------------

    def holdovers_h(self, begin: tuple[Array, Array, Array] | None = None) -> Array:
        """Return the holdover of every sample. ``begin`` is a state (t, u, d) before which bursts were spread evenly. [h]"""
        t0, u0, d0 = begin or (np.zeros(self.count), self.start_u, np.zeros(self.count))
        trace = [(t0.copy(), u0.copy(), d0.copy())]
        everyone, horizon_h = self.everyone, np.full(self.count, HORIZON_H)
        stop_h, *_ = self.walk(self.standby, everyone, t0, u0, d0, horizon_h, trace=trace, locate=True)
        self._checkpoints = tuple(np.array(column) for column in zip(*trace, strict=True))  # type: ignore[assignment]
        if self.alarm_h <= 0:
            return stop_h
        found = stop_h.copy()
        fails_at_end, fails_at_start = ~self.carries(everyone, stop_h), ~self.carries(everyone, t0)
        found[fails_at_start] = t0[fails_at_start]
        period_h = max(self.standby.period_h, self.alarm.period_h)
        who = np.flatnonzero(~fails_at_start)
        failing = np.flatnonzero(~fails_at_start & fails_at_end)
        if period_h == 0.0:
            found[failing] = self._bisect(failing, t0[failing], stop_h[failing], FOUND_TO_H)[0]
            return found
        # A start known to fail, to a quarter of a period; then the first change of the pattern at which one fails, a period back. A start
        # a whole period earlier has more charge left, so beyond what was looked at only starts in step with failing ones are left.
        found[failing] = self._bisect(failing, t0[failing], stop_h[failing], 0.25 * period_h)[1]
        # Starts from here on are known: later rounds look only at what lies before.
        looked_from = found.copy()
        for _ in range(MOST_ROUNDS):
            if not len(who):
                break
            look_from = np.maximum(found[who] - period_h, t0[who])
            begin_h = self._surely_carried_until_h(who, look_from, looked_from[who]) if self.is_more else look_from
            earlier = self._earliest(who, found[who], begin_h, looked_from[who], period_h)
            looked_from[who] = look_from
            moved = earlier < found[who] - 2 * NUDGE_H
            found[who] = earlier
            who = who[moved]
            found[who] = self._in_step(who, found[who], t0[who], period_h)
            looked_from[who] = np.minimum(looked_from[who], found[who])
        return found

    def _in_step(self, who: Array, found: Array, least: Array, period_h: float) -> Array:
        """Return the earliest start that fails whole periods before failing ones: with every period before, more charge is left."""
        low, high = np.zeros(len(who), dtype=int), np.floor((found - least) / period_h).astype(int) + 1
        while len(wide := np.flatnonzero(high - low > 1)):
            middle = (low[wide] + high[wide]) // 2
            fails = ~self.carries(who[wide], found[wide] - middle * period_h + 2 * NUDGE_H)
            low[wide], high[wide] = np.where(fails, middle, low[wide]), np.where(fails, high[wide], middle)
        return found - low * period_h

    def _alarm_is_more(self) -> bool:
        """Say whether alarm never draws less than standby in any sample, its bursts being in step with those of standby."""
        a, b = self.standby, self.alarm
        in_step = a.starts_h.shape == b.starts_h.shape and np.allclose(a.starts_h, b.starts_h, rtol=0, atol=SAME_TIME_H)
        return in_step and a.period_h == b.period_h and bool(np.all(b.draws >= a.draws - 1e-12))

    def _surely_carried_until_h(self, who: Array, begin: Array, end: Array) -> Array:
        """Return up to where between two times no start fails, where alarm never draws less than standby.

        An alarm that started at the first and went on for ever has drawn more by any instant than one that starts later; so none fails that
        is over before that one ends.
        """
        u, d = self.state_at(who, begin)
        ended_h, _, _, ended = self.walk(self.alarm, who, begin, u, d, end + self.alarm_h, locate=True)
        return np.where(ended, np.clip(ended_h - self.alarm_h - NUDGE_H, begin, end), end)

    def _earliest(self, who: Array, found: Array, begin: Array, end: Array, period_h: float) -> Array:
        """Return the first failing start between two times; ``found`` where none there fails."""
        marks = self._marks(begin, end, period_h)
        found = found.copy()
        low, high = np.full(len(who), np.nan), np.full(len(who), np.nan)
        open_ = np.arange(len(who))
        for n in range(marks.shape[1] - 1):
            left, right = marks[open_, n], marks[open_, n + 1]
            usable = right - left > 3 * NUDGE_H
            tried = open_[usable]
            if not len(tried):
                continue
            # Between two changes failing is monotone: where the last start is carried, all are.
            first_h, last_h = left[usable] + NUDGE_H, right[usable] - NUDGE_H
            failing = np.flatnonzero(~self.carries(who[tried], last_h))
            if not len(failing):
                continue
            first = self.carries(who[tried[failing]], first_h[failing])
            at_left, within = failing[~first], failing[first]
            found[tried[at_left]] = left[usable][at_left]
            low[tried[within]], high[tried[within]] = first_h[within], last_h[within]
            open_ = np.setdiff1d(open_, tried[failing], assume_unique=True)
            if not len(open_):
                break
        inside = np.flatnonzero(~np.isnan(low))
        if len(inside):
            found[inside] = self._bisect(who[inside], low[inside], high[inside], FOUND_TO_H)[0]
        return found

    def _marks(self, begin: Array, end: Array, period_h: float) -> Array:
        """Return the changes of the pattern between two times no more than a period apart, per sample, sorted, with both ends. shape (s, n)"""
        edges = [self.standby.edges_h, self.alarm.edges_h, self.alarm.edges_h - self.alarm_h]
        offsets = np.unique(np.round(np.mod(np.concatenate(edges), period_h), 9))
        whole = np.floor((begin[:, None] - offsets[None, :]) / period_h) + 1.0
        marks = np.sort(np.clip(offsets[None, :] + whole * period_h, begin[:, None], end[:, None]), axis=1)
        return np.concatenate([begin[:, None], marks, end[:, None]], axis=1)

    def _bisect(self, who: Array, low: Array, high: Array, width_h: float) -> tuple[Array, Array]:
        """Return the last start found to be carried and the first found not to be, no further apart than a width."""
        low, high = low.copy(), high.copy()
        for _ in range(SEEK_COUNT):
            wide = np.flatnonzero(high - low > width_h)
            if not len(wide):
                break
            middle = 0.5 * (low[wide] + high[wide])
            fine = self.carries(who[wide], middle)
            low[wide], high[wide] = np.where(fine, middle, low[wide]), np.where(fine, high[wide], middle)
        return low, high

    def carries(self, who: Array, start_h: Array) -> Array:
        """Say of samples whether an alarm that starts at their times is carried to its end."""
        if not len(who):
            return np.zeros(0, dtype=bool)
        u, d = self.state_at(who, start_h)
        return ~self.walk(self.alarm, who, start_h, u, d, start_h + self.alarm_h)[3]

    def state_at(self, who: Array, t: Array) -> tuple[Array, Array]:
        """Return the state of samples in standby at their times."""
        assert self._checkpoints is not None  # noqa: S101 - set by the walk that precedes every search
        times, us, ds = self._checkpoints
        known = times if len(who) == self.count else times[:, who]
        row = np.maximum((known <= t[None, :] + SAME_TIME_H).sum(axis=0) - 1, 0)
        t0, u0, d0 = times[row, who], us[row, who], ds[row, who]
        _, u, d, _ = self.walk(self.standby, who, np.minimum(t0, t), u0, d0, t, ends=False)
        return u, d
