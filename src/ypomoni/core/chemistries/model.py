"""What is known of a chemistry, per cell."""

import itertools
from dataclasses import dataclass

from ypomoni.core.chemistries.charging import Charging, CurrentCharge, VoltageCharge
from ypomoni.core.errors import OutsideTableError, QuantityError

Row = tuple[float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class Chemistry:
    """One data set, per cell.

    ``resistance_ohm_ah`` is rAh of the pack formula Rb = cells·rAh/Ah (DC value with what diffuses fast). ``ocv_rows`` are (head, V), from
    empty to full. ``activation_v`` b and ``exchange_per_h`` i0, in multiples of the 20-hour capacity, make the activation loss
    b·asinh(I·G/i0); 0 and 1 where none is tabled. ``short_name`` is what stands in forms and lists. Temperature rows are (°C, factor), rising; ``sizing_rows`` is None where sizing uses ``capacity_rows``.
    """

    key: str
    name: str
    short_name: str
    cell_nominal_v: float
    ocv_rows: tuple[Row, ...]
    end_v: float
    large_block_end_v: float | None
    resistance_ohm_ah: float
    g: float
    capacity_over_c20_ratio: float
    k_per_h: float
    r1_h: float
    life_y: float
    charge_ratio: float
    # How it is charged; None: it is a primary cell, which never is.
    charging: Charging | None
    is_lithium: bool
    capacity_rows: tuple[Row, ...]
    sizing_rows: tuple[Row, ...] | None
    resistance_rows: tuple[Row, ...]
    source: str
    confidence: str
    activation_v: float = 0.0
    exchange_per_h: float = 1.0
    # Heads at which a discharge table may shift the curve, from empty to full, and how far makes differ there. [ratio, V]
    curve_anchors: tuple[Row, ...] = ()
    # The model's resistance over what a block measures at 1 kHz: twice where one resistance has to stand for polarisation too, less where
    # the activation loss carries part of it. Chosen so that a block that measures what is typical of its size gets rAh. Rough [L].
    dc_over_1khz_ratio: float = 2.0
    self_discharge_per_month_ratio: float = 0.0
    # Never charged, does not scale with size, and its nameplate is a figure at low drain.
    is_primary: bool = False
    # A film on the anode that a first current must break through: the voltage dips before it recovers.
    is_passivated: bool = False
    is_lead: bool = False
    # A cell that is discharged below this is ruined; None: not tabled. [V]
    cell_limit_v: float | None = None
    # Full cells that rest further apart than this do not belong together; None: its voltage off load tells nothing of its charge. [V]
    rest_apart_v: float | None = None
    # So many cycles of such a depth make up its cycle life; None: not tabled. [cycles, ratio]
    cycle_life: tuple[float, float] | None = None
    # Generic sizes of blocks that are sold; empty: none is listed, so none is recommended. [V, Ah]
    sold_blocks: tuple[Row, ...] = ()
    # Above 25 °C no capacity is credited; beyond this no figure is given. [°C]
    highest_degc: float = 60.0

    def __post_init__(self) -> None:
        if self.is_primary == (self.charging is not None):
            states = (
                "is a primary cell and states how it is charged"
                if self.is_primary
                else "is rechargeable and does not state how it is charged"
            )
            raise QuantityError(f"chemistry {self.key} {states}.")

    @property
    def by_voltage(self) -> VoltageCharge | None:
        """Its charge voltages; None where it is charged by current, or never."""
        by = self.charging.by if self.charging else None
        return by if isinstance(by, VoltageCharge) else None

    @property
    def by_current(self) -> CurrentCharge | None:
        """Its charge currents; None where it is charged by voltage, or never."""
        by = self.charging.by if self.charging else None
        return by if isinstance(by, CurrentCharge) else None

    @property
    def charges_at_constant_current(self) -> bool:
        """Whether it is charged by current, for a time."""
        return self.by_current is not None

    @property
    def greatest_charge_per_h(self) -> float:
        """The greatest charge current as a share of the 20-hour capacity an hour; 0 of a cell that is never charged. [1/h]"""
        return self.charging.greatest_per_h if self.charging else 0.0

    @property
    def charge_knee_ratio(self) -> float:
        """How far its resistance grows towards full while it is charged."""
        return self.charging.knee_ratio if self.charging else 0.0

    def capacity_factor_ratio(self, temperature_degc: float, *, sizing: bool = False) -> float:
        """Return f_T: the share of capacity left at a temperature; the sizing row where ``sizing``. [ratio]"""
        rows = self.sizing_rows if sizing and self.sizing_rows else self.capacity_rows
        return self._read(rows, temperature_degc)

    def self_discharge_per_h(self, temperature_degc: float) -> float:
        """Return the share of the 20-hour capacity lost in an hour on the shelf, s/730, doubled by every 10 °C. [1/h]"""
        return self.self_discharge_per_month_ratio / HOURS_PER_MONTH * 2.0 ** ((temperature_degc - SHELF_DEGC) / 10.0)

    def resistance_factor_ratio(self, temperature_degc: float) -> float:
        """Return f_R: the resistance at a temperature over that at 25 °C. [ratio]"""
        return self._read(self.resistance_rows, temperature_degc)

    def covers(self, temperature_degc: float) -> bool:
        """Say whether every row of this chemistry covers a temperature."""
        return self.lowest_degc <= temperature_degc <= self.highest_degc

    @property
    def is_rechargeable_lithium(self) -> bool:
        """Whether it is a lithium chemistry that is charged: over-charged or over-discharged it can start a fire."""
        return self.is_lithium and not self.is_primary

    @property
    def lowest_degc(self) -> float:
        """The coldest temperature all rows cover. [°C]"""
        return max(rows[0][0] for rows in (self.capacity_rows, self.resistance_rows, self.sizing_rows or self.capacity_rows))

    def _read(self, rows: tuple[Row, ...], temperature_degc: float) -> float:
        if not rows[0][0] <= temperature_degc <= self.highest_degc:
            raise OutsideTableError(
                f"{self.name} is tabled from {rows[0][0]:g} °C to {self.highest_degc:g} °C, was {temperature_degc:g} °C: no figure is given outside it."
            )
        if temperature_degc >= rows[-1][0]:
            return rows[-1][1]
        return interpolate(rows, temperature_degc)


HOURS_PER_MONTH = 730.0
# The temperature that the monthly figures belong to.
SHELF_DEGC = 25.0


def interpolate(rows: tuple[Row, ...], x: float) -> float:
    """Return y at x, linear between rising rows; the end rows beyond them."""
    if x <= rows[0][0]:
        return rows[0][1]
    for (x0, y0), (x1, y1) in itertools.pairwise(rows):
        if x <= x1:
            return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
    return rows[-1][1]
