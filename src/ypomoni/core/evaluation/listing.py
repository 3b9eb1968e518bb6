"""What a list of sites says of a plan: the verdict, the hours and what gives out first. No advice, no other schools, no workings.

Thousands of plans are worked out anew when the engine changes, so nothing is computed here that neither the verdict nor that line hangs on.
The verdict is always that of `evaluate_supply`.
"""

from dataclasses import replace

from ypomoni.core.evaluation.evaluate import failed, summarise_plan, tested_of, too_much, without_guesses
from ypomoni.core.evaluation.figures import Figures, averaged_holdover_h, compute_figures, find_limit
from ypomoni.core.evaluation.recommending import facts_of
from ypomoni.core.judgement import audit_of, judge_audit, judge_supply
from ypomoni.core.outage.band import low_end_near_h
from ypomoni.core.outage.case import Case
from ypomoni.core.telling.results import Band, PlanResult, Scenarios, SupplyResult, Verdict
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Plan, Supply


def list_plan(plan: Plan) -> tuple[PlanResult, tuple[Exception, ...]]:
    """Return the results of a plan as far as a list needs them, and what calculations failed of: those supplies are *unknown*."""
    results: list[SupplyResult] = []
    errors: list[Exception] = []
    for supply in plan.supplies:
        try:
            results.append(too_much(plan, supply) or list_supply(plan, supply))
        except Exception as error:
            results.append(failed(plan, supply))
            errors.append(error)
    found = summarise_plan(plan, tuple(results))
    return replace(found, supplies=tuple(_with_limit(plan, s) if s.key == found.weakest_supply else s for s in found.supplies)), tuple(
        errors
    )


def _with_limit(plan: Plan, result: SupplyResult) -> SupplyResult:
    """Return the result of the supply that gives out first with what limits it."""
    supply = next(s for s in plan.supplies if s.key == result.key)
    if supply.bank is None or result.limited_by is not None:
        return result
    case = Case(supply, plan.loads_on(supply.key))
    limited_by, _ = find_limit(case, case.holdover(), averaged_holdover_h(case))
    return replace(result, limited_by=limited_by)


def list_supply(plan: Plan, supply: Supply) -> SupplyResult:
    """Return the result of a supply as far as a list needs it.

    Of a supply that is unsafe or fails the low end of the band and the other states of its battery are left out: they change nothing. Nor is the
    low end looked for where a supply holds on paper only for another reason: the band is then drawn without it.
    """
    loads = plan.loads_on(supply.key)
    figures = compute_figures(supply, loads, in_full=False)
    case, holdover = figures.case, figures.result.holdover
    result = _judged(plan, supply, loads, figures)
    if case is None or holdover is None or supply.bank is None or result.verdict in (Verdict.UNSAFE, Verdict.FAILS):
        return result
    required_h, expected_h = supply.requirement.standby_h, holdover.expected
    cold_h = case.holdover(cold=True).holdover_h
    end_of_life_h = case.holdover(condition_ratio=case.requirement.end_of_life_ratio).holdover_h
    low_h = low_end_near_h(case, expected_h, required_h) if min(cold_h, end_of_life_h) >= required_h else expected_h
    known = replace(
        figures.result,
        holdover=Band(low=low_h, expected=expected_h, high=expected_h),
        # Old and cold at once is a note, and a new battery none at all: neither is looked for.
        scenarios=Scenarios(fresh=expected_h, cold=cold_h, end_of_life=end_of_life_h, worst=min(cold_h, end_of_life_h)),
    )
    return _judged(plan, supply, loads, replace(figures, result=known))


def _judged(plan: Plan, supply: Supply, loads: tuple[Load, ...], figures: Figures) -> SupplyResult:
    tested, tests = tested_of(plan, supply)
    findings, verdict, overloaded = judge_supply(facts_of(supply, loads, figures), (*judge_audit(audit_of(plan, supply)), *tested))
    result = replace(figures.result, findings=findings, verdict=verdict, overloaded=overloaded, tests=tests)
    return without_guesses(result, supply, loads)
