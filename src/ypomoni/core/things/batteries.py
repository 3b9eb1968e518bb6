"""Blocks, banks and packs. A `Bank` is what is bolted in; a `Pack` is the model of it at one age and temperature.

Model: two-well kinetic battery in modal form with a resistance that grows as the head falls (Manwell & McGowan, "Lead acid battery storage
model for hybrid energy systems", Solar Energy 50, 1993), and a symmetric activation loss (Butler-Volmer).
"""

import math
from dataclasses import dataclass, replace
from functools import lru_cache

from ypomoni.core.bracketing import bracket
from ypomoni.core.chemistries import CHEMISTRIES, Chemistry
from ypomoni.core.chemistries.cells import CellModel, Curve, constant_current_run_h, curve_of
from ypomoni.core.chemistries.discharge_table import DischargeTable, TableFit, Untold, fit_table
from ypomoni.core.errors import QuantityError
from ypomoni.core.things.protection import FittedBlock, Lead, Protection

CELL_TOLERANCE_RATIO = 0.06
# A bank whose nominal voltage is further from the supply's is joined wrongly.
MISMATCH_RATIO = 0.15
# Of what is rated: a battery that gives less is replaced (IEEE 1188; common practice).
REPLACE_BELOW_RATIO = 0.80
CONDITION_FLOOR_RATIO = 0.3
LOSS_AT_END_OF_LIFE_RATIO = 0.2
RESISTANCE_GROWTH = 2.5
LIFE_REFERENCE_DEGC = 25.0
LIFE_HALVES_PER_DEGC = 10.0
STANDARD_RATE_H = 20.0
LARGE_BLOCK_AH = 38.0
# A dead short draws about so many times what the model's resistance would let through, which stands for what diffuses as well. [M]
SHORT_OVER_MODEL_RATIO = 2.0


def cells_of_block(chemistry_key: str, block_v: float) -> int:
    """Return how many cells in series make a block of this voltage.

    Raises
    ------
    QuantityError
        If no whole number of cells comes within 6 % of ``block_v``.
    """
    cell_v, name = CHEMISTRIES[chemistry_key].cell_nominal_v, CHEMISTRIES[chemistry_key].name
    cells_count = round(block_v / cell_v)
    if cells_count < 1 or abs(cells_count * cell_v - block_v) > CELL_TOLERANCE_RATIO * block_v:
        below_v, above_v = max(1, math.floor(block_v / cell_v)) * cell_v, (math.floor(block_v / cell_v) + 1) * cell_v
        raise QuantityError(
            f"block_v must be a whole number of {name} cells of {cell_v:g} V within 6 %, was {block_v:g} V: "
            f"{below_v:g} V or {above_v:g} V would be right, or give cells_count."
        )
    return cells_count


