"""Each margin once: none is none, and two for the same thing are a double."""

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.requirements import Method
from ypomoni.core.sizing import METHOD_WORDS
from ypomoni.core.telling.results import Finding, Severity
from ypomoni.core.telling.wording import say_percent

# Cold that takes more than this of the capacity is worth a word where the method does not know it.
NOTICEABLE_COLD_RATIO = 0.9
# The cautious usable share already stands for an old battery.
USABLE_WITH_AGE_RATIO = 0.5
MARGINLESS = frozenset({Method.PLAIN, Method.ENERGY_AUTONOMY})
KNOWS_COLD = frozenset({Method.SIMULATION, Method.SECTION})


def check_margins(facts: Facts) -> list[Finding]:
    """Return whether the prescribed method knows no margin, leaves out the cold, or counts ageing twice."""
    requirement = facts.requirement
    # One finding is enough: it leaves out both cold and age.
    if requirement.method in MARGINLESS:
        return [
            Finding(
                code="missing_margin",
                severity=Severity.RISK,
                evidence="The prescribed method multiplies current and time. It allows for neither ageing nor cold.",
                source=f"{METHOD_WORDS[requirement.method]} method",
                way_out="Prescribe the simulation, or a formula with a margin.",
            )
        ]
    return [f for f in (_double_ageing(facts), _double_in_method(facts), _cold_not_counted(facts)) if f]


def _double_ageing(facts: Facts) -> Finding | None:
    requirement, factor = facts.requirement, ageing_factor(facts)
    condition_ratio = facts.result.condition_ratio
    # Each alone is right. It is their product that asks for a battery nobody needs.
    if factor is None or condition_ratio is None or condition_ratio >= 1:
        return None
    return Finding(
        code="double_margin",
        severity=Severity.NOTE,
        evidence=f"The prescribed method ({METHOD_WORDS[requirement.method]}) allows for ageing already, {factor}. Today's hours count the battery at "
        f"{say_percent(condition_ratio)} as well. Taken together, ageing would count twice.",
        source="each factor counts once, by name",
        way_out="Compare the formula with the bank's rated capacity, and the hours with today's battery.",
    )


def _double_in_method(facts: Facts) -> Finding | None:
    """Return ageing that the derated method holds twice: a usable share as low as that of an old battery, and an age factor on top."""
    derating = facts.requirement.derating
    if facts.requirement.method is not Method.DERATED or derating.age_ratio >= 1 or derating.usable_ratio > USABLE_WITH_AGE_RATIO:
        return None
    return Finding(
        code="double_margin",
        severity=Severity.NOTE,
        evidence=f"A usable share of {derating.usable_ratio:g} stands for an old battery already. ÷ {derating.age_ratio:g} for age comes on top, so age counts twice.",
        source="derated method: common factors are 0.65 × 0.7 × 0.9",
        way_out="Lower one of the two factors, not both.",
    )


def _cold_not_counted(facts: Facts) -> Finding | None:
    bank, requirement = facts.supply.bank, facts.requirement
    if bank is None or requirement.method in KNOWS_COLD or not bank.chemistry.covers(facts.supply.min_degc):
        return None
    cold_ratio = bank.chemistry.capacity_factor_ratio(facts.supply.min_degc, sizing=True)
    if cold_ratio >= NOTICEABLE_COLD_RATIO:
        return None
    return Finding(
        code="cold_not_counted",
        severity=Severity.NOTE,
        evidence=f"At {facts.supply.min_degc:g} °C the battery has {say_percent(1 - cold_ratio)} less capacity. The prescribed method ({METHOD_WORDS[requirement.method]}) does not allow for cold.",
        source="sizing row of the temperature table",
        way_out="Look at what the simulation asks for beside it, and fit the larger.",
    )


def ageing_factor(facts: Facts) -> str | None:
    """Return the ageing factor of the prescribed method in words, or None."""
    requirement = facts.requirement
    if requirement.method in (Method.STANDARD_FORMULA, Method.SECTION):
        return "× 1.25"
    if requirement.method is Method.STANDBY_ALARM_MARGIN:
        return "× 1.20"
    if requirement.method is Method.DERATED and requirement.derating.age_ratio < 1:
        return f"÷ {requirement.derating.age_ratio:g}"
    return None
