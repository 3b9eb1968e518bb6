"""What a charger needs to know of a chemistry, per cell: by which voltage or current it is charged, how fast, and at which temperatures.

Nothing has a default. ``None`` states that a chemistry has no such limit or no such thing; a data set that leaves a figure out cannot be made.
"""

from dataclasses import dataclass

from ypomoni.core.errors import QuantityError

Row = tuple[float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class VoltageCharge:
    """Charged by voltage. Figures of one cell at 25 °C. [V, V/°C, °C]

    Parameters
    ----------
    float_v
        Held continuously; None: never held, so it is filled by ``cyclic_v`` whatever the mode.
    returns_to_v
        To what a charger that has filled it may fall back; None: it ends the charge.
    cyclic_v
        Fills it. ``must_end``: something has to end that charge, by current, time or a float stage.
    least_v
        Below this it is never full. ``least_is_choice``: that costs capacity and nothing else.
    held_risk_v, held_fails_v
        Held above these it ages early, or within months; None: no limit but ``dangerous_v``.
    float_most_v, cyclic_most_v
        What a charger that does not follow the temperature is never set above; None: no limit but ``dangerous_v``.
    unended_dangerous_v
        A charge that nothing ends is a danger above this; None: no limit but ``dangerous_v``.
    reaches_v
        The most that chargers commonly take a cell to; its fuse and isolator are rated for it.
    dangerous_v
        Above this the charge itself is a danger.
    balances_v
        Held between these it is filled, but its cells are never brought level; None: it needs no levelling.
    float_per_degc_v, cyclic_per_degc_v, limit_per_degc_v
        By what the figures and the limits move with the temperature, within ``moves_degc`` (None: they do not move).
    near_v
        How near a setting must be.
    part_charge_is_sure
        Whether it reaches the charge that belongs to a lower set voltage in a time that can be told.
    """

    float_v: float | None
    returns_to_v: float | None
    cyclic_v: float
    must_end: bool
    least_v: float
    least_is_choice: bool
    held_risk_v: float | None
    held_fails_v: float | None
    float_most_v: float | None
    cyclic_most_v: float | None
    unended_dangerous_v: float | None
    reaches_v: float
    dangerous_v: float
    balances_v: tuple[float, float] | None
    float_per_degc_v: float
    cyclic_per_degc_v: float
    limit_per_degc_v: float
    moves_degc: tuple[float, float] | None
    near_v: float
    part_charge_is_sure: bool

    def __post_init__(self) -> None:
        rising = [self.least_v, self.float_v, self.cyclic_v, self.reaches_v, self.dangerous_v]
        known = [v for v in rising if v is not None]
        if known != sorted(known):
            raise QuantityError(f"least, float, cyclic, reaches and dangerous voltage must rise in this order, were {rising} V.")
        moves = (self.float_per_degc_v, self.cyclic_per_degc_v, self.limit_per_degc_v)
        if self.moves_degc is None and any(moves):
            raise QuantityError(f"voltages that move with the temperature need moves_degc, were {moves} V/°C without it.")

    def moved_v(self, cell_v: float, per_degc_v: float, degc: float) -> float:
        """Return a figure of 25 °C at another temperature. [V, V/°C, °C]"""
        if self.moves_degc is None:
            return cell_v
        low_degc, high_degc = self.moves_degc
        return cell_v + per_degc_v * (min(max(degc, low_degc), high_degc) - CHARGE_REFERENCE_DEGC)


@dataclass(frozen=True, slots=True, kw_only=True)
class CurrentCharge:
    """Charged by current, for a time. Currents as shares of the 20-hour capacity an hour. [1/h, h, V a cell]

    ``trickle_per_h`` is what may stay on: least, usual and greatest. ``timed_per_h`` goes in for ``timed_h``, shortest and longest.
    ``reaches_v`` is what a cell's voltage may reach meanwhile.
    """

    trickle_per_h: tuple[float, float, float]
    timed_per_h: float
    timed_h: tuple[float, float]
    reaches_v: float

    def __post_init__(self) -> None:
        if not 0 < self.trickle_per_h[0] <= self.trickle_per_h[1] <= self.trickle_per_h[2] <= self.timed_per_h:
            raise QuantityError(f"trickle and timed current must rise, were {self.trickle_per_h} and {self.timed_per_h} 1/h.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Charging:
    """How a rechargeable chemistry is charged.

    Parameters
    ----------
    by
        Its voltages, or its currents.
    greatest_per_h
        The greatest charge current, as a share of the 20-hour capacity an hour. [1/h] ``too_strong_is_danger``: above it is a danger, not a risk.
    cold_rows
        The greatest share by temperature where cold allows less, (°C from which, 1/h) rising; None: cold does not limit it.
    from_degc, to_degc
        It is not charged below or above; None: no such limit.
    frozen_rows
        It may be frozen below a temperature where its open-circuit voltage is under a figure, (°C, V a cell) falling; None: it does not freeze.
    needs_current_limit
        Whether a charger without a current limit is a danger to it.
    knee_ratio
        How far its resistance grows towards full: gc of Rb·(1 + gc·h/(1 − h)).
    faster_costs
        What a charge faster than ``greatest_per_h`` costs it, in words.
    """

    by: VoltageCharge | CurrentCharge
    greatest_per_h: float
    too_strong_is_danger: bool
    cold_rows: tuple[Row, ...] | None
    from_degc: float | None
    to_degc: float | None
    frozen_rows: tuple[Row, ...] | None
    needs_current_limit: bool
    knee_ratio: float
    faster_costs: str

    def __post_init__(self) -> None:
        if self.greatest_per_h <= 0:
            raise QuantityError(f"greatest_per_h must be above 0, was {self.greatest_per_h} 1/h.")

    def greatest_at_per_h(self, degc: float) -> float:
        """Return the greatest charge current at a temperature, as a share of the capacity an hour. [°C, 1/h]"""
        allowed = self.greatest_per_h
        for below_degc, per_h in reversed(self.cold_rows or ()):
            if degc < below_degc:
                allowed = min(allowed, per_h)
        return allowed


CHARGE_REFERENCE_DEGC = 25.0
