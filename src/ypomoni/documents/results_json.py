"""Results as JSON: in full for the store, and in the published shape for `calc`."""

import csv
import io
import json
from functools import cache
from typing import Any

from pydantic import TypeAdapter

from ypomoni.core.outage.play import Played
from ypomoni.core.outage.survival import SurvivalCurve
from ypomoni.core.outage.why import Why
from ypomoni.core.telling.results import Finding, PlanResult, SelectorResult, SupplyResult
from ypomoni.documents.formula_cells import guarded


@cache
def _supply_adapter() -> TypeAdapter[SupplyResult]:
    """Return the adapter of a result. Building it takes a quarter of a second, so it is built by the first that asks."""
    return TypeAdapter(SupplyResult)


@cache
def _finding_adapter() -> TypeAdapter[Finding]:
    return TypeAdapter(Finding)


def dump_supply_result(result: SupplyResult) -> str:
    """Return a supply's result as JSON text that `load_supply_result` reads back."""
    return _supply_adapter().dump_json(result).decode()


def load_supply_result(text: str | bytes) -> SupplyResult:
    """Return a supply's result from JSON text."""
    return _supply_adapter().validate_json(text)


@cache
def _plan_adapter() -> TypeAdapter[PlanResult]:
    return TypeAdapter(PlanResult)


def dump_plan_result(result: PlanResult) -> str:
    """Return a plan's result as JSON text that `load_plan_result` reads back."""
    return _plan_adapter().dump_json(result).decode()


def load_plan_result(text: str | bytes) -> PlanResult:
    """Return a plan's result from JSON text."""
    return _plan_adapter().validate_json(text)


Curves = dict[str, SurvivalCurve]


def write_plans(plans: list[tuple[PlanResult, Curves]]) -> str:
    """Return the answer of ``ypomoni calc --json``, with the survival curve of each supply that has one, by its key."""
    return json.dumps({"plans": [_plan(p, curves) for p, curves in plans]}, indent=1, ensure_ascii=False, allow_nan=False)


def write_played(why: Why, played: Played) -> str:
    """Return the answer of ``ypomoni simulate --json``."""
    events = [
        {
            "t_h": e.t_h,
            "mark": e.mark,
            "owner": e.owner,
            "limit_v": e.limit_v,
            "terminal_v": e.terminal_v,
            "current_a": e.current_a,
            "charge_left_ratio": e.charge_left_ratio,
            "in_alarm": e.in_alarm,
        }
        for e in played.events
    ]
    found = {
        "why": {"code": why.code, "text": why.text, "overload": why.overload},
        "end_h": played.end.t_h if played.end else None,
        "averaged_until_h": played.averaged_until_h,
        "events": events,
        "samples": [{name: getattr(s, name) for name in SAMPLE_COLUMNS} for s in played.samples],
    }
    return json.dumps(found, indent=1, ensure_ascii=False, allow_nan=False)


def write_played_csv(played: Played) -> str:
    """Return the timeline as CSV: a heading with names and units, then a line per instant."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(SAMPLE_COLUMNS)
    writer.writerows(_sample_cells(played))
    return out.getvalue()


def write_plan_csv(played: dict[str, Played]) -> str:
    """Return the timelines of several supplies, by name, as one CSV whose first column names the supply."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(("supply", *SAMPLE_COLUMNS))
    for supply, outage in played.items():
        writer.writerows([guarded(supply), *cells] for cells in _sample_cells(outage))
    return out.getvalue()


def _sample_cells(played: Played) -> list[list[str]]:
    return [[f"{getattr(s, name):.9g}" for name in SAMPLE_COLUMNS] for s in played.samples]


CUTS_KEYS = (
    "survives",
    "fails_on_day",
    "lowest_charge_ratio",
    "settled",
    "full_cycles_per_y",
    "worst_survives",
    "gives_back_ratio",
    "cycle_life_y",
)
SOLAR_KEYS = (
    "yield_ah_per_day",
    "need_ah_per_day",
    "worst_month",
    "worst_ratio",
    "lowest_charge_ratio",
    "sustains",
    "back_after_h",
    "year_ratio",
)
SAMPLE_COLUMNS = ("t_h", "terminal_v", "current_a", "charge_left_ratio", "temperature_degc")


