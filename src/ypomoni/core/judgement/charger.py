"""Is the bank charged again in time, and safely."""

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.results import Finding, Severity
from ypomoni.core.wording import say_amps, say_hours, say_hours_over, say_percent, say_required_h

OVERVOLTAGE_TOLERANCE_V = 0.02


def check_charger(facts: Facts) -> list[Finding]:
    """Return what the charger gives rise to."""
    if facts.supply.bank is None:
        return []
    if facts.supply.bank.chemistry.is_primary:
        return [f for f in (_charges_primary(facts),) if f]
    return [
        f
        for f in (
            _unknown(facts),
            _never(facts),
            _too_slow(facts),
            _bank_too_large(facts),
            _too_strong(facts),
            _overvoltage(facts),
            _freezing(facts),
        )
        if f
    ]


def _charges_primary(facts: Facts) -> Finding | None:
    supply, bank = facts.supply, facts.supply.bank
    if bank is None or not supply.charge_limit_a:
        return None
    return Finding(
        code="primary_charged",
        severity=Severity.DANGER,
        evidence=f"{supply.name} has a charger of {say_amps(supply.charge_limit_a)} on {bank.chemistry.name} cells, which are never charged: they leak, vent or burst.",
        source="primary cells",
        way_out="Take the charger off these cells, or fit a rechargeable battery; a blocking diode keeps current out of them.",
    )


def _unknown(facts: Facts) -> Finding | None:
    supply = facts.supply
    constant = supply.bank is not None and supply.bank.chemistry.charges_at_constant_current
    known = supply.charge_limit_a is not None and supply.supply_current_a is not None and (supply.charge_v is not None or constant)
    if facts.requirement.recharge_h is None or known:
        return None
    return Finding(
        code="charger_not_known",
        severity=Severity.RISK,
        evidence=f"It must be back at {say_percent(facts.requirement.recharge_to_ratio)} within {say_required_h(facts.requirement.recharge_h)}, "
        f"but the charger of {supply.name} is not known.",
        source=facts.requirement.source or "requirement",
        way_out="Enter the supply's current, its charge limit and its charge voltage.",
    )


def _never(facts: Facts) -> Finding | None:
    supply, result = facts.supply, facts.result
    if result.charge_current_a is None or "recovery" not in result.workings or result.recovery_h is not None:
        return None
    required = facts.requirement.recharge_h is not None
    if result.charge_current_a <= 0:
        evidence = (
            f"{say_amps(supply.supply_current_a or 0)} of supply less {say_amps(result.standby_current_a or 0)} of standby leaves nothing "
            f"for the battery of {supply.name}: it never recharges."
        )
    else:
        evidence = (
            f"At {supply.charge_v:g} V the battery of {supply.name} never gets back to {say_percent(facts.requirement.recharge_to_ratio)}."
        )
    return Finding(
        code="charger_never_recovers",
        severity=Severity.FAILS if required else Severity.RISK,
        evidence=evidence,
        source=facts.requirement.source if required and facts.requirement.source else "charge current beside the load",
        way_out="Move loads away, fit a stronger supply, or correct the charge voltage.",
    )


def _too_slow(facts: Facts) -> Finding | None:
    result, allowed_h = facts.result, facts.requirement.recharge_h
    if allowed_h is None or result.recovery_h is None or result.recovery_h <= allowed_h:
        return None
    return Finding(
        code="charger_too_slow",
        severity=Severity.FAILS,
        evidence=f"Beside its load {facts.supply.name} has {say_amps(result.charge_current_a or 0)} left to charge with: back to "
        f"{say_percent(facts.requirement.recharge_to_ratio)} after {say_hours_over(result.recovery_h, allowed_h)}, must be {say_required_h(allowed_h)}.",
        source=facts.requirement.source or "requirement",
        way_out="Move loads away or fit a stronger supply; a larger battery makes it slower.",
    )


def _bank_too_large(facts: Facts) -> Finding | None:
    result, allowed_h = facts.result, facts.requirement.recharge_h
    if allowed_h is None or "recovery" not in result.workings:
        return None
    if result.unloaded_recovery_h is not None and result.unloaded_recovery_h <= allowed_h:
        return None
    took = "never" if result.unloaded_recovery_h is None else f"only after {say_hours(result.unloaded_recovery_h)}"
    return Finding(
        code="bank_too_large_for_charger",
        severity=Severity.RISK,
        evidence=f"Even with no load beside it this charger restores the bank {took}; {say_required_h(allowed_h)} are allowed.",
        source=facts.requirement.source or "requirement",
        way_out="Fit a stronger charger, or split the loads so that a smaller bank will do.",
    )


def _too_strong(facts: Facts) -> Finding | None:
    supply, bank = facts.supply, facts.supply.bank
    if bank is None or supply.charge_limit_a is None or facts.result.rated_c20_ah is None:
        return None
    greatest_a = bank.chemistry.greatest_charge_per_h * facts.result.rated_c20_ah
    if supply.charge_limit_a <= greatest_a * (1 + 1e-9):
        return None
    gentle = not bank.chemistry.is_lithium and not bank.chemistry.charges_at_constant_current
    return Finding(
        code="charger_too_strong",
        severity=Severity.RISK if gentle else Severity.DANGER,
        evidence=f"The charger is set to {say_amps(supply.charge_limit_a)}; this {bank.chemistry.name} bank takes at most {say_amps(greatest_a)}.",
        source=f"greatest charge current of {bank.chemistry.name}: {bank.chemistry.greatest_charge_per_h:g} of its capacity",
        way_out="Lower the charge limit or fit a larger bank; check the maker's figure.",
    )


def _overvoltage(facts: Facts) -> Finding | None:
    supply, bank = facts.supply, facts.supply.bank
    if bank is None or supply.charge_v is None or not bank.chemistry.is_lithium or bank.chemistry.greatest_charge_v is None:
        return None
    cell_v = supply.charge_v / bank.cells_in_series_count
    if cell_v <= bank.chemistry.greatest_charge_v + OVERVOLTAGE_TOLERANCE_V:
        return None
    return Finding(
        code="charge_voltage_dangerous",
        severity=Severity.DANGER,
        evidence=f"{supply.charge_v:g} V on {bank.cells_in_series_count} cells is {cell_v:.2f} V a cell; {bank.chemistry.name} takes at most "
        f"{bank.chemistry.greatest_charge_v:g} V: fire.",
        source=f"greatest charge voltage of {bank.chemistry.name}",
        way_out="Disconnect this charger from the battery. Use one made for this chemistry and cell count.",
    )


def _freezing(facts: Facts) -> Finding | None:
    supply, bank = facts.supply, facts.supply.bank
    if bank is None or not bank.chemistry.is_lithium or supply.min_degc >= 0:
        return None
    return Finding(
        code="charge_below_freezing",
        severity=Severity.DANGER,
        evidence=f"The cupboard gets down to {supply.min_degc:g} °C; {bank.chemistry.name} must not be charged below 0 °C.",
        source=f"charge limits of {bank.chemistry.name}",
        way_out="Fit a battery whose management system blocks charging in the cold, heat the cupboard, or use lead.",
    )
