"""From supplies and loads to results."""

from dataclasses import replace

from ypomoni.core.evaluation import workings
from ypomoni.core.evaluation.figures import NOT_COMPUTED, Figures, compute_currents, compute_figures, result_without_figures
from ypomoni.core.evaluation.living import fitted_with
from ypomoni.core.evaluation.recommending import Advice, charger_advice, facts_of, judge_figures, recommend_bank, what_to_fit
from ypomoni.core.evaluation.season_ways import season_ways
from ypomoni.core.evaluation.selectors import evaluate_selectors
from ypomoni.core.judgement import (
    Facts,
    audit_of,
    find_weak_link,
    is_idle,
    judge_audit,
    judge_buses,
    judge_plan,
    judge_supply,
    judge_tests,
    judge_unassigned,
    not_checked,
)
from ypomoni.core.outage.band import low_end_near_h
from ypomoni.core.outage.case import Case, hindrance_of
from ypomoni.core.outage.gathering import MOST_BUSY_LOADS
from ypomoni.core.outage.recharge import recovery_beside
from ypomoni.core.outage.testing import result_of_test
from ypomoni.core.requirements import Method
from ypomoni.core.sizing import c20_of
from ypomoni.core.telling.results import DischargeResult, Finding, LimitedBy, PlanResult, Severity, SupplyResult, Verdict
from ypomoni.core.telling.wording import say_hours, say_required_h
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Plan, Supply

NO_HOURS = "No hours can be computed, so no battery can be named."


def evaluate_plan(plan: Plan) -> PlanResult:
    """Return the results of every supply of a plan and of the plan as a whole."""
    return summarise_plan(plan, tuple(evaluate_supply(plan, s) for s in plan.supplies))


def try_supply(plan: Plan, supply: Supply) -> tuple[SupplyResult, Exception | None]:
    """Return `evaluate_supply`, or, where the calculation fails, a result that says so and what it failed of."""
    try:
        return too_much(plan, supply) or evaluate_supply(plan, supply), None
    except Exception as error:
        return failed(plan, supply), error


def too_much(plan: Plan, supply: Supply) -> SupplyResult | None:
    """Return the result of a supply with more loads with bursts than are computed, which was kept before that was refused; else None."""
    busy_count = sum(1 for load in plan.loads_on(supply.key) if load.bursts)
    if busy_count <= MOST_BUSY_LOADS:
        return None
    finding = Finding(
        code="too_many_bursts",
        severity=Severity.RISK,
        evidence=f"{busy_count} loads with bursts hang on {supply.name}: more than {MOST_BUSY_LOADS} are not computed. How long it holds is not known.",
        source="what one supply may cost to compute",
        way_out="Enter equal devices as one load with its quantity, or give those that draw little as their average current without bursts.",
    )
    return _without_hours(plan, supply, finding, NO_HOURS, "how long it holds and how fast it recharges: too many loads with bursts")


def failed(plan: Plan, supply: Supply) -> SupplyResult:
    """Return the result of a supply whose calculation failed: what needs no outage is judged if that can be, the rest is not known."""
    finding = Finding(
        code="calculation_failed",
        severity=Severity.RISK,
        evidence=f"The figures of {supply.name} could not be computed: something entered for it is more than the calculation bears. "
        "How long it holds is not known.",
        source="a fault of this product; it has been noted",
        way_out="Look for a figure that cannot be right, most of all among bursts, currents and the discharge table, and change it.",
    )
    return _without_hours(plan, supply, finding, NO_HOURS, "how long it holds and how fast it recharges: its calculation failed")


PENDING = "figures_pending"


def pending(plan: Plan, supply: Supply) -> SupplyResult:
    """Return the result of a supply whose hours are still being worked out: what needs no outage is judged, and the rest said to come."""
    finding = Finding(
        code=PENDING,
        severity=Severity.NOTE,
        evidence=f"The hours of {supply.name} are being worked out. How long it holds is not known yet.",
        source="work in the queue",
        way_out="Wait a moment: this page asks for them again by itself.",
    )
    return _without_hours(
        plan,
        supply,
        finding,
        "Its figures are being worked out.",
        "how long it holds and how fast it recharges, yet: that is being worked out",
    )


