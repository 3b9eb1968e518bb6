"""A selector of ideal diodes: the input with the highest voltage under the load feeds, and equal ones share."""

from typing import NamedTuple

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.law import relax, terminal
from ypomoni.core.outage.run import HORIZON_H
from ypomoni.core.outage.selecting.diodes import Source, share_out
from ypomoni.core.outage.selecting.model import Amounts, Input, Selected, SelectorPlayer
from ypomoni.core.things.loads import Load
from ypomoni.core.units import SECONDS_PER_HOUR

# What a step may take of a bank, and how much of the load may move from one input to another within half of it, down to so short a step.
STEP_RATIO, MOVED_RATIO = 1.0 / 400.0, 0.01
SHORT_H, SHORTEST_H = 20.0 / SECONDS_PER_HOUR, 0.1 / SECONDS_PER_HOUR
NOTHING_A = 1e-9
EDGES_PER_CHUNK = 240.0
# Beyond so many changes of demand in all, those long before the end are spread evenly; so many before the end are followed one by one.
MOST_EDGES, EXPLICIT_EDGES = 1_500.0, 250.0
# With more bursts than this in an hour they are spread evenly to the end.
MOST_EDGES_AN_HOUR = 400.0


class _Standing(NamedTuple):
    """Where it stands at a time: every bank with its charge and whether it is open, and how much was noted by then. [h, Ah]"""

    t_h: float
    banks: tuple[tuple[float, float, bool], ...]
    fed: frozenset[int]
    changes_count: int
    looks_count: int


