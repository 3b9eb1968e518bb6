"""One walk of a pack along stretches of constant demand. The hot path: plain floats, no objects in the loop.

The law is `law`'s, written out for speed. At a constant current V has no minimum within a stretch, so its ends find every crossing. Power and conductance are walked with the current at the
middle of steps in which it changes by at most 0.5 %.
"""

import math
from bisect import bisect_right
from typing import NamedTuple

from ypomoni.core.bracketing import bracket_root
from ypomoni.core.outage.demand import Stretch
from ypomoni.core.outage.law import COLLAPSED, relax, terminal
from ypomoni.core.things.batteries import Pack

CURRENT_CHANGE_RATIO = 0.005
SHORTEST_STEP_H = 1e-4
NEAR_V = 0.2
NEGLIGIBLE_H = 0.1 / 3600.0


class Stop(NamedTuple):
    """Where a walk stopped: time, state, and whether the equipment's end was reached there."""

    t_h: float
    u_ah: float
    d_ah: float
    ended: bool


def walk(
    pack: Pack,
    threshold_v: float,
    u: float,
    d: float,
    stretches: list[Stretch],
    until_h: float,
    trace: list[tuple[float, float, float]] | None = None,
    *,
    locate: bool = True,
) -> Stop:
    """Walk along stretches until ``until_h`` or the equipment's end.

    Parameters
    ----------
    threshold_v
        The end: the terminal voltage falls below it, or collapses. [V]
    trace
        Where to note (t, u, d) at the end of every stretch that was survived.
    locate
        Find the instant of the end; without it the start of the stretch is given, which is enough to know that it failed.
    """
    q, rb, gg, k, r1, lost = pack.capacity_ah, pack.resistance_ohm, pack.g, pack.k_per_h, pack.r1_h, pack.self_a
    # G is 1 + g·(1 − h)/h; written so it takes fewer operations.
    g1, act, per_exchange = 1.0 - gg, pack.activation_v, 1.0 / pack.exchange_a
    heads, bases, slopes = pack.curve
    exp, asinh, sqrt = math.exp, math.asinh, math.sqrt
    h = 1.0 - (u + d) / q
    # The segment of the curve that the head is in is carried along: the head moves little, so the next one is looked for beside it. What was
    # computed at the end of one stretch holds at the start of the next.
    seg, e, growth, is_stale = 0, 0.0, 1.0, True
    drawn: dict[tuple[float, float, float], float] = {}
    last = len(stretches) - 1
    for n, (t, i, p, s) in enumerate(stretches):
        end = stretches[n + 1][0] if n < last else until_h
        dt = end - t
        if p == 0.0 and s == 0.0:
            if h <= 0.0:
                return Stop(t, u, d, True)
            if is_stale:
                seg = bisect_right(heads, h) - 1
                e, growth, is_stale = bases[seg] + slopes[seg] * h, g1 + gg / h, False
            if e - i * rb * growth - act * asinh(i * growth * per_exchange) < threshold_v:
                return Stop(t, u, d, True)
            decay = exp(-k * dt)
            u1, d1 = u + (i + lost) * dt, d * decay + i * r1 * (1.0 - decay)
            h = 1.0 - (u1 + d1) / q
            if h > 0.0:
                while h < heads[seg]:
                    seg -= 1
                while h >= heads[seg + 1]:
                    seg += 1
                e, growth = bases[seg] + slopes[seg] * h, g1 + gg / h
                if e - i * rb * growth - act * asinh(i * growth * per_exchange) >= threshold_v:
                    u, d = u1, d1
                    if trace is not None:
                        trace.append((end, u, d))
                    continue
            return _crossing(pack, threshold_v, t, u, d, (i, p, s), i, dt) if locate else Stop(t, u, d, True)
        # A short stretch hardly changes its current: one trapezoid. Anything else is walked in steps.
        if h > 0.0:
            if is_stale:
                seg = bisect_right(heads, h) - 1
                e, growth, is_stale = bases[seg] + slopes[seg] * h, g1 + gg / h, False
            # The activation loss is taken at the current of the last time the same was drawn, which has hardly moved since.
            draw = i, p, s
            guess = drawn.get(draw) or terminal(pack, u, d, i, p, s)[0]
            r = rb * growth
            a, b = 1.0 + r * s, e - act * asinh(guess * growth * per_exchange) - r * i
            root = b * b - 4.0 * a * r * p
            if root >= 0.0 and b > 0.0:
                v = (b + sqrt(root)) / (2.0 * a)
                i0 = i + p / v + s * v
                decay = exp(-k * dt)
                gain = r1 * (1.0 - decay)
                h1 = 1.0 - (u + (i0 + lost) * dt + d * decay + i0 * gain) / q
                if v >= threshold_v and h1 > 0.0:
                    while h1 < heads[seg]:
                        seg -= 1
                    while h1 >= heads[seg + 1]:
                        seg += 1
                    growth1 = g1 + gg / h1
                    r = rb * growth1
                    a, b = 1.0 + r * s, bases[seg] + slopes[seg] * h1 - act * asinh(i0 * growth1 * per_exchange) - r * i
                    root = b * b - 4.0 * a * r * p
                    if root >= 0.0 and b > 0.0:
                        v = (b + sqrt(root)) / (2.0 * a)
                        i1 = i + p / v + s * v
                        change = abs(i1 - i0)
                        # Its end voltage is that of the first current: close to the threshold only a short stretch may do. Further from the
                        # threshold than any step moves the voltage, it does not matter at which current the end was looked at.
                        sure = v >= threshold_v + NEAR_V or (v >= threshold_v and change * dt <= NEGLIGIBLE_H * i0)
                        if sure and change <= CURRENT_CHANGE_RATIO * i0:
                            mean = 0.5 * (i0 + i1)
                            u, d = u + (mean + lost) * dt, d * decay + mean * gain
                            h = 1.0 - (u + d) / q
                            # The head differs from h1 by half the change only, so it lies in the same segment or beside it.
                            if heads[seg] <= h < heads[seg + 1]:
                                e, growth = bases[seg] + slopes[seg] * h, g1 + gg / h
                            else:
                                is_stale = True
                            drawn[draw] = i1
                            if trace is not None:
                                trace.append((end, u, d))
                            continue
                    # What is walked in steps starts from where this began.
                    is_stale = True
        # The short way was not sure enough: collapse, the threshold or a current that changes is near.
        stop = _walk_mixed(pack, threshold_v, t, u, d, (i, p, s), end, locate=locate)
        if stop.ended:
            return stop
        u, d = stop.u_ah, stop.d_ah
        h, is_stale = 1.0 - (u + d) / q, True
        if trace is not None:
            trace.append((end, u, d))
    return Stop(until_h, u, d, False)


