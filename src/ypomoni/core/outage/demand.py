"""Demand over time: the rest draw of every load and the trains of bursts on top of it.

Times are hours after mains failure. A train is anchored there, in standby and in alarm alike.
"""

import bisect
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property, lru_cache

from ypomoni.core.things.loads import NO_DRAW, Draw, During, Load
from ypomoni.core.units import SECONDS_PER_HOUR

# Two edges closer than this are one: 3.6 µs.
SAME_TIME_H = 1e-9
# Bursts that recur faster are gathered so that they come this often, with the same duty and peak: no battery follows them one by one.
GATHER_PERIOD_H = 10.0 / SECONDS_PER_HOUR

# Two periods that are not a ratio of small whole numbers never quite repeat; then so many of the longest stand for all.
LARGEST_DENOMINATOR = 2_000
MOST_PERIODS = 30
MOST_EDGES_OF_PATTERN = 4_000
# Of more draws than these the greatest are not looked for.
MOST_LEVELS = 100

Stretch = tuple[float, float, float, float]
"""Start of a stretch of constant demand and its draw: (t, A, W, S)."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadCurrents:
    """The currents of one piece of a load that a run is made with, on its rail. [A] ``burst_currents_a`` follows ``load.bursts``."""

    load: Load
    standby_current_a: float
    alarm_current_a: float
    burst_currents_a: tuple[float, ...]
    pieces_coincide: bool = False
    # Its bursts stand for others (`gathering`): staggered pieces are counted as they come and go, and its cable always loses what its peak asks.
    gathered: bool = False
    # What thermostats and recharges add on average, in either state, and what they add at most.
    extra_current_a: float = 0.0
    extra_peak_a: float = 0.0


@dataclass(frozen=True, slots=True)
class _Wave:
    """One burst of one piece: first start, period, duration [h] and current while active [A]."""

    offset_h: float
    period_h: float
    duration_h: float
    current_a: float

    def is_active(self, t: float) -> bool:
        # A time that lies a rounding error before a start belongs to the burst that starts there.
        n = math.floor((t - self.offset_h + SAME_TIME_H) / self.period_h)
        return n >= 0 and t < self.offset_h + n * self.period_h + self.duration_h - SAME_TIME_H

    def active_h_until(self, t: float) -> float:
        """Return for how long in all it was active before a time. [h]"""
        if t <= self.offset_h:
            return 0.0
        n = math.floor((t - self.offset_h) / self.period_h)
        return n * self.duration_h + min(self.duration_h, t - self.offset_h - n * self.period_h)

    def edges(self, a: float, b: float) -> list[float]:
        """Return every start and end strictly between a and b."""
        offset_h, period_h, duration_h = self.offset_h, self.period_h, self.duration_h
        after, before = a + SAME_TIME_H, b - SAME_TIME_H
        found: list[float] = []
        n = max(0, math.floor((a - offset_h - duration_h) / period_h))
        # Each start is counted from the first: adding period to period would drift.
        start = offset_h + n * period_h
        while start < before:
            if start > after:
                found.append(start)
            if after < start + duration_h < before:
                found.append(start + duration_h)
            n += 1
            start = offset_h + n * period_h
        return found


@dataclass(frozen=True, slots=True)
class Train:
    """The bursts of ``pieces_count`` equal pieces in step: the greatest of the active ones replaces the rest current."""

    waves: tuple[_Wave, ...]
    rest_a: float
    pieces_count: float
    unit: Draw

    def excess_a(self, t: float) -> float:
        """Return what the pieces draw above rest just after t, on the rail. [A]"""
        active = [w.current_a for w in self.waves if w.is_active(t)]
        return self.pieces_count * (max(active) - self.rest_a) if active else 0.0

    def steps(self, a: float, b: float, excess: float) -> list[tuple[float, float]]:
        """Return (time, change of draw) at every edge strictly between a and b, from the excess drawn just after a. [h, A]"""
        if len(self.waves) == 1:
            # One wave alternates between its start and its end.
            rise = self.pieces_count * (self.waves[0].current_a - self.rest_a)
            sign = -1.0 if excess else 1.0
            found: list[tuple[float, float]] = []
            for edge in self.waves[0].edges(a, b):
                found.append((edge, sign * rise))
                sign = -sign
            return found
        found = []
        active = [wave.is_active(a) for wave in self.waves]
        # Only the wave whose edge it is can have changed: looking at all of them at every edge would be quadratic.
        for edge, n in sorted((edge, n) for n, wave in enumerate(self.waves) for edge in wave.edges(a, b)):
            active[n] = self.waves[n].is_active(edge)
            levels_a = [w.current_a for w, is_on in zip(self.waves, active, strict=True) if is_on]
            now = self.pieces_count * (max(levels_a) - self.rest_a) if levels_a else 0.0
            # Under a greater burst of the same piece a smaller one changes nothing.
            if now != excess:
                found.append((edge, now - excess))
                excess = now
        return found

    def mean_excess_a(self, a: float, b: float) -> float:
        """Return the average excess over rest between two times, whatever phase they fall in. [A]"""
        if len(self.waves) == 1:
            wave = self.waves[0]
            share = (wave.active_h_until(b) - wave.active_h_until(a)) / (b - a)
            return self.pieces_count * (wave.current_a - self.rest_a) * share
        excess = self.excess_a(a)
        total, at = 0.0, a
        for edge, step in self.steps(a, b, excess):
            total += excess * (edge - at)
            at, excess = edge, excess + step
        return (total + excess * (b - at)) / (b - a)

    def excesses_a(self, v: float) -> list[float]:
        """Return what each of its bursts alone draws above rest at the battery, at a voltage. [V, A]"""
        per_a = self.pieces_count * self.unit.at_nominal_a(v)
        return [per_a * (w.current_a - self.rest_a) for w in self.waves]

    def peak_excess_a(self) -> float:
        """Return the greatest excess over rest. [A]"""
        return self.pieces_count * max(0.0, max(w.current_a for w in self.waves) - self.rest_a)


@dataclass(frozen=True, slots=True)
class Floor:
    """What an essential load at the end of a cable asks for at the battery: its least voltage and the drop of its own current just then."""

    owner: str
    min_v: float
    cable_ohm: float
    base: Draw
    trains: tuple[Train, ...]

    def floor_v(self, t: float) -> float:
        """Return the battery voltage that leaves the load its least one, just after t. [V]

        At its limit the load has ``min_v`` at its own terminals, so that is where its draw is taken.
        """
        draw = self.base
        for train in self.trains:
            draw = draw.plus(train.unit.times(train.excess_a(t)))
        return self.min_v + self.cable_ohm * draw.at_nominal_a(self.min_v)

    def floors_v(self, starts_h: Sequence[float]) -> list[float]:
        """Return `floor_v` at rising times, its bursts followed once and not looked up at each. [h, V]"""
        stretches = _stretches(self.base, self.trains, starts_h[0], starts_h[-1] + 2.0 * SAME_TIME_H)
        found: list[float] = []
        n, volts = -1, 0.0
        for t in starts_h:
            after = n
            # A stretch that starts within a hair of a time is the one in force just after it.
            while after + 1 < len(stretches) and stretches[after + 1][0] <= t + SAME_TIME_H:
                after += 1
            if after != n:
                n, volts = after, self.min_v + self.cable_ohm * Draw(*stretches[after][1:]).at_nominal_a(self.min_v)
            found.append(volts)
        return found

    def highest_v(self) -> float:
        """Return the battery voltage that would do at any time: with all its bursts at once. [V]"""
        return self.min_v + self.cable_ohm * _at_once(self.base, self.trains).at_nominal_a(self.min_v)


class Timeline:
    """What a set of loads draws over time in one state (standby or alarm), and what those at the end of a cable ask for meanwhile."""

    def __init__(self, base: Draw, trains: tuple[Train, ...], floors: tuple[Floor, ...] = ()) -> None:
        self.base = base
        self.floors = floors
        # Where no load at the end of a cable has bursts, its floor is the same all the time.
        self.steady_floor_v = max((f.floor_v(0.0) for f in floors), default=0.0) if all(not f.trains for f in floors) else None
        self.trains = trains = _merged(trains)
        self.edges_per_hour = sum(2.0 / w.period_h for t in trains for w in t.waves)
        # A rare burst beside very frequent ones would make the pattern longer than can be walked: it is then seen in one stretch of it.
        longest_h = MOST_EDGES_OF_PATTERN / self.edges_per_hour if trains else 0.0
        self.common_period_h = min(longest_h, common_period_h(w.period_h for t in trains for w in t.waves))
        # From here on the pattern of bursts repeats: not before the last of them has begun, and that may be a month later.
        self.settled_h = max((w.offset_h + w.duration_h for t in trains for w in t.waves), default=0.0)
        self._chunks: dict[tuple[float, float], list[Stretch]] = {}
        self._shares: dict[float, list[tuple[float, float, float, float]]] = {}
        self._window: tuple[float, float, list[Stretch]] | None = None

    def whole_periods(self, until_h: float) -> tuple[float, int]:
        """Return from where on the pattern of bursts repeats in whole periods, and how many of them end before a time. [h]"""
        if self.common_period_h <= 0:
            return 0.0, 0
        from_h = self.common_period_h * math.ceil(self.settled_h / self.common_period_h)
        return from_h, max(0, int((until_h - from_h) / self.common_period_h))

    def peak(self) -> Draw:
        """Return what is drawn at most, every burst at once."""
        return _at_once(self.base, self.trains)

    @cached_property
    def greatest(self) -> tuple[Draw, ...]:
        """Draws of which one is the greatest there is, whatever the voltage; where that cannot be told at little cost, every burst at once."""
        periods_h = {w.period_h for t in self.trains for w in t.waves}
        if len(periods_h) != 1:
            return (self.peak(),)
        # Pieces that follow each other never come together: all that ever comes at once comes within one period.
        levels = {Draw(*level) for _, *level in self.shares(self.settled_h)} | {self.base}
        if len(levels) > MOST_LEVELS:
            return (self.peak(),)
        return tuple(a for a in levels if not any(a != b and all(x <= y for x, y in zip(a, b, strict=True)) for b in levels))

    def spread(self, a: float, b: float) -> Stretch:
        """Return the average draw from a to b as one stretch: exactly the charge of the bursts that fall between."""
        i, p, g = self.base
        for train in self.trains:
            excess = train.mean_excess_a(a, b)
            i, p, g = i + excess * train.unit[0], p + excess * train.unit[1], g + excess * train.unit[2]
        return a, i, p, g

    def stretches(self, a: float, b: float) -> list[Stretch]:
        """Return the stretches of constant demand from a to b; the first starts at a."""
        return _stretches(self.base, self.trains, a, b)

    def chunk(self, a: float, b: float) -> list[Stretch]:
        """Return `stretches`, remembered: the same stretches are walked again with other banks."""
        known = self._chunks.get((a, b))
        if known is None:
            # A long search asks for ever new chunks; what is forgotten is only made again.
            if len(self._chunks) > 512:
                self._chunks.clear()
            known = self._chunks[(a, b)] = self.stretches(a, b)
        return known

    def window(self, a: float, b: float) -> list[Stretch]:
        """Return `stretches`, cut from a remembered stretch: many alarms start close to each other."""
        if not self.trains:
            return [(a, self.base[0], self.base[1], self.base[2])]
        if self._window is None or a < self._window[0] or b > self._window[1]:
            # Searches for a start move to and fro within a period, so the window is cut wide enough for them.
            begin, end = max(0.0, a - self.common_period_h), b + self.common_period_h
            self._window = (begin, end, self.stretches(begin, end))
        stretches = self._window[2]
        # A stretch that starts within a hair of a is the one in force just after a.
        first = max(0, bisect.bisect_right(stretches, (a + SAME_TIME_H, math.inf)) - 1)
        last = bisect.bisect_left(stretches, (b - SAME_TIME_H,))
        _, i, p, g = stretches[first]
        return [(a, i, p, g), *stretches[first + 1 : last]]

    def edges(self, a: float, b: float) -> list[float]:
        """Return every edge strictly between a and b, sorted."""
        return sorted({edge for train in self.trains for wave in train.waves for edge in wave.edges(a, b)})

    def burst_times_h(self, until_h: float, most: int) -> tuple[float, ...]:
        """Return when bursts start until a time, evenly thinned to at most so many. [h]"""
        times: list[float] = []
        for train in self.trains:
            for wave in train.waves:
                count = int(max(0.0, until_h - wave.offset_h) / wave.period_h) + 1
                step = max(1, math.ceil(count / most))
                times += [wave.offset_h + n * wave.period_h for n in range(0, count, step)]
        times = sorted(t for t in times if t <= until_h)
        return tuple(times[:: max(1, math.ceil(len(times) / most))])

    def floor_v(self, t: float) -> float:
        """Return the highest voltage that a load at the end of a cable asks for just after t; 0 without any. [V]"""
        if self.steady_floor_v is not None:
            return self.steady_floor_v
        return max((floor.floor_v(t) for floor in self.floors), default=0.0)

    def ends_v(self, starts_h: Sequence[float], least_v: float) -> list[float]:
        """Return at rising times the voltage that ends the equipment from then on: the least one, or what a load behind a cable asks for. [h, V]"""
        # One that never asks for more, with all its bursts at once, need not be followed.
        asking = [floor for floor, highest_v in zip(self.floors, self._highest_v, strict=True) if highest_v > least_v]
        return [max(least_v, *volts) for volts in zip(*(floor.floors_v(starts_h) for floor in asking), strict=True)] or [least_v] * len(
            starts_h
        )

    @cached_property
    def _highest_v(self) -> list[float]:
        return [floor.highest_v() for floor in self.floors]

    def averaged(self) -> "Timeline":
        """Return the same demand with its bursts spread evenly over time, for a first look: without cables."""
        if not self.trains:
            return self
        shares = self.shares(self.settled_h)
        i, p, g = (sum(share * level[n] for share, *level in shares) for n in range(3))
        return Timeline(Draw(i, p, g), ())

    def shares(self, a: float) -> list[tuple[float, float, float, float]]:
        """Return what share of one common period from a is spent at each draw, remembered: (share, A, W, S)."""
        if a in self._shares:
            return self._shares[a]
        b = a + self.common_period_h
        stretches = self.stretches(a, b)
        ends = [stretch[0] for stretch in stretches[1:]] + [b]
        levels: dict[tuple[float, float, float], float] = {}
        for (t, i, p, g), end in zip(stretches, ends, strict=True):
            level = (round(i, 9), round(p, 9), round(g, 9))
            levels[level] = levels.get(level, 0.0) + (end - t) / (b - a)
        found = self._shares[a] = [(share, *level) for level, share in levels.items()]
        return found


def common_period_h(periods_h: Iterable[float]) -> float:
    """Return after how long a pattern of bursts repeats: 1/gcd of their frequencies, at most 30 of the longest period. [h]"""
    distinct = frozenset(periods_h)
    return _common_period_h(distinct) if distinct else 0.0


@lru_cache(maxsize=1024)
def _common_period_h(periods_h: frozenset[float]) -> float:
    longest_h = max(periods_h)
    denominator, numerator = 1, 0
    for period_h in periods_h:
        frequency = Fraction(1.0 / period_h).limit_denominator(LARGEST_DENOMINATOR)
        # A burst rarer than fractions can tell: the longest interval is all that can be said.
        if frequency <= 0:
            return longest_h
        # gcd of fractions: gcd of the numerators over the lcm of the denominators, all in lowest terms.
        denominator, numerator = math.lcm(denominator, frequency.denominator), math.gcd(numerator, frequency.numerator)
        # It can only become longer, and the whole numbers would soon be greater than any float.
        if denominator > MOST_PERIODS * longest_h * numerator:
            return MOST_PERIODS * longest_h
    return max(longest_h, denominator / numerator)


def _stretches(base: Draw, trains: tuple[Train, ...], a: float, b: float) -> list[Stretch]:
    """Return the stretches of constant demand from a to b; the first starts at a."""
    i, p, g = base
    changes: list[tuple[float, float, float, float]] = []
    for train in trains:
        excess = train.excess_a(a)
        unit_i, unit_p, unit_g = train.unit
        i, p, g = i + excess * unit_i, p + excess * unit_p, g + excess * unit_g
        for edge, step in train.steps(a, b, excess):
            changes.append((edge, step * unit_i, step * unit_p, step * unit_g))
    # Trains are added up by their changes: nobody asks all of them at every instant.
    changes.sort()
    found: list[Stretch] = [(a, i, p, g)]
    for t, di, dp, dg in changes:
        i, p, g = i + di, p + dp, g + dg
        # What is left of adding and taking away the same number is rounding, not draw.
        stretch = (t, i if i > 1e-12 else 0.0, p if p > 1e-12 else 0.0, g if g > 1e-12 else 0.0)
        # Edges that fall together are one change, or a stretch of no length would be walked.
        if t - found[-1][0] <= SAME_TIME_H:
            found[-1] = (found[-1][0], stretch[1], stretch[2], stretch[3])
        else:
            found.append(stretch)
    return found


def _at_once(base: Draw, trains: tuple[Train, ...]) -> Draw:
    return total_draw([base, *(train.unit.times(train.peak_excess_a()) for train in trains)])


def _merged(trains: tuple[Train, ...]) -> tuple[Train, ...]:
    """Return the trains with those that rise and fall at the same instants made one."""
    merged: dict[tuple[float, float, float], Draw] = {}
    others: list[Train] = []
    for train in trains:
        rise_a = train.peak_excess_a()
        if len(train.waves) == 1 and rise_a > 0:
            wave = train.waves[0]
            # Loads bought together pulse together: a row of equal detectors is one train.
            key = (wave.offset_h, wave.period_h, wave.duration_h)
            merged[key] = merged.get(key, NO_DRAW).plus(train.unit.times(rise_a))
        else:
            others.append(train)
    return (*(Train((_Wave(*key, 1.0),), 0.0, 1, draw) for key, draw in merged.items()), *others)


def rest_draw(currents: LoadCurrents, *, in_alarm: bool) -> Draw:
    """Return what all pieces of a load draw between bursts, at the battery."""
    rest_a = currents.alarm_current_a if in_alarm else currents.standby_current_a
    return currents.load.draw_per_amp.times((rest_a + currents.extra_current_a) * currents.load.quantity)


def burst_levels_a(currents: LoadCurrents, *, in_alarm: bool) -> list[float | None]:
    """Return per burst the current it takes in this state, or None where it does not occur in it. [A]

    In alarm the larger of burst and alarm current counts for a burst that goes on always; one that belongs to the alarm replaces it.
    """
    levels: list[float | None] = []
    for burst, current_a in zip(currents.load.bursts, currents.burst_currents_a, strict=True):
        if burst.during is During.ALARM:
            levels.append(current_a if in_alarm else None)
        else:
            levels.append(max(current_a, currents.alarm_current_a) if in_alarm else current_a)
    return levels


def mean_draw(currents: LoadCurrents, *, in_alarm: bool) -> Draw:
    """Return the average draw of all pieces, I = I_rest(1 − Σd) + Σ I_j·d_j, at the battery."""
    rest_a = currents.alarm_current_a if in_alarm else currents.standby_current_a
    mean_a = rest_a
    for burst, level_a in zip(currents.load.bursts, burst_levels_a(currents, in_alarm=in_alarm), strict=True):
        if level_a is not None:
            mean_a += (level_a - rest_a) * burst.duty_ratio
    return currents.load.draw_per_amp.times((mean_a + currents.extra_current_a) * currents.load.quantity)


def peak_draw(currents: LoadCurrents, *, in_alarm: bool) -> Draw:
    """Return what all pieces draw when their bursts coincide, at the battery."""
    rest_a = currents.alarm_current_a if in_alarm else currents.standby_current_a
    levels = [level for level in burst_levels_a(currents, in_alarm=in_alarm) if level is not None]
    return currents.load.draw_per_amp.times((max([rest_a, *levels]) + currents.extra_peak_a) * currents.load.quantity)


def build_timeline(loads: Iterable[LoadCurrents], own: Draw, *, in_alarm: bool, averaged: bool = False) -> Timeline:
    """Return the demand of a supply in one state.

    Parameters
    ----------
    own
        What the supply itself draws.
    averaged
        Spread every burst evenly over time: only for comparison, since it hides the burst that trips a cut-off.
    """
    # A thousand samples are built this way, so the sum is kept in plain numbers.
    i, p, s = own
    trains: list[Train] = []
    floors: list[Floor] = []
    for currents in loads:
        draw, found = contribution(currents, in_alarm=in_alarm, averaged=averaged)
        i, p, s = i + draw[0], p + draw[1], s + draw[2]
        trains += found
        floors += floors_of(currents, draw, found)
    return Timeline(Draw(i, p, s), tuple(trains), tuple(floors))


def asleep_between_bursts(awake: Timeline, asleep: Draw, after_h: float, *, wakes: bool) -> Timeline:
    """Return the demand of a supply whose output sleeps between bursts: each burst wakes it, and it stays awake for so long after. [h]

    ``awake`` is its demand without sleep; asleep nothing but ``asleep`` is drawn, for good where no load ``wakes`` it.
    """
    if not wakes or not awake.trains:
        return Timeline(asleep, ())
    # All at one level: where bursts overlap it is awake once, since a train takes the greatest of what is active.
    waves = tuple(_Wave(w.offset_h, w.period_h, w.duration_h + after_h, 1.0) for train in awake.trains for w in train.waves)
    rest = Draw(*(max(0.0, a - b) for a, b in zip(awake.base, asleep, strict=True)))
    return Timeline(asleep, (Train(waves, 0.0, 1, rest), *awake.trains), awake.floors)


def floors_of(currents: LoadCurrents, draw: Draw, trains: tuple[Train, ...]) -> tuple[Floor, ...]:
    """Return what a load asks for through its cable, from what it contributes: nothing without a cable or a least voltage."""
    load = currents.load
    if not load.essential or load.battery_min_v is None or load.cable_ohm <= 0:
        return ()
    if currents.gathered:
        draw, trains = _at_once(draw, trains), ()
    return (Floor(load.name, load.battery_min_v, load.cable_ohm, draw, trains),)


def contribution(currents: LoadCurrents, *, in_alarm: bool, averaged: bool = False) -> tuple[Draw, tuple[Train, ...]]:
    """Return what one load adds to a supply's demand: a constant draw, and its trains of bursts."""
    if averaged:
        return mean_draw(currents, in_alarm=in_alarm), ()
    rest = rest_draw(currents, in_alarm=in_alarm)
    if not currents.load.bursts:
        return rest, ()
    constant_a, trains = _trains_of(currents, in_alarm=in_alarm)
    return rest.plus(currents.load.draw_per_amp.times(constant_a)), tuple(trains)


