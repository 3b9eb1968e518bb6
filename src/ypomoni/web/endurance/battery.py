"""The battery sheet as its page shows it: what is known of a bank, the rows of its table, and how its model answers.

The reader comes to decide two things: may the hours and the warning be believed for this battery, and which row of its table is a slip.
"""

import math
from collections import Counter
from dataclasses import dataclass

from ypomoni.core.chemistries.cells import CellModel, cell_voltage_v, constant_current_run_h, rate_for_run_per_h
from ypomoni.core.chemistries.discharge_table import RowFit, RowKind, TableFit
from ypomoni.core.chemistries.primary_sizes import size_of
from ypomoni.core.outage.case import Case
from ypomoni.core.telling.rows import say_untold
from ypomoni.core.telling.wording import plain_number, say_amp_hours, say_amps, say_hours, say_percent
from ypomoni.core.things.batteries import Bank, build_pack

CHART_WIDTH, CHART_HEIGHT = 620.0, 300.0
LEFT, BOTTOM, TOP, RIGHT = 78.0, 40.0, 14.0, 14.0
SHORTEST_H, LONGEST_H = 1 / 12, 100.0
# Without a table the curves are drawn at these rates, as I/C20.
USUAL_RATES_PER_H = (0.05, 0.2, 1.0)
MOST_CURVES = 3
# Rows so close to a curve's current are shown beside it.
SAME_CURVE_RATIO = 0.05
POINTS_COUNT = 70
# A curve is drawn from this part of its run on.
FIRST_PART = 1 / 60
VOLTS_RIGHT = 62.0
TIME_TICKS = (
    (1 / 60, "1 min"),
    (1 / 12, "5 min"),
    (0.25, "15 min"),
    (1.0, "1 h"),
    (5.0, "5 h"),
    (20.0, "20 h"),
    (100.0, "100 h"),
    (1000.0, "1,000 h"),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class RowMark:
    """One row of the table in a chart. In pixels; ``title`` says it in words."""

    x: float
    y: float
    is_suspect: bool
    is_reading: bool
    title: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BlockChart:
    """What charts of one block share: the rows of its table as marks, and the axes. In pixels."""

    points: tuple[RowMark, ...]
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    right: float
    width: float = CHART_WIDTH
    height: float = CHART_HEIGHT
    left: float = LEFT
    bottom: float = CHART_HEIGHT - BOTTOM


@dataclass(frozen=True, slots=True, kw_only=True)
class RunChart(BlockChart):
    """Run time against current, on logarithmic axes, with the model's line."""

    line: str
    end_v: str


@dataclass(frozen=True, slots=True, kw_only=True)
class VoltsChart(BlockChart):
    """Volts against time at up to three rates, time on a logarithmic axis, beside the rows at those rates.

    ``curves`` are (points, name, x and y of its name), ``levels`` (y, name) of the voltages that matter to the equipment.
    """

    curves: tuple[tuple[str, str, float, float], ...]
    levels: tuple[tuple[float, str], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetRow:
    """One row of the table in words: current, hours, volts, how far the model is off."""

    current: str
    hours: str
    volts: str
    off: str
    is_reading: bool
    is_suspect: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class BatteryView:
    """What is known of a bank, and how its model answers."""

    facts: tuple[tuple[str, str, str], ...]
    ratings: tuple[tuple[str, str, str], ...]
    rows: tuple[SheetRow, ...]
    suspects_count: int
    runs: RunChart | None
    volts: VoltsChart | None
    source: str
    untold: tuple[str, ...]


CONFIDENCE_WORDS = {"H": "well known", "M": "common practice, check before relying on it", "L": "rough"}


def battery_of(case: Case) -> BatteryView:
    """Return the sheet of a supply's bank."""
    bank, chemistry, fit = case.bank, case.bank.chemistry, case.bank.table_fit
    block_cells = bank.cells_in_series_count // bank.series
    within = say_percent(case.capacity_spread_ratio)
    return BatteryView(
        facts=_facts(case),
        ratings=_ratings(case, block_cells),
        rows=tuple(_sheet_row(r) for r in (fit.rows if fit else ())),
        suspects_count=len(fit.suspects) if fit else 0,
        runs=_run_chart(bank, block_cells, fit),
        volts=_volts_chart(case, block_cells, fit),
        source=f"{chemistry.name}: {chemistry.source}; {CONFIDENCE_WORDS[chemistry.confidence]}. "
        + (
            f"Refitted to the discharge table: capacity within ±{within}."
            if fit
            else f"From the nameplate alone: capacity within ±{within}."
        ),
        untold=tuple(say_untold(untold, bank.table) for untold in fit.untold) if fit and bank.table else (),
    )


def _facts(case: Case) -> tuple[tuple[str, str, str], ...]:
    bank, supply, chemistry = case.bank, case.supply, case.bank.chemistry
    today = build_pack(bank, condition_ratio=case.condition_today_ratio, temperature_degc=supply.typical_degc)
    condition_from = "measured" if bank.condition_ratio is not None else f"from its age, {plain_number(bank.age_y)} years"
    resistance_from = (
        f"measured at 1 kHz, times {plain_number(chemistry.dc_over_1khz_ratio, 2)}"
        if bank.resistance_ohm is not None
        else "of its kind and size"
    )
    facts = [
        ("Rated", say_amp_hours(bank.rated_c20_ah, 3), "at 20 h, whole bank" if not chemistry.is_primary else "nameplate, at low drain"),
        ("Today", say_amp_hours(today.capacity_ah, 2), f"at most, at {plain_number(supply.typical_degc)} °C"),
        ("Condition", say_percent(case.condition_today_ratio), condition_from),
        ("Resistance", f"{plain_number(1000 * today.resistance_ohm, 2)} mΩ", f"of the model, DC, {resistance_from}"),
        ("Loses by itself", f"{plain_number(100 * chemistry.self_discharge_per_month_ratio, 2)} % a month", "at 25 °C, double at 35"),
        ("End voltage", f"{plain_number(bank.end_v, 4)} V", f"{plain_number(chemistry.end_v, 3)} V a cell"),
    ]
    size = size_of(bank.chemistry_key, bank.block_v, bank.capacity_ah) if chemistry.is_primary else None
    if size:
        facts.append(("Size", size.name, f"gives {say_amps(size.greatest_current_a)} at most, rough"))
    return tuple(facts)


def _ratings(case: Case, block_cells: int) -> tuple[tuple[str, str, str], ...]:
    bank, chemistry = case.bank, case.bank.chemistry
    ends = dict.fromkeys(
        (
            chemistry.end_v,
            chemistry.large_block_end_v or chemistry.end_v,
            max(chemistry.end_v, case.threshold.threshold_v / bank.cells_in_series_count),
        )
    )
    found: list[tuple[str, str, str]] = []
    for end_v in ends:
        for hours_h in (1.0, 10.0, 20.0, 100.0):
            rate_per_h = rate_for_run_per_h(bank.cell, hours_h, end_v)
            if rate_per_h > 0:
                charge_ah = rate_per_h * bank.rated_c20_ah / bank.parallel * hours_h
                found.append((f"{plain_number(hours_h)} h", f"{plain_number(end_v * block_cells, 4)} V", say_amp_hours(charge_ah, 3)))
    return tuple(found)


def _sheet_row(fit: RowFit) -> SheetRow:
    row, is_reading = fit.row, fit.row.kind is RowKind.READING
    return SheetRow(
        current=say_amps(row.current_a),
        hours=say_hours(row.run_h),
        volts=f"{plain_number(row.end_v, 4)} V",
        off=f"{round(fit.error_v, 2) + 0.0:+.2f} V" if is_reading else f"{100 * fit.error_ratio:+.1f} %",
        is_reading=is_reading,
        is_suspect=fit.is_suspect,
    )


def _title(fit: RowFit) -> str:
    row = fit.row
    if row.kind is RowKind.READING:
        return f"{plain_number(row.end_v, 4)} V after {say_hours(row.run_h)} at {say_amps(row.current_a)}, on the way"
    return f"{say_amps(row.current_a)} for {say_hours(row.run_h)} to {plain_number(row.end_v, 4)} V"


def _ticks(low: float, high: float) -> list[float]:
    """Return 1, 2, 5 and their powers of ten between two numbers given as their logarithms."""
    return [m * 10.0**e for e in range(math.floor(low), math.ceil(high) + 1) for m in (1, 2, 5) if low <= math.log10(m * 10.0**e) <= high]


def _run_chart(bank: Bank, block_cells: int, fit: TableFit | None) -> RunChart | None:
    cell, end_v, block_c20_ah = bank.cell, bank.chemistry.end_v, bank.rated_c20_ah / bank.parallel
    line: list[tuple[float, float]] = []
    for n in range(49):
        rate_per_h = 10 ** (-2.3 + n * 3.0 / 48)
        if cell_voltage_v(cell, rate_per_h, 1e-6) > end_v:
            line.append((rate_per_h * block_c20_ah, constant_current_run_h(cell, 1.0, rate_per_h, end_v)))
    line = [(a, h) for a, h in line if SHORTEST_H <= h <= LONGEST_H]
    if len(line) < 2:
        return None
    ends = [r for r in (fit.rows if fit else ()) if r.row.kind is RowKind.END]
    currents = [a for a, _ in line] + [r.row.current_a for r in ends]
    low, high = math.log10(min(currents)) - 0.05, math.log10(max(currents)) + 0.05

    def x(current_a: float) -> float:
        return round(LEFT + (math.log10(current_a) - low) / (high - low) * (CHART_WIDTH - LEFT - RIGHT), 1)

    def y(hours_h: float) -> float:
        top, floor = math.log10(LONGEST_H), math.log10(SHORTEST_H)
        part = (math.log10(min(max(hours_h, SHORTEST_H), LONGEST_H)) - floor) / (top - floor)
        return round(CHART_HEIGHT - BOTTOM - part * (CHART_HEIGHT - BOTTOM - TOP), 1)

    return RunChart(
        right=CHART_WIDTH - RIGHT,
        line=" ".join(f"{x(a)},{y(h)}" for a, h in line),
        points=tuple(
            RowMark(x=x(r.row.current_a), y=y(r.row.run_h), is_suspect=r.is_suspect, is_reading=False, title=_title(r)) for r in ends
        ),
        x_ticks=tuple((x(a), say_amps(a)) for a in _ticks(low, high)),
        y_ticks=tuple((y(h), words) for h, words in TIME_TICKS if SHORTEST_H <= h <= LONGEST_H),
        end_v=f"{plain_number(end_v * block_cells, 4)} V",
    )


def _volts_chart(case: Case, block_cells: int, fit: TableFit | None) -> VoltsChart | None:
    bank, cell = case.bank, case.bank.cell
    block_c20_ah, end_v = bank.rated_c20_ah / bank.parallel, bank.chemistry.end_v
    rates = _rates_drawn(case)
    near = [r for r in (fit.rows if fit else ()) if any(_is_same_rate(r.row.current_a / block_c20_ah, rate) for rate in rates)]
    # A curve goes down to the lowest end that its rows state.
    ends = {
        rate: min([end_v, *(r.row.end_v / block_cells for r in near if _is_same_rate(r.row.current_a / block_c20_ah, rate))])
        for rate in rates
    }
    runs = {rate: constant_current_run_h(cell, 1.0, rate, v) for rate, v in ends.items() if cell_voltage_v(cell, rate, 1e-6) > v}
    if not runs:
        return None
    shown_v = [r.row.end_v for r in near] + [block_cells * v for v in (end_v, bank.cell.ocv_rows[-1][1])]
    lowest_v, highest_v = min(shown_v) - 0.02 * max(shown_v), max(shown_v) * 1.01
    times = [r.row.run_h for r in near] + [run_h * part for run_h in runs.values() for part in (FIRST_PART, 1.0)]
    low, high = math.log10(min(times)) - 0.05, math.log10(max(times)) + 0.05

    def x(hours_h: float) -> float:
        return round(LEFT + (math.log10(hours_h) - low) / (high - low) * (CHART_WIDTH - LEFT - VOLTS_RIGHT), 1)

    def y(volts: float) -> float:
        return round(CHART_HEIGHT - BOTTOM - (volts - lowest_v) / (highest_v - lowest_v) * (CHART_HEIGHT - BOTTOM - TOP), 1)

    curves: list[tuple[str, str, float, float]] = []
    for rate, run_h in runs.items():
        line = _curve(cell, rate, run_h, block_cells)
        curves.append((" ".join(f"{x(t)},{y(v)}" for t, v in line), say_amps(rate * block_c20_ah), x(run_h) + 6, y(line[-1][1]) - 4))
    step_v = next(step for step in (0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0) if (highest_v - lowest_v) / step <= 8)
    first = math.ceil(lowest_v / step_v)
    return VoltsChart(
        right=CHART_WIDTH - VOLTS_RIGHT,
        curves=tuple(curves),
        points=tuple(
            RowMark(x=x(r.row.run_h), y=y(r.row.end_v), is_suspect=r.is_suspect, is_reading=r.row.kind is RowKind.READING, title=_title(r))
            for r in near
        ),
        x_ticks=tuple((x(h), words) for h, words in TIME_TICKS if low <= math.log10(h) <= high),
        y_ticks=tuple((y(n * step_v), f"{plain_number(n * step_v, 4)} V") for n in range(first, math.floor(highest_v / step_v) + 1)),
        levels=tuple((y(v), words) for v, words in _levels(case) if lowest_v <= v <= highest_v),
    )


def _rates_drawn(case: Case) -> tuple[float, ...]:
    """Return the rates to draw, as I/C20: those of the table, the slowest, the fastest and one between, or usual ones. [1/h]"""
    table = case.bank.table
    if table is None:
        return USUAL_RATES_PER_H
    # Of currents that are one rate the one with most rows is drawn, so that readings lie beside their own curve.
    rates = [Counter(group).most_common(1)[0][0] for group in table.rates_per_h]
    return tuple(rates) if len(rates) <= MOST_CURVES else (rates[0], rates[len(rates) // 2], rates[-1])


def _is_same_rate(one: float, other: float) -> bool:
    return abs(one - other) <= SAME_CURVE_RATIO * other


def _curve(cell: CellModel, rate_per_h: float, run_h: float, block_cells: int) -> list[tuple[float, float]]:
    """Return (hours, volts of a block) along a run, evenly spaced on a logarithmic axis of time."""
    times = [run_h * FIRST_PART ** (1 - n / POINTS_COUNT) for n in range(POINTS_COUNT + 1)]
    return [(t, block_cells * cell_voltage_v(cell, rate_per_h, min(t, run_h * (1 - 1e-9)))) for t in times]


def _levels(case: Case) -> list[tuple[float, str]]:
    """Return the voltages of one block at which the supply warns, and at which the equipment ends, with what they are."""
    series, low_v = case.bank.series, case.supply.low_battery_v
    found = [(case.threshold.threshold_v / series, "ends")]
    return found if low_v is None else [*found, (low_v / series, "warns")]
