"""What a list of sites says of a plan: the verdict, the hours and what gives out first. No advice, no other schools, no workings.

Thousands of plans are worked out anew when the engine changes, so nothing is computed here that neither the verdict nor that line hangs on.
The verdict is always that of `evaluate_supply`.
"""

from dataclasses import replace

from ypomoni.core.evaluation.evaluate import failed, summarise_plan, tested_of, too_much, without_guesses
from ypomoni.core.evaluation.figures import Figures, averaged_holdover_h, compute_figures, find_limit, scenarios_of
from ypomoni.core.evaluation.recommending import facts_of
from ypomoni.core.judgement import audit_of, judge_audit, judge_supply
from ypomoni.core.outage.band import low_end_h
from ypomoni.core.telling.results import Band, PlanResult, SupplyResult, Verdict
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
    return summarise_plan(plan, tuple(results)), tuple(errors)


def list_supply(plan: Plan, supply: Supply) -> SupplyResult:
    """Return the result of a supply as far as a list needs it.

    Of a supply that is unsafe or fails the low end of the band and the other states of its battery are left out: they change nothing.
    """
    loads = plan.loads_on(supply.key)
    figures = compute_figures(supply, loads, in_full=False)
    case, holdover = figures.case, figures.result.holdover
    if case is None or holdover is None or supply.bank is None:
        return _judged(plan, supply, loads, figures)
    limited_by, _ = find_limit(case, case.holdover(), averaged_holdover_h(case))
    figures = replace(figures, result=replace(figures.result, limited_by=limited_by))
    result = _judged(plan, supply, loads, figures)
    if result.verdict in (Verdict.UNSAFE, Verdict.FAILS):
        return result
    expected_h = holdover.expected
    band = Band(low=low_end_h(case, expected_h), expected=expected_h, high=expected_h)
    return _judged(plan, supply, loads, replace(figures, result=replace(figures.result, holdover=band, scenarios=scenarios_of(case))))


def _judged(plan: Plan, supply: Supply, loads: tuple[Load, ...], figures: Figures) -> SupplyResult:
    tested, tests = tested_of(plan, supply)
    findings, verdict, overloaded = judge_supply(facts_of(supply, loads, figures), (*judge_audit(audit_of(plan, supply)), *tested))
    result = replace(figures.result, findings=findings, verdict=verdict, overloaded=overloaded, tests=tests)
    return without_guesses(result, supply, loads)
