"""The one bisection of the core: where a condition that holds at first holds no more.

Plain halving, not a faster solver: what is searched is often a yes or no, has kinks at every burst, and must come out the same on any
machine. `scipy.optimize` would take half a second to import for it.
"""

import math
from collections.abc import Callable

MOST_ROUNDS = 200


def bracket(
    holds: Callable[[float], bool], low: float, high: float, *, width: float = 0.0, rounds: int = MOST_ROUNDS, by_ratio: bool = False
) -> tuple[float, float]:
    """Return the last point at which a condition was found to hold and the first at which it was not.

    Parameters
    ----------
    holds
        True up to a point and false from there on. It is taken to be true at ``low`` and false at ``high``; neither is asked.
    width
        How far the two may lie apart.
    rounds
        How often the bracket is halved at most.
    by_ratio
        Halve in ratio, for quantities that may differ by powers of ten. Both ends are then above zero.
    """
    for _ in range(rounds):
        if high - low <= width:
            break
        middle = math.sqrt(low * high) if by_ratio else 0.5 * (low + high)
        if holds(middle):
            low = middle
        else:
            high = middle
    return low, high
