"""One cell of the battery model, per ampere-hour of its 20-hour capacity, and how long it lasts at a constant current.

Two-well kinetic model in modal form (Manwell & McGowan, Solar Energy 50, 1993).
"""

import math
from dataclasses import dataclass

from ypomoni.core.bracketing import bracket
from ypomoni.core.chemistries.model import Row, interpolate


@dataclass(frozen=True, slots=True, kw_only=True)
class CellModel:
    """q/C20, rAh [Ω·Ah], g, k [1/h], R1 [h] and the open-circuit rows (head, V)."""

    capacity_over_c20_ratio: float
    resistance_ohm_ah: float
    g: float
    k_per_h: float
    r1_h: float
    ocv_rows: tuple[Row, ...]


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
    return interpolate(cell.ocv_rows, h) - rate_per_h * cell.resistance_ohm_ah * (1.0 + cell.g * (1.0 - h) / h)


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
