"""Is the bank charged again in time, beside the load that hangs on the same supply."""

from collections.abc import Iterator

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import say_amps, say_amps_at_most, say_hours, say_hours_over, say_percent, say_required_h, say_volts
from ypomoni.core.things.charge_setting import is_held, planned_bank_v
from ypomoni.core.things.solar import Controller

# Of these findings, those that are about the battery itself and stand on its sheet.
OF_BATTERY = frozenset(
    {
        "charger_too_strong",
    }
)


# What is commonly asked of a recharge, and is far from the end of any charge.
LEAST_ASKED_RATIO = 0.8


def check_charger(facts: Facts) -> list[Finding]:
    """Return what the charger gives rise to beside the load."""
    checks = [_drains]
    bank = facts.bank
    if bank is not None and not bank.chemistry.is_primary:
        checks += [_unknown, _never, _too_slow, _not_promised, _bank_too_large, _too_strong]
    return [finding for check in checks for finding in check(facts)]


def _drains(facts: Facts) -> Iterator[Finding]:
    supply, result = facts.supply, facts.result
    if not supply.of_kind.shares_charger or supply.supply_current_a is None or result.standby_current_a is None:
        return
    if supply.supply_current_a >= result.standby_current_a * (1 - 1e-9):
        return
    if facts.bank is None:
        lasts = "Without a battery it cannot carry them at all."
    elif result.drained_after_h is None:
        lasts = "The battery makes up the rest until it is flat."
    else:
        lasts = f"The battery makes up the rest and is flat after {say_hours(result.drained_after_h)}, with the mains on."
    yield Finding(
        code="drains_with_mains_on",
        severity=Severity.FAILS,
        evidence=f"{supply.name} gives {say_amps(supply.supply_current_a)} in all, and its loads take {say_amps(result.standby_current_a)} on average. {lasts}",
        source="the supply's current against its average standby load",
        way_out="Fit a stronger supply, or look on the balance board which loads can hang elsewhere.",
    )


def _unknown(facts: Facts) -> Iterator[Finding]:
    supply = facts.supply
    # The sun has no limit to enter, and nickel at constant current no voltage.
    constant = supply.bank is not None and supply.bank.chemistry.charges_at_constant_current
    if supply.of_kind.is_sunlit:
        return
    missing = [
        words
        for words, is_missing in (
            ("the supply's current", supply.supply_current_a is None and not supply.of_kind.mains_carries),
            ("its charge limit", supply.charge_limit_a is None),
            ("its charge voltage", supply.charge_v is None and not constant),
        )
        if is_missing
    ]
    if facts.requirement.recharge_h is None or not missing:
        return
    yield Finding(
        code="charger_not_known",
        severity=Severity.RISK,
        evidence=f"The battery must be back at {say_percent(facts.requirement.recharge_to_ratio)} within {say_required_h(facts.requirement.recharge_h)}. "
        f"Nobody can say whether it is: {' and '.join(missing)} {'is' if len(missing) == 1 else 'are'} not known.",
        source=facts.requirement.source or "requirement",
        way_out=f"Enter {', '.join(missing)}.",
    )


def _never(facts: Facts) -> Iterator[Finding]:
    supply, result = facts.supply, facts.result
    if result.charge_current_a is None or "recovery" not in result.workings or result.recovery_h is not None:
        return
    required = facts.requirement.recharge_h is not None
    share = say_percent(facts.requirement.recharge_to_ratio)
    # The first cause in the order in which it would have to be put right: a stronger charger mends nothing where the set voltage is too low.
    if supply.charge_limit_a == 0:
        evidence = f"The charge limit of {supply.name} is 0 A: nothing charges its battery."
    elif result.charge_current_a <= 0:
        evidence = (
            f"{supply.name} gives {say_amps(supply.supply_current_a or 0)} in all, and its loads take {say_amps(result.standby_current_a or 0)}. "
            "Nothing is left to charge with, so the battery never recharges."
        )
    elif result.set_voltage_limits:
        evidence = f"At {say_volts(supply.charge_v or 0)} this charger never gets the battery back to {share}, however strong it is."
    else:
        evidence = f"With {say_amps(result.charge_current_a)} the battery of {supply.name} is not back at {share} within a year."
    yield Finding(
        code="charger_never_recovers",
        severity=Severity.FAILS if required else Severity.RISK,
        evidence=evidence,
        source=facts.requirement.source if required and facts.requirement.source else "charge current beside the load",
        way_out=facts.what_charges,
    )


