"""Charge for a time, from any state: the law of `outage.law` at the charger's current, then at its set voltage.

At constant current the step is exact. At the set voltage the current falls as the head rises; the two states then follow a stiff pair of
equations, which a Rosenbrock method of second order follows with steps as long as the current allows (ROS2: Verwer, Spee, Blom and
Hundsdorfer, SIAM J. Sci. Comput. 20, 1999; γ = 1 − 1/√2).
"""

import math

from ypomoni.core.chemistries import Chemistry
from ypomoni.core.outage.law import accepted_a, relax
from ypomoni.core.things.batteries import Pack

GAMMA = 1.0 - 1.0 / math.sqrt(2.0)
# How far one step may be off by its first-order estimate, as a share of capacity; the step itself is of second order.
STEP_RATIO = 4e-3
# Below such a rate nothing more happens within a year. [1/h, of capacity]
STILL_PER_H = 1e-9
SHORTEST_H = 1e-4
FIRST_H = 0.25
DIFFERENCE_RATIO = 1e-6

State = tuple[float, float]
"""u removed, and d unavailable. [Ah]"""


def charge_for(pack: Pack, chemistry: Chemistry, most_a: float, charge_v: float | None, state: State, hours_h: float) -> State:
    """Return the state after so long on a charger.

    Parameters
    ----------
    most_a
        The greatest current it gives the bank, 0 or more. [A]
    charge_v
        Its set voltage at the bank's terminals; None: nothing limits the voltage. [V]
    """
    if hours_h <= 0.0:
        return state
    if most_a <= 0.0:
        return _floored(relax(pack, *state, 0.0, hours_h))
    if charge_v is None or chemistry.charges_at_constant_current:
        return _floored(relax(pack, *state, -chemistry.charge_ratio * most_a, hours_h))
    knee_h = _knee_h(pack, chemistry, most_a, charge_v, state, hours_h)
    if knee_h > 0.0:
        state = _floored(relax(pack, *state, -chemistry.charge_ratio * most_a, knee_h))
    return state if knee_h >= hours_h else _at_voltage(pack, chemistry, most_a, charge_v, state, hours_h - knee_h)


def _floored(state: State) -> State:
    """Return a state of which nothing is removed below nothing: what a full bank is given beyond that is lost."""
    return max(0.0, state[0]), state[1]


def _knee_h(pack: Pack, chemistry: Chemistry, most_a: float, charge_v: float, state: State, hours_h: float) -> float:
    """Return for how long the set voltage lets the whole current in. [h] The head only rises, so that ends once and for good."""
    into_a = -chemistry.charge_ratio * most_a

    def spare_a(t: float) -> float:
        return accepted_a(pack, chemistry, charge_v, *relax(pack, *state, into_a, t)) - most_a

    low_h, high_h = 0.0, hours_h
    low_a = accepted_a(pack, chemistry, charge_v, *state) - most_a
    if low_a <= 0.0:
        return 0.0
    high_a = spare_a(hours_h)
    if high_a >= 0.0:
        return hours_h
    # False position, halving the weight of the end that stays (Illinois): what is let in is nearly straight in time.
    for _ in range(60):
        if high_h - low_h < 1e-4 * hours_h + 1e-6:
            break
        t = (low_h * high_a - high_h * low_a) / (high_a - low_a)
        a = spare_a(t)
        if a > 0.0:
            low_h, low_a, high_a = t, a, 0.5 * high_a
        else:
            if abs(a) < 1e-4 * most_a:
                return t
            high_h, high_a, low_a = t, a, 0.5 * low_a
    return low_h


def _at_voltage(pack: Pack, chemistry: Chemistry, most_a: float, charge_v: float, state: State, hours_h: float) -> State:
    """Return the state after so long at the set voltage."""
    eta, lost, k = chemistry.charge_ratio, pack.self_a, pack.k_per_h
    kr = k * pack.r1_h
    q, small = pack.capacity_ah, DIFFERENCE_RATIO * pack.capacity_ah

    def let_in_a(u: float, d: float) -> float:
        return min(most_a, accepted_a(pack, chemistry, charge_v, u, d))

    t, (u, d) = 0.0, state
    dt = min(hours_h, FIRST_H)
    i = let_in_a(u, d)
    while t < hours_h:
        dt = min(dt, hours_h - t)
        f1, f2 = lost - eta * i, -k * d - kr * eta * i
        if abs(f1) + abs(f2) < STILL_PER_H * q:
            break
        slope = max(0.0, (let_in_a(u + small, d) - i) / small)
        # (1 − γ·dt·J) with J = [[−ηs, −ηs], [−kR1·ηs, −k − kR1·ηs]], solved by hand.
        g = GAMMA * dt
        a, b = 1.0 + g * eta * slope, g * eta * slope
        c, e = g * kr * eta * slope, 1.0 + g * (k + kr * eta * slope)
        det = a * e - b * c
        k1, k2 = (e * f1 - b * f2) / det, (a * f2 - c * f1) / det
        i1 = let_in_a(u + dt * k1, d + dt * k2)
        r1 = lost - eta * i1 - 2.0 * k1
        r2 = -k * (d + dt * k2) - kr * eta * i1 - 2.0 * k2
        m1, m2 = (e * r1 - b * r2) / det, (a * r2 - c * r1) / det
        error = 0.5 * dt * max(abs(k1 + m1), abs(k2 + m2))
        if error > STEP_RATIO * q and dt > SHORTEST_H:
            dt = max(SHORTEST_H, dt * max(0.2, 0.8 * math.sqrt(STEP_RATIO * q / error)))
            continue
        t, u, d = t + dt, max(0.0, u + dt * (1.5 * k1 + 0.5 * m1)), d + dt * (1.5 * k2 + 0.5 * m2)
        i = let_in_a(u, d)
        dt *= min(4.0, 0.8 * math.sqrt(STEP_RATIO * q / error)) if error > 0.0 else 4.0
    return u, d