def _without_hours(plan: Plan, supply: Supply, finding: Finding, no_bank_reason: str, unchecked: str) -> SupplyResult:
    """Return a supply judged by what needs no outage, with the finding that says why its hours are missing.

    What can hurt somebody, and what fails whatever the hours, is said at once; beyond that nothing is known of it.
    """
    try:
        judged = _judge_stated(plan, supply)
    except Exception:
        # A figure that no formula bears; who evaluates the supply has that error to note.
        blank = replace(result_without_figures(supply), limited_by=LimitedBy.NOT_MODELLED_YET)
        unsaid = replace(finding, evidence=f"{finding.evidence} Nor is it known whether it can hurt somebody.")
        return replace(
            blank, verdict=Verdict.UNKNOWN, findings=(unsaid,), no_bank_reason=no_bank_reason, not_checked=("anything else", unchecked)
        )
    # What can hurt is read first, before it is said that the hours are missing.
    severe = tuple(f for f in judged.findings if f.severity in (Severity.DANGER, Severity.FAILS))
    return replace(
        judged,
        findings=(*severe, finding, *judged.findings[len(severe) :]),
        no_bank_reason=no_bank_reason,
        not_checked=(unchecked, *judged.not_checked),
    )


def _judge_stated(plan: Plan, supply: Supply) -> SupplyResult:
    """Return a supply with its currents, judged as far as no outage is needed; its verdict is *unknown* unless that settles it."""
    loads = plan.loads_on(supply.key)
    facts = facts_of(supply, loads, compute_currents(supply, loads))
    tested, tests = tested_of(plan, supply)
    findings, verdict, overloaded = judge_supply(facts, (*judge_audit(audit_of(plan, supply)), *tested))
    # Hours could only make these worse, or are not asked for: all else waits for them.
    is_settled = verdict in (Verdict.UNSAFE, Verdict.FAILS) or is_idle(facts)
    return replace(
        without_guesses(facts.result, supply, loads),
        verdict=verdict if is_settled else Verdict.UNKNOWN,
        findings=findings,
        overloaded=overloaded,
        not_checked=not_checked(facts),
        tests=tests,
    )


def tested_of(plan: Plan, supply: Supply) -> tuple[tuple[Finding, ...], tuple[DischargeResult, ...]]:
    """Return what the timed discharges of a supply's bank give rise to, and what each comes to."""
    made = plan.tests_of(supply.key)
    results = tuple(result_of_test(supply, test) for test in made)
    return judge_tests(supply, made, results), results


def is_pending(plan: PlanResult) -> bool:
    """Say whether figures of a plan are still being worked out."""
    return any(is_waited_for(s) for s in plan.supplies)


def is_waited_for(supply: SupplyResult) -> bool:
    """Say whether the hours of a supply are still being worked out."""
    return any(f.code == PENDING for f in supply.findings)


def summarise_plan(plan: Plan, supplies: tuple[SupplyResult, ...]) -> PlanResult:
    """Return the plan's verdict, weak link and own findings from results of its supplies, computed now or before."""
    # What feeds through a selector is no weak link by itself: its loads go on from the others.
    covered = [s for s in supplies if s.coverage_ratio is not None and plan.selector_of(s.key) is None]
    weakest = min(covered, key=lambda s: (s.coverage_ratio or 0.0, supplies.index(s)), default=None)
    link = find_weak_link(covered, weakest)
    if link and weakest:
        supplies = tuple(replace(s, findings=(*s.findings, link)) if s is weakest else s for s in supplies)
    supplies = tuple(_as_input(plan, s) for s in supplies)
    selectors = evaluate_selectors(plan)
    splits = judge_buses(plan)
    supplies = tuple(replace(s, findings=(*s.findings, *splits[s.key])) if s.key in splits else s for s in supplies)
    # A load without a supply is nobody's finding but the plan's.
    loose = judge_unassigned(plan)
    return PlanResult(
        key=plan.key,
        name=plan.name,
        verdict=judge_plan((*supplies, *selectors), loose),
        weakest_supply=weakest.key if weakest else None,
        supplies=supplies,
        findings=tuple(loose),
        selectors=selectors,
    )


# Of an input of a selector the hours are not judged: its loads go on from the others.
HOURS_CODES = frozenset(
    {
        "holdover_below_requirement",
        "capacity_below_method",
        "meets_on_paper_only",
        "worst_case_short",
        "burst_trips_cutoff",
        "warning_too_short",
    }
)


def _as_input(plan: Plan, supply: SupplyResult) -> SupplyResult:
    """Return the result of a supply as it counts in its plan: an input of a selector is judged for all but its hours, and takes no verdict from them."""
    selector = plan.selector_of(supply.key)
    if selector is None:
        return supply
    findings = tuple(f for f in supply.findings if f.code not in HOURS_CODES)
    severities = {f.severity for f in findings}
    verdict = Verdict.UNSAFE if Severity.DANGER in severities else Verdict.FAILS if Severity.FAILS in severities else None
    told = (*supply.not_checked, f"its hours alone: {selector.name} is judged for what its inputs do together")
    return replace(supply, findings=findings, verdict=verdict, not_checked=told)


