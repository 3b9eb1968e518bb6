"""A maker's discharge table of a block, and the cell model refitted to it.

Each row has an end voltage of its own, so ratings at 10, 20 and 100 h to different ends are rows like any other and never mixed.
Refit: least squares on the logarithm of the run time with a robust loss, held near the chemistry's figures by priors.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ypomoni.core.chemistries.cells import CellModel
from ypomoni.core.errors import QuantityError

SUSPECT_RATIO = 0.08
# How far a row of a good table lies from the model, and how far makes differ from the chemistry's figures (as ln). Rough [L]. What only
# diffuses in slowly (R1) differs most: thick plates and energy cells hold several times as much of it as thin ones and power cells.
ROW_SPREAD = 0.01
PRIORS = {"capacity_over_c20_ratio": 0.10, "resistance_ohm_ah": 0.50, "g": 0.30, "k_per_h": 0.50, "r1_h": 1.00}
LEAST_ROWS_COUNT = 2
# A table that makes a block so much smaller or larger than its plate is not of this block.
LEAST_SHARE_RATIO, MOST_SHARE_RATIO = 0.6, 1.4


@dataclass(frozen=True, slots=True, kw_only=True)
class DischargeRow:
    """One block at a constant current: how long it lasts to an end voltage of its own. [A, h, V]"""

    current_a: float
    run_h: float
    end_v: float


@dataclass(frozen=True, slots=True, kw_only=True)
class DischargeTable:
    """The rows of one block, and its 20-hour capacity by nameplate, which the fitted figures are relative to. [Ah]"""

    rows: tuple[DischargeRow, ...]
    block_c20_ah: float


@dataclass(frozen=True, slots=True, kw_only=True)
class RowFit:
    """A row with what the fitted model gives for it. ``error_ratio`` is model over table, less one."""

    row: DischargeRow
    model_h: float
    error_ratio: float

    @property
    def is_suspect(self) -> bool:
        """Whether the row lies further off than a table should."""
        return abs(self.error_ratio) > SUSPECT_RATIO


@dataclass(frozen=True, slots=True, kw_only=True)
class TableFit:
    """The cell fitted to a table, and every row with its residual."""

    cell: CellModel
    rows: tuple[RowFit, ...]

    @property
    def suspects(self) -> tuple[RowFit, ...]:
        """The rows that do not go with the others."""
        return tuple(r for r in self.rows if r.is_suspect)


@lru_cache(maxsize=256)
def fit_table(table: DischargeTable, prior: CellModel, cells_count: int) -> TableFit:
    """Return the cell fitted to a discharge table.

    Parameters
    ----------
    prior
        The chemistry's own figures; the open-circuit rows stay as they are.
    cells_count
        Cells in series in the block.

    Raises
    ------
    QuantityError
        If there are fewer than two rows, an end voltage at or above the open-circuit voltage of a full block, or rows of another block.
    """
    # Half a second to load, and only a table needs it.
    from scipy.optimize import least_squares

    check_rows(table.rows, prior, cells_count)
    rates = np.array([r.current_a for r in table.rows]) / table.block_c20_ah
    runs_h = np.array([r.run_h for r in table.rows])
    ends_v = np.array([r.end_v for r in table.rows]) / cells_count
    names = tuple(PRIORS)
    spreads = np.array([PRIORS[n] for n in names])

    def cell_at(x: np.ndarray) -> CellModel:
        values = {n: getattr(prior, n) * math.exp(v) for n, v in zip(names, x, strict=True)}
        return CellModel(**values, ocv_rows=prior.ocv_rows)

    def residuals(x: np.ndarray) -> np.ndarray:
        predicted_h = predict_runs_h(cell_at(x), rates, ends_v)
        return np.concatenate([np.log(predicted_h / runs_h) / ROW_SPREAD, x / spreads])

    found = least_squares(residuals, np.zeros(len(names)), loss="soft_l1", x_scale=spreads, diff_step=1e-4, max_nfev=60)
    cell = cell_at(found.x)
    share = cell.capacity_over_c20_ratio / prior.capacity_over_c20_ratio
    if not LEAST_SHARE_RATIO <= share <= MOST_SHARE_RATIO:
        raise QuantityError(
            f"the rows are of a block of about {share * table.block_c20_ah:.3g} Ah at 20 h, the plate says {table.block_c20_ah:.3g} Ah: "
            "check units, block and capacity."
        )
    model_h = predict_runs_h(cell, rates, ends_v)
    rows = tuple(
        RowFit(row=row, model_h=float(m), error_ratio=float(m) / row.run_h - 1.0) for row, m in zip(table.rows, model_h, strict=True)
    )
    return TableFit(cell=cell, rows=rows)


def check_rows(rows: tuple[DischargeRow, ...], prior: CellModel, cells_count: int) -> None:
    """Raise `QuantityError` where rows cannot be of such a block."""
    if len(rows) < LEAST_ROWS_COUNT:
        raise QuantityError(f"a discharge table needs at least {LEAST_ROWS_COUNT} rows, was {len(rows)}.")
    full_v = cells_count * prior.ocv_rows[-1][1]
    for row in rows:
        if not 0 < row.end_v < full_v:
            raise QuantityError(f"an end voltage must be below {full_v:.3g} V, that of a full block at rest, was {row.end_v:g} V.")


def predict_runs_h(cell: CellModel, rates_per_h: np.ndarray, end_cell_v: np.ndarray) -> np.ndarray:
    """Return how long new cells at 25 °C last at constant currents, by bisection of all at once. [h], shape (n,)"""
    q, k, r1 = cell.capacity_over_c20_ratio, cell.k_per_h, cell.r1_h
    heads = np.array([h for h, _ in cell.ocv_rows])
    volts = np.array([v for _, v in cell.ocv_rows])
    low, high = np.zeros_like(rates_per_h), q / rates_per_h
    for _ in range(48):
        t = 0.5 * (low + high)
        h = 1.0 - (rates_per_h * t - rates_per_h * r1 * np.expm1(-k * t)) / q
        safe = np.maximum(h, 1e-12)
        v = np.interp(safe, heads, volts) - rates_per_h * cell.resistance_ohm_ah * (1.0 + cell.g * (1.0 - safe) / safe)
        ended = (h <= 0) | (v < end_cell_v)
        high, low = np.where(ended, t, high), np.where(ended, low, t)
    return np.maximum(low, 1e-9)
