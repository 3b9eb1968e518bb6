"""Each margin once: none is none, and two for the same thing are a double."""

from ypomoni.core.judgement.facts import Facts
from ypomoni.core.judgement.holdover import METHOD_WORDS
from ypomoni.core.requirements import Method
from ypomoni.core.results import Finding, Severity
from ypomoni.core.wording import say_percent


def check_margins(facts: Facts) -> list[Finding]:
    """Return whether the method knows no margin, or ageing counts twice."""
    requirement = facts.requirement
    if requirement.method is Method.PLAIN:
        return [
            Finding(
                code="missing_margin",
                severity=Severity.RISK,
                evidence="The prescribed method is current times time: it allows for neither ageing nor cold.",
                source="plain method",
                way_out="Prescribe the simulation, or a formula with a margin.",
            )
        ]
    factor = ageing_factor(facts)
    condition_ratio = facts.result.condition_ratio
    if factor is None or condition_ratio is None or condition_ratio >= 1:
        return []
    return [
        Finding(
            code="double_margin",
            severity=Severity.NOTE,
            evidence=f"The {METHOD_WORDS[requirement.method]} already allows for ageing ({factor}), and today's figures count the battery at "
            f"{say_percent(condition_ratio)}: do not take one off the other's result.",
            source="each factor counts once, by name",
            way_out="Compare the formula with the bank's rated capacity, and the hours with today's battery.",
        )
    ]


def ageing_factor(facts: Facts) -> str | None:
    """Return the ageing factor of the prescribed method in words, or None."""
    requirement = facts.requirement
    if requirement.method is Method.STANDARD_FORMULA:
        return "× 1.25"
    if requirement.method is Method.STANDBY_ALARM_MARGIN:
        return "× 1.20"
    if requirement.method is Method.DERATED and requirement.derating.age_ratio < 1:
        return f"÷ {requirement.derating.age_ratio:g}"
    return None