def _plan(plan: PlanResult, curves: Curves) -> dict[str, Any]:
    return {
        "key": plan.key,
        "name": plan.name,
        "verdict": plan.verdict,
        "meets_requirement": plan.meets_requirement,
        "weakest_supply": plan.weakest_supply,
        "findings": [_finding_adapter().dump_python(f, mode="json") for f in plan.findings],
        "supplies": [_supply(s, curves.get(s.key)) for s in plan.supplies],
        "selectors": [_selector(s) for s in plan.selectors],
    }


def _selector(result: SelectorResult) -> dict[str, Any]:
    return {
        "key": result.key,
        "name": result.name,
        "verdict": result.verdict,
        "meets_requirement": result.meets_requirement,
        "holdover_h": result.holdover_h,
        "reached": result.reached,
        "fed_by": [{"from_h": f.from_h, "input": f.input_key} for f in result.fed_by],
        "scenarios_h": {"cold": result.cold_h, "end_of_life": result.end_of_life_h},
        "limited_by": result.limited_by,
        "findings": [_finding_adapter().dump_python(f, mode="json") for f in result.findings],
        "not_checked": list(result.not_checked),
    }


def _supply(result: SupplyResult, curve: SurvivalCurve | None) -> dict[str, Any]:
    full = _supply_adapter().dump_python(result, mode="json")
    return {
        "key": result.key,
        "name": result.name,
        "verdict": result.verdict,
        "meets_requirement": result.meets_requirement,
        "standby_current_a": result.standby_current_a,
        "alarm_current_a": result.alarm_current_a,
        "peak_current_a": result.peak_current_a,
        "holdover_h": full["holdover"],
        "band_inputs": full["band_inputs"],
        "endurance_h": result.endurance_h,
        "scenarios_h": full["scenarios"],
        "limited_by": result.limited_by,
        "missing_ah": result.missing_ah,
        "recommended_bank": full["recommended_bank"],
        "bank_risks": list(result.bank_risks),
        "no_bank_reason": result.no_bank_reason,
        "starts_at_ratio": result.starts_at_ratio,
        "charge_current_a": result.charge_current_a,
        "recovery_h": result.recovery_h,
        "recovery_is_promised": result.recovery_is_promised,
        "methods": [
            {"method": m.method, "required_ah": m.required_ah, "holdover_h": m.holdover_h, "counts": m.counts} for m in result.methods
        ],
        "disagreement": list(result.disagreement),
        "warning_h": None
        if result.warning is None
        else {
            "at": result.warning.at_h,
            "standby": result.warning.standby_h,
            "alarm": result.warning.alarm_h,
            "range_ratio": [result.warning.low_ratio, result.warning.high_ratio] if result.warning.is_range else None,
        },
        "survival": None
        if curve is None
        else {name: getattr(curve, name) for name in ("seed", "samples_count", "low_h", "median_h", "high_h", "meets_ratio")},
        "identified": None
        if result.identified is None
        else {name: getattr(result.identified, name) for name in ("overhead_w", "condition_ratio", "worst_error_ratio")},
        "cuts": None if result.cuts is None else {name: getattr(result.cuts, name) for name in CUTS_KEYS},
        "solar": None if result.solar is None else {name: full["solar"][name] for name in SOLAR_KEYS},
        "tests": [
            {
                "key": t.key,
                "test_ratio": t.test_ratio,
                "condition_ratio": t.condition_ratio,
                "is_lower_bound": t.is_lower_bound,
                "predicted_h": None
                if t.predicted is None
                else {"low": t.predicted.low, "expected": t.predicted.expected, "high": t.predicted.high},
                "inside_band": t.inside_band,
            }
            for t in result.tests
        ],
        "findings": full["findings"],
        "not_checked": list(result.not_checked),
    }
