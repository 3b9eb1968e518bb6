"""Which voltage belongs on a bank, by its chemistry, its charger's mode and the temperature: what is set, what is planned, what is too much."""

from ypomoni.core.chemistries.charging import VoltageCharge
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.supplies import ChargeMode, Supply


def is_held(supply: Supply) -> bool:
    """Return whether a charger holds its voltage continuously, and nothing ends the charge."""
    return supply.charging is ChargeMode.FLOAT


def limit_v(supply: Supply, by: VoltageCharge, cell_v: float, degc: float | None = None) -> float:
    """Return a limit of a charge voltage at the typical or another temperature; as it stands where the charger follows it. [V a cell, °C]"""
    if supply.charge_compensated is True:
        return cell_v
    return by.moved_v(cell_v, by.limit_per_degc_v, supply.typical_degc if degc is None else degc)


def target_at_v(supply: Supply, by: VoltageCharge, degc: float) -> float:
    """Return the voltage that belongs on a cell at a temperature, for a charger that follows it. [V a cell, °C]"""
    if is_held(supply) and by.float_v is not None:
        return by.moved_v(by.float_v, by.float_per_degc_v, degc)
    return by.moved_v(by.cyclic_v, by.cyclic_per_degc_v, degc)


def fixed_target_v(supply: Supply, by: VoltageCharge) -> float:
    """Return the voltage to set on a cell where the charger does not follow the temperature. [V a cell]

    Set for the typical temperature, and never so high that a warm day makes it harmful: not above what is common for such a charger, nor above
    the limit at the highest temperature that is known.
    """
    held = is_held(supply) and by.float_v is not None
    most_v = by.float_most_v if held else by.cyclic_most_v
    harmful_v = by.held_risk_v if held and by.held_risk_v is not None else by.dangerous_v
    hottest_v = by.moved_v(harmful_v, by.limit_per_degc_v, supply.hottest_degc)
    return min([target_at_v(supply, by, supply.typical_degc), hottest_v, *([] if most_v is None else [most_v])])


def planned_v(supply: Supply, by: VoltageCharge) -> float:
    """Return the voltage a cell that goes into a plan: the 25 °C value of a charger that follows the temperature, else what is set. [V a cell]"""
    if supply.charge_compensated is True:
        return by.float_v if is_held(supply) and by.float_v is not None else by.cyclic_v
    return fixed_target_v(supply, by)


def planned_bank_v(supply: Supply, bank: Bank) -> float | None:
    """Return the charge voltage that goes into a plan; None where the chemistry is not charged by voltage. [V]"""
    by = bank.chemistry.by_voltage
    return None if by is None else bank.cells_in_series_count * planned_v(supply, by)


def most_set_v(supply: Supply, bank: Bank) -> float:
    """Return the highest voltage that may be set on a bank in its supply's own mode: on the coldest day, not under 0 °C. [V]

    A charger of which nobody said that it does not follow the temperature may do so.
    """
    by = bank.chemistry.by_voltage
    if by is None or not supply.has_charger:
        return 0.0
    coldest_degc = max(0.0, supply.min_degc)
    cell_v = fixed_target_v(supply, by) if supply.charge_compensated is False else target_at_v(supply, by, coldest_degc)
    return bank.cells_in_series_count * cell_v


def coldest_charge_degc(supply: Supply, bank: Bank) -> float:
    """Return the lowest temperature at which a bank is charged: its place's, or from where its own protection lets charge in. [°C]"""
    blocks_to_degc = bank.bms.charges_from_degc if bank.bms else None
    return supply.min_degc if blocks_to_degc is None else max(supply.min_degc, blocks_to_degc)


def greatest_charge_a(supply: Supply, bank: Bank, degc: float | None = None) -> float:
    """Return the greatest charge current a bank takes at a temperature, by default at the coldest at which it is charged. [A, °C]"""
    charging = bank.chemistry.charging
    if charging is None:
        return 0.0
    at_degc = coldest_charge_degc(supply, bank) if degc is None else degc
    per_h = charging.greatest_at_per_h(at_degc)
    # What its maker allows in the cold replaces the usual figure there, and nowhere else.
    if per_h < charging.greatest_per_h and bank.cold_charge_per_h is not None:
        per_h = min(bank.cold_charge_per_h, charging.greatest_per_h)
    return per_h * bank.rated_c20_ah


def withstands_v(supply: Supply, bank: Bank) -> float:
    """Return the DC voltage that whatever opens a bank's circuit must be rated for. [V]

    The greatest of what its charger is set to, what chargers commonly take its cells to, and what may be set on the coldest day.
    """
    return max(supply.charge_v or 0.0, bank.charges_to_v, most_set_v(supply, bank))