def trains_count(currents: LoadCurrents) -> int:
    """Return how many trains of bursts a load may add to a demand, before any of them is made."""
    bursts = [burst for burst in currents.load.bursts if burst.per_hour > 0 and burst.duration_s > 0]
    # Bursts of the alarm alone are not there in standby, and without them the rest may come seldom enough to be told apart.
    states = [bursts, [burst for burst in bursts if burst.during is During.ALWAYS]]
    periods_h = [min(1.0 / burst.per_hour for burst in state) for state in states if state]
    return currents.load.quantity if any(_are_told_apart(currents, period_h) for period_h in periods_h) else len(bursts)


def _are_told_apart(currents: LoadCurrents, period_h: float) -> bool:
    """Say whether each staggered piece has a train of its own, with bursts that come so often: not where together they come all the time."""
    return not currents.pieces_coincide and not currents.gathered and currents.load.quantity / period_h <= 1.0 / GATHER_PERIOD_H


def _trains_of(currents: LoadCurrents, *, in_alarm: bool) -> tuple[float, list[Train]]:
    """Return a constant excess and the trains of one load. [A]"""
    load = currents.load
    rest_a = currents.alarm_current_a if in_alarm else currents.standby_current_a
    waves = [
        _Wave(burst.offset_s / SECONDS_PER_HOUR, 1.0 / burst.per_hour, burst.duration_s / SECONDS_PER_HOUR, level_a)
        for burst, level_a in zip(load.bursts, burst_levels_a(currents, in_alarm=in_alarm), strict=True)
        if level_a is not None and burst.per_hour > 0 and burst.duration_s > 0
    ]
    # A burst that takes what is taken anyway changes nothing, and would only cost time.
    if not waves or all(wave.current_a == rest_a for wave in waves):
        return 0.0, []
    if currents.pieces_coincide or load.quantity == 1:
        return 0.0, [Train(tuple(_gathered(w) for w in waves), rest_a, load.quantity, load.draw_per_amp)]
    if _are_told_apart(currents, min(w.period_h for w in waves)):
        return 0.0, [
            Train(
                tuple(_gathered(_Wave(w.offset_h + i * w.period_h / load.quantity, w.period_h, w.duration_h, w.current_a)) for w in waves),
                rest_a,
                1,
                load.draw_per_amp,
            )
            for i in range(load.quantity)
        ]
    # Very many staggered pieces: a whole number of them is always active, and one more for the rest of each interval.
    constant_a, trains = 0.0, []
    for w in waves:
        interval_h = w.period_h / load.quantity
        always_count, rest_h = divmod(w.duration_h, interval_h)
        constant_a += always_count * (w.current_a - rest_a)
        if rest_h > 0:
            wave = _gathered(_Wave(w.offset_h, interval_h, rest_h, w.current_a))
            trains.append(Train((wave,), rest_a, 1, load.draw_per_amp))
    return constant_a, trains


def _gathered(wave: _Wave) -> _Wave:
    """Return a burst that recurs no faster than every ten seconds, with the same duty and peak."""
    if wave.period_h >= GATHER_PERIOD_H:
        return wave
    times_count = math.ceil(GATHER_PERIOD_H / wave.period_h)
    return _Wave(wave.offset_h, wave.period_h * times_count, wave.duration_h * times_count, wave.current_a)


def total_draw(draws: Iterable[Draw]) -> Draw:
    """Return several draws together."""
    total = NO_DRAW
    for draw in draws:
        total = total.plus(draw)
    return total
