"""`ypomoni calc FILE [--json]`: the results of a site file, without a database."""

import json
import multiprocessing
import os
import sys
from pathlib import Path
from typing import NoReturn

import click

from ypomoni.core.evaluation.effort import estimate_s
from ypomoni.core.evaluation.evaluate import summarise_plan, try_supply
from ypomoni.core.evaluation.recommending import say_sold
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.survival import SAMPLES_COUNT, SurvivalCurve, sample_holdovers, survival_curve
from ypomoni.core.telling.results import PlanResult, SupplyResult
from ypomoni.core.telling.wording import say_amps, say_hours, say_hours_up, say_required_h
from ypomoni.core.things.supplies import Plan
from ypomoni.documents.faults import DocumentFaults, Fault
from ypomoni.documents.into_core import to_core
from ypomoni.documents.results_json import write_plans
from ypomoni.documents.site_file import read_site_text

VERDICT_WORDS = {
    "unsafe": "UNSAFE",
    "fails": "FAILS",
    "unknown": "unknown",
    "on_paper_only": "on paper only",
    "holds": "holds",
    None: "not judged",
}


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print the published JSON instead of a table.")
@click.option("--survival", is_flag=True, help="With --json: sample a thousand outages of each supply too; takes seconds.")
def calc(file: Path, *, as_json: bool, survival: bool) -> None:
    """Compute every plan of a site FILE and print what holds, what gives out first and what to fit."""
    try:
        site = to_core(read_site_text(read_file(file)))
    except DocumentFaults as error:
        refuse(error, as_json=as_json)
    results = evaluate_plans(site.plans)
    if as_json:
        click.echo(write_plans([(r, _curves(plan, r) if survival else {}) for plan, r in zip(site.plans, results, strict=True)]))
    else:
        click.echo("\n\n".join(_table(r) for r in results))


def evaluate_plans(plans: tuple[Plan, ...]) -> list[PlanResult]:
    """Return the results of plans, their supplies computed side by side where there are several cores."""
    # The longest first: one that comes last would run alone while the other cores wait.
    cost_s = {(n, m): estimate_s(s, plan.loads_on(s.key)) for n, plan in enumerate(plans) for m, s in enumerate(plan.supplies)}
    asked = sorted(cost_s, key=lambda at: -cost_s[at])
    cores = min(len(asked), os.cpu_count() or 1)
    if cores > 1 and "fork" in multiprocessing.get_all_start_methods():
        # A child that is forked has the plans already, so only numbers go out and results come back.
        with multiprocessing.get_context("fork").Pool(cores, _hand_over, (plans,)) as pool:
            found = pool.map(_computed, asked, chunksize=1)
    else:
        _hand_over(plans)
        found = [_computed(at) for at in asked]
    results: dict[tuple[int, int], SupplyResult] = {}
    for at, (result, fault) in zip(asked, found, strict=True):
        results[at] = result
        if fault:
            click.echo(fault, err=True)
    return [summarise_plan(plan, tuple(results[n, m] for m in range(len(plan.supplies)))) for n, plan in enumerate(plans)]


_plans: tuple[Plan, ...] = ()


def _hand_over(plans: tuple[Plan, ...]) -> None:
    # What a forked child works on; it lives for one command.
    global _plans
    _plans = plans


def _computed(at: tuple[int, int]) -> tuple[SupplyResult, str]:
    """Return a supply's result; one whose calculation fails is unknown, with what failed beside it."""
    plan = _plans[at[0]]
    supply = plan.supplies[at[1]]
    result, error = try_supply(plan, supply)
    return result, "" if error is None else f"{supply.key}: the calculation failed ({type(error).__name__}: {error})."


def _curves(plan: Plan, result: PlanResult) -> dict[str, SurvivalCurve]:
    """Return the survival curve of every supply whose holdover is known and that has a bank."""
    found: dict[str, SurvivalCurve] = {}
    for supply, computed in zip(plan.supplies, result.supplies, strict=True):
        if computed.holdover is not None and supply.bank is not None and computed.end is not None:
            case = Case(supply, plan.loads_on(supply.key))
            sampled = sample_holdovers(case, SAMPLES_COUNT)
            found[supply.key] = survival_curve(sampled.holdovers_h, supply.requirement.standby_h, sampled.seed)
    return found


def read_file(file: Path) -> bytes:
    """Return a file's bytes, or a fault that says why there are none."""
    try:
        return file.read_bytes()
    except OSError as error:
        raise DocumentFaults([Fault("", f"cannot be read: {error.strerror or error} ({file}).")]) from error


def refuse(error: DocumentFaults, *, as_json: bool) -> NoReturn:
    """Print every fault and exit with 2."""
    if as_json:
        click.echo(json.dumps({"faults": [{"path": f.path, "message": f.message} for f in error.faults]}, indent=1, ensure_ascii=False))
    else:
        for fault in error.faults:
            click.echo(f"{fault.path or 'file'}: {fault.message}", err=True)
    sys.exit(2)


def _table(plan: PlanResult) -> str:
    rows = [("supply", "verdict", "standby", "holds", "band", "must", "recharge", "fit")]
    rows += [_row(s) for s in plan.supplies]
    widths = [max(len(row[n]) for row in rows) for n in range(len(rows[0]))]
    lines = ["  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip() for row in rows]
    weakest = f", {plan.weakest.name} gives out first" if plan.weakest else ""
    lines.insert(0, f"{plan.name}: {VERDICT_WORDS[plan.verdict]}{weakest}")
    for finding in (*plan.findings, *(f for s in plan.supplies for f in s.findings)):
        lines.append(f"  {finding.severity.upper()} {finding.evidence} {finding.way_out}")
    lines += [f"  not checked of {s.name}: {'; '.join(s.not_checked)}" for s in plan.supplies if s.not_checked]
    return "\n".join(lines)


def _row(s: SupplyResult) -> tuple[str, ...]:
    bank = s.recommended_bank
    holds = "-" if s.holdover is None else say_hours(s.holdover.expected, must_h=s.standby_h)
    band = "-" if s.holdover is None else f"{say_hours(s.holdover.low)} to {say_hours(s.holdover.high)}"
    return (
        s.name,
        VERDICT_WORDS[s.verdict],
        "-" if s.standby_current_a is None else say_amps(s.standby_current_a),
        holds,
        band,
        say_required_h(s.standby_h),
        "-" if s.recovery_h is None else say_hours_up(s.recovery_h, must_h=s.recharge_h) if s.recovery_is_promised else "uncertain",
        "-" if bank is None else f"{say_sold(bank)}, new",
    )
