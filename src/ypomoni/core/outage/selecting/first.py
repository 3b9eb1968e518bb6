"""A selector that takes the first input with a voltage: that one feeds alone."""

import math

from ypomoni.core.bracketing import bracket
from ypomoni.core.outage.law import COLLAPSED
from ypomoni.core.outage.run import HORIZON_H
from ypomoni.core.outage.selecting.model import Input, Selected, SelectorPlayer
from ypomoni.core.outage.walk import walk
from ypomoni.core.things.loads import Load
from ypomoni.core.things.selectors import Selector
from ypomoni.core.units import SECONDS_PER_HOUR

# It goes back to an earlier input no sooner than this after it has changed. [h]
LEAST_PAUSE_H = 60.0 / SECONDS_PER_HOUR
# While a battery recovers from its load it is looked at so often, and for so long, in parts of the time its charge takes to spread.
RECOVERY_STEP, RECOVERED_AFTER = 0.1, 10.0
EDGES_PER_CHUNK = 240.0
# Beyond so many changes it is left on the input it is on.
MOST_CHANGES = 5_000
INSTANT_H = 0.01 / SECONDS_PER_HOUR
# A voltage that still stands so far above every limit at the end has collapsed.
COLLAPSE_RATIO = 1.002
ANY_V = 1e-6