def evaluate_supply(plan: Plan, supply: Supply) -> SupplyResult:
    """Return everything computed for one supply with its loads and what was read of them, judged."""
    loads = plan.loads_on(supply.key)
    hindrance = hindrance_of(supply, loads)
    figures = compute_figures(supply, loads, in_full=True)
    facts = facts_of(supply, loads, figures)
    # What is named to be bought must rest on hours; without them there is a reason instead.
    if hindrance is None and figures.case is not None and not figures.case.draws_nothing:
        facts = _with_advice(facts, figures, figures.case)
    else:
        reason = "Nothing hangs on it, so any battery holds." if is_idle(facts) else _why_no_advice(supply)
        facts = replace(facts, result=replace(facts.result, no_bank_reason=reason))
    tested, tests = tested_of(plan, supply)
    findings, verdict, overloaded = judge_supply(facts, (*judge_audit(audit_of(plan, supply)), *tested))
    result = replace(facts.result, findings=findings, verdict=verdict, overloaded=overloaded, not_checked=not_checked(facts), tests=tests)
    return without_guesses(result, supply, loads)


def without_guesses(result: SupplyResult, supply: Supply, loads: tuple[Load, ...]) -> SupplyResult:
    """Return a result without currents that were good enough for what is checked against a limit, but are not shown: of kinds not computed."""
    if hindrance_of(supply, loads) not in NOT_COMPUTED:
        return result
    return replace(result, standby_current_a=None, alarm_current_a=None, peak_current_a=None)


def _why_no_advice(supply: Supply) -> str:
    if supply.missing_part is not None:
        return f"A part of it is not entered ({supply.missing_part}), so no battery can be named."
    if supply.bank is None:
        return "There is no battery yet. Enter one, so that its chemistry and voltage are known."
    return NO_HOURS


def _with_advice(facts: Facts, figures: Figures, case: Case) -> Facts:
    """Return facts with what to fit and what charges, each put back and judged."""
    result = figures.result
    # Of what is there no figure is computed twice.
    now = judge_figures(facts.supply, facts.loads, figures)
    advice = recommend_bank(case, result.methods, now)
    # Where the bank that is there holds in every respect nobody is about to buy the other one.
    if advice.bank is not None and not _holds(result):
        advice = replace(advice, risks=(*advice.risks, *_on_paper(case, advice)))
    result = replace(result, recommended_bank=advice.bank, bank_risks=advice.risks, no_bank_reason=advice.reason)
    result = replace(result, season_ways=season_ways(case, result, now))
    if advice.bank is not None:
        result = replace(result, workings={**result.workings, "recommended": _working_of(case, result, advice)})
    # A charger is named only where it is late: whoever is told what to buy buys it.
    late = result.recovery_h is None or (result.recharge_h is not None and result.recovery_h > result.recharge_h)
    charges = charger_advice(facts.supply, facts.loads, now) if "recovery" in result.workings and late else ""
    return replace(facts, result=result, what_to_fit=what_to_fit(advice, case), what_charges=charges)


def _holds(result: SupplyResult) -> bool:
    """Say whether the hours are enough in every respect, so that no other bank is asked for."""
    if result.holdover is None or result.scenarios is None:
        return False
    return min(result.holdover.low, result.scenarios.cold, result.scenarios.end_of_life) >= result.standby_h


def _on_paper(case: Case, advice: Advice) -> tuple[str, ...]:
    """Return whether even the bank that is offered meets the hours on paper only."""
    if advice.bank is None:
        return ()
    changed = Case(fitted_with(case.supply, advice.bank), case.loads)
    required_h = case.requirement.standby_h
    expected_h = changed.holdover().holdover_h
    ends = (
        ("at the low end of its band", lambda: low_end_near_h(changed, expected_h, required_h)),
        ("in the cold", lambda: changed.holdover(cold=True).holdover_h),
        ("at the end of its life", lambda: changed.holdover(condition_ratio=case.requirement.end_of_life_ratio).holdover_h),
    )
    # What is offered must be told with its own weaknesses, or it is taken for the end of all of them.
    short = [f"{words} {say_hours(hours_h, must_h=required_h)}" for words, lasts in ends if (hours_h := lasts()) < required_h]
    return (f"Even then it holds {', '.join(short)} of {say_required_h(required_h)}.",) if short else ()


def _working_of(case: Case, result: SupplyResult, advice: Advice) -> workings.Working:
    assert advice.bank is not None  # noqa: S101 - only asked where there is one
    required = {m.method: m.required_ah or 0.0 for m in result.methods}
    # The same charger fills a larger bank more slowly, so the recommendation is shown with its own recharge.
    found = recovery_beside(fitted_with(case.supply, advice.bank), case.mean_current_a(in_alarm=False))
    return workings.of_recommendation(
        case,
        required[Method.SIMULATION],
        required[case.requirement.method],
        c20_of(advice.bank),
        found.recovery_h if found else None,
    )