def _too_slow(facts: Facts) -> Iterator[Finding]:
    result, allowed_h = facts.result, facts.requirement.recharge_h
    if allowed_h is None or result.recovery_h is None or result.recovery_h <= allowed_h:
        return
    cause = (
        f"At {say_volts(facts.supply.charge_v or 0)} the battery takes less and less current as it fills"
        if result.set_voltage_limits
        else f"Beside its loads {facts.supply.name} has {say_amps(result.charge_current_a or 0)} left to charge with"
    )
    yield Finding(
        code="charger_too_slow",
        severity=Severity.FAILS,
        evidence=f"{cause}. The battery is back at {say_percent(facts.requirement.recharge_to_ratio)} after "
        f"{say_hours_over(result.recovery_h, allowed_h)}; it must be back after {say_required_h(allowed_h)}.",
        source=facts.requirement.source or "requirement",
        way_out=facts.what_charges,
    )


def _not_promised(facts: Facts) -> Iterator[Finding]:
    result, supply, bank = facts.result, facts.supply, facts.bank
    if result.recovery_is_promised or result.recovery_h is None or bank is None:
        return
    required, share = facts.requirement.recharge_h is not None, say_percent(facts.requirement.recharge_to_ratio)
    usual_v = planned_bank_v(supply, bank)
    yield Finding(
        code="recharge_not_promised",
        severity=Severity.RISK if required else Severity.NOTE,
        evidence=f"At {say_volts(supply.charge_v or 0)} the charger fills this battery to about {say_percent(supply.starts_at_ratio)} and no further. "
        f"The last of that goes in ever more slowly, so no time can be promised for {share}.",
        source="lithium-ion near the charge that its set voltage belongs to: cells differ in whether and when they get there",
        way_out=f"Ask for {say_percent(LEAST_ASKED_RATIO)} if the requirement allows it, or raise the set voltage to {say_volts(usual_v or 0)} with a charger made for it.",
    )


def _bank_too_large(facts: Facts) -> Iterator[Finding]:
    result, allowed_h = facts.result, facts.requirement.recharge_h
    if allowed_h is None or "recovery" not in result.workings or facts.supply.charge_limit_a == 0:
        return
    # Without the loads it would be in time: then they are in its way, and not its size.
    if result.unloaded_recovery_h is not None and result.unloaded_recovery_h <= allowed_h:
        return
    took = (
        "never comes back"
        if result.unloaded_recovery_h is None
        else f"is back only after {say_hours_over(result.unloaded_recovery_h, allowed_h)}"
    )
    cause = (
        f"At {say_volts(facts.supply.charge_v or 0)} no charger fills this battery in time."
        if result.set_voltage_limits
        else "This battery is too large for its charger."
    )
    yield Finding(
        code="bank_too_large_for_charger",
        severity=Severity.RISK,
        evidence=f"{cause} Even with no load beside it, it {took}; {say_required_h(allowed_h)} are allowed.",
        source=facts.requirement.source or "requirement",
        way_out=facts.what_charges,
    )


def _too_strong(facts: Facts) -> Iterator[Finding]:
    supply, bank = facts.supply, facts.bank
    most_a, by_sun = supply.charge_limit_a, False
    if most_a is None and supply.of_kind.is_sunlit and supply.solar is not None and supply.solar.controller is not Controller.NONE:
        # Without a limit of its own a controller passes on what its panel gives.
        most_a, by_sun = supply.solar.current_a(supply.charge_v, supply.nominal_v), True
    if bank is None or most_a is None:
        return
    charging = bank.chemistry.charging
    greatest_a = bank.chemistry.greatest_charge_per_h * bank.rated_c20_ah
    if most_a <= greatest_a * (1 + 1e-9):
        return
    # For good, nickel takes half of what it takes for a timed charge.
    by = bank.chemistry.by_current
    allowed_a = min(greatest_a, by.trickle_per_h[2] * bank.rated_c20_ah) if by is not None and is_held(supply) else greatest_a
    yield Finding(
        code="charger_too_strong",
        severity=Severity.DANGER if charging is not None and charging.too_strong_is_danger else Severity.RISK,
        evidence=f"{'Full sun charges with up to' if by_sun else 'The charger is set to'} {say_amps(most_a)}. This {bank.chemistry.name} battery takes at most {say_amps(greatest_a)}: more overheats it.",
        source=f"greatest charge current of {bank.chemistry.name}: {bank.chemistry.greatest_charge_per_h:g} of its capacity an hour",
        way_out=f"Lower the charge limit to {say_amps_at_most(allowed_a)} or less, and check the maker's figure.",
    )
