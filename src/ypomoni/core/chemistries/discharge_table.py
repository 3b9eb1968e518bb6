"""A maker's discharge table of a block, and the cell model refitted to it.

Rows are of two kinds: an *end*, how long a block lasts at a constant current to an end voltage of its own, so that ratings at 10, 20 and 100 h to
different ends are rows like any other; and a *reading* on the way, what the block shows after so long. An end is held to its hours, a reading to
its volts: readings by time or ends by volts would ask for most where a curve is flattest.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

import numpy as np

from ypomoni.core.chemistries.cells import CellModel, cell_voltage_v, constant_current_run_h
from ypomoni.core.chemistries.model import Chemistry
from ypomoni.core.chemistries.refit import FitRows, refit
from ypomoni.core.errors import QuantityError

SUSPECT_RATIO = 0.08
# A reading so far off is no reading of this block: seven times what one good one lies off. Rough [L]. [V per cell]
SUSPECT_CELL_V = 0.04
LEAST_ROWS_COUNT = 2
# A table that makes a block so much smaller or larger than its plate is not of this block.
LEAST_SHARE_RATIO, MOST_SHARE_RATIO = 0.6, 1.4
# Currents no further apart than this are one rate.
SAME_RATE_RATIO = 1.5
# Ends of lead that lie so far apart at about one current, as 1.75 V and 1.85 V do, tell the volts on the way as well as readings. A maker states
# each end for the same hours, so the currents differ a little.
TELLING_ENDS_CELL_V = 0.08
ABOUT_ONE_CURRENT_RATIO = 1.25
# A charged block may show a little more than at rest, in the first minutes of a discharge.
SURFACE_RATIO = 1.03
EMPTY_V = 0.0


class RowKind(StrEnum):
    """What a row tells: how long a block lasts, or what it shows on the way."""

    END = "end"
    READING = "reading"


@dataclass(frozen=True, slots=True, kw_only=True)
class DischargeRow:
    """One block at a constant current: its terminals show ``end_v`` after ``run_h``, at the end of its run or on the way. [A, h, V]"""

    current_a: float
    run_h: float
    end_v: float
    kind: RowKind = RowKind.END


@dataclass(frozen=True, slots=True, kw_only=True)
class DischargeTable:
    """The rows of one block, and its 20-hour capacity by nameplate, which the fitted figures are relative to. [Ah]"""

    rows: tuple[DischargeRow, ...]
    block_c20_ah: float

    @property
    def rates_per_h(self) -> tuple[tuple[float, ...], ...]:
        """The rates it speaks of, rising, each with the currents that are taken for it, as I/C20: those within a factor of 1.5. [1/h]"""
        found: list[tuple[float, ...]] = []
        for rate in sorted(row.current_a / self.block_c20_ah for row in self.rows):
            if found and rate <= SAME_RATE_RATIO * found[-1][0]:
                found[-1] = (*found[-1], rate)
            else:
                found.append((rate,))
        return tuple(found)

    def is_near(self, current_a: float) -> bool:
        """Say whether one block's current lies within a factor of 1.5 of a row's. [A]"""
        return any(row.current_a / SAME_RATE_RATIO <= current_a <= row.current_a * SAME_RATE_RATIO for row in self.rows)

    def tells_volts_on_the_way(self, chemistry: Chemistry, cells_count: int) -> bool:
        """Say whether it has volts on the way: readings, or, for lead, ends far enough apart at about one current."""
        if any(row.kind is RowKind.READING for row in self.rows):
            return True
        return chemistry.is_lead and any(
            one.current_a <= other.current_a <= ABOUT_ONE_CURRENT_RATIO * one.current_a
            and abs(one.end_v - other.end_v) >= TELLING_ENDS_CELL_V * cells_count
            for one in self.rows
            for other in self.rows
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class RowFit:
    """A row with what the fitted model gives for it.

    An end has ``model_h``, and ``error_ratio``, model over table less one; a reading has ``model_v`` of the block, and ``error_v``. [h, V]
    """

    row: DischargeRow
    model_h: float | None = None
    error_ratio: float = 0.0
    model_v: float | None = None
    error_v: float = 0.0
    is_suspect: bool = False


class Untold(StrEnum):
    """What the rows of a table cannot tell."""

    OTHER_RATES = "other_rates"
    VOLTS = "volts"
    HOURS = "hours"


@dataclass(frozen=True, slots=True, kw_only=True)
class TableFit:
    """The cell fitted to a table, every row with its residual, and what the rows cannot tell."""

    cell: CellModel
    rows: tuple[RowFit, ...]
    untold: tuple[Untold, ...] = ()

    @property
    def suspects(self) -> tuple[RowFit, ...]:
        """The rows that do not go with the others."""
        return tuple(r for r in self.rows if r.is_suspect)


@lru_cache(maxsize=256)
def fit_table(table: DischargeTable, chemistry: Chemistry, cells_count: int) -> TableFit:
    """Return the cell fitted to a discharge table.

    Parameters
    ----------
    chemistry
        Its figures are where the fit starts and what holds it where the rows are silent.
    cells_count
        Cells in series in the block.

    Raises
    ------
    QuantityError
        If there are fewer than two rows, a voltage at or above that of a full block, or rows of another block.
    """
    check_rows(table.rows, chemistry, cells_count)
    cell = refit(fit_rows(table, cells_count), chemistry)
    share = cell.capacity_over_c20_ratio / chemistry.capacity_over_c20_ratio
    if not LEAST_SHARE_RATIO <= share <= MOST_SHARE_RATIO:
        raise QuantityError(
            f"the rows are of a block of about {share * table.block_c20_ah:.3g} Ah at 20 h, the plate says {table.block_c20_ah:.3g} Ah: "
            "check units, block and capacity."
        )
    return TableFit(
        cell=cell,
        rows=tuple(_held_against(cell, row, table, cells_count) for row in table.rows),
        untold=_untold(table, chemistry, cells_count),
    )


def fit_rows(table: DischargeTable, cells_count: int) -> FitRows:
    """Return the rows of a table per ampere-hour and per cell."""
    return FitRows(
        rates_per_h=np.array([r.current_a for r in table.rows]) / table.block_c20_ah,
        after_h=np.array([r.run_h for r in table.rows]),
        cell_v=np.array([r.end_v for r in table.rows]) / cells_count,
        is_reading=np.array([r.kind is RowKind.READING for r in table.rows]),
    )


def _held_against(cell: CellModel, row: DischargeRow, table: DischargeTable, cells_count: int) -> RowFit:
    if row.kind is RowKind.END:
        model_h = constant_current_run_h(cell, table.block_c20_ah, row.current_a, row.end_v / cells_count)
        error_ratio = model_h / row.run_h - 1.0
        return RowFit(row=row, model_h=model_h, error_ratio=error_ratio, is_suspect=abs(error_ratio) > SUSPECT_RATIO)
    model_v = cells_count * max(EMPTY_V, cell_voltage_v(cell, row.current_a / table.block_c20_ah, row.run_h))
    error_v = model_v - row.end_v
    return RowFit(row=row, model_v=model_v, error_v=error_v, is_suspect=abs(error_v) > SUSPECT_CELL_V * cells_count)


def _untold(table: DischargeTable, chemistry: Chemistry, cells_count: int) -> tuple[Untold, ...]:
    found: list[Untold] = []
    if not any(row.kind is RowKind.END for row in table.rows):
        found.append(Untold.HOURS)
    if len(table.rates_per_h) == 1:
        found.append(Untold.OTHER_RATES)
    if not table.tells_volts_on_the_way(chemistry, cells_count):
        found.append(Untold.VOLTS)
    return tuple(found)


def check_rows(rows: Sequence[DischargeRow], chemistry: Chemistry, cells_count: int) -> None:
    """Raise `QuantityError` where rows cannot be of such a block."""
    if len(rows) < LEAST_ROWS_COUNT:
        raise QuantityError(f"a discharge table needs at least {LEAST_ROWS_COUNT} rows, was {len(rows)}.")
    full_v = cells_count * chemistry.ocv_rows[-1][1]
    for row in rows:
        if row.kind is RowKind.END and not 0 < row.end_v < full_v:
            raise QuantityError(f"an end voltage must be below {full_v:.3g} V, that of a full block at rest, was {row.end_v:g} V.")
        if row.kind is RowKind.READING and not 0 < row.end_v <= SURFACE_RATIO * full_v:
            raise QuantityError(
                f"a reading on the way must be below {SURFACE_RATIO * full_v:.3g} V, what a full block shows at most, was {row.end_v:g} V."
            )