class HighestVoltage(SelectorPlayer):
    """Plays one selector once."""

    def __init__(self, inputs: list[Input], loads: tuple[Load, ...], looks_count: int) -> None:
        super().__init__(inputs, loads, looks_count)
        # What the loads ask of a straight battery is what they ask of the wire behind the diodes.
        straight = next((i.supply for i in inputs if not i.is_regulated), inputs[0].supply)
        self.timeline = Case(straight.as_wire(straight.nominal_v), loads).timelines(cold=False)[0]
        self.fed: set[int] = set()
        # While bursts are spread evenly: where it stands after each step, with what is fed by then.
        self.passed: list[_Standing] | None = None

    def play(self) -> Selected:
        """Play until a load is dead: with very many bursts the early ones spread evenly, all near the end one by one."""
        explicit, averaged = self.timeline, self.timeline.averaged()
        whole_h = sum(i.pack.capacity_ah / i.mean_a for i in self.inputs)
        if explicit.edges_per_hour * whole_h <= MOST_EDGES:
            return self._walk(HORIZON_H)
        self.timeline, self.passed = averaged, [self._standing()]
        found = self._walk(HORIZON_H)
        if explicit.edges_per_hour > MOST_EDGES_AN_HOUR:
            return found
        self.timeline = explicit
        back_h = EXPLICIT_EDGES / explicit.edges_per_hour
        peak = explicit.peak()
        begin, changes, looks = self.passed[0], self.changes, self.looks
        for passed in self.passed:
            self._stand(passed)
            self.changes, self.looks = changes, looks
            bus_v, _ = self._share((peak.current_a, peak.power_w, peak.conductance_siemens))
            if passed.t_h > found.holdover_h - back_h or bus_v <= 0 or bus_v < self.needs(explicit, passed.t_h)[0]:
                break
            begin = passed
        # Closer to the end by at least one whole stretch of bursts than where a burst may trip it.
        earlier = [p for p in self.passed if p.t_h <= begin.t_h - back_h]
        self._stand(earlier[-1] if earlier else self.passed[0])
        self.passed = None
        return self._walk(HORIZON_H)

    def _standing(self) -> "_Standing":
        banks = tuple((i.u_ah, i.d_ah, i.is_open) for i in self.inputs)
        return _Standing(self.t, banks, frozenset(self.fed), len(self.changes), len(self.looks))

    def _stand(self, at: "_Standing") -> None:
        """Go back to where it stood."""
        self.t, self.fed = at.t_h, set(at.fed)
        self.changes, self.looks = self.changes[: at.changes_count], self.looks[: at.looks_count]
        for i, (u_ah, d_ah, is_open) in zip(self.inputs, at.banks, strict=True):
            i.u_ah, i.d_ah, i.is_open = u_ah, d_ah, is_open

    def _walk(self, until_h: float) -> Selected:
        length_h = max(0.05, EDGES_PER_CHUNK / self.timeline.edges_per_hour) if self.timeline.trains else HORIZON_H
        while self.t < until_h:
            end_h = min(until_h, self.t + length_h)
            stretches = self.timeline.stretches(self.t, end_h)
            for n, (begin_h, i, p, s) in enumerate(stretches):
                self.t = begin_h
                needs_v, owner = self.needs(self.timeline, begin_h)
                seen_v = self._stretch((i, p, s), stretches[n + 1][0] if n + 1 < len(stretches) else end_h, needs_v)
                if seen_v is not None:
                    in_burst = (i, p, s) != tuple(self.timeline.base)
                    return self.ended(owner, needs_v, seen_v, in_burst=in_burst, collapsed=seen_v <= 0)
            self.t = end_h
        return self.outlasted()

    def _stretch(self, draw: Amounts, stop_h: float, needs_v: float) -> float | None:
        """Play one stretch of constant demand; return what the load is fed with where it is dead. [V]"""
        dt = stop_h - self.t
        while self.t < stop_h:
            bus_v, amps = self._share(draw)
            while self._opens(amps):
                bus_v, amps = self._share(draw)
            self._note(amps, bus_v)
            if bus_v <= 0 or bus_v < needs_v:
                return bus_v
            dt = min(dt, stop_h - self.t, self._longest_h(amps))
            before = [(i.u_ah, i.d_ah) for i in self.inputs]
            self._move(amps, 0.5 * dt)
            middle_v, middle = self._share(draw)
            self._put(before)
            # While the load moves from one input to another, steps are short.
            moved_a = max((abs(m - a) for m, a in zip(middle, amps, strict=True)), default=0.0)
            if moved_a > MOVED_RATIO * sum(amps) and dt > SHORT_H:
                dt = max(0.5 * dt, 0.9 * SHORT_H)
                continue
            self._move(middle if middle_v > 0 else amps, dt)
            after_v, after = self._share(draw)
            # What happens within a step is closed in on, and happens at the beginning of the next.
            if (after_v <= 0 or after_v < needs_v or self._would_open(after)) and dt > SHORTEST_H:
                self._put(before)
                dt = max(0.25 * dt, 0.9 * SHORTEST_H)
                continue
            self.t += dt
            dt *= 2.0
            if self.passed is not None:
                self.passed.append(self._standing())
        return None

    def _given(self, i: Input, output_a: float) -> Amounts:
        """Return what an input's battery gives for a current behind its diode."""
        own = i.supply.own_draw if output_a > NOTHING_A else None
        burns_w = own.power_w if own else 0.0
        if i.supply.feed is None:
            return i.supply.own_current_a + output_a, burns_w, 0.0
        return i.supply.own_current_a, burns_w + output_a * i.held_v / i.supply.feed.efficiency_ratio, 0.0

    def _would_open(self, amps: list[float]) -> list[Input]:
        return [
            i
            for i, a in zip(self.inputs, amps, strict=True)
            if not i.is_open and i.opens_v > 0 and i.battery_v(self._given(i, a)) < i.opens_v
        ]

    def _opens(self, amps: list[float]) -> bool:
        """Open the disconnects whose voltage is reached; say whether any did."""
        opening = self._would_open(amps)
        # A regulated output whose battery cannot carry it any more stops as well.
        opening += [
            i
            for i, a in zip(self.inputs, amps, strict=True)
            if not i.is_open and i.is_regulated and a > NOTHING_A and i.battery_v(self._given(i, a)) <= 0
        ]
        for i in opening:
            i.is_open = True
        return bool(opening)

    def _share(self, draw: Amounts) -> tuple[float, list[float]]:
        """Return the voltage behind the diodes, and what each input gives there. [V, A]"""
        return share_out(
            [
                None
                if i.is_open
                else Source(
                    pack=i.pack, u_ah=i.u_ah, d_ah=i.d_ah, own_a=i.supply.own_current_a, output_v=i.held_v if i.is_regulated else None
                )
                for i in self.inputs
            ],
            draw,
        )

    def _longest_h(self, amps: list[float]) -> float:
        found = self.look_every_h
        for i, a in zip(self.inputs, amps, strict=True):
            current_a = terminal(i.pack, i.u_ah, i.d_ah, *self._given(i, a))[0] + i.pack.self_a
            if current_a > 0:
                found = min(found, STEP_RATIO * i.pack.capacity_ah / current_a)
        return found

    def _move(self, amps: list[float], dt: float) -> None:
        for i, a in zip(self.inputs, amps, strict=True):
            current_a = terminal(i.pack, i.u_ah, i.d_ah, *self._given(i, a))[0]
            i.u_ah, i.d_ah = relax(i.pack, i.u_ah, i.d_ah, current_a, dt)

    def _put(self, states: list[tuple[float, float]]) -> None:
        for i, (u, d) in zip(self.inputs, states, strict=True):
            i.u_ah, i.d_ah = u, d

    def _note(self, amps: list[float], bus_v: float) -> None:
        """Note an input that begins to feed, and for a picture what is seen."""
        for n, a in enumerate(amps):
            if a > NOTHING_A and n not in self.fed:
                self.fed.add(n)
                self.feed_from(self.inputs[n])
        if not self.looks or self.t >= self.looks[-1].t_h + 0.5 * self.look_every_h:
            strongest = max(range(len(amps)), key=lambda n: amps[n])
            volts = [i.shows_v(self._given(i, a)) for i, a in zip(self.inputs, amps, strict=True)]
            self.look(bus_v, self.inputs[strongest] if amps[strongest] > NOTHING_A else None, volts)
