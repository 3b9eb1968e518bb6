"""What a battery does, said once: its terminal voltage at a state, and how its state moves, discharging and charging.

A state is u, the charge removed, and d, the charge that is there but not available yet [Ah]; its head is h = 1 − (u + d)/q.

* Voltage: V = E(h) − I·Rb·G − b·asinh(I·G/i0) with G = 1 + g·(1 − h)/h: what falls in straight proportion, and the activation loss.
* At a constant current over dt, exactly: u += (I + I_self)·dt, d = d·e^(−k·dt) + I·R1·(1 − e^(−k·dt)).
* Charging: the same with −η·I, where the set voltage lets in I = (V_set − E(h)) / (Rb·(1 + gc·h/(1 − h))).

Two-well kinetic model in modal form (Manwell & McGowan, Solar Energy 50, 1993) with a symmetric Butler-Volmer term. Two walkers write this out
again for speed, `walk.walk` in plain numbers and `sampling.Batch` over arrays; a test holds both to this module at random states.
"""

from bisect import bisect_right
from math import asinh, exp, inf, sqrt

from ypomoni.core.chemistries import Chemistry
from ypomoni.core.things.batteries import Pack

COLLAPSED = -inf
# The activation loss of a power is taken twice: at a first guess of its current, and at the current that gives.
GUESSES = (1, 2)


def terminal(pack: Pack, u: float, d: float, i: float, p: float, s: float) -> tuple[float, float]:
    """Return battery current and terminal voltage for a draw of i A, p W and s S; (0, −∞) when the voltage collapses. [A, V]

    V solves V = e − R(i + p/V + s·V), a quadratic; a negative root is the collapse. e is E less the activation loss at the current of a first
    guess, taken at E, and then once more at the current that this gives: by then it is right to a hundred-thousandth.
    """
    h = 1.0 - (u + d) / pack.capacity_ah
    if h <= 0.0:
        return 0.0, COLLAPSED
    growth = 1.0 + pack.g * (1.0 - h) / h
    r, per_a, act = pack.resistance_ohm * growth, growth / pack.exchange_a, pack.activation_v
    # `Curve.at`, written out: this is called more often than anything else.
    heads, bases_v, slopes_v = pack.curve
    n = bisect_right(heads, h, 1) - 1
    e = bases_v[n] + slopes_v[n] * h
    if p == 0.0 and s == 0.0:
        return i, e - i * r - act * asinh(i * per_a)
    if e <= 0.0:
        return 0.0, COLLAPSED
    current_a, a, v = i + p / e + s * e, 1.0 + r * s, e
    for _ in GUESSES:
        b = e - act * asinh(current_a * per_a) - r * i
        root = b * b - 4.0 * a * r * p
        if root < 0.0 or b <= 0.0:
            return 0.0, COLLAPSED
        v = (b + sqrt(root)) / (2.0 * a)
        current_a = i + p / v + s * v
    return current_a, v


def relax(pack: Pack, u: float, d: float, i: float, dt: float) -> tuple[float, float]:
    """Return the state after dt at a constant current; self-discharge takes its part without showing at the terminals."""
    e = exp(-pack.k_per_h * dt)
    return u + (i + pack.self_a) * dt, d * e + i * pack.r1_h * (1.0 - e)


def accepted_a(pack: Pack, chemistry: Chemistry, charge_v: float, u: float, d: float) -> float:
    """Return what a set voltage drives into a bank at a state; lead's resistance grows towards full. [A]

    Charge that went in faster than it spreads (d below 0) lifts the head to 1 before the bank is full. Where no resistance grows towards full the
    bank then still takes what the set voltage above its full voltage drives.
    """
    h, knee = 1.0 - (u + d) / pack.capacity_ah, 1.0
    h = 0.0 if h < 0.0 else 1.0 if h > 1.0 else h
    if chemistry.charge_knee_ratio > 0.0:
        if h >= 1.0:
            return 0.0
        knee += chemistry.charge_knee_ratio * h / (1.0 - h)
    current_a = (charge_v - pack.curve.at(h)) / (pack.resistance_ohm * knee)
    return current_a if current_a > 0.0 else 0.0


def charge(pack: Pack, chemistry: Chemistry, u: float, d: float, i: float, dt: float) -> tuple[float, float]:
    """Return the state after dt at a constant charge current, of which the chemistry keeps its share."""
    return relax(pack, u, d, -chemistry.charge_ratio * i, dt)
