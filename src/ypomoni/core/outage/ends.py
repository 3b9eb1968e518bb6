"""What ended a run, and the holdover it bounds."""

from dataclasses import dataclass
from enum import StrEnum

from ypomoni.core.outage.demand import Timeline
from ypomoni.core.outage.law import COLLAPSED, terminal
from ypomoni.core.outage.walk import Stop
from ypomoni.core.things.batteries import Pack

# So shortly after an instant what begins then has begun. [h]
NUDGE_H = 0.005 / 3600.0


class EndCause(StrEnum):
    """What ended a run."""

    THRESHOLD = "threshold"
    COLLAPSE = "collapse"
    HORIZON = "horizon"
    LIGHT_LOAD = "light_load"


@dataclass(frozen=True, slots=True, kw_only=True)
class End:
    """Where a run ended: time after mains failure, state, battery current and voltage there, and what was active."""

    t_h: float
    u_ah: float
    d_ah: float
    head_ratio: float
    current_a: float
    terminal_v: float
    cause: EndCause
    in_alarm: bool
    in_burst: bool
    # The voltage at which the equipment's end was then, and the load at the end of a cable that asked for it, if one did.
    threshold_v: float
    cable_owner: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Holdover:
    """The holdover, the end that bounds it, and the end of standby alone. [h]"""

    holdover_h: float
    end: End
    endurance_h: float
    standby_end: End


def end_of(pack: Pack, timeline: Timeline, threshold_v: float, stop: Stop, *, in_alarm: bool) -> End:
    """Return what ended a run that stopped, with what was drawn just then. ``threshold_v`` is the end but for cables. [V]"""
    # A walk that stops at the start of a burst stops because of it, so what is drawn is asked a hair later.
    i, p, s = timeline.stretches(stop.t_h, stop.t_h + NUDGE_H)[0][1:]
    current_a, terminal_v = terminal(pack, stop.u_ah, stop.d_ah, i, p, s)
    # What would be there without the burst tells whether the burst is to blame.
    rest_v = terminal(pack, stop.u_ah, stop.d_ah, *timeline.base)[1]
    asking = max(timeline.floors, key=lambda f: f.floor_v(stop.t_h), default=None)
    floor_v = asking.floor_v(stop.t_h) if asking else 0.0
    ends_v = max(threshold_v, floor_v)
    if not stop.ended:
        cause = EndCause.HORIZON
    # The last instant before a collapse still shows a voltage well above the limit; without a power it is charge that is spent.
    elif (terminal_v == COLLAPSED and _collapses(pack, stop, p)) or terminal_v > ends_v * 1.001:
        cause = EndCause.COLLAPSE
    else:
        cause = EndCause.THRESHOLD
    # It is the burst that ends it only where the rest draw alone would not have.
    in_burst = (i, p, s) != tuple(timeline.base) and rest_v >= threshold_v and sum((i, p, s)) > sum(timeline.base)
    return End(
        t_h=stop.t_h,
        u_ah=stop.u_ah,
        d_ah=stop.d_ah,
        head_ratio=max(0.0, 1.0 - (stop.u_ah + stop.d_ah) / pack.capacity_ah),
        current_a=current_a,
        terminal_v=max(0.0, terminal_v),
        cause=cause,
        in_alarm=in_alarm,
        in_burst=in_burst,
        threshold_v=ends_v,
        cable_owner=asking.owner if asking and floor_v > threshold_v else None,
    )


def _collapses(pack: Pack, stop: Stop, power_w: float) -> bool:
    return power_w > 0 and stop.u_ah + stop.d_ah < pack.capacity_ah
