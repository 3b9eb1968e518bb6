"""One cell of the battery model, per ampere-hour of its 20-hour capacity, and how long it lasts at a constant current.

Two-well kinetic model in modal form (Manwell & McGowan, Solar Energy 50, 1993) with a symmetric activation loss (Butler-Volmer).
"""

import math
from bisect import bisect_right
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

from ypomoni.core.bracketing import bracket
from ypomoni.core.chemistries.model import Row, interpolate


@dataclass(frozen=True, slots=True, kw_only=True)
class CellModel:
    """q/C20, rAh [Ω·Ah], g, k [1/h], R1 [h], the open-circuit rows (head, V), and b [V] and i0/C20 [1/h] of the activation loss."""

    capacity_over_c20_ratio: float
    resistance_ohm_ah: float
    g: float
    k_per_h: float
    r1_h: float
    ocv_rows: tuple[Row, ...]
    activation_v: float = 0.0
    exchange_per_h: float = 1.0


class Curve(NamedTuple):
    """E(h) in straight segments: segment n holds from ``heads[n]`` to ``heads[n + 1]``, where E = ``bases_v[n]`` + ``slopes_v[n]``·h.

    The last head is infinite and the last segment flat: above full the voltage stays that of a full cell. Equal segments for every walker,
    so that all of them can carry the number of the one they are in along.
    """

    heads: tuple[float, ...]
    bases_v: tuple[float, ...]
    slopes_v: tuple[float, ...]

    def at(self, head_ratio: float) -> float:
        """Return E at a head from 0 on. [V]"""
        heads, bases_v, slopes_v = self
        # Looked for from the second head on, so that there is always a segment.
        n = bisect_right(heads, head_ratio, 1) - 1
        return bases_v[n] + slopes_v[n] * head_ratio


@lru_cache(maxsize=1024)
def curve_of(ocv_rows: tuple[Row, ...], cells_count: int = 1) -> Curve:
    """Return the curve of so many cells in series through open-circuit rows (head, V), from empty to full."""
    heads = [h for h, _ in ocv_rows]
    volts = [cells_count * v for _, v in ocv_rows]
    slopes = [(v1 - v0) / (h1 - h0) for v0, v1, h0, h1 in zip(volts, volts[1:], heads, heads[1:], strict=False)]
    bases = [v - slope * h for v, slope, h in zip(volts, slopes, heads, strict=False)]
    return Curve((*heads, math.inf), (*bases, volts[-1]), (*slopes, 0.0))


def head_at_v(ocv_rows: tuple[Row, ...], cell_v: float) -> float:
    """Return the head at which a resting cell shows a voltage: 1 from its full voltage on, 0 below its empty one. [ratio]"""
    if cell_v >= ocv_rows[-1][1]:
        return 1.0
    return max(0.0, interpolate(tuple((v, h) for h, v in ocv_rows), cell_v)) if cell_v > ocv_rows[0][1] else 0.0


def cell_voltage_v(cell: CellModel, rate_per_h: float, t_h: float) -> float:
    """Return the voltage after t hours at a constant current of I/C20; −∞ once the head is spent. [V]"""
    q = cell.capacity_over_c20_ratio
    d = rate_per_h * cell.r1_h * -math.expm1(-cell.k_per_h * t_h)
    h = 1.0 - (rate_per_h * t_h + d) / q
    if h <= 0:
        return -math.inf
    growth = 1.0 + cell.g * (1.0 - h) / h
    loss_v = cell.activation_v * math.asinh(rate_per_h * growth / cell.exchange_per_h)
    return curve_of(cell.ocv_rows).at(h) - rate_per_h * cell.resistance_ohm_ah * growth - loss_v


def constant_current_run_h(cell: CellModel, c20_ah: float, current_a: float, end_cell_v: float) -> float:
    """Return how long one new cell at 25 °C lasts at a constant current. [h]"""
    rate_per_h = current_a / c20_ah
    empty_h = cell.capacity_over_c20_ratio / rate_per_h
    return bracket(lambda t: cell_voltage_v(cell, rate_per_h, t) >= end_cell_v, 0.0, empty_h, rounds=60)[0]


def rate_for_run_per_h(cell: CellModel, run_h: float, end_cell_v: float) -> float:
    """Return the constant current, as I/C20, at which a new cell lasts so long; 0 where none does. [1/h]"""
    if cell_voltage_v(cell, 1e-8, run_h) < end_cell_v:
        return 0.0
    # At a set time the voltage only falls with the current, so one bisection does.
    return bracket(lambda rate: cell_voltage_v(cell, rate, run_h) >= end_cell_v, 1e-8, 50.0, rounds=56, by_ratio=True)[0]
