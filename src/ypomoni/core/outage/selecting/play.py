"""Plays a selector by its way of choosing."""

from ypomoni.core.outage.selecting.first import MOST_CHANGES, FirstPresent
from ypomoni.core.outage.selecting.highest import HighestVoltage
from ypomoni.core.outage.selecting.model import Selected, input_of
from ypomoni.core.things.loads import Load
from ypomoni.core.things.selectors import Selector, SelectorMode
from ypomoni.core.things.supplies import Supply

FEW_CHANGES = 300


def play_selector(
    selector: Selector,
    supplies: tuple[Supply, ...],
    loads: tuple[Load, ...],
    *,
    cold: bool = False,
    condition_ratio: float | None = None,
    capacity_ratio: float = 1.0,
    looks_count: int = 0,
    briefly: bool = False,
) -> Selected:
    """Return what a selector does from mains failure on, until an essential load is first dead.

    Parameters
    ----------
    supplies
        Its inputs, in its order; one without a battery never feeds.
    condition_ratio
        Of every bank; None: each as it is.
    looks_count
        About how many instants to note for a picture.
    briefly
        Leave it where it is after some hundred changes: enough to know about how long it lasts.
    """
    inputs = [
        input_of(s, loads, cold=cold, condition_ratio=condition_ratio, capacity_ratio=capacity_ratio)
        for s in supplies
        if s.bank is not None
    ]
    if not inputs:
        return Selected(holdover_h=0.0, changes=(), input_keys=(), left_ratio=(), dead=loads[0].name if loads else "")
    if selector.mode is SelectorMode.HIGHEST_VOLTAGE:
        return HighestVoltage(inputs, loads, looks_count).play()
    return FirstPresent(selector, inputs, loads, looks_count, FEW_CHANGES if briefly else MOST_CHANGES).play()