class FirstPresent(SelectorPlayer):
    """Plays one selector once."""

    def __init__(
        self, selector: Selector, inputs: list[Input], loads: tuple[Load, ...], looks_count: int, most_changes: int = MOST_CHANGES
    ) -> None:
        super().__init__(inputs, loads, looks_count)
        self.most_changes = most_changes
        self.below_v = max(selector.switch_below_v, ANY_V)
        self.above_v = max(selector.returns_above_v, ANY_V)
        self.at = 0
        self.changed_h = 0.0
        # It stays on an input below its limit where no other is there to change to.
        self.holds_on = False

    def play(self) -> Selected:
        """Play until a load is dead."""
        first = self._next(0)
        # With nothing above its limit it stands on the first that has any voltage.
        self.at = first if first is not None else self._next(0, ANY_V) or 0
        self.holds_on = first is None
        self.feed_from(self.inputs[self.at])
        while self.t < HORIZON_H:
            found = self._step()
            if found is not None:
                return found
        return self.outlasted()

    def _next(self, first: int, at_least_v: float | None = None) -> int | None:
        """Return the first input from one on that bears the load."""
        least_v = self.below_v if at_least_v is None else at_least_v
        return next((n for n in range(first, len(self.inputs)) if self._under_load_v(n) >= least_v), None)

    def _under_load_v(self, n: int) -> float:
        return self.inputs[n].shows_v(self.inputs[n].draw_at(self.t + INSTANT_H))

    def _change_to(self, n: int) -> None:
        self.inputs[self.at].left_at_h = self.t
        self.at, self.changed_h, self.holds_on = n, self.t, False
        self.feed_from(self.inputs[n])

    def _step(self) -> Selected | None:
        """Play one chunk: to the next change, to an earlier input's return, or to the end."""
        feeding = self.inputs[self.at]
        until_h = self._chunk_end_h()
        # An earlier input that recovers at rest takes over in the middle of a walk, so the walk must not pass that moment.
        back = self._return_within(until_h)
        if back is not None:
            if back[0] <= self.t:
                self._go_back(back[1])
                return None
            until_h = min(until_h, back[0])
        stops_at_h = math.inf if feeding.stops_after_h is None else self.changed_h + feeding.stops_after_h
        until_h = min(until_h, self.t + self.look_every_h, max(stops_at_h, self.t))
        self._look()
        if feeding.is_regulated:
            needs_v, owner = self.needs_of_output()
            if feeding.held_v < needs_v - 1e-9:
                return self.ended(owner, needs_v, feeding.held_v)
        if until_h > self.t:
            stopped = self._walk(feeding, until_h)
            if stopped is not None:
                return stopped if isinstance(stopped, Selected) else None
        if self.t >= stops_at_h - INSTANT_H:
            # So little hangs on it that it takes the load for gone.
            feeding.is_open = True
            return self._leave()
        return None

    def _walk(self, feeding: Input, until_h: float) -> Selected | bool | None:
        """Walk the input that feeds to a time. None where it gets there; True where it was left before; what was played where a load is dead."""
        stretches = feeding.timeline.stretches(self.t, until_h)
        for n, stretch in enumerate(stretches):
            stop_h = stretches[n + 1][0] if n + 1 < len(stretches) else until_h
            # What an output holds was compared with what its loads need before.
            needs_v, owner = (0.0, None) if feeding.is_regulated else self.needs(feeding.timeline, stretch[0])
            # A regulated output shows its voltage to the last, so the selector never sees it sink.
            leaves_v = 0.0 if feeding.is_regulated or self.holds_on else self.below_v
            limit_v = max(feeding.opens_v, leaves_v, needs_v)
            stop = walk(feeding.pack, limit_v, feeding.u_ah, feeding.d_ah, [stretch], stop_h)
            for other in self.inputs:
                if other is not feeding:
                    other.rest(stop.t_h - stretch[0])
            feeding.u_ah, feeding.d_ah, self.t = stop.u_ah, stop.d_ah, stop.t_h
            if not stop.ended:
                continue
            v = feeding.battery_v(stretch[1:])
            collapsed = v == COLLAPSED or v > COLLAPSE_RATIO * limit_v
            if collapsed or (feeding.opens_v > 0 and feeding.opens_v >= max(leaves_v, needs_v)):
                feeding.is_open = True
                return self._leave(collapsed=collapsed) or True
            if leaves_v >= needs_v:
                following = self._next(self.at + 1)
                if following is None:
                    self.holds_on = True
                else:
                    self._change_to(following)
                return True
            self._look()
            return self.ended(owner, needs_v, v, in_burst=tuple(stretch[1:]) != tuple(feeding.timeline.base))
        return None

    def _leave(self, *, collapsed: bool = False) -> Selected | None:
        """Leave an input that stopped: for the next, for an earlier one, for one below the limit, or for good."""
        following = self._next(self.at + 1)
        if following is None:
            following = next((n for n in range(self.at) if self._rest_v(n) >= self.above_v and self._under_load_v(n) >= ANY_V), None)
        holds_on = following is None
        if following is None:
            following = self._next(self.at + 1, ANY_V)
        if following is None:
            self._look()
            return self.ended(None, None, None, collapsed=collapsed)
        self._change_to(following)
        self.holds_on = holds_on
        return None

    def _rest_v(self, n: int, after_h: float = 0.0) -> float:
        """Return what an input shows at rest, so long from now. [V]"""
        return self.inputs[n].shows_v(self.inputs[n].resting, after_h)

    def _return_within(self, until_h: float) -> tuple[float, int] | None:
        """Return when an earlier input may feed again before a time, and which. [h]"""
        if self.at == 0 or len(self.changes) > self.most_changes:
            return None
        earliest_h = max(self.t, self.changed_h + LEAST_PAUSE_H)
        found: tuple[float, int] | None = None
        for n in range(self.at):
            if self._rest_v(n, earliest_h - self.t) >= self.above_v:
                return earliest_h, n
            if until_h <= earliest_h or self._rest_v(n, until_h - self.t) < self.above_v:
                continue
            at_h = bracket(lambda t, n=n: self._rest_v(n, t - self.t) < self.above_v, earliest_h, until_h, width=INSTANT_H)[1]
            if found is None or at_h < found[0]:
                found = (at_h, n)
        return found

    def _go_back(self, n: int) -> None:
        """Go back to an earlier input; where it does not bear the load it is left again at once."""
        self._change_to(n)
        # At rest it showed enough; under the load it may not.
        if self._under_load_v(n) >= self.below_v:
            return
        following = self._next(n + 1)
        if following is None:
            self.holds_on = True
        else:
            self._change_to(following)

    def _chunk_end_h(self) -> float:
        """Return how far to walk in one go: not past many bursts, nor past much of the recovery of an earlier input. [h]"""
        timeline, length_h = self.inputs[self.at].timeline, HORIZON_H
        if timeline.trains:
            length_h = max(0.05, EDGES_PER_CHUNK / timeline.edges_per_hour)
        for earlier in self.inputs[: self.at]:
            if not earlier.is_open and self.t - earlier.left_at_h < RECOVERED_AFTER / earlier.pack.k_per_h:
                length_h = min(length_h, max(RECOVERY_STEP / earlier.pack.k_per_h, LEAST_PAUSE_H))
        return min(HORIZON_H, self.t + length_h)

    def _look(self) -> None:
        if self.look_every_h < math.inf:
            volts = [self._under_load_v(n) if n == self.at else self._rest_v(n) for n in range(len(self.inputs))]
            self.look(volts[self.at], self.inputs[self.at], volts)
