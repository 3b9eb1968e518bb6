"""Batteries and regulated outputs behind ideal diodes at one instant: at which voltage they share a load, and what each gives.

A battery gives the current at which its terminals come down to the voltage behind the diodes; a regulated output holds its own voltage. What
the load takes there is a current, a power and a conductance.
"""

import math
from collections.abc import Callable
from typing import NamedTuple

from ypomoni.core.things.batteries import Pack

ROUNDS = 60
CLOSE_V, CLOSE_A = 1e-7, 1e-9
STEPS_DOWN = 40

Currents = Callable[[float], float]


class Source(NamedTuple):
    """One source: a bank at its state with what its supply draws itself, or an output that holds a voltage. [Ah, A, V]"""

    pack: Pack
    u_ah: float
    d_ah: float
    own_a: float
    output_v: float | None


def share_out(sources: list[Source | None], draw: tuple[float, float, float]) -> tuple[float, list[float]]:
    """Return the voltage behind the diodes and what each source gives; (0, nothing) where they cannot carry the load together. [V, A]"""
    held_v = max((s.output_v for s in sources if s is not None and s.output_v is not None), default=0.0)
    straight = [(n, _Curve(s)) for n, s in enumerate(sources) if s is not None and s.output_v is None]

    def given(v: float) -> float:
        return sum(c.current_a(v) for _, c in straight)

    def asked(v: float) -> float:
        return draw[0] + draw[1] / v + draw[2] * v

    amps = [0.0] * len(sources)
    if held_v > 0:
        # A regulated output holds its voltage and gives what the batteries behind the other diodes do not.
        missing_a = asked(held_v) - given(held_v)
        if missing_a >= 0:
            for n, c in straight:
                amps[n] = c.current_a(held_v)
            holding = [n for n, s in enumerate(sources) if s is not None and s.output_v is not None and s.output_v >= held_v - 1e-9]
            for n in holding:
                amps[n] = missing_a / len(holding)
            return held_v, amps
    # No output holds: the bus falls to where all together give what is asked, and that lies below the highest voltage at rest.
    top_v = max((c.rest_v for _, c in straight), default=0.0)
    if top_v <= 0:
        return 0.0, amps
    found_v = _highest_balance_v(given, asked, held_v, top_v)
    if found_v is None:
        return 0.0, amps
    for n, c in straight:
        amps[n] = c.current_a(found_v)
    return found_v, amps


def _highest_balance_v(given: Currents, asked: Currents, low_v: float, top_v: float) -> float | None:
    """Return the highest voltage at which as much is given as is asked; None where that is nowhere. [V]"""
    # Nothing is asked that lifts a current above nothing: every source is at rest.
    if asked(top_v) <= given(top_v):
        return top_v
    high, missing = top_v, given(top_v) - asked(top_v)
    # A power asks for more the lower the voltage: below a fiftieth nothing balances any more.
    floor_v = max(low_v, 0.02 * top_v)
    for n in range(1, STEPS_DOWN + 1):
        # Small steps first: a sound bus sags little, and of several balances the highest is the one that is reached from rest.
        low = top_v - (top_v - floor_v) * (n / STEPS_DOWN) ** 2
        left = given(low) - asked(low)
        if left >= 0:
            break
        high, missing = low, left
    else:
        return None
    # Between the two by false position, the end that stays halved in weight (Illinois).
    side = 0
    for _ in range(ROUNDS):
        if high - low < CLOSE_V:
            break
        v = (low * missing - high * left) / (missing - left) if missing != left else 0.5 * (low + high)
        now = given(v) - asked(v)
        if now >= 0:
            if side > 0:
                missing *= 0.5
            low, left, side = v, now, 1
            if now < CLOSE_A:
                break
        else:
            if side < 0:
                left *= 0.5
            high, missing, side = v, now, -1
    return low


class _Curve:
    """What a bank at its state gives at a voltage."""

    def __init__(self, source: Source) -> None:
        pack = source.pack
        h = 1.0 - (source.u_ah + source.d_ah) / pack.capacity_ah
        self.own_a = source.own_a
        self.last_a = 0.0
        if h <= 0.0:
            self.e_v, self.r_ohm, self.b_v, self.per_a = 0.0, 1.0, 0.0, 1.0
        else:
            growth = 1.0 + pack.g * (1.0 - h) / h
            self.e_v, self.r_ohm = pack.curve.at(h), pack.resistance_ohm * growth
            self.b_v, self.per_a = pack.activation_v, growth / pack.exchange_a
        self.rest_v = self._volts(self.own_a) if self.e_v > 0 else 0.0

    def _volts(self, current_a: float) -> float:
        return self.e_v - self.r_ohm * current_a - self.b_v * math.asinh(current_a * self.per_a)

    def current_a(self, v: float) -> float:
        """Return what it gives beside its own draw; nothing where it shows less than that. [A]"""
        if v >= self.rest_v:
            return 0.0
        if self.b_v == 0.0:
            return max(0.0, (self.e_v - v) / self.r_ohm - self.own_a)
        # The voltage falls with the current and bends upward: from below Newton never steps past, and from above it does so once.
        whole = self.last_a
        for _ in range(40):
            x = whole * self.per_a
            step = (self.e_v - self.r_ohm * whole - self.b_v * math.asinh(x) - v) / (
                self.r_ohm + self.b_v * self.per_a / math.sqrt(1.0 + x * x)
            )
            whole = max(0.0, whole + step)
            if abs(step) < 1e-9 * max(1e-3, whole):
                break
        self.last_a = whole
        return max(0.0, whole - self.own_a)
