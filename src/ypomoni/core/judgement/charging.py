"""Does the charger suit the battery: its voltage, its mode, its current limit, the temperature it charges at.

Everything here follows from what is stated, so it is judged whether or not hours can be computed. Voltages per cell at 25 °C.
"""

from collections.abc import Iterator

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import plain_number, say_amps, say_amps_at_most, say_volts
from ypomoni.core.things.batteries import Bank
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
        "float_in_heat",
        "nimh_continuous",
    }
)

# Belongs to every limit of a charge voltage. [V a cell]
TOLERANCE_V = 0.005
# What the limits of lead move by, from 25 °C, where the charge voltage does not follow the temperature itself.
PER_DEGC_V = -0.003
MOVES_FROM_DEGC, MOVES_TO_DEGC, REFERENCE_DEGC = 0.0, 40.0, 25.0
# Above this share of what it shows full no chemistry is charged.
FULL_RATIO = 1.2
FLOAT_FAILS_V, FLOAT_RISK_V, FLOAT_USUAL_V = 2.40, 2.33, 2.27
BALANCE_FROM_V, BALANCE_TO_V = 3.34, 3.50
# What fills a lithium cell with some room to its limit. [V a cell]
FILLS_V = {"lifepo4": 3.60, "li_ion": 4.20}
NEARLY_FULL_RATIO = 0.995
HOT_CHARGE_DEGC = 45.0
FLOAT_WARM_DEGC, FLOAT_HOT_DEGC = 30.0, 40.0
# Nickel cells take so much for good, as a share of their capacity an hour.
NICKEL_TRICKLE_PER_H = 1.0 / 20.0
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
    checks = (_voltage, _current_limit, _cold_and_heat, _float_in_heat, _nickel)
    return [finding for check in checks for finding in check(supply, bank)]


def lead_limit_v(supply: Supply, limit_v: float) -> float:
    """Return a limit of lead's charge voltage at the supply's typical temperature; as it stands where the charger compensates. [V a cell]"""
    if supply.charge_compensated is True:
        return limit_v
    degc = min(max(supply.typical_degc, MOVES_FROM_DEGC), MOVES_TO_DEGC)
    return limit_v + PER_DEGC_V * (degc - REFERENCE_DEGC)


def usual_charge_v(supply: Supply, bank: Bank) -> float | None:
    """Return the set voltage that suits a bank: lead held on float, lithium filled; or None where the chemistry has none. [V]"""
    cells_count, chemistry = bank.cells_in_series_count, bank.chemistry
    if chemistry.is_lead:
        return cells_count * lead_limit_v(supply, FLOAT_USUAL_V)
    fills_v = FILLS_V.get(chemistry.key)
    return None if fills_v is None else cells_count * fills_v


def _limit_v(supply: Supply, bank: Bank, limit_v: float) -> float:
    return lead_limit_v(supply, limit_v) if bank.chemistry.is_lead else limit_v


def dangerous_from_v(supply: Supply, bank: Bank) -> float:
    """Return the set voltage a cell above which charging is a danger. [V a cell]"""
    full_v = FULL_RATIO * bank.cell.ocv_rows[-1][1]
    own_v = bank.chemistry.dangerous_charge_v
    return full_v if own_v is None else min(full_v, _limit_v(supply, bank, own_v))


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
    is_float = supply.charging is ChargeMode.FLOAT
    if chemistry.is_lead and is_float:
        yield from _float_too_high(supply, bank, cell_v, a_cell)
    yield from _too_low(supply, bank, cell_v, a_cell)
    balances = BALANCE_FROM_V - TOLERANCE_V <= cell_v <= BALANCE_TO_V
    if chemistry.key == "lifepo4" and is_float and balances:
        yield Finding(
            code="no_balancing",
            severity=Severity.NOTE,
            evidence=f"{a_cell} That fills the battery, but slowly, and its cells are never brought level with each other.",
            source="lithium iron phosphate balances above 3.50 V a cell",
            way_out=f"Charge it to {say_volts(FILLS_V['lifepo4'] * cells_count)} now and then, with a charger made for it.",
        )


def _float_too_high(supply: Supply, bank: Bank, cell_v: float, a_cell: str) -> Iterator[Finding]:
    for limit_v, severity in ((FLOAT_FAILS_V, Severity.FAILS), (FLOAT_RISK_V, Severity.RISK)):
        if cell_v > lead_limit_v(supply, limit_v) + TOLERANCE_V:
            usual_v = usual_charge_v(supply, bank) or 0.0
            dries = "It dries out within months." if severity is Severity.FAILS else "It dries out early."
            yield Finding(
                code="charge_voltage_high",
                severity=severity,
                evidence=f"{a_cell} Lead that is held at more than {plain_number(lead_limit_v(supply, limit_v))} V for good is overcharged. {dries}",
                source=f"float voltage of lead at {plain_number(supply.typical_degc)} °C",
                way_out=f"Set the charger to {say_volts(usual_v)}, or let it end the charge by time or current.",
            )
            return


def _too_low(supply: Supply, bank: Bank, cell_v: float, a_cell: str) -> Iterator[Finding]:
    least_v = bank.chemistry.least_charge_v
    if least_v is None or cell_v >= _limit_v(supply, bank, least_v) - TOLERANCE_V:
        return
    is_choice = bank.chemistry.key == "li_ion"
    usual_v = usual_charge_v(supply, bank) or 0.0
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
    if not bank.chemistry.is_rechargeable_lithium or supply.kind is SupplyKind.SOLAR:
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
    if not bank.chemistry.is_rechargeable_lithium or not supply.has_charger:
        return
    blocks_from_degc = bank.bms.charges_from_degc if bank.bms else None
    blocked = blocks_from_degc is not None and blocks_from_degc >= 0
    if supply.min_degc < 0 and not blocked:
        yield Finding(
            code="charge_below_freezing",
            severity=Severity.DANGER,
            evidence=f"It gets down to {plain_number(supply.min_degc)} °C at {supply.name}. {_named(bank)} that is charged below 0 °C can later catch fire.",
            source=f"charge limits of {bank.chemistry.name}",
            way_out="Fit a battery that blocks its own charge in the cold, heat the cupboard, or use lead.",
        )
    if supply.hottest_degc > HOT_CHARGE_DEGC:
        yield Finding(
            code="charge_in_heat",
            severity=Severity.DANGER,
            evidence=f"It gets up to {plain_number(supply.hottest_degc)} °C at {supply.name}. {_named(bank)} must not be charged above {HOT_CHARGE_DEGC:g} °C.",
            source=f"charge limits of {bank.chemistry.name}",
            way_out="Move the battery to a cooler place, or fit a charger that stops in the heat.",
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
    if not bank.chemistry.charges_at_constant_current or supply.charge_limit_a is None or supply.charging is not ChargeMode.FLOAT:
        return
    trickle_a = NICKEL_TRICKLE_PER_H * bank.rated_c20_ah
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
