"""Results as JSON: in full for the store, and in the published shape for `calc`."""

import json
from typing import Any

from pydantic import TypeAdapter

from ypomoni.core.results import PlanResult, SupplyResult

_SUPPLY = TypeAdapter(SupplyResult)


def dump_supply_result(result: SupplyResult) -> str:
    """Return a supply's result as JSON text that `load_supply_result` reads back."""
    return _SUPPLY.dump_json(result).decode()


def load_supply_result(text: str | bytes) -> SupplyResult:
    """Return a supply's result from JSON text."""
    return _SUPPLY.validate_json(text)


def write_plans(plans: list[PlanResult]) -> str:
    """Return the answer of ``ypomoni calc --json``."""
    return json.dumps({"plans": [_plan(p) for p in plans]}, indent=1, ensure_ascii=False, allow_nan=False)


def _plan(plan: PlanResult) -> dict[str, Any]:
    return {
        "key": plan.key,
        "name": plan.name,
        "verdict": plan.verdict,
        "meets_requirement": plan.meets_requirement,
        "weakest_supply": plan.weakest_supply,
        "supplies": [_supply(s) for s in plan.supplies],
    }


def _supply(result: SupplyResult) -> dict[str, Any]:
    full = _SUPPLY.dump_python(result, mode="json")
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
        "no_bank_reason": result.no_bank_reason,
        "charge_current_a": result.charge_current_a,
        "recovery_h": result.recovery_h,
        "methods": [{"method": m.method, "required_ah": m.required_ah} for m in result.methods],
        "findings": full["findings"],
    }
