"""The one bisection of the core: where a condition that holds at first holds no more.

Plain halving, not a faster solver: what is searched is often a yes or no, has kinks at every burst, and must come out the same on any
machine. `scipy.optimize` would take half a second to import for it.
"""

import math
from collections.abc import Callable

MOST_ROUNDS = 200


def bracket(
    holds: Callable[[float], bool],
    low: float,
    high: float,
    *,
    width: float = 0.0,
    width_ratio: float = 0.0,
    rounds: int = MOST_ROUNDS,
    by_ratio: bool = False,
) -> tuple[float, float]:
    """Return the last point at which a condition was found to hold and the first at which it was not.

    Parameters
    ----------
    holds
        True up to a point and false from there on. It is taken to be true at ``low`` and false at ``high``; neither is asked.
    width, width_ratio
        How far the two may lie apart, in itself or as a share of the higher one; either is enough.
    rounds
        How often the bracket is halved at most.
    by_ratio
        Halve in ratio, for quantities that may differ by powers of ten. Both ends are then above zero.
    """
    for _ in range(rounds):
        if high - low <= max(width, width_ratio * high):
            break
        middle = math.sqrt(low * high) if by_ratio else 0.5 * (low + high)
        if holds(middle):
            low = middle
        else:
            high = middle
    return low, high


def bracket_root(margin: Callable[[float], float], low: float, high: float, *, width: float) -> tuple[float, float]:
    """Return what `bracket` does where a condition holds while a smooth margin is not below zero: with a fifth of the looks.

    False position with the end that stays halved (the Illinois way; Dowell & Jarratt, BIT 11, 1971), and a halving where three looks brought
    less than two halvings would have.

    Parameters
    ----------
    margin
        Not below zero at ``low``, below zero at ``high``; −∞ where nothing can be said of how far.
    width
        How far the two may lie apart.
    """
    at_low, at_high = margin(low), margin(high)
    moved_low, was = True, math.inf
    for n in range(2 * MOST_ROUNDS):
        if high - low <= width:
            break
        middle, is_slow = 0.5 * (low + high), False
        if n % 3 == 0:
            is_slow, was = high - low > 0.25 * was, high - low
        if not is_slow and at_high > -math.inf and at_low > at_high:
            # A little beyond where the root is thought to be, so that the end that did not move comes near as well.
            beyond = 0.4 * width if moved_low else -0.4 * width
            guess = low + (high - low) * at_low / (at_low - at_high) + beyond
            middle = min(max(guess, low + 0.2 * width), high - 0.2 * width)
        found = margin(middle)
        if found >= 0:
            at_high = at_high * 0.5 if moved_low else at_high
            low, at_low, moved_low = middle, found, True
        else:
            at_low = at_low if moved_low else at_low * 0.5
            high, at_high, moved_low = middle, found, False
    return low, high
