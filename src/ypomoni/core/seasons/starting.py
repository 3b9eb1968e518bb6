"""A battery that must also start an engine: what each cut-off leaves, and the hours it costs."""

from dataclasses import dataclass

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.ends import Holdover

POINTS_COUNT = 41


@dataclass(frozen=True, slots=True, kw_only=True)
class CutoffPoint:
    """One cut-off: how long the loads are held down to it, and how much charge is left there. [V, h, ratio]"""

    cutoff_v: float
    holdover_h: float
    left_ratio: float


def cutoff_points(case: Case) -> tuple[CutoffPoint, ...]:
    """Return cut-offs from what the battery and its loads need up to what a full battery shows at rest, each with hours and charge left."""
    lowest_v, full_v = case.needed_v, case.bank.full_v
    if full_v <= lowest_v or case.draws_nothing:
        return ()
    step_v = (full_v - lowest_v) / POINTS_COUNT
    return tuple(_point(case, lowest_v + n * step_v) for n in range(POINTS_COUNT))


def _point(case: Case, cutoff_v: float) -> CutoffPoint:
    found: Holdover = case.holdover(threshold_v=cutoff_v)
    left = 1.0 - found.end.u_ah / case.run().pack.capacity_ah
    return CutoffPoint(cutoff_v=cutoff_v, holdover_h=found.holdover_h, left_ratio=max(0.0, left))


def lowest_that_starts_v(points: tuple[CutoffPoint, ...], needs_ratio: float) -> float | None:
    """Return the lowest cut-off that leaves what a start needs; None where none does. [V]"""
    return next((p.cutoff_v for p in points if p.left_ratio >= needs_ratio), None)
