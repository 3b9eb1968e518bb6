"""What ends an outage, asked in one place: of the holdover on the plan and of an outage as it is played."""

from collections.abc import Callable
from dataclasses import dataclass

from ypomoni.core.telling.results import LimitedBy

# An end with more of the charge left than this is one of too much current, not of spent charge.
CHARGE_LEFT_RATIO = 0.25
# A burst, or a high cut-off, is to blame where without it the supply would last so much longer.
NOTICEABLY_LONGER_RATIO = 1.05


@dataclass(frozen=True, slots=True, kw_only=True)
class EndFacts:
    """What was so at an end, and how long it would have lasted otherwise. The hours are asked only where they decide.

    ``evenly_spread_h`` is the same outage with every burst spread evenly over its period; ``lowered_h`` the same with the cut-off
    lowered to what equipment and battery need, or None where it is not the cut-off that ended it, or it is as low already. [h]
    """

    t_h: float
    collapses: bool
    # The output switched off for want of load.
    switched_off: bool
    # Neither a cut-off nor any load's least voltage: the battery's own end voltage ended it.
    at_end_voltage: bool
    in_burst: bool
    in_alarm: bool
    charge_left_ratio: float
    evenly_spread_h: Callable[[], float]
    lowered_h: Callable[[], float | None]


def cause_of_end(end: EndFacts) -> tuple[LimitedBy, float | None]:
    """Return what ended an outage, and how long it lasts with a lowered cut-off where that was asked. [h]"""
    if end.switched_off:
        return LimitedBy.LIGHT_LOAD, None
    if end.collapses:
        return LimitedBy.VOLTAGE_COLLAPSE, None
    if end.at_end_voltage:
        return LimitedBy.END_VOLTAGE, None
    # A burst gives the last push to nearly every end. It is to blame only where without it the supply lasts noticeably longer.
    if end.in_burst and _is_noticeably_longer(end.evenly_spread_h(), end.t_h):
        return LimitedBy.BURST, None
    lowered_h = end.lowered_h()
    if lowered_h is not None and _is_noticeably_longer(lowered_h, end.t_h):
        return LimitedBy.CUTOFF_HIGH, lowered_h
    if end.in_alarm and end.charge_left_ratio > CHARGE_LEFT_RATIO:
        return LimitedBy.ALARM, lowered_h
    return LimitedBy.CAPACITY, lowered_h


def _is_noticeably_longer(other_h: float, t_h: float) -> bool:
    return other_h > 0 and other_h >= NOTICEABLY_LONGER_RATIO * t_h
