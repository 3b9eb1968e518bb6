"""Does the charger suit the battery: its voltage, its mode, its current limit, the temperature it charges at.

Everything here follows from what is stated, so it is judged whether or not hours can be computed. Voltages per cell at 25 °C.
"""

from collections.abc import Iterator
from dataclasses import replace

from ypomoni.core.chemistries.charging import VoltageCharge
from ypomoni.core.judgement.facts import Facts
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import plain_number, say_amps, say_amps_at_most, say_volts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.charge_setting import coldest_charge_degc, greatest_charge_a, is_held, limit_v, planned_bank_v
from ypomoni.core.things.supplies import ChargeMode, Supply
from ypomoni.core.things.supply_kinds import SupplyKind

# Of these findings, those that are about the battery itself and stand on its sheet.
OF_BATTERY = frozenset(
    {
        "primary_charged",
        "charge_voltage_dangerous",
        "charge_voltage_high",
        "charge_voltage_low",
        "no_balancing",
        "no_current_limit",
        "charge_below_freezing",
        "charge_in_heat",
        "charge_current_in_cold",
        "cyclic_not_ended",
        "float_in_heat",
        "nimh_continuous",
    }
)

# Belongs to every limit of a charge voltage. [V a cell]
TOLERANCE_V = 0.005
# Above this share of what it shows full no chemistry is charged.
FULL_RATIO = 1.2
NEARLY_FULL_RATIO = 0.995
FLOAT_WARM_DEGC, FLOAT_HOT_DEGC = 30.0, 40.0
DISCONNECT = "Disconnect this charger from the battery. Use one that is made for this battery."
LITHIUM_CHARGER = "Use a charger that is made for this chemistry and number of cells."


def check_charging(facts: Facts) -> list[Finding]:
    """Return what the charger does to the battery that is there."""
    bank = facts.bank
    if bank is None:
        return []
    supply = facts.supply
    if bank.chemistry.is_primary:
        return list(_primary_charged(supply, bank))
    checks = (_voltage, _not_ended, _current_limit, _cold_and_heat, _float_in_heat, _nickel)
    return [finding for check in checks for finding in check(supply, bank)]


def dangerous_from_v(supply: Supply, bank: Bank, degc: float | None = None) -> float:
    """Return the set voltage a cell above which charging is a danger, at the typical or another temperature. [V a cell, °C]"""
    full_v = FULL_RATIO * bank.cell.ocv_rows[-1][1]
    by = bank.chemistry.by_voltage
    return full_v if by is None else min(full_v, limit_v(supply, by, by.dangerous_v, degc))


def _voltage(supply: Supply, bank: Bank) -> Iterator[Finding]:
    if supply.charge_v is None or supply.charge_limit_a == 0:
        return
    cells_count, chemistry = bank.cells_in_series_count, bank.chemistry
    cell_v = supply.charge_v / cells_count
    a_cell = f"{say_volts(supply.charge_v)} on {cells_count} {'cell' if cells_count == 1 else 'cells'} is {plain_number(cell_v)} V a cell."
    dangerous_v = dangerous_from_v(supply, bank)
    if cell_v > dangerous_v + TOLERANCE_V:
        harm = "It can catch fire." if chemistry.is_lithium else "It boils, gives off gas and can burst."
        yield Finding(
            code="charge_voltage_dangerous",
            severity=Severity.DANGER,
            evidence=f"{a_cell} {_named(bank)} takes at most {plain_number(dangerous_v)} V. {harm}",
            source=f"greatest charge voltage of {chemistry.name}",
            way_out=DISCONNECT,
        )
        return
    if not bank.suits(supply.nominal_v):
        # No set voltage is right for a bank that is joined wrongly, so none is named.
        return
    by = chemistry.by_voltage
    if by is None:
        return
    if is_held(supply):
        yield from _float_too_high(supply, bank, by, cell_v, a_cell)
    yield from _too_low(supply, bank, by, cell_v, a_cell)
    balances = by.balances_v is not None and by.balances_v[0] - TOLERANCE_V <= cell_v <= by.balances_v[1]
    if is_held(supply) and balances:
        yield Finding(
            code="no_balancing",
            severity=Severity.NOTE,
            evidence=f"{a_cell} That fills the battery, but slowly, and its cells are never brought level with each other.",
            source=f"{chemistry.name} balances above {by.balances_v[1] if by.balances_v else 0:.2f} V a cell",
            way_out=f"Charge it to {say_volts(by.cyclic_v * cells_count)} now and then, with a charger made for it.",
        )