@dataclass(frozen=True, slots=True, kw_only=True)
class Bms:
    """A battery's own protection, of the whole bank; what it states is protected. [A, V, °C]"""

    limit_a: float | None = None
    cutoff_v: float | None = None
    charges_from_degc: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Bank:
    """A supply's battery: equal blocks in series and parallel. ``condition_ratio`` None means not measured.

    ``resistance_ohm`` is one block's as an impedance meter shows it at 1 kHz; ``table`` what its maker publishes of one block.
    ``protection`` and ``lead`` None: nothing was said of them; ``blocks`` are those of which something was said.
    """

    chemistry_key: str
    block_v: float
    capacity_ah: float
    rate_h: float = STANDARD_RATE_H
    series: int = 1
    parallel: int = 1
    age_y: float = 0.0
    condition_ratio: float | None = None
    life_y: float | None = None
    cells_count: int | None = None
    resistance_ohm: float | None = None
    table: DischargeTable | None = None
    bms: Bms | None = None
    # What its maker allows in the cold, as a share of its capacity an hour; None: what is usual for its chemistry.
    cold_charge_per_h: float | None = None
    protection: Protection | None = None
    lead: Lead | None = None
    blocks: tuple[FittedBlock, ...] = ()

    @property
    def chemistry(self) -> Chemistry:
        """The data set of this bank; only for chemistries that are modelled."""
        return CHEMISTRIES[self.chemistry_key]

    @property
    def cell(self) -> CellModel:
        """The cell's model: the chemistry's figures, or those its discharge table was fitted to."""
        return cell_of(self.chemistry) if self.table_fit is None else self.table_fit.cell

    @property
    def table_fit(self) -> TableFit | None:
        """The refit to the block's discharge table, where it has one."""
        if self.table is None:
            return None
        return fit_table(self.table, self.chemistry, self.cells_in_series_count // self.series)

    @property
    def tells_volts_on_the_way(self) -> bool:
        """Whether its table says what it shows before its end, so that the time from a warning to the end is known."""
        fit = self.table_fit
        return fit is not None and Untold.VOLTS not in fit.untold

    @property
    def bank_v(self) -> float:
        """Nominal voltage of the whole bank. [V]"""
        return self.series * self.block_v

    @property
    def cells_in_series_count(self) -> int:
        """Cells from pole to pole of the bank."""
        return self.series * (self.cells_count or cells_of_block(self.chemistry_key, self.block_v))

    @property
    def rated_c20_ah(self) -> float:
        """Rated capacity of the whole bank at the 20-hour rate. [Ah]"""
        return self.parallel * block_c20_ah(self.chemistry_key, self.capacity_ah, self.rate_h)

    @property
    def own_cutoff_v(self) -> float | None:
        """Where its own protection disconnects it; None where it has none that is known. [V]"""
        return self.bms.cutoff_v if self.bms else None

    @property
    def full_v(self) -> float:
        """What the whole bank shows full and at rest. [V]"""
        return self.cells_in_series_count * self.cell.ocv_rows[-1][1]

    @property
    def charges_to_v(self) -> float:
        """The highest voltage a charge of this chemistry takes the whole bank to; of a cell that is never charged, what it shows full. [V]"""
        charging = self.chemistry.charging
        return self.full_v if charging is None else charging.by.reaches_v * self.cells_in_series_count

    @property
    def short_circuit_a(self) -> float:
        """What it gives into a dead short when new, full and warm: E over the resistance at 1 kHz, about half of the model's. [A]"""
        if self.resistance_ohm is not None:
            return self.full_v / (self.resistance_ohm * self.series / self.parallel)
        pack_ohm = self.cells_in_series_count * self.cell.resistance_ohm_ah / self.rated_c20_ah
        return self.full_v * SHORT_OVER_MODEL_RATIO / pack_ohm

    def suits(self, nominal_v: float) -> bool:
        """Say whether its nominal voltage is that of a supply, within 15 %. [V]"""
        return abs(self.bank_v - nominal_v) <= MISMATCH_RATIO * nominal_v * (1 + 1e-9)

    @property
    def end_v(self) -> float:
        """The chemistry's own end voltage for the whole bank. [V]"""
        return self.cells_in_series_count * self.chemistry.end_v

    def design_life_y(self, typical_degc: float) -> float:
        """Return L = life·2^(−max(0, T − 25)/10): life halves with every 10 °C above 25 °C. [years]"""
        life_y = self.life_y if self.life_y is not None else self.chemistry.life_y
        return life_y * 2.0 ** (-max(0.0, typical_degc - LIFE_REFERENCE_DEGC) / LIFE_HALVES_PER_DEGC)

    def condition_today_ratio(self, typical_degc: float) -> float:
        """Return c: the measured condition, or 1 − 0.2·age/L with a floor of 0.3. [ratio]"""
        if self.condition_ratio is not None:
            return self.condition_ratio
        aged_ratio = 1.0 - LOSS_AT_END_OF_LIFE_RATIO * self.age_y / self.design_life_y(typical_degc)
        return max(CONDITION_FLOOR_RATIO, aged_ratio)

    def with_c20_ah(self, c20_ah: float) -> "Bank":
        """Return the same kind of bank with another 20-hour capacity, in one string; a measured resistance and what was said of its blocks were of the old ones."""
        return replace(self, capacity_ah=c20_ah, rate_h=STANDARD_RATE_H, parallel=1, resistance_ohm=None, blocks=())


@dataclass(frozen=True, slots=True, kw_only=True)
class StockBlock:
    """One block that can be bought. [V, Ah, h, kg, mm] ``price`` is what one costs, in whatever currency. What is None is not known."""

    chemistry_key: str
    block_v: float
    capacity_ah: float
    rate_h: float = STANDARD_RATE_H
    price: float | None = None
    weight_kg: float | None = None
    width_mm: float | None = None
    depth_mm: float | None = None
    height_mm: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Pack:
    """A bank's model at one condition and temperature: state is (u removed, d unavailable) in Ah, head h = 1 − (u + d)/q."""

    capacity_ah: float
    c20_ah: float
    resistance_ohm: float
    g: float
    # The activation loss is b·asinh(I·G/i0); b is 0 where the chemistry tables none. [V, A]
    activation_v: float
    exchange_a: float
    k_per_h: float
    r1_h: float
    cells_count: int
    curve: Curve
    # What the bank loses of itself; it never shows at the terminals. [A]
    self_a: float = 0.0
    # What an outage begins with: the charge that its charger never got into it. [Ah]
    start_u_ah: float = 0.0

    @property
    def full_v(self) -> float:
        """E of a full bank. [V]"""
        return self.curve.bases_v[-1]

    @property
    def empty_v(self) -> float:
        """E of an empty bank. [V]"""
        return self.curve.bases_v[0]

    def open_circuit_v(self, head_ratio: float) -> float:
        """Return E(h), piecewise linear. [V]"""
        return self.curve.at(head_ratio)


def build_pack(
    bank: Bank,
    *,
    condition_ratio: float,
    temperature_degc: float,
    sizing: bool = False,
    capacity_ratio: float = 1.0,
    starts_at_ratio: float = 1.0,
) -> Pack:
    """Return the model of a bank: q = C20·(q/C20)·f_T·c, Rb = cells·rAh/C20·f_R·(1 + 2.5(1 − c)), b = cells·b and i0 = C20·i0.

    Parameters
    ----------
    condition_ratio
        c, the share of rated capacity that age has left.
    temperature_degc
        Battery temperature. [°C]
    sizing
        Use the sizing row of the temperature table instead of the expected one.
    capacity_ratio
        Factor on the rated capacity, for the band: a block of 0.9 times its nameplate.
    starts_at_ratio
        How full an outage finds it, as a share of its present capacity.

    Raises
    ------
    OutsideTableError
        If the temperature lies outside the chemistry's rows.
    """
    chemistry = bank.chemistry
    c20_ah = bank.rated_c20_ah * capacity_ratio
    cells_count = bank.cells_in_series_count
    cell = bank.cell
    growth_ratio = max(1.0 + RESISTANCE_GROWTH * (1.0 - condition_ratio), 0.1)
    if bank.resistance_ohm is None:
        resistance_ohm = cells_count * cell.resistance_ohm_ah / c20_ah * growth_ratio
    else:
        # As measured, so it holds what age did already; another condition than today's changes it in proportion.
        today_ratio = bank.condition_today_ratio(temperature_degc)
        measured_ohm = chemistry.dc_over_1khz_ratio * bank.resistance_ohm * bank.series / bank.parallel
        resistance_ohm = measured_ohm * growth_ratio / max(1.0 + RESISTANCE_GROWTH * (1.0 - today_ratio), 0.1)
    factor_ratio = chemistry.capacity_factor_ratio(temperature_degc, sizing=sizing)
    capacity_ah = c20_ah * cell.capacity_over_c20_ratio * factor_ratio * condition_ratio
    return Pack(
        capacity_ah=capacity_ah,
        c20_ah=c20_ah,
        resistance_ohm=resistance_ohm * chemistry.resistance_factor_ratio(temperature_degc),
        g=cell.g,
        activation_v=cells_count * cell.activation_v,
        exchange_a=c20_ah * cell.exchange_per_h,
        k_per_h=cell.k_per_h,
        r1_h=cell.r1_h,
        cells_count=cells_count,
        curve=curve_of(cell.ocv_rows, cells_count),
        self_a=c20_ah * chemistry.self_discharge_per_h(temperature_degc),
        start_u_ah=(1.0 - starts_at_ratio) * capacity_ah,
    )


@lru_cache(maxsize=4096)
def block_c20_ah(chemistry_key: str, capacity_ah: float, rate_h: float) -> float:
    """Return the 20-hour capacity of a block rated at another hour. [Ah]

    The C20 whose simulation, new and at 25 °C, lasts ``rate_h`` at ``capacity_ah / rate_h`` to the end voltage. Lead blocks from 38 Ah
    are rated to 1.80 V a cell, smaller ones to 1.75. A primary cell's nameplate stands for itself, whatever its rate.
    """
    chemistry = CHEMISTRIES[chemistry_key]
    if chemistry.is_primary or rate_h == STANDARD_RATE_H:
        return capacity_ah
    end_v = chemistry.large_block_end_v if chemistry.large_block_end_v and capacity_ah >= LARGE_BLOCK_AH else chemistry.end_v

    def is_too_small(c20_ah: float) -> bool:
        return constant_current_run_h(cell_of(chemistry), c20_ah, capacity_ah / rate_h, end_v) < rate_h

    low_ah, high_ah = bracket(is_too_small, capacity_ah * 0.2, capacity_ah * 50.0, rounds=60, by_ratio=True)
    return math.sqrt(low_ah * high_ah)


def cell_of(chemistry: Chemistry) -> CellModel:
    """Return the figures of a chemistry that a discharge table can replace."""
    return CellModel(
        capacity_over_c20_ratio=chemistry.capacity_over_c20_ratio,
        resistance_ohm_ah=chemistry.resistance_ohm_ah,
        g=chemistry.g,
        k_per_h=chemistry.k_per_h,
        r1_h=chemistry.r1_h,
        ocv_rows=chemistry.ocv_rows,
        activation_v=chemistry.activation_v,
        exchange_per_h=chemistry.exchange_per_h,
    )
