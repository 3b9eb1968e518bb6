"""What a battery does, said once: its terminal voltage at a state, and how its state moves, discharging and charging.

A state is u, the charge removed, and d, the charge that is there but not available yet [Ah]; its head is h = 1 − (u + d)/q.

* Voltage: V = E(h) − R(h)·I with R(h) = Rb·(1 + g·(1 − h)/h).
* At a constant current over dt, exactly: u += (I + I_self)·dt, d = d·e^(−k·dt) + I·R1·(1 − e^(−k·dt)).
* Charging: the same with −η·I, where the set voltage lets in I = (V_set − E(h)) / (Rb·(1 + gc·h/(1 − h))).

Two-well kinetic model in modal form (Manwell & McGowan, Solar Energy 50, 1993). Two walkers write this out again for speed, `walk.walk` in plain
numbers and `sampling.Batch` over arrays; a test holds both to this module at random states.
"""

import math

from ypomoni.core.chemistries import Chemistry
from ypomoni.core.things.batteries import Pack

COLLAPSED = -math.inf


def terminal(pack: Pack, u: float, d: float, i: float, p: float, s: float) -> tuple[float, float]:
    """Return battery current and terminal voltage for a draw of i A, p W and s S; (0, −∞) when the voltage collapses. [A, V]

    V solves V = E − R(i + p/V + s·V), a quadratic; a negative root is the collapse.
    """
    h = 1.0 - (u + d) / pack.capacity_ah
    if h <= 0.0:
        return 0.0, COLLAPSED
    r = pack.resistance_ohm * (1.0 + pack.g * (1.0 - h) / h)
    e = pack.open_circuit_v(h)
    if p == 0.0 and s == 0.0:
        return i, e - i * r
    a, b = 1.0 + r * s, e - r * i
    root = b * b - 4.0 * a * r * p
    if root < 0.0 or b <= 0.0:
        return 0.0, COLLAPSED
    v = (b + math.sqrt(root)) / (2.0 * a)
    return i + p / v + s * v, v


def relax(pack: Pack, u: float, d: float, i: float, dt: float) -> tuple[float, float]:
    """Return the state after dt at a constant current; self-discharge takes its part without showing at the terminals."""
    e = math.exp(-pack.k_per_h * dt)
    return u + (i + pack.self_a) * dt, d * e + i * pack.r1_h * (1.0 - e)


def accepted_a(pack: Pack, chemistry: Chemistry, charge_v: float, u: float, d: float) -> float:
    """Return what a set voltage drives into a bank at a state; the resistance grows towards full. [A]"""
    h = 1.0 - (u + d) / pack.capacity_ah
    if h >= 1.0:
        return 0.0
    knee = 1.0 + chemistry.charge_knee_ratio * max(h, 0.0) / (1.0 - h)
    return max(0.0, (charge_v - pack.open_circuit_v(max(h, 0.0))) / (pack.resistance_ohm * knee))


def charge(pack: Pack, chemistry: Chemistry, u: float, d: float, i: float, dt: float) -> tuple[float, float]:
    """Return the state after dt at a constant charge current, of which the chemistry keeps its share."""
    return relax(pack, u, d, -chemistry.charge_ratio * i, dt)