def _not_ended(supply: Supply, bank: Bank) -> Iterator[Finding]:
    by = bank.chemistry.by_voltage
    of_kind = supply.of_kind
    if (
        by is None
        or not by.must_end
        or supply.charging is not ChargeMode.CYCLIC
        or supply.charge_ends is not None
        or not supply.has_charger
    ):
        return
    # Where charge comes and goes by itself, it ends by itself.
    if of_kind.is_cycled or supply.kind is SupplyKind.PRIMARY:
        return
    cell_v = None if supply.charge_v is None else supply.charge_v / bank.cells_in_series_count
    limit_cell_v = by.unended_dangerous_v
    if limit_cell_v is not None and supply.charge_compensated is not True:
        limit_cell_v = by.moved_v(limit_cell_v, by.cyclic_per_degc_v, supply.typical_degc)
    is_danger = cell_v is not None and limit_cell_v is not None and cell_v > limit_cell_v + TOLERANCE_V
    harm = "dries out within weeks, gives off gas and can overheat" if is_danger else "is overcharged and dries out early"
    at = "its cyclic charge voltage" if cell_v is None else f"{say_volts(supply.charge_v or 0.0)} ({plain_number(cell_v)} V a cell)"
    yield Finding(
        code="cyclic_not_ended",
        severity=Severity.DANGER if is_danger else Severity.FAILS,
        evidence=f"{supply.name} charges with {at}, and what ends that charge is not entered. {_named(bank)} left on a cyclic voltage {harm}.",
        source="a cyclic charge of lead is ended by current, by time or by a float stage",
        way_out=f"Find out what ends the charge and enter it. If nothing does, set the charger to float: {say_volts(_float_bank_v(supply, bank))}.",
    )


def _float_bank_v(supply: Supply, bank: Bank) -> float:
    """Return the voltage that suits a charger that holds it. [V]"""
    return planned_bank_v(replace(supply, charge_mode=ChargeMode.FLOAT), bank) or 0.0


def _float_too_high(supply: Supply, bank: Bank, by: VoltageCharge, cell_v: float, a_cell: str) -> Iterator[Finding]:
    for held_v, severity in ((by.held_fails_v, Severity.FAILS), (by.held_risk_v, Severity.RISK)):
        if held_v is not None and cell_v > limit_v(supply, by, held_v) + TOLERANCE_V:
            usual_v = planned_bank_v(supply, bank) or 0.0
            dries = "It dries out within months." if severity is Severity.FAILS else "It dries out early."
            yield Finding(
                code="charge_voltage_high",
                severity=severity,
                evidence=f"{a_cell} Lead that is held at more than {plain_number(limit_v(supply, by, held_v))} V for good is overcharged. {dries}",
                source=f"float voltage of lead at {plain_number(supply.typical_degc)} °C",
                way_out=f"Set the charger to {say_volts(usual_v)}, or let it end the charge by time or current.",
            )
            return


def _too_low(supply: Supply, bank: Bank, by: VoltageCharge, cell_v: float, a_cell: str) -> Iterator[Finding]:
    if cell_v >= limit_v(supply, by, by.least_v) - TOLERANCE_V:
        return
    is_choice = by.least_is_choice
    usual_v = planned_bank_v(supply, bank) or 0.0
    finds = f"An outage finds it at {_say_share(supply.starts_at_ratio)}."
    if is_choice:
        evidence = f"{a_cell} That is gentle to the battery, but never fills it. {finds}"
    elif supply.starts_at_ratio > NEARLY_FULL_RATIO:
        evidence = f"{a_cell} At that voltage the battery never gets quite full, and hardens over the months."
    else:
        evidence = f"{a_cell} At that voltage this charger never fills the battery. {finds}"
    yield Finding(
        code="charge_voltage_low",
        severity=Severity.NOTE if is_choice else Severity.RISK,
        evidence=evidence,
        source=f"least charge voltage of {bank.chemistry.name}",
        way_out=f"Raise the set voltage to {say_volts(usual_v)}, or count on the hours shown.",
    )


def _say_share(ratio: float) -> str:
    return f"{100 * ratio:.0f} % of its charge"


def _named(bank: Bank) -> str:
    name = bank.chemistry.name
    return f"{name[0].upper()}{name[1:]}"


def _current_limit(supply: Supply, bank: Bank) -> Iterator[Finding]:
    charging = bank.chemistry.charging
    if charging is None or not charging.needs_current_limit or supply.kind is SupplyKind.SOLAR:
        return
    if supply.current_limited is False:
        yield Finding(
            code="no_current_limit",
            severity=Severity.DANGER,
            evidence=f"The charger of {supply.name} has no current limit. An empty lithium battery then takes whatever the charger gives, and can catch fire.",
            source="constant voltage without a current limit is no lithium charger",
            way_out=LITHIUM_CHARGER,
        )
    elif supply.charge_limit_a is None and supply.current_limited is not True:
        yield Finding(
            code="no_current_limit",
            severity=Severity.RISK,
            evidence=f"Nobody has said whether the charger of {supply.name} limits its current. Without a limit it can set a lithium battery on fire.",
            source="constant voltage without a current limit is no lithium charger",
            way_out="Look it up and enter the charge limit.",
        )