def _walk_mixed(
    pack: Pack, threshold_v: float, t: float, u: float, d: float, draw: tuple[float, float, float], end: float, *, locate: bool
) -> Stop:
    """Walk one stretch in steps. Most of all time goes here: `relax` is written out, its exponential taken once for half and whole."""
    i0, v0 = terminal(pack, u, d, *draw)
    if v0 < threshold_v:
        return Stop(t, u, d, True)
    i, p, s = draw
    k, r1, lost, exp = pack.k_per_h, pack.r1_h, pack.self_a, math.exp
    dt = end - t
    while t < end:
        if dt > end - t:
            dt = end - t
        # The mean is the current at the middle of the step.
        half = exp(-0.5 * k * dt)
        mean, v1 = terminal(pack, u + (i0 + lost) * 0.5 * dt, d * half + i0 * r1 * (1.0 - half), i, p, s)
        # The middle collapses: the step is far too long, and the change of current below has it cut to a quarter.
        if v1 == COLLAPSED:
            mean, u1, d1, i1 = i0, u, d, 0.0
        else:
            whole = half * half
            u1, d1 = u + (mean + lost) * dt, d * whole + mean * r1 * (1.0 - whole)
            i1, v1 = terminal(pack, u1, d1, i, p, s)
        # The middle counts too: a step far too long can come back to a current like the first.
        change_ratio = max(abs(i1 - i0), abs(mean - i0)) / i0 if i0 else 0.0
        # The change grows about in proportion to the step: aim a fifth below what is allowed, so that the next try is taken.
        if change_ratio > CURRENT_CHANGE_RATIO and dt > SHORTEST_STEP_H:
            dt *= 0.25 if v1 == COLLAPSED else max(0.1, 0.8 * CURRENT_CHANGE_RATIO / change_ratio)
            continue
        if v1 < threshold_v:
            return _crossing(pack, threshold_v, t, u, d, draw, mean, dt) if locate else Stop(t, u, d, True)
        t, u, d, i0 = t + dt, u1, d1, i1
        dt *= min(4.0, 0.8 * CURRENT_CHANGE_RATIO / change_ratio) if change_ratio > 0 else 4.0
    return Stop(end, u, d, False)


def _crossing(
    pack: Pack, threshold_v: float, t: float, u: float, d: float, draw: tuple[float, float, float], current: float, dt: float
) -> Stop:
    """Return the last instant of a stretch at which the end has not been reached."""

    def spare_v(after: float) -> float:
        return terminal(pack, *relax(pack, u, d, current, after), *draw)[1] - threshold_v

    # By then all the charge there is has been removed; of what lies beyond, no margin can be told.
    spent_h = (pack.capacity_ah - u) / (current + pack.self_a) if current + pack.self_a > 0 else dt
    low, _ = bracket_root(spare_v, 0.0, min(dt, max(spent_h, 0.0)), width=1e-7)
    u1, d1 = relax(pack, u, d, current, low)
    return Stop(t + low, u1, d1, True)
