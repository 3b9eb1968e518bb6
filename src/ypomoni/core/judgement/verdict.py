"""From findings to a verdict. `fails`: too short, asked too much by the prescribed formula, recharged too late, or overloaded."""

from ypomoni.core.judgement.audit import check_register
from ypomoni.core.judgement.bank import check_bank
from ypomoni.core.judgement.charger import check_charger
from ypomoni.core.judgement.facts import Facts
from ypomoni.core.judgement.holdover import check_holdover, check_paper
from ypomoni.core.judgement.margins import check_margins
from ypomoni.core.judgement.output import check_output
from ypomoni.core.results import Finding, Severity, SupplyResult, Verdict
from ypomoni.core.wording import say_hours, say_required_h

SEVERITY_ORDER = tuple(Severity)
OVERLOAD_CODES = frozenset({"overload_standby", "overload_alarm"})
PAPER_CODES = frozenset({"meets_on_paper_only", "charger_not_known"})
WEAK_LINK_RATIO = 0.5


def judge_supply(facts: Facts) -> tuple[tuple[Finding, ...], Verdict, bool]:
    """Return the findings of a supply, worst first, its verdict, and whether it is overloaded."""
    overload = check_output(facts)
    findings = [*check_holdover(facts), *overload, *check_charger(facts), *check_bank(facts), *check_margins(facts), *check_register(facts)]
    if not any(f.severity is Severity.FAILS for f in findings):
        findings += check_paper(facts)
    findings.sort(key=lambda f: SEVERITY_ORDER.index(f.severity))
    codes = {f.code for f in findings}
    if any(f.severity is Severity.FAILS for f in findings):
        verdict = Verdict.FAILS
    elif codes & PAPER_CODES:
        verdict = Verdict.ON_PAPER_ONLY
    else:
        verdict = Verdict.HOLDS
    return tuple(findings), verdict, bool(codes & OVERLOAD_CODES)


def judge_plan(covered: list[SupplyResult], weakest: SupplyResult | None) -> Finding | None:
    """Return the weak link: a supply whose share of its requirement is under half that of the next."""
    others = [s for s in covered if s is not weakest]
    if weakest is None or weakest.holdover is None or not others:
        return None
    following = min(others, key=lambda s: s.coverage_ratio or 0.0)
    strongest = max(others, key=lambda s: s.coverage_ratio or 0.0)
    if following.holdover is None or (weakest.coverage_ratio or 0.0) >= WEAK_LINK_RATIO * (following.coverage_ratio or 0.0):
        return None
    return Finding(
        code="weak_link",
        severity=Severity.RISK,
        evidence=f"{weakest.name} holds {say_hours(weakest.holdover.expected)} of {say_required_h(weakest.standby_h)}, "
        f"the next, {following.name}, {say_hours(following.holdover.expected)} of {say_required_h(following.standby_h)}.",
        source="a site holds as long as its weakest supply",
        way_out=f"Move loads from {weakest.name} to {strongest.name} where bus and rail allow.",
    )