def _cold_and_heat(supply: Supply, bank: Bank) -> Iterator[Finding]:
    charging = bank.chemistry.charging
    if charging is None or not supply.has_charger:
        return
    coldest_degc = coldest_charge_degc(supply, bank)
    if charging.from_degc is not None and coldest_degc < charging.from_degc:
        yield Finding(
            code="charge_below_freezing",
            severity=Severity.DANGER,
            evidence=f"It gets down to {plain_number(supply.min_degc)} °C at {supply.name}. {_named(bank)} that is charged below {charging.from_degc:g} °C can later catch fire.",
            source=f"charge limits of {bank.chemistry.name}",
            way_out="Fit a battery that blocks its own charge in the cold, heat the cupboard, or use lead.",
        )
    elif charging.cold_rows is not None:
        yield from _too_fast_in_cold(supply, bank, coldest_degc)
    if charging.to_degc is not None and supply.hottest_degc > charging.to_degc:
        yield Finding(
            code="charge_in_heat",
            severity=Severity.DANGER,
            evidence=f"It gets up to {plain_number(supply.hottest_degc)} °C at {supply.name}. {_named(bank)} must not be charged above {charging.to_degc:g} °C.",
            source=f"charge limits of {bank.chemistry.name}",
            way_out="Move the battery to a cooler place, or fit a charger that stops in the heat.",
        )


def _too_fast_in_cold(supply: Supply, bank: Bank, coldest_degc: float) -> Iterator[Finding]:
    charges_a = [a for a in (supply.charge_limit_a, supply.supply_current_a) if a is not None]
    allowed_a = greatest_charge_a(supply, bank)
    is_cold = allowed_a < bank.chemistry.greatest_charge_per_h * bank.rated_c20_ah * (1 - 1e-9)
    if not is_cold or not charges_a or min(charges_a) <= allowed_a * (1 + 1e-9):
        return
    yield Finding(
        code="charge_current_in_cold",
        severity=Severity.RISK,
        evidence=f"{supply.name} charges its battery with up to {say_amps(min(charges_a))} at {plain_number(coldest_degc)} °C "
        f"({say_amps_at_most(allowed_a)} allowed at that temperature). {_named(bank)} plates metal when it is charged fast in the cold, and can later catch fire.",
        source=f"cold charge rate of {bank.chemistry.name}, common practice [M]; the data sheet wins",
        way_out=f"Lower the charge limit to {say_amps_at_most(allowed_a)}, or enter the cold charge rate from the battery's data sheet.",
    )


def _float_in_heat(supply: Supply, bank: Bank) -> Iterator[Finding]:
    if not bank.chemistry.is_lead or supply.charging is not ChargeMode.FLOAT or not supply.has_charger:
        return
    hot = supply.typical_degc > FLOAT_WARM_DEGC or supply.hottest_degc >= FLOAT_HOT_DEGC
    if not hot or supply.charge_compensated is True:
        return
    yield Finding(
        code="float_in_heat",
        severity=Severity.RISK,
        evidence=f"It is {plain_number(supply.typical_degc)} °C at {supply.name}, up to {plain_number(supply.hottest_degc)} °C, and the charge voltage "
        "does not follow the temperature. Held warm at full voltage, lead dries out and can overheat.",
        source="float voltage falls by 3 mV a cell with every °C",
        way_out="Fit a charger that lowers its voltage in the heat, or cool the cupboard. If it does so already, say so with the supply.",
    )


def _nickel(supply: Supply, bank: Bank) -> Iterator[Finding]:
    by = bank.chemistry.by_current
    if by is None or supply.charge_limit_a is None or not is_held(supply):
        return
    trickle_a = by.trickle_per_h[2] * bank.rated_c20_ah
    if supply.charge_limit_a <= trickle_a * (1 + 1e-9):
        return
    yield Finding(
        code="nimh_continuous",
        severity=Severity.RISK,
        evidence=f"The charger gives {say_amps(supply.charge_limit_a)} for good. This {bank.chemistry.name} battery takes {say_amps(trickle_a)} for good; more overheats it.",
        source="nickel cells: a twentieth of the capacity for good, a tenth for 14 to 16 h",
        way_out=f"Lower the charge limit to {say_amps_at_most(trickle_a)}, or fit a charger that stops after its time.",
    )


def _primary_charged(supply: Supply, bank: Bank) -> Iterator[Finding]:
    harm = f"{_named(bank)} cells are never charged: they leak, vent or burst."
    way_out = (
        "Take the charger off these cells, or fit a rechargeable battery. A blocking diode is no substitute: it can fail, and it leaks."
    )
    if supply.charge_limit_a is not None:
        if supply.charge_limit_a > 0:
            yield Finding(
                code="primary_charged",
                severity=Severity.DANGER,
                evidence=f"{supply.name} charges with {say_amps(supply.charge_limit_a)}. {harm}",
                source="primary cells",
                way_out=way_out,
            )
    elif supply.of_kind.always_charges or supply.charge_v is not None:
        yield Finding(
            code="primary_charged",
            severity=Severity.DANGER,
            evidence=f"{supply.name} is of a kind that charges its battery, and nobody has said that it does not. {harm}",
            source="primary cells",
            way_out=f"{way_out} If there is no charger, enter a charge limit of 0 A.",
        )
