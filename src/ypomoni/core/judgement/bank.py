"""What state the bank is in."""

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.results import Finding, Severity
from ypomoni.core.wording import plain_number, say_percent

MISMATCH_RATIO = 0.25


def check_bank(facts: Facts) -> list[Finding]:
    """Return whether the bank fits the supply's voltage, and whether it is past its age or measured below end of life."""
    return [*_mismatch(facts), *_past_age(facts)]


def _mismatch(facts: Facts) -> list[Finding]:
    supply, bank = facts.supply, facts.supply.bank
    if bank is None or abs(bank.bank_v - supply.nominal_v) <= MISMATCH_RATIO * supply.nominal_v:
        return []
    return [
        Finding(
            code="bank_voltage_mismatch",
            severity=Severity.DANGER,
            evidence=f"{bank.series} in series of {bank.block_v:g} V is {bank.bank_v:g} V on a supply of {supply.nominal_v:g} V.",
            source="series adds volts, parallel adds amp-hours",
            way_out="Check how the blocks are joined before connecting anything; then correct the entry or the wiring.",
        )
    ]


def _past_age(facts: Facts) -> list[Finding]:
    bank, life_y = facts.supply.bank, facts.life_y
    if bank is None or life_y is None:
        return []
    worn = bank.condition_ratio is not None and bank.condition_ratio < facts.requirement.end_of_life_ratio
    if bank.age_y < life_y and not worn:
        return []
    if bank.age_y >= life_y:
        evidence = f"The battery of {facts.supply.name} is {plain_number(bank.age_y)} years old; at {facts.supply.typical_degc:g} °C this kind lasts about {plain_number(life_y, 2)}."
    else:
        evidence = f"The battery of {facts.supply.name} was measured at {say_percent(bank.condition_ratio or 0)} of its rated capacity."
    return [
        Finding(
            code="bank_past_age",
            severity=Severity.RISK,
            evidence=evidence,
            source="life at 20 to 25 °C, halved by every 10 °C above 25 °C; end of life at 80 % of rated capacity",
            way_out="Renew the battery, all blocks of the bank together.",
        )
    ]
